"""What several measurements share: the size asked for, the best of some runs, plain decoding, a process's memory."""

import re
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import av
from av.video.frame import VideoFrame


def size_asked(place: int, usual: str) -> tuple[int, int]:
    """Width and height from the argument at a place, as WIDTHxHEIGHT, or the usual ones."""
    width, height = map(int, (sys.argv[place] if len(sys.argv) > place else usual).split("x"))
    return width, height


def best(work: Callable[[], object], times: int = 3) -> float:
    """The shortest of some runs, in seconds."""
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def plainly(path: Path) -> Iterator[VideoFrame]:
    """All pictures that come out of a file, from its start; what cannot be decoded gives none."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_count = 1
        packets = container.demux(stream)
        while True:
            try:
                packet = next(packets, None)
                frames = stream.decode(packet if packet is not None and packet.size else None)
            except (av.error.FFmpegError, ValueError):
                continue
            yield from frames
            if packet is None or not packet.size:
                return


def most_memory() -> float:
    """The megabytes that this process had at the most. The system's account of resources begins with those of the
    process that started it, which may be large; this one does not."""
    (kilobytes,) = re.findall(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    return int(kilobytes) / 1024
