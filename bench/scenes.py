"""Scenes to measure in-betweens by, of twenty-two kinds, each from a seed; each can be drawn at any moment.

All but one are made of noise and shapes: nothing is fetched. The photographs are those that come with scikit-image,
where that is put into a folder of its own beforehand:

    .venv/bin/python -m pip install --target .data/photographs --no-deps scikit-image

A scene takes the moment in seconds and a raster, and gives a BGR picture.
"""

import math
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from oddmeter.demo.motion import shuttered, smoothed
from oddmeter.demo.scenes import Scene

Kind = Callable[[int], Scene]


def ground(
    seed: int, height: int, width: int, cells: tuple[int, ...] = (60, 22, 9, 4), depth: float = 1.0
) -> np.ndarray:
    """A surface with detail at many sizes, float32 about 120."""
    dice = np.random.default_rng(seed)
    total = np.zeros((height, width, 3), np.float32)
    for cell in cells:
        noise = dice.random((height // cell + 3, width // cell + 3, 3)).astype(np.float32) - 0.5
        total += cv2.resize(noise, (width, height), interpolation=cv2.INTER_CUBIC) * (20 + cell) * depth
    return 120 + total


def moved(
    picture: np.ndarray, matrix: np.ndarray, width: int, height: int, mode: int = cv2.BORDER_REFLECT
) -> np.ndarray:
    return cv2.warpAffine(
        picture, matrix[:2].astype(np.float64), (width, height), flags=cv2.INTER_CUBIC, borderMode=mode
    )


def shift(dx: float, dy: float) -> np.ndarray:
    return np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1]], float)


def about(x: float, y: float, angle: float, scale: float) -> np.ndarray:
    return np.vstack([cv2.getRotationMatrix2D((x, y), angle, scale), [0, 0, 1]])


def kept(make: Callable[[int, int], object]) -> Callable[[int, int], object]:
    found: dict[tuple[int, int], object] = {}
    return lambda width, height: found.setdefault((width, height), make(width, height))


def clipped(picture: np.ndarray) -> np.ndarray:
    return np.clip(picture, 0, 255).astype(np.uint8)


def panned(seed: int, speed: tuple[float, float], cells: tuple[int, ...] = (60, 22, 9, 4)) -> Scene:
    stone = kept(lambda w, h: ground(seed, int(1.6 * h), int(1.6 * w), cells))
    return lambda t, w, h: clipped(moved(stone(w, h), shift(-speed[0] * t * h, -speed[1] * t * h), w, h))


