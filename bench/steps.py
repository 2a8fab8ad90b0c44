"""A step on the Bench to any frame that Flow has to build: how long until the final picture is there, on this machine.

    .venv/bin/python -m bench.steps [WIDTHxHEIGHT, default 1920x1080] [STEPS, default 24]

A clip of H.264 with a key frame every twelve, slowed to a third of life, quick; frames are asked for in no order, as a
person would jump, so that nothing around them is known.
"""

import random
import statistics
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
from av.video.frame import VideoFrame

from bench.common import size_asked
from bench.scenes import KINDS
from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Effort, Intent, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.viewing import Viewed, Viewing

FRAMES, RATE = 72, 25


def clip(folder: Path, width: int, height: int) -> Path:
    """A clip of a hand-held scene."""
    path, scene = folder / "hand.mp4", KINDS["hand-held"](17)
    with av.open(str(path), "w") as file:
        stream = file.add_stream("libx264", rate=RATE, options={"g": "12", "crf": "18", "preset": "veryfast"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number in range(FRAMES):
            picture = scene(number / RATE, width, height)
            file.mux(stream.encode(VideoFrame.from_ndarray(picture, format="bgr24")))
        file.mux(stream.encode())
    return path


def measure(width: int, height: int, steps: int) -> None:
    """Print how long steps take."""
    with tempfile.TemporaryDirectory() as folder:
        path = clip(Path(folder), width, height)
        facts = probe(path)
        treatment = Treatment(Intent.PACE, Fraction(1, 3), between=Between.FLOW, effort=Effort.QUICK)
        planned = conform(Material(facts.frames, Rate.of(RATE)), treatment, Rate.of(RATE))
        subject = Viewed(path, facts, planned, Canvas(width, height))
        looking = Viewing(Path(folder) / "shelf")
        built = [number for number in range(3 * FRAMES - 12) if number % 3]
        random.Random(5).shuffle(built)
        taken = []
        for number in built[: steps + 1]:
            begun = time.perf_counter()
            looking.final(subject, number)
            taken.append(time.perf_counter() - begun)
        looking.close()
    taken = sorted(taken[1:])
    median = statistics.median(taken)
    print(f"a step that builds a frame at {width} × {height}: {median:.2f} s, {taken[-1]:.2f} s at the most")


def main() -> None:
    width, height = size_asked(1, "1920x1080")
    measure(width, height, int(sys.argv[2]) if len(sys.argv) > 2 else 24)


if __name__ == "__main__":
    main()
