import { useEffect, useMemo, useRef, useState } from "react";
import { useKeysEverywhere } from "../../ui/keys";
import { Button, Number, fieldLook } from "../../ui/parts";
import { Run, scrub, type Heard } from "../../ui/sound";
import { heardOf, pictureUrl, useLook, type Asked, type Cut } from "./data";

const AHEAD = 12;

/** The picture of the timeline frame under the playhead, and what it is made of. */
export function Look({
  showId,
  cut,
  frame,
  go,
  act,
}: {
  showId: number;
  cut: Cut;
  frame: number;
  go: (frame: number) => void;
  act: (asked: Asked) => void;
}) {
  const marker = cut.markers.find((one) => one.frame === frame);
  const look = useLook(showId, cut, frame);
  const [plays, setPlays] = useState(false);
  const any = look.data?.seen.some((one) => one.clip_id !== null) ?? false;
  const shown = useLoaded(showId, cut, frame, plays, any);
  const [sounds, setSounds] = useState(true);
  const heard = useMemo(() => (sounds ? heardOf(showId, cut) : []), [sounds, showId, cut]);
  usePlaying(plays, showId, cut, frame, heard, go, () => setPlays(false));
  useStepHeard(heard, frame, plays);
  useKeysEverywhere("Picture", [
    { does: "play, or stop", keys: { " ": () => setPlays(!plays) } },
    { does: "sound on or off", keys: { s: () => setSounds(!sounds) } },
  ]);
  return (
    <div className="shrink-0">
      <div className="grid h-[198px] place-items-center bg-grey">
        {shown ? (
          <span className="relative grid h-full place-items-center">
            <img src={shown.url} alt={`Timeline frame ${shown.frame}`} className="max-h-[198px] max-w-full" />
            {shown.frame !== frame && !plays && (
              <span className="absolute right-1 bottom-1 bg-black/70 px-1.5 text-[12px] text-white">
                still frame {shown.frame} …
              </span>
            )}
          </span>
        ) : (
          <span className="text-[12.5px] text-white">{look.data && !any ? "black" : "…"}</span>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-x-2 border-b border-hair px-3 py-1">
        <Button weight="quiet" aria-pressed={plays} onClick={() => setPlays(!plays)}>
          {plays ? "Stop" : "Play"}
        </Button>
        <Number>{look.data?.timecode ?? ""}</Number>
        <Number className="whitespace-nowrap text-soft">frame {frame}</Number>
        <Button
          weight="quiet"
          className="ml-auto h-6!"
          aria-pressed={sounds}
          disabled={!cut.sounds}
          onClick={() => setSounds(!sounds)}
        >
          {cut.sounds && sounds ? "♪ sound on" : "♪ sound off"}
        </Button>
      </div>
      <ul
        className="border-b border-hair px-3 py-1 text-[12.5px]"
        aria-label="Sources of this frame"
        aria-live={plays ? "off" : "polite"}
      >
        {look.data?.seen.map((one, i) => (
          <li key={i} className="flex items-baseline gap-2 leading-5">
            <span className="min-w-0 flex-1 truncate" title={[...one.through, one.name].join(" ▸ ")}>
              {[...one.through, one.name].join(" ▸ ")}
            </span>
            {one.held && <span className="text-madder">■ held</span>}
            <Number>{one.frames}</Number>
            {one.percent !== "100 %" && <Number className="text-plum">{one.percent}</Number>}
          </li>
        ))}
        {look.data?.seen.length === 0 && <li className="leading-5 text-soft">No event here: black.</li>}
      </ul>
      {marker && (
        <form
          key={`${marker.frame} ${marker.name}`}
          className="flex items-center gap-2 border-b border-hair px-3 py-1 text-[12.5px]"
          onSubmit={(event) => {
            event.preventDefault();
            act({ edit: "mark", at: frame, value: String(new FormData(event.currentTarget).get("name") ?? "") });
          }}
        >
          <span className="text-brass">▼ marker</span>
          <input
            name="name"
            aria-label="Name of the marker"
            className={`${fieldLook} h-6!`}
            defaultValue={marker.name}
            placeholder="no name"
          />
          <Button weight="quiet" className="h-6!" type="button" onClick={() => act({ edit: "unmark", at: frame })}>
            Remove
          </Button>
        </form>
      )}
    </div>
  );
}

interface Shown {
  frame: number;
  url: string;
}

/** The picture of a frame: a draft as soon as it is there, then what would be made; until then the one before. */
function useLoaded(showId: number, cut: Cut, frame: number, plays: boolean, any: boolean): Shown | null {
  const [loaded, setLoaded] = useState<Shown | null>(null);
  const draft = pictureUrl(showId, cut, frame, "draft");
  const final = pictureUrl(showId, cut, frame, "final");
  useEffect(() => {
    if (!any) return;
    const images = (plays ? [draft] : [draft, final]).map((url) => {
      const image = new Image();
      image.onload = () => setLoaded((now) => (url === draft && now?.url === final ? now : { frame, url }));
      image.src = url;
      return image;
    });
    return () => {
      for (const image of images) image.onload = null;
    };
  }, [draft, final, frame, plays, any]);
  return any ? loaded : null;
}

/** Plays at the timeline's rate, with its sound; frames that are not there in time are left out. */
function usePlaying(
  plays: boolean,
  showId: number,
  cut: Cut,
  frame: number,
  heard: Heard[],
  go: (frame: number) => void,
  stop: () => void,
) {
  const now = useRef({ frame, heard, go, stop });
  useEffect(() => {
    now.current = { frame, heard, go, stop };
  });
  useEffect(() => {
    if (!plays) return;
    const from = now.current.frame;
    const begun = performance.now();
    const run = new Run(from, 1, begun / 1000);
    const asked = new Set<number>();
    let handle = 0;
    const step = (at: number) => {
      const due = from + Math.floor((at - begun) / 1000 / cut.frame_seconds);
      if (due >= cut.length.frames - 1) {
        now.current.go(cut.length.frames - 1);
        now.current.stop();
        return;
      }
      run.keepUp(now.current.heard);
      for (let ahead = 1; ahead <= AHEAD; ahead++)
        if (!asked.has(due + ahead) && due + ahead < cut.length.frames) {
          asked.add(due + ahead);
          new Image().src = pictureUrl(showId, cut, due + ahead, "draft");
        }
      if (due !== now.current.frame) now.current.go(due);
      handle = requestAnimationFrame(step);
    };
    handle = requestAnimationFrame(step);
    return () => {
      cancelAnimationFrame(handle);
      run.stop();
    };
  }, [plays, showId, cut]);
}

/** A frame that is stepped onto is heard. */
function useStepHeard(heard: Heard[], frame: number, plays: boolean) {
  const stepped = useRef(frame);
  useEffect(() => {
    if (stepped.current === frame) return;
    stepped.current = frame;
    if (!plays) for (const one of heard) if (frame <= one.last) scrub(one, frame, () => stepped.current === frame);
  }, [heard, frame, plays]);
}
