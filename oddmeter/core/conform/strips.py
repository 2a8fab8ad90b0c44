"""The meter strip as data: beats, threads and the source rail of a stretch of a plan. What draws it only draws."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.maps.frame_map import RailUnit, Shown, Tally
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.pictures.scan import TimelineScan

MINI_BEATS, MINI_UNITS = 18, 36
"""A mini strip shows no more timeline frames and source units than can be told apart in its width."""
MOST_HICCUPS = 2_000
_MOST_FRAMES_WITH_HICCUPS = 50_000
_PLACES_IN_A_TURN = 12


@dataclass(frozen=True)
class Strip:
    """``frames`` timeline frames from ``first`` on. Each is a beat with what it shows, over the ``rail`` of source
    units; where there are too many to be told apart, ``columns`` add up some of them each. ``hiccups`` are timeline
    frames; ``speeds`` the line of a speed that changes, as places in timeline frames with the speed there."""

    first: int
    frames: int
    beats: tuple[Shown, ...]
    columns: tuple[Tally, ...]
    rail: tuple[RailUnit, ...]
    hiccups: tuple[int, ...]
    speeds: tuple[tuple[Fraction, Fraction], ...] = ()


def mini_strip(planned: Conform, scan: TimelineScan) -> Strip:
    """One period of a plan, as far as it can be told apart; around the first hiccup of a near miss; all of a curve."""
    frame_map = planned.frame_map
    if isinstance(frame_map, TimedMap) and planned.treatment.curve is not None:
        return strip_of(planned, scan, 0, frame_map.length, MINI_BEATS)
    length, period = frame_map.length, frame_map.period
    most = max(2, min(MINI_BEATS, int(MINI_UNITS / planned.stride)))
    count = min(length, most if period is None or period[1] > most else _periods(period[1], most))
    first = 0
    if frame_map.kind is Kind.NEAR and (spot := next(frame_map.hiccups(2), None)) is not None:
        first = max(0, min(spot - count // 2, length - count))
    return strip_of(planned, scan, first, count)


def strip_of(planned: Conform, scan: TimelineScan, first: int, count: int, columns: int | None = None) -> Strip:
    """``count`` timeline frames from ``first`` on, or as many as there are; added up in ``columns`` where that many are
    given, and a beat each otherwise."""
    frame_map, between = planned.frame_map, planned.treatment.between
    first = max(0, min(first, frame_map.length - 1))
    stop = min(first + max(1, count), frame_map.length)
    frames = stop - first
    spots = frame_map.hiccups(first, stop) if frames <= _MOST_FRAMES_WITH_HICCUPS else ()
    hiccups = tuple(spot for spot, _ in zip(spots, range(MOST_HICCUPS), strict=False))
    speeds = tuple(_speeds(planned, first, stop))
    if columns is None:
        beats = tuple(planned.shown(frame, scan) for frame in range(first, stop))
        return Strip(first, frames, beats, (), frame_map.rail(first, stop, scan, between), hiccups, speeds)
    edges = sorted({first + frames * i // columns for i in range(columns + 1)})
    return Strip(first, frames, (), frame_map.tallies(edges, scan, between), (), hiccups, speeds)


def _speeds(planned: Conform, first: int, stop: int) -> Iterator[tuple[Fraction, Fraction]]:
    """Where a curve bends: both ends of each piece, and some places within turns."""
    frame_map = planned.frame_map
    if not isinstance(frame_map, TimedMap) or planned.treatment.curve is None:
        return
    rate = frame_map.timeline_rate
    for piece in frame_map.path.pieces:
        begins, ends = max(piece.begins, first / rate), min(piece.ends, stop / rate)
        if begins < ends:
            parts = 1 if piece.is_straight else _PLACES_IN_A_TURN
            for i in range(parts + 1):
                moment = begins + (ends - begins) * Fraction(i, parts)
                yield moment * rate, piece.speed_at(moment)


def _periods(period: int, most: int) -> int:
    """As many whole periods as fit, so that a short rhythm reads as one; at least three beats of it."""
    return period * max(1, min(most // period, -(-8 // period)))
