"""A setting: what a receiver asks of a made file, as a value and as a JSON document."""

import json
from enum import StrEnum
from fractions import Fraction
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.decisions.treatment import Framing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.media.settings.codecs import CODECS, PictureCodec
from oddmeter.media.settings.containers import CONTAINERS, PICTURES, Container
from oddmeter.media.settings.samples import samples
from oddmeter.media.settings.sounds import SOUND_CODECS, WAV, SoundCodec

_LARGEST_SIDE = 32_768
_WORDS = StringConstraints(strip_whitespace=True, min_length=1, max_length=60, pattern=r"^[^/\\\x00-\x1f]+$")


class Place(StrEnum):
    """Where the sound of a file goes: into it, beside it as WAV, or nowhere."""

    FILE = "file"
    BESIDE = "beside"
    NONE = "none"


class FieldCoding(StrEnum):
    """Whether two fields are woven in each frame, and which comes first: as the timeline has it, or otherwise."""

    TIMELINE = "timeline"
    PROGRESSIVE = "progressive"
    UPPER = "upper"
    LOWER = "lower"


class ColourTags(StrEnum):
    """What is said of the colour of pictures whose source says nothing: nothing, or that they are in a standard."""

    KEEP = "keep"
    BT709 = "bt709"
    BT601_525 = "bt601-525"
    BT601_625 = "bt601-625"
    BT2020 = "bt2020"


class Channels(StrEnum):
    """The channels of a stream: as they are, or mixed down."""

    KEEP = "keep"
    STEREO = "stereo"
    MONO = "mono"


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class PictureSetting(_Part):
    """How pictures are written. ``profile``, ``bits`` and ``chroma`` left out follow the source. ``quality`` is on the
    codec's own scale, ``bit_rate`` in kilobits a second; one of them at most. ``key_frames`` are frames from one key
    frame to the next. ``raster`` is ``timeline``, a share of it such as ``1/2``, or ``960x540``; where a clip keeps its
    own raster it comes into another one as ``framing`` says."""

    codec: str
    profile: str = ""
    bits: int | None = None
    chroma: str = ""
    alpha: bool = True
    quality: int | None = None
    bit_rate: Annotated[int, Field(ge=10, le=10_000_000)] | None = None
    key_frames: Annotated[int, Field(ge=1, le=10_000)] | None = None
    open_groups: bool = False
    raster: str = "timeline"
    framing: Framing = Framing.INSIDE
    colour: ColourTags = ColourTags.KEEP
    fields: FieldCoding = FieldCoding.TIMELINE


class SoundSetting(_Part):
    """How sound is written. ``rate`` are samples a second, those of the timeline where it is left out; ``bit_rate`` is
    in kilobits a second for each channel. ``streams`` are the numbers of those taken, all where it is left out."""

    place: Place = Place.FILE
    codec: str = "pcm24"
    rate: Annotated[int, Field(ge=8_000, le=384_000)] | None = None
    bit_rate: Annotated[int, Field(ge=8, le=512)] | None = None
    streams: tuple[Annotated[int, Field(ge=1, le=64)], ...] | None = None
    channels: Channels = Channels.KEEP


class Numbering(_Part):
    """How numbered pictures are called: ``{name}`` is the name of the file, ``{number}`` its number with so many
    digits. The first has the number ``start``, or, with ``timecode``, that of its timecode."""

    pattern: Annotated[str, StringConstraints(min_length=1, max_length=100, pattern=r"^[^/\\\x00-\x1f]+$")] = (
        "{name}.{number}"
    )
    padding: Annotated[int, Field(ge=1, le=9)] = 6
    start: Annotated[int, Field(ge=0, le=99_999_999)] = 1
    timecode: bool = False

    @model_validator(mode="after")
    def _has_a_number(self) -> Self:
        if self.pattern.count("{number}") != 1 or not self.pattern.endswith("{number}"):
            raise ValueError("The names of numbered pictures end with {number}.")
        return self


