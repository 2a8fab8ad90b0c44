import { useState, type FormEvent } from "react";
import type { Schemas } from "../../data/client";
import { pairs, useVocabulary } from "../../data/vocabulary";
import { Button, fieldLook, Labelled, Options } from "../../ui/parts";

export type TimelineIn = Schemas["TimelineIn"];

export const FRESH_TIMELINE: TimelineIn = {
  name: "",
  rate: "25",
  width: 1920,
  height: 1080,
  pixel_aspect: "1/1",
  scan: "progressive",
  drop_frame: false,
  sound_rate: 48000,
};

/** The fields of a timeline. Numbers stay text while they are typed. */
export function TimelineFields({ value, set }: { value: TimelineIn; set: (next: TimelineIn) => void }) {
  const { scans } = useVocabulary();
  const number = (key: "width" | "height" | "sound_rate", label: string) => (
    <Labelled label={label}>
      <input
        className={`${fieldLook} text-right font-mono`}
        inputMode="numeric"
        value={value[key] || ""}
        onChange={(e) => set({ ...value, [key]: parseInt(e.target.value.replace(/\D/g, ""), 10) || 0 })}
      />
    </Labelled>
  );
  return (
    <div className="grid grid-cols-6 gap-x-3 gap-y-2">
      <div className="col-span-4">
        <Labelled label="Timeline name">
          <input
            className={fieldLook}
            value={value.name}
            onChange={(e) => set({ ...value, name: e.target.value })}
            required
          />
        </Labelled>
      </div>
      <div className="col-span-2">
        <Labelled label="Rate" hint="25, 23.976, 59.94i, 24000/1001">
          <input
            className={`${fieldLook} text-right font-mono`}
            value={value.rate}
            onChange={(e) => set({ ...value, rate: e.target.value })}
            required
          />
        </Labelled>
      </div>
      <div className="col-span-2">{number("width", "Width")}</div>
      <div className="col-span-2">{number("height", "Height")}</div>
      <div className="col-span-2">
        <Labelled label="Pixel shape">
          <input
            className={`${fieldLook} text-right font-mono`}
            value={value.pixel_aspect}
            onChange={(e) => set({ ...value, pixel_aspect: e.target.value })}
          />
        </Labelled>
      </div>
      <div className="col-span-2">
        <Labelled label="Scan">
          <select
            className={fieldLook}
            value={value.scan}
            onChange={(e) => set({ ...value, scan: e.target.value as TimelineIn["scan"] })}
          >
            <Options of={pairs(scans)} />
          </select>
        </Labelled>
      </div>
      <div className="col-span-2">{number("sound_rate", "Sound rate")}</div>
      <label className="col-span-2 flex items-end gap-2 pb-1">
        <input
          type="checkbox"
          className="size-4 accent-(--patina)"
          checked={value.drop_frame}
          onChange={(e) => set({ ...value, drop_frame: e.target.checked })}
        />
        <span>
          Drop-frame <span className="text-soft">(29.97, 59.94)</span>
        </span>
      </label>
    </div>
  );
}

/** A timeline to set or add, with the button that says what will happen. */
export function TimelineForm(props: {
  start: TimelineIn;
  action: (value: TimelineIn) => string;
  submit: (value: TimelineIn) => void;
  leave: () => void;
  reach?: (value: TimelineIn) => string | null;
  remove?: () => void;
}) {
  const [value, setValue] = useState(props.start);
  const reach = props.reach?.(value);
  const send = (event: FormEvent) => {
    event.preventDefault();
    props.submit(value);
  };
  return (
    <form onSubmit={send} className="border-l-2 border-patina bg-raised p-3">
      <TimelineFields value={value} set={setValue} />
      {reach && <p className="mt-2 text-brass">{reach}</p>}
      <div className="mt-3 flex gap-2">
        <Button type="submit" weight="main">
          {props.action(value)}
        </Button>
        <Button onClick={props.leave}>Cancel</Button>
        {props.remove && (
          <>
            <span className="flex-1" />
            <Button weight="quiet" onClick={props.remove}>
              Take “{props.start.name}” away
            </Button>
          </>
        )}
      </div>
    </form>
  );
}
