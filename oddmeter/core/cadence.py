"""Cadence: which source frames the timeline frames show, and in what pattern.

``Cadence`` is what follows from the stride alone; ``FrameMap`` lays it over a clip of a certain length.
Everything here is arithmetic on the stride k = a/b in lowest terms, so a question about the last frame of a
four-hour clip costs what a question about the first one does. A new rule about cadence goes here.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import cached_property, lru_cache
from itertools import pairwise
from math import ceil, floor

from oddmeter.core.errors import RuleError

NEAR = Fraction(1, 200)
"""A stride within 0.5 % of a whole or even one, without being it, is a near miss (MODEL, Frames)."""

LONGEST_PATTERN = 100
"""Patterns of more timeline frames than this are not written out: nobody reads a rhythm that long."""


class Kind(StrEnum):
    """How even a cadence is (MODEL, Kinds of cadence)."""

    WHOLE = "whole"
    EVEN = "even"
    NEAR = "near"
    ODD = "odd"


@dataclass(frozen=True)
class Cadence:
    """The rhythm of a stride: source frames (or fields) moved for each timeline frame, above zero."""

    stride: Fraction

    def __post_init__(self) -> None:
        if self.stride <= 0:
            raise RuleError("A stride must be above zero.", "stride")

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((self.stride.numerator, self.stride.denominator))

    @staticmethod
    @lru_cache(maxsize=4096)
    def of(stride: Fraction) -> "Cadence":
        """The cadence of a stride; the same object for the same stride, since batches share few strides."""
        return Cadence(stride)

    @property
    def source_period(self) -> int:
        """Source frames after which the pattern repeats."""
        return self.stride.numerator

    @property
    def timeline_period(self) -> int:
        """Timeline frames after which the pattern repeats."""
        return self.stride.denominator

    @property
    def pattern(self) -> tuple[int, ...] | None:
        """The steps ⌊(j+1)k⌋ − ⌊jk⌋ of one period, or None where it is longer than ``LONGEST_PATTERN``."""
        if self.timeline_period > LONGEST_PATTERN:
            return None
        return tuple(self.steps(0, self.timeline_period))

    def steps(self, first: int, stop: int) -> Iterator[int]:
        """The steps after timeline frames ``first`` … ``stop − 1``."""
        a, b = self.stride.numerator, self.stride.denominator
        here = first * a // b
        for j in range(first + 1, stop + 1):
            there = j * a // b
            yield there - here
            here = there

    @cached_property
    def nearest_even(self) -> Fraction:
        """The whole or even stride u/1 or 1/m that lies nearest, measured as a ratio."""
        k = self.stride
        around = k if k >= 1 else 1 / k
        candidates = [Fraction(floor(around)), Fraction(floor(around) + 1)]
        if k < 1:
            candidates = [1 / c for c in candidates]
        return min(candidates, key=lambda even: abs(k - even) / even)

    @cached_property
    def kind(self) -> Kind:
        """Whole, even, near or odd."""
        k = self.stride
        if k == 1:
            return Kind.WHOLE
        if 1 in (k.numerator, k.denominator):
            return Kind.EVEN
        even = self.nearest_even
        return Kind.NEAR if abs(k - even) <= NEAR * even else Kind.ODD

    @cached_property
    def hiccup_every(self) -> Fraction | None:
        """Timeline frames between two hiccups of a near miss, 1 / (m · |k − u/m|); None for other kinds."""
        if self.kind is not Kind.NEAR:
            return None
        even = self.nearest_even
        return 1 / (even.denominator * abs(self.stride - even))

    def hiccups(self, first: int, stop: int) -> Iterator[int]:
        """The timeline frames in [first, stop) at which a near miss steps out of its even rhythm.

        For a stride near u these are the frames that follow a step other than u; for one near 1/m, the frame
        that is one too many or comes one too early. Nothing for other kinds.
        """
        if self.kind is not Kind.NEAR or stop <= first:
            return
        even, k = self.nearest_even, self.stride
        if even >= 1:
            error = k - even
            i = max(0, floor((first - 1) * abs(error)) - 1)
            while True:
                spot = ceil((i + 1) / error) if error > 0 else floor(i / -error) + 1
                if spot >= stop:
                    return
                if spot >= first:
                    yield spot
                i += 1
        run_error = 1 / k - even.denominator
        i = max(0, floor((first * k - 2) * abs(run_error)) - 1)
        while True:
            source = floor(i / run_error) if run_error > 0 else ceil((i + 1) / -run_error) - 1
            spot = ceil((source + 1) / k) - (1 if run_error > 0 else 0)
            if spot >= stop:
                return
            if spot >= first:
                yield spot
            i += 1


@dataclass(frozen=True)
class Weights:
    """What one timeline frame is made of: ``first`` with weight 1 − ``second_weight``, and ``second``."""

    first: int
    second: int
    second_weight: Fraction


@dataclass(frozen=True)
class FrameMap:
    """Which source frame every timeline frame shows, for a clip of ``units`` frames (fields when split).

    The one map that planning, looking and rendering share. All positions count from the in point. ``held`` is how
    many timeline frames each picture stays (a held rate H gives T / H, 1 where nothing is held): picture i begins at
    timeline frame ⌈i · held⌉ and shows the source as it is at the moment i · held. In ``reverse`` the source units
    are counted from the last one back.
    """

    cadence: Cadence
    units: int
    held: Fraction = Fraction(1)
    reverse: bool = False

    def __post_init__(self) -> None:
        if self.units < 1:
            raise RuleError("There are no frames between in and out.", "frames")
        if self.held.numerator < self.held.denominator:
            raise RuleError("A held rate is no higher than the timeline's.", "held")

    @staticmethod
    def of(stride: Fraction, units: int, held: Fraction = Fraction(1), *, reverse: bool = False) -> "FrameMap":
        """The map of a stride over that many source frames or fields."""
        return FrameMap(Cadence.of(stride), units, held, reverse)

    @property
    def stride(self) -> Fraction:
        """Source units moved for each timeline frame."""
        return self.cadence.stride

    @property
    def holds(self) -> bool:
        """True where pictures stay longer than a timeline frame."""
        return self.held.numerator != self.held.denominator

    @property
    def pictures(self) -> Cadence:
        """The cadence from picture to picture: that of the stride where nothing is held."""
        return Cadence.of(self.stride * self.held) if self.holds else self.cadence

    @property
    def kind(self) -> Kind:
        """How even it looks: by its pictures, and odd where they do not all stay equally long."""
        if self.held.denominator != 1:
            return Kind.ODD
        kind = self.pictures.kind
        return Kind.EVEN if kind is Kind.WHOLE and self.holds else kind

    @property
    def period(self) -> tuple[int, int]:
        """Source units and timeline frames after which the pattern repeats."""
        if not self.holds:
            return self.cadence.source_period, self.cadence.timeline_period
        step = self.stride * self.held.numerator
        return step.numerator, step.denominator * self.held.numerator

    @property
    def pattern(self) -> tuple[int, ...] | None:
        """Source units moved after each timeline frame of one period; None where that is longer than
        ``LONGEST_PATTERN``."""
        if not self.holds:
            return self.cadence.pattern
        frames = self.period[1]
        if frames > LONGEST_PATTERN:
            return None
        spots = [floor(self._place(j)) for j in range(frames + 1)]
        return tuple(there - here for here, there in pairwise(spots))

    @cached_property
    def length(self) -> int:
        """Timeline frames: ⌈n / k⌉."""
        return -(-self.units * self.stride.denominator // self.stride.numerator)

    def position(self, frame: int) -> Fraction:
        """How far from its first unit, the last in reverse, the source has moved: x(j) = k · j, held."""
        return self._place(self._within(frame))

    def late_pick(self, frame: int) -> int:
        """The source unit on screen at the second field of an interlaced timeline frame."""
        return self._turned(min(self.units - 1, floor(self.late_position(frame))))

    def pick(self, frame: int) -> int:
        """The source unit ⌊x(j)⌋ on screen at that moment."""
        return self._turned(floor(self._place(self._within(frame))))

    def picks(self) -> Iterator[int]:
        """The picked source unit of every timeline frame in turn."""
        a, b = self.stride.numerator, self.stride.denominator
        if not self.holds and not self.reverse:
            return (j * a // b for j in range(self.length))
        return (self._turned(floor(self._place(j))) for j in range(self.length))

    def late_position(self, frame: int) -> Fraction:
        """The position at the second field of an interlaced timeline frame, k · (j + ½); where pictures are held
        longer than a frame, both fields show the same one."""
        place = self._place(self._within(frame))
        return place if self.holds else place + self.stride / 2

    def weights(self, frame: int, *, late: bool = False) -> Weights:
        """The two neighbours of x(j), or of the second field's moment, and how much of the second; the last good
        frame where there is no next."""
        position = self.late_position(frame) if late else self.position(frame)
        first = floor(position)
        if first + 1 >= self.units:
            return Weights(self._turned(first), self._turned(first), Fraction(0))
        return Weights(self._turned(first), self._turned(first + 1), position - first)

    def is_repeat(self, frame: int) -> bool:
        """True where the timeline frame picks the same source unit as the one before."""
        return frame > 0 and self.pick(frame) == self.pick(frame - 1)

    @property
    def shown(self) -> int:
        """Different source units that are picked: one a picture, or, where pictures move less than one unit each,
        every unit up to the last."""
        if not self.holds:
            return min(self.length, self.units)
        pictures = self._picture(self.length - 1) + 1
        return pictures if self.pictures.stride >= 1 else floor(self._place(self.length - 1)) + 1

    @property
    def dropped(self) -> int:
        """Source units that no timeline frame picks."""
        return self.units - self.shown

    @property
    def repeated(self) -> int:
        """Timeline frames that pick the same source unit as the one before."""
        return self.length - self.shown

    @property
    def made(self) -> int:
        """Timeline frames with a fractional position, which Mix and Flow would build."""
        if not self.holds:
            return self.length - -(-self.length // self.stride.denominator)
        whole = self.pictures.timeline_period
        return self.length - sum(
            min(ceil((i + 1) * self.held), self.length) - ceil(i * self.held)
            for i in range(0, self._picture(self.length - 1) + 1, whole)
        )

    @property
    def held_from(self) -> int | None:
        """The first timeline frame past the last good source unit, where Mix and Flow hold it; None if none."""
        step = self.stride * self.held
        picture = (self.units - 1) * step.denominator // step.numerator + 1
        first_past = ceil(picture * self.held)
        return first_past if first_past < self.length else None

    def hiccups(self, first: int = 0, stop: int | None = None) -> Iterator[int]:
        """The timeline frames of a near miss that step out of its rhythm, within the clip."""
        end = self.length if stop is None else min(stop, self.length)
        first = max(0, first)
        if not self.holds:
            return self.cadence.hiccups(first, end)
        spots = self.pictures.hiccups(floor(first / self.held), ceil(end / self.held) + 1)
        return (spot for spot in (ceil(i * self.held) for i in spots) if first <= spot < end)

    @property
    def hiccup_every(self) -> Fraction | None:
        """Timeline frames between two hiccups of a near miss; None for other kinds."""
        every = self.pictures.hiccup_every
        return None if every is None or self.held.denominator != 1 else every * self.held

    def _picture(self, frame: int) -> int:
        """Which picture is on screen."""
        return frame * self.held.denominator // self.held.numerator

    def _place(self, frame: int) -> Fraction:
        return self.stride * (self.held * self._picture(frame) if self.holds else frame)

    def _turned(self, unit: int) -> int:
        return self.units - 1 - unit if self.reverse else unit

    def _within(self, frame: int) -> int:
        if not 0 <= frame < self.length:
            raise RuleError(f"Timeline frame {frame} lies outside the {self.length} frames of the clip.", "frames")
        return frame
