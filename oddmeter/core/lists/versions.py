"""Two versions of a cut: what became of each event, found by source and content, not by number; and taking over the
next one, where what was decided here stays where the source does.

Events that lie on the same track and show the same source are matched: those that are the same in all but their place
first, then those that share the most of their source, then those that lie nearest. What is left of the old is gone,
what is left of the new is new.
"""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.cutting.events import Event, EventList, Track
from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind
from oddmeter.core.lists.finding import Found
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import TimelinePlace
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import KnownClip


class ChangeKind(StrEnum):
    """What became of an event: ``moved`` only in its place, ``trimmed`` in its in or out point, ``retimed`` in its
    speed; a trim that is also a move is a trim, any of them with another speed a retime. What is less than a frame,
    at the in point or by the end, is no difference: a list cannot say it."""

    KEPT = "kept"
    MOVED = "moved"
    TRIMMED = "trimmed"
    RETIMED = "retimed"
    NEW = "new"
    GONE = "gone"


@dataclass(frozen=True)
class Compared:
    """What became of one event: as it was, None where it is new; as it is, None where it is gone."""

    fate: ChangeKind
    was: ListedEvent | None
    now: ListedEvent | None

    @property
    def made_again(self) -> bool:
        """True where what was made of it no longer is what the cut shows."""
        return self.fate in (ChangeKind.TRIMMED, ChangeKind.RETIMED, ChangeKind.NEW)

    @property
    def event(self) -> ListedEvent:
        """The event as it is, or was."""
        found = self.now or self.was
        assert found is not None
        return found


@dataclass(frozen=True)
class _Side:
    """One version: its rate, and the timeline frame, from its start, that both begin to count at."""

    rate: Rate
    zero: int = 0

    def at(self, event: ListedEvent) -> Fraction:
        """The second at which an event begins."""
        return TimelinePlace(Fraction(event.record_in - self.zero), self.rate).seconds

    def used(self, event: ListedEvent) -> tuple[Fraction, Fraction]:
        """Source seconds that it runs through."""
        low, high = event.used(self.rate)
        return low.since_zero, high.since_zero

    def length(self, event: ListedEvent) -> Fraction:
        return event.length / self.rate.value

    def whole(self, event: ListedEvent) -> object:
        """All of an event: its content and its place."""
        return self.content(event), self.at(event)

    def content(self, event: ListedEvent) -> object:
        """All but its place."""
        return event.track, event.source_in.since_zero, self.length(event), event.speed, event.reverse

    def begins(self, event: ListedEvent) -> object:
        """Where it begins in its source."""
        return event.track, event.source_in.since_zero


def compared(old: ListedTimeline, new: ListedTimeline) -> tuple[Compared, ...]:
    """Each event of both cuts once, in the order of the new cut; those that are gone where they were.

    Lengths at different rates are held together in seconds. Places are held together by timecode, or from the start of
    each where more events stay in place so. Gaps are no events.
    """
    by_timecode = Fraction(old.start) / old.rate.value - Fraction(new.start) / new.rate.value
    found = _compared(old, new, _Side(old.rate), _Side(new.rate))
    if by_timecode and abs(by_timecode) < _SAME_HOUR:
        other = _compared(old, new, _Side(old.rate), _Side(new.rate, round(by_timecode * new.rate.value)))
        if _in_place(other) >= _in_place(found):
            return other
    return found


_SAME_HOUR = 3600
"""Seconds; cuts that start further apart are not counted by one clock."""


def _in_place(found: tuple[Compared, ...]) -> int:
    return sum(change.fate is ChangeKind.KEPT for change in found)


def _compared(old: ListedTimeline, new: ListedTimeline, before: _Side, after: _Side) -> tuple[Compared, ...]:
    out: list[Compared] = []
    olds, news = _by_source(old), _by_source(new)
    for source in dict.fromkeys([*olds, *news]):
        pairs, gone, added = _matched(olds.get(source, []), news.get(source, []), before, after)
        out += [Compared(_fate(was, now, before, after), was, now) for was, now in pairs]
        out += [Compared(ChangeKind.NEW, None, now) for now in added]
        out += [Compared(ChangeKind.GONE, was, None) for was in gone]
    return tuple(sorted(out, key=lambda change: (_place(change, before, after), change.event.track)))


