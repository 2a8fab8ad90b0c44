"""Maps that are not straight: curves and clocks beside the straight map, and every answer beside walking."""

import json
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from math import ceil

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.curves import Curve, Point, SpeedOf
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Span, Treatment
from oddmeter.core.maps.frame_map import FrameMap, Tally
from oddmeter.core.maps.paths import Path
from oddmeter.core.maps.rulers import EvenRuler, OwnRuler
from oddmeter.core.maps.straight import StraightMap
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan

RATES = st.sampled_from([Rate.of(24), Rate.of(25), Rate.parse("29.97"), Rate.of(50), Rate.of(240)])
SPEEDS = st.fractions(Fraction(1, 8), Fraction(6), max_denominator=60)
SCANS = st.sampled_from(list(TimelineScan))
BETWEENS = st.sampled_from(list(Between))
EASES = st.sampled_from([Fraction(0), Fraction(1), Fraction(3)])
SHUTTERS = st.sampled_from([Fraction(1), Fraction(1, 2), Fraction(12, 25), Fraction(1, 10)])
HELD = st.sampled_from([Fraction(1), Fraction(2), Fraction(25, 12)])


def even_clock(units: int, rate: Fraction) -> Clock:
    return Clock.of([i * rate.denominator for i in range(units + 1)], Fraction(1, rate.numerator))


@given(
    st.integers(1, 60), RATES, SPEEDS, RATES, HELD, st.booleans(), SCANS, BETWEENS, st.booleans(), SHUTTERS, st.data(),
)  # fmt: skip
def test_one_speed_is_the_straight_map_in_every_answer(
    units: int, file: Rate, speed: Fraction, timeline: Rate, held: Fraction, reverse: bool, scan: TimelineScan,
    between: Between, own: bool, shutter: Fraction, data: st.DataObject,
) -> None:  # fmt: skip
    """Over an even ruler, and over a clock whose times are even."""
    assume(units * timeline.value / (file.value * speed) < 400)
    ruler = OwnRuler(Fraction(0), even_clock(units, file.value)) if own else EvenRuler(Fraction(0), file.value)
    path = Path.straight(Fraction(0), speed, units / file.value / speed)
    timed = TimedMap(path, ruler, units, timeline.value, held, reverse, shutter=shutter)
    straight = StraightMap.of(file.value * speed / timeline.value, units, held, reverse=reverse)
    straight = replace(straight, shutter=shutter)
    assert (timed.length, timed.held_from) == (straight.length, straight.held_from)
    assert timed.seconds(timeline.value) == straight.seconds(timeline.value)
    frames = range(timed.length)
    for frame in frames:
        assert timed.shown(frame, scan, between) == straight.shown(frame, scan, between)
        assert timed.passed_over(frame, scan, between) == straight.passed_over(frame, scan, between)
        if timed.ruler.place(timed.path.at(timed.moment(frame))) < units:
            assert timed.position(frame) == straight.position(frame)
    assert list(timed.picks()) == list(straight.picks())
    first = data.draw(st.integers(0, timed.length - 1))
    stop = data.draw(st.integers(first + 1, timed.length))
    assert timed.tally(first, stop, scan, between) == straight.tally(first, stop, scan, between)
    assert timed.rail(first, stop, scan, between) == straight.rail(first, stop, scan, between)
    for unit in range(-1, units + 1):
        assert timed.first_showing(unit, scan) == straight.first_showing(unit, scan)
    if not own:
        assert timed.kind is straight.kind
        assert list(timed.hiccups(first, stop)) == list(straight.hiccups(first, stop))


@st.composite
def forward_curves(draw: st.DrawFn, frames: int) -> Curve:
    """A curve that never runs backwards, through rising frames."""
    places = sorted(draw(st.sets(st.integers(0, frames), min_size=1, max_size=5)))
    points = []
    for place in places:
        arrives = draw(SPEEDS)
        points.append(Point(
            place, arrives, draw(st.just(arrives) | SPEEDS), draw(st.sampled_from([0, 0, 3, 12])),
            (draw(EASES), draw(EASES)),
        ))  # fmt: skip
    return Curve(SpeedOf.SPEED, tuple(points))


