"""Events of timelines, as they are stored."""

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from typing import Any

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.cutting.events import Event, EventList, Track
from oddmeter.core.cutting.listed import ListedSource, Marker, SourceKind, Transition
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.lists.versions import laid_out
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.planning.timelines import Timeline
from oddmeter.store.changes import ConflictError
from oddmeter.store.database import Connection

_COLUMNS = (
    "timeline_id", "track", "kind", "clip_id", "inner_id", "record_in", "length", "source_in", "lead", "decisions",
    "transition_kind", "transition_length", "group_id", "flattened", "name", "listed",
)  # fmt: skip

CHANGED = "Somebody changed this timeline first. Look at it as it is now, then change it again."


def versions(connection: Connection, show_id: int) -> dict[int, str]:
    """For each timeline of a show a text that is another one whenever any of its events or markers is."""
    rows = connection.execute(
        "SELECT t.id, count(e.id), coalesce(sum(hashtextextended(e.id || ':' || e.revision, 0)::numeric), 0),"
        " (SELECT coalesce(sum(hashtextextended(m.id || ':' || m.revision, 0)::numeric), 0) FROM timeline_marker m"
        "  WHERE m.timeline_id = t.id)"
        " FROM timeline t LEFT JOIN event e ON e.timeline_id = t.id WHERE t.show_id = %s GROUP BY t.id",
        (show_id,),
    ).fetchall()
    return {int(str(timeline)): f"{count}.{told}.{marks}" for timeline, count, told, marks in rows}


