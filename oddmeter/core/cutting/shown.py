"""What a timeline frame shows: through tracks, transitions and nested timelines, down to frames of clips.

Maps are composed: the outer one gives a moment in the nested timeline, which is not rounded to its frames, the event
there gives the place in its own source, and so on (docs/model.md, Event lists).
"""

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import ceil, floor

from oddmeter.core.cutting.events import Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.windows import Window
from oddmeter.core.decisions.treatment import Between, Takes
from oddmeter.core.maps.frame_map import Weights, gathers
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import Seconds, TimelinePlace

DEEPEST = 64
"""Nested levels that are looked into."""


class TimelineResolver(ABC):
    """Where timelines are looked up: their events, and the window of each."""

    @abstractmethod
    def event_list(self, timeline_id: int) -> EventList:
        """The events of a timeline."""

    @abstractmethod
    def window(self, timeline_id: int, event: Event) -> Window | None:
        """An event's window; None where its source is missing, or cannot be planned with."""


@dataclass(frozen=True)
class Seen:
    """A share of what is seen: the events that lead to it, from the outermost on, the clip, and what of it the moment
    is made of; without a clip it is black. ``place`` is in units of the clip's map."""

    chain: tuple[Event, ...]
    share: Fraction
    clip_id: int | None = None
    place: Fraction = Fraction(0)
    weights: Weights = field(default_factory=lambda: Weights.alone(0))
    between: Between = Between.PICK

    @property
    def event(self) -> Event | None:
        """The event that uses the clip; None where nothing is there."""
        return self.chain[-1] if self.chain else None

    @property
    def picture(self) -> tuple[object, ...]:
        """What is seen of it, to tell whether two frames show the same."""
        return self.clip_id, self.share, self.weights.parts


BLACK = Seen((), Fraction(1))


WHOLE, HALF = Fraction(1), Fraction(1, 2)
"""Timeline frames that a frame and a field last."""


def shown_at(
    book: TimelineResolver, timeline_id: int, frame: int | Fraction, way: int = 1, lasts: Fraction = WHOLE
) -> tuple[Seen, ...]:
    """What a timeline shows at a moment, given in its frames; running backwards (``way`` −1), the moment of a cut still
    belongs to what lies before it. Several parts where a transition is running: as they are half way through the
    frames that it ``lasts``, a half for a field; black where nothing is.

    Raises ``RuleError`` where timelines are nested deeper than ``DEEPEST``.
    """
    return _shown(_Looking(book, lasts), timeline_id, _at(Fraction(frame)), way, ())


@dataclass(frozen=True)
class _Looking:
    """A look into a book, at moments of so many frames."""

    book: TimelineResolver
    lasts: Fraction

    def event_list(self, timeline_id: int) -> EventList:
        return self.book.event_list(timeline_id)

    def window(self, timeline_id: int, event: Event) -> Window | None:
        return self.book.window(timeline_id, event)


@dataclass(frozen=True)
class _Moment:
    """A moment of a timeline that is looked at, in its frames, and ``later``: the moment of it so many frames of the
    timeline that is shown later, for a shutter that stays open."""

    at: Fraction
    later: Callable[[Fraction], Fraction]


def _at(moment: Fraction) -> _Moment:
    return _Moment(moment, lambda frames: moment + frames)


def _shown(book: _Looking, timeline_id: int, moment: _Moment, way: int, chain: tuple[Event, ...]) -> tuple[Seen, ...]:
    if len(chain) >= DEEPEST:
        raise RuleError(f"Timelines are nested more than {DEEPEST} levels deep.", "nested")
    event_list = book.event_list(timeline_id)
    tracks = tuple(reversed([track for track in event_list.by_track if track.kind is TrackKind.PICTURE]))
    return _on_tracks(book, timeline_id, tracks, moment, way, chain)


def _on_tracks(
    book: _Looking, timeline_id: int, tracks: tuple[Track, ...], moment: _Moment, way: int, chain: tuple[Event, ...]
) -> tuple[Seen, ...]:
    """What is seen on the first of these tracks that has anything there."""
    event_list = book.event_list(timeline_id)
    for number, track in enumerate(tracks):
        event = event_list.at(track, moment.at, backwards=way < 0)
        if event is not None:
            return _with_transition(book, timeline_id, event, tracks[number + 1 :], moment, way, chain)
    return (replace(BLACK, chain=chain),)


def _with_transition(
    book: _Looking, timeline_id: int, event: Event, below: tuple[Track, ...], moment: _Moment, way: int,
    chain: tuple[Event, ...],
) -> tuple[Seen, ...]:  # fmt: skip
    """An event with what it comes over: the one before it, which runs on, or what is seen on the tracks below."""
    seen = _of_event(book, timeline_id, event, moment, way, chain)
    since = moment.at - event.record_in
    over = event.dissolves_over
    if since >= over:
        return seen
    share = min(WHOLE, (since + book.lasts / 2) / over)
    before = book.event_list(timeline_id).before(event)
    if before is None:
        under = _on_tracks(book, timeline_id, below, moment, way, chain)
    else:
        longer = replace(before, length=before.length + over)
        under = _of_event(book, timeline_id, longer, moment, way, chain)
    return (*_shared(under, 1 - share), *_shared(seen, share))


