"""The division written out: each figure of a conform with the numbers it comes from."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from oddmeter.core.conform import Conform
from oddmeter.core.decisions import Base, Held, Part, Reading, Wish
from oddmeter.core.errors import RuleError
from oddmeter.core.rates import Rate, decimal_text, fraction_text
from oddmeter.core.treatments import Fields, Intent, Span


@dataclass(frozen=True)
class Line:
    """One line of arithmetic: what it gives, how it is reckoned in words and in numbers, and the result."""

    name: str
    words: str
    numbers: str
    result: str
    note: str = ""


def percent_text(value: Fraction) -> str:
    """A speed as per cent: ``"40 %"``, ``"53⅓ %"``; rounded to two places, marked ≈, where a fraction is long."""
    hundred = value * 100
    whole, rest = divmod(hundred, 1)
    if rest in _THIRDS:
        return f"{whole if whole else ''}{_THIRDS[rest]} %"
    exact = decimal_text(hundred, 2)
    return f"{exact} %" if Fraction(exact) == hundred else f"≈ {exact} %"


def number_text(value: Fraction) -> str:
    """A number as people read it: whole, a short decimal, or a fraction."""
    if value.denominator == 1:
        return str(value.numerator)
    short = decimal_text(value, 3)
    return short if Fraction(short) == value else f"{value.numerator}/{value.denominator}"


def rate_text(value: Fraction) -> str:
    """Frames a second as people say them: ``"23.976"`` for 24000/1001, other values as ``number_text``."""
    try:
        rate = Rate(value)
    except RuleError:
        return number_text(value)
    return rate.spoken if rate.is_ntsc else number_text(value)


def spelled(planned: Conform) -> tuple[Line, ...]:
    """Speed, frames shown a second, stride, pace and length of a conform, as lines of arithmetic."""
    shot, read, timeline = planned.shot_rate, planned.read_rate, planned.timeline_rate
    frame_map = planned.frame_map
    twice = _units_factor(planned)
    units = _UNIT_WORDS.get(planned.fields, "frames")
    return (
        _speed_line(planned),
        Line("frames a second", "read × speed", f"{read} × {number_text(planned.speed)}",
             rate_text(planned.played_rate), _source_of(planned)),
        Line("stride", f"{twice}read × speed ÷ timeline", f"{twice}{read} × {number_text(planned.speed)} ÷ {timeline}",
             number_text(frame_map.stride), f"source {units} for each timeline frame"),
        Line("pace", "read × speed ÷ shot", f"{rate_text(planned.played_rate)} ÷ {shot}",
             percent_text(planned.pace), "of life" if planned.pace != 1 else "real time"),
        Line("length", f"source {units} ÷ stride, rounded up", f"{frame_map.units} ÷ {number_text(frame_map.stride)}",
             str(frame_map.length), "timeline frames"),
    )  # fmt: skip


def stride_equation(planned: Conform) -> str:
    """The stride as one line: ``"60 × 1 ÷ 24 = 2.5"``."""
    line = next(line for line in spelled(planned) if line.name == "stride")
    return f"{line.numbers} = {line.result}"


def wish_text(wish: Wish | None) -> str:
    """What is wanted in words: ``real time``, ``speed 40 %``; ``undecided`` where nobody has said."""
    if wish is None:
        return "undecided"
    if wish.intent is Intent.LEAVE:
        return "leave as it is"
    name = wish.intent.value.replace("-", " ")
    if wish.value is None:
        return name
    if wish.intent is Intent.FIT:
        return f"fit {wish.value} frames"
    return f"{name} {percent_text(wish.value)}"


def reading_text(reading: Reading) -> str:
    """How a clip is read, in words: ``as the file says``, ``at 24``, ``at the timeline's rate``."""
    if reading == Reading():
        return "as the file says"
    named = {Base.FILE: "the file's rate", Base.SHOT: "the shot rate", Base.TIMELINE: "the timeline's rate"}
    base = str(reading.base) if isinstance(reading.base, Rate) else named[reading.base]
    return f"at {base}" + ("" if reading.factor == 1 else f" × {number_text(reading.factor)}")


def held_text(held: Held) -> str:
    """A held rate in words: ``not held``, ``on twos``, ``12 pictures a second``."""
    if held.rate is not None:
        return f"{held.rate} pictures a second"
    return {None: "not held", 1: "not held", 2: "on twos", 3: "on threes", 4: "on fours"}.get(
        held.frames, f"{held.frames} frames each"
    )


def part_text(part: Part, value: Any) -> str:
    """Any decided part in words."""
    words: dict[Part, Callable[[Any], str]] = {
        Part.INTENT: wish_text, Part.READING: reading_text, Part.HELD: held_text,
        Part.FIELDS: lambda v: {"whole": "woven", "deinterlace": "deinterlaced", "split": "split",
                                "original": "original pictures"}[v],
        Part.SOUND: lambda v: {"off": "off", "follow": "follows the speed", "pitch": "keeps its pitch"}[v],
        Part.REVERSE: lambda v: "backwards" if v else "forwards",
        Part.FRAMING: lambda v: {"keep": "raster as it is", "inside": "fit inside", "fill": "fill and crop",
                                 "width": "fit width", "height": "fit height", "stretch": "stretch"}[v],
        Part.SPAN: lambda v: "whole clip" if v == Span() else (
            f"frames {v.first} to {'the end' if v.last is None else v.last}"),
        Part.REACH: lambda v: f"{v} pixels",
        Part.TRUST: percent_text,
    }  # fmt: skip
    return words[part](value) if part in words else str(value)


def pattern_text(planned: Conform) -> str:
    """The rhythm as text: ``"2 3"``; for a long one, its period."""
    pattern, (source, timeline) = planned.frame_map.pattern, planned.frame_map.period
    if pattern is not None and len(pattern) <= _LONGEST_RHYTHM:
        return " ".join(str(step) for step in pattern)
    return f"{source} frames in {timeline}"


def hiccup_text(planned: Conform) -> str | None:
    """The seconds between two hiccups of a near miss: ``"41.7 s"``; None for other kinds."""
    hiccup = planned.frame_map.hiccup_every
    return f"{decimal_text(hiccup / planned.timeline_rate.value, 1)} s" if hiccup else None


_LONGEST_RHYTHM = 18
_THIRDS = {Fraction(1, 3): "⅓", Fraction(2, 3): "⅔", Fraction(1, 6): "⅙", Fraction(5, 6): "⅚"}


_UNIT_WORDS = {Fields.SPLIT: "fields", Fields.ORIGINAL: "original pictures"}


def _units_factor(planned: Conform) -> str:
    """``"2 × "`` with fields split, ``"4/5 × "`` with pulldown taken out; empty where a unit is a frame."""
    return "" if planned.units_a_frame == 1 else f"{fraction_text(planned.units_a_frame).removesuffix('/1')} × "


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
        Intent.FIT: (f"frames × timeline ÷ (length × {twice}read)",
                     f"{planned.frame_map.units} × {timeline} ÷ ({value} × {twice}{read})"),
    }[treatment.intent]  # fmt: skip
    return Line("speed", words, numbers, number_text(planned.speed), percent_text(planned.speed))


def _source_of(planned: Conform) -> str:
    rerated = planned.read_rate != planned.material.file_rate
    if rerated and planned.speed != 1:
        return "re-rated and re-speeded"
    return "re-rated" if rerated else "re-speeded" if planned.speed != 1 else "as the file says"
