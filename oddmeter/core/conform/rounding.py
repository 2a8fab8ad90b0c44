"""Receiving systems that round: what comes out where an exact speed or rate cannot be typed in."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import lru_cache

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.maps.cadence import Cadence
from oddmeter.core.maps.straight import frames_over
from oddmeter.core.numbers.numerals import fixed_text, round_half_up


class Precision(StrEnum):
    """What a receiving system takes: exact fractions, speeds in per cent with no or two decimals, or read rates with
    two or three decimals."""

    EXACT = "exact"
    WHOLE_PERCENT = "whole-percent"
    TWO_DECIMALS = "two-decimals"
    RATE_TWO = "rate-two"
    RATE_THREE = "rate-three"

    @property
    def rounds_rates(self) -> bool:
        """True where it is the read rate that is rounded, not the speed."""
        return self in (Precision.RATE_TWO, Precision.RATE_THREE)

    @property
    def label(self) -> str:
        """What it is called: ``whole per cent``."""
        return _LABELS[self]

    @property
    def places(self) -> int:
        """Decimals that are kept."""
        return {Precision.WHOLE_PERCENT: 0, Precision.TWO_DECIMALS: 2, Precision.RATE_TWO: 2}.get(self, 3)


_LABELS = {
    Precision.EXACT: "exact fractions",
    Precision.WHOLE_PERCENT: "whole per cent",
    Precision.TWO_DECIMALS: "per cent, two decimals",
    Precision.RATE_TWO: "rates, two decimals",
    Precision.RATE_THREE: "rates, three decimals",
}


@dataclass(frozen=True)
class Rounded:
    """What a receiving system makes of a plan: the number as it takes it, the length that comes out in timeline
    frames, and by how many frames that is longer than planned (shorter below zero).

    ``at_end`` is by how many source frames the picture differs at the last timeline frame that both show.
    """

    precision: Precision
    number: str
    value: Fraction
    timeline_frames: int
    off_by: int
    at_end: Fraction


def rounded(planned: Conform, precision: Precision) -> Rounded:
    """Round half up as the receiving system does, to at least the smallest number it can take. A plan whose speed
    changes on the way is not rounded."""
    frame_map = planned.frame_map
    if precision is Precision.EXACT or planned.cadence is None:
        value = planned.speed
        return Rounded(precision, f"{value.numerator}/{value.denominator}", value, frame_map.length, 0, Fraction(0))
    near, cadence = _taken(planned, planned.cadence, precision)
    off = _longer(planned, cadence)
    last = frame_map.length + min(off, 0) - 1
    at_end = (cadence.stride - planned.cadence.stride) * last
    return Rounded(precision, near.number, near.value, frame_map.length + off, off, at_end)


def off_by(planned: Conform, precision: Precision) -> int:
    """By how many timeline frames the rounded plan is longer than the plan itself."""
    if precision is Precision.EXACT or planned.cadence is None:
        return 0
    _, cadence = _taken(planned, planned.cadence, precision)
    return _longer(planned, cadence)


@dataclass(frozen=True)
class _Near:
    number: str
    value: Fraction


def _longer(planned: Conform, cadence: Cadence) -> int:
    return frames_over(planned.frame_map.units, cadence.stride) - planned.frame_map.length


def _taken(planned: Conform, cadence: Cadence, precision: Precision) -> "tuple[_Near, Cadence]":
    exact = planned.read_rate.value if precision.rounds_rates else planned.speed
    return _rounded_cadence(cadence, exact, precision)


@lru_cache(maxsize=4096)
def _rounded_cadence(cadence: Cadence, exact: Fraction, precision: Precision) -> tuple[_Near, Cadence]:
    """What is typed in for a speed or a read rate, and the cadence that comes of it."""
    grain = 10**precision.places * (1 if precision.rounds_rates else 100)
    near = Fraction(max(1, round_half_up(exact * grain)), grain)
    number = fixed_text(near if precision.rounds_rates else near * 100, precision.places)
    taken = _Near(number if precision.rounds_rates else f"{number} %", near)
    return taken, Cadence.of(cadence.stride * near / exact)
