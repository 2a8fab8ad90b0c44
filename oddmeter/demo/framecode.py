"""The frame-number code: 24 black or white cells in the lower left corner that encode a frame's number.

Two rows of twelve cells: one white and one black for the threshold, sixteen bits of number, six of check
sum. Cells are sized by the picture's height, so the code survives scaling and ordinary compression.
"""

import cv2
import numpy as np
import numpy.typing as npt

Picture = npt.NDArray[np.uint8]

COLUMNS, ROWS = 12, 2
_CELLS_A_HEIGHT = 45
_MARGIN_CELLS = 1.5
_WHITE, _BLACK = 235, 16
_POLYNOMIAL = 0b1000011


def stamp(picture: Picture, number: int) -> None:
    """Draw the code of ``number`` (0 to 65535) into a picture of shape (height, width, 3), in place."""
    height = picture.shape[0]
    for index, bit in enumerate(_bits(number)):
        x0, y0, x1, y1 = _cell(height, index)
        cv2.rectangle(
            picture, (round(x0), round(y0)), (round(x1) - 1, round(y1) - 1), (_WHITE if bit else _BLACK,) * 3, -1
        )


def read(picture: Picture) -> int | None:
    """The number in a picture of shape (height, width) or (height, width, 3); None where none can be read."""
    height = picture.shape[0]
    grey = picture if picture.ndim == 2 else picture.mean(axis=2)
    means = [_centre_mean(grey, _cell(height, index)) for index in range(COLUMNS * ROWS)]
    white, black = means[0], means[1]
    if white - black < 40:
        return None
    bits = [mean > (white + black) / 2 for mean in means]
    number = sum(bit << i for i, bit in enumerate(bits[2:18]))
    return number if bits == _bits(number) else None


def _bits(number: int) -> list[bool]:
    if not 0 <= number < 1 << 16:
        raise ValueError(f"a frame code holds 0 to 65535, not {number}")
    rest = number << 6
    for shift in range(21, 5, -1):
        if rest >> shift & 1:
            rest ^= _POLYNOMIAL << (shift - 6)
    return [True, False, *(bool(number >> i & 1) for i in range(16)), *(bool(rest >> i & 1) for i in range(6))]


def _cell(height: int, index: int) -> tuple[float, float, float, float]:
    size = height / _CELLS_A_HEIGHT
    x = (_MARGIN_CELLS + index % COLUMNS) * size
    y = height - (_MARGIN_CELLS + ROWS - index // COLUMNS) * size
    return x, y, x + size, y + size


def _centre_mean(grey: npt.NDArray[np.generic], cell: tuple[float, float, float, float]) -> float:
    x0, y0, x1, y1 = cell
    inset = (x1 - x0) / 4
    rows = slice(round(y0 + inset), max(round(y0 + inset) + 1, round(y1 - inset)))
    columns = slice(round(x0 + inset), max(round(x0 + inset) + 1, round(x1 - inset)))
    return float(grey[rows, columns].mean())
