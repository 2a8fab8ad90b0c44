"""From the timestamps of a stream to its exact rate.

Containers round timestamps to their clock: a thousandth of a second in Matroska, finer elsewhere. A rate is
believed only where every timestamp lies within one tick of the clock of where that rate puts it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from oddmeter.core.evidence.facts import MOST_INTERVALS, Timing
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate


@dataclass(frozen=True)
class Measured:
    """The rate that timestamps show: exact, or the average where timing is variable.

    ``rate`` is None where there are too few timestamps and nothing was stated.
    """

    timing: Timing
    rate: Rate | None
    average: Fraction | None


def measure(ticks: Sequence[int], clock: Fraction, stated: Iterable[Fraction | None]) -> Measured:
    """The rate of a stream from its sorted timestamps.

    ``ticks`` are presentation times in units of ``clock`` seconds; ``stated`` are the container's own claims in
    order of belief, used only where the timestamps agree with them, or where there are too few to tell.
    """
    claims = [claim for value in stated if value and (claim := _snapped(value))]
    first_claim = claims[0] if claims else None
    span = ticks[-1] - ticks[0] if ticks else 0
    if len(ticks) < 2 or span <= 0:
        return Measured(Timing.CONSTANT, first_claim, None)
    steps = len(ticks) - 1
    average = steps / (span * clock)
    lowest = steps / ((span + 1) * clock)
    highest = steps / ((span - 1) * clock) if span > 1 else average
    simplest = _simplest_between(lowest, highest)
    candidates = [*claims, _snapped(simplest), _snapped(average), _plain(simplest), _plain(average)]
    for rate in candidates:
        if rate is not None and fits(ticks, clock, rate):
            return Measured(Timing.CONSTANT, rate, average)
    return Measured(Timing.VARIABLE, _snapped(average), average)


def clock_of(ticks: Sequence[int], end: int, clock: Fraction) -> Clock:
    """The clock of sorted timestamps. The last frame stays to ``end``, or as long as the one before where packets do
    not say how long they last."""
    last = ticks[-1] + max(1, ticks[-1] - ticks[-2])
    return Clock.of([*ticks, end if end > ticks[-1] else last], clock)


def fits(ticks: Sequence[int], clock: Fraction, rate: Rate) -> bool:
    """True where every timestamp lies within one tick of the even grid of ``rate``."""
    step = 1 / (rate.value * clock)
    a, b = step.numerator, step.denominator
    if a.bit_length() + len(ticks).bit_length() > 62:
        return False
    measured = np.asarray(ticks, np.int64) - ticks[0]
    whole, rest = np.divmod(np.arange(len(ticks), dtype=np.int64) * a, b)
    late = np.clip(measured - whole, -3, 3) * b
    return bool(np.all((late >= rest - b) & (late <= rest + b)))


def duplicates(ticks: Sequence[int]) -> int:
    """Frames that have the time of the one before, in sorted timestamps."""
    return len(ticks) - len(set(ticks))


def gaps(ticks: Sequence[int]) -> int:
    """Places in otherwise even timestamps where at least one frame is missing.

    Only where nearly all frames keep one interval: in times that wander, a long one is no gap.
    """
    steps = _steps(ticks)
    usual = float(np.median(steps)) if len(steps) else 0.0
    if usual <= 0:
        return 0
    even = np.abs(steps - usual) <= max(1.0, 0.02 * usual)
    return int((steps > 1.6 * usual).sum()) if even.mean() > 0.9 else 0


def intervals(ticks: Sequence[int], clock: Fraction) -> tuple[tuple[Fraction, int], ...]:
    """The histogram of frame lengths: seconds, shortest first, each with how many frames last so long.

    Where there are more than ``MOST_INTERVALS`` lengths they are put together in as many steps of equal width,
    but the shortest and the longest stay exact.
    """
    steps = _steps(ticks)
    lengths, counts = np.unique(steps, return_counts=True)
    if len(lengths) > MOST_INTERVALS:
        edges = np.linspace(float(lengths[0]), float(lengths[-1]), MOST_INTERVALS + 1)
        place = np.clip(np.searchsorted(edges, lengths, side="right") - 1, 0, MOST_INTERVALS - 1)
        binned = np.bincount(place, weights=counts, minlength=MOST_INTERVALS).astype(np.int64)
        middles = np.rint((edges[:-1] + edges[1:]) / 2).astype(np.int64)
        middles[0], middles[-1] = lengths[0], lengths[-1]
        lengths, counts = middles[binned > 0], binned[binned > 0]
    return tuple((int(length) * clock, int(count)) for length, count in zip(lengths, counts, strict=True))


def _steps(ticks: Sequence[int]) -> npt.NDArray[np.int64]:
    times = np.asarray(ticks, np.int64)
    return times[1:] - times[:-1]


def _snapped(value: Fraction) -> Rate | None:
    try:
        return Rate.snap(value)
    except RuleError:
        return None


def _plain(value: Fraction) -> Rate | None:
    try:
        return Rate(value)
    except RuleError:
        return None


def _simplest_between(low: Fraction, high: Fraction) -> Fraction:
    """The fraction with the smallest denominator in [low, high]."""
    whole = low.numerator // low.denominator
    if whole == low or whole + 1 <= high:
        return Fraction(whole if whole == low else whole + 1)
    return whole + 1 / _simplest_between(1 / (high - whole), 1 / (low - whole))
