"""What must always hold, whatever the rates."""

import itertools
from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Treatment
from oddmeter.core.maps.cadence import LONGEST_PATTERN, Cadence, Kind
from oddmeter.core.maps.frame_map import FrameMap, Tally
from oddmeter.core.maps.straight import StraightMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop, frames_in_day, relabelled
from oddmeter.core.pictures.scan import TimelineScan

USUAL = [
    Rate.parse(t)
    for t in [
        "12",
        "16",
        "18",
        "23.976",
        "24",
        "25",
        "29.97",
        "30",
        "47.95",
        "50",
        "59.94",
        "60",
        "100",
        "119.88",
        "120",
        "150",
        "239.76",
        "1000",
    ]
]
rates = st.sampled_from(USUAL) | st.fractions(min_value=Fraction(1, 10), max_value=2000, max_denominator=5000).map(Rate)
strides = st.fractions(min_value=Fraction(1, 50), max_value=50, max_denominator=3000)
speeds = st.fractions(min_value=Fraction(1, 100), max_value=20, max_denominator=500)
lengths = st.integers(1, 3000)


HOLDS = st.sampled_from([Fraction(1), Fraction(1), Fraction(2), Fraction(3), Fraction(25, 12), Fraction(5, 2)])
SHUTTERS = st.sampled_from([Fraction(1), Fraction(1, 2), Fraction(1, 4), Fraction(12, 25), Fraction(1, 100)])
maps = st.builds(
    lambda stride, units, held, reverse, shutter: replace(
        StraightMap.of(stride, units, held, reverse=reverse), shutter=shutter
    ),
    st.fractions(min_value=Fraction(1, 20), max_value=20, max_denominator=120) | strides, st.integers(1, 260), HOLDS,
    st.booleans(), SHUTTERS,
)  # fmt: skip


@given(maps, st.sampled_from(TimelineScan), st.sampled_from(Between), st.data())
def test_a_tally_is_what_walking_through_every_frame_counts(
    straight: StraightMap, scan: TimelineScan, between: Between, data: st.DataObject
) -> None:
    """The arithmetic of the straight map gives, for any range, what walking through it does; ranges add up."""
    first = data.draw(st.integers(0, straight.length - 1))
    stop = data.draw(st.integers(first, min(straight.length, first + 200)))
    walked = FrameMap.tally(straight, first, stop, scan, between)
    assert straight.tally(first, stop, scan, between) == walked and walked.frames == stop - first
    parts = (straight.tally(a, b, scan, between) for a, b in ((0, first), (first, stop), (stop, straight.length)))
    whole = straight.tally(0, None, scan, between)
    assert sum(parts, Tally()) == whole
    shown = frozenset[int]().union(*(straight.shown(j, scan, between).units for j in range(straight.length)))
    assert whole.dropped == straight.units - len(shown)


