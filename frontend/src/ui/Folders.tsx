import { foldersOf } from "./words";

/** The folders that a clip lies in, beside its name; where there is no room for all of them, the innermost are kept. */
export function Folders({ path }: { path: string }) {
  return (
    <span className="min-w-0 truncate text-[12.5px] font-normal text-soft [direction:rtl]" title={foldersOf(path)}>
      <bdi>{foldersOf(path)}</bdi>
    </span>
  );
}
