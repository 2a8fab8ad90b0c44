"""What is measured in the pictures of a clip, frame by frame, and what is read from that.

The pixels are reduced to small numbers in ``media.measures``; everything here is arithmetic on those numbers, so
that each rule can be tested without a picture. Energies are mean squared differences of block means, in grey
levels squared, taken over the blocks that moved most.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from fractions import Fraction
from functools import cached_property

import numpy as np
import numpy.typing as npt

from oddmeter.core.pictures.scan import FieldOrder, Scan

Series = npt.NDArray[np.float64]


PAIRS = 5
"""Pairs of fields that are compared, as ``Measures.energies`` has them."""
BANDS = 8
"""Bands of equal height, across the whole width, in which they are compared apart."""


@dataclass(frozen=True)
class Measures:
    """Consecutive frames measured. All series have one entry a frame; the first entry, which has no frame before
    it, is zero where a series compares with the frame before.

    ``bands``, shape (frames, 1 + ``PAIRS``, ``BANDS``), say of each band of the picture, from the top down, how much
    moves there, summed up, and the energies of five pairs of fields, summed up with that as weight.
    ``change`` is the mean absolute difference of the whole picture to the one
    before, ``over``, shape (frames, ``OVER``), to those two and more before, in grey levels, 255 where the change
    is small or there are none. ``regions`` are mean energies of the difference to the frame before in parts of the
    picture, shape (frames, regions). ``unexplained`` is what motion and a change of light leave of ``change``, in grey
    levels; small changes, which are no cut, are not looked into. ``first_frame`` is the number of the first entry.
    """

    first_frame: int
    bands: Series
    change: Series
    over: Series
    regions: Series
    unexplained: Series

    def __len__(self) -> int:
        return len(self.bands)

    def first(self, count: int) -> "Measures":
        """The first ``count`` frames of these."""
        return self._cut(0, count)

    def within(self, start: int, stop: int, bands: Sequence[int]) -> "Measures":
        """The entries ``start`` to ``stop - 1``, with the energies of some bands alone."""
        cut = self._cut(start, stop)
        return replace(cut, bands=cut.bands[:, :, list(bands)])

    def _cut(self, start: int, stop: int) -> "Measures":
        series = (getattr(self, each.name)[start:stop] for each in fields(self)[1:])
        return Measures(self.first_frame + start, *series)

    @cached_property
    def energies(self) -> Series:
        """What differs between five pairs of fields, shape (frames, ``PAIRS``): a frame's upper and its lower field
        and the same field of the frame before; its two fields; its upper field and the lower field before; its lower
        field and the upper field before. What moves most weighs most."""
        sums = self.bands.sum(axis=2)
        return np.asarray(sums[:, 1:] / np.maximum(sums[:, :1], 1e-9))

    @property
    def inside(self) -> Series:
        """How a frame's two fields differ."""
        return self.energies[:, 2]

    @property
    def back(self) -> Series:
        """How a frame's upper field differs from the lower field before."""
        return self.energies[:, 3]

    @property
    def ahead(self) -> Series:
        """How a frame's lower field differs from the upper field before."""
        return self.energies[:, 4]

    @property
    def motion(self) -> Series:
        """Energy of the difference to the frame before, both fields."""
        return np.asarray(self.energies[:, :2].mean(axis=1))


@dataclass(frozen=True)
class Stretch:
    """Frames ``first_frame`` to ``last_frame``, both included, that carry their pictures in one way.

    ``pattern`` is None, ``"2:3"``, ``"2:3:3:2"`` or ``"2:2"``; ``phase`` the position of the first frame in it.
    ``field_order`` is which field comes first in time, where that can be determined. ``graphics`` are the bands, of
    ``BANDS`` from the top, in which something else lies above the pulldown and moves from field to field.
    """

    first_frame: int
    last_frame: int
    scan: Scan
    field_order: FieldOrder | None = None
    pattern: str | None = None
    phase: int | None = None
    graphics: tuple[int, ...] = ()

    def over(self, first_frame: int, last_frame: int) -> "Stretch":
        """The same way over other frames."""
        phase = self.phase
        if phase is not None and self.pattern != "2:2":
            phase = (phase + first_frame - self.first_frame) % 5
        return replace(self, first_frame=first_frame, last_frame=last_frame, phase=phase)

    @property
    def frames(self) -> int:
        """How many frames the stretch holds."""
        return self.last_frame - self.first_frame + 1

    @property
    def words(self) -> str:
        """``pulldown 2:3 from position 1, lower first``."""
        order = f", {self.field_order} first" if self.field_order else ""
        if self.pattern == "2:2":
            return f"each picture in two fields of neighbouring frames (2:2){order}"
        if self.pattern is not None:
            above = f"; above it, {self.place}, graphics at field rate" if self.graphics else ""
            return f"pulldown {self.pattern} from position {self.phase}{order}{above}"
        return "too little moves to tell" if self.scan is Scan.UNKNOWN else f"{self.scan.value}{order}"

    @property
    def place(self) -> str:
        """Where the graphics are: ``at the bottom``, ``at the top and at the bottom``."""
        edges = BANDS // 3, BANDS - BANDS // 3
        parts = (("at the top", 0, edges[0]), ("in the middle", *edges), ("at the bottom", edges[1], BANDS))
        return " and ".join(words for words, a, b in parts if any(a <= band < b for band in self.graphics))


