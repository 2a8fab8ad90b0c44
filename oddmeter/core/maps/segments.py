"""From the points of a curve to the path it takes through a clip (docs/model.md, Speed curves and Pins)."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from oddmeter.core.decisions.curves import Point
from oddmeter.core.maps.paths import SOFT, Ease, Path, joined, mean_speed
from oddmeter.core.numbers.errors import RuleError

Time = Callable[[int], Fraction]
"""The source second at which a real source frame of the file comes."""
_STRAIGHT: Ease = (Fraction(1), Fraction(1))


@dataclass(frozen=True)
class Scaled:
    """The factor by which all speeds between two pinned points were multiplied; from the in point on, ``from_point``
    is 0."""

    from_point: int
    to_point: int
    by: Fraction


@dataclass(frozen=True)
class _Segment:
    """From one point to the next: source seconds, which are below zero backwards, and the speeds at its ends."""

    length: Fraction
    leaves: Fraction
    arrives: Fraction
    ease: Ease = _STRAIGHT

    @property
    def lasts(self) -> Fraction:
        return self.length / mean_speed(self.leaves, self.arrives, self.ease) if self.length else Fraction(0)


@dataclass(frozen=True)
class Course:
    """The path of a curve, the factors of its pinned sections, and the timeline second at which each point comes."""

    path: Path
    scaled: tuple[Scaled, ...]
    comes: tuple[Fraction, ...]


def course_of(points: Sequence[Point], time: Time, first: int, stop: int, timeline_rate: Fraction) -> Course:
    """The course of points at real source frames through frames ``first`` to ``stop − 1``, at speeds in source seconds
    a second. Raises ``RuleError`` with which point is impossible, and why."""
    segments = [*_towards(points, time, first, stop), _after(points[-1], time, first, stop)]
    scaled = tuple(_scaled(points, segments, timeline_rate))
    factors = {number: change.by for change in scaled for number in _section(points, change.to_point)}

    comes, moment = [], Fraction(0)
    parts: list[tuple[Fraction, Fraction, Fraction, Ease]] = []
    for number, segment in enumerate(segments):
        by = factors.get(number, Fraction(1))
        parts.append((segment.lasts / by, segment.leaves * by, segment.arrives * by, segment.ease))
        moment += segment.lasts / by
        if number < len(points):
            comes.append(moment)
            parts.append((points[number].holds / timeline_rate, Fraction(0), Fraction(0), SOFT))
            moment += parts[-1][0]
    return Course(joined(time(first), parts), scaled, tuple(comes))


def _towards(points: Sequence[Point], time: Time, first: int, stop: int) -> Iterator[_Segment]:
    """The segments that lead to each point; to the first one from the in point, at the speed it is reached with."""
    here, leaves, ease = first, points[0].arrives, _STRAIGHT
    for number, point in enumerate(points):
        name = f"point {number + 1}"
        if point.frame is None or not first <= point.frame <= stop:
            used = f"{first} to {stop - 1}"
            raise RuleError(f"Curve: {name} is at frame {point.frame}, outside {used}.", "curve")
        segment = _Segment(time(point.frame) - time(here), leaves, point.arrives, ease)
        _check(segment, name, here, point.frame)
        yield segment
        here, leaves, ease = point.frame, point.leaves, point.ease


def _check(segment: _Segment, name: str, here: int, there: int) -> None:
    if segment.leaves * segment.arrives < 0:
        raise RuleError(f"Curve: {name} is reached in the other direction. Reverse at a speed of 0.", "curve")
    if not segment.length:
        return
    speed = mean_speed(segment.leaves, segment.arrives, segment.ease)
    if speed == 0:
        raise RuleError(f"Curve: {name} is never reached, since the picture holds at frame {here}.", "curve")
    if (speed > 0) != (segment.length > 0):
        way = "backwards" if speed < 0 else "forwards"
        raise RuleError(f"Curve: {name} at frame {there} is never reached {way} from frame {here}.", "curve")


def _after(point: Point, time: Time, first: int, stop: int) -> _Segment:
    """What follows the last point: on to the out point, back to the in point, or nothing."""
    assert point.frame is not None
    end = stop if point.leaves > 0 else first if point.leaves < 0 else point.frame
    return _Segment(time(end) - time(point.frame), point.leaves, point.leaves)


def _pins(points: Sequence[Point]) -> list[int]:
    """The numbers of the pinned points; before them −1, the in point."""
    return [-1, *(number for number, point in enumerate(points) if point.at is not None)]


def _section(points: Sequence[Point], to_point: int) -> range:
    """The segments between a pinned point and the pin before it."""
    pins = _pins(points)
    return range(pins[pins.index(to_point) - 1] + 1, to_point + 1)


def _scaled(points: Sequence[Point], segments: Sequence[_Segment], timeline_rate: Fraction) -> Iterator[Scaled]:
    for before, number in pairwise(_pins(points)):
        from_at, at = points[before].at or 0 if before >= 0 else 0, points[number].at
        assert at is not None
        holds = sum(point.holds for point in points[max(0, before) : number])
        room = Fraction(at - from_at - holds) / timeline_rate
        taken = sum((segment.lasts for segment in segments[before + 1 : number + 1]), Fraction(0))
        if room == taken == 0:
            continue
        name = f"point {number + 1}"
        if room <= 0:
            raise RuleError(f"Curve: nothing fits before {name}, which is pinned at {at}.", "curve")
        if taken == 0:
            raise RuleError(f"Curve: {name} cannot be pinned at {at}, since nothing before it can be slowed.", "curve")
        yield Scaled(max(0, before), number, taken / room)
