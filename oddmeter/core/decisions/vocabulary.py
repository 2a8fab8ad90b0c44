"""The words of decisions: what each part and its choices are called, wherever people meet them.

Kept once. The page asks for it at ``/api/vocabulary``; titles of changes, the sheet and the ledger take it from here.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from oddmeter.core.decisions.curves import Curve, SpeedOf
from oddmeter.core.decisions.levels import HOUSE, Layer, Level, Resolved
from oddmeter.core.decisions.music import Music
from oddmeter.core.decisions.parts import Base, Held, IntentSetting, Part, Reading, text_of
from oddmeter.core.decisions.treatment import (
    NEEDS_VALUE,
    Between,
    Effort,
    Fields,
    Framing,
    Intent,
    SoundChoice,
    SoundStreams,
    Span,
)
from oddmeter.core.numbers.numerals import exact_percent_text, number_text, percent_text
from oddmeter.core.numbers.rates import Rate


@dataclass(frozen=True)
class Choice:
    """One of a few values: its exact text, its word in a sentence, and what it is called where it is chosen."""

    text: str
    word: str
    label: str


@dataclass(frozen=True)
class PartWords:
    """How a part is spoken of: its name, what stands before it in a title, its choices (none where it is typed), an
    example of what is typed, the way of in-betweens that alone it concerns, and whether it concerns one clip alone."""

    part: Part
    name: str
    title: str = ""
    choices: tuple[Choice, ...] = ()
    example: str = ""
    only_for: Between | None = None
    of_one_clip: bool = False

    @property
    def default(self) -> str:
        """What holds where nobody decides, exact; empty for what is wanted."""
        value = getattr(HOUSE.decisions, self.part.value)
        return "" if value is None else text_of(value)


@dataclass(frozen=True)
class IntentWords:
    """How an intent is spoken of: its name, an example of its value, and what is offered first."""

    intent: Intent
    name: str
    example: str = ""
    first: str = ""

    @property
    def takes_value(self) -> bool:
        """True where it needs a value."""
        return self.intent in NEEDS_VALUE or self.intent is Intent.CURVE


def _same(*values: str) -> tuple[Choice, ...]:
    return tuple(Choice(value, value, value) for value in values)


INTENTS: tuple[IntentWords, ...] = (
    IntentWords(Intent.REAL_TIME, "real time"),
    IntentWords(Intent.EVERY_FRAME, "every frame"),
    IntentWords(Intent.PACE, "pace", "1/2, 40%, x0.4, +10%", "50%"),
    IntentWords(Intent.SPEED, "speed", "2/5, 40%, x3, -10%", "50%"),
    IntentWords(Intent.FIT, "fit", "210, 8s10f, 00:00:08:10", "100f"),
    IntentWords(Intent.CURVE, "curve", "100 → 20 → 100 %", "100 → 20 → 100 %"),
    IntentWords(Intent.LEAVE, "leave as it is"),
)
PARTS: tuple[PartWords, ...] = (
    PartWords(Part.INTENT, "wanted"),
    PartWords(Part.READING, "read", "read ", example="24, timeline, file * 1000/1001"),
    PartWords(Part.BETWEEN, "in-betweens", "in-betweens by ", (
        Choice(Between.PICK, "pick", "Pick: the frame on screen"),
        Choice(Between.MIX, "mix", "Mix: both, weighted"),
        Choice(Between.FLOW, "flow", "Flow: built from motion"),
        Choice(Between.GATHER, "gather", "Gather: all frames that pass, as with an open shutter"),
    )),
    PartWords(Part.SHUTTER, "shutter", "shutter ", example="180°, 360°, or a share: 1/2", only_for=Between.GATHER),
    PartWords(Part.EFFORT, "effort", "effort ", _same(*Effort), only_for=Between.FLOW),
    PartWords(Part.REACH, "reach", "reach ", example="pixels, such as 48", only_for=Between.FLOW),
    PartWords(Part.TRUST, "trust", "trust ", example="50%", only_for=Between.FLOW),
    PartWords(Part.HELD, "held", example="off, on twos, 12"),
    PartWords(Part.FIELDS, "fields", "fields ", (
        Choice(Fields.WHOLE, "woven", "left together"),
        Choice(Fields.DEINTERLACE, "deinterlaced", "deinterlaced"),
        Choice(Fields.SPLIT, "split", "split: one picture from each field"),
        Choice(Fields.ORIGINAL, "original pictures", "original pictures: pulldown and repeats removed"),
    )),
    PartWords(Part.SOUND, "sound", "sound ", (
        Choice(SoundChoice.OFF, "off", "off"),
        Choice(SoundChoice.FOLLOW, "follows the speed", "follows the speed"),
        Choice(SoundChoice.PITCH, "keeps its pitch", "keeps its pitch"),
    )),
    PartWords(Part.STREAMS, "streams", "", example="all, or numbers: 1, 3"),
    PartWords(Part.MUSIC, "music", "", example="chosen on the Bench", of_one_clip=True),
    PartWords(Part.FRAMING, "raster", "", (
        Choice(Framing.KEEP, "raster as it is", "as it is"),
        Choice(Framing.INSIDE, "fit inside", "fit inside the timeline's"),
        Choice(Framing.FILL, "fill and crop", "fill and crop"),
        Choice(Framing.WIDTH, "fit width", "fit width"),
        Choice(Framing.HEIGHT, "fit height", "fit height"),
        Choice(Framing.STRETCH, "stretch", "stretch"),
    )),
    PartWords(Part.SPAN, "in, out", example="whole, or 12-240 in source frames", of_one_clip=True),
    PartWords(Part.REVERSE, "direction", "", (
        Choice("no", "forwards", "forwards"), Choice("yes", "backwards", "backwards"),
    )),
)  # fmt: skip
"""Every part, in the order in which they are shown."""
_OF_PART = {words.part: words for words in PARTS}
_OF_INTENT = {words.intent: words for words in INTENTS}
assert set(_OF_PART) == set(Part) and set(_OF_INTENT) == set(Intent)


def intent_text(wish: IntentSetting | None) -> str:
    """What is wanted in words: ``real time``, ``speed 40 %``; ``undecided`` where nobody has said."""
    if wish is None:
        return "undecided"
    name = _OF_INTENT[wish.intent].name
    if wish.curve is not None:
        return f"{name} {curve_text(wish.curve)}"
    if wish.value is None:
        return name
    if wish.intent is Intent.FIT:
        return f"{name} {wish.value} frames"
    return f"{name} {exact_percent_text(wish.value)}"


def curve_text(curve: Curve) -> str:
    """The speeds of a curve in turn, ``100 → 20 → 100 %``; of many the first and the last ones."""
    speeds: list[Fraction] = []
    for point in curve.points:
        for speed in (point.arrives, point.leaves):
            if not speeds or speeds[-1] != speed:
                speeds.append(speed)
    texts = [percent_text(speed).removesuffix(" %") for speed in speeds]
    if len(texts) > _MOST_SPEEDS:
        texts = [*texts[: _MOST_SPEEDS - 2], "…", texts[-1]]
    return f"{' → '.join(texts)} %{' of real time' if curve.of is SpeedOf.PACE else ''}"


_MOST_SPEEDS = 6


def reading_text(reading: Reading) -> str:
    """How a clip is read, in words: ``as the file says``, ``at 24``, ``at the timeline's rate``."""
    if reading == Reading():
        return "as the file says"
    named = {Base.FILE: "the file's rate", Base.SHOT: "the shot rate", Base.TIMELINE: "the timeline's rate"}
    base = str(reading.base) if isinstance(reading.base, Rate) else named[reading.base]
    return f"at {base}" + ("" if reading.factor == 1 else f" × {number_text(reading.factor)}")


