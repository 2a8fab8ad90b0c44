import { X } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../../data/client";
import { answer, api } from "../../data/client";
import { useAct, useHandoffChoices, useLedger, usePreview, useRows, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useKeysEverywhere } from "../../ui/keys";
import { Glimpse } from "../../ui/Glimpse";
import { useVirtual } from "../../ui/useVirtual";
import { Button, Empty, fieldLook, Heading, Number, Waiting } from "../../ui/parts";
import { Queue } from "./Queue";
import { inFiles } from "../../ui/words";

type Output = { setting: string; folder: string; pattern: string };

const USABLE = { mark: "usable" };
const DECIDED = { mark: "decided" };

/** Handoff: choose clips, setting, folder and names; make the files; see them proven; take the sheet away. */
export function Handoff() {
  const showId = useShowId();
  const ledger = useLedger(showId);
  const choices = useHandoffChoices(showId);
  const selection = useSelection();
  const [outputs, setOutputs] = useState<Output[]>([{ setting: "edit", folder: "", pattern: "{clip}_{rate}" }]);
  const set = (index: number, part: Partial<Output>) =>
    setOutputs(outputs.map((output, i) => (i === index ? { ...output, ...part } : output)));
  const usable = useLedger(showId, USABLE).data?.ids;
  const decided = useLedger(showId, DECIDED).data?.ids ?? [];
  const chosen = useMemo(() => (usable ?? []).filter((id) => selection.ids.has(id)), [usable, selection.ids]);
  const asked = { outputs: outputs.map((output) => ({ ...output, clip_ids: chosen })) };
  const preview = usePreview(showId, asked);
  const files = chosen.length && !preview.error ? (preview.data ?? []) : [];
  const good = files.filter((file) => !file.problem);
  const make = useAct(
    () => answer(api.POST("/api/shows/{show_id}/renders", { params: { path: { show_id: showId } }, body: asked })),
    (made) => {
      selection.set(made.refused.map((file) => file.clip_id));
      const refused = made.refused.length ? ` ${made.refused.length} refused, still ticked.` : "";
      return `${inFiles(made.queued)} queued.${refused}`;
    },
  );

  useKeysEverywhere("Handoff", [
    { does: "tick the clip in focus, or take the tick off", keys: {}, shown: ["Space"] },
    { does: "make the files", keys: { "Mod+Enter": () => good.length > 0 && make.mutate(undefined) } },
  ]);

  if (ledger.isPending || choices.isPending) return <Waiting what="Opening the handoff" />;
  const all = ledger.data;
  if (!all || !usable) return <Waiting what="Opening the handoff" why={ledger.failureReason} />;
  if (all.total === 0)
    return <Empty title="There are no clips yet.">Import footage in Intake, then set speeds in Plan.</Empty>;

  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_minmax(380px,0.82fr)]">
      <section className="flex min-h-0 min-w-0 flex-col border-r border-hair" aria-label="What to make">
        <Heading
          aside={
            <span className="flex items-center">
              <Button weight="quiet" onClick={() => selection.set(decided)}>
                Decided ({decided.length})
              </Button>
              <Button weight="quiet" onClick={() => selection.set(usable)}>
                All ({usable.length})
              </Button>
              <Button weight="quiet" onClick={() => selection.set([])}>
                None
              </Button>
            </span>
          }
        >
          What to make
        </Heading>
        <div className="border-b border-hair px-3 py-2">
          <Outputs outputs={outputs} choices={choices.data} set={set} setAll={setOutputs} />
          <div className="mt-2 flex items-center justify-between gap-3">
            <Button weight="quiet" onClick={() => setOutputs([...outputs, another(outputs, choices.data)])}>
              Add an output
            </Button>
            <span className="ml-auto text-[12.5px] text-soft">{sizeOf(good, choices.data)}</span>
            <Button weight="main" disabled={!good.length || make.isPending} onClick={() => make.mutate(undefined)}>
              {good.length ? `Make ${inFiles(good.length)}` : "Nothing to make"}
            </Button>
          </div>
          <p className="mt-1.5 flex flex-wrap gap-x-1.5 gap-y-0.5 text-[12.5px] text-soft">
            <span>Add to the name:</span>
            {choices.data?.words.map((w) => (
              <button
                key={w.word}
                type="button"
                title={w.meaning}
                className="font-mono text-patina hover:underline"
                onClick={() => set(outputs.length - 1, { pattern: withWord(outputs.at(-1)?.pattern ?? "", w.word) })}
              >
                {`{${w.word}}`}
              </button>
            ))}
          </p>
          {preview.error && chosen.length > 0 && <p className="mt-1 text-madder">▲ {preview.error.message}</p>}
          <p className="mt-1 text-[12.5px] text-soft">
            Raster, in-betweens, fields and sound are those decided in Plan or on the Bench; rate and scan are the
            timeline’s.
          </p>
        </div>
        <Files showId={showId} all={all} files={files} chosen={new Set(chosen)} choose={selection.set} />
      </section>
      <Queue showId={showId} />
    </div>
  );
}