@st.composite
def curved(draw: st.DrawFn) -> tuple[Conform, TimelineScan, Between]:
    """A clip on a curve, on even or its own times, there and back or forwards, any in-between and scan."""
    frames = draw(st.integers(2, 90))
    clock = None
    if draw(st.booleans()):
        steps = draw(st.lists(st.sampled_from([1, 20, 33, 34, 50, 0]), min_size=frames, max_size=frames))
        assume(sum(steps) > 0)
        clock = Clock.of([sum(steps[:i]) for i in range(frames + 1)], Fraction(1, 1000))
    curve = draw(forward_curves(frames))
    if draw(st.booleans()):
        (top, *_) = [point.frame or 0 for point in reversed(curve.points)]
        speed = draw(SPEEDS)
        back = Point(draw(st.integers(0, top)), -speed, -speed)
        curve = Curve(curve.of, (*curve.points[:-1], Point(top, curve.points[-1].arrives, -speed), back))
    fields = draw(st.sampled_from([Fields.WHOLE, Fields.SPLIT]))
    treatment = Treatment(
        Intent.CURVE, curve=curve, fields=fields, between=draw(BETWEENS), held=draw(HELD), shutter=draw(SHUTTERS)
    )  # fmt: skip
    try:
        made = conform(Material(frames, Rate.of(25), clock=clock), treatment, draw(RATES))
    except RuleError:
        assume(False)
    assume(made.frame_map.length < 900)
    return made, draw(SCANS), treatment.between


