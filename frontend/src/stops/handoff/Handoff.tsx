import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../../data/client";
import { answer, api } from "../../data/client";
import { useAct, useHandoffChoices, useLedger, usePreview, useRows, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useKeysEverywhere } from "../../ui/keys";
import { Glimpse } from "../../ui/Glimpse";
import { useVirtual } from "../../ui/useVirtual";
import { Button, Empty, fieldLook, Heading, Labelled, Number, Waiting } from "../../ui/parts";
import { Queue } from "./Queue";
import { inFiles } from "../../ui/words";

type Setting = Schemas["Setting"];

const USABLE = { mark: "usable" };
const DECIDED = { mark: "decided" };

/** Handoff: choose clips, setting, folder and names; make the files; see them proven; take the sheet away. */
export function Handoff() {
  const showId = useShowId();
  const ledger = useLedger(showId);
  const choices = useHandoffChoices();
  const selection = useSelection();
  const [setting, setSetting] = useState<Setting>("edit");
  const [folder, setFolder] = useState("");
  const [pattern, setPattern] = useState("{clip}_{rate}");
  const usable = useLedger(showId, USABLE).data?.ids;
  const decided = useLedger(showId, DECIDED).data?.ids ?? [];
  const chosen = useMemo(() => (usable ?? []).filter((id) => selection.ids.has(id)), [usable, selection.ids]);
  const asked = { clip_ids: chosen, setting, folder, pattern };
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
          <fieldset className="flex gap-6">
            <legend className="sr-only">Setting</legend>
            {choices.data?.settings.map((s) => (
              <label key={s.setting} className="flex items-center gap-1.5" title={s.label}>
                <input
                  type="radio"
                  name="setting"
                  className="accent-(--patina)"
                  checked={setting === s.setting}
                  onChange={() => setSetting(s.setting)}
                />
                <span className="leading-4">
                  <span className="block font-medium">{s.label.split(", ")[0]}</span>
                  <span className="block text-[12.5px] text-soft">{s.label.split(", ")[1]}</span>
                </span>
              </label>
            ))}
          </fieldset>
          <div className="mt-2 grid grid-cols-[1fr_1fr_auto] items-end gap-3">
            <Labelled label={`Folder below ${shortened(choices.data?.made_folder ?? "")}`}>
              <input
                className={fieldLook}
                value={folder}
                placeholder="top folder"
                onChange={(e) => setFolder(e.target.value)}
              />
            </Labelled>
            <Labelled label="Name pattern">
              <input
                className={`${fieldLook} font-mono`}
                value={pattern}
                onChange={(e) => setPattern(e.target.value)}
              />
            </Labelled>
            <Button weight="main" disabled={!good.length || make.isPending} onClick={() => make.mutate(undefined)}>
              {good.length ? `Make ${inFiles(good.length)}` : "Nothing to make"}
            </Button>
          </div>
          <p className="mt-1.5 flex flex-wrap gap-x-1.5 gap-y-0.5 text-[12.5px] text-soft">
            <span>Add:</span>
            {choices.data?.words.map((w) => (
              <button
                key={w.word}
                type="button"
                title={w.meaning}
                className="font-mono text-patina hover:underline"
                onClick={() => setPattern(`${pattern}${pattern && !pattern.endsWith("_") ? "_" : ""}{${w.word}}`)}
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

function Files(props: {
  showId: number;
  all: Schemas["Ledger"];
  files: Schemas["FilePreview"][];
  chosen: Set<number>;
  choose: (ids: Iterable<number>) => void;
}) {
  const { all, chosen } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const byClip = new Map(props.files.map((file) => [file.clip_id, file]));
  const noted = (id: number) => {
    const file = chosen.has(id) ? byClip.get(id) : undefined;
    return Boolean(file?.problem ?? file?.remark);
  };
  const view = useVirtual({
    count: all.ids.length,
    scroller,
    height: (index) => (noted(all.ids[index] ?? 0) ? 48 : 31),
    key: (index) => `${all.ids[index]} ${noted(all.ids[index] ?? 0)}`,
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
          const file = byClip.get(id);
          const on = chosen.has(id);
          const note = file?.problem ? `✕ ${file.problem}` : file?.remark;
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
                  <span className="truncate font-medium">{on && file ? file.out_path : name}</span>
                  <span className={`truncate ${row?.intent ? "" : "text-soft italic"}`}>
                    {row ? (row.plan ? row.intent_words : "cannot be planned") : ""}
                  </span>
                  <Number className="text-right">{row?.plan ? row.plan.after.frames : "—"}</Number>
                  {on && note && (
                    <span
                      className={`col-span-3 col-start-2 truncate text-[12.5px] ${file?.problem ? "text-madder" : "text-soft"}`}
                      title={note}
                    >
                      {note}
                    </span>
                  )}
                </label>
              </div>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

function shortened(path: string): string {
  const parts = path.split("/");
  return parts.length > 2 ? `…/${parts.at(-1)}` : path;
}
