"""Files of a timeline: of its events, of its transitions, or of all of it; what would be made under which name, and
what stands against it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from pathlib import PurePosixPath
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.cutting.events import Event, TrackKind, frames_text, named
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.ranges import (
    RenderRange,
    range_of_event,
    range_of_timeline,
    range_of_transition,
)
from oddmeter.core.decisions.vocabulary import intent_text
from oddmeter.core.evidence.identity import CHANGED
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.planning.clips import Clip, KnownClip
from oddmeter.core.planning.filenames import safe_folder
from oddmeter.media.files.identity import is_as_known
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import EDIT
from oddmeter.media.writing.holding import insist_on_holding
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.store.renders import FinishedFile, MadeOf
from oddmeter.web.http.context import Context, Here
from oddmeter.web.stops.assembly.cuts import source_name
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import named_path, note_taken, queued
from oddmeter.web.views.settings import document_of, setting_named
from oddmeter.work.orders import Order, order_of_event, plan_to_make
from oddmeter.work.ranges import OrderedPart, RangeOrder, order_of_range, timeline_plan

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}/files", tags=["assembly"])


class FilesOf(StrEnum):
    """What of a timeline files are made of."""

    EVENTS = "events"
    TRANSITIONS = "transitions"
    TIMELINE = "timeline"


class EventsIn(BaseModel):
    """Files to make of a timeline: of events or of the transitions into them, none named being all of pictures, or one
    of all of it; ``handles`` are timeline frames on either side of an event. ``changed_only`` leaves out those of which
    a file was made that still is what they show."""

    of: FilesOf = FilesOf.EVENTS
    events: Annotated[list[int], Field(max_length=50_000)] = []
    setting: str = EDIT.name
    folder: str = ""
    pattern: str = "{timeline}_{event}_{clip}"
    handles: Annotated[int, Field(ge=0, le=1000)] = 0
    changed_only: bool = False


class EventFile(BaseModel):
    """A file that would be made, of an event or, without one, of all of it; ``problem`` says why it cannot be,
    ``remark`` what will be in it that somebody might not expect. ``made`` is the file of it that is there already,
    ``current`` whether that still is what is shown."""

    event: int | None
    name: str
    out_path: str
    frames: int
    head: int
    tail: int
    problem: str | None
    remark: str | None
    made: str | None
    current: bool


class EventsQueued(BaseModel):
    """How many files were queued, and those that were not."""

    queued: int
    refused: list[EventFile]
    current: int


@dataclass(frozen=True)
class _Wanted:
    view: EventFile
    clip_id: int | None
    order: Order | RangeOrder | None


@router.post("/preview")
def preview(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> list[EventFile]:
    """The files that would be made of a timeline, and what stands against any of them."""
    book = open_timelines(here, show_id)
    with here.database.transaction() as connection:
        return [wanted.view for wanted in _wanted(here, connection, book, timeline_id, asked)]


@router.post("", status_code=201)
def make(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> EventsQueued:
    """Queue files of a timeline. What cannot be made is refused by name; the rest is queued."""
    book = open_timelines(here, show_id)
    with here.database.transaction() as connection:
        wanted = _wanted(here, connection, book, timeline_id, asked)
        current = [item for item in wanted if asked.changed_only and item.view.current]
        wanted = [item for item in wanted if item not in current]
        refused = [item.view for item in wanted if item.view.problem or item.order is None]
        setting = setting_named(connection, show_id, asked.setting)
        files = [
            (renders.Asked(
                timeline_id, item.clip_id, setting.name, document_of(setting), item.view.out_path,
                item.order.model_dump(mode="json"), item.view.frames,
            ), item.view)
            for item in wanted if item.view.problem is None and item.order is not None
        ]  # fmt: skip
        count = queued(here, connection, files)
        refused += [view for _, view in files if view.problem]
    return EventsQueued(queued=count, refused=refused, current=len(current))


def _wanted(
    here: Context, connection: Connection, book: ShowTimelines, timeline_id: int, asked: EventsIn
) -> list[_Wanted]:
    made = renders.made_of_timeline(connection, timeline_id)
    setting = setting_named(connection, book.board.show.id, asked.setting)
    out = list(_Making(here, book, timeline_id, asked, setting, made).files())
    note_taken(here, connection, [item.view for item in out], asked.of.value)
    return out


class _Making:
    """The files that are asked for of one timeline."""

    def __init__(
        self,
        here: Context,
        book: ShowTimelines,
        timeline_id: int,
        asked: EventsIn,
        setting: Setting,
        made: Mapping[MadeOf, FinishedFile],
    ) -> None:
        self.here, self.book, self.timeline_id, self.asked, self.setting = here, book, timeline_id, asked, setting
        self.event_list, self.settings = book.event_list(timeline_id), book.timeline(timeline_id).settings
        self.made, self.folder = made, safe_folder(asked.folder)
        self.names = {timeline.id: timeline.settings for timeline in book.board.show.timelines}

    def files(self) -> Iterator[_Wanted]:
        if self.asked.of is FilesOf.TIMELINE:
            yield self._of_timeline()
            return
        pictures = [other for other in self.event_list.in_time if other.track.kind is TrackKind.PICTURE]
        chosen = set(self.asked.events) or {picture.id for picture in pictures}
        for number, event in enumerate(pictures, 1):
            if event.id not in chosen:
                continue
            if self.asked.of is FilesOf.EVENTS:
                yield self._of_event(event, number)
            elif event.transition is not None:
                yield self._of_transition(event, number)

    def _of_timeline(self) -> _Wanted:
        if not self.event_list.length:
            raise RuleError(f"“{self.settings.name}” is empty: add events before making files.", "empty")
        render_range = range_of_timeline(self.book, self.timeline_id, self.settings, self.event_list)
        order = self._ordered(render_range, self.settings.name)
        path = named_path(self.folder, self.asked.pattern, self.setting, self._words())
        return self._file(MadeOf(), None, self.settings.name, path, order, render_range.length)

    def _of_transition(self, event: Event, number: int) -> _Wanted:
        assert event.transition is not None
        render_range = range_of_transition(self.book, self.timeline_id, self.settings, event)
        name = f"{event.transition.kind} into {source_name(self.book, event)}"
        order = self._ordered(render_range, name, OrderedPart(id=event.id, transition=True))
        words = {**self._words(event, number), "clip": f"{event.transition.kind}_{self._stem(event)}"}
        path = named_path(self.folder, self.asked.pattern, self.setting, words)
        problem = None if event.dissolves_over else f"a {event.transition.kind} is not made, so far"
        return self._file(MadeOf(event.id, transition=True), None, name, path, order, render_range.length, problem)

    def _of_event(self, event: Event, number: int) -> _Wanted:
        name = source_name(self.book, event)
        path = named_path(self.folder, self.asked.pattern, self.setting, self._words(event, number))
        use = self.book.use(self.timeline_id, event)
        if use.window is None:
            trouble = use.trouble or "black by itself needs no file"
            return self._file(MadeOf(event.id), None, name, path, None, event.length, trouble)
        if event.kind is SourceKind.CLIP:
            order = order_of_event(use.window, self.settings, self.asked.handles, event.id)
            return self._file(MadeOf(event.id), event.clip_id, name, path, order, event.length)
        head, tail = use.window.handles_within(self.asked.handles)
        render_range = range_of_event(self.book, self.timeline_id, self.settings, event, head, tail)
        nested = self._ordered(render_range, name, OrderedPart(id=event.id, head=head, tail=tail))
        return self._file(MadeOf(event.id), None, name, path, nested, render_range.length)

    def _ordered(self, render_range: RenderRange, name: str, part: OrderedPart | None = None) -> RangeOrder:
        return order_of_range(render_range, self.names, name, part)

    def _file(
        self, made_of: MadeOf, clip_id: int | None, name: str, path: str, order: Order | RangeOrder | None,
        frames: int, problem: str | None = None,
    ) -> _Wanted:  # fmt: skip
        part = order.event if order is not None else None
        if isinstance(order, Order) and order.event is not None:
            frames = order.event.length
        before = self.made.get(made_of)
        current = before is not None and order is not None and _is_same(order, before.order)
        if order is not None and problem is None:
            problem = self._problem(order, clip_id, path)
        view = EventFile(
            event=made_of.event, name=name, out_path=path, frames=frames, head=part.head if part else 0,
            tail=part.tail if part else 0, problem=problem, remark=self._remark(made_of),
            made=before.out_path if before else None, current=current,
        )  # fmt: skip
        return _Wanted(view, clip_id, order)

    def _problem(self, order: Order | RangeOrder, clip_id: int | None, path: str) -> str | None:
        missing = self._missing(order) if isinstance(order, RangeOrder) else []
        if missing:
            more = f" and {len(missing) - 3} more" if len(missing) > 3 else ""
            return f"nothing is there to show for {', '.join(missing[:3])}{more}"
        try:
            made = self._plan(order, clip_id, path)
            insist_on_holding(made)
            as_known = all(is_as_known(source.path, source.known, quickly=True) for source in made.sources)
        except RuleError as error:
            return str(error)
        return None if as_known else CHANGED

    def _plan(self, order: Order | RangeOrder, clip_id: int | None, path: str) -> FilePlan:
        config, setting = self.here.config, self.setting
        if isinstance(order, RangeOrder):
            return timeline_plan(order, [self._clip(clip_id) for clip_id in order.clip_ids], config, setting, path)
        assert clip_id is not None
        return plan_to_make(order, self._clip(clip_id), config, setting, path)

    def _clip(self, clip_id: int) -> Clip:
        return self.book.board.everything[clip_id].clip

    def _missing(self, order: RangeOrder) -> list[str]:
        """The events that would show nothing, by name: never black without a word."""
        return [
            named(self.book.event_list(ordered.id).by_id.get(event.id, event.event()))
            for ordered in order.timelines for event in ordered.events
            if event.plan is None and event.kind is not SourceKind.BLACK
        ]  # fmt: skip

    def _remark(self, made_of: MadeOf) -> str | None:
        """What of a whole timeline is black, and what is held."""
        if made_of.event is not None:
            return None
        parts = []
        if black := self.event_list.black_frames:
            parts.append(f"{frames_text(black)} of black, where nothing lies")
        pictures = [event for event in self.event_list.events if event.track.kind is TrackKind.PICTURE]
        if held := sum(self.book.use(self.timeline_id, picture).overrun for picture in pictures):
            parts.append(f"{frames_text(held)} held, where clips run out")
        if wipes := sum(picture.transition is not None and not picture.dissolves_over for picture in pictures):
            parts.append(f"{wipes} wipe{'s' if wipes > 1 else ''} made as cuts")
        return "; ".join(parts) or None

    def _words(self, event: Event | None = None, number: int = 0) -> dict[str, str]:
        """The words of a name pattern."""
        words = {"timeline": self.settings.name, "rate": self.settings.rate.spoken}
        if event is None:
            return words
        use, decided = self.book.use(self.timeline_id, event), event.decisions.intent
        known = self._known(event)
        delivery = self.book.board.house.deliveries.get(known.clip.delivery_id) if known else None
        return {
            **words, "clip": self._stem(event), "delivery": delivery.name if delivery else "",
            "folder": self.book.board.folder(known.clip) if known else "",
            "intent": intent_text(decided) if decided else "", "event": f"{number:03}", "track": event.track.name,
            "speed": f"{decimal_text(use.window.conformed.speed * 100, 2)}pc" if use.window else "",
        }  # fmt: skip

    def _known(self, event: Event) -> KnownClip | None:
        return self.book.board.everything.get(event.clip_id) if event.clip_id is not None else None

    def _stem(self, event: Event) -> str:
        known = self._known(event)
        return PurePosixPath(known.clip.name if known else source_name(self.book, event)).stem


def _is_same(order: Order | RangeOrder, before: dict[str, object]) -> bool:
    """True where a stored order makes the same file."""
    if ("timelines" in before) is not isinstance(order, RangeOrder):
        return False
    if isinstance(order, RangeOrder):
        return order.is_same_as(RangeOrder.model_validate(before))
    return order == Order.model_validate(before)
