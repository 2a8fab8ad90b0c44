"""Conform: from a clip's rates, a treatment and the timeline's rate to a speed and a frame map.

A clip whose frames come at times of their own is read by them, unless it is re-rated, every frame is wanted once, or
somebody settled its shot rate: then it is read evenly.

The equations are those of docs/model.md: stride k = R · p / T (times the units for each frame: twice that with
fields split, four fifths with pulldown taken out), pace = R · p / S,
sound = R · p / F.
"""

from bisect import bisect_left
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache
from math import ceil

from oddmeter.core.conform.material import Material
from oddmeter.core.decisions.curves import SpeedOf, with_speeds
from oddmeter.core.decisions.treatment import Fields, Framing, Intent, Takes, Treatment
from oddmeter.core.maps.cadence import Cadence
from oddmeter.core.maps.frame_map import PROGRESSIVE, FrameMap, Shown, Tally
from oddmeter.core.maps.paths import Path
from oddmeter.core.maps.rulers import EvenRuler, OwnRuler, Ruler
from oddmeter.core.maps.segments import Course, Scaled, course_of
from oddmeter.core.maps.straight import StraightMap, frames_over
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.places import Seconds, SourceClock
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import Originals, Unit
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan

HIGHEST_STRIDE = Fraction(10_000_000)
"""A stride or its inverse beyond this is a slip of the hand, and its length would not fit anywhere."""


@dataclass(frozen=True)
class Conform:
    """A clip, a treatment and a timeline rate, worked out. Made by ``conform``."""

    material: Material
    treatment: Treatment
    timeline_rate: Rate
    speed: Fraction
    frame_map: FrameMap
    course: Course | None = None

    @property
    def scaled(self) -> tuple[Scaled, ...]:
        """The factors of a curve's pinned sections."""
        return self.course.scaled if self.course else ()

    @property
    def by_times(self) -> bool:
        """True where the clip is read by its own times, False where evenly."""
        return _by_times(self.material, self.treatment)

    @cached_property
    def read_clock(self) -> SourceClock:
        """How the frames of the file go by as it is read: by their own times, or evenly at the read rate."""
        return self.material.file_clock if self.by_times else SourceClock(self.read_rate)

    @property
    def end(self) -> Seconds:
        """The source second at which the file ends, as it is read."""
        return self.read_clock.second(self.material.end)

    @property
    def fields(self) -> Fields:
        """What a source unit is. Where pulldown or repeats are inside, in-betweens are made of the original pictures:
        nothing is built from a frame to its own twin."""
        return _fields(self.material, self.treatment)

    def keeps_samples(self, scan: TimelineScan) -> bool:
        """True where each picture on a timeline of that scan is a frame of the file as it is, with whatever alpha it
        has: picked, whole, in its own raster, and not woven of two moments."""
        asked = self.treatment
        picked = asked.between.takes is Takes.SHOWN and asked.framing is Framing.KEEP and self.fields is Fields.WHOLE
        return picked and scan.first is None

    @property
    def units_per_frame(self) -> Fraction:
        """Source units for each frame of the file."""
        return _units_per_frame(self.material, self.treatment)

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
        if self.material.clock is not None:
            return ceil(self.material.lasts * self.timeline_rate.value)
        return frames_over(self.material.frames, _as_filed(self.material.file_rate, self.timeline_rate))

    def length_of(self, other: Material) -> int:
        """The length in timeline frames of another clip of the same rates under this treatment."""
        if self.treatment.intent is Intent.FIT:
            return self.frame_map.length
        if not isinstance(self.frame_map, StraightMap):
            return conform(other, self.treatment, self.timeline_rate).frame_map.length
        return frames_over(units_used(other, self.treatment), self.frame_map.stride)

    @property
    def cadence(self) -> Cadence | None:
        """The one rhythm it has from end to end; None where that changes on the way."""
        return self.frame_map.cadence if isinstance(self.frame_map, StraightMap) else None

    @property
    def stride(self) -> Fraction:
        """k: source units moved for each timeline frame; on the whole, where that changes."""
        return self.units_per_frame * self.played_rate / self.timeline_rate.value

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
        """How fast motion looks against life: R · p / S; by its own times p."""
        return self.speed if self.by_times else self.played_rate / self.shot_rate.value

    @property
    def sound_factor(self) -> Fraction:
        """How fast sound runs against the file: R · p / F; by its own times p."""
        return self.speed if self.by_times else self.played_rate / self.material.file_rate.value

    @property
    def keeps_sound_speed(self) -> bool:
        """True where sound runs as fast as in the file, so that it can be kept as it is."""
        return self.sound_factor == 1

    @property
    def slow_floor(self) -> Fraction:
        """The slowest speed at which no frame repeats: T / R, or T / 2R with fields split; by its own times that of the
        frame that stays longest."""
        if self.by_times:
            assert isinstance(self.frame_map, TimedMap) and isinstance(self.frame_map.ruler, OwnRuler)
            return self.timeline_rate.value * self.frame_map.ruler.longest
        return self.timeline_rate.value / (self.read_rate.value * self.units_per_frame)

    @property
    def real_time_speed(self) -> Fraction:
        """The speed that looks like life: S / R; by its own times 1."""
        return Fraction(1) if self.by_times else self.shot_rate.value / self.read_rate.value


