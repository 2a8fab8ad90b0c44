import { useEffect, useRef, useState, type FormEvent } from "react";
import type { Schemas } from "../../data/client";
import { Button, fieldLook, Key, Number } from "../../ui/parts";
import type { Decide } from "./decide";

type Field = "pace" | "speed" | "shot" | "read";

const FIELDS: Record<Field, { label: string; example: string }> = {
  pace: { label: "Pace", example: "1/2, 40%, x0.4" },
  speed: { label: "Speed", example: "2/5, 40%, x3" },
  shot: { label: "Shot rate", example: "150; empty: as the file" },
  read: { label: "Read rate", example: "24; empty: as the file" },
};

/** What can be decided on the selection, in one stroke each. */
export function DecisionBar(props: {
  selected: Schemas["ClipRow"][];
  decide: Decide;
  onAsk: (ask: (intent: "pace" | "speed") => void) => void;
}) {
  const { selected, decide, onAsk } = props;
  const [asking, setAsking] = useState<Field | null>(null);
  const [typed, setTyped] = useState("");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => onAsk(setAsking), [onAsk]);
  useEffect(() => field.current?.focus(), [asking]);
  const n = selected.length;
  const sounding = selected.filter((row) => row.facts?.sound);
  const soundOff = sounding.length > 0 && sounding.every((row) => row.sound === "off");

  const leave = () => {
    setAsking(null);
    setTyped("");
    document.querySelector<HTMLElement>("[role=grid]")?.focus();
  };
  const send = (event: FormEvent) => {
    event.preventDefault();
    const value = typed.trim();
    if (asking === "pace" || asking === "speed") decide({ intent: { intent: asking, value } });
    else if (asking === "shot") decide({ shot_rate: value || null });
    else if (asking === "read") decide({ read_rate: value || null });
    leave();
  };

  return (
    <div
      className="flex min-h-11 shrink-0 flex-wrap items-center gap-1.5 py-1.5 border-t border-hair bg-raised px-2"
      role="toolbar"
      aria-label="Decide"
    >
      <span className="w-24 shrink-0 text-soft">
        {n ? (
          <>
            <Number className="text-ink">{n}</Number> selected
          </>
        ) : (
          "none selected"
        )}
      </span>
      {asking ? (
        <form onSubmit={send} className="flex items-center gap-2">
          <label htmlFor="decision-value">{FIELDS[asking].label}</label>
          <input
            id="decision-value"
            ref={field}
            className={`${fieldLook} w-40! font-mono`}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={(event) => event.key === "Escape" && leave()}
            placeholder={FIELDS[asking].example}
          />
          <Button type="submit" weight="main" disabled={!n}>
            {asking === "read" ? "Re-rate" : asking === "speed" ? "Re-speed" : "Set"} {n} {n === 1 ? "clip" : "clips"}
          </Button>
          <Button onClick={leave}>Leave it</Button>
        </form>
      ) : (
        <>
          <Button disabled={!n} onClick={() => decide({ intent: { intent: "real-time" } })}>
            Real time <Key>1</Key>
          </Button>
          <Button disabled={!n} onClick={() => decide({ intent: { intent: "every-frame" } })}>
            Every frame <Key>2</Key>
          </Button>
          <Button disabled={!n} onClick={() => setAsking("pace")}>
            Pace… <Key>3</Key>
          </Button>
          <Button disabled={!n} onClick={() => setAsking("speed")}>
            Speed… <Key>4</Key>
          </Button>
          <span className="mx-1 h-5 border-l border-hair" />
          <Button disabled={!n} onClick={() => setAsking("shot")}>
            Shot at…
          </Button>
          <Button disabled={!n} onClick={() => setAsking("read")}>
            Read at…
          </Button>
          <Button disabled={!sounding.length} onClick={() => decide({ sound: soundOff ? "keep" : "off" })}>
            {soundOff ? "Keep sound" : "Sound off"}
          </Button>
        </>
      )}
    </div>
  );
}
