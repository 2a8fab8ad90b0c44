"""Mixed standards conversions by their breathing, on energies made by the definition of the mix."""

from fractions import Fraction
from math import ceil, floor

import numpy as np
import numpy.typing as npt
import pytest

from oddmeter.core.pictures.blends import CONVERSIONS, Conversion, blended, likeness
from oddmeter.core.pictures.report import Measures
from oddmeter.core.pictures.scan import FieldOrder
from tests.core.measured import evenly, measured


def energies(conversion: Conversion, first: str, frames: int, seed: int = 3) -> Measures:
    """Measures of a clip whose every unit mixes two source units, each source step changing by about as much."""
    rng = np.random.default_rng(seed)
    steps = rng.uniform(0.8, 1.25, 4 * frames)

    def energy(a: int, b: int) -> float:
        low, high = min(a, b) * conversion.step, max(a, b) * conversion.step
        zero, one = Fraction(0), Fraction(1)
        total = 0.0
        for s in range(floor(low), ceil(high) + 1):
            part = min(max(high - s, zero), one) - min(max(low - s, zero), one)
            total += 400 * float(part) ** 2 * float(steps[s])
        return total

    rows = []
    for n in range(2, frames + 2):
        early, late = (2 * n, 2 * n + 1) if conversion.in_fields else (n, n)
        back = 2 if conversion.in_fields else 1
        upper, lower = (early, late) if first == FieldOrder.UPPER else (late, early)
        rows.append([energy(upper, upper - back), energy(lower, lower - back), energy(upper, lower),
                     energy(upper, lower - back), energy(lower, upper - back)])  # fmt: skip
    return of_pairs(np.array(rows))


def of_pairs(table: npt.NDArray[np.float64]) -> Measures:
    return measured(evenly(table), np.zeros(len(table)), table[:, :1])


@pytest.mark.parametrize("conversion", CONVERSIONS, ids=lambda c: f"{c.step} {'fields' if c.in_fields else 'frames'}")
@pytest.mark.parametrize("first", [FieldOrder.UPPER, FieldOrder.LOWER])
def test_every_conversion_is_recognised(conversion: Conversion, first: str) -> None:
    assert likeness(energies(conversion, first, 120)) > 0.7
    assert blended(energies(conversion, first, 120))


@pytest.mark.parametrize("seed", range(8))
def test_plain_fields_and_frames_do_not_breathe(seed: int) -> None:
    for in_fields in (True, False):
        plain = energies(Conversion(Fraction(1), in_fields), FieldOrder.UPPER, 120, seed)
        assert likeness(plain) < 0.4 and not blended(plain)


def test_what_is_short_or_still_tells_nothing() -> None:
    short = energies(CONVERSIONS[0], FieldOrder.UPPER, 20)
    assert likeness(short) == 0
    assert likeness(of_pairs(np.zeros((100, 5)))) == 0
