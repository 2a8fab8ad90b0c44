"""What is under the playhead: the picture of a timeline frame, what it is made of, and what is heard."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.cutting.events import TrackKind
from oddmeter.core.cutting.ranges import range_of_timeline
from oddmeter.core.cutting.shown import Seen, shown_at, timeline_of
from oddmeter.core.cutting.windows import Window
from oddmeter.core.decisions.music import Music
from oddmeter.core.numbers.numerals import exact_percent_text
from oddmeter.core.numbers.places import Seconds
from oddmeter.media.files.identity import insist_as_known
from oddmeter.media.pictures.stills import blended
from oddmeter.media.soundtracks import mix_of
from oddmeter.media.viewing import Viewed
from oddmeter.store.changes import MissingError
from oddmeter.web.http.context import Context, Here
from oddmeter.web.looking import Side
from oddmeter.web.stops.assembly.cuts import source_name
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.music import beats_of
from oddmeter.web.views.values import FOREVER, Jpeg, Wav
from oddmeter.work.ranges import sources_of

router = APIRouter(prefix="/api/shows/{show_id}/cuts", tags=["assembly"])

_MOST_AT_ONCE = 600


class SeenView(BaseModel):
    """One thing that a timeline frame shows: the clip, through which timelines, its frames, and how much of it."""

    name: str
    clip_id: int | None
    event: int | None
    through: list[str]
    frames: str
    percent: str
    held: bool


class LookView(BaseModel):
    """What a timeline frame shows."""

    frame: int
    timecode: str
    seen: list[SeenView]


@router.get("/{timeline_id}/frames/{number}")
def look(here: Here, show_id: ShowId, timeline_id: int, number: int) -> LookView:
    """What a timeline frame shows, through every transition and nested timeline."""
    book = open_timelines(here, show_id)
    parts = shown_at(book, timeline_id, max(0, number))
    return LookView(
        frame=number, timecode=book.timeline(timeline_id).settings.timecode(number),
        seen=[_seen_view(book, timeline_id, part, number) for part in parts if part.event is not None],
    )  # fmt: skip


@router.get("/{timeline_id}/pictures/{number}", response_class=Jpeg)
def picture(
    here: Here, show_id: ShowId, timeline_id: int, number: int, shown: str,
    size: Literal["draft", "final"] = "draft",
) -> Jpeg:  # fmt: skip
    """The picture of a timeline frame, as ``shown`` names it; a draft is made of the nearest source pictures."""
    book = open_timelines(here, show_id)
    parts = [part for part in shown_at(book, timeline_id, max(0, number)) if part.clip_id is not None]
    if not parts:
        raise MissingError("A picture here")
    data = [(_picture(here, book, timeline_id, part, size), part.share) for part in parts]
    headers = FOREVER if shown == book.content_version else None
    return Jpeg(blended(data), headers=headers)


@router.get("/{timeline_id}/sound", response_class=Wav)
def sound(
    here: Here, show_id: ShowId, timeline_id: int, first: Annotated[int, Query(ge=0)],
    count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)], shown: str,
) -> Wav:  # fmt: skip
    """What is heard over consecutive timeline frames, mixed as it is made, as ``shown`` names it."""
    book = open_timelines(here, show_id)
    settings, event_list = book.timeline(timeline_id).settings, book.event_list(timeline_id)
    render_range = range_of_timeline(book, timeline_id, settings, event_list, first, first + count)
    clips = {clip_id: book.board.everything[clip_id].clip for clip_id in render_range.clip_ids}
    mix = mix_of(render_range, *sources_of(render_range, clips, here.config))
    return Wav(here.looking.mixed(mix), headers=FOREVER if shown == book.content_version else None)


@router.get("/{timeline_id}/strokes", include_in_schema=False)  # as it was called before
@router.get("/{timeline_id}/beats")
def beats(here: Here, show_id: ShowId, timeline_id: int) -> list[int]:
    """The timeline frames nearest to the beats of music that lies on a timeline, by itself or under a clip."""
    return beats_on(here, show_id, open_timelines(here, show_id), timeline_id)


def beats_on(here: Context, show_id: int, book: ShowTimelines, timeline_id: int) -> list[int]:
    """The timeline frames nearest to the beats of music on a timeline."""
    settings, found = book.timeline(timeline_id).settings, set[int]()
    for event in book.event_list(timeline_id).events:
        window = book.window(timeline_id, event)
        if window is None:
            continue
        known = book.board.everything.get(event.clip_id) if event.clip_id is not None else None
        asked = window.conformed.treatment.music
        if window.conformed.material.of_sound and known is not None:
            heard, _ = beats_of(here, show_id, Music(known.clip.root, known.clip.path))
            clock = window.conformed.material.file_clock
            places = [at for second in heard for at in window.looking_at(clock.frame(Seconds(second)))]
        elif asked and event.track.kind is TrackKind.PICTURE:
            heard, _ = beats_of(here, show_id, asked)
            places = [asked.place(second, settings.rate) for second in heard]
        else:
            continue
        found |= {event.record_in + round(at) for at in places if 0 <= at < event.length}
    return sorted(found)


def _seen_view(book: ShowTimelines, timeline_id: int, part: Seen, number: int) -> SeenView:
    event = part.event
    assert event is not None
    known = book.board.everything.get(part.clip_id) if part.clip_id is not None else None
    window = book.window(timeline_of(timeline_id, part), event)
    units = [f"{_unit_text(window, unit)}" for unit, _ in part.weights.parts] if window and known else []
    at = number - event.record_in
    held = len(part.chain) == 1 and window is not None and window.overrun > 0 and at >= event.length - window.overrun
    return SeenView(
        name=source_name(book, event), clip_id=part.clip_id, event=part.chain[0].id,
        through=[source_name(book, nest) for nest in part.chain[:-1]], frames=" + ".join(units),
        percent=exact_percent_text(part.share), held=held,
    )  # fmt: skip


def _unit_text(window: Window, unit: int) -> str:
    frames = sorted(set(window.as_conform.unit(unit).frames))
    return "/".join(map(str, frames))


def _picture(here: Context, book: ShowTimelines, outer: int, part: Seen, size: str) -> bytes:
    assert part.event is not None and part.clip_id is not None
    timeline = timeline_of(outer, part)
    window, known = book.window(timeline, part.event), book.board.everything.get(part.clip_id)
    if window is None or known is None or known.facts is None:
        raise MissingError("This clip")
    clip, settings = known.clip, book.timeline(outer).settings
    path = here.config.footage(clip.root, clip.path)
    insist_as_known(path, known.facts.identity, quickly=True)
    canvas = Canvas(settings.width, settings.height, settings.pixel_aspect)
    cuts = frozenset(clip.picture.cuts if clip.picture else ())
    viewed = Viewed(path, known.facts, window.still(part.weights), canvas, cuts)
    token = here.looking.put(Side(viewed, book.timeline(outer), None), fill=False)
    return here.looking.draft(token, 0) if size == "draft" else here.looking.final(token, 0)
