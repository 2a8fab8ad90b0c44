"""Places: where something is, by a number that says what it counts, and every way from one count to another.

A source is counted in its own frames (``SourceFrame``), in seconds (``Seconds``) and in the numbers of its timecode
(``Label``); a timeline in its frames (``TimelinePlace``). A bare number is none of them, and none of them is another:
what takes one of these does not type-check with anything else. A ``SourceClock`` leads from frames to seconds and back,
``Labelling`` from frames to labels and back (docs/model.md, Places).
"""

from dataclasses import dataclass, replace
from fractions import Fraction
from math import floor
from typing import NewType

from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop, frames_in_day, of_any_day, relabelled

SourceFrame = NewType("SourceFrame", Fraction)
"""A place in a source in its own frames, from 0; 3.5 is where half the time of frame 3 is over, however long it
stays. Below 0 before the source begins."""

BEGINNING = SourceFrame(Fraction(0))
"""The first moment of a source."""

Seconds = NewType("Seconds", Fraction)
"""Seconds from the first frame of a source, exactly."""


@dataclass(frozen=True)
class TimelinePlace:
    """A moment of a timeline: its ``frames`` from the start at the timeline's own ``rate``."""

    frames: Fraction
    rate: Rate

    @property
    def seconds(self) -> Seconds:
        """Seconds from the timeline's start."""
        return Seconds(self.frames / self.rate.value)

    @staticmethod
    def at(seconds: Seconds, rate: Rate) -> "TimelinePlace":
        """The moment so many seconds from the start of a timeline of that rate."""
        return TimelinePlace(seconds * rate.value, rate)

    def by(self, rate: Rate) -> "TimelinePlace":
        """The same moment in frames of another rate."""
        return TimelinePlace.at(self.seconds, rate)


@dataclass(frozen=True)
class Label:
    """A number of a source's timecode: the ``count`` of labels from 00:00:00:00 at ``rate``, a part of one where it
    lies between two; ``drop`` is True where the numbers skip as drop-frame does, None where nothing says it."""

    count: Fraction
    rate: Rate
    drop: bool | None = None

    def later(self, labels: Fraction) -> "Label":
        """So many labels later; below zero earlier."""
        return replace(self, count=self.count + labels)

    @property
    def since_zero(self) -> Seconds:
        """Seconds since 00:00:00:00, as labels come evenly at their rate."""
        return Seconds(self.count / self.rate.value)

    def recounted(self, rate: Rate) -> "Label":
        """The same hours, minutes and seconds, and the same part of the second, counted at another rate. Timecode
        counts nominal frames, so that this is not the same time where only one of them is of the 1000/1001 family."""
        return replace(self, count=self.count * rate.nominal / self.rate.nominal, rate=rate)

    def renumbered(self, drop: bool) -> "Label":
        """The label that is written the same where numbers skip, or do not; the same where they are counted so already,
        nothing says how, or its rate has no drop-frame."""
        if self.drop in (None, drop) or not can_drop(self.rate):
            return self
        whole = floor(self.count)
        now = relabelled(of_any_day(whole, self.rate, not drop), self.rate, drop)
        return replace(self, count=self.count + now.frames - whole, drop=drop)

    def timecode(self, drop: bool | None = None) -> Timecode:
        """The timecode of the frame that it lies in; counted in drop-frame or not as said, or as its own."""
        dropping = bool(self.drop if drop is None else drop) and can_drop(self.rate)
        return of_any_day(floor(self.count), self.rate, dropping)


@dataclass(frozen=True)
class SourceClock:
    """How a source's frames go by: evenly at ``rate``, or by ``times`` of their own; beyond its ends at ``rate``."""

    rate: Rate
    times: Clock | None = None

    def second(self, place: SourceFrame) -> Seconds:
        """When a place comes."""
        times = self.times
        if times is None or place < 0:
            return Seconds(place / self.rate.value)
        frame = floor(place)
        if frame >= times.frames:
            return Seconds(times.end + (place - times.frames) / self.rate.value)
        return Seconds(times.time(frame) + (place - frame) * (times.time(frame + 1) - times.time(frame)))

    def frame(self, second: Seconds) -> SourceFrame:
        """The place that comes at a second."""
        times = self.times
        if times is None or second < 0:
            return SourceFrame(second * self.rate.value)
        if second >= times.end:
            return SourceFrame(times.frames + (second - times.end) * self.rate.value)
        return SourceFrame(times.place(second))


@dataclass(frozen=True)
class Labelling:
    """How the frames of a source are labelled: its frame 0 by ``first``, or 00:00:00:00 where it has no timecode, and
    from there evenly at ``rate``, also where the ``clock`` has frames that do not come evenly. ``frames`` is how many
    it has."""

    clock: SourceClock
    rate: Rate
    frames: int
    first: Timecode | None = None

    def label(self, place: SourceFrame) -> Label:
        """The label at a place."""
        since = place if self.clock.times is None else self.clock.second(place) * self.rate.value
        first = self.first
        return Label((first.frames if first else 0) + since, self.rate, first.drop if first else None)

    def place(self, label: Label) -> SourceFrame:
        """The place of a label, by its number, past midnight too. Where it lies before the source's first, or the
        source has no timecode, and within its length from zero, it counts from the source's beginning."""
        from_zero = self._behind(label.recounted(self.rate).count)
        since = self.place_since_first(label)
        return from_zero if since < 0 <= from_zero < self.frames else since

    def place_since_first(self, label: Label) -> SourceFrame:
        """The place of a label counted from the source's first, below 0 before it."""
        if self.first is None:
            return self._behind(label.recounted(self.rate).count)
        since = label.renumbered(self.first.drop).recounted(self.rate).count - self.first.frames
        if since < 0:
            next_day = self._behind(since + frames_in_day(self.first.rate, self.first.drop))
            if next_day < self.frames:
                return next_day
        return self._behind(since)

    def _behind(self, labels: Fraction) -> SourceFrame:
        """The place so many labels behind frame 0."""
        return SourceFrame(labels) if self.clock.times is None else self.clock.frame(Seconds(labels / self.rate.value))
