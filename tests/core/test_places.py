"""Places: what each number counts, every way between them, and that one kind is not taken for another."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.cutting.events import FIRST_PICTURE, Event
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.places import Label, Labelling, Seconds, SourceClock, SourceFrame, TimelinePlace
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode

NTSC, PAL = Rate.parse("29.97"), Rate.of(25)
RATES = st.sampled_from([Rate.parse(one) for one in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "119.88")])
PARTS = st.fractions(-50, 2000, max_denominator=12)


def uneven(count: int = 60) -> SourceClock:
    """Every third frame comes late by two thirds of its time."""
    ticks = [n * 30 + (20 if n % 3 == 2 else 0) for n in range(count)]
    return SourceClock(PAL, Clock.of([*ticks, count * 30], Fraction(1, 750)))


def test_one_kind_of_place_is_not_taken_for_another() -> None:
    """Each line is wrong, and mypy says so: where it no longer did, it would call the remark beside it unused."""
    clock, bare = SourceClock(PAL), Fraction(10)
    labels = Labelling(clock, PAL, 100)
    second, frame, label = clock.second(SourceFrame(bare)), SourceFrame(bare), Label(bare, PAL)
    clock.second(bare)  # type: ignore[arg-type]
    clock.second(second)  # type: ignore[arg-type]
    clock.frame(frame)  # type: ignore[arg-type]
    clock.second(frame + 1)  # type: ignore[arg-type]
    labels.label(second)  # type: ignore[arg-type]
    TimelinePlace.at(frame, PAL)  # type: ignore[arg-type]
    Event(1, FIRST_PICTURE, SourceKind.CLIP, 0, 10, bare)  # type: ignore[arg-type]
    with pytest.raises(AttributeError):
        labels.place(frame)  # type: ignore[arg-type]
    with pytest.raises(TypeError):
        frame + label  # type: ignore[operator]


@given(RATES, PARTS)
def test_an_even_source_runs_by_its_rate_also_beyond_its_ends(rate: Rate, place: Fraction) -> None:
    clock = SourceClock(rate)
    assert clock.second(SourceFrame(place)) == place / rate.value
    assert clock.frame(clock.second(SourceFrame(place))) == place


@given(PARTS)
def test_an_uneven_source_runs_by_its_times_and_beyond_them_at_its_rate(place: Fraction) -> None:
    clock = uneven()
    assert clock.frame(clock.second(SourceFrame(place))) == place


@pytest.mark.parametrize(
    ("place", "second"), [("2", "80/750"), ("5/2", "85/750"), ("3", "90/750"), ("60", "1800/750"), ("-1", "-1/25")]
)
def test_the_seconds_of_an_uneven_source_by_hand(place: str, second: str) -> None:
    assert uneven().second(SourceFrame(Fraction(place))) == Fraction(second)


@given(RATES, st.booleans(), PARTS, st.integers(0, 100_000))
def test_a_label_leads_back_to_its_place(rate: Rate, drop: bool, place: Fraction, first: int) -> None:
    start = Timecode(first, rate, drop and rate in (NTSC, Rate.parse("59.94")))
    labels = Labelling(SourceClock(rate), rate, 2001, start)
    if place >= 0:
        assert labels.place_since_first(labels.label(SourceFrame(place))) == place


def test_labels_come_evenly_where_frames_do_not() -> None:
    labels = Labelling(uneven(), PAL, 60, Timecode.parse("10:00:00:00", PAL))
    assert labels.label(SourceFrame(Fraction(2))).count == 900_000 + Fraction(8, 3)
    assert str(labels.label(SourceFrame(Fraction(5))).timecode()) == "10:00:00:05"
    assert labels.place(Label(Fraction(900_000) + Fraction(8, 3), PAL)) == 2


@pytest.mark.parametrize(
    ("code", "drop", "there"),
    [
        ("01:00:10;00", True, "01:00:10:00"),
        ("01:00:10:00", False, "01:00:10;00"),
        ("00:01:00:00", False, "00:01:00;02"),
    ],
)
def test_a_label_keeps_its_number_where_it_is_counted_otherwise(code: str, drop: bool, there: str) -> None:
    label = Label(Fraction(Timecode.parse(code, NTSC).frames), NTSC, drop)
    other = label.renumbered(not drop)
    assert (str(label.timecode()), str(other.timecode())) == (code, there)
    assert label.renumbered(drop) == label and Label(label.count, NTSC).renumbered(drop=True).count == label.count


def test_a_label_at_another_rate_is_the_same_number_of_the_clock() -> None:
    label = Label(Fraction(90_012), PAL)
    assert str(label.recounted(NTSC).timecode()) == "01:00:00:14"
    assert label.since_zero == Fraction(90_012, 25)
    assert label.recounted(NTSC).since_zero != label.since_zero, "a minute of 29.97 takes longer than a minute"


@given(RATES, RATES, st.fractions(0, 10_000, max_denominator=7))
def test_a_moment_of_a_timeline_is_the_same_in_frames_of_another(rate: Rate, other: Rate, frames: Fraction) -> None:
    place = TimelinePlace(frames, rate)
    assert place.by(other).seconds == place.seconds == Seconds(frames / rate.value)
    assert place.by(other).by(rate) == place
