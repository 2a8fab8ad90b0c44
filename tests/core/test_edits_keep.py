"""What edits keep: the range of source under every change of speed, and frames inside a transition."""

import os
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.cutting.commands import checked
from oddmeter.core.cutting.edits import (
    Edge,
    Following,
    deleted,
    dissolved,
    moved,
    refit,
    respeeded,
    slipped,
    split,
    trimmed,
)
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind, Transition
from oddmeter.core.cutting.shown import shown_at
from oddmeter.core.cutting.windows import Window
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.treatment import Between
from oddmeter.core.lists.listing import listed_cut
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from tests.core.test_cutting import FILM, Shelf, bent, clip_event, seen, shelf, speed

UPPER = Track(TrackKind.PICTURE, 2)


def window_of(book: Shelf, event: Event) -> Window:
    found = book.window(0, event)
    assert found is not None
    return found


def decided(event_list: EventList, event_id: int, decisions: Decisions, book: Shelf, following: Following) -> EventList:
    return respeeded(event_list, [event_id], lambda one: replace(one, decisions=decisions), book.windows(), following)


def test_made_straight_a_part_of_a_curve_begins_where_it_was_and_is_trimmed_from_there() -> None:
    """Curved, split after 30 frames, made straight, trimmed at the head: each looks where the one before it did."""
    book = shelf(clip_event(1, 0, 100, 100, decisions=bent()), material=Material(400, Rate.of(25)))
    parts = split(book.event_list(0), 1, 30, book.windows())
    second = parts.in_time[1]
    assert second.curve_offset > 0
    began = window_of(book, second).place(0)
    straight = decided(parts, second.id, speed(1), book, Following.STAYS).event(second.id)
    assert straight.curve_offset == 0 and window_of(book, straight).place(0) == began
    event_list = parts.with_events([straight])
    head = trimmed(event_list, straight.id, Edge.HEAD, 5, book.windows()).event(straight.id)
    assert window_of(book, head).place(0) == began + 5 and head.curve_offset == 0


def test_straight_by_another_level_a_part_of_a_curve_counts_its_lead_once() -> None:
    """The curve was the clip's, and is gone: the event still says how far along it is."""
    event = clip_event(1, 0, 40, 0, decisions=speed(1), curve_offset=Fraction(30, 25))
    book = shelf(event, material=Material(400, Rate.of(25)))
    assert window_of(book, event).place(0) == 30
    for by, edge in ((5, Edge.HEAD), (-5, Edge.TAIL)):
        made = trimmed(book.event_list(0), 1, edge, by, book.windows()).event(1)
        assert window_of(book, made).place(0) == 30 + max(0, by)
    assert window_of(book, refit(book.event_list(0), 1, 80, book.windows()).event(1)).place(0) == 30
    timeline = Timeline(0, TimelineSettings("cut", FILM, 640, 360), 1)
    (listed,) = listed_cut(book, lambda _: timeline, 0, {}).events
    assert listed.source_in.count == 30


@pytest.mark.parametrize("following", Following)
def test_a_part_of_a_curve_that_is_decided_otherwise_keeps_its_length(following: Following) -> None:
    book = shelf(clip_event(1, 0, 100, 100, decisions=bent()), material=Material(400, Rate.of(25)))
    parts = split(book.event_list(0), 1, 30, book.windows())
    other = replace(bent(), between=Between.MIX)
    for event in parts.in_time:
        made = decided(parts, event.id, other, book, following).event(event.id)
        assert replace(made, decisions=event.decisions) == event


DIRECTIONS = st.lists(st.tuples(st.sampled_from(["1", "1/2", "2", "3/4"]), st.booleans()), min_size=1, max_size=6)