@given(maps, st.sampled_from(TimelineScan))
def test_the_first_frame_that_shows_a_unit_is_the_first_that_does(straight: StraightMap, scan: TimelineScan) -> None:
    way = [
        [straight.units - 1 - unit if straight.reverse else unit for unit in straight.shown(j, scan).units]
        for j in range(straight.length)
    ]
    for place in {0, 1, straight.units // 2, straight.units - 1} & set(range(straight.units)):
        unit = straight.units - 1 - place if straight.reverse else place
        wanted = next((j for j, places in enumerate(way) if max(places) >= place), None)
        assert straight.first_showing(unit, scan) == wanted


@given(strides, lengths)
def test_picks_are_counted_by_the_definition(stride: Fraction, units: int) -> None:
    frame_map = StraightMap.of(stride, units)
    picks = list(frame_map.picks())
    assert frame_map.length == len(picks)
    assert picks == [j * stride.numerator // stride.denominator for j in range(len(picks))]
    assert frame_map.dropped == units - len(set(picks))
    assert frame_map.repeated == sum(a == b for a, b in itertools.pairwise(picks))


@given(strides, lengths)
def test_picks_never_go_back_and_reach_the_tail(stride: Fraction, units: int) -> None:
    frame_map = StraightMap.of(stride, units)
    picks = list(frame_map.picks())
    assert picks[0] == 0 and picks[-1] < units
    assert all(b >= a for a, b in itertools.pairwise(picks))
    assert frame_map.length * stride >= units > (frame_map.length - 1) * stride


@given(strides, lengths)
def test_weights_hold_the_last_good_frame(stride: Fraction, units: int) -> None:
    frame_map = StraightMap.of(stride, units)
    for j in {0, frame_map.length // 2, frame_map.length - 1}:
        weights = frame_map.weights(j)
        assert weights.first == frame_map.pick(j) and weights.parts[-1][0] < units and 0 <= weights.beyond_first < 1
    held = [j for j in range(frame_map.length) if frame_map.position(j) > units - 1]
    assert frame_map.held_from == (held[0] if held else None)


@given(strides)
def test_the_pattern_is_one_period_and_sums_to_it(stride: Fraction) -> None:
    cadence = Cadence.of(stride)
    steps = list(cadence.steps(0, cadence.timeline_period))
    assert sum(steps) == cadence.source_period
    assert list(cadence.steps(cadence.timeline_period, 2 * cadence.timeline_period)) == steps
    assert cadence.pattern == (tuple(steps) if cadence.timeline_period <= LONGEST_PATTERN else None)


@given(
    st.integers(1, 6), st.booleans(), st.integers(-30, 30).filter(bool), st.integers(201, 4000), st.integers(50, 4000)
)
def test_hiccups_are_just_where_a_near_rhythm_breaks(m: int, inverse: bool, off: int, part: int, units: int) -> None:
    even = Fraction(1, m) if inverse else Fraction(m)
    cadence = Cadence.of(even * (1 + Fraction(off, 30 * part)))
    assert (cadence.kind, cadence.nearest_even) == (Kind.NEAR, even)
    frame_map = StraightMap(cadence, units)
    picks = list(frame_map.picks())
    if even >= 1:
        broken = [j for j in range(1, len(picks)) if picks[j] - picks[j - 1] != even]
    else:
        starts = [j for j in range(len(picks)) if j == 0 or picks[j] != picks[j - 1]]
        runs = itertools.pairwise(starts)
        broken = [b - 1 if b - a > m else b for a, b in runs if b - a != m]
        if len(picks) - starts[-1] > m:
            broken.append(len(picks) - 1)
    assert list(frame_map.hiccups()) == broken
    middle = len(picks) // 2
    assert list(frame_map.hiccups(middle, len(picks))) == [j for j in broken if j >= middle]


@given(rates, rates, rates, rates, speeds, lengths)
def test_both_ways_to_a_stride_agree(
    timeline: Rate, file: Rate, shot: Rate, read: Rate, speed: Fraction, frames: int
) -> None:
    """Re-rating to R and re-speeding by p reach the stride of any other pair with the same R · p."""
    material = Material(frames, file, shot)
    both = conform(material, Treatment(Intent.SPEED, speed, read), timeline)
    one = conform(material, Treatment(Intent.SPEED, speed * read.value / file.value), timeline)
    assert both.frame_map == one.frame_map
    assert both.pace == one.pace and both.sound_factor == one.sound_factor


@given(rates, rates, rates, st.sampled_from(Fields), lengths)
def test_intents_mean_what_they_say(timeline: Rate, file: Rate, shot: Rate, fields: Fields, frames: int) -> None:
    material = Material(frames, file, shot)
    assert conform(material, Treatment(Intent.REAL_TIME, fields=fields), timeline).pace == 1
    every = conform(material, Treatment(Intent.EVERY_FRAME, fields=fields), timeline)
    assert every.stride == 1 and every.speed == every.slow_floor
    fit = conform(material, Treatment(Intent.FIT, Fraction(77), fields=fields), timeline)
    assert fit.frame_map.length == 77
    assert conform(material, Treatment(Intent.PACE, Fraction(1, 3), fields=fields), timeline).pace == Fraction(1, 3)


@given(st.fractions(Fraction(1, 20), 20, max_denominator=60), st.integers(1, 6), st.integers(1, 500))
def test_lengths_add_up_over_a_cut(stride: Fraction, periods: int, rest: int) -> None:
    """Cutting where a timeline frame starts exactly on a source frame loses and adds nothing."""
    cut = periods * stride.numerator
    whole, left, right = (StraightMap.of(stride, n) for n in (cut + rest, cut, rest))
    assert left.length + right.length == whole.length
    assert list(whole.picks()) == list(left.picks()) + [cut + p for p in right.picks()]


@given(st.sampled_from(USUAL), st.booleans(), st.data())
def test_timecode_round_trips_over_the_day(rate: Rate, drop: bool, data: st.DataObject) -> None:
    drop = drop and can_drop(rate)
    frames = data.draw(st.integers(0, frames_in_day(rate, drop) - 1))
    timecode = Timecode(frames, rate, drop)
    assert Timecode.parse(str(timecode), rate, drop) == timecode


@given(st.sampled_from(USUAL), st.sampled_from(USUAL), st.booleans(), st.integers(0, 10**9))
def test_a_start_carried_over_keeps_its_clock(a: Rate, b: Rate, drop: bool, frames: int) -> None:
    start = Timecode(frames % frames_in_day(a, False), a)
    carried = relabelled(start, b, drop and can_drop(b))
    assert str(carried)[:8] == str(start)[:8]


@given(rates)
def test_a_rate_reads_back(rate: Rate) -> None:
    assert Rate.parse(rate.exact) == rate
    if rate in USUAL:
        assert Rate.parse(rate.spoken) == rate


@pytest.mark.parametrize(
    ("written", "exact"),
    [
        ("2997/100", "30000/1001"),
        ("2398/100", "2398/100"),
        ("23976/1000", "24000/1001"),
        ("10000000/417083", "24000/1001"),
        ("25/1", "25/1"),
        ("2500001/100000", "25/1"),
        ("1998/100", "1998/100"),
        ("333/20", "333/20"),
    ],
)
def test_written_decimals_snap_to_their_family(written: str, exact: str) -> None:
    assert Rate.snap(Fraction(written)).value == Fraction(exact)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("2/5", "2/5"),
        ("40%", "2/5"),
        ("x0.4", "2/5"),
        ("53⅓", None),
        ("0,4", "2/5"),
        ("1/0", None),
        ("", None),
        ("-1", None),
    ],
)
def test_numbers_as_people_type_them(text: str, value: str | None) -> None:
    if value is None:
        with pytest.raises(RuleError):
            parse_fraction(text)
    else:
        assert fraction_text(parse_fraction(text)) == value


@pytest.mark.parametrize("text", ["25i", "30i", "29.97i"])
def test_an_i_after_a_frame_rate_is_asked_about(text: str) -> None:
    with pytest.raises(RuleError, match="counts fields"):
        Rate.parse(text)


def test_an_hour_at_a_thousand_costs_no_more_than_a_second() -> None:
    frame_map = StraightMap.of(Fraction(1000 * 1001, 24000), 4 * 3600 * 1000)
    assert frame_map.length == 345_255 and frame_map.pick(345_254) == 345_254 * 1001 // 24
    assert frame_map.dropped == 14_400_000 - 345_255


@pytest.mark.parametrize("frames", [0, -1])
def test_a_clip_without_frames_is_refused(frames: int) -> None:
    with pytest.raises(RuleError, match="no frames"):
        conform(Material(frames, Rate.of(25)), Treatment(Intent.REAL_TIME), Rate.of(25))


@pytest.mark.parametrize(
    ("intent", "value"),
    [(Intent.SPEED, None), (Intent.REAL_TIME, Fraction(1)), (Intent.FIT, Fraction(1, 2)), (Intent.PACE, Fraction(0))],
)
def test_values_belong_to_their_intents(intent: Intent, value: Fraction | None) -> None:
    with pytest.raises(RuleError):
        Treatment(intent, value)
