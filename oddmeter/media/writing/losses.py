"""Losses: what the pictures of a file lost as it was written, measured then, so that a proof can ask for just that.

What an encoder loses differs from clip to clip and from frame to frame, and no limit fits all. The packets of a lossy
file are decoded again while it is written, and of each plane the squared differences are added up. Later the file must
be as far from the pictures of its plan as it was then: a thin line, another frame, or one grey level more is not.
"""

import zlib
from collections import deque
from collections.abc import Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, cast

import cv2
import numpy as np
import numpy.typing as npt
from av.codec.context import CodecContext
from av.packet import Packet
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame

from oddmeter.media.files.samples import planar, planes_of, reformatted

_SAME = 0.005
"""The share by which the same loss, measured twice, may differ: another processor may round otherwise."""
_ROUNDED = 2.0
"""Squares by which it may differ in any case."""
_MOST_PENDING = 4
_DECODERS = {"av1": "libdav1d"}
"""Decoders by another name than their codec, whose own needs hardware."""


@dataclass(frozen=True)
class Losses:
    """What the frames of a file lost. ``squares``, shape (frames, planes), are the squared differences of all samples
    of a plane, in code values of the file; of a file without loss there are none. ``sums`` are checksums of its
    pictures as they are decoded, one of each frame, where some are not made again to be proven; else none."""

    squares: npt.NDArray[np.float64]
    sums: npt.NDArray[np.uint32]

    def is_that_of(self, number: int, squares: tuple[float, ...]) -> bool | None:
        """Whether a frame is as far from its picture as it was; None where that was not measured."""
        if number >= len(self.squares) or len(squares) != self.squares.shape[1]:
            return None
        known = self.squares[number].tolist()
        return all(
            abs(square - other) <= _SAME * other + _ROUNDED for square, other in zip(squares, known, strict=True)
        )

    def has_sum(self, number: int, frame: VideoFrame) -> bool | None:
        """Whether a frame is decoded to the picture that it was decoded to; None where there is no checksum of it."""
        return None if number >= len(self.sums) else int(self.sums[number]) == checksum(frame)

    def stored(self) -> bytes:
        """As bytes to be kept."""
        frames, planes = self.squares.shape
        head = np.array([frames, planes], "<u4").tobytes()
        return zlib.compress(head + self.squares.astype("<f8").tobytes() + self.sums.astype("<u4").tobytes(), 1)

    @classmethod
    def kept(cls, stored: bytes) -> "Losses":
        """From the bytes that were kept."""
        data = zlib.decompress(stored)
        frames, planes = (int(number) for number in np.frombuffer(data, "<u4", 2))
        squares = np.frombuffer(data, "<f8", frames * planes, 8).reshape(frames, planes)
        return cls(squares, np.frombuffer(data, "<u4", offset=8 + squares.nbytes))


def apart(frame: VideoFrame) -> VideoFrame:
    """The frame with each component in a plane of its own, its alpha too."""
    form = frame.format
    packed_alpha = not form.is_planar and any(component.is_alpha for component in form.components)
    return reformatted(frame, format="gbrap") if packed_alpha else planar(frame)


def squares_between(a: VideoFrame, b: VideoFrame) -> tuple[float, ...]:
    """The squared differences of two pictures of one raster and pixel format, added up for each plane."""
    pairs = zip(planes_of(apart(a)), planes_of(apart(b)), strict=True)
    return tuple(cv2.norm(pair, other, cv2.NORM_L2SQR) for pair, other in pairs)


def checksum(frame: VideoFrame) -> int:
    """The checksum of all samples of a picture."""
    found = 0
    for plane in planes_of(apart(frame)):
        found = zlib.crc32(np.ascontiguousarray(plane).data, found)
    return found


class Measuring:
    """Measures the losses of a file while it is written: it takes each picture that is encoded, and each packet that
    comes of it, in turn. ``sums`` where checksums are wanted. ``read_as`` is the pixel
    format that a decoder gives for them. It works in a thread of its own."""

    def __init__(self, written: VideoCodecContext, *, lossless: bool, sums: bool, read_as: str = "") -> None:
        self._written, self._lossless, self._with_sums = written, lossless, sums
        self._read_as = read_as
        self._given: deque[VideoFrame] = deque()
        self._squares: list[tuple[float, ...]] = []
        self._sums: list[int] = []
        self._thread = ThreadPoolExecutor(1)
        self._pending: deque[Future[None]] = deque()
        self._decoder: VideoCodecContext | None = None

    def took(self, frame: VideoFrame) -> None:
        """A picture goes to the encoder."""
        if self._read_as and frame.format.name != self._read_as and (self._with_sums or not self._lossless):
            frame = reformatted(frame, format=self._read_as)
        if not self._lossless:
            self._given.append(frame)
        elif self._with_sums:
            self._do(lambda: self._sums.append(checksum(frame)))

    def came(self, packet: "Packet[Any]") -> None:
        """A packet comes from the encoder."""
        if not self._lossless:
            data = bytes(packet)
            self._do(lambda: self._decode(Packet(data)))

    def finish(self) -> Losses:
        """All that was measured."""
        if not self._lossless:
            self._do(lambda: self._decode(None))
        while self._pending:
            self._pending.popleft().result()
        planes = len(self._squares[0]) if self._squares else 0
        squares = np.array(self._squares, np.float64).reshape(len(self._squares), planes)
        return Losses(squares, np.array(self._sums, np.uint32))

    def close(self) -> None:
        """Stop, whatever is under way."""
        self._thread.shutdown(wait=True, cancel_futures=True)

    def _do(self, what: Any) -> None:
        self._pending.append(self._thread.submit(what))
        while len(self._pending) > _MOST_PENDING:
            self._pending.popleft().result()

    def _decode(self, packet: "Packet[Any] | None") -> None:
        if self._decoder is None:
            name = self._written.codec.canonical_name
            self._decoder = cast(VideoCodecContext, CodecContext.create(_DECODERS.get(name, name), "r"))
            self._decoder.extradata = self._written.extradata
            self._decoder.codec_tag = self._written.codec_tag  # of RDD 36 it says how samples are stored
        self._measure(self._decoder.decode(packet))

    def _measure(self, frames: "Iterable[VideoFrame]") -> None:
        for frame in frames:
            self._squares.append(squares_between(frame, self._given.popleft()))
            if self._with_sums:
                self._sums.append(checksum(frame))
