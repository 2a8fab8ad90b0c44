"""Where on the timeline something is: the next drop, repeat, hiccup or cut, and where two plans differ."""

from collections.abc import Callable, Sequence
from enum import StrEnum

from oddmeter.core.conform import Conform
from oddmeter.core.showing import Look, shown

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


def frames_shown(planned: Conform, scan: str, frame: int) -> tuple[object, ...]:
    """What a timeline frame shows, in frames and fields of the file and weights, to hold plans against each other."""
    out = []
    for weights in shown(planned, scan, frame).moments:
        parts = [(planned.unit(weights.first), 1 - weights.second_weight)]
        if weights.second_weight:
            parts.append((planned.unit(weights.second), weights.second_weight))
        out.append(tuple(parts))
    return tuple(out)


def skipped(planned: Conform, frame: int) -> int:
    """How many source units are passed over between the timeline frame before and this one."""
    if frame == 0:
        return 0
    here, before = planned.frame_map.pick(frame), planned.frame_map.pick(frame - 1)
    return max(0, abs(here - before) - 1)


def cut_frames(planned: Conform, cuts: Sequence[int]) -> list[int]:
    """The timeline frames that first show another shot, of cuts in source frames; forwards only."""
    frame_map = planned.frame_map
    if frame_map.reverse:
        return []
    first, stop = planned.span
    return sorted({spot for cut in cuts if first < cut < stop and (spot := _first_at(planned, cut)) is not None})


def sought(
    what: Spot, planned: Conform, scan: str, frame: int, step: int, cuts: Sequence[int], other: Conform | None = None
) -> int | None:
    """The nearest timeline frame after ``frame``, or before it where ``step`` is −1, at which there is such a spot."""
    length = planned.frame_map.length
    if what is Spot.PERIOD:
        to = frame + step * planned.frame_map.period[1]
        return to if 0 <= to < length else None
    if what in (Spot.HICCUP, Spot.CUT):
        spots = cut_frames(planned, cuts) if what is Spot.CUT else list(planned.frame_map.hiccups(0, length))
        beyond = [spot for spot in spots if (spot - frame) * step > 0]
        return (min if step > 0 else max)(beyond, default=None)
    test = _test(what, planned, scan, other)
    end = min(length, frame + 1 + MOST_SOUGHT) if step > 0 else max(-1, frame - 1 - MOST_SOUGHT)
    return next((spot for spot in range(frame + step, end, step) if test(spot)), None)


def _test(what: Spot, planned: Conform, scan: str, other: Conform | None) -> Callable[[int], bool]:
    if what is Spot.DROP:
        return lambda spot: skipped(planned, spot) > 0
    if what is Spot.REPEAT:
        return lambda spot: shown(planned, scan, spot).look in (Look.REPEATED, Look.HELD)

    def differs(spot: int) -> bool:
        if other is None:
            return False
        if spot >= other.frame_map.length:
            return True
        return frames_shown(planned, scan, spot) != frames_shown(other, scan, spot)

    return differs


def _first_at(planned: Conform, cut: int) -> int | None:
    """The first timeline frame that shows a source frame from ``cut`` on; frames rise, so it is found by halving."""
    low, high = 0, planned.frame_map.length
    while low < high:
        middle = (low + high) // 2
        if planned.unit(planned.frame_map.pick(middle)).frames[-1] >= cut:
            high = middle
        else:
            low = middle + 1
    return low if low < planned.frame_map.length else None
