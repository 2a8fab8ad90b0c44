"""Ten more kinds of scene, on which nothing had been tuned when they were written; since then, something was."""

import math

import cv2
import numpy as np

from bench.scenes import Kind, about, blob, clipped, ground, kept, moved, pasted, shift
from oddmeter.demo.scenes import Scene


def snow(seed: int) -> Scene:
    """Soft flakes at many depths before ground that pans."""
    flakes = np.random.default_rng(seed).uniform(0, 1, (160, 4))
    stone = kept(lambda w, h: ground(seed, h, int(1.3 * w)) * 0.6)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture = clipped(moved(stone(w, h), shift(-0.05 * t * h, 0), w, h)).copy()
        for x, y, near, turn in flakes:
            at = (x * w + 0.03 * h * math.sin(2 * t + 6 * turn)) % w, (y * h + (0.1 + 0.4 * near) * t * h) % h
            cv2.circle(picture, (int(at[0] * 16), int(at[1] * 16)), int((0.5 + near) * h / 8), (235,) * 3, -1, 16, 4)
        return picture

    return draw


def reflections(seed: int) -> Scene:
    """Two surfaces seen through each other, on their own ways."""
    both = kept(lambda w, h: (ground(seed, 2 * h, 2 * w), ground(seed + 1, 2 * h, 2 * w)))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        near, far = both(w, h)
        behind = moved(far, shift(-0.25 * t * h, -0.05 * t * h), w, h)
        return clipped(0.65 * moved(near, shift(-0.6 * h + 0.15 * t * h, 0), w, h) + 0.35 * behind)

    return draw


