"""Single pictures of a clip, to look at: a frame, one of its fields, or many small ones on one sheet."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.frames.decode import frames_from
from oddmeter.media.pictures.planes import eight_bit_rgb

Picture = npt.NDArray[np.uint8]

MOST_ON_A_SHEET = 240
_QUALITY = 88


@dataclass(frozen=True)
class ContactSheet:
    """Small pictures in rows on one JPEG: ``columns`` in a row, each ``width`` by ``height`` pixels."""

    jpeg: bytes
    count: int
    columns: int
    width: int
    height: int


def still(path: Path, facts: Facts, number: int, width: int, field: FieldOrder | None = None) -> bytes:
    """Frame ``number`` as a JPEG ``width`` pixels wide, in its true shape; of one field each line is shown twice.

    Raises ``RuleError`` where there is no such frame.
    """
    with frames_from(path, facts, number) as frames:
        frame = next(frames, None)
    if frame is None:
        raise RuleError(f"Frame {number} does not exist.", "missing")
    picture = _picture(frame)
    if field is not None:
        lines = picture[0 if field is FieldOrder.UPPER else 1 :: 2]
        picture = np.repeat(lines, 2, axis=0)[: picture.shape[0]]
    height = _height(facts, picture, width)
    return _jpeg(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA).astype(np.uint8))


def contact_sheet(path: Path, facts: Facts, first: int, count: int, width: int) -> ContactSheet:
    """``count`` frames from ``first`` on, or as many as there are, small, on one JPEG."""
    small: list[Picture] = []
    height = 0
    with frames_from(path, facts, first) as frames:
        for frame in islice(frames, min(count, MOST_ON_A_SHEET)):
            picture = _picture(frame, width)
            height = height or _height(facts, picture, width)
            small.append(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA).astype(np.uint8))
    if not small:
        raise RuleError(f"Frame {first} does not exist.", "missing")
    columns = min(len(small), 12)
    rows = -(-len(small) // columns)
    whole = np.full((rows * height, columns * width, 3), 118, np.uint8)
    for index, picture in enumerate(small):
        y, x = index // columns * height, index % columns * width
        whole[y : y + height, x : x + width] = picture
    return ContactSheet(_jpeg(whole), len(small), columns, width, height)


def _picture(frame: VideoFrame, width: int | None = None) -> Picture:
    """A frame as blue, green and red, not wider than about twice ``width``."""
    size = None
    if width is not None and frame.width > 2 * width:
        size = (2 * width, max(1, frame.height * 2 * width // frame.width))
    return eight_bit_rgb(frame, size)[..., ::-1]


def _height(facts: Facts, picture: Picture, width: int) -> int:
    shape = facts.width * facts.pixel_aspect / facts.height if facts.height else picture.shape[1] / picture.shape[0]
    return max(2, round(width / float(shape)))


def _jpeg(picture: Picture) -> bytes:
    good, data = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
    if not good:
        raise RuleError("This picture cannot be shown.", "media")
    return data.tobytes()


def blended(pictures: Sequence[tuple[bytes, Fraction]]) -> bytes:
    """JPEGs of one size laid over each other, each by its share, as light; one by itself stays as it is."""
    if len(pictures) == 1:
        return pictures[0][0]
    total: npt.NDArray[np.float32] | None = None
    for data, share in pictures:
        seen = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
        light = np.asarray((np.asarray(seen, np.float32) / 255) ** _GAMMA * float(share), np.float32)
        total = light if total is None else total + light
    assert total is not None
    mixed = np.rint(np.clip(total, 0, 1) ** (1 / _GAMMA) * 255).astype(np.uint8)
    return _jpeg(mixed)


_GAMMA = 2.4
"""Of a display (ITU-R BT.1886)."""
