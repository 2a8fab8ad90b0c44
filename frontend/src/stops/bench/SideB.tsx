import { useState } from "react";
import type { Schemas } from "../../data/client";
import { Button, fieldLook, Options } from "../../ui/parts";
import { pairs, useVocabulary, type Part } from "../../data/vocabulary";
import type { Side, SideAsked } from "./data";

const SHOWN: Part[] = ["between", "shutter", "fields", "effort", "trust", "reach", "held", "framing", "reading"];

/** What side B is: the plan with other choices in it, each to be taken or left. */
export function SideB(props: {
  asked: SideAsked;
  /** What is asked by now, where that has not been drawn yet. */
  latest: () => SideAsked;
  side: Side | undefined;
  set: (asked: SideAsked) => void;
}) {
  const { asked, latest, side, set } = props;
  const words = useVocabulary();
  const [value, setValue] = useState(asked.intent?.value ?? "");
  const [shot, setShot] = useState(asked.shot_rate ?? "");
  const intent = asked.intent?.intent ?? "";
  const between = asked.set?.between ?? side?.parts.between;
  const put = (next: Partial<SideAsked>) => {
    const made = { ...latest(), ...next };
    if (!made.intent) delete made.intent;
    if (!made.shot_rate) delete made.shot_rate;
    if (!made.set || Object.keys(made.set).length === 0) delete made.set;
    set(made);
  };
  const putIntent = (next: string, typed: string) =>
    put({
      intent: next
        ? { intent: next as Schemas["Intent"], ...(words.takesValue(next) && typed ? { value: typed } : {}) }
        : null,
    });
  const putPart = (part: Part, text: string) => {
    const rest = Object.fromEntries(Object.entries(latest().set ?? {}).filter(([key]) => key !== part));
    put({ set: (text ? { ...rest, [part]: text } : rest) as SideAsked["set"] });
  };
  const look = `${fieldLook} h-6! px-1! text-[12px]`;
  return (
    <div className="flex min-w-0 flex-wrap items-center gap-1" role="group" aria-label="Side B">
      <select
        aria-label="Side B: wanted"
        className={`${look} w-[96px]!`}
        value={intent}
        onChange={(event) => {
          const next = event.target.value;
          const typed = value || (words.intent(next)?.first ?? "");
          if (words.takesValue(next)) setValue(typed);
          putIntent(next, typed);
        }}
      >
        <option value="">as planned</option>
        <Options of={words.intents.map((one) => [one.intent, one.name])} />
      </select>
      {intent === "curve" && value.startsWith("{") && <span className="text-[12px] text-soft">as drawn</span>}
      {words.takesValue(intent) && !value.startsWith("{") && (
        <input
          aria-label="Side B: how much"
          className={`${look} w-[64px]!`}
          value={value}
          onChange={(event) => setValue(event.target.value)}
          onBlur={() => putIntent(intent, value)}
          onKeyDown={(event) => event.key === "Enter" && putIntent(intent, value)}
        />
      )}
      {words
        .partsFor(between)
        .filter(({ part }) => SHOWN.includes(part))
        .map((one) =>
          one.choices.length ? (
            <select
              key={one.part}
              aria-label={`Side B: ${one.name}`}
              className={`${look} ${one.part === "effort" ? "w-[70px]!" : "w-[102px]!"} ${asked.set?.[one.part] ? "border-patina" : ""}`}
              value={asked.set?.[one.part] ?? ""}
              onChange={(event) => putPart(one.part, event.target.value)}
            >
              <option value="">{one.name}</option>
              <Options of={pairs(one.choices)} />
            </select>
          ) : (
            <Typed
              key={`${one.part} ${asked.set?.[one.part] ?? ""}`}
              name={one.name}
              example={one.example}
              value={asked.set?.[one.part] ?? ""}
              put={(text) => putPart(one.part, text)}
            />
          ),
        )}
      <input
        aria-label="Side B: shot rate"
        placeholder="shot at …"
        className={`${look} w-[70px]!`}
        value={shot}
        onChange={(event) => setShot(event.target.value)}
        onBlur={() => put({ shot_rate: shot || null })}
        onKeyDown={(event) => event.key === "Enter" && put({ shot_rate: shot || null })}
      />
      {Object.keys(asked).length > 0 && (
        <Button weight="quiet" className="h-6! px-1!" onClick={() => set({})}>
          As planned
        </Button>
      )}
    </div>
  );
}

function Typed(props: { name: string; example: string; value: string; put: (text: string) => void }) {
  const [text, setText] = useState(props.value);
  return (
    <input
      aria-label={`Side B: ${props.name}`}
      title={props.example}
      placeholder={props.name}
      className={`${fieldLook} h-6! w-[54px]! px-1! text-[12px] ${props.value ? "border-patina" : ""}`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => text !== props.value && props.put(text.trim())}
      onKeyDown={(event) => event.key === "Enter" && props.put(text.trim())}
    />
  );
}