def _place(one: Compared, before: _Side, after: _Side) -> Fraction:
    return after.at(one.now) if one.now else before.at(one.event)


def _by_source(event_list: ListedTimeline) -> dict[tuple[str, ...], list[ListedEvent]]:
    out: dict[tuple[str, ...], list[ListedEvent]] = defaultdict(list)
    for event in event_list.events:
        if event.kind is not SourceKind.GAP:
            out[_source(event)].append(event)
    return out


def _source(event: ListedEvent) -> tuple[str, ...]:
    """What an event shows: its reel with its name, or its name alone where reels are not distinguished."""
    track, reel = "sound" if event.is_sound else "picture", event.reel.casefold()
    if event.kind is not SourceKind.CLIP:
        return track, event.kind, event.name.casefold()
    if reel and reel != "ax":
        return track, "reel", reel, event.name.casefold()
    return track, "name", (event.name or event.path.rpartition("/")[2]).casefold()


Pairs = list[tuple[ListedEvent, ListedEvent]]
Left = list[ListedEvent]


def _matched(olds: Left, news: Left, before: _Side, after: _Side) -> tuple[Pairs, Left, Left]:
    """Pairs of one source, the surest first, and what is left of both."""
    pairs: Pairs = []
    ways = ((before.whole, after.whole), (before.content, after.content), (before.begins, after.begins))
    for of_old, of_new in ways:
        known: dict[object, Left] = defaultdict(list)
        for was in olds:
            known[of_old(was)].append(was)
        rest = []
        for now in news:
            if same := known.get(of_new(now)):
                nearest = min(same, key=lambda was: abs(before.at(was) - after.at(now)))
                same.remove(nearest)
                pairs.append((nearest, now))
            else:
                rest.append(now)
        olds, news = [item for left in known.values() for item in left], rest
    shared = _sharing(olds, news, before, after)
    pairs += [(olds[j], news[i]) for i, j in shared.items()]
    found = set(shared.values())
    gone = [old for j, old in enumerate(olds) if j not in found]
    return pairs, gone, [new for i, new in enumerate(news) if i not in shared]


def _sharing(olds: Left, news: Left, before: _Side, after: _Side) -> dict[int, int]:
    """New events by the old one with which each shares most of its source; those that share most are taken first."""
    in_turn = sorted(range(len(olds)), key=lambda j: before.used(olds[j])[0])
    shares: list[tuple[Fraction, Fraction, int, int]] = []
    running: list[int] = []
    at = 0
    for i in sorted(range(len(news)), key=lambda i: after.used(news[i])[0]):
        begin, end = after.used(news[i])
        while at < len(in_turn) and before.used(olds[in_turn[at]])[0] < end:
            running.append(in_turn[at])
            at += 1
        running = [j for j in running if before.used(olds[j])[1] > begin]
        for j in running:
            low, high = before.used(olds[j])
            if (both := min(end, high) - max(begin, low)) > 0:
                shares.append((-both, abs(before.at(olds[j]) - after.at(news[i])), i, j))
    out: dict[int, int] = {}
    taken: set[int] = set()
    for _, _, i, j in sorted(shares):
        if i not in out and j not in taken:
            out[i] = j
            taken.add(j)
    return out


def _fate(was: ListedEvent, now: ListedEvent, before: _Side, after: _Side) -> ChangeKind:
    frame = 1 / min(was.source_in.rate.value, now.source_in.rate.value, before.rate.value, after.rate.value)
    runs_off = abs(was.speed - now.speed) * min(before.length(was), after.length(now))
    if was.reverse != now.reverse or runs_off >= frame:
        return ChangeKind.RETIMED
    # A list can only say full frames.
    begins_off = abs(was.source_in.since_zero - now.source_in.since_zero)
    cut_alike = begins_off < frame and before.length(was) == after.length(now)
    if not cut_alike or was.transition != now.transition:
        return ChangeKind.TRIMMED
    return ChangeKind.KEPT if (was.track, before.at(was)) == (now.track, after.at(now)) else ChangeKind.MOVED


