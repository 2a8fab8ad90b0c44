"""Events: uses of clips and timelines on tracks, each with its place, its length and what is decided for it alone."""

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from itertools import pairwise

from oddmeter.core.cutting.listed import ListedSource, Marker, SourceKind, Transition
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import BEGINNING, SourceFrame
from oddmeter.core.numbers.rates import Rate

NOTHING_DECIDED = Decisions()


class TrackKind(StrEnum):
    """What a track carries."""

    PICTURE = "picture"
    SOUND = "sound"


@dataclass(frozen=True, order=True)
class Track:
    """A track of a timeline; of pictures, a higher number lies over a lower one."""

    kind: TrackKind
    number: int

    @property
    def name(self) -> str:
        """V1, V2, A1 and so on."""
        return f"{'V' if self.kind is TrackKind.PICTURE else 'A'}{self.number}"

    @staticmethod
    def named(name: str) -> "Track":
        """The track of a name such as V1; one of another name, as lists have them, by its letter and number."""
        plain = name.upper()
        number = "".join(sign for sign in plain if sign.isdecimal())[:2]
        return Track(TrackKind.SOUND if plain[:1] == "A" else TrackKind.PICTURE, int(number or 1) or 1)


FIRST_PICTURE, FIRST_SOUND = Track(TrackKind.PICTURE, 1), Track(TrackKind.SOUND, 1)


@dataclass(frozen=True)
class Event:
    """One use of a source on a timeline.

    ``record_in`` and ``length`` are timeline frames. ``source_in`` is a place in source frames of the file, counted
    from 0: where its first moment looks, or, with a curve, where the curve enters; then ``curve_offset`` are the
    timeline seconds of the curve that lie before the first moment. ``decisions`` are what this event decides for
    itself. Events of one ``group`` are one clip's picture and sound, and change together. ``flattened`` shows a nested
    timeline by its own frames only. ``listed`` is what a list said of its source.
    """

    id: int
    track: Track
    kind: SourceKind
    record_in: int
    length: int
    source_in: SourceFrame = BEGINNING
    curve_offset: Fraction = Fraction(0)
    clip_id: int | None = None
    timeline_id: int | None = None
    decisions: Decisions = field(default_factory=lambda: NOTHING_DECIDED)
    transition: Transition | None = None
    group: int | None = None
    flattened: bool = False
    name: str = ""
    listed: ListedSource | None = None

    def __post_init__(self) -> None:
        if self.length < 1:
            raise RuleError("An event is at least one frame long.", "length")
        if self.record_in < 0:
            raise RuleError("Events cannot start before the timeline does.", "place")
        if self.transition is not None and not 0 < self.transition.length <= self.length:
            over = frames_text(self.transition.length)
            raise RuleError(f"A transition of {over} does not fit in an event of {self.length}.", "transition")

    @property
    def stop(self) -> int:
        """The timeline frame after its last."""
        return self.record_in + self.length

    @property
    def dissolves_over(self) -> int:
        """Timeline frames over which a dissolve brings it in; 0 where it is cut in, or wiped, which is shown so."""
        return self.transition.length if self.transition is not None and self.transition.kind == "dissolve" else 0

    @property
    def carries_source(self) -> bool:
        """True where it shows a clip or a timeline, and not black."""
        return self.kind in (SourceKind.CLIP, SourceKind.TIMELINE)

    @cached_property
    def run(self) -> tuple[object, ...]:
        """All that its window follows from: events that are alike in this show the same, wherever they lie."""
        return (
            self.kind, self.length, self.source_in, self.curve_offset, self.clip_id, self.timeline_id, self.decisions,
            self.flattened,
        )  # fmt: skip

    def of_length(self, length: int) -> "Event":
        """The same so many frames long; its transition becomes no longer than that."""
        over = self.transition
        if over is not None and length > 0:
            over = replace(over, length=min(over.length, length))
        return replace(self, length=length, transition=over)

    def moved(self, by: int) -> "Event":
        """The same so many timeline frames later."""
        return replace(self, record_in=self.record_in + by) if by else self


