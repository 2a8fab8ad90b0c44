import { useAct, useHandoffChoices, useLedger, useShowId } from "../../data/queries";
import { useSelection } from "../../data/selection";
import { useKeysEverywhere } from "../../ui/keys";
import { isOfTimeline, Outputs, withWord } from "../../ui/Outputs";
import { Button, Empty, Heading, Waiting } from "../../ui/parts";
import { inFiles } from "../../ui/words";
import { Lines } from "./Lines";
import { PlanLine } from "./PlanLine";
import { Queue } from "./Queue";
import { makeFiles, useHandoff, useHandoffPreview, type Handoff as State, type Line } from "./state";
import { Totals } from "./Totals";

/** Handoff: choose what to make, outputs, folders and names, or a plan that has them; make the files; see them proven. */
export function Handoff() {
  const showId = useShowId();
  const ledger = useLedger(showId);
  const choices = useHandoffChoices(showId);
  const selection = useSelection();
  const handoff = useHandoff(showId);
  const preview = useHandoffPreview(showId, handoff);
  const { chosen, usable, decided, of, plan } = handoff;
  const ofTimeline = isOfTimeline(of);
  const shown = (chosen.length > 0 || ofTimeline) && !preview.error ? preview.data : undefined;
  const files = shown?.files ?? [];
  const count = shown?.totals.files ?? 0;
  const make = useAct(
    () => makeFiles(showId, handoff),
    (made) => {
      if (of === "clips" && !plan)
        selection.set(made.refused.flatMap((file) => (file.clip_id === null ? [] : [file.clip_id])));
      const still = of === "clips" && !plan ? ", still ticked" : "";
      const refused = made.refused.length ? ` ${made.refused.length} refused${still}.` : "";
      const kept = made.unchanged ? ` ${inFiles(made.unchanged)} exist unchanged.` : "";
      return `${inFiles(made.queued)} queued.${kept}${refused}`;
    },
  );

  useKeysEverywhere("Handoff", [
    { does: "tick the clip in focus, or take the tick off", keys: {}, shown: ["Space"] },
    { does: "pick lines from the last one on, to change some alone", keys: {}, shown: ["Shift", "Click"] },
    { does: "make the files", keys: { "Mod+Enter": () => count > 0 && make.mutate(undefined) } },
  ]);

  if (ledger.isPending || choices.isPending) return <Waiting what="Opening the handoff" />;
  const all = ledger.data;
  if (!all || !usable || !decided) return <Waiting what="Opening the handoff" why={ledger.failureReason} />;
  if (all.total === 0)
    return <Empty title="There are no clips yet.">Import footage in Intake, then set speeds in Plan.</Empty>;

  const tick = (ids: number[]) => {
    handoff.makeOf("clips");
    selection.set(ids);
  };
  return (
    <div className="grid h-full grid-cols-[minmax(0,1.15fr)_minmax(380px,0.85fr)]">
      <section className="flex min-h-0 min-w-0 flex-col border-r border-hair" aria-label="What to make">
        <Heading
          aside={
            <span className="flex items-center">
              <Button weight="quiet" onClick={() => tick(decided)}>
                Decided ({decided.length})
              </Button>
              <Button weight="quiet" onClick={() => tick(usable)}>
                All ({usable.length})
              </Button>
              <Button weight="quiet" onClick={() => tick([])}>
                None
              </Button>
            </span>
          }
        >
          What to make
        </Heading>
        <div className="border-b border-hair px-3 py-2">
          <PlanLine showId={showId} handoff={handoff} />
          <Outputs
            outputs={handoff.outputs}
            setOutputs={handoff.setOutputs}
            choices={choices.data}
            ofEvents={ofTimeline}
          />
          {shown && <Totals showId={showId} totals={shown.totals} />}
          <div className="mt-1.5 flex items-center gap-3">
            {plan ? (
              <label className="flex items-center gap-1.5 text-[12.5px]">
                <input
                  type="checkbox"
                  className="accent-(--patina)"
                  checked={handoff.again}
                  onChange={(event) => handoff.setAgain(event.target.checked)}
                />
                make what is unchanged again too
              </label>
            ) : (
              <span className="text-[12.5px] text-soft">
                Raster, fields and sound are those decided; rate and scan are the timeline’s.
              </span>
            )}
            <Button
              weight="main"
              className="ml-auto"
              disabled={!count || make.isPending}
              onClick={() => make.mutate(undefined)}
            >
              {count ? `Make ${inFiles(count)}` : "Nothing to make"}
            </Button>
          </div>
          <WaysOut files={files} handoff={handoff} />
          {preview.error && (chosen.length > 0 || ofTimeline) && (
            <p className="mt-1 text-madder">▲ {preview.error.message}</p>
          )}
        </div>
        <Lines
          showId={showId}
          all={all}
          files={files}
          handoff={handoff}
          choices={choices.data}
          choose={selection.set}
        />
      </section>
      <Queue showId={showId} />
    </div>
  );
}

/** Names that stand in each other's way, all at once: a button for each word that would tell them apart. */
function WaysOut({ files, handoff }: { files: Line[]; handoff: State }) {
  const stuck = files.filter((file) => file.ways?.length);
  if (!stuck.length) return null;
  const ways = [...new Set(stuck.flatMap((file) => file.ways ?? []))];
  const add = (word: string) => {
    const ids = new Set(stuck.map((file) => file.output));
    handoff.setOutputs(
      handoff.outputs.map((output) =>
        ids.has(output.id) ? { ...output, pattern: withWord(output.pattern, word) } : output,
      ),
    );
  };
  return (
    <p className="mt-1 flex flex-wrap items-center gap-1 text-[12.5px] text-madder">
      ✕ {stuck.length === 1 ? "1 name is" : `${stuck.length} names are`} taken. Add to the names:
      {ways.map((word) => (
        <Button key={word} weight="quiet" className="h-6! px-1! font-mono" onClick={() => add(word)}>
          {word}
        </Button>
      ))}
    </p>
  );
}
