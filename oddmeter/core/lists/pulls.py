"""Pull lists: each range of a source that a cut needs, once, with handles."""

from collections import defaultdict
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, floor

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind
from oddmeter.core.numbers.places import Label, TimelinePlace


@dataclass(frozen=True)
class Pull:
    """Source frames ``first`` to ``stop − 1`` of one source, by its timecode, handles within; ``events`` is how many
    events need them."""

    name: str
    reel: str
    path: str
    first: Label
    stop: Label
    events: int

    @property
    def frames(self) -> int:
        """How many source frames."""
        return int(self.stop.count - self.first.count)


def pulls(event_list: ListedTimeline, handles: int = 0) -> tuple[Pull, ...]:
    """What a cut needs of each source: ranges with so many source frames of handles either side, merged where they
    meet, in the order of sources' first use. Nested timelines are looked into; no handle reaches below timecode zero.
    """
    found: dict[tuple[str, ...], list[Pull]] = defaultdict(list)
    for event, (low, high) in _uses(event_list):
        begin, end = floor(low.count), max(floor(low.count) + 1, ceil(high.count))
        first, stop = (
            Label(Fraction(at), low.rate, event_list.drops(event)) for at in (max(0, begin - handles), end + handles)
        )
        pull = Pull(event.name, event.reel, event.path, first, stop, 1)
        found[event.reel.casefold(), event.path or event.name.casefold(), low.rate.exact].append(pull)
    return tuple(pull for same in found.values() for pull in _merged(same))


def _merged(same: list[Pull]) -> list[Pull]:
    out: list[Pull] = []
    for pull in sorted(same, key=lambda pull: pull.first.count):
        if out and pull.first.count <= out[-1].stop.count:
            last = out[-1]
            stop = max(last.stop, pull.stop, key=lambda label: label.count)
            out[-1] = replace(last, stop=stop, events=last.events + 1)
        else:
            out.append(pull)
    return out


def _uses(event_list: ListedTimeline) -> list[tuple[ListedEvent, tuple[Label, Label]]]:
    """Every use of a clip, also those in nested timelines, with the labels between which it needs it."""
    out = []
    for event in event_list.events:
        if event.kind is SourceKind.CLIP:
            out.append((event, event.used(event_list.rate)))
        elif event.inside is not None:
            # Of a nested timeline only what the event shows of it is needed.
            low, high = (
                TimelinePlace.at(place.since_zero, event.inside.rate).frames for place in event.used(event_list.rate)
            )
            out += _uses(_between(event.inside, floor(low), max(floor(low) + 1, ceil(high))))
    return out


def _between(event_list: ListedTimeline, first: int, stop: int) -> ListedTimeline:
    """The part of a cut from one timeline frame to another."""
    parts = (event.within(first, stop, event_list.rate) for event in event_list.events)
    return replace(event_list, events=tuple(part for part in parts if part is not None))
