"""Mixing pictures as light mixes: weights act on light, not on the code values that stand for it.

Code values are taken as light by the curve of the picture (``transfer``), red, green and blue each for itself, with the
luma weights of its colour matrix (ITU-R BT.601, BT.709, BT.2020).
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import chain
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.media.files.samples import Plane, empty_like, planar, planes_of
from oddmeter.media.pictures.planes import is_full_range, luma_weights

Samples = npt.NDArray[np.float32]
Spots = npt.NDArray[np.int64]
"""Lines, or columns, of places."""
Matrix = npt.NDArray[np.float64]


def added(pictures: Iterable[VideoFrame], shares: Sequence[float]) -> VideoFrame:
    """Pictures of one raster and pixel format, one after the other, each with its share, added as light; in the pixel
    format of the first. The shares make one. Of many no more is kept than the sum."""
    waiting = iter(pictures)
    first = planar(next(waiting))
    light = _Sum(first)
    for picture, share in zip(chain([first], waiting), shares, strict=True):
        light.add(planar(picture), share)
    out = empty_like(first, first.width, first.height)
    for made, values in zip(planes_of(out), light.codes(), strict=True):
        made[:] = values.reshape(made.shape)
    return out


def mixed(first: VideoFrame, second: VideoFrame, weight: float) -> VideoFrame:
    """Both pictures, the second with ``weight`` from 0 to 1, added as light; in the pixel format of the first."""
    return added((first, second), (1 - weight, weight))


def mix_into(made: VideoFrame, first: VideoFrame, second: VideoFrame, weight: float, part: Samples) -> None:
    """Put the mix of two pictures into a made one, by ``part`` of each of its places: 0 leaves it as it is.

    All are planar, of the same raster and pixel format.
    """
    parts = {plane.shape: _sized(part, plane.shape) for plane in planes_of(made)}
    places = {shape: _places(values) for shape, values in parts.items()}
    if not any(len(rows) for rows, _ in places.values()):
        return
    light = _Sum(first, places)
    light.add(first, 1 - weight)
    light.add(second, weight)
    for plane, mix in zip(planes_of(made), light.codes(), strict=True):
        light.put(plane, mix, parts[plane.shape])


def _places(part: Samples) -> tuple[Spots, Spots]:
    """The lines and columns of all places that are mixed so far that it is seen."""
    found = cv2.findNonZero((part > _LEAST).view(np.uint8))
    if found is None:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    columns, rows = np.ascontiguousarray(found.reshape(-1, 2).T, np.int64)
    return rows, columns


_LEAST = 0.05
"""Less of a mix than this is not to be seen."""


class _Sum:
    """Light added up for all places of a picture's planes, or for some places of planes of each shape."""

    def __init__(self, like: VideoFrame, some: Mapping[tuple[int, ...], tuple[Spots, ...]] | None = None) -> None:
        from oddmeter.media.pictures import adding  # noqa: PLC0415 (half a second, which few processes need)

        self._adding, self._colour = adding, _colour(like)
        self._shapes = [plane.shape for plane in planes_of(like)]
        self._places = {shape: adding.Places(shape, *(some[shape] if some else ())) for shape in self._shapes}
        used = [shape for shape in self._places if not some or len(some[shape][0])]
        self._light = {shape: np.zeros((self._colour.planes, self._places[shape].count), np.float32) for shape in used}
        self._opaque = np.zeros(1)

    def add(self, picture: VideoFrame, share: float) -> None:
        """Add a picture by its share."""
        planes, colour = planes_of(picture), self._colour
        for shape, light in self._light.items():
            self._adding.add(light, planes, self._places[shape], colour.matrix, colour.zero, colour.curve, share)
        if len(planes) == 4:  # how opaque a place is, which is no light
            places = self._places[planes[3].shape]
            values = planes[3][places.rows, places.columns] if len(places.rows) else planes[3].reshape(-1)
            self._opaque = self._opaque + values * share

    def put(self, plane: Plane, codes: Plane, part: Samples) -> None:
        """Put code values into a plane, by ``part`` of each place."""
        if len(codes):
            self._adding.put(plane, codes, part, self._places[plane.shape])

    def codes(self) -> list[Plane]:
        """The code values of each plane, in a row."""
        colour, kind = self._colour, np.uint8 if self._colour.most < 256 else np.uint16
        out: list[Plane] = [np.zeros(0, kind) for _ in self._shapes]
        for shape, light in self._light.items():
            of_light = [n for n, other in enumerate(self._shapes[: colour.planes]) if other == shape]
            made = self._adding.coded(
                light, shape[0], colour.back[of_light], colour.zero[of_light], colour.curve, colour.most
            )
            for number, codes in zip(of_light, made, strict=True):
                out[number] = codes
            if len(out) == 4 and self._shapes[3] == shape:
                out[3] = np.rint(self._opaque).astype(kind)
        return out


@dataclass(frozen=True)
class _Colour:
    """How the code values of a picture's planes stand for red, green and blue: ``matrix`` times what they have beyond
    ``zero``, by ``curve``. A picture of one plane is grey."""

    matrix: Matrix
    zero: Matrix
    curve: int
    most: int

    @property
    def planes(self) -> int:
        return len(self.zero)

    @cached_property
    def back(self) -> Matrix:
        """What each plane has beyond zero of red, green and blue."""
        return np.asarray(np.linalg.inv(self.matrix))


def _sized(values: npt.NDArray[Any], shape: tuple[int, ...]) -> npt.NDArray[Any]:
    """The values drawn out or drawn together to another shape."""
    if values.shape == shape:
        return values
    smaller = values.shape[0] > shape[0] or values.shape[1] > shape[1]
    way = cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(values, (shape[1], shape[0]), interpolation=way), values.dtype)


def _colour(frame: VideoFrame) -> _Colour:
    component = frame.format.components[0]
    most, step = (1 << component.bits) - 1, 1 << (component.bits - 8)
    grey, rgb = len(frame.planes) == 1, frame.format.name.startswith(("gbr", "rgb"))
    if grey or rgb:
        count = 1 if grey else 3
        return _Colour(np.eye(count) / most, np.zeros(count), frame.color_trc, most)
    full = is_full_range(frame)
    black, white, swing = (0, most, most) if full else (16 * step, 235 * step, 224 * step)
    red, blue = luma_weights(frame)
    green = 1 - red - blue
    of_red, of_blue = 2 - 2 * red, 2 - 2 * blue
    rgb_of_luma = np.array([[1, 0, of_red], [1, -blue * of_blue / green, -red * of_red / green], [1, of_blue, 0]])
    matrix = rgb_of_luma / np.array([white - black, swing, swing])
    return _Colour(matrix, np.array([black, 128 * step, 128 * step], np.float64), frame.color_trc, most)
