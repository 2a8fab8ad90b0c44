"""What several measurements share: the size they are asked for, plain decoding, and the memory of a process."""

import re
import sys
from collections.abc import Iterator
from pathlib import Path

import av
from av.video.frame import VideoFrame


def size_asked(place: int, usual: str) -> tuple[int, int]:
    """Width and height from the argument at a place, as WIDTHxHEIGHT, or the usual ones."""
    width, height = map(int, (sys.argv[place] if len(sys.argv) > place else usual).split("x"))
    return width, height


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
