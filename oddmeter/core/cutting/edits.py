"""Edits: each takes a cut and gives the cut that follows; nothing else in it changes, and nothing is written over.

For each edit a person says whether what follows moves along or lengths keep their place. What moves along are all
events, on every track, that begin at or behind the point of change; events of one group change together.
"""

from bisect import bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from itertools import accumulate

from oddmeter.core.cutting.events import Event, EventList, Track, TrackKind, frames_text, named
from oddmeter.core.cutting.listed import Marker, Transition
from oddmeter.core.cutting.windows import Window, at_speed, begun, begun_alike, length_over
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame

Windows = Callable[[Event], Window | None]
"""The window of an event, None where its source is missing."""


class Following(StrEnum):
    """What becomes of what follows: it moves along, or it keeps its place."""

    MOVES = "moves"
    STAYS = "stays"


class Edge(StrEnum):
    """An edge of an event."""

    HEAD = "head"
    TAIL = "tail"


def placed(
    event_list: EventList, events: Sequence[Event], at: int, following: Following = Following.STAYS
) -> EventList:
    """The cut with new events laid in, the first at a timeline frame and the others where they lie against it. What
    begins there or behind it moves along by their length; or they must fit where they are put."""
    if not events:
        return event_list
    first = min(event.record_in for event in events)
    length = max(event.stop for event in events) - first
    ids = {event.id: event_list.free_id - number for number, event in enumerate(events)}
    laid = [
        replace(event.moved(at - first), id=ids[event.id], group=ids.get(event.group) if event.group else None)
        for event in events
    ]
    if following is Following.MOVES:
        _none_across(event_list, at)
        event_list = _rippled(event_list, at, length)
    return event_list.with_events(laid)


def placed_beside(event_list: EventList, events: Iterable[Event], at: int) -> EventList:
    """The cut with new events from a timeline frame on, each on the lowest track of its kind that is free there;
    nothing moves."""
    for event in events:
        new = replace(event, id=event_list.free_id, record_in=at)
        event_list = event_list.with_events([on_free_track(event_list, new)])
    return event_list


def with_sound(event: Event, inner: EventList) -> tuple[Event, ...]:
    """The event of a nested timeline, and beside it that of its sound, where anything in it is heard: one group, on the
    lowest track that the timeline itself has for it."""
    tracks = [track for track in inner.by_track if track.kind is TrackKind.SOUND]
    if not tracks:
        return (event,)
    picture = replace(event, group=event.id)
    return picture, replace(picture, id=event.id - 1, track=min(tracks), transition=None)


def on_free_track(event_list: EventList, event: Event) -> Event:
    """The event on the lowest track of its kind, from its own up, where nothing lies in its place."""
    track, by_track = event.track, event_list.by_track
    while any(other.record_in < event.stop and other.stop > event.record_in for other in by_track.get(track, ())):
        track = replace(track, number=track.number + 1)
    return replace(event, track=track)


def in_order(events: Iterable[Event]) -> tuple[Event, ...]:
    """Events one after the other; those of one group begin together, and the longest of them counts."""
    out: list[Event] = []
    at, group, begins = 0, None, 0
    for event in events:
        if event.group is None or event.group != group:
            begins, group = at, event.group
        out.append(replace(event, record_in=begins))
        at = max(at, begins + event.length)
    return tuple(out)


def deleted(event_list: EventList, chosen: Iterable[int], following: Following = Following.STAYS) -> EventList:
    """The cut without some events; what follows each moves up to where it began, or the gap stays."""
    gone = event_list.together(event_list.event(other) for other in chosen)
    left = event_list.with_events((), [event.id for event in gone])
    if following is Following.STAYS:
        return left
    for begin, stop in reversed(_stretches(gone)):
        left = _rippled(left, stop, begin - stop)
    return left


def trimmed(
    event_list: EventList, event_id: int, edge: Edge, by: int, windows: Windows, following: Following = Following.STAYS
) -> EventList:
    """The cut with an edge of an event so many timeline frames later. Its other edge keeps its source frame. Where what
    follows moves along, a head keeps its place on the timeline, and the event grows or shrinks behind it."""
    group = event_list.together([event_list.event(event_id)])
    if edge is Edge.TAIL:
        changed = [replace(event, length=_length(event, event.length + by)) for event in group]
        return _longer(event_list, changed, group, by, following)
    changed = [_begun(replace(event, length=_length(event, event.length - by)), by, windows) for event in group]
    if following is Following.MOVES:
        return _longer(event_list, changed, group, -by, following)
    _check_start(min(event.record_in for event in group) + by)
    return event_list.with_events(event.moved(by) for event in changed)


