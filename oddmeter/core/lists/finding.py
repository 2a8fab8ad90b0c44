"""Finding the clips that a list's events ask for: by path, by reel and timecode, and by name; and what is not found, or
found twice."""

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.cutting.events import Event, Track
from oddmeter.core.cutting.listed import ListedEvent, ListedSource, ListedTimeline, SourceKind
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting, Reading
from oddmeter.core.decisions.treatment import Intent, SoundChoice
from oddmeter.core.numbers.places import Label, SourceFrame
from oddmeter.core.numbers.rates import Rate
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
        for clip_id, clip in {**known, **proxies}.items():
            original = clip.clip.proxy_of or clip_id
            if original not in known:
                continue
            name = clip.clip.path.rpartition("/")[2]
            self._paths[name.casefold()].add(original)
            for known_as in {clip.clip.name, name, _stem(name)}:
                self._names[known_as.casefold()].add(original)
            for reel in {_stem(name), *(entry.reel for entry in clip.clip.entries)} - {""}:
                self._reels[_plain(reel)].add(original)

    def found(self, source: ListedSource, used: tuple[Label, Label]) -> Found:
        """The clips that fit what a list says of a source, of which it uses what lies between two labels; the surest
        way that finds any counts, and timecode decides where it can."""
        ways = (
            (FoundBy.PATH, self._by_path(source.path)), (FoundBy.NAME, self._names.get(source.name.casefold(), set())),
            (FoundBy.NAME, self._names.get(_stem(source.name).casefold(), set())),
            (FoundBy.REEL, self._reels.get(_plain(source.reel), set()) if source.reel else set()),
        )  # fmt: skip
        for by, fitting in ways:
            several = len(fitting) > 1
            containing = {clip_id for clip_id in fitting if self._holds(clip_id, used[0])} if several else fitting
            if clips := containing or fitting:
                return Found(tuple(sorted(clips)), by if len(clips) == 1 else FoundBy.SEVERAL)
        return Found((), FoundBy.NOTHING)

    def _by_path(self, path: str) -> set[int]:
        name = path.replace("\\", "/").rpartition("/")[2].casefold()
        if not name:
            return set()
        clips = self._paths.get(name, set())
        tail = path.replace("\\", "/").casefold()
        whole = {clip for clip in clips if tail.endswith(self.known[clip].clip.path.casefold())}
        return whole or clips

    def _holds(self, clip_id: int, label: Label) -> bool:
        labels = self.known[clip_id].labels
        return labels is not None and 0 <= labels.place_since_first(label) < labels.frames


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
        stated = json.loads(listed.curve)
        wish = IntentSetting(Intent.CURVE, curve=Curve.parse(stated["curve"]))
        event = replace(
            event, source_in=SourceFrame(Fraction(stated["enters"])), curve_offset=Fraction(stated["lead"]),
            decisions=replace(event.decisions, intent=wish, reverse=None),
        )  # fmt: skip
    return event if known is None or kind is SourceKind.BLACK else linked(event, known)


def linked(event: Event, known: KnownClip) -> Event:
    """The event with a clip as its source, at the place that its list names."""
    assert event.listed is not None
    said, labels = event.listed.source_in, known.labels
    place = labels.place(said) if labels else SourceFrame(said.count)
    wish = event.decisions.intent
    if wish is not None and wish.curve is not None and len(wish.curve.points) > 1:
        # A curve knows its own frames of the file.
        return replace(event, clip_id=known.clip.id)
    if wish is not None and wish.curve is not None:
        point = replace(wish.curve.points[0], frame=max(0, int(place)))
        frozen = IntentSetting(Intent.CURVE, curve=replace(wish.curve, points=(point,)))
        event = replace(event, decisions=replace(event.decisions, intent=frozen))
    return replace(event, clip_id=known.clip.id, source_in=place, curve_offset=Fraction(0))


def _speed_of(listed: ListedEvent) -> Decisions:
    """A list's speed counts source seconds: the clip is read at its file rate. A freeze is a picture that holds."""
    if listed.kind is SourceKind.BLACK:
        return Decisions()
    if listed.freeze:
        frozen = Curve.parse({"points": [{"frame": 0, "arrives": "0", "holds": 1}]})
        return Decisions(intent=IntentSetting(Intent.CURVE, curve=frozen), reading=Reading(), sound=SoundChoice.OFF)
    return Decisions(
        intent=IntentSetting(Intent.SPEED, listed.speed), reading=Reading(), reverse=True if listed.reverse else None
    )


def events_of(
    event_list: ListedTimeline, footage: Footage, by_hand: Mapping[int, int] | None = None
) -> tuple[tuple[Event, Found], ...]:
    """A list's events, gaps left, each with what was found for it; ``by_hand`` names clips for events by their number
    in the list. Picture and sound of one source that lie together are one group."""
    out: list[tuple[Event, Found]] = []
    groups: dict[tuple[object, ...], int] = {}
    for number, listed in enumerate(event_list.events):
        if listed.kind is SourceKind.GAP:
            continue
        found = Found((), FoundBy.NOTHING)
        if listed.kind is SourceKind.CLIP:
            chosen = (by_hand or {}).get(number)
            found = (
                Found((chosen,), FoundBy.HAND) if chosen else footage.found(listed.source, listed.used(event_list.rate))
            )
        known = footage.known.get(found.clip_id) if found.clip_id is not None else None
        event = event_of(listed, known, -1 - number)
        key = (listed.record_in, listed.length, listed.source, listed.speed, listed.reverse)
        if key in groups:
            group = groups[key]
            out = [(replace(event, group=group) if event.id == group else event, by) for event, by in out]
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
        clip = footage.found(event.listed, _used(event, event.listed.source_in, rate)).clip_id
        if clip is not None:
            out.append(linked(event, footage.known[clip]))
    return tuple(out)


def _used(event: Event, begins: Label, rate: Rate) -> tuple[Label, Label]:
    """The lowest and the highest label that an event without a clip runs through, at the speed that its list said."""
    asked = event.decisions.intent
    speed = (
        asked.value if asked is not None and asked.intent is Intent.SPEED and asked.value is not None else Fraction(1)
    )
    run = event.length / rate.value * begins.rate.value * speed
    return (begins.later(-run), begins) if event.decisions.reverse else (begins, begins.later(run))


def _plain(name: str) -> str:
    return "".join(sign for sign in name.casefold() if sign.isalnum())


def _stem(name: str) -> str:
    """A file's name without its ending."""
    return name.rpartition(".")[0] or name
