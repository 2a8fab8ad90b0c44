"""Probing, rendering and proving against what the library alone takes, on the demo footage, in one run.

Run: .venv/bin/python -m bench.media
"""

import tempfile
import time
from pathlib import Path

import av
from av.video.frame import PictureType

from bench.common import best
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, SoundChoice, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.takes import make_footage
from oddmeter.interchange.logs import is_report
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.encoding import encoding_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.verify import verify
from oddmeter.media.writing.losses import Losses


def open_and_demux(paths: list[Path]) -> None:
    for path in paths:
        with av.open(str(path)) as container:
            for _ in container.demux():
                pass


def decode_and_encode(source: Path, out: Path, setting: Setting, frames: int) -> None:
    """The library's own way: every frame decoded and encoded again, nothing else."""
    encoding = encoding_of(setting)
    with av.open(str(source)) as reading, av.open(str(out), "w", format=encoding.into.writer) as writing:
        stream = reading.streams.video[0]
        stream.thread_type = "AUTO"
        pixel_format = encoding.pixel_format_for(stream.pix_fmt or "", stream.width, stream.height)
        options = encoding.options_for(pixel_format)
        made = writing.add_stream(encoding.codec.encoder, rate=25, options=options)
        made.width, made.height, made.pix_fmt = stream.width, stream.height, pixel_format
        for number, frame in zip(range(frames), reading.decode(stream), strict=False):
            wanted = frame if frame.format.name == made.pix_fmt else frame.reformat(format=made.pix_fmt)
            wanted.pts, wanted.pict_type = number, PictureType.NONE
            writing.mux(made.encode(wanted))
        writing.mux(made.encode(None))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        measure(Path(folder))


def measure(footage: Path, times: int = 20) -> None:
    """Print the figures of footage made into a folder, or found there; each file is probed so many ``times``."""
    begun = time.perf_counter()
    paths = make_footage(footage)
    size = sum(file.stat().st_size for file in footage.rglob("*") if file.is_file())
    print(f"demo footage: {len(paths)} clips made in {time.perf_counter() - begun:.1f} s, {size / 1e6:.1f} MB")
    many = [path for path in paths if path.is_file() and not is_report(path.name)] * times
    alone = best(lambda: open_and_demux(many))
    ours = best(lambda: [probe(path) for path in many])
    print(f"probing {len(many)} files: {ours:.2f} s; opening and demuxing alone {alone:.2f} s; {ours / alone:.2f} ×")
    source = next(path for path in paths if path.name == "HB_gulls_30.mp4")
    facts = probe(source)
    assert facts.file_rate is not None
    planned = conform(
        Material(facts.frames, facts.file_rate), Treatment(Intent.EVERY_FRAME, sound=SoundChoice.OFF), Rate.of(25)
    )
    for setting in SHIPPED:
        with tempfile.TemporaryDirectory() as folder:
            plan = ClipPlan(source, facts, planned, setting, Path(folder) / f"made{setting.suffix}")

            def ours_once(plan: ClipPlan = plan) -> Losses:
                plan.out.unlink(missing_ok=True)
                return render(plan)

            bare_out = Path(folder) / "bare"
            bare = best(lambda setting=setting, out=bare_out: decode_and_encode(source, out, setting, facts.frames))
            made = best(ours_once)
            losses = ours_once()
            proven = best(lambda plan=plan, losses=losses: verify(plan, losses=losses))
            print(
                f"{setting}: bare decode and encode {bare:.2f} s, render with Pick {made:.2f} s"
                f" ({bare / made:.2f} of its speed), proof {proven:.2f} s"
            )


if __name__ == "__main__":
    main()
