import { Button, fieldLook, Number, TypedField } from "../../../ui/parts";
import type { Moment, MusicWork } from "./music";

/** Which music stands beside the clip, where it starts and how it ends; its beats; and where the clip ends on it. */
export function MusicPanel({ work, frame }: { work: MusicWork; frame: number }) {
  const { music, choices } = work;
  const small = "h-6! px-1.5!";
  return (
    <div
      role="group"
      aria-label="Music beside the clip"
      className="flex min-h-8 flex-wrap items-center gap-x-2 gap-y-1 px-2 py-0.5 text-[12px]"
    >
      <select
        aria-label="Music"
        className={`${fieldLook} h-6! w-[150px]! px-1!`}
        value={choices.find((one) => one.name === music?.name)?.path ?? ""}
        onChange={(event) => {
          const one = choices.find((choice) => choice.path === event.target.value);
          void work.edit(one ? { do: "choose", root: one.root, path: one.path } : { do: "off" });
        }}
      >
        <option value="">no music</option>
        {choices.map((one) => (
          <option key={`${one.root}:${one.path}`} value={one.path}>
            {one.only_sound ? one.name : `sound of ${one.name}`}
          </option>
        ))}
      </select>
      {work.has && !music && <span className="text-soft">listening for its beats …</span>}
      {music && (
        <>
          <TypedField
            name="from frame"
            value={String(music.start)}
            put={(text) => void work.edit({ do: "start", frame: Math.trunc(+text.replace("−", "-")) || 0 })}
          />
          <Button className={small} onClick={() => void work.edit({ do: "first-beat", frame })}>
            First beat here
          </Button>
          <TypedField
            name="fade"
            value={`${music.fade}f`}
            put={(text) => void work.edit({ do: "fade", text: text === "0f" ? "0" : text })}
          />
          <span className="text-soft">
            <Number>{music.tempo || "no"}</Number> beats per minute{music.changed && ", edited"}
          </span>
          <Button className={small} weight="quiet" onClick={() => work.beats({ do: "halve" })}>
            Half as many
          </Button>
          <Button className={small} weight="quiet" onClick={() => work.beats({ do: "double" })}>
            Twice as many
          </Button>
          {music.changed && (
            <Button className={small} weight="quiet" onClick={() => work.beats({ do: "find" })}>
              As found
            </Button>
          )}
          <Button className={small} onClick={() => void work.edit({ do: "end-here", frame })}>
            End here
          </Button>
          <Button className={small} onClick={() => void work.edit({ do: "end-with-music" })}>
            End with the music
          </Button>
        </>
      )}
      {work.taps > 0 && (
        <span role="status" className="text-patina">
          <Number>{work.taps}</Number> tapped; they are added when playback stops
        </span>
      )}
      {work.chosen?.kind === "marker" && <OfMarker work={work} marker={work.chosen} key={work.chosen.frame} />}
      {work.chosen && (
        <span className="text-patina">
          {work.chosen.name || work.chosen.kind} of source frame <Number>{work.chosen.frame}</Number>: click a beat, or
          5 for this frame
        </span>
      )}
    </div>
  );
}

/** The marker that is chosen: its name, and taking it away. */
function OfMarker({ work, marker }: { work: MusicWork; marker: Moment }) {
  const { frame } = marker;
  return (
    <>
      <TypedField wide name="marker" value={marker.name ?? ""} put={(name) => work.mark({ frame, name })} />
      <Button className="h-6! px-1.5!" weight="quiet" onClick={() => work.mark({ frame, away: true })}>
        Remove
      </Button>
    </>
  );
}
