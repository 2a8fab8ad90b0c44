"""Flow: a new picture between two, built along the motion from one to the other.

Motion is found both ways (dense inverse search, Kroeger et al. 2016, as in OpenCV), projected to the moment that is
wanted, and of both projections the one along which the two pictures agree better is taken. Where a place is seen from
one side only, that side gives it. How far the motion can be trusted is judged place by place: what agrees little
better along the motion than without it, or moves farther than the reach, is mixed instead, with a soft edge.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.decisions.treatment import Effort
from oddmeter.media.files.samples import Plane, empty_like, planar, planes_of
from oddmeter.media.pictures.light import mix_into, mixed
from oddmeter.media.pictures.planes import luma_of

Map = npt.NDArray[np.float32]
Grey = npt.NDArray[np.uint8]

_ROUNDS = 3
"""Steps towards the motion at the moment between, by fixed-point iteration."""
_BLOCK = 5
_NOISE = 2.0
"""Grey levels by which two pictures may differ along true motion."""
_SOFT = 5.0
"""The width of the edge between built and mixed parts, in pixels."""
_NEAR_EDGE = 41
"""Places around one beyond the edge from which its motion is taken."""


@dataclass(frozen=True)
class _Search:
    """How an effort looks for motion: at a part of the size, how finely, with patches how far apart, with how many
    rounds of refinement, and whether once more in smaller pictures; and how it reads samples between samples."""

    shrink: int
    finest: int
    stride: int
    refinement: int
    coarse: bool
    samples: int


_SEARCHES = {
    Effort.QUICK: _Search(4, 0, 6, 0, False, cv2.INTER_LINEAR),
    Effort.NORMAL: _Search(2, 1, 4, 3, False, cv2.INTER_CUBIC),
    Effort.CAREFUL: _Search(2, 0, 5, 2, True, cv2.INTER_CUBIC),
}


@dataclass(frozen=True)
class Motion:
    """The motion between two pictures, found once for all moments between them, on a grid ``part`` times as coarse as
    the picture: in ``ways`` the motion forth and back as each search found it, the finest first; and how far each
    place comes back to itself, in places of the grid."""

    first: Grey
    second: Grey
    ways: tuple[tuple[Map, Map], ...]
    lost_forth: Map
    lost_back: Map
    part: int


@dataclass(frozen=True)
class Built:
    """A built picture, and how much of it was mixed: for each place of its luma, from 0 to 1."""

    frame: VideoFrame
    mixed_part: Map


def motion(first: VideoFrame, second: VideoFrame, effort: Effort) -> Motion:
    """The motion between two pictures of the same raster and pixel format."""
    search = _SEARCHES[effort]
    small = _size(first.width, first.height, search.shrink)
    a, b = (_shrunk(luma_of(frame), small) for frame in (first, second))
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    finder.setFinestScale(search.finest)
    finder.setPatchStride(search.stride)
    finder.setVariationalRefinementIterations(search.refinement)
    forth, back = _calc(finder, a, b), _calc(finder, b, a)
    ways = [(forth, back)]
    if search.coarse:
        half = (a.shape[1] // 2, a.shape[0] // 2)
        ways.append(_found_smaller(finder, a, b, half))
    places = _places(*a.shape)
    lost_forth = _length(forth + _taken(back, places + forth))
    lost_back = _length(back + _taken(forth, places + back))
    return Motion(a, b, tuple(ways), lost_forth, lost_back, search.shrink)


def brought_near(first: Grey, second: Grey) -> Grey:
    """The second picture moved onto the first, as far as a quick search finds the way."""
    forth = _calc(cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST), first, second)
    return np.asarray(_taken(second, _places(*first.shape) + forth), np.uint8)


def _found_smaller(finder: cv2.DISOpticalFlow, a: Grey, b: Grey, size: tuple[int, int]) -> tuple[Map, Map]:
    """The motion as it is found in smaller pictures, drawn out: it gets less of detail and more of what moves far."""
    small_a, small_b = _shrunk(a, size), _shrunk(b, size)
    scale = np.array([a.shape[1] / size[0], a.shape[0] / size[1]], np.float32)
    forth, back = _calc(finder, small_a, small_b), _calc(finder, small_b, small_a)
    return tuple(_drawn_out(flow * scale, a.shape[1], a.shape[0]) for flow in (forth, back))  # type: ignore[return-value]


def between(
    first: VideoFrame, second: VideoFrame, found: Motion, weight: float, effort: Effort, reach: int, trust: float
) -> Built:
    """The picture at ``weight`` of the way from the first to the second, in the pixel format of the first.

    ``reach`` is how far things may move between them, in pixels; ``trust`` from 0 (everything is built) to 1
    (everything is mixed).
    """
    first, second = planar(first), planar(second)
    places = _places(*found.first.shape)
    moved, cost = _projected(found, places, weight)
    from_first, from_second = places - weight * moved, places + (1 - weight) * moved
    share = _share_of_first(found, from_first, from_second, weight)
    sure = _trusted(found, moved, cost, share, reach, trust)
    built_part = _drawn_out(sure, first.width, first.height)
    if built_part.max() <= 0:
        return Built(mixed(first, second, weight), np.ones_like(built_part))
    share = np.asarray(cv2.GaussianBlur(share, (0, 0), 2 / found.part))
    out = empty_like(first, first.width, first.height)
    pairs = zip(planes_of(first), planes_of(second), planes_of(out), strict=True)
    scaled: dict[tuple[int, int], tuple[Map, Map]] = {}
    for a, b, made in pairs:
        if made.shape not in scaled:
            scaled[made.shape] = _in_samples(moved, *made.shape), _drawn_out(share, made.shape[1], made.shape[0])
        way, part = scaled[made.shape]
        samples = _SEARCHES[effort].samples
        made[:] = _blended(_warped(a, way, -weight, samples), _warped(b, way, 1 - weight, samples), part)
    mixed_part = 1 - built_part
    mix_into(out, first, second, weight, mixed_part)
    return Built(out, mixed_part)


def _in_samples(moved: Map, height: int, width: int) -> Map:
    """The motion for each sample of a plane, in samples of it."""
    scale = np.array([width / moved.shape[1], height / moved.shape[0]], np.float32)
    return _drawn_out(moved * scale, width, height)


def _warped(plane: Plane, moved: Map, share: float, samples: int) -> Plane:
    """The plane with each sample taken from ``share`` of its motion away."""
    at = cv2.scaleAdd(moved, share, _places(*moved.shape[:2]))
    return np.asarray(cv2.remap(plane, at, None, samples, borderMode=cv2.BORDER_REPLICATE), plane.dtype)  # type: ignore[call-overload]


def _projected(found: Motion, places: Map, weight: float) -> tuple[Map, Map]:
    """The motion through each place at the moment between, and how much the two pictures differ along it."""
    best, least = np.zeros_like(places), np.full(places.shape[:2], np.inf, np.float32)
    for forth, back in found.ways:
        for moved in (_through(forth, places, weight), -_through(back, places, 1 - weight)):
            a, b = _taken(found.first, places - weight * moved), _taken(found.second, places + (1 - weight) * moved)
            cost = _around(cv2.absdiff(a, b))
            better = cost < least
            best, least = np.where(better[..., None], moved, best), np.minimum(cost, least)
    return _kept_inside(best, places, weight), least


def _kept_inside(moved: Map, places: Map, weight: float) -> Map:
    """The motion, with that of the nearest places that both pictures see where one of them ends."""
    seen = _inside(places - weight * moved) * _inside(places + (1 - weight) * moved)
    if seen.min() > 0:
        return moved
    near = (_NEAR_EDGE, _NEAR_EDGE)
    total, share = cv2.blur(moved * seen[..., None], near), cv2.blur(seen, near)
    filled = total / np.maximum(share, 1e-6)[..., None]
    return np.where(((seen == 0) & (share > 0.01))[..., None], filled, moved)


def _through(flow: Map, places: Map, share: float) -> Map:
    """The flow of whatever comes through each place after ``share`` of its way."""
    moved = flow
    for _ in range(_ROUNDS):
        moved = _taken(flow, places - share * moved)
    return moved


def _share_of_first(found: Motion, from_first: Map, from_second: Map, weight: float) -> Map:
    """How much of each place the first picture gives: by the moment, and by which side sees the place at all."""
    seen_a = (1 - weight) / (1 + _taken(found.lost_forth, from_first) ** 2) * _inside(from_first) + 1e-4
    seen_b = weight / (1 + _taken(found.lost_back, from_second) ** 2) * _inside(from_second) + 1e-4
    return np.asarray(seen_a / (seen_a + seen_b), np.float32)


def _trusted(found: Motion, moved: Map, cost: Map, share: Map, reach: int, trust: float) -> Map:
    """Where the motion is believed, from 0 to 1, with a soft edge.

    Confidence is 1 where both pictures agree along the motion, and one half where they agree no better than without
    it. What is seen from one side only cannot be compared with the other.
    """
    without = _around(cv2.absdiff(found.first, found.second))
    compared = 4 * share * (1 - share)
    confidence = np.maximum(0, 1 - cost * compared / (2 * (without + _NOISE)))
    believed = (confidence >= trust) & (_length(moved) * found.part <= reach)
    if trust >= 1:
        believed[:] = False
    soft = cv2.GaussianBlur(believed.astype(np.float32), (0, 0), _SOFT / found.part)
    return np.asarray(np.minimum(soft, 1), np.float32)


def _blended(a: Plane, b: Plane, share: Map) -> Plane:
    if a.dtype == np.uint8:
        return np.asarray(cv2.blendLinear(a, b, share, 1 - share), np.uint8)
    blended = cv2.blendLinear(a.astype(np.float32), b.astype(np.float32), share, 1 - share)
    return np.clip(np.rint(blended), 0, 65535).astype(np.uint16)


def _drawn_out(values: Map, width: int, height: int) -> Map:
    return np.asarray(cv2.resize(values, (width, height), interpolation=cv2.INTER_LINEAR))


def _size(width: int, height: int, part: int) -> tuple[int, int]:
    """A raster that many times coarser, but never too small to search in."""
    return max(16, width // part), max(16, height // part)


def _shrunk(grey: Grey, size: tuple[int, int]) -> Grey:
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)


def _calc(finder: cv2.DISOpticalFlow, a: Grey, b: Grey) -> Map:
    return np.asarray(finder.calc(a, b, None), np.float32)  # type: ignore[call-overload]


def _taken(values: npt.NDArray[np.generic], at: Map) -> Map:
    """The values at places, which may lie between places; those beyond the edge are those of the edge."""
    return np.asarray(cv2.remap(values, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))  # type: ignore[call-overload]


def _around(values: npt.NDArray[np.generic]) -> Map:
    return np.asarray(cv2.blur(values.astype(np.float32), (_BLOCK, _BLOCK)))


def _length(vectors: Map) -> Map:
    return np.asarray(cv2.magnitude(vectors[..., 0], vectors[..., 1]))


def _inside(at: Map) -> Map:
    height, width = at.shape[:2]
    return np.asarray(cv2.inRange(at, (-1.0, -1.0, 0, 0), (float(width), float(height), 0, 0)) > 0, np.float32)


@lru_cache(maxsize=8)
def _places(height: int, width: int) -> Map:
    """The coordinates of every place, shape (height, width, 2)."""
    columns, rows = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return np.dstack([columns, rows])
