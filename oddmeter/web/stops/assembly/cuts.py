"""Timelines with their events as the page shows them: the whole, what is under the playhead, and the source's ruler."""

import json
from collections import Counter
from collections.abc import Mapping
from fractions import Fraction
from functools import lru_cache
from math import ceil, floor
from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel

from oddmeter.core.cutting.events import Event, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.uses import EVENT_MARKS, EventMark, Use, marks_of
from oddmeter.core.cutting.windows import Window
from oddmeter.core.numbers.axes import round_step
from oddmeter.core.numbers.numerals import decimal_text, fraction_text, percent_text
from oddmeter.core.numbers.rates import rate_text
from oddmeter.core.planning.timelines import Timeline
from oddmeter.web.http.context import Here
from oddmeter.web.stops.assembly.timelines import ShowTimelines, open_timelines
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.values import Json, LengthView, RateView, length_view, rate_view

router = APIRouter(prefix="/api/shows/{show_id}/cuts", tags=["assembly"])

HANDLES = 12
"""Source frames either side of an event below which there is a mark."""
_APART = 54
"""Pixels between two numbers on a source's ruler."""
_TIMECODE_APART = 104
_MOST_TICKS = 400
_LONGEST_RHYTHM = 8
_WITHOUT_FRAMES = {EventMark.MISSING, EventMark.REFUSED}


class CutEntry(BaseModel):
    """A timeline in the list: how many events it has and how long it is."""

    id: int
    name: str
    rate: RateView
    drop_frame: bool
    events: int
    length: LengthView
    is_default: bool


class MarkView(BaseModel):
    """Something to be seen about an event, with its frames, in words and as a shape."""

    kind: EventMark
    words: str
    shape: str
    fault: bool
    frames: str


class EventView(BaseModel):
    """An event: its place and length in timeline frames, what it uses of its source, how fast, and what stands out."""

    id: int
    track: str
    kind: SourceKind
    clip_id: int | None
    timeline_id: int | None
    name: str
    record_in: int
    length: int
    timecode_in: str
    timecode_out: str
    source_in: str
    source_out: str
    source_rate: str
    speed: str
    speed_exact: str
    runs_back: bool
    curved: bool
    rhythm: str
    head: int
    tail: int
    transition: str
    transition_length: int
    group: int | None
    flattened: bool
    marks: list[MarkView]
    trouble: str
    decides: dict[str, str]


class TrackView(BaseModel):
    """A track: V1, A1; whether it is one of sound."""

    name: str
    sound: bool


class TimelineMarkerView(BaseModel):
    """A marker at a timeline frame."""

    frame: int
    timecode: str
    name: str


class CutView(BaseModel):
    """A timeline with its events, in the order of time; ``version`` is another one whenever any of them is, ``shown``
    whenever a frame may show something else, and ``sounds`` whether anything is heard."""

    id: int
    name: str
    rate: RateView
    frame_seconds: float
    drop_frame: bool
    start: str
    version: str
    shown: str
    sounds: bool
    length: LengthView
    tracks: list[TrackView]
    markers: list[TimelineMarkerView]
    events: list[EventView]
    counts: dict[EventMark, int]


class TickView(BaseModel):
    """A source frame on an event's ruler: where it begins, in timeline frames from the timeline's start."""

    at: float
    label: str


class RulerView(BaseModel):
    """The ruler of an event's source within a window: numbered frames, and how many lie between two of them."""

    event: int
    step: int
    ticks: list[TickView]


class RulersView(BaseModel):
    """The rulers of a window: timecode above, and the source of each event below."""

    axis: list[TickView]
    events: list[RulerView]


@router.get("")
def list_cuts(here: Here, show_id: ShowId) -> list[CutEntry]:
    """The timelines of a show, each with how much is on it."""
    book = open_timelines(here, show_id)
    show = book.board.show
    return [
        CutEntry(
            id=timeline.id, name=timeline.settings.name, rate=rate_view(timeline.settings.rate),
            drop_frame=timeline.settings.drop_frame, events=len(book.event_list(timeline.id).events),
            length=length_view(book.event_list(timeline.id).length, timeline),
            is_default=timeline.id == show.default_timeline_id,
        )
        for timeline in show.timelines
    ]  # fmt: skip


