"""How decisions, plans and standings read: the words on the page, in undo and on the sheet."""

from fractions import Fraction

import pytest

from oddmeter.core.conform.arithmetic import hiccup_text, pattern_text, spelled, stride_equation
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.levels import HOUSE
from oddmeter.core.decisions.parts import Held, IntentSetting, Part, Reading, parse_part
from oddmeter.core.decisions.treatment import Fields, Intent, Treatment
from oddmeter.core.decisions.vocabulary import held_text, intent_text, part_text, reading_text
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.findings import findings_of
from oddmeter.core.evidence.verdicts import Certainty, Claim, Question, Source, Strength, verdicts
from oddmeter.core.numbers.numerals import fixed_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan


def planned(timeline: str, file: str, treatment: Treatment, frames: int = 1000, shot: str | None = None) -> Conform:
    material = Material(frames, Rate.parse(file), Rate.parse(shot) if shot else None)
    return conform(material, treatment, Rate.parse(timeline))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("real-time", "real time"), ("every-frame", "every frame"), ("pace 1/3", "pace ≈ 33.33 % (1/3)"),
        ("speed 8/15", "speed ≈ 53.33 % (8/15)"), ("fit 210/1", "fit 210 frames"), ("leave", "leave as it is"),
    ],
)  # fmt: skip
def test_what_is_wanted(text: str, words: str) -> None:
    assert intent_text(IntentSetting.parse(text)) == words
    assert intent_text(None) == "undecided"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("file", "as the file says"), ("24000/1001", "at 23.976"), ("timeline", "at the timeline's rate"),
        ("shot", "at the shot rate"), ("file * 1000/1001", "at the file's rate × 1000/1001"),
        ("25/1 * 1001/1000", "at 25 × 1.001"),
    ],
)  # fmt: skip
def test_how_a_clip_is_read(text: str, words: str) -> None:
    assert reading_text(Reading.parse(text)) == words


@pytest.mark.parametrize(
    ("text", "words"),
    [("off", "not held"), ("on twos", "on twos"), ("3 frames", "on threes"), ("7 frames", "7 frames each"),
     ("12", "12 pictures a second")],
)  # fmt: skip
def test_how_pictures_are_held(text: str, words: str) -> None:
    assert held_text(Held.parse(text)) == words


def test_every_part_has_words_for_what_the_house_decides() -> None:
    words = {part: part_text(part, value) for part, value in HOUSE.decisions.items()}
    assert words == {
        Part.READING: "as the file says", Part.FIELDS: "woven", Part.BETWEEN: "pick", Part.SHUTTER: "180°",
        Part.EFFORT: "normal", Part.REACH: "48 pixels", Part.TRUST: "10 %", Part.HELD: "not held",
        Part.SOUND: "follows the speed",
        Part.STREAMS: "all sound streams", Part.MUSIC: "no music",
        Part.REVERSE: "forwards", Part.FRAMING: "raster as it is", Part.SPAN: "whole clip",
    }  # fmt: skip
    assert [
        part_text(part, parse_part(part, text)) for part, text in ((Part.SOUND, "pitch"), (Part.REVERSE, "yes"))
    ] == [
        "keeps its pitch",
        "backwards",
    ]


def test_the_division_with_fields_split_fit_and_left_alone() -> None:
    tape = planned("50", "25", Treatment(Intent.EVERY_FRAME, fields=Fields.SPLIT), 100)
    assert stride_equation(tape) == "2 × 25 × 1 ÷ 50 = 1"
    assert [line.note for line in spelled(tape)][2] == "source fields for each timeline frame"
    fit = planned("25", "50", Treatment(Intent.FIT, Fraction(210)), 630)
    assert spelled(fit)[0].numbers == "630 × 25 ÷ (210 × 50)" and spelled(fit)[-1].result == "210"
    left = planned("25", "50", Treatment(Intent.LEAVE, read_rate=Rate.of(24)), 100)
    assert spelled(left)[0].words == "as the file says" and left.read_rate == Rate.of(50)


def test_rhythms_and_hiccups_of_held_pictures() -> None:
    twos = planned("24", "24", Treatment(Intent.REAL_TIME, held=Fraction(2)))
    assert (pattern_text(twos), twos.frame_map.kind.value, hiccup_text(twos)) == ("0 2", "even", None)
    near = planned("23.976", "24", Treatment(Intent.REAL_TIME, held=Fraction(2)), 100_000)
    assert near.frame_map.kind.value == "near" and hiccup_text(near) == "41.7 s"
    long = planned("25", "29.97", Treatment(Intent.REAL_TIME))
    assert pattern_text(long) == "1200 frames in 1001"


@pytest.mark.parametrize(
    ("value", "places", "text"),
    [("8/15", 0, "1"), ("53/1", 0, "53"), ("1/3", 2, "0.33"), ("5/2", 3, "2.500"), ("-1/8", 2, "-0.12")],
)
def test_decimals_that_line_up(value: str, places: int, text: str) -> None:
    assert fixed_text(Fraction(value), places) == text


def claim(question: Question, strength: Strength, value: str) -> Claim:
    return Claim(question, Source.LOG, strength, value, value)


def test_a_standing_is_confirmed_when_nothing_in_it_is_only_assumed() -> None:
    facts = Facts(frames=100, file_rate=Rate.of(25), scan=Scan.PROGRESSIVE)
    settled = [
        claim(Question.SHOT_RATE, Strength.REPORTED, "150/1"), claim(Question.FILE_RATE, Strength.MEASURED, "25/1"),
        claim(Question.SCAN, Strength.MEASURED, "progressive"),
    ]  # fmt: skip
    found = findings_of(verdicts(settled), facts, None, Rate.of(150))
    assert (found.confirmed, found.disputed, found.shot_state, found.scan) == (
        True,
        False,
        Certainty.AGREED,
        "progressive",
    )
    assumed = [claim(Question.SHOT_RATE, Strength.ASSUMED, "25/1"), *settled[1:]]
    assert not findings_of(verdicts(assumed), facts, None, None).confirmed
    against = [*settled, claim(Question.SHOT_RATE, Strength.HINTED, "240/1")]
    disputed = findings_of(verdicts(against), facts, None, None)
    assert disputed.disputed and not disputed.confirmed and disputed.shot_rate == Rate.of(150)


def test_a_standing_leaves_empty_what_is_not_there() -> None:
    nothing = findings_of(verdicts(()), None, None, None)
    assert (nothing.pulldown, nothing.repeats, nothing.gauge, nothing.scan, nothing.shot_rate) == ("", "", "", "", None)
    told = [
        claim(Question.PULLDOWN, Strength.MEASURED, "2:3"), claim(Question.REPEATS, Strength.MEASURED, "none"),
        claim(Question.GAUGE, Strength.REPORTED, "super8"),
    ]  # fmt: skip
    some = findings_of(verdicts(told), None, None, None)
    assert (some.pulldown, some.repeats, some.gauge, some.carries_pulldown) == ("2:3", "", "super8", True)
    assert not findings_of(
        verdicts([claim(Question.PULLDOWN, Strength.MEASURED, "2:2")]), None, None, None
    ).carries_pulldown
