"""Both ways to a stride, ways out of near misses, rounding, smoothness, sound, held and reversed maps."""

from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.rounding import Precision, rounded
from oddmeter.core.conform.routes import Circumstances, Route, smoothness, stacked, two_ways, way_out
from oddmeter.core.conform.sound import SoundFigures
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.treatment import Intent, Span, Treatment
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.maps.straight import StraightMap
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

RATES = st.sampled_from([Rate.parse(t) for t in ("16", "23.976", "24", "25", "29.97", "50", "59.94", "119.88", "240")])
PACES = st.fractions(min_value=Fraction(1, 20), max_value=20, max_denominator=60)


def planned(timeline: str, file: str, treatment: Treatment, frames: int = 1000, shot: str | None = None) -> Conform:
    material = Material(frames, Rate.parse(file), Rate.parse(shot) if shot else None)
    return conform(material, treatment, Rate.parse(timeline))


@given(RATES, RATES, RATES, PACES, st.integers(1, 5000), st.booleans())
def test_both_ways_give_the_same_stride_length_and_sound(
    timeline: Rate, file: Rate, shot: Rate, pace: Fraction, frames: int, rerated: bool
) -> None:
    treatment = Treatment(Intent.PACE, pace, Rate.of(24) if rerated else None)
    now = conform(Material(frames, file, shot), treatment, timeline)
    by_rate, by_speed = two_ways(now, Circumstances())
    assert by_rate.planned is not None and by_speed.planned is not None
    for way in (by_rate.planned, by_speed.planned):
        assert way.frame_map == now.frame_map
        assert (way.pace, way.sound_factor, way.played_rate) == (now.pace, now.sound_factor, now.played_rate)
    assert by_rate.planned.speed == 1 and by_speed.planned.read_rate == file
    assert by_rate.advised is not by_speed.advised


def test_the_advice_follows_its_rules_in_order() -> None:
    slow = planned("25", "25", Treatment(Intent.REAL_TIME), shot="150")

    def advised(around: Circumstances, plan: Conform = slow) -> Route:
        return next(way.route for way in two_ways(plan, around) if way.advised)

    assert advised(Circumstances()) is Route.RE_RATE
    assert advised(Circumstances(proxies=1)) is Route.RE_SPEED
    assert advised(Circumstances(other_uses=2)) is Route.RE_SPEED
    third = planned("25", "24", Treatment(Intent.PACE, Fraction(8, 15)), 24_000)
    assert advised(Circumstances(other_uses=2, precision=Precision.WHOLE_PERCENT), third) is Route.RE_RATE
    beyond = planned("25", "25", Treatment(Intent.SPEED, Fraction(50_000)))
    rate, speed = two_ways(beyond, Circumstances())
    assert rate.planned is None and speed.advised


def test_stacking_by_accident_is_asked_about() -> None:
    both = planned("25", "30", Treatment(Intent.SPEED, Fraction(5, 6), Rate.of(25)))
    assert stacked(both) == "Read at 25 and slowed to 5/6: pace 69 %, was that meant?"
    assert stacked(planned("25", "30", Treatment(Intent.SPEED, Fraction(1), Rate.of(25)))) is None
    assert stacked(planned("25", "30", Treatment(Intent.SPEED, Fraction(5, 6)))) is None
    assert stacked(planned("25", "30", Treatment(Intent.PACE, Fraction(5, 6), Rate.of(25)))) is None
    assert stacked(planned("25", "30", Treatment(Intent.SPEED, Fraction(6, 5), Rate.of(25)))) is None, "life again"


@pytest.mark.parametrize(
    ("timeline", "file", "factor"),
    [("23.976", "24", "1000/1001"), ("24", "23.976", "1001/1000"), ("29.97", "60", "1000/1001"), ("25", "12.51", None)],
)
def test_a_near_miss_has_a_clean_way_out(timeline: str, file: str, factor: str | None) -> None:
    way = way_out(planned(timeline, file, Treatment(Intent.REAL_TIME)))
    assert way is not None and way.planned.frame_map.kind in (Kind.WHOLE, Kind.EVEN)
    assert not list(way.planned.frame_map.hiccups())
    assert way.sound.factor == way.factor
    if factor is not None:
        assert way.factor == Fraction(factor) and way.sound.factor == Fraction(factor)
    assert way_out(planned("25", "24", Treatment(Intent.REAL_TIME))) is None


@given(RATES, st.sampled_from([Intent.REAL_TIME, Intent.PACE]), st.integers(100, 5000))
def test_the_way_out_keeps_the_speed_and_is_even_whatever_was_wanted(shot: Rate, intent: Intent, frames: int) -> None:
    value = Fraction(1, 2) if intent is Intent.PACE else None
    plan = conform(Material(frames, Rate.of(25), shot), Treatment(intent, value), Rate.parse("23.976"))
    way = way_out(plan)
    assert (way is None) == (plan.frame_map.kind is not Kind.NEAR)
    if way is not None:
        assert way.planned.speed == plan.speed and way.planned.read_rate.value == plan.read_rate.value * way.factor
        assert way.planned.frame_map.kind in (Kind.WHOLE, Kind.EVEN)


def test_sound_figures_are_those_of_the_trade() -> None:
    pull = SoundFigures(Fraction(1000, 1001))
    assert pull.cents_text == "−1.7 cents" and pull.drift(3600) == Fraction(-3600, 1001)
    assert pull.drift_text == "−0.06 s a minute, −3.6 s an hour"
    assert SoundFigures(Fraction(2)).cents == 1200
    assert (SoundFigures(Fraction(1)).cents_text, SoundFigures(Fraction(1)).drift_text) == ("pitch as it is", "")


