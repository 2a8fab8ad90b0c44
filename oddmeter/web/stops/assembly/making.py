"""Files of events: what would be made of each, under which name, and what stands against it."""

from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.cutting.events import Event, TrackKind
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.decisions.vocabulary import wish_text
from oddmeter.core.evidence.identity import CHANGED
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.planning.clips import KnownClip
from oddmeter.core.planning.filenames import filled, safe_folder
from oddmeter.media.containers.settings import ENCODINGS, Setting
from oddmeter.media.files.identity import is_as_known
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.web.http.context import Context, Here
from oddmeter.web.stops.assembly.book import ShowBook, open_book
from oddmeter.web.stops.assembly.cuts import source_name
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import note_taken
from oddmeter.work.orders import Order, order_of_event, plan_to_make

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}/files", tags=["assembly"])


class EventsIn(BaseModel):
    """Files to make of events: none named makes all of pictures; ``handles`` are timeline frames on either side.
    ``changed_only`` leaves out those of which a file was made that still is what they show."""

    events: Annotated[list[int], Field(max_length=50_000)] = []
    setting: Setting = Setting.EDIT
    folder: str = ""
    pattern: str = "{timeline}_{event}_{clip}"
    handles: Annotated[int, Field(ge=0, le=1000)] = 0
    changed_only: bool = False


class EventFile(BaseModel):
    """A file that would be made of an event; ``problem`` says why it cannot be. ``made`` is the file of it that is
    there already, ``current`` whether that still is what the event shows."""

    event: int
    name: str
    out_path: str
    frames: int
    head: int
    tail: int
    problem: str | None
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
    order: Order | None


@router.post("/preview")
def preview(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> list[EventFile]:
    """The files that would be made of events, and what stands against any of them."""
    book = open_book(here, show_id)
    with here.database.transaction() as connection:
        return [one.view for one in _wanted(here, connection, book, timeline_id, asked)]


@router.post("", status_code=201)
def make(here: Here, show_id: ShowId, timeline_id: int, asked: EventsIn) -> EventsQueued:
    """Queue files of events. What cannot be made is refused by name; the rest is queued."""
    book = open_book(here, show_id)
    with here.database.transaction() as connection:
        wanted = _wanted(here, connection, book, timeline_id, asked)
        current = [one for one in wanted if asked.changed_only and one.view.current]
        wanted = [one for one in wanted if one not in current]
        refused = [one.view for one in wanted if one.view.problem]
        for one in wanted:
            if one.view.problem is None and one.order is not None and one.clip_id is not None:
                path, order = one.view.out_path, one.order.model_dump(mode="json")
                made = renders.ask(connection, timeline_id, one.clip_id, asked.setting, path, order, one.view.frames)
                here.queue.ask_render(connection, made, path)
    return EventsQueued(queued=len(wanted) - len(refused), refused=refused, current=len(current))


def _wanted(here: Context, connection: Connection, book: ShowBook, timeline_id: int, asked: EventsIn) -> list[_Wanted]:
    cut, folder = book.cut(timeline_id), safe_folder(asked.folder)
    pictures = [one for one in cut.in_time if one.track.kind is TrackKind.PICTURE]
    numbers = {one.id: number for number, one in enumerate(pictures, 1)}
    chosen = set(asked.events) or numbers.keys()
    made = renders.made_of_events(connection, timeline_id)
    out = [
        _one(here, book, timeline_id, one, numbers[one.id], folder, asked, made.get(one.id))
        for one in pictures if one.id in chosen
    ]  # fmt: skip
    note_taken(here, connection, [one.view for one in out], "events")
    return out


def _one(
    here: Context, book: ShowBook, timeline_id: int, event: Event, number: int, folder: str, asked: EventsIn,
    made: tuple[str, dict[str, Any], dict[str, Any]] | None,
) -> _Wanted:  # fmt: skip
    use, settings = book.use(timeline_id, event), book.timeline(timeline_id).settings
    known = book.board.everything.get(event.clip_id) if event.clip_id is not None else None
    name = source_name(book, event)
    window = use.window
    order, problem = None, use.trouble or None
    if event.kind is not SourceKind.CLIP:
        problem = "only events of clips are made one by one; a nested timeline is not, so far"
    elif window is not None and known is not None:
        order = order_of_event(window, settings, asked.handles, event.id)
    delivery = book.board.house.deliveries.get(known.clip.delivery_id) if known else None
    speed = f"{decimal_text(window.conformed.speed * 100, 2)}pc" if window else ""
    values = {
        "clip": PurePosixPath(name).stem, "delivery": delivery.name if delivery else "", "timeline": settings.name,
        "rate": settings.rate.spoken, "intent": wish_text(event.decisions.intent) if event.decisions.intent else "",
        "speed": speed, "setting": asked.setting.value, "event": f"{number:03}", "track": event.track.name,
    }  # fmt: skip
    file_name = filled(asked.pattern, values) + ENCODINGS[asked.setting].suffix
    path = f"{folder}/{file_name}" if folder else file_name
    if order is not None and known is not None and problem is None:
        problem = _problem(here, known, order, asked, path)
    current = made is not None and order is not None and Order.model_validate(made[1]) == order
    view = EventFile(
        event=event.id, name=name, out_path=path, frames=order.event.length if order and order.event else event.length,
        head=order.event.head if order and order.event else 0, tail=order.event.tail if order and order.event else 0,
        problem=problem, made=made[0] if made else None, current=current,
    )  # fmt: skip
    return _Wanted(view, event.clip_id, order)


def _problem(here: Context, known: KnownClip, order: Order, asked: EventsIn, path: str) -> str | None:
    try:
        made = plan_to_make(order, known.clip, here.config, asked.setting, path)
        ENCODINGS[asked.setting].pixel_format_for("", made.canvas.width, made.canvas.height)
    except RuleError as error:
        return str(error)
    return None if is_as_known(made.source, made.facts.identity, quickly=True) else CHANGED
