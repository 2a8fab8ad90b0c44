"""From decoded frames to the few numbers that reveal scan, pulldown, repeats and cuts.

Each frame's luma is reduced to the means of blocks, apart for each field. A block is eight lines high: its upper
lines 0, 2, 4 and 6 count the same, of its lower lines 1 and 3 count three times as much as 5 and 7, so that both
means lie at the same height and a still picture gives nearly the same in both fields.
"""

from collections.abc import Iterator
from functools import lru_cache
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.pictures.report import BANDS, OVER, PAIRS, Measures
from oddmeter.media.files.samples import reformatted, samples_of
from oddmeter.media.pictures.nearness import brought_near

Blocks = npt.NDArray[np.float32]
Plane = npt.NDArray[Any]
"""Luma, of eight or sixteen bits."""

_SLAB = 8
_MOST_COLUMNS = 128
_MOST_ENERGY = np.float32(32.0**2)
"""No block counts for more, so that a few which flip from black to white do not outweigh all that moves."""
_NOTHING = 255.0
"""Stands where a picture was not compared with one farther back."""
_LEAST_CHANGE = 4.0
"""Grey levels of change from which on it may be a cut, or a flash."""
_MUCH_LEFT = 3.0
"""Grey levels that motion leaves from which on the whole picture's shift is tried as well."""
_LEAST_SEEN = 16
"""Blocks of a side that both pictures must share after the shift."""
_LEAST_FLOW = 48
"""Blocks of a side below which motion cannot be looked for; smaller pictures are drawn larger."""
_PARTS, _WIDELY = (8, 8), 0.55
"""Rows and columns of parts, and the share of them that must have less left for it to count."""
_LAMP = 3
"""The light of a lamp is the same over a part of the picture of so many."""
_EDGE = cv2.BORDER_REPLICATE
_REGIONS = (5, 8)
"""Rows and columns of the parts in which motion is measured apart."""
_OF_OVER = slice(2, 2 + OVER)
_OF_BANDS = slice(_OF_OVER.stop, _OF_OVER.stop + (1 + PAIRS) * BANDS)
_OF_REGIONS = slice(_OF_BANDS.stop, _OF_BANDS.stop + _REGIONS[0] * _REGIONS[1])
"""Where in a frame's row they lie, after its change and what motion leaves of that."""


class Meter:
    """Measures consecutive frames; keeps block means of the last few frames only. ``fine`` looks at blocks of
    half a field's resolution, for what happens at edges."""

    def __init__(self, first_frame: int = 0, *, fine: bool = False) -> None:
        self.first_frame = first_frame
        self._fine = fine
        self._rows: list[Blocks] = []
        self._fields: list[Blocks] = []
        self._whole: list[Blocks] = []

    def __len__(self) -> int:
        return len(self._rows)

    def following(self) -> "Meter":
        """A meter that goes on with the next frame, and has measured nothing yet."""
        meter = Meter(self.first_frame + len(self), fine=self._fine)
        meter._fields, meter._whole = self._fields, self._whole
        return meter

    def push(self, frame: VideoFrame) -> None:
        """Take in the next frame."""
        fields = fine_blocks(frame) if self._fine else blocks(frame)
        whole = fields[0] + fields[1]
        row = np.zeros(_OF_REGIONS.stop, np.float32)
        if self._fields and self._fields[-1].shape == fields.shape:
            self._compare(fields, whole, row)
        else:
            self._whole = []
        self._rows.append(row)
        self._fields = [fields]
        self._whole = [*self._whole[-OVER:], whole]

    def _compare(self, fields: Blocks, whole: Blocks, row: Blocks) -> None:
        """Fill in the numbers of one frame. What moves most weighs most."""
        before = self._fields[-1]
        rise = fields - before
        rise *= rise
        np.minimum(rise, _MOST_ENERGY, out=rise)
        weights = rise[0] + rise[1]
        row[_OF_REGIONS] = _by_region(weights) / 2
        crossing = np.stack([fields[0] - fields[1], fields[0] - before[1], before[0] - fields[1]])
        crossing *= crossing
        np.minimum(crossing, _MOST_ENERGY, out=crossing)
        row[_OF_BANDS] = _by_band(weights, rise, crossing)
        row[0] = row[1] = _difference(whole, self._whole[-1])
        row[_OF_OVER] = _NOTHING
        if row[0] >= _LEAST_CHANGE:
            row[1] = unexplained(whole, self._whole[-1])
            for number, earlier in enumerate(self._whole[-2::-1]):
                row[_OF_OVER.start + number] = _difference(whole, earlier)

    def measures(self) -> Measures:
        """All that was measured so far."""
        table = np.array(self._rows, np.float64).reshape(-1, _OF_REGIONS.stop)
        change, rest = table[:, :2].T
        bands = table[:, _OF_BANDS].reshape(-1, 1 + PAIRS, BANDS)
        return Measures(self.first_frame, bands, change, table[:, _OF_OVER], table[:, _OF_REGIONS], rest)


