"""The timed map: a path of source time laid over the clock of a clip's units.

Where frames come at times of their own, or speed changes along the shot, there is no one stride. Each place is worked
out exactly; counts over a stretch go through all its ``moments`` at once.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from math import ceil, floor

import numpy as np

from oddmeter.core.decisions.treatment import Between, Takes
from oddmeter.core.maps.cadence import Cadence, Kind
from oddmeter.core.maps.frame_map import PROGRESSIVE, FrameKind, FrameMap, RailUnit, Tally, Weights
from oddmeter.core.maps.moments import Moments
from oddmeter.core.maps.paths import Path, Piece
from oddmeter.core.maps.rulers import EvenRuler, Flags, Ruler, Whole
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import TimelineScan

_AT_ONCE = 1 << 14
"""Timeline frames that are added up together: as many as stay near the processor."""
_WORST = {Kind.WHOLE: 0, Kind.EVEN: 1, Kind.NEAR: 2, Kind.ODD: 3}


@dataclass(frozen=True)
class Rhythm:
    """A stretch of timeline frames, ``first`` to ``stop − 1``, that runs at one speed, and its cadence; None where
    speed turns, frames come at their own times, or the source runs backwards or rests."""

    first: int
    stop: int
    leaves: Fraction
    arrives: Fraction
    cadence: Cadence | None


@dataclass(frozen=True)
class TimedMap(FrameMap):
    """A frame map of a path over the times of units: timeline frame j looks at what is on screen in the source at the
    moment j / T.

    ``held`` as in a straight map. In ``reverse`` the clip runs from its last unit to its first; the path then says how.
    ``is_part`` where it is a window of the source: what lies before its first frame and behind its last is not passed
    over.
    """

    path: Path
    ruler: Ruler
    units: int
    timeline_rate: Fraction
    held: Fraction = Fraction(1)
    reverse: bool = False
    is_part: bool = False
    shutter: Fraction = Fraction(1, 2)

    def __post_init__(self) -> None:
        if self.units < 1:
            raise RuleError("There are no frames between the in and out points.", "frames")
        if self.held < 1:
            raise RuleError("A held rate cannot be higher than the timeline rate.", "held")

    @property
    def holds(self) -> bool:
        """True where pictures stay longer than a timeline frame."""
        return self.held != 1

    @cached_property
    def length(self) -> int:
        """Timeline frames: ⌈T · seconds of the path⌉."""
        return max(1, ceil(self.timeline_rate * self.path.lasts))

    def seconds(self, timeline_rate: Fraction) -> Fraction:
        """The seconds of the path."""
        return self.path.lasts * self.timeline_rate / timeline_rate

    def moment(self, frame: int | Fraction, *, late: bool = False) -> Fraction:
        """The second of the timeline at which a frame looks at the source; half a frame later at its second field."""
        if self.holds:
            return self.held * floor(frame / self.held) / self.timeline_rate
        return (frame + Fraction(late, 2)) / self.timeline_rate

    def position(self, frame: int, *, late: bool = False) -> Fraction:
        """How far from its first unit, the last in reverse, the source has moved."""
        return max(Fraction(0), self.ruler.place(self.path.at(self.moment(self._within(frame), late=late))))

    def closes(self, frame: int, *, late: bool = False) -> Fraction:
        """The place at the moment (j + q) / T."""
        moment = self.moment(self._within(frame), late=late) + self.shutter / self.timeline_rate
        return self.ruler.place(self.path.at(moment))

    def pick(self, frame: int, *, late: bool = False) -> int:
        """The source unit on screen: ⌊x⌋, and on the way back the one whose time is run through from its end."""
        moment = self.moment(self._within(frame), late=late)
        source, way = self.path.at(moment), self.path.piece(moment).way
        unit = self.ruler.unit_before(source) if way < 0 else floor(self.ruler.place(source))
        return self._turned(max(0, min(self.units - 1, unit)))

    def picks(self) -> Iterator[int]:
        """The picked source unit of every timeline frame in turn."""
        shown = self._grid(0, self._picture(self.length - 1) + 1, 1).picks
        return (self._turned(int(shown[self._picture(frame)])) for frame in range(self.length))

    def rail(
        self, first: int, stop: int, scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK
    ) -> tuple[RailUnit, ...]:
        """The spacing of the source under timeline frames ``first`` to ``stop − 1``, in the order of running: every
        unit that they show or pass over, again where it is run over again; on turns near enough to draw."""
        stop = min(stop, self.length)
        begin, end = self.moment(first), stop / self.timeline_rate
        out: list[RailUnit] = []
        for piece, a, b in self._pieces_between(begin, end):
            one, other = self.ruler.place(piece.at(a)), self.ruler.place(piece.at(b))
            if piece.way >= 0:
                units: Sequence[int] = range(floor(one), max(floor(one) + 1, floor(other)))
            else:
                units = range(ceil(one) - 1, min(ceil(one) - 1, ceil(other)) - 1, -1)
            for unit in units:
                if 0 <= unit < self.units and not (out and out[-1].unit == unit):
                    out.append(RailUnit(unit, self._begins(piece, unit, a)))
        shown = [self._turned(unit) for unit in self.shown(stop - 1, scan, between).units]
        last = self.units - 1 if stop == self.length and self.path.pieces[-1].way > 0 else max(shown)
        if self.path.pieces[-1].way >= 0 or not out:
            piece = self.path.piece(end)
            known = out[-1].unit if out else -1
            out += [RailUnit(unit, self._begins(piece, unit, end)) for unit in range(known + 1, last + 1)]
        return tuple(RailUnit(self._turned(unit.unit), unit.begins) for unit in out)

    @property
    def held_from(self) -> int | None:
        """The first timeline frame past the last good source unit, where Mix and Flow hold it; None if none."""
        piece = self.path.pieces[-1]
        if piece.way <= 0 or self.length == 0:
            return None
        last, mark = self.length - 1, self.units - 1
        if self.position(last) <= mark:
            return None
        frame = self._picture(last)
        while frame > 0 and self.position(ceil((frame - 1) * self.held)) > mark:
            frame -= 1
        return ceil(frame * self.held)

    @property
    def kind(self) -> Kind:
        """As uneven as its least even stretch; where speed turns or frames come at their own times, odd."""
        if self.held.denominator != 1:
            return Kind.ODD
        kinds = [rhythm.cadence.kind if rhythm.cadence else Kind.ODD for rhythm in self.rhythms]
        worst = max(kinds, key=_WORST.__getitem__, default=Kind.ODD)
        return Kind.EVEN if worst is Kind.WHOLE and self.holds else worst

    @cached_property
    def rhythms(self) -> tuple[Rhythm, ...]:
        """Its stretches in turn, each with the speed it begins and ends with; those without a timeline frame of their
        own are left out."""
        out = []
        for piece, following in zip(self.path.pieces, (*self.path.pieces[1:], None), strict=True):
            first = max(0, ceil(piece.begins * self.timeline_rate))
            stop = ceil(following.begins * self.timeline_rate) if following else self.length
            if first < stop:
                out.append(Rhythm(first, stop, piece.leaves, piece.arrives, self._cadence(piece)))
        return tuple(out)

    @property
    def period(self) -> None:
        """None: nothing repeats from end to end."""
        return None

    @property
    def pattern(self) -> None:
        """None: there is no one pattern."""
        return None

    @property
    def hiccup_every(self) -> None:
        """None: each stretch has its own."""
        return None

    def hiccups(self, first: int = 0, stop: int | None = None) -> Iterator[int]:
        """The timeline frames in [first, stop) that step out of the rhythm of a stretch that is a near miss."""
        stop = self.length if stop is None else min(stop, self.length)
        for rhythm in self.rhythms:
            if rhythm.cadence is None or rhythm.cadence.kind is not Kind.NEAR:
                continue
            a, b = self._picture(rhythm.first - 1) + 1 if rhythm.first else 0, self._picture(rhythm.stop - 1) + 1
            around = ceil(3 * (1 / rhythm.cadence.nearest_even + 1))
            low = max(a, self._picture(max(0, first)) - around)
            high = min(b, self._picture(max(0, stop - 1)) + around)
            for picture in _out_of_step(
                self._grid(low, high, 1).picks, rhythm.cadence.nearest_even, whole=low == a == 0
            ):
                spot = ceil((low + picture) * self.held)
                if first <= spot < stop:
                    yield spot

    def first_showing(self, unit: int, scan: TimelineScan = PROGRESSIVE) -> int | None:
        """The first timeline frame that picks a source unit or one that lies beyond it on the way; None if none."""
        place, fields = max(0, self._turned(unit)), self._fields(scan)
        if place >= self.units:
            return None
        shown = self._grid(0, self._picture(self.length - 1) + 1, fields).picks
        beyond = shown >= place
        found = int(np.argmax(beyond))
        return ceil(found // fields * self.held) if beyond[found] else None

    def tally(
        self, first: int = 0, stop: int | None = None, scan: TimelineScan = PROGRESSIVE,
        between: Between = Between.PICK,
    ) -> Tally:  # fmt: skip
        """Timeline frames ``first`` to ``stop − 1`` added up, and the source units passed over on the way to them; of
        the whole, those that are shown on no way."""
        stop = self.length if stop is None else min(stop, self.length)
        if stop <= first:
            return Tally()
        overlaps = between.takes is Takes.PASSING and self._fields(scan) == 2
        if (first, stop) != (0, self.length) or (not overlaps and all(piece.way >= 0 for piece in self.path.pieces)):
            # What is passed over on the only way is shown on none; but a shutter that opens for a second field may have
            # taken what the next field passes over.
            edges = [*range(first, stop, _AT_ONCE), stop]
            parts = (self.tallies(part, scan, between)[0] for part in pairwise(edges))
            return sum(parts, Tally())
        begin, grid = self._grid_over(first, stop, scan)
        (added,) = self._tallied((first, stop), begin, grid, between)
        low, high = grid.extents(between)
        begun = np.zeros(self.units + 1, np.int64)
        np.add.at(begun, low, 1)
        np.add.at(begun, high + 1, -1)
        seen = np.cumsum(begun[:-1]) > 0
        if self.is_part:
            seen = seen[int(low.min()) : int(high.max()) + 1]
        return Tally(added.unique, added.repeated, added.made, len(seen) - int(np.count_nonzero(seen)))

    def tallies(
        self, edges: Sequence[int], scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK
    ) -> tuple[Tally, ...]:
        """The tally of each stretch from one edge to the next, all in one go."""
        begin, grid = self._grid_over(edges[0], min(edges[-1], self.length), scan)
        return self._tallied(edges, begin, grid, between)

    def _grid_over(self, first: int, stop: int, scan: TimelineScan) -> tuple[int, Moments]:
        """The moments of timeline frames ``first`` to ``stop − 1`` and the picture before them; and its number."""
        begin = max(0, self._picture(first) - 1)
        return begin, self._grid(begin, self._picture(stop - 1) + 1, self._fields(scan))

    def _tallied(self, edges: Sequence[int], begin: int, grid: Moments, between: Between) -> tuple[Tally, ...]:
        stop = min(edges[-1], self.length)
        new, made, passed = grid.kinds(between)
        if begin == 0 and not self.is_part:
            passed[0] += int(grid.extents(between)[0][0])
        built_new = new & made
        ends = [min(edge, self.length) for edge in edges]
        places = [self._pictures_from(edge) - begin for edge in ends]
        sums = [_added(values, places) for values in (new, built_new, passed)]
        out = []
        for (a, b), fresh, built, dropped in zip(pairwise(ends), *sums, strict=True):
            out.append(Tally(fresh - built, b - a - fresh, built, dropped))
        if stop == self.length and not self.is_part:
            out[-1] += Tally(dropped=self.units - 1 - int(grid.extents(between)[1][-1]))
        return tuple(out)

    def _kind(self, frame: int, moments: tuple[Weights, ...], scan: TimelineScan, between: Between) -> FrameKind:
        kind = super()._kind(frame, moments, scan, between)
        rests = kind is FrameKind.REPEATED and self.path.piece(self.moment(frame)).rests
        return FrameKind.HELD if rests else kind

    def _ahead(self, extent: tuple[int, int]) -> int:
        if self.is_part:
            return 0
        return self.units - 1 - extent[1] if self.reverse else extent[0]

    def _behind(self, extent: tuple[int, int]) -> int:
        if self.is_part:
            return 0
        return extent[0] if self.reverse else self.units - 1 - extent[1]

    def _turned(self, unit: int) -> int:
        return self.units - 1 - unit if self.reverse else unit

    def _fields(self, scan: TimelineScan) -> int:
        return 1 if self.holds or scan is TimelineScan.PROGRESSIVE else 2

    def _picture(self, frame: int) -> int:
        """Which picture is on screen."""
        return floor(frame / self.held)

    def _pictures_from(self, frame: int) -> int:
        """The first picture that begins at a timeline frame or after it."""
        return floor((frame - 1) / self.held) + 1

    def _cadence(self, piece: Piece) -> Cadence | None:
        if not piece.is_straight or piece.way <= 0 or not isinstance(self.ruler, EvenRuler):
            return None
        return Cadence.of(piece.leaves * self.ruler.rate * self.held / self.timeline_rate)

    def _pieces_between(self, begin: Fraction, end: Fraction) -> Iterator[tuple[Piece, Fraction, Fraction]]:
        """The pieces from one moment to another, each with the moments between which it counts."""
        pieces = self.path.pieces
        for number, piece in enumerate(pieces):
            a = max(begin, piece.begins)
            b = end if number == len(pieces) - 1 else min(end, pieces[number + 1].begins)
            if a < b:
                yield piece, a, b

    def _begins(self, piece: Piece, unit: int, near: Fraction) -> Fraction:
        """The moment, in timeline frames, at which a unit's time on screen begins within a piece."""
        if piece.rests:
            return near * self.timeline_rate
        return piece.when(self.ruler.time(unit + (piece.way < 0))) * self.timeline_rate

    def _grid(self, first: int, stop: int, fields: int) -> Moments:
        """The moments of pictures ``first`` to ``stop − 1`` in turn."""
        step = self.held / self.timeline_rate / fields
        numbers = range(first * fields, stop * fields)
        return Moments(self.path, self.ruler, self.units, fields, numbers, step, self.shutter, self.timeline_rate)


def _out_of_step(picks: Whole, even: Fraction, *, whole: bool) -> list[int]:
    """The pictures, counted within ``picks``, that step out of a rhythm: those after a step other than u; or of runs
    of m alike the one that is too many, or comes too early. Runs cut off at either end say nothing; at the front they
    do where ``whole``."""
    steps = np.diff(picks)
    if even >= 1:
        return [int(i) + 1 for i in np.flatnonzero(steps != even.numerator)]
    starts = [0, *(int(i) + 1 for i in np.flatnonzero(steps))]
    runs = list(pairwise(starts))
    out = []
    for a, b in runs if whole else runs[1:]:
        if b - a != even.denominator:
            out.append(b - 1 if b - a > even.denominator else b)
    if len(picks) - starts[-1] > even.denominator and (whole or len(starts) > 1):
        out.append(len(picks) - 1)
    return out


def _added(values: Flags | Whole, places: Sequence[int]) -> list[int]:
    """What lies between each place and the next, added up."""
    if len(places) == 2:
        return [int(np.sum(values[places[0] : places[1]]))]
    totals = np.concatenate([[0], np.cumsum(values)])[places]
    return [int(difference) for difference in np.diff(totals)]
