"""Patches: small squares of a picture read at places between its samples, and how far two of them differ.

Compiled to machine code and kept on disk. Pictures are float32 luma in grey levels with ``PAD`` samples of edge around
them; vectors are (lines, samples) from the first picture to the second, and a patch at the moment ``t`` is read ``t``
of the way back in the first and the rest of the way on in the second.
"""

import numpy as np
from numba import njit

PAD = 32
SIDE = 8
"""Samples along a patch by which motion is found."""
KERNEL = {"fastmath": True, "nogil": True, "error_model": "numpy", "cache": True}
_BUFFER = 16
"""The largest side of a patch that is read, and room for one more."""
_LIGHT, _OF_LIGHT = 12.0, 0.8
"""Grey levels by which a whole patch may be lighter, and how much of that does not count."""
_STIFF = 60.0
"""Damps steps where a patch has next to no detail."""


@njit(**KERNEL, inline="always")
def buffer():  # type: ignore[no-untyped-def]
    """Room to read a patch into."""
    return np.empty((_BUFFER, _BUFFER), np.float32)


@njit(**KERNEL, inline="always")
def read(picture, y, x, side, out):  # type: ignore[no-untyped-def]
    """The square of that side whose first sample lies at (y, x), samples between samples weighed linearly."""
    height, width = picture.shape
    zero, one = np.float32(0), np.float32(1)
    y = min(max(np.float32(y) + np.float32(PAD), zero), np.float32(height - side - 2))
    x = min(max(np.float32(x) + np.float32(PAD), zero), np.float32(width - _BUFFER - 2))
    top, left = np.uint32(y), np.uint32(x)
    down, right = y - np.float32(top), x - np.float32(left)
    up, back = one - down, one - right
    for k in range(_BUFFER):
        out[0, k] = back * picture[top, left + k] + right * picture[top, left + k + 1]
    for r in range(side):
        for k in range(_BUFFER):
            below = back * picture[top + r + 1, left + k] + right * picture[top + r + 1, left + k + 1]
            out[r + 1, k] = below
            out[r, k] = up * out[r, k] + down * below


@njit(**KERNEL)
def cost(a, b, y, x, vy, vx, t, one, two):  # type: ignore[no-untyped-def]
    """How far the patches differ along a vector, in grey levels over all their samples, less most of what is light."""
    rest = np.float32(1) - t
    read(a, y - t * vy, x - t * vx, SIDE, one)
    read(b, y + rest * vy, x + rest * vx, SIDE, two)
    mean = np.float32(0)
    for r in range(SIDE):
        for k in range(SIDE):
            off = two[r, k] - one[r, k]
            one[r, k] = off
            mean += off
    mean /= np.float32(SIDE * SIDE)
    mean = min(max(mean, np.float32(-_LIGHT)), np.float32(_LIGHT)) * np.float32(_OF_LIGHT)
    total = np.float32(0)
    for r in range(SIDE):
        for k in range(SIDE):
            total += abs(one[r, k] - mean)
    return total


@njit(**KERNEL)
def step(a, b, y, x, vy, vx, t, one, two):  # type: ignore[no-untyped-def]
    """By how much a vector is changed by one Gauss-Newton step on its patch, light set aside: (lines, samples)."""
    side, rest, half = SIDE + 2, np.float32(1) - t, np.float32(0.5)
    read(a, y - 1 - t * vy, x - 1 - t * vx, side, one)
    read(b, y - 1 + rest * vy, x - 1 + rest * vx, side, two)
    for r in range(side):
        for k in range(side):
            first, second = one[r, k], two[r, k]
            one[r, k] = second - first
            two[r, k] = (t * first + rest * second) * half
    return _stepped(one, two)


@njit(**KERNEL)
def cost_and_step(a, b, y, x, vy, vx, t, one, two):  # type: ignore[no-untyped-def]
    """Both at once, of patches that are read once."""
    side, rest, half = SIDE + 2, np.float32(1) - t, np.float32(0.5)
    read(a, y - 1 - t * vy, x - 1 - t * vx, side, one)
    read(b, y - 1 + rest * vy, x - 1 + rest * vx, side, two)
    for r in range(side):
        for k in range(side):
            first, second = one[r, k], two[r, k]
            one[r, k] = second - first
            two[r, k] = (t * first + rest * second) * half
    mean = np.float32(0)
    for r in range(1, SIDE + 1):
        for k in range(1, SIDE + 1):
            mean += one[r, k]
    mean /= np.float32(SIDE * SIDE)
    mean = min(max(mean, np.float32(-_LIGHT)), np.float32(_LIGHT)) * np.float32(_OF_LIGHT)
    total = np.float32(0)
    for r in range(1, SIDE + 1):
        for k in range(1, SIDE + 1):
            total += abs(one[r, k] - mean)
    dy, dx = _stepped(one, two)
    return total, dy, dx


@njit(**KERNEL, inline="always")
def _stepped(one, two):  # type: ignore[no-untyped-def]
    """The step, of the difference of two patches and half of what they are together."""
    zero = np.float32(0)
    xx, xy, yy, xo, yo, sx, sy, so = zero, zero, zero, zero, zero, zero, zero, zero
    for r in range(1, SIDE + 1):
        for k in range(1, SIDE + 1):
            gx, gy, off = two[r, k + 1] - two[r, k - 1], two[r + 1, k] - two[r - 1, k], one[r, k]
            xx += gx * gx
            xy += gx * gy
            yy += gy * gy
            xo += gx * off
            yo += gy * off
            sx += gx
            sy += gy
            so += off
    n = np.float32(1.0 / (SIDE * SIDE))
    xx = xx - sx * sx * n + np.float32(_STIFF)
    yy = yy - sy * sy * n + np.float32(_STIFF)
    xy, xo, yo = xy - sx * sy * n, xo - sx * so * n, yo - sy * so * n
    whole = xx * yy - xy * xy
    return -(xx * yo - xy * xo) / whole, -(yy * xo - xy * yo) / whole


@njit(**KERNEL)
def differ(one, two, side, gain_one, gain_two):  # type: ignore[no-untyped-def]
    """The mean difference of two squares, each with a gain, in grey levels."""
    total = np.float32(0)
    for r in range(side):
        for k in range(side):
            total += abs(gain_one * one[r, k] - gain_two * two[r, k])
    return total / np.float32(side * side)


@njit(**KERNEL)
def node_at(field, i, j, part):  # type: ignore[no-untyped-def]
    """One part of a field of nodes at a place between them."""
    rows, columns = field.shape[:2]
    i, j = min(max(i, 0.0), rows - 1.001), min(max(j, 0.0), columns - 1.001)
    top, left = int(i), int(j)
    down, right = i - top, j - left
    above = (1 - right) * field[top, left, part] + right * field[top, left + 1, part]
    below = (1 - right) * field[top + 1, left, part] + right * field[top + 1, left + 1, part]
    return (1 - down) * above + down * below
