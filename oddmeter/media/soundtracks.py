"""The sound of timelines: events laid where they are heard, nested timelines mixed first, music under its clip."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, floor
from pathlib import Path

from oddmeter.core.cutting.events import Event, EventList, TrackKind
from oddmeter.core.cutting.ranges import RenderRange
from oddmeter.core.cutting.windows import Window
from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.evidence.identity import Identity
from oddmeter.media.sound.mixing import Laid, Mix, NestedSound
from oddmeter.media.sound.planned import music_of, sounds_of
from oddmeter.media.sound.track import SoundTrack

_FEWEST, _MOST = 2, 24
"""Channels of a mix."""
_AROUND = 2
"""Seconds of a nested timeline on either side of what an event takes of it: other speeds read around each place."""


@dataclass(frozen=True)
class Footage:
    """A clip that a timeline uses: its file, what was found out about it, and frames that begin a shot."""

    path: Path
    facts: Facts
    cuts: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Music:
    """A file of music, and what identified it when it was looked at."""

    path: Path
    known: Identity | None


def mix_of(render_range: RenderRange, footage: Mapping[int, Footage], music: Mapping[tuple[str, str], Music]) -> Mix:
    """All that is heard of a render range, at unity and at its timeline's samples a second. ``footage`` are its clips,
    ``music`` the files of music by root and path; what is not among them is silent."""
    rate = render_range.settings.rate.value
    first, stop = render_range.first / rate, render_range.stop / rate
    return _Mixing(render_range, footage, music).of(render_range.timeline_id, first, stop)


@dataclass(frozen=True)
class _Mixing:
    render_range: RenderRange
    footage: Mapping[int, Footage]
    music: Mapping[tuple[str, str], Music]

    @property
    def rate(self) -> int:
        return self.render_range.settings.sound_rate

    def of(self, timeline_id: int, first: Fraction, stop: Fraction) -> Mix:
        """The sounds of a timeline between two of its seconds."""
        begins, length = round(first * self.rate), round(stop * self.rate) - round(first * self.rate)
        laid = [
            replace(sound, at=sound.at - begins) for sound in (*self._sounds(timeline_id), *self._music(timeline_id))
            if sound.at < begins + length and sound.stop > begins
        ]  # fmt: skip
        most = max((sound.track.layout[1] for sound in laid), default=_FEWEST)
        return Mix(tuple(laid), self.rate, length, min(_MOST, max(_FEWEST, most)))

    def _sounds(self, timeline_id: int) -> Iterator[Laid]:
        """Every sound event where it is heard; in a dissolve what goes out is heard on under what comes in."""
        event_list = self.render_range.cuts[timeline_id]
        for event, window in self.render_range.uses(TrackKind.SOUND, timeline_id):
            after = event_list.after(event)
            falls = after.dissolves_over if after is not None else 0
            longer = self.render_range.window(timeline_id, replace(event, length=event.length + falls))
            at, rises, low = (
                self._samples(frames, event_list) for frames in (event.record_in, event.dissolves_over, falls)
            )
            for track in self._tracks(event, longer or window):
                yield Laid(track, at, rises, low)

    def _music(self, timeline_id: int) -> Iterator[Laid]:
        """The music beside each clip, under its picture."""
        for event, window in self.render_range.uses(TrackKind.PICTURE, timeline_id):
            asked = window.conformed.treatment.music
            if asked and (music := self.music.get((asked.root, asked.path))) is not None:
                track = music_of(music.path, window.as_conform, self.rate)
                yield Laid(track, self._samples(event.record_in, self.render_range.cuts[timeline_id]))

    def _tracks(self, event: Event, window: Window) -> tuple[SoundTrack, ...]:
        if event.timeline_id is not None:
            event_list = self.render_range.cuts[event.timeline_id]
            used = (place / event_list.rate.value for place in window.used)
            first, stop = floor(next(used)) - _AROUND, ceil(next(used)) + _AROUND
            first, stop = max(0, first), min(stop, ceil(event_list.length / event_list.rate.value))
            inner = self.of(event.timeline_id, Fraction(first), Fraction(max(first, stop)))
            whole = Sound(self.rate, inner.channels, event_list.length / event_list.rate.value)
            plans = sounds_of(Path(), (whole,), window.as_conform, self.rate)
            return tuple(NestedSound(inner, first * self.rate, plan) for plan in plans if inner.laid)
        footage = self.footage.get(event.clip_id) if event.clip_id is not None else None
        if footage is None:
            return ()
        return sounds_of(footage.path, footage.facts.sounds, window.as_conform, self.rate)

    def _samples(self, frames: int, event_list: EventList) -> int:
        return round(frames / event_list.rate.value * self.rate)