@router.get("/{timeline_id}", response_model=CutView)
def get_cut(here: Here, show_id: ShowId, timeline_id: int) -> Json:
    """A timeline with all its events."""
    book = open_timelines(here, show_id)
    return Json(json.dumps(cut_view(book, timeline_id), ensure_ascii=False))


@router.get("/{timeline_id}/rulers")
def rulers(
    here: Here, show_id: ShowId, timeline_id: int, first: Annotated[int, Query(ge=0)],
    frames: Annotated[int, Query(ge=1, le=10_000_000)], pixels: Annotated[int, Query(ge=50, le=10_000)],
) -> RulersView:  # fmt: skip
    """Timecode over a window of the timeline that is drawn so many pixels wide, and how source frames pass under it."""
    book = open_timelines(here, show_id)
    event_list = book.event_list(timeline_id)
    scale = Fraction(pixels, frames)
    out = []
    for event in event_list.events:
        if event.record_in < first + frames and event.stop > first and event.carries_source:
            window = book.window(timeline_id, event)
            if window is not None and event.length * scale >= _APART:
                out.append(_ruler(event, window, first, first + frames, scale))
    return RulersView(axis=_axis(book.timeline(timeline_id), first, first + frames, scale), events=out)


def cut_view(book: ShowTimelines, timeline_id: int) -> dict[str, Any]:
    """A timeline of a book for the page, as ``CutView`` has it; thousands of events are not made into models first."""
    timeline, event_list = book.timeline(timeline_id), book.event_list(timeline_id)
    settings = timeline.settings
    gaps = {(track, begin): stop for track, begin, stop in event_list.gaps()}
    views = [_event_view(book, timeline, event, gaps) for event in event_list.in_time]
    counts = Counter(mark["kind"] for view in views for mark in view["marks"])
    return {
        "id": timeline_id, "name": settings.name, "rate": rate_view(settings.rate).model_dump(),
        "frame_seconds": float(1 / settings.rate.value), "drop_frame": settings.drop_frame,
        "start": timeline.settings.timecode(0), "version": book.versions.get(timeline_id, ""),
        "shown": book.content_version, "sounds": book.is_heard(timeline_id),
        "length": length_view(event_list.length, timeline).model_dump(),
        "markers": [
            {"frame": marker.at, "timecode": settings.timecode(marker.at), "name": marker.name}
            for marker in event_list.markers
        ],
        "tracks": [{"name": track.name, "sound": track.kind is TrackKind.SOUND} for track in event_list.by_track],
        "events": views, "counts": {mark: counts[mark] for mark in EventMark if counts[mark]},
    }  # fmt: skip


def _event_view(
    book: ShowTimelines, timeline: Timeline, event: Event, gaps: Mapping[tuple[Track, int], int]
) -> dict[str, Any]:
    use = book.use(timeline.id, event)
    transition = event.transition
    return {
        "id": event.id, "track": event.track.name, "kind": event.kind, "clip_id": event.clip_id,
        "timeline_id": event.timeline_id, "name": source_name(book, event), "record_in": event.record_in,
        "length": event.length, "timecode_in": timeline.settings.timecode(event.record_in),
        "timecode_out": timeline.settings.timecode(event.stop), "transition": transition.kind if transition else "",
        "transition_length": transition.length if transition else 0, "group": event.group,
        "flattened": event.flattened,
        "marks": [_mark_view(kind, frames) for kind, frames in marks_of(event, use, gaps, HANDLES)],
        "decides": event.decisions.texts(), **_use_view(use),
    }  # fmt: skip


@lru_cache(maxsize=50_000)
def _use_view(use: Use) -> dict[str, Any]:
    """What a use of a source is in words and figures, wherever its event lies."""
    window = use.window
    head, tail = window.handles if window else (0, 0)
    return {
        "source_in": _frames_text(window.source_in) if window else "",
        "source_out": _frames_text(window.source_out) if window else "",
        "source_rate": rate_text(window.conformed.read_rate.value) if window else "", "speed": _speed_text(window),
        "speed_exact": fraction_text(window.conformed.speed) if window else "",
        "runs_back": bool(window and window.conformed.treatment.reverse),
        "curved": bool(window and window.conformed.course), "rhythm": _rhythm(use), "head": head, "tail": tail,
        "trouble": use.trouble,
    }  # fmt: skip


