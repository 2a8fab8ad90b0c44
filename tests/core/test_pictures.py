"""What is read from measured pictures, on numbers made by the definition of each way to carry them."""

from collections.abc import Sequence
from fractions import Fraction
from math import floor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.pictures import repeats
from oddmeter.core.pictures.fields import STATES, Carriage, CarriagePhase, stretches
from oddmeter.core.pictures.graphics import layered
from oddmeter.core.pictures.report import OVER, Measures, Stretch, cuts
from oddmeter.core.pictures.scan import FieldOrder, Scan
from tests.core.measured import evenly, measured

FRAMES = 60


def measures(rows: Sequence[tuple[float, ...]], change: list[float] | None = None, seed: int = 1) -> Measures:
    """Measures whose energies are ``rows`` of the five pairs, with a little noise."""
    rng = np.random.default_rng(seed)
    table = np.array(rows, float) * 300 * rng.uniform(0.85, 1.15, (len(rows), 5)) + rng.uniform(0, 6, (len(rows), 5))
    table[0] = 0
    changed = np.array(change if change else [1.0] * len(rows))
    regions = np.repeat((table[:, :1] + table[:, 1:2]) / 20, 8, axis=1)
    return measured(evenly(table), changed, regions)


def carried(state: CarriagePhase, frames: int) -> list[tuple[float, ...]]:
    out = []
    for _ in range(frames):
        out.append(tuple(float(steps) ** 0.8 for steps in state.steps))
        state = state.next
    return out


def layers(film: CarriagePhase, above: CarriagePhase, frames: int, begins: int = 0) -> Measures:
    """Measures of a picture whose upper bands carry one way, and whose two lowest, which move far more, from an entry
    on another."""
    below, fields = (measures(carried(way, frames), seed=seed) for seed, way in enumerate((film, above)))
    bands = below.bands.copy()
    bands[begins:, :, 6:] = 40 * fields.bands[begins:, :, 6:]
    return measured(bands, below.change, below.regions)


FILM = CarriagePhase(Carriage.TWO_THREE, FieldOrder.UPPER, 1)
VIDEO = CarriagePhase(Carriage.FIELDS, FieldOrder.UPPER)


@pytest.mark.parametrize("film", [s for s in STATES if s.way in (Carriage.TWO_THREE, Carriage.TWO_THREE_THREE_TWO)])
def test_pulldown_is_told_apart_from_graphics_at_field_rate_above_it(film: CarriagePhase) -> None:
    both = layers(film, CarriagePhase(Carriage.FIELDS, film.first), 80)
    assert [(s.scan, s.pattern) for s in stretches(both)] == [(Scan.INTERLACED, None)], "what moves most decides"
    assert layered(both) == [Stretch(0, 79, Scan.INTERLACED, film.first, film.way.value, film.position, (6, 7))]


def test_graphics_that_come_later_are_said_from_where_they_come() -> None:
    one, other = layered(layers(FILM, VIDEO, 90, begins=41))
    assert one == Stretch(0, 40, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 1)
    assert other == Stretch(41, 89, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 2, (6, 7))
    assert other.words == ("pulldown 2:3 from position 2, upper first; above it, at the bottom, graphics at field rate")


@pytest.mark.parametrize("below", [VIDEO, CarriagePhase(Carriage.WHOLE, FieldOrder.UPPER)])
def test_nothing_is_told_apart_where_no_film_lies_beneath(below: CarriagePhase) -> None:
    found = layers(below, VIDEO, 80)
    assert layered(found) == stretches(found)
    still = layers(below, VIDEO, 80)
    still.bands[:, 1:, :6] = 0.0
    assert layered(still) == stretches(still)


