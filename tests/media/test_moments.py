"""Moments of the action, in pictures that are drawn so that every one is known."""

import math
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from av.video.frame import VideoFrame

from oddmeter.media.analysis.moments import MomentKind, moments_of

RATE = 50
Place = Callable[[int], float]


def drawn(place: Place, frames: int = 200, pan: float = 0.0, noise: float = 0.0) -> Iterator[VideoFrame]:
    """A disc that stands at a place across the picture, before ground that the camera pans over."""
    dice = np.random.default_rng(3)
    ground = cv2.GaussianBlur(dice.integers(60, 200, (180, 1200), dtype=np.uint8), (0, 0), 4)
    ground = cv2.normalize(ground, np.zeros_like(ground), 60, 200, cv2.NORM_MINMAX)
    for frame in range(frames):
        shift = np.array([[1, 0, -pan * frame], [0, 1, 0]], np.float32)
        picture = cv2.warpAffine(ground, shift, (320, 180))
        cv2.circle(picture, (round(place(frame) * 16), 90 * 16), 30 * 16, 250, -1, cv2.LINE_AA, 4)
        cv2.circle(picture, (round(place(frame) * 16), 90 * 16), 12 * 16, 20, -1, cv2.LINE_AA, 4)
        if noise:
            picture = np.clip(picture + dice.normal(0, noise, picture.shape), 0, 255).astype(np.uint8)
        yield VideoFrame.from_ndarray(np.asarray(picture, np.uint8), format="gray")


def found(frames: Iterator[VideoFrame], kind: MomentKind) -> list[int]:
    return [moment.frame for moment in moments_of(frames, RATE) if moment.kind is kind]


def near(found: list[int], true: list[int], within: int) -> bool:
    return len(found) == len(true) and all(abs(a - b) <= within for a, b in zip(found, true, strict=True))


def across(frame: int) -> float:
    """Rest, then on at an even speed from frame 60 to frame 120, then rest."""
    return 60 + 3 * min(max(frame - 60, 0), 60)


def swinging(frame: int) -> float:
    """A pendulum of 80 frames, at its ends at frames 20, 60, 100, 140 and 180, fastest between them."""
    return 160 + 90 * math.sin(math.tau * frame / 80)


def test_the_start_and_the_stop_of_a_motion() -> None:
    assert near(found(drawn(across), MomentKind.START), [61], 1)
    assert near(found(drawn(across), MomentKind.STOP), [120], 1)
    assert found(drawn(across), MomentKind.TURN) == []


def test_a_pendulum_turns_at_its_ends_and_peaks_between_them() -> None:
    assert near(found(drawn(swinging), MomentKind.TURN), [20, 60, 100, 140, 180], 1)
    assert near(found(drawn(swinging), MomentKind.PEAK), [40, 80, 120, 160], 3)


def test_noise_and_a_moving_camera_are_not_the_action() -> None:
    assert moments_of(drawn(lambda _: 160, noise=6), RATE) == []
    still = drawn(lambda frame: 160.0, pan=1.5)
    assert [one for one in moments_of(still, RATE) if one.kind is MomentKind.TURN] == []
    assert near(found(drawn(swinging, noise=6), MomentKind.TURN), [20, 60, 100, 140, 180], 1)
    assert near(found(drawn(swinging, pan=1.0), MomentKind.TURN), [20, 60, 100, 140, 180], 2)


def test_nothing_moves_where_nothing_is() -> None:
    assert moments_of(iter([]), RATE) == []
    assert moments_of(drawn(lambda _: 100.0, 40), RATE) == []
