"""Timelines made of timelines: a selection as one of its own, a cut at another rate, and what flattening loses."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.cutting.commands import events_text
from oddmeter.core.cutting.edits import with_sound
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, TrackKind, named
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.rerating import rerated
from oddmeter.core.cutting.shown import lost_by_flattening
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop, relabelled
from oddmeter.store import events, shows
from oddmeter.store.changes import change
from oddmeter.web.http.context import Here
from oddmeter.web.stops.assembly.edits import insist
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import Name, ShowId

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}", tags=["assembly"])

_MOST_EVENTS = 50_000


class NestIn(BaseModel):
    """A selection that becomes a timeline of its own."""

    version: str
    events: Annotated[list[int], Field(min_length=1, max_length=_MOST_EVENTS)]
    name: Name


class RerateIn(BaseModel):
    """This cut at another rate, as a new timeline."""

    name: Name
    rate: str
    drop_frame: bool = False


class CutPointView(BaseModel):
    """A cut point that is not where it should be, and by how much of a new frame it comes late."""

    was: int
    now: int
    late: str


class NewTimelineView(BaseModel):
    """A timeline that was made: its id, what was done in words, and the cut points that had to be rounded."""

    timeline_id: int
    words: str
    points: list[CutPointView]


class LostView(BaseModel):
    """What showing a nested timeline by its own frames only would lose of a clip."""

    name: str
    shown: int
    lost: int


@router.post("/nest")
def nest(here: Here, show_id: ShowId, timeline_id: int, asked: NestIn) -> NewTimelineView:
    """Make a timeline of its own of some events; an event of it stands in their place."""
    book = open_timelines(here, show_id)
    insist(book, timeline_id, asked.version)
    event_list, settings = book.event_list(timeline_id), book.timeline(timeline_id).settings
    chosen = event_list.together(event_list.event(event_id) for event_id in asked.events)
    first, stop = min(event.record_in for event in chosen), max(event.stop for event in chosen)
    inner = EventList(event_list.rate, tuple(event.moved(-first) for event in chosen))
    others = event_list.with_events((), [event.id for event in chosen])
    tracks = {event.track for event in chosen if event.track.kind is TrackKind.PICTURE}
    track = min(tracks, default=FIRST_PICTURE)
    title = f"{events_text(len(chosen))} put into the timeline “{asked.name}”"
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        inner_id = shows.add_timeline(connection, show_id, replace(settings, name=asked.name, start=0))
        events.write(
            connection, inner_id, EventList(event_list.rate), replace(inner, events=tuple(_anew(inner.events)))
        )
        event = Event(
            event_list.free_id, track, SourceKind.TIMELINE, first, stop - first, timeline_id=inner_id, name=asked.name
        )
        events.write(connection, timeline_id, event_list, others.with_events(with_sound(event, inner)))
    return NewTimelineView(timeline_id=inner_id, words=title, points=[])


@router.post("/rerate", status_code=201)
def rerate(here: Here, show_id: ShowId, timeline_id: int, asked: RerateIn) -> NewTimelineView:
    """This cut at another rate: a new timeline, with every cut point worked out exactly."""
    book = open_timelines(here, show_id)
    rate = Rate.parse(asked.rate)
    timeline, event_list = book.timeline(timeline_id), book.event_list(timeline_id)
    found = rerated(event_list, rate, book.windows(timeline_id))
    drop = asked.drop_frame and can_drop(rate)
    settings = timeline.settings
    first = Timecode(settings.start, settings.rate, settings.drop_frame)
    start = relabelled(first, rate, drop).frames
    title = f"“{settings.name}” at {rate} as the timeline “{asked.name}”"
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        made = shows.add_timeline(
            connection, show_id, replace(settings, name=asked.name, rate=rate, drop_frame=drop, start=start)
        )
        events.write(
            connection, made, EventList(rate), replace(found.event_list, events=tuple(_anew(found.event_list.events)))
        )
    points = [
        CutPointView(was=point.was, now=point.now, late=decimal_text(point.late, 3))
        for point in found.points if point.late
    ]  # fmt: skip
    words = f"{title}; {len(points)} of {len(found.points)} cut points rounded, none by more than half a frame."
    return NewTimelineView(timeline_id=made, words=words, points=points)


@router.get("/events/{event_id}/flattened")
def flattened(here: Here, show_id: ShowId, timeline_id: int, event_id: int) -> list[LostView]:
    """What an event of a nested timeline would lose, by clip, if it showed that by its own frames only."""
    book = open_timelines(here, show_id)
    event = book.event_list(timeline_id).event(event_id)
    if event.timeline_id is None:
        raise RuleError(f"{named(event)} is not a nested timeline.", "nested")
    return [
        LostView(name=_clip_name(book, loss.clip_id), shown=loss.shown, lost=loss.lost)
        for loss in lost_by_flattening(book, timeline_id, event)
    ]


def _anew(some: Sequence[Event]) -> list[Event]:
    """Events as new ones, to be kept elsewhere."""
    ids = {event.id: -1 - number for number, event in enumerate(some)}
    groups: dict[int, int] = {}
    for event in some:
        if event.group is not None:
            groups.setdefault(event.group, ids[event.id])
    return [
        replace(event, id=ids[event.id], group=None if event.group is None else groups[event.group]) for event in some
    ]


def _clip_name(book: ShowTimelines, clip_id: int) -> str:
    known = book.board.everything.get(clip_id)
    return book.board.distinct_name(known.clip) if known else "a clip"
