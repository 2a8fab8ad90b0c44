"""The numbers that pixels are reduced to."""

import numpy as np
import pytest
from av.video.frame import VideoFrame
from hypothesis import given, settings
from hypothesis import strategies as st

from oddmeter.demo import scenes
from oddmeter.media.analysis.measures import Meter, blocks, fine_blocks


def grey(picture: np.ndarray) -> VideoFrame:
    return VideoFrame.from_ndarray(np.ascontiguousarray(picture.astype(np.uint8)), format="gray")


@given(st.integers(16, 200), st.integers(8, 300), st.integers(0, 255))
@settings(max_examples=25)
def test_a_flat_picture_is_flat_in_both_fields(height: int, width: int, level: int) -> None:
    upper, lower = blocks(grey(np.full((height, width), level)))
    assert upper.shape == lower.shape and np.all(upper == level) and np.all(lower == level)


@given(st.floats(-1.5, 1.5), st.floats(-0.5, 0.5))
@settings(max_examples=25)
def test_a_still_slope_is_the_same_in_both_fields(down: float, across: float) -> None:
    y, x = np.mgrid[0:64, 0:96]
    upper, lower = blocks(grey(np.clip(128 + down * (y - 32) + across * (x - 48), 0, 255)))
    assert np.abs(upper - lower).max() <= 1.5, "both means lie at the same height"


def test_depth_and_line_padding_make_no_difference() -> None:
    picture = scenes.quay(1.0, 722, 482)
    eight = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
    ten = eight.reformat(format="yuv420p10le")
    assert np.abs(blocks(eight) - blocks(ten)).max() < 2.5
    assert np.abs(fine_blocks(eight) - fine_blocks(ten)).max() < 2.5


@pytest.mark.parametrize("cut", [1, 7, 19])
def test_measuring_in_chunks_gives_the_same_numbers(cut: int) -> None:
    frames = [grey(scenes.sparks(n / 50, 320, 180).mean(axis=2)) for n in range(20)]
    whole, first = Meter(), Meter()
    for frame in frames:
        whole.push(frame)
    for frame in frames[:cut]:
        first.push(frame)
    second = first.following()
    for frame in frames[cut:]:
        second.push(frame)
    all_of_it, rest = whole.measures(), second.measures()
    assert (rest.first_frame, len(rest)) == (cut, 20 - cut)
    for name in ("bands", "energies", "change", "over", "unexplained"):
        assert np.array_equal(getattr(all_of_it, name)[cut:], getattr(rest, name)), name
    assert np.array_equal(all_of_it.regions[cut:], rest.regions)
    assert len(all_of_it.first(5)) == 5


def test_nothing_but_what_moved_is_measured() -> None:
    base = np.full((180, 320), 90)
    moved = base.copy()
    moved[40:64, 100:140] = 200
    meter = Meter()
    for picture in (base, base, moved, moved):
        meter.push(grey(picture))
    found = meter.measures()
    assert found.motion[1] == 0 and found.motion[3] == 0 and found.motion[2] > 300
    assert found.inside[2] < 40, "both fields hold the same moment"
    assert 0 < (found.regions[2] > 0).sum() <= 8, "only parts around it changed"


def test_a_change_of_raster_in_the_middle_starts_afresh() -> None:
    meter = Meter()
    for size in ((180, 320), (180, 320), (96, 128), (96, 128)):
        meter.push(grey(np.full(size, 90)))
    assert len(meter.measures()) == 4