@dataclass(frozen=True)
class EventList:
    """A timeline's events; on one track none lies over another. ``rate`` is the timeline's, ``markers`` lie at its
    frames. ``moved_up`` are events that were stored over others, and are reported on a track above, so that they can be
    mended.

    Raises ``RuleError`` where two of them overlap.
    """

    rate: Rate
    events: tuple[Event, ...] = ()
    markers: tuple[Marker, ...] = ()
    moved_up: frozenset[int] = field(default=frozenset(), compare=False)

    def __post_init__(self) -> None:
        for on in self.by_track.values():
            for event, other in pairwise(on):
                if other.record_in < event.stop:
                    over = event.stop - other.record_in
                    raise RuleError(
                        f"On {event.track.name}, {named(other)} would overlap {named(event)} by {frames_text(over)}.",
                        "overlap",
                    )

    @cached_property
    def by_track(self) -> dict[Track, tuple[Event, ...]]:
        """The events of each track in time order; tracks of pictures first, from the lowest."""
        out: dict[Track, list[Event]] = {}
        for event in sorted(self.events, key=lambda other: (other.track, other.record_in)):
            out.setdefault(event.track, []).append(event)
        return {track: tuple(events) for track, events in out.items()}

    @cached_property
    def in_time(self) -> tuple[Event, ...]:
        """The events in order of time, and of tracks where several begin together."""
        return tuple(sorted(self.events, key=lambda event: (event.record_in, event.track)))

    @cached_property
    def by_id(self) -> dict[int, Event]:
        """The events by their ids."""
        return {event.id: event for event in self.events}

    @cached_property
    def _begins(self) -> dict[Track, list[int]]:
        return {track: [event.record_in for event in events] for track, events in self.by_track.items()}

    @property
    def length(self) -> int:
        """Timeline frames to the end of the last event."""
        return max((events[-1].stop for events in self.by_track.values()), default=0)

    def event(self, event_id: int) -> Event:
        """The event with an id; raises ``RuleError`` where there is none."""
        found = self.by_id.get(event_id)
        if found is None:
            raise RuleError("This event no longer exists.", "event")
        return found

    def at(self, track: Track, moment: Fraction, *, backwards: bool = False) -> Event | None:
        """The event of a track that a moment, in timeline frames, falls into; None where none does. Running backwards,
        the moment of a cut still belongs to what lies before it."""
        begins = self._begins.get(track, [])
        number = bisect_right(begins, moment) - 1
        if backwards and number >= 0 and begins[number] == moment:
            number -= 1
        if number < 0:
            return None
        event = self.by_track[track][number]
        return event if moment < event.stop or (backwards and moment == event.stop) else None

    def before(self, event: Event) -> Event | None:
        """The event on the same track that ends where this one begins; None where there is a gap."""
        found = self.at(event.track, Fraction(event.record_in), backwards=True)
        return found if found is not None and found.stop == event.record_in else None

    def after(self, event: Event) -> Event | None:
        """The event on the same track that begins where this one ends; None where there is a gap."""
        found = self.at(event.track, Fraction(event.stop))
        return found if found is not None and found.record_in == event.stop else None

    def gaps(self) -> tuple[tuple[Track, int, int], ...]:
        """The empty stretches of each track before its last event: track, first frame, frame after the last."""
        out = []
        for track, events in self.by_track.items():
            at = 0
            for event in events:
                if event.record_in > at:
                    out.append((track, at, event.record_in))
                at = event.stop
        return tuple(out)

    @property
    def black_frames(self) -> int:
        """Frames before the end where no track of pictures has anything but black."""
        covered, at = 0, 0
        shows = (other for other in self.in_time if other.track.kind is TrackKind.PICTURE and other.carries_source)
        for event in shows:
            covered += max(0, event.stop - max(at, event.record_in))
            at = max(at, event.stop)
        return self.length - covered

    def together(self, chosen: Iterable[Event]) -> tuple[Event, ...]:
        """The chosen events with those of their groups, in time order."""
        some = list(chosen)
        groups = {event.group for event in some} - {None}
        ids = {event.id for event in some} | {event.id for event in self.events if event.group in groups}
        return tuple(
            sorted((self.by_id[event_id] for event_id in ids), key=lambda event: (event.record_in, event.track))
        )

    def with_events(self, changed: Iterable[Event], gone: Iterable[int] = ()) -> "EventList":
        """The same cut with some events changed or added, by their ids, and some taken away."""
        events = {**self.by_id, **{event.id: event for event in changed}}
        for event_id in gone:
            events.pop(event_id, None)
        return replace(self, events=tuple(events.values()))

    @property
    def free_id(self) -> int:
        """An id that no event has; those below 0 are of events that are not kept yet."""
        return min((event.id for event in self.events if event.id < 0), default=0) - 1


def named(event: Event) -> str:
    """An event as a sentence calls it."""
    what = {SourceKind.BLACK: "black", SourceKind.TIMELINE: "the timeline"}.get(event.kind, "")
    return f"“{event.name}”" if event.name else what or "an event"


def frames_text(count: int) -> str:
    """``1 frame``, ``12 frames``."""
    return f"{count} frame{'' if count == 1 else 's'}"
