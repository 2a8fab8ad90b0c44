import type { Side } from "../data";
import { Wave } from "./Wave";

const HIGH = 40;
const LOW = 18;

/** The sound of a side on the axis of the strip, as it will be made, and which of its streams is heard. */
export function WaveLane(props: {
  side: Side;
  name: "A" | "B";
  /** How many of its sounds are the clip's own; what follows is music. */
  own: number;
  stream: number;
  choose: (stream: number) => void;
  first: number;
  span: number;
  width: number;
  frame: number;
}) {
  const { side, own, stream, first, span, width, frame } = props;
  const names = side.sounds.slice(0, own);
  const height = own ? HIGH : LOW;
  return (
    <div className="relative border-t border-hair" style={{ height }}>
      <Wave
        {...{ side, stream, first, span, width, frame }}
        name={`Sound of ${props.name}`}
        height={height}
        has={own > 0}
      />
      <span className="absolute top-0 left-1 text-[11px] leading-4 text-soft">
        {names.length > 1 ? (
          <select
            aria-label="Sound track"
            className="h-4 border border-hair bg-raised text-[11px]"
            value={stream}
            onChange={(event) => props.choose(+event.target.value)}
          >
            {names.map((name, i) => (
              <option key={name} value={i}>
                {name}
              </option>
            ))}
          </select>
        ) : (
          <span className="bg-ground px-1">{names[0] ?? side.sound_words}</span>
        )}
      </span>
    </div>
  );
}
