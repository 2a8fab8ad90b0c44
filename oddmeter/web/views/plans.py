"""Plans for the page: figures, lengths, cadence and strip, and the lines of arithmetic."""

from fractions import Fraction

from pydantic import BaseModel

from oddmeter.core.conform.arithmetic import Line, hiccup_text, pattern_text, stride_equation
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.conform.strips import mini_strip
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.planning.plans import Plan
from oddmeter.core.planning.timelines import Timeline
from oddmeter.web.views.strips import StripView, strip_view
from oddmeter.web.views.values import LengthView, NumberView, length_view, number_view


class PlanView(BaseModel):
    """A clip worked out for a timeline; frames by what they show there. ``equation`` is the stride, written out."""

    speed: NumberView
    stride: NumberView
    pace: NumberView
    before: LengthView
    after: LengthView
    kind: Kind
    pattern: str
    equation: str
    dropped: int
    repeated: int
    made: int
    hiccup_every: str | None
    strip: StripView


class LineView(BaseModel):
    """A line of arithmetic."""

    name: str
    words: str
    numbers: str
    result: str
    note: str


def plan_view(plan: Plan) -> PlanView:
    """A plan for the page."""
    return conformed_view(plan.conformed, plan.timeline)


def conformed_view(conformed: Conform, timeline: Timeline) -> PlanView:
    """What was worked out for a timeline, also without a clip."""
    scan = timeline.settings.scan
    tally = conformed.tally(scan)
    return PlanView(
        speed=number_view(conformed.speed),
        stride=number_view(conformed.stride),
        pace=number_view(conformed.pace),
        before=length_view(conformed.frames_as_it_stands, timeline),
        after=length_view(conformed.frame_map.length, timeline),
        kind=conformed.frame_map.kind,
        pattern=pattern_text(conformed),
        equation=stride_equation(conformed),
        dropped=tally.dropped,
        repeated=tally.repeated,
        made=tally.made,
        hiccup_every=hiccup_text(conformed),
        strip=strip_view(mini_strip(conformed, scan)),
    )


def line_view(line: Line) -> LineView:
    """A line of arithmetic for the page."""
    return LineView.model_validate(line, from_attributes=True)


def shutter_text(seconds: Fraction) -> str:
    """An exposure as photographers write it: ``1/300 s``."""
    return f"1/{decimal_text(1 / seconds, 0)} s"
