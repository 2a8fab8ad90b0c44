"""Listing: a timeline's events as a list states them, of their sources with speeds."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise

from oddmeter.core.cutting.events import Event, EventList
from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, Note, SourceKind
from oddmeter.core.cutting.shown import DEEPEST, TimelineResolver
from oddmeter.core.cutting.windows import Window, run_on
from oddmeter.core.numbers.numerals import decimal_text, fraction_text
from oddmeter.core.numbers.places import Label, Labelling
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.planning.clips import KnownClip
from oddmeter.core.planning.timelines import Timeline

Timelines = Callable[[int], Timeline]


def listed_cut(
    book: TimelineResolver, timelines: Timelines, timeline_id: int, known: Mapping[int, KnownClip], deep: int = 0, *,
    chains: bool = False,
) -> ListedTimeline:  # fmt: skip
    """A timeline as a list of its sources: places count from timecode zero, speeds against the file. A speed that
    changes is described by its average speed, with the curve beside it; in ``chains`` as events of one speed each.
    Notes say by how many source frames either is off at most."""
    timeline, event_list = timelines(timeline_id), book.event_list(timeline_id)
    settings = timeline.settings
    events: list[ListedEvent] = []
    notes: list[Note] = []
    for event in event_list.in_time:
        window = book.window(timeline_id, event) if event.carries_source else None
        inside = None
        if event.timeline_id is not None and deep < DEEPEST:
            inside = listed_cut(book, timelines, event.timeline_id, known, deep + 1, chains=chains)
        clip = known.get(event.clip_id) if event.clip_id is not None else None
        listed = _listed(event, window, clip, inside, event_list.rate)
        if window is None or window.conformed.course is None:
            events.append(listed)
            continue
        parts = chain(listed, window) if chains else (listed,)
        events += parts
        off = max(error_of(part, window, listed.record_in) for part in parts)
        what = f"{len(parts)} events of one speed" if chains else "its speed on the whole"
        note = f"{listed.name} at {settings.timecode(listed.record_in)}: its curve is described by {what}, "
        notes.append(Note(f"{note}off by {decimal_text(off, 2)} source frames at most."))
    return ListedTimeline(
        settings.name, settings.rate, settings.drop_frame, settings.start, tuple(events), tuple(notes),
        markers=event_list.markers,
    )  # fmt: skip


_LOOKED_AT = 300
_CLOSE = Fraction(1, 2)
"""Source frames that an event of a chain may be off."""


def chain(listed: ListedEvent, window: Window) -> tuple[ListedEvent, ...]:
    """An event whose speed changes as events of one speed each: parted where its pieces are, and on until none is off
    by more than half a source frame, or is two frames long."""
    rate = window.timeline_rate.value
    edges = {0, listed.length} | {round(piece.begins * rate) for piece in window.path.pieces}
    waiting = list(pairwise(sorted(edge for edge in edges if 0 <= edge <= listed.length)))
    out: list[ListedEvent] = []
    while waiting:
        a, b = waiting.pop()
        part = _straight_part(listed, window, a, b)
        if b - a > 2 and error_of(part, window, listed.record_in) > _CLOSE:
            middle = (a + b) // 2
            waiting += [(a, middle), (middle, b)]
        else:
            out.append(part)
    ordered = sorted(out, key=lambda event: event.record_in)
    return (replace(ordered[0], transition=listed.transition), *ordered[1:])


def error_of(part: ListedEvent, window: Window, record_in: int) -> Fraction:
    """Source frames by which an event of one speed is off at most from what a window shows, at its timeline frames; of
    a long one at some hundreds of them."""
    labels = _labels(window, part.source_in.rate)
    stride, first = part.stride(window.timeline_rate), part.record_in - record_in
    begins = labels.label(window.place(first)).count
    step = -(-part.length // _LOOKED_AT)
    shown = ((j, labels.label(window.place(first + j)).count) for j in range(0, part.length, step))
    return max((abs(count - begins - stride * j) for j, count in shown), default=Fraction(0))


def _labels(window: Window, rate: Rate) -> Labelling:
    """The labels of a window's source counted from its beginning: enough to tell how far apart two places are."""
    material = window.conformed.material
    return Labelling(material.file_clock, rate, material.frames)


