"""Parts: the things that can be decided, each with its value, and the text that people type and stores keep.

A new thing to decide is a new ``Part`` with its line in ``_PARSE``, its field in ``Decisions``, and its words in
``vocabulary``.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from enum import StrEnum
from fractions import Fraction
from typing import Any

from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.music import Music
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
    Treatment,
    check_intent,
)
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import parse_length


class Part(StrEnum):
    """One thing that can be decided."""

    INTENT = "intent"
    READING = "reading"
    FIELDS = "fields"
    BETWEEN = "between"
    SHUTTER = "shutter"
    EFFORT = "effort"
    REACH = "reach"
    TRUST = "trust"
    HELD = "held"
    SOUND = "sound"
    STREAMS = "streams"
    MUSIC = "music"
    REVERSE = "reverse"
    FRAMING = "framing"
    SPAN = "span"


@dataclass(frozen=True)
class IntentSetting:
    """An intent with its value, as ``Treatment`` has them."""

    intent: Intent
    value: Fraction | None = None
    curve: Curve | None = None

    def __post_init__(self) -> None:
        check_intent(self.intent, self.value, self.curve)

    def __str__(self) -> str:
        if self.curve is not None:
            return f"{self.intent.value} {self.curve}"
        return self.intent.value if self.value is None else f"{self.intent.value} {fraction_text(self.value)}"

    @staticmethod
    def parse(text: str) -> "IntentSetting":
        """From its text, ``"pace 1/2"``; of a curve, its points as JSON."""
        intent, _, value = text.partition(" ")
        if intent == Intent.CURVE:
            return IntentSetting(Intent.CURVE, curve=Curve.parse(value))
        return IntentSetting(_one_of(Intent, intent), parse_fraction(value) if value else None)


class Base(StrEnum):
    """What a read rate starts from."""

    FILE = "file"
    SHOT = "shot"
    TIMELINE = "timeline"


@dataclass(frozen=True)
class Reading:
    """How a clip is read: at a rate, or at that of its file, its camera or the timeline, times a factor."""

    base: Base | Rate = Base.FILE
    factor: Fraction = Fraction(1)

    def __str__(self) -> str:
        base = self.base.exact if isinstance(self.base, Rate) else self.base.value
        return base if self.factor == 1 else f"{base} * {fraction_text(self.factor)}"

    @staticmethod
    def parse(text: str) -> "Reading":
        """What a person typed or a store kept: ``"file"``, ``"23.976"``, ``"file * 1000/1001"``, ``"timeline"``."""
        base, times, factor = (part.strip() for part in text.replace("×", "*").partition("*"))
        named = base.lower() or "file"
        start: Base | Rate = Base(named) if named in {b.value for b in Base} else Rate.parse(base)
        if times and parse_fraction(factor) == 0:
            raise RuleError("A rate multiplied by zero is not a rate.", "rate")
        return Reading(start, parse_fraction(factor) if times else Fraction(1))

    def rate(self, file_rate: Rate, shot_rate: Rate, timeline_rate: Rate) -> Rate | None:
        """The read rate for a clip; None where that is the file's own."""
        if self.base is Base.FILE and self.factor == 1:
            return None
        named = {Base.FILE: file_rate, Base.SHOT: shot_rate, Base.TIMELINE: timeline_rate}
        base = self.base if isinstance(self.base, Rate) else named[self.base]
        return Rate(base.value * self.factor)


_NUMBERS = {"ones": 1, "twos": 2, "threes": 3, "fours": 4, "fives": 5, "sixes": 6, "eights": 8}


@dataclass(frozen=True)
class Held:
    """A lower rate at which pictures change: a count of timeline frames for each picture, or a rate of pictures."""

    frames: int | None = None
    rate: Rate | None = None

    def __str__(self) -> str:
        if self.rate is not None:
            return self.rate.exact
        return f"{self.frames} frames" if self.frames else "off"

    @staticmethod
    def parse(text: str) -> "Held":
        """``"off"``, ``"on twos"``, ``"2 frames"``, ``"12"`` pictures a second."""
        typed = text.strip().lower().removeprefix("on ").strip()
        if typed in ("off", "", "ones"):
            return Held()
        if typed in _NUMBERS:
            return Held(_NUMBERS[typed])
        count = typed.removesuffix("s").removesuffix("frame").removesuffix("f").strip()
        if count != typed and count.isdecimal() and 1 <= int(count) <= 1000:
            return Held(int(count)) if int(count) > 1 else Held()
        if count != typed:
            raise RuleError(f"“{text.strip()}” is not a held rate. Type, for example, 12, on twos or 3 frames.", "held")
        return Held(rate=Rate.parse(typed))

    def stay(self, timeline_rate: Rate) -> Fraction:
        """Timeline frames each picture stays, at least 1."""
        if self.rate is not None:
            return max(Fraction(1), timeline_rate.value / self.rate.value)
        return Fraction(self.frames or 1)


def parse_part(part: Part, text: str) -> Any:
    """The value of a part from its text, stored or typed; raises ``RuleError`` where it says nothing."""
    return _PARSE[part](text.strip())