class Setting(_Part):
    """What a receiver asks of a made file; whatever is not asked for follows the clip and the timeline."""

    name: Annotated[str, _WORDS]
    label: Annotated[str, StringConstraints(max_length=120)] = ""
    container: str
    picture: PictureSetting
    timecode: bool = True
    sound: SoundSetting = SoundSetting()
    numbers: Numbering = Numbering()

    @model_validator(mode="after")
    def _can_be_written(self) -> Self:
        for sentence in _picture_faults(self) or _sound_faults(self):
            raise ValueError(sentence)
        return self

    @staticmethod
    def parse(document: Any) -> "Setting":
        """From a JSON text or what was read of one; raises ``RuleError`` with a sentence about the first thing in it
        that cannot be."""
        try:
            if isinstance(document, str | bytes):
                document = json.loads(document)
            return Setting.model_validate(document)
        except (ValueError, RecursionError) as error:
            raise RuleError(_sentence(error), "setting") from error

    def document(self) -> dict[str, Any]:
        """As a JSON document, whole."""
        return self.model_dump(mode="json")

    def __str__(self) -> str:
        return self.name

    @property
    def into(self) -> Container:
        """The container."""
        return CONTAINERS[self.container]

    @property
    def codec(self) -> PictureCodec:
        """The codec of its pictures."""
        return CODECS[self.picture.codec]

    @property
    def sound_codec(self) -> SoundCodec:
        """The codec of its sound."""
        return SOUND_CODECS[self.sound.codec]

    @property
    def is_numbered(self) -> bool:
        """True where a file is a folder of numbered pictures."""
        return self.container == PICTURES

    @property
    def suffix(self) -> str:
        """What the names of its files end with; nothing for folders."""
        return self.into.suffix

    def canvas(self, timeline: Canvas) -> Canvas:
        """The raster, pixel shape and scan of files for a timeline. Raises ``RuleError`` where a share of its raster is
        no raster."""
        coding, scan = self.picture.fields, timeline.scan
        if coding is not FieldCoding.TIMELINE:
            scan = TimelineScan(coding.value)
        width, height = _raster(self.picture.raster, timeline)
        aspect = timeline.pixel_aspect
        if (width, height) != (timeline.width, timeline.height):
            shape = aspect * timeline.width / timeline.height
            share = "/" in self.picture.raster
            aspect = shape * height / width if share else Fraction(1)
        return Canvas(width, height, aspect, scan)


def _raster(text: str, timeline: Canvas) -> tuple[int, int]:
    if text == "timeline":
        return timeline.width, timeline.height
    if "/" in text:
        share = Fraction(text)
        width, height = (max(2, 2 * round(side * share / 2)) for side in (timeline.width, timeline.height))
        return width, height
    width, height = (int(side) for side in text.split("x"))
    return width, height


def _picture_faults(setting: Setting) -> list[str]:
    """Sentences about what of the pictures cannot be written; the first that is found decides what else is asked."""
    asked = setting.picture
    if setting.container not in CONTAINERS:
        return [f"There is no container “{setting.container}”. There are {_listed(CONTAINERS)}."]
    if asked.codec not in CODECS:
        return [f"There is no picture codec “{asked.codec}” here. There are {_listed(CODECS)}."]
    codec, into = setting.codec, setting.into
    if setting.container not in codec.containers:
        return [f"{into.label} does not hold {codec.label}. It goes into {_listed(codec.containers)}."]
    names = [profile.name for profile in codec.profiles]
    if asked.profile and asked.profile not in names:
        return [f"{codec.label} has no profile “{asked.profile}”. It has {_listed(names)}."]
    profiles = codec.chosen(asked.profile) if asked.profile else codec.profiles
    of = [samples(name) for profile in profiles for name in profile.pixel_formats]
    if asked.bits is not None and asked.bits not in {kind.bits for kind in of}:
        kept = _listed(sorted({kind.bits for kind in of}))
        return [f"{codec.label} is not written with {asked.bits} bits a sample here. It has {kept}."]
    words = sorted({kind.word for kind in of})
    if asked.chroma and asked.chroma not in words:
        return [f"{codec.label} does not hold {asked.chroma}. It has {_listed(words)}."]
    both = [k for k in of if asked.bits in (None, k.bits) and asked.chroma in ("", k.word)]
    if not both:
        return [f"{codec.label} does not hold {asked.chroma} at {asked.bits} bits a sample."]
    return _quality_faults(asked, codec) + _raster_faults(asked, codec)


