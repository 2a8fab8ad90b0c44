"""Far: what moves so far between two pictures that small sizes lose it, found block by block.

A block of the first picture that no motion around it explains is looked for all over the second, and what is found is
looked for in the first again: only where both lead to each other, nothing else fits nearly as well, and blocks around
it go the same way, is it taken. So flat ground, which fits anywhere, stays as it is.
"""

import numpy as np
from numba import njit

from oddmeter.media.inbetweens.patches import (
    APART,
    KERNEL,
    PAD,
    SIDE,
    corner,
    cost,
    cost_and_step,
    node_at,
    whole_costs,
)

LINES = 270
"""The tallest picture in which it is looked for."""
_REACH = 12
"""Samples to each side, up and down, within which it is looked for."""
_LOST, _FOUND = 6.0 * SIDE**2, 9.0 * SIDE**2
"""What a block's own motion costs at least where it is looked for; and what it costs at most where it is found."""
WELL, _UNUSUAL = _LOST / 2, 4.0
"""Where pictures fit better than most, it is looked for from half of that on, or so many times what is usual; a node
that costs less leads through nothing that is lost."""
_MOST = 1 / 6
"""Of all blocks, as many as may be lost where they are looked for: where more are, it is not a few things that move."""
_BETTER, _ALONE = 0.5, 1.25
"""What it costs there at most, of its own motion; and what it costs anywhere else at least, of where it is found."""
_WHOLE = 2.0
"""What it costs at most at whole samples, of what it may cost between them."""
_AROUND, _TOGETHER, _SHARE = 3, 4, 0.25
"""Of the blocks up to so many nodes away, how many have to go the same way, and which part of those that are lost: a
pattern that changes in its place, such as numbers, finds itself here and there."""
_BESIDE = 2
"""Blocks away within which one must be found for those between every other one to be looked for."""
_NOWHERE = 1e6
_NEAR = 2
"""Samples within which two places are one."""


@njit(**KERNEL)
def take_far(a, b, vectors, costs):  # type: ignore[no-untyped-def]
    """Give nodes half way between two pictures, of which the second is as light as the first, the motion of blocks that
    are found far away, where it fits better than theirs; returns how many were taken."""
    rows, columns = costs.shape
    owns = np.empty((rows, columns), np.float32)
    for i in range(rows):
        for j in range(columns):
            owns[i, j] = _explained(a, b, vectors, costs, i, j)
    lost = owns >= min(_LOST, max(WELL, _UNUSUAL * np.median(owns)))
    if np.sum(lost) > owns.size * _MOST:
        return 0
    ways = np.full((rows, columns, 2), np.float32(_NOWHERE), np.float32)
    for odd in range(2):  # every other block, then those between them where one beside them was found
        for i in range(rows):
            for j in range((i + odd) % 2, columns, 2):
                if lost[i, j] and (_found_beside(ways, i, j) if odd else _lost_around(lost, i, j) >= _TOGETHER):
                    ways[i, j, 0], ways[i, j, 1] = _found(a, b, owns[i, j], i, j)
    taken = 0
    for i in range(rows):
        for j in range(columns):
            if ways[i, j, 0] < _NOWHERE and _together(ways, lost, i, j):
                taken += 1
                _take(a, b, vectors, costs, i, j, ways[i, j, 0], ways[i, j, 1])
    return taken


@njit(**KERNEL)
def _explained(a, b, vectors, costs, i, j):  # type: ignore[no-untyped-def]
    """What a block of the first picture costs along the motion that comes from it, or along none; no more than nodes on
    its way where those fit well."""
    zero, half, y, x = np.float32(0), 0.5 / APART, corner(i), corner(j)
    m = min(max(int(i + half * vectors[i, j, 0] + 0.5), 0), costs.shape[0] - 1)
    n = min(max(int(j + half * vectors[i, j, 1] + 0.5), 0), costs.shape[1] - 1)
    if costs[m, n] < WELL:
        return costs[m, n]
    vy, vx = vectors[i, j, 0], vectors[i, j, 1]
    for _ in range(2):
        m, n = i + half * vy, j + half * vx
        vy, vx = node_at(vectors, m, n, 0), node_at(vectors, m, n, 1)
    return min(cost(a, b, y, x, zero, zero, zero), cost(a, b, y, x, np.float32(vy), np.float32(vx), zero))