def _difference(one: Blocks, other: Blocks) -> float:
    """Mean absolute difference of two whole pictures, in grey levels."""
    return float(np.abs(one - other).sum()) / 2 / one.size


def unexplained(whole: Blocks, before: Blocks) -> float:
    """Mean absolute difference of two whole pictures that motion and a change of light leave, in grey levels.

    Motion is looked for block by block; where that leaves much, once more from the shift of the whole picture, which a
    quick pan needs; and where even that leaves much, it counts the less the more both pictures are alike when out of
    focus, since a blur that comes or goes is no cut.
    """
    now, was = (np.clip(blocks / 2, 0, 255).astype(np.uint8) for blocks in (whole, before))
    left = _left_by_motion(now, was)
    if left < _MUCH_LEFT:
        return left
    rows, columns = now.shape
    window = cv2.createHanningWindow((columns, rows), cv2.CV_32F)
    (x, y), _ = cv2.phaseCorrelate(was.astype(np.float32), now.astype(np.float32), window)
    moved = cv2.warpAffine(was, np.array([[1, 0, x], [0, 1, y]], np.float32), (columns, rows), borderMode=_EDGE)
    seen = slice(max(0, round(y)), rows + min(0, round(y))), slice(max(0, round(x)), columns + min(0, round(x)))
    if min(now[seen].shape) >= _LEAST_SEEN:
        now, was = np.ascontiguousarray(now[seen]), np.ascontiguousarray(moved[seen])
        left = min(left, _left_by_motion(now, was))
    if left < _MUCH_LEFT:
        return left
    soft, other = (cv2.blur(blocks.astype(np.float32), (9, 3)) for blocks in (now, was))
    flat = soft.std() == 0 or other.std() == 0
    alike = 0.0 if flat else float(np.corrcoef(soft.ravel(), other.ravel())[0, 1])
    return left * min(1.0, 2 * (1 - max(0.0, alike)))


