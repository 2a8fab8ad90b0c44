"""Many moments of a path at once: where each lies on the ruler, and what that shows.

In integers where a piece is straight, in floats where it turns: those count only where they lie farther from the next
whole mark than they can be wrong, all others are worked out exactly. So no float decides a frame, and four hours cost
milliseconds.
"""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, floor, lcm

import numpy as np
import numpy.typing as npt

from oddmeter.core.decisions.treatment import Between
from oddmeter.core.maps.paths import Path, Piece
from oddmeter.core.maps.rulers import Flags, Ruler, Whole

Floats = npt.NDArray[np.float64]
_SAFE = 1 << 61


def moments(path: Path, ruler: Ruler, units: int, fields: int, numbers: range, step: Fraction) -> "Moments":
    """The moments ``numbers`` times ``step`` seconds, ``fields`` of them to a picture."""
    count = len(numbers)
    marks, exact, ways = np.empty(count, np.int64), np.empty(count, np.bool_), np.empty(count, np.int8)
    fine = np.empty(count, np.float64)
    for number, piece in enumerate(path.pieces):
        following = path.pieces[number + 1].begins if number + 1 < len(path.pieces) else None
        low = numbers.start if number == 0 else max(numbers.start, ceil(piece.begins / step))
        high = numbers.stop if following is None else min(numbers.stop, ceil(following / step))
        if low < high:
            part = slice(low - numbers.start, high - numbers.start)
            marks[part], exact[part], fine[part] = _marks(piece, ruler, low, high, step)
            ways[part] = piece.way
    return Moments(ruler, units, fields, marks, exact, ways, fine)


@dataclass(frozen=True)
class Moments:
    """Moments in turn, ``fields`` to a picture: the whole mark of the ruler that each lies at or after, whether it lies
    exactly there, which way the source runs, and how far beyond the mark it is."""

    ruler: Ruler
    units: int
    fields: int
    marks: Whole
    exact: Flags
    ways: npt.NDArray[np.int8]
    fine: Floats

    @cached_property
    def picks(self) -> Whole:
        """The unit on screen at each moment, in the order of running."""
        shown = self.ruler.units_at(self.marks)
        back = self.ways < 0
        if back.any():
            shown = np.where(back, self.ruler.units_before(self.marks + ~self.exact), shown)
        return np.asarray(np.clip(shown, 0, self.units - 1), np.int64)

    def extents(self, between: Between) -> tuple[Whole, Whole]:
        """The lowest and the highest unit that each moment is made of."""
        return (self.picks, self.picks) if between is Between.PICK else self._mixed

    @cached_property
    def _mixed(self) -> tuple[Whole, Whole]:
        here = self.ruler.units_at(self.marks)
        low = np.clip(here, 0, self.units - 1)
        alone = self._alone(low) | (here < 0)
        return low, low + ~alone

    def kinds(self, between: Between) -> tuple[Flags, Flags, Whole]:
        """For each picture: whether it is another than the one before, whether it is built, and how many units are
        passed over on the way to it."""
        low, high = self.extents(between)
        same = np.zeros(len(low), np.bool_)
        f = self.fields
        if between is Between.PICK:
            same[f:] = low[f:] == low[:-f]
            moved = np.abs(np.diff(low)) - 1
            gaps = np.concatenate([[0], np.maximum(moved, 0)])
        else:
            now = np.flatnonzero((low[f:] == low[:-f]) & (high[f:] == high[:-f])) + f
            before = now - f
            apart = (self.marks[now] - self.marks[before]) + (self.fine[now] - self.fine[before])
            same[now] = (low[now] == high[now]) | (np.abs(apart) < 1e-9)
            gaps = np.zeros(len(low), np.int64)
            np.maximum(low[1:] - high[:-1] - 1, 0, out=gaps[1:])
            if (self.ways < 0).any():
                np.maximum(gaps[1:], low[:-1] - high[1:] - 1, out=gaps[1:])
        built = low != high
        if f == 2:
            return ~(same[::2] & same[1::2]), built[::2] | built[1::2], gaps[::2] + gaps[1::2]
        return ~same, built, gaps

    def _alone(self, low: Whole) -> Flags:
        return (self.exact & self.ruler.begin_at(self.marks)) | (low + 1 >= self.units)


def _marks(piece: Piece, ruler: Ruler, low: int, high: int, step: Fraction) -> tuple[Whole, Flags, Floats]:
    """For the moments ``low`` to ``high − 1`` times ``step``: the whole mark at or before, whether it is met exactly,
    and how far beyond it the moment is."""
    numbers = np.arange(low, high, dtype=np.int64)
    if piece.is_straight:
        return _straight(piece, ruler, numbers, step)
    start, share = (low * step - piece.begins) / piece.lasts, step / piece.lasts
    u = np.minimum(float(start) + float(share) * (numbers - low), 1.0)
    first, *others = (value * ruler.marks for value in piece.coefficients())
    first -= ruler.origin * ruler.marks
    base = floor(first)
    value = np.zeros(len(u))
    for coefficient in (*reversed(others), first - base):
        value = value * u + float(coefficient)
    wrong = 1e-6 + 1e-13 * (np.abs(value).max() + max(abs(float(one)) for one in others))
    marks, exact = np.floor(value).astype(np.int64) + base, np.zeros(len(u), np.bool_)
    fine = value - np.floor(value)
    for i in np.flatnonzero(np.abs(value - np.rint(value)) < wrong):
        place = (piece.at(int(numbers[i]) * step) - ruler.origin) * ruler.marks
        marks[i], exact[i] = floor(place), place.denominator == 1
        fine[i] = float(place - floor(place))
    return marks, exact, fine


def _straight(piece: Piece, ruler: Ruler, numbers: Whole, step: Fraction) -> tuple[Whole, Flags, Floats]:
    start = (piece.source - piece.leaves * piece.begins - ruler.origin) * ruler.marks
    move = piece.leaves * step * ruler.marks
    whole = lcm(start.denominator, move.denominator)
    a, b = int(start * whole), int(move * whole)
    if abs(a) + abs(b) * (int(numbers[-1]) + 1) < _SAFE and whole < _SAFE:
        if whole == 1:
            return a + b * numbers, np.ones(len(numbers), np.bool_), np.zeros(len(numbers))
        places = a + b * numbers
        marks = places // whole  # quicker than divmod by half
        rest = places - marks * whole
        return marks, rest == 0, rest / whole
    pairs = [divmod(a + b * number, whole) for number in numbers.tolist()]
    rests = [rest for _, rest in pairs]
    return (
        np.array([mark for mark, _ in pairs], np.int64), np.array([rest == 0 for rest in rests]),
        np.array([rest / whole for rest in rests]),
    )  # fmt: skip
