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

    def event_list(self, timeline_id: int) -> EventList:
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
        return (early,) if [event.picture for event in early] == [event.picture for event in late] else (early, late)

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
        asked = (planned.conformed.treatment.music for planned in self.planned.values())
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
    event_list: EventList,
    first: int = 0,
    stop: int | None = None,
) -> RenderRange:
    """Frames ``first`` to ``stop − 1`` of a timeline, or all of them, as a render range; ``event_list`` are its events,
    or some of them."""
    stop = event_list.length if stop is None else stop
    cuts, planned, waiting = (
        {timeline_id: _within(event_list, first, stop)},
        dict[tuple[int, int], Window](),
        [timeline_id],
    )
    while waiting:
        one = waiting.pop()
        for event in cuts[one].events:
            found = book.window(one, event) if event.carries_source else None
            if found is None:
                continue
            planned[one, event.id] = found
            if event.timeline_id is not None and event.timeline_id not in cuts:
                cuts[event.timeline_id] = book.event_list(event.timeline_id)
                waiting.append(event.timeline_id)
    return RenderRange(timeline_id, first, stop, settings, cuts, planned)


def _within(event_list: EventList, first: int, stop: int) -> EventList:
    """The events that are seen or heard between two frames, and those that run on under one of them."""
    kept = [event for event in event_list.events if event.record_in < stop and event.stop > first]
    under = [
        before for event in kept if event.transition is not None and (before := event_list.before(event)) is not None
    ]
    ids = {event.id for event in (*kept, *under)}
    return replace(event_list, events=tuple(event for event in event_list.events if event.id in ids))


def range_of_event(
    book: TimelineResolver, timeline_id: int, settings: TimelineSettings, event: Event, head: int = 0, tail: int = 0
) -> RenderRange:
    """An event by itself, with the sound of its group, and so many timeline frames of handles before and behind it."""
    together = book.event_list(timeline_id).together([event])
    some = [other for other in together if other.id == event.id or other.track.kind is TrackKind.SOUND]
    longer = (_with_handles(other, book.window(timeline_id, other), event.record_in, head, tail) for other in some)
    begins = (settings.start + event.record_in - head) % frames_in_day(settings.rate, settings.drop_frame)
    event_list = EventList(settings.rate, tuple(other for other in longer if other is not None))
    return range_of_timeline(
        book, timeline_id, replace(settings, start=begins), event_list, 0, event.length + head + tail
    )


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
    event_list = book.event_list(timeline_id)
    before = event_list.before(event)
    stop = event.record_in + event.transition.length
    both = [before, event] if before is not None else [event, *_below(event_list, event, stop)]
    sounds = [other for other in event_list.together(both) if other.track.kind is TrackKind.SOUND]
    some = replace(event_list, events=(*both, *sounds))
    return range_of_timeline(book, timeline_id, settings, some, event.record_in, stop)


def _below(event_list: EventList, event: Event, stop: int) -> list[Event]:
    """The events on lower tracks of pictures from the first frame of an event to another."""
    lower = [
        other for other in event_list.events if other.track.kind is TrackKind.PICTURE and other.track < event.track
    ]
    return [other for other in lower if other.record_in < stop and other.stop > event.record_in]
