"""Mixing: sounds laid on a timeline added up at unity, to the sample.

Each keeps its own level. A sound of one channel is heard from the first two; of several, each from the channel of its
number. What adds up to more than full is cut off.
"""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame

from oddmeter.media.sound.blocks import BLOCK, array_of, usual_layout
from oddmeter.media.sound.track import Read, SoundPlan, SoundTrack, framed, held, in_blocks, made_frames

Samples = npt.NDArray[np.float32]
_AT_ONCE = 16 * BLOCK


@dataclass(frozen=True)
class Laid:
    """A sound on a timeline: its first sample lies at sample ``at`` of the mix, which may be before its first. Over its
    first ``rises`` and its last ``falls`` samples its level goes evenly from silence and to it."""

    track: SoundTrack
    at: int
    rises: int = 0
    falls: int = 0

    @property
    def stop(self) -> int:
        """The sample of the mix after its last."""
        return self.at + self.track.samples

    def level(self, first: int, count: int) -> npt.NDArray[np.float32] | None:
        """Its level over samples of its own, counted from its first; None where it is unity throughout."""
        places = np.arange(first, first + count) + 0.5
        left = self.track.samples - places
        if first >= self.rises and left[-1] >= self.falls:
            return None
        up = places / self.rises if self.rises else np.ones(count)
        down = left / self.falls if self.falls else np.ones(count)
        return np.clip(np.minimum(up, down), 0, 1).astype(np.float32)


@dataclass(frozen=True)
class Mix(SoundTrack):
    """Sounds added up: ``length`` samples at ``rate``, of ``channels`` channels, two or more."""

    laid: tuple[Laid, ...]
    rate: int
    length: int
    channels: int = 2
    name: str = "mix"

    @property
    def samples(self) -> int:
        """Length in samples."""
        return self.length

    @property
    def layout(self) -> tuple[str, int]:
        """The usual one of its channels."""
        return usual_layout(self.channels), self.channels

    @property
    def paths(self) -> frozenset[Path]:
        """The files that are heard, in nested mixes too."""
        tracks = [sound.track for sound in self.laid]
        inner = [track.inner.paths for track in tracks if isinstance(track, NestedSound)]
        return frozenset(track.path for track in tracks if isinstance(track, SoundPlan)).union(*inner)

    def blocks(self, first: int = 0, stop: int | None = None) -> Iterator[Samples]:
        """The added samples in turn, shape (channels, some), as they are before anything is cut off."""
        stop = self.length if stop is None else min(stop, self.length)
        waiting = sorted((sound for sound in self.laid if sound.stop > first), key=lambda sound: -sound.at)
        running: list[_Running] = []
        for low in range(first, stop, _AT_ONCE):
            high = min(stop, low + _AT_ONCE)
            while waiting and waiting[-1].at < high:
                running.append(_Running(waiting.pop()))
            out = np.zeros((self.channels, high - low), np.float32)
            for sound in running:
                sound.add_to(out, low)
            running = [sound for sound in running if sound.laid.stop > high]
            yield out

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """The mix, cut off where it is louder than full."""
        parts = (np.clip(block, -1, 1) for block in self.blocks())
        return framed(in_blocks(parts, self.length), "flt", sample_format, self.layout[0], self.rate)


@dataclass(frozen=True)
class NestedSound(SoundTrack):
    """The mix of a nested timeline as an event plays it: ``plan`` says how, in seconds of that timeline, from whose
    sample ``begins`` on the ``inner`` mix is there."""

    inner: Mix
    begins: int
    plan: SoundPlan

    @property
    def rate(self) -> int:  # type: ignore[override]
        """Samples per second of the plan."""
        return self.plan.rate

    @property
    def name(self) -> str:  # type: ignore[override]
        """That of the mix."""
        return self.inner.name

    @property
    def samples(self) -> int:
        """That of the plan."""
        return self.plan.samples

    @property
    def layout(self) -> tuple[str, int]:
        """That of the mix."""
        return self.inner.layout

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """Made from the mix, which is held meanwhile."""
        with held(self.inner.blocks(), self.inner.channels) as read:
            yield from made_frames(self.plan, sample_format, self.layout[0], self.source_of(read))

    def source_of(self, read: Read) -> Read:
        """The samples of the nested timeline as the plan counts them, of those of the mix."""
        to = round(self.plan.start * self.plan.source_rate) - self.begins
        return lambda low, high: read(low + to, high + to)


def add(out: Samples, laid: Laid, samples: Samples, first: int, low: int) -> None:
    """Add samples of a sound, from its own ``first`` on, to a part of a mix that begins at sample ``low`` of it."""
    if not samples.shape[1]:
        return
    if (level := laid.level(first, samples.shape[1])) is not None:
        samples = samples * level
    here = out[:, first + laid.at - low :][:, : samples.shape[1]]
    if len(samples) == 1:
        here[:2] += samples
    else:
        here[: len(samples)] += samples[: len(out)]


class _Running:
    """A sound while it is heard: read in turn, never twice."""

    def __init__(self, laid: Laid) -> None:
        self.laid = laid
        self._frames = laid.track.frames("flt")
        self._rest: Samples | None = None
        self._at = 0

    def add_to(self, out: Samples, low: int) -> None:
        """Add what lies in samples ``low`` and on of the mix."""
        first = max(0, low - self.laid.at)
        stop = min(self.laid.track.samples, low + out.shape[1] - self.laid.at)
        if first >= stop:
            return
        add(out, self.laid, self._read(first, stop), first, low)

    def _read(self, first: int, stop: int) -> Samples:
        pending = [] if self._rest is None else [self._rest]
        begin = self._at
        have = sum(part.shape[1] for part in pending)
        while begin + have < stop:
            frame = None
            with suppress(StopIteration):
                frame = next(self._frames)
            if frame is None:
                break
            samples = np.asarray(array_of(frame), np.float32)
            if begin + have + samples.shape[1] <= first:
                begin, pending, have = begin + have + samples.shape[1], [], 0
                continue
            pending.append(samples)
            have += samples.shape[1]
        if not pending:
            return np.zeros((1, 0), np.float32)
        whole = np.concatenate(pending, axis=1)
        self._rest, self._at = whole[:, stop - begin :], min(stop, begin + whole.shape[1])
        return whole[:, first - begin : stop - begin]
