"""The arithmetic of a selection: what is decided on it and where that comes from, its alternatives, both ways to its
stride, what a receiving system makes of it, its sound, and the ways out of near misses."""

from collections.abc import Sequence
from itertools import islice
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.conform.arithmetic import hiccup_text, pattern_text, spelled
from oddmeter.core.conform.rounding import Precision, off_by, rounded
from oddmeter.core.conform.routes import (
    smoothness,
    stacked,
    way_out,
)
from oddmeter.core.conform.sound import SoundFigures
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.conform.strips import strip_of
from oddmeter.core.decisions.levels import Decisions, Level, Resolved
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.decisions.vocabulary import intent_text, origin_text, part_text
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, number_text, percent_range_text, percent_text
from oddmeter.core.numbers.rates import rate_text
from oddmeter.core.planning.batches import ALTERNATIVES, Alternative, alternative, totals
from oddmeter.core.planning.plans import Plan, plans_of
from oddmeter.core.planning.timelines import Timeline
from oddmeter.web.http.context import Here
from oddmeter.web.stops.plan.ways import WaysView, choices, taken
from oddmeter.web.views.asked import IntentIn, ShowId, TreatmentIn
from oddmeter.web.views.plans import LineView, line_view, shutter_text
from oddmeter.web.views.strips import StripView, strip_view
from oddmeter.web.views.values import LengthView, RateView, length_view, rate_view

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

_BAND_SECONDS = 2
_MOST_SPELLED = 6
_MOST_SPOTS = 200


class Selection(BaseModel):
    """The clips to reckon with; only added up where nobody asks for more."""

    only_totals: bool = False
    clip_ids: Annotated[list[int], Field(min_length=1, max_length=200_000)]


class Equation(BaseModel):
    """The arithmetic that some of the selected clips share, spelled for the first of them."""

    clips: int
    example: str
    lines: list[LineView]
    band: StripView
    pattern: str
    kind: Kind
    hiccup_every: str | None
    hiccups: list[LengthView]
    hiccup_count: int
    stacked: str | None


class AlternativeView(BaseModel):
    """One way the selection could be treated: its speeds, its length, and the cadences that come of it; ``take`` is the
    change that takes it."""

    label: str
    speed: str
    after: LengthView
    kinds: list[str]
    strip: StripView
    chosen: bool
    take: TreatmentIn


class PartView(BaseModel):
    """One part of the treatment of a selection: what is decided, or that it is mixed; and by whom. ``text`` is exact,
    empty where it is mixed; ``own`` where the clips themselves, or their uses, decide it."""

    part: Part
    text: str
    words: str
    mixed: bool
    origin: str
    own: bool


class RoundedView(BaseModel):
    """What a receiving system makes of the selection: the number it takes where all clips share it, how many clips end
    off, and by how many frames at the most and in all."""

    precision: Precision
    label: str
    number: str
    clips_off: int
    worst: int
    total: int
    chosen: bool


class WayOutView(BaseModel):
    """A near miss and the two clean ways out: re-rated by ``factor`` at its present speed, with the sound following, or
    accepted."""

    clips: int
    factor: str
    read: RateView
    after: LengthView
    kind: Kind
    take: TreatmentIn
    cents: str
    hiccup_every: str
    hiccup_count: int
    drift: str
    as_it_is: str


class SoundView(BaseModel):
    """What becomes of the sound of a clip."""

    words: str
    factor: str
    cents: str
    drift: str


class SmoothView(BaseModel):
    """How slow a clip can go smoothly, and what the planned pace would have needed of the camera."""

    floor_speed: str
    floor_pace: str
    needed: str
    smooth: bool
    shutter: str
    needed_shutter: str


class Reckoning(BaseModel):
    """A selection worked out. Clips that cannot be planned are counted in ``left_out``. What holds for one clip alone
    is null for several."""

    clips: int
    left_out: int
    before: LengthView
    after: LengthView
    dropped: int
    repeated: int
    made: int
    kinds: list[str]
    parts: list[PartView]
    tags: list[str]
    note: str | None
    equations: list[Equation]
    more_equations: int
    alternatives: list[AlternativeView]
    choices: list[WaysView]
    rounding: list[RoundedView]
    near_misses: list[WayOutView]
    sound: SoundView | None
    smooth: SmoothView | None


