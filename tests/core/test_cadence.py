"""Cadence by example: the four kinds, and where the frames go. The place to look before changing a rule."""

from fractions import Fraction

import pytest

from oddmeter.core.decisions.treatment import Between
from oddmeter.core.maps.cadence import Cadence, Kind
from oddmeter.core.maps.frame_map import FrameKind, Weights
from oddmeter.core.maps.straight import StraightMap
from oddmeter.core.numbers.errors import RuleError


@pytest.mark.parametrize(
    ("stride", "kind", "pattern"),
    [
        ("1", Kind.WHOLE, (1,)),
        ("2", Kind.EVEN, (2,)),
        ("1/2", Kind.EVEN, (0, 1)),
        ("1/3", Kind.EVEN, (0, 0, 1)),
        ("32", Kind.EVEN, (32,)),
        ("5/2", Kind.ODD, (2, 3)),
        ("5/4", Kind.ODD, (1, 1, 1, 2)),
        ("4/5", Kind.ODD, (0, 1, 1, 1, 1)),
        ("24/25", Kind.ODD, (0, *[1] * 24)),
        ("1000/1001", Kind.NEAR, None),
        ("1001/1000", Kind.NEAR, None),
        ("1001/500", Kind.NEAR, None),
        ("500/1001", Kind.NEAR, None),
        ("201/200", Kind.NEAR, None),
        ("200/201", Kind.NEAR, None),
        ("202/200", Kind.ODD, (1,) * 99 + (2,)),
        ("198/200", Kind.ODD, (0,) + (1,) * 99),
    ],
)
def test_kinds_and_patterns(stride: str, kind: Kind, pattern: tuple[int, ...] | None) -> None:
    cadence = Cadence.of(Fraction(stride))
    assert (cadence.kind, cadence.pattern) == (kind, pattern)
    assert (cadence.hiccup_every is not None) == (kind is Kind.NEAR)


@pytest.mark.parametrize(
    ("stride", "even", "every"),
    [
        ("1000/1001", "1", "1001"),
        ("1001/1000", "1", "1000"),
        ("1001/500", "2", "500"),
        ("500/1001", "1/2", "1001"),
        ("333/1000", "1/3", "1000"),
    ],
)
def test_a_near_miss_names_what_it_is_near_to(stride: str, even: str, every: str) -> None:
    cadence = Cadence.of(Fraction(stride))
    assert cadence.nearest_even == Fraction(even)
    assert cadence.hiccup_every == Fraction(every)


def test_sixty_on_twenty_four_frame_by_frame() -> None:
    """Two, then three: 0, 2, 5, 7, 10, … and the frames between are dropped."""
    frame_map = StraightMap.of(Fraction(5, 2), 12)
    assert list(frame_map.picks()) == [0, 2, 5, 7, 10]
    assert (frame_map.length, frame_map.dropped, frame_map.repeated, frame_map.tally(between=Between.MIX).made) == (
        5,
        7,
        0,
        2,
    )
    assert [frame_map.position(j) for j in range(3)] == [0, Fraction(5, 2), 5]
    halfway = frame_map.weights(1)
    assert halfway.parts == ((2, Fraction(1, 2)), (3, Fraction(1, 2)))


def test_twenty_five_on_fifty_shows_each_frame_twice_and_holds_the_last() -> None:
    frame_map = StraightMap.of(Fraction(1, 2), 3)
    assert list(frame_map.picks()) == [0, 0, 1, 1, 2, 2]
    assert [frame_map.shown(j).kind is FrameKind.REPEATED for j in range(6)] == [False, True] * 3
    assert frame_map.held_from == 5
    assert frame_map.weights(5) == Weights.alone(2), "there is no next frame to mix with"


def test_twenty_three_on_twenty_four_hiccups_at_once_and_every_forty_two_seconds() -> None:
    frame_map = StraightMap.of(Fraction(1000, 1001), 7300)
    assert list(frame_map.hiccups()) == [1, 1002, 2003, 3004, 4005, 5006, 6007, 7008]
    assert list(frame_map.hiccups(1000, 4000)) == [1002, 2003, 3004]
    assert list(frame_map.hiccups(5, 5)) == []
    assert all(frame_map.shown(spot).kind is FrameKind.REPEATED for spot in frame_map.hiccups())


def test_the_frame_before_the_first_and_after_the_last_are_asked_for_in_vain() -> None:
    frame_map = StraightMap.of(Fraction(2), 10)
    for frame in (-1, 5):
        with pytest.raises(RuleError, match="outside the 5 frames"):
            frame_map.pick(frame)
    with pytest.raises(RuleError, match="above zero"):
        Cadence.of(Fraction(0))
    with pytest.raises(RuleError, match="no frames"):
        StraightMap.of(Fraction(1), 0)


def test_the_same_stride_is_the_same_cadence() -> None:
    assert Cadence.of(Fraction(5, 2)) is Cadence.of(Fraction(50, 20))
