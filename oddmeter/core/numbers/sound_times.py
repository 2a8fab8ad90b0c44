"""Where the blocks of a sound lie in time: most follow each other without a hole from the first to the last."""

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import accumulate

BACK = Fraction(1)
"""Seconds by which times that run backwards mean another recording."""


@dataclass(frozen=True)
class SoundRun:
    """Blocks that follow each other without a hole or an overlap: the seconds, counted from the first picture, at which
    they begin and end."""

    begins: Fraction
    ends: Fraction


@dataclass(frozen=True)
class SoundTimes:
    """What the times of a sound's blocks say, beyond that they follow each other.

    ``zero`` is the time in the file, in seconds, of its first picture, from which all is counted; None of a file that
    was not looked at, which begins with what its header says. ``runs`` are the stretches between holes, in the order in
    which they begin, none where there is one alone. ``rate`` is how many samples really come in a second, where the
    sound's clock is not the file's; None where it is.
    """

    zero: Fraction | None = None
    runs: tuple[SoundRun, ...] = ()
    rate: Fraction | None = None
    moved: tuple[Fraction, ...] = ()

    def run_at(self, seconds: Fraction) -> int:
        """The number of the run that a block belongs to which comes at so many seconds; 0 before the first."""
        return max(0, bisect_right(self.runs, seconds, key=lambda run: run.begins) - 1)

    def free_from(self, run: int) -> Fraction | None:
        """The seconds from which a run is heard: where those before it overlap with it, they stay. None of the
        first."""
        return self._ends[run - 1] if run else None

    @cached_property
    def _ends(self) -> list[Fraction]:
        """When each run, and all before it, have ended."""
        return list(accumulate((run.ends for run in self.runs), max))

    @property
    def holes(self) -> tuple[tuple[Fraction, Fraction], ...]:
        """The seconds at which it falls silent for want of blocks, and for how long."""
        pairs = [(self.free_from(number), run.begins) for number, run in enumerate(self.runs)]
        return tuple((ends, begins - ends) for ends, begins in pairs if ends is not None and begins > ends)

    @property
    def overlaps(self) -> int:
        """How many runs begin before those before them have ended."""
        ends = (self.free_from(number) for number in range(len(self.runs)))
        return sum(end is not None and run.begins < end for run, end in zip(self.runs, ends, strict=True))


FOLLOWING = SoundTimes()
"""Blocks that follow each other, from the first picture that the header names."""
