"""Film: gauges, rolls, and the measure of known duration."""

import re
from fractions import Fraction

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.evidence.film import CANDIDATES, FOOT, GAUGES, Gauge, Roll, gauge, known_duration
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, fixed_text, parse_fraction
from oddmeter.core.numbers.rates import Rate

router = APIRouter(prefix="/api/film", tags=["intake"])


class GaugeView(BaseModel):
    """A film gauge: frames to a foot and to a metre, usual speeds first."""

    id: str
    name: str
    frames_a_foot: str
    frames_a_metre: str
    speeds: list[int]


class RunView(BaseModel):
    """How long a roll runs at a rate."""

    rate: str
    seconds: str
    running: str
    usual: bool


class RollIn(BaseModel):
    """A roll by its gauge and its length: ``61 m``, ``200 ft`` or a number of frames."""

    gauge: str
    length: str


class RollView(BaseModel):
    """A roll: its frames, its length, and its running time at each rate."""

    gauge: GaugeView
    frames: int
    metres: str
    feet: str
    runs: list[RunView]


class DurationIn(BaseModel):
    """Two frames between which so many seconds pass, give or take ``doubt``; both as people type them."""

    first: int
    last: int
    seconds: str
    doubt: str = "0"


class DurationView(BaseModel):
    """The shot rate that comes of it, with its margin, written out."""

    frames: int
    rate: str
    exact: str
    lowest: str
    highest: str
    words: str
    equation: str
    usual: list[int]


@router.get("/gauges")
def gauges() -> list[GaugeView]:
    """The gauge table."""
    return [_gauge_view(known) for known in GAUGES]


@router.post("/roll")
def roll(asked: RollIn) -> RollView:
    """A roll's frames, length and running times."""
    film = gauge(asked.gauge)
    found = _roll(film, asked.length)
    rates = sorted({*CANDIDATES, *film.speeds, 25, 30})
    return RollView(
        gauge=_gauge_view(film),
        frames=found.frames,
        metres=fixed_text(found.metres, 2),
        feet=fixed_text(found.feet, 1),
        runs=[_run(found, speed) for speed in rates],
    )


@router.post("/duration")
def duration(asked: DurationIn) -> DurationView:
    """The shot rate by something of known duration."""
    seconds, doubt = _seconds(asked.seconds), _seconds(asked.doubt or "0")
    found = known_duration(asked.first, asked.last, seconds, doubt)
    return DurationView(
        frames=found.frames,
        rate=decimal_text(found.rate, 3),
        exact=f"{found.rate.numerator}/{found.rate.denominator}",
        lowest=decimal_text(found.lowest, 2),
        highest=decimal_text(found.highest, 2),
        words=found.words,
        equation=f"{found.frames} frames ÷ {decimal_text(seconds, 3)} s = {decimal_text(found.rate, 3)}",
        usual=list(found.usual),
    )


def _gauge_view(film: Gauge) -> GaugeView:
    return GaugeView(
        id=film.id,
        name=film.name,
        frames_a_foot=decimal_text(film.frames_a_foot, 1),
        frames_a_metre=decimal_text(film.frames_a_metre, 2),
        speeds=list(film.speeds),
    )


def _run(found: Roll, speed: int) -> RunView:
    seconds = found.seconds(Rate.of(speed))
    minutes, rest = divmod(seconds, 60)
    running = f"{minutes} min {fixed_text(rest, 1)} s" if minutes else f"{fixed_text(rest, 1)} s"
    return RunView(rate=str(speed), seconds=fixed_text(seconds, 2), running=running, usual=speed in found.gauge.speeds)


def _roll(film: Gauge, text: str) -> Roll:
    typed = text.strip().lower().replace(",", ".")
    match = re.fullmatch(r"(\d{1,9}(?:\.\d{1,6})?)\s*(m|metres?|ft|feet|foot|'|f|frames?)?", typed)
    if not match:
        raise RuleError(
            f"“{text.strip()}” is not a length of film. Type, for example, 61 m, 200 ft or 3650 frames.", "length"
        )
    value, unit = Fraction(match[1]), match[2] or "frames"
    if unit.startswith("m"):
        return Roll.of_length(film, value)
    if unit in ("ft", "feet", "foot", "'"):
        return Roll.of_length(film, value * FOOT)
    if not 1 <= value <= 10**9:
        raise RuleError("A roll has between 1 and 1,000,000,000 frames.", "frames")
    return Roll(film, int(value))


def _seconds(text: str) -> Fraction:
    """Seconds as people type them: ``2``, ``2.5``, ``1:30``, ``0``."""
    minutes, colon, rest = text.strip().removesuffix("s").strip().rpartition(":")
    seconds = parse_fraction(rest)
    return seconds + 60 * parse_fraction(minutes) if colon else seconds
