"""Marks of what a file shows and sounds like, decoded: few bytes by which it is known again, without its source.

Of each picture a checksum of all samples, and a tiny luma picture by which another of the same moment is told; of each
channel of sound how loud it is in every two hundredth of a second, and, where samples are exact, a checksum a second.
"""

import base64
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.opened import opened, sounds_in
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.planes import luma_of
from oddmeter.media.sound.blocks import array_of, decoded
from oddmeter.media.writing.losses import apart, checksum

_SIDE = 8
_PARTS_A_SECOND = 200
_QUIETEST, _STEP = -90.0, 0.5
"""Decibels of full scale: what is quieter counts as silence, and how finely loudness is kept."""


@dataclass(frozen=True)
class PictureMarks:
    """``sums`` are checksums of frames in turn, ``small`` their tiny pictures, shape (frames, ``_SIDE`` ** 2)."""

    sums: npt.NDArray[np.uint32]
    small: npt.NDArray[np.uint8]

    def document(self) -> dict[str, str]:
        """As text that goes into a document."""
        return {"sums": _packed(self.sums.astype("<u4")), "small": _packed(self.small)}

    @staticmethod
    def parse(document: dict[str, Any]) -> "PictureMarks":
        """From a document; raises ``ValueError`` where it is none of that."""
        small = _unpacked(document["small"], np.uint8)
        return PictureMarks(_unpacked(document["sums"], "<u4"), small.reshape(-1, _SIDE * _SIDE))


@dataclass(frozen=True)
class SoundMarks:
    """``loudness`` has shape (channels, parts), in steps above silence; ``sums`` are checksums of whole seconds, none
    where a decoder may round otherwise elsewhere."""

    rate: int
    samples: int
    loudness: npt.NDArray[np.uint8]
    sums: npt.NDArray[np.uint32]

    def document(self) -> dict[str, Any]:
        """As text and numbers that go into a document."""
        channels = len(self.loudness)
        marks = {"loudness": _packed(self.loudness), "sums": _packed(self.sums.astype("<u4"))}
        return {"rate": self.rate, "samples": self.samples, "channels": channels, **marks}

    @staticmethod
    def parse(document: dict[str, Any]) -> "SoundMarks":
        """From a document; raises ``ValueError`` or ``KeyError`` where it is none of that."""
        loudness = _unpacked(document["loudness"], np.uint8).reshape(int(document["channels"]), -1)
        sums = _unpacked(document["sums"], "<u4")
        return SoundMarks(int(document["rate"]), int(document["samples"]), loudness, sums)


def picture_marks(path: Path, frames: int) -> PictureMarks:
    """Those of the first so many pictures of a file or a sequence, as far as they can be decoded."""
    sums: list[int] = []
    small: list[npt.NDArray[np.uint8]] = []
    with FrameReader(path) as reader:
        for number in range(frames):
            try:
                frame = apart(reader.frame(number))
            except RuleError:
                break
            sums.append(checksum(frame))
            small.append(_tiny(luma_of(frame)))
    stacked = np.stack(small) if small else np.zeros((0, _SIDE * _SIDE), np.uint8)
    return PictureMarks(np.array(sums, np.uint32), stacked)


def _tiny(luma: npt.NDArray[np.uint8]) -> npt.NDArray[np.uint8]:
    return np.asarray(cv2.resize(luma, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA), np.uint8).reshape(-1)


def sound_marks(path: Path, place: int = 0, *, exact: bool) -> SoundMarks:
    """Those of a stream of sound; ``exact`` where its samples are the same wherever they are decoded."""
    loudness: list[npt.NDArray[np.uint8]] = []
    sums: list[int] = []
    count = 0
    with opened(path) as container:
        stream = sounds_in(container)[place]
        rate = stream.rate
        for second in _seconds((array_of(frame) for frame in decoded(container, stream)), rate):
            count += second.shape[1]
            loudness.append(_loudness(second, rate))
            if exact:
                sums.append(zlib.crc32(np.ascontiguousarray(second).tobytes()))
    levels = np.concatenate(loudness, axis=1) if loudness else np.zeros((1, 0), np.uint8)
    return SoundMarks(rate, count, levels, np.array(sums, np.uint32))