@given(RATES, RATES, PACES, st.integers(1, 90_000), st.sampled_from(Precision))
def test_a_rounded_number_gives_the_length_it_says(
    timeline: Rate, file: Rate, pace: Fraction, frames: int, precision: Precision
) -> None:
    plan = conform(Material(frames, file), Treatment(Intent.SPEED, pace), timeline)
    found = rounded(plan, precision)
    if precision is Precision.EXACT:
        assert (found.off_by, found.at_end, found.value) == (0, Fraction(0), plan.speed)
        return
    rate, speed = (found.value, plan.speed) if precision.rounds_rates else (file.value, found.value)
    again = StraightMap.of(rate * speed / timeline.value, frames)
    assert found.timeline_frames == again.length and found.off_by == again.length - plan.frame_map.length
    grain = Fraction(1, 10**precision.places) / (1 if precision.rounds_rates else 100)
    exact = file.value if precision.rounds_rates else plan.speed
    assert found.value >= grain and (abs(found.value - exact) <= grain / 2 or found.value == grain)


def test_a_clip_read_at_its_settled_rate_is_re_speeded_to_the_same_stride() -> None:
    """240 frames a second in a file of 30 whose times waver: by speed it is read as the file says."""
    times = Clock.of([8 * n + n % 2 for n in range(240)] + [1920], Fraction(1, 240))
    material = Material(240, Rate.of(30), Rate.of(240), clock=times, settled=True)
    now = conform(material, Treatment(Intent.REAL_TIME), Rate.of(24))
    by_rate, by_speed = two_ways(now, Circumstances())
    assert now.stride == 10 and by_rate.planned is not None and by_speed.planned is not None
    assert by_rate.planned.stride == by_speed.planned.stride == 10 and by_speed.planned.speed == 8


@pytest.mark.parametrize("span", [Span(), Span(100, 200), Span(990)])
def test_how_slow_a_clip_can_go_is_the_same_for_a_part_of_it(span: Span) -> None:
    now = planned("24", "24", Treatment(Intent.PACE, Fraction(1), span=span), 1000)
    assert smoothness(now).needed == 24 and smoothness(now).smooth


def test_rounding_as_receiving_systems_show_it() -> None:
    third = planned("25", "25", Treatment(Intent.SPEED, Fraction(8, 15)), 750)
    percent = rounded(third, Precision.WHOLE_PERCENT)
    assert (percent.number, percent.off_by) == ("53 %", 9)
    assert rounded(third, Precision.TWO_DECIMALS).number == "53.33 %"
    ntsc = planned("24", "23.976", Treatment(Intent.REAL_TIME), 100_000)
    assert [rounded(ntsc, p).number for p in (Precision.RATE_TWO, Precision.RATE_THREE)] == ["23.98", "23.976"]


def test_how_slow_a_clip_can_go_smoothly() -> None:
    figures = smoothness(planned("25", "100", Treatment(Intent.PACE, Fraction(1, 8))))
    assert (figures.floor_speed, figures.floor_pace, figures.needed) == (Fraction(1, 4), Fraction(1, 4), Fraction(200))
    assert not figures.smooth and figures.shutter == Fraction(1, 200) and figures.needed_shutter == Fraction(1, 400)
    assert smoothness(planned("25", "100", Treatment(Intent.PACE, Fraction(1, 4)))).smooth


HOLDS = st.sampled_from([Fraction(1), Fraction(2), Fraction(3), Fraction(25, 12), Fraction(5, 2)])


@given(
    st.fractions(min_value=Fraction(1, 12), max_value=12, max_denominator=60), st.integers(1, 400), HOLDS, st.booleans()
)
def test_held_and_reversed_maps_agree_with_walking_through_them(
    stride: Fraction, units: int, held: Fraction, reverse: bool
) -> None:
    frame_map = StraightMap.of(stride, units, held, reverse=reverse)
    picks = list(frame_map.picks())
    straight = [int(stride * held * (j // held)) for j in range(frame_map.length)]
    assert picks == ([units - 1 - pick for pick in straight] if reverse else straight)
    assert frame_map.length == StraightMap.of(stride, units).length, "holding pictures keeps the length"
    assert frame_map.dropped == units - len(set(picks))
    assert frame_map.repeated == sum(a == b for a, b in pairwise(picks))
    past = [j for j in range(len(picks)) if frame_map.position(j) > units - 1]
    assert frame_map.held_from == (past[0] if past else None)
    pattern = frame_map.pattern
    if pattern is not None and frame_map.length > len(pattern):
        steps = [abs(b - a) for a, b in pairwise(picks)]
        assert steps == [pattern[i % len(pattern)] for i in range(len(steps))]
        assert sum(pattern) == frame_map.period[0]


@given(st.integers(20, 300), st.sampled_from([1, -1]), st.integers(500, 6000))
def test_hiccups_of_held_pictures_are_where_pictures_step_otherwise(nth: int, side: int, units: int) -> None:
    frame_map = StraightMap.of(1 + Fraction(side, 2 * nth), units, Fraction(2))
    assume(frame_map.kind is Kind.NEAR)
    picks = list(frame_map.picks())
    otherwise = [j for j in range(2, len(picks), 2) if picks[j] - picks[j - 2] != 2]
    assert list(frame_map.hiccups()) == otherwise


def test_twos_are_even_and_an_uneven_hold_is_odd() -> None:
    assert StraightMap.of(Fraction(1), 100, Fraction(2)).kind is Kind.EVEN
    assert StraightMap.of(Fraction(1), 100, Fraction(2)).pattern == (0, 2)
    assert StraightMap.of(Fraction(1), 100, Fraction(25, 12)).kind is Kind.ODD
    with pytest.raises(RuleError):
        StraightMap.of(Fraction(1), 100, Fraction(1, 2))
