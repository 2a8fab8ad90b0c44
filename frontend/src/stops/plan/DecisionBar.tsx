import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useEffect, useRef, useState, type FormEvent } from "react";
import { Button, fieldLook, Key, Number } from "../../ui/parts";
import { useVocabulary, type Part } from "../../data/vocabulary";
import type { Decide } from "./decide";

/** What is asked for in the field; asked again, it is another one, so that the field takes the focus again. */
export interface Asking {
  of: Field;
}

export type Field = "pace" | "speed" | "fit" | "curve" | "read" | "shot" | "tag" | "note";

const FIELDS: Record<Field, { label: string; example?: string; verb: string }> = {
  pace: { label: "Pace", verb: "Set" },
  speed: { label: "Speed", verb: "Re-speed" },
  fit: { label: "Fit to", verb: "Fit" },
  curve: { label: "Speed ramp", verb: "Bend" },
  read: { label: "Read rate", verb: "Re-rate" },
  shot: { label: "Shot rate", example: "150; empty: as the file", verb: "Set" },
  tag: { label: "Tag", example: "Bell, close", verb: "Tag" },
  note: { label: "Note", example: "note for the next person", verb: "Note on" },
};
const RELATIVE = [
  ["× ½", "*1/2"],
  ["× 2", "*2"],
  ["− 10 %", "-10%"],
  ["+ 10 %", "+10%"],
] as const;

/** What can be decided on the selection, in one stroke each. */
export function DecisionBar(props: {
  selected: number;
  timeline: string;
  several: boolean;
  alone: boolean;
  setAlone: (alone: boolean) => void;
  tags: string[];
  copied: { id: number; name: string } | null;
  copy: (() => void) | null;
  takes: boolean;
  decide: Decide;
  asking: Asking | null;
  ask: (field: Field | null) => void;
  back: () => void;
}) {
  const { selected: n, decide, ask } = props;
  const asking = props.asking?.of;
  const words = useVocabulary();
  const [typed, setTyped] = useState("");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), [props.asking]);

  const leave = () => {
    ask(null);
    setTyped("");
    props.back();
  };
  const take = (value: string) => {
    if (asking === "pace" || asking === "speed" || asking === "fit" || asking === "curve")
      decide({ intent: { intent: asking, value } });
    else if (asking === "shot") decide({ shot_rate: value || null });
    else if (asking === "read") decide({ set: { reading: value || null } });
    else if (asking === "note") decide({ note: value });
    else if (asking === "tag" && value) decide({ tag: value });
    leave();
  };
  const send = (event: FormEvent) => {
    event.preventDefault();
    take(typed.trim());
  };
  const clips = `${n} ${n === 1 ? "clip" : "clips"}`;
  const reading = words.parts.find((one) => one.part === "reading")?.example;
  const example = asking === "read" ? reading : words.intent(asking ?? "")?.example;

  return (
    <div
      className="flex min-h-11 shrink-0 flex-wrap items-center gap-1.5 border-t border-hair bg-raised px-2 py-1.5"
      role="toolbar"
      aria-label="Decide"
    >
      <span className="w-20 shrink-0 text-soft">
        {n ? (
          <>
            <Number className="text-ink">{n}</Number> selected
          </>
        ) : (
          "none selected"
        )}
      </span>
      {asking ? (
        <form onSubmit={send} className="flex flex-wrap items-center gap-2">
          <label htmlFor="decision-value">{FIELDS[asking].label}</label>
          <input
            id="decision-value"
            ref={field}
            list={asking === "tag" ? "known-tags" : undefined}
            className={`${fieldLook} ${asking === "note" ? "w-72!" : "w-52! font-mono"}`}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={(event) => event.key === "Escape" && leave()}
            placeholder={FIELDS[asking].example ?? example}
          />
          <datalist id="known-tags">
            {props.tags.map((tag) => (
              <option key={tag} value={tag} />
            ))}
          </datalist>
          <Button type="submit" weight="main" disabled={!n}>
            {FIELDS[asking].verb} {clips}
          </Button>
          {(asking === "pace" || asking === "speed") &&
            RELATIVE.map(([name, value]) => (
              <Button key={value} disabled={!n} title="relative to what each clip has now" onClick={() => take(value)}>
                {name}
              </Button>
            ))}
          {asking === "tag" && (
            <Button
              disabled={!n || !typed.trim()}
              onClick={() => {
                decide({ untag: typed.trim() });
                leave();
              }}
            >
              Take the tag off
            </Button>
          )}
          <Button onClick={leave}>Cancel</Button>
        </form>
      ) : (
        <>
          <Button disabled={!n} onClick={() => decide({ intent: { intent: "real-time" } })}>
            Real time <Key>1</Key>
          </Button>
          <Button disabled={!n} onClick={() => decide({ intent: { intent: "every-frame" } })}>
            Every frame <Key>2</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("pace")}>
            Pace… <Key>3</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("speed")}>
            Speed… <Key>4</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("fit")}>
            Fit… <Key>5</Key>
          </Button>
          <Button disabled={!n} onClick={() => decide({ intent: { intent: "leave" } })}>
            Leave as it is <Key>6</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("read")}>
            Read at… <Key>7</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("curve")}>
            Curve… <Key>8</Key>
          </Button>
          <Button disabled={!n} onClick={() => ask("shot")}>
            Shot at…
          </Button>
          <Button disabled={!n} onClick={() => ask("tag")}>
            Tag…
          </Button>
          <Button disabled={!n} onClick={() => ask("note")}>
            Note…
          </Button>
          <Button disabled={!props.copy} onClick={() => props.copy?.()} title="to put on other clips">
            Copy treatment
          </Button>
          {props.copied && props.takes && <TakeOver copied={props.copied} decide={decide} />}
          {props.several && (
            <label className="ml-auto flex items-center gap-1.5 text-soft">
              <input
                type="checkbox"
                className="accent-(--patina)"
                checked={props.alone}
                onChange={(event) => props.setAlone(event.target.checked)}
              />
              for {props.timeline} alone
            </label>
          )}
        </>
      )}
    </div>
  );
}

