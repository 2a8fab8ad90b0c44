"""The arithmetic of a selection: what is decided on it and where that comes from, its alternatives, both ways to its
stride, what a receiving system makes of it, its sound, and the ways out of near misses."""

from collections import Counter
from collections.abc import Sequence
from fractions import Fraction
from itertools import islice
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import (
    hiccup_text,
    number_text,
    part_text,
    pattern_text,
    percent_text,
    rate_text,
    spelled,
    wish_text,
)
from oddmeter.core.batches import ALTERNATIVES, stretch, strip, totals
from oddmeter.core.cadence import Kind
from oddmeter.core.conform import Conform
from oddmeter.core.decisions import Decisions, Layer, Level, Part, Resolved, Wish, resolve
from oddmeter.core.errors import RuleError
from oddmeter.core.rates import decimal_text, fraction_text
from oddmeter.core.rounding import Precision, off_by, rounded
from oddmeter.core.sound import SoundFigures
from oddmeter.core.treatments import Intent
from oddmeter.core.ways import Circumstances, Way, smoothness, stacked, two_ways, way_out
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Board, Row
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Here
from oddmeter.web.ledger import MINI_BEATS
from oddmeter.web.views import LengthView, RateView, StripView, length_view, rate_view, strip_view
from oddmeter.work.orders import worked_out

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

_BAND_SECONDS = 2
_MOST_SPELLED = 6
_MOST_SPOTS = 200


class Selection(BaseModel):
    """The clips to reckon with; only added up where nobody asks for more."""

    only_totals: bool = False
    clip_ids: Annotated[list[int], Field(min_length=1, max_length=200_000)]


class LineView(BaseModel):
    """A line of arithmetic."""

    name: str
    words: str
    numbers: str
    result: str
    note: str


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


class Alternative(BaseModel):
    """One way the selection could be treated: its speeds, its length, and the cadences that come of it."""

    intent: Intent
    value: str | None
    label: str
    speed: str
    after: LengthView
    kinds: list[str]
    strip: StripView
    chosen: bool


class PartView(BaseModel):
    """One part of the treatment of a selection: what is decided, or that it is mixed; and by whom. ``text`` is exact,
    empty where it is mixed; ``own`` where the clips themselves, or their uses, decide it."""

    part: Part
    text: str
    words: str
    mixed: bool
    origin: str
    own: bool


class WayView(BaseModel):
    """A way to the stride of a clip: the read rate and speed it takes, and what speaks for it or against it."""

    route: str
    read: RateView | None
    speed: str | None
    speed_exact: str | None
    product: str
    sentence: str
    advised: bool
    now: bool


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
    speed: str
    after: LengthView
    kind: Kind
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
    kinds: list[str]
    parts: list[PartView]
    tags: list[str]
    note: str | None
    equations: list[Equation]
    more_equations: int
    alternatives: list[Alternative]
    ways: list[WayView]
    rounding: list[RoundedView]
    near_misses: list[WayOutView]
    sound: SoundView | None
    smooth: SmoothView | None


PRECISIONS = {
    Precision.EXACT: "exact fractions",
    Precision.WHOLE_PERCENT: "whole per cent",
    Precision.TWO_DECIMALS: "per cent, two decimals",
    Precision.RATE_TWO: "rates, two decimals",
    Precision.RATE_THREE: "rates, three decimals",
}


