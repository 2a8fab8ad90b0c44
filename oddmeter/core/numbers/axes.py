"""Axes: the round steps that an axis is numbered in, and the spot that what is dragged along it snaps to."""

from collections.abc import Iterable
from fractions import Fraction
from math import ceil

_ROUND = tuple(int(digit + power * "0") for power in range(12) for digit in "125")


def round_step(at_least: Fraction | int) -> int:
    """The smallest of 1, 2, 5, 10, 20, 50 … that is no less."""
    return next((step for step in _ROUND if step >= at_least), _ROUND[-1])


def round_marks(first: int, stop: int, most: int) -> range:
    """The numbers to write on an axis from ``first`` to ``stop − 1``: in a round step, about ``most`` of them at
    most."""
    step = round_step(Fraction(max(1, stop - first), most))
    return range(ceil(Fraction(first, step)) * step, stop, step)


def snapped(place: int, spots: Iterable[int], within: int) -> int:
    """The spot nearest to a place, at most ``within`` away, the earlier of two; where there is none, the place."""
    near = min(spots, key=lambda spot: (abs(spot - place), spot), default=place)
    return near if near >= 0 and abs(near - place) <= within else place
