"""Files as the world sends them: uneven timing, gaps, odd rasters, deep pictures, cards with everything on them."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.evidence.facts import Timing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo import scenes
from oddmeter.demo.framecode import read, stamp
from oddmeter.media.containers.matroska import state_in_track
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, SHIPPED, VIEW
from oddmeter.media.verify import verify


def write(
    path: Path,
    ticks: list[int],
    clock: int = 90_000,
    size: tuple[int, int] = (320, 180),
    pixel_format: str = "yuv420p",
    codec: str = "libx264",
) -> Path:
    """A clip of the boat with a frame code, its frames at the given times."""
    with av.open(str(path), "w") as container:
        stream = cast(VideoStream, container.add_stream(codec, rate=25))
        stream.width, stream.height = size
        stream.pix_fmt = pixel_format
        stream.codec_context.time_base = Fraction(1, clock)
        for number, tick in enumerate(ticks):
            picture = scenes.boat(tick / clock, *size)
            stamp(picture, number)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format=pixel_format)
            frame.pts, frame.time_base = tick, Fraction(1, clock)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def planned(path: Path, out: Path, treatment: Treatment, setting: Setting = VIEW) -> ClipPlan:
    facts = probe(path)
    assert facts.file_rate is not None
    conformed = conform(Material(facts.frames, facts.file_rate), treatment, Rate.of(25))
    return ClipPlan(path, facts, conformed, setting, out)


def test_a_phone_that_varies_is_measured_and_keeps_its_length(tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    ticks = [0, *np.cumsum(rng.integers(2_400, 3_700, 149)).tolist()]
    facts = probe(write(tmp_path / "phone.mp4", ticks))
    assert (facts.frames, facts.timing) == (150, Timing.VARIABLE)
    assert facts.measured_rate == Fraction(149 * 90_000, ticks[-1])
    assert facts.timing is Timing.VARIABLE and facts.trouble is None, "a property, not damage"
    plan = planned(tmp_path / "phone.mp4", tmp_path / "out.mp4", Treatment(Intent.REAL_TIME))
    seconds = Fraction(plan.conformed.frame_map.length, 25)
    assert abs(seconds - Fraction(ticks[-1], 90_000)) < Fraction(1, 10)


def test_a_gap_in_the_middle_is_not_constant(tmp_path: Path) -> None:
    ticks = [3600 * j for j in range(60)] + [3600 * j + 20_000 for j in range(60, 140)]
    facts = probe(write(tmp_path / "gap.mp4", ticks))
    assert facts.timing is Timing.VARIABLE and facts.frames == 140


@pytest.mark.parametrize("start", [0, 900_000])
def test_a_late_start_changes_no_rate(tmp_path: Path, start: int) -> None:
    facts = probe(write(tmp_path / "late.mkv", [start + round(j * 90_000 * 1001 / 24_000) for j in range(100)]))
    assert (facts.file_rate, facts.timing, facts.frames) == (Rate.parse("23.976"), Timing.CONSTANT, 100)


@pytest.mark.parametrize("setting", SHIPPED)
@pytest.mark.parametrize(
    ("size", "pixel_format"), [((322, 182), "yuv420p"), ((320, 180), "yuv422p10le"), ((321, 181), "yuv444p")]
)
def test_odd_rasters_and_deep_pictures_are_made_and_proven(
    tmp_path: Path, setting: Setting, size: tuple[int, int], pixel_format: str
) -> None:
    source = write(tmp_path / "source.mkv", [3000 * j for j in range(30)], size=size, pixel_format=pixel_format)
    out = tmp_path / "made" / f"out{setting.suffix}"
    plan = planned(source, out, Treatment(Intent.REAL_TIME), setting)
    render(plan)
    proof = verify(plan)
    assert proof.passed, proof
    with FrameReader(out) as made:
        grey = [made.frame(j).reformat(format="gray").to_ndarray().astype(np.uint8) for j in range(25)]
    assert [read(picture) for picture in grey] == [j * 6 // 5 for j in range(25)]


def test_a_file_cut_short_after_it_was_planned_is_a_sentence_not_a_half_file(tmp_path: Path) -> None:
    source = write(tmp_path / "source.mkv", [3600 * j for j in range(100)])
    plan = planned(source, tmp_path / "made" / "out.mp4", Treatment(Intent.REAL_TIME))
    source.write_bytes(source.read_bytes()[: source.stat().st_size // 2])
    with pytest.raises(RuleError, match=r"source\.mkv: The file has changed since it was looked at"):
        render(plan)
    with pytest.raises(RuleError, match=r"source\.mkv (ends after \d+ frames|cannot be decoded)"):
        render(replace(plan, facts=replace(plan.facts, identity=None)))
    assert list(plan.out.parent.iterdir()) == []


def test_a_folder_that_cannot_be_made_is_a_sentence(tmp_path: Path) -> None:
    source = write(tmp_path / "source.mkv", [3600 * j for j in range(10)])
    (tmp_path / "taken").write_text("a file, not a folder")
    plan = planned(source, tmp_path / "taken" / "out.mp4", Treatment(Intent.REAL_TIME))
    with pytest.raises(RuleError, match="could not be written"):
        render(plan)


def test_still_frames_cannot_be_told_apart_and_the_proof_says_so(tmp_path: Path) -> None:
    """A title card on twos at 25, each picture twice, slowed to half: the plan's repeats are not all there is."""
    path = tmp_path / "card.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for number in range(20):
            picture = scenes.clock(0.0 if number < 10 else 9.0, 320, 180)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    plan = planned(path, tmp_path / "made" / "out.mkv", Treatment(Intent.SPEED, Fraction(1, 2)), ARCHIVE)
    render(plan)
    proof = verify(plan)
    assert proof.passed and proof.too_still == 18
    assert {check.name: check.found for check in proof.checks}["repeats"] == "20"


