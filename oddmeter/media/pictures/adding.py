"""Adding light: code values taken as light, summed, and turned back into code values, place by place.

What is lost on the way is less than a twentieth of a code value of twelve bits. Where planes are of different shapes,
samples of larger ones are averaged over what a place covers, and smaller ones are read by straight lines, as between
the middles of samples.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache, partial

import numpy as np
import numpy.typing as npt
from numba import njit

from oddmeter.media.files.samples import Plane
from oddmeter.media.pictures.powers import AT_ONCE, KERNEL
from oddmeter.media.pictures.sharing import do_halves
from oddmeter.media.pictures.transfer import from_light, to_light

Light = npt.NDArray[np.float32]
Matrix = npt.NDArray[np.float64]
Taps = tuple[npt.NDArray[np.int64], Light]
"""For each place along a side of one plane: the first sample of another that counts there, and what it and those after
it count for."""

_NONE = np.zeros(0, np.int64)


@dataclass(frozen=True)
class Places:
    """Places of planes of some shape, by lines and columns; without any, all of them, line by line."""

    shape: tuple[int, ...]
    rows: npt.NDArray[np.int64] = field(default_factory=lambda: _NONE)
    columns: npt.NDArray[np.int64] = field(default_factory=lambda: _NONE)

    @property
    def count(self) -> int:
        """How many they are."""
        return len(self.rows) or self.shape[0] * self.shape[1]


def add(
    light: Light, planes: Sequence[Plane], places: Places, matrix: Matrix, zero: Matrix, curve: int, share: float
) -> None:
    """Add the light of a picture's planes at some places, by its share, to what is summed already, of the shape
    (colours, places). ``matrix`` makes colours, 1 for white, of what samples have beyond ``zero``; ``curve`` is that of
    ``transfer``."""
    height, width = places.shape
    one, two, three = (np.ascontiguousarray(planes[min(number, len(zero) - 1)]) for number in range(3))
    begins = np.searchsorted(places.rows, np.arange(height + 1))
    work = partial(
        _add,
        light, one, two, three, width, begins, places.columns,
        *_taps(height, one.shape[0]), *_taps(width, one.shape[1]),
        *_taps(height, two.shape[0]), *_taps(width, two.shape[1]),
        matrix.astype(np.float32), zero.astype(np.float32), curve, np.float32(share),
    )  # fmt: skip
    do_halves(work, height, height)


def coded(light: Light, lines: int, back: Matrix, zero: Matrix, curve: int, most: int) -> Sequence[Plane]:
    """The code values that light comes to by a curve, up to ``most``, of some planes of one shape, which has so many
    lines: those of its colours, each times its part in the plane's row of ``back``, and beyond ``zero``."""
    codes = np.empty((len(back), light.shape[1]), np.uint8 if most < 256 else np.uint16)
    work = partial(_code, light, back.astype(np.float32), zero.astype(np.float32), curve, codes, np.float32(most))
    do_halves(work, lines, codes.shape[1])
    return list(codes)


def put(plane: Plane, codes: Plane, part: Light, places: Places) -> None:
    """Put code values into a plane at some places, by ``part`` of each; lines of any length are in one piece while that
    is done, since kernels are compiled for such."""
    whole = np.ascontiguousarray(plane)
    _put(whole, codes, part, places.rows, places.columns)
    if whole is not plane:
        plane[:] = whole