def parse_intent(intent: Intent, typed: str, timeline_rate: Rate, drop_frame: bool) -> IntentSetting:
    """An intent with its value as people type it: a number, for *fit* a length in frames, timecode or seconds, for a
    curve its JSON."""
    if intent is Intent.CURVE:
        return IntentSetting(intent, curve=Curve.parse(typed))
    if intent not in NEEDS_VALUE:
        return IntentSetting(intent)
    if intent is Intent.FIT:
        return IntentSetting(intent, Fraction(parse_length(typed, timeline_rate, drop_frame)))
    return IntentSetting(intent, parse_fraction(typed))


def _one_of(kind: type[StrEnum], text: str) -> Any:
    try:
        return kind(text.lower())
    except ValueError:
        names = ", ".join(member.value for member in kind)
        raise RuleError(f"“{text}” is not a choice here. Use {names}.", "treatment") from None


def _whole(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 4096:
        raise RuleError(f"“{text}” is not a distance in pixels from 1 to 4096.", "reach")
    return int(text)


def _shutter(text: str) -> Fraction:
    """An angle, 360° of which is all of a timeline frame, or a share up to 1."""
    angle = text.removesuffix("°").strip()
    value = parse_fraction(angle)
    share = value / 360 if angle != text or (value > 1 and "%" not in text) else value
    if not 0 < share <= 1:
        raise RuleError("A shutter angle is above 0° and at most 360°.", "shutter")
    return share


def _share(text: str) -> Fraction:
    value = parse_fraction(text)
    if value > 1:
        raise RuleError("Trust is between 0 and 100 %.", "trust")
    return value


def _span(text: str) -> Span:
    if text in ("whole", "whole clip"):
        return Span()
    typed = text.removeprefix("frames ").removesuffix("the end").replace(" to ", "-").replace("–", "-")
    first, dash, last = (part.strip() for part in typed.partition("-"))
    if not dash or not (first.isdecimal() or not first) or not (last.isdecimal() or not last):
        raise RuleError(f"“{text}” is not a range of source frames. Type, for example, 12-240.", "span")
    span = Span(int(first or 0), int(last) if last else None)
    if span.last is not None and span.last < span.first:
        raise RuleError(f"The out point {span.last} is before the in point {span.first}.", "span")
    return span


def _streams(text: str) -> SoundStreams:
    if text.lower() == "all":
        return SoundStreams()
    typed = [number.strip() for number in text.replace("+", ",").split(",")]
    if not all(number.isdecimal() and 1 <= int(number) <= _MOST_SOUND_STREAMS for number in typed):
        raise RuleError(
            f"“{text}” is not a choice of sound streams. Type “all” or numbers, for example 1, 3.", "streams"
        )
    return SoundStreams(tuple(sorted({int(number) for number in typed})))


_MOST_SOUND_STREAMS = 64


def _yes(text: str) -> bool:
    if text not in ("yes", "no"):
        raise RuleError(f"“{text}” should be yes or no.", "treatment")
    return text == "yes"


_PARSE: dict[Part, Callable[[str], Any]] = {
    Part.INTENT: IntentSetting.parse,
    Part.READING: Reading.parse,
    Part.FIELDS: lambda text: _one_of(Fields, text),
    Part.BETWEEN: lambda text: _one_of(Between, text),
    Part.SHUTTER: _shutter,
    Part.EFFORT: lambda text: _one_of(Effort, text),
    Part.REACH: _whole,
    Part.TRUST: _share,
    Part.HELD: Held.parse,
    Part.SOUND: lambda text: _one_of(SoundChoice, text),
    Part.STREAMS: _streams,
    Part.MUSIC: Music.parse,
    Part.REVERSE: _yes,
    Part.FRAMING: lambda text: _one_of(Framing, text),
    Part.SPAN: _span,
}


AS_DECIDED = tuple(
    part for part in Part if part.value in {field.name for field in fields(Treatment)} - {"intent", "held"}
)
"""Parts that a treatment has as they are decided, under the same name; of the others it has what they come to."""


def treatment_texts(treatment: Treatment) -> dict[str, str]:
    """Exact text for all of a treatment: by part, but the ``read_rate``, and what ``held`` comes to in timeline
    frames."""
    texts = {"intent": str(IntentSetting(treatment.intent, treatment.value, treatment.curve))}
    if treatment.read_rate is not None:
        texts["read_rate"] = treatment.read_rate.exact
    texts["held"] = fraction_text(treatment.held)
    return texts | {part.value: text_of(getattr(treatment, part.value)) for part in AS_DECIDED}


def treatment_of(texts: Mapping[str, str]) -> Treatment:
    """A treatment from its texts; what they do not say is as it is where nobody decides."""
    wish = IntentSetting.parse(texts["intent"])
    read_rate = Rate(Fraction(texts["read_rate"])) if "read_rate" in texts else None
    return Treatment(
        wish.intent, wish.value, read_rate, curve=wish.curve, held=Fraction(texts.get("held", "1")),
        **{part.value: parse_part(part, texts[part.value]) for part in AS_DECIDED if part.value in texts},
    )  # fmt: skip


def text_of(value: Any) -> str:
    """The exact text of a part's value, as ``parse_part`` reads it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return fraction_text(value) if isinstance(value, Fraction) else str(value)