@dataclass(frozen=True)
class Takeover:
    """The next version of a timeline's events, and what became of each."""

    event_list: EventList
    found: tuple[Compared, ...]

    def of(self, fate: ChangeKind) -> tuple[Compared, ...]:
        """The events of one fate."""
        return tuple(change for change in self.found if change.fate is fate)


def taken_over(
    event_list: EventList,
    listing: ListedTimeline,
    new: ListedTimeline,
    found: tuple[tuple[Event, Found], ...],
    known: Mapping[int, KnownClip],
) -> Takeover:
    """A timeline with the next version of its list taken over. ``listing`` are its events as a list, in order of time
    and track; ``found`` the events of the new list with their clips.

    The new list's markers take the place of those that are there, where it has any. An event that is kept or moved
    keeps all that was decided; one that is trimmed takes the new range; one that is retimed takes the list's speed
    as well. Raises ``RuleError`` where the rates differ.
    """
    if new.rate != event_list.rate:
        raise RuleError(
            f"The list is at {new.rate} and this timeline at {event_list.rate}. "
            "Import the list as a timeline of its own.",
            "rate",
        )
    ours = event_list.in_time
    old_events = [_alike(event, listed, known) for event, listed in zip(ours, listing.events, strict=True)]
    before = {id(old): event for old, event in zip(old_events, ours, strict=True)}
    listed = [coming for coming in new.events if coming.kind is not SourceKind.GAP]
    new_events = [_alike(event, coming, known) for (event, _), coming in zip(found, listed, strict=True)]
    after = {id(coming): event for coming, (event, _) in zip(new_events, found, strict=True)}
    versions = compared(replace(listing, events=tuple(old_events)), replace(new, events=tuple(new_events)))
    kept: list[Event] = []
    free = event_list.free_id
    for number, version in enumerate(versions):
        if version.now is None:
            continue
        coming = after[id(version.now)]
        if version.was is None:
            kept.append(replace(coming, id=free - number, group=None))
            continue
        kept.append(_next(before[id(version.was)], coming, version))
    return Takeover(EventList(event_list.rate, laid_out(kept), new.markers or event_list.markers), versions)


def _next(event: Event, coming: Event, one: Compared) -> Event:
    """What an event becomes."""
    placed = replace(
        event, record_in=coming.record_in, length=coming.length, track=coming.track, transition=coming.transition,
        listed=coming.listed or event.listed,
    )  # fmt: skip
    if one.fate in (ChangeKind.KEPT, ChangeKind.MOVED):
        return replace(placed, length=event.length)
    ranged = replace(placed, source_in=coming.source_in, curve_offset=coming.curve_offset)
    if one.fate is ChangeKind.TRIMMED:
        return ranged
    wish, reverse = coming.decisions.intent, coming.decisions.reverse
    return replace(ranged, decisions=replace(event.decisions, intent=wish, reverse=reverse))


def _alike(event: Event, listed: ListedEvent, known: Mapping[int, KnownClip]) -> ListedEvent:
    """A listed event identified by its clip and by the label of its place there, so that both versions speak of the
    same."""
    clip = known.get(event.clip_id) if event.clip_id is not None else None
    labels = clip.labels if clip is not None else None
    if clip is None or labels is None:
        return replace(listed, track=event.track.name)
    return replace(
        listed, name=clip.clip.name, reel=f"clip {clip.clip.id}", path="",
        source_in=labels.label(event.source_in), track=event.track.name,
    )  # fmt: skip


def laid_out(events: list[Event]) -> tuple[Event, ...]:
    """Events on their tracks; where a list lays one over another, that goes onto a track above."""
    taken: dict[Track, int] = {}
    out = []
    for event in sorted(events, key=lambda other: other.record_in):
        track = event.track
        while taken.get(track, 0) > event.record_in:
            track = replace(track, number=track.number + 1)
        taken[track] = event.stop
        out.append(replace(event, track=track))
    return tuple(out)