def shadow(seed: int) -> Scene:
    """Soft shadows on their way over ground that stands."""
    stone = kept(lambda w, h: ground(seed, h, w))
    shades = kept(lambda w, h: cv2.GaussianBlur(ground(seed + 1, h, 3 * w, (h // 5,))[..., 0], (0, 0), h / 60))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        shade = moved(shades(w, h), shift(-0.5 * t * h, 0), w, h)
        return clipped(stone(w, h) * np.clip(0.7 + (shade - 120) / 60, 0.4, 1)[..., None])

    return draw


def wheel(seed: int) -> Scene:
    """A wheel of twelve spokes that rolls over ground."""
    stone = kept(lambda w, h: ground(seed, h, w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, x, y, rim = clipped(stone(w, h)).copy(), w / 2 + 0.2 * t * h, h / 2, 0.35 * h
        cv2.circle(picture, (int(x * 16), int(y * 16)), int(rim * 16), (40, 50, 60), max(3, h // 40), 16, 4)
        for spoke in range(12):
            a = 2 * math.pi * spoke / 12 + 0.2 * t / 0.35
            ends = int((x + rim * math.cos(a)) * 16), int((y + rim * math.sin(a)) * 16)
            cv2.line(picture, (int(x * 16), int(y * 16)), ends, (60, 70, 80), max(2, h // 90), 16, 4)
        return picture

    return draw


def flag(seed: int) -> Scene:
    """Cloth in the wind before ground."""
    stone = kept(lambda w, h: (ground(seed, h, w), ground(seed + 1, h, w, (40, 12)) + np.float32([40, -20, -30])))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        back, cloth = stone(w, h)
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        wave = np.sin(9 * x / h - 7 * t) + 0.5 * np.sin(17 * x / h - 11 * t + 3 * y / h)
        swing = 0.02 * h * wave * np.clip(x / w, 0, 1)
        found = cv2.remap(cloth, x + 0.4 * swing, y + swing, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        part = np.clip(0.3 * h - np.abs(y + swing - h / 2), 0, 1) * np.clip(0.8 * w - x, 0, 1)
        return clipped(back * (1 - part[..., None]) + (found + 10 * wave[..., None]) * part[..., None])

    return draw


def road(seed: int) -> Scene:
    """A plain that comes towards whoever looks, under a sky."""
    stone = kept(lambda w, h: ground(seed, 6 * h, 2 * w))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        far = 2.5 * h - 1.2 * t * h
        ends = np.float32([[0.8 * w, far], [1.2 * w, far], [1.4 * w, far + 2.5 * h], [0.6 * w, far + 2.5 * h]])
        seen = np.float32([[0, 0.45 * h], [w, 0.45 * h], [w, h], [0, h]])
        plain = cv2.warpPerspective(stone(w, h), cv2.getPerspectiveTransform(ends, seen), (w, h), flags=cv2.INTER_AREA)
        return clipped(np.where(np.arange(h)[:, None, None] < 0.45 * h, np.float32(190), plain))

    return draw


def embers(seed: int) -> Scene:
    """What glows up and dies down in its place, and goes nowhere."""
    coals = kept(lambda w, h: [ground(seed + n, h, w, (60, 22, 9)) - 120 for n in range(4)])

    def draw(t: float, w: int, h: int) -> np.ndarray:
        shares = [math.sin((3 + 2 * n) * t + n) for n in range(4)]
        return clipped(110 + sum(share * coal for share, coal in zip(shares, coals(w, h), strict=True)))

    return draw


def ticker(seed: int) -> Scene:
    """Words that run across fast before ground that stands."""
    stone = kept(lambda w, h: ground(seed, h, w))

    def strip(w: int, h: int) -> np.ndarray:
        page, dice = np.zeros((h // 6, 4 * w), np.uint8), np.random.default_rng(seed)
        words = "".join(dice.choice(list("abcdefghiklmnoprstuvy  "), 80))
        cv2.putText(page, words, (0, h // 9), cv2.FONT_HERSHEY_SIMPLEX, h / 300, 255, max(1, h // 150), cv2.LINE_AA)
        return page.astype(np.float32) / 255

    band = kept(strip)

    def draw(t: float, w: int, h: int) -> np.ndarray:
        mask = moved(band(w, h), shift(-0.7 * t * h, 0), w, h // 6, cv2.BORDER_CONSTANT)[..., None]
        picture = stone(w, h).copy()
        lines = slice(3 * h // 4, 3 * h // 4 + h // 6)
        picture[lines] = picture[lines] * 0.4 * (1 - mask) + 230 * mask
        return clipped(picture)

    return draw


def train(seed: int) -> Scene:
    """A landscape from a window: five depths, the nearest the fastest."""
    dice = np.random.default_rng(seed)
    ridges = dice.uniform(0, 6, (5, 3))
    depths = kept(lambda w, h: [ground(seed + n, h, 3 * w) + 25 * (n % 3 - 1) for n in range(5)])

    def draw(t: float, w: int, h: int) -> np.ndarray:
        picture, x = np.full((h, w, 3), 200, np.float32), np.arange(w, dtype=np.float32)
        y = np.arange(h, dtype=np.float32)[:, None]
        for number, ridge in enumerate(ridges):
            gone = 0.03 * 2.2**number * t * h
            top = h * (0.3 + 0.14 * number) + 0.05 * h * sum(
                np.sin((2 + 3 * k) * (x + gone) / h + ridge[k]) for k in range(3)
            )
            part = np.clip(y - top, 0, 1)[..., None]
            picture = picture * (1 - part) + moved(depths(w, h)[number], shift(-gone, 0), w, h) * part
        return clipped(picture)

    return draw


def rack_focus(seed: int) -> Scene:
    """Focus that goes from a thing to the ground behind it, while both move."""
    things = kept(lambda w, h: (ground(seed, h, int(1.5 * w)), ground(seed + 1, h // 2, h // 2) + 30))
    shape = kept(lambda w, h: blob(h // 2, np.random.default_rng(seed)))

    def draw(t: float, w: int, h: int) -> np.ndarray:
        back, thing = things(w, h)
        behind, before = (h / 300 * (1 + math.sin(2 * t + way)) + 0.1 for way in (0.0, math.pi))
        picture = cv2.GaussianBlur(moved(back, shift(-0.15 * t * h, 0), w, h), (0, 0), behind)
        place = shift(0.2 * w + 0.3 * t * h, h / 4) @ about(h / 4, h / 4, 8 * t, 1)
        mask = cv2.GaussianBlur(shape(w, h), (0, 0), before)
        return clipped(pasted(picture, cv2.GaussianBlur(thing, (0, 0), before), mask, place))

    return draw


FURTHER_KINDS: dict[str, Kind] = {
    "snow": snow, "reflections": reflections, "shadow": shadow, "wheel": wheel, "flag": flag, "road": road,
    "embers": embers, "ticker": ticker, "train": train, "rack focus": rack_focus,
}  # fmt: skip
"""By name."""