@njit(**KERNEL)
def _found(a, b, own, i, j):  # type: ignore[no-untyped-def]
    """How far away a block of the first picture is in the second, where both lead to each other, it fits much better
    than what it costs now, and nothing else fits nearly as well; nowhere if not."""
    height, width, nothing = a.shape[0] - 2 * PAD, a.shape[1] - 2 * PAD, np.float32(_NOWHERE)
    y, x, zero = corner(i), corner(j), np.float32(0)
    dy, dx, least, other = _looked_for(a, b, y, x)
    most = min(np.float32(_FOUND), own * np.float32(_BETTER))
    if least > most * np.float32(_WHOLE):
        return nothing, nothing
    if min(y + dy, x + dx) < -PAD / 2 or y + dy > height + PAD / 2 or x + dx > width + PAD / 2:
        return nothing, nothing
    _, down, right = cost_and_step(a, b, y, x, dy, dx, zero)
    down, right = min(max(down, np.float32(-1)), np.float32(1)), min(max(right, np.float32(-1)), np.float32(1))
    between = cost(a, b, y, x, dy + down, dx + right, zero)
    if between > least:
        between, down, right = least, zero, zero
    if between > most or other < between * np.float32(_ALONE):
        return nothing, nothing
    back_y, back_x, _, _ = _looked_for(b, a, y + dy, x + dx)
    return (dy + down, dx + right) if max(abs(back_y + dy), abs(back_x + dx)) <= 1 else (nothing, nothing)


@njit(**KERNEL)
def _lost_around(lost, i, j):  # type: ignore[no-untyped-def]
    """How many of the blocks around one are lost, itself among them."""
    count = 0
    for m in range(max(0, i - _AROUND), min(lost.shape[0], i + _AROUND + 1)):
        for n in range(max(0, j - _AROUND), min(lost.shape[1], j + _AROUND + 1)):
            count += lost[m, n]
    return count


@njit(**KERNEL)
def _found_beside(ways, i, j):  # type: ignore[no-untyped-def]
    """True where a block near this one was found."""
    near = ways[max(0, i - _BESIDE) : i + _BESIDE + 1, max(0, j - _BESIDE) : j + _BESIDE + 1, 0]
    return near.min() < _NOWHERE


@njit(**KERNEL)
def _together(ways, lost, i, j):  # type: ignore[no-untyped-def]
    """True where enough of the lost blocks around one go the same way."""
    alike = 0
    for m in range(max(0, i - _AROUND), min(ways.shape[0], i + _AROUND + 1)):
        for n in range(max(0, j - _AROUND), min(ways.shape[1], j + _AROUND + 1)):
            if lost[m, n]:
                alike += max(abs(ways[m, n, 0] - ways[i, j, 0]), abs(ways[m, n, 1] - ways[i, j, 1])) <= 1
    return alike >= _TOGETHER and alike >= _lost_around(lost, i, j) * _SHARE


@njit(**KERNEL)
def _take(a, b, vectors, costs, i, j, dy, dx):  # type: ignore[no-untyped-def]
    """Give the nodes around the middle of its way the motion of a block, where it fits better."""
    half = np.float32(0.5)
    m, n = int(i + dy * half / APART + half), int(j + dx * half / APART + half)
    for p in range(max(0, m - 1), min(costs.shape[0], m + 2)):
        for q in range(max(0, n - 1), min(costs.shape[1], n + 2)):
            y, x = corner(p), corner(q)
            here = cost(a, b, y, x, dy, dx, half)
            if here < cost(a, b, y, x, vectors[p, q, 0], vectors[p, q, 1], half) * np.float32(0.75):
                vectors[p, q, 0], vectors[p, q, 1], costs[p, q] = dy, dx, here


@njit(**KERNEL)
def _looked_for(a, b, y, x):  # type: ignore[no-untyped-def]
    """How far away in the second picture a block of the first fits best, in whole samples, what it costs there, and
    what it costs at least elsewhere."""
    side = 2 * _REACH + 1
    fits = np.empty((side, side), np.float32)
    whole_costs(a, b, y, x, _REACH, fits)
    least, other, my, mx = np.float32(1e9), np.float32(1e9), 0, 0
    for p in range(side):
        for q in range(side):
            if fits[p, q] < least:
                least, my, mx = fits[p, q], p, q
    for p in range(side):
        for q in range(side):
            if max(abs(p - my), abs(q - mx)) > _NEAR:
                other = min(other, fits[p, q])
    return np.float32(my - _REACH), np.float32(mx - _REACH), least, other
