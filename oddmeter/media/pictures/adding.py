"""Adding light: code values taken as light, summed, and turned back into code values, place by place.

Both ways go through tables fine enough that what they lose lies far below a code value of sixteen bits. Where planes
are of different shapes, samples of larger ones are averaged over what a place covers, and smaller ones are read by
straight lines, as between the middles of samples.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from numba import njit

from oddmeter.media.files.samples import Plane

Light = npt.NDArray[np.float64]
Table = npt.NDArray[np.float32]
Taps = tuple[npt.NDArray[np.int64], Light]
"""For each place along a side of one plane: the first sample of another that counts there, and what it and those after
it count for."""

_NONE = np.zeros(0, np.int64)
_GAMMA = 2.4
_STEPS = 1 << 12
_AT_ONCE = 256
_MOST = 2.5
"""How far red, green or blue may lie from black, white being 1: a picture's luma and chroma can have more."""


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


def add(light: Light, planes: Sequence[Plane], places: Places, matrix: Light, zero: Light, share: float) -> None:
    """Add the light of a picture's planes at some places, by its share, to what is summed already, of the shape
    (colours, places). ``matrix`` makes colours, 1 for white, of what samples have beyond ``zero``."""
    height, width = places.shape
    one, two, three = (np.ascontiguousarray(planes[min(number, len(zero) - 1)]) for number in range(3))
    begins = np.searchsorted(places.rows, np.arange(height + 1))
    _add(
        light, one, two, three, width, begins, places.columns,
        *_taps(height, one.shape[0]), *_taps(width, one.shape[1]),
        *_taps(height, two.shape[0]), *_taps(width, two.shape[1]), matrix, zero, share, _to_light(),
    )  # fmt: skip


def coded(light: Light, row: Light, zero: float, most: int) -> Plane:
    """The code values of one plane that light comes to, up to ``most``: the roots of its colours, each times its part
    in ``row``, and beyond ``zero``."""
    codes = np.empty(light.shape[1], np.uint8 if most < 256 else np.uint16)
    _code(light, row, zero, codes, most, _from_light())
    return codes