def source_name(book: ShowTimelines, event: Event) -> str:
    if event.clip_id is not None and (known := book.board.everything.get(event.clip_id)):
        return book.board.distinct_name(known.clip)
    if event.timeline_id is not None:
        return book.timeline(event.timeline_id).settings.name
    return event.name or event.kind.value


def _speed_text(window: Window | None) -> str:
    if window is None:
        return ""
    if window.path.pieces[0].rests and len(window.path.pieces) == 1:
        return "freeze"
    way = "−" if window.conformed.treatment.reverse else ""
    return f"{way}{percent_text(window.conformed.speed)}"


def _rhythm(use: Use) -> str:
    """How even it runs, and its pattern; of several stretches, how many there are."""
    if use.window is None:
        return ""
    rhythms = use.window.frame_map.rhythms
    cadences = [rhythm.cadence for rhythm in rhythms if rhythm.cadence is not None]
    if len(cadences) == 1:
        cadence = cadences[0]
        short = cadence.pattern is not None and len(cadence.pattern) <= _LONGEST_RHYTHM
        text = " ".join(map(str, cadence.pattern or ())) if short else ""
        return f"{cadence.kind.value} {text}".strip()
    return "changes on the way" if len(rhythms) > 1 else use.window.frame_map.kind.value


def _mark_view(kind: EventMark, frames: Fraction) -> dict[str, Any]:
    words, shape, fault = EVENT_MARKS[kind]
    if kind is EventMark.NO_HANDLES and not frames:
        return {"kind": kind, "words": "no spare frames", "shape": shape, "fault": fault, "frames": ""}
    text = "" if kind in _WITHOUT_FRAMES else decimal_text(frames, 0)
    return {"kind": kind, "words": words, "shape": shape, "fault": fault, "frames": text}


def _frames_text(place: Fraction) -> str:
    return decimal_text(place, 2)


def _axis(timeline: Timeline, first: int, stop: int, scale: Fraction) -> list[TickView]:
    """Timecodes in even steps of frames, seconds or minutes, as many as there is room for."""
    second = timeline.settings.rate.nominal
    steps = (1, 2, 5, 10, *(second * number for number in (1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600)))
    step = next((apart for apart in steps if apart * scale >= _TIMECODE_APART), steps[-1])
    begin = -(-first // step) * step
    return [TickView(at=float(frame), label=timeline.settings.timecode(frame)) for frame in range(begin, stop, step)]


def _ruler(event: Event, window: Window, first: int, stop: int, scale: Fraction) -> RulerView:
    """Numbered source frames in even steps, each where its time on screen begins."""
    low, high = max(first, event.record_in) - event.record_in, min(stop, event.stop) - event.record_in
    rate = window.timeline_rate.value
    ticks: list[TickView] = []
    fastest = max((abs(piece.speed_at(piece.begins)) for piece in window.path.pieces), default=Fraction(1))
    a_frame = fastest * window.conformed.read_rate.value / rate
    wanted = _APART / scale * a_frame / (2 if window.conformed.course else 1)
    step = round_step(wanted)
    for piece in window.path.pieces:
        begin, end = (max(Fraction(0), piece.begins) * rate, min(window.path.lasts, piece.ends) * rate)
        begin, end = max(begin, Fraction(low)), min(end, Fraction(high))
        if piece.rests or begin >= end:
            continue
        one, other = window.place(begin), window.place(end)
        for number in range(ceil(min(one, other) / step), floor(max(one, other) / step) + 1):
            source = number * step / window.conformed.read_rate.value
            at = (
                piece.when(source) * rate
                if not window.conformed.by_times
                else _nearest(window, number * step, begin, end)
            )
            if begin <= at < end and len(ticks) < _MOST_TICKS:
                ticks.append(TickView(at=round(float(event.record_in + at), 3), label=str(number * step)))
    return RulerView(event=event.id, step=step, ticks=ticks)


def _nearest(window: Window, place: int, begin: Fraction, end: Fraction) -> Fraction:
    """The moment, in the event's frames, at which a source frame comes; by halving, for clips with times of their
    own."""
    up = window.place(end) >= window.place(begin)
    for _ in range(24):
        middle = (begin + end) / 2
        begin, end = (middle, end) if (window.place(middle) < place) == up else (begin, middle)
    return Fraction(round(end * 1024), 1024)