@given(DIRECTIONS, st.integers(0, 200))
@settings(deadline=None)
def test_in_whatever_order_speed_and_direction_change_the_range_of_source_is_kept(
    changes: list[tuple[str, bool]], first: int
) -> None:
    book = shelf(clip_event(1, 0, 100, first), material=Material(400, Rate.of(25)))
    event_list = book.event_list(0)
    for done, (value, back) in enumerate(changes, 1):
        event_list = decided(event_list, 1, speed(value, reverse=back), book, Following.MOVES)
        low, high = window_of(book, event_list.event(1)).used
        # Lengths are rounded up to full frames: nothing is lost, and less than a frame's run comes each time.
        assert first - 2 * done < low <= first and first + 100 <= high < first + 100 + 2 * done


@pytest.mark.parametrize("following", Following)
def test_backwards_and_forwards_again_is_what_it_was(following: Following) -> None:
    book = shelf(clip_event(1, 0, 100), material=Material(400, Rate.of(25)))
    before = seen(book)
    back = decided(book.event_list(0), 1, speed(1, reverse=True), book, following)
    assert window_of(book, back.event(1)).used == (Fraction(0), Fraction(100))
    again = decided(back, 1, speed(1), book, following)
    assert again.event(1).source_in == 0
    book.cuts[0] = again
    assert seen(book) == before


def test_an_event_of_a_variable_clip_keeps_its_range_by_its_own_times() -> None:
    """A second of slow pictures and a second of quick ones: 10 and 50 of them."""
    times = [*range(0, 1000, 100), *range(1000, 2000, 20), 2000]
    material = Material(60, Rate.of(30), clock=Clock.of(times, Fraction(1, 1000)))
    book = shelf(clip_event(1, 0, 25), material=material)
    assert window_of(book, book.event_list(0).event(1)).used == (Fraction(0), Fraction(10))
    slower = decided(book.event_list(0), 1, speed("1/2"), book, Following.MOVES).event(1)
    assert slower.length == 50 and window_of(book, slower).used == (Fraction(0), Fraction(10))


def dissolving(length: int = 50, over: int = 25) -> Shelf:
    events = (clip_event(1, 0, 50), clip_event(2, 50, length, 100, transition=Transition("dissolve", over)))
    return shelf(*events, material=Material(400, Rate.of(25)))


def test_nothing_is_split_or_cut_short_inside_its_transition() -> None:
    book = dissolving()
    for after in (1, 24):
        with pytest.raises(RuleError, match=r"dissolve into .* is still running"):
            split(book.event_list(0), 2, after, book.windows())
    parts = split(book.event_list(0), 2, 25, book.windows())
    before = seen(book)
    book.cuts[0] = parts
    assert seen(book) == before
    with pytest.raises(RuleError, match="shorter than its dissolve of 25 frames"):
        trimmed(dissolving().event_list(0), 2, Edge.TAIL, -26, book.windows())
    assert trimmed(dissolving().event_list(0), 2, Edge.TAIL, -25, book.windows()).event(2).length == 25


def test_a_transition_is_never_longer_than_its_event() -> None:
    book = dissolving()
    quick = decided(book.event_list(0), 2, speed(4), book, Following.MOVES).event(2)
    assert quick.length == 13 and quick.transition == Transition("dissolve", 13)
    fitted = refit(book.event_list(0), 2, 10, book.windows()).event(2)
    assert fitted.transition == Transition("dissolve", 10)
    longest = dissolved(book.event_list(0), [2], "dissolve", 80).event(2)
    assert longest.transition == Transition("dissolve", 50)
    assert dissolved(book.event_list(0), [2], "dissolve", 0).event(2).transition is None
    with pytest.raises(RuleError, match="transition of 60 frames does not fit in an event of 50"):
        clip_event(1, 0, 50, transition=Transition("wipe", 60))


def test_a_dissolve_over_a_picture_below_comes_from_that_picture() -> None:
    events = (
        clip_event(1, 0, 100), clip_event(2, 20, 40, 200, track=UPPER, transition=Transition("dissolve", 10)),
        Event(3, Track(TrackKind.PICTURE, 3), SourceKind.BLACK, 90, 10, transition=Transition("dissolve", 4)),
    )  # fmt: skip
    book = shelf(*events, material=Material(400, Rate.of(25)))
    under, over = shown_at(book, 0, 22)
    assert (under.clip_id, under.weights.first, over.weights.first) == (1, 22, 202)
    assert (under.share, over.share) == (Fraction(3, 4), Fraction(1, 4))
    assert [part.clip_id for part in shown_at(book, 0, 91)] == [1, None]
    assert [part.clip_id for part in shown_at(dissolving(), 0, 55)] == [1, 1]


