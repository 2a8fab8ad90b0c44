import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Heading, Labelled, Number, Opener, Options } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { inFiles } from "../../ui/words";
import { ErrandList, useErrands, VerifySheet, type Errands } from "./Errands";

type Package = Schemas["PackageView"];
type Render = Schemas["RenderView"];

const STATES: Record<string, { word: string; shape: string; tone: string }> = {
  waiting: { word: "waiting", shape: "○", tone: "text-soft" },
  closing: { word: "being closed", shape: "◐", tone: "text-patina" },
  closed: { word: "closed", shape: "✓", tone: "text-patina" },
  failed: { word: "failed", shape: "✕", tone: "text-madder" },
};

const HASHES: readonly (readonly [string, string])[] = [
  ["xxh128", "ASC MHL, XXH3 of 128 bits"],
  ["c4", "ASC MHL, C4"],
  ["sha256", "BagIt, SHA-256"],
  ["sha512", "BagIt, SHA-512"],
];

/** Packages: what was handed over together, with its sheet and hash list; each can be checked where it lies. */
export function Packages({ showId, renders }: { showId: number; renders: Render[] }) {
  const packages = useQuery({
    queryKey: ["packages", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/packages", { params: { path: { show_id: showId } } })),
  });
  const [open, setOpen] = useState(false);
  const [looking, setLooking] = useState(false);
  const errands = useErrands(showId);
  const rows = packages.data ?? [];
  const finished = renders.filter((render) => render.state === "done" && render.clip_id !== null);
  return (
    <>
      <Heading
        aside={
          <span className="flex">
            <Button weight="quiet" className="px-1!" onClick={() => setLooking(true)}>
              Verify a folder…
            </Button>
            <Button weight="quiet" className="px-1!" disabled={!finished.length} onClick={() => setOpen(true)}>
              Close a package…
            </Button>
          </span>
        }
      >
        Packages
      </Heading>
      {rows.length > 0 && (
        <ul className="max-h-[30%] shrink-0 overflow-auto border-b border-hair" aria-label="Packages">
          {rows.map((one) => (
            <PackageItem key={one.id} showId={showId} one={one} errands={errands} />
          ))}
        </ul>
      )}
      <ErrandList errands={errands} />
      {looking && <VerifySheet errands={errands} close={() => setLooking(false)} />}
      {open && <CloseSheet showId={showId} finished={finished} number={rows.length + 1} close={() => setOpen(false)} />}
    </>
  );
}

function PackageItem({ showId, one, errands }: { showId: number; one: Package; errands: Errands }) {
  const [open, setOpen] = useState(false);
  const path = { show_id: showId, package_id: one.id };
  const contents = useQuery({
    queryKey: ["package", showId, one.id, open],
    enabled: open && one.state === "closed",
    queryFn: () => answer(api.GET("/api/shows/{show_id}/packages/{package_id}", { params: { path } })),
  }).data;
  const state = STATES[one.state] ?? { word: one.state, shape: "", tone: "" };
  return (
    <li className="border-b border-hair px-3 py-1.5 last:border-b-0">
      <div className="flex items-center gap-2">
        <Opener
          label={`What ${one.folder} holds`}
          open={open}
          disabled={one.state !== "closed"}
          toggle={() => setOpen(!open)}
        />
        <span className="min-w-0 flex-1 truncate font-medium" title={one.full_path}>
          {one.folder}
        </span>
        <span className="whitespace-nowrap text-soft">{inFiles(one.files)}</span>
        <span className={`whitespace-nowrap ${state.tone}`}>
          <span aria-hidden>{state.shape} </span>
          {state.word}
          {one.state === "closing" && (
            <Number className="ml-1">
              {one.done} of {one.files}
            </Number>
          )}
        </span>
        {one.state === "closed" && (
          <>
            <Button
              weight="quiet"
              className="px-1!"
              onClick={() =>
                errands.verify.mutate({ root: "", folder: one.folder, sources: "", without_hashes: false })
              }
              aria-label={`Verify ${one.folder}`}
            >
              Verify
            </Button>
            {errands.places?.targets.map((target) => (
              <Button
                key={target}
                weight="quiet"
                className="px-1!"
                onClick={() => errands.copy.mutate({ package: one.id, target })}
                aria-label={`Copy ${one.folder} to ${target}`}
              >
                Copy to {target}
              </Button>
            ))}
          </>
        )}
      </div>
      {one.fault && <p className="mt-0.5 pl-6 text-[12.5px] text-madder">{one.fault}</p>}
      {open && contents && (
        <table className="mt-1 w-full text-[12.5px] [&_td]:pr-3 [&_td]:pl-6" aria-label={`Files of ${one.folder}`}>
          <tbody>
            {contents.files.map((file) => (
              <tr key={file.path} className="border-t border-hair">
                <td className="truncate" title={`Made of ${file.source}`}>
                  {file.path}
                </td>
                <td>{file.setting}</td>
                <td className="text-right">
                  <Number>{file.frames}</Number>
                </td>
                <td className={file.changed ? "text-brass" : "text-soft"}>
                  {file.changed ? `↻ ${file.changed}` : "as today"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {open && (
        <p className="mt-1 pl-6 text-[12.5px] text-soft">
          <span className="font-mono break-all text-ink select-all">{one.full_path}</span>, by {one.person || "nobody"}
        </p>
      )}
    </li>
  );
}

/** Which finished files go into a package, under which name, with which hash list. */
function CloseSheet({
  showId,
  finished,
  number,
  close,
}: {
  showId: number;
  finished: Render[];
  number: number;
  close: () => void;
}) {
  const [chosen, setChosen] = useState(() => new Set(finished.map((render) => render.id)));
  const [folder, setFolder] = useState(`packages/${number}`);
  const [algorithm, setAlgorithm] = useState("xxh128");
  const ids = finished.map((render) => render.id).filter((id) => chosen.has(id));
  const ask = useAct(
    () =>
      answer(
        api.POST("/api/shows/{show_id}/packages", {
          params: { path: { show_id: showId } },
          body: { render_ids: ids, folder, algorithm: algorithm as Schemas["Algorithm"] },
        }),
      ),
    (made) => {
      close();
      return `${made.folder} is being closed.`;
    },
  );
  const toggle = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  return (
    <Sheet
      open
      close={close}
      title="Close a package"
      foot={
        <>
          {ask.error && <span className="mr-auto text-madder">▲ {ask.error.message}</span>}
          <Button onClick={close}>Cancel</Button>
          <Button
            weight="main"
            disabled={!ids.length || !folder.trim() || ask.isPending}
            onClick={() => ask.mutate(undefined)}
          >
            Close {inFiles(ids.length)} as a package
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-2 gap-3 px-4">
        <Labelled label="Folder below that for made files">
          <input className={fieldLook} value={folder} onChange={(event) => setFolder(event.target.value)} />
        </Labelled>
        <Labelled label="Hash list">
          <select className={fieldLook} value={algorithm} onChange={(event) => setAlgorithm(event.target.value)}>
            <Options of={HASHES} />
          </select>
        </Labelled>
        <p className="col-span-2 text-[12.5px] text-soft">
          The files come with a sheet, lists and hashes; <span className="font-mono">oddmeter verify</span> checks the
          folder anywhere.
        </p>
      </div>
      <ul className="mx-4 mt-2 min-h-0 flex-1 overflow-auto border border-hair" aria-label="Finished files">
        {finished.map((render) => (
          <li key={render.id} className="border-b border-hair last:border-b-0">
            <label className="flex items-center gap-2 px-2 py-1">
              <input
                type="checkbox"
                className="accent-(--patina)"
                checked={chosen.has(render.id)}
                onChange={() => toggle(render.id)}
              />
              <span className="min-w-0 flex-1 truncate">{render.out_path}</span>
              <span className="text-soft">{render.setting}</span>
            </label>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}
