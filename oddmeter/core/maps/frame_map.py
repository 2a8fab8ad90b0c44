"""The frame map: which place of the source every timeline frame looks at, and all that follows from that.

The one map that planning, looking, rendering and proof share. A kind of map is a class of its own: it says how long
it is, where each timeline frame looks and when each source unit begins; what is on screen, counts and spacing follow
here for all kinds, and a kind that can answer by arithmetic does so. Units count from the in point.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise
from math import ceil, floor

from oddmeter.core.decisions.treatment import Between, Takes
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import TimelineScan

PROGRESSIVE = TimelineScan.PROGRESSIVE


class FrameKind(StrEnum):
    """What a timeline frame is, beside the one before: a new source picture, the same again, a mix, a built picture,
    one that an open shutter gathers, or one that a held rate or the end of the source holds."""

    UNIQUE = "unique"
    REPEATED = "repeated"
    MIXED = "mixed"
    MADE = "made"
    GATHERED = "gathered"
    HELD = "held"


OF_SEVERAL = frozenset({FrameKind.MIXED, FrameKind.MADE, FrameKind.GATHERED})
"""The kinds of frames that are made of more than one source picture."""
FRAME_KINDS = {
    FrameKind.UNIQUE: "●",
    FrameKind.REPEATED: "◐",
    FrameKind.MIXED: "◑",
    FrameKind.MADE: "◆",
    FrameKind.GATHERED: "▲",
    FrameKind.HELD: "■",
}
"""The shape drawn for each kind of frame."""


@dataclass(frozen=True)
class Weights:
    """What one moment is made of: units in the order of running, each with its share, one in all. Where an open shutter
    gathered them, ``opened`` are the places at which it opened and closed."""

    parts: tuple[tuple[int, Fraction], ...]
    opened: tuple[Fraction, Fraction] | None = field(default=None, compare=False)

    @staticmethod
    def alone(unit: int) -> "Weights":
        """One unit by itself."""
        return Weights(((unit, Fraction(1)),))

    @staticmethod
    def pair(first: int, second: int, share: Fraction) -> "Weights":
        """Two units, the second with a share."""
        return Weights(((first, 1 - share), (second, share))) if share else Weights.alone(first)

    @staticmethod
    def picked(place: Fraction, units: int, way: int = 1) -> "Weights":
        """The unit on screen at a place, of so many: ⌊x⌋, and on the way back the one that is run through from its
        end."""
        unit = ceil(place) - 1 if way < 0 else floor(place)
        return Weights.alone(max(0, min(units - 1, unit)))

    @staticmethod
    def mixed(place: Fraction, units: int) -> "Weights":
        """The two neighbours of a place, of so many units, and how much of the second; the first or the last by itself
        where there is no other."""
        first = floor(place)
        if place <= 0 or first + 1 >= units:
            return Weights.alone(0 if place <= 0 else units - 1)
        return Weights.pair(first, first + 1, place - first)

    @staticmethod
    def gathered(opens: Fraction, closes: Fraction, units: int) -> "Weights":
        """All units over which a shutter is open, each by the time that it is on screen meanwhile; never beyond the
        first or the last of so many. ``closes`` lies behind ``opens`` on the way, either way; they are not the same."""
        low, high = max(Fraction(0), min(opens, closes)), min(Fraction(units), max(opens, closes))
        if low >= high:
            return Weights.alone(0 if high <= 0 else units - 1)
        span = high - low
        shares = [
            (i, (min(high, Fraction(i + 1)) - max(low, Fraction(i))) / span) for i in range(floor(low), ceil(high))
        ]
        return Weights(tuple(shares if opens < closes else reversed(shares)), (opens, closes))

    @property
    def first(self) -> int:
        """The first of its units."""
        return self.parts[0][0]

    @property
    def is_alone(self) -> bool:
        """True where it is made of one unit only."""
        return len(self.parts) == 1

    @property
    def beyond_first(self) -> Fraction:
        """The share of all units but the first."""
        return 1 - self.parts[0][1]


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
    """Timeline frames added up by what they show: new ones, repeats (held ones among them), and those made of several
    source pictures: mixed, built or gathered; and source units passed over, which no moment is made of."""

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
    """Which place of ``units`` source units every timeline frame looks at. ``shutter`` is the share of a timeline frame
    for which Gather stays open."""

    units: int
    shutter: Fraction

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
        return self._in_order(Weights.mixed(self.position(frame, late=late), self.units))

    @abstractmethod
    def closes(self, frame: int, *, late: bool = False) -> Fraction:
        """How far the source has moved when a shutter closes that opened at that moment; as far as it would run where
        it has no ends."""

    def gathered(self, frame: int, *, late: bool = False) -> Weights:
        """What an open shutter takes at that moment (docs/model.md, What a timeline frame shows); where the source does
        not run fast enough for that, the unit on screen."""
        opens, closes = self.position(frame, late=late), self.closes(frame, late=late)
        if not gathers(opens, closes, self.shutter):
            return Weights.alone(self.pick(frame, late=late))
        return self._in_order(Weights.gathered(opens, closes, self.units))

    def _in_order(self, weights: Weights) -> Weights:
        """Weights of places in the order of running as those of units."""
        return Weights(tuple((self._turned(unit), share) for unit, share in weights.parts), weights.opened)

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
                made=int(kind in OF_SEVERAL),
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
        if between.takes is Takes.SHOWN:
            return Weights.alone(self.pick(frame, late=late))
        return self.gathered(frame, late=late) if between.takes is Takes.PASSING else self.weights(frame, late=late)

    def _kind(self, frame: int, moments: tuple[Weights, ...], scan: TimelineScan, between: Between) -> FrameKind:
        if frame > 0 and moments == self._moments(frame - 1, scan, between):
            end = self.held_from if between.takes is Takes.BESIDE else None
            return FrameKind.HELD if self.holds or (end is not None and frame > end) else FrameKind.REPEATED
        if any(not weights.is_alone for weights in moments):
            if between.takes is Takes.PASSING:
                return FrameKind.GATHERED
            return FrameKind.MADE if between.along_motion else FrameKind.MIXED
        return FrameKind.UNIQUE

    def _within(self, frame: int) -> int:
        if not 0 <= frame < self.length:
            raise RuleError(f"Timeline frame {frame} lies outside the {self.length} frames of the clip.", "frames")
        return frame


LEAST_GATHERED = 2
"""The stride from which on a shutter gathers: below it hardly a frame would be dropped."""


def gathers(opens: Fraction, closes: Fraction, shutter: Fraction) -> bool:
    """True where the source runs fast enough between two places, over a share of a timeline frame, to be gathered."""
    return abs(closes - opens) >= LEAST_GATHERED * shutter


def _extent(moment: Weights) -> tuple[int, int]:
    units = [unit for unit, _ in moment.parts]
    return min(units), max(units)


def _gap(one: tuple[int, int], other: tuple[int, int]) -> int:
    """Units that lie between two moments, of neither."""
    return max(0, other[0] - one[1] - 1, one[0] - other[1] - 1)
