"""Conform: from a clip's rates, a treatment and the timeline's rate to a speed and a frame map.

The equations are those of docs/model.md: stride k = R · p / T (times the units for each frame: twice that with
fields split, four fifths with pulldown taken out), pace = R · p / S,
sound = R · p / F.
"""

from bisect import bisect_left
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from oddmeter.core.conform.cadence import Cadence
from oddmeter.core.conform.frame_map import PROGRESSIVE, FrameMap, Shown, Tally
from oddmeter.core.conform.straight import StraightMap, frames_over
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import Originals, Unit
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan

HIGHEST_STRIDE = Fraction(10_000_000)
"""A stride or its inverse beyond this is a slip of the hand, and its length would not fit anywhere."""


@dataclass(frozen=True)
class Material:
    """What is true of a clip: its frames, file rate, and shot rate (None: the file's); which field comes first where
    it has two moments a frame, and where pulldown or repeats are inside, how to take them out."""

    frames: int
    file_rate: Rate
    shot_rate: Rate | None = None
    field_order: FieldOrder = FieldOrder.UPPER
    originals: Originals | None = None


@dataclass(frozen=True)
class Conform:
    """A clip, a treatment and a timeline rate, worked out. Made by ``conform``."""

    material: Material
    treatment: Treatment
    timeline_rate: Rate
    speed: Fraction
    frame_map: FrameMap

    @property
    def fields(self) -> Fields:
        """What a source unit is. Where pulldown or repeats are inside, in-betweens are made of the original pictures:
        nothing is built from a frame to its own twin."""
        return _fields(self.material, self.treatment)

    @property
    def units_a_frame(self) -> Fraction:
        """Source units for each frame of the file."""
        return _units_a_frame(self.material, self.treatment)

    @property
    def span(self) -> tuple[int, int]:
        """The first frame of the file that is used, and the one after the last."""
        return self.treatment.span.within(self.material.frames)

    def unit(self, number: int) -> Unit:
        """The frames or fields of the file that make a source unit."""
        first, _ = self.span
        if self.fields is Fields.ORIGINAL and self.material.originals is not None:
            return _originals(self.material.originals, *self.span)[number]
        if self.fields is not Fields.SPLIT:
            return Unit(first + number, first + number)
        frame, late = first + number // 2, number % 2 == 1
        upper = (self.material.field_order is FieldOrder.LOWER) == late
        return Unit(frame, None) if upper else Unit(None, frame)

    def unit_of(self, frame: int) -> int:
        """The first source unit that takes a frame of the file or one after it; their number where none does."""
        first, _ = self.span
        if self.fields is Fields.ORIGINAL and self.material.originals is not None:
            units = _originals(self.material.originals, *self.span)
            return bisect_left(units, frame, key=lambda unit: unit.frames[-1])
        return max(0, frame - first) * (2 if self.fields is Fields.SPLIT else 1)

    def shown(self, frame: int, scan: TimelineScan = PROGRESSIVE) -> Shown:
        """What a timeline frame shows on a timeline of that scan; raises ``RuleError`` outside the clip."""
        return self.frame_map.shown(frame, scan, self.treatment.between)

    def tally(self, scan: TimelineScan = PROGRESSIVE, first: int = 0, stop: int | None = None) -> Tally:
        """Its timeline frames added up by what they show on a timeline of that scan."""
        return self.frame_map.tally(first, stop, scan, self.treatment.between)

    @property
    def frames_as_it_stands(self) -> int:
        """The length in timeline frames of the whole clip dropped in without any decision: read as the file says, at
        speed 1."""
        return frames_over(self.material.frames, _as_filed(self.material.file_rate, self.timeline_rate))

    def length_of(self, other: Material) -> int:
        """The length in timeline frames of another clip of the same rates under this treatment."""
        if self.treatment.intent is Intent.FIT:
            return self.frame_map.length
        assert isinstance(self.frame_map, StraightMap)
        return frames_over(_units(other, self.treatment), self.frame_map.stride)

    @property
    def cadence(self) -> Cadence | None:
        """The one rhythm it has from end to end; None where that changes on the way."""
        return self.frame_map.cadence if isinstance(self.frame_map, StraightMap) else None

    @property
    def stride(self) -> Fraction:
        """k: source units moved for each timeline frame."""
        return self.units_a_frame * self.played_rate / self.timeline_rate.value

    @property
    def shot_rate(self) -> Rate:
        """S: the shot rate, or the file rate where nothing else is known."""
        return self.material.shot_rate or self.material.file_rate

    @property
    def read_rate(self) -> Rate:
        """R: the read rate, or the file rate where the clip is not re-rated."""
        return _read_rate(self.material, self.treatment)

    @property
    def played_rate(self) -> Fraction:
        """R · p: source frames shown a second."""
        return self.read_rate.value * self.speed

    @property
    def pace(self) -> Fraction:
        """How fast motion looks against life: R · p / S."""
        return self.played_rate / self.shot_rate.value

    @property
    def sound_factor(self) -> Fraction:
        """How fast sound runs against the file: R · p / F."""
        return self.played_rate / self.material.file_rate.value

    @property
    def keeps_sound_speed(self) -> bool:
        """True where sound runs as fast as in the file, so that it can be kept as it is."""
        return self.sound_factor == 1

    @property
    def slow_floor(self) -> Fraction:
        """The slowest speed at which no frame repeats: T / R, or T / 2R with fields split."""
        return self.timeline_rate.value / (self.read_rate.value * self.units_a_frame)

    @property
    def real_time_speed(self) -> Fraction:
        """The speed that looks like life: S / R."""
        return self.shot_rate.value / self.read_rate.value


