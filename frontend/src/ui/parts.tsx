import { ChevronRight } from "lucide-react";
import { useRef, useState, type ComponentProps, type ReactNode } from "react";
import { leaveField } from "./keys";

/** A button; `weight` says whether it is the thing to do here, one of several, or quiet. */
export function Button({
  weight = "plain",
  className = "",
  ...rest
}: ComponentProps<"button"> & { weight?: "main" | "plain" | "quiet" }) {
  const look = {
    main: "border-patina bg-patina text-on-patina font-medium",
    plain: "border-hair bg-raised text-ink hover:border-patina",
    quiet: "border-transparent text-patina hover:bg-patina-wash",
  }[weight];
  return (
    <button
      type="button"
      className={`inline-flex h-7 items-center gap-1.5 border px-2.5 whitespace-nowrap disabled:cursor-not-allowed disabled:border-hair disabled:bg-transparent disabled:text-soft ${look} ${className}`}
      {...rest}
    />
  );
}

/** A button that asks for a JSON file; `label` names what is asked for. */
export function ImportButton({ label, read }: { label: string; read: (chosen: File) => void }) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button weight="quiet" onClick={() => file.current?.click()}>
        Import…
      </Button>
      <input
        ref={file}
        type="file"
        accept="application/json,.json"
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen) read(chosen);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** The triangle that opens and closes what lies below a row; `label` says what that is. */
export function Opener(props: { label: string; open: boolean; disabled: boolean; toggle: () => void }) {
  return (
    <button
      type="button"
      aria-expanded={props.open}
      aria-label={props.label}
      disabled={props.disabled}
      onClick={props.toggle}
      className="disabled:opacity-30"
    >
      <ChevronRight size={15} aria-hidden className={props.open ? "rotate-90" : ""} />
    </button>
  );
}

export const fieldLook =
  "h-7 w-full min-w-0 border border-hair bg-raised px-2 text-ink placeholder:text-soft focus:border-patina";

/** The choices of a select, each its key and its words. */
export function Options({ of }: { of: readonly (readonly [string, string])[] }) {
  return of.map(([key, words]) => (
    <option key={key} value={key}>
      {words}
    </option>
  ));
}

/** A label above its control. */
export function Labelled({ label, hint, children }: { label: string; hint?: string; children: ReactNode }) {
  return (
    <label className="block min-w-0">
      <span className="mb-0.5 block text-[12px] leading-4 text-soft">{label}</span>
      {children}
      {hint && <span className="mt-0.5 block text-[12px] leading-4 text-soft">{hint}</span>}
    </label>
  );
}

/** A number with its decimal point at a fixed place, so that a column lines up. */
export function Decimal({ text, places = 3, title }: { text: string; places?: number; title?: string }) {
  const [whole, rest] = text.split(".");
  return (
    <span className="inline-flex w-full justify-end font-mono text-[12.5px] tabular-nums" title={title}>
      {whole}
      <span style={{ width: `${places + 1}ch` }} className="inline-block text-left">
        {rest === undefined ? "" : `.${rest}`}
      </span>
    </span>
  );
}

/** Text in the face of numbers. */
export function Number({ children, className = "" }: { children: ReactNode; className?: string }) {
  return <span className={`font-mono text-[12.5px] tabular-nums ${className}`}>{children}</span>;
}

/** A key as it is written on the keyboard. */
export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="inline-block min-w-5 border border-hair bg-sunk px-1 text-center font-mono text-[11px] leading-4 text-soft">
      {children}
    </kbd>
  );
}

/** Where there is nothing yet: what would be here, and the way to it. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-2 p-8 text-center">
      <p className="text-[16px] font-medium">{title}</p>
      <div className="max-w-md text-soft">{children}</div>
    </div>
  );
}

/** While something is being asked for; `why` says what it waits for where that takes long. */
export function Waiting({ what, why }: { what: string; why?: Error | null }) {
  return (
    <div role="status" className="flex h-full flex-col items-center justify-center gap-1 p-8 text-soft">
      <span>{what} …</span>
      {why && <span className="text-madder">▲ {why.message}</span>}
    </div>
  );
}

/** A bar that fills, with its count beside it in words. */
export function Progress({ done, of, label }: { done: number; of: number; label: string }) {
  const part = of > 0 ? Math.min(1, done / of) : 0;
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={of}
      aria-valuenow={done}
      className="h-1.5 w-full border border-hair bg-sunk"
    >
      <div className="h-full bg-patina transition-[width]" style={{ width: `${part * 100}%` }} />
    </div>
  );
}

/** A heading inside a view. */
export function Heading({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="flex h-8 shrink-0 items-center justify-between gap-2 border-b border-hair px-3">
      <h2 className="min-w-0 flex-1 text-[13px] font-semibold">{children}</h2>
      {aside}
    </div>
  );
}

/** A value with its name, typed over and taken with Enter or by going on. */
export function TypedField(props: {
  name: string;
  value: string;
  hint?: string;
  /** Where words are typed, not a number. */
  wide?: boolean;
  put: (text: string) => void;
}) {
  const { name, value, hint, wide, put } = props;
  const [text, setText] = useState<string | null>(null);
  const givenUp = useRef(false);
  /** Leaving the field takes what is typed, unless it was given up: asked for once, however it is left. */
  const leave = () => {
    if (!givenUp.current && text !== null && text.trim() && text !== value) put(text.trim());
    givenUp.current = false;
    setText(null);
  };
  return (
    <label className="flex items-center gap-1 text-soft" title={hint}>
      {name}
      <input
        aria-label={name}
        className={`${fieldLook} h-6! px-1! text-[12px] ${wide ? "w-[140px]!" : "w-[62px]! text-right font-mono"}`}
        value={text ?? value}
        onChange={(event) => setText(event.target.value)}
        onBlur={leave}
        onKeyDown={(event) => {
          givenUp.current = event.key === "Escape";
          if (event.key !== "Enter" && event.key !== "Escape") return;
          event.stopPropagation();
          leaveField(event.currentTarget);
        }}
      />
    </label>
  );
}
