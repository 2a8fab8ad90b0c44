"""The sound of a made file: kept as it is, at another speed with its pitch, or at its own; to the exact length of the
picture in samples."""

import os
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from itertools import chain
from pathlib import Path
from tempfile import TemporaryFile

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.sound_times import FOLLOWING, SoundTimes
from oddmeter.media.files.opened import opened
from oddmeter.media.sound.along import SoundCourse, at_own_pitch, followed
from oddmeter.media.sound.blocks import (
    BLOCK,
    PACKED,
    Samples,
    array_of,
    framed_sound,
    in_turn,
    named_layout,
    silence,
    sound_of,
)
from oddmeter.media.sound.pitch import resampled, stretched

PART_SECONDS = 10
"""Sound that is changed is made in parts of so many seconds, each by itself, so that any can be had without those
before it."""
Read = Callable[[int, int], npt.NDArray[np.float32]]
"""The samples of the source from one number up to another, counted from where a plan starts; silence where there are
none. Shape (channels, samples)."""


class SoundTrack(ABC):
    """One stream of sound in a made file: its samples a second, and what it is called there."""

    rate: int
    name: str

    @property
    @abstractmethod
    def samples(self) -> int:
        """How many samples it has."""

    @property
    @abstractmethod
    def layout(self) -> tuple[str, int]:
        """Its layout of channels, and their number; raises ``RuleError`` where it cannot be decoded."""

    @abstractmethod
    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """The sound in turn, in frames of at most ``BLOCK`` samples in that format, which carry their place as
        ``pts``."""


