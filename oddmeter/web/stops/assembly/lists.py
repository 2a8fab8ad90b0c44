"""Lists of cuts in and out: a list read, its clips found, a timeline made of it; and a timeline written as a list."""

from collections import Counter
from dataclasses import replace
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from oddmeter.core.cutting.commands import checked, events_text
from oddmeter.core.cutting.events import Event, EventList
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.lists.finding import Footage, Found, FoundBy, events_of, found_again, linked
from oddmeter.core.lists.listing import MadeFile, listed_cut, of_made_files
from oddmeter.core.lists.versions import ChangeKind, Compared, Takeover, laid_out, taken_over
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import percent_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.filenames import safe_name
from oddmeter.core.planning.timelines import Timeline
from oddmeter.interchange.edl.rates import USUAL
from oddmeter.interchange.formats import rates_of, read_cut, write_cut
from oddmeter.store import events, shows
from oddmeter.store.changes import change
from oddmeter.store.handoff.made import FinishedFile, made_of_timeline
from oddmeter.web.board import Board
from oddmeter.web.http.context import Here
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import Name, ShowId
from oddmeter.web.views.files import carried_away
from oddmeter.web.views.values import RateView, rate_view

router = APIRouter(prefix="/api/shows/{show_id}", tags=["assembly"])

_MOST_SHOWN = 500


class ListIn(BaseModel):
    """A list as text, with its file name; its rate where people said it."""

    file_name: Annotated[str, Field(max_length=400)]
    text: Annotated[str, Field(max_length=100_000_000)]
    rate: str = ""
    drop_frame: bool = False


class ListedView(BaseModel):
    """An event of a list that has to be settled: its number, what it asks for, and the clips that fit."""

    number: int
    name: str
    reel: str
    track: str
    found: FoundBy
    clips: list[int]


class ReadView(BaseModel):
    """What a list says before anything is made of it. Without a ``rate`` it is asked for: ``rates`` fit, for these
    ``reasons``."""

    name: str
    rate: RateView | None
    rates: list[RateView]
    reasons: list[str]
    drop_frame: bool
    start: str
    events: int
    tracks: list[str]
    frames: int
    found: dict[FoundBy, int]
    open: list[ListedView]
    notes: list[str]
    takes: str


class TakeIn(ListIn):
    """A list to make a timeline of, under a name; raster and scan are those of the timeline that is named."""

    name: Name
    like: int
    by_hand: dict[int, int] = {}


class TakenView(BaseModel):
    """The timeline that was made of a list."""

    timeline_id: int
    title: str


class EventChangeView(BaseModel):
    """What became of one event in the next version of a cut, in words."""

    fate: ChangeKind
    name: str
    track: str
    timecode: str
    words: str


class VersionsView(BaseModel):
    """Two versions of a cut: how many events are kept, moved, trimmed, retimed, new and gone; what has to be made
    ``again``, where ``files`` were made of events."""

    counts: dict[ChangeKind, int]
    files: int
    again: int
    changes: list[EventChangeView]


class LinkIn(BaseModel):
    """A clip for events whose source was not found, or is to be another."""

    events: Annotated[list[int], Field(min_length=1, max_length=50_000)]
    clip_id: int


@router.post("/lists/read")
def read(here: Here, show_id: ShowId, asked: ListIn) -> ReadView:
    """Read a list and look for its clips, without keeping anything."""
    board = here.boards.open(show_id)
    data = asked.text.encode()
    evidence = rates_of(data, asked.file_name)
    if evidence is not None and not asked.rate and evidence.only is None:
        rates = [rate_view(rate) for rate in evidence.rates or USUAL]
        return ReadView(
            name=asked.file_name, rate=None, rates=rates, reasons=list(evidence.reasons), drop_frame=False, start="",
            events=0, tracks=[], frames=0, found={}, open=[], notes=[], takes="",
        )  # fmt: skip
    event_list = read_cut(data, asked.file_name, _rate(asked), asked.drop_frame)
    found = events_of(event_list, _footage(board))
    counts = Counter(by.by for event, by in found if event.kind is SourceKind.CLIP)
    waiting = [
        _listed_view(number, event, by) for number, (event, by) in enumerate(found)
        if event.kind is SourceKind.CLIP and by.clip_id is None
    ]  # fmt: skip
    settings = board.show.default_timeline.settings if board.show.default_timeline else None
    takes = (
        f"It takes {settings.width} × {settings.height}, {settings.scan.words}, from “{settings.name}”."
        if settings
        else ""
    )
    return ReadView(
        name=event_list.name, rate=rate_view(event_list.rate), rates=[],
        reasons=list(evidence.reasons) if evidence else [],
        drop_frame=event_list.drop_frame, start=event_list.timecode(0), events=len(found),
        tracks=list(event_list.tracks), frames=event_list.length,
        found={by: counts[by] for by in FoundBy if counts[by]}, open=waiting[:_MOST_SHOWN],
        notes=[str(note) for note in event_list.notes], takes=takes,
    )  # fmt: skip


