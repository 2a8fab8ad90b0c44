"""Adding light: code values taken as light, summed, and turned back into code values, sample by sample.

Both ways go through tables fine enough that what they lose lies far below a code value of sixteen bits.
"""

from functools import lru_cache

import numpy as np
import numpy.typing as npt
from numba import njit

from oddmeter.media.files.samples import Plane

Samples = npt.NDArray[np.float32]
Light = npt.NDArray[np.float64]

_GAMMA = 2.4
_STEPS = 1 << 14
_MOST = 2.5
"""How far red, green or blue may lie from black, white being 1: a picture's luma and chroma can have more."""


def add(light: Light, samples: Samples, matrix: Light, zero: Light, share: float) -> None:
    """Add the light of samples, by their share, to what is summed already; both are of the shape (colours, samples).
    ``matrix`` makes colours, 1 for white, of what lies beyond ``zero``."""
    _add(light, samples, matrix, zero, share, _to_light())


def coded(light: Light, row: Light, zero: float, most: int) -> Plane:
    """The code values of one plane that light comes to, up to ``most``: the roots of its colours, each times its part
    in ``row``, and beyond ``zero``."""
    codes = np.empty(light.shape[1], np.uint8 if most < 256 else np.uint16)
    _code(light, row, zero, codes, most, _from_light())
    return codes


@lru_cache(maxsize=1)
def _to_light() -> Light:
    return (np.arange(int(_MOST * _STEPS) + 2) / _STEPS) ** _GAMMA


@lru_cache(maxsize=1)
def _from_light() -> Light:
    """By the fourth root of light, which lies closest where code values do."""
    most = _MOST ** (_GAMMA / 4)
    return (np.arange(int(most * _STEPS) + 2) / _STEPS) ** (4 / _GAMMA)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _looked_up(value, table):  # type: ignore[no-untyped-def]
    place = min(abs(value) * _STEPS, np.float64(len(table) - 2))
    below = np.uint32(place)
    found = table[below] + (place - below) * (table[below + 1] - table[below])
    return found if value >= 0 else -found


@njit(cache=True, nogil=True, error_model="numpy")
def _add(light, samples, matrix, zero, share, table):  # type: ignore[no-untyped-def]
    colours, count = light.shape
    for i in range(count):
        for c in range(colours):
            value = 0.0
            for k in range(colours):
                value += matrix[c, k] * (samples[k, i] - zero[k])
            light[c, i] += share * _looked_up(value, table)


@njit(cache=True, nogil=True, error_model="numpy")
def _code(light, row, zero, codes, most, table):  # type: ignore[no-untyped-def]
    colours, count = light.shape
    for i in range(count):
        value = zero
        for c in range(colours):
            if row[c] != 0:
                lit = light[c, i]
                root = np.sqrt(np.sqrt(abs(lit)))
                value += row[c] * _looked_up(root if lit >= 0 else -root, table)
        codes[i] = np.uint16(min(max(np.rint(value), 0.0), np.float64(most)))