def slipped(event_list: EventList, chosen: Iterable[int], by: Fraction, windows: Windows) -> EventList:
    """The cut with other source frames under the same places: so many frames of the source later."""
    changed = []
    for event in event_list.together(event_list.event(other) for other in chosen):
        window = windows(event)
        if not event.carries_source:
            continue
        if window is None or window.conformed.course is None:
            changed.append(replace(event, source_in=SourceFrame(event.source_in + by)))
            continue
        speed = window.speed_in * window.conformed.read_rate.value
        if speed == 0:
            raise RuleError(f"{named(event)} starts on a held frame and cannot be slipped there.", "slip")
        changed.append(replace(event, curve_offset=event.curve_offset + by / speed))
    return event_list.with_events(changed)


def slid(event_list: EventList, event_id: int, by: int, windows: Windows) -> EventList:
    """The cut with an event so many timeline frames later, and with its own source frames: neighbours that touch it
    give way on one side and fill up on the other."""
    group = event_list.together([event_list.event(event_id)])
    ids = {event.id for event in group}
    changed = {event.id: event.moved(by) for event in group}
    _check_start(min(event.record_in for event in group) + by)
    for event in group:
        before, after = event_list.before(event), event_list.after(event)
        if before is not None and before.id not in ids:
            changed[before.id] = replace(before, length=_length(before, before.length + by))
        if after is not None and after.id not in ids:
            shorter = replace(after, length=_length(after, after.length - by))
            changed[after.id] = _begun(shorter, by, windows).moved(by)
    return event_list.with_events(changed.values())


def moved(event_list: EventList, chosen: Iterable[int], by: int, track: Track | None = None) -> EventList:
    """The cut with some events so many timeline frames later, where there is room; one of them on another track."""
    some = event_list.together(event_list.event(event) for event in chosen)
    _check_start(min((event.record_in for event in some), default=0) + by)
    changed = [event.moved(by) for event in some]
    if track is not None:
        changed = [replace(event, track=track) if event.track.kind is track.kind else event for event in changed]
    return event_list.with_events(changed)


def split(event_list: EventList, event_id: int, after: int, windows: Windows) -> EventList:
    """The cut with an event parted after so many of its frames: the second part's first frame is the one that would
    have come next."""
    chosen = event_list.event(event_id)
    at = chosen.record_in + after
    group = [event for event in event_list.together([chosen]) if event.record_in < at < event.stop]
    if not 0 < after < chosen.length:
        raise RuleError(f"Split {named(chosen)} between its first and its last frame.", "split")
    for event in group:
        over = event.transition
        if over is not None and at - event.record_in < over.length:
            raise RuleError(f"The {over.kind} into {named(event)} is still running there. Split after it.", "split")
    free, second_group = event_list.free_id, None
    changed = []
    for number, event in enumerate(group):
        into = at - event.record_in
        rest = _begun(replace(event, length=event.length - into), into, windows).moved(into)
        second = replace(rest, id=free - number, transition=None)
        second_group = second.id if second_group is None and event.group is not None else second_group
        changed += [replace(event, length=into), replace(second, group=second_group)]
    return event_list.with_events(changed)


def refit(
    event_list: EventList, event_id: int, length: int, windows: Windows, following: Following = Following.STAYS
) -> EventList:
    """The cut with an event of another length that shows the same source range: its speed follows, exactly."""
    group = event_list.together([event_list.event(event_id)])
    changed = []
    for event in group:
        by = Fraction(event.length, _left(event, length))
        use = windows(event) if event.carries_source else None
        changed.append((at_speed(event, use, by) if use else event).of_length(length))
    return _longer(event_list, changed, group, length - group[0].length, following)


