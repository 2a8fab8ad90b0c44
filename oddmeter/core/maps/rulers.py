"""Rulers: at which second of the source each unit of a clip comes, evenly or by its own times."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, floor

import numpy as np
import numpy.typing as npt

from oddmeter.core.numbers.clock import Clock

Whole = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


class Ruler(ABC):
    """Units from the in point on over source seconds. ``origin`` is the second of the in point; ``marks`` a second are
    counted, so that every unit begins at a whole mark."""

    origin: Fraction

    @property
    @abstractmethod
    def marks(self) -> Fraction:
        """Marks a second."""

    @abstractmethod
    def place(self, source: Fraction) -> Fraction:
        """Where the clip is at a source second, in units from the in point."""

    def unit_before(self, source: Fraction) -> int:
        """The unit whose time is run through from its end on the way back from a source second: ⌈x⌉ − 1, or the last
        before it that stays on screen at all."""
        mark = ceil((source - self.origin) * self.marks)
        return int(self.units_before(np.asarray(mark, np.int64)))

    @abstractmethod
    def time(self, place: int | Fraction) -> Fraction:
        """The source second at a place in units: at a whole one a unit begins, at the one behind the last it ends."""

    @abstractmethod
    def units_at(self, marks: Whole) -> Whole:
        """The unit that each whole mark lies in, at or after its beginning."""

    @abstractmethod
    def units_before(self, marks: Whole) -> Whole:
        """The unit that ends at or after each whole mark, and began before it."""

    @abstractmethod
    def spots(self, marks: Whole) -> tuple[Whole, Whole, Whole]:
        """The unit that each whole mark lies in, how many marks ago that began, and how many it stays."""

    @abstractmethod
    def begin_at(self, marks: Whole) -> Flags:
        """Where a unit begins exactly at the mark."""


@dataclass(frozen=True)
class EvenRuler(Ruler):
    """``rate`` units a second."""

    origin: Fraction
    rate: Fraction

    @property
    def marks(self) -> Fraction:
        """One for each unit."""
        return self.rate

    def place(self, source: Fraction) -> Fraction:
        """(σ − origin) · rate."""
        return (source - self.origin) * self.rate

    def time(self, place: int | Fraction) -> Fraction:
        """origin + place / rate."""
        return self.origin + place / self.rate

    def units_at(self, marks: Whole) -> Whole:
        """The marks are the units."""
        return marks

    def units_before(self, marks: Whole) -> Whole:
        """The one before each."""
        return marks - 1

    def spots(self, marks: Whole) -> tuple[Whole, Whole, Whole]:
        """The marks are the units."""
        return marks, np.zeros_like(marks), np.ones_like(marks)

    def begin_at(self, marks: Whole) -> Flags:
        """True for each mark: every unit begins at one."""
        return np.ones(marks.shape, np.bool_)


@dataclass(frozen=True)
class OwnRuler(Ruler):
    """The units' own times, ``clock``, which begins at the in point."""

    origin: Fraction
    clock: Clock

    @property
    def marks(self) -> Fraction:
        """One for each tick."""
        return 1 / self.clock.base

    @property
    def longest(self) -> Fraction:
        """Seconds that the unit stays which stays longest."""
        return int(np.diff(self.clock.ticks).max()) * self.clock.base

    @property
    def tail(self) -> Fraction:
        """Seconds that the last unit stays, or the last before it that stays at all."""
        steps = np.diff(self.clock.ticks)
        return int(steps[np.flatnonzero(steps)[-1]]) * self.clock.base

    @property
    def head(self) -> Fraction:
        """Seconds that the first unit stays which stays at all."""
        steps = np.diff(self.clock.ticks)
        return int(steps[np.flatnonzero(steps)[0]]) * self.clock.base

    def place(self, source: Fraction) -> Fraction:
        """The unit on screen, and how much of its time is over; before the beginning as if the first one had come
        before, behind the end as if the last one followed on."""
        since = source - self.origin
        if since < 0:
            return since / self.head
        over = since - self.clock.end
        return self.clock.frames + over / self.tail if over > 0 else self.clock.place(since)

    def time(self, place: int | Fraction) -> Fraction:
        """The time of a unit's tick, and its share of the time until the next."""
        unit = min(floor(place), self.clock.frames)
        begins = self.origin + self.clock.time(unit)
        if unit == self.clock.frames:
            return begins + (place - unit) * self.tail
        return begins + (place - unit) * (self.clock.time(unit + 1) - self.clock.time(unit))

    def units_at(self, marks: Whole) -> Whole:
        """By searching the ticks."""
        return np.asarray(np.searchsorted(self.clock.ticks, marks, "right") - 1, np.int64)

    def units_before(self, marks: Whole) -> Whole:
        """By searching the ticks."""
        return np.asarray(np.searchsorted(self.clock.ticks, marks, "left") - 1, np.int64)

    def spots(self, marks: Whole) -> tuple[Whole, Whole, Whole]:
        """By searching the ticks; before the beginning and behind the end as if the first and the last unit went on."""
        ticks = self.clock.ticks
        steps = np.append(np.maximum(1, np.diff(ticks)), int(self.tail / self.clock.base))
        unit = np.clip(self.units_at(marks), 0, self.clock.frames)
        return unit, marks - ticks[unit], np.where(marks < 0, int(self.head / self.clock.base), steps[unit])

    def begin_at(self, marks: Whole) -> Flags:
        """By searching the ticks."""
        ticks = self.clock.ticks
        at = np.minimum(np.searchsorted(ticks, marks, "left"), len(ticks) - 1)
        return np.asarray(ticks[at] == marks, np.bool_)
