"""Work on one picture that two threads share, where it is large: what is compiled lets other threads go on."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import TypeVar

_LARGE = 540
"""Lines from which on a picture is shared."""
Done = TypeVar("Done")


def do_all(parts: Sequence[Callable[[], Done]], lines: int) -> list[Done]:
    """What is done without depending on each other, of a picture of so many lines; by two threads where it is large."""
    if lines < _LARGE:
        return [part() for part in parts]
    with ThreadPoolExecutor(2, "picture") as pool:
        return list(pool.map(lambda part: part(), parts))


def do_halves(work: Callable[[int, int], None], lines: int, count: int) -> None:
    """Work that is done from one number up to another, over all of ``count``, for a picture of so many lines."""
    do_all([partial(work, 0, count // 2), partial(work, count // 2, count)], lines)
