/** How many files, in words. */
export function inFiles(count: number): string {
  return `${count} ${count === 1 ? "file" : "files"}`;
}
