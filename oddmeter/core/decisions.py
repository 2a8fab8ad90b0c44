"""Decisions at every level, and which of them holds.

A *part* is one thing that can be decided. A level decides some parts and leaves the others to the levels above it:
show, delivery, recipe, clip, and one timeline's use of the clip. ``resolve`` takes, for each part, the word of the
level nearest to the use, and keeps where it came from. A new thing to decide is a new ``Part`` with its own field in
``Decisions``, and its own line in ``_READ``.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import Any

from oddmeter.core.errors import RuleError
from oddmeter.core.rates import Rate, fraction_text, parse_fraction
from oddmeter.core.timecode import parse_length
from oddmeter.core.treatments import (
    AS_IT_STANDS,
    NEEDS_VALUE,
    Between,
    Effort,
    Fields,
    Framing,
    Intent,
    SoundChoice,
    Span,
    Treatment,
    check_wish,
)


class Part(StrEnum):
    """One thing that can be decided."""

    INTENT = "intent"
    READING = "reading"
    FIELDS = "fields"
    BETWEEN = "between"
    EFFORT = "effort"
    REACH = "reach"
    TRUST = "trust"
    HELD = "held"
    SOUND = "sound"
    REVERSE = "reverse"
    FRAMING = "framing"
    SPAN = "span"


class Level(StrEnum):
    """Who decides, from the farthest to the nearest."""

    HOUSE = "house"
    SHOW = "show"
    DELIVERY = "delivery"
    RECIPE = "recipe"
    CLIP = "clip"
    USE = "use"


@dataclass(frozen=True)
class Wish:
    """An intent with its value, as ``Treatment`` has them."""

    intent: Intent
    value: Fraction | None = None

    def __post_init__(self) -> None:
        check_wish(self.intent, self.value)

    def __str__(self) -> str:
        return self.intent.value if self.value is None else f"{self.intent.value} {fraction_text(self.value)}"

    @staticmethod
    def read(text: str) -> "Wish":
        """From its text, ``"pace 1/2"``."""
        intent, _, value = text.partition(" ")
        return Wish(_one_of(Intent, intent), parse_fraction(value) if value else None)


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
    def read(text: str) -> "Reading":
        """What a person typed or a store kept: ``"file"``, ``"23.976"``, ``"file * 1000/1001"``, ``"timeline"``."""
        base, times, factor = (part.strip() for part in text.replace("×", "*").partition("*"))
        named = base.lower() or "file"
        start: Base | Rate = Base(named) if named in {b.value for b in Base} else Rate.parse(base)
        if times and parse_fraction(factor) == 0:
            raise RuleError("A rate times nothing is no rate.", "rate")
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
    def read(text: str) -> "Held":
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
            raise RuleError(f"“{text.strip()}” is no held rate. Type one like 12, on twos, or 3 frames.", "held")
        return Held(rate=Rate.parse(typed))

    def stay(self, timeline_rate: Rate) -> Fraction:
        """Timeline frames each picture stays, at least 1."""
        if self.rate is not None:
            return max(Fraction(1), timeline_rate.value / self.rate.value)
        return Fraction(self.frames or 1)


@dataclass(frozen=True)
class Decisions:
    """What one level decides; None leaves a part to the levels above."""

    intent: Wish | None = None
    reading: Reading | None = None
    fields: Fields | None = None
    between: Between | None = None
    effort: Effort | None = None
    reach: int | None = None
    trust: Fraction | None = None
    held: Held | None = None
    sound: SoundChoice | None = None
    reverse: bool | None = None
    framing: Framing | None = None
    span: Span | None = None

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash(self.items())

    @staticmethod
    def of(texts: Mapping[str, str]) -> "Decisions":
        """From text by part, as ``texts`` gives it; raises ``RuleError`` where one says nothing. The same object for
        the same texts, since batches share few decisions."""
        return _read(tuple(sorted(texts.items())))

    def texts(self) -> dict[str, str]:
        """Exact text for each part that is decided."""
        return {part.value: _text(value) for part, value in self.items()}

    def items(self) -> tuple[tuple[Part, Any], ...]:
        """The parts that are decided."""
        return self._items

    @cached_property
    def _items(self) -> tuple[tuple[Part, Any], ...]:
        return tuple((part, value) for part, name in _NAMES if (value := getattr(self, name)) is not None)

    def over(self, other: "Decisions") -> "Decisions":
        """These decisions, and the other ones where these say nothing."""
        return _over(self, other)

    def without(self, parts: Iterable[Part]) -> "Decisions":
        """These decisions with some parts left to the levels above again."""
        return _without(self, tuple(parts))

    def only(self, parts: Iterable[Part]) -> "Decisions":
        """Of these decisions, those on some parts."""
        kept = set(parts)
        return self.without(part for part in Part if part not in kept)


_NAMES = tuple((part, part.value) for part in Part)


@lru_cache(maxsize=4096)
def _read(texts: tuple[tuple[str, str], ...]) -> Decisions:
    return Decisions(**{part: read_part(Part(part), text) for part, text in texts})


@lru_cache(maxsize=4096)
def _over(near: Decisions, far: Decisions) -> Decisions:
    return replace(far, **{part.value: value for part, value in near.items()})


@lru_cache(maxsize=4096)
def _without(decided: Decisions, parts: tuple[Part, ...]) -> Decisions:
    return replace(decided, **{part.value: None for part in parts})


@dataclass(frozen=True)
class Layer:
    """What one level decides, and the name of who it is: the delivery's, the recipe's."""

    level: Level
    name: str
    decisions: Decisions


HOUSE = Layer(
    Level.HOUSE,
    "Odd Meter",
    Decisions(
        reading=Reading(), fields=AS_IT_STANDS.fields, between=AS_IT_STANDS.between, effort=AS_IT_STANDS.effort,
        reach=AS_IT_STANDS.reach, trust=AS_IT_STANDS.trust, held=Held(), sound=AS_IT_STANDS.sound, reverse=False,
        framing=AS_IT_STANDS.framing, span=AS_IT_STANDS.span,
    ),
)  # fmt: skip
"""What holds where nobody has decided: everything but an intent."""


@dataclass(frozen=True)
class Resolved:
    """What holds for one use of a clip, and the layers it comes from, the farthest first."""

    decisions: Decisions
    layers: tuple[Layer, ...]

    @property
    def decided(self) -> bool:
        """True where somebody has said what is wanted of the clip."""
        return self.decisions.intent is not None

    @property
    def origins(self) -> Mapping[Part, Layer]:
        """The layer that each part comes from."""
        return {part: layer for layer in self.layers for part, _ in layer.decisions.items()}

    def treatment(self, file_rate: Rate, shot_rate: Rate, timeline_rate: Rate) -> Treatment:
        """The treatment of a clip with these rates on a timeline; as it stands where nobody has decided.

        Raises ``RuleError`` where a read rate comes out that is none.
        """
        return _treatment(self.decisions, file_rate, shot_rate, timeline_rate)


@lru_cache(maxsize=4096)
def _treatment(d: Decisions, file_rate: Rate, shot_rate: Rate, timeline_rate: Rate) -> Treatment:
    wish = d.intent or Wish(AS_IT_STANDS.intent, AS_IT_STANDS.value)
    made = Treatment(wish.intent, wish.value)
    if wish.intent is Intent.LEAVE:
        return replace(made, sound=d.sound or made.sound, framing=d.framing or made.framing, span=d.span or made.span)
    read = d.reading.rate(file_rate, shot_rate, timeline_rate) if d.reading else None
    return replace(
        made, read_rate=read, fields=d.fields or made.fields, between=d.between or made.between,
        effort=d.effort or made.effort, reach=made.reach if d.reach is None else d.reach,
        trust=made.trust if d.trust is None else d.trust, held=d.held.stay(timeline_rate) if d.held else made.held,
        sound=d.sound or made.sound, reverse=bool(d.reverse), framing=d.framing or made.framing,
        span=d.span or made.span,
    )  # fmt: skip


def resolve(layers: Iterable[Layer]) -> Resolved:
    """What holds, of layers from the farthest to the nearest."""
    all_layers = (HOUSE, *layers)
    held = HOUSE.decisions
    for layer in all_layers[1:]:
        if layer.decisions.items():
            held = _over(layer.decisions, held)
    return Resolved(held, all_layers)


def read_part(part: Part, text: str) -> Any:
    """The value of a part from its text, stored or typed; raises ``RuleError`` where it says nothing."""
    return _READ[part](text.strip())


def read_wish(intent: Intent, typed: str, timeline_rate: Rate, drop_frame: bool) -> Wish:
    """An intent with its value as people type it: a number, or for *fit* a length in frames, timecode or seconds."""
    if intent not in NEEDS_VALUE:
        return Wish(intent)
    if intent is Intent.FIT:
        return Wish(intent, Fraction(parse_length(typed, timeline_rate, drop_frame)))
    return Wish(intent, parse_fraction(typed))


def _one_of(kind: type[StrEnum], text: str) -> Any:
    try:
        return kind(text.lower())
    except ValueError:
        names = ", ".join(one.value for one in kind)
        raise RuleError(f"“{text}” is not known here; it takes {names}.", "treatment") from None


def _whole(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 4096:
        raise RuleError(f"“{text}” is no distance in pixels, from 1 to 4096.", "reach")
    return int(text)


def _share(text: str) -> Fraction:
    value = parse_fraction(text)
    if value > 1:
        raise RuleError("Trust lies between 0 and 100 per cent.", "trust")
    return value


def _span(text: str) -> Span:
    if text in ("whole", "whole clip"):
        return Span()
    typed = text.removeprefix("frames ").removesuffix("the end").replace(" to ", "-").replace("–", "-")
    first, dash, last = (part.strip() for part in typed.partition("-"))
    if not dash or not (first.isdecimal() or not first) or not (last.isdecimal() or not last):
        raise RuleError(f"“{text}” is no stretch of source frames. Type one like 12-240.", "span")
    span = Span(int(first or 0), int(last) if last else None)
    if span.last is not None and span.last < span.first:
        raise RuleError(f"The out point {span.last} lies before the in point {span.first}.", "span")
    return span


def _yes(text: str) -> bool:
    if text not in ("yes", "no"):
        raise RuleError(f"“{text}” is neither yes nor no.", "treatment")
    return text == "yes"


_READ: dict[Part, Callable[[str], Any]] = {
    Part.INTENT: Wish.read,
    Part.READING: Reading.read,
    Part.FIELDS: lambda text: _one_of(Fields, text),
    Part.BETWEEN: lambda text: _one_of(Between, text),
    Part.EFFORT: lambda text: _one_of(Effort, text),
    Part.REACH: _whole,
    Part.TRUST: _share,
    Part.HELD: Held.read,
    Part.SOUND: lambda text: _one_of(SoundChoice, text),
    Part.REVERSE: _yes,
    Part.FRAMING: lambda text: _one_of(Framing, text),
    Part.SPAN: _span,
}
assert [field.name for field in fields(Decisions)] == [part.value for part in Part]


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return fraction_text(value) if isinstance(value, Fraction) else str(value)
