"""The mini meter strip as SVG, for pages that are printed; the page in the browser draws the same strip by itself."""

from fractions import Fraction

from oddmeter.core.conform.strips import Strip
from oddmeter.core.maps.frame_map import FrameKind

WIDTH, HEIGHT, RAIL, DOT = 96, 18, 3.5, 1.5
_INK, _SOFT, _HAIR, _BRASS = "#1d1b17", "#8a8374", "#c9c2b4", "#8a5a00"

_SHAPES = {FrameKind.MADE: "l2.5 2.5l-2.5 2.5l-2.5 -2.5", FrameKind.GATHERED: "l2.5 5h-5"}


def strip_svg(strip: Strip) -> str:
    """Beats above, source units below, a thread from each beat to what it shows; hollow: dropped; a diamond: built; a
    triangle: gathered. Of a speed that changes, its line instead."""
    name = f"Timeline frames {strip.first} to {strip.first + strip.frames - 1} over what they show"
    drawn = [f'<path d="M0 {RAIL}H{WIDTH}M0 {HEIGHT - RAIL}H{WIDTH}" stroke="{_HAIR}"/>']
    drawn += _speeds(strip) if strip.columns else _threads(strip)
    return f'<svg width="{WIDTH}" height="{HEIGHT}" role="img" aria-label="{name}">{"".join(drawn)}</svg>'


def _speeds(strip: Strip) -> list[str]:
    """The line of a speed that changes, from the slowest to the fastest, over the whole clip."""
    fastest = max([0.01, *(abs(float(speed)) for _, speed in strip.speeds)])
    bottom = HEIGHT - DOT

    def place(at: Fraction, speed: Fraction) -> str:
        x = float(at - strip.first) / max(1, strip.frames) * WIDTH
        return f"{x:.1f},{bottom - abs(float(speed)) / fastest * (bottom - RAIL - 2 * DOT):.1f}"

    points = " ".join(place(at, speed) for at, speed in strip.speeds)
    return [f'<polyline points="{points}" fill="none" stroke="{_INK}" stroke-width="1.2"/>']


def _threads(strip: Strip) -> list[str]:
    places = {unit.unit: float(unit.begins) - strip.first for unit in strip.rail}
    last = max([strip.frames - 1, *places.values(), 1.0])
    lowest = min([0.0, *places.values()])
    scale = (WIDTH - 2 * (DOT + 1)) / (last - lowest)

    def x(place: float) -> str:
        return f"{DOT + 1 + (place - lowest) * scale:.1f}"

    top, bottom = RAIL, HEIGHT - RAIL
    drawn = []
    for number, beat in enumerate(strip.beats):
        for half, moment in enumerate(beat.moments):
            at = x(number + half / 2)
            drawn += [
                f'<line x1="{at}" y1="{top}" x2="{x(places[unit])}" y2="{bottom}" stroke="{_INK}"'
                f' stroke-width="{0.9 * float(share):.2f}"/>'
                for unit, share in moment.parts
            ]
        at = x(number)
        if beat.kind in _SHAPES:
            drawn.append(f'<path d="M{at} {top - 2.5}{_SHAPES[beat.kind]}z" fill="{_INK}"/>')
        else:
            line = f'<line x1="{at}" y1="{top - 2}" x2="{at}" y2="{top}" stroke="{_INK}" stroke-width="1.2"/>'
            drawn.append(line)
    shown = frozenset[int]().union(*(beat.units for beat in strip.beats))
    drawn += [
        f'<circle cx="{x(place)}" cy="{bottom}" r="{DOT}" fill="{_INK if unit in shown else "#fff"}"'
        f' stroke="{_INK if unit in shown else _SOFT}" stroke-width=".7"/>'
        for unit, place in places.items()
    ]
    drawn += [
        f'<path d="M{float(x(spot - strip.first)) - 3:.1f} 0h6l-3 4z" fill="{_BRASS}"/>' for spot in strip.hiccups
    ]
    return drawn
