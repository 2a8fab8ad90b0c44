"""The figures of a conform as plain JSON: the form of ``oddmeter calc`` and of the golden cases."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.rounding import Precision, rounded
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import NEEDS_VALUE, Fields, Intent, Span, Treatment
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop, duration_text


class Given(BaseModel):
    """What is asked: rates as people type them, frames as a count, value as number, fraction or per cent; ``first`` and
    ``last`` the frames between in and out, both included; ``times`` of the frames in seconds, and the ``end``; ``at``
    timeline frames whose places are wanted."""

    model_config = ConfigDict(extra="forbid")

    timeline_rate: str
    file_rate: str | None = None
    frames: int | None = Field(default=None, ge=1)
    intent: Intent
    fields: Fields = Fields.WHOLE
    value: str | int | None = None
    shot_rate: str | None = None
    read_rate: str | None = None
    drop_frame: bool = False
    first: int = Field(default=0, ge=0)
    last: int | None = Field(default=None, ge=0)
    curve: dict[str, Any] | None = None
    times: list[str | int] | None = Field(default=None, max_length=5_000_000)
    end: str | int | None = None
    at: list[int] | None = Field(default=None, max_length=1_000_000)

    def case(self) -> "Case":
        """The question as the core's values; raises ``RuleError`` for a rate or value that cannot be read."""
        timeline = Rate.parse(self.timeline_rate)
        if self.drop_frame and not can_drop(timeline):
            raise RuleError(f"Drop-frame timecode exists only at 29.97 and 59.94, not at {timeline}.", "timecode")
        value = None if self.value is None else parse_fraction(str(self.value))
        if self.intent is Intent.SPEED and value is None:
            value = Fraction(1)
        if self.intent not in NEEDS_VALUE and value is not None:
            raise RuleError(f"The intent {self.intent} takes no value.", "treatment")
        if self.fields is Fields.ORIGINAL:
            raise RuleError("Original pictures can only be counted in a file; conform does that.", "fields")
        curve = None if self.curve is None else Curve.parse(self.curve)
        span = Span(self.first, self.last)
        treatment = Treatment(self.intent, value, _rate(self.read_rate), self.fields, span=span, curve=curve)
        return Case(self._material(), treatment, timeline, self.drop_frame, tuple(self.at or ()))

    def _material(self) -> Material:
        file, shot = _rate(self.file_rate), _rate(self.shot_rate)
        if self.times is None:
            if file is None or self.frames is None:
                raise RuleError("A clip has a file rate and frames, or the times of its frames.", "rate")
            return Material(self.frames, file, shot)
        if self.frames is not None and self.frames != len(self.times):
            raise RuleError(f"There are {len(self.times)} times for {self.frames} frames.", "times")
        times = [exact_fraction(time) for time in self.times]
        if self.end is None and len(times) < 2:
            raise RuleError("Times need an end where there is only one.", "times")
        end = times[-1] + (times[-1] - times[-2]) if self.end is None else exact_fraction(self.end)
        clock = Clock.of_times(times, end)
        return Material(clock.frames, file or Rate(clock.average), shot, clock=clock, settled=shot is not None)


@dataclass(frozen=True)
class Case:
    """A ``Given`` read into the core's own values."""

    material: Material
    treatment: Treatment
    timeline_rate: Rate
    drop_frame: bool
    at: tuple[int, ...] = ()

    def answer(self) -> dict[str, Any]:
        """The figures; raises ``RuleError`` where the core refuses."""
        planned = conform(self.material, self.treatment, self.timeline_rate)
        return figures(planned, self.drop_frame) | positions(planned, self.at)


