"""The sound of a made file: kept as it is, at another speed with its pitch, or at its own; to the exact length of the
picture in samples."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import InputContainer

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.opened import opened, pictures_in, sounds_in
from oddmeter.media.sound.along import SoundCourse, at_own_pitch, followed
from oddmeter.media.sound.pitch import resampled, stretched

BLOCK = 1024
_USUAL = {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}
PART_SECONDS = 10
"""Sound that is changed is made in parts of so many seconds, each by itself, so that any can be had without those
before it."""
Samples = npt.NDArray[Any]
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
    how, in place of the factor. Over the last ``fade`` seconds it becomes silent.
    """

    path: Path
    factor: Fraction
    start: Fraction
    seconds: Fraction
    length: Fraction
    rate: int
    source_rate: int
    keeps_pitch: bool = False
    backwards: bool = False
    course: SoundCourse | None = None
    place: int = 0
    name: str = ""
    fade: Fraction = Fraction(0)

    @property
    def samples(self) -> int:
        """How many samples the made sound has."""
        return round(self.length * self.rate)

    @property
    def layout(self) -> tuple[str, int]:
        """That of the stream."""
        with opened(self.path) as container:
            stream = sound_of(container, self.path, self.place)
            return named_layout(stream), stream.channels

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """The made sound."""
        if self.is_kept:
            return kept_sound(self.path, sample_format, self.length, self.start, self.place)
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
    frames = kept_sound(plan.path, "fltp", plan.seconds, plan.start, plan.place)
    with held((np.asarray(frame.to_ndarray(), np.float32) for frame in frames), channels) as read:
        yield from made_frames(plan, sample_format, layout, read)


@contextmanager
def held(blocks: Iterable[npt.NDArray[np.float32]], channels: int) -> Iterator[Read]:
    """Samples that come in turn, shape (channels, some), held on disk to be read at any place; silence beyond them."""
    with TemporaryFile() as file:
        written = sum(file.write(np.ascontiguousarray(block.T).tobytes()) for block in blocks)
        file.flush()
        count = written // (4 * channels)
        source: Samples = np.zeros((channels, 0), np.float32)
        if count:
            source = np.memmap(file, np.float32, "r", shape=(count, channels)).T

        def read(low: int, high: int) -> npt.NDArray[np.float32]:
            inside = source[:, max(0, low) : max(0, high)]
            around = (max(0, min(high, 0) - low), max(0, high - max(low, 0) - inside.shape[1]))
            return np.pad(np.ascontiguousarray(inside, np.float32), ((0, 0), around))

        yield read


def made_frames(plan: SoundPlan, sample_format: str, layout: str, read: Read) -> Iterator[AudioFrame]:
    """The made sound part by part, in frames of ``BLOCK`` samples; what is louder than full is cut off."""
    done, resampler = 0, AudioResampler(format=sample_format, layout=layout, rate=plan.rate)
    for number in range(plan.parts):
        samples = made_part(plan, number, read)
        for start in range(0, samples.shape[1], BLOCK):
            block = samples[:, start : start + BLOCK]
            for made in resampler.resample(framed_sound(np.clip(block, -1, 1), "fltp", layout, plan.rate, done)):
                made.pts, made.time_base = done, Fraction(1, plan.rate)
                yield made
            done += block.shape[1]


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
    ratio = plan.factor * Fraction(plan.source_rate, plan.rate)
    around = plan.source_rate // 2
    start = max(0, int(first * ratio) - around)
    lead = first - round(start / ratio)
    part = read(start, int((first + length) * ratio) + around)
    if not plan.keeps_pitch:
        return resampled(part, ratio, lead + length)[:, lead:]
    if plan.rate != plan.source_rate:
        wanted = round(Fraction(part.shape[1] * plan.rate, plan.source_rate))
        part = resampled(part, Fraction(plan.source_rate, plan.rate), wanted)
    return stretched(part, plan.factor, plan.rate, lead + length)[:, lead:]


def _along(plan: SoundPlan, course: SoundCourse, first: int, length: int, read: Read) -> npt.NDArray[np.float32]:
    moments = np.arange(first, first + length) / plan.rate
    places = (course.seconds(moments) - float(plan.start)) * plan.source_rate
    low = int(places.min()) - plan.source_rate
    part, places = read(low, int(places.max()) + plan.source_rate), places - low
    if not plan.keeps_pitch:
        return followed(part, places)
    if plan.rate != plan.source_rate:
        wanted = round(Fraction(part.shape[1] * plan.rate, plan.source_rate))
        part = resampled(part, Fraction(plan.source_rate, plan.rate), wanted)
        places = places * (plan.rate / plan.source_rate)
    return at_own_pitch(part, places, plan.rate)


