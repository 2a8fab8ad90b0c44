"""Drawing: the planes of a built picture, each sample read along its cell's path in both pictures by the cubic, and
where it stands, as far as the motion is not to be followed."""

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from numba import njit

from oddmeter.media.files.samples import Plane
from oddmeter.media.inbetweens.cells import Cells
from oddmeter.media.inbetweens.lanes import lanes_four, lanes_pair, lanes_straight_pair
from oddmeter.media.inbetweens.patches import KERNEL, PAD
from oddmeter.media.inbetweens.search import Map, padded
from oddmeter.media.pictures.sharing import do_all

_SHARP = -0.7
"""The parameter of the cubic where there is detail: between soft (−0.5) and what rings (−1)."""
_ON_IT = 1 / 64
"""Samples within which a place is a sample's own."""
Planes = Sequence[Plane]


def draw(
    first: Planes, second: Planes, made: Planes, cells: Cells, moving: Map, t: float, most: int, *, rgb: bool,
    finely: bool, luma: tuple[Map, Map] | None,
) -> None:  # fmt: skip
    """Draw all planes of a picture, of samples up to ``most``, at the moment ``t`` between two others. What is read
    along a cell's path counts for its part of ``moving``. Luma, or each colour, follows the light of the moment.
    Smaller planes of colour are read by the cubic where that is done ``finely``, by straight lines elsewhere. ``luma``
    are the first planes ``padded``, where they are at hand."""
    parts: list[Callable[[], None]] = []
    number = 0
    while number < len(made):
        lit = cells.gains[1:3] if number == 0 or (rgb and number < 3) else np.ones(2, np.float32)
        planes = slice(number, number + (2 if made[number].shape != made[0].shape else 1))
        at_hand = luma if number == 0 else None
        a, b = at_hand or (padded(*first[planes]), padded(*second[planes]))
        parts += _parts(a, b, made[planes], cells, moving, np.float32(t), lit, made[0].shape, np.float32(most), finely)
        number = planes.stop
    do_all(parts, 2 * len(cells.shares))


