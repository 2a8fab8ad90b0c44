"""What a probe finds out about a file."""

from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.evidence.identity import Identity
from oddmeter.core.evidence.unevenness import Unevenness
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.frame_index import FrameIndex
from oddmeter.core.numbers.numerals import round_half_up
from oddmeter.core.numbers.places import Labelling, SourceClock, SourceFrame
from oddmeter.core.numbers.rates import HIGHEST, Rate
from oddmeter.core.numbers.sound_times import FOLLOWING, SoundTimes
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.pictures.turn import Turn

MOST_INTERVALS = 24


class Timing(StrEnum):
    """Whether every frame lasts the same."""

    CONSTANT = "constant"
    VARIABLE = "variable"


@dataclass(frozen=True)
class Sound:
    """A sound stream that can be decoded: samples a second, channels, length in seconds by its timestamps, its
    ``place`` among the sound streams of the file, from 0, what the file calls it, and what its blocks say of when they
    are heard."""

    sample_rate: int
    channels: int
    seconds: Fraction
    place: int = 0
    name: str = ""
    times: SoundTimes = FOLLOWING


@dataclass(frozen=True, slots=True)
class Facts:
    """One file as it really is.

    ``frames`` is counted, not read from the header. ``file_rate`` is exact; where timing is variable it is the
    standard rate that frames jitter about, or else the average; ``clock`` are then their own times, and ``uneven`` what
    these are like. ``measured_rate`` is the average over the raw timestamps.
    ``stated_rate`` is what the container's header says, as it stands there, ``stream_rate`` what is written in the
    stream itself; ``capture_rate`` what it says under the key
    ``capture_key`` of the camera's own speed. ``scan`` and ``field_order`` are the header's flags. ``start`` is the
    time of the first frame in seconds. ``duplicates`` counts frames with the time of another, ``gaps`` places where
    at least one frame is missing; ``intervals`` are the lengths of frames in seconds, each with how many last so
    long (at most ``MOST_INTERVALS`` of them). Of a numbered sequence, gaps and duplicates are those of its numbers.
    ``pixel_aspect`` is width over height; with ``width`` and ``height`` it is that of the picture as it is shown, after
    its ``turn``. ``index`` says which frame each packet of the file shows. ``pixel_format`` is libavutil's name of how
    samples are stored, ``bits`` their depth, ``transfer`` the curve of high dynamic range where there is one,
    ``identity`` what shows whether the file is still the same. ``fault`` is a sentence where the file cannot be used;
    ``remarks`` are sentences about what is odd in a file that can.
    """

    frames: int = 0
    file_rate: Rate | None = None
    timing: Timing = Timing.CONSTANT
    measured_rate: Fraction | None = None
    width: int = 0
    height: int = 0
    pixel_aspect: Fraction = Fraction(1)
    scan: Scan = Scan.UNKNOWN
    field_order: FieldOrder | None = None
    timecode: str | None = None
    sounds: tuple[Sound, ...] = ()
    codec: str = ""
    stated_rate: Fraction | None = None
    stream_rate: Fraction | None = None
    capture_rate: Fraction | None = None
    capture_key: str = ""
    turn: Turn = Turn.NONE
    pixel_format: str = ""
    bits: int = 0
    transfer: str = ""
    identity: Identity | None = None
    start: Fraction = Fraction(0)
    duplicates: int = 0
    gaps: int = 0
    intervals: tuple[tuple[Fraction, int], ...] = ()
    index: FrameIndex | None = None
    clock: Clock | None = None
    uneven: Unevenness | None = None
    fault: str | None = None
    remarks: tuple[str, ...] = field(default_factory=tuple)

    @property
    def sound(self) -> Sound | None:
        """The first sound stream that can be decoded."""
        return self.sounds[0] if self.sounds else None

    @property
    def label_rate(self) -> Rate | None:
        """The rate at which its timecode counts."""
        return label_rate(self.file_rate, self.timing, self.stated_rate) if self.file_rate else None

    @property
    def first_timecode(self) -> Timecode | None:
        """The timecode of its first frame; None where it has none that can be read at its rate."""
        if self.timecode is None or (rate := self.label_rate) is None:
            return None
        try:
            return Timecode.parse(self.timecode, rate)
        except RuleError:
            return None

    @property
    def labels(self) -> Labelling | None:
        """How its frames are labelled by its timecode, or from zero where it has none; None where nothing says how fast
        it runs."""
        if self.file_rate is None or (rate := self.label_rate) is None:
            return None
        return Labelling(SourceClock(self.file_rate, self.times), rate, self.frames, self.first_timecode)

    def timecode_of(self, frame: int) -> Timecode | None:
        """The timecode of a frame; where frames come at times of their own, the label that is on at its time."""
        labels = self.labels
        if labels is None or labels.first is None:
            return None
        return labels.label(SourceFrame(Fraction(frame))).timecode()

    @property
    def only_sound(self) -> bool:
        """True of a file that has sound and no picture: no clip, but music for one."""
        return self.frames == 0 and bool(self.sounds)

    @property
    def trouble(self) -> str | None:
        """Everything that is wrong, as one text; None for a sound file."""
        return " ".join(filter(None, (self.fault, *self.remarks))) or None

    @property
    def fastest(self) -> Fraction | None:
        """Frames a second over the shortest interval."""
        return 1 / self.intervals[0][0] if self.intervals and self.intervals[0][0] > 0 else None

    @property
    def slowest(self) -> Fraction | None:
        """Frames a second over the longest interval."""
        return 1 / self.intervals[-1][0] if self.intervals and self.intervals[-1][0] > 0 else None

    @property
    def times(self) -> Clock | None:
        """The clock, where it times every frame: what a clip is read by."""
        return self.clock if self.clock is not None and self.clock.frames == self.frames else None

    @property
    def lasts(self) -> Fraction | None:
        """Seconds from the first frame to the end of the last; None where nothing says how fast it runs."""
        if self.clock is not None:
            return self.clock.end
        return self.frames / self.file_rate.value if self.file_rate else None

    @property
    def usable(self) -> bool:
        """True where the file has frames and a rate to plan with."""
        return self.fault is None and self.frames > 0 and self.file_rate is not None


_NEAR_STATED = Fraction(1, 20)


def label_rate(rate: Rate, timing: Timing, stated: Fraction | None) -> Rate:
    """The rate at which the timecode of a file counts: its own; of one whose frames come at times of their own the rate
    that its header states, where that is a usual one and near, or else the nearest whole one."""
    if timing is Timing.CONSTANT or rate.is_usual:
        return rate
    if stated is not None and 0 < stated <= HIGHEST:
        usual = Rate.snap(stated)
        if usual.is_usual and abs(usual.value - rate.value) <= _NEAR_STATED * rate.value:
            return usual
    return Rate.of(max(1, round_half_up(rate.value)))
