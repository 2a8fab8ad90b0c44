"""The rules by which verdicts are drawn, one by one, and the claims they are drawn from."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.evidence.claims import Word, claims_of, life_rate, verdicts_by_logs
from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.evidence.verdicts import Certainty, Claim, Question, Source, Strength, parse_value, verdict, verdicts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport, Repeats, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan

SHOT = Question.SHOT_RATE
PLAIN = Facts(frames=100, file_rate=Rate.of(25), measured_rate=Fraction(25), stated_rate=Fraction(25))


def claim(strength: Strength, value: str, source: Source = Source.HEADER) -> Claim:
    return Claim(SHOT, source, strength, value, f"{source}: {value}")


ASSUMED_25, NAMED_150 = claim(Strength.ASSUMED, "25/1"), claim(Strength.HINTED, "150/1", Source.NAME)
LOGGED_150 = claim(Strength.REPORTED, "150/1", Source.LOG)


@pytest.mark.parametrize(
    ("claims", "value", "state", "source"),
    [
        ([], None, Certainty.UNKNOWN, None),
        ([ASSUMED_25], "25/1", Certainty.ASSUMED, Source.HEADER),
        ([NAMED_150], "150/1", Certainty.ASSUMED, Source.NAME),
        ([ASSUMED_25, NAMED_150], "25/1", Certainty.DISPUTED, Source.HEADER),
        ([ASSUMED_25, LOGGED_150], "150/1", Certainty.AGREED, Source.LOG),
        ([ASSUMED_25, LOGGED_150, NAMED_150], "150/1", Certainty.AGREED, Source.LOG),
        ([LOGGED_150, claim(Strength.HINTED, "120/1", Source.NAME)], "150/1", Certainty.DISPUTED, Source.LOG),
        ([LOGGED_150, claim(Strength.REPORTED, "100/1", Source.LOG)], "150/1", Certainty.DISPUTED, Source.LOG),
        ([claim(Strength.STATED, "24/1")], "24/1", Certainty.ASSUMED, Source.HEADER),
        ([claim(Strength.STATED, "24/1"), claim(Strength.MEASURED, "25/1", Source.TIMESTAMPS)], "25/1",
         Certainty.DISPUTED,
         Source.TIMESTAMPS),
        ([LOGGED_150, claim(Strength.SAID, "120/1", Source.PERSON)], "120/1", Certainty.SETTLED, Source.PERSON),
    ],
)  # fmt: skip
def test_each_rule(claims: list[Claim], value: str | None, state: Certainty, source: Source | None) -> None:
    for order in (claims, claims[::-1]) if len({c.strength for c in claims}) == len(claims) else (claims,):
        drawn = verdict(SHOT, order)
        assert (drawn.value, drawn.state, drawn.source) == (value, state, source)
        assert drawn.certain is (state in (Certainty.AGREED, Certainty.SETTLED))
        assert drawn.why.endswith(".")


@given(st.lists(st.builds(claim, st.sampled_from(Strength), st.sampled_from(["24/1", "25/1", "150/1"])), max_size=6))
def test_nothing_uncertain_looks_certain(claims: list[Claim]) -> None:
    drawn = verdict(SHOT, claims)
    said = [c for c in claims if c.strength is Strength.SAID]
    spoken_against = any(c.value != drawn.value and c.strength > Strength.ASSUMED for c in claims)
    well_founded = any(c.strength >= Strength.REPORTED and c.value == drawn.value for c in claims)
    assert drawn.certain is bool(said or (well_founded and not spoken_against))
    assert (drawn.state is Certainty.DISPUTED) is bool(spoken_against and not said and claims)


def test_a_hint_means_the_rate_that_is_usual_under_its_name() -> None:
    found = verdicts(
        claims_of("harbour_24p.mov", Facts(100, Rate.parse("23.976"), measured_rate=Fraction(24000, 1001)))
    )
    assert found[Question.FILE_RATE].state is Certainty.AGREED
    other = verdicts(claims_of("harbour_24p.mov", PLAIN))[Question.FILE_RATE]
    assert (
        other.value == "25/1"
        and other.state is Certainty.DISPUTED
        and [c.words for c in other.against] == ["name: 24p"]
    )


def test_a_decimal_rate_in_a_header_is_snapped_and_the_reason_kept() -> None:
    facts = Facts(100, Rate.parse("29.97"), measured_rate=Fraction(30000, 1001), stated_rate=Fraction(2997, 100))
    found = verdicts(claims_of("a.mov", facts))[Question.FILE_RATE]
    assert found.value == "30000/1001" and found.state is Certainty.AGREED
    assert "29.97 (2997/100), taken as 30000/1001" in found.why


def test_uneven_times_are_never_certain() -> None:
    facts = Facts(
        90, Rate(Fraction(2934, 100)), Timing.VARIABLE, Fraction(2934, 100), stated_rate=Fraction(30),
        intervals=((Fraction(1, 31), 60), (Fraction(1, 15), 29)),
    )  # fmt: skip
    found = verdicts(claims_of("phone.mp4", facts))[Question.FILE_RATE]
    assert found.rate == facts.file_rate and found.state is Certainty.DISPUTED
    assert "15 to 31" in found.why


def test_a_report_that_comes_later_changes_only_what_nobody_settled() -> None:
    row = LogEntry("camera report", 14, clip="pour", shot_rate=Rate.of(150))
    before, after = (verdicts(claims_of("pour.mov", PLAIN, None, rows))[SHOT] for rows in ((), (row,)))
    assert (before.value, after.value) == ("25/1", "150/1")
    assert after.why.startswith("camera report, row 14: 150")
    settled = verdicts(claims_of("pour.mov", PLAIN, None, (row,), (Word(SHOT, "120/1", "Ada", "wrote it down"),)))[SHOT]
    assert settled.value == "120/1" and "Ada: wrote it down" in settled.why


def picture(*stretches: Stretch, repeats: Repeats | None = None) -> PictureReport:
    return PictureReport(100, True, stretches, repeats)


ENTRIES = st.builds(
    LogEntry, title=st.just("log"), row=st.just(2), shot_rate=st.sampled_from([None, Rate.of(150), Rate.of(25)]),
    scan=st.sampled_from([None, Scan.INTERLACED]), gauge=st.sampled_from([None, "super-8", "16mm"]),
)  # fmt: skip


@given(st.lists(ENTRIES, max_size=2), st.lists(ENTRIES, max_size=2), st.booleans())
def test_what_reports_change_is_the_same_the_short_way(one: list[LogEntry], other: list[LogEntry], said: bool) -> None:
    facts = Facts(frames=9, file_rate=Rate.of(25), measured_rate=Fraction(25), stated_rate=Fraction(25))
    words = [Word(Question.SCAN, "progressive", "Ada")] if said else []
    before, after = verdicts_by_logs("reel_3_super8.mov", facts, None, words, one, other)
    all_before, all_after = (verdicts(claims_of("reel_3_super8.mov", facts, None, log, words)) for log in (one, other))
    for question in Question:
        if question in before:
            assert (before[question], after[question]) == (all_before[question], all_after[question])
        else:
            assert all_before[question] == all_after[question]


def test_what_pictures_claim() -> None:
    tape = Facts(100, Rate.parse("29.97"), scan=Scan.INTERLACED, field_order=FieldOrder.UPPER)
    lower = picture(Stretch(0, 99, Scan.INTERLACED, FieldOrder.LOWER))
    found = verdicts(claims_of("tape.mov", tape, lower))
    assert found[Question.SCAN].state is Certainty.AGREED
    assert (found[Question.FIELD_ORDER].value, found[Question.FIELD_ORDER].state) == ("lower", Certainty.DISPUTED)
    film = picture(
        Stretch(0, 40, Scan.INTERLACED, FieldOrder.LOWER, "2:3", 1),
        Stretch(41, 99, Scan.INTERLACED, FieldOrder.LOWER, "2:3", 3),
    )
    found = verdicts(claims_of("film.mov", tape, film))
    assert found[Question.PULLDOWN].value == "2:3" and "in 2 stretches" in found[Question.PULLDOWN].why
    assert found[SHOT].value == "24000/1001" and not found[SHOT].certain
    crawl = picture(
        Stretch(0, 40, Scan.INTERLACED, FieldOrder.LOWER, "2:3", 1),
        Stretch(41, 99, Scan.INTERLACED, FieldOrder.LOWER, "2:3", 2, graphics=(0, 7)),
    )
    found = verdicts(claims_of("crawl.mov", tape, crawl))
    assert found[Question.PULLDOWN].why == (
        "picture: pulldown 2:3; above it graphics at field rate, at the top and at the bottom."
    )
    whole = verdicts(claims_of("psf.mov", tape, picture(Stretch(0, 99, Scan.PROGRESSIVE))))
    assert whole[Question.SCAN].state is Certainty.DISPUTED and whole[Question.PULLDOWN].value == "2:2"
    still = verdicts(claims_of("still.mov", tape, picture(Stretch(0, 99, Scan.UNKNOWN))))
    assert still[Question.PULLDOWN].value is None, "what does not move claims nothing"


def test_repeats_give_the_rate_of_the_pictures() -> None:
    facts = Facts(100, Rate.parse("29.97"))
    report = picture(Stretch(0, 99, Scan.PROGRESSIVE), repeats=Repeats(100, 60, Fraction(3, 5)))
    assert life_rate(report, facts) == Rate(Fraction(18000, 1001))
    found = verdicts(claims_of("reel.mov", facts, report))
    assert found[Question.REPEATS].value == "18000/1001" and "3 pictures in 5 frames" in found[Question.REPEATS].why
    on_twos = picture(Stretch(0, 99, Scan.PROGRESSIVE), repeats=Repeats(100, 50, Fraction(1, 2)))
    assert "every second frame repeated" in verdicts(claims_of("a.mov", facts, on_twos))[Question.REPEATS].why


def test_a_gauge_says_how_fast_its_cameras_usually_ran() -> None:
    scan = LogEntry("scan report", 3, clip="reel", gauge="super-8", file_rate=Rate.of(25))
    found = verdicts(claims_of("reel.mov", PLAIN, None, (scan,)))
    assert found[Question.GAUGE].certain and found[SHOT].value == "18/1" and found[SHOT].state is Certainty.ASSUMED
    assert verdicts(claims_of("8mm_16.mov", PLAIN))[SHOT].value == "16/1"


def test_what_people_answer_is_read_exactly_or_refused() -> None:
    assert parse_value(SHOT, "23.98") == "24000/1001" and parse_value(Question.SCAN, " Interlaced ") == "interlaced"
    assert parse_value(Question.REPEATS, "none") == "none" and parse_value(Question.REPEATS, "18") == "18/1"
    for question, text in (
        (SHOT, "fast"),
        (Question.SCAN, "wobbly"),
        (Question.GAUGE, "70mm"),
        (Question.PULLDOWN, "3:2"),
    ):
        with pytest.raises(RuleError):
            parse_value(question, text)
