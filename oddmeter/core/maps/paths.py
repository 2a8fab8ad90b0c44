"""Paths: how source time runs along timeline time, in pieces: straight ones, turns of speed, and rests.

The equations of a turn are those of docs/model.md, Speed curves. Everything is exact; times are seconds.
"""

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property

from oddmeter.core.numbers.errors import RuleError

Ease = tuple[Fraction, Fraction]
SOFT: Ease = (Fraction(0), Fraction(0))


@dataclass(frozen=True)
class Piece:
    """A part of a path: from the timeline moment ``begins``, where the source is at ``source``, for ``lasts`` seconds,
    above zero, from speed ``leaves`` to speed ``arrives``, with the ease of either end."""

    begins: Fraction
    source: Fraction
    lasts: Fraction
    leaves: Fraction
    arrives: Fraction
    ease: Ease = SOFT

    @property
    def is_straight(self) -> bool:
        """True where the speed stays the same."""
        return self.leaves == self.arrives

    @property
    def rests(self) -> bool:
        """True where the source stands still."""
        return self.leaves == self.arrives == 0

    @property
    def way(self) -> int:
        """1 where the source runs forwards, −1 backwards, 0 at rest."""
        speed = self.leaves or self.arrives
        return (speed > 0) - (speed < 0)

    @property
    def ends(self) -> Fraction:
        """The timeline moment at which it is over."""
        return self.begins + self.lasts

    @property
    def run(self) -> Fraction:
        """Source seconds from its beginning to its end."""
        return self.lasts * mean_speed(self.leaves, self.arrives, self.ease)

    def at(self, moment: Fraction) -> Fraction:
        """Source time at a timeline moment."""
        since = moment - self.begins
        if self.is_straight or since < 0:
            return self.source + self.leaves * since
        u = min(Fraction(1), since / self.lasts)
        return self.source + self.lasts * (self.leaves * u + (self.arrives - self.leaves) * eased_sum(u, self.ease))

    def when(self, source: Fraction) -> Fraction:
        """The timeline moment at which the source is at a second; on a turn to within a millionth of it."""
        if self.is_straight:
            return self.begins + (source - self.source) / self.leaves
        low, high = 0.0, 1.0
        terms = [float(coefficient) for coefficient in self.coefficients()]
        wanted = float(source - self.source)
        for _ in range(40):
            u = (low + high) / 2
            reached = sum(term * u**power for power, term in enumerate(terms[1:], 1))
            low, high = (u, high) if (reached < wanted) == (self.way > 0) else (low, u)
        return self.begins + self.lasts * Fraction(round(low * 2**20), 2**20)

    def speed_at(self, moment: Fraction) -> Fraction:
        """The speed at a timeline moment."""
        if self.is_straight:
            return self.leaves
        u = (moment - self.begins) / self.lasts
        return self.leaves + (self.arrives - self.leaves) * eased(u, self.ease)

    def coefficients(self) -> tuple[Fraction, ...]:
        """Source time as a polynomial in the share u of the piece that is over."""
        if self.is_straight:
            return self.source, self.leaves * self.lasts
        (a, b), turn, lasts = self.ease, self.arrives - self.leaves, self.lasts
        return (
            self.source, lasts * self.leaves, lasts * turn * a / 2,
            lasts * turn * (1 - Fraction(2, 3) * a - b / 3), lasts * turn * (a / 4 - Fraction(1, 2) + b / 4),
        )  # fmt: skip


def eased(u: Fraction, ease: Ease) -> Fraction:
    """e(u): how far speed has turned."""
    a, b = ease
    return a * (u - 2 * u**2 + u**3) + (3 * u**2 - 2 * u**3) + b * (u**3 - u**2)


def eased_sum(u: Fraction, ease: Ease) -> Fraction:
    """E(u): the integral of ``eased`` up to u."""
    a, b = ease
    return a * (u**2 / 2 - Fraction(2, 3) * u**3 + u**4 / 4) + (u**3 - u**4 / 2) + b * (u**4 / 4 - u**3 / 3)


