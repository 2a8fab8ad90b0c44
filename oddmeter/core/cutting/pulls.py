"""Pull lists: each range of a source that a cut needs, once, with handles."""

from collections import defaultdict
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, floor

from oddmeter.core.cutting.listed import ListedCut, ListedEvent, SourceKind
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import of_any_day


@dataclass(frozen=True)
class Pull:
    """Source frames ``first`` to ``stop − 1`` of one source, counted from timecode zero at ``rate``, handles within;
    ``events`` is how many events need them. ``drop_frame`` is how its timecode is counted."""

    name: str
    reel: str
    path: str
    rate: Rate
    first: int
    stop: int
    events: int
    drop_frame: bool = False

    @property
    def frames(self) -> int:
        """How many source frames."""
        return self.stop - self.first

    def timecode(self, frame: int) -> str:
        """The timecode of a source frame."""
        return str(of_any_day(frame, self.rate, self.drop_frame))


def pulls(cut: ListedCut, handles: int = 0) -> tuple[Pull, ...]:
    """What a cut needs of each source: ranges with so many source frames of handles either side, merged where they
    meet, in the order of sources' first use. Nested timelines are looked into; no handle reaches below timecode zero.
    """
    found: dict[tuple[str, ...], list[Pull]] = defaultdict(list)
    for event, rate, (low, high) in _uses(cut):
        first, stop = max(0, floor(low) - handles), max(floor(low) + 1, ceil(high)) + handles
        pull = Pull(event.name, event.reel, event.path, event.source_rate, first, stop, 1, cut.drops(event))
        found[event.reel.casefold(), event.path or event.name.casefold(), rate.exact].append(pull)
    return tuple(pull for same in found.values() for pull in _merged(same))


def _merged(same: list[Pull]) -> list[Pull]:
    out: list[Pull] = []
    for pull in sorted(same, key=lambda one: one.first):
        if out and pull.first <= out[-1].stop:
            last = out[-1]
            out[-1] = replace(last, stop=max(last.stop, pull.stop), events=last.events + 1)
        else:
            out.append(pull)
    return out


def _uses(cut: ListedCut) -> list[tuple[ListedEvent, Rate, tuple[Fraction, Fraction]]]:
    """Every use of a clip, also those in nested timelines, with the rate it is counted at and the places it needs."""
    out = []
    for event in cut.events:
        if event.kind is SourceKind.CLIP:
            out.append((event, event.source_rate, event.used(cut.rate)))
        elif event.inside is not None:
            # Of a nested timeline only what the event shows of it is needed.
            inner = event.inside.rate.value
            low, high = (place / event.source_rate.value * inner for place in event.used(cut.rate))
            out += _uses(_between(event.inside, floor(low), max(floor(low) + 1, ceil(high))))
    return out


def _between(cut: ListedCut, first: int, stop: int) -> ListedCut:
    """The part of a cut from one timeline frame to another."""
    parts = (event.within(first, stop, cut.rate) for event in cut.events)
    return replace(cut, events=tuple(part for part in parts if part is not None))
