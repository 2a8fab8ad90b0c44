"""Render ranges: a stretch of a timeline, an event of one or a transition with all that they are made of, ready to be
shown and heard without anything else."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from oddmeter.core.cutting.events import Event, EventList, TrackKind
from oddmeter.core.cutting.shown import HALF, Seen, TimelineResolver, shown_at, timeline_of
from oddmeter.core.cutting.windows import Window, begun, window
from oddmeter.core.decisions.music import Music
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.timecode import frames_in_day
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import TimelineSettings


@dataclass(frozen=True)
class RenderRange(TimelineResolver):
    """Frames ``first`` to ``stop − 1`` of a timeline with all that they are made of: it needs nothing else to be shown.

    ``settings`` are those of the timeline; ``cuts`` are its events and those of timelines nested in it, ``planned``
    their windows, by timeline and event; where one has none, it shows black.
    """

    timeline_id: int
    first: int
    stop: int
    settings: TimelineSettings
    cuts: Mapping[int, EventList]
    planned: Mapping[tuple[int, int], Window]

    def cut(self, timeline_id: int) -> EventList:
        """The events of a timeline."""
        return self.cuts[timeline_id]

    def window(self, timeline_id: int, event: Event) -> Window | None:
        """An event's window, also of one that runs on under a transition."""
        found = self.planned.get((timeline_id, event.id))
        if found is None or found.event.length == event.length:
            return found
        key = (timeline_id, event.id, event.length)
        if key not in self._longer:
            self._longer[key] = window(event, found.conformed.material, found.conformed.treatment, found.timeline_rate)
        return self._longer[key]

    @cached_property
    def _longer(self) -> dict[tuple[int, int, int], Window]:
        return {}

    @property
    def length(self) -> int:
        """Timeline frames."""
        return self.stop - self.first

    def moments(self, number: int) -> tuple[tuple[Seen, ...], ...]:
        """What frame ``number``, counted from its first, shows: its moments in time order, two where the fields of an
        interlaced timeline show different ones."""
        frame = self.first + number
        if self.settings.scan is TimelineScan.PROGRESSIVE:
            return (shown_at(self, self.timeline_id, frame),)
        early = shown_at(self, self.timeline_id, frame, lasts=HALF)
        late = shown_at(self, self.timeline_id, frame + HALF, lasts=HALF)
        return (early,) if [one.picture for one in early] == [one.picture for one in late] else (early, late)

    def timeline_of(self, seen: Seen) -> int:
        """The timeline that the event which uses the clip lies on."""
        return timeline_of(self.timeline_id, seen)

    def uses(self, kind: TrackKind, timeline_id: int) -> Iterator[tuple[Event, Window]]:
        """The events on tracks of one kind, of its timeline or of one nested in it, with their windows."""
        for event in self.cuts[timeline_id].in_time:
            found = self.window(timeline_id, event)
            if event.track.kind is kind and found is not None:
                yield event, found

    @property
    def asked_music(self) -> frozenset[Music]:
        """The music beside its clips."""
        asked = (one.conformed.treatment.music for one in self.planned.values())
        return frozenset(music for music in asked if music)

    @cached_property
    def clip_ids(self) -> frozenset[int]:
        """The clips that it is made of."""
        events = (self.cuts[timeline].event(event) for timeline, event in self.planned)
        return frozenset(event.clip_id for event in events if event.clip_id is not None)


def range_of_timeline(
    book: TimelineResolver,
    timeline_id: int,
    settings: TimelineSettings,
    cut: EventList,
    first: int = 0,
    stop: int | None = None,
) -> RenderRange:
    """Frames ``first`` to ``stop − 1`` of a timeline, or all of them, as a render range; ``cut`` are its events, or
    some of them."""
    stop = cut.length if stop is None else stop
    cuts, planned, waiting = {timeline_id: _within(cut, first, stop)}, dict[tuple[int, int], Window](), [timeline_id]
    while waiting:
        one = waiting.pop()
        for event in cuts[one].events:
            found = book.window(one, event) if event.carries_source else None
            if found is None:
                continue
            planned[one, event.id] = found
            if event.timeline_id is not None and event.timeline_id not in cuts:
                cuts[event.timeline_id] = book.cut(event.timeline_id)
                waiting.append(event.timeline_id)
    return RenderRange(timeline_id, first, stop, settings, cuts, planned)


def _within(cut: EventList, first: int, stop: int) -> EventList:
    """The events that are seen or heard between two frames, and those that run on under one of them."""
    kept = [event for event in cut.events if event.record_in < stop and event.stop > first]
    under = [before for event in kept if event.transition is not None and (before := cut.before(event)) is not None]
    ids = {event.id for event in (*kept, *under)}
    return replace(cut, events=tuple(event for event in cut.events if event.id in ids))


def range_of_event(
    book: TimelineResolver, timeline_id: int, settings: TimelineSettings, event: Event, head: int = 0, tail: int = 0
) -> RenderRange:
    """An event by itself, with the sound of its group, and so many timeline frames of handles before and behind it."""
    together = book.cut(timeline_id).together([event])
    some = [one for one in together if one.id == event.id or one.track.kind is TrackKind.SOUND]
    longer = (_with_handles(one, book.window(timeline_id, one), event.record_in, head, tail) for one in some)
    begins = (settings.start + event.record_in - head) % frames_in_day(settings.rate, settings.drop_frame)
    cut = EventList(settings.rate, tuple(one for one in longer if one is not None))
    return range_of_timeline(book, timeline_id, replace(settings, start=begins), cut, 0, event.length + head + tail)


def _with_handles(event: Event, found: Window | None, zero: int, head: int, tail: int) -> Event | None:
    """An event as it lies in a file whose first frame lies ``head`` before the timeline frame ``zero``, with handles;
    what comes before the file is left out, and None where that is all."""
    at = max(0, event.record_in - zero)
    head -= max(0, zero - event.record_in)
    length = event.length + head + tail
    if length < 1:
        return None
    plain = replace(event, record_in=at, length=length, transition=None)
    return plain if found is None else begun(plain, found, -head)


def range_of_transition(
    book: TimelineResolver, timeline_id: int, settings: TimelineSettings, event: Event
) -> RenderRange:
    """The frames over which an event comes in, with what goes out under it; raises ``RuleError`` where it is cut in."""
    if event.transition is None:
        raise RuleError("This event has no transition.", "transition")
    cut = book.cut(timeline_id)
    before = cut.before(event)
    stop = event.record_in + event.transition.length
    both = [before, event] if before is not None else [event, *_below(cut, event, stop)]
    sounds = [one for one in cut.together(both) if one.track.kind is TrackKind.SOUND]
    some = replace(cut, events=(*both, *sounds))
    return range_of_timeline(book, timeline_id, settings, some, event.record_in, stop)


def _below(cut: EventList, event: Event, stop: int) -> list[Event]:
    """The events on lower tracks of pictures from the first frame of an event to another."""
    lower = [one for one in cut.events if one.track.kind is TrackKind.PICTURE and one.track < event.track]
    return [one for one in lower if one.record_in < stop and one.stop > event.record_in]
