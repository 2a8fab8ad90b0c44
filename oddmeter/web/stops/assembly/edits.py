"""Changes of a timeline's events: each is computed before it is made, and can be undone."""

from collections.abc import Sequence

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.cutting import edits
from oddmeter.core.cutting.commands import Edited, edited, events_text, later
from oddmeter.core.cutting.events import EventList, frames_text, named
from oddmeter.store import events
from oddmeter.store.changes import ConflictError, change
from oddmeter.web.http.context import Context, Here
from oddmeter.web.stops.assembly.looks import beats_on
from oddmeter.web.stops.assembly.placing import EditIn, command_of
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines, written
from oddmeter.web.views.asked import ShowId

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}", tags=["assembly"])

_MOST_TOLD = 8


class MoveOnTrack(BaseModel):
    """Events of a track that move, and by how many timeline frames."""

    track: str
    events: int
    by: int


class PlacesView(BaseModel):
    """Events that would lie elsewhere or be of another length, and of each the place, the length and the timecode, in
    lists beside each other; and events that would be gone."""

    events: list[int]
    record_in: list[int]
    length: list[int]
    timecode_in: list[str]
    gone: list[int]


class EffectView(BaseModel):
    """What a change does: in a sentence, what moves on which track, which events run out, and the new length; ``title``
    is what undo calls it; ``added`` are the ids of new events once it is made, ``by`` says how far an edge goes that
    snaps, ``places`` are filled in on request."""

    title: str
    words: list[str]
    moves: list[MoveOnTrack]
    runs_out: list[str]
    length: int
    version: str
    added: list[int]
    made: bool
    by: int | None = None
    places: PlacesView | None = None


@router.post("/edits")
def edit(here: Here, show_id: ShowId, timeline_id: int, asked: EditIn) -> EffectView:
    """Change the events of a timeline, which is refused where somebody changed it first; or say what a change would do
    to them as they are by now."""
    book = open_timelines(here, show_id)
    if not asked.preview:
        insist(book, timeline_id, asked.version)
    settings = book.timeline(timeline_id).settings
    command = command_of(book, timeline_id, asked, lambda: beats_on(here, show_id, book, timeline_id))
    made = edited(book.event_list(timeline_id), book.windows(timeline_id), settings, command)
    if asked.preview:
        effect = _effect_view(book, timeline_id, made, book.versions[timeline_id], [], made_it=False)
        effect.by = command.snapped_by
        return (
            effect.model_copy(update={"places": _places(book, timeline_id, made.event_list)})
            if asked.places
            else effect
        )
    version, added = _write(here, show_id, book, timeline_id, made.event_list, made.title)
    return _effect_view(book, timeline_id, made, version, added, made_it=True)


def _effect_view(
    book: ShowTimelines, timeline_id: int, made: Edited, version: str, added: Sequence[int], *, made_it: bool
) -> EffectView:
    event_list = book.event_list(timeline_id)
    found = edits.effect(event_list, made.event_list, book.with_cut(timeline_id, made.event_list).windows(timeline_id))
    words = [
        f"{events_text(count)} on {track.name} {'move' if count > 1 else 'moves'} {later(by)}"
        for track, by, count in found.moves
    ]
    words += _markers_moved(event_list, made.event_list)
    words += [f"{named(event)} from {was} to {frames_text(now)}" for event, was, now in found.lengths[:_MOST_TOLD]]
    if found.added:
        words.append(f"{events_text(found.added)} more")
    if found.gone:
        words.append(f"{events_text(found.gone)} less")
    if made.event_list.length != event_list.length:
        words.append(f"the timeline ends {later(made.event_list.length - event_list.length)}")
    return EffectView(
        title=made.title, words=words,
        moves=[MoveOnTrack(track=track.name, events=count, by=by) for track, by, count in found.moves],
        runs_out=[f"{named(event)} runs out: {frames_text(over)} held" for event, over in found.runs_out[:_MOST_TOLD]],
        length=made.event_list.length, version=version, added=list(added), made=made_it,
    )  # fmt: skip


def _markers_moved(was: EventList, now: EventList) -> list[str]:
    if len(was.markers) != len(now.markers):
        return []
    by = [after.at - before.at for before, after in zip(was.markers, now.markers, strict=True) if after.at != before.at]
    return [f"{len(by)} marker{'s move' if len(by) > 1 else ' moves'} {later(by[0])}"] if by else []


def _places(book: ShowTimelines, timeline_id: int, event_list: EventList) -> PlacesView:
    was, settings = book.event_list(timeline_id).by_id, book.timeline(timeline_id).settings
    moved = [
        event for event in event_list.events
        if event.id in was and (was[event.id].record_in, was[event.id].length) != (event.record_in, event.length)
    ]  # fmt: skip
    return PlacesView(
        events=[event.id for event in moved], record_in=[event.record_in for event in moved],
        length=[event.length for event in moved], timecode_in=[settings.timecode(event.record_in) for event in moved],
        gone=[event_id for event_id in was if event_id not in event_list.by_id],
    )  # fmt: skip


def _write(
    here: Context, show_id: int, book: ShowTimelines, timeline_id: int, event_list: EventList, title: str
) -> tuple[str, list[int]]:
    was = book.event_list(timeline_id)
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        kept, added = events.write(connection, timeline_id, was, event_list)
        version = events.versions(connection, show_id)[timeline_id]
    written(show_id, book, timeline_id, kept, version)
    return version, added


def insist(book: ShowTimelines, timeline_id: int, version: str) -> None:
    """Raise ``ConflictError`` where a timeline is no longer at the version that was seen."""
    book.timeline(timeline_id)
    if book.versions[timeline_id] != version:
        raise ConflictError(events.CHANGED)
