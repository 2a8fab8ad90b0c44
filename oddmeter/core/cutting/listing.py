"""Listing: a timeline's events as a list tells them, of their sources with speeds."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

from oddmeter.core.cutting.events import Cut, Event
from oddmeter.core.cutting.finding import start_frame
from oddmeter.core.cutting.listed import ListedCut, ListedEvent, Note, SourceKind
from oddmeter.core.cutting.shown import Book
from oddmeter.core.cutting.windows import Window
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.planning.clips import KnownClip
from oddmeter.core.planning.timelines import Timeline

Timelines = Callable[[int], Timeline]
_DEEPEST = 64


def listed_cut(
    book: Book, timelines: Timelines, timeline_id: int, known: Mapping[int, KnownClip], deep: int = 0
) -> ListedCut:
    """A timeline as a list of its sources: places count from timecode zero, speeds against the file. A speed that
    changes is told by what it is on the whole; curves are not in lists yet."""
    timeline, cut = timelines(timeline_id), book.cut(timeline_id)
    settings = timeline.settings
    events = []
    for event in _in_order(cut):
        window = book.window(timeline_id, event) if event.carries_source else None
        inside = None
        if event.timeline_id is not None and deep < _DEEPEST:
            inside = listed_cut(book, timelines, event.timeline_id, known, deep + 1)
        clip = known.get(event.clip_id) if event.clip_id is not None else None
        events.append(_listed(event, window, clip, inside, cut.rate))
    return ListedCut(settings.name, settings.rate, settings.drop_frame, settings.start, tuple(events))


@dataclass(frozen=True)
class MadeFile:
    """A file that was made of an event: its path, the timecode of its first frame, at the timeline's rate, and the
    frames of handles before the event."""

    path: str
    start: str
    head: int


def of_made_files(told: ListedCut, cut: Cut, made: Mapping[int, MadeFile]) -> ListedCut:
    """The list of the files that were made of events, all at 100 per cent; events without one are told as they are, and
    a note says so."""
    events, notes = [], []
    for event, listed in zip(_in_order(cut), told.events, strict=True):
        file = made.get(event.id)
        if file is None:
            events.append(listed)
            if event.carries_source:
                notes.append(
                    Note(f"{listed.name or listed.reel} at {told.timecode(listed.record_in)} has no file yet.")
                )
            continue
        begins = Timecode.parse(file.start, told.rate, told.drop_frame).frames + file.head
        name = file.path.rpartition("/")[2]
        events.append(
            ListedEvent(
                listed.track, SourceKind.CLIP, listed.record_in, listed.length, name, "", file.path, told.rate,
                Fraction(begins), transition=listed.transition,
            )
        )  # fmt: skip
    return replace(told, events=tuple(events), notes=tuple(notes))


def _listed(
    event: Event, window: Window | None, clip: KnownClip | None, inside: ListedCut | None, rate: Rate
) -> ListedEvent:
    told, source = event.listed, window
    name = clip.clip.name if clip else event.name
    reel = told.reel if told else ""
    if event.kind is SourceKind.BLACK or source is None:
        source_rate = told.rate if told else rate
        source_in = told.source_in if told else Fraction(0)
        return ListedEvent(
            event.track.name, event.kind, event.record_in, event.length, name, reel, told.path if told else "",
            source_rate, source_in, transition=event.transition, inside=inside,
        )  # fmt: skip
    material = source.conformed.material
    file_rate = material.file_rate
    # Read at another rate, a frame of the file stays that frame: only how fast it comes is another.
    run = source.place(event.length) - source.place(0)
    lasts = event.length / rate.value
    straight = source.conformed.course is None
    speed = source.conformed.sound_factor if straight else abs(run) / file_rate.value / lasts
    reverse = source.conformed.treatment.reverse if straight else run < 0
    starts = start_frame(clip) or 0 if clip else 0
    return ListedEvent(
        event.track.name, event.kind, event.record_in, event.length, name, reel, clip.clip.path if clip else "",
        file_rate, starts + event.source_in if straight else starts + source.source_in, speed, reverse,
        event.transition, inside,
    )  # fmt: skip


def _in_order(cut: Cut) -> list[Event]:
    return sorted(cut.events, key=lambda event: (event.record_in, event.track))
