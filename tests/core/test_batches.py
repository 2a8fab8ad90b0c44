"""Marks, strips, spelled arithmetic, names and lengths: what people read."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.arithmetic import number_text, percent_text, spelled, stride_equation
from oddmeter.core.batches import Mark, marks, stretch, strip, totals
from oddmeter.core.cadence import FrameMap
from oddmeter.core.conform import Material, conform
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import verdicts
from oddmeter.core.facts import Facts, Scan, Sound
from oddmeter.core.naming import WORDS, filled, safe_folder
from oddmeter.core.rates import Rate
from oddmeter.core.standing import standing
from oddmeter.core.timecode import parse_length
from oddmeter.core.treatments import Intent, Treatment
from oddmeter.interchange.sheet import safe_cell

REAL_TIME = Treatment(Intent.REAL_TIME)
NOTHING_SAID = standing(verdicts(()), None, None, None)


@pytest.mark.parametrize(
    ("value", "text"),
    [
        ("2/5", "40 %"),
        ("8/15", "53⅓ %"),
        ("5/6", "83⅓ %"),
        ("1/600", "⅙ %"),
        ("1001/4800", "≈ 20.85 %"),
        ("6", "600 %"),
    ],
)
def test_speeds_read_as_per_cent(value: str, text: str) -> None:
    assert percent_text(Fraction(value)) == text


def test_numbers_are_never_rounded_silently() -> None:
    assert [number_text(Fraction(v)) for v in ("5/2", "3", "1001/1000", "1/3")] == ["2.5", "3", "1.001", "1/3"]


def test_the_division_is_written_out() -> None:
    planned = conform(Material(930, Rate.of(60)), REAL_TIME, Rate.of(24))
    assert stride_equation(planned) == "60 × 1 ÷ 24 = 2.5"
    assert [line.result for line in spelled(planned)] == ["1", "60", "2.5", "100 %", "372"]
    rerated = conform(Material(100, Rate.of(30)), Treatment(Intent.SPEED, Fraction(5, 6), Rate.of(25)), Rate.of(25))
    assert spelled(rerated)[1].note == "re-rated and re-speeded"


@given(
    st.fractions(min_value=Fraction(1, 20), max_value=30, max_denominator=200), st.integers(1, 500), st.integers(2, 40)
)
def test_a_strip_shows_the_frame_map_itself(stride: Fraction, units: int, beats: int) -> None:
    frame_map = FrameMap.of(stride, units)
    drawn = strip(frame_map, beats)
    assert 1 <= len(drawn.picks) <= max(beats, 2)
    assert list(drawn.picks) == [frame_map.pick(drawn.first + i) for i in range(len(drawn.picks))]
    assert drawn.source_first <= min(drawn.picks) and max(drawn.picks) < drawn.source_stop <= units
    whole = stretch(frame_map, 0, frame_map.length)
    assert len(whole.picks) == frame_map.length and whole.source_stop == units


def test_a_near_miss_is_drawn_around_its_hiccup() -> None:
    frame_map = FrameMap.of(Fraction(1001, 1000), 4000)
    drawn = strip(frame_map, 18)
    assert drawn.hiccups == (1000,) and drawn.first < 1000 < drawn.first + 18


def test_marks_say_what_stands_out() -> None:
    facts = Facts(frames=500, file_rate=Rate.of(24), scan=Scan.INTERLACED, sound=Sound(48_000, 2, Fraction(20)))

    def found(timeline: str, treatment: Treatment = REAL_TIME, decided: bool = True) -> set[Mark]:
        planned = conform(Material(500, Rate.of(24)), treatment, Rate.parse(timeline))
        return set(marks(facts, planned, decided, NOTHING_SAID))

    assert found("24") == {Mark.INTERLACED}
    assert found("23.976") == {Mark.INTERLACED, Mark.NEAR_MISS, Mark.OFF_RATE}
    assert found("25", decided=False) == {Mark.INTERLACED, Mark.ODD, Mark.OFF_RATE, Mark.UNDECIDED, Mark.REPEATS}
    assert Mark.SOUND_CHANGED in found("25", Treatment(Intent.EVERY_FRAME))
    assert marks(Facts(fault="The file is empty."), None, False, NOTHING_SAID) == (Mark.FAULT,)
    assert marks(None, None, False, NOTHING_SAID) == ()


def test_totals_add_up() -> None:
    plans = [conform(Material(n, Rate.of(f)), REAL_TIME, Rate.of(25)) for n, f in ((500, 100), (300, 50), (240, 24))]
    total = totals(plans)
    assert (total.clips, total.after, total.dropped, total.repeated) == (3, 125 + 150 + 250, 375 + 150, 10)
    assert {str(kind): n for kind, n in total.kinds.items()} == {"whole": 0, "even": 2, "near": 0, "odd": 1}


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
    except RuleError:
        return
    assert 0 < len(name) <= 200 and not set(name) & set('/\\:*?"<>|\0\n') and name.strip(" .") == name


def test_a_folder_never_leads_upwards() -> None:
    assert safe_folder("day 1/a:b/") == "day 1/a_b"
    for wrong in ("..", "a/../b", " .. /x"):
        with pytest.raises(RuleError):
            safe_folder(wrong)


@pytest.mark.parametrize("text", ["=1+1", "+x", "-x", "@sum", "\tx", " =x"])
def test_no_cell_starts_a_formula(text: str) -> None:
    assert safe_cell(text) == "'" + text
    assert safe_cell("clip.mov") == "clip.mov" and safe_cell(-5) == -5
