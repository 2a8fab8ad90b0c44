"""The frame map: which place of the source every timeline frame looks at, and all that follows from that.

The one map that planning, looking, rendering and proof share. A kind of map is a class of its own: it says how long
it is, where each timeline frame looks and when each source unit begins; what is on screen, counts and spacing follow
here for all kinds, and a kind that can answer by arithmetic does so. Units count from the in point.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise
from math import floor

from oddmeter.core.decisions.treatment import Between
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import TimelineScan

PROGRESSIVE = TimelineScan.PROGRESSIVE


class FrameKind(StrEnum):
    """What a timeline frame is, beside the one before: a new source picture, the same again, a mix, a built picture, or
    one that a held rate or the end of the source holds."""

    UNIQUE = "unique"
    REPEATED = "repeated"
    MIXED = "mixed"
    MADE = "made"
    HELD = "held"


FRAME_KINDS = {
    FrameKind.UNIQUE: "●",
    FrameKind.REPEATED: "◐",
    FrameKind.MIXED: "◑",
    FrameKind.MADE: "◆",
    FrameKind.HELD: "■",
}
"""The shape drawn for each kind of frame."""


@dataclass(frozen=True)
class Weights:
    """What one moment is made of: unit ``first`` with weight 1 − ``second_weight``, and unit ``second``."""

    first: int
    second: int
    second_weight: Fraction

    @staticmethod
    def alone(unit: int) -> "Weights":
        """One unit by itself."""
        return Weights(unit, unit, Fraction(0))

    @property
    def parts(self) -> tuple[tuple[int, Fraction], ...]:
        """The units it takes, each with its share."""
        if not self.second_weight:
            return ((self.first, Fraction(1)),)
        return (self.first, 1 - self.second_weight), (self.second, self.second_weight)


@dataclass(frozen=True)
class Shown:
    """One timeline frame: its moments in time order, two where its fields show different ones; and what it is."""

    moments: tuple[Weights, ...]
    kind: FrameKind

    @property
    def units(self) -> frozenset[int]:
        """The source units it is made of."""
        return frozenset(unit for moment in self.moments for unit, _ in moment.parts)


@dataclass(frozen=True)
class Tally:
    """Timeline frames added up by what they show: new ones, repeats (held ones among them), and those mixed or built;
    and source units passed over, which no moment is made of."""

    unique: int = 0
    repeated: int = 0
    made: int = 0
    dropped: int = 0

    @property
    def frames(self) -> int:
        """Timeline frames in all."""
        return self.unique + self.repeated + self.made

    def __add__(self, other: "Tally") -> "Tally":
        return Tally(
            self.unique + other.unique, self.repeated + other.repeated, self.made + other.made,
            self.dropped + other.dropped,
        )  # fmt: skip


@dataclass(frozen=True)
class RailUnit:
    """A source unit on the rail under timeline frames: its number, and the moment, in timeline frames, at which its
    time on screen begins."""

    unit: int
    begins: Fraction


class FrameMap(ABC):
    """Which place of ``units`` source units every timeline frame looks at."""

    units: int

    @property
    @abstractmethod
    def length(self) -> int:
        """Timeline frames."""

    @abstractmethod
    def seconds(self, timeline_rate: Fraction) -> Fraction:
        """How long it runs on a timeline of that rate, exactly; the last frame may stay a little longer."""

    @abstractmethod
    def position(self, frame: int, *, late: bool = False) -> Fraction:
        """How far the source has moved at a timeline frame, in units; ``late``: at the moment of its second field.

        Raises ``RuleError`` where the clip has no such timeline frame.
        """

    @abstractmethod
    def pick(self, frame: int, *, late: bool = False) -> int:
        """The source unit on screen at that moment."""

    def weights(self, frame: int, *, late: bool = False) -> Weights:
        """The two neighbours of that moment, and how much of the second; the last good unit by itself where there is no
        next."""
        position = self.position(frame, late=late)
        first = floor(position)
        if first + 1 >= self.units:
            return Weights.alone(self._turned(self.units - 1))
        return Weights(self._turned(first), self._turned(first + 1), position - first)

    @abstractmethod
    def rail(
        self, first: int, stop: int, scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK
    ) -> tuple[RailUnit, ...]:
        """The spacing of the source under timeline frames ``first`` to ``stop − 1``, in the order of running: every
        unit that they show or pass over."""

    @property
    @abstractmethod
    def holds(self) -> bool:
        """True where pictures stay longer than a timeline frame."""

    @property
    @abstractmethod
    def held_from(self) -> int | None:
        """The first timeline frame past the last good source unit, where Mix and Flow hold it; None if none."""

    @property
    @abstractmethod
    def kind(self) -> Kind:
        """How even it looks."""

    @property
    @abstractmethod
    def period(self) -> tuple[int, int] | None:
        """Source units and timeline frames after which the pattern repeats; None where it never does."""

    @property
    @abstractmethod
    def pattern(self) -> tuple[int, ...] | None:
        """Source units moved after each timeline frame of one period; None where that is too long to write out."""

    @property
    @abstractmethod
    def hiccup_every(self) -> Fraction | None:
        """Timeline frames between two hiccups of a near miss; None for other kinds."""

    @abstractmethod
    def hiccups(self, first: int = 0, stop: int | None = None) -> Iterator[int]:
        """The timeline frames of a near miss in [first, stop) that step out of its rhythm."""

    @abstractmethod
    def first_showing(self, unit: int, scan: TimelineScan = PROGRESSIVE) -> int | None:
        """The first timeline frame that picks a source unit or one that lies beyond it on the way; None if none."""

    def picks(self) -> Iterator[int]:
        """The picked source unit of every timeline frame in turn."""
        return (self.pick(frame) for frame in range(self.length))

    def shown(self, frame: int, scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK) -> Shown:
        """What a timeline frame shows; raises ``RuleError`` outside the clip."""
        moments = self._moments(frame, scan, between)
        return Shown(moments, self._kind(frame, moments, scan, between))

    def tally(
        self, first: int = 0, stop: int | None = None, scan: TimelineScan = PROGRESSIVE,
        between: Between = Between.PICK,
    ) -> Tally:  # fmt: skip
        """Timeline frames ``first`` to ``stop − 1`` added up, and the source units that are passed over on the way to
        them; what lies behind the last frame counts there. Walks through all of them."""
        stop = self.length if stop is None else stop
        added = Tally()
        for frame in range(first, stop):
            kind = self._kind(frame, self._moments(frame, scan, between), scan, between)
            added += Tally(
                unique=int(kind is FrameKind.UNIQUE),
                repeated=int(kind in (FrameKind.REPEATED, FrameKind.HELD)),
                made=int(kind in (FrameKind.MIXED, FrameKind.MADE)),
                dropped=self.passed_over(frame, scan, between),
            )
        return added

    def tallies(
        self, edges: Sequence[int], scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK
    ) -> tuple[Tally, ...]:
        """The tally of each stretch from one edge to the next."""
        return tuple(self.tally(a, b, scan, between) for a, b in pairwise(edges))

    def passed_over(self, frame: int, scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK) -> int:
        """Source units passed over on the way to a timeline frame; for the last one, behind it too, and for the first
        one those before it, whose time on screen is none."""
        moments = self._moments(frame, scan, between)
        before = self._moments(frame - 1, scan, between)[-1:] if frame else ()
        way = [_extent(moment) for moment in (*before, *moments)]
        gaps = sum(_gap(one, other) for one, other in pairwise(way))
        ends = self._ahead(way[0]) if frame == 0 else 0
        return gaps + ends + (self._behind(way[-1]) if frame == self.length - 1 else 0)

    @property
    def dropped(self) -> int:
        """Source units that no timeline frame picks."""
        return self.tally().dropped

    @property
    def repeated(self) -> int:
        """Timeline frames that pick the same source unit as the one before."""
        return self.tally().repeated

    @abstractmethod
    def _turned(self, unit: int) -> int:
        """The unit with that number in the order of running, and the other way round."""

    def _ahead(self, extent: tuple[int, int]) -> int:
        """Source units before those shown first."""
        return 0

    @abstractmethod
    def _behind(self, extent: tuple[int, int]) -> int:
        """Source units behind those shown last."""

    def _moments(self, frame: int, scan: TimelineScan, between: Between) -> tuple[Weights, ...]:
        first = self._moment(frame, between)
        if scan is TimelineScan.PROGRESSIVE:
            return (first,)
        second = self._moment(frame, between, late=True)
        return (first,) if second == first else (first, second)

    def _moment(self, frame: int, between: Between, *, late: bool = False) -> Weights:
        if between is Between.PICK:
            return Weights.alone(self.pick(frame, late=late))
        weights = self.weights(frame, late=late)
        return weights if weights.second_weight else Weights.alone(weights.first)

    def _kind(self, frame: int, moments: tuple[Weights, ...], scan: TimelineScan, between: Between) -> FrameKind:
        if frame > 0 and moments == self._moments(frame - 1, scan, between):
            end = None if between is Between.PICK else self.held_from
            return FrameKind.HELD if self.holds or (end is not None and frame > end) else FrameKind.REPEATED
        if any(weights.second_weight for weights in moments):
            return FrameKind.MADE if between is Between.FLOW else FrameKind.MIXED
        return FrameKind.UNIQUE

    def _within(self, frame: int) -> int:
        if not 0 <= frame < self.length:
            raise RuleError(f"Timeline frame {frame} lies outside the {self.length} frames of the clip.", "frames")
        return frame


def _extent(moment: Weights) -> tuple[int, int]:
    units = [unit for unit, _ in moment.parts]
    return min(units), max(units)


def _gap(one: tuple[int, int], other: tuple[int, int]) -> int:
    """Units that lie between two moments, of neither."""
    return max(0, other[0] - one[1] - 1, one[0] - other[1] - 1)
