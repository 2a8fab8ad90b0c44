"""Files of a timeline: of its events, of its transitions, or of all of it; what would be made under which name, and
what stands against it."""

from collections.abc import Iterator
from datetime import date
from enum import StrEnum
from math import floor
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field, model_validator

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
from oddmeter.core.numbers.timecode import duration_text
from oddmeter.core.planning.clips import Clip, KnownClip
from oddmeter.media.files.identity import is_as_known
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.setting import Setting
from oddmeter.media.writing.holding import insist_on_holding
from oddmeter.store.database import Connection
from oddmeter.store.handoff.documents import PLANS
from oddmeter.store.handoff.made import MadeOf
from oddmeter.web.http.context import Context, Here
from oddmeter.web.stops.assembly.cuts import source_name
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import named_path, note_taken, queued, reel_of, timecode_digits
from oddmeter.web.views.handoffs import (
    FileLine,
    HandoffPreview,
    Lines,
    OutputIn,
    Queued,
    Wanted,
    Wishes,
    measured,
    one_output,
    totals_of,
)
from oddmeter.web.views.places import Places
from oddmeter.web.views.settings import settings_in
from oddmeter.work.orders import Order, order_of_event, plan_to_make
from oddmeter.work.ranges import OrderedPart, RangeOrder, order_of_range, timeline_plan
from oddmeter.work.remaking import identities_of

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}/files", tags=["assembly"])

USUAL_PATTERN = "{timeline}_{event}_{clip}"


class FilesOf(StrEnum):
    """What of a timeline files are made of."""

    EVENTS = "events"
    TRANSITIONS = "transitions"
    TIMELINE = "timeline"


class EventsIn(BaseModel):
    """Files to make of a timeline: of events or of the transitions into them, none named being all of pictures, or one
    of all of it, and which outputs of each; ``handles`` are timeline frames on either side of an event. With a ``plan``
    it is a run of that, held against the files it made before. ``changed_only`` leaves out those of which a file was
    made that would be the same today. One output may stand by itself, without a list."""

    of: FilesOf = FilesOf.EVENTS
    events: Annotated[list[int], Field(max_length=50_000)] = []
    outputs: Annotated[list[OutputIn], Field(min_length=1, max_length=100)] = [OutputIn(pattern=USUAL_PATTERN)]
    handles: Annotated[int, Field(ge=0, le=1000)] = 0
    plan: int | None = None
    changed_only: bool = False

    @model_validator(mode="before")
    @classmethod
    def _of_one(cls, asked: Any) -> Any:
        return one_output(asked, USUAL_PATTERN)


