"""Lists that others wrote by hand, and ours as others read them: OpenTimelineIO's own library, and its adapter for edit
decision lists. What differs there for reasons of theirs is named where it does."""

import os
from dataclasses import replace
from fractions import Fraction
from itertools import accumulate, pairwise
from random import Random
from typing import Any

import opentimelineio as otio
import pytest

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind, Transition
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.interchange.otio.reading import read_otio
from oddmeter.interchange.otio.writing import write_otio

PAL, FILM, NTSC = Rate.of(25), Rate.of(24), Rate.parse("29.97")
DRAWN = int(os.environ.get("DRAWN_EVENTS", "500"))
"""Events of a list; 5,000 in a longer run (docs/accuracy.md)."""
SPEEDS = [Fraction(1)] * 5 + [Fraction(2), Fraction(1, 2), Fraction(4, 5)]
"""All of which M2 can say exactly at 25 and at 30."""

BY_HAND = [
    # A clip of 24 in a list of 25, by its own rate; a second of it takes a second.
    ("25", "001 A1 V C 01:00:00:00 01:00:01:00 10:00:00:00 10:00:01:00\n* SOURCE RATE: 24\n", "0 25 86400/24 1"),
    # A hundred frames of source in fifty: twice as fast, which M2 says as well.
    ("25", "001 A1 V C 01:00:00:00 01:00:04:00 10:00:00:00 10:00:02:00\nM2 A1 050.0 01:00:00:00\n", "0 50 90000/25 2"),
    # Backwards at half speed: it begins where its range ends.
    ("25", "001 A1 V C 01:00:00:00 01:00:01:00 10:00:00:00 10:00:02:00\nM2 A1 -012.5 01:00:00:00\n",
     "0 50 90025/25 -1/2"),
    # A freeze shows its one frame.
    ("25", "001 A1 V C 01:00:02:00 01:00:02:01 10:00:00:00 10:00:02:00\nM2 A1 000.0 01:00:02:00\n", "0 50 90050/25 0"),
    # Over a dropped minute: 00:00:59;28 to 00:01:00;04 are four frames.
    ("29.97", "001 A1 V C 00:00:59;28 00:01:00;04 01:00:59;28 01:01:00;04\n", "0 4 1798/29.97 1"),
    # A source that drops nothing in a list that does: minute 1 is its frame 1,800.
    ("29.97", "001 A1 V C 00:01:00:00 00:01:01:00 01:00:00;00 01:00:01;00\n", "0 30 1800/29.97 1"),
    # Over midnight, both in the source and on the record.
    ("24", "001 A1 V C 23:59:59:12 00:00:00:12 23:59:59:00 00:00:00:00\n", "0 24 2073588/24 1"),
]  # fmt: skip


@pytest.mark.parametrize(("rate", "lines", "event"), BY_HAND)
def test_what_was_written_by_hand_is_read_as_it_was_meant(rate: str, lines: str, event: str) -> None:
    (read,) = read_edl(lines, Rate.parse(rate)).events
    speed = -read.speed if read.reverse else read.speed
    assert f"{read.record_in} {read.length} {read.source_in.count}/{read.source_in.rate} {speed}" == event


def a_list(rate: Rate, seed: int, count: int) -> ListedTimeline:
    """Events of one track, cut and dissolved, forwards, backwards and still, with gaps."""
    draw = Random(seed)
    events: list[ListedEvent] = []
    at = 0
    for n in range(count):
        length, speed = draw.randint(4, 90), draw.choice(SPEEDS)
        back, still = draw.random() < 0.1, draw.random() < 0.02
        first = draw.randrange(90_000, 150_000)
        source_in = Label(Fraction(first) + (length * speed if back and not still else 0), rate)
        dissolve = draw.random() < 0.1 and n > 0 and events[-1].stop == at
        events.append(
            ListedEvent(
                "V", SourceKind.CLIP, at, length, f"shot {n}", f"R{n % 40}", f"/card/R{n % 40}/shot_{n}.mov", source_in,
                Fraction(0) if still else speed, back and not still,
                Transition("dissolve", draw.randint(1, min(12, length))) if dissolve else None,
            )
        )  # fmt: skip
        at += length + (draw.randint(1, 50) if draw.random() < 0.1 else 0)
    drop = can_drop(rate)
    start = Timecode.parse("01:00:00:00", rate, drop).frames
    return ListedTimeline("bell", rate, drop, start, tuple(events))


