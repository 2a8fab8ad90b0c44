import type { Schemas } from "../../data/client";
import { Number } from "../../ui/parts";

type Move = Schemas["MoveView"];

/** What a change moves, a line for each clip: what is decided, length, speed and cadence, from → to. */
export function PreviewTable(props: {
  moves: Move[];
  more: number;
  ticked?: Set<number>;
  tick?: (id: number) => void;
  label: string;
}) {
  const { moves, ticked } = props;
  return (
    <div className="min-h-0 flex-1 overflow-auto border-y border-hair">
      <table className="w-full text-[12.5px]" aria-label={props.label}>
        <thead className="sticky top-0 bg-raised text-left text-soft">
          <tr className="h-7">
            {ticked && <th className="w-7" aria-label="Apply" />}
            <th className="pl-2 font-normal">Clip</th>
            <th className="font-normal">What changes</th>
            <th className="pr-3 text-right font-normal">Frames</th>
            <th className="pr-3 text-right font-normal">by</th>
            <th className="pr-3 text-right font-normal">Speed</th>
            <th className="font-normal">Cadence</th>
          </tr>
        </thead>
        <tbody>
          {moves.map((move) => (
            <tr key={move.id} className="h-7 border-t border-hair">
              {ticked && (
                <td className="pl-2">
                  <input
                    type="checkbox"
                    className="accent-(--patina)"
                    aria-label={`Take ${move.name}`}
                    checked={ticked.has(move.id)}
                    onChange={() => props.tick?.(move.id)}
                  />
                </td>
              )}
              <td className="max-w-52 truncate pl-2 font-medium">{move.name}</td>
              <td className="max-w-72 truncate" title={move.words.join("; ")}>
                {[move.recipe && `recipe ${move.recipe}`, ...move.words].filter(Boolean).join("; ")}
              </td>
              <td className="pr-3 text-right whitespace-nowrap">
                <Number>
                  {move.before?.frames ?? "—"} → {move.after?.frames ?? "—"}
                </Number>
              </td>
              <td className="pr-3 text-right">
                <Number>{signed(move.by)}</Number>
              </td>
              <td className="pr-3 text-right whitespace-nowrap">
                <Number>
                  {move.speed_before === move.speed_after
                    ? move.speed_after
                    : `${move.speed_before} → ${move.speed_after}`}
                </Number>
              </td>
              <td className="whitespace-nowrap">
                {move.kind_before === move.kind_after ? move.kind_after : `${move.kind_before} → ${move.kind_after}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {props.more > 0 && <p className="px-2 py-1.5 text-soft">and {props.more} more clips</p>}
    </div>
  );
}

/** The sums of what moves on one timeline. */
export function UseSums({ use }: { use: Schemas["UseView"] }) {
  return (
    <span className="text-[12.5px]">
      <Number>{use.moved}</Number> {use.moved === 1 ? "clip changes" : "clips change"}:{" "}
      <Number>
        {use.before.timecode} → {use.after.timecode}
      </Number>{" "}
      <span className="text-soft">
        (<Number>{signed(use.after.frames - use.before.frames)}</Number> frames); cadence{" "}
        {use.kinds_before.join(", ") || "none"} → {use.kinds_after.join(", ") || "none"}
      </span>
      {use.events > 0 && (
        <span>
          ; <Number>{use.events}</Number> {use.events === 1 ? "event shows" : "events show"} other frames
        </span>
      )}
    </span>
  );
}

export function signed(value: number): string {
  return value === 0 ? "0" : value > 0 ? `+${value}` : `−${-value}`;
}