def conform(material: Material, treatment: Treatment, timeline_rate: Rate) -> Conform:
    """Work out the speed and the frame map.

    Raises ``RuleError`` where the clip has no frames or the speed is beyond ``HIGHEST_STRIDE``.
    """
    if material.frames < 1:
        raise RuleError("The clip has no frames.", "frames")
    units = units_used(material, treatment)
    if treatment.intent is Intent.CURVE:
        return _curved(material, treatment, timeline_rate, units)
    if _by_times(material, treatment):
        return _by_its_times(material, treatment, timeline_rate, units)
    if treatment.intent is Intent.FIT:
        speed, cadence = _fitted(material, treatment, timeline_rate, units)
    else:
        shot = material.shot_rate or material.file_rate
        per_frame = _units_per_frame(material, treatment)
        speed, cadence = _speed(treatment, _read_rate(material, treatment), shot, timeline_rate, per_frame)
    _check_shutter(treatment, cadence.stride)
    frame_map = StraightMap(cadence, units, treatment.held, treatment.reverse, treatment.shutter)
    return Conform(material, treatment, timeline_rate, speed, frame_map)


def _by_times(material: Material, treatment: Treatment) -> bool:
    if material.clock is None or treatment.intent is Intent.EVERY_FRAME:
        return False
    return treatment.intent is Intent.LEAVE or (treatment.read_rate is None and not material.settled)


def _by_its_times(material: Material, treatment: Treatment, timeline: Rate, units: int) -> Conform:
    """Source time runs p seconds a second (docs/model.md, Clocks)."""
    ruler = own_ruler(material, treatment)
    lasts = ruler.clock.end
    value = treatment.value if treatment.value is not None else Fraction(1)
    speed = lasts * timeline.value / value if treatment.intent is Intent.FIT else value
    _within_reach(speed, units / (lasts * timeline.value))
    _check_shutter(treatment, speed * units / (lasts * timeline.value))
    path = Path.straight(ruler.origin, speed, lasts / speed)
    _check_length(path, timeline)
    frame_map = TimedMap(
        path, ruler, units, timeline.value, treatment.held, treatment.reverse, shutter=treatment.shutter
    )
    return Conform(material, treatment, timeline, speed, frame_map)


def _curved(material: Material, treatment: Treatment, timeline: Rate, units: int) -> Conform:
    """A speed that changes along the shot (docs/model.md, Speed curves); a curve of one speed is a straight map."""
    assert treatment.curve is not None
    if treatment.reverse:
        raise RuleError("In a curve, set a negative speed on a point to play backwards.", "curve")
    first, stop = treatment.span.within(material.frames)
    by_times, read = _by_times(material, treatment), _read_rate(material, treatment).value
    curve = treatment.curve.on(first, stop, read)
    shot = (material.shot_rate or material.file_rate).value
    by = shot / read if curve.of is SpeedOf.PACE and not by_times else Fraction(1)
    points = with_speeds(curve.points, by)
    ruler: Ruler
    if by_times:
        assert material.clock is not None
        ruler = own_ruler(material, treatment)
        course = course_of(points, material.clock.time, first, stop, timeline.value)
    else:
        ruler = EvenRuler(first / read, read * _units_per_frame(material, treatment))
        course = course_of(points, lambda frame: frame / read, first, stop, timeline.value)
    path = course.path
    _check_length(path, timeline)
    run = sum((abs(piece.run) for piece in path.pieces), Fraction(0))
    speed = run / path.lasts
    _within_reach(max(speed, 1 / HIGHEST_STRIDE), ruler.marks / timeline.value if not by_times else Fraction(1))
    fastest = max(max(abs(piece.leaves), abs(piece.arrives)) for piece in path.pieces)
    a_second = units / material.clock.end if by_times and material.clock is not None else ruler.marks
    _check_shutter(treatment, fastest * a_second / timeline.value)
    (only, *others) = path.pieces
    frame_map: FrameMap = TimedMap(path, ruler, units, timeline.value, treatment.held, shutter=treatment.shutter)
    if not others and only.is_straight and only.way > 0 and isinstance(ruler, EvenRuler):
        cadence = Cadence.of(only.leaves * ruler.rate / timeline.value)
        frame_map = StraightMap(cadence, units, treatment.held, shutter=treatment.shutter)
    return Conform(material, treatment, timeline, speed, frame_map, course)


