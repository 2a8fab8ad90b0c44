"""How long planning takes: 10,000 clips at once, and a long clip against a short one.

Run: .venv/bin/python -m bench.plan_batch
"""

import random
import time
from fractions import Fraction

from oddmeter.core.conform.speeds import Material, conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.rates import Rate
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
    print(f"10,000 clips planned, all figures: {seconds(batch):.2f} s")
    pair = {}
    for name, frames in (("one second", 1000), ("four hours", 4 * 3600 * 1000)):
        clip = (Material(frames, Rate.of(1000)), Treatment(Intent.REAL_TIME), Rate.parse("23.976"))
        pair[name] = min(seconds([clip] * 500) for _ in range(7)) / 500
        print(f"{name} at 1,000 frames a second: {pair[name] * 1e6:.1f} µs a plan")
    print(f"four hours against one second: {pair['four hours'] / pair['one second']:.2f} ×")


if __name__ == "__main__":
    main()
