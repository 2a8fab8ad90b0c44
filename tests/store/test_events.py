"""Events as they are stored: exactly as they were, under the journal, and gone with what they belong to."""

import os
from collections.abc import Callable
from dataclasses import fields, replace
from fractions import Fraction

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.cutting.edits import Following, in_order
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import ListedSource, SourceKind, Transition
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import Label, SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.store import clips, events, shows
from oddmeter.store.changes import change, redo, undo, undo_state
from oddmeter.store.database import Database
from tests.core.test_cutting import Shelf
from tests.core.test_edits_keep import edited_by, edits_drawn, lists

RATE = Rate.of(25)
SOUND = Track(TrackKind.SOUND, 2)


def a_show(database: Database) -> tuple[int, Timeline, int]:
    """A show, its timeline and a clip of it."""
    with database.transaction() as connection:
        show = shows.add_show(connection, "Tide", TimelineSettings("Main", RATE, start=90_000))
        delivery = clips.add_delivery(connection, show, "Card", "Footage", "card", ["bell.mov"])
        clips.bring_in(connection, delivery)
        (clip,) = clips.clips_of_show(connection, show)
        return show, shows.show(connection, show).timelines[0], clip.id


def ten(clip: int) -> Event:
    """A new event of ten frames."""
    return Event(-1, FIRST_PICTURE, SourceKind.CLIP, 0, 10, clip_id=clip)


def kept(database: Database, timeline: Timeline) -> EventList:
    with database.transaction() as connection:
        return events.event_list_of(connection, timeline)


def written(database: Database, timeline: Timeline, was: EventList, now: EventList) -> EventList:
    with database.transaction() as connection:
        return events.write(connection, timeline.id, was, now)[0]


places = st.fractions(-(10**6), 10**6, max_denominator=10**6)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(st.tuples(places, places, st.integers(1, 10**6), st.booleans()), min_size=1, max_size=5))
def test_an_event_is_kept_to_the_last_digit(
    database: Database, drawn: list[tuple[Fraction, Fraction, int, bool]]
) -> None:
    _, timeline, clip = a_show(database)
    assert timeline.settings.start == 90_000
    some = [
        Event(
            -1 - n, SOUND if sound else FIRST_PICTURE, SourceKind.CLIP, 0, length, SourceFrame(place), lead, clip,
            decisions=Decisions.parse({"intent": "speed 8/15", "between": "mix"}), transition=Transition("wipe", 1),
            name=f"e{n}", listed=ListedSource("bell", "R1", "x/bell.mov", Label(place, Rate.parse("23.976"))),
        )
        for n, (place, lead, length, sound) in enumerate(drawn)
    ]  # fmt: skip
    now = EventList(RATE, in_order(some))
    stored = written(database, timeline, EventList(RATE), now)
    again = kept(database, timeline)
    assert again.by_track == stored.by_track
    strip = [replace(event, id=0) for event in again.events]
    assert sorted(map(repr, strip)) == sorted(repr(replace(event, id=0)) for event in now.events)


def test_whatever_of_an_event_is_changed_is_kept(database: Database) -> None:
    """Each field of an event by itself: what is held in memory is what is read from the database, and so again where it
    is taken back."""
    _, timeline, clip = a_show(database)
    source = ListedSource("bell", "R1", "x/bell.mov", Label(Fraction(7, 3), Rate.parse("29.97"), drop=False))
    plain = Event(-1, FIRST_PICTURE, SourceKind.CLIP, 0, 10, clip_id=clip, name="bell")
    (event,) = written(database, timeline, EventList(RATE), EventList(RATE, (plain,))).events
    others: dict[str, object] = {
        "track": SOUND, "kind": SourceKind.BLACK, "record_in": 5, "length": 12, "source_in": Fraction(8, 7),
        "curve_offset": Fraction(1, 3), "clip_id": None, "decisions": Decisions.parse({"intent": "speed 8/15"}),
        "transition": Transition("dissolve", 4), "group": event.id, "name": "other", "flattened": True,
        "listed": source,
    }  # fmt: skip
    assert {one.name for one in fields(Event)} == {*others, "id", "timeline_id"}
    for name, value in others.items():
        more = {name: value, "clip_id": None} if name == "kind" else {name: value}
        changed = EventList(RATE, (replace(event, **more),))  # type: ignore[arg-type]
        for was, now in ((EventList(RATE, (event,)), changed), (changed, EventList(RATE, (event,)))):
            stored = written(database, timeline, was, now)
            assert stored.events == now.events == kept(database, timeline).events, name


def test_groups_hold_together_under_new_ids(database: Database) -> None:
    _, timeline, clip = a_show(database)
    pair = [
        Event(-7, FIRST_PICTURE, SourceKind.CLIP, 0, 10, clip_id=clip, group=-7),
        Event(-8, SOUND, SourceKind.CLIP, 0, 10, clip_id=clip, group=-7),
    ]
    stored = written(database, timeline, EventList(RATE), EventList(RATE, tuple(pair)))
    again = kept(database, timeline)
    groups = {event.group for event in again.events}
    assert len(groups) == 1 and groups <= {event.id for event in again.events}
    assert again.by_track == stored.by_track


def test_a_version_is_another_one_whenever_an_event_is(database: Database) -> None:
    show, timeline, clip = a_show(database)

    def version() -> str:
        with database.transaction() as connection:
            return events.versions(connection, show)[timeline.id]

    seen = {version()}
    event_list = written(database, timeline, EventList(RATE), EventList(RATE, (ten(clip),)))
    seen.add(version())
    (event,) = event_list.events
    longer = written(database, timeline, event_list, event_list.with_events([replace(event, length=11)]))
    seen.add(version())
    back = written(database, timeline, longer, longer.with_events([event]))
    seen.add(version())
    written(database, timeline, back, back.with_events((), [event.id]))
    assert len(seen) == 4 and version() in seen, "empty is empty"


