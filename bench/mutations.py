"""Faults put into made files, and what the proof says of each: by what was measured as the file was written, and
without that, as of a file whose record was lost.

    .venv/bin/python -m bench.mutations [WIDTHxHEIGHT, default 1280x720] [FRAMES, default 50]
"""

import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import av
import cv2
import numpy as np
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame

from bench.common import size_asked
from bench.faults import FAULTS
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.proof import Proof
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan, FilePlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.verify import verify
from oddmeter.media.writing.losses import Losses

RATE = 25


def source(path: Path, frames: int, width: int, height: int) -> Path:
    """A drawn clip of ten bits with grain, colour and movement, and two channels of sound that differ."""
    dice = np.random.default_rng(7)
    ground = cv2.GaussianBlur(dice.integers(0, 255, (height, width + 4 * frames, 3)).astype(np.float32), (0, 0), 6)
    ground = cv2.normalize(ground, None, 30, 225, cv2.NORM_MINMAX)  # type: ignore[call-overload]
    with av.open(str(path), "w") as container:
        video = container.add_stream("ffv1", rate=RATE)
        video.width, video.height, video.pix_fmt = width, height, "yuv422p10le"
        sound = container.add_stream("pcm_s24le", rate=48_000, layout="stereo")
        for number in range(frames):
            picture = ground[:, 4 * number : 4 * number + width] + dice.normal(0, 2, (height, width, 1))
            x = (37 * number) % width
            cv2.circle(picture, (x, height // 3), height // 9, (40, 180, 230), -1)
            wide = (np.clip(picture, 0, 255) * 257).astype(np.uint16)
            frame = VideoFrame.from_ndarray(np.ascontiguousarray(wide), format="rgb48le")
            frame = frame.reformat(format="yuv422p10le")
            frame.pts = number
            container.mux(video.encode(frame))
        count = frames * 48_000 // RATE
        moments = np.arange(count) / 48_000
        noise = np.cumsum(dice.normal(0, 1, (2, count)), axis=1)
        noise = (noise - cv2.blur(noise, (2001, 1))) / 400
        notes = np.stack([np.sin(2 * np.pi * 440 * moments), np.sin(2 * np.pi * (300 + 80 * moments) * moments)])
        heard = AudioFrame.from_ndarray(
            np.ascontiguousarray(((0.3 * notes + noise) * (1 << 30)).clip(-2e9, 2e9).astype(np.int32).T.reshape(1, -1)),
            format="s32", layout="stereo",
        )  # fmt: skip
        heard.sample_rate, heard.pts = 48_000, 0
        container.mux(sound.encode(heard))
        for stream in (video, sound):
            container.mux(stream.encode(None))
    return path


def plan_of(path: Path, setting: Setting, out: Path) -> ClipPlan:
    """The clip as it is, in a setting; a little of it is left over at its end."""
    facts = probe(path)
    planned = conform(Material(facts.frames - 12, Rate.of(RATE)), Treatment(Intent.REAL_TIME), Rate.of(RATE))
    return ClipPlan(path, facts, planned, setting, out)


def said(plan: FilePlan, fault: Callable[[FilePlan, Path], None], losses: Losses, folder: Path) -> list[Proof | str]:
    """The proofs of a file with a fault: with what was measured, and without. A sentence where it was never made."""
    wrong = folder / f"faulty{plan.setting.suffix}"
    wrong.unlink(missing_ok=True)
    try:
        fault(plan, wrong)
    except (RuleError, av.error.FFmpegError) as error:
        return [str(error)]
    instead = replace(plan, out=wrong)  # type: ignore[type-var]
    return [verify(instead, losses=losses), verify(instead)]


def words(proof: Proof | str) -> str:
    """Whether a fault was seen, and by which check."""
    if isinstance(proof, str):
        return f"never made: {proof}"
    failing = [check.name for check in proof.checks if not check.passed]
    return ", ".join(failing) if failing else "**not seen**"


def table(folder: Path, frames: int, width: int, height: int) -> None:
    """Print what is seen of every fault in every setting, and what a proof takes beside its render."""
    path = source(folder / "source.mkv", frames, width, height)
    seen: dict[str, dict[Setting, list[str]]] = {name: {} for name in FAULTS}
    costs = []
    for setting in SHIPPED:
        plan = plan_of(path, setting, folder / "made" / f"right{setting.suffix}")
        begun = time.perf_counter()
        losses = render(plan)
        between = time.perf_counter()
        proofs = [verify(plan, losses=losses), verify(plan)]
        costs.append(f"{setting}: {(time.perf_counter() - between) / 2 / (between - begun):.2f}")
        for proof in proofs:
            wrong = [(check.name, check.planned, check.found) for check in proof.checks if not check.passed]
            assert proof.passed, (setting, wrong, proof.wrong_frames)
        for name, fault in FAULTS.items():
            seen[name][setting] = [words(one) for one in said(plan, fault, losses, folder / "made")]
    print(f"| fault | {' | '.join(map(str, SHIPPED))} |")
    print("|---|---|---|---|")
    for name, by in seen.items():
        print(f"| {name} | {' | '.join(_cell(by[setting]) for setting in SHIPPED)} |")
    for at, what in enumerate(("with what was measured", "without")):
        missed = {str(s): sum("not seen" in by[s][min(at, len(by[s]) - 1)] for by in seen.values()) for s in SHIPPED}
        print(f"\n{what}: {len(FAULTS)} faults, not seen: {missed}")
    print("\nproof, in times of the render:", "; ".join(costs))


def _cell(found: list[str]) -> str:
    return found[0] if len(set(found)) == 1 else f"{found[0]}; without: {found[-1]}"


if __name__ == "__main__":
    (wide, high), count = size_asked(1, "1280x720"), int(sys.argv[2]) if len(sys.argv) > 2 else 50
    with tempfile.TemporaryDirectory() as place:
        table(Path(place), count, wide, high)
