/** A setting as it is typed, and as the document that is kept. */
import type { Schemas } from "../../data/client";

type Choices = Schemas["SettingChoices"];

export type Field =
  | "name"
  | "label"
  | "container"
  | "codec"
  | "profile"
  | "bits"
  | "chroma"
  | "quality"
  | "bitRate"
  | "keyFrames"
  | "raster"
  | "framing"
  | "colour"
  | "fields"
  | "place"
  | "sound"
  | "soundRate"
  | "soundBitRate"
  | "streams"
  | "channels"
  | "pattern"
  | "padding"
  | "start";

/** A setting as it is typed: every field as text, empty where it follows the clip and the timeline. */
export type Typed = Record<Field, string> & { alpha: boolean; openGroups: boolean; timecode: boolean };

export interface Document {
  name: string;
  label: string;
  container: string;
  timecode: boolean;
  picture: Record<string, string | number | boolean | null>;
  sound: Record<string, string | number | number[] | null>;
  numbers: Record<string, string | number | boolean>;
}

/** What another choice rules out is put right: a codec that goes elsewhere, a profile it has not, sound it cannot hold. */
export function fitted(typed: Typed, choices: Choices): Typed {
  const out = { ...typed };
  const codec = choices.codecs.find((one) => one.name === out.codec);
  if (!codec) return out;
  if (!codec.containers.includes(out.container)) out.container = codec.containers[0] ?? "";
  if (!codec.profiles.some((one) => one.name === out.profile)) out.profile = "";
  if (!codec.bits.some((bits) => `${bits}` === out.bits)) out.bits = "";
  if (!codec.chroma.includes(out.chroma)) out.chroma = "";
  if (codec.best === null) out.quality = "";
  if (!codec.takes_bit_rate) out.bitRate = "";
  if (!codec.groups) Object.assign(out, { keyFrames: "", openGroups: false });
  if (!codec.fields && ["upper", "lower"].includes(out.fields)) out.fields = "timeline";
  const numbered = choices.containers.find((one) => one.name === out.container)?.numbered;
  if (numbered && out.place === "file") out.place = "beside";
  const fits = choices.sounds.filter((one) =>
    out.place === "beside" ? one.beside : one.containers.includes(out.container),
  );
  if (out.place !== "none" && !fits.some((one) => one.name === out.sound)) out.sound = fits[0]?.name ?? "";
  if (!choices.sounds.find((one) => one.name === out.sound)?.takes_bit_rate) out.soundBitRate = "";
  return out;
}

export function typedOf(document: Document): Typed {
  const { picture, sound, numbers } = document;
  const text = (value: unknown) => (value === null || value === undefined ? "" : String(value as string | number));
  return {
    name: document.name,
    label: document.label,
    container: document.container,
    codec: text(picture.codec),
    profile: text(picture.profile),
    bits: text(picture.bits),
    chroma: text(picture.chroma),
    quality: text(picture.quality),
    bitRate: text(picture.bit_rate),
    keyFrames: text(picture.key_frames),
    raster: picture.raster === "timeline" ? "" : text(picture.raster),
    framing: text(picture.framing),
    colour: text(picture.colour),
    fields: text(picture.fields),
    place: text(sound.place),
    sound: text(sound.codec),
    soundRate: text(sound.rate),
    soundBitRate: text(sound.bit_rate),
    streams: Array.isArray(sound.streams) ? sound.streams.join(",") : "",
    channels: text(sound.channels),
    pattern: text(numbers.pattern),
    padding: text(numbers.padding),
    start: numbers.timecode ? "timecode" : text(numbers.start),
    alpha: picture.alpha !== false,
    openGroups: picture.open_groups === true,
    timecode: document.timecode,
  };
}

/** What was typed as a document; a number that is none goes on as it was typed, so that the answer can say so. */
export function documentOf(typed: Typed): Document {
  const number = (text: string) => (text.trim() === "" ? null : Number.isFinite(+text) ? +text : text);
  const streams = typed.streams.trim();
  return {
    name: typed.name,
    label: typed.label,
    container: typed.container,
    timecode: typed.timecode,
    picture: {
      codec: typed.codec,
      profile: typed.profile,
      bits: number(typed.bits),
      chroma: typed.chroma,
      alpha: typed.alpha,
      quality: number(typed.quality),
      bit_rate: number(typed.bitRate),
      key_frames: number(typed.keyFrames),
      open_groups: typed.openGroups,
      raster: typed.raster.trim() || "timeline",
      framing: typed.framing,
      colour: typed.colour,
      fields: typed.fields,
    },
    sound: {
      place: typed.place,
      codec: typed.sound,
      rate: number(typed.soundRate),
      bit_rate: number(typed.soundBitRate),
      streams: streams === "" || streams === "all" ? null : streams.split(",").map((part) => +part),
      channels: typed.channels,
    },
    numbers: {
      pattern: typed.pattern || "{name}.{number}",
      padding: +typed.padding || 6,
      start: typed.start === "timecode" ? 1 : +typed.start || 0,
      timecode: typed.start === "timecode",
    },
  };
}