@router.post("/reckoning", response_model_exclude_unset=True)
def reckon(here: Here, show_id: ShowId, asked: Selection) -> Reckoning:
    """The arithmetic of a selection, and its alternatives side by side."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    rows = board.some(asked.clip_ids, timeline)
    plans = plans_of(row.outcome for row in rows)
    if not plans:
        raise RuleError("None of these clips can be planned yet. Settle their rates in Intake.", "facts")
    total = totals(plans)
    shown = [] if asked.only_totals else plans
    groups: dict[tuple[object, ...], list[Plan]] = {}
    for plan in shown:
        one = plan.conformed
        key = (one.shot_rate, one.read_rate, one.material.file_rate, one.speed, one.treatment)
        groups.setdefault(key, []).append(plan)
    largest = sorted(groups.values(), key=len, reverse=True)
    only = shown[0] if len(shown) == 1 else None
    decided = [plan.known.decided for plan in shown]
    precisions = [board.house.receiving] if asked.only_totals else list(Precision)
    return Reckoning(
        clips=len(plans),
        left_out=len(rows) - len(plans),
        before=length_view(total.before, timeline),
        after=length_view(total.after, timeline),
        dropped=total.dropped,
        repeated=total.repeated,
        made=total.made,
        kinds=[f"{count} {kind}" for kind, count in total.kinds.items() if count],
        parts=_parts(list({id(plan.resolved): plan.resolved for plan in shown}.values())),
        tags=sorted(frozenset.intersection(*(clip.tags for clip in decided))) if decided else [],
        note=decided[0].note if len({clip.note for clip in decided}) == 1 else None,
        equations=[_equation(group) for group in largest[:_MOST_SPELLED]],
        more_equations=max(0, len(largest) - _MOST_SPELLED),
        alternatives=[_alternative(alternative(wish, shown), len(shown)) for wish in ALTERNATIVES] if shown else [],
        choices=choices(board, only) if only else [],
        rounding=_rounding([plan.conformed for plan in plans], board.house.receiving, precisions),
        near_misses=_near_misses([plan.conformed for plan in shown], timeline),
        sound=_sound(only) if only else None,
        smooth=_smooth(only.conformed) if only and only.conformed.treatment.curve is None else None,
    )


def _parts(resolved: Sequence[Resolved]) -> list[PartView]:
    if not resolved:
        return []
    out = []
    several = [(clip.decisions, clip.origins) for clip in resolved]
    for part in Part:
        values = {getattr(decided, part.value) for decided, _ in several}
        layers = [origins.get(part) for _, origins in several]
        origins = {origin_text(layer) for layer in layers}
        mixed = len(values) > 1
        value = next(iter(values))
        texts = Decisions(**{part.value: value}).texts() if not mixed and value is not None else {}
        levels = {layer.level for layer in layers if layer is not None}
        out.append(
            PartView(
                part=part,
                text=texts.get(part.value, ""),
                words="mixed" if mixed else intent_text(None) if value is None else part_text(part, value),
                mixed=mixed,
                origin=next(iter(origins)) if len(origins) == 1 else "several",
                own=bool(levels & {Level.CLIP, Level.USE}),
            )
        )
    return out


def _equation(group: Sequence[Plan]) -> Equation:
    plan = group[0]
    planned, timeline = plan.conformed, plan.timeline
    frame_map = planned.frame_map
    beats = int(timeline.settings.rate.value * _BAND_SECONDS)
    spots = list(islice(frame_map.hiccups(), _MOST_SPOTS))
    first = max(0, spots[1] - beats // 2) if len(spots) > 1 else 0
    band = strip_of(planned, timeline.settings.scan, min(first, max(0, frame_map.length - beats)), beats)
    return Equation(
        clips=len(group),
        example=plan.clip.name,
        lines=[line_view(line) for line in spelled(planned)],
        band=strip_view(band),
        pattern=pattern_text(planned),
        kind=frame_map.kind,
        hiccup_every=hiccup_text(planned),
        hiccups=[length_view(spot, timeline) for spot in spots],
        hiccup_count=_hiccups(planned),
        stacked=stacked(planned),
    )


def _hiccups(planned: Conform) -> int:
    every = planned.frame_map.hiccup_every
    if every is None or planned.frame_map.length > every * 100_000:
        return 0 if every is None else int(planned.frame_map.length / every)
    return sum(1 for _ in planned.frame_map.hiccups())


def _alternative(found: Alternative, clips: int) -> AlternativeView:
    """The kinds are counted where there are several clips."""
    kinds = [(f"{count} {kind}" if clips > 1 else str(kind)) for kind in Kind if (count := found.kinds.get(kind, 0))]
    value = found.wish.value
    return AlternativeView(
        label="half real time" if found.wish.intent is Intent.PACE else intent_text(found.wish),
        speed=percent_range_text(min(found.speeds), max(found.speeds)),
        after=length_view(found.after, found.first.timeline),
        kinds=kinds,
        strip=strip_view(found.first.mini),
        chosen=found.chosen,
        take=TreatmentIn(
            intent=IntentIn(intent=found.wish.intent, value=None if value is None else number_text(value))
        ),
    )


def _rounding(plans: Sequence[Conform], chosen: Precision, only: Sequence[Precision]) -> list[RoundedView]:
    out = []
    for precision in only:
        numbers = {rounded(plan, precision).number for plan in _different(plans)}
        ends = [off_by(plan, precision) for plan in plans]
        out.append(
            RoundedView(
                precision=precision,
                label=precision.label,
                number=next(iter(numbers)) if len(numbers) == 1 else f"{len(numbers)} different",
                clips_off=sum(end != 0 for end in ends),
                worst=max(ends, key=abs, default=0),
                total=sum(map(abs, ends)),
                chosen=precision is chosen,
            )
        )
    return out


def _different(plans: Sequence[Conform]) -> list[Conform]:
    """One plan of all that share read rate, speed and cadence."""
    return list({(plan.read_rate, plan.speed, plan.cadence): plan for plan in plans}.values())


def _near_misses(plans: Sequence[Conform], timeline: Timeline) -> list[WayOutView]:
    out: dict[tuple[object, ...], list[Conform]] = {}
    for plan in plans:
        if plan.frame_map.kind is Kind.NEAR and not plan.frame_map.holds:
            out.setdefault((plan.read_rate, plan.speed), []).append(plan)
    views = []
    for group in sorted(out.values(), key=len, reverse=True)[:_MOST_SPELLED]:
        cleared = [way for plan in group if (way := way_out(plan)) is not None]
        if not cleared:
            continue
        first = cleared[0]
        views.append(
            WayOutView(
                clips=len(group),
                factor=number_text(first.factor),
                read=rate_view(first.planned.read_rate),
                take=taken(first.planned.speed, first.planned.read_rate),
                after=length_view(sum(way.planned.frame_map.length for way in cleared), timeline),
                kind=first.planned.frame_map.kind,
                cents=first.sound.cents_text,
                hiccup_every=hiccup_text(group[0]) or "",
                hiccup_count=sum(_hiccups(plan) for plan in group),
                drift=first.sound.drift_text,
                as_it_is=SoundFigures(group[0].sound_factor).cents_text,
            )
        )
    return views


def _sound(plan: Plan) -> SoundView | None:
    planned, decided = plan.conformed, plan.resolved.decisions.sound
    if plan.facts.sound is None or decided is None:
        return None
    figures = SoundFigures(planned.sound_factor)
    return SoundView(
        words=part_text(Part.SOUND, decided),
        factor=number_text(figures.factor),
        cents=figures.cents_text,
        drift=figures.drift_text,
    )


def _smooth(planned: Conform) -> SmoothView:
    figures = smoothness(planned)
    return SmoothView(
        floor_speed=percent_text(figures.floor_speed),
        floor_pace=percent_text(figures.floor_pace),
        needed=rate_text(figures.needed) if figures.needed.denominator <= 1001 else decimal_text(figures.needed, 2),
        smooth=figures.smooth,
        shutter=shutter_text(figures.shutter),
        needed_shutter=shutter_text(figures.needed_shutter),
    )