def figures(planned: Conform, drop_frame: bool = False) -> dict[str, Any]:
    """Speed, stride, pace, lengths and cadence of a conform; fractions as ``"a/b"``.

    ``pattern`` is null where the period is too long to write out; ``hiccup_every`` is there for a near miss.
    """
    frame_map, percent = planned.frame_map, rounded(planned, Precision.WHOLE_PERCENT)
    pattern, period, hiccup, tally = frame_map.pattern, frame_map.period, frame_map.hiccup_every, frame_map.tally()
    out: dict[str, Any] = {
        "speed": fraction_text(planned.speed),
        "stride": fraction_text(planned.stride),
        "pace": fraction_text(planned.pace),
        "slow_floor": fraction_text(planned.slow_floor),
        "real_time_speed": fraction_text(planned.real_time_speed),
        "sound_factor": fraction_text(planned.sound_factor),
        "timeline_duration": duration_text(frame_map.length, planned.timeline_rate, drop_frame),
        "timeline_frames": frame_map.length,
        "dropped": tally.dropped,
        "repeated": tally.repeated,
        "period": period and {"source": period[0], "timeline": period[1]},
        "pattern": None if pattern is None else list(pattern),
        "kind": frame_map.kind.value,
        "whole_percent": {
            "speed": fraction_text(percent.value),
            "timeline_frames": percent.timeline_frames,
            "off_by": percent.off_by,
        },
    }
    if hiccup is not None:
        out["hiccup_every"] = fraction_text(hiccup)
    if planned.treatment.curve is not None:
        out["scaled"] = [
            {"from_point": change.from_point, "to_point": change.to_point, "by": fraction_text(change.by)}
            for change in planned.scaled
        ]
    return out


def positions(planned: Conform, at: Sequence[int]) -> dict[str, Any]:
    """How many seconds the clip takes, exactly, and where it is at some timeline frames: in real source frames or
    fields, and the one that is picked. Nothing where no frame is asked for."""
    if not at:
        return {}
    frame_map, first = planned.frame_map, planned.span[0] * planned.units_per_frame
    places = [(frame, frame_map.position(frame), frame_map.pick(frame)) for frame in at]
    return {
        "seconds": fraction_text(frame_map.seconds(planned.timeline_rate.value)),
        "positions": [
            {"timeline_frame": frame, "source_position": fraction_text(first + place), "pick": int(first) + pick}
            for frame, place, pick in places
        ],
    }


def clock_from_text(text: str) -> tuple[list[str], str]:
    """Times and end from the open timestamp format v2: a time in milliseconds a line, after a line that names it; the
    last frame stays as long as the one before. Raises ``RuleError`` for anything else."""
    lines = [line.strip() for line in text.splitlines()]
    heading = lines[0].lower() if lines else ""
    if not heading.startswith("#") or "v2" not in heading or ("timestamp" not in heading and "timecode" not in heading):
        raise RuleError("Times begin with a line such as “# timestamp format v2”.", "times")
    values = [line for line in lines[1:] if line and not line.startswith("#")]
    for line in values:
        if not re.fullmatch(r"\d{1,15}(\.\d{1,20})?", line):
            raise RuleError(f"“{line[:40]}” is no time in milliseconds.", "times")
    if len(values) < 2:
        raise RuleError("There are fewer than two times.", "times")
    times = [Fraction(line) / 1000 for line in values]
    return [fraction_text(time) for time in times], fraction_text(2 * times[-1] - times[-2])


def exact_fraction(value: str | int) -> Fraction:
    """Seconds as a whole number, a decimal or ``"a/b"``, of any length within reason."""
    text = str(value).strip()
    if not re.fullmatch(r"\d{1,18}(\.\d{1,18})?(/\d{1,18})?", text) or text.endswith("/0"):
        raise RuleError(f"“{text[:40]}” is no time in seconds.", "times")
    whole, _, under = text.partition("/")
    if under and int(under) == 0:
        raise RuleError(f"“{text[:40]}” divides by zero.", "times")
    return Fraction(whole) / int(under or 1)


def _rate(text: str | None) -> Rate | None:
    return None if text is None else Rate.parse(text)
