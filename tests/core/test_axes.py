"""Axes: round numbers to write, and what a place snaps to."""

from fractions import Fraction

import pytest

from oddmeter.core.cutting.commands import Command, Edit, with_snapping
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList
from oddmeter.core.cutting.listed import Marker, SourceKind
from oddmeter.core.numbers.axes import round_marks, round_step, snapped
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings

PAL = Rate.of(25)


@pytest.mark.parametrize(("least", "step"), [(0, 1), ("1/3", 1), (3, 5), (5, 5), (6, 10), (11, 20), (2001, 5000)])
def test_a_step_is_one_two_or_five_of_a_power_of_ten(least: int | str, step: int) -> None:
    assert round_step(Fraction(least)) == step


def test_an_axis_is_numbered_from_the_first_round_number_in_it() -> None:
    assert list(round_marks(3, 63, 14)) == list(range(5, 63, 5))
    assert list(round_marks(0, 10, 14)) == [*range(10)]
    assert list(round_marks(90, 1_000_090, 5)) == [200_000, 400_000, 600_000, 800_000, 1_000_000]


@pytest.mark.parametrize(
    ("place", "within", "spot"), [(11, 2, 10), (13, 2, 13), (15, 5, 10), (17, 4, 20), (1, 5, 1), (100, 500, 20)]
)
def test_a_place_snaps_to_the_nearest_spot_in_reach_and_never_before_the_start(
    place: int, within: int, spot: int
) -> None:
    assert snapped(place, [20, 10, -1], within) == spot


@pytest.mark.parametrize(
    ("edit", "typed", "lands"),
    [
        (Edit.TRIM_TAIL, "+8", 7), (Edit.TRIM_TAIL, "+3", 3), (Edit.TRIM_HEAD, "-2", -3), (Edit.MOVE, "+16", 17),
        (Edit.REFIT, "18", 7), (Edit.SLIP, "+8", None), (Edit.TRIM_TAIL, "+1", 1),
    ],
)  # fmt: skip
def test_a_dragged_edge_goes_to_cut_points_markers_and_the_playhead_but_not_its_own(
    edit: Edit, typed: str, lands: int | None
) -> None:
    """An event from 3 to 13, another from 22, a marker at 0, the playhead at 20; of two as near the earlier counts."""
    one = Event(1, FIRST_PICTURE, SourceKind.BLACK, 3, 10)
    cut = EventList(PAL, (one, Event(2, FIRST_PICTURE, SourceKind.BLACK, 22, 10)), (Marker(0, ""),))
    asked = Command(edit, [1], value=typed) if edit is Edit.REFIT else Command(edit, [1], by=typed)
    made = with_snapping(asked, cut, TimelineSettings("cut", PAL), [20], 1)
    assert made.snapped_by == lands
    if lands is None:
        assert made == asked
    elif edit is not Edit.REFIT:
        assert made.by == f"{lands}f"
