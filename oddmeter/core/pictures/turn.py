"""Turns: how a stored picture is turned before it is shown, as a file's display matrix says (ISO/IEC 14496-12)."""

from collections.abc import Sequence
from enum import StrEnum


class Turn(StrEnum):
    """Quarters clockwise, after the picture was mirrored left to right where it says so."""

    NONE = "upright"
    QUARTER = "90°"
    HALF = "180°"
    THREE_QUARTERS = "270°"
    MIRRORED = "mirrored"
    MIRRORED_QUARTER = "mirrored, 90°"
    MIRRORED_HALF = "mirrored, 180°"
    MIRRORED_THREE_QUARTERS = "mirrored, 270°"

    @property
    def swaps(self) -> bool:
        """True where width and height change places."""
        return _LINES[self][0]

    @property
    def lines(self) -> tuple[bool, bool, bool]:
        """What is done with the lines of a picture, in this order: rows become columns, columns from right to left,
        rows from the bottom up."""
        return _LINES[self]


_LINES = {
    Turn.NONE: (False, False, False),
    Turn.QUARTER: (True, True, False),
    Turn.HALF: (False, True, True),
    Turn.THREE_QUARTERS: (True, False, True),
    Turn.MIRRORED: (False, True, False),
    Turn.MIRRORED_QUARTER: (True, True, True),
    Turn.MIRRORED_HALF: (False, False, True),
    Turn.MIRRORED_THREE_QUARTERS: (True, False, False),
}


def turn_of(matrix: Sequence[int]) -> Turn | None:
    """The turn of a display matrix: nine numbers row by row, of which a, b, c, d move a point (x, y) to
    (a·x + c·y, b·x + d·y). None where it turns by something else than quarters."""
    a, b, _, c, d = matrix[:5]
    straight, swapped = a != 0 and d != 0 and b == c == 0, b != 0 and c != 0 and a == d == 0
    if not (straight or swapped):
        return None
    wanted = (swapped, (c if swapped else a) < 0, (b if swapped else d) < 0)
    return next(turn for turn, lines in _LINES.items() if lines == wanted)