/** The outputs to make of every clip that is ticked: one line each, with its setting, folder and names. */
function Outputs(props: {
  outputs: Output[];
  choices?: Schemas["HandoffChoices"];
  set: (index: number, part: Partial<Output>) => void;
  setAll: (outputs: Output[]) => void;
}) {
  return (
    <table className="w-full text-[13px]" aria-label="Outputs">
      <thead className="text-left text-[12.5px] text-soft">
        <tr>
          <th className="w-[26%] font-normal">Setting</th>
          <th className="font-normal">Folder below {shortened(props.choices?.made_folder ?? "")}</th>
          <th className="font-normal">Name pattern</th>
          <th className="w-7" />
        </tr>
      </thead>
      <tbody>
        {props.outputs.map((output, index) => (
          <tr key={index} className="[&_td]:py-0.5 [&_td]:pr-2">
            <td>
              <select
                className={fieldLook}
                aria-label={`Setting of output ${index + 1}`}
                title={props.choices?.settings.find((s) => s.setting === output.setting)?.label}
                value={output.setting}
                onChange={(e) => props.set(index, { setting: e.target.value })}
              >
                {props.choices?.settings.map((s) => (
                  <option key={s.setting} value={s.setting}>
                    {s.own ? s.setting : s.label.split(", ")[0]}
                  </option>
                ))}
              </select>
            </td>
            <td>
              <input
                className={fieldLook}
                aria-label={`Folder of output ${index + 1}`}
                value={output.folder}
                placeholder="top folder"
                onChange={(e) => props.set(index, { folder: e.target.value })}
              />
            </td>
            <td>
              <input
                className={`${fieldLook} font-mono`}
                aria-label={`Name pattern of output ${index + 1}`}
                value={output.pattern}
                onChange={(e) => props.set(index, { pattern: e.target.value })}
              />
            </td>
            <td className="pr-0!">
              <button
                type="button"
                className="px-1 text-soft hover:text-madder disabled:opacity-30"
                aria-label={`Leave out output ${index + 1}`}
                title="Leave out this output"
                disabled={props.outputs.length === 1}
                onClick={() => props.setAll(props.outputs.filter((_, i) => i !== index))}
              >
                <X size={15} aria-hidden />
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A further output: the next setting that is not among them, in a folder of its own. */
function another(outputs: Output[], choices?: Schemas["HandoffChoices"]): Output {
  const free = choices?.settings.find((s) => !outputs.some((output) => output.setting === s.setting));
  const setting = free?.setting ?? "view";
  return { setting, folder: setting, pattern: outputs.at(-1)?.pattern ?? "{clip}_{rate}" };
}

/** What the files come to, by the size of those that were made with the same settings before. */
function sizeOf(files: Schemas["FilePreview"][], choices: Schemas["HandoffChoices"] | undefined): string {
  const measured = new Map(choices?.settings.map((s) => [s.setting, s.megabytes_a_minute]));
  let size = 0;
  for (const file of files) {
    const each = measured.get(file.setting);
    if (each === null || each === undefined) return "";
    size += (file.seconds / 60) * each;
  }
  return size > 0 ? `about ${size < 1000 ? `${Math.ceil(size)} MB` : `${(size / 1000).toFixed(1)} GB`}` : "";
}

function withWord(pattern: string, word: string): string {
  return `${pattern}${pattern && !pattern.endsWith("_") ? "_" : ""}{${word}}`;
}

function Files(props: {
  showId: number;
  all: Schemas["Ledger"];
  files: Schemas["FilePreview"][];
  chosen: Set<number>;
  choose: (ids: Iterable<number>) => void;
}) {
  const { all, chosen } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const byClip = new Map<number, Schemas["FilePreview"][]>();
  for (const file of props.files) byClip.set(file.clip_id, [...(byClip.get(file.clip_id) ?? []), file]);
  const filesOf = (id: number) => (chosen.has(id) ? (byClip.get(id) ?? []) : []);
  const linesOf = (id: number) =>
    filesOf(id).reduce((lines, file, i, all) => lines + 1 + (noteOf(file, i > 0 ? all[0] : undefined) ? 1 : 0), 0);
  const heightOf = (id: number) => 31 + Math.max(0, linesOf(id) - 1) * 18;
  const view = useVirtual({
    count: all.ids.length,
    scroller,
    height: (index) => heightOf(all.ids[index] ?? 0),
    key: (index) => `${all.ids[index]} ${linesOf(all.ids[index] ?? 0)}`,
    overscan: 12,
  });
  const items = view.getVirtualItems();
  const rowOf = useRows(props.showId, all.ids, items[0]?.index ?? 0, items.at(-1)?.index ?? 0);
  const toggle = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    props.choose(next);
  };
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto">
      <ul className="relative" style={{ height: view.getTotalSize() }} aria-label="Clips to make files of">
        {items.map((item) => {
          const id = all.ids[item.index] ?? 0;
          const name = all.names[item.index] ?? "";
          const row = rowOf(id);
          const files = filesOf(id);
          const on = chosen.has(id);
          return (
            <li
              key={item.key}
              style={{ transform: `translateY(${item.start}px)`, height: item.size }}
              className={`absolute inset-x-0 border-b border-hair px-3 ${on ? "bg-patina-wash" : ""}`}
            >
              <div className="flex items-center gap-2">
                {row?.facts && !row.facts.fault ? (
                  <Glimpse showId={props.showId} clipId={id} name={name} frames={row.facts.frames} width={46} />
                ) : (
                  <span className="w-[46px] shrink-0" />
                )}
                <label className="grid min-h-[30px] min-w-0 flex-1 grid-cols-[16px_minmax(0,1fr)_7.4rem_4.5rem] items-center gap-x-2 py-0.5">
                  <input
                    type="checkbox"
                    className="accent-(--patina)"
                    aria-label={`Make ${name}`}
                    checked={on}
                    disabled={!row?.plan}
                    onChange={() => toggle(id)}
                  />
                  <span className="truncate font-medium">{files[0]?.out_path ?? name}</span>
                  <span className={`truncate ${row?.intent ? "" : "text-soft italic"}`}>
                    {row ? (row.plan ? row.intent_words : "cannot be planned") : ""}
                  </span>
                  <Number className="text-right">{row?.plan ? row.plan.after.frames : "—"}</Number>
                  {files.map((file, index) => (
                    <FileLines key={file.setting} file={file} first={index > 0 ? files[0] : undefined} />
                  ))}
                </label>
              </div>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** What stands against a file, or is left out of it; what was said of the clip's first file is not said again. */
function noteOf(file: Schemas["FilePreview"], first?: Schemas["FilePreview"]): string | null {
  if (file.problem) return `✕ ${file.problem}`;
  return file.remark === first?.remark ? null : file.remark;
}

/** What there is to say of a file under its clip: its own name, where the row says that of another, and its trouble. */
function FileLines({ file, first }: { file: Schemas["FilePreview"]; first?: Schemas["FilePreview"] }) {
  const note = noteOf(file, first);
  return (
    <>
      {first && (
        <span className="col-span-3 col-start-2 truncate text-[12.5px] leading-[18px]" title={file.out_path}>
          {file.out_path}
        </span>
      )}
      {note && (
        <span
          className={`col-span-3 col-start-2 truncate text-[12.5px] leading-[18px] ${file.problem ? "text-madder" : "text-soft"}`}
          title={note}
        >
          {note}
        </span>
      )}
    </>
  );
}

function shortened(path: string): string {
  const parts = path.split("/");
  return parts.length > 2 ? `…/${parts.at(-1)}` : path;
}