def test_undo_brings_events_back_as_they_were(database: Database) -> None:
    show, timeline, clip = a_show(database)
    event_list = EventList(
        RATE, in_order([Event(-n, FIRST_PICTURE, SourceKind.CLIP, 0, 10 * n, clip_id=clip) for n in (1, 2, 3)])
    )
    first = written(database, timeline, EventList(RATE), event_list)
    one, two, three = first.by_track[FIRST_PICTURE]
    with change(database, show, "Cut", "Ada") as connection:
        after = first.with_events([one.moved(500), replace(two, length=5)], [three.id])
        events.write(connection, timeline.id, first, after)
    assert kept(database, timeline).length == 510
    with database.transaction() as connection:
        newest = undo_state(connection, show).undo
    assert newest is not None and newest.title == "Cut"
    undo(database, show, newest.id)
    assert kept(database, timeline).by_track == first.by_track


def test_a_row_that_a_change_makes_and_deletes_is_undone_and_done_again(database: Database) -> None:
    """Made, changed and deleted in one change beside one that stays: undo and redo leave what there was."""
    show, timeline, clip = a_show(database)
    with change(database, show, "Edit", "Ada") as connection:
        first, _ = events.write(connection, timeline.id, EventList(RATE), EventList(RATE, (ten(clip),)))
        longer = first.with_events([replace(first.events[0], length=12)])
        second, _ = events.write(connection, timeline.id, first, longer)
        stays = replace(ten(clip), record_in=40)
        events.write(connection, timeline.id, second, EventList(RATE, (stays,)))
    there = kept(database, timeline)
    assert [event.record_in for event in there.events] == [40]
    with database.transaction() as connection:
        newest = undo_state(connection, show).undo
    assert newest is not None
    undo(database, show, newest.id)
    assert kept(database, timeline).events == ()
    redo(database, show, newest.id)
    assert kept(database, timeline).events == there.events


def test_uses_are_counted_once_for_picture_and_sound(database: Database) -> None:
    show, timeline, clip = a_show(database)
    some = [
        ten(clip),
        Event(-2, SOUND, SourceKind.CLIP, 0, 10, clip_id=clip),
    ]
    written(database, timeline, EventList(RATE), EventList(RATE, tuple(some)))
    with database.transaction() as connection:
        assert events.uses_of_clips(connection, show) == {clip: {timeline.id: 1}}


@pytest.mark.parametrize(
    "columns",
    ["track = 'X1'", "length = 0", "record_in = -1", "source_in = '2/4'", "source_in = '0/2'", "lead = '1.5'",
     "kind = 'gap'", "transition_length = 3", "kind = 'timeline', clip_id = null, inner_id = timeline_id"],
)  # fmt: skip
def test_the_database_holds_the_shape_of_an_event(database: Database, columns: str) -> None:
    _, timeline, clip = a_show(database)
    written(database, timeline, EventList(RATE), EventList(RATE, (ten(clip),)))
    with pytest.raises(psycopg.errors.CheckViolation), database.transaction() as connection:
        connection.execute(f"UPDATE event SET {columns}".encode())
    assert len(kept(database, timeline).events) == 1


@pytest.mark.parametrize(
    ("name", "track"),
    [("V1", FIRST_PICTURE), ("V", FIRST_PICTURE), ("A2", SOUND), ("audio 2", SOUND), ("Video 1", FIRST_PICTURE)],
)
def test_tracks_are_known_by_the_names_that_lists_have(name: str, track: Track) -> None:
    assert Track.named(name) == track


@settings(
    max_examples=int(os.environ.get("STORED_EDITS", "8")), deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)  # fmt: skip
@given(lists(), edits_drawn)
def test_after_any_edits_memory_is_as_the_database_and_undo_leads_back(
    database: Database, drawn: Shelf, steps: list[tuple[str, int, int, Following]]
) -> None:
    """Lists and edits of ``test_edits_keep``: each edit is kept as it was made, each undo gives what was before it."""
    show, timeline, clip = a_show(database)
    with database.transaction() as connection:
        inner = shows.add_timeline(connection, show, TimelineSettings("inner", Rate.of(24)))
    events_there = [
        replace(one, clip_id=clip if one.clip_id else None, timeline_id=inner if one.timeline_id else None, id=-one.id,
                group=-one.group if one.group else None)
        for one in drawn.cuts[0].events
    ]  # fmt: skip
    book = Shelf({0: EventList(RATE), inner: drawn.cuts[7]}, {1: drawn.materials[1], clip: drawn.materials[1]})
    history = [kept(database, timeline)]
    edits: list[Callable[[], EventList | None]] = [lambda: EventList(RATE, tuple(events_there))]
    edits += [lambda step=step: edited_by(step, book) for step in steps]  # type: ignore[misc]
    for edit in edits:
        try:
            after = edit()
        except RuleError:
            continue
        was = history[-1]
        if after is None or after.by_track == was.by_track:
            continue
        with change(database, show, "Edit", "Ada") as connection:
            stored, _ = events.write(connection, timeline.id, was, after)
        assert kept(database, timeline).by_track == stored.by_track
        history.append(stored)
        book = Shelf({0: stored, inner: drawn.cuts[7]}, book.materials)
    for before in history[-2::-1]:
        with database.transaction() as connection:
            newest = undo_state(connection, show).undo
        assert newest is not None
        undo(database, show, newest.id)
        assert kept(database, timeline).by_track == before.by_track
