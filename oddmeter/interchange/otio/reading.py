"""Reading OpenTimelineIO: tracks, gaps, nested stacks, transitions, speeds and markers as a cut.

A transition lies over a cut point; here it belongs to the event that comes in, which then begins with it.
"""

import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from math import isfinite
from typing import Any

import opentimelineio as otio

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, Marker, Note, SourceKind, Transition
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop

OWN = "odd_meter"
"""The key under which what only Odd Meter reads lies in metadata."""
DISSOLVE = "SMPTE_Dissolve"
_DEEPEST = 64
_MOST_ITEMS = 200_000
_DEEPEST_TEXT = 1_000
"""Brackets of a document that stand open at the same time: the library's parser goes down by itself for each, and has
no floor."""
_PIECES = re.compile(r'"(?:[^"\\]|\\.)*+(?:"|\\?\Z)|[\[{]|[\]}]', re.DOTALL)


def read_otio(text: str, rate: Rate | None = None, drop_frame: bool = False, name: str = "") -> ListedTimeline:
    """The cut in an OpenTimelineIO document; ``rate`` in place of the one that it says itself. Raises ``RuleError``
    where it is none, or holds no timeline."""
    _insist_on_depth(text)
    try:
        found = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises whatever its parser meets
        lines = str(error).strip().splitlines()
        raise RuleError(
            f"This is not an OpenTimelineIO file: {(lines or ['it cannot be read'])[-1]}", "list"
        ) from error
    timeline = _timeline(found)
    start = timeline.global_start_time
    own = _own(timeline)
    at = rate or (Rate.exactly(own["rate"]) if "rate" in own else None) or _rate_of(timeline)
    drop = can_drop(at) and (drop_frame or bool(own.get("drop_frame")))
    begins = 0 if start is None else round(_value(start) * at.value / Fraction(_rate(start).value))
    reading = _Reading(at, drop)
    event_list = reading.stack(timeline.tracks, timeline.name or name, 0)
    return replace(event_list, start=begins, notes=tuple(reading.notes), kept=_kept(timeline))


def _insist_on_depth(text: str) -> None:
    deep = 0
    for piece in _PIECES.finditer(text):
        deep += {"[": 1, "{": 1, "]": -1, "}": -1}.get(piece[0], 0)
        if deep > _DEEPEST_TEXT:
            raise RuleError(
                f"This file is nested more than {_DEEPEST_TEXT} levels deep, which is not supported.", "list"
            )


def _timeline(found: Any) -> otio.schema.Timeline:
    if isinstance(found, otio.schema.SerializableCollection):
        found = next((item for item in found if isinstance(item, otio.schema.Timeline)), None)
    if isinstance(found, otio.schema.Track | otio.schema.Stack):
        tracks = found if isinstance(found, otio.schema.Stack) else otio.schema.Stack(children=[found])
        out = otio.schema.Timeline(name=found.name)
        out.tracks = tracks
        return out
    if not isinstance(found, otio.schema.Timeline):
        raise RuleError("This OpenTimelineIO file contains no timeline.", "list")
    return found


def _rate_of(timeline: otio.schema.Timeline) -> Rate:
    """The rate of the start, or else the one at which most items of its first track are counted."""
    if timeline.global_start_time is not None:
        return _rate(timeline.global_start_time)
    for track in sorted(timeline.tracks, key=lambda other: other.kind == otio.schema.TrackKind.Audio):
        ranges = [item.source_range or _available(item) for item in track if isinstance(item, otio.core.Item)]
        rates = [_rate(span.duration) for span in ranges if span is not None and span.duration.rate > 0]
        if rates:
            return max(rates, key=rates.count)
    raise RuleError("This timeline does not state its rate. Enter it.", "rate")


