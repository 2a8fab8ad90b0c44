"""Blocks of sound: decoded frames as arrays and back, and the place in samples at which each of them lies.

Samples stand packed, one of each channel after the other: of frames with more than seven planes the library shows no
more than eight.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import InputContainer

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.sound_times import BACK, SoundTimes
from oddmeter.media.files.opened import pictures_in, sounds_in

Samples = npt.NDArray[Any]
"""Shape (channels, samples)."""
BLOCK = 1024
PACKED = {"flt": np.float32, "s32": np.int32}
"""Formats in which samples are worked on."""
LOOSE = Fraction(1, 50)
"""Seconds by which a block may lie off where those before it put it; beyond, it lies where its own time says."""
_AT_ONCE = 1 << 16
_TICK = Fraction(1, 200)
"""Seconds by which a coarse time may be early."""
_USUAL = {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}


def usual_layout(channels: int) -> str:
    """The layout that so many channels usually have; of more than eight, channels without a place."""
    return _USUAL.get(channels, f"{channels} channels")


def named_layout(stream: AudioStream) -> str:
    """The stream's layout of channels; the usual one for their number where the file names none."""
    name = stream.layout.name
    return usual_layout(stream.channels) if name.endswith("channels") or "(" in name else name


def sound_of(container: InputContainer, path: Path, place: int) -> AudioStream:
    """The sound stream at a place among those that can be decoded; raises ``RuleError`` where there is none."""
    streams = sounds_in(container)
    if place >= len(streams):
        raise RuleError(f"{path.name} contains no sound that can be decoded.", "media")
    return streams[place]


def picture_start(container: InputContainer) -> Fraction:
    """What the header of a file says of the time of its first picture, in seconds; of one that holds sound only, of its
    first sample."""
    video = pictures_in(container)
    if video is None:
        first = next(iter(sounds_in(container)), None)
        return Fraction(first.start_time or 0) * (first.time_base or 1) if first else Fraction(0)
    return Fraction(video.start_time or 0) * (video.time_base or 1)


def framed_sound(samples: Samples, sample_format: str, layout: str, rate: int, at: int) -> AudioFrame:
    """Samples, shape (channels, samples), as a frame of a packed format, the first of them at a place in samples."""
    packed: npt.NDArray[Any] = np.ascontiguousarray(samples.T, PACKED[sample_format]).reshape(1, -1)
    frame = AudioFrame.from_ndarray(packed, format=sample_format, layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
    return frame


def array_of(frame: AudioFrame) -> Samples:
    """The samples of a frame of a packed format, shape (channels, samples)."""
    return frame.to_ndarray().reshape(frame.samples, -1).T


def decoded(container: InputContainer, stream: AudioStream) -> Iterator[AudioFrame]:
    """The frames of a stream from where the file stands, as far as it can be read; a packet that cannot be decoded
    gives none."""
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets, None)
        except (av.error.FFmpegError, ValueError):
            return
        if packet is None:
            return
        try:
            frames = packet.decode()
        except (av.error.FFmpegError, ValueError):
            continue
        yield from (frame for frame in frames if isinstance(frame, AudioFrame))


def silence(channels: int, count: int, sample_format: str) -> Iterator[Samples]:
    """So many samples of silence, some at a time."""
    for start in range(0, count, _AT_ONCE):
        yield np.zeros((channels, min(_AT_ONCE, count - start)), PACKED[sample_format])


@dataclass(frozen=True)
class Placed:
    """Samples that lie at a place, counted in samples; before ``free`` they are not heard, since others are."""

    at: int
    free: int
    samples: Samples