@router.post("/reckoning")
def reckon(here: Here, show_id: ShowId, asked: Selection) -> Reckoning:
    """The arithmetic of a selection, and its alternatives side by side."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    rows = board.some(asked.clip_ids, timeline)
    usable = [row for row in rows if row.planned is not None]
    plans = [row.planned for row in usable if row.planned is not None]
    if not plans:
        raise RuleError("None of these clips can be planned yet.", "facts")
    total = totals(plans)
    spelled_out = [] if asked.only_totals else list(zip(usable, plans, strict=True))
    groups: dict[tuple[object, ...], list[tuple[Row, Conform]]] = {}
    for row, plan in spelled_out:
        key = (plan.shot_rate, plan.read_rate, plan.material.file_rate, plan.speed, plan.treatment)
        groups.setdefault(key, []).append((row, plan))
    largest = sorted(groups.values(), key=len, reverse=True)
    alone = spelled_out[0][0] if len(spelled_out) == 1 else None
    only = plans[0] if alone else None
    told = [row for row, _ in spelled_out]
    return Reckoning(
        clips=len(usable),
        left_out=len(rows) - len(usable),
        before=length_view(sum(row.before for row in usable), timeline),
        after=length_view(total.after, timeline),
        dropped=total.dropped,
        repeated=total.repeated,
        kinds=[f"{count} {kind}" for kind, count in total.kinds.items() if count],
        parts=_parts(list({id(row.resolved): row.resolved for row in told}.values())),
        tags=sorted(frozenset.intersection(*(row.decided.tags for row in told))) if told else [],
        note=told[0].decided.note if len({row.decided.note for row in told}) == 1 else None,
        equations=[_equation(group, timeline) for group in largest[:_MOST_SPELLED]],
        more_equations=max(0, len(largest) - _MOST_SPELLED),
        alternatives=[_alternative(wish, told, timeline) for wish in ALTERNATIVES] if told else [],
        ways=_ways(board, alone, only) if alone and only else [],
        rounding=_rounding(
            plans, board.house.receiving, [board.house.receiving] if asked.only_totals else list(Precision)
        ),
        near_misses=_near_misses([plan for _, plan in spelled_out], timeline),
        sound=_sound(alone, only) if alone and only else None,
        smooth=_smooth(only) if only else None,
    )


def _parts(held: Sequence[Resolved]) -> list[PartView]:
    if not held:
        return []
    out = []
    several = [(one.decisions, one.origins) for one in held]
    for part in Part:
        values = {getattr(decided, part.value) for decided, _ in several}
        layers = [origins.get(part) for _, origins in several]
        origins = {_origin(layer) for layer in layers}
        mixed = len(values) > 1
        value = next(iter(values))
        texts = Decisions(**{part.value: value}).texts() if not mixed and value is not None else {}
        levels = {layer.level for layer in layers if layer is not None}
        out.append(
            PartView(
                part=part,
                text=texts.get(part.value, ""),
                words="mixed" if mixed else wish_text(None) if value is None else part_text(part, value),
                mixed=mixed,
                origin=next(iter(origins)) if len(origins) == 1 else "several",
                own=bool(levels & {Level.CLIP, Level.USE}),
            )
        )
    return out


def _origin(layer: Layer | None) -> str:
    if layer is None or layer.level is Level.HOUSE:
        return ""
    named = {Level.DELIVERY: f"delivery {layer.name}", Level.RECIPE: f"recipe {layer.name}"}
    named |= {Level.SHOW: "show", Level.CLIP: "clip", Level.USE: f"{layer.name} alone"}
    return named[layer.level]


def _equation(group: Sequence[tuple[Row, Conform]], timeline: Timeline) -> Equation:
    row, planned = group[0]
    frame_map = planned.frame_map
    beats = int(timeline.settings.rate.value * _BAND_SECONDS)
    spots = list(islice(frame_map.hiccups(), _MOST_SPOTS))
    first = max(0, spots[1] - beats // 2) if len(spots) > 1 else 0
    return Equation(
        clips=len(group),
        example=row.clip.name,
        lines=[LineView.model_validate(line, from_attributes=True) for line in spelled(planned)],
        band=strip_view(stretch(frame_map, min(first, max(0, frame_map.length - beats)), beats)),
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


def _alternative(wish: Wish, usable: Sequence[Row], timeline: Timeline) -> Alternative:
    """All clips of the same rates and decisions get the same stride, so that one plan does for all of them."""
    alike: dict[tuple[object, ...], list[Row]] = {}
    for row in usable:
        material = row.known.material
        key = (material.file_rate, material.shot_rate, id(row.resolved)) if material else ()
        alike.setdefault(key, []).append(row)
    kinds: Counter[Kind] = Counter()
    length, speeds, first = 0, set(), None
    for rows in alike.values():
        plan = _tried(rows[0], wish, timeline) or rows[0].planned
        assert plan is not None
        stride, per_frame = plan.frame_map.stride, plan.frame_map.units // plan.material.frames
        units = (row.known.material.frames * per_frame for row in rows if row.known.material)
        length += sum(-(-n * stride.denominator // stride.numerator) for n in units)
        kinds[plan.frame_map.kind] += len(rows)
        speeds.add(plan.speed)
        first = first or plan
    assert first is not None
    slowest, fastest = percent_text(min(speeds)), percent_text(max(speeds))
    return Alternative(
        intent=wish.intent,
        value=number_text(wish.value) if wish.value is not None else None,
        label="half of life" if wish.intent is Intent.PACE else wish_text(wish),
        speed=slowest if len(speeds) == 1 else f"{slowest.removesuffix(' %')} – {fastest.removeprefix('≈ ')}",
        after=length_view(length, timeline),
        kinds=[f"{kinds[kind]} {kind}" for kind in Kind if kinds[kind]]
        if len(usable) > 1
        else [str(first.frame_map.kind)],
        strip=strip_view(strip(first.frame_map, MINI_BEATS)),
        chosen=all(row.resolved.decisions.intent == wish for row in usable),
    )


def _tried(row: Row, wish: Wish, timeline: Timeline) -> Conform | None:
    held = resolve([Layer(Level.CLIP, "", row.resolved.decisions), Layer(Level.CLIP, "", Decisions(intent=wish))])
    try:
        return worked_out(row.known.material, held, timeline) if row.known.material else None
    except RuleError:
        return None


def _ways(board: Board, row: Row, planned: Conform) -> list[WayView]:
    if planned.played_rate == planned.material.file_rate.value and planned.treatment.read_rate is None:
        return []
    others = len(board.show.timelines) - 1
    around = Circumstances(row.clip.proxies, others, board.house.receiving)
    return [_way(way, planned) for way in two_ways(planned, around)]


def _way(way: Way, now: Conform) -> WayView:
    plan = way.planned
    return WayView(
        route=way.route.value,
        read=rate_view(plan.read_rate) if plan else None,
        speed=percent_text(plan.speed) if plan else None,
        speed_exact=f"{plan.speed.numerator}/{plan.speed.denominator}" if plan else None,
        product=f"{plan.read_rate} × {number_text(plan.speed)} = {rate_text(plan.played_rate)}" if plan else "",
        sentence=way.why,
        advised=way.advised,
        now=plan is not None and (plan.read_rate, plan.speed) == (now.read_rate, now.speed),
    )


def _rounding(plans: Sequence[Conform], chosen: Precision, only: Sequence[Precision]) -> list[RoundedView]:
    out = []
    for precision in only:
        numbers = {rounded(plan, precision).number for plan in _different(plans)}
        ends = [off_by(plan, precision) for plan in plans]
        out.append(
            RoundedView(
                precision=precision,
                label=PRECISIONS[precision],
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
    return list({(plan.read_rate, plan.speed, plan.frame_map.cadence): plan for plan in plans}.values())


def _near_misses(plans: Sequence[Conform], timeline: Timeline) -> list[WayOutView]:
    out: dict[tuple[object, ...], list[Conform]] = {}
    for plan in plans:
        if plan.frame_map.kind is Kind.NEAR and plan.frame_map.held == 1:
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
                speed=fraction_text(first.planned.speed),
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


def _sound(row: Row, planned: Conform) -> SoundView | None:
    facts, decided = row.known.facts, row.resolved.decisions.sound
    if facts is None or facts.sound is None or decided is None:
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


def shutter_text(seconds: Fraction) -> str:
    """An exposure as photographers write it: ``1/300 s``."""
    return f"1/{decimal_text(1 / seconds, 0)} s"