@settings(max_examples=50)
@given(curved(), st.data())
def test_counts_are_what_walking_counts(made: tuple[Conform, TimelineScan, Between], data: st.DataObject) -> None:
    planned, scan, between = made
    timed = planned.frame_map
    length = timed.length
    assert length == max(1, ceil(timed.seconds(planned.timeline_rate.value) * planned.timeline_rate.value))
    first = data.draw(st.integers(0, length - 1))
    stop = data.draw(st.integers(first + 1, length))
    walked = FrameMap.tally(timed, first, stop, scan, between)
    if (first, stop) != (0, length):
        assert timed.tally(first, stop, scan, between) == walked
    every = timed.tally(scan=scan, between=between)
    all_walked = FrameMap.tally(timed, 0, length, scan, between)
    assert (every.unique, every.repeated, every.made) == (all_walked.unique, all_walked.repeated, all_walked.made)
    seen = {unit for frame in range(length) for unit in timed.shown(frame, scan, between).units}
    assert every.dropped == timed.units - len(seen), "a unit that is shown on any way is not dropped"
    assert list(timed.picks()) == [timed.pick(frame) for frame in range(length)]
    edges = sorted({0, first, stop, length})
    if isinstance(timed, TimedMap):
        assert sum(timed.tallies(edges, scan, between), Tally()).frames == length
    for unit in (0, timed.units // 2, timed.units - 1):
        shown = [
            frame for frame in range(length)
            if any(timed.pick(frame, late=late) >= unit for late in (False, scan is not TimelineScan.PROGRESSIVE))
        ]  # fmt: skip
        assert timed.first_showing(unit, scan) == (shown[0] if shown else None)


@given(st.integers(2, 200), RATES, RATES, st.data())
def test_forwards_nothing_runs_back_and_all_of_it_is_reached(
    frames: int, file: Rate, timeline: Rate, data: st.DataObject
) -> None:
    curve = data.draw(forward_curves(frames))
    planned = conform(Material(frames, file), Treatment(Intent.CURVE, curve=curve), timeline)
    assume(planned.frame_map.length < 2000)
    places = [planned.frame_map.position(frame) for frame in range(planned.frame_map.length)]
    assert places == sorted(places)
    if isinstance(planned.frame_map, TimedMap):
        end = planned.frame_map.path
        assert planned.frame_map.ruler.place(end.at(end.lasts)) == frames, "to the out point, exactly"
        rail = planned.frame_map.rail(0, planned.frame_map.length)
        assert [one.unit for one in rail] == list(range(frames))
        assert all(a.begins <= b.begins + Fraction(1, 1000) for a, b in pairwise(rail))


@given(st.data())
def test_a_point_that_changes_nothing_changes_nothing(data: st.DataObject) -> None:
    """Within a stretch of one speed, a further point with that speed."""
    speed, other = data.draw(SPEEDS), data.draw(SPEEDS)
    points = [Point(20, speed, speed), Point(80, speed, other), Point(90, other, other)]
    between = data.draw(st.integers(21, 79))
    split = [points[0], Point(between, speed, speed), *points[1:]]
    one, two = (
        conform(
            Material(120, Rate.of(50)), Treatment(Intent.CURVE, curve=Curve(SpeedOf.SPEED, tuple(some))), Rate.of(25)
        )
        for some in (points, split)
    )
    assert one.frame_map.length == two.frame_map.length
    for frame in range(one.frame_map.length):
        assert one.frame_map.position(frame) == two.frame_map.position(frame)
    assert one.tally() == two.tally() and one.speed == two.speed


@given(st.integers(1, 400), st.integers(1, 400), forward_curves(100))
def test_a_pinned_point_comes_exactly_then(at: int, later: int, curve: Curve) -> None:
    points = [*curve.points]
    assume(len(points) >= 2 and (points[0].frame or 0) > 0)
    points[0] = Point(points[0].frame, points[0].arrives, points[0].leaves, points[0].holds, points[0].ease, at)
    last = points[-1]
    points[-1] = Point(last.frame, last.arrives, last.leaves, last.holds, last.ease, at + later)
    try:
        planned = conform(
            Material(100, Rate.of(50)), Treatment(Intent.CURVE, curve=Curve(curve.of, tuple(points))), Rate.of(25)
        )
    except RuleError as error:
        assert "nothing fits" in str(error)
        return
    timed = planned.frame_map
    for point in (points[0], points[-1]):
        if isinstance(timed, TimedMap) and point.at is not None and point.at < timed.length:
            assert timed.position(point.at) == point.frame
    assert [one.to_point for one in planned.scaled] == [0, len(points) - 1]


@pytest.mark.parametrize(
    ("points", "sentence"),
    [
        ([{"frame": 300, "leaves": "1"}], "is at frame 300, outside 0 to 99"),
        ([{"frame": 50, "leaves": "-1"}], "is never reached backwards from frame 0"),
        ([{"frame": 0, "leaves": "0"}, {"frame": 50, "leaves": "0"}], "since the picture holds at frame 0"),
        ([{"frame": 0, "leaves": "1"}, {"frame": 50, "leaves": "-1"}], "is reached in the other direction"),
        ([{"frame": 0, "leaves": "1"}, {"frame": 50, "leaves": "1", "at": 0}], "nothing fits"),
        ([{"frame": 0, "leaves": "1", "at": 9}], "since nothing before it can be slowed"),
        ([{"frame": -1, "leaves": "1"}], "Point 1 of the curve: Frame numbers start at 0"),
        ([{"frame": 1}], "Point 1 of the curve has no speed"),
        ([{"frame": 1, "leaves": "fast"}], "is not a number"),
        ([{"frame": 1, "leaves": 1.5}], "as whole numbers or as text such as"),
        ([{"frame": 1, "leaves": "1", "ease": [0, 4]}], "Ease is between 0"),
        ([{"frame": 1, "share": "1/2", "leaves": "1"}], "Place a curve point by frame"),
        ([{"frame": 1, "leaves": "1", "colour": "red"}], "Point 1 of the curve takes"),
        ([], "between 1 and 200"),
    ],
)
def test_what_is_impossible_is_refused_with_which_and_why(points: list[dict[str, object]], sentence: str) -> None:
    with pytest.raises(RuleError) as refused:
        conform(
            Material(100, Rate.of(50)),
            Treatment(Intent.CURVE, curve=Curve.parse({"of": "speed", "points": points})), Rate.of(25),
        )  # fmt: skip
    assert sentence in str(refused.value) and str(refused.value).endswith(".")


def test_a_curve_backwards_is_said_in_the_curve() -> None:
    curve = Curve.parse({"points": [{"frame": 1, "leaves": "1/2"}]})
    with pytest.raises(RuleError, match="backwards"):
        conform(Material(9, Rate.of(25)), Treatment(Intent.CURVE, curve=curve, reverse=True), Rate.of(25))


def test_a_frame_that_has_no_time_is_shown_on_no_way() -> None:
    """Two frames come at once at 80 ms: the first of them is over before it began, there and back."""
    clock = Clock.of([0, 40, 80, 80, 120, 160], Fraction(1, 1000))
    there_and_back = Curve.parse({"points": [
        {"frame": 5, "arrives": "1", "leaves": "-1"}, {"frame": 0, "arrives": "-1", "leaves": "-1"},
    ]})  # fmt: skip
    treatment = Treatment(Intent.CURVE, curve=there_and_back, between=Between.PICK)
    timed = conform(Material(5, Rate.of(25), clock=clock), treatment, Rate.of(25)).frame_map
    assert [timed.pick(frame) for frame in range(timed.length)] == [0, 1, 3, 4, 4, 3, 1, 0]
    assert list(timed.picks()) == [timed.pick(frame) for frame in range(timed.length)]
    assert timed.tally() == Tally(unique=7, repeated=1, made=0, dropped=1)
    for ruler in (OwnRuler(Fraction(0), clock), EvenRuler(Fraction(0), Fraction(25))):
        outside = [ruler.unit_before(Fraction(second)) for second in (-1, 0, 1)]
        assert outside[0] <= outside[1] == -1 and outside[2] >= 5


@pytest.mark.parametrize("own", [False, True])
def test_a_shutter_that_is_open_as_the_clip_ends_backwards_gathers(own: bool) -> None:
    """However little of the clip is left: as in front of the end on the way forwards."""
    points = [{"frame": 40, "arrives": "1/8", "leaves": "-179/60"}, {"frame": 0, "arrives": "-179/60"}]
    treatment = Treatment(
        Intent.CURVE, curve=Curve.parse({"points": points}), between=Between.GATHER, shutter=Fraction(1)
    )
    material = Material(40, Rate.of(25), clock=even_clock(40, Fraction(25)) if own else None)
    timed = conform(material, treatment, Rate.of(25)).frame_map
    *_, before, last = (timed.shown(frame, between=Between.GATHER) for frame in range(timed.length))
    assert [len(before.units), len(last.units)] == [4, 2]
    counted, walked = timed.tally(between=Between.GATHER), FrameMap.tally(timed, between=Between.GATHER)
    assert (counted.unique, counted.repeated, counted.made) == (walked.unique, walked.repeated, walked.made)


def test_what_the_shutter_of_a_second_field_took_is_not_dropped() -> None:
    """It opens for frames 20 to 22; the next field shows 21, and the one after it rests at 23."""
    rests = Curve.parse({"points": [{"frame": 23, "arrives": "439/200", "holds": 3}]})
    treatment = Treatment(Intent.CURVE, curve=rests, between=Between.GATHER, shutter=Fraction(1))
    timed = conform(Material(40, Rate.of(25)), treatment, Rate.of(25)).frame_map
    shown = [timed.shown(frame, TimelineScan.UPPER, Between.GATHER) for frame in range(timed.length)]
    assert [sorted(unit for unit, _ in moment.parts) for moment in shown[9].moments][1] == [20, 21, 22]
    assert [moment.first for moment in shown[10].moments] == [21, 23]
    seen = {unit for one in shown for unit in one.units}
    assert timed.tally(scan=TimelineScan.UPPER, between=Between.GATHER).dropped == 40 - len(seen)


@given(forward_curves(80))
def test_a_curve_is_kept_as_text(curve: Curve) -> None:
    wish = IntentSetting(Intent.CURVE, curve=curve)
    assert IntentSetting.parse(str(wish)) == wish
    assert Curve.parse(json.loads(json.dumps(curve.document()))) == curve


def test_a_shape_fits_any_clip() -> None:
    shape = Curve.parse({"points": [
        {"seconds": "1", "leaves": "1"}, {"share": "1/2", "leaves": "1/5"}, {"seconds": "-1", "leaves": "1"},
    ]})  # fmt: skip
    for frames, first, last in ((400, 0, None), (900, 100, 700)):
        treatment = Treatment(Intent.CURVE, curve=shape, span=Span(first, last))
        planned = conform(Material(frames, Rate.of(100)), treatment, Rate.of(25))
        stop = last + 1 if last is not None else frames
        assert isinstance(planned.frame_map, TimedMap)
        placed = shape.on(first, stop, Fraction(100))
        assert [point.frame for point in placed.points] == [first + 100, first + (stop - first) // 2, stop - 100]


def test_near_misses_hiccup_in_their_stretch_alone() -> None:
    """59.94 in 30 at life, then at a half: what each stretch of a curve would do by itself."""
    curve = Curve.parse({"points": [{"frame": 6000, "arrives": "1", "leaves": "1/2"}]})
    file, timeline = Rate.parse("59.94"), Rate.of(30)
    planned = conform(Material(12_000, file), Treatment(Intent.CURVE, curve=curve), timeline)
    timed = planned.frame_map
    assert isinstance(timed, TimedMap) and [one.cadence is not None for one in timed.rhythms] == [True, True]
    turn = timed.rhythms[1].first
    alone = StraightMap.of(file.value / timeline.value, 6000)
    assert [spot for spot in timed.hiccups() if spot < turn] == [spot for spot in alone.hiccups() if spot < turn]
    steps = [b - a for a, b in pairwise(list(timed.picks())[turn:])]
    assert len([spot for spot in timed.hiccups() if spot > turn]) == sum(step != 1 for step in steps) > 0


def test_what_would_run_for_days_is_refused() -> None:
    slow = Curve.parse({"points": [{"frame": 1, "arrives": "1", "leaves": "1/1000000"}]})
    with pytest.raises(RuleError, match="At these speeds the clip would last"):
        conform(Material(1000, Rate.of(25)), Treatment(Intent.CURVE, curve=slow), Rate.of(25))
    clock = even_clock(1000, Fraction(25))
    with pytest.raises(RuleError, match="At these speeds the clip would last"):
        conform(Material(1000, Rate.of(25), clock=clock), Treatment(Intent.FIT, Fraction(9_000_000)), Rate.of(25))


@pytest.mark.parametrize("between", Between)
def test_a_long_curve_adds_up_whatever_the_parts(between: Between) -> None:
    """It is added up in parts that stay near the processor: nothing may be lost where two of them meet."""
    points = tuple(Point(3_000 * (i + 1), Fraction(1 + i % 3, 2), Fraction(2 + i % 5, 3)) for i in range(12))
    treatment = Treatment(Intent.CURVE, curve=Curve(SpeedOf.SPEED, points), between=between)
    long = conform(Material(48_000, Rate.of(25)), treatment, Rate.of(25)).frame_map
    edges = [0, 7, 16_383, 16_385, long.length // 2, 32_768, long.length]
    for scan in TimelineScan:
        whole = long.tally(scan=scan, between=between)
        parts = [long.tally(a, b, scan, between) for a, b in pairwise(sorted(set(edges)))]
        assert whole == sum(parts, Tally())
        assert whole.frames == long.length
        window = range(16_370, 16_400)
        walked = FrameMap.tally(long, window.start, window.stop, scan, between)
        assert long.tally(window.start, window.stop, scan, between) == walked
