"""Taking over the next version of a cut: its places and lengths; what was decided here stays where the source does."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from oddmeter.core.cutting.events import Cut, Event, Track
from oddmeter.core.cutting.finding import Found
from oddmeter.core.cutting.listed import ListedCut, ListedEvent, SourceKind
from oddmeter.core.cutting.versions import Compared, Fate, compared
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.clips import KnownClip


@dataclass(frozen=True)
class Takeover:
    """The next version of a timeline's events, and what became of each."""

    cut: Cut
    found: tuple[Compared, ...]

    def of(self, fate: Fate) -> tuple[Compared, ...]:
        """The events of one fate."""
        return tuple(one for one in self.found if one.fate is fate)


def taken_over(
    cut: Cut, told: ListedCut, new: ListedCut, found: tuple[tuple[Event, Found], ...], known: Mapping[int, KnownClip]
) -> Takeover:
    """A timeline with the next version of its list taken over. ``told`` are its events as a list, in order of time and
    track; ``found`` the events of the new list with their clips.

    An event that is kept or moved keeps all that was decided; one that is trimmed takes the new range; one that is
    retimed takes the list's speed as well. Raises ``RuleError`` where the rates differ.
    """
    if new.rate != cut.rate:
        raise RuleError(f"The list is at {new.rate}, this timeline at {cut.rate}; bring it in by itself.", "rate")
    ours = cut.in_time
    old_events = [_alike(event, listed, known) for event, listed in zip(ours, told.events, strict=True)]
    before = {id(one): event for one, event in zip(old_events, ours, strict=True)}
    listed = [one for one in new.events if one.kind is not SourceKind.GAP]
    new_events = [_alike(event, one, known) for (event, _), one in zip(found, listed, strict=True)]
    after = {id(one): event for one, (event, _) in zip(new_events, found, strict=True)}
    versions = compared(replace(told, events=tuple(old_events)), replace(new, events=tuple(new_events)))
    kept: list[Event] = []
    free = cut.free_id
    for number, one in enumerate(versions):
        if one.now is None:
            continue
        coming = after[id(one.now)]
        if one.was is None:
            kept.append(replace(coming, id=free - number, group=None))
            continue
        kept.append(_next(before[id(one.was)], coming, one))
    return Takeover(Cut(cut.rate, laid_out(kept)), versions)


def _next(event: Event, coming: Event, one: Compared) -> Event:
    """What an event becomes."""
    placed = replace(
        event, record_in=coming.record_in, length=coming.length, track=coming.track, transition=coming.transition,
        listed=coming.listed or event.listed,
    )  # fmt: skip
    if one.fate in (Fate.KEPT, Fate.MOVED):
        return replace(placed, length=event.length)
    ranged = replace(placed, source_in=coming.source_in, lead=coming.lead)
    if one.fate is Fate.TRIMMED:
        return ranged
    wish, reverse = coming.decisions.intent, coming.decisions.reverse
    return replace(ranged, decisions=replace(event.decisions, intent=wish, reverse=reverse))


def _alike(event: Event, listed: ListedEvent, known: Mapping[int, KnownClip]) -> ListedEvent:
    """A listed event told by its clip and by places in its file, so that both versions speak of the same."""
    clip = known.get(event.clip_id) if event.clip_id is not None else None
    if clip is None or clip.material is None:
        return replace(listed, track=event.track.name)
    return replace(
        listed, name=clip.clip.name, reel=f"clip {clip.clip.id}", path="", source_rate=clip.material.file_rate,
        source_in=event.source_in, track=event.track.name,
    )  # fmt: skip


def laid_out(events: list[Event]) -> tuple[Event, ...]:
    """Events on their tracks; where a list lays one over another, that goes onto a track above."""
    taken: dict[Track, int] = {}
    out = []
    for event in sorted(events, key=lambda one: one.record_in):
        track = event.track
        while taken.get(track, 0) > event.record_in:
            track = replace(track, number=track.number + 1)
        taken[track] = event.stop
        out.append(replace(event, track=track))
    return tuple(out)
