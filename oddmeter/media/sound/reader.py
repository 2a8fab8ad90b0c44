"""The samples of a sound stream at any place, decoded from a little before it."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from threading import Lock

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.opened import opened
from oddmeter.media.sound.track import named_layout, picture_start, sound_of

_BEFORE = Fraction(2, 5)
"""Seconds that are decoded and thrown away before what is wanted: codecs carry over what came before."""
_TICK_ERROR = Fraction(1, 400)
"""Seconds by which a coarse timestamp may be off; within it, a block is where the blocks before it put it."""


class SoundReader:
    """A sound stream held open. Samples are counted from the first picture of the file; for one thread at a time."""

    def __init__(self, path: Path, place: int) -> None:
        self.lock = Lock()
        self._container = opened(path)
        try:
            self._stream = sound_of(self._container, path, place)
            self.rate, self.channels = self._stream.rate, self._stream.channels
            self._layout = named_layout(self._stream)
            self._zero = picture_start(self._container)
            frames = [frame for frame, _ in zip(self._frames(), range(2), strict=False)]
        except (av.error.FFmpegError, RuleError):
            self._container.close()
            raise
        self._first = self._place_of(frames[0]) if frames else 0
        self._lead = frames[0].samples if frames else 0
        self._step = frames[-1].samples if frames else 1

    @property
    def seconds(self) -> Fraction:
        """Seconds from the first picture to the end, by what the file says of itself."""
        if self._stream.duration and self._stream.time_base:
            begins = (self._stream.start_time or 0) * self._stream.time_base
            return begins + self._stream.duration * self._stream.time_base - self._zero
        return Fraction(self._container.duration or 0, av.time_base)

    def close(self) -> None:
        """Close the file."""
        self._container.close()

    def read(self, low: int, high: int) -> npt.NDArray[np.float32]:
        """Samples ``low`` to ``high``, without ``high``: shape (channels, high − low), silence where there are none."""
        out = np.zeros((self.channels, max(0, high - low)), np.float32)
        if high <= max(low, self._first):
            return out
        resampler = AudioResampler(format="fltp", layout=self._layout, rate=self.rate)
        at: int | None = None
        self._go_to(low)
        for frame in self._frames():
            if at is None:
                at = self._exact(self._place_of(frame))
            for made in resampler.resample(frame):
                samples = np.asarray(made.to_ndarray(), np.float32)
                first, last = max(low, at), min(high, at + samples.shape[1])
                if first < last:
                    out[:, first - low : last - low] = samples[:, first - at : last - at]
                at += samples.shape[1]
            if at >= high:
                break
        return out

    def all(self) -> Iterator[npt.NDArray[np.float32]]:
        """Everything from the first picture on, some samples at a time."""
        resampler = AudioResampler(format="fltp", layout=self._layout, rate=self.rate)
        self._go_to(-self.rate)
        skip: int | None = None
        for frame in self._frames():
            skip = -self._place_of(frame) if skip is None else skip
            for made in resampler.resample(frame):
                samples = np.asarray(made.to_ndarray(), np.float32)
                if skip < 0:
                    yield np.zeros((self.channels, -skip), np.float32)
                    skip = 0
                cut = min(skip, samples.shape[1])
                skip -= cut
                yield samples[:, cut:]

    def _frames(self) -> Iterator[AudioFrame]:
        try:
            yield from self._container.decode(self._stream)
        except (av.error.FFmpegError, ValueError):
            return

    def _go_to(self, low: int) -> None:
        # Before the first moment there may be a frame that only leads in: it has to be decoded too.
        seconds = Fraction(low, self.rate) + self._zero - _BEFORE
        base = self._stream.time_base or Fraction(1, self.rate)
        try:
            self._container.seek(int(seconds / base), stream=self._stream)
        except av.error.FFmpegError:
            self._container.seek(0)

    def _place_of(self, frame: AudioFrame) -> int:
        seconds = Fraction(frame.pts or 0) * (frame.time_base or 1) - self._zero
        return round(seconds * self.rate)

    def _exact(self, place: int) -> int:
        """Where a frame really is: a timestamp may be coarser than a sample, and frames follow without a hole."""
        if place <= self._first or self._step == 0:
            return place
        whole = self._first + self._lead + round(Fraction(place - self._first - self._lead, self._step)) * self._step
        return whole if abs(whole - place) <= self.rate * _TICK_ERROR else place