@pytest.mark.parametrize("setting", SHIPPED)
@pytest.mark.parametrize(("layout", "channels"), [("mono", 1), ("quad", 4), ("5.1", 6)])
def test_sound_of_many_channels_is_kept(tmp_path: Path, setting: Setting, layout: str, channels: int) -> None:
    source = tmp_path / "source.mkv"
    with av.open(str(source), "w") as container:
        video, audio = (
            container.add_stream("ffv1", rate=25),
            container.add_stream("pcm_s16le", rate=48_000, layout=layout),
        )
        video.width, video.height, video.pix_fmt = 320, 180, "yuv420p"
        for number in range(50):
            frame = VideoFrame.from_ndarray(scenes.quay(number / 25, 320, 180), format="bgr24").reformat(
                format="yuv420p"
            )
            frame.pts = number
            container.mux(video.encode(frame))
        tone = np.random.default_rng(2).integers(-9000, 9000, (1, 96_000 * channels)).astype(np.int16)
        sound = av.AudioFrame.from_ndarray(tone, format="s16", layout=layout)
        sound.sample_rate, sound.pts = 48_000, 0
        container.mux(audio.encode(sound))
    out = tmp_path / "made" / f"out{setting.suffix}"
    plan = planned(source, out, Treatment(Intent.REAL_TIME), setting)
    render(plan)
    made = probe(out)
    assert verify(plan).passed and made.sound is not None
    assert made.sound.channels == channels and abs(made.sound.seconds - 2) < Fraction(1, 20)


def test_frames_are_read_forwards_only(footage: dict[str, Path]) -> None:
    with FrameReader(footage["HB_gulls_30.mp4"]) as reader:
        assert reader.frame(5) is reader.frame(5)
        with pytest.raises(RuleError, match="forwards only"):
            reader.frame(4)
        with pytest.raises(RuleError, match="ends after 240 frames"):
            reader.frame(240)
    with pytest.raises(RuleError, match="cannot be opened"):
        FrameReader(Path("/nowhere.mov"))


def test_a_pixel_shape_goes_only_where_room_was_kept(tmp_path: Path) -> None:
    plain = write(tmp_path / "plain.mkv", [3600 * j for j in range(3)], codec="ffv1")
    before = plain.read_bytes()
    with pytest.raises(RuleError, match="no room"):
        state_in_track(plain, Fraction(16, 15), {})
    assert plain.read_bytes() == before
