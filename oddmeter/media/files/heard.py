"""What the packets of a sound stream say of when it is heard: its runs between holes, and a clock that is not the
file's.

Most sounds follow on from the first packet to the last, however coarse their times. Three rules settle the others.
Where a packet comes later than the one before it ends, by more than ``LOOSE``, there is a hole, and it is silent. Where
it comes earlier, what came first is heard to its end. Where many small steps add up evenly, the sound's clock runs
faster or slower than the file's, and all of it is heard at its own times.
"""

import re
from array import array
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.audio.stream import AudioStream
from av.packet import Packet

from oddmeter.core.numbers.sound_times import BACK, SoundRun, SoundTimes

LOOSE = 0.02
"""Seconds by which a packet may come early or late before that counts."""
_SOUND_PACKETS, _FEW = 8, 3
"""Packets that are tried, to tell whether the rest can be decoded, and those that must be, to tell how long each
lasts."""
_SHIFTED, _AROUND = 0.005, 8
"""Seconds by which packets may lie off for good, and the packets before and after that decide this."""
_MOST_RUNS = 10_000
_NEAR = 0.05
"""How far the usual step from packet to packet may lie from what a codec's blocks last, for these to be believed."""
_MOST_DRIFT, _EVENLY = 0.02, 0.005
"""How fast or slow a clock may run, and by how many seconds it may lie off a straight line."""
_TENTHS = 10
"""A clock is rounded to so many parts of a sample a second."""