def event_list_of(connection: Connection, timeline: Timeline) -> EventList:
    """The events of a timeline."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            "SELECT * FROM event WHERE timeline_id = %s ORDER BY record_in, id", (timeline.id,)
        ).fetchall()
    marks = connection.execute(
        "SELECT frame, name, colour FROM timeline_marker WHERE timeline_id = %s ORDER BY frame, id", (timeline.id,)
    ).fetchall()
    markers = tuple(Marker(int(str(frame)), str(name), str(colour)) for frame, name, colour in marks)
    stored = [_event(row) for row in rows]
    laid, track_of = laid_out(stored), {event.id: event.track for event in stored}
    moved_up = frozenset(event.id for event in laid if track_of[event.id] != event.track)
    return EventList(timeline.settings.rate, laid, markers, moved_up)


def insist(connection: Connection, show_id: int, timeline_id: int, seen: str) -> None:
    """Raise ``ConflictError`` where a timeline is no longer at the version that was seen."""
    if versions(connection, show_id).get(timeline_id) != seen:
        raise ConflictError(CHANGED)


def write(connection: Connection, timeline_id: int, was: EventList, now: EventList) -> tuple[EventList, list[int]]:
    """Write what became of the events and markers of a timeline; returns them as they are kept, and the ids of new
    events. What they were is either read in this transaction, or insisted on."""
    if was.markers != now.markers:
        _mark(connection, timeline_id, now)
    gone = [event_id for event_id in was.by_id if event_id not in now.by_id]
    if gone:
        connection.execute("DELETE FROM event WHERE timeline_id = %s AND id = ANY(%s)", (timeline_id, gone))
    added = [event for event in now.events if event.id not in was.by_id]
    ids = _insert(connection, timeline_id, added)
    changed = [
        event for event in now.events
        if event.id in was.by_id and (was.by_id[event.id] != event or event.id in was.moved_up)
    ]  # fmt: skip
    groups = {event.id: ids.get(event.group, event.group) for event in (*added, *changed) if event.group is not None}
    moved = {
        event.id: event for event in changed
        if replace(was.by_id[event.id], record_in=event.record_in) == event and event.id not in was.moved_up
    }  # fmt: skip
    _move(connection, timeline_id, list(moved.values()))
    _update(connection, timeline_id, [event for event in changed if event.id not in moved], groups)
    anew = {ids[event.id]: groups[event.id] for event in added if groups.get(event.id) != event.group}
    if anew:
        connection.execute(
            "UPDATE event SET group_id = new.group_id FROM unnest(%s::bigint[], %s::bigint[]) AS new(id, group_id)"
            " WHERE event.id = new.id",
            (list(anew), list(anew.values())),
        )
    kept = tuple(
        replace(event, id=ids.get(event.id, event.id), group=groups.get(event.id, event.group))
        if event.id in ids or event.id in groups else event for event in now.events
    )  # fmt: skip
    return replace(now, events=kept, moved_up=frozenset()), list(ids.values())


def uses_of_clips(connection: Connection, show_id: int) -> dict[int, dict[int, int]]:
    """How often each clip is used by events: by clip, for each timeline how many."""
    return _counted(connection, show_id)


def following_uses(connection: Connection, show_id: int) -> dict[int, dict[int, int]]:
    """How many events show a clip as it is decided on the clip, without a speed and a reading of their own: by clip,
    for each timeline."""
    return _counted(connection, show_id, " AND NOT e.decisions ?& array['intent', 'reading']")


def _counted(connection: Connection, show_id: int, more: str = "") -> dict[int, dict[int, int]]:
    rows = connection.execute(
        "SELECT e.clip_id, e.timeline_id, count(*) FROM event e JOIN timeline t ON t.id = e.timeline_id"
        f" WHERE t.show_id = %s AND e.clip_id IS NOT NULL AND e.track LIKE 'V%%'{more} GROUP BY 1, 2",
        (show_id,),
    ).fetchall()
    out: dict[int, dict[int, int]] = {}
    for clip, timeline, count in rows:
        out.setdefault(int(str(clip)), {})[int(str(timeline))] = int(str(count))
    return out


def _insert(connection: Connection, timeline_id: int, added: list[Event]) -> dict[int, int]:
    names = ", ".join(_COLUMNS)
    places = ", ".join(f"%({name})s" for name in _COLUMNS)
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO event ({names}) VALUES ({places}) RETURNING id",
            [_row(timeline_id, event) for event in added], returning=True,
        )  # fmt: skip
        ids = {}
        for event in added:
            found = cursor.fetchone()
            assert found is not None
            ids[event.id] = int(str(found[0]))
            cursor.nextset()
    return ids


def _move(connection: Connection, timeline_id: int, moved: list[Event]) -> None:
    """The places of events that are the same in all else: of thousands, only the journal takes long."""
    if moved:
        connection.execute(
            "UPDATE event SET record_in = new.record_in FROM unnest(%s::bigint[], %s::bigint[]) AS new(id, record_in)"
            " WHERE event.id = new.id AND event.timeline_id = %s",
            ([event.id for event in moved], [event.record_in for event in moved], timeline_id),
        )


def _mark(connection: Connection, timeline_id: int, event_list: EventList) -> None:
    """All markers anew: there are few."""
    connection.execute("DELETE FROM timeline_marker WHERE timeline_id = %s", (timeline_id,))
    with connection.cursor() as cursor:
        cursor.executemany(
            "INSERT INTO timeline_marker (timeline_id, frame, name, colour) VALUES (%s, %s, %s, %s)",
            [(timeline_id, marker.at, marker.name[:400], marker.colour[:60]) for marker in event_list.markers],
        )


def _update(connection: Connection, timeline_id: int, changed: list[Event], groups: Mapping[int, int | None]) -> None:
    """All that is changed in one statement."""
    if not changed:
        return
    rows = []
    for event in changed:
        row = {
            name: value.obj if isinstance(value, Jsonb) else value for name, value in _row(timeline_id, event).items()
        }
        rows.append({**row, "id": event.id, "group_id": groups.get(event.id)})
    assigned = ", ".join(f"{name} = new.{name}" for name in _COLUMNS if name != "timeline_id")
    connection.execute(
        f"UPDATE event SET {assigned} FROM jsonb_populate_recordset(null::event, %s) AS new"
        " WHERE event.id = new.id AND event.timeline_id = %s",
        (Jsonb(rows), timeline_id),
    )


def _row(timeline_id: int, event: Event) -> dict[str, Any]:
    transition = event.transition
    return {
        "timeline_id": timeline_id, "track": event.track.name, "kind": event.kind.value, "clip_id": event.clip_id,
        "inner_id": event.timeline_id, "record_in": event.record_in, "length": event.length,
        "source_in": fraction_text(event.source_in), "lead": fraction_text(event.curve_offset),
        "decisions": Jsonb(event.decisions.texts()), "transition_kind": transition.kind if transition else None,
        "transition_length": transition.length if transition else None, "group_id": event.group,
        "flattened": event.flattened, "name": event.name,
        "listed": Jsonb(event.listed.document()) if event.listed else None,
    }  # fmt: skip


def _event(row: Mapping[str, Any]) -> Event:
    transition = Transition(row["transition_kind"], row["transition_length"]) if row["transition_kind"] else None
    return Event(
        row["id"], Track.named(row["track"]), SourceKind(row["kind"]), row["record_in"], row["length"],
        SourceFrame(Fraction(row["source_in"])), Fraction(row["lead"]), row["clip_id"], row["inner_id"],
        Decisions.parse(row["decisions"]), transition, row["group_id"], row["flattened"], row["name"],
        ListedSource.parse(row["listed"]) if row["listed"] else None,
    )  # fmt: skip
