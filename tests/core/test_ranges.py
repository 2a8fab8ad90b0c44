"""Render ranges: a stretch, an event or a transition with all it is made of shows what the timeline shows there."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind, Transition
from oddmeter.core.cutting.ranges import (
    RenderRange,
    range_of_event,
    range_of_timeline,
    range_of_transition,
)
from oddmeter.core.cutting.shown import shown_at
from oddmeter.core.decisions.music import Music
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import TimelineSettings
from tests.core.test_cutting import FILM, SOUND, Shelf, bent, clip_event, speed

SETTINGS = TimelineSettings("The film", FILM, start=90_000)
DECIDED = [speed(1), speed("1/3"), speed("7/4", reverse=True), bent()]


@st.composite
def books(draw: st.DrawFn) -> Shelf:
    """A timeline of events at several speeds on two tracks, with dissolves, gaps, and one that is a timeline itself."""
    events, at = [], 0
    for number in range(1, draw(st.integers(2, 5))):
        at += draw(st.integers(0, 4))
        length = draw(st.integers(3, 14))
        dissolve = Transition("dissolve", draw(st.integers(1, length))) if draw(st.booleans()) else None
        decided = draw(st.sampled_from(DECIDED))
        source = Fraction(draw(st.integers(20, 90 if decided == DECIDED[-1] else 380)))
        event = clip_event(number, at, length, source, decisions=decided, transition=dissolve)
        if draw(st.integers(0, 3)) == 0:
            event = replace(
                event, kind=SourceKind.TIMELINE, clip_id=None, timeline_id=7, source_in=SourceFrame(source / 20),
                decisions=draw(st.sampled_from(DECIDED[:3])),
            )  # fmt: skip
        events.append(event)
        at += length
    if draw(st.booleans()):
        events.append(clip_event(90, draw(st.integers(0, at)), 5, 50, track=Track(TrackKind.PICTURE, 2)))
    inner = EventList(Rate.of(24), (clip_event(1, 0, 9, 10), clip_event(2, 11, 12, 200, decisions=speed("1/2"))))
    return Shelf({0: EventList(FILM, tuple(events)), 7: inner}, {1: Material(400, Rate.of(50))})


def pictures(render_range: RenderRange, number: int) -> list[list[object]]:
    return [[one.picture for one in moment] for moment in render_range.moments(number)]


@settings(max_examples=60, deadline=None)
@given(books(), st.data())
def test_a_stretch_shows_what_the_timeline_shows_there(book: Shelf, data: st.DataObject) -> None:
    event_list = book.cuts[0]
    first = data.draw(st.integers(0, event_list.length - 1))
    stop = data.draw(st.integers(first + 1, event_list.length))
    part = range_of_timeline(book, 0, SETTINGS, event_list, first, stop)
    assert part.length == stop - first
    for number in range(part.length):
        assert pictures(part, number) == [[one.picture for one in shown_at(book, 0, first + number)]]


@settings(max_examples=40, deadline=None)
@given(books())
def test_on_an_interlaced_timeline_a_frame_is_its_two_moments(book: Shelf) -> None:
    scanned = range_of_timeline(book, 0, replace(SETTINGS, scan=TimelineScan.UPPER), book.cuts[0])
    half = Fraction(1, 2)
    for number in range(scanned.length):
        early, late = ([one.picture for one in shown_at(book, 0, at, lasts=half)] for at in (number, number + half))
        assert pictures(scanned, number) == ([early] if early == late else [early, late])


def test_each_field_of_a_dissolve_has_the_share_of_its_own_half() -> None:
    events = (clip_event(1, 0, 8), clip_event(2, 8, 8, 100, transition=Transition("dissolve", 2)))
    book = Shelf({0: EventList(FILM, events)}, {1: Material(400, Rate.of(50))})
    scanned = range_of_timeline(book, 0, replace(SETTINGS, scan=TimelineScan.LOWER), book.cuts[0])
    shares = [moment[-1].share for number in (8, 9) for moment in scanned.moments(number)]
    assert shares == [Fraction(n, 8) for n in (1, 3, 5, 7)]
    whole = range_of_timeline(book, 0, SETTINGS, book.cuts[0])
    assert [whole.moments(number)[0][-1].share for number in (8, 9)] == [Fraction(1, 4), Fraction(3, 4)]


@settings(max_examples=40, deadline=None)
@given(books(), st.data())
def test_an_event_by_itself_shows_its_own_frames_and_what_lies_around_them(book: Shelf, data: st.DataObject) -> None:
    event_list = book.cuts[0]
    event = data.draw(st.sampled_from(event_list.by_track[FIRST_PICTURE]))
    found = book.window(0, event)
    assert found is not None
    head, tail = found.handles_within(data.draw(st.integers(0, 6)))
    alone = range_of_event(book, 0, SETTINGS, event, head, tail)
    assert (alone.length, alone.settings.start) == (event.length + head + tail, 90_000 + event.record_in - head)
    plain = Shelf({**book.cuts, 0: EventList(FILM, (replace(event, record_in=0, transition=None),))}, book.materials)
    for number in range(event.length):
        assert pictures(alone, head + number) == [[one.picture for one in shown_at(plain, 0, number)]]
    held = Shelf({**book.cuts, 0: alone.cuts[0]}, book.materials).window(0, alone.cuts[0].event(event.id))
    assert held is not None
    assert (held.overrun, held.underrun) == (found.overrun, found.underrun), "handles ask for no more than there is"


@pytest.mark.parametrize("handles", [(0, 0), (4, 2), (12, 0)])
@pytest.mark.parametrize("early", [-6, 0, 8, 40])
def test_a_sound_that_begins_before_its_picture_or_behind_it_keeps_its_place(
    early: int, handles: tuple[int, int]
) -> None:
    """At each frame of the file the sound looks where it looks on the timeline; what comes before the file is left out,
    and all of it where it has ended before."""
    head, tail = handles
    events = (
        clip_event(1, 50, 20, 100, group=1),
        clip_event(2, 50 - early, 30, 100 - 2 * early, track=SOUND, group=1),
    )  # fmt: skip
    book = Shelf({0: EventList(FILM, events)}, {1: Material(400, Rate.of(50))})
    file = range_of_event(book, 0, SETTINGS, events[0], head, tail)
    ends = 50 - early + 30 + tail
    heard = [event for event, _ in file.uses(TrackKind.SOUND, 0)]
    assert bool(heard) is (ends > 50 - head)
    for event in heard:
        mine, theirs = file.window(0, event), book.window(0, events[1])
        assert mine is not None and theirs is not None
        for frame in range(event.record_in, event.stop):
            assert mine.place(frame - event.record_in) == theirs.place(frame - head + 50 - events[1].record_in)


def test_a_transition_by_itself_has_its_frames_with_both_sounds() -> None:
    dissolve = Transition("dissolve", 4)
    events = (
        clip_event(1, 0, 10, group=1), clip_event(2, 0, 10, track=SOUND, group=1),
        clip_event(3, 10, 10, 100, group=3, transition=dissolve),
        clip_event(4, 10, 10, 100, track=SOUND, group=3, transition=dissolve), clip_event(5, 20, 10, 200),
    )  # fmt: skip
    book = Shelf({0: EventList(FILM, events)}, {1: Material(400, Rate.of(50))})
    into = range_of_transition(book, 0, SETTINGS, events[2])
    assert (into.first, into.stop) == (10, 14) and set(into.cuts[0].by_id) == {1, 2, 3, 4}
    whole = range_of_timeline(book, 0, SETTINGS, book.cuts[0])
    assert [pictures(into, n) for n in range(4)] == [pictures(whole, 10 + n) for n in range(4)]
    assert [event.id for event, _ in into.uses(TrackKind.SOUND, 0)] == [2, 4]


def test_a_transition_over_a_picture_below_is_taken_with_that_picture() -> None:
    upper = Track(TrackKind.PICTURE, 2)
    events = (
        clip_event(1, 0, 40), clip_event(2, 10, 20, 200, track=upper, transition=Transition("dissolve", 6)),
        clip_event(3, 16, 5, 300, track=Track(TrackKind.PICTURE, 3)),
    )  # fmt: skip
    book = Shelf({0: EventList(FILM, events)}, {1: Material(400, Rate.of(50))})
    into = range_of_transition(book, 0, SETTINGS, events[1])
    whole = range_of_timeline(book, 0, SETTINGS, book.cuts[0])
    assert set(into.cuts[0].by_id) == {1, 2}
    assert [pictures(into, n) for n in range(6)] == [pictures(whole, 10 + n) for n in range(6)]


def test_a_programme_knows_its_clips_and_music_and_passes_over_what_is_missing() -> None:
    theme = Music("Footage", "Music/theme.wav", -9, 25)
    events = (
        clip_event(1, 0, 10), clip_event(2, 10, 10, clip_id=2),
        Event(3, FIRST_PICTURE, SourceKind.BLACK, 20, 5), clip_event(4, 25, 5, clip_id=None),
    )  # fmt: skip

    class Gappy(Shelf):
        def window(self, timeline_id: int, event: Event):  # type: ignore[no-untyped-def]
            return super().window(timeline_id, event) if event.clip_id is not None else None

    materials = {1: Material(400, Rate.of(50)), 2: Material(300, FILM)}
    book = Gappy({0: EventList(FILM, events)}, materials, lambda treatment: replace(treatment, music=theme))
    made = range_of_timeline(book, 0, SETTINGS, book.cuts[0])
    assert made.clip_ids == {1, 2} and made.asked_music == {theme}
    for number in (22, 27):
        ((seen,),) = made.moments(number)
        assert seen.clip_id is None, "black"


@given(st.lists(st.tuples(st.integers(0, 30), st.integers(1, 9), st.integers(1, 2), st.booleans()), max_size=8))
def test_frames_of_black_are_those_that_no_picture_covers(laid: list[tuple[int, int, int, bool]]) -> None:
    event_list = EventList(FILM)
    for number, (at, length, track, shows) in enumerate(laid, 1):
        kind = SourceKind.CLIP if shows else SourceKind.BLACK
        event = replace(clip_event(number, at, length, track=Track(TrackKind.PICTURE, track)), kind=kind)
        if all(one.stop <= at or one.record_in >= event.stop for one in event_list.by_track.get(event.track, ())):
            event_list = event_list.with_events([event])
    covered = {
        frame for one in event_list.events if one.kind is SourceKind.CLIP for frame in range(one.record_in, one.stop)
    }
    assert event_list.black_frames == sum(frame not in covered for frame in range(event_list.length))


@pytest.mark.parametrize("by", [-3, 0, 7])
def test_where_it_looks_at_a_place_is_the_other_way_round_of_its_place(by: int) -> None:
    book = Shelf({0: EventList(FILM)}, {1: Material(400, Rate.of(50))})
    for decided in (speed("1/3"), speed("3/2", reverse=True)):
        window = book.window(0, clip_event(1, 5, 40, 150 + by, decisions=decided))
        assert window is not None
        for frame in range(0, 40, 7):
            assert window.looking_at(window.place(frame)) == (Fraction(frame),)
        assert window.looking_at(SourceFrame(Fraction(399))) == ()
        for edge, count in ((0, 5), (40, -7), (40, 3)):
            run = abs(window.place(edge + count) - window.place(edge)) * (1 if count > 0 else -1)
            assert window.frames_over(run, edge) == count
