import { useEffect, useRef, useState } from "react";
import { pictureUrl } from "../data";
import { Run, scrub, type Heard } from "../../../ui/sound";
import { atHand, runAhead } from "./atHand";

const BATCH = 25;
const AHEAD = 75;

export interface Play {
  /** Times the timeline's rate; below 0 backwards, 0 stopped. */
  speed: number;
  dropped: number;
  shown: number;
}

/**
 * Plays both sides at the timeline's rate. A frame whose time passed before both of its pictures were at hand counts as
 * dropped, whether the picture came late or the screen did. Sound runs with it; a frame that is stepped onto is heard.
 */
export function usePlayer(props: {
  tokens: string[];
  frame: number;
  first: number;
  last: number;
  loops: boolean;
  seconds: number;
  size: "draft" | "final";
  /** What is heard with it. */
  heard: Heard[];
  go: (frame: number) => void;
}) {
  const [play, setPlay] = useState<Play>({ speed: 0, dropped: 0, shown: 0 });
  const now = useRef(props);
  useEffect(() => {
    now.current = props;
  });
  const running = useRef<Run | null>(null);
  const speed = play.speed;

  useEffect(() => {
    if (speed === 0) return;
    let handle = 0;
    let begun = performance.now();
    let from = now.current.frame;
    let before = from;
    let dropped = 0;
    let shown = 0;
    let run = new Run(from, speed, begun / 1000);
    running.current = run;
    const step = (at: number) => {
      const { tokens, first, last, loops, seconds, size, heard, go } = now.current;
      let due = from + Math.trunc(((at - begun) / 1000 / seconds) * speed);
      if (due > last || due < first) {
        if (!loops) {
          go(Math.max(first, Math.min(last, due)));
          setPlay({ speed: 0, dropped, shown });
          return;
        }
        from = due = speed > 0 ? first : last;
        begun = at;
        before = due - Math.sign(speed);
        run.stop();
        run = running.current = new Run(from, speed, begun / 1000);
      }
      run.keepUp(heard);
      for (const token of tokens)
        for (let ahead = 0; ahead <= AHEAD; ahead += BATCH) {
          const start = Math.floor((due + ahead * Math.sign(speed)) / BATCH) * BATCH;
          if (start >= 0 && start <= last) void runAhead(token, start, Math.min(BATCH, last - start + 1), size);
        }
      if (due !== before) {
        const passed = Math.abs(due - before) - 1;
        const there = tokens.every((token) => atHand(pictureUrl(token, due, size, "whole")));
        dropped += passed + (there ? 0 : 1);
        if (there) shown += 1;
        before = due;
        go(due);
        setPlay({ speed, dropped, shown });
      }
      handle = requestAnimationFrame(step);
    };
    handle = requestAnimationFrame(step);
    return () => {
      cancelAnimationFrame(handle);
      run.stop();
      running.current = null;
    };
  }, [speed]);

  const stepped = useRef(props.frame);
  useEffect(() => {
    if (stepped.current === props.frame) return;
    stepped.current = props.frame;
    const { heard } = now.current;
    for (const one of heard)
      if (speed === 0 && props.frame <= one.last) scrub(one, props.frame, () => stepped.current === props.frame);
  }, [props.frame, speed]);

  return {
    play,
    /** The timeline frame by now, exact while it plays. */
    at: () => running.current?.at(now.current.seconds) ?? now.current.frame,
    set: (next: number) => setPlay({ speed: next, dropped: 0, shown: 0 }),
  };
}