@pytest.mark.parametrize("state", STATES, ids=lambda s: f"{s.way} {s.first} {s.position}")
def test_every_way_order_and_phase_is_recognised(state: CarriagePhase) -> None:
    (found,) = stretches(measures(carried(state, FRAMES)))
    if state.way is Carriage.WHOLE:
        assert found == Stretch(0, FRAMES - 1, Scan.PROGRESSIVE)
    elif state.way is Carriage.FIELDS:
        assert found == Stretch(0, FRAMES - 1, Scan.INTERLACED, state.first)
    else:
        pattern, phase = ("2:2", 1) if state.way is Carriage.SHIFTED else (state.way.value, state.position)
        assert found == Stretch(0, FRAMES - 1, Scan.INTERLACED, state.first, pattern, phase)


@given(st.sampled_from([s for s in STATES if s.way in (Carriage.TWO_THREE, Carriage.TWO_THREE_THREE_TWO)]),
       st.integers(0, 4), st.integers(30, 60))  # fmt: skip
def test_a_change_of_phase_is_found_within_a_cycle(state: CarriagePhase, after: int, edit: int) -> None:
    later = CarriagePhase(state.way, state.first, after)
    rows = carried(state, edit) + carried(later, 60)
    found = stretches(measures(rows), [edit])
    if (state.position + edit) % 5 == after:
        assert len(found) == 1
    else:
        first, second = found
        assert abs(second.first_frame - edit) <= 5 and second.phase is not None
        assert first.phase == state.position and (second.phase + edit - second.first_frame) % 5 == after


def test_what_does_not_move_tells_nothing() -> None:
    still = [(0.0, 0.0, 0.01, 0.01, 0.01)] * FRAMES
    assert [s.scan for s in stretches(measures(still))] == [Scan.UNKNOWN]


@given(
    st.sampled_from([(18, 30), (16, 24), (24, 30), (12, 24), (8, 24), (25, 30), (24, 25), (15, 25)]), st.integers(0, 9)
)
def test_repeats_and_their_pattern(rates: tuple[int, int], seed: int) -> None:
    unique, rate = rates
    count = 150
    new = [True] + [floor(n * unique / rate) != floor((n - 1) * unique / rate) for n in range(1, count)]
    found = repeats.find(measures([(1.0 if fresh else 0.004,) * 5 for fresh in new], seed=seed))
    assert found is not None and found.repeats.step == Fraction(unique, rate)
    assert found.new.tolist() == new and found.repeats.unique_frames == sum(new)


@given(st.integers(0, 9))
def test_what_rests_by_itself_is_no_repeat(seed: int) -> None:
    swing = [(abs(np.sin(n / 11)) ** 2,) * 5 for n in range(150)]
    assert repeats.find(measures(swing, seed=seed)) is None
    assert repeats.find(measures([(1.0,) * 5] * 150, seed=seed)) is None
    assert repeats.find(measures([(0.0,) * 5] * 150, seed=seed)) is None


def test_what_is_usual_is_told_by_pictures_that_are_new() -> None:
    """A webcam that delivers every sixth picture of a hand that passes: each differs much from the one before."""
    change = [14.0 if n % 6 == 0 else 0.0 for n in range(FRAMES)]
    change[30] = 19.0
    made = measures([(1.0,) * 5] * FRAMES, change)
    assert cuts(made) == []
    made.unexplained[30] = made.change[30] = 60.0
    assert cuts(made) == [30]


def test_cuts_and_not_flashes() -> None:
    change = [1.0] * FRAMES
    change[20] = 40.0
    change[40], change[43] = 50.0, 50.0
    assert cuts(measures([(1.0,) * 5] * FRAMES, change)) == [20, 40, 43]
    for length in range(1, OVER + 1):
        change[40 : 40 + OVER + 1] = [1.0] * (OVER + 1)
        change[40], change[40 + length] = 50.0, 50.0
        made = measures([(1.0,) * 5] * FRAMES, change)
        made.over[20], made.over[40 + length, length - 1] = 40.0, 1.0
        assert cuts(made) == [20], "what comes back was a flash"
