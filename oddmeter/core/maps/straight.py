"""The straight map: a stride laid over a clip of a certain length, held or not, forwards or back.

All of it is arithmetic on the stride k = a/b in lowest terms, so a question about four hours costs what one about a
second does.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from math import ceil, floor

from oddmeter.core.decisions.treatment import Between, Takes
from oddmeter.core.maps.cadence import LONGEST_PATTERN, Cadence, Kind
from oddmeter.core.maps.frame_map import LEAST_GATHERED, OF_SEVERAL, PROGRESSIVE, FrameKind, FrameMap, RailUnit, Tally
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import TimelineScan

_AT_THE_END = 4
"""Moments at the end that are looked at one by one: there the last good unit may be held."""


@dataclass(frozen=True)
class StraightMap(FrameMap):
    """A frame map of one stride: timeline frame j looks at x(j) = k · j.

    ``held`` is how many timeline frames each picture stays (a held rate H gives T / H, 1 where nothing is held):
    picture i begins at timeline frame ⌈i · held⌉ and shows the source as it is at the moment i · held. In ``reverse``
    the source units are counted from the last one back.
    """

    cadence: Cadence
    units: int
    held: Fraction = Fraction(1)
    reverse: bool = False
    shutter: Fraction = Fraction(1, 2)

    def __post_init__(self) -> None:
        if self.units < 1:
            raise RuleError("There are no frames between the in and out points.", "frames")
        if self.held.numerator < self.held.denominator:
            raise RuleError("A held rate cannot be higher than the timeline rate.", "held")

    @staticmethod
    def of(stride: Fraction, units: int, held: Fraction = Fraction(1), *, reverse: bool = False) -> "StraightMap":
        """The map of a stride over that many source units."""
        return StraightMap(Cadence.of(stride), units, held, reverse)

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
        return frames_over(self.units, self.stride)

    def seconds(self, timeline_rate: Fraction) -> Fraction:
        """n / (k · T)."""
        return self.units / (self.stride * timeline_rate)

    def position(self, frame: int, *, late: bool = False) -> Fraction:
        """How far from its first unit, the last in reverse, the source has moved: x(j) = k · j, and k · (j + ½) at the
        second field; where pictures are held longer than a frame, both fields show the same one."""
        place = self._place(self._within(frame))
        return place + self.stride / 2 if late and not self.holds else place

    def closes(self, frame: int, *, late: bool = False) -> Fraction:
        """x(j) + q · k."""
        return self.position(frame, late=late) + self.stride * self.shutter

    def pick(self, frame: int, *, late: bool = False) -> int:
        """The source unit ⌊x⌋ on screen at that moment."""
        return self._turned(min(self.units - 1, floor(self.position(frame, late=late))))

    def picks(self) -> Iterator[int]:
        """The picked source unit of every timeline frame in turn."""
        a, b = self.stride.numerator, self.stride.denominator
        if not self.holds and not self.reverse:
            return (j * a // b for j in range(self.length))
        return (self._turned(floor(self._place(j))) for j in range(self.length))

    def rail(
        self, first: int, stop: int, scan: TimelineScan = PROGRESSIVE, between: Between = Between.PICK
    ) -> tuple[RailUnit, ...]:
        """The spacing of the source under timeline frames ``first`` to ``stop − 1``, in the order of running: every
        unit that they show or pass over."""
        stop = min(stop, self.length)
        start = min(map(self._turned, self.shown(first, scan, between).units))
        end = max(*map(self._turned, self.shown(stop - 1, scan, between).units), floor(self.stride * stop) - 1)
        last = self.units - 1 if stop == self.length else min(self.units - 1, end)
        return tuple(RailUnit(self._turned(place), place / self.stride) for place in range(start, last + 1))

    def first_showing(self, unit: int, scan: TimelineScan = PROGRESSIVE) -> int | None:
        """The first timeline frame that picks a source unit or one that lies beyond it on the way; None if none."""
        place = max(0, self._turned(unit))
        if self.holds:
            frame = ceil(ceil(place / self.pictures.stride) * self.held)
        else:
            early = Fraction(0) if scan is TimelineScan.PROGRESSIVE else Fraction(1, 2)
            frame = max(0, ceil(place / self.stride - early))
        return frame if frame < self.length and place < self.units else None

    def tally(
        self, first: int = 0, stop: int | None = None, scan: TimelineScan = PROGRESSIVE,
        between: Between = Between.PICK,
    ) -> Tally:  # fmt: skip
        """Timeline frames ``first`` to ``stop − 1`` added up, and the source units passed over on the way to them; what
        lies behind the last frame counts there."""
        stop = self.length if stop is None else min(stop, self.length)
        if stop <= first:
            return Tally()
        if between.takes is Takes.PASSING and self.stride < LEAST_GATHERED:
            between = Between.PICK
        if self._fields(scan) == 1 and not self.holds and between.takes is Takes.SHOWN and stop - first == self.length:
            shown = min(self.length, self.units)
            return Tally(shown, self.length - shown, 0, self.units - shown)
        counted = self._counted(first, stop, scan, between)
        return Tally(counted.unique, counted.repeated, counted.made, self._dropped(first, stop, scan, between))

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

    def _counted(self, first: int, stop: int, scan: TimelineScan, between: Between) -> Tally:
        """Frames by kind: those before the last good unit by arithmetic, a few at its edge one by one; all that follow
        hold it. A frame of a held picture repeats it but for the first one."""
        fields = self._fields(scan)
        a, b = self._pictures_from(first), self._pictures_from(stop)
        edge = ceil((self.units - 1) / self._step(fields)) // fields
        body = self._of_body(min(a, edge), min(b, edge), fields, between)
        at_edge = range(max(a, edge), min(b, edge + 2))
        kinds = [self.shown(ceil(picture * self.held), scan, between).kind for picture in at_edge]
        made = body.made + sum(kind in OF_SEVERAL for kind in kinds)
        unique = body.unique + kinds.count(FrameKind.UNIQUE)
        return Tally(unique, stop - first - unique - made, made)

    def _of_body(self, a: int, b: int, fields: int, between: Between) -> Tally:
        """Pictures a to b − 1, all of whose moments lie before the last good unit."""
        count, step = b - a, self._step(fields)
        if between.takes is Takes.PASSING:
            made = self._gathered_from(a, b, fields, between)
            return Tally(unique=count - made, made=made)
        if between.takes is not Takes.SHOWN:
            whole = step.denominator
            in_place = 0 if fields == 2 else -(-b // whole) - -(-a // whole)
            made = 0 if whole == 1 else count - in_place
            return Tally(unique=count - made, made=made)
        # A picture repeats the one before where its last moment still shows what that one's first moment does.
        span = step * (2 * fields - 1)
        later = max(a, 1)
        if span >= 1 or later >= b:
            return Tally(unique=count)
        stride, n = step * fields, b - later
        here = stride * later + step * (fields - 1)
        new = _floor_sum(n, stride, here) - _floor_sum(n, stride, here - span)
        return Tally(unique=new + (later - a), repeated=n - new)

    def _gathered_from(self, a: int, b: int, fields: int, between: Between) -> int:
        """Of pictures a to b − 1, those for which a shutter is open over more than one unit: all, or so many of each
        period."""
        if self.stride * self.shutter > 1:
            return b - a
        step = self._step(fields)
        period = (step * fields).denominator

        def several(picture: int) -> bool:
            extents = (self._extent(picture * fields + field, step, between) for field in range(fields))
            return any(high > low for low, high in extents)

        whole, rest = divmod(b - a, period)
        once = sum(several(picture) for picture in range(a, a + period)) if whole else 0
        return whole * once + sum(several(picture) for picture in range(b - rest, b))

    def _dropped(self, first: int, stop: int, scan: TimelineScan, between: Between) -> int:
        fields = self._fields(scan)
        step = self._step(fields)
        a, b = fields * self._pictures_from(first), fields * self._pictures_from(stop)
        last = fields * self._pictures_from(self.length) - _AT_THE_END
        calm = min(b, max(a, last, 1))
        gaps = self._passed(max(a, 1), calm, step, between)
        way = [self._extent(m, step, between) for m in range(max(0, max(a, calm) - 1), b)]
        gaps += sum(max(0, there[0] - here[1] - 1) for here, there in pairwise(way))
        return gaps + (self.units - 1 - self._extent(b - 1, step, between)[1] if stop == self.length else 0)

    def _passed(self, a: int, b: int, step: Fraction, between: Between) -> int:
        """Units between moments m − 1 and m, of neither, for m from a to b − 1."""
        dark = step - self.stride * self.shutter if between.takes is Takes.PASSING else step
        if b <= a or dark < (2 if between.takes is Takes.BESIDE else 1):
            return 0
        if between.takes is Takes.SHOWN:
            return floor(step * (b - 1)) - floor(step * (a - 1)) - (b - a)
        if between.takes is Takes.PASSING:
            return _floor_sum(b - a, step, step * a) + _floor_sum(b - a, -step, dark - step * a)
        up = -_floor_sum(b - a, -step, -step * (a - 1))
        return _floor_sum(b - a, step, step * a) - up - (b - a)

    def _extent(self, moment: int, step: Fraction, between: Between) -> tuple[int, int]:
        place, last = step * moment, self.units - 1
        if between.takes is Takes.PASSING:
            upper = ceil(place + self.stride * self.shutter) - 1
        else:
            upper = floor(place) if between.takes is Takes.SHOWN else ceil(place)
        return min(last, floor(place)), min(last, upper)

    def _fields(self, scan: TimelineScan) -> int:
        """Moments of a picture: two where a timeline frame shows its fields each at its own."""
        return 1 if self.holds or scan is TimelineScan.PROGRESSIVE else 2

    def _step(self, fields: int) -> Fraction:
        """Units from moment to moment."""
        return self.stride * self.held / fields

    def _pictures_from(self, frame: int) -> int:
        """The first picture that begins at a timeline frame or after it."""
        return (frame - 1) * self.held.denominator // self.held.numerator + 1

    def _picture(self, frame: int) -> int:
        """Which picture is on screen."""
        return frame * self.held.denominator // self.held.numerator

    def _place(self, frame: int) -> Fraction:
        return self.stride * (self.held * self._picture(frame) if self.holds else frame)

    def _turned(self, unit: int) -> int:
        return self.units - 1 - unit if self.reverse else unit

    def _behind(self, extent: tuple[int, int]) -> int:
        return extent[0] if self.reverse else self.units - 1 - extent[1]


def frames_over(units: int, stride: Fraction) -> int:
    """The length of a straight map in timeline frames: ⌈n / k⌉."""
    return -(-units * stride.denominator // stride.numerator)


def _floor_sum(count: int, slope: Fraction, start: Fraction) -> int:
    """Σ ⌊start + slope · i⌋ for i from 0 to count − 1, in about as many steps as the digits of the numbers."""
    m = slope.denominator * start.denominator
    a, b = slope.numerator * start.denominator, start.numerator * slope.denominator
    total, n = 0, count
    while n > 0:
        total += n * (n - 1) // 2 * (a // m) + n * (b // m)
        a, b = a % m, b % m
        top = a * n + b
        if top < m:
            break
        n, b, a, m = top // m, top % m, m, a
    return total