def respeeded(
    event_list: EventList, chosen: Iterable[int], decide: Callable[[Event], Event], windows: Windows,
    following: Following = Following.STAYS,
) -> EventList:  # fmt: skip
    """The cut with other decisions on some events, each of which keeps its source range: where its speed is another, so
    is its length, rounded up to full frames so that nothing is lost. Where lengths keep their place they stay as they
    are, and the source range follows from where it began, or, where the direction is another, from where it ended."""
    some = event_list.together(event_list.event(other) for other in chosen)
    decided = {event.id: _decided(event, decide(event), windows) for event in some}
    if following is Following.STAYS:
        return event_list.with_events(decided.values())
    lengths = {event.id: _length_over(event, decided[event.id], windows) for event in some}
    later: dict[int, int] = {}
    for event in some:  # what ends together, as picture and sound do, moves what follows once
        by = lengths[event.id] - event.length
        later[event.stop] = max(by, later[event.stop]) if event.stop in later else by
    ends = sorted(later)
    moved_by = [0, *accumulate(later[end] for end in ends)]

    def place(frame: int) -> int:
        return frame + moved_by[bisect_right(ends, frame)]

    kept = (
        decided[other.id].of_length(lengths[other.id]) if other.id in decided else other for other in event_list.events
    )
    events = tuple(replace(other, record_in=place(other.record_in)) for other in kept)
    markers = tuple(replace(marker, at=place(marker.at)) for marker in event_list.markers)
    return replace(event_list, events=events, markers=markers)


def filled(event_list: EventList, event_id: int, windows: Windows, *, by_speed: bool) -> EventList:
    """The cut with the gap behind an event filled exactly: by more of its source, or by the same at another speed."""
    event = event_list.event(event_id)
    begins = [stop for track, first, stop in event_list.gaps() if track == event.track and first == event.stop]
    if not begins:
        raise RuleError(f"There is no gap after {named(event)}.", "gap")
    length = begins[0] - event.record_in
    if by_speed:
        return refit(event_list, event_id, length, windows)
    return trimmed(event_list, event_id, Edge.TAIL, length - event.length, windows)


def closed(event_list: EventList) -> EventList:
    """The cut with its gaps closed where no track has anything: all that follows moves up."""
    at, gaps = 0, []
    for begin, stop in _stretches(event_list.events):
        if begin > at:
            gaps.append((at, begin))
        at = stop
    for begin, stop in reversed(gaps):
        _none_across(event_list, stop)
        event_list = _rippled(event_list, stop, begin - stop)
    return event_list


def marked(event_list: EventList, at: int, name: str | None) -> EventList:
    """The cut with a marker at a timeline frame, in place of those there; without a name they are taken away."""
    left = tuple(marker for marker in event_list.markers if marker.at != at)
    colour = next((marker.colour for marker in event_list.markers if marker.at == at), "")
    new = () if name is None else (Marker(at, name, colour),)
    return replace(event_list, markers=tuple(sorted((*left, *new), key=lambda event: event.at)))


def dissolved(event_list: EventList, chosen: Iterable[int], kind: str, length: int) -> EventList:
    """The cut with a transition into some events, as long as they are at the most; of no length it is taken away."""
    some = [event_list.event(event) for event in chosen]
    return event_list.with_events(
        replace(event, transition=Transition(kind, min(length, event.length)) if length > 0 else None) for event in some
    )


def unlinked(event_list: EventList, chosen: Iterable[int]) -> EventList:
    """The cut with picture and sound of some events no longer together."""
    some = event_list.together(event_list.event(event) for event in chosen)
    return event_list.with_events(replace(event, group=None) for event in some)


@dataclass(frozen=True)
class Effect:
    """What an edit does, computed before it is made: how far what lies on each track moves, in timeline frames, and for
    how many events; lengths that change; and events that run out, by how many frames, which did not before."""

    moves: tuple[tuple[Track, int, int], ...]
    lengths: tuple[tuple[Event, int, int], ...]
    added: int
    gone: int
    runs_out: tuple[tuple[Event, int], ...]


