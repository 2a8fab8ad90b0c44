"""What memory one frame takes that is built, or gathered of eight: by how much a process grows for its first.

    .venv/bin/python -m bench.memory [WIDTHxHEIGHT, default 3840x2160]

Each is made in a process of its own, whose memory at the most is told before and after; the frames that are given are
decoded before, and the kernels loaded by a small one.
"""

from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from multiprocessing import get_context

from av.video.frame import VideoFrame

from bench.common import most_memory, size_asked
from bench.flow import REACH, TRUST, of_kind
from oddmeter.core.decisions.treatment import Effort
from oddmeter.media.inbetweens.cells import Beyond
from oddmeter.media.inbetweens.flow import between, motion, sizes_of
from oddmeter.media.pictures.light import added

GATHERED = "gathered of eight"
WAYS = (*Effort, GATHERED)


def make(way: str, given: list[VideoFrame]) -> None:
    """Make one frame of the four that are given: built between the middle two, or gathered of them twice over."""
    if way == GATHERED:
        added(iter(given * 2), [1 / 8] * 8)
        return
    before, found, after = (motion(*pair, Effort(way)) for pair in pairwise(map(sizes_of, given)))
    between(given[1], given[2], found, 0.4, Effort(way), REACH, TRUST, Beyond(before, after))


def growth(way: str, width: int, height: int) -> float:
    """By how many megabytes this process grows for its first frame of that size."""
    small = of_kind("hand-held", 3, 640, 360)[0][:4]
    make(way, small)
    given = [frame.reformat(width, height) for frame in small]
    before = most_memory()
    make(way, given)
    return most_memory() - before


def measure(width: int, height: int) -> None:
    """Print by how much a process grows, way by way."""
    for way in WAYS:
        with ProcessPoolExecutor(1, get_context("spawn")) as process:
            grown = process.submit(growth, way, width, height).result()
        print(f"a frame of {width} × {height}, {way}: {grown:.0f} MB")


def main() -> None:
    measure(*size_asked(1, "3840x2160"))


if __name__ == "__main__":
    main()
