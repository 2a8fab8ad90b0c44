"""What several measurements share: the size they are asked for, and the memory of a process."""

import re
import sys
from pathlib import Path


def size_asked(place: int, usual: str) -> tuple[int, int]:
    """Width and height from the argument at a place, as WIDTHxHEIGHT, or the usual ones."""
    width, height = map(int, (sys.argv[place] if len(sys.argv) > place else usual).split("x"))
    return width, height


def most_memory() -> float:
    """The megabytes that this process had at the most. The system's account of resources begins with those of the
    process that started it, which may be large; this one does not."""
    (kilobytes,) = re.findall(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    return int(kilobytes) / 1024
