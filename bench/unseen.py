"""Ten kinds of scene that nothing was tuned on: written after all of Flow's numbers were settled, to measure it by.
When something is tuned on them, they go to ``bench/further.py``, and others take their place."""

import math

import cv2
import numpy as np

from bench.scenes import Kind, about, clipped, ground, kept, moved, pasted, shift
from oddmeter.demo.scenes import Scene


def rain(seed: int) -> Scene:
    """Thin bright streaks that fall fast before ground that stands."""
    drops = np.random.default_rng(seed).uniform(0, 1, (90, 3))
    stone = kept(lambda w, h: ground(seed, h, w) * 0.7)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, streaks = stone(w, h), np.zeros((h, w), np.uint8)
        for x, y, near in drops:
            top = ((y + (1.5 + near) * t) % 1.2 - 0.1) * h
            ends = (x * w, top), (x * w + 0.01 * h, top + (0.04 + 0.05 * near) * h)
            cv2.line(streaks, *((int(a * 16), int(b * 16)) for a, b in ends), 255, max(1, h // 360), cv2.LINE_AA, 4)
        part = cv2.GaussianBlur(streaks, (0, 0), h / 700)[..., None].astype(np.float32) / 400
        return clipped(picture * (1 - part) + 240 * part)

    return draw


def curtain(seed: int) -> Scene:
    """Folds of woven cloth, which run sideways through it and press its threads together."""
    cloth = kept(lambda w, h: ground(seed, h, 2 * w, (40, 8, 4)))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        phase = 2 * math.pi * (x / (0.25 * h) - 0.8 * t + 0.1 * np.sin(4 * y / h + t))
        found = cv2.remap(cloth(w, h), x + w / 2 + 0.02 * h * np.sin(phase), y, cv2.INTER_CUBIC)
        return clipped(found * (0.8 + 0.2 * np.cos(phase))[..., None])

    return draw


def carousel(seed: int) -> Scene:
    """Boards on a round that turns, which come near, grow and hide each other."""
    dice = np.random.default_rng(seed)
    begins = float(dice.uniform(0, 6))
    grounds = kept(lambda w, h: [ground(seed + n, h // 3, h // 4) + 12 * n - 40 for n in range(1, 7)])
    stone = kept(lambda w, h: ground(seed, h, w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, boards = stone(w, h), grounds(w, h)
        mask = np.ones(boards[0].shape[:2], np.float32)
        angles = [begins + 1.2 * t + 2 * math.pi * n / 6 for n in range(6)]
        for n in sorted(range(6), key=lambda n: math.sin(angles[n])):
            size = 0.9 + 0.35 * math.sin(angles[n])
            x, y = w / 2 + 0.6 * h * math.cos(angles[n]), 0.45 * h + 0.12 * h * math.sin(angles[n])
            place = shift(x, y) @ np.diag([size, size, 1]) @ shift(-mask.shape[1] / 2, -mask.shape[0] / 2)
            picture = pasted(picture, boards[n], mask, place)
        return clipped(picture)

    return draw


def doors(seed: int) -> Scene:
    """Two doors that slide apart before what goes upwards behind them."""
    parts = kept(lambda w, h: (ground(seed, 2 * h, w), ground(seed + 1, h, w) + 20))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        behind, door = parts(w, h)
        picture, open_by = moved(behind, shift(0, -0.2 * t * h), w, h), (0.1 + 0.35 * t) * h
        x = np.arange(w, dtype=np.float32)
        for side in (-1, 1):
            part = np.clip(side * (x - w / 2) - open_by + 0.5, 0, 1)[None, :, None]
            picture = picture * (1 - part) + moved(door, shift(side * open_by, 0), w, h) * part
        return clipped(picture)

    return draw


def smoke(seed: int) -> Scene:
    """Grey clouds that rise, widen and thin out before ground that stands."""
    puffs = np.random.default_rng(seed).uniform(0, 1, (14, 4))
    parts = kept(lambda w, h: (ground(seed, h, w), [ground(seed + n, 64, 64, (22, 9))[..., 0] for n in range(14)]))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, grains = parts(w, h)
        y, x = np.mgrid[-1:1:64j, -1:1:64j].astype(np.float32)
        disc = np.clip(1 - x * x - y * y, 0, 1)
        for (across, begun, wide, way), grain in zip(puffs, grains, strict=True):
            age = (begun + 0.3 * t) % 1
            size = (0.1 + 0.1 * wide + 0.25 * age) * h / 64
            place = shift(across * w + 0.1 * way * age * h, (1 - age) * h) @ np.diag([size, size, 1]) @ shift(-32, -32)
            thick = disc * np.clip(grain / 120, 0, 1.3) * 0.6 * (1 - age) * min(1, 6 * age)
            part = moved(thick, place, w, h, cv2.BORDER_CONSTANT)[..., None]
            picture = picture * (1 - part) + 190 * part
        return clipped(picture)

    return draw


def pen(seed: int) -> Scene:
    """A line that is being written, which is not there before the pen's tip has come by."""
    waves = np.random.default_rng(seed).uniform(1, 4, 4)
    paper = kept(lambda w, h: ground(seed, h, w, (60, 9), 0.4) + 70)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        s = np.linspace(0, t, max(2, int(400 * t)))
        x = 0.1 * w + 0.5 * h * s + 0.05 * h * np.sin(7 * waves[0] * s)
        y = h / 2 + 0.15 * h * np.sin(3 * waves[1] * s) + 0.06 * h * np.sin(9 * waves[2] * s + waves[3])
        picture, line = clipped(paper(w, h)).copy(), (np.stack([x, y], 1) * 16).astype(np.int32)
        cv2.polylines(picture, [line], False, (60, 30, 20), max(2, h // 120), cv2.LINE_AA, 4)
        shaft = line[-1] + np.array([8 * h, -6 * h], np.int32) // 2
        cv2.line(picture, tuple(map(int, line[-1])), tuple(map(int, shaft)), (30, 60, 150), h // 30, cv2.LINE_AA, 4)
        return picture

    return draw


def fan(seed: int) -> Scene:
    """Five blades that turn fast behind a grille that stands."""
    parts = kept(lambda w, h: (ground(seed, h, w), ground(seed + 1, h, h) - 40))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, paint = parts(w, h)
        mask = np.zeros((h, h), np.uint8)
        for blade in range(5):
            a = 72 * blade + 400 * t
            cv2.ellipse(mask, (h // 2, h // 2), (int(0.42 * h),) * 2, a, 0, 30, 255, -1, cv2.LINE_AA)
        turned = moved(paint, about(h / 2, h / 2, -400 * t, 1), h, h)
        picture = pasted(picture, turned, mask.astype(np.float32) / 255, shift((w - h) / 2, 0))
        picture[:: max(8, h // 24)] = 60
        return clipped(picture)

    return draw


def lights(seed: int) -> Scene:
    """Lamps out of focus, whose light adds up, at three depths while the camera goes by."""
    lamps = np.random.default_rng(seed).uniform(0, 1, (60, 3))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = np.full((h, w, 3), 18, np.float32)
        for n, (x, y, near) in enumerate(lamps):
            disc = np.zeros((h, w), np.uint8)
            at = ((x * 1.4 - 0.2) * w - (0.1 + 0.3 * near) * t * h) * 16, y * h * 16
            cv2.circle(disc, tuple(map(int, at)), int((0.02 + 0.05 * near) * h * 16), 255, -1, cv2.LINE_AA, 4)
            picture += disc[..., None] * np.float32([(0.15, 0.3, 0.5), (0.5, 0.3, 0.1), (0.3, 0.35, 0.4)][n % 3])
        return clipped(cv2.GaussianBlur(picture, (0, 0), h / 400))

    return draw


def weave(seed: int) -> Scene:
    """Old film: a pan that the gate shakes, with scratches and dust of each picture's own."""
    stone = kept(lambda w, h: ground(seed, int(1.2 * h), int(1.5 * w)))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        dice = np.random.default_rng([seed, round(t * 1000)])
        x, y = dice.normal(0, h / 900, 2)
        picture = clipped(moved(stone(w, h), shift(-0.15 * t * h + x, -0.05 * h + y), w, h)).copy()
        for _ in range(12):
            at = int(dice.uniform(0, w)), int(dice.uniform(0, h))
            cv2.circle(picture, at, max(1, int(dice.uniform(0, h / 150))), (20, 20, 20), -1, cv2.LINE_AA)
        column = int(w * (0.3 + 0.02 * math.sin(9 * t)))
        cv2.line(picture, (column, 0), (column + h // 90, h), (210, 210, 210), 1, cv2.LINE_AA)
        return picture

    return draw


def river(seed: int) -> Scene:
    """Water that runs between banks, fastest in its middle, and glitters."""
    parts = kept(lambda w, h: (ground(seed, h, w), ground(seed + 1, h, 4 * w, (40, 12, 5))))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        bank, water = parts(w, h)
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        across = (y / h - 0.5) / 0.3 + 0.1 * np.sin(3 * x / h)
        speed = np.clip(1 - across * across, 0, 1)
        found = cv2.remap(water, x + 1.5 * w - 0.35 * h * t * speed, y, cv2.INTER_CUBIC)
        glitter = np.clip(found[..., :1] - 150, 0, 60) * np.float32(1 + math.sin(11 * t))
        part = np.clip((1 - np.abs(across)) * 0.15 * h, 0, 1)[..., None]
        return clipped(bank * (1 - part) + (found * 0.8 + glitter) * part)

    return draw


UNSEEN_KINDS: dict[str, Kind] = {
    "rain": rain, "curtain": curtain, "carousel": carousel, "doors": doors, "smoke": smoke, "pen": pen, "fan": fan,
    "lights": lights, "weave": weave, "river": river,
}  # fmt: skip
"""By name."""
