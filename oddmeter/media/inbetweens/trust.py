"""Trust: how far the motion that was found is believed, from 0 to 1, at every other cell: every fourth sample."""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from oddmeter.media.inbetweens.cells import Beyond, Cells
from oddmeter.media.inbetweens.search import Field, Map, above

_NEAR, _FAR = 3, 5
"""Every other cell, so many on a side, over which differences are taken together, and motions."""
_MOST_GRAIN = 6.0
"""Grey levels by which two pictures may differ everywhere, for their grain."""
_ODDS = 257.0
"""How many places lie near the truth for each that does not, where nothing speaks against them."""
_SOFT = 5.0
"""The width of the edge between built and mixed parts, in pixels."""
_AGAINST = 0.35
"""What the square of a difference along the motion counts for, against that of a change which does not go on evenly."""
_ROUNDING = 0.5
"""Grey levels that neither of them can do without."""
_STANDS = 0.25
"""Samples within which nothing moves."""
_NEARLY = 0.93
"""The part from which on all of it is drawn along the motion."""


def confidence(cells: Cells) -> Map:
    """How likely the samples around lie within three grey levels of the truth, where all of it is drawn along the
    motion: less where both pictures differ along it, beyond what grain does, and where motions differ around it. The
    odds were fitted to what scenes of eighteen kinds showed (docs/performance.md)."""
    differ, vectors = _around(cells.differences[::2, ::2], _NEAR), np.ascontiguousarray(cells.vectors[::2, ::2])
    grain = min(_MOST_GRAIN, above(differ[::2, ::2], 0.25))
    mean, square = _around(vectors, _FAR), _around(vectors * vectors, _FAR)
    apart = square - mean * mean
    spread = np.sqrt(np.maximum(0, apart[..., 0] + apart[..., 1]))
    doubt = (1 + np.maximum(0, differ - grain)) * (1 + spread)
    return np.asarray(1 / (1 + doubt * np.sqrt(doubt) / _ODDS), np.float32)


def believed(cells: Cells, reach: int, trust: float) -> Map:
    """Where something is built, with a soft edge: where that is likely enough to be right, and not too far."""
    sure = ((confidence(cells) >= trust) & (_far(cells) <= reach)).astype(np.float32)
    return np.minimum(np.asarray(cv2.GaussianBlur(sure, (0, 0), _SOFT / 4), np.float32), 1)


def moving_part(found: Field, cells: Cells, beyond: Beyond) -> Map:
    """Which part of what is built is drawn along the motion; the rest of it is drawn as if all stood.

    Both have their errors, and each counts for the inverse of its square. Along the motion it is known by how far both
    pictures differ. Without motion it is known by how far a picture is from half way between the two around it, for as
    many as there are: what changes evenly in its place, such as a shadow or what is seen through something else, is
    half way in between, whatever motion may be found in it.
    """
    along = _around(cells.differences[::2, ::2], _NEAR) ** 2 + _ROUNDING**2
    uneven = _around(_uneven(found, cells, beyond, along.shape), _NEAR) ** 2 + _ROUNDING**2
    part = uneven / (uneven + _AGAINST * along)
    part[(_far(cells) < _STANDS) | (part > _NEARLY)] = 1
    return np.asarray(part, np.float32)


def _uneven(found: Field, cells: Cells, beyond: Beyond, shape: tuple[int, ...]) -> Map:
    """By how many grey levels what is seen without motion does not go on evenly: as much as it changes where no
    pictures around are known."""
    first, second = found.first.luma, found.second.luma
    before, now, then, after = map(float, cells.gains)
    changes = []
    if beyond.before is not None:
        half_way = cv2.addWeighted(beyond.before.first.luma, before / now / 2, second, then / now / 2, 0)
        changes.append(cv2.absdiff(half_way, first))
    if beyond.after is not None:
        half_way = cv2.addWeighted(first, now / then / 2, beyond.after.second.luma, after / then / 2, 0)
        changes.append(cv2.absdiff(half_way, second))
    if not changes:
        changes.append(cv2.absdiff(first, cv2.convertScaleAbs(second, alpha=then / now)))
    small = [_quartered(change, shape) for change in changes]
    return np.asarray((small[0] + small[-1]) * 0.5, np.float32)


def _quartered(picture: npt.NDArray[Any], shape: tuple[int, ...]) -> Map:
    """A picture with one sample of its mean for sixteen; by halves, which is quicker."""
    half = cv2.resize(picture, (2 * shape[1], 2 * shape[0]), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.resize(half, shape[::-1], interpolation=cv2.INTER_AREA), np.float32)


def _far(cells: Cells) -> Map:
    """How many samples everything moves."""
    down, right = cells.vectors[::2, ::2, 0], cells.vectors[::2, ::2, 1]
    return np.asarray(np.sqrt(down * down + right * right), np.float32)


def _around(values: Map, side: int) -> Map:
    return np.asarray(cv2.blur(np.ascontiguousarray(values), (side, side)), np.float32)
