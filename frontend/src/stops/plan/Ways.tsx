import type { ReactNode } from "react";
import type { Schemas } from "../../data/client";
import { MeterStrip } from "../../meter/MeterStrip";
import { Button, Number } from "../../ui/parts";
import type { Decide } from "./decide";

/** A part of what is told about a selection, under its title. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-b border-hair px-3 py-2" aria-label={title}>
      <h3 className="mb-1 text-[12px] text-soft">{title}</h3>
      {children}
    </section>
  );
}

/** What there is to choose about one clip: of each choice both ways, side by side, with what each costs. */
export function Ways({ data, decide }: { data: Schemas["Reckoning"]; decide: Decide }) {
  return data.choices.map((choice) => (
    <Part key={choice.title} title={choice.title}>
      <ul>
        {choice.ways.map((way) => (
          <Way key={way.route} way={way} decide={decide} />
        ))}
      </ul>
    </Part>
  ));
}

function Way({ way, decide }: { way: Schemas["WayView"]; decide: Decide }) {
  return (
    <li className="mb-1.5 last:mb-0">
      <div className="flex items-baseline gap-2">
        <span className={`font-medium whitespace-nowrap ${way.advised ? "text-patina" : ""}`}>
          {way.advised ? "✓ " : ""}
          {way.route}
        </span>
        <Number>{way.product}</Number>
        <Button
          weight="quiet"
          className="ml-auto h-5! px-1!"
          disabled={way.now || !way.take}
          onClick={() => way.take && decide(way.take)}
          aria-label={`Take ${way.route}`}
        >
          {way.now ? "as it is now" : "take it"}
        </Button>
      </div>
      <p className="text-[12.5px] text-soft">
        {way.after && (
          <>
            <Number>{way.after.frames}</Number> frames, <Number>{way.after.timecode}</Number>:{" "}
          </>
        )}
        {way.advised ? "Advised: " : ""}
        {way.sentence}
      </p>
      {way.strip && <MeterStrip strip={way.strip} size="long" label={`${way.route}: ${way.sentence}`} />}
    </li>
  );
}
