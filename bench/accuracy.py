"""How often the picture analysis is right, on made clips whose truth is known, over many seeds.

Run: .venv/bin/python -m bench.accuracy [SEEDS [FIRST_SEED]] [--keep FOLDER]

Each seed draws one clip of every kind below, with a scene, standard, codec, quality, grain, noise and phases of its
own; in every fourth a timecode is burnt in. Truth comes from the generator alone. Cuts between shots, by how like they
are and how fast they move, come last (bench.cuts), for a tenth of the seeds.
"""

import random
import sys
import tempfile
from collections import Counter
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from math import floor
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.video.frame import VideoFrame

from bench import cuts
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.demo import carriers, scenes
from oddmeter.demo.carriers import Carrier
from oddmeter.demo.framecode import Picture
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.files.probe import probe

SCENES = (scenes.bell, scenes.sparks, scenes.pour, scenes.clock, scenes.boat, scenes.quay, scenes.gulls, scenes.lantern)
SIZES = ((720, 480), (720, 576), (640, 360))
FRAMES = 110
HELD = ((18, 30), (16, 24), (16, 25), (18, 24), (24, 30), (12, 24), (12, 25), (15, 30), (8, 24), (25, 30))
LATER_SCENE = 10_000
KINDS = (
    "upper first",
    "lower first",
    "in fields",
    "shifted",
    "2:3",
    "2:3:3:2",
    "repeats",
    "progressive",
    "still",
    "slow",
    "2:3 beneath a crawl",
    "in fields beneath a crawl",
)


@dataclass(frozen=True)
class Made:
    """One clip to make, and what is true of it."""

    seed: int
    kind: str
    carrier: Carrier
    rate: Fraction
    truth: tuple[int, ...] = ()
    first: str = FieldOrder.UPPER
    interlaced: bool = False


def planned(seed: int, kind: str, r: random.Random) -> Made:
    """The clip of one kind for a seed."""
    first = {"upper first": FieldOrder.UPPER, "lower first": FieldOrder.LOWER}.get(kind) or r.choice(
        (FieldOrder.UPPER, FieldOrder.LOWER)
    )
    match kind:
        case "upper first" | "lower first":
            return Made(seed, kind, carriers.in_fields(first), Fraction(r.choice((50, 60))), (), first, True)
        case "in fields":
            return Made(seed, kind, carriers.each, Fraction(25), (), first, True)
        case "shifted":
            return Made(seed, kind, carriers.shifted(first), Fraction(25), (), first, True)
        case "2:3" | "2:3:3:2":
            truth = r.randrange(5), r.randrange(30, 80), r.randrange(5)
            carrier = carriers.pulldown(first, kind, truth[0], truth[1], truth[2])
            return Made(seed, kind, carrier, Fraction(24), truth, first, True)
        case "repeats":
            unique, rate = r.choice(HELD)
            carrier = carriers.held(Fraction(unique), Fraction(rate))
            return Made(seed, kind, carrier, Fraction(unique), (unique, rate), first)
        case "2:3 beneath a crawl" | "in fields beneath a crawl":
            film, truth = kind.startswith("2:3"), (r.randrange(5), r.choice((0, 0, 40)))
            carrier = carriers.pulldown(first, "2:3", truth[0]) if film else carriers.in_fields(first)
            return Made(seed, kind, carrier, Fraction(24 if film else 60), truth, first, True)
        case "still" | "slow":
            return Made(seed, kind, carriers.each, Fraction(10**9 if kind == "still" else r.choice((150, 300, 600))))
        case _:
            return Made(seed, kind, carriers.each, Fraction(r.choice((24, 25, 30, 50))))


