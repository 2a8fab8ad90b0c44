import { Undo2 } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../data/client";
import { fieldLook, Options } from "../../ui/parts";
import { pairs, useVocabulary } from "../../data/vocabulary";
import type { Decide } from "./decide";

type Part = Schemas["PartView"];

/** Every part of the selection's treatment: what is decided, by whom, and the way back to the level above. */
export function Treatment({ parts, decide }: { parts: Part[]; decide: Decide }) {
  const words = useVocabulary();
  const between = parts.find((part) => part.part === "between");
  const ways = words.parts.find((one) => one.part === "between")?.choices.map((one) => one.text) ?? [];
  const shown = words.partsFor(...(between?.mixed ? ways : [between?.text]));
  const intent = parts.find((part) => part.part === "intent");
  return (
    <section className="border-b border-hair px-3 py-1.5" aria-label="Treatment">
      {intent && (
        <Line name="wanted" part={intent} back={() => decide({ intent: null })}>
          <span className={intent.mixed ? "text-soft italic" : "font-medium"}>{intent.words}</span>
        </Line>
      )}
      {shown.map((look) => {
        const part = parts.find((one) => one.part === look.part);
        if (!part) return null;
        return (
          <Line key={look.part} name={look.name} part={part} back={() => decide({ set: { [look.part]: null } })}>
            {look.choices.length ? (
              <select
                aria-label={look.name}
                className={`${fieldLook} h-6! px-1!`}
                value={part.mixed ? "" : part.text}
                onChange={(event) => decide({ set: { [look.part]: event.target.value } })}
              >
                {part.mixed && <option value="">mixed</option>}
                <Options of={pairs(look.choices)} />
              </select>
            ) : (
              <Typed
                key={`${part.words} ${part.mixed}`}
                name={look.name}
                words={part.mixed ? "" : part.words}
                example={part.mixed ? "mixed" : look.example}
                take={(value) => decide({ set: { [look.part]: value || null } })}
              />
            )}
          </Line>
        );
      })}
    </section>
  );
}

function Line(props: { name: string; part: Part; back: () => void; children: React.ReactNode }) {
  const { part } = props;
  return (
    <div
      className={`grid min-h-7 items-center gap-x-2 ${part.origin || part.own ? "grid-cols-[4.6rem_minmax(5.6rem,1fr)_minmax(0,6.2rem)_18px]" : "grid-cols-[4.6rem_minmax(0,1fr)]"}`}
    >
      <span className="text-soft">{props.name}</span>
      <span className="min-w-0 truncate">{props.children}</span>
      {(part.origin || part.own) && (
        <span className="truncate text-[12px] text-soft" title={`decided by: ${part.origin}`}>
          {part.origin}
        </span>
      )}
      {part.own && (
        <button
          type="button"
          aria-label={`Put ${props.name} back`}
          title="Inherit"
          className="text-soft hover:text-patina"
          onClick={props.back}
        >
          <Undo2 size={14} aria-hidden />
        </button>
      )}
    </div>
  );
}

function Typed(props: { name: string; words: string; example: string; take: (value: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <input
      aria-label={props.name}
      className={`${fieldLook} h-6! px-1! ${typed === null ? "" : "font-mono"}`}
      value={typed ?? props.words}
      placeholder={props.example}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => setTyped(null)}
      onKeyDown={(event) => {
        if (event.key === "Enter" && typed !== null) props.take(typed.trim());
        if (event.key === "Enter" || event.key === "Escape") {
          setTyped(null);
          event.currentTarget.blur();
        }
      }}
    />
  );
}
