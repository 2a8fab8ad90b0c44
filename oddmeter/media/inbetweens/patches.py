"""Patches: small squares of a picture read at places between its samples, and how far two of them differ.

Compiled to machine code and kept on disk. Pictures are float32 luma in grey levels with ``PAD`` samples of edge around
them; vectors are (lines, samples) from the first picture to the second, and a patch at the moment ``t`` is read ``t``
of the way back in the first and the rest of the way on in the second.
"""

import numpy as np
from numba import njit

from oddmeter.media.inbetweens.lanes import (
    LANES,
    WINDOW,
    lanes_apart,
    lanes_cost,
    lanes_cost_and_sums,
    lanes_whole_cost,
)

PAD = 32
APART = 4
"""Samples from one node to the next, in the picture they are searched in."""
SIDE = LANES
"""Samples along a patch by which motion is found."""
KERNEL = {"fastmath": True, "nogil": True, "error_model": "numpy", "cache": True}
_LIGHT, _OF_LIGHT = 12.0, 0.8
"""Grey levels by which a whole patch may be lighter, and how much of that does not count."""
_STIFF = 60.0
"""Damps steps where a patch has next to no detail."""


@njit(**KERNEL, inline="always")
def corner(i):  # type: ignore[no-untyped-def]
    """Where the patch of a node begins, along a side."""
    return i * APART + (APART - SIDE) * 0.5


@njit(**KERNEL)
def spot(picture, y, x):  # type: ignore[no-untyped-def]
    """Where a patch is read whose first sample lies at (y, x): that line and column, and how far beyond them; kept
    where the lanes around it can be read, too."""
    height, width = picture.shape
    y = min(max(np.float32(y) + np.float32(PAD), np.float32(1)), np.float32(height - SIDE - 4))
    x = min(max(np.float32(x) + np.float32(PAD), np.float32(1)), np.float32(width - SIDE - 4))
    top, left = int(y), int(x)
    return top, left, y - np.float32(top), x - np.float32(left)


@njit(**KERNEL)
def cost(a, b, y, x, vy, vx, t):  # type: ignore[no-untyped-def]
    """How far the patches differ along a vector, in grey levels over all their samples, less most of what is light."""
    rest = np.float32(1) - t
    ay, ax, a_down, a_right = spot(a, y - t * vy, x - t * vx)
    by, bx, b_down, b_right = spot(b, y + rest * vy, x + rest * vx)
    light, of_light = np.float32(_LIGHT), np.float32(_OF_LIGHT)
    return lanes_cost(a, ay, ax, a_down, a_right, b, by, bx, b_down, b_right, light, of_light, rest)


@njit(**KERNEL)
def whole_costs(a, b, y, x, reach, out):  # type: ignore[no-untyped-def]
    """The cost of a patch of the first picture against each of the second that lies up to ``reach`` whole samples away,
    all at whole samples, by lines and samples."""
    top, left, zero, _ = spot(a, y, x)
    light, of_light = np.float32(_LIGHT), np.float32(_OF_LIGHT)
    lowest, rightmost = b.shape[0] - SIDE - 4, b.shape[1] - SIDE - 4
    up, aside = int(y) + PAD - reach, int(x) + PAD - reach
    for p in range(2 * reach + 1):
        m = min(max(up + p, 1), lowest)
        for q in range(2 * reach + 1):
            n = min(max(aside + q, 1), rightmost)
            out[p, q] = lanes_whole_cost(a, top, left, zero, zero, b, m, n, zero, zero, light, of_light, zero)


@njit(**KERNEL)
def cost_and_step(a, b, y, x, vy, vx, t):  # type: ignore[no-untyped-def]
    """The cost of a vector, and by how much it is changed by one Gauss-Newton step on its patch, light set aside:
    (lines, samples)."""
    rest = np.float32(1) - t
    ay, ax, a_down, a_right = spot(a, y - t * vy, x - t * vx)
    by, bx, b_down, b_right = spot(b, y + rest * vy, x + rest * vx)
    light, of_light = np.float32(_LIGHT), np.float32(_OF_LIGHT)
    found, xx, xy, yy, xo, yo, sx, sy, so = lanes_cost_and_sums(
        a, ay, ax, a_down, a_right, b, by, bx, b_down, b_right, light, of_light, rest
    )
    n = np.float32(1.0 / (SIDE * SIDE))
    xx = xx - sx * sx * n + np.float32(_STIFF)
    yy = yy - sy * sy * n + np.float32(_STIFF)
    xy, xo, yo = xy - sx * sy * n, xo - sx * so * n, yo - sy * so * n
    whole = xx * yy - xy * xy
    return found, -(xx * yo - xy * xo) / whole, -(yy * xo - xy * yo) / whole


@njit(**KERNEL)
def differing(a, ay, ax, b, by, bx, gain_a, gain_b):  # type: ignore[no-untyped-def]
    """The mean difference of two squares of ``WINDOW`` samples along a side, each with a gain, in grey levels."""
    ay, ax, a_down, a_right = spot(a, ay, ax)
    by, bx, b_down, b_right = spot(b, by, bx)
    total = lanes_apart(a, ay, ax, a_down, a_right, b, by, bx, b_down, b_right, gain_a, gain_b, gain_a)
    return total * np.float32(1.0 / (WINDOW * WINDOW))


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
