"""Events as uses: planned with all levels, marked, listed; and what holds after any edits in any order."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.cutting import edits
from oddmeter.core.cutting.edits import Edge, Following
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind, Transition
from oddmeter.core.cutting.shown import shown_at
from oddmeter.core.cutting.uses import EventMark, Use, marks_of, use_of_clip, use_of_timeline
from oddmeter.core.cutting.windows import window
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import Decisions, Layer, Level
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Treatment
from oddmeter.core.lists.finding import event_of
from oddmeter.core.lists.listing import MadeFile, error_of, listed_cut, of_made_files
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import parse_amount
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.clips import Decided, KnownClip
from oddmeter.core.planning.clips import Use as ClipUse
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.interchange.otio.reading import read_otio
from oddmeter.interchange.otio.writing import write_otio
from oddmeter.work.orders import Order, order_of_event
from tests.core.test_cutting import Shelf, bent, clip_event, seen, speed
from tests.core.test_finding import known

FILM = Rate.of(25)
TIMELINE = Timeline(1, TimelineSettings("The film", FILM, start=90_000), 1)


def decided(clip: KnownClip, text: str, use: str = "") -> KnownClip:
    uses = (ClipUse(1, Decisions.parse({"intent": use})),) if use else ()
    return clip.deciding(Decided(Decisions.parse({"intent": text}), uses=uses))


def speed_of(use: Use) -> Fraction:
    assert use.window is not None, use.trouble
    return use.window.conformed.speed


def test_the_nearest_level_decides_and_the_event_is_the_nearest() -> None:
    clip = known(1, "bell.mov", "50")
    show = House(Layer(Level.SHOW, "Show", Decisions.parse({"intent": "speed 3"})))
    plain, own = clip_event(1, 0, 20), clip_event(1, 0, 20, decisions=speed("1/4"))
    assert speed_of(use_of_clip(plain, clip, show, TIMELINE)) == 3
    clip = decided(clip, "speed 2")
    assert speed_of(use_of_clip(plain, clip, show, TIMELINE)) == 2
    clip = decided(clip, "speed 2", "speed 5")
    assert speed_of(use_of_clip(plain, clip, show, TIMELINE)) == 5
    assert speed_of(use_of_clip(own, clip, show, TIMELINE)) == Fraction(1, 4)


def test_an_event_without_a_usable_source_says_why() -> None:
    gone = use_of_clip(clip_event(1, 0, 20, name="bell"), None, House(), TIMELINE)
    assert (gone.window, gone.trouble) == (None, "bell is not among the footage.")
    fast = clip_event(1, 0, 20, decisions=speed(Fraction(10**9)))
    assert "This speed is out of range" in use_of_clip(fast, known(1, "bell.mov"), House(), TIMELINE).trouble
    nest = replace(clip_event(1, 0, 20), kind=SourceKind.TIMELINE, clip_id=None, timeline_id=2)
    assert use_of_timeline(nest, EventList(FILM), TIMELINE).trouble == "The timeline inside is empty."
    inner = use_of_timeline(nest, EventList(Rate.of(50), (clip_event(1, 0, 100),)), TIMELINE)
    assert inner.window is not None and inner.window.source_out == 40, "twenty frames at 25 are forty of its own"


def test_marks_say_what_stands_out_and_by_how_many_frames() -> None:
    clip = known(1, "bell.mov", frames=100)
    event_list = EventList(FILM, (clip_event(1, 0, 30, 40), clip_event(2, 40, 120, 20), clip_event(3, 160, 10, 3)))
    gaps = {(track, begin): stop for track, begin, stop in event_list.gaps()}
    told = {}
    for event in event_list.events:
        marks = marks_of(event, use_of_clip(event, clip, House(), TIMELINE), gaps, 12)
        told[event.id] = [(kind, int(frames)) for kind, frames in marks]
    assert told == {1: [(EventMark.GAP_BEHIND, 10)], 2: [(EventMark.OVERRUN, 40)], 3: [(EventMark.NO_HANDLES, 3)]}
    missing = replace(clip_event(4, 0, 5), clip_id=None)
    assert marks_of(missing, use_of_clip(missing, None, House(), TIMELINE), {}, 0) == (
        (EventMark.MISSING, Fraction(0)),
    )


@pytest.mark.parametrize(
    ("typed", "frames"),
    [("+12", 12), ("-3f", -3), ("−3", -3), ("34 f", 34), ("2s", 50), ("-00:00:01:05", -30), ("0", 0), ("12s08f", 308)],
)
def test_amounts_are_read_as_people_type_them(typed: str, frames: int) -> None:
    assert parse_amount(typed, FILM) == frames


@pytest.mark.parametrize("typed", ["", "+", "-", "x", "1/2", "--3", "00:00:99:00"])
def test_what_is_no_amount_is_refused(typed: str) -> None:
    with pytest.raises(RuleError):
        parse_amount(typed, FILM)


@pytest.mark.parametrize("scan", [TimelineScan.PROGRESSIVE, TimelineScan.UPPER])
@pytest.mark.parametrize("fields", [Fields.WHOLE, Fields.SPLIT])
@pytest.mark.parametrize("between", [Between.PICK, Between.MIX])
def test_every_moment_of_a_part_is_that_of_the_whole(scan: TimelineScan, fields: Fields, between: Between) -> None:
    material = Material(200, Rate.parse("29.97"))
    treatment = Treatment(Intent.SPEED, Fraction(2, 3), fields=fields, between=between)
    whole = window(clip_event(1, 0, 240), material, treatment, FILM).frame_map
    use = window(clip_event(1, 0, 240), material, treatment, FILM)
    for first in (1, 17, 100):
        begun = replace(clip_event(1, 0, 60), source_in=use.place(first))
        part = window(begun, material, treatment, FILM).frame_map
        for frame in (0, 1, 30, 59):
            assert part.shown(frame, scan, between).moments == whole.shown(first + frame, scan, between).moments


def test_a_held_rate_counts_from_where_the_event_begins() -> None:
    treatment = Treatment(Intent.SPEED, Fraction(1), held=Fraction(3))
    found = window(clip_event(1, 0, 9, 10), Material(100, FILM), treatment, FILM).frame_map
    assert [found.pick(frame) for frame in range(9)] == [10, 10, 10, 13, 13, 13, 16, 16, 16]


def test_a_part_passes_over_nothing_at_its_ends() -> None:
    found = window(clip_event(1, 0, 20, 30), Material(200, Rate.of(100)), Treatment(Intent.SPEED, Fraction(1)), FILM)
    assert (found.frame_map.tally().dropped, found.frame_map.tally().unique) == (57, 20), "three between any two"
    back = window(
        clip_event(1, 0, 20, 150), Material(200, Rate.of(100)), Treatment(Intent.SPEED, Fraction(1), reverse=True), FILM
    )
    assert back.frame_map.tally().dropped == 57
    assert [int(place) for place in (*found.used, *back.used)] == [30, 110, 70, 150]


def test_a_longer_use_has_the_same_frames_in_its_middle() -> None:
    for decisions in (speed("1/2"), speed("3/2", reverse=True), bent()):
        book = Shelf(
            {0: EventList(FILM, (clip_event(1, 0, 40, 90, decisions=decisions),))}, {1: Material(400, Rate.of(50))}
        )
        use = book.window(0, book.event_list(0).event(1))
        assert use is not None
        longer = use.longer(8, 5)
        assert longer.event.length == 53
        picks = [longer.frame_map.pick(frame) for frame in range(53)]
        assert picks[8:48] == [use.frame_map.pick(frame) for frame in range(40)]


@pytest.mark.parametrize(
    ("points", "length", "overrun"),
    [
        ([{"frame": 20, "leaves": "1"}], 300, 210),  # to the end of the file, 180 frames at 50 on 25
        ([{"frame": 20, "leaves": "1"}, {"frame": 60, "arrives": "0"}], 300, 0),  # it rests by itself
        (
            [{"frame": 60, "arrives": "1", "leaves": "0"}, {"frame": 60, "arrives": "0", "leaves": "-1"}],
            300,
            260,
        ),  # back at its in point
    ],
)
def test_a_curve_runs_out_where_it_would_go_on(points: list[dict[str, object]], length: int, overrun: int) -> None:
    wish = Decisions(intent=IntentSetting(Intent.CURVE, curve=Curve.parse({"points": points})))
    book = Shelf({0: EventList(FILM, (clip_event(1, 0, length, 20, decisions=wish),))}, {1: Material(200, Rate.of(50))})
    use = book.window(0, book.event_list(0).event(1))
    assert use is not None and use.overrun == overrun


def film() -> Shelf:
    """A film with a nest, for lists of it."""
    inner = EventList(FILM, (clip_event(1, 0, 50, 5, decisions=speed(2)),))
    nest = replace(clip_event(2, 40, 80), kind=SourceKind.TIMELINE, clip_id=None, timeline_id=2, name="nest")
    outer = EventList(FILM, (
        clip_event(1, 0, 40, 10, decisions=speed("1/2")), replace(nest, decisions=speed("1/2")),
        replace(clip_event(3, 120, 20, 60), decisions=speed(1, reverse=True), transition=Transition("dissolve", 5)),
        replace(clip_event(4, 140, 10), kind=SourceKind.BLACK, clip_id=None, name=""),
    ))  # fmt: skip
    return Shelf({1: outer, 2: inner}, {1: Material(400, Rate.of(50))})


def test_a_timeline_is_listed_by_its_sources_with_their_timecode() -> None:
    clip = known(1, "day/bell.mov", "50", 400, "10:00:00:00")
    timelines = {1: TIMELINE, 2: Timeline(2, TimelineSettings("nest", FILM), 1)}
    told = listed_cut(film(), timelines.__getitem__, 1, {1: clip})
    bell, nest, back, black = told.events
    zero = 36_000 * 50
    assert bell.source_in.count == zero + 10 and bell.speed == Fraction(1, 2)
    assert (bell.source_in.rate, bell.path) == (Rate.of(50), "day/bell.mov")
    assert (
        nest.kind is SourceKind.TIMELINE
        and nest.inside is not None
        and nest.inside.events[0].source_in.count == zero + 5
    )
    assert back.reverse and back.source_in.count == zero + 60 and back.transition == Transition("dissolve", 5)
    assert (black.kind, told.timecode(0), told.length) == (SourceKind.BLACK, "01:00:00:00", 150)
    made = of_made_files(told, film().event_list(1), {1: MadeFile("made/001.mov", "10:00:00:05", 12)})
    assert made.events[0].speed == 1 and made.events[0].name == "001.mov"
    assert made.events[0].source_in.count == 36_000 * 25 + 5 + 12
    assert [str(note) for note in made.notes] == [
        "nest at 01:00:01:15 has no file yet.",
        "bell.mov at 01:00:04:20 has no file yet.",
    ]


def bent_film() -> Shelf:
    """One event on a curve, begun in its middle."""
    event = replace(clip_event(1, 0, 420, 40, decisions=bent()), curve_offset=Fraction(2, 5))
    return Shelf({1: EventList(FILM, (event,))}, {1: Material(400, Rate.of(50))})


def test_a_curve_is_told_whole_by_its_own_words_or_in_a_chain_of_straight_events() -> None:
    clip, book = known(1, "bell.mov", "50", 400), bent_film()
    told = listed_cut(book, {1: TIMELINE}.__getitem__, 1, {1: clip})
    use = book.window(1, book.event_list(1).event(1))
    assert use is not None and "described by its speed on the whole" in str(told.notes[0])
    again = event_of(told.events[0], clip, 1)
    assert (again.source_in, again.curve_offset, again.decisions.intent) == (
        Fraction(40), Fraction(2, 5), book.event_list(1).event(1).decisions.intent,
    )  # fmt: skip
    chained = listed_cut(book, {1: TIMELINE}.__getitem__, 1, {1: clip}, chains=True)
    assert "events of one speed" in str(chained.notes[0]) and len(chained.events) > 5
    assert [one.stop for one in chained.events[:-1]] == [one.record_in for one in chained.events[1:]]
    assert sum(one.length for one in chained.events) == 420 and any(one.reverse for one in chained.events)
    for one in chained.events:
        assert error_of(one, use, 0) <= Fraction(1, 2) or one.length <= 2
        assert one.source_in.count - 36_000 * 50 == use.place(one.record_in)
    read = read_otio(write_otio(told)).events[0]
    assert (read.curve, read.speed) == (told.events[0].curve, told.events[0].speed)


Edited = Callable[[EventList, Event, Shelf, int, Following], EventList]
EDITS: dict[str, Edited] = {
    "head": lambda event_list, one, book, by, how: edits.trimmed(
        event_list, one.id, Edge.HEAD, by, book.windows(), how
    ),
    "tail": lambda event_list, one, book, by, how: edits.trimmed(
        event_list, one.id, Edge.TAIL, by, book.windows(), how
    ),
    "slip": lambda event_list, one, book, by, _: edits.slipped(event_list, [one.id], Fraction(by, 2), book.windows()),
    "slide": lambda event_list, one, book, by, _: edits.slid(event_list, one.id, by, book.windows()),
    "split": lambda event_list, one, book, by, _: edits.split(
        event_list, one.id, abs(by) % one.length or 1, book.windows()
    ),
    "delete": lambda event_list, one, _, __, how: edits.deleted(event_list, [one.id], how),
    "move": lambda event_list, one, _, by, __: edits.moved(event_list, [one.id], by),
    "refit": lambda event_list, one, book, by, how: edits.refit(
        event_list, one.id, one.length + by, book.windows(), how
    ),
    "close": lambda event_list, _, __, ___, ____: edits.closed(event_list),
    "unlink": lambda event_list, one, _, __, ___: edits.unlinked(event_list, [one.id]),
}
TOUCHED = {"slide": 1, "move": 0, "close": 0}
"""Neighbours whose own frames an edit may change, on either side."""


@given(
    st.lists(
        st.tuples(
            st.sampled_from(sorted(EDITS)), st.integers(0, 30), st.integers(-12, 12), st.sampled_from(list(Following))
        ),
        max_size=8,
    )
)
@settings(max_examples=40, deadline=None)
def test_whatever_is_done_nothing_lies_over_anything_and_others_keep_their_frames(
    steps: list[tuple[str, int, int, Following]],
) -> None:
    material = Material(400, Rate.of(50))
    sound = Track(TrackKind.SOUND, 1)
    half, back = speed("1/2"), speed(2, reverse=True)
    laid = edits.in_order(
        [
            clip_event(1, 0, 40, 20, group=5, decisions=half),
            clip_event(2, 0, 40, 20, group=5, decisions=half, track=sound),
            clip_event(3, 0, 30, 90, decisions=bent()),
            clip_event(4, 0, 25, 300, decisions=back),
            clip_event(5, 0, 50),
        ]
    )
    book = Shelf({0: EventList(FILM, laid)}, {1: material})
    for name, which, by, how in steps:
        event_list = book.event_list(0)
        if not event_list.events:
            return
        one = event_list.events[which % len(event_list.events)]
        try:
            after = EDITS[name](event_list, one, book, by, how)
        except RuleError as error:
            assert str(error).endswith((".", "!")), error
            continue
        together = {event.id for event in event_list.together([one])}
        around = together | ({event.id for event in event_list.events if name == "slide"})
        then = Shelf({0: after}, book.materials)
        for event in after.events:
            was = event_list.by_id.get(event.id)
            assert event.length >= 1 and event.record_in >= 0
            if was is not None and event.id not in around:
                assert (event.length, event.source_in, event.curve_offset, event.decisions) == (
                    was.length, was.source_in, was.curve_offset, was.decisions,
                ), name  # fmt: skip
        assert after.length == max((event.stop for event in after.events), default=0)
        assert (
            len({part.clip_id for frame in range(0, after.length, 7) for part in shown_at(then, 0, frame)} - {None})
            <= 1
        )
        book = then
    assert seen(book) == seen(
        Shelf({0: replace(book.event_list(0), events=tuple(reversed(book.event_list(0).events)))}, book.materials)
    )


@pytest.mark.parametrize(
    ("first", "length", "handles", "wanted"),
    [
        (100, 40, 10, (10, 10)),
        (6, 40, 10, (3, 10)),  # three timeline frames of two source frames each lie before it
        (100, 45, 10, (10, 5)),
        (100, 60, 10, (10, 0)),  # it runs out itself, and stays as long as it is
        (0, 100, 0, (0, 0)),
    ],
)
def test_handles_are_what_the_source_still_has(first: int, length: int, handles: int, wanted: tuple[int, int]) -> None:
    treatment = Treatment(Intent.SPEED, Fraction(1))
    use = window(clip_event(9, 0, length, first), Material(200, Rate.of(50)), treatment, FILM)
    order = order_of_event(use, TIMELINE.settings, handles, 9)
    assert order.event is not None and (order.event.head, order.event.tail) == wanted
    assert order.event.length == length + sum(wanted)


@given(
    st.sampled_from(["1", "1/2", "8/15", "7/3"]), st.booleans(), st.integers(0, 150), st.integers(1, 80),
    st.integers(0, 20), st.sampled_from(["25", "50", "29.97"]),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_what_is_ordered_of_an_event_is_what_it_shows(
    stride: str, reverse: bool, first: int, length: int, handles: int, rate: str
) -> None:
    treatment = Treatment(Intent.SPEED, Fraction(stride), reverse=reverse, between=Between.MIX)
    use = window(clip_event(3, 0, length, first), Material(200, Rate.parse(rate)), treatment, FILM)
    order = order_of_event(use, TIMELINE.settings, handles, 3)
    again = Order.model_validate_json(order.model_dump_json())
    assert again == order and again.event is not None
    made = again.conformed()
    for frame in range(0, length, 3):
        there = made.frame_map.shown(frame + again.event.head, between=Between.MIX).moments
        assert there == use.frame_map.shown(frame, between=Between.MIX).moments


def test_a_curve_is_ordered_from_where_the_event_begins() -> None:
    use = bent_film().window(1, bent_film().event_list(1).event(1))
    assert use is not None
    order = Order.model_validate_json(order_of_event(use, TIMELINE.settings, 5, 1).model_dump_json())
    assert order.event is not None
    made, head = order.conformed(), order.event.head
    assert [made.frame_map.pick(frame + head) for frame in range(420)] == [use.frame_map.pick(f) for f in range(420)]


def test_gaps_and_tracks_of_a_cut() -> None:
    upper = Track(TrackKind.PICTURE, 2)
    event_list = EventList(FILM, (
        clip_event(1, 10, 20), clip_event(2, 40, 10), clip_event(3, 5, 50, track=upper), clip_event(4, 0, 5),
    ))  # fmt: skip
    assert event_list.gaps() == ((FIRST_PICTURE, 5, 10), (FIRST_PICTURE, 30, 40), (upper, 0, 5))
    assert [track.name for track in event_list.by_track] == ["V1", "V2"] and event_list.length == 55
    book = Shelf({0: event_list}, {1: Material(400, FILM)})
    over = [shown_at(book, 0, frame)[0].event for frame in (3, 5, 15, 54)]
    assert [event.id for event in over if event is not None] == [4, 3, 3, 3], "the higher track lies over the lower"
    (nothing,) = shown_at(book, 0, 60)
    assert nothing.event is None and nothing.clip_id is None and nothing.share == 1
    assert edits.closed(event_list) == event_list, "no gap goes through all tracks"
    only = edits.closed(event_list.with_events((), [3]))
    assert [(event.record_in, event.stop) for event in only.by_track[FIRST_PICTURE]] == [(0, 5), (5, 25), (25, 35)]


def test_a_slip_of_a_curve_runs_along_it() -> None:
    book = bent_film()
    event = book.event_list(1).event(1)
    there = edits.slipped(book.event_list(1), [1], Fraction(4), book.windows(1)).event(1)
    before, after = book.window(1, event), book.window(1, there)
    assert before is not None and after is not None
    assert after.source_in == before.source_in + 4 and after.event.source_in == event.source_in
    rests = replace(event, curve_offset=Fraction(17, 4))
    still = Shelf({1: EventList(FILM, (rests,))}, book.materials)
    use = still.window(1, rests)
    assert use is not None
    if use.speed_in == 0:
        with pytest.raises(RuleError, match="starts on a held frame and cannot be slipped there"):
            edits.slipped(still.event_list(1), [1], Fraction(4), still.windows(1))


def test_a_curve_of_another_length_keeps_its_range_and_its_pins_in_proportion() -> None:
    book = bent_film()
    half = edits.refit(book.event_list(1), 1, 210, book.windows(1)).event(1)
    was, now = book.window(1, book.event_list(1).event(1)), book.window(1, half)
    assert was is not None and now is not None and now.source_in == was.source_in
    for frame in (0, 20, 60):
        assert now.place(frame) == was.place(2 * frame), "twice as fast"


def test_a_place_is_laid_in_or_refused_and_what_is_there_moves_along() -> None:
    event_list = EventList(FILM, edits.in_order([clip_event(1, 0, 20), clip_event(2, 0, 30)]))
    new = [clip_event(7, 0, 10), clip_event(8, 10, 5)]
    laid = edits.placed(event_list, new, 20, Following.MOVES)
    assert [(event.record_in, event.length) for event in laid.by_track[FIRST_PICTURE]] == [
        (0, 20),
        (20, 10),
        (30, 5),
        (35, 30),
    ]
    with pytest.raises(RuleError, match="would overlap"):
        edits.placed(event_list, new, 20)
    behind = edits.placed(event_list, new, 60)
    assert behind.gaps() == ((FIRST_PICTURE, 50, 60),) and behind.length == 75
    dropped = edits.placed(behind, [clip_event(9, 0, 10)], 50)
    assert dropped.gaps() == () and len({event.id for event in dropped.events}) == 5
    with pytest.raises(RuleError, match="spans this point"):
        edits.placed(event_list, new, 10, Following.MOVES)
    assert edits.placed(event_list, [], 3) is event_list
