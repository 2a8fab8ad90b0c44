"""Jumps in any order to the frames of clips in many containers, codecs and structures of groups, each held against
plain decoding from the start, and a stretch of each made, proven and decoded again.

    .venv/bin/python -m bench.jumps [JUMPS a clip, default 300] [SEED, default 1]
"""

import random
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from bench.carried import KINDS
from bench.common import plainly
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Span, Treatment
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.pictures.planes import luma_of
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE
from oddmeter.media.verify import verify

STAYS: dict[str, Callable[[int], int]] = {
    "staying": lambda number: number - (number + 1) // 6,
    "empty-places": lambda number: max(at for at in range(25) if at * 3 + (at % 4 == 1) <= number),
}
"""Which picture a frame shows in clips where some frames have none of their own."""


def decoded(path: Path) -> list[int | None]:
    """The numbers in all pictures that come out of a file, decoded plainly from its start."""
    return [read(luma_of(frame)) for frame in plainly(path)]


def truth(path: Path, facts: Facts) -> list[int | None]:
    """The picture that each frame of a clip shows."""
    for name, picture in STAYS.items():
        if name in path.name:
            return [picture(number) for number in range(facts.frames)]
    return decoded(path)


def right_jumps(path: Path, facts: Facts, jumps: list[int], *, ahead: bool) -> int:
    """How many of these frames, asked for in this order, are the right ones."""
    true = truth(path, facts)
    with FrameAccess(path, facts, 2, ahead=ahead) as frames:
        return sum(read(luma_of(frames.frame(number))) == true[number] for number in jumps)


def stretch(path: Path, facts: Facts, first: int, stop: int, out: Path, *, reverse: bool = False) -> tuple[bool, bool]:
    """Whether a file of a stretch of the clip, at its own rate, shows what it should, and whether it is proven."""
    assert facts.file_rate is not None
    material = Material(facts.frames, facts.file_rate)
    treatment = Treatment(Intent.EVERY_FRAME, span=Span(first, stop - 1), reverse=reverse)
    planned = conform(material, treatment, Rate(Fraction(25)))
    plan = ClipPlan(path, facts, planned, ARCHIVE, out)
    plan = replace(plan, facts=replace(facts, sounds=()))
    render(plan)
    wanted = truth(path, facts)[first:stop]
    return decoded(out) == (wanted[::-1] if reverse else wanted), verify(plan).passed


def measure(jumps: int, seed: int) -> None:
    """Print, for each clip, how many jumps led to the right frame and how its stretches came out."""
    dice = random.Random(seed)
    right = asked = 0
    print("| clip | frames | right jumps | stretches made | proven |")
    print("|---|---:|---:|---:|---:|")
    with tempfile.TemporaryDirectory() as folder:
        for name, make in KINDS.items():
            path = make(Path(folder) / name)
            facts = probe(path)
            numbers = [dice.randrange(facts.frames) for _ in range(jumps)]
            found = sum(right_jumps(path, facts, numbers[half::2], ahead=bool(half)) for half in (0, 1))
            made = []
            for at, reverse in enumerate((False, False, True)):
                first = dice.randrange(facts.frames - 10)
                out = Path(folder) / "made" / f"{name}-{at}.mkv"
                made.append(stretch(path, facts, first, dice.randrange(first + 5, facts.frames), out, reverse=reverse))
            right, asked = right + found, asked + jumps
            good, proven = (sum(one[at] for one in made) for at in (0, 1))
            print(f"| {name} | {facts.frames} | {found} of {jumps} | {good} of 3 | {proven} of 3 |", flush=True)
    print(f"\n{len(KINDS)} clips, {right} of {asked} jumps right.")


if __name__ == "__main__":
    measure(*(int(one) for one in (*sys.argv[1:], *("300", "1")[len(sys.argv) - 1 :])))