def write(made: Made, path: Path, r: random.Random) -> str:
    """Draw and encode the clip; returns its conditions in words."""
    width, height = r.choice(SIZES)
    early, late = r.sample(SCENES, 2)
    codec, poor = r.choice(("libx264", "mpeg2video")), r.random() < 0.5
    grain, noise, burnt_in = r.choice((0, 0, 3, 6)), r.choice((0, 0, 0, 2, 4)), r.random() < 0.25
    noises = np.random.default_rng(made.seed).normal(0, 1, (6, height + 64, width + 64, 1)).astype(np.float32)
    known: dict[int, Picture] = {}
    crawled = crawling(r, width, height) if "crawl" in made.kind else None

    def grainy(picture: Picture, amount: int, key: int) -> Picture:
        if not amount:
            return picture
        dice = random.Random(key)
        x, y = dice.randrange(64), dice.randrange(64)
        layer = noises[dice.randrange(6), y : y + height, x : x + width]
        return np.clip(picture + amount * layer, 0, 255).astype(np.uint8)

    def picture(number: int) -> Picture:
        if number not in known:
            if len(known) > 12:
                known.pop(next(iter(known)))
            scene, place = (late, number - LATER_SCENE + 90) if number >= LATER_SCENE else (early, number)
            known[number] = grainy(scene(float(place / made.rate), width, height), grain, number * 31 + made.seed)
        return known[number]

    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        if codec == "libx264":
            field = ":tff=1" if made.first == FieldOrder.UPPER else ":bff=1"
            parameters = "threads=1" + (field if made.interlaced else "")
            stream.options = {"preset": "veryfast", "crf": "33" if poor else "20", "x264-params": parameters}
        else:
            q = "14" if poor else "4"
            stream.options = {"qmin": q, "qmax": q, "bf": "2", "g": "12", "threads": "1"}
            stream.bit_rate = 0
            if made.interlaced:
                stream.codec_context.flags |= 0x20040000
        for number in range(FRAMES):
            whole = carriers.woven(made.carrier(number), picture)
            if crawled is not None and number >= made.truth[1]:
                whole = carriers.woven(carriers.in_fields(made.first)(number), partial(crawled, whole))
            whole = grainy(whole, noise, number * 17 + made.seed + 5)
            if burnt_in:
                whole = whole.copy()
                cv2.putText(whole, f"01:00:{number // 25:02}:{number % 25:02}", (width // 3, height - 24),
                            cv2.FONT_HERSHEY_SIMPLEX, 0.8, (240, 240, 240), 2)  # fmt: skip
            frame = VideoFrame.from_ndarray(np.ascontiguousarray(whole), format="bgr24").reformat(format="yuv420p")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return f"{early.__name__} {width}x{height} {codec} {'poor' if poor else 'usual'} grain {grain} noise {noise}" + (
        " burnt-in timecode" if burnt_in else ""
    )


def crawling(r: random.Random, width: int, height: int) -> Callable[[Picture, int], Picture]:
    """A bar with words that run to the left along the bottom or the top; the picture for a field's number."""
    high, speed = r.choice((30, 44, 60, 80)) * height // 480, r.choice((1, 1.5, 2, 3, 4, 6))
    top = height - high - r.choice((4, 20, 40)) if r.random() < 0.8 else r.choice((10, 30))
    bar = np.full((high, width + int(speed * 2 * FRAMES) + 8, 3), r.choice((15, 30, 120)), np.uint8)
    words = "".join(r.choice("ABCDEFGHIKLMNOPQRSTUVWX   ") for _ in range(bar.shape[1] // 14))
    cv2.putText(bar, words, (4, high * 3 // 4), cv2.FONT_HERSHEY_DUPLEX, high / 40, (230, 235, 235), max(1, high // 18))

    def crawled(picture: Picture, field: int) -> Picture:
        whole, part = divmod(speed * field, 1)
        here = bar[:, int(whole) : int(whole) + width + 1]
        out = picture.copy()
        out[top : top + high] = cv2.addWeighted(here[:, :-1], 1 - part, here[:, 1:], part, 0)
        return out

    return crawled


def right(made: Made, report: PictureReport) -> bool:
    """Whether the report says what is true."""
    found = report.stretches
    told = [s for s in found if s.scan is not Scan.UNKNOWN]
    if report.blended:
        return False
    match made.kind:
        case "2:3 beneath a crawl":
            begins = [s.first_frame for s in found if s.graphics]
            phases = {(s.phase - s.first_frame) % 5 for s in found if s.phase is not None}
            told_apart = len(begins) == 1 and abs(begins[0] - made.truth[1]) <= 5 and bool(found[-1].graphics)
            ways = {(s.field_order, s.pattern) for s in found} == {(made.first, "2:3")}
            return ways and told_apart and phases == {made.truth[0]}
        case "upper first" | "lower first" | "in fields beneath a crawl":
            return {(s.scan, s.field_order, s.pattern) for s in found} == {(Scan.INTERLACED, made.first, None)}
        case "shifted":
            return {(s.field_order, s.pattern) for s in found} == {(made.first, "2:2")}
        case "2:3" | "2:3:3:2":
            return _pulldown_right(made, report)
        case "repeats":
            if report.repeats is None or any(s.scan is Scan.INTERLACED for s in told):
                return False
            unique, rate = made.truth
            new = 1 + floor((FRAMES - 1) * Fraction(unique, rate))
            return report.repeats.step == Fraction(unique, rate) and report.repeats.unique_frames == new
        case _:
            return report.repeats is None and all(s.scan is Scan.PROGRESSIVE for s in told)


def _pulldown_right(made: Made, report: PictureReport) -> bool:
    phase, edit, after = made.truth
    found = report.stretches
    if any((s.field_order, s.pattern) != (made.first, made.kind) for s in found) or found[0].phase != phase:
        return False
    if (phase + edit) % 5 == after:
        return len(found) == 1
    bounds = len(found) == 2 and abs(found[1].first_frame - edit) <= 5
    return bounds and found[1].phase is not None and (found[1].phase - (found[1].first_frame - edit)) % 5 == after


def judge(seed: int, kind: str, folder: str) -> tuple[str, bool, str]:
    """Make, analyse and judge one clip: kind, right or not, and a line about it."""
    r = random.Random(f"{seed} {kind}")
    made = planned(seed, kind, r)
    path = Path(folder) / f"{kind.replace(':', '')} {seed}.mkv"
    state = r.getstate()
    if path.exists():
        conditions = "kept"
    else:
        r.setstate(state)
        conditions = write(made, path, r)
    report = analyse(path, probe(path))
    good = right(made, report)
    said = [(s.first_frame, s.last_frame, s.words) for s in report.stretches]
    return (
        kind,
        good,
        f"{kind} {seed} {made.first} {made.truth} [{conditions}]: {said} {report.repeats} {report.blended}",
    )


def table(results: list[tuple[str, bool, str]], kinds: tuple[str, ...]) -> str:
    """The figures as a table."""
    total, good = Counter(kind for kind, _, _ in results), Counter(kind for kind, ok, _ in results if ok)
    groups: dict[str, Callable[[str], bool]] = {
        "field order": lambda kind: kind.endswith("first"),
        "pulldown, phase and bounds": lambda kind: kind in ("2:3", "2:3:3:2", "shifted", "2:3 beneath a crawl"),
        "repeats": lambda kind: kind == "repeats",
        "no false alarm": lambda kind: (
            kind in ("progressive", "in fields", "still", "slow", "in fields beneath a crawl")
        ),
    }
    lines = ["| clips | right | of | per cent |", "|---|---:|---:|---:|"]
    for kind in kinds:
        lines.append(f"| {kind} | {good[kind]} | {total[kind]} | {100 * good[kind] / total[kind]:.1f} |")
    for name, belongs in groups.items():
        all_of = sum(count for kind, count in total.items() if belongs(kind))
        right_of = sum(count for kind, count in good.items() if belongs(kind))
        lines.append(f"| **{name}** | {right_of} | {all_of} | {100 * right_of / max(1, all_of):.1f} |")
    return "\n".join(lines)


def main(seeds: range, folder: str) -> None:
    """Judge over these seeds, in two processes."""
    with ProcessPoolExecutor(max_workers=2) as pool:
        measure(seeds, folder, pool.map)


def measure(seeds: range, folder: str, each: Callable[..., Iterable[Any]] = map) -> None:
    """Print how often each kind is told rightly, and cuts are found; ``each`` maps a function."""
    jobs = [(seed, kind, folder) for seed in seeds for kind in KINDS]
    results = list(each(judge, *zip(*jobs, strict=True)))
    for _, good, line in results:
        if not good:
            print(line)
    print(table(results, KINDS))
    cuts.measure(range(seeds.start, seeds.start + -(-len(seeds) // 10)), each)


if __name__ == "__main__":
    arguments = sys.argv[1:]
    numbers = [int(argument) for argument in arguments[:2] if argument.isdigit()]
    count, first = (*numbers, 60, 0)[:2] if len(numbers) != 1 else (numbers[0], 0)
    wanted = range(first, first + count)
    if "--keep" in arguments:
        Path(arguments[-1]).mkdir(parents=True, exist_ok=True)
        main(wanted, arguments[-1])
    else:
        with tempfile.TemporaryDirectory() as place:
            main(wanted, place)