def held_text(held: Held) -> str:
    """A held rate in words: ``not held``, ``on twos``, ``12 pictures a second``."""
    if held.rate is not None:
        return f"{held.rate} pictures a second"
    return {None: "not held", 1: "not held", 2: "on twos", 3: "on threes", 4: "on fours"}.get(
        held.frames, f"{held.frames} frames each"
    )


def part_text(part: Part, value: Any) -> str:
    """Any decided part in words."""
    if part in _SPOKEN:
        return _SPOKEN[part](value)
    text = text_of(value)
    return next((choice.word for choice in _OF_PART[part].choices if choice.text == text), text)


def span_text(span: Span) -> str:
    """A span in words: ``whole clip``, ``frames 12 to 240``."""
    return "whole clip" if span == Span() else f"frames {span.first} to {'the end' if span.last is None else span.last}"


def music_text(music: Music) -> str:
    """The music beside a clip in words: ``tide.wav from frame -12``."""
    start = str(music.start).replace("-", "−")
    return f"{music.name} from frame {start}" if music else "no music"


def shutter_text(share: Fraction) -> str:
    """How long a shutter is open: ``180°`` for half of a timeline frame."""
    return f"{number_text(share * 360)}°"


def streams_text(streams: SoundStreams) -> str:
    """Which sound streams are taken, in words: ``all sound streams``, ``sound streams 1, 3``."""
    if streams.numbers is None:
        return "all sound streams"
    return f"sound stream{'s' if len(streams.numbers) > 1 else ''} {streams}"


_SPOKEN: dict[Part, Callable[[Any], str]] = {
    Part.INTENT: intent_text, Part.READING: reading_text, Part.HELD: held_text, Part.SPAN: span_text,
    Part.STREAMS: streams_text, Part.MUSIC: music_text,
    Part.SHUTTER: shutter_text, Part.REACH: lambda value: f"{value} pixels", Part.TRUST: percent_text,
}  # fmt: skip


def titled(part: Part, value: object) -> str:
    """A decision as a title says it: ``read at 24``, ``sound off``."""
    return f"{_OF_PART[part].title}{part_text(part, value)}"


def said(part: Part, value: object) -> str:
    """What a part says, also where nobody has decided on it."""
    return part_text(part, value if value is not None else getattr(HOUSE.decisions, part.value))


def origin_text(layer: Layer | None) -> str:
    """Who a part comes from: ``delivery Card B``, ``recipe Fast``, ``Main alone``; empty for the house itself."""
    if layer is None:
        return ""
    return {
        Level.HOUSE: "", Level.SHOW: "show", Level.DELIVERY: f"delivery {layer.name}",
        Level.RECIPE: f"recipe {layer.name}", Level.CLIP: "clip", Level.USE: f"{layer.name} alone",
        Level.EVENT: "this event alone",
    }[layer.level]  # fmt: skip


def decided_by(resolved: Resolved) -> str:
    """Who decided what is wanted, in a phrase: ``by the recipe Fast``; empty for the clip itself, or nobody."""
    layer = resolved.origins.get(Part.INTENT)
    if layer is None:
        return ""
    return {
        Level.HOUSE: "", Level.SHOW: "by the show's default", Level.DELIVERY: f"by the delivery {layer.name}",
        Level.RECIPE: f"by the recipe {layer.name}", Level.CLIP: "", Level.USE: f"for {layer.name} alone",
        Level.EVENT: "for this event alone",
    }[layer.level]  # fmt: skip