def _shared(parts: tuple[Seen, ...], share: Fraction) -> tuple[Seen, ...]:
    return tuple(replace(part, share=part.share * share) for part in parts if share)


def _of_event(
    book: _Looking, timeline_id: int, event: Event, moment: _Moment, way: int, chain: tuple[Event, ...]
) -> tuple[Seen, ...]:
    here = (*chain, event)
    window = book.window(timeline_id, event) if event.carries_source else None
    if window is None:
        return (Seen(here, Fraction(1)),)
    frame_map, since = window.frame_map, moment.at - event.record_in
    # What is held changes with whole timeline frames, never with the second field of one.
    at = frame_map.moment(floor(since) if frame_map.holds and not chain else since)
    way *= frame_map.path.piece(at).way or 1
    second = Seconds(frame_map.path.at(at))

    def later(frames: Fraction) -> Seconds:
        """The source second so many frames later, while the event lasts."""
        until = max(-since, min(event.length - since, moment.later(frames) - moment.at))
        return Seconds(frame_map.path.at(at + until / frame_map.timeline_rate))

    if event.kind is SourceKind.TIMELINE:
        assert event.timeline_id is not None
        inner = _inner_moment(window, second, later, way, flattened=event.flattened)
        return _shown(book, event.timeline_id, inner, way, here)
    place, between = frame_map.ruler.place(second), window.conformed.treatment.between
    closes = frame_map.ruler.place(later(frame_map.shutter)) if between.takes is Takes.PASSING else place
    if between.takes is Takes.PASSING and gathers(place, closes, frame_map.shutter):
        weights = Weights.gathered(place, closes, frame_map.units)
    elif between.takes is Takes.BESIDE:
        weights = Weights.mixed(place, frame_map.units)
    else:
        weights = Weights.picked(place, frame_map.units, way)
    return (Seen(here, Fraction(1), event.clip_id, place, weights, between),)


def _inner_moment(
    window: Window, second: Seconds, later: Callable[[Fraction], Seconds], way: int, *, flattened: bool
) -> _Moment:
    """The moment in a nested timeline, in its frames; beyond its ends its first or last frame is held."""
    rate, last = window.conformed.read_rate, window.frames - 1
    moment = TimelinePlace.at(second, rate).frames
    if flattened:
        moment = Fraction(ceil(moment) - 1 if way < 0 else floor(moment))
    if moment < 0 or not (moment < last + 1 or (way < 0 and moment == last + 1)):
        held = Fraction(0 if moment < 0 else last)
        return _Moment(held, lambda _: held)
    if flattened:
        return _at(moment)

    def shutter(frames: Fraction) -> Fraction:
        return max(Fraction(0), min(Fraction(last + 1), TimelinePlace.at(later(frames), rate).frames))

    return _Moment(moment, shutter)


@dataclass(frozen=True)
class Lost:
    """Source frames of one clip that a flattened nested timeline shows no more, of those that it showed."""

    clip_id: int
    name: str
    shown: int
    lost: int


def lost_by_flattening(book: TimelineResolver, timeline_id: int, event: Event) -> tuple[Lost, ...]:
    """What showing a nested timeline by its own frames only would lose, by clip: each timeline frame of the event is
    looked at both ways."""
    looking, seen = _Looking(book, WHOLE), dict[bool, dict[int, set[int]]]()
    names: dict[int, str] = {}
    for flattened in (False, True):
        found = seen.setdefault(flattened, {})
        one = replace(event, flattened=flattened)
        for frame in range(event.length):
            moment = _at(Fraction(event.record_in + frame))
            for part in _of_event(looking, timeline_id, one, moment, 1, ()):
                if part.clip_id is not None and part.event is not None:
                    names[part.clip_id] = part.event.name
                    found.setdefault(part.clip_id, set()).update(unit for unit, _ in part.weights.parts)
    return tuple(
        Lost(clip, names[clip], len(units), len(units - seen[True].get(clip, set())))
        for clip, units in seen[False].items()
    )


def contains(book: TimelineResolver, outer: int, inner: int) -> bool:
    """True where a timeline is, or somewhere holds, another: then it cannot be put into that one."""
    waiting, done = [outer], set()
    while waiting:
        one = waiting.pop()
        if one == inner:
            return True
        if one not in done:
            done.add(one)
            waiting += [event.timeline_id for event in book.event_list(one).events if event.timeline_id is not None]
    return False


def timeline_of(outer: int, seen: Seen) -> int:
    """The timeline that the event which uses the clip lies on, of a part that is seen on an outer one."""
    inner = seen.chain[-2].timeline_id if len(seen.chain) > 1 else outer
    assert inner is not None
    return inner
