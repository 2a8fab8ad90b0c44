import { X } from "lucide-react";
import type { Schemas } from "../data/client";
import { Button, fieldLook } from "./parts";

/** An output: files of every line with one setting, in one folder, under names of one pattern. */
export type Output = Required<Schemas["OutputIn"]>;

type Of = Schemas["PlanDocument"]["of"];

const PATTERNS: Partial<Record<Of, string>> = {
  events: "{timeline}_{event}_{clip}",
  transitions: "{timeline}_{event}_{clip}",
  timeline: "{timeline}",
};

/** The usual names of files, by what they are made of. */
export const patternOf = (of: Of) => PATTERNS[of] ?? "{clip}_{rate}";

/** Whether files are made of a timeline, not of clips. */
export const isOfTimeline = (of: Of) => PATTERNS[of] !== undefined;

/** The output that somebody begins with. */
export const firstOutput = (of: Of): Output => ({
  id: 1,
  setting: "edit",
  folder: "",
  pattern: patternOf(of),
  changes: [],
});

/** Outputs of another kind of lines: names that nobody typed go with it, and what was another for some lines goes. */
export function madeOf(outputs: Output[], was: Of, now: Of): Output[] {
  if (patternOf(was) === patternOf(now)) return outputs;
  return outputs.map((output) => ({
    ...output,
    changes: [],
    pattern: output.pattern === patternOf(was) ? patternOf(now) : output.pattern,
  }));
}

/** The outputs to make of every line: one row each, with its setting, folder and names. */
export function Outputs(props: {
  outputs: Output[];
  setOutputs: (outputs: Output[]) => void;
  choices?: Schemas["HandoffChoices"];
  /** Whether the lines are events, whose names know more words. */
  ofEvents: boolean;
}) {
  const { outputs, setOutputs, choices } = props;
  const set = (index: number, part: Partial<Output>) =>
    setOutputs(outputs.map((output, i) => (i === index ? { ...output, ...part } : output)));
  const words = choices?.words.filter((w) => props.ofEvents || !w.of_events) ?? [];
  return (
    <>
      <table className="w-full text-[13px]" aria-label="Outputs">
        <thead className="text-left text-[12.5px] text-soft">
          <tr>
            <th className="w-[26%] font-normal">Setting</th>
            <th className="font-normal">Folder below {shortened(choices?.made_folder ?? "")}</th>
            <th className="font-normal">Name pattern</th>
            <th className="w-7" />
          </tr>
        </thead>
        <tbody>
          {outputs.map((output, index) => (
            <tr key={output.id} className="[&_td]:py-0.5 [&_td]:pr-2">
              <td>
                <SettingSelect
                  label={`Setting of output ${index + 1}`}
                  value={output.setting}
                  choices={choices}
                  put={(setting) =>
                    set(index, { setting, folder: output.folder === output.setting ? setting : output.folder })
                  }
                />
              </td>
              <td>
                <input
                  className={fieldLook}
                  aria-label={`Folder of output ${index + 1}`}
                  value={output.folder}
                  placeholder="top folder"
                  onChange={(e) => set(index, { folder: e.target.value })}
                />
              </td>
              <td>
                <input
                  className={`${fieldLook} font-mono`}
                  aria-label={`Name pattern of output ${index + 1}`}
                  value={output.pattern}
                  onChange={(e) => set(index, { pattern: e.target.value })}
                />
              </td>
              <td className="pr-0!">
                <button
                  type="button"
                  className="px-1 text-soft hover:text-madder disabled:opacity-30"
                  aria-label={`Leave out output ${index + 1}`}
                  title="Leave out this output"
                  disabled={outputs.length === 1}
                  onClick={() => setOutputs(outputs.filter((_, i) => i !== index))}
                >
                  <X size={15} aria-hidden />
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-1 flex items-center gap-3 text-[12.5px]">
        <Button
          weight="quiet"
          className="h-6! px-1!"
          onClick={() => setOutputs([...outputs, another(outputs, choices)])}
        >
          Add an output
        </Button>
        <select
          className={`${fieldLook} h-6! w-52! text-[12.5px]`}
          aria-label="Add to the name"
          value=""
          onChange={(e) =>
            set(outputs.length - 1, { pattern: withWord(outputs.at(-1)?.pattern ?? "", e.target.value) })
          }
        >
          <option value="">Add to the last name …</option>
          {words.map((w) => (
            <option key={w.word} value={`{${w.word}}`}>
              {`{${w.word}}: ${w.meaning}`}
            </option>
          ))}
        </select>
      </div>
    </>
  );
}

/** The settings that files can be made with; `none` is a first choice that leaves it as it is. */
export function SettingSelect(props: {
  label: string;
  value: string;
  choices?: Schemas["HandoffChoices"];
  none?: string;
  put: (setting: string) => void;
}) {
  const { choices, value } = props;
  return (
    <select
      className={fieldLook}
      aria-label={props.label}
      title={choices?.settings.find((s) => s.setting === value)?.label}
      value={value}
      onChange={(e) => props.put(e.target.value)}
    >
      {props.none && <option value="">{props.none}</option>}
      {choices?.settings.map((s) => (
        <option key={s.setting} value={s.setting}>
          {s.own ? s.setting : s.label.split(", ")[0]}
        </option>
      ))}
    </select>
  );
}

/** A further output: the next setting that is not among them, in a folder of its own. */
function another(outputs: Output[], choices?: Schemas["HandoffChoices"]): Output {
  const free = choices?.settings.find((s) => !outputs.some((output) => output.setting === s.setting));
  const setting = free?.setting ?? "view";
  const id = Math.max(...outputs.map((output) => output.id)) + 1;
  return { id, setting, folder: setting, pattern: outputs.at(-1)?.pattern ?? "{clip}", changes: [] };
}

/** A name pattern with a word more. */
export function withWord(pattern: string, word: string): string {
  return `${pattern}${pattern && !pattern.endsWith("_") ? "_" : ""}${word}`;
}

function shortened(path: string): string {
  const parts = path.split("/");
  return parts.length > 2 ? `…/${parts.at(-1)}` : path;
}
