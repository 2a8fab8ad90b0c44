"""Writing OpenTimelineIO: a cut as a timeline that any reader of the format understands.

Places and speeds are floating numbers there; where these cannot hold what is exact, the fractions lie beside them under
our own key.
"""

import json
from fractions import Fraction
from typing import Any

import opentimelineio as otio

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind, is_sound_track
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.otio.reading import DISSOLVE, OWN

_REEL = "cmx_3600"
"""Where the library's own reader of edit decision lists keeps the reel."""


def write_otio(event_list: ListedTimeline) -> str:
    """The cut as an OpenTimelineIO document."""
    timeline = otio.schema.Timeline(name=event_list.name)
    timeline.global_start_time = otio.opentime.RationalTime(event_list.start, float(event_list.rate.value))
    timeline.tracks = _stack(event_list, event_list.rate)
    kept = json.loads(event_list.kept or "{}")
    _put(timeline, kept.get("metadata", {}))
    own: dict[str, object] = {"rate": event_list.rate.exact, "drop_frame": event_list.drop_frame}
    timeline.metadata[OWN] = own
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _stack(event_list: ListedTimeline, rate: Rate) -> otio.schema.Stack:
    stack = otio.schema.Stack(name=event_list.name)
    kept = json.loads(event_list.kept or "{}").get("tracks", {})
    for name in event_list.tracks:
        kind = otio.schema.TrackKind.Audio if is_sound_track(name) else otio.schema.TrackKind.Video
        track = otio.schema.Track(name=name, kind=kind)
        _put(track, kept.get(name, {}).get("metadata", {}))
        _fill(track, event_list.on(name), rate)
        stack.append(track)
    for marker in event_list.markers:
        where = otio.opentime.TimeRange(_frames(marker.at, rate), _frames(0, rate))
        stack.markers.append(otio.schema.Marker(marker.name, where, marker.colour.upper()))
    return stack


def _fill(track: otio.schema.Track, events: tuple[ListedEvent, ...], rate: Rate) -> None:
    at = 0
    for listed in events:
        event = listed.within(at, listed.stop, rate)  # what one before it lies over is left out
        if event is None:
            continue
        if event.record_in > at:
            track.append(_gap(event.record_in - at, rate))
        if event.transition is not None:
            track.append(_transition(event.transition.kind, event.transition.length, rate))
        track.append(_item(event, rate))
        at = event.stop


def _item(event: ListedEvent, rate: Rate) -> otio.core.Item:
    if event.kind is SourceKind.GAP:
        item: otio.core.Item = _gap(event.length, rate)
        item.name = event.name
        _put(item, json.loads(event.kept or "{}").get("metadata", {}))
        return item
    low = event.used(rate)[0] if event.reverse else event.source_in
    where = otio.opentime.TimeRange(_time(low.count, low.rate), _frames(event.length, rate))
    kept = json.loads(event.kept or "{}")
    if event.inside is not None:
        item = _stack(event.inside, event.inside.rate)
        item.name, item.source_range = event.name, where
    else:
        item = otio.schema.Clip(event.name, source_range=where)
        item.media_reference = _reference(event, kept.get("media"))
    _put(item, kept.get("metadata", {}))
    if event.reel and _REEL not in item.metadata:
        item.metadata[_REEL] = {"reel": event.reel}
    for effect in kept.get("effects", ()):
        item.effects.append(_read(effect))
    for marker in kept.get("markers", ()):
        item.markers.append(_read(marker))
    if event.freeze:
        item.effects.append(otio.schema.FreezeFrame())
    elif event.speed != 1 or event.reverse:
        item.effects.append(
            otio.schema.LinearTimeWarp(time_scalar=float(-event.speed if event.reverse else event.speed))
        )
    if own := _own(event):
        item.metadata[OWN] = own
    return item


def _own(event: ListedEvent) -> dict[str, object]:
    """What the format has no place for."""
    own: dict[str, object] = {}
    label = event.source_in
    if label.count.denominator != 1 or event.speed.denominator != 1 or event.reverse or event.curve:
        own = {
            "source_in": fraction_text(label.count), "source_rate": label.rate.exact,
            "speed": fraction_text(event.speed),
        }  # fmt: skip
    if event.curve:
        own["curve"] = event.curve
    if label.drop is not None:
        own["source_drop"] = label.drop
    if event.inside is not None:
        own |= {"rate": event.inside.rate.exact, "drop_frame": event.inside.drop_frame}
    return own


def _reference(event: ListedEvent, media: Any) -> otio.core.MediaReference:
    if media is not None:
        return _read(media)
    if event.kind is SourceKind.BLACK:
        return otio.schema.GeneratorReference(generator_kind="black")
    return otio.schema.ExternalReference(event.path) if event.path else otio.schema.MissingReference()


def _transition(kind: str, length: int, rate: Rate) -> otio.schema.Transition:
    named = {"dissolve": DISSOLVE, "wipe": "SMPTE_Wipe"}.get(kind, kind)
    return otio.schema.Transition(transition_type=named, in_offset=_frames(0, rate), out_offset=_frames(length, rate))


def _gap(length: int, rate: Rate) -> otio.schema.Gap:
    return otio.schema.Gap(source_range=otio.opentime.TimeRange(_frames(0, rate), _frames(length, rate)))


def _frames(count: int, rate: Rate) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(count, float(rate.value))


def _time(place: Fraction, rate: Rate) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(float(place), float(rate.value))


def _put(item: Any, metadata: dict[str, Any]) -> None:
    for key, value in metadata.items():
        item.metadata[key] = value


def _read(value: Any) -> Any:
    return otio.core.deserialize_json_from_string(json.dumps(value))
