"""How long planning takes: 10,000 clips at once, a tenth of them curved or with times of their own; a long clip against
a short one; and what is asked of a curve of twenty points over four hours.

Run: .venv/bin/python -m bench.plan_batch
"""

import random
import time
from collections.abc import Callable
from fractions import Fraction

import numpy as np

from bench.media import best
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.curves import Curve, Point, SpeedOf
from oddmeter.core.decisions.treatment import Between, Intent, Treatment
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.interchange.figures import figures

RATES = [
    Rate.parse(t) for t in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "100", "119.88", "150", "240", "800")
]
TREATMENTS = [
    Treatment(Intent.REAL_TIME),
    Treatment(Intent.EVERY_FRAME),
    Treatment(Intent.PACE, Fraction(1, 3)),
    Treatment(Intent.SPEED, Fraction(2, 5)),
    Treatment(Intent.FIT, Fraction(210)),
]

SHAPE = Curve.parse("100 → 20 → 100 → 300 %")


def seconds(work: "list[tuple[Material, Treatment, Rate]]") -> float:
    begun = time.perf_counter()
    for material, treatment, timeline in work:
        figures(conform(material, treatment, timeline))
    return time.perf_counter() - begun


def main() -> None:
    dice = random.Random(7)
    batch = [
        (
            Material(dice.randint(50, 90_000), dice.choice(RATES), dice.choice(RATES)),
            dice.choice(TREATMENTS),
            dice.choice(RATES[:7]),
        )
        for _ in range(10_000)
    ]
    straight = seconds(batch)
    print(f"10,000 clips planned, all figures: {straight:.2f} s")
    bent = [*batch[:9_000], *(_bent(dice, *one) for one in batch[9_000:])]
    mixed = seconds(bent)
    print(f"the same, a tenth of them curved or with times of their own: {mixed:.2f} s, {mixed / straight:.2f} ×")
    pair = {}
    for name, frames in (("one second", 1000), ("four hours", 4 * 3600 * 1000)):
        clip = (Material(frames, Rate.of(1000)), Treatment(Intent.REAL_TIME), Rate.parse("23.976"))
        pair[name] = min(seconds([clip] * 500) for _ in range(7)) / 500
        print(f"{name} at 1,000 frames a second: {pair[name] * 1e6:.1f} µs a plan")
    print(f"four hours against one second: {pair['four hours'] / pair['one second']:.2f} ×")
    for name, milliseconds in ask_of_a_long_curve().items():
        print(f"a curve of twenty points over four hours, {name}: {milliseconds:.1f} ms")


def _bent(dice: random.Random, material: Material, _: Treatment, timeline: Rate) -> tuple[Material, Treatment, Rate]:
    """A clip on a curve, or with a jittering clock in real time."""
    frames = min(material.frames, 3_000)
    if dice.random() < 0.5:
        return Material(frames, material.file_rate), Treatment(Intent.CURVE, curve=SHAPE), timeline
    ticks = np.cumsum([0, *(dice.randint(2_600, 3_400) for _ in range(frames))])
    clock = Clock.of(ticks, Fraction(1, 90_000))
    return Material(frames, Rate.of(30), clock=clock), Treatment(Intent.REAL_TIME), timeline


def ask_of_a_long_curve(hours: int = 4) -> dict[str, float]:
    """Milliseconds that each question takes of a curve of twenty points."""
    frames = hours * 3600 * 25
    points = [
        Point(frames * (2 * i + 1) // 41, Fraction(1 + i % 3, 2), Fraction(1 + (i + 1) % 3, 2)) for i in range(20)
    ]
    treatment = Treatment(Intent.CURVE, curve=Curve(SpeedOf.SPEED, tuple(points)))
    planned = conform(Material(frames, Rate.of(25)), treatment, Rate.of(25))
    timed, last = planned.frame_map, planned.frame_map.length - 1
    edges = [timed.length * i // 600 for i in range(601)]
    asks: dict[str, Callable[[], object]] = {
        "conform": lambda: conform(planned.material, treatment, planned.timeline_rate),
        "position": lambda: timed.position(last),
        "shown": lambda: timed.shown(last // 2, TimelineScan.UPPER, Between.MIX),
        "tally of all": timed.tally,
        "tally of all, fields mixed": lambda: timed.tally(scan=TimelineScan.UPPER, between=Between.MIX),
        "strip of 600 columns": lambda: timed.tallies(edges),
        "rail of 120 frames": lambda: timed.rail(last // 2, last // 2 + 120),
        "first showing": lambda: timed.first_showing(frames - 9),
        "hiccups of all": lambda: list(timed.hiccups()),
        "held from": lambda: timed.held_from,
    }
    return {name: 1000 * best(ask) for name, ask in asks.items()}


if __name__ == "__main__":
    main()
