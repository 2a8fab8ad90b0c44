"""Film with pulldown beneath graphics that move from field to field: a crawl, a roll, a clock.

What moves most decides how a whole picture is read, and a crawl moves more than the film beneath it. So each band of
the picture is read by itself; those that move from field to field are left out, and what the others carry is asked
again.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from oddmeter.core.pictures.fields import LEAST_MOTION, PULLDOWNS, Carriage, joined, runs, stretch_of, stretches
from oddmeter.core.pictures.report import BANDS, Measures, Stretch
from oddmeter.core.pictures.scan import Scan

_LEAST_FRAMES = 20
"""Graphics, and pulldown beneath them, are believed over so many frames."""
_COMBED, _NEARLY_ALL = 0.15, 0.8
"""By how much of what moves the fields of a frame differ at least, and in what share of frames."""
_LEAST_ADVANTAGE = 24.0, 1.0
"""By how much, in log likelihood, pulldown must explain what lies beneath better than anything else: in all, and for
each frame that moves."""


@dataclass(frozen=True)
class _Graphics:
    """Frames ``first`` to ``last``, both included, in which a band moves from field to field; ``sure`` where it does
    so clearly, not only for want of anything likelier."""

    band: int
    first: int
    last: int
    sure: bool

    def within(self, stretch: Stretch) -> int:
        """How many frames of a stretch are among them."""
        return min(self.last, stretch.last_frame) + 1 - max(self.first, stretch.first_frame)


def layered(measures: Measures, at_cut: Sequence[int] = ()) -> list[Stretch]:
    """The frames in stretches that are carried in one way each, pulldown told apart from graphics above it; ``at_cut``
    are entries where a shot begins."""
    whole = stretches(measures, at_cut)
    if all(stretch.scan is Scan.PROGRESSIVE for stretch in whole):
        return whole
    alone = [measures.within(0, len(measures), [band]) for band in range(BANDS)]
    graphics = [graphic for band in _combed_throughout(alone) for graphic in _graphics(band, alone[band], at_cut)]
    return joined([part for stretch in whole for part in _separated(measures, stretch, graphics, at_cut)])


def _combed_throughout(alone: Sequence[Measures]) -> list[int]:
    """Of bands measured alone, those whose fields differ in nearly every frame of a while, as graphics do; none where
    no other band moves with pulldown, whose fields differ in one or two frames of five. This only spares the closer
    look."""
    if len(alone[0]) < _LEAST_FRAMES:
        return []
    found, film = [], False
    for band, own in enumerate(alone):
        moves = own.motion >= LEAST_MOTION
        combed = moves & (own.inside >= _COMBED * own.motion)
        if np.convolve(combed, np.ones(_LEAST_FRAMES), "valid").max() >= _NEARLY_ALL * _LEAST_FRAMES:
            found.append(band)
        else:
            film |= moves.sum() >= _LEAST_FRAMES and bool(combed.any())
    return found if film else []


def _graphics(band: int, own: Measures, at_cut: Sequence[int]) -> list[_Graphics]:
    """Where a band moves from field to field, be it so fast that nothing shows which field comes first."""
    found = []
    for run in runs(own, at_cut):
        first, last = _most(own.motion[run.start : run.stop] >= LEAST_MOTION)
        if run.state.way is Carriage.FIELDS and last - first >= _LEAST_FRAMES:
            start = own.first_frame + run.start
            found.append(_Graphics(band, start + first, start + last, run.way_believed))
    return found


def _most(moves: npt.NDArray[np.bool_]) -> tuple[int, int]:
    """The first and the last entry of the part in which most is true, and little beside it."""
    so_far = np.concatenate([[0], np.cumsum(np.where(moves, 1, -1))])
    least = np.minimum.accumulate(so_far)
    stop = int(np.argmax(so_far - least))
    return int(np.argmin(so_far[: stop + 1])), max(0, stop - 1)


def _separated(
    measures: Measures, stretch: Stretch, graphics: Sequence[_Graphics], at_cut: Sequence[int]
) -> list[Stretch]:
    """One stretch of the whole picture, as what lies beneath its graphics says."""
    here = [graphic for graphic in graphics if graphic.within(stretch) >= _LEAST_FRAMES]
    beneath = sorted(set(range(BANDS)) - {graphic.band for graphic in here})
    sure = [graphic for graphic in here if graphic.sure]
    if not sure or not beneath or stretch.scan is Scan.PROGRESSIVE:
        return [stretch]
    start = stretch.first_frame - measures.first_frame
    film = measures.within(start, start + stretch.frames, beneath)
    out: list[Stretch] = []
    for run in runs(film, [n - start for n in at_cut if start <= n < start + stretch.frames]):
        read = stretch_of(film, run)
        moving = int((film.motion[run.start : run.stop] >= LEAST_MOTION).sum())
        clear = run.advantage >= max(_LEAST_ADVANTAGE[0], _LEAST_ADVANTAGE[1] * moving)
        if read.pattern in PULLDOWNS and moving >= _LEAST_FRAMES and clear:
            out += _beneath(read, [graphic for graphic in sure if graphic.within(read) >= _LEAST_FRAMES])
        else:
            out.append(stretch.over(read.first_frame, read.last_frame))
    return out


def _beneath(film: Stretch, graphics: Sequence[_Graphics]) -> list[Stretch]:
    """Film with pulldown in its parts without and with graphics above it; a few frames are no part of their own."""
    if not graphics:
        return [film]
    first, last = min(graphic.first for graphic in graphics), max(graphic.last for graphic in graphics)
    first = first if first - film.first_frame >= _LEAST_FRAMES else film.first_frame
    last = last if film.last_frame - last >= _LEAST_FRAMES else film.last_frame
    over = replace(film.over(first, last), graphics=tuple(sorted({graphic.band for graphic in graphics})))
    sides = [film.over(film.first_frame, first - 1), over, film.over(last + 1, film.last_frame)]
    return [side for side in sides if side.frames > 0]