def put(plane: Plane, codes: Plane, part: Table, places: Places) -> None:
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
        return first, np.stack([1 - (at - first), at - first], 1)
    first = begins.astype(np.int64)
    taps = first[:, None] + np.arange(samples // count if samples % count == 0 else samples // count + 2)
    covered = np.clip(np.minimum(taps + 1, ends[:, None]) - np.maximum(taps, begins[:, None]), 0, None)
    return first, covered / covered.sum(1, keepdims=True)


@lru_cache(maxsize=1)
def _to_light() -> Table:
    return np.asarray((np.arange(int(_MOST * _STEPS) + 2) / _STEPS) ** _GAMMA, np.float32)


@lru_cache(maxsize=1)
def _from_light() -> Table:
    """By the fourth root of light, which lies closest where code values do."""
    most = _MOST ** (_GAMMA / 4)
    return np.asarray((np.arange(int(most * _STEPS) + 2) / _STEPS) ** (4 / _GAMMA), np.float32)


_KERNEL = {"cache": True, "nogil": True, "error_model": "numpy"}


@njit(**_KERNEL, inline="always")
def _looked_up(value, table):  # type: ignore[no-untyped-def]
    place = min(np.float32(abs(value)) * np.float32(_STEPS), np.float32(len(table) - 2))
    below = np.uint32(place)
    found = table[below] + (place - np.float32(below)) * (table[below + 1] - table[below])
    return found if value >= 0 else -found


@njit(**_KERNEL, inline="always")
def _sample(plane, y, x, top, down, left, across):  # type: ignore[no-untyped-def]
    """The sample of a plane at a place."""
    m, n = np.uint32(top[y]), np.uint32(left[x])
    if down.shape[1] == 1 and across.shape[1] == 1:
        return np.float64(plane[m, n])
    if down.shape[1] == 2 and across.shape[1] == 2:
        below = min(m + np.uint32(1), np.uint32(plane.shape[0] - 1))
        beside = min(n + np.uint32(1), np.uint32(plane.shape[1] - 1))
        one = across[x, 0] * plane[m, n] + across[x, 1] * plane[m, beside]
        return down[y, 0] * one + down[y, 1] * (across[x, 0] * plane[below, n] + across[x, 1] * plane[below, beside])
    total = np.float64(0)
    for r in range(down.shape[1]):
        row = plane[min(top[y] + r, plane.shape[0] - 1)]
        for k in range(across.shape[1]):
            total += down[y, r] * across[x, k] * row[min(left[x] + k, len(row) - 1)]
    return total


@njit(**_KERNEL)
def _line(plane, y, top, down, left, across, tall, out):  # type: ignore[no-untyped-def]
    """The samples of a plane along a line of places; ``tall`` is room for a line of its own."""
    if down.shape[1] * across.shape[1] == 1:
        for x in range(len(out)):
            out[x] = plane[y, x]
        return
    tall[:] = 0
    for r in range(down.shape[1]):
        weight, row = down[y, r], plane[min(top[y] + r, plane.shape[0] - 1)]
        for k in range(plane.shape[1]):
            tall[k] += weight * row[k]
    for x in range(len(out)):
        total = 0.0
        for k in range(across.shape[1]):
            total += across[x, k] * tall[min(left[x] + k, len(tall) - 1)]
        out[x] = total


@njit(**_KERNEL)
def _add(  # type: ignore[no-untyped-def]
    light, one, two, three, width, begins, columns, top, down, left, across, upper, below, near, beside, matrix, zero,
    share, table,
):  # fmt: skip
    colours, some = light.shape[0], len(columns) > 0
    p, q, r = np.empty(width), np.empty(width), np.empty(width)
    wide, narrow = np.empty(one.shape[1]), np.empty(two.shape[1])
    for y in range(len(begins) - 1):
        count = begins[y + 1] - begins[y] if some else width
        if count == 0:
            continue
        place = begins[y] if some else y * width
        if some:
            for i in range(count):
                x = columns[place + i]
                p[x] = _sample(one, y, x, top, down, left, across)
                if colours > 1:
                    q[x] = _sample(two, y, x, upper, below, near, beside)
                    r[x] = _sample(three, y, x, upper, below, near, beside)
        else:
            _line(one, y, top, down, left, across, wide, p)
            if colours > 1:
                _line(two, y, upper, below, near, beside, narrow, q)
                _line(three, y, upper, below, near, beside, narrow, r)
        for i in range(count):
            x = columns[place] if some else i
            a = p[x] - zero[0]
            if colours == 1:
                light[0, place] += share * _looked_up(matrix[0, 0] * a, table)
            else:
                b, c = q[x] - zero[1], r[x] - zero[2]
                for colour in range(3):
                    value = matrix[colour, 0] * a + matrix[colour, 1] * b + matrix[colour, 2] * c
                    light[colour, place] += share * _looked_up(value, table)
            place += 1


@njit(**_KERNEL)
def _code(light, row, zero, codes, most, table):  # type: ignore[no-untyped-def]
    values, roots = np.empty(_AT_ONCE), np.empty(_AT_ONCE, np.float32)
    for begins in range(0, len(codes), _AT_ONCE):
        count = min(_AT_ONCE, len(codes) - begins)
        values[:count] = zero
        for c in range(light.shape[0]):
            if row[c] == 0:
                continue
            lit = light[c, begins : begins + count]
            for i in range(count):
                roots[i] = np.sqrt(np.sqrt(np.float32(abs(lit[i]))))
            for i in range(count):
                values[i] += row[c] * _looked_up(roots[i] if lit[i] >= 0 else -roots[i], table)
        for i in range(count):
            codes[begins + i] = np.uint16(min(max(np.rint(values[i]), 0.0), np.float64(most)))


@njit(**_KERNEL)
def _put(plane, codes, part, rows, columns):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        y, x = rows[i], columns[i]
        share = part[y, x]
        plane[y, x] = np.uint16(np.rint(plane[y, x] * (np.float32(1) - share) + codes[i] * share))