def _straight_part(listed: ListedEvent, window: Window, a: int, b: int) -> ListedEvent:
    rate = listed.source_in.rate
    labels = _labels(window, rate)
    begins, at, ends = (labels.label(window.place(frame)).count for frame in (0, a, b))
    run, seconds = ends - at, (b - a) / window.timeline_rate.value
    return replace(
        listed, record_in=listed.record_in + a, length=b - a, speed=abs(run) / rate.value / seconds, reverse=run < 0,
        source_in=listed.source_in.later(at - begins), transition=None, curve="",
    )  # fmt: skip


@dataclass(frozen=True)
class MadeFile:
    """A file made of an event: its path below the folder of made files, the timecode of its first frame at the timeline
    rate, and ``head``, the timeline frames of handles before the event."""

    path: str
    start: str
    head: int


def of_made_files(timeline: ListedTimeline, event_list: EventList, made: Mapping[int, MadeFile]) -> ListedTimeline:
    """The list of the files that were made of events, all at 100 per cent; events without one are listed as they are,
    and a note says so."""
    events, notes = [], []
    for event, listed in zip(event_list.in_time, timeline.events, strict=True):
        file = made.get(event.id)
        if file is None:
            events.append(listed)
            if event.carries_source:
                notes.append(
                    Note(f"{listed.name or listed.reel} at {timeline.timecode(listed.record_in)} has no file yet.")
                )
            continue
        begins = Timecode.parse(file.start, timeline.rate, timeline.drop_frame).frames + file.head
        name = file.path.rpartition("/")[2]
        events.append(
            ListedEvent(
                listed.track, SourceKind.CLIP, listed.record_in, listed.length, name, "", file.path,
                Label(Fraction(begins), timeline.rate, timeline.drop_frame), transition=listed.transition,
            )
        )  # fmt: skip
    return replace(timeline, events=tuple(events), notes=tuple(notes))


def _listed(
    event: Event, window: Window | None, clip: KnownClip | None, inside: ListedTimeline | None, rate: Rate
) -> ListedEvent:
    listed = event.listed
    name = clip.clip.name if clip else event.name
    reel = listed.reel if listed else ""
    if event.kind is SourceKind.BLACK or window is None:
        source_in = listed.source_in if listed else Label(Fraction(0), rate)
        return ListedEvent(
            event.track.name, event.kind, event.record_in, event.length, name, reel, listed.path if listed else "",
            source_in, transition=event.transition, inside=inside,
        )  # fmt: skip
    conformed, material = window.conformed, window.conformed.material
    labels = (clip.labels if clip else None) or _labels(window, material.file_rate)
    # Read at another rate, a frame of the file stays that frame: only how fast it comes is another.
    run = labels.label(window.place(event.length)).count - labels.label(window.place(0)).count
    straight = conformed.course is None
    even = straight and (material.clock is None or conformed.by_times)
    speed = conformed.sound_factor if even else abs(run) / labels.rate.value / (event.length / rate.value)
    reverse = conformed.treatment.reverse if straight else run < 0
    curve = ""
    if conformed.treatment.curve is not None:
        told_curve = {
            "curve": conformed.treatment.curve.document(), "enters": fraction_text(event.source_in),
            "lead": fraction_text(event.curve_offset),
        }  # fmt: skip
        curve = json.dumps(told_curve)
    return ListedEvent(
        event.track.name, event.kind, event.record_in, event.length, name, reel, clip.clip.path if clip else "",
        labels.label(run_on(window, 0) if straight else window.source_in), speed, reverse, event.transition, inside,
        curve=curve,
    )  # fmt: skip