@dataclass
class Heard:
    """The packets of a sound stream: when each comes and how long it lasts, in ticks, its bytes, and whether those that
    were tried can be decoded."""

    stream: AudioStream
    times: "array[int]" = field(default_factory=lambda: array("q"))
    lengths: "array[int]" = field(default_factory=lambda: array("q"))
    sizes: "array[int]" = field(default_factory=lambda: array("q"))
    tried: int = 0
    failed: int = 0
    blocks: list[int] = field(default_factory=list)
    """Samples in the blocks that were decoded."""

    @property
    def decodes(self) -> bool | None:
        """Whether what was tried can be decoded; None where nothing was."""
        return bool(self.blocks) if self.tried else None

    def note(self, packet: "Packet[Any]") -> None:
        """Note the next packet, unless an edit list leaves it out."""
        if packet.is_discard:
            return
        time = packet.pts if packet.pts is not None else packet.dts
        if len(self.blocks) < _FEW and self.tried < _SOUND_PACKETS:
            self._listen(packet)
        if time is not None:
            self.times.append(time)
            self.lengths.append(packet.duration or 0)
            self.sizes.append(packet.size)

    def _listen(self, packet: "Packet[Any]") -> None:
        self.tried += 1
        try:
            frames: list[Any] = packet.decode()
            self.blocks += [frame.samples for frame in frames]
        except (av.error.FFmpegError, ValueError):
            self.failed += 1

    @property
    def base(self) -> Fraction:
        """Seconds of a tick."""
        return self.stream.time_base or Fraction(1, self.stream.rate or 1)

    @property
    def seconds(self) -> Fraction:
        """Seconds from the first packet to the end of the last."""
        ends = np.asarray(self.times) + np.asarray(self.lengths)
        return int(ends.max() - min(self.times)) * self.base

    def sound_times(self, zero: Fraction, moved: tuple[Fraction, ...] = ()) -> SoundTimes:
        """What the times say, counted from ``zero`` seconds, those of each further recording ``moved`` by so many."""
        times = np.asarray(self.times, np.int64)
        if len(times) < 2:
            return SoundTimes(zero)
        if moved:
            take = np.minimum(np.cumsum(np.diff(times, prepend=times[0]) < -float(BACK / self.base)), len(moved) - 1)
            times = times + np.array([round(seconds / self.base) for seconds in moved], np.int64)[take]
        lasts, exact = self._lasting(times)
        gaps = np.diff(times * float(self.base)) - lasts[:-1]
        breaks = np.flatnonzero(np.abs(gaps) > LOOSE) + 1
        slips = np.concatenate([[0.0], np.cumsum(np.where(np.abs(gaps) > LOOSE, 0.0, gaps))])
        rate = self._drift(lasts, slips) if exact else None
        if rate is None and exact:
            breaks = np.union1d(breaks, _slipped(slips, breaks))
        if not len(breaks) or len(breaks) > _MOST_RUNS:
            return SoundTimes(zero, rate=rate, moved=moved)
        begins = [0, *breaks.tolist()]
        runs = [
            SoundRun(int(times[first]) * self.base - zero, self._ends(times, lasts, stop - 1) - zero)
            for first, stop in zip(begins, [*begins[1:], len(times)], strict=True)
        ]
        return SoundTimes(zero, tuple(sorted(runs, key=lambda run: run.begins)), rate, moved)

    def _lasting(self, times: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.float64], bool]:
        """How many seconds each packet lasts, and whether that is known to the sample."""
        context, rate = self.stream.codec_context, self.stream.rate or 1
        durations = np.asarray(self.lengths) * float(self.base)
        usual = float(np.median(np.diff(times))) * float(self.base)
        if context.name.startswith("pcm"):
            bits = re.match(r"pcm_[a-z](\d+)", context.name)
            lasts = np.asarray(self.sizes) / (int(bits[1]) / 8 if bits else 1) / max(1, self.stream.channels) / rate
        else:
            lasts = np.full(len(times), self.blocks[-1] / rate if self.blocks else 0.0)
            near = 1.5 * float(self.base) + 1e-4
            if "mov" not in self.stream.container.format.name:  # whose lengths are but steps from one to the next
                lasts = np.where((durations <= 0) | (np.abs(durations - lasts) <= near), lasts, durations)
        typical = float(np.median(lasts))
        if usual > 0 and typical > 0 and abs(typical - usual) <= _NEAR * usual:
            return lasts, True
        return np.where(durations > 0, durations, max(0.0, usual)), False

    def _ends(self, times: npt.NDArray[np.int64], lasts: npt.NDArray[np.float64], number: int) -> Fraction:
        rate = self.stream.rate or 1
        return int(times[number]) * self.base + Fraction(round(float(lasts[number]) * rate), rate)

    def _drift(self, lasts: npt.NDArray[np.float64], slips: npt.NDArray[np.float64]) -> Fraction | None:
        """How many samples come in a second by the file's times, where small steps add up evenly to more than
        ``LOOSE``; else None."""
        heard = np.concatenate([[0.0], np.cumsum(lasts[:-1])])
        if heard[-1] <= 0 or abs(slips[-1]) <= LOOSE:
            return None
        slope, start = np.polyfit(heard, slips, 1)
        if abs(slope) > _MOST_DRIFT or float(np.abs(slips - (start + slope * heard)).max()) > _EVENLY:
            return None
        return Fraction(round(self.stream.rate / (1 + float(slope)) * _TENTHS), _TENTHS)


def _slipped(slips: npt.NDArray[np.float64], breaks: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """The packets from which on small steps have added up for good to more than ``_SHIFTED`` since the last break. What
    only comes early now and late then adds up to nothing."""
    around = np.pad(slips, _AROUND, mode="edge")
    lasting = np.median(np.lib.stride_tricks.sliding_window_view(around, 2 * _AROUND + 1), axis=1)
    found, base, at = list[int](), 0.0, 0
    for stop in [*breaks.tolist(), len(slips)]:
        while len(late := np.flatnonzero(np.abs(lasting[at:stop] - base) > _SHIFTED)):
            at += int(late[0])
            found.append(at)
            base = float(lasting[at])
        at, base = stop, float(lasting[stop]) if stop < len(slips) else 0.0
    return np.array(found, np.int64)