def mean_speed(leaves: Fraction, arrives: Fraction, ease: Ease) -> Fraction:
    """The speed that a turn has on the whole."""
    if leaves == arrives:
        return leaves
    a, b = ease
    return leaves + (arrives - leaves) * (_HALF + (a - b) / 12 if a != b else _HALF)


_HALF = Fraction(1, 2)


@dataclass(frozen=True)
class Path:
    """Pieces one after the other, from the timeline moment 0; what lies beyond the last follows it on. ``until`` is the
    moment at which a window of a longer path is over."""

    pieces: tuple[Piece, ...]
    until: Fraction | None = None

    def __post_init__(self) -> None:
        if not self.pieces:
            raise RuleError("Nothing of this clip would be shown.", "curve")

    @staticmethod
    def straight(source: Fraction, speed: Fraction, lasts: Fraction) -> "Path":
        """One speed from end to end."""
        return Path((Piece(Fraction(0), source, lasts, speed, speed),))

    @cached_property
    def begins(self) -> tuple[Fraction, ...]:
        """The moments at which the pieces begin."""
        return tuple(piece.begins for piece in self.pieces)

    @property
    def lasts(self) -> Fraction:
        """Seconds from end to end."""
        return self.pieces[-1].ends if self.until is None else self.until

    def window(self, begins: Fraction, lasts: Fraction) -> "Path":
        """The path from one of its moments on, for so many seconds. Before its beginning it comes as it begins; behind
        its end it rests."""
        first, last = self.pieces[0], self.pieces[-1]
        pieces = [*self.pieces]
        if begins < 0:
            before = Piece(begins, first.source + first.leaves * begins, -begins, first.leaves, first.leaves)
            pieces = [replace(first, begins=begins, source=before.source, lasts=first.lasts - begins), *pieces[1:]]
            pieces = pieces if first.is_straight else [before, *self.pieces]
        if begins + lasts > last.ends and not last.rests:
            end = last.source + last.run
            pieces.append(Piece(last.ends, end, begins + lasts - last.ends, Fraction(0), Fraction(0)))
        shifted = [replace(piece, begins=piece.begins - begins) for piece in pieces]
        within = [piece for piece in shifted if piece.begins < lasts and piece.ends > 0]
        return Path(tuple(within or shifted[-1:]), lasts)

    def piece(self, moment: Fraction) -> Piece:
        """The piece that a moment lies in."""
        return self.pieces[max(0, bisect_right(self.begins, moment) - 1)]

    def at(self, moment: Fraction) -> Fraction:
        """Source time at a moment."""
        return self.piece(moment).at(moment)

    def speeds_at(self, comes: Fraction, goes: Fraction) -> tuple[Fraction, Fraction]:
        """The speeds with which a point that comes at one moment is reached, and left at another."""
        before = [piece for piece in self.pieces if piece.begins < comes <= piece.ends]
        after = [piece for piece in self.pieces if piece.begins <= goes < piece.ends]
        arrives = before[-1].speed_at(comes) if before else None
        leaves = after[-1].speed_at(goes) if after else arrives or Fraction(0)
        return (leaves if arrives is None else arrives), leaves


def joined(source: Fraction, parts: Iterable[tuple[Fraction, Fraction, Fraction, Ease]]) -> Path:
    """The path of parts, each seconds long, from one speed to another; empty ones are left out, and neighbours of one
    speed are one piece."""
    pieces: list[Piece] = []
    moment = Fraction(0)
    for lasts, leaves, arrives, ease in parts:
        if lasts == 0:
            continue
        last = pieces[-1] if pieces else None
        if last is not None and last.is_straight and last.leaves == leaves == arrives:
            piece = replace(pieces.pop(), lasts=last.lasts + lasts)
        else:
            piece = Piece(moment, source, lasts, leaves, arrives, SOFT if leaves == arrives else ease)
        pieces.append(piece)
        moment, source = moment + lasts, source + lasts * mean_speed(leaves, arrives, ease)
    return Path(tuple(pieces))
