import { Button, fieldLook, Number, TypedField } from "../../../ui/parts";
import type { CurveWork, Edit } from "./curve";
import type { Stretch } from "./drawStrip";

/** What the chosen point and the marked stretch are, typed; and what a drag would do. */
export function CurvePanel(props: {
  work: CurveWork;
  stretch: Stretch | null;
  frame: number;
  /** The beats of the music beside the clip: a stretch can be made to end on one. */
  beats: number[];
}) {
  const { work, stretch, frame, beats } = props;
  const { view, chosen, foreseen } = work;
  const point = chosen === null ? undefined : view.points[chosen];
  const make = (edit: Edit) => void work.make(edit);
  return (
    <div
      role="group"
      aria-label="Speed along the shot"
      className="flex min-h-8 flex-wrap items-center gap-x-2 gap-y-1 px-2 py-0.5 text-[12px]"
    >
      {point && chosen !== null ? (
        <>
          <span className="font-semibold text-patina">▪ point {chosen + 1}</span>
          <TypedField
            name="source frame"
            value={String(point.frame)}
            put={(text) => make({ do: "move", number: chosen, frame: +text })}
          />
          <TypedField
            name="reached at"
            value={point.arrives_words}
            put={(text) => make({ do: "arrives", number: chosen, text })}
          />
          <TypedField
            name="left at"
            value={point.leaves_words}
            put={(text) => make({ do: "leaves", number: chosen, text })}
          />
          <TypedField
            name="holds"
            value={String(point.holds)}
            put={(text) => make({ do: "holds", number: chosen, text })}
          />
          <TypedField
            name="turn begins"
            hint="0 soft, 1 linear, 3 abrupt"
            value={point.ease_begins}
            put={(text) => make({ do: "ease", number: chosen, end: "begin", text })}
          />
          <TypedField
            name="ends"
            hint="0 soft, 1 linear, 3 abrupt"
            value={point.ease_finishes}
            put={(text) => make({ do: "ease", number: chosen, end: "finish", text })}
          />
          <Button
            className="h-6! px-1.5!"
            onClick={() =>
              make(point.at === null ? { do: "pin", number: chosen, frame } : { do: "unpin", number: chosen })
            }
          >
            {point.at === null ? `Pin to frame ${frame}` : `Unpin from frame ${point.at}`}
          </Button>
          <Button weight="quiet" className="h-6! px-1!" onClick={() => make({ do: "remove", number: chosen })}>
            Delete point
          </Button>
        </>
      ) : stretch ? (
        <>
          <span className="font-semibold text-patina">
            ▭ stretch <Number>{stretch.first}</Number> to <Number>{stretch.last}</Number>
          </span>
          <TypedField
            name="at speed"
            value=""
            put={(text) => make({ do: "stretch", frame: stretch.first, last: stretch.last, text })}
          />
          {view.even.map((one) => (
            <Button
              key={one.text}
              weight="quiet"
              className="h-6! px-1!"
              onClick={() => make({ do: "stretch", frame: stretch.first, last: stretch.last, text: one.text })}
            >
              {one.words}
            </Button>
          ))}
          <TypedField
            name="into frames"
            value=""
            put={(text) => make({ do: "fit", frame: stretch.first, last: stretch.last, text })}
          />
          {beats
            .filter((one) => one > stretch.first)
            .sort((a, b) => Math.abs(a - stretch.last - 1) - Math.abs(b - stretch.last - 1))
            .slice(0, 2)
            .sort((a, b) => a - b)
            .map((one) => (
              <Button
                key={one}
                className="h-6! px-1.5!"
                onClick={() => make({ do: "fit", frame: stretch.first, last: stretch.last, text: `to ${one}` })}
              >
                End on a beat {one}
              </Button>
            ))}
        </>
      ) : (
        <span className="text-soft">
          Shift-drag on the strip to mark a range, or press N to add a point; then set a speed. Points and the line can
          be dragged.
        </span>
      )}
      <span className="flex-1" />
      {view.scaled.length > 0 && <span className="text-soft">▾ pinned: {view.scaled.join("; ")}</span>}
      {foreseen && (
        <span role="status" className="text-patina">
          <Number>{foreseen.before.frames}</Number> → <Number>{foreseen.after.frames}</Number> frames
          {foreseen.moved.length > 0 && `; ${foreseen.moved.join(", ")}`}
        </span>
      )}
      {view.has && (
        <>
          <select
            aria-label="Speeds are of"
            className={`${fieldLook} h-6! w-[120px]! px-1!`}
            value={view.of}
            onChange={(event) => make({ do: "of", text: event.target.value })}
          >
            <option value="speed">of the clip’s speed</option>
            <option value="pace">of real time</option>
          </select>
          <Button weight="quiet" className="h-6! px-1!" onClick={work.oneSpeed}>
            Back to one speed
          </Button>
        </>
      )}
    </div>
  );
}
