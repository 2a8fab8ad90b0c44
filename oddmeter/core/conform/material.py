"""Material: what is true of a clip that is conformed."""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.places import Seconds, SourceClock, SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import Originals
from oddmeter.core.pictures.scan import FieldOrder


@dataclass(frozen=True)
class Material:
    """What is true of a clip: its frames, file rate, and shot rate (None: the file's); which field comes first where
    it has two moments a frame, and where pulldown or repeats are inside, how to take them out; the ``clock`` of frames
    that come at times of their own, and whether the shot rate was ``settled``, by which they are then read evenly.
    ``of_sound`` is a file of sound alone, which has no frames and is counted in those of its timeline."""

    frames: int
    file_rate: Rate
    shot_rate: Rate | None = None
    field_order: FieldOrder = FieldOrder.UPPER
    originals: Originals | None = None
    clock: Clock | None = None
    settled: bool = False
    of_sound: bool = False

    @property
    def file_clock(self) -> SourceClock:
        """How its frames go by as the file has it."""
        return SourceClock(self.file_rate, self.clock)

    @property
    def end(self) -> SourceFrame:
        """The place behind its last frame."""
        return SourceFrame(Fraction(self.frames))

    @property
    def lasts(self) -> Seconds:
        """Seconds from the first frame to the end of the last, as the file has it."""
        return self.file_clock.second(self.end)
