"""Where on the timeline something is: the next drop, repeat, hiccup or cut, and where two plans differ."""

from collections.abc import Callable, Sequence
from enum import StrEnum

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.maps.frame_map import FrameKind
from oddmeter.core.pictures.scan import TimelineScan

MOST_SOUGHT = 200_000
"""Timeline frames that are looked through at most."""


class Spot(StrEnum):
    """What can be sought."""

    DIFFERENCE = "difference"
    DROP = "drop"
    REPEAT = "repeat"
    HICCUP = "hiccup"
    CUT = "cut"
    PERIOD = "period"


def frames_shown(planned: Conform, scan: TimelineScan, frame: int) -> tuple[object, ...]:
    """What a timeline frame shows, in frames and fields of the file and weights, to hold plans against each other."""
    moments = planned.shown(frame, scan).moments
    return tuple(tuple((planned.unit(unit), share) for unit, share in moment.parts) for moment in moments)


def cut_frames(planned: Conform, cuts: Sequence[int]) -> list[int]:
    """The timeline frames that first show another shot, of cuts in source frames; forwards only."""
    if planned.treatment.reverse:
        return []
    first, stop = planned.span
    spots = (planned.frame_map.first_showing(planned.unit_of(cut)) for cut in cuts if first < cut < stop)
    return sorted({spot for spot in spots if spot is not None})


def sought(
    what: Spot, planned: Conform, scan: TimelineScan, frame: int, step: int, cuts: Sequence[int],
    other: Conform | None = None,
) -> int | None:  # fmt: skip
    """The nearest timeline frame after ``frame``, or before it where ``step`` is −1, at which there is such a spot."""
    length = planned.frame_map.length
    if what is Spot.PERIOD:
        period = planned.frame_map.period
        to = frame + step * period[1] if period else -1
        return to if 0 <= to < length else None
    if what in (Spot.HICCUP, Spot.CUT):
        spots = cut_frames(planned, cuts) if what is Spot.CUT else list(planned.frame_map.hiccups(0, length))
        beyond = [spot for spot in spots if (spot - frame) * step > 0]
        return (min if step > 0 else max)(beyond, default=None)
    test = _test(what, planned, scan, other)
    end = min(length, frame + 1 + MOST_SOUGHT) if step > 0 else max(-1, frame - 1 - MOST_SOUGHT)
    return next((spot for spot in range(frame + step, end, step) if test(spot)), None)


def _test(what: Spot, planned: Conform, scan: TimelineScan, other: Conform | None) -> Callable[[int], bool]:
    between = planned.treatment.between
    if what is Spot.DROP:
        return lambda spot: planned.frame_map.passed_over(spot, scan, between) > 0
    if what is Spot.REPEAT:
        return lambda spot: planned.shown(spot, scan).kind in (FrameKind.REPEATED, FrameKind.HELD)

    def differs(spot: int) -> bool:
        if other is None:
            return False
        if spot >= other.frame_map.length:
            return True
        return frames_shown(planned, scan, spot) != frames_shown(other, scan, spot)

    return differs
