"""Levels: who decides what, and which decision holds.

A level decides some parts and leaves the others to the levels above it: show, delivery, recipe, clip, its use on one
timeline, and one event there. ``resolve`` takes, for each part, the word of the level nearest to the use, and keeps
where it came from.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import Any

from oddmeter.core.decisions.music import Music
from oddmeter.core.decisions.parts import AS_DECIDED, Held, IntentSetting, Part, Reading, parse_part, text_of
from oddmeter.core.decisions.treatment import (
    AS_IT_STANDS,
    Between,
    Effort,
    Fields,
    Framing,
    Intent,
    SoundChoice,
    SoundStreams,
    Span,
    Treatment,
)
from oddmeter.core.numbers.rates import Rate


class Level(StrEnum):
    """Who decides, from the farthest to the nearest."""

    HOUSE = "house"
    SHOW = "show"
    DELIVERY = "delivery"
    RECIPE = "recipe"
    CLIP = "clip"
    USE = "use"
    EVENT = "event"


@dataclass(frozen=True)
class Decisions:
    """What one level decides; None leaves a part to the levels above."""

    intent: IntentSetting | None = None
    reading: Reading | None = None
    fields: Fields | None = None
    between: Between | None = None
    shutter: Fraction | None = None
    effort: Effort | None = None
    reach: int | None = None
    trust: Fraction | None = None
    held: Held | None = None
    sound: SoundChoice | None = None
    streams: SoundStreams | None = None
    music: Music | None = None
    reverse: bool | None = None
    framing: Framing | None = None
    span: Span | None = None

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash(self.items())

    @staticmethod
    def parse(texts: Mapping[str, str]) -> "Decisions":
        """From text by part, as ``texts`` gives it; raises ``RuleError`` where one says nothing. The same object for
        the same texts, since batches share few decisions."""
        return _parsed(tuple(sorted(texts.items())))

    def texts(self) -> dict[str, str]:
        """Exact text for each part that is decided."""
        return {part.value: text_of(value) for part, value in self.items()}

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
assert [field.name for field in fields(Decisions)] == [part.value for part in Part]


@lru_cache(maxsize=4096)
def _parsed(texts: tuple[tuple[str, str], ...]) -> Decisions:
    return Decisions(**{part: parse_part(Part(part), text) for part, text in texts})


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
        reading=Reading(), held=Held(), **{part.value: getattr(AS_IT_STANDS, part.value) for part in AS_DECIDED}
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
    wish = d.intent or IntentSetting(AS_IT_STANDS.intent, AS_IT_STANDS.value)
    parts = _WITH_LEAVE if wish.intent is Intent.LEAVE else AS_DECIDED
    made = Treatment(
        wish.intent, wish.value, curve=wish.curve,
        **{part.value: value for part, value in d.items() if part in parts},
    )  # fmt: skip
    if wish.intent is Intent.LEAVE:
        return made
    read = d.reading.rate(file_rate, shot_rate, timeline_rate) if d.reading else None
    return replace(made, read_rate=read, held=d.held.stay(timeline_rate) if d.held else made.held)


_WITH_LEAVE = frozenset({Part.SOUND, Part.STREAMS, Part.MUSIC, Part.FRAMING, Part.SPAN})
"""Parts that hold for a clip that is left as it is."""


def resolve(layers: Iterable[Layer]) -> Resolved:
    """What holds, of layers from the farthest to the nearest."""
    all_layers = (HOUSE, *layers)
    merged = HOUSE.decisions
    for layer in all_layers[1:]:
        if layer.decisions.items():
            merged = _over(layer.decisions, merged)
    return Resolved(merged, all_layers)