def effect(before: EventList, after: EventList, windows: Windows) -> Effect:
    """What becomes of one cut in the other."""
    moves: dict[tuple[Track, int], int] = {}
    lengths, runs_out = [], []
    for event in after.events:
        was = before.by_id.get(event.id)
        if was == event:
            continue
        if was is not None and was.record_in != event.record_in:
            key = event.track, event.record_in - was.record_in
            moves[key] = moves.get(key, 0) + 1
        if was is not None and was.length != event.length:
            lengths.append((event, was.length, event.length))
        same_run = was is not None and replace(was, record_in=event.record_in) == event
        if not same_run and (over := _overrun(event, windows)) > (_overrun(was, windows) if was else 0):
            runs_out.append((event, over))
    return Effect(
        tuple((track, by, count) for (track, by), count in sorted(moves.items())), tuple(lengths),
        len(after.by_id.keys() - before.by_id.keys()), len(before.by_id.keys() - after.by_id.keys()), tuple(runs_out),
    )  # fmt: skip


def _overrun(event: Event, windows: Windows) -> int:
    window = windows(event) if event.carries_source else None
    return window.overrun if window else 0


def _longer(
    event_list: EventList, changed: Sequence[Event], group: Sequence[Event], by: int, following: Following
) -> EventList:
    """The cut with changed events, whose end comes so many frames later: what follows moves, or must have room."""
    if following is Following.MOVES and by:
        ids = {event.id for event in group}
        event_list = _rippled(event_list, max(event.stop for event in group), by, ids)
    return event_list.with_events(changed)


def _rippled(event_list: EventList, at: int, by: int, but: set[int] | frozenset[int] = frozenset()) -> EventList:
    """Everything that begins at a frame or behind it, on every track, so many frames later, markers too. What lies
    across the frame on another track stays; where what follows would then lie over it, ``RuleError`` says so."""
    moving = [event for event in event_list.events if event.record_in >= at and event.id not in but]
    staying = [event for event in event_list.events if event.record_in < at and event.id not in but]
    if by < 0:
        for event in staying:
            close = [other for other in moving if other.track == event.track and other.record_in + by < event.stop]
            if close:
                over = frames_text(event.stop - min(other.record_in for other in close) - by)
                raise RuleError(
                    f"Later events on {event.track.name} would overlap {named(event)} by {over}.", "overlap"
                )
    changed = {event.id: event.moved(by) for event in moving}
    # Replaced all at once, so that none lies over another on the way.
    events = tuple(changed.get(event.id, event) for event in event_list.events if event.id not in but)
    markers = tuple(replace(marker, at=marker.at + by) if marker.at >= at else marker for marker in event_list.markers)
    return replace(event_list, events=events, markers=markers)


def _stretches(events: Iterable[Event]) -> list[tuple[int, int]]:
    """The timeline frames that events cover, in stretches."""
    out: list[tuple[int, int]] = []
    for event in sorted(events, key=lambda other: other.record_in):
        if out and event.record_in <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], event.stop))
        else:
            out.append((event.record_in, event.stop))
    return out


def _none_across(event_list: EventList, at: int) -> None:
    across = next((event for event in event_list.events if event.record_in < at < event.stop), None)
    if across is not None:
        raise RuleError(f"{named(across)} on {across.track.name} spans this point. Split it first.", "across")


def _begun(event: Event, by: int, windows: Windows) -> Event:
    """The event as it is so many timeline frames after its first moment; it begins there, place and length apart."""
    use = windows(event) if by and event.carries_source else None
    return event if use is None else begun(event, use, by)


def _decided(event: Event, decided: Event, windows: Windows) -> Event:
    was, now = windows(event), windows(decided)
    return decided if was is None or now is None else begun_alike(decided, was, now)


def _length_over(event: Event, decided: Event, windows: Windows) -> int:
    was, now = windows(event), windows(decided)
    return event.length if was is None or now is None else length_over(was, now)


def _length(event: Event, length: int) -> int:
    """The length, for an event that is cut short or longer; raises ``RuleError`` where that cannot be."""
    over = event.transition
    if over is not None and 1 <= length < over.length:
        short = f"shorter than its {over.kind} of {frames_text(over.length)}"
        raise RuleError(f"{named(event)} would be {short}. Shorten the transition first.", "transition")
    return _left(event, length)


def _left(event: Event, length: int) -> int:
    if length < 1:
        raise RuleError(f"Nothing of {named(event)} would be left. Delete it instead.", "length")
    return length


def _check_start(at: int) -> None:
    if at < 0:
        raise RuleError("Events cannot start before the timeline does.", "place")
