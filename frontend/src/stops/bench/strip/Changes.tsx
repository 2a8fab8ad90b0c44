import { Number } from "../../../ui/parts";
import { useChanges } from "../data";

const HEIGHT = 46;

/** The unique-frame check: how much each frame of a stretch differs from the one before. */
export function Changes(props: {
  token: string;
  side: string;
  first: number;
  count: number;
  frame: number;
  go: (f: number) => void;
}) {
  const { token, side, first, count, frame, go } = props;
  const asked = useChanges(token, first, count);
  const found = asked.data?.changes ?? [];
  const most = Math.max(1, ...found);
  const flat = found.filter((change, i) => change < 0.05 && first + i > 0).length;
  const usual = [...found].sort((a, b) => a - b)[Math.floor(found.length / 2)] ?? 0;
  const spikes = found.filter((change) => usual > 0.2 && change > 4 * usual).length;
  return (
    <section aria-label="Unique-frame check" className="flex gap-3 border-t border-hair px-2 py-1">
      <div className="w-[170px] shrink-0 text-[12px] leading-4">
        <div className="font-semibold">Is every frame of {side} new?</div>
        {asked.isPending ? (
          <div className="text-soft">comparing {count} frames …</div>
        ) : asked.error ? (
          <div className="text-madder">▲ {asked.error.message}</div>
        ) : (
          <>
            <div className={flat ? "text-brass" : ""}>
              <Number>{flat}</Number> flat: {flat === 1 ? "a repeat" : "repeats"}
            </div>
            <div className={spikes ? "text-madder" : ""}>
              <Number>{spikes}</Number> {spikes === 1 ? "spike: a cut or a tear" : "spikes: cuts or tears"}
            </div>
          </>
        )}
      </div>
      <div className="flex min-w-0 flex-1 items-end gap-px" style={{ height: HEIGHT }}>
        {found.map((change, i) => {
          const is = first + i;
          const isFlat = change < 0.05 && is > 0;
          const spike = usual > 0.2 && change > 4 * usual;
          return (
            <button
              key={is}
              type="button"
              tabIndex={-1}
              aria-label={`frame ${is}: ${isFlat ? "flat, a repeat" : spike ? "spike" : `changes by ${change.toFixed(1)}`}`}
              onClick={() => go(is)}
              className={`min-w-0 flex-1 ${is === frame ? "bg-patina" : isFlat ? "border-t-2 border-dashed border-brass" : spike ? "bg-madder" : "bg-soft"}`}
              style={{ height: Math.max(3, (change / most) * HEIGHT) }}
            />
          );
        })}
      </div>
    </section>
  );
}
