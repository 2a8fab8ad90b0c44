"""What headers and timestamps say beside each other."""

from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.evidence.claims import claims_of
from oddmeter.core.evidence.facts import MOST_INTERVALS, Timing
from oddmeter.core.evidence.verdicts import Certainty, Question, verdicts
from oddmeter.media.files.probe import probe
from oddmeter.media.files.timestamps import duplicates, gaps, intervals

CLOCK = Fraction(1, 90_000)


def write(path: Path, ticks: list[int], metadata: dict[str, str] | None = None, rate: int = 30) -> Path:
    with av.open(str(path), "w", options={"movflags": "use_metadata_tags"} if metadata else {}) as container:
        for key, value in (metadata or {}).items():
            container.metadata[key] = value
        stream = container.add_stream("libx264", rate=rate)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        stream.codec_context.time_base = CLOCK
        for number, tick in enumerate(ticks):
            frame = VideoFrame.from_ndarray(np.full((48, 64, 3), number % 250, np.uint8), format="rgb24")
            frame = frame.reformat(format="yuv420p")
            frame.pts, frame.time_base = tick, CLOCK
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(
    ("key", "value", "rate"),
    [
        ("capture_frame_rate", "240", Fraction(240)),
        ("Capture FPS", "119.88", Fraction(11988, 100)),
        ("com.android.capture.fps", "240.000000", Fraction(240)),
        ("camera-speed-fps", "150/1", Fraction(150)),
        ("SensorFrameRate", "59.94 fps", Fraction(5994, 100)),
        ("recording_rate", "fast", None),
        ("capture_device", "240", None),
        ("frame_rate", "240", None),
        ("capture_rate", "0", None),
        ("capture_rate", "9999999", None),
    ],
)
def test_the_cameras_own_speed_under_its_common_keys(
    tmp_path: Path, key: str, value: str, rate: Fraction | None
) -> None:
    facts = probe(write(tmp_path / "a.mov", [n * 3600 for n in range(10)], {key: value}, 25))
    assert facts.capture_rate == rate and facts.fault is None
    if rate is not None:
        found = verdicts(claims_of("a.mov", facts))[Question.SHOT_RATE]
        assert found.certain and key in found.claims[0].words


def test_a_stream_that_says_otherwise_than_its_container(tmp_path: Path) -> None:
    path = write(tmp_path / "a.mkv", [n * 3600 for n in range(40)], rate=30)
    facts = probe(path)
    assert facts.file_rate is not None and facts.file_rate.spoken == "25"
    found = verdicts(claims_of("a.mkv", facts))[Question.FILE_RATE]
    assert found.state is Certainty.DISPUTED and found.value == "25/1"
    assert any("30" in claim.words for claim in found.against)


def test_gaps_and_duplicates_are_named(tmp_path: Path) -> None:
    ticks = [n * 3000 for n in range(120) if n not in (40, 41, 80)]
    facts = probe(write(tmp_path / "gaps.mp4", ticks))
    assert facts.timing is Timing.VARIABLE and facts.gaps == 2
    assert facts.remarks == () and facts.uneven is not None and facts.uneven.missing == (39, 77)
    assert (
        facts.uneven.words
        == "30, never quite even: frames up to 0 ms longer or shorter; frames are missing at 2 places"
    )
    assert duplicates([0, 1, 1, 2, 2, 2]) == 3


def test_variable_timing_has_its_extremes_and_its_histogram(footage: dict[str, Path]) -> None:
    facts = probe(footage["PH_pier_walk.mp4"])
    assert facts.timing is Timing.VARIABLE and facts.fastest and facts.slowest and facts.measured_rate
    assert facts.slowest < facts.measured_rate < facts.fastest < 40
    assert sum(count for _, count in facts.intervals) == facts.frames - 1
    lengths = [length for length, _ in facts.intervals]
    assert lengths == sorted(lengths)


@given(st.lists(st.integers(1, 5000), min_size=1, max_size=300))
def test_every_frame_is_in_the_histogram(steps: list[int]) -> None:
    ticks = [0]
    for step in steps:
        ticks.append(ticks[-1] + step)
    found = intervals(ticks, CLOCK)
    assert len(found) <= MOST_INTERVALS and sum(count for _, count in found) == len(steps)
    assert found[0][0] == min(steps) * CLOCK and (len(found) == 1 or found[-1][0] == max(steps) * CLOCK)


@given(st.integers(100, 10_000), st.sets(st.integers(2, 97), max_size=4))
def test_gaps_are_places_and_not_wandering_times(step: int, missing: set[int]) -> None:
    left = [n for n in range(100) if n not in missing]
    places = sum(b - a > 1 for a, b in pairwise(left))
    assert gaps([n * step for n in left]) == places
    rng = np.random.default_rng(len(missing))
    assert gaps(np.cumsum(rng.integers(step, 4 * step, 100)).tolist()) == 0
