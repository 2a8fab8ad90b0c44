"""Edits: a curve made from what is planned, and changed by one thing at a time.

Points are pinned to the picture: an edit of one moves no other point's source frame.
"""

from bisect import bisect_right
from dataclasses import dataclass, replace
from fractions import Fraction
from math import floor

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.curves import Curve, Point, SpeedOf, with_speeds
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import round_half_up


@dataclass(frozen=True)
class Drawn:
    """A curve on a clip: its points at real source frames, the timeline frame, exact, at which each comes, and the
    speeds with which it is reached and left there, pins reckoned with."""

    curve: Curve
    comes: tuple[Fraction, ...]
    speeds: tuple[tuple[Fraction, Fraction], ...]


def drawn(planned: Conform) -> Drawn:
    """The curve of a plan; of one without, a single point at the in point, with the speed it runs at."""
    first, stop = planned.span
    rate = planned.timeline_rate.value
    if planned.treatment.curve is not None and planned.course is not None:
        curve = planned.treatment.curve.on(first, stop, planned.read_rate.value)
        path, comes = planned.course.path, planned.course.comes
        goes = [moment + point.holds / rate for point, moment in zip(curve.points, comes, strict=True)]
        speeds = tuple(path.speeds_at(*both) for both in zip(comes, goes, strict=True))
        return Drawn(curve, tuple(moment * rate for moment in comes), speeds)
    only = Point(first, planned.speed, planned.speed)
    return Drawn(Curve(SpeedOf.SPEED, (only,)), (Fraction(0),), ((planned.speed, planned.speed),))


def frame_at(planned: Conform, frame: int) -> int:
    """The real source frame at a timeline frame; behind the last one the out point."""
    first, stop = planned.span
    if frame >= planned.frame_map.length:
        return stop
    unit = planned.frame_map.position(max(0, frame))
    return min(stop, first + floor(unit / planned.units_per_frame))


def speed_at(planned: Conform, frame: int) -> Fraction:
    """The speed at a timeline frame, in the curve's own measure."""
    speed = planned.speed
    if isinstance(planned.frame_map, TimedMap):
        timed = planned.frame_map
        moment = frame / timed.timeline_rate
        speed = timed.path.piece(moment).speed_at(moment)
    elif planned.course is not None:
        speed = planned.course.path.pieces[0].leaves
    return speed / measure(planned)


def measure(planned: Conform) -> Fraction:
    """Speed for each unit of the curve's own measure: of real time, or of the clip as it is read."""
    curve = planned.treatment.curve
    return planned.real_time_speed if curve is not None and curve.of is SpeedOf.PACE else Fraction(1)


def with_point(planned: Conform, frame: int) -> Curve:
    """A further point where the playhead stands, with the speed there: nothing changes, unless it lies in a turn."""
    before = drawn(planned)
    here = frame_at(planned, frame)
    if planned.treatment.curve is not None and any(point.frame == here for point in before.curve.points):
        raise RuleError(f"There is already a point at source frame {here}.", "curve")
    speed = speed_at(planned, frame).limit_denominator(10_000)
    point = Point(here, speed, speed)
    return (
        _inserted(before, frame, point)
        if planned.treatment.curve is not None
        else replace(before.curve, points=(point,))
    )


def with_moment(planned: Conform, source_frame: int, at: int | None) -> Curve:
    """A point at a moment of the picture, a real source frame, pinned to a timeline frame where one is given; the point
    that is there already, or a further one with the speed there."""
    before = drawn(planned).curve
    known = [point.frame for point in before.points] if planned.treatment.curve is not None else []
    if source_frame in known:
        return with_turn(planned, known.index(source_frame), at=at)
    comes = planned.frame_map.first_showing(planned.unit_of(source_frame))
    if comes is None:
        raise RuleError(f"Source frame {source_frame} is not shown on the timeline.", "curve")
    speed = speed_at(planned, comes).limit_denominator(10_000)
    point = Point(source_frame, speed, speed, at=at)
    if planned.treatment.curve is None:
        return replace(before, points=(point,))
    return _inserted(drawn(planned), comes, point)