def pasted(below: np.ndarray, above: np.ndarray, mask: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    height, width = below.shape[:2]
    part = moved(mask, matrix, width, height, cv2.BORDER_CONSTANT)[..., None]
    return below * (1 - part) + moved(above, matrix, width, height) * part


def blob(side: int, dice: np.random.Generator) -> np.ndarray:
    mask = np.zeros((side, side), np.float32)
    corners = [
        (side / 2 + math.cos(a) * side * r, side / 2 + math.sin(a) * side * r)
        for a, r in zip(np.linspace(0, 2 * math.pi, 9)[:-1], dice.uniform(0.28, 0.48, 8), strict=True)
    ]
    return cv2.GaussianBlur(cv2.fillPoly(mask, [np.array(corners, np.int32)], 1.0), (0, 0), 0.8)


def crowd(seed: int, count: int, size: float, fast: float, like: bool, wander: float = 0.05) -> Scene:
    """Things of one size on their ways over a ground, which they look like or not."""
    dice = np.random.default_rng(seed)
    ways = dice.uniform(0, 1, (count, 2)), dice.uniform(-1, 1, (count, 2)) * fast, dice.uniform(0, 6, count)
    masks = [dice.integers(1 << 30) for _ in range(count)]

    def make(w: int, h: int) -> tuple[np.ndarray, list[tuple[np.ndarray, np.ndarray]]]:
        side = max(12, int(size * h))
        things = [
            (
                ground(m, side, side, (22, 9, 4)) + (0 if like else (m % 3 - 1) * 50),
                blob(side, np.random.default_rng(m)),
            )
            for m in masks
        ]
        return ground(seed, h, w), things

    both = kept(make)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, things = both(w, h)
        for (thing, mask), place, way, turn in zip(things, *ways, strict=True):
            x = place[0] * w + way[0] * t * h + wander * h * math.sin(3 * t + turn)
            y = place[1] * h + way[1] * t * h * 0.5 + wander * h * math.cos(2.6 * t + turn)
            side = mask.shape[0]
            picture = pasted(picture, thing, mask, shift((x % (w + side)) - side, (y % (h + side)) - side))
        return clipped(picture)

    return draw


def layers(seed: int) -> Scene:
    back, front = kept(lambda w, h: ground(seed, 2 * h, 2 * w)), kept(lambda w, h: ground(seed + 1, 2 * h, 2 * w) + 30)
    shape = kept(lambda w, h: (ground(seed + 2, 2 * h, 2 * w, (90,))[..., 0] > 128).astype(np.float32))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        below = moved(back(w, h), shift(-0.10 * t * h, 0), w, h)
        return clipped(pasted(below, front(w, h), cv2.GaussianBlur(shape(w, h), (0, 0), 1), shift(-0.45 * t * h, 0)))

    return draw


def fence(seed: int) -> Scene:
    back = kept(lambda w, h: ground(seed, h, 2 * w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = moved(back(w, h), shift(-0.08 * t * h, 0), w, h)
        places = (np.arange(w * 2, dtype=np.float32) / 2 + 0.35 * t * h) % (h / 14)
        bars = cv2.resize((places < h / 40).astype(np.float32)[None], (w, 1), interpolation=cv2.INTER_AREA)[..., None]
        return clipped(picture * (1 - bars) + 205 * bars)

    return draw


def lines(seed: int) -> Scene:
    dice = np.random.default_rng(seed)
    rays = dice.uniform(0, 1, (14, 4))
    back = kept(lambda w, h: ground(seed, h, w, (90, 40), 0.6))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = clipped(back(w, h)).copy()
        for x, y, angle, speed in rays:
            a, m = math.pi * angle + 0.5 * (speed - 0.5) * t, (x * w + (speed - 0.5) * 0.7 * t * h, y * h)
            ends = [(int((m[0] + s * math.cos(a) * h) * 16), int((m[1] + s * math.sin(a) * h) * 16)) for s in (-1, 1)]
            cv2.line(picture, *ends, (230, 230, 230), 1, cv2.LINE_AA, 4)
        return picture

    return draw


def sparks(seed: int) -> Scene:
    dice = np.random.default_rng(seed)
    each = dice.uniform(-1, 1, (60, 3))
    back = kept(lambda w, h: ground(seed, h, w, (90, 40), 0.4) * 0.4)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = clipped(back(w, h)).copy()
        for vx, vy, begins in each:
            age = (t + 2 + begins) % 1.2
            x, y = w / 2 + vx * age * h, h * 0.7 + (vy - 0.9) * age * h + 0.9 * age * age * h
            cv2.circle(picture, (int(x * 16), int(y * 16)), max(16, h // 45), (120, 200, 255), -1, cv2.LINE_AA, 4)
        return picture

    return draw


def turned(seed: int, spin: float, zoom: float) -> Scene:
    stone = kept(lambda w, h: ground(seed, 2 * h, 2 * h + w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        side = stone(w, h)
        turn = about(side.shape[1] / 2, side.shape[0] / 2, spin * t, math.exp(zoom * t))
        return clipped(moved(side, shift((w - side.shape[1]) / 2, (h - side.shape[0]) / 2) @ turn, w, h))

    return draw


def water(seed: int) -> Scene:
    stone = kept(lambda w, h: ground(seed, h, w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        y, x = np.mgrid[0:h, 0:w].astype(np.float32) / h
        across = sum(
            np.sin((7 + 5 * k) * (x * (1 - 0.3 * k) + y * (0.4 + 0.5 * k)) + (3 + 2 * k) * t + k) for k in range(4)
        )
        along = sum(np.cos((6 + 6 * k) * (y + x * (0.2 * k)) - (2.5 + 2 * k) * t + 2 * k) for k in range(4))
        picture = cv2.remap(
            stone(w, h),
            (x + 0.012 * across) * h,
            (y + 0.012 * along) * h,
            cv2.INTER_CUBIC,
            borderMode=cv2.BORDER_REFLECT,
        )
        return clipped(picture + (12 * across)[..., None])

    return draw


def hand_held(seed: int) -> Scene:
    stone = kept(lambda w, h: ground(seed, int(1.4 * h), int(1.4 * w)))
    p = np.random.default_rng(seed).uniform(0, 6, 6)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        x = 0.03 * math.sin(9 * t + p[0]) + 0.012 * math.sin(23 * t + p[1])
        y = 0.03 * math.sin(8 * t + p[2]) + 0.012 * math.sin(27 * t + p[3])
        turn = about(w * 0.7, h * 0.7, 1.2 * math.sin(7 * t + p[4]), 1)
        return clipped(moved(stone(w, h), shift((x - 0.15) * h, (y - 0.15) * h) @ turn, w, h))

    return draw


def grainy(seed: int) -> Scene:
    scene = panned(seed, (0.3, 0.1))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        noise = np.random.default_rng([seed, round(t * 10_000)]).normal(0, 5, (h, w, 1))
        return clipped(scene(t, w, h) + noise)

    return draw


def flash(seed: int) -> Scene:
    scene = panned(seed, (0.25, 0.1))
    return lambda t, w, h: clipped(scene(t, w, h) * (0.85 + 0.35 * math.sin(14 * t)))


def limbs(seed: int) -> Scene:
    back, skin = kept(lambda w, h: ground(seed, h, w)), kept(lambda w, h: ground(seed + 1, h, w, (22, 9, 4)) + 40)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = back(w, h)
        for number in range(4):
            a = 0.9 * math.sin(5 * t + number) + number
            m = (w * (0.2 + 0.2 * number), h * 0.3)
            elbow = (m[0] + math.sin(a) * h * 0.28, m[1] + math.cos(a) * h * 0.28)
            b = a + 0.8 * math.sin(6 * t + 2 * number)
            hand = (elbow[0] + math.sin(b) * h * 0.26, elbow[1] + math.cos(b) * h * 0.26)
            mask = np.zeros((h, w), np.uint8)
            for p, q in ((m, elbow), (elbow, hand)):
                ends = [(int(c[0] * 16), int(c[1] * 16)) for c in (p, q)]
                cv2.line(mask, *ends, 255, max(6, h // 14), cv2.LINE_AA, 4)
            part = mask[..., None] / np.float32(255)
            picture = picture * (1 - part) + moved(skin(w, h), shift(hand[0] / 3, hand[1] / 3), w, h) * part
        return clipped(picture)

    return draw


def credits(seed: int) -> Scene:
    back = kept(lambda w, h: ground(seed, h, w, (90, 40), 0.8) * 0.5)

    def sheet(w: int, h: int) -> np.ndarray:
        page = np.zeros((3 * h, w), np.uint8)
        dice = np.random.default_rng(seed)
        for row in range(h // 12, 3 * h, max(10, h // 15)):
            words = "".join(dice.choice(list("abcdefghiklmnoprstuvy  "), 30))
            cv2.putText(
                page, words, (w // 6, row), cv2.FONT_HERSHEY_SIMPLEX, h / 900, 255, max(1, h // 400), cv2.LINE_AA
            )
        return page.astype(np.float32) / 255

    page = kept(sheet)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        part = moved(page(w, h), shift(0, -0.3 * t * h), w, h)[..., None]
        return clipped(back(w, h) * (1 - part) + 235 * part)

    return draw


PHOTOGRAPHS = Path(__file__).parent.parent / ".data/photographs/skimage/data"
_NAMES = ("chelsea", "coffee", "motorcycle_left", "brick", "gravel", "grass", "rocket", "hubble_deep_field")


def photographs(seed: int) -> Scene:
    """One photograph on its way across, turning and growing, over another one. What is shown smaller than it is was
    brought down to that size first, as a lens and a sensor would take it."""
    dice = np.random.default_rng(seed)
    names = dice.choice(_NAMES, 2, replace=False)
    taken = [cv2.imread(str(next(PHOTOGRAPHS.glob(f"{name}.*")))).astype(np.float32) for name in names]
    speed, spin, zoom = dice.uniform(-0.4, 0.4, (2, 2)), dice.uniform(-8, 8, 2), dice.uniform(-0.25, 0.25, 2)

    def brought_down(w: int, h: int) -> list[tuple[np.ndarray, float]]:
        found = []
        for picture, size in zip(taken, (1.4, 0.45), strict=True):
            scale = size * max(w / picture.shape[1], h / picture.shape[0])
            down = min(1.0, scale)
            small = cv2.resize(picture, None, fx=down, fy=down, interpolation=cv2.INTER_AREA)
            found.append((small, scale / down))
        return found

    def placed(picture: np.ndarray, number: int, t: float, w: int, h: int, scale: float) -> np.ndarray:
        rows, columns = picture.shape[:2]
        turn = about(columns / 2, rows / 2, spin[number] * t, scale * math.exp(zoom[number] * t))
        x, y = w / 2 - columns / 2 + speed[number, 0] * t * h, h / 2 - rows / 2 + speed[number, 1] * t * h
        return shift(x, y) @ turn

    sized = kept(brought_down)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        (back, larger), (front, smaller) = sized(w, h)
        picture = moved(back, placed(back, 0, t, w, h, larger), w, h)
        mask = np.ones(front.shape[:2], np.float32)
        return clipped(pasted(picture, front, mask, placed(front, 1, t, w, h, smaller)))

    return draw


KINDS: dict[str, Kind] = {
    "layers": layers,
    "fence": fence,
    "thin lines": lines,
    "sparks": sparks,
    "rotation": lambda seed: turned(seed, 40, 0),
    "zoom": lambda seed: turned(seed, 0, 0.6),
    "water": water,
    "hand-held": hand_held,
    "grain": grainy,
    "flash": flash,
    "limbs": limbs,
    "credits": credits,
    "crowd": lambda seed: crowd(seed, 24, 0.14, 0.25, like=False),
    "far movers": lambda seed: crowd(seed, 5, 0.12, 1.3, like=True, wander=0),
    "crossing": lambda seed: crowd(seed, 5, 0.45, 0.5, like=False),
    "whip pan": lambda seed: panned(seed, (2.2, 0.1)),
    "out of focus": lambda seed: panned(seed, (0.4, 0.2), (90, 50)),
    "motion blur": lambda seed: shuttered(panned(seed, (0.8, 0.3)), 1 / 50, 6),
    "fine detail": lambda seed: smoothed(panned(seed, (0.23, 0.11), (6, 3, 2))),
    "interlaced": lambda seed: crowd(seed, 12, 0.2, 0.3, like=False),
    "10 bit": layers,
    "photographs": photographs,
}
"""By name."""
FORMS = {"10 bit": "yuv420p10le"}
"""The pixel format of what is not 4:2:0 of 8 bit."""
ONE_FIELD = {"interlaced"}
"""Of these a single field of each frame is given, as what was interlaced and made into pictures has it."""