class Placing:
    """Where the frames of a stream lie, in samples counted from its zero, and their samples in one format, layout and
    rate, those that its header names: what comes in others, from the start or from somewhere on, is brought into them.

    A frame lies where its own time says where a run begins, and wherever it would else be off by more than ``LOOSE``;
    otherwise it follows on. ``rate`` is how many samples come in a second of the file.
    """

    def __init__(self, container: InputContainer, stream: AudioStream, times: SoundTimes, sample_format: str) -> None:
        self.times, self.zero = times, picture_start(container) if times.zero is None else times.zero
        self.rate = times.rate or Fraction(stream.rate)
        self.channels = stream.channels
        self._wanted = (sample_format, named_layout(stream), stream.rate)
        self._take, self._last = 0, Fraction(0)

    def is_other(self, frame: AudioFrame) -> bool:
        """True of a frame in another layout or rate than the header names."""
        return (frame.layout.nb_channels, frame.sample_rate) != (self.channels, self._wanted[2])

    def own_place(self, frame: AudioFrame) -> int | None:
        """Where the time of a frame alone puts it; None where it has none."""
        if frame.pts is None:
            return None
        seconds = frame.pts * Fraction(frame.time_base or 1)
        if moved := self.times.moved:
            self._take += seconds < self._last - BACK
            self._last, seconds = seconds, seconds + moved[min(self._take, len(moved) - 1)]
        return round((seconds - self.zero) * self.rate)

    def run_of(self, place: int) -> int:
        """The number of the run that a frame belongs to whose own time puts it there."""
        return self.times.run_at(place / self.rate + _TICK)

    def begins(self, run: int) -> int:
        """The place at which a run begins."""
        return round(self.times.runs[run].begins * self.rate)

    def free(self, run: int, at: int) -> int:
        """The place from which a run is heard; ``at`` where nothing lies before it."""
        free = self.times.free_from(run)
        return at if free is None else round(free * self.rate)

    def placed(self, frames: Iterable[AudioFrame], first: int | None = None) -> Iterator[Placed]:
        """The samples of frames that follow each other in the file, the first of them at ``first`` where that is
        given."""
        nominal, last, came = self._wanted[2], _Stretch(), None
        expected, run = first, -1
        for frame in frames:
            own = self.own_place(frame)
            here = run if own is None else self.run_of(own)
            at = own if own is not None else expected or 0
            kind = (frame.format.name, frame.layout.name, frame.sample_rate)
            if expected is not None and run in (here, -1) and came in (kind, None):
                at = self._following(expected, at, frame.samples)
            if at != expected or kind != came or last.resampler is None:
                yield from last.ended()
                last, came = _Stretch(AudioResampler(*self._wanted), at, self.free(max(0, here), at)), kind
            yield from last.of(frame)
            run = here
            expected = at + (frame.samples * nominal + frame.sample_rate // 2) // frame.sample_rate
        yield from last.ended()

    def _following(self, expected: int, own: int, step: int) -> int:
        """Where a frame of a run lies that should follow on: there, or so many frames later as cannot be decoded, or
        where its own time says."""
        if abs(own - expected) <= LOOSE * self.rate:
            return expected
        whole = expected + round(Fraction(own - expected, step)) * step if step else own
        return whole if abs(whole - own) <= _TICK * self.rate else own


@dataclass
class _Stretch:
    """Frames that follow on each other in one format, on their way through a resampler."""

    resampler: AudioResampler | None = None
    at: int = 0
    free: int = 0

    def of(self, frame: AudioFrame | None) -> Iterator[Placed]:
        for made in filter(None, self.resampler.resample(frame) if self.resampler is not None else ()):
            yield Placed(self.at, self.free, array_of(made))
            self.at += made.samples

    def ended(self) -> Iterator[Placed]:
        yield from self.of(None)


def in_turn(
    container: InputContainer, stream: AudioStream, times: SoundTimes, sample_format: str, first: int
) -> Iterator[Samples]:
    """The samples of a file that was just opened in turn, from one on, with silence where there are none: shape
    (channels, some)."""
    at, placing = first, Placing(container, stream, times, sample_format)
    for block in placing.placed(decoded(container, stream)):
        cut = max(0, max(at, block.free) - block.at)
        if cut < block.samples.shape[1]:
            yield from silence(placing.channels, block.at + cut - at, sample_format)
            yield block.samples[:, cut:]
            at = block.at + block.samples.shape[1]
