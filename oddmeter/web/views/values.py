"""Values as the page shows them: said as people say them, with the exact fraction beside."""

from collections.abc import Iterable
from fractions import Fraction

from fastapi.responses import Response
from pydantic import BaseModel

from oddmeter.core.numbers.numerals import fixed_text, fraction_text, number_text, percent_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import duration_text
from oddmeter.core.planning.timelines import Timeline


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


def rate_view(rate: Rate) -> RateView:
    """A rate for the page."""
    return RateView(spoken=rate.spoken, exact=rate.exact)


def number_view(value: Fraction) -> NumberView:
    """A speed, stride or pace for the page."""
    return NumberView(number=number_text(value), percent=percent_text(value), exact=fraction_text(value))


def length_view(frames: int, timeline: Timeline) -> LengthView:
    """A length in timeline frames for the page."""
    settings = timeline.settings
    return LengthView(
        frames=frames,
        timecode=duration_text(frames, settings.rate, settings.drop_frame),
        seconds=fixed_text(frames / settings.rate.value, 2),
    )


FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}
"""Headers of an answer whose address never means anything else."""


class Json(Response):
    """An answer that is written already."""

    media_type = "application/json"


class Jpeg(Response):
    """A picture."""

    media_type = "image/jpeg"


class Wav(Response):
    """Sound as a WAV file."""

    media_type = "audio/wav"


def seconds_covered(spans: Iterable[tuple[float, float]]) -> float:
    """Seconds that any of these spans covers, each its begin and its end; they may lie over each other."""
    covered, until = 0.0, float("-inf")
    for begins, ends in sorted(spans):
        covered += max(0.0, ends - max(begins, until))
        until = max(until, ends)
    return covered


def duration_words(seconds: float) -> str:
    """Seconds as people say them: ``40 s``, ``12 min``, ``3.5 h``."""
    for most, unit, name in ((90, 1, "s"), (90 * 60, 60, "min")):
        if seconds < most:
            return f"{seconds / unit:.0f} {name}"
    return f"{seconds / 3600:.1f} h"