def conform(material: Material, treatment: Treatment, timeline_rate: Rate) -> Conform:
    """Work out the speed and the frame map.

    Raises ``RuleError`` where the clip has no frames or the speed is beyond ``HIGHEST_STRIDE``.
    """
    if material.frames < 1:
        raise RuleError("The clip has no frames.", "frames")
    units = _units(material, treatment)
    if treatment.intent is Intent.FIT:
        speed, cadence = _fitted(material, treatment, timeline_rate, units)
    else:
        shot = material.shot_rate or material.file_rate
        per_frame = _units_a_frame(material, treatment)
        speed, cadence = _speed(treatment, _read_rate(material, treatment), shot, timeline_rate, per_frame)
    frame_map = StraightMap(cadence, units, treatment.held, treatment.reverse)
    return Conform(material, treatment, timeline_rate, speed, frame_map)


@lru_cache(maxsize=4096)
def _speed(
    treatment: Treatment, read: Rate, shot: Rate, timeline: Rate, per_frame: Fraction
) -> tuple[Fraction, Cadence]:
    """Speed and cadence of every intent but *fit*, the only one that asks for the clip's length."""
    value = treatment.value if treatment.value is not None else Fraction(1)
    speeds = {
        Intent.REAL_TIME: shot.value / read.value,
        Intent.EVERY_FRAME: timeline.value / (read.value * per_frame),
        Intent.PACE: value * shot.value / read.value,
        Intent.SPEED: value,
        Intent.LEAVE: Fraction(1),
    }
    return _within_reach(speeds[treatment.intent], per_frame * read.value / timeline.value)


def _fitted(material: Material, treatment: Treatment, timeline: Rate, units: int) -> tuple[Fraction, Cadence]:
    assert treatment.value is not None
    read, per_frame = _read_rate(material, treatment).value, _units_a_frame(material, treatment)
    speed = units * timeline.value / (treatment.value * read * per_frame)
    return _within_reach(speed, per_frame * read / timeline.value)


def _within_reach(speed: Fraction, stride_a_speed: Fraction) -> tuple[Fraction, Cadence]:
    stride = stride_a_speed * speed
    if not 1 / HIGHEST_STRIDE <= stride <= HIGHEST_STRIDE:
        raise RuleError("This speed is far beyond anything that can be shown.", "speed")
    return speed, Cadence.of(stride)


def _read_rate(material: Material, treatment: Treatment) -> Rate:
    """A clip that is left as it is is read as its file says, even where it was re-rated."""
    if treatment.read_rate is None or treatment.intent is Intent.LEAVE:
        return material.file_rate
    return treatment.read_rate


def _fields(material: Material, treatment: Treatment) -> Fields:
    if treatment.fields is Fields.WHOLE and treatment.between is not Between.PICK and material.originals is not None:
        return Fields.ORIGINAL
    return treatment.fields


_ONE, _TWO = Fraction(1), Fraction(2)


@lru_cache(maxsize=1024)
def _as_filed(file_rate: Rate, timeline_rate: Rate) -> Fraction:
    return file_rate.value / timeline_rate.value


def _units_a_frame(material: Material, treatment: Treatment) -> Fraction:
    fields = _fields(material, treatment)
    if fields is Fields.SPLIT:
        return _TWO
    return material.originals.share if fields is Fields.ORIGINAL and material.originals is not None else _ONE


def _units(material: Material, treatment: Treatment) -> int:
    first, stop = treatment.span.within(material.frames)
    if _fields(material, treatment) is Fields.ORIGINAL and material.originals is not None:
        return len(_originals(material.originals, first, stop))
    return (stop - first) * (2 if treatment.fields is Fields.SPLIT else 1)


@lru_cache(maxsize=256)
def _originals(originals: Originals, first: int, stop: int) -> tuple[Unit, ...]:
    return originals.units(first, stop)