class _Reading:
    def __init__(self, rate: Rate, drop: bool) -> None:
        self.rate, self.drop = rate, drop
        self.notes: list[Note] = []
        self.items = 0

    def stack(self, stack: otio.schema.Stack, name: str, deep: int) -> ListedTimeline:
        """All tracks of a stack; children that are no tracks are tracks of one item."""
        if deep > _DEEPEST:
            raise RuleError(f"Timelines are nested more than {_DEEPEST} levels deep.", "list")
        events: list[ListedEvent] = []
        kept: dict[str, Any] = {}
        counts = {"V": 0, "A": 0}
        for child in stack:
            is_track = isinstance(child, otio.schema.Track)
            sound = is_track and child.kind == otio.schema.TrackKind.Audio
            letter = "A" if sound else "V"
            counts[letter] += 1
            track = _track_name(child.name if is_track else "", letter, counts[letter], kept)
            kept[track] = {"name": child.name, "metadata": _plain(child.metadata)} if is_track else {}
            events += self._track(child if is_track else [child], track, deep)
        markers = [self._marker(marker) for marker in stack.markers]
        ordered = sorted(events, key=lambda event: (event.record_in, event.is_sound))
        return ListedTimeline(
            name, self.rate, self.drop, 0, tuple(ordered), (), tuple(markers), json.dumps({"tracks": kept})
        )  # fmt: skip

    def _track(self, children: Iterable[Any], track: str, deep: int) -> Iterator[ListedEvent]:
        origin = _origin(children) * self.rate.value
        at, waiting = Fraction(0), None
        out: list[ListedEvent] = []
        for child in children:
            self.items += 1
            if self.items > _MOST_ITEMS:
                raise RuleError(f"Timelines of more than {_MOST_ITEMS} items are not supported.", "list")
            if isinstance(child, otio.schema.Transition):
                waiting = child
                continue
            where = _range(child)
            lasts = where.seconds * self.rate.value
            begin, end = round(at - origin), round(at + lasts - origin)
            at += lasts
            if end <= begin:
                self._note(f"“{child.name}” on {track} is shorter than a frame; it is left out.")
                waiting = None
                continue
            event = self._event(child, where, track, begin, end - begin, deep)
            if waiting is not None:
                event = self._coming_in(event, waiting, out)
            out.append(event)
            waiting = None
        if waiting is not None:
            self._note(f"The transition at the end of {track} leads to nothing; it is left out.")
        yield from out

    def _event(self, item: Any, where: "_Range", track: str, begin: int, length: int, deep: int) -> ListedEvent:
        speed, reverse = self._speed(item, track)
        rate, own = where.rate, _own(item)
        source_in = where.start
        if reverse:
            source_in += where.seconds * rate.value * speed
        if "source_in" in own and "source_rate" in own:
            # What was written here before is exact; the library's numbers are not.
            exact, counted = Fraction(own["source_in"]), Rate.exactly(own["source_rate"])
            if abs(exact / counted.value - source_in / rate.value) * counted.value < Fraction(1, 100):
                source_in, rate = exact, counted
        if "speed" in own and abs(Fraction(own["speed"]) - speed) < Fraction(1, 10_000):
            speed = Fraction(own["speed"])
        event = ListedEvent(
            track, SourceKind.CLIP, begin, length, item.name or "",
            source_in=Label(source_in, rate, bool(own["source_drop"]) if "source_drop" in own else None),
            speed=speed, reverse=reverse, kept=_kept(item), curve=str(own.get("curve", "")),
        )  # fmt: skip
        if isinstance(item, otio.schema.Gap):
            return replace(
                event, kind=SourceKind.GAP, source_in=Label(Fraction(0), rate), speed=Fraction(1), reverse=False
            )
        if isinstance(item, otio.schema.Stack | otio.schema.Track):
            stack = item if isinstance(item, otio.schema.Stack) else otio.schema.Stack(children=[item.deepcopy()])
            inner = _Reading(Rate.exactly(own["rate"]) if "rate" in own else self.rate, self.drop)
            inner.drop = can_drop(inner.rate) and bool(own.get("drop_frame", self.drop))
            inner.items, inner.notes = self.items, self.notes
            inside = inner.stack(stack, item.name or "", deep + 1)
            self.items = inner.items
            return replace(event, kind=SourceKind.TIMELINE, inside=inside)
        reference = item.media_reference
        if isinstance(reference, otio.schema.GeneratorReference) and "black" in reference.generator_kind.lower():
            return replace(event, kind=SourceKind.BLACK, speed=Fraction(1), reverse=False)
        path = getattr(reference, "target_url", None) or getattr(reference, "target_url_base", None) or ""
        return replace(event, path=path, reel=_reel(item))

    def _speed(self, item: Any, track: str) -> tuple[Fraction, bool]:
        speed = Fraction(1)
        for effect in item.effects:
            if isinstance(effect, otio.schema.LinearTimeWarp):
                speed *= 0 if isinstance(effect, otio.schema.FreezeFrame) else _exact(effect.time_scalar)
            elif isinstance(effect, otio.schema.TimeEffect):
                self._note(f"“{item.name}” on {track} has a change of speed that cannot be read; it travels along.")
        return abs(speed), speed < 0

    def _coming_in(self, event: ListedEvent, transition: otio.schema.Transition, out: list[ListedEvent]) -> ListedEvent:
        before, after = (self._frames(offset) for offset in (transition.in_offset, transition.out_offset))
        before = min(before, out[-1].length - 1) if out else 0
        kind = _kind_of(transition)
        if before and event.kind in (SourceKind.CLIP, SourceKind.TIMELINE):
            event = replace(event, source_in=event.source_in.later(-event.stride(self.rate) * before))
        event = replace(event, record_in=event.record_in - before, length=event.length + before)
        if out and before:
            out[-1] = replace(out[-1], length=out[-1].length - before)
        length = min(before + after, event.length)
        return replace(event, transition=Transition(kind, length)) if length else event

    def _frames(self, time: otio.opentime.RationalTime) -> int:
        return round(_value(time) * self.rate.value / _rate(time).value)

    def _marker(self, marker: otio.schema.Marker) -> Marker:
        at = self._frames(marker.marked_range.start_time)
        return Marker(at, marker.name or "", (marker.color or "").lower())

    def _note(self, text: str) -> None:
        self.notes.append(Note(text))


