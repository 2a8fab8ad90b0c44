import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Labelled, Progress } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { inFiles } from "../../ui/words";

type Errand = Schemas["ErrandView"];

/** What a worker does with packages: verifies any folder, copies to targets. */
export function useErrands(showId: number) {
  const params = { params: { path: { show_id: showId } } };
  const list = useQuery({
    queryKey: ["errands", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/errands", params)),
  }).data;
  const places = useQuery({
    queryKey: ["errand-places", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/errands/places", params)),
  }).data;
  const verify = useAct(
    (body: Required<Schemas["VerifyIn"]>) =>
      answer(api.POST("/api/shows/{show_id}/errands/verify", { ...params, body })),
    (asked) => `${asked.folder} is being verified.`,
  );
  const copy = useAct(
    (body: Schemas["PackageCopyIn"]) => answer(api.POST("/api/shows/{show_id}/errands/copy", { ...params, body })),
    (asked) => `${asked.folder} is being copied to ${asked.target}.`,
  );
  return { list: list ?? [], places, verify, copy };
}

export type Errands = ReturnType<typeof useErrands>;

/** The errands that are under way, and how the last ones came out. */
export function ErrandList({ errands }: { errands: Errands }) {
  const [all, setAll] = useState(false);
  if (!errands.list.length) return null;
  const shown = all ? errands.list : errands.list.slice(0, 2);
  return (
    <ul
      className="max-h-[24%] shrink-0 overflow-auto border-b border-hair text-[12.5px]"
      aria-label="Verified and copied"
    >
      {shown.map((errand) => (
        <ErrandItem key={errand.id} errand={errand} />
      ))}
      {errands.list.length > 2 && (
        <li className="px-2">
          <Button weight="quiet" className="h-6! px-1!" onClick={() => setAll(!all)}>
            {all ? "Fewer" : `All ${errands.list.length}`}
          </Button>
        </li>
      )}
    </ul>
  );
}

function ErrandItem({ errand }: { errand: Errand }) {
  const does = errand.kind === "copy" ? `to ${errand.target}` : "verified";
  if (errand.state === "waiting" || errand.state === "running")
    return (
      <li className="px-3 py-1">
        <span className="text-patina">◐ </span>
        {errand.folder}, {errand.kind === "copy" ? `copying ${does}` : "being verified"}
        {errand.what && `: ${errand.what}`}
        {errand.total > 0 && (
          <Progress done={errand.done} of={errand.total} label={`${errand.folder}: ${errand.what}`} />
        )}
      </li>
    );
  if (errand.state === "failed")
    return (
      <li className="px-3 py-1 text-madder">
        ✕ {errand.folder} {does}: {errand.fault}
      </li>
    );
  if (errand.faults === null)
    return (
      <li className="px-3 py-1">
        <span className="text-patina">✓</span> {inFiles(errand.copied ?? 0)} copied, read back and the same
        {errand.there ? `, ${errand.there} were there` : ""}:{" "}
        <span className="font-mono break-all select-all">{errand.lies_at}</span>
      </li>
    );
  return (
    <li className="px-3 py-1" role="status">
      {errand.faults.length === 0 ? (
        <span className="text-patina">✓ {errand.folder}: everything is what was handed over.</span>
      ) : (
        <>
          {errand.folder}: {errand.faults.length} at fault
          {errand.faults.map((fault) => (
            <p key={`${fault.file} ${fault.kind} ${fault.words}`} className="text-madder">
              ✕ {fault.kind}: {fault.file}. {fault.words}
            </p>
          ))}
        </>
      )}
    </li>
  );
}

/** Which folder to verify, and how: any package, made here or somewhere else. */
export function VerifySheet({ errands, close }: { errands: Errands; close: () => void }) {
  const [root, setRoot] = useState("");
  const [folder, setFolder] = useState("");
  const [sources, setSources] = useState("");
  const [without, setWithout] = useState(false);
  const roots = errands.places?.roots ?? [];
  const go = () => {
    errands.verify.mutate({ root, folder: folder.trim(), sources, without_hashes: without });
    close();
  };
  return (
    <Sheet
      title="Verify a package"
      open
      close={close}
      foot={
        <>
          <Button weight="quiet" onClick={close}>
            Cancel
          </Button>
          <Button weight="main" disabled={!folder.trim()} onClick={go}>
            Verify
          </Button>
        </>
      }
    >
      <div className="grid gap-3 px-4">
        <div className="grid grid-cols-[12rem_minmax(0,1fr)] gap-3">
          <Labelled label="Where it lies">
            <select className={fieldLook} value={root} onChange={(event) => setRoot(event.target.value)}>
              <option value="">made files</option>
              {roots.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </Labelled>
          <Labelled label="Folder of the package">
            <input
              autoFocus
              className={fieldLook}
              value={folder}
              placeholder="to editor/1"
              onChange={(event) => setFolder(event.target.value)}
              onKeyDown={(event) => event.key === "Enter" && folder.trim() && go()}
            />
          </Labelled>
        </div>
        <Labelled
          label="Its sources"
          hint="With sources at hand every picture and sample is made once more and compared."
        >
          <select className={`${fieldLook} w-48!`} value={sources} onChange={(event) => setSources(event.target.value)}>
            <option value="">not at hand</option>
            {roots.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </Labelled>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-(--patina)"
            checked={without}
            onChange={(event) => setWithout(event.target.checked)}
          />
          decode all of it instead of comparing hashes
        </label>
      </div>
    </Sheet>
  );
}
