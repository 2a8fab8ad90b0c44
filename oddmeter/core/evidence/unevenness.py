"""How uneven a clip's own times are: jitter about one rate, stretches of rates of their own, spots where a time is
missing or there twice. A property of the clip, not damage."""

from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate

import numpy as np
import numpy.typing as npt

from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.rates import Rate, rate_text

MOST_STRETCHES = 24
MOST_SPOTS = 50
_STANDARD = (8, 10, 12, 15, 16, 18, 20, 24, 25, 30, 48, 50, 60, 72, 90, 96, 100, 120, 150, 180, 200, 240, 480, 960)
_NEAR = 0.015
"""How far the rate of a stretch may lie from the standard one that explains it."""
_WANDERS = 0.4
"""Of its interval, how much longer or shorter a frame that jitters about a standard rate may last."""
_LOOK, _REMEMBERED = 4, 60
_OTHER = 1.25
"""Intervals that are on the whole so many times longer, or shorter, begin another stretch."""
_FEW = 0.1
_MISSING = 1.75
"""An interval so many times the usual one of its stretch has a frame missing in it; at most ``_FEW`` of them do."""


@dataclass(frozen=True)
class ClockStretch:
    """Frames ``first`` to ``last`` of a clip that come at one rate, ``standard`` where it is one within its jitter, and
    how many seconds at most one of them lasts longer or shorter than that."""

    first: int
    last: int
    rate: Fraction
    standard: bool
    jitter: Fraction

    @property
    def words(self) -> str:
        """``frames 60 to 539 at 240``."""
        rate = rate_text(self.rate) if self.standard else decimal_text(self.rate, 2)
        return f"frames {self.first} to {self.last} at {rate}"


@dataclass(frozen=True)
class Unevenness:
    """The stretches of a clock in turn, or one where its rate is ``changing`` all the time; frames that have the time
    of the next one, and those after which one is missing (the first ``MOST_SPOTS`` of each)."""

    stretches: tuple[ClockStretch, ...]
    twice: tuple[int, ...] = ()
    missing: tuple[int, ...] = ()
    changing: bool = False

    @property
    def nominal(self) -> Rate | None:
        """The standard rate about which the whole clip jitters; None where no one rate explains it."""
        if len(self.stretches) != 1 or not self.stretches[0].standard:
            return None
        return Rate(self.stretches[0].rate)

    @property
    def words(self) -> str:
        """``30, never quite even: frames up to 2.4 ms longer or shorter``; or the stretches."""
        if self.changing:
            return "its rate changes all the time"
        if len(self.stretches) > 1:
            return ", ".join(stretch.words for stretch in self.stretches)
        (one,) = self.stretches
        spots = len(self.missing)
        gaps = f"; frames are missing at {spots} {'place' if spots == 1 else 'places'}" if spots else ""
        rate = rate_text(one.rate) if one.standard else f"about {decimal_text(one.rate, 2)}"
        return f"{rate}, never quite even: frames up to {decimal_text(one.jitter * 1000, 1)} ms longer or shorter{gaps}"


def unevenness(clock: Clock) -> Unevenness:
    """What a clock is like."""
    ticks = clock.ticks
    steps = np.diff(ticks).astype(np.float64)
    seconds = float(clock.base)
    whole = _stretch(ticks, 0, len(steps) - 1, seconds)
    twice = tuple(int(i) for i in np.flatnonzero(steps[:-1] == 0)[:MOST_SPOTS])
    if whole.standard:
        return Unevenness((whole,), twice, _missing(steps, (whole,)))
    bounds = _bounds(steps[:-1].tolist())
    if len(bounds) > MOST_STRETCHES:
        return Unevenness((whole,), twice, changing=True)
    found = tuple(_stretch(ticks, a, b - 1, seconds) for a, b in zip(bounds, [*bounds[1:], len(steps)], strict=True))
    return Unevenness(found, twice, _missing(steps, found))


def _missing(steps: npt.NDArray[np.float64], stretches: tuple[ClockStretch, ...]) -> tuple[int, ...]:
    """The frames after which one is missing: that stay far longer than is usual in their stretch."""
    out: list[int] = []
    for stretch in stretches:
        own = steps[stretch.first : stretch.last]
        usual = float(np.median(own)) if len(own) else 0.0
        out += [stretch.first + int(i) for i in np.flatnonzero(own > _MISSING * usual)] if usual else []
    return tuple(out[:MOST_SPOTS])


def _bounds(steps: list[float]) -> list[int]:
    """Where stretches begin: where the next few intervals are longer or shorter than those so far, on the whole."""
    bounds, begin, at = [0], 0, _LOOK
    sums = [0.0, *accumulate(steps)]
    while at + _LOOK <= len(steps):
        known = (sums[at] - sums[max(begin, at - _REMEMBERED)]) / (at - max(begin, at - _REMEMBERED))
        ahead = (sums[at + _LOOK] - sums[at]) / _LOOK
        if known > 0 and not 1 / _OTHER <= ahead / known <= _OTHER:
            while at > begin + 1 and abs(steps[at - 1] - ahead) < abs(steps[at - 1] - known):
                at -= 1
            while at + 1 < len(steps) and abs(steps[at] - ahead) > abs(steps[at] - known):
                at += 1
            if at - begin >= _LOOK:
                bounds.append(at)
            begin, at = at, at + _LOOK
        else:
            at += 1
    return bounds


def _stretch(ticks: npt.NDArray[np.int64], first: int, last: int, seconds: float) -> ClockStretch:
    lengths = np.diff(ticks[first : last + 2]) * seconds
    own = lengths[:-1] if len(lengths) > 1 else lengths
    usual = float(np.median(own)) or float(own.mean()) or seconds
    holes = own > _MISSING * usual
    if float(holes.mean()) > _FEW:
        holes[:] = False
    measured = float(np.where(holes, np.rint(own / usual), 1.0).sum()) / (float(own.sum()) or seconds)
    rate = min(_RATES, key=lambda usual: abs(float(usual) - measured))
    off = _off(own[~holes], float(rate))
    if abs(float(rate) / measured - 1) <= _NEAR and off * float(rate) <= _WANDERS:
        return ClockStretch(first, last, rate, True, Fraction(round(off * 1e6), 1_000_000))
    off = _off(own[~holes], measured)
    return ClockStretch(
        first, last, Fraction(measured).limit_denominator(100_000), False, Fraction(round(off * 1e6), 1_000_000)
    )


_RATES = tuple(Fraction(n) for n in _STANDARD) + tuple(
    Fraction(n * 1000, 1001) for n in _STANDARD if n % 12 == 0 or n % 15 == 0
)


def _off(lengths: npt.NDArray[np.float64], rate: float) -> float:
    """Seconds by which a frame lasts longer or shorter than at a rate, at most."""
    return float(np.abs(lengths - 1 / rate).max()) if len(lengths) else 0.0
