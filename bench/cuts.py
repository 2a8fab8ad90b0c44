"""Cuts between shots, by how like they are and how fast they move, beside the detectors of the library scenedetect.

Run: .venv/bin/python -m bench.cuts [SEEDS [FIRST]]
Every seed draws, for each likeness and motion, a clip of two shots, and for each disturbance one clip without a cut: a
flash, a fade, a whip pan, grain, and things that cross the picture. Textures are of two kinds, noise in octaves and
patches with edges; what was tuned used seeds below 100. scenedetect, where it is installed, sees the same frames with
its default settings.
"""

import sys
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.pictures.report import cuts
from oddmeter.media.analysis.measures import Meter

Picture = npt.NDArray[np.uint8]
WIDTH, HEIGHT, FRAMES, CUT = 640, 360, 40, 20
MOTIONS = {"still": 0.0, "slow": 1.0, "70 a second": 2.8, "fast": 8.0, "very fast": 20.0}
LIKENESS = ("like in tone and texture", "like in tone", "unlike")
NO_CUT = ("flash", "fade", "whip pan", "grain", "crossing")
WIDE = 2400


def texture(r: np.random.Generator, kind: str, scale: float, tone: float, contrast: float) -> Picture:
    """A wide picture to pan over."""
    out = np.zeros((HEIGHT + 200, WIDE), np.float32)
    if kind == "noise":
        for octave in range(5):
            cells = max(4, int(WIDE / (scale * 2 ** (4 - octave))))
            grid = r.normal(0, 1, (max(3, cells * out.shape[0] // WIDE), cells)).astype(np.float32)
            out += cv2.resize(grid, (WIDE, out.shape[0]), interpolation=cv2.INTER_CUBIC) * 0.6 ** (4 - octave)
    else:
        for _ in range(int(420 * 20 / scale)):
            x, y = int(r.integers(0, WIDE)), int(r.integers(0, out.shape[0]))
            size = (int(r.integers(4, int(4 * scale))), int(r.integers(4, int(4 * scale))))
            cv2.ellipse(out, (x, y), size, float(r.integers(0, 180)), 0, 360, float(r.normal(0, 1)), -1)
    out = (out - out.mean()) / (out.std() + 1e-6)
    return np.clip(tone + contrast * out, 0, 255).astype(np.uint8)


def shot(wide: Picture, r: np.random.Generator, speed: float, frames: int) -> Iterator[Picture]:
    """A pan over a picture, with a hand's small shake."""
    way = 1 if r.random() < 0.5 else -1
    x = float(r.integers(60, 400)) if way > 0 else float(WIDE - WIDTH - r.integers(60, 400))
    y = 80.0
    for _ in range(frames):
        matrix = np.array([[1, 0, -x], [0, 1, -y]], np.float32)
        yield cv2.warpAffine(wide, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR).astype(np.uint8)
        x = float(np.clip(x + way * speed + r.normal(0, 0.15 * min(speed, 2)), 0, WIDE - WIDTH))
        y = float(np.clip(y + r.normal(0, 0.15 * min(speed, 2)), 0, 180))


def clip(seed: int, likeness: str, motion: str) -> list[Picture]:
    """Two shots of twenty frames."""
    r = np.random.default_rng([seed, LIKENESS.index(likeness), list(MOTIONS).index(motion)])
    kind = "noise" if seed % 2 else "patches"
    scale, tone, contrast = float(r.uniform(8, 30)), float(r.uniform(90, 160)), float(r.uniform(18, 45))
    other = {"like in tone and texture": (kind, scale, tone), "like in tone": (kind, scale * 2.5, tone)}.get(
        likeness, ("patches" if kind == "noise" else "noise", scale * 2, 250 - tone)
    )
    one = texture(r, kind, scale, tone, contrast)
    two = texture(r, other[0], other[1], other[2], contrast)
    speed = MOTIONS[motion]
    frames = [*shot(one, r, speed, CUT), *shot(two, r, speed, FRAMES - CUT)]
    return [noisy(frame, r, 1.5) for frame in frames]


def without(seed: int, what: str) -> list[Picture]:
    """One shot of forty frames in which something happens that is no cut."""
    r = np.random.default_rng([seed, 77, NO_CUT.index(what)])
    kind = "noise" if seed % 2 else "patches"
    wide = texture(r, kind, float(r.uniform(8, 30)), float(r.uniform(70, 130)), float(r.uniform(18, 45)))
    frames = list(shot(wide, r, float(r.choice([0.0, 1.0, 2.8])), FRAMES))
    if what == "flash":
        at, length = int(r.integers(8, 30)), int(r.integers(1, 4))
        for n in range(at, at + length):
            frames[n] = np.clip(frames[n].astype(int) + 90, 0, 255).astype(np.uint8)
    elif what == "fade":
        first, length = int(r.integers(5, 15)), int(r.integers(6, 20))
        share = [1 - np.clip((n - first) / length, 0, 1) for n in range(FRAMES)]
        frames = [(frame * part).astype(np.uint8) for frame, part in zip(frames, share, strict=True)]
    elif what == "whip pan":
        first, length = int(r.integers(8, 18)), int(r.integers(5, 10))
        x, rows = 200.0, []
        for n in range(FRAMES):
            fast = first <= n < first + length
            x = min(
                WIDE - WIDTH - 1.0,
                x + (float(r.uniform(50, 90)) * np.sin(np.pi * (n - first + 0.5) / length) if fast else 1.0),
            )
            matrix = np.array([[1, 0, -x], [0, 1, -80]], np.float32)
            picture = cv2.warpAffine(wide, matrix, (WIDTH, HEIGHT))
            rows.append(cv2.blur(picture, (45, 1)) if fast else picture)
        frames = [row.astype(np.uint8) for row in rows]
    elif what == "crossing":
        for n in range(FRAMES):
            x = int(-200 + n * 900 / FRAMES * r.uniform(0.98, 1.02))
            cv2.rectangle(frames[n], (x, 40), (x + 260, 340), 40, -1)
    return [noisy(frame, r, 9.0 if what == "grain" else 1.5) for frame in frames]


def noisy(frame: Picture, r: np.random.Generator, amount: float) -> Picture:
    return np.clip(frame + r.normal(0, amount, frame.shape), 0, 255).astype(np.uint8)


def coloured(picture: Picture) -> Picture:
    """The picture in a palette, since detectors look at hue and saturation too."""
    return cv2.applyColorMap(picture, cv2.COLORMAP_PINK).astype(np.uint8)


def ours(frames: list[Picture]) -> list[int]:
    """Frames at which our analysis finds a cut."""
    meter = Meter()
    for number, picture in enumerate(frames):
        frame = VideoFrame.from_ndarray(coloured(picture), format="bgr24").reformat(format="yuv420p")
        frame.pts, frame.time_base = number, Fraction(1, 25)
        meter.push(frame)
    return cuts(meter.measures())


def theirs(name: str, frames: list[Picture]) -> list[int]:
    """Frames at which a detector of scenedetect, as it comes, finds a cut."""
    from scenedetect import AdaptiveDetector, ContentDetector  # noqa: PLC0415
    from scenedetect.common import FrameTimecode  # noqa: PLC0415

    detector = {"content": ContentDetector, "adaptive": AdaptiveDetector}[name]()
    found = []
    for number, picture in enumerate(frames):
        found += detector.process_frame(FrameTimecode(number, 25.0), coloured(picture))
    found += detector.post_process(FrameTimecode(len(frames) - 1, 25.0))
    return [int(getattr(one, "frame_num", one)) for one in found]


def judge(seed: int) -> dict[tuple[str, str, str], tuple[int, int, int]]:
    """For each detector, likeness and motion (or disturbance): cuts there were, cuts found, and false ones."""
    detectors: dict[str, Callable[[list[Picture]], list[int]]] = {"ours": ours}
    try:
        import scenedetect  # noqa: F401, PLC0415

        for name in ("content", "adaptive"):
            detectors[name] = lambda frames, name=name: theirs(name, frames)
    except ImportError:
        pass
    out = {}
    cases = [(a, b, clip(seed, a, b), [CUT]) for a in LIKENESS for b in MOTIONS]
    cases += [("no cut", what, without(seed, what), []) for what in NO_CUT]
    for likeness, motion, frames, true in cases:
        for name, detect in detectors.items():
            found = detect(frames)
            hit = sum(one in found for one in true)
            out[name, likeness, motion] = (len(true), hit, len(found) - hit)
    return out


def main() -> None:
    count, first = ([int(word) for word in sys.argv[1:]] + [12, 0][len(sys.argv) - 1 :])[:2]
    with ProcessPoolExecutor(2) as pool:
        measure(range(first, first + count), pool.map)


def measure(seeds: range, each: Callable[..., Iterable[Any]] = map) -> None:
    """Print what each detector finds, by likeness and motion, and in all; ``each`` maps a function."""
    totals: dict[tuple[str, str, str], list[int]] = defaultdict(lambda: [0, 0, 0])
    for result in each(judge, seeds):
        for key, values in result.items():
            totals[key] = [a + b for a, b in zip(totals[key], values, strict=True)]
    names = list(dict.fromkeys(name for name, _, _ in totals))
    print(f"{'':42}" + "".join(f"{name:>22}" for name in names))
    for likeness, motion in dict.fromkeys((a, b) for _, a, b in totals):
        cells = (totals[name, likeness, motion] for name in names)
        print(f"{likeness + ', ' + motion:42}" + "".join(f"{f'{f} of {t}, {e} false':>22}" for t, f, e in cells))
    frames = len(seeds) * FRAMES * (len(LIKENESS) * len(MOTIONS) + len(NO_CUT))
    for name in names:
        true, found, false = (sum(values[i] for key, values in totals.items() if key[0] == name) for i in range(3))
        share, wrong = 100 * found / true, 100 * false / frames
        print(f"{name}: {found} of {true} found ({share:.1f} %), {false} false in {frames} frames ({wrong:.3f} %)")


if __name__ == "__main__":
    main()