@pytest.mark.parametrize("rate", [PAL, NTSC])
def test_the_library_s_adapter_reads_our_list_the_same(rate: Rate) -> None:
    event_list = a_list(rate, 1, DRAWN)
    theirs = otio.adapters.read_from_string(write_edl(event_list).text, "cmx_3600", rate=float(rate.value))
    (track,) = theirs.video_tracks()
    clips = [one for one in track if isinstance(one, otio.schema.Clip)]
    assert len(clips) == len(event_list.events)
    at, transitions = places_of(track), dissolves_of(track)
    for mine, its in zip(event_list.events, clips, strict=True):
        assert (its.name, its.metadata["cmx_3600"]["reel"]) == (mine.name, mine.reel)
        assert (at[id(its)], its.duration().value) == (mine.record_in, mine.length), mine
        # A timecode says full frames.
        assert abs(its.source_range.start_time.value - mine.used(rate)[0].count) <= Fraction(1, 2), mine
        (scalar,) = [one.time_scalar for one in its.effects] or [1.0]
        # Theirs: M2 is read only where source and record differ in length, so that 100 % backwards is read forwards.
        # And what M2 counts, frames of 30, it takes for frames of 29.97.
        backwards, told = mine.reverse and mine.speed != 1, 1 if mine.speed == 1 else rate.nominal / rate.value
        assert scalar == pytest.approx(float((-mine.speed if backwards else mine.speed) * told)), mine
        assert transitions.get(id(its), 0) == (mine.transition.length if mine.transition else 0)


def test_the_library_reads_our_timeline_the_same() -> None:
    event_list = a_list(NTSC, 2, DRAWN // 2)
    nests = (
        ListedEvent(
            "V2", SourceKind.TIMELINE, at, 100, f"nest {at}", source_in=Label(Fraction(7), FILM), speed=Fraction(1, 2),
            inside=replace(a_list(FILM, at, DRAWN // 100), start=0),
        )
        for at in range(0, 5000, 100)
    )  # fmt: skip
    whole = replace(event_list, events=(*event_list.events, *nests))
    timeline = otio.adapters.read_from_string(write_otio(whole), "otio_json")
    assert timeline.global_start_time.value == 107_892 and len(timeline.find_clips()) == DRAWN
    picture, upper = timeline.tracks
    check_same(picture, event_list.events, NTSC)
    for mine, nest in zip(whole.on("V2"), [one for one in upper if isinstance(one, otio.schema.Stack)], strict=True):
        assert nest.source_range.start_time.to_seconds() == pytest.approx(7 / 24)
        assert mine.inside is not None
        check_same(nest[0], mine.inside.events, FILM)
    assert read_otio(write_otio(whole)).on("V2")[-1].inside is not None


def check_same(track: Any, events: tuple[ListedEvent, ...], rate: Rate) -> None:
    """Every clip of a track as the library has it lies, begins, runs and comes in as the event that was written."""
    clips = [one for one in track if isinstance(one, otio.schema.Clip)]
    at, transitions = places_of(track), dissolves_of(track)
    for mine, its in zip(events, clips, strict=True):
        assert (its.name, its.media_reference.target_url, its.duration().rate) == (
            mine.name, mine.path, pytest.approx(float(rate.value)),
        )  # fmt: skip
        assert (at[id(its)], its.duration().value) == (mine.record_in, mine.length)
        low = mine.used(rate)[0]
        assert its.source_range.start_time.value == pytest.approx(float(low.count), abs=1e-6)
        (scalar,) = [one.time_scalar for one in its.effects] or [1.0]
        assert scalar == pytest.approx(float(-mine.speed if mine.reverse else mine.speed))
        assert transitions.get(id(its), 0) == (mine.transition.length if mine.transition else 0)


def places_of(track: Any) -> dict[int, float]:
    """Where each item of a track begins, in its frames, by the lengths that the library gives them."""
    items = [one for one in track if not isinstance(one, otio.schema.Transition)]
    begins = accumulate((one.duration().value for one in items), initial=0.0)
    return {id(one): at for one, at in zip(items, begins, strict=False)}


def dissolves_of(track: Any) -> dict[int, float]:
    """Over how many frames each item is brought in."""
    items = list(track)
    return {
        id(after): one.in_offset.value + one.out_offset.value
        for one, after in pairwise(items) if isinstance(one, otio.schema.Transition)
    }  # fmt: skip
