import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Heading, ImportButton, Labelled, Options } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { documentOf, fitted, typedOf, type Document, type Field, type Typed } from "./setting";

type Own = Schemas["OwnSettingView"];
type Choices = Schemas["SettingChoices"];

interface Open {
  id: number | null;
  revision: number;
  document: Document;
}

export function useSettings(showId: number) {
  return useQuery({
    queryKey: ["settings", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/settings", { params: { path: { show_id: showId } } })),
  });
}

/** What files can be made as: the settings that every show has, and its own; each is a JSON file to take along. */
export function Settings({ showId }: { showId: number }) {
  const settings = useSettings(showId).data ?? [];
  const choices = useQuery({ queryKey: ["setting-choices"], queryFn: () => answer(api.GET("/api/settings/choices")) });
  const [open, setOpen] = useState<Open | null>(null);
  const path = { show_id: showId };
  const read = useAct(
    async (chosen: File) => {
      const document = JSON.parse(await chosen.text()) as Record<string, never>;
      return answer(api.POST("/api/shows/{show_id}/settings", { params: { path }, body: { document } }));
    },
    (made) => made.title,
  );
  const remove = useAct(
    (id: number) =>
      answer(
        api.DELETE("/api/shows/{show_id}/settings/{setting_id}", { params: { path: { ...path, setting_id: id } } }),
      ),
    (made) => made.title,
  );
  const start = (own: Own, id: number | null): Open => ({
    id,
    revision: own.revision,
    document: own.document as unknown as Document,
  });
  const copied = (own: Own): Open => {
    const document = own.document as unknown as Document;
    return { id: null, revision: 0, document: { ...document, name: `${own.name} 2`, label: "" } };
  };
  return (
    <>
      <Heading
        aside={
          <span className="flex items-center gap-2">
            <ImportButton label="Setting file" read={(chosen) => read.mutate(chosen)} />
            <Button weight="quiet" onClick={() => settings[2] && setOpen(copied(settings[2]))}>
              <Plus size={14} aria-hidden /> Add a setting
            </Button>
          </span>
        }
      >
        Settings for made files
      </Heading>
      <table className="w-full table-fixed" aria-label="Settings">
        <tbody>
          {settings.map((own) => (
            <tr key={own.name} className="h-8 border-b border-hair">
              <td className="w-44 truncate pl-3 font-medium">{own.name}</td>
              <td className={`truncate ${own.problem ? "text-madder" : ""}`} title={own.problem ?? own.words}>
                {own.problem ? `✕ ${own.problem}` : own.words}
              </td>
              <td className="w-72 pr-2 text-right whitespace-nowrap">
                <a
                  className="px-1 text-patina hover:underline"
                  download={`${own.name}.json`}
                  href={`data:application/json,${encodeURIComponent(JSON.stringify(own.document, null, 1))}`}
                >
                  Export
                </a>
                <Button weight="quiet" aria-label={`Copy ${own.name}`} onClick={() => setOpen(copied(own))}>
                  Copy…
                </Button>
                {own.id !== null && (
                  <>
                    <Button
                      weight="quiet"
                      aria-label={`Change ${own.name}`}
                      onClick={() => setOpen(start(own, own.id))}
                    >
                      Change…
                    </Button>
                    <Button
                      weight="quiet"
                      aria-label={`Remove ${own.name}`}
                      onClick={() => own.id !== null && remove.mutate(own.id)}
                    >
                      Remove
                    </Button>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {open && choices.data && (
        <SettingSheet showId={showId} open={open} choices={choices.data} close={() => setOpen(null)} />
      )}
    </>
  );
}

/** One setting, field by field; what it comes to, or why it cannot be, is said while it is typed. */
function SettingSheet(props: { showId: number; open: Open; choices: Choices; close: () => void }) {
  const { open, choices, close } = props;
  const [typed, setTyped] = useState(() => typedOf(open.document));
  const set = (part: Partial<Typed>) => setTyped(fitted({ ...typed, ...part }, choices));
  const document = documentOf(typed) as unknown as Record<string, never>;
  const checked = useQuery({
    queryKey: ["setting-check", document],
    placeholderData: keepPreviousData,
    queryFn: () => answer(api.POST("/api/settings/check", { body: { document } })),
  }).data;
  const path = { show_id: props.showId };
  const keep = useAct(
    () =>
      open.id === null
        ? answer(api.POST("/api/shows/{show_id}/settings", { params: { path }, body: { document } }))
        : answer(
            api.PUT("/api/shows/{show_id}/settings/{setting_id}", {
              params: { path: { ...path, setting_id: open.id } },
              body: { document, revision: open.revision },
            }),
          ),
    (made) => {
      close();
      return made.title;
    },
  );
  const codec = choices.codecs.find((one) => one.name === typed.codec);
  const numbered = choices.containers.find((one) => one.name === typed.container)?.numbered ?? false;
  const field = (key: Field, label: string, hint = "") => (
    <Labelled label={label}>
      <input
        className={fieldLook}
        value={typed[key]}
        placeholder={hint}
        onChange={(event) => set({ [key]: event.target.value })}
      />
    </Labelled>
  );
  const choose = (key: Field, label: string, of: readonly (readonly [string, string])[]) => (
    <Labelled label={label}>
      <select className={fieldLook} value={typed[key]} onChange={(event) => set({ [key]: event.target.value })}>
        <Options of={of} />
      </select>
    </Labelled>
  );
  const tick = (key: "alpha" | "openGroups" | "timecode", label: string) => (
    <label className="flex items-center gap-1.5 self-end pb-1.5">
      <input
        type="checkbox"
        className="accent-(--patina)"
        checked={typed[key]}
        onChange={(event) => set({ [key]: event.target.checked })}
      />
      {label}
    </label>
  );
  return (
    <Sheet
      open
      wide
      close={close}
      title={open.id === null ? "New setting for made files" : `Setting “${open.document.name}”`}
      foot={
        <>
          <span className={`mr-auto ${checked?.problem ? "text-madder" : "text-soft"}`} role="status">
            {checked?.problem ? `✕ ${checked.problem}` : checked?.words}
          </span>
          <Button onClick={close}>Cancel</Button>
          <Button
            weight="main"
            disabled={!checked || checked.problem !== null || keep.isPending}
            onClick={() => keep.mutate(undefined)}
          >
            {open.id === null ? "Add the setting" : "Change the setting"}
          </Button>
        </>
      }
    >
      <div className="grid min-h-0 grid-cols-4 gap-x-4 gap-y-2 overflow-y-auto px-4">
        {field("name", "Name")}
        <div className="col-span-3">{field("label", "What it is for", "such as: for the sound house")}</div>
        <h3 className="col-span-4 mt-1 font-semibold">Picture</h3>
        {choose(
          "codec",
          "Codec",
          choices.codecs.map((one) => [one.name, one.label]),
        )}
        {choose(
          "container",
          "Container",
          choices.containers
            .filter((one) => codec?.containers.includes(one.name) ?? true)
            .map((one) => [one.name, one.label]),
        )}
        {codec &&
          codec.profiles.length > 0 &&
          choose("profile", "Profile", [
            ["", "by the source"],
            ...codec.profiles.map((one) => [one.name, one.label] as const),
          ])}
        {choose("bits", "Bits a sample", [
          ["", "as the source"],
          ...(codec?.bits ?? []).map((one) => [`${one}`, `${one}`] as const),
        ])}
        {choose("chroma", "Chroma", [
          ["", "as the source"],
          ...(codec?.chroma ?? []).map((one) => [one, one] as const),
        ])}
        {codec?.best != null &&
          field("quality", `Quality, ${codec.best} best to ${codec.least}`, typed.bitRate ? "" : `${codec.usual}`)}
        {codec?.takes_bit_rate && field("bitRate", "Bit rate, kbit/s", "by quality")}
        {codec?.groups && field("keyFrames", "Key frame every … frames", "as the codec does")}
        {codec?.groups && tick("openGroups", "open groups")}
        {field("raster", "Raster", "timeline, 1/2 or 960x540")}
        {choose("framing", "Framing", [
          ["inside", "whole, inside it"],
          ["fill", "filling it"],
          ["stretch", "stretched"],
        ])}
        {choose("fields", "Fields", [
          ["timeline", "as the timeline"],
          ["progressive", "whole pictures"],
          ...((codec?.fields
            ? [
                ["upper", "upper field first"],
                ["lower", "lower field first"],
              ]
            : []) as [string, string][]),
        ])}
        {choose("colour", "Colour tags", [
          ["keep", "as the source says"],
          ["bt709", "BT.709 where it says nothing"],
          ["bt601-525", "BT.601, 525 lines, likewise"],
          ["bt601-625", "BT.601, 625 lines, likewise"],
          ["bt2020", "BT.2020 likewise"],
        ])}
        {tick("alpha", "alpha, where there is any")}
        {tick("timecode", "start timecode")}
        {numbered && field("pattern", "Picture names", "{name}.{number}")}
        {numbered && field("padding", "Digits", "6")}
        {numbered && field("start", "First number, or timecode", "1")}
        <h3 className="col-span-4 mt-1 font-semibold">Sound</h3>
        {choose("place", "Sound", [
          ...((numbered ? [] : [["file", "in the file"]]) as [string, string][]),
          ["beside", "beside it, as WAV"],
          ["none", "none"],
        ])}
        {typed.place !== "none" &&
          choose(
            "sound",
            "Codec",
            choices.sounds
              .filter((one) => (typed.place === "beside" ? one.beside : one.containers.includes(typed.container)))
              .map((one) => [one.name, one.label]),
          )}
        {typed.place !== "none" && field("soundRate", "Samples a second", "as the timeline")}
        {typed.place !== "none" && field("soundBitRate", "kbit/s a channel", "as the codec does")}
        {typed.place !== "none" && field("streams", "Streams", "all, or 1,2")}
        {typed.place !== "none" &&
          choose("channels", "Channels", [
            ["keep", "as they are"],
            ["stereo", "mixed to stereo"],
            ["mono", "mixed to mono"],
          ])}
      </div>
    </Sheet>
  );
}
