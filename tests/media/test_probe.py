"""Probe against footage whose truth is known, and against files that are not what they say."""

import re
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.evidence.facts import Timing
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan
from oddmeter.demo.footage import Take
from oddmeter.demo.takes import TAKES
from oddmeter.media.files.probe import probe
from oddmeter.media.files.timestamps import fits, measure


@pytest.mark.parametrize("take", TAKES, ids=lambda take: take.name)
def test_every_demo_clip_is_read_as_it_was_made(take: Take, footage: dict[str, Path]) -> None:
    facts = probe(footage[take.name])
    assert facts.trouble is None
    assert (facts.frames, facts.file_rate, facts.timing) == (take.frames, take.header, Timing.CONSTANT)
    assert (facts.width, facts.height, facts.pixel_aspect) == (*take.size, take.pixel_aspect)
    assert facts.scan is (Scan.INTERLACED if take.flag else Scan.PROGRESSIVE)
    assert facts.field_order == ("upper" if take.flag else None)
    assert facts.timecode is not None and facts.timecode[:8] == take.start[:8]
    assert (facts.sound.channels if facts.sound else 0) == take.channels
    if facts.sound:
        assert abs(facts.sound.seconds - take.frames / take.header.value) < Fraction(1, 20)


@given(
    st.sampled_from(
        ["23.976", "24", "25", "29.97", "30", "47.95", "50", "59.94", "60", "119.88", "120", "16", "18", "12.5"]
    ),
    st.sampled_from([1000, 90_000, 48_000, 600 * 1001, 1_000_000]),
    st.integers(60, 4000),
    st.integers(-(10**6), 10**9),
)
def test_rates_are_found_through_any_clock(text: str, clock: int, frames: int, start: int) -> None:
    """Timestamps rounded to a container's clock still show the exact rate when the header claims nothing."""
    rate = Rate.parse(text)
    ticks = [start + round(Fraction(j * clock) / rate.value) for j in range(frames)]
    measured = measure(ticks, Fraction(1, clock), [])
    assert measured.timing is Timing.CONSTANT and measured.rate is not None
    assert fits(ticks, Fraction(1, clock), rate)
    assert measured.rate == rate or frames * clock < 10**7


def test_a_header_that_lies_is_not_believed() -> None:
    ticks = [3600 * j for j in range(500)]
    assert measure(ticks, Fraction(1, 90_000), [Fraction(30), Fraction(24)]).rate == Rate.of(25)


def test_uneven_times_are_variable_with_their_average() -> None:
    rng = np.random.default_rng(3)
    ticks = np.cumsum(rng.integers(2700, 3500, 300)).tolist()
    measured = measure(ticks, Fraction(1, 90_000), [Fraction(30)])
    assert measured.timing is Timing.VARIABLE
    assert measured.average == Fraction(299 * 90_000, ticks[-1] - ticks[0])
    assert measured.rate is not None and abs(measured.rate.value - measured.average) <= measured.average / 10_000


def test_damaged_and_foreign_files_become_sentences(tmp_path: Path, footage: dict[str, Path]) -> None:
    whole = footage["FD1_A01_interview.mov"].read_bytes()
    mkv = footage["VR_clock_23.mkv"].read_bytes()
    files = {
        "empty.mov": (b"", "is empty"),
        "headless.mov": (whole[: len(whole) // 2], "damaged"),
        "cut.mkv": (mkv[: len(mkv) * 2 // 3], "cut short|breaks off"),
        "letter.txt": (b"Dear harbour master,\n" * 40, "not a media file|no picture"),
        "noise.mp4": (np.random.default_rng(1).bytes(50_000), "not a media file|no picture|cannot be read"),
    }
    for name, (content, _) in files.items():
        (tmp_path / name).write_bytes(content)
    for name, (_, words) in files.items():
        assert (found := probe(tmp_path / name).trouble) is not None and re.search(words, found), name
    assert probe(tmp_path / "absent.mov").fault == "The file cannot be opened: no such file or directory."
    assert probe(tmp_path / "cut.mkv").usable


def test_every_place_to_cut_a_file_is_survived(tmp_path: Path, footage: dict[str, Path]) -> None:
    for name in ("FD1_A01_interview.mov", "HB_gulls_30.mp4", "VR_clock_23.mkv"):
        whole = footage[name].read_bytes()
        for part in range(1, 24):
            cut = tmp_path / f"{part}-{name}"
            cut.write_bytes(whole[: len(whole) * part // 24])
            facts = probe(cut)
            assert facts.trouble, (name, part)


def test_sound_only_and_picture_only(tmp_path: Path, footage: dict[str, Path]) -> None:
    path = tmp_path / "tone.wav"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=48_000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 48_000), np.int16), format="s16", layout="mono")
        frame.sample_rate = 48_000
        container.mux(stream.encode(frame))
    assert probe(path).fault == "There is no picture in this file. It holds sound only; it can be music beside a clip."
    silent = probe(footage["FD1_B01_bell_swing_100.mov"])
    assert silent.sound is None and silent.trouble is None


def test_one_frame_says_where_its_rate_is_from(tmp_path: Path) -> None:
    path = tmp_path / "single.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        container.mux(stream.encode(VideoFrame(64, 64, "yuv420p")))
        container.mux(stream.encode(None))
    facts = probe(path)
    assert facts.frames == 1 and facts.usable
    assert facts.trouble == "It has a single frame; its rate is taken from the header."
