"""Cells: for each square of two by two samples of the picture to be made, how it moved, and which picture shows it.

Where the nodes around agree and fit, their motion is taken as it is, and both pictures give their part. Elsewhere the
motions of nodes near and far are tried, and judged by how the pictures agree around the cell: the two with each other,
or one of them with the picture beyond it, where the other does not show what is here.
"""

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from numba import njit

from oddmeter.media.inbetweens.lanes import WINDOW
from oddmeter.media.inbetweens.patches import KERNEL, PAD, differing, node_at
from oddmeter.media.inbetweens.search import Field, Map, above
from oddmeter.media.pictures.sharing import do_all

_MOST_BEND = 16.0
"""Samples a frame by which motion may change from one frame to the next."""
_SPREAD = 2.0
"""Samples by which the nodes around may differ where their motion is taken as it is."""
_OWN = 0.8
"""What the difference along the nodes' own motion counts for, against others."""
_MOST_OF = 2.0
"""One picture gives at most so many times its part of the moment: close to one of them, that is what is seen."""
_ROUNDED, _DETAILED = 10.0, 20.0
"""The roughness that rounding alone makes, and that of detail."""
_SAME = 0.5
"""Samples within which two motions are one."""
_NOTHING = np.zeros((1, 1), np.float32)


@dataclass(frozen=True)
class Care:
    """How closely cells are looked at: ``finest``, in which size motion is searched last; cells judged one by one, or
    by four; motions tried at most, and from how many nodes away; by how many grey levels one picture alone must agree
    better; grey levels that fit at once, and that a difference may have where it is taken as it is; and whether smaller
    planes of colour are read by the cubic."""

    finest: int
    by_four: bool
    most: int
    far: int
    alone: float
    at_once: float
    fits: float
    colour_finely: bool


@dataclass(frozen=True)
class Cells:
    """For each cell: the vector (lines, samples) from the first picture to the second, how far its path bends aside,
    the share of the first picture, by how many grey levels both differ along it, or along what fits best where one
    alone is taken, and how sharply it is read, from 0 to 1."""

    vectors: Map
    bends: Map
    shares: Map
    differences: Map
    gains: Map
    sharpness: Map


@dataclass(frozen=True)
class Beyond:
    """The picture before the first with the motion from it, and the picture after the second with the motion to it;
    None where there is none."""

    before: Field | None = None
    after: Field | None = None


