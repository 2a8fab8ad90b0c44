"""The division written out: each figure of a conform with the numbers it comes from."""

from dataclasses import dataclass

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Fields, Intent, Takes
from oddmeter.core.maps.frame_map import LEAST_GATHERED
from oddmeter.core.maps.straight import StraightMap
from oddmeter.core.numbers.numerals import decimal_text, fraction_text, number_text, percent_text
from oddmeter.core.numbers.rates import rate_text


@dataclass(frozen=True)
class Line:
    """One line of arithmetic: what it gives, how it is reckoned in words and in numbers, and the result."""

    name: str
    words: str
    numbers: str
    result: str
    note: str = ""


def spelled(planned: Conform) -> tuple[Line, ...]:
    """Speed, frames shown a second, stride, pace and length of a conform, as lines of arithmetic."""
    shot, read, timeline = planned.shot_rate, planned.read_rate, planned.timeline_rate
    frame_map = planned.frame_map
    if not isinstance(frame_map, StraightMap):
        return (_speed_line(planned), *_as_a_whole(planned), *_shutter_line(planned))
    twice = _units_factor(planned)
    units = _UNIT_WORDS.get(planned.fields, "frames")
    return (
        _speed_line(planned),
        Line("frames a second", "read × speed", f"{read} × {number_text(planned.speed)}",
             rate_text(planned.played_rate), _source_of(planned)),
        Line("stride", f"{twice}read × speed ÷ timeline", f"{twice}{read} × {number_text(planned.speed)} ÷ {timeline}",
             number_text(planned.stride), f"source {units} for each timeline frame"),
        Line("pace", "read × speed ÷ shot", f"{rate_text(planned.played_rate)} ÷ {shot}",
             percent_text(planned.pace), "of real time" if planned.pace != 1 else "real time"),
        Line("length", f"source {units} ÷ stride, rounded up", f"{frame_map.units} ÷ {number_text(planned.stride)}",
             str(frame_map.length), "timeline frames"),
        *_shutter_line(planned),
    )  # fmt: skip


def _shutter_line(planned: Conform) -> tuple[Line, ...]:
    """For how many source units an open shutter gathers, where it does."""
    treatment, units = planned.treatment, _UNIT_WORDS.get(planned.fields, "frames")
    if treatment.between.takes is not Takes.PASSING:
        return ()
    angle = number_text(treatment.shutter * 360)
    if not isinstance(planned.frame_map, StraightMap):
        note = f"of a timeline frame open, where it runs {LEAST_GATHERED} source {units} or more meanwhile"
        return (Line("shutter", "angle ÷ 360", f"{angle} ÷ 360", number_text(treatment.shutter), note),)
    stride = planned.frame_map.stride
    if stride < LEAST_GATHERED:
        note = f"a shutter gathers from a stride of {LEAST_GATHERED} on; here frames are picked"
        return (Line("shutter", "angle ÷ 360 × stride", "", "—", note),)
    return (
        Line("shutter", "angle ÷ 360 × stride", f"{angle} ÷ 360 × {number_text(stride)}",
             number_text(treatment.shutter * stride), f"source {units} averaged for each timeline frame"),
    )  # fmt: skip


def _as_a_whole(planned: Conform) -> tuple[Line, Line]:
    """Where there is no one stride: pace on the whole, and the length from the seconds that it takes."""
    seconds, timeline = planned.frame_map.seconds(planned.timeline_rate.value), planned.timeline_rate
    how = "seconds of the clip ÷ speed" if planned.by_times else "seconds along the curve"
    return (
        Line("pace", "on the whole", number_text(planned.pace), percent_text(planned.pace),
             "of real time" if planned.pace != 1 else "real time"),
        Line("length", f"{how}, × timeline, rounded up", f"{decimal_text(seconds, 3)} × {timeline}",
             str(planned.frame_map.length), "timeline frames"),
    )  # fmt: skip


def stride_equation(planned: Conform) -> str:
    """The stride as one line: ``"60 × 1 ÷ 24 = 2.5"``; where there is none, how long the clip runs."""
    if not isinstance(planned.frame_map, StraightMap):
        seconds = planned.frame_map.seconds(planned.timeline_rate.value)
        return f"{decimal_text(seconds, 3)} s × {planned.timeline_rate} = {planned.frame_map.length}"
    line = next(line for line in spelled(planned) if line.name == "stride")
    return f"{line.numbers} = {line.result}"


def pattern_text(planned: Conform) -> str:
    """The rhythm as text: ``"2 3"``; for a long one, its period."""
    pattern, period = planned.frame_map.pattern, planned.frame_map.period
    if pattern is not None and len(pattern) <= _LONGEST_RHYTHM:
        return " ".join(str(step) for step in pattern)
    return f"{period[0]} frames in {period[1]}" if period else "changes along the clip"


def hiccup_text(planned: Conform) -> str | None:
    """The seconds between two hiccups of a near miss: ``"41.7 s"``; None for other kinds."""
    hiccup = planned.frame_map.hiccup_every
    return f"{decimal_text(hiccup / planned.timeline_rate.value, 1)} s" if hiccup else None


_LONGEST_RHYTHM = 18


_UNIT_WORDS = {Fields.SPLIT: "fields", Fields.ORIGINAL: "original pictures"}


def _units_factor(planned: Conform) -> str:
    """``"2 × "`` with fields split, ``"4/5 × "`` with pulldown taken out; empty where a unit is a frame."""
    return "" if planned.units_per_frame == 1 else f"{fraction_text(planned.units_per_frame).removesuffix('/1')} × "


def _speed_line(planned: Conform) -> Line:
    treatment, shot, read, timeline = planned.treatment, planned.shot_rate, planned.read_rate, planned.timeline_rate
    value = number_text(treatment.value) if treatment.value is not None else ""
    twice = _units_factor(planned)
    words, numbers = {
        Intent.REAL_TIME: ("shot ÷ read", f"{shot} ÷ {read}"),
        Intent.EVERY_FRAME: (f"timeline ÷ {twice}read", f"{timeline} ÷ {twice}{read}"),
        Intent.PACE: ("pace × shot ÷ read", f"{value} × {shot} ÷ {read}"),
        Intent.SPEED: ("as set", value),
        Intent.LEAVE: ("as the file says", "1"),
        Intent.CURVE: ("on the whole, along the curve", number_text(planned.speed)),
        Intent.FIT: (f"frames × timeline ÷ (length × {twice}read)",
                     f"{planned.frame_map.units} × {timeline} ÷ ({value} × {twice}{read})"),
    }[treatment.intent]  # fmt: skip
    if planned.by_times and treatment.intent is Intent.REAL_TIME:
        words, numbers = "by its own times", "1"
    elif planned.by_times and treatment.intent in (Intent.PACE, Intent.FIT):
        words, numbers = "by its own times", number_text(planned.speed)
    return Line("speed", words, numbers, number_text(planned.speed), percent_text(planned.speed))


def _source_of(planned: Conform) -> str:
    rerated = planned.read_rate != planned.material.file_rate
    if rerated and planned.speed != 1:
        return "re-rated and re-speeded"
    return "re-rated" if rerated else "re-speeded" if planned.speed != 1 else "as the file says"