def with_stretch(planned: Conform, first: int, last: int, speed: Fraction | None, frames: int | None = None) -> Curve:
    """The pictures between two timeline frames, both included, at a speed of their own, or in so many frames; what
    comes before and after keeps its speed."""
    before = drawn(planned)
    start, end = frame_at(planned, first), frame_at(planned, last + 1)
    if start >= end:
        raise RuleError("This range contains no source frame. Mark a longer one.", "curve")
    if frames is not None:
        if frames < 1:
            raise RuleError("A range fills at least one timeline frame.", "curve")
        speed = _seconds(planned, start, end) * planned.timeline_rate.value / frames / measure(planned)
    if speed is None or speed <= 0:
        raise RuleError("The speed of a range must be above 0.", "curve")
    lead = speed_at(planned, first - 1).limit_denominator(10_000) if first > 0 else speed
    goes_on = last + 1 < planned.frame_map.length
    follow = speed_at(planned, last + 1).limit_denominator(10_000) if goes_on else speed
    known = before.curve.points if planned.treatment.curve is not None else ()
    kept = [point for point in known if point.frame is not None and not start <= point.frame <= end]
    ends = [Point(start, lead, speed), Point(end, speed, follow)]
    points = sorted([*kept, *ends], key=lambda point: point.frame or 0)
    return replace(before.curve, points=tuple(points))


def with_turn(planned: Conform, number: int, **changes: object) -> Curve:
    """One point changed: its frame, speeds, hold, ease or pin."""
    curve = drawn(planned).curve
    points = [*curve.points]
    points[number] = replace(point_of(curve, number), **changes)  # type: ignore[arg-type]
    return replace(curve, points=tuple(points))


def without_point(planned: Conform, number: int) -> Curve:
    """Without one of the points; the last one that is left cannot go."""
    curve = drawn(planned).curve
    point_of(curve, number)
    if len(curve.points) == 1:
        raise RuleError("A curve needs at least one point. Give the clip one speed instead.", "curve")
    return replace(curve, points=(*curve.points[:number], *curve.points[number + 1 :]))


def with_segment(planned: Conform, number: int, speed: Fraction) -> Curve:
    """All from one point to the next at one speed; before the first at −1, after the last at the last number."""
    curve = drawn(planned).curve
    points = [*curve.points]
    if not -1 <= number < len(points):
        raise RuleError("This part of the curve does not exist.", "curve")
    if number >= 0:
        points[number] = replace(points[number], leaves=speed)
    if number + 1 < len(points):
        points[number + 1] = replace(points[number + 1], arrives=speed)
    return replace(curve, points=tuple(points))


STEP = Fraction(1, 20)
"""Speeds that are dragged or stepped go by five per cent of the curve's own measure."""


def stepped(planned: Conform, speed: Fraction, by: int = 0) -> Fraction:
    """The full step nearest to a speed as it is played, in the curve's own measure, so many steps on."""
    return (round_half_up(speed / measure(planned) / STEP) + by) * STEP


def with_speed_steps(planned: Conform, number: int, by: int) -> Curve:
    """All from a point on so many steps faster, or slower below zero."""
    now = drawn(planned)
    point_of(now.curve, number)
    return with_segment(planned, number, stepped(planned, now.speeds[number][1], by))


def measured(planned: Conform, of: SpeedOf) -> Curve:
    """The same curve with its speeds said in another measure."""
    now = drawn(planned).curve
    if now.of is of:
        return now
    life = planned.real_time_speed
    return Curve(of, with_speeds(now.points, life if of is SpeedOf.SPEED else 1 / life))


def even_speeds(planned: Conform, most: int = 6) -> tuple[Fraction, ...]:
    """The speeds at which frames fall evenly, down to the slow floor: each again half of the one before."""
    floor_speed = planned.slow_floor / measure(planned)
    return tuple(floor_speed * 2**power for power in range(most - 1, -1, -1))


def point_of(curve: Curve, number: int) -> Point:
    """A point by its number; raises ``RuleError`` where there is none."""
    if not 0 <= number < len(curve.points):
        raise RuleError("This point of the curve does not exist.", "curve")
    return curve.points[number]


def _seconds(planned: Conform, start: int, end: int) -> Fraction:
    clock = planned.material.clock
    if planned.by_times and clock is not None:
        return clock.time(end) - clock.time(start)
    return (end - start) / planned.read_rate.value


def _inserted(before: Drawn, frame: int, point: Point) -> Curve:
    place = bisect_right(before.comes, Fraction(frame))
    points = before.curve.points
    return replace(before.curve, points=(*points[:place], point, *points[place:]))
