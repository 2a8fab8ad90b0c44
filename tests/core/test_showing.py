"""What a timeline frame shows, where things are on the timeline, and the pictures behind pulldown and repeats."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.seeking import Spot, cut_frames, frames_shown, sought
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Span, Treatment
from oddmeter.core.maps.frame_map import FrameKind, Weights
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import PULLDOWN_SHARE, Originals, Unit, originals_of, pictures_of_fields
from oddmeter.core.pictures.report import PictureReport, Repeats, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan, TimelineScan

WHOLE = TimelineScan.PROGRESSIVE
SLOW = Treatment(Intent.PACE, Fraction(1, 3))


def plan(timeline: str, treatment: Treatment, frames: int = 300, file: str = "29.97", **known: object) -> Conform:
    return conform(Material(frames, Rate.parse(file), **known), treatment, Rate.parse(timeline))  # type: ignore[arg-type]


def pulldown(first: int, last: int, phase: int, pattern: str = "2:3") -> Stretch:
    return Stretch(first, last, Scan.INTERLACED, FieldOrder.LOWER, pattern, phase)


def test_every_picture_is_put_together_of_its_own_two_fields() -> None:
    """Of AA BB BC CD DD the third picture lies in two frames: a field in the third, one in the fourth."""
    units = Originals(PULLDOWN_SHARE, (pulldown(0, 9, 0),)).units(0, 10)
    assert units[:4] == (Unit(0, 0), Unit(1, 1), Unit(2, 3), Unit(4, 4))
    assert units[4:] == (Unit(5, 5), Unit(6, 6), Unit(7, 8), Unit(9, 9))


@given(
    st.integers(0, 4), st.integers(0, 4), st.integers(20, 60), st.integers(20, 60), st.sampled_from(["2:3", "2:3:3:2"])
)
def test_pictures_are_counted_right_whatever_the_phases(a: int, b: int, first: int, second: int, pattern: str) -> None:
    """Four in five over any change of phase, to within one; none twice, all in order, at most one half at each end."""
    stretches = (pulldown(0, first - 1, a, pattern), pulldown(first, first + second - 1, b, pattern))
    units = Originals(PULLDOWN_SHARE, stretches).units(0, first + second)
    assert abs(len(units) - (first + second) * PULLDOWN_SHARE) < 2, "each stretch may lack or gain less than a picture"
    assert len(set(units)) == len(units)
    starts = [unit.frames[0] for unit in units]
    assert starts == sorted(starts)
    assert sum(None in (unit.upper, unit.lower) for unit in units) <= 4


def test_repeats_leave_their_first_frame_and_trims_keep_the_first_one() -> None:
    report = PictureReport(10, True, repeats=Repeats(10, 6, Fraction(3, 5), "1101011010"))
    originals = originals_of(report)
    assert originals is not None and originals.share == Fraction(3, 5)
    assert [unit.upper for unit in originals.units(0, 10)] == [0, 1, 3, 5, 6, 8]
    assert [unit.upper for unit in originals.units(2, 9)] == [2, 3, 5, 6, 8]
    assert originals_of(PictureReport(10, False, repeats=Repeats(10, 6, Fraction(3, 5)))) is None
    assert originals_of(PictureReport(10, True)) is None and originals_of(None) is None


def test_in_betweens_are_made_of_original_pictures_where_twins_are_inside() -> None:
    originals = Originals(Fraction(3, 5), new="11010" * 60)
    still = Treatment(Intent.SPEED, Fraction(1))
    flow = Treatment(Intent.SPEED, Fraction(1), between=Between.FLOW)
    assert plan("25", still, originals=originals).fields is Fields.WHOLE
    made = plan("25", flow, originals=originals)
    assert made.fields is Fields.ORIGINAL
    assert made.stride == plan("25", still).stride * Fraction(3, 5)
    assert made.frame_map.length == plan("25", still).frame_map.length


@given(
    st.integers(0, 280), st.integers(1, 200), st.sampled_from(Fields), st.sampled_from(["23.976", "25", "29.97"]),
    st.sampled_from([Treatment(Intent.REAL_TIME), Treatment(Intent.EVERY_FRAME), SLOW]),
)  # fmt: skip
def test_a_trim_never_breaks_the_numbers(
    first: int, count: int, fields: Fields, timeline: str, wish: Treatment
) -> None:
    """Every frame shown lies between in and out; speed and stride are those of the whole clip."""
    last = min(299, first + count)
    originals = Originals(PULLDOWN_SHARE, (pulldown(0, 120, 1), pulldown(121, 299, 3)))
    treatment = Treatment(wish.intent, wish.value, fields=fields, span=Span(first, last))
    trimmed = plan(timeline, treatment, originals=originals)
    whole = plan(timeline, Treatment(wish.intent, wish.value, fields=fields), originals=originals)
    assert (trimmed.speed, trimmed.stride) == (whole.speed, whole.stride)
    for number in range(trimmed.frame_map.length):
        frames = trimmed.unit(trimmed.frame_map.pick(number)).frames
        assert first <= frames[0] <= frames[-1] <= last


def test_a_trim_that_leaves_nothing_is_said() -> None:
    with pytest.raises(RuleError, match="no frames between the in and out points; the clip has 300"):
        plan("25", Treatment(Intent.REAL_TIME, span=Span(300, 400)))


def test_each_field_of_an_interlaced_frame_is_taken_at_its_own_moment() -> None:
    """Position k · (j + ½) for the second field: 59.94 on 29.97 shows two frames of the clip in each."""
    fast = plan("29.97", Treatment(Intent.REAL_TIME), file="59.94")
    assert [w.first for w in fast.shown(3, TimelineScan.UPPER).moments] == [6, 7]
    same = plan("29.97", Treatment(Intent.REAL_TIME))
    assert [w.first for w in same.shown(3, TimelineScan.LOWER).moments] == [3]
    mixed = plan("29.97", Treatment(Intent.REAL_TIME, between=Between.MIX))
    assert [w.beyond_first for w in mixed.shown(3, TimelineScan.LOWER).moments] == [0, Fraction(1, 2)]
    assert mixed.shown(299, TimelineScan.LOWER).moments[-1] == Weights.alone(299), "the last good frame is held"


def test_what_is_dropped_repeated_or_different_is_found_both_ways() -> None:
    plans = plan("23.976", Treatment(Intent.REAL_TIME)), plan("23.976", Treatment(Intent.EVERY_FRAME))
    dropping, every = plans
    assert dropping.stride == Fraction(5, 4)
    drops = [n for n in range(dropping.frame_map.length) if dropping.frame_map.passed_over(n)]
    assert drops[:3] == [4, 8, 12]
    assert sought(Spot.DROP, dropping, WHOLE, 4, 1, ()) == 8
    assert sought(Spot.DROP, dropping, WHOLE, 4, -1, ()) is None
    assert sought(Spot.REPEAT, dropping, WHOLE, 0, 1, ()) is None
    assert sought(Spot.DIFFERENCE, dropping, WHOLE, 0, 1, (), every) == 4
    assert sought(Spot.DIFFERENCE, every, WHOLE, 239, 1, (), dropping) == 240, "one side has ended"
    assert sought(Spot.PERIOD, dropping, WHOLE, 0, 1, ()) == 4
    assert sought(Spot.PERIOD, dropping, WHOLE, 3, -1, ()) is None
    slow = plan("25", Treatment(Intent.SPEED, Fraction(1, 2)))
    assert sought(Spot.REPEAT, slow, WHOLE, 0, 1, ()) == 1
    assert slow.shown(1).kind is FrameKind.REPEATED
    near = plan("25", Treatment(Intent.SPEED, Fraction(1)), file="24.975")
    spots = list(near.frame_map.hiccups())
    assert sought(Spot.HICCUP, near, WHOLE, spots[0], -1, ()) is None
    assert sought(Spot.HICCUP, near, WHOLE, 0, 1, ()) == spots[0]


def test_cuts_are_found_where_they_first_show() -> None:
    doubled = plan("59.94", Treatment(Intent.REAL_TIME, span=Span(10, 250)))
    assert cut_frames(doubled, (5, 100, 251)) == [180]
    assert sought(Spot.CUT, doubled, WHOLE, 0, 1, (100,)) == 180
    assert sought(Spot.CUT, doubled, WHOLE, 180, -1, (100,)) is None
    assert frames_shown(doubled, WHOLE, 180) == (((Unit(100, 100), 1),),)


def test_each_field_is_told_which_picture_it_comes_from() -> None:
    pulled = Stretch(0, 11, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 0)
    told = pictures_of_fields([pulled, Stretch(12, 20, Scan.PROGRESSIVE)], 0, 15)
    assert [picture for both in told[:10] for picture in both] == [
        0, 0, 1, 1, 1, 2, 2, 3, 3, 3, 4, 4, 5, 5, 5, 6, 6, 7, 7, 7
    ]  # fmt: skip
    assert told[12:] == tuple((told[11][1] + n,) * 2 for n in (1, 2, 3)), "a picture for each frame after it"
    later = pictures_of_fields([pulled], 3, 8)
    assert later == tuple((a - told[3][0], b - told[3][0]) for a, b in told[3:8])
    assert pictures_of_fields([Stretch(0, 9, Scan.INTERLACED, FieldOrder.UPPER)], 0, 10) == ()


def test_pulldown_goes_on_beneath_graphics_that_come() -> None:
    """Where a crawl begins in the middle of a round, no picture falls in two."""
    whole = Stretch(0, 19, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 0)
    parts = (whole.over(0, 7), replace(whole.over(8, 19), graphics=(6, 7)))
    assert pictures_of_fields(parts, 0, 20) == pictures_of_fields([whole], 0, 20)
    found = [originals_of(PictureReport(20, True, stretches)) for stretches in (parts, (whole,))]
    assert found[0] == found[1] and found[0] is not None
    assert len(found[0].units(0, 20)) == 16