@router.post("/preview")
def preview(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> HandoffPreview:
    """The files that would be made of a timeline, what stands against any of them, and what all of them come to."""
    book = open_timelines(here, show_id)
    with here.database.transaction() as connection:
        files = [wanted.view for wanted in _wanted(here, connection, book, timeline_id, asked)]
        known = measured(here, connection, show_id, {file.setting for file in files})
    return HandoffPreview(files=files, totals=totals_of(here, files, known, again=not asked.changed_only))


@router.post("", status_code=201)
def make(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> Queued:
    """Queue files of a timeline. What cannot be made is refused by name; the rest is queued."""
    book = open_timelines(here, show_id)
    with here.database.transaction() as connection:
        plan = PLANS.one(connection, show_id, asked.plan) if asked.plan is not None else None
        wanted = _wanted(here, connection, book, timeline_id, asked)
        return queued(here, connection, show_id, timeline_id, plan, wanted, again=not asked.changed_only)


def _wanted(
    here: Context, connection: Connection, book: ShowTimelines, timeline_id: int, asked: EventsIn
) -> list[Wanted]:
    settings, out = settings_in(connection, book.board.show.id), list[Wanted]()
    places = Places(here.config)
    lines = Lines(places, connection, timeline_id, asked.plan)
    for output in asked.outputs:
        out += _Making(here, book, timeline_id, asked, output, Wishes(output, settings), lines).files()
    lines.settle(out)
    ways = ["{setting}"] if len(asked.outputs) > 1 else []
    note_taken(places, connection, [item.view for item in out], asked.of.value, ways, again=not asked.changed_only)
    return out


class _Making:
    """The files that are asked for of one timeline."""

    def __init__(
        self,
        here: Context,
        book: ShowTimelines,
        timeline_id: int,
        asked: EventsIn,
        output: OutputIn,
        wishes: Wishes,
        lines: Lines,
    ) -> None:
        self.here, self.book, self.timeline_id, self.asked = here, book, timeline_id, asked
        self.output, self.wishes, self.lines = output, wishes, lines
        self.event_list, self.settings = book.event_list(timeline_id), book.timeline(timeline_id).settings
        self.names = {timeline.id: timeline.settings for timeline in book.board.show.timelines}

    def files(self) -> Iterator[Wanted]:
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

    def _of_timeline(self) -> Wanted:
        if not self.event_list.length:
            raise RuleError(f"“{self.settings.name}” is empty: add events before making files.", "empty")
        render_range = range_of_timeline(self.book, self.timeline_id, self.settings, self.event_list)
        order = self._ordered(render_range, self.settings.name)
        return self._file(MadeOf(), None, self.settings.name, self._words(), order, render_range.length)

    def _of_transition(self, event: Event, number: int) -> Wanted:
        assert event.transition is not None
        render_range = range_of_transition(self.book, self.timeline_id, self.settings, event)
        name = f"{event.transition.kind} into {source_name(self.book, event)}"
        order = self._ordered(render_range, name, OrderedPart(id=event.id, transition=True))
        words = {**self._words(event, number), "clip": f"{event.transition.kind}_{self._stem(event)}"}
        problem = None if event.dissolves_over else f"a {event.transition.kind} is not made, so far"
        return self._file(MadeOf(event.id, transition=True), None, name, words, order, render_range.length, problem)

    def _of_event(self, event: Event, number: int) -> Wanted:
        name = source_name(self.book, event)
        words = self._words(event, number)
        use = self.book.use(self.timeline_id, event)
        if use.window is None:
            trouble = use.trouble or "black by itself needs no file"
            return self._file(MadeOf(event.id), None, name, words, None, event.length, trouble)
        if event.kind is SourceKind.CLIP:
            order = order_of_event(use.window, self.settings, self.asked.handles, event.id)
            return self._file(MadeOf(event.id), event.clip_id, name, words, order, event.length)
        head, tail = use.window.handles_within(self.asked.handles)
        render_range = range_of_event(self.book, self.timeline_id, self.settings, event, head, tail)
        nested = self._ordered(render_range, name, OrderedPart(id=event.id, head=head, tail=tail))
        return self._file(MadeOf(event.id), None, name, words, nested, render_range.length)

    def _ordered(self, render_range: RenderRange, name: str, part: OrderedPart | None = None) -> RangeOrder:
        return order_of_range(render_range, self.names, name, part)

    def _file(
        self, made_of: MadeOf, clip_id: int | None, name: str, words: dict[str, str], order: Order | RangeOrder | None,
        frames: int, problem: str | None = None,
    ) -> Wanted:  # fmt: skip
        part, wished = order.event if order is not None else None, self.wishes.of(made_of.event)
        if isinstance(order, Order) and order.event is not None:
            frames = order.event.length
        key = self.lines.key(self.output.id, wished.setting, None, made_of)
        values = {**words, "length": str(frames), "version": self.lines.version(key)}
        path = named_path(wished.folder, wished.pattern, wished.setting, values)
        if order is not None and problem is None:
            problem = self._problem(order, clip_id, path, wished.setting)
        rate = self.settings.rate
        view = FileLine(
            output=self.output.id, line=made_of.event, clip_id=clip_id, name=name, setting=wished.setting.name,
            out_path=path, frames=frames, seconds=float(frames / rate.value),
            length=duration_text(frames, rate, self.settings.drop_frame), head=part.head if part else 0,
            tail=part.tail if part else 0, problem=problem, remark=self._remark(made_of),
            samples=self.settings.width * self.settings.height,
        )  # fmt: skip
        used = order.clip_ids if isinstance(order, RangeOrder) else [clip_id] if clip_id is not None else []
        return Wanted(view, key, wished.setting, order, identities_of(map(self._clip, used)))

    def _problem(
        self, order: Order | RangeOrder, clip_id: int | None, path: str, setting: Setting
    ) -> str | None:  # fmt: skip
        missing = self._missing(order) if isinstance(order, RangeOrder) else []
        if missing:
            more = f" and {len(missing) - 3} more" if len(missing) > 3 else ""
            return f"nothing is there to show for {', '.join(missing[:3])}{more}"
        try:
            made = self._plan(order, clip_id, path, setting)
            insist_on_holding(made)
            as_known = all(is_as_known(source.path, source.known, quickly=True) for source in made.sources)
        except RuleError as error:
            return str(error)
        return None if as_known else CHANGED

    def _plan(self, order: Order | RangeOrder, clip_id: int | None, path: str, setting: Setting) -> FilePlan:
        if isinstance(order, RangeOrder):
            clips = [self._clip(used) for used in order.clip_ids]
            return timeline_plan(order, clips, self.here.config, setting, path)
        assert clip_id is not None
        return plan_to_make(order, self._clip(clip_id), self.here.config, setting, path)

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
        words = {
            "timeline": self.settings.name, "rate": self.settings.rate.spoken, "date": f"{date.today():%Y%m%d}",
        }  # fmt: skip
        if event is None:
            return words
        use, decided = self.book.use(self.timeline_id, event), event.decisions.intent
        known, first = self._known(event), floor(use.window.event.source_in) if use.window else 0
        delivery = self.book.board.house.deliveries.get(known.clip.delivery_id) if known else None
        return {
            **words, "clip": self._stem(event), "delivery": delivery.name if delivery else "",
            "folder": self.book.board.folder(known.clip) if known else "",
            "folders": known.clip.folder if known else "",
            "intent": intent_text(decided) if decided else "", "event": f"{number:03}", "track": event.track.name,
            "speed": f"{decimal_text(use.window.conformed.speed * 100, 2)}pc" if use.window else "",
            "in": str(first), "number": f"{number:03}",
            "timecode": timecode_digits(known.facts, first) if known and known.facts else "",
            "reel": (event.listed.reel if event.listed else "") or (reel_of(known.clip) if known else ""),
        }  # fmt: skip

    def _known(self, event: Event) -> KnownClip | None:
        return self.book.board.everything.get(event.clip_id) if event.clip_id is not None else None

    def _stem(self, event: Event) -> str:
        known = self._known(event)
        return PurePosixPath(known.clip.name if known else source_name(self.book, event)).stem