@router.post("/lists", status_code=201)
def take(here: Here, show_id: ShowId, asked: TakeIn) -> TakenView:
    """Make a timeline of a list: with its clips as far as they are found, and all it says of the others."""
    board = here.boards.open(show_id)
    like = board.timeline(asked.like).settings
    event_list = read_cut(asked.text.encode(), asked.file_name, _rate(asked), asked.drop_frame)
    found = events_of(event_list, _footage(board), asked.by_hand)
    settings = replace(
        like,
        name=asked.name,
        rate=event_list.rate,
        drop_frame=event_list.drop_frame,
        start=event_list.start % (1 << 40),
    )
    title = f"List “{asked.file_name}” brought in as the timeline “{asked.name}”"
    with change(here.database, show_id, title, here.person) as connection:
        timeline_id = shows.add_timeline(connection, show_id, settings)
        events.write(
            connection,
            timeline_id,
            EventList(event_list.rate),
            EventList(event_list.rate, laid_out([event for event, _ in found]), event_list.markers),
        )
    return TakenView(timeline_id=timeline_id, title=title)


@router.post("/cuts/{timeline_id}/versions")
def compare(here: Here, show_id: ShowId, timeline_id: int, asked: ListIn) -> VersionsView:
    """Hold the next version of a list beside a timeline: what became of each event, and what has to be made again."""
    book = open_timelines(here, show_id)
    found = _takeover(book, timeline_id, asked)
    with here.database.transaction() as connection:
        made = made_of_timeline(connection, timeline_id)
    timeline = book.timeline(timeline_id)
    again = sum(change.made_again for change in found.found)
    return VersionsView(
        counts={fate: len(found.of(fate)) for fate in ChangeKind},
        files=len(made),
        again=again,
        changes=[_fate_view(change, timeline) for change in found.found if change.fate is not ChangeKind.KEPT][
            :_MOST_SHOWN
        ],
    )


@router.post("/cuts/{timeline_id}/take-over")
def take_over(here: Here, show_id: ShowId, timeline_id: int, asked: ListIn) -> TakenView:
    """Take the next version of a list over in one step; what was decided here stays where the source is the same."""
    book = open_timelines(here, show_id)
    found = _takeover(book, timeline_id, asked)
    event_list = book.event_list(timeline_id)
    after = checked(found.event_list, book.windows(timeline_id), event_list)
    counts = ", ".join(f"{len(found.of(fate))} {fate}" for fate in ChangeKind if found.of(fate))
    title = f"“{asked.file_name}” taken over: {counts}"
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        events.write(connection, timeline_id, event_list, after)
    return TakenView(timeline_id=timeline_id, title=title)


@router.post("/cuts/{timeline_id}/link")
def link(here: Here, show_id: ShowId, timeline_id: int, asked: LinkIn) -> TakenView:
    """Say which clip events of a list use; each keeps its place, its length and the list's in point."""
    book = open_timelines(here, show_id)
    (row,) = book.board.some([asked.clip_id], book.timeline(timeline_id))
    event_list = book.event_list(timeline_id)
    some = event_list.together(event_list.event(event_id) for event_id in asked.events)
    if any(event.listed is None for event in some):
        raise RuleError("Only events from an imported list can be relinked by hand.", "event")
    changed = checked(
        event_list.with_events(linked(event, row.known) for event in some), book.windows(timeline_id), event_list
    )
    title = f"{row.clip.name} for {events_text(len(some))}"
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        events.write(connection, timeline_id, event_list, changed)
    return TakenView(timeline_id=timeline_id, title=title)