def _quality_faults(asked: PictureSetting, codec: PictureCodec) -> list[str]:
    faults = []
    if asked.quality is not None and codec.scale is None:
        faults.append(f"The quality of {codec.label} is that of its profile and cannot be set.")
    elif asked.quality is not None and codec.scale and not codec.scale.best <= asked.quality <= codec.scale.least:
        faults.append(f"The quality of {codec.label} lies between {codec.scale.best}, best, and {codec.scale.least}.")
    if asked.bit_rate is not None and not codec.takes_bit_rate:
        faults.append(f"The bit rate of {codec.label} cannot be set.")
    if asked.bit_rate is not None and asked.quality is not None:
        faults.append("Set a quality or a bit rate, not both.")
    if (asked.key_frames is not None or asked.open_groups) and not codec.groups:
        faults.append(f"Every picture of {codec.label} is a key frame.")
    return faults


def _raster_faults(asked: PictureSetting, codec: PictureCodec) -> list[str]:
    if not codec.fields and asked.fields in (FieldCoding.UPPER, FieldCoding.LOWER):
        return [f"{codec.label} holds whole pictures only, not fields."]
    if asked.raster == "timeline":
        return []
    try:
        if "/" in asked.raster:
            share = Fraction(asked.raster)
            return [] if 0 < share <= 4 else ["A share of the timeline's raster lies between 0 and 4."]
        sides = [int(side) for side in asked.raster.split("x")]
    except (ValueError, ZeroDivisionError):
        sides = []
    if len(sides) != 2 or not all(2 <= side <= _LARGEST_SIDE for side in sides):
        return [f"“{asked.raster}” is not a raster. Type timeline, a share such as 1/2, or 960x540."]
    return []


def _sound_faults(setting: Setting) -> list[str]:
    asked = setting.sound
    if asked.place is Place.NONE:
        return []
    if asked.codec not in SOUND_CODECS:
        return [f"There is no sound codec “{asked.codec}”. There are {_listed(SOUND_CODECS)}."]
    codec, place = setting.sound_codec, WAV if asked.place is Place.BESIDE else setting.container
    if place == PICTURES:
        return ["Numbered pictures hold no sound. Put it beside them, or leave it out."]
    if place not in codec.containers:
        into = "WAV" if place == WAV else CONTAINERS[place].label
        return [f"{into} does not hold {codec.label}. It goes into {_listed(codec.containers)}."]
    rates = codec.rates or (() if place == WAV else CONTAINERS[place].sound_rates)
    if asked.rate is not None and rates and asked.rate not in rates:
        return [f"{codec.label} in this container has {_listed(rates)} samples a second."]
    if asked.bit_rate is not None and not codec.bit_rate:
        return [f"The bit rate of {codec.label} cannot be set."]
    return []


def _listed(names: Any) -> str:
    words = [str(name) for name in names if str(name)]
    return f"{', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else "".join(words)


def _sentence(error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return "This is not a setting: it is no JSON."
    first = error.errors()[0]
    if first["type"] == "value_error":
        return str(first["ctx"]["error"])
    place = ".".join(str(part) for part in first["loc"]) or "the document"
    return f"The setting's “{place}”: {first['msg'][:1].lower()}{first['msg'][1:]}."
