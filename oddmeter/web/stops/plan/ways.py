"""Ways to what is planned of one clip: re-rated or re-speeded, read by its own times or evenly, and, of film beneath
graphics at field rate, by its pictures or by every field."""

from fractions import Fraction

from pydantic import BaseModel

from oddmeter.core.conform.routes import (
    Circumstances,
    Route,
    RoutePlan,
    fields_lost,
    two_motions,
    two_readings,
    two_ways,
)
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.conform.strips import mini_strip
from oddmeter.core.decisions.parts import Base, Part
from oddmeter.core.decisions.treatment import Fields, Intent
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.numerals import fraction_text, number_text, percent_text
from oddmeter.core.numbers.rates import Rate, rate_text
from oddmeter.core.planning.plans import Plan
from oddmeter.web.board import Board
from oddmeter.web.views.asked import IntentIn, TreatmentIn
from oddmeter.web.views.strips import StripView, strip_view
from oddmeter.web.views.values import LengthView, RateView, length_view, rate_view


class WayView(BaseModel):
    """A way to show a clip: the read rate and speed it takes, and what speaks for it or against it."""

    route: str
    read: RateView | None
    speed: str | None
    product: str
    sentence: str
    advised: bool
    now: bool
    take: TreatmentIn | None
    after: LengthView | None = None
    strip: StripView | None = None


class WaysView(BaseModel):
    """Two ways that exclude each other, and what the choice is about."""

    title: str
    ways: list[WayView]


def choices(board: Board, plan: Plan) -> list[WaysView]:
    """What there is to choose about one clip beside its speed: how film and graphics move, by which times it is read,
    or how its stride is reached."""
    found = []
    if plan.known.findings.graphics:
        found.append(WaysView(title="film beneath graphics: two motions", ways=_motions(plan)))
    planned = plan.conformed
    if planned.treatment.curve is not None:
        return found
    if planned.material.clock is not None:
        found.append(WaysView(title="two readings: its own times, or evenly", ways=_readings(plan)))
    elif planned.played_rate != planned.material.file_rate.value or planned.treatment.read_rate is not None:
        around = Circumstances(plan.clip.proxies, len(board.show.timelines) - 1, board.house.receiving)
        ways = [_way(way, planned) for way in two_ways(planned, around)]
        found.append(WaysView(title="same result by re-rating or by speed", ways=ways))
    return found


def _way(way: RoutePlan, now: Conform) -> WayView:
    plan = way.planned
    return WayView(
        route=way.route.value,
        read=rate_view(plan.read_rate) if plan else None,
        speed=percent_text(plan.speed) if plan else None,
        product=f"{plan.read_rate} × {number_text(plan.speed)} = {rate_text(plan.played_rate)}" if plan else "",
        sentence=way.why,
        advised=way.advised,
        now=plan is not None and (plan.read_rate, plan.speed) == (now.read_rate, now.speed),
        take=taken(plan.speed, plan.read_rate if way.route is Route.RE_RATE else None) if plan else None,
    )


def _readings(plan: Plan) -> list[WayView]:
    """By its own times, and evenly: what each costs."""
    now, out = plan.conformed, []
    for route, read in zip(("by its times", "evenly"), two_readings(now), strict=True):
        if read is None:
            continue
        by_times = route == "by its times"
        rate = "" if by_times else f"{read.read_rate} × "
        out.append(
            _shown(
                plan,
                read,
                route,
                read=None if by_times else rate_view(read.read_rate),
                product=f"{rate}{number_text(read.speed)}",
                cost="each at its own moment, sound in step" if by_times else "every frame lasts the same",
                now=read.by_times == now.by_times and read.frame_map.length == now.frame_map.length,
                take=taken(read.speed, None if by_times else read.read_rate),
            )
        )
    return out


def _motions(plan: Plan) -> list[WayView]:
    """The pictures of the film, and every field: what each costs the other."""
    film, fields = two_motions(plan.conformed)
    out = []
    for route, made in (("the film's pictures", film), ("every field", fields)):
        if made is None:
            continue
        out.append(
            _shown(
                plan,
                made,
                route,
                read=rate_view(made.read_rate),
                product=f"{rate_text(made.read_rate.value * made.units_per_frame)} a second",
                cost=_motions_cost(plan, made),
                now=made.fields is plan.conformed.fields,
                take=TreatmentIn(set={Part.FIELDS: made.fields.value}),
            )
        )
    return out


def _motions_cost(plan: Plan, made: Conform) -> str:
    """The steps in which film, or graphics, move, and what the other loses."""
    kind = made.frame_map.kind
    steps = f"in {'nearly even' if kind is Kind.NEAR else kind.value} steps"
    if made.fields is Fields.SPLIT:
        return f"graphics move {steps}; the film's pictures stay for two fields, then three"
    assert plan.clip.picture is not None
    lost, fields = fields_lost(made, plan.clip.picture.beneath_graphics)
    return f"the film moves {steps}; graphics lose {lost} of their {fields} fields, and comb where they move"


def _shown(
    plan: Plan, made: Conform, route: str, *, read: RateView | None, product: str, cost: str, now: bool,
    take: TreatmentIn,
) -> WayView:  # fmt: skip
    """A way with its length, what is dropped and repeated, and its strip."""
    scan = plan.timeline.settings.scan
    tally = made.tally(scan)
    return WayView(
        route=route,
        read=read,
        speed=percent_text(made.speed),
        product=product,
        sentence=f"{tally.dropped} dropped, {tally.repeated} repeated; {cost}",
        advised=False,
        now=now,
        take=take,
        after=length_view(made.frame_map.length, plan.timeline),
        strip=strip_view(mini_strip(made, scan)),
    )


def taken(speed: Fraction, read: Rate | None) -> TreatmentIn:
    """The change that sets a speed, and a read rate or that of the file."""
    intent = IntentIn(intent=Intent.SPEED, value=fraction_text(speed))
    return TreatmentIn(intent=intent, set={Part.READING: read.exact if read else Base.FILE.value})
