"""Scenes to judge in-betweens by: each can be drawn at any moment, so the true picture between two frames is known.

Some are scenes of The Tide Bell; the others hold what defeats motion estimation: turning texture, things that cross,
and the blur of a long shutter.
"""

import math
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from oddmeter.demo.framecode import Picture
from oddmeter.demo.scenes import Scene, bell, quay, sparks


@lru_cache(maxsize=8)
def _rubble(seed: int, width: int, height: int) -> Picture:
    """A surface with detail at every size, like rough stone."""
    rng = np.random.default_rng(seed)
    total: npt.NDArray[np.float32] = np.zeros((height, width, 3), np.float32)
    for cell in (64, 24, 10, 4):
        noise = rng.random((height // cell + 2, width // cell + 2, 3)).astype(np.float32) - 0.5
        drawn = cv2.resize(noise, (width, height), interpolation=cv2.INTER_CUBIC)
        total = total + np.asarray(drawn, np.float32) * np.float32(24 + cell)
    return np.clip(118 + total, 0, 255).astype(np.uint8)


def turning(t: float, width: int, height: int) -> Picture:
    """Rough stone turning about the middle, forty degrees a second."""
    side = math.ceil(math.hypot(width, height)) + 2
    stone = _rubble(5, side, side)
    turn = cv2.getRotationMatrix2D((side / 2, side / 2), 40 * t, 1)
    turn[:, 2] += np.array(((width - side) / 2, (height - side) / 2))
    return cv2.warpAffine(stone, turn, (width, height), flags=cv2.INTER_CUBIC).astype(np.uint8)


def crossing(t: float, width: int, height: int) -> Picture:
    """Three stone slabs that pass before each other and before a wall, each on its way at its own speed."""
    picture = _rubble(8, width, height).copy()
    lanes = ((0.10, 0.36, 0.55, 0.30), (1.50, -0.42, 0.30, 0.36), (0.75, 0.12, 0.62, 0.22))
    for number, (start, speed, top, size) in enumerate(lanes):
        slab = _rubble(20 + number, int(size * height * 1.4), int(size * height))
        tinted = np.clip(slab.astype(np.int16) + ((40, -20, -30), (-30, 30, 0), (-20, -10, 50))[number], 0, 255)
        place = np.array([[1, 0, (start + speed * t) * height], [0, 1, (top - 0.05 * t) * height]], np.float32)
        shape = np.full(slab.shape[:2], 255, np.uint8)
        moved = cv2.warpAffine(tinted.astype(np.uint8), place, (width, height), flags=cv2.INTER_LINEAR)
        alpha = cv2.warpAffine(shape, place, (width, height), flags=cv2.INTER_LINEAR)[..., None] / np.float32(255)
        picture = np.asarray(picture * (1 - alpha) + moved * alpha, np.uint8)
    return picture


def smoothed(scene: Scene) -> Scene:
    """The same scene drawn at twice the size and brought down, as a lens and a sensor would take it: edges lie between
    pixels wherever they do."""

    def smooth(t: float, width: int, height: int) -> Picture:
        large = scene(t, 2 * width, 2 * height)
        return np.asarray(cv2.resize(large, (width, height), interpolation=cv2.INTER_AREA), np.uint8)

    return smooth


def shuttered(scene: Scene, shutter: float, moments: int = 12) -> Scene:
    """The same scene through a shutter that stays open for ``shutter`` seconds."""

    def blurred(t: float, width: int, height: int) -> Picture:
        total: npt.NDArray[np.float32] = np.zeros((height, width, 3), np.float32)
        for i in range(moments):
            total = total + np.asarray(scene(t + shutter * (i / moments - 0.5), width, height), np.float32)
        return (total / moments).astype(np.uint8)

    return blurred


MOTION: dict[str, Scene] = {
    "textured pan": smoothed(quay),
    "rotation": smoothed(turning),
    "crossing objects": smoothed(crossing),
    "swinging bell": smoothed(bell),
    "sparks": smoothed(sparks),
    "blur": shuttered(smoothed(bell), 1 / 50),
}
"""By name, the scenes of the bench and of the tests."""
