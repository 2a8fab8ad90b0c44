"""The meter strip as data: beats, threads and the source rail of a stretch of a plan. What draws it only draws."""

from dataclasses import dataclass
from itertools import pairwise

from oddmeter.core.conform.cadence import Kind
from oddmeter.core.conform.frame_map import RailUnit, Shown, Tally
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.pictures.scan import TimelineScan

MINI_BEATS, MINI_UNITS = 18, 36
"""A mini strip shows no more timeline frames and source units than can be told apart in its width."""
MOST_HICCUPS = 2_000
_MOST_FRAMES_WITH_HICCUPS = 50_000


@dataclass(frozen=True)
class Strip:
    """``frames`` timeline frames from ``first`` on. Each is a beat with what it shows, over the ``rail`` of source
    units; where there are too many to be told apart, ``columns`` add up some of them each. ``hiccups`` are timeline
    frames."""

    first: int
    frames: int
    beats: tuple[Shown, ...]
    columns: tuple[Tally, ...]
    rail: tuple[RailUnit, ...]
    hiccups: tuple[int, ...]


def mini_strip(planned: Conform, scan: TimelineScan) -> Strip:
    """One period of a plan, as far as it can be told apart; around the first hiccup of a near miss."""
    frame_map = planned.frame_map
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
    if columns is None:
        beats = tuple(planned.shown(frame, scan) for frame in range(first, stop))
        return Strip(first, frames, beats, (), frame_map.rail(first, stop, scan, between), hiccups)
    edges = sorted({first + frames * i // columns for i in range(columns + 1)})
    added = tuple(planned.tally(scan, a, b) for a, b in pairwise(edges))
    return Strip(first, frames, (), added, (), hiccups)


def _periods(period: int, most: int) -> int:
    """As many whole periods as fit, so that a short rhythm reads as one; at least three beats of it."""
    return period * max(1, min(most // period, -(-8 // period)))