def _left_by_motion(now: npt.NDArray[np.uint8], was: npt.NDArray[np.uint8]) -> float:
    larger = -(-_LEAST_FLOW // min(now.shape))
    if larger > 1:
        size = (larger * now.shape[1], larger * now.shape[0])
        now, was = (
            np.asarray(cv2.resize(blocks, size, interpolation=cv2.INTER_LINEAR), np.uint8) for blocks in (now, was)
        )
    one, other = now.astype(np.float32), brought_near(now, was).astype(np.float32)
    unmoved = was.astype(np.float32)
    ways = [np.abs(one - unmoved), *(np.abs(one - light * other) for light in _lights(one, other))]
    return _widely([_in_parts(left) for left in ways])


def _lights(one: Blocks, other: Blocks) -> "Iterator[Blocks | float]":
    """How much lighter one picture may be than another: not at all, as a whole, or place by place, as far as that
    changes slowly across it, since a lamp does not light all of a room alike."""
    yield 1.0
    level, flat = one - one.mean(), other - other.mean()
    yield float(np.clip((level * flat).sum() / max(1.0, float((flat * flat).sum())), 0.5, 2))
    size = (max(3, one.shape[1] // _LAMP), max(3, one.shape[0] // _LAMP))
    both, own = cv2.blur(one * other, size), cv2.blur(other * other, size)
    yield np.clip(both / np.maximum(own, 1), 0.2, 5)


def _in_parts(left: Blocks) -> Blocks:
    down, across = (_averages(size, parts) for size, parts in zip(left.shape, _PARTS, strict=True))
    return np.asarray(down @ left @ across.T)


def _widely(ways: "list[Blocks]") -> float:
    """What is left in most parts of a picture, of each by the way that explains it best: a title, a counter or a thing
    that comes in changes few of them."""
    parts = np.sort(np.minimum.reduce(ways).ravel())
    return float(parts[int(_WIDELY * (len(parts) - 1))])


def blocks(frame: VideoFrame) -> Blocks:
    """The block means of a frame's upper and lower field, in grey levels 0 to 255, shape (2, rows, columns)."""
    luma = _luma(frame)
    if luma.shape[0] < 2 * _SLAB or luma.shape[1] < _SLAB:
        luma = np.tile(luma, (2 * _SLAB // luma.shape[0] + 1, _SLAB // luma.shape[1] + 1))
    slabs = luma.shape[0] // _SLAB
    width = luma.shape[1] // 4 * 4
    upper = _halved(_halved(luma[0 : slabs * _SLAB : 2, :width]))
    pairs = _halved(luma[1 : slabs * _SLAB : 2, :width])
    lower = _half_as_wide(cv2.addWeighted(pairs[0::2], 0.75, pairs[1::2], 0.25, 0))
    scale = 1 if luma.dtype == np.uint8 else 255 / ((1 << _depth(frame)) - 1)
    return np.stack([_narrowed(upper, scale), _narrowed(lower, scale)])


def fine_blocks(frame: VideoFrame) -> Blocks:
    """Two by two pixels of each field averaged, shape (2, rows, columns)."""
    luma = _luma(frame)
    height, width = luma.shape[0] // 4 * 4, luma.shape[1] // 2 * 2
    scale = np.float32(1 if luma.dtype == np.uint8 else 255 / ((1 << _depth(frame)) - 1))
    return np.stack([_halved(luma[line:height:2, :width]) for line in (0, 1)]).astype(np.float32) * scale


def _parts(size: int, parts: int) -> Iterator[tuple[int, int]]:
    """Where each of so many parts of a size begins and ends, as nearly alike as can be."""
    return pairwise(size * i // parts for i in range(parts + 1))


def _by_band(weights: Blocks, rise: Blocks, crossing: Blocks) -> Blocks:
    """In each band the weights added up, and each pair's energies times these, as a flat array."""
    lines = np.stack(
        [weights.sum(axis=1), *(np.einsum("rc,rc->r", energies, weights) for energies in (*rise, *crossing))]
    )
    parts = _parts(weights.shape[0], BANDS)
    return np.asarray([lines[:, start:stop].sum(axis=1) for start, stop in parts]).T.ravel()


def _by_region(rises: Blocks) -> Blocks:
    """Mean energies in ``_REGIONS`` parts of the picture, as a flat array."""
    down, across = (_averages(size, parts) for size, parts in zip(rises.shape, _REGIONS, strict=True))
    return np.asarray((down @ rises @ across.T).ravel())


@lru_cache(maxsize=64)
def _averages(size: int, parts: int) -> Blocks:
    """A matrix of shape (parts, size) that averages a series of that size in as many parts."""
    matrix = np.zeros((parts, size), np.float32)
    for part, (start, stop) in enumerate(_parts(size, parts)):
        matrix[part, start:stop] = 1 / max(1, stop - start)
    return matrix


def _halved(plane: Plane) -> Plane:
    """Two by two pixels averaged into one."""
    size = (plane.shape[1] // 2, plane.shape[0] // 2)
    halved: Plane = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    return halved


def _half_as_wide(plane: Plane) -> Plane:
    """Two neighbouring columns averaged into one: half way between them, which linear interpolation gives."""
    even = plane.shape[1] // 2 * 2
    return cv2.resize(plane[:, :even], (even // 2, plane.shape[0]), interpolation=cv2.INTER_LINEAR)


def _narrowed(plane: Plane, scale: float) -> Blocks:
    """Neighbouring columns averaged until at most ``_MOST_COLUMNS`` are left."""
    while plane.shape[1] > _MOST_COLUMNS:
        plane = _half_as_wide(plane)
    means = plane.astype(np.float32)
    if scale != 1:
        means *= np.float32(scale)
    return means


def _depth(frame: VideoFrame) -> int:
    return int(frame.format.components[0].bits)


def _luma(frame: VideoFrame) -> Plane:
    """The luma plane of a frame without copying it, where it has one; else the picture turned to grey."""
    layout, depth = frame.format, _depth(frame)
    planar = (layout.is_planar or len(layout.components) == 1) and not (layout.is_rgb or layout.has_palette)
    if not planar or layout.is_bit_stream or (layout.is_big_endian and depth > 8):
        frame, depth = reformatted(frame, format="gray"), 8
    return samples_of(frame.planes[0], depth)
