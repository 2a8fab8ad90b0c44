"""Cuts beside graphics, lamps and near things: titles that come and go, counters in the picture, and what runs into it,
each with cuts or without, beside the detectors of the library scenedetect.

    .venv/bin/python -m bench.graphics [SEEDS, default 8] [FIRST, default 0]

What was tuned used seeds below 100.
"""

import sys
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor

import cv2
import numpy as np

from bench.cuts import HEIGHT, WIDE, WIDTH, Picture, noisy, ours, texture, theirs

FRAMES = 60
Clip = tuple[list[Picture], list[int]]
"""Pictures, and the frames at which a shot begins."""


def shot(r: np.random.Generator, frames: int, rate: int, *, like: Picture | None = None) -> Iterator[Picture]:
    """A slow pan over a drawn place, moving as fast as at any rate."""
    if like is None:
        kind = "noise" if r.random() < 0.5 else "patches"
        like = texture(r, kind, float(r.uniform(8, 30)), float(r.uniform(80, 160)), float(r.uniform(18, 45)))
    x, step = float(r.integers(60, WIDE - WIDTH - 400)), float(r.uniform(0, 90)) / rate
    for number in range(frames):
        matrix = np.array([[1, 0, -x - step * number], [0, 1, -80]], np.float32)
        yield cv2.warpAffine(like, matrix, (WIDTH, HEIGHT)).astype(np.uint8)


def words(r: np.random.Generator) -> str:
    return "".join(chr(int(one)) for one in r.integers(65, 91, 14))


