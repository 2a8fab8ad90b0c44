"""H.264 whose fields are coded by themselves, two packets for each picture: written by hand, since no encoder that we
have does so. Samples are stored as they are, the first of a group intra, the others predicted in name."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

_PCM = 25
"""The macroblock whose samples stand in the stream (ITU-T H.264, table 7-11); five further on in predicted slices."""


class _Bits:
    def __init__(self) -> None:
        self._bits: list[int] = []

    def put(self, *values: tuple[int, int]) -> "_Bits":
        """Values, each in so many bits; in 0 bits as Exp-Golomb codes (9.1)."""
        for value, count in values:
            coded, size = (value, count) if count else (value + 1, 2 * (value + 1).bit_length() - 1)
            self._bits += [coded >> size - 1 - at & 1 for at in range(size)]
        return self

    def aligned(self, first: int = 0) -> bytes:
        """All of them, filled up to a whole byte with zeros behind ``first``."""
        while len(self._bits) % 8:
            self._bits.append(first)
            first = 0
        return np.packbits(np.array(self._bits, np.uint8)).tobytes()

    def ended(self) -> bytes:
        """With the bit that ends a unit (7.3.2.11)."""
        self._bits.append(1)
        return self.aligned()


def _unit(importance: int, kind: int, payload: bytes) -> bytes:
    """A unit behind its start code, with the bytes that keep start codes apart (7.3.1)."""
    out, zeros = bytearray(), 0
    for byte in payload:
        if zeros >= 2 and byte <= 3:
            out.append(3)
            zeros = 0
        out.append(byte)
        zeros = zeros + 1 if byte == 0 else 0
    return b"\0\0\0\1" + bytes([importance << 5 | kind]) + bytes(out)


def _parameters(width: int, height: int, rate: int) -> bytes:
    """Main profile, fields by themselves, no reordering; one picture parameter set."""
    sequence = _Bits().put((77, 8), (0, 8), (30, 8), (0, 0), (0, 0), (0, 0), (4, 0), (1, 0), (0, 1))
    sequence.put((width // 16 - 1, 0), (height // 32 - 1, 0), (0, 1), (0, 1), (1, 1), (0, 1), (1, 1))
    sequence.put((0, 4), (1, 1), (1, 32), (2 * rate, 32), (1, 1), (0, 3))
    sequence.put((1, 1), (1, 1), (0, 0), (0, 0), (10, 0), (10, 0), (0, 0), (1, 0))
    picture = _Bits().put((0, 0), (0, 0), (0, 2), (0, 0), (0, 0), (0, 0), (0, 3), (0, 0), (0, 0), (0, 0))
    picture.put((1, 1), (0, 2))
    return _unit(3, 7, sequence.ended()) + _unit(3, 8, picture.ended())


def stream(pictures: Sequence[npt.NDArray[np.uint8]], group: int = 12, rate: int = 25) -> bytes:
    """The stream of pictures of red, green and blue, upper field first; their sides are multiples of 16 and 32."""
    out = []
    for number, picture in enumerate(pictures):
        frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
        planes = [
            np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)[:, : plane.width]
            for plane in frame.planes
        ]
        for field in (0, 1):
            out.append(_field([plane[field::2] for plane in planes], number, group, field, rate))
    return b"".join(out)


def _field(planes: Sequence[npt.NDArray[np.uint8]], number: int, group: int, field: int, rate: int) -> bytes:
    height, width = planes[0].shape
    at, intra = number % group, number % group == 0
    first = intra and field == 0
    bits = _Bits().put((0, 0), (7 if intra else 5, 0), (0, 0), (at % 16, 4), (1, 1), (field, 1))
    if first:
        bits.put((number // group % 2, 0))
    bits.put((2 * at + field & 255, 8), *([] if intra else [(0, 2)]), (0, 2 if first else 1), (0, 0), (1, 0))
    data = b""
    for row in range(0, height, 16):
        for column in range(0, width, 16):
            data += bits.put(*([] if intra else [(0, 0)]), (_PCM if intra else _PCM + 5, 0)).aligned()
            for plane, size in zip(planes, (16, 8, 8), strict=True):
                y, x = row * size // 16, column * size // 16
                data += plane[y : y + size, x : x + size].tobytes()
            bits = _Bits()
    head = _unit(0, 9, b"\xf0") + (_parameters(width, 2 * height, rate) if first else b"")
    return head + _unit(2, 5 if first else 1, data + bits.ended())
