"""The frame-number code survives what footage goes through, and never tells a wrong number."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.demo import scenes
from oddmeter.demo.footage import frame_picture
from oddmeter.demo.framecode import read, stamp
from oddmeter.demo.takes import TAKES


@given(st.integers(0, 65535), st.sampled_from([(640, 360), (720, 576), (720, 480), (1920, 1080)]))
def test_a_number_reads_back_at_any_raster(number: int, size: tuple[int, int]) -> None:
    picture = np.full((size[1], size[0], 3), 90, np.uint8)
    stamp(picture, number)
    assert read(picture) == number


@pytest.mark.parametrize("number", [0, 1, 77, 300, 599])
def test_it_survives_half_size_and_heavy_compression(number: int) -> None:
    picture = scenes.quay(number / 25, 640, 360)
    stamp(picture, number)
    half = cv2.resize(picture, (320, 180), interpolation=cv2.INTER_AREA)
    _, squeezed = cv2.imencode(".jpg", half, [cv2.IMWRITE_JPEG_QUALITY, 40])
    assert read(np.asarray(cv2.imdecode(squeezed, cv2.IMREAD_COLOR), np.uint8)) == number


def test_a_picture_without_code_tells_no_number() -> None:
    assert read(scenes.boat(1.0, 640, 360)) is None
    damaged = frame_picture(TAKES[0], 55)
    damaged[-24:-12, 20:90] = 255 - damaged[-24:-12, 20:90]
    assert read(damaged) is None


def test_the_bell_swings_in_the_time_that_gravity_gives() -> None:
    """0.9 m let go at 0.7 rad: 2π√(l/g) · (1 + θ²/16 + 11θ⁴/3072) ≈ 1.964 s."""
    angles = scenes._pendulum()
    crossings = np.flatnonzero((angles[:-1] > 0) & (angles[1:] <= 0))
    assert np.diff(crossings).mean() / 1000 == pytest.approx(1.964, abs=0.005)