@lru_cache(maxsize=64)
def _taps(count: int, samples: int) -> Taps:
    """For ``count`` places along a side, of a plane that has so many samples along it."""
    begins, ends = np.arange(count) * samples / count, np.arange(1, count + 1) * samples / count
    if samples < count:
        at = np.clip((begins + ends - 1) / 2, 0, samples - 1)
        first = at.astype(np.int64)
        return first, np.stack([1 - (at - first), at - first], 1).astype(np.float32)
    first = begins.astype(np.int64)
    taps = first[:, None] + np.arange(samples // count if samples % count == 0 else samples // count + 2)
    covered = np.clip(np.minimum(taps + 1, ends[:, None]) - np.maximum(taps, begins[:, None]), 0, None)
    return first, np.asarray(covered / covered.sum(1, keepdims=True), np.float32)


@njit(**KERNEL, inline="always")
def _sample(plane, y, x, top, down, left, across):  # type: ignore[no-untyped-def]
    """The sample of a plane at a place."""
    m, n = np.uint32(top[y]), np.uint32(left[x])
    if down.shape[1] == 1 and across.shape[1] == 1:
        return np.float32(plane[m, n])
    if down.shape[1] == 2 and across.shape[1] == 2:
        below = min(m + np.uint32(1), np.uint32(plane.shape[0] - 1))
        beside = min(n + np.uint32(1), np.uint32(plane.shape[1] - 1))
        one = across[x, 0] * plane[m, n] + across[x, 1] * plane[m, beside]
        other = across[x, 0] * plane[below, n] + across[x, 1] * plane[below, beside]
        return np.float32(down[y, 0] * one + down[y, 1] * other)
    total = np.float32(0)
    for r in range(down.shape[1]):
        row = plane[min(top[y] + r, plane.shape[0] - 1)]
        for k in range(across.shape[1]):
            total += down[y, r] * across[x, k] * row[min(left[x] + k, len(row) - 1)]
    return total


@njit(**KERNEL)
def _line(plane, y, top, down, left, across, tall, out):  # type: ignore[no-untyped-def]
    """The samples of a plane along a line of places; ``tall`` is room for a line of its own, and a sample more."""
    if down.shape[1] * across.shape[1] == 1:
        for x in range(len(out)):
            out[x] = plane[y, x]
        return
    tall[:] = 0
    for r in range(down.shape[1]):
        weight, row = down[y, r], plane[min(top[y] + r, plane.shape[0] - 1)]
        for k in range(plane.shape[1]):
            tall[k] += weight * row[k]
    if across.shape[1] == 2:
        tall[plane.shape[1]] = tall[plane.shape[1] - 1]
        for x in range(len(out)):
            at = np.uint32(left[x])
            out[x] = across[x, 0] * tall[at] + across[x, 1] * tall[at + np.uint32(1)]
        return
    for x in range(len(out)):
        total = np.float32(0)
        for k in range(across.shape[1]):
            total += across[x, k] * tall[min(left[x] + k, plane.shape[1] - 1)]
        out[x] = total


@njit(**KERNEL)
def _read(plane, y, columns, top, down, left, across, tall, out):  # type: ignore[no-untyped-def]
    """The samples of a plane at some places of a line, or along all of it, as ``_line``."""
    if len(columns) == 0:
        _line(plane, y, top, down, left, across, tall, out)
    for i in range(len(columns)):
        out[i] = _sample(plane, y, columns[i], top, down, left, across)


@njit(**KERNEL)
def _add(  # type: ignore[no-untyped-def]
    light, one, two, three, width, begins, columns, top, down, left, across, upper, below, near, beside, matrix, zero,
    curve, share, first, last,
):  # fmt: skip
    colours, some = light.shape[0], len(columns) > 0
    p, q, r = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    wide, narrow = np.empty(one.shape[1] + 1, np.float32), np.empty(two.shape[1] + 1, np.float32)
    values, logs, bits = np.empty(width, np.float32), np.empty(AT_ONCE, np.float32), np.empty(AT_ONCE, np.int32)
    for y in range(first, last):
        count = begins[y + 1] - begins[y] if some else width
        if count == 0:
            continue
        place = begins[y] if some else y * width
        here = columns[place : place + count] if some else columns
        _read(one, y, here, top, down, left, across, wide, p)
        if colours > 1:
            _read(two, y, here, upper, below, near, beside, narrow, q)
            _read(three, y, here, upper, below, near, beside, narrow, r)
        for colour in range(colours):
            if colours == 1:
                for i in range(count):
                    values[i] = matrix[0, 0] * (p[i] - zero[0])
            else:
                of_one, of_two, of_three = matrix[colour]
                for i in range(count):
                    values[i] = of_one * (p[i] - zero[0]) + of_two * (q[i] - zero[1]) + of_three * (r[i] - zero[2])
            to_light(values, count, curve, logs, bits)
            lit = light[colour, place : place + count]
            for i in range(count):
                lit[i] += share * values[i]


@njit(**KERNEL)
def _code(light, back, zero, curve, codes, most, first, last):  # type: ignore[no-untyped-def]
    roots = np.empty((light.shape[0], AT_ONCE), np.float32)
    logs, bits = np.empty(AT_ONCE, np.float32), np.empty(AT_ONCE, np.int32)
    values = np.empty(AT_ONCE, np.float32)
    for begins in range(first, last, AT_ONCE):
        count = min(AT_ONCE, last - begins)
        for colour in range(light.shape[0]):
            roots[colour, :count] = light[colour, begins : begins + count]
            from_light(roots[colour], count, curve, logs, bits)
        for plane in range(len(back)):
            values[:count] = zero[plane]
            for colour in range(light.shape[0]):
                part, root = back[plane, colour], roots[colour]
                for i in range(count):
                    values[i] += part * root[i]
            made = codes[plane, begins : begins + count]
            for i in range(count):
                made[i] = np.int32(np.rint(min(max(values[i], np.float32(0)), most)))


@njit(**KERNEL)
def _put(plane, codes, part, rows, columns):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        y, x = rows[i], columns[i]
        share = part[y, x]
        plane[y, x] = np.uint16(np.rint(plane[y, x] * (np.float32(1) - share) + codes[i] * share))