@router.post("/cuts/{timeline_id}/find")
def find(here: Here, show_id: ShowId, timeline_id: int) -> TakenView:
    """Look again for the clips that a list's events ask for, where footage has come since."""
    book = open_timelines(here, show_id)
    event_list = book.event_list(timeline_id)
    found = found_again(event_list.events, _footage(book.board), event_list.rate)
    if not found:
        raise RuleError("No clip matches any of these events. Choose their clips by hand.", "event")
    title = f"Clips found for {events_text(len(found))}"
    with change(here.database, show_id, title, here.person) as connection:
        events.insist(connection, show_id, timeline_id, book.versions[timeline_id])
        events.write(
            connection,
            timeline_id,
            event_list,
            checked(event_list.with_events(found), book.windows(timeline_id), event_list),
        )
    return TakenView(timeline_id=timeline_id, title=title)


@router.get("/cuts/{timeline_id}/list", response_class=Response)
def write(
    here: Here, show_id: ShowId, timeline_id: int, form: Annotated[str, Query(max_length=20)] = "edl",
    handles: Annotated[int, Query(ge=0, le=10_000)] = 0, of: Literal["sources", "made"] = "sources",
    chains: bool = False,
) -> Response:  # fmt: skip
    """The timeline as a list of its sources, with their speeds, or of the files that were made of its events, which all
    run at 100 per cent; ``form`` is the ending of a format of the vocabulary. ``chains`` writes changing speeds as
    events of one speed each."""
    book = open_timelines(here, show_id)
    event_list = listed_cut(book, book.timeline, timeline_id, book.board.everything, chains=chains and of == "sources")
    if of == "made":
        with here.database.transaction() as connection:
            made = made_of_timeline(connection, timeline_id)
        files = {
            number.event: _made_file(file) for number, file in made.items() if number.event and not number.transition
        }
        event_list = of_made_files(event_list, book.event_list(timeline_id), files)
    name = f"{safe_name(event_list.name)}.{form}"
    written = write_cut(event_list, name, handles)
    return Response(
        written.text, media_type="text/plain; charset=utf-8",
        headers=carried_away(name),
    )  # fmt: skip


@router.get("/cuts/{timeline_id}/losses")
def losses(here: Here, show_id: ShowId, timeline_id: int) -> list[str]:
    """What an EDL of this timeline could not hold, event by event."""
    book = open_timelines(here, show_id)
    event_list = listed_cut(book, book.timeline, timeline_id, book.board.everything)
    return [str(note) for note in (*event_list.notes, *write_cut(event_list, "x.edl").losses)]


def _takeover(book: ShowTimelines, timeline_id: int, asked: ListIn) -> Takeover:
    timeline = book.timeline(timeline_id)
    new = read_cut(asked.text.encode(), asked.file_name, _rate(asked) or timeline.settings.rate, asked.drop_frame)
    parts = listed_cut(book, book.timeline, timeline_id, book.board.everything)
    found = events_of(new, _footage(book.board))
    return taken_over(book.event_list(timeline_id), parts, new, found, book.board.known)


def _fate_view(one: Compared, timeline: Timeline) -> EventChangeView:
    was, now, words = one.was, one.now, ""
    if was is not None and now is not None:
        parts = [
            f"from {timeline.settings.timecode(was.record_in)} to {timeline.settings.timecode(now.record_in)}"
            if was.record_in != now.record_in else "",
            f"{was.length} → {now.length} frames" if was.length != now.length else "",
            f"{percent_text(was.speed)} → {percent_text(now.speed)}" if one.fate is ChangeKind.RETIMED else "",
        ]  # fmt: skip
        words = ", ".join(filter(None, parts)) or "other source frames"
    event = one.event
    return EventChangeView(
        fate=one.fate, name=event.name or event.reel or event.kind.value, track=event.track,
        timecode=timeline.settings.timecode(event.record_in), words=words,
    )  # fmt: skip


def _made_file(file: FinishedFile) -> MadeFile:
    found = {check["name"]: check["found"] for check in file.proof.get("checks", [])}
    return MadeFile(file.out_path, found.get("start timecode", "00:00:00:00"), int(file.order["event"]["head"]))


def _footage(board: Board) -> Footage:
    return Footage(board.known, board.proxies)


def _rate(asked: ListIn) -> Rate | None:
    return Rate.parse(asked.rate) if asked.rate.strip() else None


def _listed_view(number: int, event: Event, found: Found) -> ListedView:
    source = event.listed
    return ListedView(
        number=number,
        name=event.name,
        reel=source.reel if source else "",
        track=event.track.name,
        found=found.by,
        clips=list(found.clips),
    )
