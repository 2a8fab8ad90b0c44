"""Search: the motion of two pictures at a moment between them, at nodes four samples apart.

From small pictures to large ones. A node keeps the vector along which its patches of both pictures differ least, of
its own, those of its neighbours, and one step from the best; then vectors are drawn towards neighbours that fit.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from math import log2
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from numba import njit

from oddmeter.media.inbetweens.far import LINES, WELL, take_far
from oddmeter.media.inbetweens.patches import APART, KERNEL, PAD, SIDE, corner, cost, cost_and_step, node_at

Map = npt.NDArray[np.float32]
_SMALLEST = 20
"""Lines of the smallest picture that is searched, or a little fewer."""
_WELL = 64.0
"""A cost below which a node asks none of its neighbours; and what a neighbour's vector has to be better by, more than
a third of it."""
_MOST_STEP, _UNTESTED = 2.0, 0.3
_FITS = 6.0
"""Grey levels a sample by which nodes differ that light is judged by."""


def padded(*planes: npt.NDArray[Any]) -> Map:
    """The samples of a plane as float32, or those of some planes beside each other, with ``PAD`` more on every side
    like those of the edge."""
    whole = planes[0] if len(planes) == 1 else cv2.merge(planes)
    return np.asarray(cv2.copyMakeBorder(np.asarray(whole, np.float32), PAD, PAD, PAD, PAD, cv2.BORDER_REPLICATE))


def above(values: Map, part: float) -> float:
    """The value that lies above so large a part of the others; 0 of none. Much quicker than the library's percentile,
    which goes between two of them."""
    flat = values.ravel()
    place = int(part * flat.size)
    return float(np.partition(flat, place)[place]) if flat.size else 0.0


class Levels:
    """A picture's luma in sizes, each half of the one before, with edges around; the first is its own."""

    def __init__(self, luma: npt.NDArray[np.uint8]) -> None:
        self.height, self.width = luma.shape
        self.luma = luma

    @cached_property
    def pictures(self) -> tuple[Map, ...]:
        """All sizes, float32 in grey levels, padded by ``PAD``."""
        found = [np.asarray(self.luma, np.float32)]
        wanted = max(1, round(log2(max(_SMALLEST, self.height) / _SMALLEST)))
        while len(found) < wanted and min(found[-1].shape) >= 2 * 16:
            last = found[-1]
            size = ((last.shape[1] + 1) // 2, (last.shape[0] + 1) // 2)
            found.append(np.asarray(cv2.resize(last, size, interpolation=cv2.INTER_AREA), np.float32))
        return tuple(map(padded, found))

    @cached_property
    def roughness(self) -> npt.NDArray[np.uint8]:
        """How much there is of detail around each square of two by two samples: by how many eighths of a grey level a
        sample differs from those beside it, all four taken together; 255 at the most."""
        bent = cv2.convertScaleAbs(cv2.Laplacian(self.luma, cv2.CV_16S), alpha=8)
        size = -(-self.width // 2), -(-self.height // 2)
        return np.asarray(cv2.blur(cv2.resize(bent, size, interpolation=cv2.INTER_AREA), (9, 9)), np.uint8)


@dataclass(frozen=True)
class Field:
    """Motion at the moment ``t`` between two pictures: vectors (lines, samples) in samples of the picture, and the cost
    of each, at nodes ``apart`` samples apart, the first in the middle of the first square of that side; and by how many
    grey levels the second picture is lighter along it, at which mean level."""

    first: Levels
    second: Levels
    t: float
    vectors: Map
    costs: Map
    apart: int
    lighter: float
    level: float


def found_between(first: Levels, second: Levels, finest: int) -> Field:
    """The motion half way between two pictures; the last search is in pictures ``finest`` sizes below their own."""
    vectors: Map | None = None
    costs: Map = np.zeros((2, 2), np.float32)
    finest = min(finest, len(first.pictures) - 1)
    for level in range(len(first.pictures) - 1, finest - 1, -1):
        a, b = first.pictures[level], second.pictures[level]
        shape = _nodes(a)
        cheap = vectors is None or level > finest + 1
        vectors = np.zeros((*shape, 2), np.float32) if vectors is None else _finer(vectors, shape)
        ways = (False, True) if cheap else (False,)  # what is found travels both ways where that is cheap
        begun = vectors.copy() if level == 0 else vectors
        vectors, costs = _refined(a, b, vectors, np.float32(0.5), ways)
        if level == 0 and len(first.pictures) > 1:
            _take_back(a, b, first.pictures[1], second.pictures[1], begun, vectors, costs)
        lines = a.shape[0] - 2 * PAD
        if lines <= LINES < 2 * lines and costs.max() >= WELL and take_far(a, b * _as_light(a, b), vectors, costs):
            vectors, costs = _refined(a, b, vectors, np.float32(0.5), ways)
    assert vectors is not None
    return _field(first, second, 0.5, vectors, costs, finest)


def _as_light(a: Map, b: Map) -> np.float32:
    """What makes the second picture as light as the first, on the whole."""
    one, other = float(a.mean()), float(b.mean())
    return np.float32(one / other if min(one, other) > 1 else 1)


def moved_to(field: Field, t: float) -> Field:
    """The same motion at another moment: carried along itself, and searched once more in the same size."""
    if t == field.t:
        return field
    finest = (field.apart // APART).bit_length() - 1
    vectors = np.empty_like(field.vectors)
    _carried(field.vectors, np.float32(field.t - t), field.apart, vectors)
    a, b = field.first.pictures[finest], field.second.pictures[finest]
    vectors, costs = _refined(a, b, vectors / np.float32(1 << finest), np.float32(t), (True,))
    return _field(field.first, field.second, t, vectors, costs, finest)


def _field(first: Levels, second: Levels, t: float, vectors: Map, costs: Map, finest: int) -> Field:
    apart = APART << finest
    vectors = np.ascontiguousarray(vectors * np.float32(1 << finest))
    lighter, level = _light(first.pictures[0], second.pictures[0], vectors, costs, apart, np.float32(t))
    return Field(first, second, t, vectors, costs, apart, lighter if abs(lighter) > 0.4 else 0.0, max(level, 8.0))


def _nodes(picture: Map) -> tuple[int, int]:
    return max(2, -(-(picture.shape[0] - 2 * PAD) // APART)), max(2, -(-(picture.shape[1] - 2 * PAD) // APART))


def _finer(vectors: Map, shape: tuple[int, int]) -> Map:
    """The vectors of a picture for one of twice its size, at so many nodes."""
    rows, columns = vectors.shape[:2]
    large = cv2.resize(vectors, (columns * 2, rows * 2), interpolation=cv2.INTER_LINEAR) * np.float32(2)
    at = np.ix_(np.minimum(np.arange(shape[0]), rows * 2 - 1), np.minimum(np.arange(shape[1]), columns * 2 - 1))
    return np.ascontiguousarray(large[at], np.float32)


def _refined(a: Map, b: Map, vectors: Map, t: np.float32, ways: Sequence[bool]) -> tuple[Map, Map]:
    """Searched once for each way to go through the nodes, back or not, and smoothed."""
    costs = np.empty(vectors.shape[:2], np.float32)
    sample = np.empty(costs.size, np.float32)
    count = _sampled(a, b, vectors, t, sample)
    usual = above(sample[:count], 0.5)
    for back in ways:
        _search(a, b, vectors, costs, t, np.float32(max(_WELL, usual)), back)
    smooth = np.empty_like(vectors)
    _smoothed(vectors, costs, smooth)
    return smooth, costs


@njit(**KERNEL)
def _sampled(a, b, vectors, t, out):  # type: ignore[no-untyped-def]
    """The cost of every fourth node of every fourth row; returns their number."""
    n = 0
    for i in range(1, vectors.shape[0], 4):
        for j in range(1, vectors.shape[1], 4):
            y, x = corner(i), corner(j)
            out[n] = cost(a, b, y, x, vectors[i, j, 0], vectors[i, j, 1], t)
            n += 1
    return n


@njit(**KERNEL)
def _search(a, b, vectors, costs, t, well, back):  # type: ignore[no-untyped-def]
    """Better vectors for nodes in turn, or from the last one back, in place, and what they cost."""
    rows, columns = vectors.shape[:2]
    for row in range(rows):
        i = rows - 1 - row if back else row
        for column in range(columns):
            j = columns - 1 - column if back else column
            vectors[i, j, 0], vectors[i, j, 1], costs[i, j] = _best_at(a, b, vectors, t, well, i, j)


@njit(**KERNEL, inline="always")
def _best_at(a, b, vectors, t, well, i, j):  # type: ignore[no-untyped-def]
    """The best vector of a node, of its own and its neighbours', one step further; and what it costs."""
    rows, columns = vectors.shape[:2]
    y, x = corner(i), corner(j)
    vy, vx = vectors[i, j, 0], vectors[i, j, 1]
    least, dy, dx = cost_and_step(a, b, y, x, vy, vx, t)
    if least > well:
        own = True
        least -= np.float32(_WELL * 0.375)
        for side in range(4):
            m = i - 1 if side == 1 else i + 1 if side == 3 else i
            n = j - 1 if side == 0 else j + 1 if side == 2 else j
            if m < 0 or n < 0 or m >= rows or n >= columns:
                continue
            qy, qx = vectors[m, n, 0], vectors[m, n, 1]
            if abs(qy - vy) + abs(qx - vx) < 0.25:
                continue
            c = cost(a, b, y, x, qy, qx, t)
            if c < least:
                least, vy, vx, own = c, qy, qx, False
        if not own:
            _, dy, dx = cost_and_step(a, b, y, x, vy, vx, t)
    far = max(abs(dx), abs(dy))
    if far < _UNTESTED:
        return vy + dy, vx + dx, least
    if far > _MOST_STEP:
        dy *= np.float32(_MOST_STEP) / far
        dx *= np.float32(_MOST_STEP) / far
    c = cost(a, b, y, x, vy + dy, vx + dx, t)
    if c < least:
        return vy + dy, vx + dx, c
    return vy, vx, least


@njit(**KERNEL)
def _smoothed(vectors, costs, out):  # type: ignore[no-untyped-def]
    """Each vector drawn towards those around it that are like it and fit."""
    rows, columns = costs.shape
    for i in range(rows):
        for j in range(columns):
            vy, vx, total, ty, tx = vectors[i, j, 0], vectors[i, j, 1], 0.0, 0.0, 0.0
            for m in range(max(0, i - 1), min(rows, i + 2)):
                for n in range(max(0, j - 1), min(columns, j + 2)):
                    dy, dx = vectors[m, n, 0] - vy, vectors[m, n, 1] - vx
                    weight = 1.5 if m == i and n == j else 1.0 / (1.0 + dy * dy + dx * dx)
                    weight /= costs[m, n] + _WELL
                    total += weight
                    ty += weight * vectors[m, n, 0]
                    tx += weight * vectors[m, n, 1]
            out[i, j, 0], out[i, j, 1] = ty / total, tx / total


@njit(**KERNEL)
def _take_back(a, b, half_a, half_b, begun, vectors, costs):  # type: ignore[no-untyped-def]
    """Give nodes the motion again with which their search began, where that fits much better in pictures of half the
    size, of which a patch shows twice as much: letters that run past seem to stand to a small one, where neither
    picture has one."""
    half, middle = np.float32(0.5), (SIDE - 1) * 0.5
    for i in range(vectors.shape[0]):
        for j in range(vectors.shape[1]):
            vy, vx, by, bx = vectors[i, j, 0], vectors[i, j, 1], begun[i, j, 0], begun[i, j, 1]
            if max(abs(vy - by), abs(vx - bx)) <= 1:
                continue
            y, x = (corner(i) + middle - 0.5) * 0.5 - middle, (corner(j) + middle - 0.5) * 0.5 - middle
            found = cost(half_a, half_b, y, x, half * vy, half * vx, half)
            if found > 2 * cost(half_a, half_b, y, x, half * by, half * bx, half) + np.float32(_WELL):
                vectors[i, j, 0], vectors[i, j, 1] = by, bx
                costs[i, j] = cost(a, b, corner(i), corner(j), by, bx, half)


@njit(**KERNEL)
def _carried(vectors, away, apart, out):  # type: ignore[no-untyped-def]
    """The vector that comes through each node ``away`` of its length further on, by fixed-point steps."""
    for i in range(vectors.shape[0]):
        for j in range(vectors.shape[1]):
            vy, vx = vectors[i, j, 0], vectors[i, j, 1]
            for _ in range(3):
                y, x = i + away * vy / apart, j + away * vx / apart
                vy, vx = node_at(vectors, y, x, 0), node_at(vectors, y, x, 1)
            out[i, j, 0], out[i, j, 1] = vy, vx


@njit(**KERNEL)
def _light(a, b, vectors, costs, apart, t):  # type: ignore[no-untyped-def]
    """By how much the second picture is lighter along the motion, and the mean level, where it fits."""
    off, mean, count = 0.0, 0.0, 1e-3
    height, width, rest = a.shape[0] - 2 * PAD, a.shape[1] - 2 * PAD, 1 - t
    for i in range(costs.shape[0]):
        for j in range(costs.shape[1]):
            if costs[i, j] >= _FITS * SIDE * SIDE:
                continue
            y, x = i * apart + (apart - 1) * 0.5, j * apart + (apart - 1) * 0.5
            ay, ax = int(y - t * vectors[i, j, 0] + 0.5), int(x - t * vectors[i, j, 1] + 0.5)
            by, bx = int(y + rest * vectors[i, j, 0] + 0.5), int(x + rest * vectors[i, j, 1] + 0.5)
            if min(ay, ax, by, bx) < 0 or max(ay, by) >= height or max(ax, bx) >= width:
                continue
            one, two = a[ay + PAD, ax + PAD], b[by + PAD, bx + PAD]
            off += two - one
            mean += 0.5 * (one + two)
            count += 1
    return off / count, mean / count
