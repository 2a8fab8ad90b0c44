"""Clocks: when each frame of a clip is on screen, by its own timestamps (docs/model.md, Clocks)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import lcm

import numpy as np
import numpy.typing as npt

from oddmeter.core.numbers.errors import RuleError

Ticks = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Clock:
    """Frame i is on screen from tick i to tick i + 1, each of ``base`` seconds, counted from the first frame; the last
    tick is the end. ``packed`` holds them as 64-bit integers, little-endian, so that hours of them are one value.

    Raises ``RuleError`` where they do not begin at 0, run backwards, or never end.
    """

    packed: bytes
    base: Fraction

    def __post_init__(self) -> None:
        ticks = self.ticks
        if self.base <= 0 or len(ticks) < 2 or ticks[0] != 0 or ticks[-1] <= 0 or bool((np.diff(ticks) < 0).any()):
            raise RuleError("Frame times must start at 0, never decrease, and end after the first frame.", "times")

    @staticmethod
    def of(ticks: Sequence[int] | Ticks, base: Fraction) -> "Clock":
        """The clock of ticks, the last of which is the end, moved so that the first is 0."""
        exact = np.asarray(ticks, np.int64)
        return Clock((exact - exact[:1]).astype("<i8").tobytes(), base)

    @staticmethod
    def of_times(times: Iterable[Fraction], end: Fraction) -> "Clock":
        """The clock of times in seconds; raises ``RuleError`` where they cannot be told apart in 64 bits."""
        every = [*times, end]
        base = Fraction(1, lcm(*(time.denominator for time in every)))
        ticks = [int((time - every[0]) / base) for time in every]
        if max(map(abs, ticks)) >= 1 << 62:
            raise RuleError("These times are too precise for the length of the clip.", "times")
        return Clock.of(ticks, base)

    @cached_property
    def ticks(self) -> Ticks:
        """The times of the frames and the end, in units of ``base``."""
        return np.frombuffer(self.packed, "<i8")

    @property
    def frames(self) -> int:
        """How many frames it times."""
        return len(self.ticks) - 1

    @property
    def end(self) -> Fraction:
        """Seconds from the first frame to the end of the last."""
        return self.time(self.frames)

    @property
    def average(self) -> Fraction:
        """Frames a second from the first to the end."""
        return self.frames / self.end

    def time(self, frame: int) -> Fraction:
        """The second at which a frame comes; that of frame ``frames`` is the end."""
        return int(self.ticks[frame]) * self.base

    def place(self, time: Fraction) -> Fraction:
        """Where the clip is at a second: the frame on screen, and how much of its time is over."""
        at = time / self.base
        frame = int(np.searchsorted(self.ticks, at.numerator // at.denominator, "right")) - 1
        if not 0 <= frame < self.frames:
            return Fraction(max(0, min(frame, self.frames)))
        begins, ends = int(self.ticks[frame]), int(self.ticks[frame + 1])
        return frame + (at - begins) / (ends - begins)

    def within(self, first: int, stop: int) -> "Clock":
        """The clock of frames ``first`` to ``stop − 1`` alone."""
        if (first, stop) == (0, self.frames):
            return self
        return Clock.of(self.ticks[first : stop + 1], self.base)

    def of_frames(self, frames: Sequence[int]) -> "Clock":
        """The clock of some of the frames, in order, each of which stays until the next of them."""
        return Clock.of(np.append(self.ticks[np.asarray(frames, np.int64)], self.ticks[-1]), self.base)

    @cached_property
    def of_fields(self) -> "Clock":
        """The clock of the two fields of each frame, the second of which comes half way."""
        halves = np.empty(2 * self.frames + 1, np.int64)
        halves[::2], halves[1::2] = 2 * self.ticks, self.ticks[:-1] + self.ticks[1:]
        return Clock.of(halves, self.base / 2)

    @cached_property
    def backwards(self) -> "Clock":
        """The clock of the same frames from the last to the first."""
        return Clock.of(self.ticks[-1] - self.ticks[::-1], self.base)
