import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../../data/client";
import { useRows } from "../../data/queries";
import { Glimpse } from "../../ui/Glimpse";
import { SettingSelect } from "../../ui/Outputs";
import { Button, fieldLook, Number } from "../../ui/parts";
import { usePicked } from "../../ui/usePicked";
import { useVirtual } from "../../ui/useVirtual";
import { inBytes } from "./Totals";
import type { Handoff, Line } from "./state";

/** One row of the list: a clip with its first file, a further file, or a file of a timeline. */
interface Row {
  key: string;
  clip: number | null;
  name: string;
  file: Line | undefined;
  /** Whether its clip's tick and picture stand in it. */
  first: boolean;
  /** The remark of its clip's first file, where it is a further one. */
  said?: string | null;
}

const STATES: Record<Schemas["LineState"], { shape: string; tone: string; words: (line: Line) => string }> = {
  new: { shape: "○", tone: "text-soft", words: () => "new" },
  changed: { shape: "↻", tone: "text-brass", words: (line) => line.why ?? "changed" },
  unchanged: { shape: "✓", tone: "text-patina", words: (line) => line.why ?? "is there, and would be the same" },
  refused: { shape: "✕", tone: "text-madder", words: (line) => line.problem ?? "" },
};

const GRID = "grid shrink-0 grid-cols-[46px_16px_minmax(0,1fr)_6.5rem_4.2rem_4.6rem] items-center gap-x-2";

/** Every file that would be made, a line each; some of the lines can be given another setting, folder or names. */
export function Lines(props: {
  showId: number;
  all: Schemas["Ledger"];
  files: Line[];
  handoff: Handoff;
  choices?: Schemas["HandoffChoices"];
  choose: (ids: Iterable<number>) => void;
}) {
  const { handoff, files, all } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const chosen = new Set(handoff.chosen);
  const rows = rowsOf(all, files, chosen, handoff.document.timeline !== null);
  const { picked, pick, pickAll, pickNone } = usePicked(rows.flatMap((row) => (row.file ? [row.key] : [])));
  const height = (row: Row) => 30 + notesOf(row).length * 17;
  const view = useVirtual({
    count: rows.length,
    scroller,
    height: (index) => height(rows[index] as Row),
    key: (index) => `${rows[index]?.key} ${height(rows[index] as Row)}`,
    overscan: 12,
  });
  const items = view.getVirtualItems();
  const places = useMemo(() => new Map(all.ids.map((id, place) => [id, place])), [all.ids]);
  const seen = items.flatMap((item) => places.get(rows[item.index]?.clip ?? 0) ?? []);
  const rowOf = useRows(props.showId, all.ids, Math.min(...seen, all.ids.length), Math.max(...seen, -1));
  const toggle = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    handoff.makeOf("clips");
    props.choose(next);
  };
  const lines = rows.flatMap((row) => (row.file && picked.has(row.key) ? [row.file] : []));
  return (
    <>
      {files.length > 0 && (
        <SomeLines
          lines={lines}
          all={files.length}
          handoff={handoff}
          choices={props.choices}
          pickAll={pickAll}
          pickNone={pickNone}
        />
      )}
      <div className={`${GRID} h-6 border-b border-hair px-3 text-[12px] text-soft`} aria-hidden>
        <span className="col-start-3">File</span>
        <span>Decided, setting</span>
        <span className="text-right">Frames</span>
        <span className="text-right">Size</span>
      </div>
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto">
        <ul className="relative" style={{ height: view.getTotalSize() }} aria-label="Files to make">
          {items.map((item) => {
            const row = rows[item.index] as Row;
            const planned = row.clip === null ? undefined : rowOf(row.clip);
            const on = picked.has(row.key);
            return (
              <li
                key={item.key}
                style={{ transform: `translateY(${item.start}px)`, height: item.size }}
                className={`absolute inset-x-0 border-b border-hair px-3 ${on ? "bg-patina-wash" : ""}`}
              >
                <div className={`${GRID} h-[29px]`}>
                  {row.first && planned?.facts && !planned.facts.fault && row.clip !== null ? (
                    <Glimpse
                      showId={props.showId}
                      clipId={row.clip}
                      name={row.name}
                      frames={planned.facts.frames}
                      width={46}
                    />
                  ) : (
                    <span />
                  )}
                  {row.first && row.clip !== null && handoff.document.timeline === null ? (
                    <input
                      type="checkbox"
                      className="accent-(--patina)"
                      aria-label={`Make ${row.name}`}
                      checked={chosen.has(row.clip)}
                      disabled={!planned?.plan}
                      onChange={() => toggle(row.clip ?? 0)}
                    />
                  ) : (
                    <span />
                  )}
                  {row.file ? (
                    <button
                      type="button"
                      aria-pressed={on}
                      className="truncate text-left font-medium"
                      title={`${nameOf(row.file)}: pick it, to change its setting, folder or name alone`}
                      onClick={(event) => pick(row.key, event.shiftKey)}
                    >
                      {nameOf(row.file)}
                    </button>
                  ) : (
                    <span className="truncate text-soft">{row.name}</span>
                  )}
                  <span className={`truncate ${row.first && planned && !planned.intent ? "text-soft italic" : ""}`}>
                    {row.file && !row.first
                      ? row.file.setting
                      : row.clip !== null
                        ? intentOf(planned)
                        : row.file?.setting}
                  </span>
                  <Number className="text-right">{lengthOf(row, planned)}</Number>
                  <Number className="text-right text-soft">
                    {row.file?.megabytes ? inBytes(row.file.megabytes) : ""}
                  </Number>
                </div>
                {notesOf(row).map((note) => (
                  <p
                    key={note.words}
                    className={`truncate pl-[78px] text-[12.5px] leading-[17px] ${note.tone}`}
                    title={note.words}
                  >
                    {note.shape} {note.words}
                  </p>
                ))}
              </li>
            );
          })}
        </ul>
      </div>
    </>
  );
}