@given(st.integers(-300, 300), st.integers(0, 60), st.booleans())
@settings(deadline=None)
def test_frames_over_are_found_as_by_walking(wanted: int, edge: int, curved: bool) -> None:
    event = clip_event(1, 0, 60, 100, decisions=bent() if curved else speed("3/7"))
    use = window_of(shelf(event), event)
    way, begins = (1 if wanted >= 0 else -1), use.place(edge)
    before = Fraction(0)
    for first in range(1, 6001):
        run = abs(use.place(edge + way * first) - begins)
        if run >= abs(wanted):
            closer = first if run - abs(wanted) <= abs(wanted) - before else first - 1
            assert use.frames_over(Fraction(wanted), edge) == way * closer
            return
        before = run
    with pytest.raises(RuleError, match="The event does not cover that many source frames there"):
        use.frames_over(Fraction(wanted), edge)


def test_a_hundred_thousand_frames_over_are_found_without_walking() -> None:
    """By asking for few places, as often as a number that large can be halved."""
    event = clip_event(1, 0, 200_000, 0, decisions=speed("1/1000"))
    use = window_of(shelf(event, material=Material(10_000, Rate.of(25))), event)
    asked: list[int | Fraction] = []

    class Counted(Window):
        def place(self, frame: int | Fraction) -> SourceFrame:
            asked.append(frame)
            return super().place(frame)

    counted = Counted(use.event, use.conformed, use.frame_map, use.timeline_rate)
    assert counted.frames_over(Fraction(100), 0) == 100_000 and len(asked) < 200


def test_what_no_edit_may_leave_is_refused() -> None:
    """A curve offset without a curve, and a group of two sources."""
    book = shelf(clip_event(1, 0, 100, 100), material=Material(400, Rate.of(25)))
    one = book.event_list(0).event(1)
    odd = EventList(FILM, (replace(one, curve_offset=Fraction(1)),))
    with pytest.raises(RuleError, match="curve offset"):
        checked(odd, book.windows(), book.event_list(0))
    assert checked(odd, book.windows(), odd) is odd, "what was so before is not looked at"
    pair = [replace(one, group=1), replace(one, id=2, group=1, track=Track(TrackKind.SOUND, 1), clip_id=9)]
    with pytest.raises(RuleError, match="another source"):
        checked(EventList(FILM, tuple(pair)), book.windows())


DECIDED = [speed(1), speed("1/3"), speed("7/4", reverse=True), speed(2), bent()]
MATERIALS = [
    Material(400, Rate.of(50)), Material(400, Rate.parse("59.94")),
    Material(400, Rate.of(50), clock=Clock.of([0, *(10 * i + i % 3 for i in range(1, 401))], Fraction(1, 500))),
]  # fmt: skip
Edited = Callable[[EventList, Event, Shelf, int, Following], EventList]
MADE: dict[str, Edited] = {
    "head": lambda event_list, one, book, by, how: trimmed(event_list, one.id, Edge.HEAD, by, book.windows(), how),
    "tail": lambda event_list, one, book, by, how: trimmed(event_list, one.id, Edge.TAIL, by, book.windows(), how),
    "slip": lambda event_list, one, book, by, _: slipped(event_list, [one.id], Fraction(by, 2), book.windows()),
    "split": lambda event_list, one, book, by, _: split(event_list, one.id, abs(by) % one.length or 1, book.windows()),
    "delete": lambda event_list, one, _, __, how: deleted(event_list, [one.id], how),
    "move": lambda event_list, one, _, by, __: moved(event_list, [one.id], by),
    "refit": lambda event_list, one, book, by, how: refit(event_list, one.id, one.length + by, book.windows(), how),
    "decide": lambda event_list, one, book, by, how: decided(event_list, one.id, DECIDED[by % len(DECIDED)], book, how),
    "dissolve": lambda event_list, one, _, by, __: dissolved(event_list, [one.id], "dissolve", by),
}


