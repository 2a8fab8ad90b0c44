"""Gauges, rolls and the measure of known duration."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.evidence.film import GAUGES, Roll, gauge, known_duration
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate


def test_the_gauge_table() -> None:
    frames = {"8mm": 80, "super-8": 72, "9.5mm": Fraction(404, 10), "16mm": 40, "35mm": 16}
    assert {g.id: g.frames_a_foot for g in GAUGES} == frames
    assert round(gauge("super-8").frames_a_metre, 2) == round(Fraction("236.22"), 2)
    with pytest.raises(RuleError):
        gauge("70mm")


def test_a_roll_is_frames_and_never_a_rate() -> None:
    roll = Roll.of_length(gauge("super-8"), Fraction("15.24"))
    assert roll.frames == 3600 and roll.feet == 50
    assert roll.seconds(Rate.of(18)) == 200 and roll.seconds(Rate.of(24)) == 150
    for wrong in (0, -1, 10**9):
        with pytest.raises(RuleError):
            Roll.of_length(gauge("16mm"), Fraction(wrong))


@given(st.sampled_from(GAUGES), st.integers(1, 10**6))
def test_length_and_frames_agree_both_ways(film: object, frames: int) -> None:
    assert Roll.of_length(film, Roll(film, frames).metres).frames == frames  # type: ignore[arg-type]


@given(
    st.integers(8, 60), st.fractions(Fraction(1, 2), 60, max_denominator=1000),
    st.fractions(0, 20, max_denominator=1000),
    st.fractions(Fraction(-1, 10), Fraction(1, 10), max_denominator=1000),
)  # fmt: skip
def test_the_true_rate_lies_within_the_margin(rate: int, duration: Fraction, start: Fraction, slip: Fraction) -> None:
    """Whenever the event falls within the marked frames, and the watch is off by no more than its doubt."""
    first, last = int(start * rate), int((start + duration) * rate)
    assert last - first >= 2
    found = known_duration(first, last, duration + slip, Fraction(1, 10))
    assert found.lowest <= rate <= found.highest
    assert found.lowest < found.rate < found.highest


def test_usual_speeds_within_the_margin_are_named() -> None:
    found = known_duration(0, 143, Fraction(8), Fraction(1, 10))
    assert found.usual == (18,) and found.words.startswith("17.88 ± ")
    for wrong in ((5, 5, 1, 0), (0, 1, 1, 0), (0, 100, 0, 0), (0, 100, 2, 3), (9, 3, 1, 0)):
        with pytest.raises(RuleError):
            known_duration(wrong[0], wrong[1], Fraction(wrong[2]), Fraction(wrong[3]))