/** Where the file of a line goes, or is. */
function nameOf(file: Line): string {
  return file.state === "unchanged" && file.made ? file.made : file.out_path;
}

/** What there is to say of a line below it: where it stands, where it is not new, and what will be in it, where that is
 * not said of its clip's first file already. */
function notesOf({ file, said }: Row): { shape: string; tone: string; words: string }[] {
  if (!file) return [];
  const state = STATES[file.state];
  const stands = file.state === "new" ? [] : [{ ...state, words: state.words(file) }];
  const isNews = file.state !== "unchanged" && file.remark !== said;
  const remark = file.remark && isNews ? [{ shape: "■", tone: "text-soft", words: file.remark }] : [];
  return [...stands, ...remark];
}

/** Setting, folder and names of the lines that are picked: typed once, for all of them. */
function SomeLines(props: {
  lines: Line[];
  all: number;
  handoff: Handoff;
  choices?: Schemas["HandoffChoices"];
  pickAll: () => void;
  pickNone: () => void;
}) {
  const { lines, handoff } = props;
  const [folder, setFolder] = useState("");
  const [pattern, setPattern] = useState("");
  const some = lines.length > 0;
  const common = lines.every((line) => line.setting === lines[0]?.setting) ? (lines[0]?.setting ?? "") : "";
  return (
    <div
      className="flex items-center gap-2 border-b border-hair px-3 py-1 text-[12.5px]"
      role="group"
      aria-label="Picked lines"
    >
      <span className="whitespace-nowrap text-soft">
        {some ? `${lines.length} of ${props.all} lines:` : "Pick lines to change some alone."}
      </span>
      {some ? (
        <>
          <span className="w-32">
            <SettingSelect
              label="Setting of the picked lines"
              value={common}
              none={common ? undefined : "several settings"}
              choices={props.choices}
              put={(setting) => setting && handoff.setLines(lines, { setting })}
            />
          </span>
          <Typed
            label="Folder of the picked lines"
            hint="folder"
            text={folder}
            setText={setFolder}
            put={(text) => handoff.setLines(lines, { folder: text })}
          />
          <Typed
            label="Name pattern of the picked lines"
            hint="name pattern"
            text={pattern}
            setText={setPattern}
            put={(text) => text.trim() && handoff.setLines(lines, { pattern: text })}
          />
          <Button weight="quiet" className="h-6! px-1!" onClick={() => handoff.setLines(lines, null)}>
            As their output
          </Button>
          <Button weight="quiet" className="h-6! px-1!" onClick={props.pickNone}>
            None
          </Button>
        </>
      ) : (
        <Button weight="quiet" className="ml-auto h-6! px-1!" onClick={props.pickAll}>
          Pick all
        </Button>
      )}
    </div>
  );
}

function Typed(props: {
  label: string;
  hint: string;
  text: string;
  setText: (text: string) => void;
  put: (text: string) => void;
}) {
  return (
    <input
      className={`${fieldLook} h-6! w-28! flex-1`}
      aria-label={props.label}
      placeholder={`${props.hint}, Enter`}
      value={props.text}
      onChange={(event) => props.setText(event.target.value)}
      onKeyDown={(event) => {
        if (event.key !== "Enter") return;
        event.stopPropagation();
        props.put(props.text);
        props.setText("");
      }}
    />
  );
}

function rowsOf(all: Schemas["Ledger"], files: Line[], chosen: Set<number>, ofTimeline: boolean): Row[] {
  const row = (file: Line, first: boolean): Row => ({
    key: `${file.output} ${file.line ?? ""}`,
    clip: file.clip_id,
    name: file.name,
    file,
    first,
  });
  if (ofTimeline) return files.map((file, index) => row(file, file.clip_id !== files[index - 1]?.clip_id));
  const byClip = new Map<number, Line[]>();
  for (const file of files) {
    const own = byClip.get(file.clip_id ?? 0);
    if (own) own.push(file);
    else byClip.set(file.clip_id ?? 0, [file]);
  }
  return all.ids.flatMap<Row>((id, index) => {
    const own = chosen.has(id) ? byClip.get(id) : undefined;
    if (own) return own.map((file, i) => ({ ...row(file, i === 0), said: i > 0 ? own[0]?.remark : null }));
    return [{ key: `clip ${id}`, clip: id, name: all.names[index] ?? "", file: undefined, first: true }];
  });
}

function intentOf(row: Schemas["ClipRow"] | undefined): string {
  if (!row) return "";
  return row.plan ? row.intent_words : "cannot be planned";
}

function lengthOf(row: Row, planned: Schemas["ClipRow"] | undefined): string {
  if (row.file) {
    const { frames, head, tail } = row.file;
    return head || tail ? `${head}+${frames - head - tail}+${tail}` : `${frames}`;
  }
  return planned?.plan ? `${planned.plan.after.frames}` : "—";
}
