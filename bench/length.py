"""The memory at the most of making and proving a short clip and a long one: it must not grow with the length.

    .venv/bin/python -m bench.length [WIDTHxHEIGHT, default 640x360] [FRAMES, default 100] [LONG, default 2000]

A clip of ten bits with sound, every setting, intent and kind of in-between, each made and proven in a process of its
own; and many small files made one after the other by one worker's process.
"""

import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from fractions import Fraction
from multiprocessing import get_context
from pathlib import Path

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame

from bench.common import most_memory, size_asked
from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import Between, Intent, SoundChoice, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, VIEW
from oddmeter.media.verify import verify
from oddmeter.work.apart import render_apart, verify_apart

RATE, TIMELINE = 50, Rate.of(25)
_SLOW = Treatment(Intent.PACE, Fraction(1, 2))
CASES: dict[str, tuple[Setting, Treatment]] = {
    "archive, real time": (ARCHIVE, Treatment(Intent.REAL_TIME)),
    "edit, real time": (EDIT, Treatment(Intent.REAL_TIME)),
    "view, real time": (VIEW, Treatment(Intent.REAL_TIME)),
    "view, every frame": (VIEW, Treatment(Intent.EVERY_FRAME)),
    "view, backwards": (VIEW, Treatment(Intent.REAL_TIME, reverse=True)),
    "view, pace, mixed": (VIEW, replace(_SLOW, between=Between.MIX)),
    "view, pace, built": (VIEW, replace(_SLOW, between=Between.FLOW)),
    "view, gathered": (VIEW, Treatment(Intent.REAL_TIME, between=Between.GATHER)),
    "view, its sound at its pitch": (VIEW, replace(_SLOW, sound=SoundChoice.PITCH)),
    "archive, interlaced": (ARCHIVE, Treatment(Intent.REAL_TIME)),
    "view, along a curve": (VIEW, Treatment(Intent.CURVE, curve=Curve.parse("100 → 50 %"))),
}


def source(path: Path, frames: int, width: int, height: int) -> Path:
    """A clip of ten bits and two channels."""
    ground = np.random.default_rng(3).integers(0, 255, (height, width, 3), dtype=np.uint8)
    with av.open(str(path), "w") as container:
        video = container.add_stream("libx264", rate=RATE, options={"preset": "ultrafast", "crf": "30"})
        video.width, video.height, video.pix_fmt = width, height, "yuv420p10le"
        sound = container.add_stream("pcm_s16le", rate=48_000, layout="stereo")
        for number in range(frames):
            picture = np.roll(ground // 8 * 3, number * 3, axis=1)
            picture[:, number % width] = 255
            container.mux(video.encode(VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p10le")))
            tone = np.full((1, 2 * 48_000 // RATE), number % 1_000, np.int16)
            frame = AudioFrame.from_ndarray(tone, format="s16", layout="stereo")
            frame.sample_rate, frame.pts = 48_000, number * 48_000 // RATE
            container.mux(sound.encode(frame))
        container.mux(video.encode(None))
    return path


def plan_of(path: Path, setting: Setting, treatment: Treatment, out: Path, *, fields: bool = False) -> ClipPlan:
    """What is asked for."""
    facts = probe(path)
    scan = TimelineScan.UPPER if fields else TimelineScan.PROGRESSIVE
    canvas = Canvas(facts.width, facts.height, Fraction(1), scan)
    planned = conform(Material(facts.frames, Rate.of(RATE)), treatment, TIMELINE)
    return ClipPlan(path, facts, planned, setting, out, timeline=canvas, sound_rate=48_000)


def peaks(path: Path, name: str, out: Path) -> tuple[float, float]:
    """Megabytes of this process at the most, after making and after proving."""
    setting, treatment = CASES[name]
    plan = plan_of(path, setting, treatment, out, fields="interlaced" in name)
    render(plan)
    made = most_memory()
    proof = verify(plan)
    if not proof.passed:
        print("  not proven:", [check for check in proof.checks if not check.passed])
    return made, most_memory()


def worker(path: Path, folder: Path, files: int) -> tuple[float, float]:
    """Megabytes of a worker's process after ten small files and after all of them."""
    early = 0.0
    for number in range(files):
        plan = plan_of(path, VIEW, Treatment(Intent.REAL_TIME), folder / f"{number}.mp4")
        render_apart(plan, lambda _: None, lambda: None)
        verify_apart(plan, lambda _: None)
        plan.out.unlink()
        early = most_memory() if number == 9 else early
    return early, most_memory()


def measure(width: int, height: int, short: int, long: int, files: int) -> None:
    """Print what each case takes at the most."""
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        clips = [source(Path(folder) / f"{frames}.mov", frames, width, height) for frames in (short, long)]
        print(f"| {width} × {height}, 10 bit | made, {short} | made, {long} | proven, {short} | proven, {long} |")
        print("|---|---:|---:|---:|---:|")
        for name in CASES:
            told = []
            for clip in clips:
                out = Path(folder) / "made" / f"{name} {clip.stem}{CASES[name][0].suffix}"
                with ProcessPoolExecutor(1, get_context("spawn")) as process:
                    told.append(process.submit(peaks, clip, name, out).result())
            (a, b), (c, d) = told
            print(f"| {name} | {a:.0f} MB | {c:.0f} MB | {b:.0f} MB | {d:.0f} MB |", flush=True)
        if files:
            with ProcessPoolExecutor(1, get_context("spawn")) as process:
                early, late = process.submit(worker, clips[0], Path(folder) / "small", files).result()
            print(f"\na worker after 10 small files {early:.0f} MB, after {files} of them {late:.0f} MB")


def main() -> None:
    width, height = size_asked(1, "640x360")
    numbers = [int(one) for one in sys.argv[2:]] + [100, 2_000, 200][len(sys.argv) - 2 if len(sys.argv) > 1 else 0 :]
    measure(width, height, *numbers[:3])


if __name__ == "__main__":
    main()
