"""Many moments of a path at once: where each lies on the ruler, and what that shows.

In integers where a piece is straight, in floats where it turns: those count only where they lie farther from the next
whole mark than they can be wrong, all others are worked out exactly. So no float decides a frame, and four hours cost
milliseconds.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, floor, lcm

import numpy as np
import numpy.typing as npt

from oddmeter.core.decisions.treatment import Between, Takes
from oddmeter.core.maps.frame_map import LEAST_GATHERED, Weights, gathers
from oddmeter.core.maps.paths import Path, Piece
from oddmeter.core.maps.rulers import EvenRuler, Flags, Ruler, Whole

Floats = npt.NDArray[np.float64]
_SAFE = 1 << 61


@dataclass(frozen=True)
class Places:
    """Where moments lie on a ruler: the whole mark that each lies at or after, whether it lies exactly there, which way
    the source runs, and how far beyond the mark it is."""

    marks: Whole
    exact: Flags
    ways: npt.NDArray[np.int8]
    fine: Floats

    @staticmethod
    def of(path: Path, ruler: Ruler, numbers: range, step: Fraction, later: Fraction = Fraction(0)) -> "Places":
        """Of the moments ``numbers`` times ``step``, and so much ``later``, in seconds."""
        count = len(numbers)
        out = Places(
            np.empty(count, np.int64), np.empty(count, np.bool_), np.empty(count, np.int8),
            np.empty(count, np.float64),
        )  # fmt: skip
        for piece, low, high in _spread(path, numbers, step, later):
            part = slice(low - numbers.start, high - numbers.start)
            out.marks[part], out.exact[part], out.fine[part] = _marks(piece, ruler, low, high, step, later)
            out.ways[part] = piece.way
        return out


def _spread(path: Path, numbers: range, step: Fraction, later: Fraction) -> Iterator[tuple[Piece, int, int]]:
    """The pieces with the moments that lie on each, from one number to before another."""
    for number, piece in enumerate(path.pieces):
        following = path.pieces[number + 1].begins if number + 1 < len(path.pieces) else None
        low = numbers.start if number == 0 else max(numbers.start, ceil((piece.begins - later) / step))
        high = numbers.stop if following is None else min(numbers.stop, ceil((following - later) / step))
        if low < high:
            yield piece, low, high


@dataclass(frozen=True)
class Moments:
    """The moments ``numbers`` times ``step`` seconds, ``fields`` of them to a picture; at each a shutter may open for a
    share of a timeline frame."""

    path: Path
    ruler: Ruler
    units: int
    fields: int
    numbers: range
    step: Fraction
    shutter: Fraction
    timeline_rate: Fraction

    @cached_property
    def opens(self) -> Places:
        """Where they lie."""
        return Places.of(self.path, self.ruler, self.numbers, self.step)

    @cached_property
    def closes(self) -> Places:
        """Where they lie once a shutter closes that opened at each."""
        return Places.of(self.path, self.ruler, self.numbers, self.step, self._open)

    @property
    def _open(self) -> Fraction:
        """Seconds for which a shutter is open."""
        return self.shutter / self.timeline_rate

    @cached_property
    def picks(self) -> Whole:
        """The unit on screen at each moment, in the order of running."""
        shown = self.ruler.units_at(self.opens.marks)
        back = self.opens.ways < 0
        if back.any():
            opens = self.opens
            shown = np.where(back, self.ruler.units_before(opens.marks + ~opens.exact), shown)
        return np.asarray(np.clip(shown, 0, self.units - 1), np.int64)

    def extents(self, between: Between) -> tuple[Whole, Whole]:
        """The lowest and the highest unit that each moment is made of."""
        if between.takes is Takes.SHOWN:
            return self.picks, self.picks
        return self._gathered if between.takes is Takes.PASSING else self._mixed

    @cached_property
    def _mixed(self) -> tuple[Whole, Whole]:
        here = self.ruler.units_at(self.opens.marks)
        low = np.clip(here, 0, self.units - 1)
        alone = self._alone(low) | (here < 0)
        return low, low + ~alone

    @cached_property
    def _gathered(self) -> tuple[Whole, Whole]:
        at = [self.ruler.units_at(places.marks) for places in (self.opens, self.closes)]
        before = [
            unit - (places.exact & self.ruler.begin_at(places.marks))
            for unit, places in zip(at, (self.opens, self.closes), strict=True)
        ]
        low, high = np.clip(np.minimum(*at), 0, self.units - 1), np.clip(np.maximum(*before), 0, self.units - 1)
        gathers = self._gathers
        return np.where(gathers, low, self.picks), np.where(gathers, np.maximum(low, high), self.picks)

    @cached_property
    def _gathers(self) -> Flags:
        """Where the source runs fast enough to be gathered: by arithmetic where it runs evenly, and one by one where
        floats cannot decide."""
        opens, closes = np.maximum(0, self._near(self.opens)), self._near(self.closes)
        over = np.abs(closes - opens) - LEAST_GATHERED * float(self.shutter)
        out, unsure = over >= 0, np.abs(over) < 1e-6 + 1e-12 * np.abs(opens)
        for piece, low, high in _spread(self.path, self.numbers, self.step, Fraction(0)) if unsure.any() else ():
            stay = high
            if piece is not self.path.pieces[-1]:
                stay = min(high, ceil((piece.ends - self._open) / self.step))
            if piece.is_straight and isinstance(self.ruler, EvenRuler) and low < stay:
                part = slice(low - self.numbers.start, stay - self.numbers.start)
                run_through = piece.leaves * self._open * self.ruler.rate
                out[part], unsure[part] = gathers(Fraction(0), run_through, self.shutter), False
        for i in np.flatnonzero(unsure):
            out[i] = gathers(*self._range(int(i)), self.shutter)
        return out

    def _near(self, places: Places) -> Floats:
        """About where the clip is, in units."""
        unit, since, lasts = self.ruler.spots(places.marks)
        return np.asarray(unit + (since + places.fine) / lasts, np.float64)

    def _range(self, i: int) -> tuple[Fraction, Fraction]:
        """The places at which a shutter opens at a moment, and closes."""
        moment = self.numbers[i] * self.step
        opens, closes = (self.ruler.place(self.path.at(at)) for at in (moment, moment + self._open))
        return max(Fraction(0), opens), closes

    def _taken(self, i: int) -> Weights:
        return Weights.gathered(*self._range(i), self.units)

    def kinds(self, between: Between) -> tuple[Flags, Flags, Whole]:
        """For each picture: whether it is another than the one before, whether it is built, and how many units are
        passed over on the way to it."""
        low, high = self.extents(between)
        same = np.zeros(len(low), np.bool_)
        f = self.fields
        if between.takes is Takes.SHOWN:
            same[f:] = low[f:] == low[:-f]
            moved = np.abs(np.diff(low)) - 1
            gaps = np.concatenate([[0], np.maximum(moved, 0)])
        else:
            now = np.flatnonzero((low[f:] == low[:-f]) & (high[f:] == high[:-f])) + f
            before = now - f
            alone = low[now] == high[now]
            if between.takes is Takes.PASSING:
                same[now] = alone
                for i in now[~alone]:  # where a curve turns around
                    same[i] = self._taken(int(i)) == self._taken(int(i) - f)
            else:
                opens = self.opens
                apart = (opens.marks[now] - opens.marks[before]) + (opens.fine[now] - opens.fine[before])
                same[now] = alone | (np.abs(apart) < 1e-9)
            gaps = np.zeros(len(low), np.int64)
            np.maximum(low[1:] - high[:-1] - 1, 0, out=gaps[1:])
            if (self.opens.ways < 0).any():
                np.maximum(gaps[1:], low[:-1] - high[1:] - 1, out=gaps[1:])
        built = low != high
        if f == 2:
            return ~(same[::2] & same[1::2]), built[::2] | built[1::2], gaps[::2] + gaps[1::2]
        return ~same, built, gaps

    def _alone(self, low: Whole) -> Flags:
        opens = self.opens
        return (opens.exact & self.ruler.begin_at(opens.marks)) | (low + 1 >= self.units)


def _marks(
    piece: Piece, ruler: Ruler, low: int, high: int, step: Fraction, later: Fraction
) -> tuple[Whole, Flags, Floats]:
    """For the moments ``low`` to ``high − 1`` times ``step``, and so much ``later``: the whole mark at or before,
    whether it is met exactly, and how far beyond it the moment is."""
    numbers = np.arange(low, high, dtype=np.int64)
    if piece.is_straight:
        return _straight(piece, ruler, numbers, step, later)
    start, share = (low * step + later - piece.begins) / piece.lasts, step / piece.lasts
    u = np.minimum(float(start) + float(share) * (numbers - low), 1.0)
    first, *others = (value * ruler.marks for value in piece.coefficients())
    first -= ruler.origin * ruler.marks
    base = floor(first)
    value = np.zeros(len(u))
    for coefficient in (*reversed(others), first - base):
        value = value * u + float(coefficient)
    wrong = 1e-6 + 1e-13 * (np.abs(value).max() + max(abs(float(other)) for other in others))
    marks, exact = np.floor(value).astype(np.int64) + base, np.zeros(len(u), np.bool_)
    fine = value - np.floor(value)
    for i in np.flatnonzero(np.abs(value - np.rint(value)) < wrong):
        place = (piece.at(int(numbers[i]) * step + later) - ruler.origin) * ruler.marks
        marks[i], exact[i] = floor(place), place.denominator == 1
        fine[i] = float(place - floor(place))
    return marks, exact, fine


def _straight(
    piece: Piece, ruler: Ruler, numbers: Whole, step: Fraction, later: Fraction
) -> tuple[Whole, Flags, Floats]:
    start = (piece.source + piece.leaves * (later - piece.begins) - ruler.origin) * ruler.marks
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
