"""Two ways to one stride, R · p: re-rate the clip or re-speed its use; both readings of what has two; and the ways out
of a near miss."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.conform.rounding import Precision, off_by
from oddmeter.core.conform.sound import SoundFigures
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.treatment import Fields, Intent, Treatment
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import Stretch


class Route(StrEnum):
    """How a stride is reached: by the read rate, which acts on every use, or by the speed of one use."""

    RE_RATE = "re-rate"
    RE_SPEED = "re-speed"


@dataclass(frozen=True)
class Circumstances:
    """What speaks for one way or the other: proxies attached, how many other timelines use the clip, and what the
    receiving system takes."""

    proxies: int = 0
    other_uses: int = 0
    precision: Precision = Precision.EXACT


@dataclass(frozen=True)
class RoutePlan:
    """One way: the plan it gives, or None where no rate comes out that can be; and why it is, or is not, advised."""

    route: Route
    planned: Conform | None
    advised: bool
    why: str


def two_ways(planned: Conform, around: Circumstances) -> tuple[RoutePlan, RoutePlan]:
    """Both ways to a plan's stride, with the advice. The rules, the first that fits:

    1. Where the wanted read rate is none that can be: re-speed.
    2. Where the receiving system rounds, whichever ends fewer frames off.
    3. Where proxies are attached, or other timelines use the clip: re-speed, which leaves them alone.
    4. Otherwise re-rate: every frame is a whole one, and the speed stays free for a curve.
    """
    rated, sped = _by_rate(planned), _by_speed(planned)
    if rated is None:
        return (
            RoutePlan(Route.RE_RATE, None, False, "No such rate can be read."),
            RoutePlan(Route.RE_SPEED, sped, True, "The only way to this stride."),
        )
    rate_off, speed_off = _off(rated, around.precision), _off(sped, around.precision)
    if rate_off != speed_off:
        better = Route.RE_RATE if rate_off < speed_off else Route.RE_SPEED
        off = max(rate_off, speed_off)
        why = f"The receiving system rounds: the other way ends {off} {'frame' if off == 1 else 'frames'} off."
    elif around.proxies:
        better, why = Route.RE_SPEED, "A proxy is attached, which would have to be re-rated with it."
    elif around.other_uses:
        others = "another timeline" if around.other_uses == 1 else f"{around.other_uses} other timelines"
        better, why = Route.RE_SPEED, f"It is used on {others} too, which would move."
    else:
        better, why = Route.RE_RATE, "Nothing else uses it, and its speed stays free for a curve later."
    touches = {
        Route.RE_RATE: "Acts on every use of the clip, and on its proxies.",
        Route.RE_SPEED: "Acts on this use alone.",
    }
    plans = {Route.RE_RATE: rated, Route.RE_SPEED: sped}
    one, other = (
        RoutePlan(route, plans[route], route is better, why if route is better else touches[route]) for route in Route
    )
    return one, other


def two_readings(planned: Conform) -> tuple[Conform | None, Conform | None]:
    """Both readings of a clip whose frames come at times of their own, at the same pace: by its times, and evenly at
    its shot rate, or else at that of the file; None where one cannot be."""
    material, treatment = planned.material, planned.treatment
    wanted = replace(treatment, intent=Intent.SPEED, value=planned.pace, curve=None, read_rate=None)
    by_times = _try(replace(planned, material=replace(material, settled=False)), wanted)
    rate = planned.read_rate if not planned.by_times else planned.shot_rate
    speed = planned.speed if not planned.by_times else planned.pace * planned.shot_rate.value / rate.value
    return by_times, _try(planned, replace(wanted, value=speed, read_rate=rate))


def two_motions(planned: Conform) -> tuple[Conform | None, Conform | None]:
    """Both ways to show film with pulldown beneath graphics that move from field to field: the pictures of the film,
    and every field; None where one cannot be."""
    film, fields = (_try(planned, replace(planned.treatment, fields=way)) for way in (Fields.ORIGINAL, Fields.SPLIT))
    return film, fields


def fields_lost(film: Conform, above: Iterable[Stretch]) -> tuple[int, int]:
    """Of the fields between in and out in which graphics lie above the film, how many no picture of the film takes, and
    how many there are."""
    first, stop = film.span
    frames = {n for stretch in above for n in range(max(first, stretch.first_frame), min(stop, stretch.last_frame + 1))}
    units = [film.unit(number) for number in range(film.frame_map.units)]
    taken = {(n, lines) for unit in units for lines, n in (("upper", unit.upper), ("lower", unit.lower)) if n in frames}
    return 2 * len(frames) - len(taken), 2 * len(frames)


def stacked(planned: Conform) -> str | None:
    """The question to ask where a clip was re-rated and its speed set by hand as well, and life is not what comes of
    it; None where that did not happen."""
    treatment = planned.treatment
    by_hand = treatment.intent is Intent.SPEED and treatment.value != 1
    rerated = planned.read_rate != planned.material.file_rate
    if not (by_hand and rerated) or planned.pace == 1:
        return None
    speed, pace = _plain(planned.speed), _percent(planned.pace)
    verb = "slowed to" if planned.speed < 1 else "sped up to"
    return f"Read at {planned.read_rate} and {verb} {speed}: pace {pace}, was that meant?"


@dataclass(frozen=True)
class WayOut:
    """A near miss cleared by re-rating and keeping the speed: ``factor`` on the read rate, the plan, and what the
    factor does to the sound, which follows. ``sound`` also states the drift where it does not follow."""

    factor: Fraction
    planned: Conform
    sound: SoundFigures


def way_out(planned: Conform) -> WayOut | None:
    """The re-rate that makes a near miss whole or even; None for other kinds."""
    cadence = planned.cadence
    if cadence is None or cadence.kind is not Kind.NEAR:
        return None
    factor = cadence.nearest_even / cadence.stride
    made = _try(planned, replace(
        planned.treatment, intent=Intent.SPEED, value=planned.speed,
        read_rate=Rate(planned.read_rate.value * factor),
    ))  # fmt: skip
    return None if made is None else WayOut(factor, made, SoundFigures(factor))


@dataclass(frozen=True)
class Smoothness:
    """How slow a clip can go without repeats. ``floor_speed`` and ``floor_pace`` are factors at the slow floor;
    ``needed`` is the shot rate, in frames per second, that the planned pace would have needed; ``shutter`` and
    ``needed_shutter`` are the longest exposures, in seconds, that keep motion crisp at the shot rate and at ``needed``
    (half the frame time)."""

    floor_speed: Fraction
    floor_pace: Fraction
    needed: Fraction
    shutter: Fraction
    needed_shutter: Fraction

    @property
    def smooth(self) -> bool:
        """True where the camera ran fast enough for what is planned."""
        return self.needed_shutter >= self.shutter


def smoothness(planned: Conform) -> Smoothness:
    """What can be said about how smooth a plan's motion is (facts of the trade: shot rate ≥ timeline rate ÷ pace)."""
    first, stop = planned.span
    units_per_frame = Fraction(planned.frame_map.units, stop - first)
    needed = planned.timeline_rate.value / (planned.pace * units_per_frame)
    floor_pace = planned.slow_floor * planned.read_rate.value / planned.shot_rate.value
    return Smoothness(planned.slow_floor, floor_pace, needed, 1 / (2 * planned.shot_rate.value), 1 / (2 * needed))


def _by_rate(planned: Conform) -> Conform | None:
    try:
        rate = Rate(planned.played_rate)
    except RuleError:
        return None
    return _try(planned, replace(planned.treatment, intent=Intent.SPEED, value=Fraction(1), read_rate=rate))


def _by_speed(planned: Conform) -> Conform:
    material = planned.material
    read = material.file_rate if material.clock is not None else None  # which else may be read at its shot rate
    speed = planned.played_rate / material.file_rate.value
    treatment = replace(planned.treatment, intent=Intent.SPEED, value=speed, read_rate=read)
    return conform(planned.material, treatment, planned.timeline_rate)


def _try(planned: Conform, treatment: Treatment) -> Conform | None:
    try:
        return conform(planned.material, treatment, planned.timeline_rate)
    except RuleError:
        return None


def _off(planned: Conform, precision: Precision) -> int:
    return abs(off_by(planned, precision))


def _plain(value: Fraction) -> str:
    return str(value.numerator) if value.denominator == 1 else f"{value.numerator}/{value.denominator}"


def _percent(value: Fraction) -> str:
    return f"{round(value * 100)} %"
