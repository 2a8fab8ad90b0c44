"""Mixing pictures as light mixes: weights act on light, not on the code values that stand for it.

Code values are taken as light by the power of 2.4 of a reference display (ITU-R BT.1886), red, green and blue each
for itself, with the luma weights of the picture's colour matrix (ITU-R BT.601, BT.709, BT.2020).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.media.files.samples import Plane, empty_like, planar, planes_of
from oddmeter.media.pictures.planes import is_full_range, luma_weights

Samples = npt.NDArray[np.float32]

_GAMMA = 2.4
_FINE = 1 << 16
"""Steps in which code values are looked up as light; light, which lies closer together in the dark, by its root."""
_BEYOND = 1.5
"""How far beyond black and white red, green or blue may lie, as a picture's luma and chroma can have them."""


def mixed(first: VideoFrame, second: VideoFrame, weight: float) -> VideoFrame:
    """Both pictures, the second with ``weight`` from 0 to 1, added as light; in the pixel format of the first."""
    first, second = planar(first), planar(second)
    out = empty_like(first, first.width, first.height)
    for made, values in zip(planes_of(out), _added(first, second, weight, None), strict=True):
        made[:] = values.reshape(made.shape)
    return out


def mix_into(made: VideoFrame, first: VideoFrame, second: VideoFrame, weight: float, part: Samples) -> None:
    """Put the mix of two pictures into a made one, by ``part`` of each of its places: 0 leaves it as it is.

    All are planar, of the same raster and pixel format.
    """
    parts = [_sized(part, plane.shape) for plane in planes_of(made)]
    places = [np.flatnonzero(values > _LEAST) for values in parts]
    if not any(some.size for some in places):
        return
    mixes = _added(first, second, weight, places)
    for plane, values, some, mix in zip(planes_of(made), parts, places, mixes, strict=True):
        shares = values.reshape(-1)[some]
        rows, columns = np.divmod(some, plane.shape[1])
        plane[rows, columns] = np.rint(plane[rows, columns] * (1 - shares) + mix * shares).astype(plane.dtype)


_LEAST = 0.02
"""Less of a mix than this is not to be seen."""


@dataclass(frozen=True)
class _Colour:
    """How the code values of a picture's planes stand for red, green and blue from 0 to 1."""

    planes: int
    rgb: bool
    red: float
    blue: float
    black: float
    white: float
    middle: float
    swing: float
    most: int

    def light(self, samples: Sequence[Samples]) -> list[Samples]:
        """Red, green and blue as light, as far as the planes tell them."""
        if self.rgb or self.planes == 1:
            parts = [(values - self.black) / (self.white - self.black) for values in samples]
        else:
            y = (samples[0] - self.black) / (self.white - self.black)
            cb, cr = ((values - self.middle) / self.swing for values in samples[1:3])
            r = y + cr * (2 - 2 * self.red)
            b = y + cb * (2 - 2 * self.blue)
            parts = [r, (y - self.red * r - self.blue * b) / (1 - self.red - self.blue), b]
        table, steps = _to_light(), (_FINE - 1) / (1 + 2 * _BEYOND)
        return [table[np.clip((values + _BEYOND) * steps + 0.5, 0, _FINE - 1).astype(np.int32)] for values in parts]

    def codes(self, light: Sequence[Samples], plane: int) -> Plane:
        """The code values of one plane."""
        table = _from_light()
        parts = [
            np.copysign(table[(np.sqrt(np.abs(values)) * (_FINE - 1) + 0.5).astype(np.int32)], values)
            for values in light
        ]
        if self.rgb or self.planes == 1:
            coded = self.black + parts[plane] * (self.white - self.black)
        else:
            r, g, b = parts
            y = self.red * r + (1 - self.red - self.blue) * g + self.blue * b
            coded = {
                0: lambda: self.black + y * (self.white - self.black),
                1: lambda: self.middle + (b - y) / (2 - 2 * self.blue) * self.swing,
                2: lambda: self.middle + (r - y) / (2 - 2 * self.red) * self.swing,
            }[plane]()
        depth = np.uint8 if self.most < 256 else np.uint16
        return np.clip(np.rint(coded), 0, self.most).astype(depth)


def _added(
    first: VideoFrame, second: VideoFrame, weight: float, places: Sequence[npt.NDArray[np.intp]] | None
) -> list[Plane]:
    """The mix for each plane, at all its places or at some, in a row."""
    colour = _colour(first)
    stored = [planes_of(frame) for frame in (first, second)]
    out: list[Plane] = []
    for number, plane in enumerate(stored[0]):
        if number == 3:
            out.append(_weighed(plane, stored[1][3], weight, None if places is None else places[3]))
            continue
        lights = [
            colour.light(_beside(planes[:3], plane.shape, None if places is None else places[number]))
            for planes in stored
        ]
        added = [a * np.float32(1 - weight) + b * np.float32(weight) for a, b in zip(*lights, strict=True)]
        out.append(colour.codes(added, number))
    return out


def _beside(planes: Sequence[Plane], shape: tuple[int, ...], places: npt.NDArray[np.intp] | None) -> list[Samples]:
    """The samples of all planes at the places of one of them."""
    out = []
    for plane in planes:
        sized = np.asarray(_sized(plane, shape)).reshape(-1)
        out.append((sized if places is None else sized.take(places)).astype(np.float32))
    return out


def _weighed(a: Plane, b: Plane, weight: float, places: npt.NDArray[np.intp] | None) -> Plane:
    """What is no colour, such as how opaque a place is, weighed as it is stored."""
    values = (a * (1 - weight) + b * weight).reshape(-1)
    return np.rint(values if places is None else values.take(places)).astype(a.dtype)


def _sized(values: npt.NDArray[Any], shape: tuple[int, ...]) -> npt.NDArray[Any]:
    """The values drawn out or drawn together to another shape."""
    if values.shape == shape:
        return values
    smaller = values.shape[0] > shape[0] or values.shape[1] > shape[1]
    way = cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(values, (shape[1], shape[0]), interpolation=way), values.dtype)


def _colour(frame: VideoFrame) -> _Colour:
    component = frame.format.components[0]
    most = (1 << component.bits) - 1
    rgb = frame.format.name.startswith(("gbr", "rgb"))
    full = rgb or is_full_range(frame) or len(frame.planes) == 1
    red, blue = luma_weights(frame)
    step = 1 << (component.bits - 8)
    return _Colour(
        planes=min(3, len(frame.planes)), rgb=rgb, red=red, blue=blue, black=0 if full else 16 * step,
        white=most if full else 235 * step, middle=128 * step, swing=most if full else 224 * step, most=most,
    )  # fmt: skip


@lru_cache(maxsize=1)
def _to_light() -> Samples:
    values = np.linspace(-_BEYOND, 1 + _BEYOND, _FINE)
    return np.asarray(np.sign(values) * np.abs(values) ** _GAMMA, np.float32)


@lru_cache(maxsize=1)
def _from_light() -> Samples:
    roots = np.arange(4 * _FINE) / (_FINE - 1)
    return np.asarray((roots**2) ** (1 / _GAMMA), np.float32)
