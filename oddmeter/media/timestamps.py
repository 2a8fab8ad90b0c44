"""From the timestamps of a stream to its exact rate.

Containers round timestamps to their clock: a thousandth of a second in Matroska, finer elsewhere. A rate is
believed only where every timestamp lies within one tick of the clock of where that rate puts it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from oddmeter.core.errors import RuleError
from oddmeter.core.facts import Timing
from oddmeter.core.rates import Rate


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
