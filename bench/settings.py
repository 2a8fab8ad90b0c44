"""Every setting on five kinds of clip: written, read again and proven, or refused with a sentence.

.venv/bin/python -m bench.settings > docs/settings.md
"""

import sys
import tempfile
from collections import Counter
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Framing, Intent, Span, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.demo.takes import make_footage
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED, ready_made
from oddmeter.media.verify import verify

FRAMES = 4


@dataclass(frozen=True)
class Kind:
    """A kind of clip: its file, and the timeline it goes to, None for its own raster."""

    name: str
    path: Path
    timeline: Canvas | None = None


def drawn(path: Path, pixel_format: str, width: int, height: int) -> Path:
    """A short clip of slow waves with some grain in a pixel format, without loss."""
    random = np.random.default_rng(5)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = width, height, pixel_format
        for number in range(FRAMES + 2):
            frame = av.VideoFrame(width, height, pixel_format)
            for plane in frame.planes:
                wide = frame.format.components[0].bits > 8
                most = (1 << frame.format.components[0].bits) - 1
                lines, samples = plane.height, plane.line_size // (2 if wide else 1)
                y, x = np.mgrid[:lines, :samples]
                waves = 0.5 + 0.3 * np.sin(x / 23 + number / 2) * np.cos(y / 17) + random.normal(0, 0.01, x.shape)
                plane.update((waves * most).astype("<u2" if wide else "u1").tobytes())
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def kinds(folder: Path) -> list[Kind]:
    """A progressive, an interlaced, an alpha, a ten-bit and an odd-raster clip."""
    demo = {path.name: path for path in make_footage(folder / "demo")}
    return [
        Kind("progressive", demo["FD1_A01_interview.mov"]),
        Kind("interlaced", demo["RG_prize_50i.mov"], Canvas(720, 576, Fraction(16, 15), TimelineScan.UPPER)),
        Kind("alpha", drawn(folder / "alpha.mkv", "yuva444p10le", 320, 180)),
        Kind("10 bit", drawn(folder / "ten.mkv", "yuv422p10le", 320, 180)),
        Kind("odd raster", drawn(folder / "odd.mkv", "yuv444p", 301, 161)),
    ]


def outcome(kind: Kind, setting: Setting, folder: Path) -> str:
    """``proven``, or why it was refused, or what was wrong."""
    facts = probe(kind.path)
    assert facts.file_rate is not None
    treatment = Treatment(Intent.EVERY_FRAME, framing=Framing.KEEP, span=Span(0, FRAMES - 1))
    planned = conform(Material(facts.frames, facts.file_rate), treatment, Rate.of(25))
    out = folder / f"{kind.name} {setting.name}{setting.suffix}"
    plan = ClipPlan(kind.path, facts, planned, setting, out, timeline=kind.timeline)
    try:
        proof = verify(plan, losses=render(plan))
    except RuleError as error:
        return str(error).replace(setting.label or setting.name, "It")
    wrong = [f"{check.name}: {check.planned}, found {check.found}" for check in proof.checks if not check.passed]
    return "proven" if proof.passed else f"WRONG {'; '.join(wrong)}"


def main() -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        clips, refusals, count = kinds(folder), dict[str, int](), Counter[str]()
        print("# Settings on five kinds of clip\n")
        print("Made by `.venv/bin/python -m bench.settings > docs/settings.md`: each file is written, opened again and")
        print("proven; a number stands for the sentence with which it is refused before anything is made.\n")
        print(f"| setting | {' | '.join(kind.name for kind in clips)} |\n|---|{'---|' * len(clips)}")
        for setting in (*SHIPPED, *ready_made()):
            cells = []
            for kind in clips:
                found = outcome(kind, setting, folder / "made")
                count[found if found == "proven" else found.split()[0] if found.startswith("WRONG") else "refused"] += 1
                if found != "proven" and not found.startswith("WRONG"):
                    found = f"refused ({refusals.setdefault(found, len(refusals) + 1)})"
                cells.append(found)
            print(f"| {setting.name} | {' | '.join(cells)} |")
        print()
        for sentence, number in refusals.items():
            print(f"{number}. {sentence}")
        print("\n" + ", ".join(f"{number} {what}" for what, number in sorted(count.items())) + ".")
    print(dict(count), file=sys.stderr)


if __name__ == "__main__":
    main()
