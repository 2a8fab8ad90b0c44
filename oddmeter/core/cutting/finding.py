"""Finding the clips that a list's events ask for: by path, by reel and timecode, and by name; and what is not found, or
found twice."""

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from math import floor

from oddmeter.core.cutting.events import Event, Track
from oddmeter.core.cutting.listed import ListedCut, ListedEvent, ListedSource, SourceKind, recounted
from oddmeter.core.cutting.windows import own_place
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Reading, Wish
from oddmeter.core.decisions.treatment import Intent, SoundChoice
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop, carried_over, frames_in_day, of_any_day
from oddmeter.core.planning.clips import KnownClip


class FoundBy(StrEnum):
    """What an event's clip was found by; ``several`` and ``nothing`` are to be settled by hand."""

    PATH = "path"
    REEL = "reel and timecode"
    NAME = "name"
    HAND = "by hand"
    SEVERAL = "several"
    NOTHING = "nothing"


@dataclass(frozen=True)
class Found:
    """The clips that fit an event, and by what they were found; settled where it is one."""

    clips: tuple[int, ...]
    by: FoundBy

    @property
    def clip_id(self) -> int | None:
        """The clip, where there is one and no more."""
        return self.clips[0] if len(self.clips) == 1 else None


class Footage:
    """The clips of a show as lists ask for them. A proxy leads to its original."""

    def __init__(self, known: Mapping[int, KnownClip], proxies: Mapping[int, KnownClip]) -> None:
        self.known = known
        self._paths: dict[str, set[int]] = defaultdict(set)
        self._names: dict[str, set[int]] = defaultdict(set)
        self._reels: dict[str, set[int]] = defaultdict(set)
        for clip_id, one in {**known, **proxies}.items():
            original = one.clip.proxy_of or clip_id
            if original not in known:
                continue
            name = one.clip.path.rpartition("/")[2]
            self._paths[name.casefold()].add(original)
            for told in {one.clip.name, name, _stem(name)}:
                self._names[told.casefold()].add(original)
            for reel in {_stem(name), *(entry.reel for entry in one.clip.entries)} - {""}:
                self._reels[_plain(reel)].add(original)

    def found(self, source: ListedSource, used: tuple[Fraction, Fraction]) -> Found:
        """The clips that fit what a list says of a source, of which it uses places in frames from timecode zero; the
        surest way that finds any counts, and timecode decides where it can."""
        ways = (
            (FoundBy.PATH, self._by_path(source.path)), (FoundBy.NAME, self._names.get(source.name.casefold(), set())),
            (FoundBy.NAME, self._names.get(_stem(source.name).casefold(), set())),
            (FoundBy.REEL, self._reels.get(_plain(source.reel), set()) if source.reel else set()),
        )  # fmt: skip
        for by, fitting in ways:
            several = len(fitting) > 1
            held = {one for one in fitting if self._holds(one, source, used)} if several else fitting
            if clips := held or fitting:
                return Found(tuple(sorted(clips)), by if len(clips) == 1 else FoundBy.SEVERAL)
        return Found((), FoundBy.NOTHING)

    def _by_path(self, path: str) -> set[int]:
        name = path.replace("\\", "/").rpartition("/")[2].casefold()
        if not name:
            return set()
        clips = self._paths.get(name, set())
        tail = path.replace("\\", "/").casefold()
        whole = {one for one in clips if tail.endswith(self.known[one].clip.path.casefold())}
        return whole or clips

    def _holds(self, clip_id: int, source: ListedSource, used: tuple[Fraction, Fraction]) -> bool:
        material = self.known[clip_id].material
        if material is None:
            return False
        return 0 <= _since_start(self.known[clip_id], replace(source, source_in=used[0])) < material.frames


def place_in_file(known: KnownClip, source: ListedSource) -> Fraction:
    """A list's in point as a place in frames of the file. Timecode counts from the file's first frame; where the file
    has none, or the place would lie before it, and within its length from zero, the list counts from its beginning."""
    if known.material is None:
        return source.source_in
    counted = _place(known, recounted(source.source_in, source.rate, label_rate(known)))
    since = _since_start(known, source)
    return counted if since < 0 <= counted < known.material.frames else since


def _since_start(known: KnownClip, source: ListedSource) -> Fraction:
    """A list's place in frames from the first of a file, by the numbers of its timecode, which may run on through
    midnight."""
    assert known.material is not None
    first, place = known.facts.first_timecode if known.facts else None, source.source_in
    if first is not None and source.drop_frame not in (None, first.drop) and can_drop(source.rate):
        whole = floor(place)
        place += carried_over(of_any_day(whole, source.rate, not first.drop), source.rate, first.drop).frames - whole
    since = recounted(place, source.rate, label_rate(known)) - (first.frames if first else 0)
    if since < 0 and first is not None:
        next_day = _place(known, since + frames_in_day(first.rate, first.drop))
        return next_day if next_day < known.material.frames else _place(known, since)
    return _place(known, since)


