"""The samples of a sound stream at any place, decoded from a little before it."""

from collections.abc import Iterator
from fractions import Fraction
from itertools import chain
from pathlib import Path
from threading import Lock

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.sound_times import FOLLOWING, SoundTimes
from oddmeter.media.files.opened import opened
from oddmeter.media.sound.blocks import Placing, decoded, in_turn, sound_of

_BEFORE = Fraction(2, 5)
"""Seconds that are decoded and thrown away before what is wanted: codecs carry over what came before."""
_TICK_ERROR = Fraction(1, 400)
"""Seconds by which a coarse timestamp may be off; within it, a block is where the blocks before it put it."""


class SoundReader:
    """A sound stream held open. Samples are counted from the first picture of the file; for one thread at a time."""

    def __init__(self, path: Path, place: int, times: SoundTimes = FOLLOWING) -> None:
        self.lock = Lock()
        self._path, self._place, self._times = path, place, times
        self._open()
        try:
            self.channels = self._stream.channels
            frames = [frame for frame, _ in zip(self._frames(), range(2), strict=False)]
        except av.error.FFmpegError:
            self._container.close()
            raise
        self.rate = self._placing.rate
        self._first = self._placing.own_place(frames[0]) or 0 if frames else 0
        self._lead = frames[0].samples if frames else 0
        self._step = frames[-1].samples if frames else 1

    def _open(self) -> None:
        self._container, self._changes = opened(self._path), False
        try:
            self._stream = sound_of(self._container, self._path, self._place)
            self._placing = Placing(self._container, self._stream, self._times, "flt")
        except RuleError:
            self._container.close()
            raise

    @property
    def seconds(self) -> Fraction:
        """Seconds from the first picture to the end, by what the file says of itself."""
        if self._stream.duration and self._stream.time_base:
            begins = (self._stream.start_time or 0) * self._stream.time_base
            return begins + self._stream.duration * self._stream.time_base - self._placing.zero
        return Fraction(self._container.duration or 0, av.time_base)

    def close(self) -> None:
        """Close the file."""
        self._container.close()

    def read(self, low: int, high: int) -> npt.NDArray[np.float32]:
        """Samples ``low`` to ``high``, without ``high``: shape (channels, high − low), silence where there are none."""
        out = np.zeros((self.channels, max(0, high - low)), np.float32)
        if high <= max(low, self._first):
            return out
        if self._times.moved:
            return self._from_start(out, low)
        if self._changes:  # a decoder takes what comes next for what it had last
            self._container.close()
            self._open()
        self._go_to(low)
        frames = self._frames()
        if (begins := next(frames, None)) is None:
            return out
        filled = low
        for block in self._placing.placed(chain([begins], frames), self._exact(begins)):
            first, last = max(filled, block.at, block.free), min(high, block.at + block.samples.shape[1])
            if first < last:
                out[:, first - low : last - low] = block.samples[:, first - block.at : last - block.at]
                filled = last
            if block.at >= high:
                break
        return out

    def all(self) -> Iterator[npt.NDArray[np.float32]]:
        """Everything from the first picture on, some samples at a time."""
        with opened(self._path) as container:
            stream = sound_of(container, self._path, self._place)
            yield from in_turn(container, stream, self._times, "flt", 0)

    def _from_start(self, out: npt.NDArray[np.float32], low: int) -> npt.NDArray[np.float32]:
        """Where times begin anew in the middle, no time leads to one place: read through to it from the start."""
        with opened(self._path) as container:
            at = 0
            for part in in_turn(container, sound_of(container, self._path, self._place), self._times, "flt", low):
                taken = part[:, : out.shape[1] - at]
                out[:, at : at + taken.shape[1]] = taken
                at += taken.shape[1]
                if at == out.shape[1]:
                    break
        return out

    def _frames(self) -> Iterator[AudioFrame]:
        for frame in decoded(self._container, self._stream):
            self._changes = self._changes or self._placing.is_other(frame)
            yield frame

    def _go_to(self, low: int) -> None:
        # Before the first moment there may be a frame that only leads in: it has to be decoded too.
        seconds = low / self.rate + self._placing.zero - _BEFORE
        base = self._stream.time_base or 1 / self.rate
        try:
            self._container.seek(int(seconds / base), stream=self._stream)
        except av.error.FFmpegError:
            self._container.seek(0)

    def _exact(self, frame: AudioFrame) -> int:
        """Where a frame really is: a timestamp may be coarser than a sample, and frames of a run follow without a
        hole."""
        place = self._placing.own_place(frame) or 0
        run = self._placing.run_of(place)
        begins, lead = (self._first, self._lead) if run == 0 else (self._placing.begins(run), 0)
        if self._step == 0:
            return place
        whole = begins + lead + round(Fraction(place - begins - lead, self._step)) * self._step
        return whole if abs(whole - place) <= self.rate * _TICK_ERROR else place
