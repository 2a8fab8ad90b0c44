"""Ways to what is planned of one clip: re-rated or re-speeded, and read by its own times or evenly."""

from fractions import Fraction

from pydantic import BaseModel

from oddmeter.core.conform.routes import Circumstances, Route, RoutePlan, two_readings, two_ways
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.conform.strips import mini_strip
from oddmeter.core.decisions.parts import Base, Part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.numerals import fraction_text, number_text, percent_text
from oddmeter.core.numbers.rates import Rate, rate_text
from oddmeter.core.planning.plans import Plan
from oddmeter.web.board import Board
from oddmeter.web.views.asked import IntentIn, TreatmentIn
from oddmeter.web.views.strips import StripView, strip_view
from oddmeter.web.views.values import LengthView, RateView, length_view, rate_view


class WayView(BaseModel):
    """A way to the stride of a clip: the read rate and speed it takes, and what speaks for it or against it."""

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


def ways(board: Board, plan: Plan) -> list[WayView]:
    """Both ways to a plan's stride, or both readings of a clip with times of its own; none where there is no choice."""
    planned = plan.conformed
    if planned.treatment.curve is not None:
        return []
    if planned.material.clock is not None:
        return _readings(plan)
    if planned.played_rate == planned.material.file_rate.value and planned.treatment.read_rate is None:
        return []
    others = len(board.show.timelines) - 1
    around = Circumstances(plan.clip.proxies, others, board.house.receiving)
    return [_way(way, planned) for way in two_ways(planned, around)]


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
        tally = read.tally(plan.timeline.settings.scan)
        by_times = route == "by its times"
        cost = f"{tally.dropped} dropped, {tally.repeated} repeated; "
        cost += "each at its own moment, sound in step" if by_times else "every frame lasts the same"
        rate = "" if by_times else f"{read.read_rate} × "
        out.append(
            WayView(
                route=route,
                read=None if by_times else rate_view(read.read_rate),
                speed=percent_text(read.speed),
                product=f"{rate}{number_text(read.speed)}",
                sentence=cost,
                advised=False,
                now=read.by_times == now.by_times and read.frame_map.length == now.frame_map.length,
                take=taken(read.speed, None if by_times else read.read_rate),
                after=length_view(read.frame_map.length, plan.timeline),
                strip=strip_view(mini_strip(read, plan.timeline.settings.scan)),
            )
        )
    return out


def taken(speed: Fraction, read: Rate | None) -> TreatmentIn:
    """The change that sets a speed, and a read rate or that of the file."""
    intent = IntentIn(intent=Intent.SPEED, value=fraction_text(speed))
    return TreatmentIn(intent=intent, set={Part.READING: read.exact if read else Base.FILE.value})
