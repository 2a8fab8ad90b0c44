"""The quick reckoner: two or three rates in, everything out. For a question without a clip."""

from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from oddmeter.core.conform.arithmetic import spelled
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.routes import Circumstances, smoothness, two_ways
from oddmeter.core.conform.sound import SoundFigures
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.parts import IntentSetting, parse_intent
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.decisions.vocabulary import intent_text
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.numerals import number_text, percent_text
from oddmeter.core.numbers.rates import Rate, rate_text
from oddmeter.core.numbers.timecode import can_drop, parse_length
from oddmeter.core.planning.batches import ALTERNATIVES
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.web.views.plans import LineView, PlanView, conformed_view, line_view, shutter_text
from oddmeter.web.views.values import RateView, rate_view

router = APIRouter(prefix="/api", tags=["reckoner"])


class Reckoned(BaseModel):
    """One way to play the material: its speed both ways, and all that comes of it."""

    label: str
    intent: Intent
    plan: PlanView
    re_rate: str
    re_speed: str
    lines: list[LineView]
    sound_factor: str
    cents: str
    drift: str


class ReckonerAnswer(BaseModel):
    """Two or three rates worked out. ``frames`` is the length asked for, counted in source frames."""

    timeline: RateView
    file: RateView
    shot: RateView
    frames: int
    seconds: str
    slow_floor: str
    floor_pace: str
    shutter: str
    kind: Kind
    ways: list[Reckoned]


@router.get("/reckoner")
def reckoner(
    timeline: Annotated[str, Query(max_length=40)],
    file: Annotated[str, Query(max_length=40)],
    shot: Annotated[str, Query(max_length=40)] = "",
    length: Annotated[str, Query(max_length=40)] = "10s",
    speed: Annotated[str, Query(max_length=40)] = "",
) -> ReckonerAnswer:
    """All that follows from a timeline's rate, a file's and, where they differ, the camera's. ``length`` is that of the
    file: frames, seconds or timecode at its rate."""
    timeline_rate, file_rate = Rate.parse(timeline), Rate.parse(file)
    shot_rate = Rate.parse(shot) if shot.strip() else file_rate
    frames = max(1, parse_length(length.strip() or "10s", file_rate, False))
    on = Timeline(0, TimelineSettings("", timeline_rate, drop_frame=can_drop(timeline_rate)), 0)
    material = Material(frames, file_rate, shot_rate)
    wishes = [*ALTERNATIVES]
    if speed.strip():
        wishes.insert(0, parse_intent(Intent.SPEED, speed, timeline_rate, False))
    plans = [(wish, conform(material, Treatment(wish.intent, wish.value), timeline_rate)) for wish in wishes]
    first = smoothness(plans[-1][1])
    return ReckonerAnswer(
        timeline=rate_view(timeline_rate),
        file=rate_view(file_rate),
        shot=rate_view(shot_rate),
        frames=frames,
        seconds=number_text(Fraction(frames) / file_rate.value),
        slow_floor=percent_text(first.floor_speed),
        floor_pace=percent_text(first.floor_pace),
        shutter=shutter_text(first.shutter),
        kind=plans[-1][1].frame_map.kind,
        ways=[_reckoned(wish, plan, on) for wish, plan in plans],
    )


def _reckoned(wish: IntentSetting, planned: Conform, on: Timeline) -> Reckoned:
    sound = SoundFigures(planned.sound_factor)
    by_rate, by_speed = two_ways(planned, Circumstances())
    return Reckoned(
        label={Intent.PACE: "half real time", Intent.LEAVE: "as it stands", Intent.SPEED: "speed"}.get(
            wish.intent, intent_text(wish)
        ),
        intent=wish.intent,
        plan=conformed_view(planned, on),
        re_rate=f"read at {rate_text(planned.played_rate)}" if by_rate.planned else "no such rate",
        re_speed=percent_text(by_speed.planned.speed) if by_speed.planned else "",
        lines=[line_view(line) for line in spelled(planned)],
        sound_factor=number_text(sound.factor),
        cents=sound.cents_text,
        drift=sound.drift_text,
    )