def titled(frames: list[Picture], r: np.random.Generator, first: int, stop: int, share: float, fade: int) -> None:
    """A title over a bar of so much of the height, that comes and goes at once or over some frames."""
    high = int(HEIGHT * share)
    top = HEIGHT - high - int(r.integers(10, 40)) if r.random() < 0.7 else int(r.integers(0, HEIGHT - high))
    left = 0 if r.random() < 0.5 else int(r.integers(20, 80))
    text, bar = words(r), int(r.choice([15, 235]))
    for number in range(first, min(stop, len(frames))):
        drawn = frames[number].copy()
        cv2.rectangle(drawn, (left, top), (WIDTH - left, top + high), bar, -1)
        place = (left + 20, top + high * 3 // 4)
        cv2.putText(drawn, text, place, cv2.FONT_HERSHEY_DUPLEX, high / 36, 250 - bar, max(1, high // 14))
        part = min(1.0, (number - first + 1) / max(1, fade), (stop - number) / max(1, fade))
        frames[number] = cv2.addWeighted(drawn, part, frames[number], 1 - part, 0).astype(np.uint8)


def counted(frames: list[Picture], r: np.random.Generator) -> None:
    """A counter in blocks of bits along the bottom."""
    high, start = int(r.integers(16, 40)), int(r.choice([2**k - len(frames) // 2 for k in (8, 10, 12, 16)]))
    for number, picture in enumerate(frames):
        for bit in range(20):
            on = (start + number) >> bit & 1
            x = 20 + bit * 30
            cv2.rectangle(picture, (x, HEIGHT - high), (x + 30, HEIGHT), 235 if on else 16, -1)


def title_alone(r: np.random.Generator) -> Clip:
    rate = int(r.choice([25, 100]))
    frames = [one.copy() for one in shot(r, FRAMES, rate)]
    first, stop, fade = int(r.integers(8, 20)), int(r.integers(30, 50)), int(r.choice([1, 1, 4]))
    titled(frames, r, first, stop, float(r.choice([0.1, 0.15, 0.25])), fade)
    return frames, []


def counter(r: np.random.Generator) -> Clip:
    frames = [one.copy() for one in shot(r, FRAMES, int(r.choice([60, 240])))]
    counted(frames, r)
    return frames, []


def counter_and_cut(r: np.random.Generator) -> Clip:
    rate, at = int(r.choice([60, 240])), int(r.integers(15, 45))
    frames = [one.copy() for one in (*shot(r, at, rate), *shot(r, FRAMES - at, rate))]
    counted(frames, r)
    return frames, [at]


def cut_under_title(r: np.random.Generator) -> Clip:
    rate, at = int(r.choice([25, 100])), int(r.integers(20, 40))
    frames = [one.copy() for one in (*shot(r, at, rate), *shot(r, FRAMES - at, rate))]
    titled(frames, r, int(r.integers(2, 8)), FRAMES, float(r.choice([0.1, 0.15, 0.25])), 1)
    return frames, [at]


def cut_after_title(r: np.random.Generator) -> Clip:
    rate, at = int(r.choice([25, 100])), int(r.integers(25, 40))
    frames = [one.copy() for one in (*shot(r, at, rate), *shot(r, FRAMES - at, rate))]
    titled(frames, r, at - int(r.integers(1, 8)), FRAMES, float(r.choice([0.1, 0.15, 0.25])), 1)
    return frames, [at]


def title_with_cut(r: np.random.Generator) -> Clip:
    rate, at = int(r.choice([25, 100])), int(r.integers(20, 40))
    frames = [one.copy() for one in (*shot(r, at, rate), *shot(r, FRAMES - at, rate))]
    titled(frames, r, at, FRAMES, float(r.choice([0.1, 0.15, 0.25])), 1)
    return frames, [at]


def cuts_in_turn(r: np.random.Generator) -> Clip:
    places = [texture(r, "noise" if k else "patches", 18, 120, 35) for k in (0, 1)]
    frames, at = [], [0, 13, 27, 45, FRAMES]
    for n in range(4):
        frames += [one.copy() for one in shot(r, at[n + 1] - at[n], 25, like=places[n % 2])]
    titled(frames, r, 20, 52, 0.15, 1)
    return frames, at[1:4]


def flashes(r: np.random.Generator) -> Clip:
    frames = [one.copy() for one in shot(r, FRAMES, 25)]
    for _ in range(int(r.integers(1, 4))):
        at, strength = int(r.integers(4, FRAMES - 6)), float(r.uniform(60, 200))
        y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
        far = np.hypot(x - r.uniform(0, WIDTH), y - r.uniform(0, HEIGHT))
        light = strength * np.exp(-((far / r.uniform(200, 900)) ** 2))
        for n in range(at, at + int(r.integers(1, 4))):
            frames[n] = np.clip(frames[n] + light, 0, 255).astype(np.uint8)
    return frames, []


def lamp(r: np.random.Generator) -> Clip:
    frames = [one.copy() for one in shot(r, FRAMES, 25)]
    at, on = int(r.integers(10, 50)), bool(r.integers(0, 2))
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    far = np.hypot(x - r.uniform(0, WIDTH), y - r.uniform(0, HEIGHT))
    share = r.uniform(0.25, 0.6) + r.uniform(0.0, 0.4) * np.exp(-((far / r.uniform(200, 500)) ** 2))
    for n in range(FRAMES):
        if (n >= at) != on:
            frames[n] = np.clip(frames[n] * share, 0, 255).astype(np.uint8)
    return frames, []


def near_thing(r: np.random.Generator) -> Clip:
    """Something large and textured that fills the picture within a few frames, and stays or goes on."""
    frames = [one.copy() for one in shot(r, FRAMES, 25)]
    thing = texture(r, "noise" if r.random() < 0.5 else "patches", 30, float(r.uniform(30, 220)), 25)
    thing = thing[: int(r.uniform(0.5, 1.0) * HEIGHT), : int(r.uniform(0.5, 1.0) * WIDTH)]
    at, over = int(r.integers(8, 40)), int(r.integers(3, 6))
    stays = bool(r.integers(0, 2))
    for n in range(at, FRAMES):
        step = (n - at + 1) / over
        step = min(step, 1.0) if stays else step
        left = round(-thing.shape[1] + step * (thing.shape[1] + (WIDTH - thing.shape[1]) / 2))
        top = HEIGHT - thing.shape[0]
        a, b = max(0, left), min(WIDTH, left + thing.shape[1])
        if a < b:
            frames[n][top:, a:b] = thing[:, a - left : b - left]
    return frames, []


def fades(r: np.random.Generator) -> Clip:
    at, over = int(r.integers(15, 30)), int(r.integers(8, 20))
    one, two = ([each.copy() for each in shot(r, FRAMES, 25)] for _ in range(2))
    frames = []
    for n, (a, b) in enumerate(zip(one, two, strict=True)):
        part = float(np.clip((n - at) / over, 0, 1))
        frames.append(cv2.addWeighted(a, 1 - part, b, part, 0).astype(np.uint8))
    return frames, []


def half_empty(r: np.random.Generator) -> Clip:
    """Two places under one sky, or under two."""
    at, sky = int(r.integers(15, 45)), int(r.integers(120, 220))
    other = sky if r.random() < 0.5 else int(r.integers(120, 220))
    frames = [one.copy() for one in (*shot(r, at, 25), *shot(r, FRAMES - at, 25))]
    lines = int(r.uniform(0.3, 0.5) * HEIGHT)
    for number, picture in enumerate(frames):
        picture[:lines] = sky if number < at else other
    return frames, [at]


KINDS = {
    "a cut between places that are half sky": half_empty,
    "a title or lower third": title_alone,
    "a counter of bits": counter,
    "a counter, and a cut": counter_and_cut,
    "a cut beneath a standing title": cut_under_title,
    "a cut after a title has come": cut_after_title,
    "a title that comes with the cut": title_with_cut,
    "cuts there and back, a title between": cuts_in_turn,
    "flashes": flashes,
    "a lamp switched": lamp,
    "a large near thing runs in": near_thing,
    "a dissolve": fades,
}


def judge(seed: int) -> dict[tuple[str, str], tuple[int, int, int]]:
    """For each detector and kind: cuts there were, cuts found, and false ones."""
    out = {}
    for number, (kind, draw) in enumerate(KINDS.items()):
        r = np.random.default_rng([seed, 311, number])
        frames, true = draw(r)
        frames = [noisy(frame, r, 1.5) for frame in frames]
        detectors = {"ours": ours}
        for name in ("content", "adaptive"):
            detectors[name] = lambda pictures, name=name: theirs(name, pictures)
        for name, detect in detectors.items():
            try:
                found = detect(frames)
            except ImportError:
                continue
            hit = sum(one in found for one in true)
            out[name, kind] = (len(true), hit, len(found) - hit)
    return out


def main() -> None:
    count, first = ([int(word) for word in sys.argv[1:]] + [8, 0][len(sys.argv) - 1 :])[:2]
    totals: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0, 0])
    clips: dict[tuple[str, str], int] = defaultdict(int)
    with ProcessPoolExecutor(2) as pool:
        for result in pool.map(judge, range(first, first + count)):
            for key, (true, hit, false) in result.items():
                totals[key] = [a + b for a, b in zip(totals[key], (true, hit, false), strict=True)]
                clips[key] += hit == true and not false
    names = list(dict.fromkeys(name for name, _ in totals))
    print(f"| what | {' | '.join(f'{name}: clips right, cuts found, false' for name in names)} |")
    print("|---|" + "---|" * len(names))
    for kind in KINDS:
        cells = []
        for name in names:
            true, hit, false = totals[name, kind]
            cells.append(f"{clips[name, kind]} of {count}, {hit} of {true}, {false}")
        print(f"| {kind} | {' | '.join(cells)} |")


if __name__ == "__main__":
    main()