/** The treatment of another clip taken over, all of it or only chosen parts. */
function TakeOver({ copied, decide }: { copied: { id: number; name: string }; decide: Decide }) {
  const all = useVocabulary().parts;
  const usual = all.filter((one) => !one.of_one_clip);
  const [parts, setParts] = useState(() => new Set<Part>(usual.map((one) => one.part)));
  const toggle = (part: Part) => {
    const next = new Set(parts);
    if (!next.delete(part)) next.add(part);
    setParts(next);
  };
  const whole = parts.size === usual.length && usual.every((one) => parts.has(one.part));
  return (
    <Popover>
      <PopoverButton className="inline-flex h-7 max-w-44 items-center border border-hair bg-raised px-2.5 hover:border-patina">
        <span className="truncate">As {copied.name}…</span>
      </PopoverButton>
      <PopoverPanel anchor="top start" className="z-40 mb-1 w-56 border border-hair bg-raised p-2 shadow-lg">
        {({ close }) => (
          <>
            <p className="mb-1 truncate text-soft">Take over from {copied.name}</p>
            {all.map(({ part, name }) => (
              <label key={part} className="flex h-6 items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-(--patina)"
                  checked={parts.has(part)}
                  onChange={() => toggle(part)}
                />
                {name}
              </label>
            ))}
            <Button
              weight="main"
              className="mt-1.5"
              disabled={parts.size === 0}
              onClick={() => {
                decide({ copy_from: { clip_id: copied.id, ...(whole ? {} : { parts: [...parts] }) } });
                close();
              }}
            >
              {whole ? "Take all of it over" : `Take ${parts.size} ${parts.size === 1 ? "part" : "parts"} over`}
            </Button>
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}
