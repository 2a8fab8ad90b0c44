"""Repeated frames baked into a file: film run at 18 held in 29.97, animation on twos.

A repeat differs from the frame before by far less than the frames around it differ from theirs, and repeats come
in a regular pattern: frame j of the file shows unique picture ⌊j · step⌋. What rests for a moment by itself, as a
bell does at the end of its swing, follows no such pattern.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from numpy.lib.stride_tricks import sliding_window_view

from oddmeter.core.pictures.report import Measures, Repeats

Mask = npt.NDArray[np.bool_]

_AROUND, _NEAREST = 12, 3
_LEAST_MOTION = 4.0
"""Mean energy of motion in a part of the picture, in grey levels squared, without which nothing can be determined."""
_LIMITS = (0.02, 0.06, 0.12, 0.2)
"""A repeat has less than such a share of the energy that is usual around it: the less, the better the copy."""
_LONGEST_PATTERN = 30
_SLOWEST_STEP = Fraction(1, 4)
_WINDOW = 120
_LEAST_REPEATS = 3
_MANY_REPEATS = 12
_MOST_MISFITS, _MOST_MISFITS_OF_MANY = 0.12, 0.2
"""Frames that may be otherwise than the pattern says, as a share of the rarer kind of frames."""


@dataclass(frozen=True)
class Found:
    """The repeats of consecutive frames: the pattern, and for each frame whether it is a new picture."""

    repeats: Repeats
    new: Mask


def find(measures: Measures, at_cut: Sequence[int] = ()) -> Found | None:
    """The repeats, or None where there are none, or nothing moves enough to tell."""
    if len(measures) <= 2 * _AROUND:
        return None
    edges = _windows(len(measures), at_cut)
    fits = []
    usual = usual_around(measures)
    for near in range(1, _NEAREST + 1):
        ratio = ratios(measures, near, usual)
        clear = ~np.isnan(ratio)
        clear[[0, *at_cut]] = False
        steps = [step for step in _steps() if step * (near + 1) >= 1]
        if clear.sum() >= 4 * _LEAST_REPEATS:
            fits += [_fitted(ratio, clear, limit, edges, steps) for limit in _LIMITS]
    found = [fit for fit in fits if fit is not None]
    if not found:
        return None
    _, step, planned = min(found, key=lambda fit: (fit[0], fit[1].denominator))
    planned[[*at_cut, *([0] if measures.first_frame == 0 else [])]] = True
    return Found(Repeats(len(measures), int(planned.sum()), step), planned)


def _fitted(
    ratio: npt.NDArray[np.float64],
    clear: Mask,
    limit: float,
    edges: Sequence[tuple[int, int]],
    steps: Sequence[Fraction],
) -> tuple[float, Fraction, Mask] | None:
    """The pattern that fits best where frames below a ratio count as repeats: the share of misfits, its step, and
    which frames it says are new. None where none fits."""
    new = ~(np.nan_to_num(ratio, nan=1.0) < limit) | ~clear
    rarer = min(int((clear & ~new).sum()), int((clear & new).sum()))
    if rarer < _LEAST_REPEATS:
        return None
    best: tuple[int, Fraction, Mask] | None = None
    for step in steps:
        if abs(float(step) - new[clear].mean()) > 0.12:
            continue
        planned = np.concatenate([_laid(step, new[a:b], clear[a:b]) for a, b in edges])
        misfits = int((planned != new)[clear].sum())
        if best is None or misfits < best[0]:
            best = misfits, step, planned
    allowed = _MOST_MISFITS if rarer < _MANY_REPEATS else _MOST_MISFITS_OF_MANY
    if best is None or best[0] > allowed * rarer:
        return None
    return best[0] / rarer, best[1], best[2]


def ratios(measures: Measures, near: int, around: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """The energy of each frame's difference against what is usual around it, or, where that is less, against the
    most that lies within ``near`` frames: what comes to rest by itself is no repeat. nan where nothing moves.

    Each part of the picture where something moves is judged by itself, and the middle one of them decides: a
    timecode burnt into a corner changes in every frame.
    """
    parts = measures.regions
    usual = np.fmin(around, _most_within(parts, near))
    moving = usual >= _LEAST_MOTION
    relative = np.where(moving, parts / np.maximum(usual, 1e-9), np.nan)
    out = np.full(len(parts), np.nan)
    clear = moving.any(axis=1)
    out[clear] = np.nanmedian(relative[clear], axis=1)
    return out


def usual_around(measures: Measures) -> npt.NDArray[np.float64]:
    """The middle of the upper third of what lies around each frame, for each part of the picture."""
    padded = np.pad(measures.regions, ((_AROUND, _AROUND), (0, 0)), mode="reflect")
    around = sliding_window_view(padded, 2 * _AROUND + 1, axis=0)
    middle = (2 * _AROUND + 1) * 5 // 6
    return np.asarray(np.partition(around, middle, axis=2)[:, :, middle])


def _most_within(series: npt.NDArray[np.float64], near: int) -> npt.NDArray[np.float64]:
    """The most that lies within so many entries, the entry itself among them."""
    around = sliding_window_view(np.pad(series, ((near, near), (0, 0)), mode="reflect"), 2 * near + 1, axis=0)
    return np.asarray(around.max(axis=2))


@lru_cache(maxsize=1)
def _steps() -> tuple[Fraction, ...]:
    """All patterns that are looked for, the shortest first."""
    steps = {
        Fraction(part, whole)
        for whole in range(2, _LONGEST_PATTERN + 1)
        for part in range(1, whole)
        if Fraction(part, whole) >= _SLOWEST_STEP
    }
    return tuple(sorted(steps, key=lambda step: (step.denominator, step)))


def _windows(count: int, at_cut: Sequence[int]) -> list[tuple[int, int]]:
    """Stretches in which a pattern keeps its phase: between cuts, and not longer than a slow drift allows."""
    edges: list[tuple[int, int]] = []
    for start, stop in pairwise([0, *at_cut, count]):
        parts = max(1, (stop - start) // _WINDOW)
        edges += [
            (start + (stop - start) * i // parts, start + (stop - start) * (i + 1) // parts) for i in range(parts)
        ]
    return [(a, b) for a, b in edges if b > a]


def _laid(step: Fraction, new: Mask, clear: Mask) -> Mask:
    """The pattern at the phase that agrees best with what was seen."""
    a, b = step.numerator, step.denominator
    shown = (np.arange(-1, len(new)) * a + np.arange(b)[:, None]) // b
    planned = shown[:, 1:] > shown[:, :-1]
    misfits = ((planned != new) & clear).sum(axis=1)
    return np.asarray(planned[int(misfits.argmin())])