@st.composite
def lists(draw: st.DrawFn) -> Shelf:
    """Events of a clip and of a timeline at another rate, dissolves, gaps, and a pair of picture and sound."""
    events, at = [], 0
    for number in range(1, draw(st.integers(2, 5))):
        at += draw(st.sampled_from([0, 0, 3]))
        length, own = draw(st.integers(4, 16)), draw(st.sampled_from(DECIDED))
        over = Transition("dissolve", draw(st.integers(1, length))) if draw(st.booleans()) else None
        place = Fraction(draw(st.integers(20, 90 if own == bent() else 380)))
        event = clip_event(number, at, length, place, decisions=own, transition=over)
        if own != bent() and draw(st.integers(0, 3)) == 0:
            nest = {"kind": SourceKind.TIMELINE, "clip_id": None, "timeline_id": 7, "source_in": place / 20}
            event = replace(event, **nest)  # type: ignore[arg-type]
        events.append(event)
        at += length
    first = events[0]
    if first.clip_id is not None and draw(st.booleans()):
        events[0] = replace(first, group=first.id)
        events.append(replace(first, id=80, group=first.id, track=Track(TrackKind.SOUND, 1), transition=None))
    inner = EventList(Rate.of(24), (clip_event(1, 0, 9, 10), clip_event(2, 9, 12, 200, decisions=speed("1/2"))))
    return Shelf({0: EventList(FILM, tuple(events)), 7: inner}, {1: draw(st.sampled_from(MATERIALS))})


edits_drawn = st.lists(
    st.tuples(st.sampled_from(sorted(MADE)), st.integers(0, 9), st.integers(-9, 9), st.sampled_from([*Following])),
    min_size=1, max_size=6,
)  # fmt: skip
"""What is done, to which event, by how much, and whether later events move."""


def edited_by(step: tuple[str, int, int, Following], book: Shelf) -> EventList | None:
    """The events of timeline 0 after an edit; None where there are none."""
    (name, which, by, how), event_list = step, book.cuts[0]
    return (
        MADE[name](event_list, event_list.events[which % len(event_list.events)], book, by, how)
        if event_list.events
        else None
    )


@given(lists(), edits_drawn)
@settings(max_examples=int(os.environ.get("DRAWN_EDITS", "60")), deadline=None)
def test_frames_that_an_edit_does_not_concern_stay_what_they_are(
    book: Shelf, steps: list[tuple[str, int, int, Following]]
) -> None:
    """Of every event that was not changed each frame shows what it did, its dissolve with what lies under it; what was
    changed has no lead without a curve; and a part split off goes on as the whole did."""
    for name, which, by, how in steps:
        event_list = book.cuts[0]
        if not event_list.events:
            return
        one = event_list.events[which % len(event_list.events)]
        try:
            after = MADE[name](event_list, one, book, by, how)
        except RuleError:
            continue
        then, changed = Shelf({**book.cuts, 0: after}, book.materials), {e.id for e in event_list.together([one])}
        for event in after.by_track.get(FIRST_PICTURE, ()):
            use = then.window(0, event) if event.id in changed else None
            assert use is None or event.curve_offset == 0 or use.conformed.course is not None, name
            was, before, under = event_list.by_id.get(event.id), after.before(event), None
            if was is None or (event.id in changed and name != "split"):
                continue
            under = event_list.before(was)
            alike = (before is None and under is None) or (
                before is not None and under is not None and before.id == under.id and before.id not in changed
            )
            for frame in range(0 if alike else event.dissolves_over, event.length):
                now, then_was = (
                    [part.picture for part in shown_at(shelf_, 0, placed.record_in + frame)]
                    for shelf_, placed in ((then, event), (book, was))
                )
                assert now == then_was, (name, event.id, frame)
        if name == "split":
            assert seen(then) == seen(book)
        book = then