@dataclass(frozen=True)
class SoundPlan(SoundTrack):
    """What becomes of the sound of a file: of the stream at a ``place`` among those that can be decoded.

    ``start`` and ``seconds`` are the part of it that is used, counted from the first picture, ``length`` the seconds
    it fills; it runs ``factor`` times as fast. There are round(length · ``rate``) samples. ``keeps_pitch`` where it is
    stretched instead of resampled; ``backwards`` where it runs from its end. Where its speed changes, ``course`` says
    how, in place of the factor. Over the last ``fade`` seconds it becomes silent. ``times`` are what the blocks of the
    stream say of themselves.
    """

    path: Path
    factor: Fraction
    start: Fraction
    seconds: Fraction
    length: Fraction
    rate: int
    source_rate: int | Fraction
    keeps_pitch: bool = False
    backwards: bool = False
    course: SoundCourse | None = None
    place: int = 0
    name: str = ""
    fade: Fraction = Fraction(0)
    times: SoundTimes = FOLLOWING

    @property
    def samples(self) -> int:
        """How many samples the made sound has."""
        return round(self.length * self.rate)

    @property
    def layout(self) -> tuple[str, int]:
        """Layout name and channel count of the stream."""
        with opened(self.path) as container:
            stream = sound_of(container, self.path, self.place)
            return named_layout(stream), stream.channels

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """The made sound."""
        if self.is_kept:
            return kept_sound(self.path, sample_format, self.length, self.start, self.place, self.times)
        return _changed_sound(self, sample_format)

    @property
    def parts(self) -> int:
        """In how many parts it is made."""
        return -(-self.samples // (PART_SECONDS * self.rate))

    def seconds_at(self, moments: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """The seconds of the file, from its first picture, that are heard at moments of the timeline."""
        if self.course is not None:
            return self.course.seconds(moments)
        run = moments * float(self.factor)
        return float(self.start + self.seconds) - run if self.backwards else float(self.start) + run

    @property
    def is_kept(self) -> bool:
        """True where every sample stays what it is."""
        return self.is_unchanged and self.fade == 0

    @property
    def is_unchanged(self) -> bool:
        """True where the samples are those of the file, but for a fade."""
        same = self.course is None and self.factor == 1 and self.rate == self.source_rate
        return same and not self.backwards


def _changed_sound(plan: SoundPlan, sample_format: str) -> Iterator[AudioFrame]:
    layout, channels = plan.layout
    frames = kept_sound(plan.path, "flt", plan.seconds, plan.start, plan.place, plan.times)
    with held((array_of(frame) for frame in frames), channels) as read:
        yield from made_frames(plan, sample_format, layout, read)


@contextmanager
def held(blocks: Iterable[npt.NDArray[np.float32]], channels: int) -> Iterator[Read]:
    """Samples that come in turn, shape (channels, some), held on disk to be read at any place; silence beyond them."""
    with TemporaryFile() as file:
        written = sum(file.write(np.ascontiguousarray(block.T).tobytes()) for block in blocks)
        file.flush()
        count = written // (4 * channels)

        def read(low: int, high: int) -> npt.NDArray[np.float32]:
            first, last = min(max(0, low), count), min(max(0, high), count)
            stored = os.pread(file.fileno(), 4 * channels * max(0, last - first), 4 * channels * first)
            inside = np.frombuffer(stored, np.float32).reshape(-1, channels).T
            around = (max(0, min(high, 0) - low), max(0, high - max(low, 0) - inside.shape[1]))
            return np.pad(inside, ((0, 0), around))

        yield read


def made_frames(plan: SoundPlan, sample_format: str, layout: str, read: Read) -> Iterator[AudioFrame]:
    """The made sound part by part, in frames of ``BLOCK`` samples; what is louder than full is cut off."""
    parts = (np.clip(made_part(plan, number, read), -1, 1) for number in range(plan.parts))
    yield from framed(in_blocks(parts, plan.samples), "flt", sample_format, layout, plan.rate)


def made_part(plan: SoundPlan, number: int, read: Read) -> npt.NDArray[np.float32]:
    """One part of the made samples: of what it takes of the source, and a little around it."""
    first = number * PART_SECONDS * plan.rate
    length = min(PART_SECONDS * plan.rate, plan.samples - first)
    made = _part(plan, first, length, read)
    fades = round(plan.fade * plan.rate)
    if fades and first + length > plan.samples - fades:
        left = plan.samples - np.arange(first, first + length)
        made = made * np.minimum(1, left / fades).astype(np.float32)
    return made


def _part(plan: SoundPlan, first: int, length: int, read: Read) -> npt.NDArray[np.float32]:
    if plan.is_unchanged:
        return read(first, first + length)
    if plan.course is not None:
        return _along(plan, plan.course, first, length, read)
    if plan.backwards:
        end, forwards = round(plan.seconds * plan.source_rate), read
        read = lambda low, high: forwards(end - high, end - low)[:, ::-1]  # noqa: E731
    ratio = plan.factor * plan.source_rate / plan.rate
    around = int(plan.source_rate) // 2
    start = max(0, int(first * ratio) - around)
    lead = first - round(start / ratio)
    part = read(start, int((first + length) * ratio) + around)
    if not plan.keeps_pitch:
        return resampled(part, ratio, lead + length)[:, lead:]
    if plan.rate != plan.source_rate:
        wanted = round(part.shape[1] * plan.rate / Fraction(plan.source_rate))
        part = resampled(part, Fraction(plan.source_rate) / plan.rate, wanted)
    return stretched(part, plan.factor, plan.rate, lead + length)[:, lead:]


def _along(plan: SoundPlan, course: SoundCourse, first: int, length: int, read: Read) -> npt.NDArray[np.float32]:
    moments = np.arange(first, first + length) / plan.rate
    around = int(plan.source_rate)
    places = (course.seconds(moments) - float(plan.start)) * float(plan.source_rate)
    low = int(places.min()) - around
    part, places = read(low, int(places.max()) + around), places - low
    if not plan.keeps_pitch:
        return followed(part, places)
    if plan.rate != plan.source_rate:
        wanted = round(part.shape[1] * plan.rate / Fraction(plan.source_rate))
        part = resampled(part, Fraction(plan.source_rate) / plan.rate, wanted)
        places = places * float(plan.rate / plan.source_rate)
    return at_own_pitch(part, places, plan.rate)


def kept_sound(
    path: Path, sample_format: str, length: Fraction, start: Fraction, place: int, times: SoundTimes
) -> Iterator[AudioFrame]:
    """The sound stream at a place in a file as frames of ``BLOCK`` samples in ``sample_format``.

    ``length`` is in seconds, from ``start`` seconds after the first picture on; there are round(length · rate)
    samples, with silence where the file has none. Frames carry their place in samples as ``pts``.
    """
    worked_on = sample_format if sample_format in PACKED else "flt"
    with opened(path) as container:
        stream = sound_of(container, path, place)
        layout, rate = named_layout(stream), times.rate or Fraction(stream.rate)
        parts = in_turn(container, stream, times, worked_on, round(start * rate))
        wanted = round(length * rate)
        to_end = chain(parts, silence(stream.channels, wanted, worked_on))
        yield from framed(in_blocks(to_end, wanted), worked_on, sample_format, layout, stream.rate)


def in_blocks(parts: Iterable[Samples], wanted: int) -> Iterator[Samples]:
    """The first so many of samples that come in parts, in blocks of ``BLOCK``."""
    rest: Samples | None = None
    for part in parts:
        rest, taken = part if rest is None else np.concatenate([rest, part], axis=1), 0
        while wanted and rest.shape[1] - taken >= min(BLOCK, wanted):
            take = min(BLOCK, wanted)
            yield rest[:, taken : taken + take]
            taken, wanted = taken + take, wanted - take
        if not wanted:
            return
        rest = rest[:, taken:]


def framed(
    blocks: Iterable[Samples], worked_on: str, sample_format: str, layout: str, rate: int
) -> Iterator[AudioFrame]:
    """Blocks of samples that were worked on in one format, in turn, as frames of another."""
    resampler, done = AudioResampler(format=sample_format, layout=layout, rate=rate), 0
    for block in blocks:
        frame = framed_sound(block, worked_on, layout, rate, done)
        for made in resampler.resample(frame) if worked_on != sample_format else [frame]:
            made.pts, made.time_base = done, Fraction(1, rate)
            yield made
        done += block.shape[1]


def sound_rate_of(path: Path) -> int:
    """The samples a second of a file's first sound; raises ``RuleError`` where it cannot be heard."""
    try:
        with opened(path) as container:
            return sound_of(container, path, 0).rate
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"The music {path.name} cannot be opened.", "music") from error