def label_rate(known: KnownClip) -> Rate:
    """The rate at which a clip's timecode counts."""
    assert known.material is not None
    return (known.facts.label_rate if known.facts else None) or known.material.file_rate


def _place(known: KnownClip, labels: Fraction) -> Fraction:
    """The place in frames of a file so many labels of its timecode behind its first; labels come evenly, also where
    frames do not."""
    assert known.material is not None
    return labels if known.material.clock is None else own_place(known.material, labels / label_rate(known).value)


def event_of(listed: ListedEvent, known: KnownClip | None, event_id: int) -> Event:
    """A list's event as one of ours: of a clip that was found, with the list's speed as its own decision; or of none
    yet."""
    kind = SourceKind.BLACK if listed.kind is SourceKind.BLACK else SourceKind.CLIP
    event = Event(
        event_id, Track.named(listed.track), kind, listed.record_in, listed.length, transition=listed.transition,
        name=listed.name or listed.reel or kind.value, decisions=_speed_of(listed),
        listed=listed.source if kind is SourceKind.CLIP else None,
    )  # fmt: skip
    if listed.curve:
        told = json.loads(listed.curve)
        wish = Wish(Intent.CURVE, curve=Curve.parse(told["curve"]))
        event = replace(
            event, source_in=Fraction(told["enters"]), lead=Fraction(told["lead"]),
            decisions=replace(event.decisions, intent=wish, reverse=None),
        )  # fmt: skip
    return event if known is None or kind is SourceKind.BLACK else linked(event, known)


def linked(event: Event, known: KnownClip) -> Event:
    """The event with a clip as its source, at the place that its list names."""
    assert event.listed is not None
    place = place_in_file(known, event.listed)
    wish = event.decisions.intent
    if wish is not None and wish.curve is not None and len(wish.curve.points) > 1:
        # A curve knows its own frames of the file.
        return replace(event, clip_id=known.clip.id)
    if wish is not None and wish.curve is not None:
        point = replace(wish.curve.points[0], frame=max(0, int(place)))
        held = Wish(Intent.CURVE, curve=replace(wish.curve, points=(point,)))
        event = replace(event, decisions=replace(event.decisions, intent=held))
    return replace(event, clip_id=known.clip.id, source_in=place, lead=Fraction(0))


def _speed_of(listed: ListedEvent) -> Decisions:
    """A list's speed counts source seconds: the clip is read at its file rate. A freeze is a picture that holds."""
    if listed.kind is SourceKind.BLACK:
        return Decisions()
    if listed.freeze:
        held = Curve.parse({"points": [{"frame": 0, "arrives": "0", "holds": 1}]})
        return Decisions(intent=Wish(Intent.CURVE, curve=held), reading=Reading(), sound=SoundChoice.OFF)
    return Decisions(
        intent=Wish(Intent.SPEED, listed.speed), reading=Reading(), reverse=True if listed.reverse else None
    )


def events_of(
    cut: ListedCut, footage: Footage, by_hand: Mapping[int, int] | None = None
) -> tuple[tuple[Event, Found], ...]:
    """A list's events, gaps left, each with what was found for it; ``by_hand`` names clips for events by their number
    in the list. Picture and sound of one source that lie together are one group."""
    out: list[tuple[Event, Found]] = []
    groups: dict[tuple[object, ...], int] = {}
    for number, listed in enumerate(cut.events):
        if listed.kind is SourceKind.GAP:
            continue
        found = Found((), FoundBy.NOTHING)
        if listed.kind is SourceKind.CLIP:
            chosen = (by_hand or {}).get(number)
            found = Found((chosen,), FoundBy.HAND) if chosen else footage.found(listed.source, listed.used(cut.rate))
        known = footage.known.get(found.clip_id) if found.clip_id is not None else None
        event = event_of(listed, known, -1 - number)
        key = (listed.record_in, listed.length, listed.source, listed.speed, listed.reverse)
        if key in groups:
            group = groups[key]
            out = [(replace(one, group=group) if one.id == group else one, by) for one, by in out]
            event = replace(event, group=group)
        elif listed.kind is SourceKind.CLIP:
            groups[key] = event.id
        out.append((event, found))
    return tuple(out)


def found_again(events: Iterable[Event], footage: Footage, rate: Rate) -> tuple[Event, ...]:
    """Of a list's events without a clip those that one is found for by now, with it; ``rate`` is the timeline's."""
    out = []
    for event in events:
        if event.clip_id is not None or event.listed is None:
            continue
        seconds = event.length / rate.value
        used = event.listed.source_in, event.listed.source_in + seconds * event.listed.rate.value
        clip = footage.found(event.listed, used).clip_id
        if clip is not None:
            out.append(linked(event, footage.known[clip]))
    return tuple(out)


def _plain(name: str) -> str:
    return "".join(one for one in name.casefold() if one.isalnum())


def _stem(name: str) -> str:
    """A file's name without its ending."""
    return name.rpartition(".")[0] or name