def chosen(field: Field, beyond: Beyond, care: Care) -> Cells:
    """The cells of the picture at a field's moment."""
    first, second = field.first, field.second
    a, b = first.pictures[0], second.pictures[0]
    before = beyond.before.first.pictures[0] if beyond.before else _NOTHING
    after = beyond.after.second.pictures[0] if beyond.after else _NOTHING
    bends, gains = _bends(field, beyond), _gains(field, beyond)
    rows, columns = -(-first.height // 2), -(-first.width // 2)
    vectors, aside = np.empty((rows, columns, 2), np.float32), np.empty((rows, columns, 2), np.float32)
    shares, differences = np.empty((rows, columns), np.float32), np.empty((rows, columns), np.float32)
    fits = max(care.fits, 1.6 * above(field.costs[::3, ::3], 0.5) / 64)
    choose = partial(
        _choose,
        a, b, before, after, field.vectors, field.costs, bends, field.apart, np.float32(field.t), gains,
        beyond.before is not None, beyond.after is not None, care.by_four, care.most, care.far,
        np.float32(care.alone), np.float32(care.at_once), np.float32(fits), vectors, aside, shares, differences,
    )  # fmt: skip
    half = rows // 4 * 2  # what is judged by four begins in an even line
    do_all([partial(choose, 0, half), partial(choose, half, rows)], 2 * rows)
    return Cells(
        vectors, aside, np.asarray(cv2.blur(shares, (3, 3)), np.float32), differences, gains, _sharpness(field)
    )


def _sharpness(field: Field) -> Map:
    """How sharply each cell is read: fully, unless next to nothing is around it but the rounding of its samples, which
    would be sharpened with it."""
    around = np.maximum(field.first.roughness, field.second.roughness).astype(np.float32)
    return np.asarray(np.clip((around - _ROUNDED) / (_DETAILED - _ROUNDED), 0, 1), np.float32)


def _gains(field: Field, beyond: Beyond) -> Map:
    """What the picture before, the first, the second and the one after are multiplied by to be as light as the moment.

    Light changes as a whole from picture to picture by ratios; between the two it follows the cubic through all four
    (Catmull and Rom 1974), or the straight line where one is missing.
    """
    t = field.t
    first, second = 1.0, _lighter(field)
    before = first / _lighter(beyond.before) if beyond.before else 2 * first - second
    after = second * _lighter(beyond.after) if beyond.after else 2 * second - first
    bent = second - before, after - first
    now = (
        (1 + 2 * t) * (1 - t) ** 2 * first + t * (1 - t) ** 2 * bent[0] / 2
        + t * t * (3 - 2 * t) * second - t * t * (1 - t) * bent[1] / 2
    )  # fmt: skip
    return np.asarray([now / max(0.05, one) for one in (before, first, second, after)], np.float32)


def _lighter(field: Field) -> float:
    """How many times as light the second picture is."""
    change = max(-1.5, min(1.5, field.lighter / field.level))
    return (1 + change / 2) / (1 - change / 2)


NOTHING = Beyond()


def _bends(field: Field, beyond: Beyond) -> Map:
    """How far the path through each node lies beside the straight one, half way."""
    bends = np.zeros_like(field.vectors)
    if beyond.before is not None and beyond.after is not None:
        _bent(field.vectors, beyond.before.vectors, beyond.after.vectors, field.apart, np.float32(field.t), bends)
        return np.asarray(cv2.blur(bends, (3, 3)), np.float32)
    bends[:] = _camera_bend(field, beyond)
    return bends


def _camera_bend(field: Field, beyond: Beyond) -> Map:
    """The same where a shot begins or ends: what one side alone shows is believed of the camera, by half, and by less
    where it changes by more than it moved: it may have been knocked, or be turning back."""
    beside = beyond.before or beyond.after
    if beside is None:
        return np.zeros(2, np.float32)
    now, then = _by_camera(field), _by_camera(beside)
    change = now - then if beyond.before else then - now
    share = min(1, float(now @ now) / max(float(change @ change), 1e-6))
    return np.asarray(-change * share / 16, np.float32)


def _by_camera(field: Field) -> Map:
    """What most of a picture moves by."""
    return np.asarray(np.median(field.vectors[::2, ::2], axis=(0, 1)), np.float32)


@njit(**KERNEL)
def _bent(vectors, before, after, apart, t, out):  # type: ignore[no-untyped-def]
    """How far the path through each node lies beside the straight one, half way: an eighth of how its motion changes,
    where it changes alike before and after."""
    for i in range(vectors.shape[0]):
        for j in range(vectors.shape[1]):
            vy, vx = vectors[i, j, 0], vectors[i, j, 1]
            back, on = (t + 0.5) / apart, (1.5 - t) / apart
            y, x = i - back * vy, j - back * vx
            ay, ax = vy - node_at(before, y, x, 0), vx - node_at(before, y, x, 1)
            y, x = i + on * vy, j + on * vx
            by, bx = node_at(after, y, x, 0) - vy, node_at(after, y, x, 1) - vx
            if ay * by + ax * bx <= 0:
                continue
            unlike = (ay - by) ** 2 + (ax - bx) ** 2
            share = 1 - unlike / (0.6 * (ay * ay + ax * ax + by * by + bx * bx) + 1e-6)
            if share <= 0:
                continue
            my, mx = 0.5 * (ay + by), 0.5 * (ax + bx)
            much = np.sqrt(my * my + mx * mx)
            if much > _MOST_BEND:
                share *= _MOST_BEND / much
            out[i, j, 0], out[i, j, 1] = -my * share / 8, -mx * share / 8


@njit(**KERNEL)
def _choose(  # type: ignore[no-untyped-def]  # noqa: PLR0912, PLR0915
    a, b, before, after, vectors, costs, bends, apart, t, gains, has_before, has_after,
    by_four, most, far, alone, at_once, fits, out, aside, shares, differences, begins, ends,
):  # fmt: skip
    rows, columns = vectors.shape[:2]
    height, width = a.shape[0] - 2 * PAD, a.shape[1] - 2 * PAD
    tried_y, tried_x = np.empty(40, np.float32), np.empty(40, np.float32)
    whole, rest, both = np.float32(1), np.float32(1) - t, np.float32(1) - t
    bend, beyond = np.float32(4) * t * rest, np.float32(8) + np.float32(4) * t * rest
    most_of = np.float32(_MOST_OF)
    middle, half = (apart - 1) * 0.5, (WINDOW - 1) * 0.5
    lit = gains[1] != gains[2]
    judged = np.zeros(out.shape[1], np.uint8)
    for i in range(begins, ends):
        gy = min(max((2 * i + 0.5 - middle) / apart, 0.0), rows - 1.001)
        i0 = int(gy)
        fy = np.float32(gy - i0)
        for j in range(out.shape[1]):
            if by_four and (i & 1) and judged[j]:
                _copied(out, aside, shares, differences, i, j, i - 1, j)
                continue
            if by_four and (j & 1) and judged[j - 1] and not i & 1:
                _copied(out, aside, shares, differences, i, j, i, j - 1)
                judged[j] = 1
                continue
            judged[j] = 0
            gx = min(max((2 * j + 0.5 - middle) / apart, 0.0), columns - 1.001)
            j0 = int(gx)
            fx = np.float32(gx - j0)
            w0, w1, w2, w3 = (whole - fy) * (whole - fx), (whole - fy) * fx, fy * (whole - fx), fy * fx
            p, q, r, s = vectors[i0, j0, 0], vectors[i0, j0 + 1, 0], vectors[i0 + 1, j0, 0], vectors[i0 + 1, j0 + 1, 0]
            spread = max(p, q, r, s) - min(p, q, r, s)
            vy = w0 * p + w1 * q + w2 * r + w3 * s
            p, q, r, s = vectors[i0, j0, 1], vectors[i0, j0 + 1, 1], vectors[i0 + 1, j0, 1], vectors[i0 + 1, j0 + 1, 1]
            spread = max(spread, max(p, q, r, s) - min(p, q, r, s))
            vx = w0 * p + w1 * q + w2 * r + w3 * s
            p, q, r, s = bends[i0, j0, 0], bends[i0, j0 + 1, 0], bends[i0 + 1, j0, 0], bends[i0 + 1, j0 + 1, 0]
            cy = w0 * p + w1 * q + w2 * r + w3 * s
            p, q, r, s = bends[i0, j0, 1], bends[i0, j0 + 1, 1], bends[i0 + 1, j0, 1], bends[i0 + 1, j0 + 1, 1]
            cx = w0 * p + w1 * q + w2 * r + w3 * s
            cost = max(costs[i0, j0], costs[i0, j0 + 1], costs[i0 + 1, j0], costs[i0 + 1, j0 + 1]) / 64
            ay, ax = 2 * i + 0.5 - t * vy, 2 * j + 0.5 - t * vx
            zy, zx = 2 * i + 0.5 + rest * vy, 2 * j + 0.5 + rest * vx
            inside = min(ay, ax, zy, zx) >= 0 and max(ay, zy) < height and max(ax, zx) < width
            if lit and spread < _SPREAD and inside:
                cost = differing(a, ay - half, ax - half, b, zy - half, zx - half, gains[1], gains[2])
            if spread < _SPREAD and cost < fits and inside:
                out[i, j, 0], out[i, j, 1], aside[i, j, 0], aside[i, j, 1] = vy, vx, cy * bend, cx * bend
                shares[i, j], differences[i, j] = both, cost
                continue
            judged[j] = 1
            tried, least, share, apart_by = 0, np.float32(1e9), both, np.float32(1e9)
            off = 1.5 if by_four else 0.5
            y, x = 2 * i + off - half, 2 * j + off - half
            by, bx, ky, kx = vy, vx, cy, cx
            for m in range(25):
                if m == 0:
                    qy, qx, ly, lx = vy, vx, cy, cx
                else:
                    if m <= 4:
                        n, o = i0 + (m - 1) // 2, j0 + (m - 1) % 2
                    elif m <= 12:
                        n, o = i0 - 1 + ((m - 5) // 4) * 3, j0 - 1 + (m - 5) % 4
                    elif m <= 16:
                        n, o = i0 + (m - 13) // 2, j0 - 1 + 3 * ((m - 13) % 2)
                    else:
                        k = m - 17 if m < 21 else m - 16
                        n, o = i0 + (k // 3 - 1) * far, j0 + (k % 3 - 1) * far
                    if n < 0 or o < 0 or n >= rows or o >= columns:
                        continue
                    qy, qx, ly, lx = vectors[n, o, 0], vectors[n, o, 1], bends[n, o, 0], bends[n, o, 1]
                new = True
                for k in range(tried):
                    if abs(tried_y[k] - qy) + abs(tried_x[k] - qx) < _SAME:
                        new = False
                        break
                if not new:
                    continue
                tried_y[tried], tried_x[tried] = qy, qx
                tried += 1
                ay, ax = y - t * qy - bend * ly, x - t * qx - bend * lx
                zy, zx = y + rest * qy - bend * ly, x + rest * qx - bend * lx
                unlike = differing(a, ay, ax, b, zy, zx, gains[1], gains[2])
                in_a = min(ay, ax) + half >= -0.5 and ay + half < height - 0.5 and ax + half < width - 0.5
                in_b = min(zy, zx) + half >= -0.5 and zy + half < height - 0.5 and zx + half < width - 0.5
                favour = np.float32(_OWN) if m == 0 else whole
                side, alone_a, alone_b = both, np.float32(1e9), np.float32(1e9)
                if (in_a != in_b or unlike > alone) and has_before and (in_a or not in_b):
                    py, px = y - (1 + t) * qy - beyond * ly, x - (1 + t) * qx - beyond * lx
                    alone_a = differing(a, ay, ax, before, py, px, gains[1], gains[0])
                if (in_a != in_b or unlike > alone) and has_after and (in_b or not in_a):
                    py, px = y + (1 + rest) * qy - beyond * ly, x + (1 + rest) * qx - beyond * lx
                    alone_b = differing(b, zy, zx, after, py, px, gains[2], gains[3])
                if in_a == in_b:
                    apart_by = min(apart_by, unlike)
                if in_a != in_b:
                    side = whole if in_a else np.float32(0)
                    if in_a and has_before:
                        unlike = alone_a + whole
                    elif in_b and has_after:
                        unlike = alone_b + whole
                    else:
                        unlike = unlike * np.float32(0.5) + alone
                elif unlike > alone:
                    if alone_a + alone < unlike and alone_a <= alone_b:
                        unlike, side = alone_a + alone, whole
                    elif alone_b + alone < unlike:
                        unlike, side = alone_b + alone, np.float32(0)
                if unlike * favour < least:
                    least, share = unlike * favour, side
                    by, bx, ky, kx = qy, qx, ly, lx
                if tried >= most or least < at_once:
                    break
            out[i, j, 0], out[i, j, 1], aside[i, j, 0], aside[i, j, 1] = by, bx, ky * bend, kx * bend
            differences[i, j] = min(least, apart_by) if share == both or apart_by > 1e8 else apart_by
            shares[i, j] = min(max(share, whole - most_of * t), most_of * rest)


@njit(**KERNEL, inline="always")
def _copied(out, aside, shares, differences, i, j, m, n):  # type: ignore[no-untyped-def]
    out[i, j, 0], out[i, j, 1] = out[m, n, 0], out[m, n, 1]
    aside[i, j, 0], aside[i, j, 1] = aside[m, n, 0], aside[m, n, 1]
    shares[i, j], differences[i, j] = shares[m, n], differences[m, n]
