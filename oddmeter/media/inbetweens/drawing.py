"""Drawing: one plane of a built picture, each sample read along its cell's path in both pictures by the cubic."""

import numpy as np
from numba import njit

from oddmeter.media.files.samples import Plane
from oddmeter.media.inbetweens.cells import Cells
from oddmeter.media.inbetweens.patches import KERNEL, PAD
from oddmeter.media.inbetweens.search import padded

_SHARP = -0.7
"""The parameter of the cubic: between soft (−0.5) and what rings (−1)."""


def draw(
    a: Plane, b: Plane, made: Plane, cells: Cells, t: float, size: tuple[int, int], most: int, *, light: bool
) -> None:
    """Draw a plane, of samples up to ``most``, of a picture of that size (lines, samples), at the moment ``t`` between
    two others. ``light`` where it holds luma, or a colour, which follows the light of the moment."""
    rows, columns = cells.shares.shape
    down, across = -(-rows // made.shape[0]), -(-columns // made.shape[1])
    tall, wide = -(-made.shape[0] * down // rows), -(-made.shape[1] * across // columns)
    scale = np.array([made.shape[0] / size[0], made.shape[1] / size[1]], np.float32)
    gains = cells.gains[1:3] if light else np.ones(2, np.float32)
    drawn = np.empty(made.shape, made.dtype)
    given = (padded(a), padded(b), drawn, cells.vectors, cells.bends, cells.shares, np.float32(t), gains, scale)
    if (down, across, tall, wide) == (1, 1, 2, 2):
        _draw_fours(*given, np.float32(most))
    else:
        _draw_singles(*given, down, across, tall, wide, np.float32(most))
    made[:] = drawn


@njit(**KERNEL, inline="always")
def _cubic(f):  # type: ignore[no-untyped-def]
    """What the four samples around count for, ``f`` of the way from the second to the third."""
    a, one = np.float32(_SHARP), np.float32(1)
    g, a2, a3 = one - f, a + np.float32(2), a + np.float32(3)
    first, second, third = a * f * g * g, (a2 * f - a3) * f * f + one, (a2 * g - a3) * g * g + one
    return first, second, third, one - first - second - third


@njit(**KERNEL, inline="always")
def _place(picture, y, x):  # type: ignore[no-untyped-def]
    """The sample at or before a place of a padded picture, kept inside, and how far beyond it the place is."""
    y = min(max(y + np.float32(PAD), np.float32(2)), np.float32(picture.shape[0] - 5))
    x = min(max(x + np.float32(PAD), np.float32(2)), np.float32(picture.shape[1] - 5))
    top, left = np.uint32(y), np.uint32(x)
    return top - np.uint32(1), left - np.uint32(1), y - np.float32(top), x - np.float32(left)


@njit(**KERNEL, inline="always")
def _single(picture, y, x):  # type: ignore[no-untyped-def]
    """The sample at a place."""
    m, n, down, right = _place(picture, y, x)
    y0, y1, y2, y3 = _cubic(down)
    x0, x1, x2, x3 = _cubic(right)
    p = x0 * picture[m, n] + x1 * picture[m, n + 1] + x2 * picture[m, n + 2] + x3 * picture[m, n + 3]
    q = x0 * picture[m + 1, n] + x1 * picture[m + 1, n + 1] + x2 * picture[m + 1, n + 2] + x3 * picture[m + 1, n + 3]
    r = x0 * picture[m + 2, n] + x1 * picture[m + 2, n + 1] + x2 * picture[m + 2, n + 2] + x3 * picture[m + 2, n + 3]
    s = x0 * picture[m + 3, n] + x1 * picture[m + 3, n + 1] + x2 * picture[m + 3, n + 2] + x3 * picture[m + 3, n + 3]
    return y0 * p + y1 * q + y2 * r + y3 * s


@njit(**KERNEL, inline="always")
def _across(picture, m, n, x0, x1, x2, x3):  # type: ignore[no-untyped-def]
    """Two samples beside each other, of one line."""
    p, q, r, s, t = picture[m, n], picture[m, n + 1], picture[m, n + 2], picture[m, n + 3], picture[m, n + 4]
    return x0 * p + x1 * q + x2 * r + x3 * s, x0 * q + x1 * r + x2 * s + x3 * t


@njit(**KERNEL, inline="always")
def _four(picture, y, x):  # type: ignore[no-untyped-def]
    """The square of two by two samples from a place on, line by line."""
    m, n, down, right = _place(picture, y, x)
    y0, y1, y2, y3 = _cubic(down)
    x0, x1, x2, x3 = _cubic(right)
    a0, b0 = _across(picture, m, n, x0, x1, x2, x3)
    a1, b1 = _across(picture, m + 1, n, x0, x1, x2, x3)
    a2, b2 = _across(picture, m + 2, n, x0, x1, x2, x3)
    a3, b3 = _across(picture, m + 3, n, x0, x1, x2, x3)
    a4, b4 = _across(picture, m + 4, n, x0, x1, x2, x3)
    return (
        y0 * a0 + y1 * a1 + y2 * a2 + y3 * a3, y0 * b0 + y1 * b1 + y2 * b2 + y3 * b3,
        y0 * a1 + y1 * a2 + y2 * a3 + y3 * a4, y0 * b1 + y1 * b2 + y2 * b3 + y3 * b4,
    )  # fmt: skip


@njit(**KERNEL, inline="always")
def _put(made, i, j, value, most):  # type: ignore[no-untyped-def]
    if i < made.shape[0] and j < made.shape[1]:
        made[i, j] = min(max(value + np.float32(0.5), np.float32(0)), most)


@njit(**KERNEL, inline="always")
def _read_at(vectors, bends, shares, m, n, y, x, t, scale):  # type: ignore[no-untyped-def]
    """Where what stands at (y, x) of a plane is read in both pictures, and the share of the first."""
    vy, vx = vectors[m, n, 0] * scale[0], vectors[m, n, 1] * scale[1]
    y, x = y - bends[m, n, 0] * scale[0], x - bends[m, n, 1] * scale[1]
    rest = np.float32(1) - t
    return y - t * vy, x - t * vx, y + rest * vy, x + rest * vx, shares[m, n]


@njit(**KERNEL)
def _draw_fours(a, b, made, vectors, bends, shares, t, gains, scale, most):  # type: ignore[no-untyped-def]
    """A plane of two by two samples to a cell."""
    for i in range(shares.shape[0]):
        for j in range(shares.shape[1]):
            y, x = np.float32(2 * i), np.float32(2 * j)
            ay, ax, by, bx, share = _read_at(vectors, bends, shares, i, j, y, x, t, scale)
            first, second = share * gains[0], (np.float32(1) - share) * gains[1]
            a0, a1, a2, a3 = _four(a, ay, ax)
            b0, b1, b2, b3 = _four(b, by, bx)
            _put(made, 2 * i, 2 * j, first * a0 + second * b0, most)
            _put(made, 2 * i, 2 * j + 1, first * a1 + second * b1, most)
            _put(made, 2 * i + 1, 2 * j, first * a2 + second * b2, most)
            _put(made, 2 * i + 1, 2 * j + 1, first * a3 + second * b3, most)


@njit(**KERNEL)
def _draw_singles(  # type: ignore[no-untyped-def]
    a, b, made, vectors, bends, shares, t, gains, scale, down, across, tall, wide, most
):  # fmt: skip
    """A plane of one sample to ``down`` by ``across`` cells, or of ``tall`` by ``wide`` samples to one."""
    for i in range(made.shape[0]):
        for j in range(made.shape[1]):
            m, n = i // tall * down, j // wide * across
            ay, ax, by, bx, share = _read_at(
                vectors, bends, shares, m, n, np.float32(i), np.float32(j), t, scale
            )  # fmt: skip
            value = share * gains[0] * _single(a, ay, ax) + (np.float32(1) - share) * gains[1] * _single(b, by, bx)
            _put(made, i, j, value, most)