@dataclass(frozen=True)
class Repeats:
    """Frames that only repeat the one before: of ``frames`` looked at, ``unique_frames`` are new pictures, and
    they follow a pattern of ``step`` new pictures a frame, exact. ``new`` has a sign for every frame of the clip, "1"
    where it is a new picture; it is empty where only samples were looked at."""

    frames: int
    unique_frames: int
    step: Fraction
    new: str = ""


@dataclass(frozen=True)
class PictureReport:
    """What the pictures of a clip show.

    ``examined`` counts the frames looked at; ``whole`` is True where that was every frame. Without enough motion
    ``stretches`` say ``Scan.UNKNOWN``. ``new`` says of each frame of the first stretch looked at, from
    ``new_from`` on, whether it is a new picture (at most some hundreds, for drawing).
    """

    examined: int
    whole: bool
    stretches: tuple[Stretch, ...] = ()
    repeats: Repeats | None = None
    cuts: tuple[int, ...] = ()
    blended: bool = False
    new_from: int = 0
    new: tuple[bool, ...] = field(default_factory=tuple)

    @property
    def pulldown(self) -> tuple[Stretch, ...]:
        """The stretches that carry pulldown."""
        return tuple(stretch for stretch in self.stretches if stretch.pattern)

    @property
    def beneath_graphics(self) -> tuple[Stretch, ...]:
        """The stretches whose pulldown lies beneath graphics at field rate."""
        return tuple(stretch for stretch in self.stretches if stretch.graphics)


BEYOND_REPAIR = "Its fields were mixed from those of another standard; that is beyond clean repair."

OVER = 4
"""Distances over which it is asked whether a picture comes back: two frames up to five."""
CUT_CHANGE = 6.0
"""Grey levels by which the whole picture changes at least where there is a cut."""
_CUT_WINDOW = 8
"""Pictures on either side that say what is usual."""
_STILL = 0.3
"""Grey levels up to which a picture is the one before again, and says nothing of what is usual."""
_UNEXPLAINED = 2.7
"""Grey levels that motion leaves unexplained at a cut at least."""
_UNEXPLAINED_RATIO = 2.2
"""How much more it leaves there than it usually does around it."""
_ALONE = 1.7
"""And how much more than in the frames on either side: what moves too fast to be followed does so for some frames."""
_RUNS_ON = 0.6
"""The share of its change by which the picture may go on changing beside a cut: what runs into it does so for some
frames."""
_CLEAR = 12.0
"""How much more must be unexplained than beside it, for a cut in the middle of quick motion."""


def cuts(measures: Measures) -> list[int]:
    """Entries at which another shot begins.

    The whole picture changes there, motion cannot explain it as it can around it, and it does not change back, as it
    does after a flash of up to four frames, or where something near passes.
    """
    found: list[int] = []
    change, over, rest = measures.change, measures.over, measures.unexplained
    far = range(OVER)

    def is_undone(begins: int, ends: int, size: float) -> bool:
        """True where a change that begins at one entry is taken back at another."""
        if begins < 0 or ends >= len(change) or min(change[begins], change[ends]) <= 0.5 * size:
            return False
        return bool(over[ends, ends - begins - 1] < 0.4 * size)

    moved = np.flatnonzero(change > _STILL)
    for place in np.flatnonzero(change[moved] >= CUT_CHANGE).tolist():
        n = int(moved[place])
        earlier, later = moved[max(0, place - _CUT_WINDOW) : place], moved[place + 1 :][:_CUT_WINDOW]
        around, next_to = np.concatenate([earlier, later]), np.concatenate([earlier[-1:], later[:1]])
        usual, moves = _usual(rest[around]), _usual(change[around])
        beside = float(rest[next_to].max(initial=0.0))
        new = rest[n] >= max(_UNEXPLAINED, _UNEXPLAINED_RATIO * (usual + 0.5), _ALONE * beside)
        size = float(change[n])
        runs_on = change[next_to].max(initial=0.0) - moves > _RUNS_ON * (size - moves)
        flash = any(is_undone(n, n + 1 + k, size) or is_undone(n - 1 - k, n, size) for k in far)
        follows = bool(found) and n - found[-1] == 1
        if new and not flash and not follows and not (runs_on and rest[n] < _CLEAR * beside):
            found.append(n)
    return found


def _usual(around: Series) -> float:
    return float(np.median(around)) if around.size else 0.0
