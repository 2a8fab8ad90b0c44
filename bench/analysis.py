"""What probing and picture analysis cost against what the library alone takes, in one run.

Run: .venv/bin/python -m bench.analysis
"""

import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import cv2
from av.video.frame import VideoFrame

from bench.common import most_memory
from bench.media import best, open_and_demux
from oddmeter.demo import scenes
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.analysis.guarded import probe_guarded
from oddmeter.media.files.probe import probe

SIZES = ((640, 360, False), (720, 576, True), (1280, 720, False), (1920, 1080, False))
SHORT_FILES = 1_000
FRAMES = 300


def write(path: Path, width: int, height: int, frames: int, *, interlaced: bool = False) -> None:
    """A clip of the bell, encoded as cameras do, with a long group of pictures."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.options = {"preset": "veryfast", "crf": "20", "x264-params": "tff=1" if interlaced else "keyint=50"}
        for number in range(frames):
            picture = scenes.quay(number / 25, width, height)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def decode(path: Path) -> None:
    """The library's own way to decode: as many threads as it likes, nothing else."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for _ in container.decode(stream):
            pass


def main() -> None:
    cv2.setNumThreads(1)
    with tempfile.TemporaryDirectory() as place:
        measure(Path(place))


def measure(folder: Path, short_files: int = SHORT_FILES, frames: int = FRAMES, long_frames: int = 20_000) -> None:
    """Print the ratios, and what a long file takes."""
    write(folder / "short.mov", 320, 180, 25)
    data = (folder / "short.mov").read_bytes()
    paths = [folder / f"{number}.mov" for number in range(short_files)]
    for path in paths:
        path.write_bytes(data)
    probe_guarded(paths[0])
    bare = best(lambda: open_and_demux(paths))
    ours = best(lambda: [probe(path) for path in paths])
    guarded = best(lambda: [probe_guarded(path) for path in paths])
    print(f"probing {short_files} short files: {ours / bare:.2f} of opening and demuxing them; "
          f"in the guarded helper {guarded / bare:.2f}")  # fmt: skip
    total_bare = total_ours = 0.0
    for width, height, interlaced in SIZES:
        path = folder / f"{width}.mov"
        write(path, width, height, frames, interlaced=interlaced)
        facts = probe(path)
        bare, ours = best(lambda p=path: decode(p)), best(lambda p=path, f=facts: analyse(p, f, whole=True))  # type: ignore[misc]
        total_bare, total_ours = total_bare + bare, total_ours + ours
        kind = "interlaced" if interlaced else "progressive"
        print(f"analysis of {width} × {height} {kind}: {ours / bare:.2f} of plain decoding")
    print(f"analysis of all of them: {total_ours / total_bare:.2f} of plain decoding")
    long = folder / "long.mov"
    write(long, 320, 180, long_frames)
    before = most_memory()
    begun = time.perf_counter()
    report = analyse(long, probe(long), whole=True)
    after = most_memory()
    seconds = time.perf_counter() - begun
    print(f"{report.examined} frames whole: {seconds:.1f} s, memory at most {after:.0f} MB,"
          f" {after - before:.0f} MB more than before")  # fmt: skip


if __name__ == "__main__":
    main()