def kept_sound(
    path: Path, sample_format: str, length: Fraction, start: Fraction = Fraction(0), place: int = 0
) -> Iterator[AudioFrame]:
    """The sound stream at a place in a file as frames of ``BLOCK`` samples in ``sample_format``.

    ``length`` is in seconds, from ``start`` seconds after the first picture on; there are round(length · rate)
    samples, with silence where the file has none. Frames carry their place in samples as ``pts``.
    """
    with opened(path) as container:
        stream = sound_of(container, path, place)
        rate, layout = stream.rate, named_layout(stream)
        planar = sample_format.endswith("p")
        wide = 1 if planar else stream.channels
        wanted = round(length * rate)
        done = 0
        rest: Samples | None = None
        for samples in _placed(container, stream, sample_format, wide, start):
            rest = samples if rest is None else np.concatenate([rest, samples], axis=1)
            while rest.shape[1] >= BLOCK * wide and done < wanted:
                take = min(BLOCK, wanted - done)
                yield framed_sound(rest[:, : take * wide], sample_format, layout, rate, done)
                rest, done = rest[:, take * wide :], done + take
            if done >= wanted:
                return
        if rest is None:
            rest = np.zeros((stream.channels if planar else 1, 0), np.int32 if sample_format == "s32" else np.float32)
        while done < wanted:
            take = min(BLOCK, wanted - done)
            block = rest[:, : take * wide]
            short = take * wide - block.shape[1]
            yield framed_sound(np.pad(block, ((0, 0), (0, short))), sample_format, layout, rate, done)
            rest, done = rest[:, take * wide :], done + take


def named_layout(stream: AudioStream) -> str:
    """The stream's layout of channels; the usual one for their number where the file names none."""
    name = stream.layout.name
    return _USUAL.get(stream.channels, name) if name.endswith("channels") else name


def sound_rate_of(path: Path) -> int:
    """The samples a second of a file's first sound; raises ``RuleError`` where it cannot be heard."""
    try:
        with opened(path) as container:
            return sound_of(container, path, 0).rate
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"The music {path.name} cannot be opened.", "music") from error


def sound_of(container: InputContainer, path: Path, place: int) -> AudioStream:
    """The sound stream at a place among those that can be decoded; raises ``RuleError`` where there is none."""
    streams = sounds_in(container)
    if place >= len(streams):
        raise RuleError(f"{path.name} holds no sound that can be decoded.", "media")
    return streams[place]


def picture_start(container: InputContainer) -> Fraction:
    """The time of the first picture of a file in seconds; of one that holds sound only, that of its first sample."""
    video = pictures_in(container)
    if video is None:
        first = next(iter(sounds_in(container)), None)
        return Fraction(first.start_time or 0) * (first.time_base or 1) if first else Fraction(0)
    return Fraction(video.start_time or 0) * (video.time_base or 1)


def _placed(
    container: InputContainer, stream: AudioStream, sample_format: str, wide: int, start: Fraction
) -> Iterator[Samples]:
    """The decoded samples, from the one on that stands ``start`` seconds after the first picture."""
    resampler = AudioResampler(format=sample_format, layout=named_layout(stream), rate=stream.rate)
    begins = picture_start(container) + start
    skip: int | None = None
    for decoded in container.decode(stream):
        if skip is None:
            starts = Fraction(decoded.pts or 0) * (decoded.time_base or 1)
            skip = round((begins - starts) * stream.rate)
        for frame in resampler.resample(decoded):
            samples: Samples = frame.to_ndarray()
            if skip < 0:
                samples = np.pad(samples, ((0, 0), (-skip * wide, 0)))
                skip = 0
            cut = min(skip, samples.shape[1] // wide)
            skip -= cut
            yield samples[:, cut * wide :]


def framed_sound(samples: Samples, sample_format: str, layout: str, rate: int, at: int) -> AudioFrame:
    """Samples as a frame, the first of them at a place in samples: planar of shape (channels, samples), or packed of
    shape (1, samples · channels)."""
    frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), format=sample_format, layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
    return frame