def _parts(
    a: Map, b: Map, made: Planes, cells: Cells, moving: Map, t: np.float32, gains: Map, size: tuple[int, ...],
    most: np.float32, finely: bool,
) -> list[Callable[[], None]]:  # fmt: skip
    """What draws the halves of one plane of the picture's own size, or the two of colour that are smaller."""
    rows, columns = cells.shares.shape
    shape = made[0].shape
    scale = np.array([shape[0] / size[0], shape[1] / size[1]], np.float32)
    drawn = [np.empty(shape, plane.dtype) for plane in made]
    paths = (cells.vectors, cells.bends, cells.shares, cells.sharpness, moving, t, gains, scale)

    def half(begins: int, ends: int) -> None:
        _draw_fours(a, b, *drawn, *paths, most, begins, ends)
        made[0][2 * begins : 2 * ends] = drawn[0][2 * begins : 2 * ends]

    def two() -> None:
        down, across = -(-rows // shape[0]), -(-columns // shape[1])
        tall, wide = -(-shape[0] * down // rows), -(-shape[1] * across // columns)
        _draw_pairs(a, b, *drawn, *paths, down, across, tall, wide, most, finely)
        for plane, values in zip(made, drawn, strict=True):
            plane[:] = values

    return [two] if len(made) == 2 else [partial(half, 0, rows // 2), partial(half, rows // 2, rows)]


@njit(**KERNEL, inline="always")
def _cubic(f, sharp):  # type: ignore[no-untyped-def]
    """What the four samples around count for, ``f`` of the way from the second to the third: by the cubic where that is
    ``sharp``, on the straight line between both where it is not."""
    a, one = np.float32(_SHARP), np.float32(1)
    g, a2, a3 = one - f, a + np.float32(2), a + np.float32(3)
    first, second, third = a * f * g * g, (a2 * f - a3) * f * f + one, (a2 * g - a3) * g * g + one
    first, second, third = sharp * first, g + sharp * (second - g), f + sharp * (third - f)
    return first, second, third, one - first - second - third


@njit(**KERNEL, inline="always")
def _place(picture, y, x):  # type: ignore[no-untyped-def]
    """The sample at or before a place of a padded picture, kept inside, and how far beyond it the place is."""
    y = min(max(y + np.float32(PAD), np.float32(2)), np.float32(picture.shape[0] - 5))
    x = min(max(x + np.float32(PAD), np.float32(2)), np.float32(picture.shape[1] - 5))
    top, left = np.uint32(y + np.float32(_ON_IT)), np.uint32(x + np.float32(_ON_IT))
    return (
        top - np.uint32(1),
        left - np.uint32(1),
        max(y - np.float32(top), np.float32(0)),
        max(x - np.float32(left), np.float32(0)),
    )


@njit(**KERNEL, inline="always")
def _pair(planes, y, x, sharp, finely):  # type: ignore[no-untyped-def]
    """The samples of two planes at a place."""
    m, n, down, right = _place(planes, y, x)
    if not finely:
        return lanes_straight_pair(planes, m + 1, n + 1, (down, down, down, down), (right, right, right, right))
    return lanes_pair(planes, m, n, _cubic(down, sharp), _cubic(right, sharp))


@njit(**KERNEL, inline="always")
def _four(picture, y, x, sharp):  # type: ignore[no-untyped-def]
    """The square of two by two samples from a place on, line by line."""
    m, n, down, right = _place(picture, y, x)
    if max(down, right) < np.float32(_ON_IT):
        m, n = m + 1, n + 1
        return picture[m, n], picture[m, n + 1], picture[m + 1, n], picture[m + 1, n + 1]
    return lanes_four(picture, m, n, _cubic(down, sharp), _cubic(right, sharp))


@njit(**KERNEL, inline="always")
def _coded(value, most):  # type: ignore[no-untyped-def]
    return min(max(value + np.float32(0.5), np.float32(0)), most)


@njit(**KERNEL, inline="always")
def _put(made, i, j, value, most):  # type: ignore[no-untyped-def]
    if i < made.shape[0] and j < made.shape[1]:
        made[i, j] = _coded(value, most)


@njit(**KERNEL, inline="always")
def _read_at(vectors, bends, shares, m, n, y, x, t, scale):  # type: ignore[no-untyped-def]
    """Where what stands at (y, x) of a plane is read in both pictures, and the share of the first."""
    vy, vx = vectors[m, n, 0] * scale[0], vectors[m, n, 1] * scale[1]
    y, x = y - bends[m, n, 0] * scale[0], x - bends[m, n, 1] * scale[1]
    rest = np.float32(1) - t
    return y - t * vy, x - t * vx, y + rest * vy, x + rest * vx, shares[m, n]


@njit(**KERNEL, inline="always")
def _standing(part, t, gains):  # type: ignore[no-untyped-def]
    """What both pictures count for where they stand, beside the part that is drawn along the motion."""
    stands = np.float32(1) - part
    return stands * (np.float32(1) - t) * gains[0], stands * t * gains[1]


@njit(**KERNEL)
def _draw_fours(  # type: ignore[no-untyped-def]
    a, b, made, vectors, bends, shares, sharpness, moving, t, gains, scale, most, begins, ends
):
    """A plane of two by two samples to a cell, some of its lines of cells."""
    for i in range(begins, ends):
        for j in range(shares.shape[1]):
            y, x = np.float32(2 * i), np.float32(2 * j)
            ay, ax, by, bx, share = _read_at(vectors, bends, shares, i, j, y, x, t, scale)
            first, second, sharp = share * gains[0], (np.float32(1) - share) * gains[1], sharpness[i, j]
            a0, a1, a2, a3 = _four(a, ay, ax, sharp)
            b0, b1, b2, b3 = _four(b, by, bx, sharp)
            v0, v1 = first * a0 + second * b0, first * a1 + second * b1
            v2, v3 = first * a2 + second * b2, first * a3 + second * b3
            part = moving[i, j]
            if part < 1:
                m, n = PAD + 2 * i, PAD + 2 * j
                first, second = _standing(part, t, gains)
                v0 = part * v0 + first * a[m, n] + second * b[m, n]
                v1 = part * v1 + first * a[m, n + 1] + second * b[m, n + 1]
                v2 = part * v2 + first * a[m + 1, n] + second * b[m + 1, n]
                v3 = part * v3 + first * a[m + 1, n + 1] + second * b[m + 1, n + 1]
            _put(made, 2 * i, 2 * j, v0, most)
            _put(made, 2 * i, 2 * j + 1, v1, most)
            _put(made, 2 * i + 1, 2 * j, v2, most)
            _put(made, 2 * i + 1, 2 * j + 1, v3, most)


@njit(**KERNEL)
def _draw_pairs(  # type: ignore[no-untyped-def]
    a, b, made_one, made_two, vectors, bends, shares, sharpness, moving, t, gains, scale, down, across, tall, wide,
    most, finely,
):  # fmt: skip
    """Two planes of one sample to ``down`` by ``across`` cells, or of ``tall`` by ``wide`` samples to one."""
    for i in range(made_one.shape[0]):
        m = i // tall * down
        for j in range(made_one.shape[1]):
            n = j if wide == 1 and across == 1 else j // wide * across
            ay, ax, by, bx, share = _read_at(vectors, bends, shares, m, n, np.float32(i), np.float32(j), t, scale)
            a1, a2 = _pair(a, ay, ax, sharpness[m, n], finely)
            b1, b2 = _pair(b, by, bx, sharpness[m, n], finely)
            first, second = share * gains[0], (np.float32(1) - share) * gains[1]
            v1, v2 = first * a1 + second * b1, first * a2 + second * b2
            part = moving[m, n]
            if part < 1:
                y, x = PAD + i, PAD + j
                first, second = _standing(part, t, gains)
                v1 = part * v1 + first * a[y, x, 0] + second * b[y, x, 0]
                v2 = part * v2 + first * a[y, x, 1] + second * b[y, x, 1]
            made_one[i, j] = _coded(v1, most)
            made_two[i, j] = _coded(v2, most)
