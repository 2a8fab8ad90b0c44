"""Standards conversion by mixing: each field a weighted mix of the two nearest fields of another standard.

Such a file cannot be taken apart again cleanly. It is recognised by its breathing: how much neighbouring fields
differ rises and falls with the weights, in a rhythm that the two rates dictate, and apart for each field.
"""

from dataclasses import dataclass
from fractions import Fraction
from math import ceil, floor

import numpy as np
import numpy.typing as npt

from oddmeter.core.pictures.report import Measures
from oddmeter.core.pictures.scan import FieldOrder

_LEAST_MOTION = 25.0
_LEAST_FRAMES = 40
_LEAST_LIKENESS = 0.5
"""Correlation between measured and expected breathing from which a mix is believed."""


@dataclass(frozen=True)
class Conversion:
    """Source units for each unit of the file: fields where ``in_fields``, else frames."""

    step: Fraction
    in_fields: bool


CONVERSIONS = (
    Conversion(Fraction(5, 6), True),
    Conversion(Fraction(6, 5), True),
    Conversion(Fraction(5, 6), False),
    Conversion(Fraction(6, 5), False),
    Conversion(Fraction(4, 5), False),
)


def blended(measures: Measures) -> bool:
    """True where the fields or frames breathe as a mixed conversion does."""
    return likeness(measures) >= _LEAST_LIKENESS


def likeness(measures: Measures) -> float:
    """The best correlation of the measured breathing with that of any conversion, any phase and either field
    first; 0 where too little moves."""
    series = measures.energies[2:]
    moving = measures.motion[2:] >= _LEAST_MOTION
    if moving.sum() < _LEAST_FRAMES:
        return 0.0
    measured = _breathing(np.log(series + 1.0))
    best = 0.0
    for conversion in CONVERSIONS:
        for first in (FieldOrder.UPPER, FieldOrder.LOWER) if conversion.in_fields else (FieldOrder.UPPER,):
            period = conversion.step.denominator
            for phase in range(period):
                expected = _expected(conversion, first, phase, len(series))
                used = expected.std(axis=0) > 0
                a, b = measured[moving][:, used].ravel(), expected[moving][:, used].ravel()
                spread = float(a.std() * b.std())
                if spread > 0:
                    best = max(best, float(((a - a.mean()) * (b - b.mean())).mean()) / spread)
    return best


def _breathing(logarithms: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Each series without what changes slowly: the mean over thirty frames around is taken away."""
    width = min(31, len(logarithms) // 2 * 2 - 1)
    kernel = np.ones(width) / width
    padded = np.pad(logarithms, ((width // 2, width // 2), (0, 0)), mode="edge")
    slow = np.stack([np.convolve(column, kernel, mode="valid") for column in padded.T], axis=1)
    return np.asarray(np.clip(logarithms - slow, -1.5, 1.5))


def _expected(conversion: Conversion, first: str, phase: int, count: int) -> npt.NDArray[np.float64]:
    """Logarithms of the energies between the five pairs of fields, as the weights dictate, without their mean."""
    period = conversion.step.denominator * (2 if conversion.in_fields else 1)
    rows = []
    for frame in range(2, 2 + period):
        early, late = (2 * frame, 2 * frame + 1) if conversion.in_fields else (frame, frame)
        early_before, late_before = (early - 2, late - 2) if conversion.in_fields else (frame - 1, frame - 1)
        upper, lower, upper_before, lower_before = early, late, early_before, late_before
        if first == FieldOrder.LOWER:
            upper, lower, upper_before, lower_before = lower, upper, lower_before, upper_before
        pairs = (
            (upper, upper_before),
            (lower, lower_before),
            (upper, lower),
            (upper, lower_before),
            (lower, upper_before),
        )
        places = [tuple((unit + phase) * conversion.step for unit in pair) for pair in pairs]
        rows.append([_energy(*place) for place in places])
    energies = np.log(np.array(rows) + 0.05)
    energies -= energies.mean(axis=0)
    return np.asarray(energies[np.arange(count) % period])


def _energy(a: Fraction, b: Fraction) -> float:
    """Energy of the difference between the mixes at two places, where each source step changes as much as the next."""
    low, high = min(a, b), max(a, b)

    def reached(place: Fraction, step: int) -> Fraction:
        return min(max(place - step, Fraction(0)), Fraction(1))

    return float(sum((reached(high, step) - reached(low, step)) ** 2 for step in range(floor(low), ceil(high) + 1)))
