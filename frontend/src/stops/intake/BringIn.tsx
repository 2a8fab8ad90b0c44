import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { CornerLeftUp, Folder } from "lucide-react";
import { useState } from "react";
import { answer, api } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Labelled, Number } from "../../ui/parts";
import { foldersOf } from "../../ui/words";

/** Choose a folder below a media root, name the delivery, and bring it in. */
export function BringIn({ showId, open, close }: { showId: number; open: boolean; close: (made?: number) => void }) {
  return (
    <Dialog open={open} onClose={() => close()} className="relative z-40">
      <div className="fixed inset-0 bg-black/30" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel className="flex h-[34rem] w-full max-w-2xl flex-col border border-hair bg-raised shadow-xl">
          <Chooser showId={showId} close={close} />
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Chooser({ showId, close }: { showId: number; close: (made?: number) => void }) {
  const roots = useQuery({ queryKey: ["roots"], queryFn: () => answer(api.GET("/api/roots")) });
  const [chosenRoot, setRoot] = useState<string | null>(null);
  const [path, setPath] = useState("");
  const [typed, setTyped] = useState<string | null>(null);
  const [name, setName] = useState<string | null>(null);
  const root = chosenRoot ?? roots.data?.[0] ?? null;
  const folder = useQuery({
    queryKey: ["folder", root, path],
    enabled: root !== null,
    retry: false,
    queryFn: () =>
      answer(api.GET("/api/roots/{root}/folder", { params: { path: { root: root ?? "" }, query: { path } } })),
  });
  const bring = useAct(
    (title: string) =>
      answer(
        api.POST("/api/shows/{show_id}/deliveries", {
          params: { path: { show_id: showId } },
          body: { name: title, root: root ?? "", path },
        }),
      ),
    (made, title) =>
      `“${title}” brought in: ${made.clips} ${made.clips === 1 ? "clip" : "clips"}` +
      (made.reports.length ? `, ${made.reports.length} ${made.reports.length === 1 ? "report" : "reports"}.` : ".") +
      (made.left_out.length ? ` Skipped, because their names cannot be read: ${made.left_out.length}.` : ""),
  );
  const listing = folder.data;
  const suggested = path.split("/").filter(Boolean).at(-1) ?? root ?? "";
  const title = (name ?? suggested).trim();
  const go = (next: string) => {
    setPath(next);
    setTyped(null);
    setName(null);
  };
  const count = listing?.all_files ?? 0;
  return (
    <>
      <DialogTitle className="px-4 pt-3 text-[16px] font-semibold">Import footage</DialogTitle>
      <div className="grid grid-cols-[10rem_1fr] gap-3 px-4 py-2">
        <Labelled label="Media root">
          <select
            className={fieldLook}
            value={root ?? ""}
            onChange={(e) => {
              setRoot(e.target.value);
              go("");
            }}
          >
            {(roots.data ?? []).map((r) => (
              <option key={r}>{r}</option>
            ))}
          </select>
        </Labelled>
        <form
          onSubmit={(event) => {
            event.preventDefault();
            go((typed ?? path).trim());
          }}
        >
          <Labelled label="Folder">
            <input
              className={fieldLook}
              value={typed ?? path}
              placeholder="type a path or choose below"
              onChange={(e) => setTyped(e.target.value)}
              onBlur={() => go((typed ?? path).trim())}
            />
          </Labelled>
        </form>
      </div>
      <ul className="mx-4 min-h-0 flex-1 overflow-auto border border-hair bg-ground" aria-label="Folders">
        {path && (
          <FolderItem
            icon={<CornerLeftUp size={15} aria-hidden />}
            name="Up one folder"
            go={() => go(foldersOf(path))}
          />
        )}
        {folder.error && <li className="p-3 text-madder">▲ {folder.error.message}</li>}
        {listing?.folders.map((below) => (
          <FolderItem
            key={below.path}
            icon={<Folder size={15} aria-hidden />}
            name={below.name}
            note={[below.folders && `${below.folders} folders`, below.files && `${below.files} files`]
              .filter(Boolean)
              .join(", ")}
            go={() => go(below.path)}
          />
        ))}
        {listing?.files.map((file) => (
          <li key={file} className="flex h-7 items-center truncate border-b border-hair px-3 pl-9 text-soft">
            {file}
          </li>
        ))}
        {!!listing?.more_files && <li className="px-3 py-1 text-soft">and {listing.more_files} more files</li>}
        {!!listing?.left_out.length && (
          <li className="px-3 py-1 text-brass">
            ▲ Left out, since they lead out of the root, to nothing, or round in a circle: {listing.left_out.join(", ")}
          </li>
        )}
        {listing && !listing.folders.length && !listing.files.length && (
          <li className="p-3 text-soft">This folder is empty.</li>
        )}
      </ul>
      <form
        className="flex items-end gap-3 px-4 py-3"
        onSubmit={(event) => {
          event.preventDefault();
          bring.mutate(title, { onSuccess: (made) => close(made.id ?? undefined) });
        }}
      >
        <div className="flex-1">
          <Labelled label="Delivery name">
            <input className={fieldLook} value={name ?? suggested} onChange={(e) => setName(e.target.value)} />
          </Labelled>
        </div>
        <Button onClick={() => close()}>Not now</Button>
        <Button type="submit" weight="main" disabled={!count || !title || bring.isPending}>
          {count ? (
            <>
              Import <Number>{count}</Number> {count === 1 ? "file" : "files"}
            </>
          ) : (
            "No files to bring in"
          )}
        </Button>
      </form>
    </>
  );
}

function FolderItem(props: { icon: React.ReactNode; name: string; note?: string; go: () => void }) {
  return (
    <li>
      <button
        type="button"
        onClick={props.go}
        className="flex h-7 w-full items-center gap-2 border-b border-hair px-3 text-left hover:bg-patina-wash"
      >
        <span className="text-patina">{props.icon}</span>
        <span className="truncate">{props.name}</span>
        <span className="ml-auto text-[12.5px] whitespace-nowrap text-soft">{props.note}</span>
      </button>
    </li>
  );
}
