"""Pictures of a made file beside those that were planned: its first, its middle, its last, and those that lost most."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from av.video.frame import VideoFrame

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.samples import planes_of, reformatted
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.planes import eight_bit_rgb
from oddmeter.media.plans import FilePlan
from oddmeter.media.writing.losses import Losses, apart, squares_between

WIDTH = 240
WORST = 5


@dataclass(frozen=True)
class Side:
    """A frame of a made file beside what it should be, both as small JPEGs; ``decibels`` is how near they are, plane by
    plane (peak signal to noise), infinite where every sample is the same. One that cannot be made again, or is of
    another form, is None beside it."""

    number: int
    place: str
    made: bytes
    planned: bytes | None
    decibels: tuple[float, ...]


@dataclass(frozen=True)
class Contact:
    """Frames of a made file beside what they should be, and the pixel format that they were compared in."""

    pixel_format: str
    sides: tuple[Side, ...]


def worst_frames(losses: Losses | None, most: int = WORST) -> list[int]:
    """The frames that lost most as they were written, the worst first; none where nothing was lost, or measured."""
    if losses is None or not losses.squares.size:
        return []
    lost = losses.squares.sum(axis=1)
    order = np.argsort(-lost, kind="stable")[:most]
    return [int(number) for number in order if lost[number] > 0]


def contact(plan: FilePlan, worst: Sequence[int], wrong: Sequence[int] = ()) -> Contact:
    """The frames of a made file to look at: first, middle, last, those that are wrong, at most so many as are shown of
    the worst, and the worst. Raises ``RuleError`` where the file or its sources can no longer be read."""
    places: dict[int, str] = {}
    last = plan.length - 1
    for number, word in ((0, "first"), (last // 2, "middle"), (last, "last")):
        places.setdefault(number, word)
    for numbers, word in ((wrong[:WORST], "not as planned"), (worst, "lost most")):
        for number in numbers:
            places[number] = f"{places[number]}, {word}" if number in places else word
    out = []
    with FrameReader(plan.opened_as) as made, plan.pictures() as pictures:
        form = plan.encoding.read_as(pictures.pixel_format)
        for number, place in sorted(places.items()):
            seen = made.frame(number)
            try:
                wanted = pictures.picture(number)
            except RuleError:
                out.append(Side(number, place, _small(seen, plan), None, ()))
                continue
            again = wanted if wanted.format.name == form else reformatted(wanted, format=form)
            out.append(Side(number, place, _small(seen, plan), _small(wanted, plan), decibels(seen, again)))
    return Contact(form, tuple(out))


def decibels(seen: VideoFrame, wanted: VideoFrame) -> tuple[float, ...]:
    """How near two pictures of one raster and pixel format are, plane by plane; nothing where they are of two."""
    seen, wanted = apart(seen), apart(wanted)
    if (seen.width, seen.height, seen.format.name) != (wanted.width, wanted.height, wanted.format.name):
        return ()
    peak = 2 ** seen.format.components[0].bits - 1
    return tuple(
        math.inf if square == 0 else 10 * math.log10(peak**2 * plane.size / square)
        for square, plane in zip(squares_between(seen, wanted), planes_of(seen), strict=True)
    )


def _small(frame: VideoFrame, plan: FilePlan) -> bytes:
    """A frame as a small JPEG of square pixels."""
    shape = plan.canvas
    height = max(2, round(WIDTH * shape.height / (shape.width * shape.pixel_aspect)))
    rgb = eight_bit_rgb(frame, (WIDTH, height))
    done, data = cv2.imencode(".jpg", rgb[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, 84])
    assert done
    return data.tobytes()
