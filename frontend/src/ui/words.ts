/** How many files, in words. */
export function inFiles(count: number): string {
  return `${count} ${count === 1 ? "file" : "files"}`;
}

/** The folders that a path leads through, without what lies there. */
export function foldersOf(path: string): string {
  return path.split("/").slice(0, -1).join("/");
}