@dataclass(frozen=True)
class _Range:
    """What an item takes of its source: from a place, in its frames at ``rate``, for ``seconds`` on the timeline."""

    start: Fraction
    rate: Rate
    seconds: Fraction


def _range(item: Any) -> _Range:
    where = item.source_range or _available(item)
    if where is None:
        raise RuleError(f"“{item.name}” has neither a source range nor a length.", "list")
    available = _available(item)
    start, duration = where.start_time, where.duration
    rate = _rate(available.start_time if available is not None and available.start_time.rate > 0 else start)
    seconds = _value(duration) / _rate(duration).value
    if seconds < 0:
        raise RuleError(f"“{item.name}” has a negative length.", "list")
    return _Range(_value(start) * rate.value / _rate(start).value, rate, seconds)


def _available(item: Any) -> otio.opentime.TimeRange | None:
    try:
        return item.available_range()
    except Exception:  # the library's own words for “there is none” differ by kind of item
        return None


def _origin(children: Any) -> Fraction:
    """Seconds by which a track's content begins before the track's zero."""
    where = getattr(children, "source_range", None)
    return Fraction(0) if where is None else _value(where.start_time) / _rate(where.start_time).value


def _track_name(name: str, letter: str, number: int, taken: dict[str, Any]) -> str:
    """A track's own name where that shows its kind and is free; else V, A1, V2 and so on."""
    plain = f"{letter}{number}" if letter == "A" or number > 1 else letter
    own = (name or "").strip()
    good = own[:1].upper() == letter if letter == "A" else own[:1].upper() != "A"
    return own if own and good and own not in taken else plain


def _kind_of(transition: otio.schema.Transition) -> str:
    kind = transition.transition_type or ""
    if kind == DISSOLVE:
        return "dissolve"
    return "wipe" if "wipe" in kind.lower() else kind.lower() or "dissolve"


def _reel(item: Any) -> str:
    for metadata in (item.metadata, getattr(item.media_reference, "metadata", None) or {}):
        for value in (metadata, *(part for part in metadata.values() if hasattr(part, "get"))):
            if isinstance(reel := value.get("reel"), str):
                return reel
    return ""


def _own(item: Any) -> dict[str, Any]:
    own = item.metadata.get(OWN)
    return dict(own) if own is not None and hasattr(own, "keys") else {}


def _kept(item: Any) -> str:
    """What is not read here, as JSON: metadata, the media reference, and effects that change no speed."""
    kept: dict[str, Any] = {"metadata": _plain(item.metadata)}
    reference = getattr(item, "media_reference", None)
    if reference is not None:
        kept["media"] = json.loads(reference.to_json_string(indent=-1))
    effects = [effect for effect in getattr(item, "effects", ()) if not isinstance(effect, otio.schema.LinearTimeWarp)]
    if effects:
        kept["effects"] = [json.loads(effect.to_json_string(indent=-1)) for effect in effects]
    if isinstance(item, otio.core.Item) and item.markers:
        kept["markers"] = [json.loads(marker.to_json_string(indent=-1)) for marker in item.markers]
    return json.dumps(kept)


def _plain(metadata: Any) -> Any:
    return json.loads(otio.core.serialize_json_to_string(metadata, indent=-1))


def _value(time: otio.opentime.RationalTime) -> Fraction:
    return _exact(time.value)


def _rate(time: otio.opentime.RationalTime) -> Rate:
    return Rate.snap(_exact(time.rate))


def _exact(value: float) -> Fraction:
    """The simplest fraction that a floating number stands for, as near as it can tell."""
    if not isfinite(value):
        raise RuleError("This file contains a value that is not a number.", "list")
    return Fraction(value).limit_denominator(1_000_000)
