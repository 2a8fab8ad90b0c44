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
from math import ceil, floor

from oddmeter.core.numbers.errors import RuleError

NEAR = Fraction(1, 200)
"""A stride within 0.5 % of a whole or even one, without being it, is a near miss (docs/model.md, Kinds of cadence)."""

LONGEST_PATTERN = 100
"""Patterns of more timeline frames than this are not written out: nobody reads a rhythm that long."""


class Kind(StrEnum):
    """How even a cadence is (docs/model.md, Kinds of cadence)."""

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
