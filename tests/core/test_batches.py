"""Marks, strips, spelled arithmetic, names and lengths: what people read."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.conform.arithmetic import spelled, stride_equation
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.conform.strips import MINI_BEATS, mini_strip, strip_of
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Between, Framing, Intent, Treatment
from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.maps.frame_map import Tally
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import exact_percent_text, number_text, percent_range_text, percent_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import parse_length
from oddmeter.core.pictures.originals import Originals
from oddmeter.core.pictures.scan import Scan, TimelineScan
from oddmeter.core.planning.batches import ALTERNATIVES, alternative, totals
from oddmeter.core.planning.clips import Clip, Decided, KnownClip, known_of
from oddmeter.core.planning.filenames import WORDS, filled, safe_folder
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.marks import Mark, marks_of
from oddmeter.core.planning.plans import Plan, Refusal, plan
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.interchange.paper import safe_cell

REAL_TIME = Decisions(intent=IntentSetting(Intent.REAL_TIME))


@pytest.mark.parametrize(
    ("value", "text"),
    [
        ("2/5", "40 %"),
        ("8/15", "≈ 53.33 %"),
        ("5/6", "≈ 83.33 %"),
        ("1/600", "≈ 0.17 %"),
        ("1001/4800", "≈ 20.85 %"),
        ("6", "600 %"),
    ],
)
def test_speeds_read_as_per_cent(value: str, text: str) -> None:
    assert percent_text(Fraction(value)) == text


def test_what_is_rounded_has_its_fraction_beside_and_a_range_is_short() -> None:
    assert [exact_percent_text(Fraction(v)) for v in ("2/5", "25/24")] == ["40 %", "≈ 104.17 % (25/24)"]
    ranges = [
        percent_range_text(Fraction(a), Fraction(b)) for a, b in (("2/5", "3"), ("1001/4800", "25/24"), ("1/3", "1/3"))
    ]
    assert ranges == ["40 – 300 %", "≈ 21 – 104 %", "≈ 33.33 %"]


def test_numbers_are_never_rounded_silently() -> None:
    assert [number_text(Fraction(v)) for v in ("5/2", "3", "1001/1000", "1/3")] == ["2.5", "3", "1.001", "1/3"]


def test_the_division_is_written_out() -> None:
    made = conform(Material(930, Rate.of(60)), Treatment(Intent.REAL_TIME), Rate.of(24))
    assert stride_equation(made) == "60 × 1 ÷ 24 = 2.5"
    assert [line.result for line in spelled(made)] == ["1", "60", "2.5", "100 %", "372"]
    rerated = conform(Material(100, Rate.of(30)), Treatment(Intent.SPEED, Fraction(5, 6), Rate.of(25)), Rate.of(25))
    assert spelled(rerated)[1].note == "re-rated and re-speeded"


FILM = Timeline(1, TimelineSettings("The film", Rate.of(25)), 1)


def known(facts: Facts | None, decided: Decisions = REAL_TIME) -> KnownClip:
    """A clip with nothing but its facts and what is decided on it."""
    return known_of(Clip(1, 2, "Footage", "a.mov", "a.mov", facts, None, (), (), Decided(decided), 1, 3, None, 0))


def planned(facts: Facts, timeline: Timeline = FILM, decided: Decisions = REAL_TIME) -> Plan:
    made = plan(known(facts, decided), House(), timeline)
    assert isinstance(made, Plan)
    return made


def of(frames: int, rate: str) -> Facts:
    own = Rate.parse(rate)
    return Facts(frames=frames, file_rate=own, measured_rate=own.value)


@given(
    st.fractions(min_value=Fraction(1, 20), max_value=30, max_denominator=200), st.integers(1, 500),
    st.sampled_from(Between), st.sampled_from(TimelineScan), st.booleans(),
)  # fmt: skip
def test_a_strip_shows_the_frame_map_itself(
    speed: Fraction, frames: int, between: Between, scan: TimelineScan, reverse: bool
) -> None:
    treatment = Treatment(Intent.SPEED, speed, between=between, reverse=reverse)
    made = conform(Material(frames, Rate.of(25)), treatment, Rate.of(25))
    drawn = mini_strip(made, scan)
    assert 1 <= drawn.frames == len(drawn.beats) <= MINI_BEATS
    assert list(drawn.beats) == [made.shown(drawn.first + i, scan) for i in range(drawn.frames)]
    whole = strip_of(made, scan, 0, made.frame_map.length)
    units = [unit.unit for unit in whole.rail]
    assert sorted(units) == list(range(frames)) and units[0] == (frames - 1 if reverse else 0)
    for one in (drawn, whole):
        on_rail = {unit.unit for unit in one.rail}
        assert all(beat.units <= on_rail for beat in one.beats), "every thread ends on the rail"
        assert [unit.begins for unit in one.rail] == sorted(unit.begins for unit in one.rail)
    columns = strip_of(made, scan, 0, made.frame_map.length, 7).columns
    assert sum(columns, Tally()) == made.tally(scan), "columns add up to the whole"


def test_a_near_miss_is_drawn_around_its_hiccup() -> None:
    drawn = planned(of(4000, "24"), Timeline(1, TimelineSettings("Festival", Rate.parse("23.976")), 1)).mini
    assert drawn.hiccups == (1000,) and drawn.first < 1000 < drawn.first + 18


def test_marks_say_what_stands_out() -> None:
    sounds = (Sound(48_000, 2, Fraction(20)),)
    facts = Facts(500, Rate.of(24), width=1920, height=1080, scan=Scan.INTERLACED, sounds=sounds)

    def found(timeline: str, decided: Decisions = REAL_TIME) -> set[Mark]:
        on = Timeline(1, TimelineSettings("Main", Rate.parse(timeline)), 1)
        return set(marks_of(plan(known(facts, decided), House(), on)))

    assert found("24") == {Mark.INTERLACED, Mark.UNCONFIRMED}
    assert found("23.976") == {Mark.INTERLACED, Mark.NEAR_MISS, Mark.UNCONFIRMED}, "decided, it is off-rate no longer"
    mixed = replace(REAL_TIME, between=Between.MIX)
    assert found("23.976", mixed) == {Mark.INTERLACED, Mark.UNCONFIRMED}, "what is mixed has no steps"
    assert found("25", Decisions()) == {
        Mark.INTERLACED, Mark.ODD, Mark.OFF_RATE, Mark.UNDECIDED, Mark.REPEATS, Mark.UNCONFIRMED,
    }  # fmt: skip
    facts = replace(facts, width=1280, height=720)
    assert Mark.OTHER_RASTER in found("24")
    inside = replace(REAL_TIME, framing=Framing.INSIDE)
    assert Mark.OTHER_RASTER not in found("24", inside)
    assert Mark.SOUND_CHANGED in found("25", Decisions(intent=IntentSetting(Intent.EVERY_FRAME)))


@pytest.mark.parametrize(
    ("facts", "decided", "sentence", "marks"),
    [
        (None, {}, "It has not been analysed yet.", ()),
        (Facts(fault="The file is empty."), {}, "The file is empty.", (Mark.FAULT,)),
        (Facts(frames=9), {}, "It has no frame rate. Set its file rate in Intake.", (Mark.FAULT,)),
        (of(100, "25"), {"span": "100-200"}, "There are no frames between the in and out points; the clip has 100.",
         (Mark.REFUSED,)),
        (of(100, "25"), {"intent": "speed 90000000/1"}, "This speed is out of range.",
         (Mark.REFUSED,)),
    ],
    ids=["not looked at", "fault", "no rate", "trim", "speed"],
)  # fmt: skip
def test_a_refusal_says_why(
    facts: Facts | None, decided: dict[str, str], sentence: str, marks: tuple[Mark, ...]
) -> None:
    outcome = plan(known(facts, Decisions.parse(decided)), House(), FILM)
    assert isinstance(outcome, Refusal)
    assert outcome.sentence == sentence and marks_of(outcome) == marks


def test_totals_add_up() -> None:
    total = totals([planned(of(500, "100")), planned(of(300, "50")), planned(of(240, "24"))])
    assert (total.clips, total.before, total.after) == (3, 525, 125 + 150 + 250)
    assert (total.dropped, total.repeated) == (375 + 150, 10)
    assert {str(kind): n for kind, n in total.kinds.items()} == {"whole": 0, "even": 2, "near": 0, "odd": 1}


PULLED = Originals(Fraction(4, 5), new="11110" * 200)


@given(st.lists(st.tuples(st.integers(1, 900), st.booleans()), min_size=1, max_size=6), st.sampled_from(ALTERNATIVES))
def test_an_alternative_is_what_each_clip_would_be(clips: list[tuple[int, bool]], wish: IntentSetting) -> None:
    """Also trimmed, and with repeats taken out: the sum of plans made one by one."""
    decided = {"intent": "pace 1/3", "span": "0-600", "fields": "original"}
    plans: list[Plan] = []
    alone: list[Plan] = []
    for frames, pulled in clips:
        clip = known(of(frames, "50"), Decisions.parse(decided))
        assert clip.material is not None
        clip = replace(clip, material=replace(clip.material, originals=PULLED if pulled else None))
        for said, out in ((decided, plans), ({**decided, "intent": str(wish)}, alone)):
            made = plan(clip.deciding(Decided(Decisions.parse(said))), House(), FILM)
            assert isinstance(made, Plan)
            out.append(made)
    found = alternative(wish, plans)
    assert found.after == sum(one.after for one in alone) > 0
    assert sum(found.kinds.values()) == len(clips) and not found.chosen


@pytest.mark.parametrize(
    ("text", "frames"),
    [("210", 210), ("00:00:08:10", 210), ("8s10f", 210), ("8.4s", 210), ("8,4 s", 210), ("10f", 10), ("00000810", 210)],
)
def test_lengths_as_people_type_them(text: str, frames: int) -> None:
    assert parse_length(text, Rate.of(25)) == frames


@pytest.mark.parametrize("text", ["", "0", "long", "-5", "0f", "00:00:00:25"])
def test_what_is_no_length_is_refused(text: str) -> None:
    with pytest.raises(RuleError):
        parse_length(text, Rate.of(25))


@given(st.text(max_size=60), st.text(max_size=30))
def test_a_made_name_is_safe_anywhere(clip: str, pattern: str) -> None:
    values = dict.fromkeys(WORDS, clip)
    try:
        name = filled(pattern + "{clip}", values)
    except RuleError as error:
        assert str(error).endswith(".")
        return
    assert 0 < len(name) <= 200 and not set(name) & set('/\\:*?"<>|\0\n') and name.strip(" .") == name


def test_a_folder_never_leads_upwards() -> None:
    assert safe_folder("day 1/a:b/") == "day 1/a_b"
    assert safe_folder(".../y") == safe_folder("y") == safe_folder("/./ y ./") == "y"
    assert len(safe_folder("é" * 300).encode()) == 200
    for wrong in ("..", "a/../b", " .. /x"):
        with pytest.raises(RuleError):
            safe_folder(wrong)


@pytest.mark.parametrize("text", ["=1+1", "+x", "-x", "@sum", "\tx", " =x"])
def test_no_cell_starts_a_formula(text: str) -> None:
    assert safe_cell(text) == "'" + text
    assert safe_cell("clip.mov") == "clip.mov" and safe_cell(-5) == -5
