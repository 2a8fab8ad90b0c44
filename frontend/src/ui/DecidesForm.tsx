import type { Schemas } from "../data/client";
import { pairs, useVocabulary, type Part } from "../data/vocabulary";
import { fieldLook, Options } from "./parts";

export interface Decides {
  intent: string;
  value: string;
  set: Partial<Record<Part, string>>;
}

export const NOTHING: Decides = { intent: "", value: "", set: {} };

/** What a level decides, as a form starts from it. */
export function decidesOf(decided: Schemas["DecidedView"][]): Decides {
  const wish = decided.find((one) => one.part === "intent");
  const others = decided.filter((one) => one.part !== "intent");
  return {
    intent: wish?.intent ?? "",
    value: wish?.value ?? "",
    set: Object.fromEntries(others.map((one) => [one.part, one.text])),
  };
}

/** The same as the server takes it. */
export function decidesBody(decides: Decides): Pick<Schemas["RecipeIn"], "intent" | "set"> {
  const set = Object.fromEntries(Object.entries(decides.set).filter(([, text]) => text !== ""));
  const intent = decides.intent as Schemas["Intent"];
  return { set, ...(decides.intent ? { intent: { intent, value: decides.value || null } } : {}) };
}

/** A form for what a level decides; whatever is left open is left to the levels above. */
export function DecidesForm({ value, set }: { value: Decides; set: (value: Decides) => void }) {
  const words = useVocabulary();
  const put = (part: string, text: string) => set({ ...value, set: { ...value.set, [part]: text } });
  const shown = words.partsFor(value.set.between).filter((one) => !one.of_one_clip);
  return (
    <div className="grid grid-cols-[5.4rem_minmax(0,1fr)_5.4rem_minmax(0,1fr)] items-center gap-x-3 gap-y-1.5">
      <label className="text-soft" htmlFor="decides-intent">
        wanted
      </label>
      <span className="flex gap-1.5">
        <select
          id="decides-intent"
          className={fieldLook}
          value={value.intent}
          onChange={(event) => {
            const intent = event.target.value;
            set({ ...value, intent, value: words.takesValue(intent) ? value.value : "" });
          }}
        >
          <option value="">not set</option>
          <Options of={words.intents.map((one) => [one.intent, one.name])} />
        </select>
        {words.takesValue(value.intent) && (
          <input
            aria-label="Value"
            className={`${fieldLook} w-24! font-mono`}
            placeholder={words.intent(value.intent)?.first}
            value={value.value}
            onChange={(event) => set({ ...value, value: event.target.value })}
          />
        )}
      </span>
      {shown.map(({ part, name, choices, example }) => (
        <Pair key={part} id={`decides-${part}`} name={name}>
          {choices.length ? (
            <select
              id={`decides-${part}`}
              className={fieldLook}
              value={value.set[part] ?? ""}
              onChange={(event) => put(part, event.target.value)}
            >
              <option value="">not set</option>
              <Options of={pairs(choices)} />
            </select>
          ) : (
            <input
              id={`decides-${part}`}
              className={`${fieldLook} font-mono`}
              placeholder={example}
              value={value.set[part] ?? ""}
              onChange={(event) => put(part, event.target.value)}
            />
          )}
        </Pair>
      ))}
    </div>
  );
}

function Pair(props: { id: string; name: string; children: React.ReactNode }) {
  return (
    <>
      <label className="text-soft" htmlFor={props.id}>
        {props.name}
      </label>
      <span>{props.children}</span>
    </>
  );
}