def own_ruler(material: Material, treatment: Treatment) -> OwnRuler:
    """The times of the units between in and out; in reverse from the last of them."""
    assert material.clock is not None
    first, stop = treatment.span.within(material.frames)
    origin, clock = material.clock.time(first), material.clock.within(first, stop)
    fields = _fields(material, treatment)
    if fields is Fields.SPLIT:
        clock = clock.of_fields
    elif fields is Fields.ORIGINAL and material.originals is not None:
        units = _originals(material.originals, first, stop)
        clock = clock.of_frames([unit.frames[0] - first for unit in units])
    return OwnRuler(origin, clock.backwards if treatment.reverse else clock)


_MOST_FRAMES = 4_000_000
"""Timeline frames of a clip on a curve or by its times, whose moments are looked at one by one: 44 hours at 25."""


def _check_length(path: Path, timeline: Rate) -> None:
    if path.lasts * timeline.value > _MOST_FRAMES:
        hours = decimal_text(path.lasts / 3600, 0)
        raise RuleError(f"At these speeds the clip would last {hours} hours, which is too long.", "speed")


_MOST_GATHERED = 4_096
"""Source units that a shutter gathers at most: any more would be hours of life in one frame."""


def _check_shutter(treatment: Treatment, stride: Fraction) -> None:
    if treatment.between.takes is Takes.PASSING and treatment.shutter * stride > _MOST_GATHERED:
        count = decimal_text(treatment.shutter * stride, 0)
        raise RuleError(
            f"At this speed Gather would combine {count} source frames per timeline frame, which is too many.", "speed"
        )


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
    read, per_frame = _read_rate(material, treatment).value, _units_per_frame(material, treatment)
    speed = units * timeline.value / (treatment.value * read * per_frame)
    return _within_reach(speed, per_frame * read / timeline.value)


def _within_reach(speed: Fraction, stride_a_speed: Fraction) -> tuple[Fraction, Cadence]:
    stride = stride_a_speed * speed
    if not 1 / HIGHEST_STRIDE <= stride <= HIGHEST_STRIDE:
        raise RuleError("This speed is out of range.", "speed")
    return speed, Cadence.of(stride)


def _read_rate(material: Material, treatment: Treatment) -> Rate:
    """A clip that is left as it is is read as its file says, even where it was re-rated; one with times of its own at
    its shot rate, once that is settled."""
    if treatment.intent is Intent.LEAVE:
        return material.file_rate
    if treatment.read_rate is not None:
        return treatment.read_rate
    if material.clock is not None and material.settled and material.shot_rate is not None:
        return material.shot_rate
    return material.file_rate


def _fields(material: Material, treatment: Treatment) -> Fields:
    if (
        treatment.fields is Fields.WHOLE
        and treatment.between.takes is not Takes.SHOWN
        and material.originals is not None
    ):
        return Fields.ORIGINAL
    return treatment.fields


_ONE, _TWO = Fraction(1), Fraction(2)


@lru_cache(maxsize=1024)
def _as_filed(file_rate: Rate, timeline_rate: Rate) -> Fraction:
    return file_rate.value / timeline_rate.value


def _units_per_frame(material: Material, treatment: Treatment) -> Fraction:
    fields = _fields(material, treatment)
    if fields is Fields.SPLIT:
        return _TWO
    return material.originals.share if fields is Fields.ORIGINAL and material.originals is not None else _ONE


def units_used(material: Material, treatment: Treatment) -> int:
    """How many source units lie between in and out."""
    first, stop = treatment.span.within(material.frames)
    if _fields(material, treatment) is Fields.ORIGINAL and material.originals is not None:
        return len(_originals(material.originals, first, stop))
    return (stop - first) * (2 if treatment.fields is Fields.SPLIT else 1)


@lru_cache(maxsize=256)
def _originals(originals: Originals, first: int, stop: int) -> tuple[Unit, ...]:
    return originals.units(first, stop)