def _seconds(pieces: Iterable[npt.NDArray[Any]], rate: int) -> Iterator[npt.NDArray[Any]]:
    """Samples that come in pieces, shape (channels, some), second by second; the last may be shorter."""
    waiting: list[npt.NDArray[Any]] = []
    held = 0
    for piece in pieces:
        waiting.append(piece)
        held += piece.shape[1]
        if held >= rate:
            samples = np.concatenate(waiting, axis=1)
            whole = held // rate * rate
            yield from np.split(samples[:, :whole], whole // rate, axis=1)
            waiting, held = [samples[:, whole:]], held - whole
    if held:
        yield np.concatenate(waiting, axis=1)


def _loudness(samples: npt.NDArray[Any], rate: int) -> npt.NDArray[np.uint8]:
    full = 1.0 if samples.dtype.kind == "f" else float(np.iinfo(samples.dtype).max)
    edges = np.arange(0, samples.shape[1] * _PARTS_A_SECOND // rate + 1) * rate // _PARTS_A_SECOND
    edges = edges[edges < samples.shape[1]]
    if not len(edges):
        return np.zeros((samples.shape[0], 0), np.uint8)
    out = np.empty((samples.shape[0], len(edges)), np.uint8)
    lengths = np.diff(np.append(edges, samples.shape[1]))
    for channel, wave in enumerate(samples):
        power = np.add.reduceat((wave.astype(np.float64) / full) ** 2, edges) / lengths
        decibels = 10 * np.log10(np.maximum(power, 1e-12))
        out[channel] = np.clip(np.round((decibels - _QUIETEST) / _STEP), 0, 255)
    return out


def _packed(values: npt.NDArray[Any]) -> str:
    return base64.b64encode(zlib.compress(np.ascontiguousarray(values).tobytes(), 6)).decode()


def _unpacked(text: str, kind: Any) -> npt.NDArray[Any]:
    try:
        return np.frombuffer(zlib.decompress(base64.b64decode(text, validate=True)), kind).copy()
    except zlib.error as error:
        raise ValueError("no marks") from error


def differing_pictures(then: PictureMarks, now: PictureMarks) -> list[tuple[int, str]]:
    """The frames that are not what they were, each with what it shows: another frame's picture, or changed samples."""
    out = []
    by_sum = {int(total): number for number, total in reversed(list(enumerate(then.sums)))}
    for number, total in enumerate(then.sums):
        if number >= len(now.sums):
            out.append((number, "cannot be decoded"))
        elif now.sums[number] != total:
            other = by_sum.get(int(now.sums[number]))
            if other is None:
                other = _nearest(then.small, now.small[number], number)
            out.append((number, f"shows frame {other}" if other not in (None, number) else "has other samples"))
    return out


def _nearest(small: npt.NDArray[np.uint8], seen: npt.NDArray[np.uint8], own: int) -> int | None:
    """The frame that a tiny picture is most like, where that is clearly another than its own."""
    away = np.abs(small.astype(np.int16) - seen.astype(np.int16)).mean(axis=1)
    best = int(away.argmin())
    return best if away[best] < 1.0 and away[own] > 2 * away[best] + 1.0 else None


def differing_sound(then: SoundMarks, now: SoundMarks) -> str:
    """How a sound is not what it was, in words; empty where it is."""
    if len(then.sums) and np.array_equal(then.sums, now.sums) and then.samples == now.samples:
        return ""
    if then.loudness.shape[0] != now.loudness.shape[0]:
        return f"has {now.loudness.shape[0]} channels instead of {then.loudness.shape[0]}"
    count = min(then.loudness.shape[1], now.loudness.shape[1])
    a, b = then.loudness[:, :count].astype(np.float32), now.loudness[:, :count].astype(np.float32)
    if words := _swapped(a, b):
        return words
    shift = _shift(a, b)
    if shift:
        return f"is {abs(shift) * 1000 // _PARTS_A_SECOND} ms {'late' if shift > 0 else 'early'}"
    off = np.abs(a - b).max(axis=0) if count else np.zeros(0)
    if len(then.sums):
        seconds = np.flatnonzero(then.sums[: len(now.sums)] != now.sums[: len(then.sums)])
        return f"has other samples from second {seconds[0]} on" if len(seconds) else ""
    loud = np.flatnonzero(off > 6 / _STEP)
    return f"sounds otherwise at {loud[0] / _PARTS_A_SECOND:.1f} s" if len(loud) else ""


def _swapped(a: npt.NDArray[np.float32], b: npt.NDArray[np.float32]) -> str:
    channels = a.shape[0]
    if channels < 2 or a.shape[1] == 0:
        return ""
    away = np.array([[np.abs(a[i] - b[j]).mean() for j in range(channels)] for i in range(channels)])
    order = [int(row.argmin()) for row in away]
    clearly = all(away[i, j] + 0.5 < away[i, i] for i, j in enumerate(order) if i != j)
    if order == list(range(channels)) or not clearly or len(set(order)) < channels:
        return ""
    return f"has its channels in another order ({', '.join(str(number + 1) for number in order)})"


def _shift(a: npt.NDArray[np.float32], b: npt.NDArray[np.float32]) -> int:
    """By how many parts the second is later, where it is alike but for that."""
    most = min(_PARTS_A_SECOND, a.shape[1] // 3)
    if most < 1:
        return 0
    middle = slice(most, a.shape[1] - most)
    away = {by: np.abs(a[:, middle] - np.roll(b, -by, axis=1)[:, middle]).mean() for by in range(-most, most + 1)}
    best = min(away, key=lambda by: (away[by], abs(by)))
    return best if best and away[best] < 0.5 * away[0] else 0
