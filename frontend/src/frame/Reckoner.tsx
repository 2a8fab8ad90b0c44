import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { answer, api, type Schemas } from "../data/client";
import { MeterStrip } from "../meter/MeterStrip";
import { fieldLook, Labelled, Number } from "../ui/parts";

/** The quick reckoner: two or three rates in, everything out, for a question without a clip. It stays open over any view. */
export function Reckoner({ typed, timeline, close }: { typed: string; timeline: string; close: () => void }) {
  const [given, setGiven] = useState(() => ({ ...ratesIn(typed, timeline), length: "10s", speed: "" }));
  const asked = useDeferredValue(given);
  const put = (key: keyof typeof given) => (event: React.ChangeEvent<HTMLInputElement>) =>
    setGiven({ ...given, [key]: event.target.value });
  const got = useReckoned(asked);
  const field = (key: keyof typeof given, label: string, example: string, first = false) => (
    <Labelled label={label}>
      <input
        className={`${fieldLook} font-mono`}
        autoFocus={first}
        value={given[key]}
        placeholder={example}
        onChange={put(key)}
      />
    </Labelled>
  );
  return (
    <section
      aria-label="Quick reckoner"
      onKeyDown={(event) => event.key === "Escape" && close()}
      className="fixed top-12 right-3 z-30 w-[30rem] border border-hair bg-raised shadow-xl"
    >
      <div className="flex h-8 items-center border-b border-hair px-3">
        <h2 className="font-semibold">Rate calculator</h2>
        <button
          type="button"
          className="ml-auto text-soft hover:text-patina"
          aria-label="Close the reckoner"
          onClick={close}
        >
          <X size={15} aria-hidden />
        </button>
      </div>
      <div className="grid grid-cols-5 gap-2 border-b border-hair p-3">
        {field("file", "File", "60i", true)}
        {field("timeline", "Timeline", "25")}
        {field("shot", "Shot, if other", "150")}
        {field("length", "Length of file", "12s08f")}
        {field("speed", "A speed", "40%")}
      </div>
      {got.error && asked.file ? (
        <p className="p-3 text-madder">▲ {got.error.message}</p>
      ) : !got.data ? (
        <p className="p-3 text-soft">Type the file's rate as you would say it: 23.98, 60i, 50, 24000/1001.</p>
      ) : (
        <Answer data={got.data} />
      )}
    </section>
  );
}

interface Given {
  shot: string;
  file: string;
  timeline: string;
  length: string;
  speed: string;
}

function useReckoned(asked: Given) {
  return useQuery({
    queryKey: ["reckoner", asked],
    enabled: asked.timeline.trim() !== "" && asked.file.trim() !== "",
    retry: false,
    staleTime: Infinity,
    placeholderData: (before: Schemas["ReckonerAnswer"] | undefined) => before,
    queryFn: () => answer(api.GET("/api/reckoner", { params: { query: asked } })),
  });
}

/** What follows from rates typed in one line, as soon as they are. */
export function Reckoned({ typed, timeline }: { typed: string; timeline: string }) {
  const got = useReckoned({ ...ratesIn(useDeferredValue(typed), timeline), length: "10s", speed: "" });
  if (got.error) return <p className="border-b border-hair px-3 py-2 text-madder">▲ {got.error.message}</p>;
  return got.data ? <Answer data={got.data} /> : null;
}

/** The rates in words such as `60i`, `60i on 25`, or `150 in 25 on 23.976`: shot, file and timeline, the last being the
 * timeline where there are several. */
function ratesIn(typed: string, timeline: string) {
  const rates = typed.split(/ *(?:in|on|to|,| ) */i).filter(Boolean);
  if (rates.length > 2) return { shot: rates[0] ?? "", file: rates[1] ?? "", timeline: rates[2] ?? "" };
  return { shot: "", file: rates[0] ?? "", timeline: rates[1] ?? timeline };
}

function Answer({ data }: { data: Schemas["ReckonerAnswer"] }) {
  return (
    <div aria-live="polite">
      <p className="border-b border-hair px-3 py-1.5 text-[12.5px]">
        <Number>{data.file.exact}</Number> on <Number>{data.timeline.exact}</Number>
        {data.shot.exact !== data.file.exact && (
          <>
            , shot at <Number>{data.shot.exact}</Number>
          </>
        )}
        . <Number>{data.frames}</Number> frames, <Number>{data.seconds}</Number> s. Slowest without repeats:{" "}
        <Number>{data.slow_floor}</Number>, <Number>{data.floor_pace}</Number> of real time. Shutter at most{" "}
        <Number>{data.shutter}</Number>.
      </p>
      <ul aria-label="Ways to play it">
        {data.ways.map((way) => (
          <li key={way.label} className="border-b border-hair px-3 py-1.5 last:border-b-0">
            <div className="grid grid-cols-[6.4rem_1fr_96px] items-center gap-x-2">
              <span className="font-medium">{way.label}</span>
              <span>
                <Number>{way.re_speed}</Number> <span className="text-soft">or {way.re_rate}</span>
              </span>
              <MeterStrip strip={way.plan.strip} label={`${way.plan.kind}: ${way.plan.pattern}`} />
            </div>
            <p className="text-[12.5px] text-soft">
              stride <Number>{way.plan.stride.number}</Number>, {way.plan.kind} (<Number>{way.plan.pattern}</Number>),
              pace <Number>{way.plan.pace.percent}</Number>, <Number>{way.plan.after.timecode}</Number> ={" "}
              <Number>{way.plan.after.frames}</Number> frames
              {way.plan.hiccup_every && <span className="text-brass">, ≈ a hiccup every {way.plan.hiccup_every}</span>}
            </p>
            <p className="text-[12.5px] text-soft">
              sound <Number>× {way.sound_factor}</Number>, {way.cents}
              {way.drift && `; left alone ${way.drift}`}
            </p>
          </li>
        ))}
      </ul>
    </div>
  );
}
