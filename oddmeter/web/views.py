"""Values as the page shows them: said as people say them, with the exact fraction beside."""

from fractions import Fraction

from pydantic import BaseModel

from oddmeter.core.arithmetic import number_text, percent_text
from oddmeter.core.batches import Strip
from oddmeter.core.rates import Rate, fixed_text, fraction_text
from oddmeter.core.timecode import duration_text
from oddmeter.store.shows import Timeline


class RateView(BaseModel):
    """A rate: ``spoken`` as 23.976, ``exact`` as 24000/1001."""

    spoken: str
    exact: str


class NumberView(BaseModel):
    """A speed, stride or pace: a short number, per cent, and the exact fraction."""

    number: str
    percent: str
    exact: str


class LengthView(BaseModel):
    """A length on the timeline."""

    frames: int
    timecode: str
    seconds: str


class StripView(BaseModel):
    """A stretch of cadence to draw; see the core's Strip."""

    first: int
    picks: list[int]
    source_first: int
    source_stop: int
    hiccups: list[int]
    source_a_beat: float


def rate_view(rate: Rate) -> RateView:
    """A rate for the page."""
    return RateView(spoken=rate.spoken, exact=rate.exact)


def number_view(value: Fraction) -> NumberView:
    """A speed, stride or pace for the page."""
    return NumberView(number=number_text(value), percent=percent_text(value), exact=fraction_text(value))


def strip_view(strip: Strip) -> StripView:
    """A strip for the page; the spacing is drawn, so a float will do."""
    return StripView(
        first=strip.first,
        picks=list(strip.picks),
        source_first=strip.source_first,
        source_stop=strip.source_stop,
        hiccups=list(strip.hiccups),
        source_a_beat=float(strip.source_a_beat),
    )


def length_view(frames: int, timeline: Timeline) -> LengthView:
    settings = timeline.settings
    return LengthView(
        frames=frames,
        timecode=duration_text(frames, settings.rate, settings.drop_frame),
        seconds=fixed_text(frames / settings.rate.value, 2),
    )
