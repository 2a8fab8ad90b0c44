"""The figures of a conform as plain JSON: the form of ``oddmeter calc`` and of the golden cases."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from oddmeter.core.conform.rounding import Precision, rounded
from oddmeter.core.conform.speeds import Conform, Material, conform
from oddmeter.core.decisions.treatment import NEEDS_VALUE, Fields, Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop, duration_text


class Given(BaseModel):
    """What is asked: rates as people type them, frames as a count, value as number, fraction or per cent."""

    model_config = ConfigDict(extra="forbid")

    timeline_rate: str
    file_rate: str
    frames: int = Field(ge=1)
    intent: Intent
    fields: Fields = Fields.WHOLE
    value: str | int | None = None
    shot_rate: str | None = None
    read_rate: str | None = None
    drop_frame: bool = False

    def case(self) -> "Case":
        """The question as the core's values; raises ``RuleError`` for a rate or value that cannot be read."""
        timeline = Rate.parse(self.timeline_rate)
        if self.drop_frame and not can_drop(timeline):
            raise RuleError(f"Drop-frame numbering does not exist at {timeline}.", "timecode")
        value = None if self.value is None else parse_fraction(str(self.value))
        if self.intent is Intent.SPEED and value is None:
            value = Fraction(1)
        if self.intent not in NEEDS_VALUE and value is not None:
            raise RuleError(f"The intent {self.intent} takes no value.", "treatment")
        if self.fields is Fields.ORIGINAL:
            raise RuleError("Original pictures can only be counted in a file; conform does that.", "fields")
        treatment = Treatment(self.intent, value, _rate(self.read_rate), self.fields)
        material = Material(self.frames, Rate.parse(self.file_rate), _rate(self.shot_rate))
        return Case(material, treatment, timeline, self.drop_frame)


@dataclass(frozen=True)
class Case:
    """A ``Given`` read into the core's own values."""

    material: Material
    treatment: Treatment
    timeline_rate: Rate
    drop_frame: bool

    def answer(self) -> dict[str, Any]:
        """The figures; raises ``RuleError`` where the core refuses."""
        return figures(conform(self.material, self.treatment, self.timeline_rate), self.drop_frame)


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
    return out


def _rate(text: str | None) -> Rate | None:
    return None if text is None else Rate.parse(text)
