"""Rendered files read back by frame code, and a proof that notices what is wrong."""

import re
import shutil
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, SoundChoice, Span, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.footage import Take
from oddmeter.demo.framecode import read
from oddmeter.demo.takes import TAKES
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.planes import luma_of
from oddmeter.media.plans import ClipPlan
from oddmeter.media.proof.pictures import change_between
from oddmeter.media.render import render
from oddmeter.media.settings.encoding import encoding_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, SHIPPED, VIEW
from oddmeter.media.verify import verify

TIMELINES = ("25", "29.97", "23.976")
BY_NAME = {take.name: take for take in TAKES}


def plan_for(
    source: Path,
    out: Path,
    timeline: str,
    treatment: Treatment,
    setting: Setting = VIEW,
    shot: str | None = None,
    most: int = 10_000,
) -> ClipPlan:
    facts = probe(source)
    assert facts.file_rate is not None
    material = Material(min(facts.frames, most), facts.file_rate, Rate.parse(shot) if shot else None)
    conformed = conform(material, treatment, Rate.parse(timeline))
    name = f"{source.stem}_{timeline}{setting.suffix}"
    return ClipPlan(source, facts, conformed, setting, out / name, drop_frame=timeline == "29.97")


def codes(path: Path, frames: int) -> list[int | None]:
    with FrameReader(path) as reader:
        return [read(luma_of(reader.frame(j))) for j in range(frames)]


def _each_stride() -> list[tuple[Take, str]]:
    """Every pair of rates in the demo; of those with one stride in one codec, the first."""
    pairs = [(take, timeline) for take in TAKES for timeline in TIMELINES]
    told = {
        (take.shot.value / Rate.parse(on).value, take.name.rpartition(".")[2]): (take, on) for take, on in pairs[::-1]
    }
    return list(told.values())[::-1]


@pytest.mark.parametrize(("take", "timeline"), _each_stride(), ids=lambda one: getattr(one, "name", one))
def test_frame_j_shows_source_frame_floor_kj(
    take: Take, timeline: str, footage: dict[str, Path], tmp_path: Path
) -> None:
    """For every pair of rates in the demo, in real life's time, proven as well."""
    plan = plan_for(footage[take.name], tmp_path, timeline, Treatment(Intent.REAL_TIME), shot=take.shot.exact, most=40)
    render(plan)
    frame_map = plan.conformed.frame_map
    assert codes(plan.out, frame_map.length) == [int(plan.conformed.stride * j) for j in range(frame_map.length)]
    made = probe(plan.out)
    assert (made.file_rate, made.frames, made.timing) == (Rate.parse(timeline), frame_map.length, "constant")
    proof = verify(plan)
    assert proof.passed, proof


@pytest.mark.parametrize(
    ("setting", "treatment"),
    [
        (ARCHIVE, Treatment(Intent.EVERY_FRAME)),
        (ARCHIVE, Treatment(Intent.PACE, Fraction(3, 2), Rate.of(25))),
        (EDIT, Treatment(Intent.SPEED, Fraction(2, 5))),
        (EDIT, Treatment(Intent.FIT, Fraction(77))),
        (VIEW, Treatment(Intent.FIT, Fraction(77))),
        (VIEW, Treatment(Intent.SPEED, Fraction(2, 5))),
    ],
    ids=lambda one: getattr(one, "intent", one),
)
def test_every_setting_and_intent_is_made_and_proven(
    setting: Setting, treatment: Treatment, footage: dict[str, Path], tmp_path: Path
) -> None:
    plan = plan_for(footage["HB_gulls_30.mp4"], tmp_path, "23.976", treatment, setting, most=60)
    done: list[int] = []
    render(plan, done.append)
    assert done == list(range(1, plan.conformed.frame_map.length + 1))
    assert codes(plan.out, plan.conformed.frame_map.length) == list(plan.conformed.frame_map.picks())
    proof = verify(plan)
    assert proof.passed, proof
    found = {check.name: check.found for check in proof.checks}
    assert found["rate"] == "23.976 (24000/1001)"
    assert int(found["repeats"]) == plan.conformed.frame_map.repeated


@pytest.mark.parametrize("held", [Fraction(2), Fraction(25, 12)], ids=["on twos", "12 on 25"])
def test_held_pictures_are_made_and_proven(held: Fraction, footage: dict[str, Path], tmp_path: Path) -> None:
    treatment = Treatment(Intent.REAL_TIME, held=held)
    plan = plan_for(footage["HB_boat_59.mp4"], tmp_path, "25", treatment, most=150)
    render(plan)
    frame_map = plan.conformed.frame_map
    shown = codes(plan.out, frame_map.length)
    assert shown == list(frame_map.picks())
    assert shown == [int(plan.conformed.stride * held * (j // held)) for j in range(frame_map.length)]
    proof = verify(plan)
    assert proof.passed, proof


def test_the_archive_is_lossless(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_for(footage["HB_quay_29.mp4"], tmp_path, "25", Treatment(Intent.REAL_TIME), ARCHIVE)
    render(plan)
    with FrameReader(plan.source) as source, FrameReader(plan.out) as made:
        for j, pick in enumerate(plan.conformed.frame_map.picks()):
            a, b = source.frame(pick).to_ndarray(), made.frame(j).to_ndarray()
            assert np.array_equal(a, b), j


@pytest.mark.parametrize("setting", SHIPPED)
def test_pixel_shape_and_start_timecode_are_kept(setting: Setting, footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_for(footage["VR_choir_tape_50i.mov"], tmp_path, "29.97", Treatment(Intent.EVERY_FRAME), setting)
    render(plan)
    made = probe(plan.out)
    assert made.timecode == "02:00:00;00" and made.pixel_aspect == Fraction(16, 15)


def test_a_part_behind_midnight_begins_behind_midnight(footage: dict[str, Path], tmp_path: Path) -> None:
    treatment = Treatment(Intent.REAL_TIME, span=Span(50))
    plan = plan_for(footage["VR_choir_tape_50i.mov"], tmp_path, "25", treatment)
    plan = replace(plan, facts=replace(plan.facts, timecode="23:59:59:10"))
    assert str(plan.start) == "00:00:01:10"


@pytest.mark.parametrize("setting", SHIPPED)
def test_sound_is_kept_to_the_exact_length_at_speed_one(
    setting: Setting, footage: dict[str, Path], tmp_path: Path
) -> None:
    plan = plan_for(footage["VR_lantern_24.mkv"], tmp_path, "25", Treatment(Intent.REAL_TIME), setting)
    assert [sound.is_kept for sound in plan.heard] == [True]
    render(plan)
    wanted = Fraction(plan.conformed.frame_map.length, 25) * 48_000
    heard = decoded_sound(plan.out)
    assert abs(len(heard) - wanted) <= (1024 if setting is VIEW else 0)
    source = decoded_sound(plan.source)
    for second in (1, 3, 5):
        clicks = [int(np.argmax(np.abs(s[second * 48_000 - 2400 : second * 48_000 + 2400]))) for s in (heard, source)]
        assert abs(clicks[0] - clicks[1]) < 48, "a click moved by more than a millisecond"


def decoded_sound(path: Path) -> np.ndarray:
    with av.open(str(path)) as container:
        resampler = av.AudioResampler(format="fltp", layout="mono", rate=48_000)
        parts = [f.to_ndarray()[0] for d in container.decode(audio=0) for f in resampler.resample(d)]
    return np.concatenate(parts)


def test_sound_that_is_switched_off_is_not_in_the_file(footage: dict[str, Path], tmp_path: Path) -> None:
    silent = Treatment(Intent.EVERY_FRAME, sound=SoundChoice.OFF)
    plan = plan_for(footage["HB_gulls_30.mp4"], tmp_path, "25", silent)
    assert plan.sounds == ()
    render(plan)
    assert probe(plan.out).sound is None and verify(plan).passed


def test_nothing_is_written_into_the_source_folder_or_over_a_file(footage: dict[str, Path], tmp_path: Path) -> None:
    source = tmp_path / "card" / "clip.mp4"
    source.parent.mkdir()
    shutil.copy(footage["HB_gulls_30.mp4"], source)

    def card() -> dict[Path, tuple[int, int, int]]:
        return {
            path: (path.stat().st_ino, path.stat().st_size, path.stat().st_mtime_ns) for path in source.parent.iterdir()
        }

    before = card()
    beside = plan_for(source, source.parent, "25", Treatment(Intent.REAL_TIME))
    with pytest.raises(RuleError, match="Files cannot be written into their source's folder"):
        render(beside)
    with pytest.raises(RuleError, match="Files cannot be written into their source's folder"):
        render(replace(beside, out=tmp_path / "x" / ".." / "card" / "made.mp4"))
    assert card() == before
    taken = replace(beside, out=tmp_path / "made" / "taken.mp4")
    taken.out.parent.mkdir()
    taken.out.write_text("already exists and was not overwritten")
    with pytest.raises(RuleError, match="already exists and was not overwritten"):
        render(taken)
    assert taken.out.read_text() == "already exists and was not overwritten"


def test_stopping_leaves_nothing_behind(footage: dict[str, Path], tmp_path: Path) -> None:
    class StopError(Exception):
        pass

    def stop_at_twenty(done: int) -> None:
        if done == 20:
            (unfinished,) = tmp_path.iterdir()
            assert re.fullmatch(r"\.HB_gulls_30_25\.mp4\.\w{8}\.part", unfinished.name)
            raise StopError

    plan = plan_for(footage["HB_gulls_30.mp4"], tmp_path, "25", Treatment(Intent.REAL_TIME))
    with pytest.raises(StopError):
        render(plan, stop_at_twenty)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("setting", [ARCHIVE, VIEW])
def test_the_proof_notices_a_file_that_is_not_as_planned(
    setting: Setting, footage: dict[str, Path], tmp_path: Path
) -> None:
    """The same file held against plans that differ in rate, length, repeats or a single frame."""
    source = footage["HB_boat_59.mp4"]
    plan = plan_for(source, tmp_path, "25", Treatment(Intent.REAL_TIME), setting)
    render(plan)
    assert verify(plan).passed

    def failing(treatment: Treatment, timeline: str = "25") -> set[str]:
        other = plan_for(source, tmp_path, timeline, treatment, setting)
        return {check.name for check in verify(replace(other, out=plan.out)).checks if not check.passed}

    assert failing(Treatment(Intent.REAL_TIME), "23.976") >= {"rate", "frames"}
    assert failing(Treatment(Intent.SPEED, Fraction(11, 10))) >= {"frames"}
    shifted = replace(
        plan, conformed=conform(Material(100, Rate.parse("59.94")), Treatment(Intent.FIT, Fraction(126)), Rate.of(25))
    )
    assert {c.name for c in verify(shifted).checks if not c.passed} >= {"repeats", "pictures"}


def test_a_held_picture_that_the_encoder_goes_on_refining_is_a_repeat(tmp_path: Path) -> None:
    """Hard edges at seven and a quarter pictures a second, each shown three or four times: a light file comes nearer to
    such a picture while it stands."""
    source, out = tmp_path / "tiles.mov", tmp_path / "made"
    out.mkdir()
    with av.open(str(source), "w") as container:
        stream = container.add_stream("libx264", rate=Fraction(29, 4))
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        across, down = np.arange(320), np.arange(180)[:, None]
        for number in range(60):
            tile = ((across + 3 * number) % 64 < 32) ^ ((down + number) % 48 < 24)
            picture = np.stack([tile * 120 + 60, tile * 90 + 40 + number % 50, tile * 30 + 90], -1).astype(np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(format="yuv420p")))
        container.mux(stream.encode(None))
    plan = plan_for(source, out, "25", Treatment(Intent.REAL_TIME), VIEW)
    losses = render(plan)
    for known in (losses, None):
        proof = verify(plan, losses=known)
        assert proof.passed, proof
    later = plan_for(source, out, "25", Treatment(Intent.FIT, Fraction(207)), VIEW)
    early = [j for j in range(207) if j * 29 // 100 != j * 60 // 207]
    assert early and verify(replace(later, out=plan.out)).wrong_frames == tuple(early)


def test_what_cannot_be_made_is_said() -> None:
    with pytest.raises(RuleError, match="256 × 120"):
        encoding_of(EDIT).pixel_format_for("yuv420p", 160, 90)


@pytest.mark.parametrize("size", [(360, 640), (576, 720), (575, 719), (45, 46), (3, 5), (1, 1)])
def test_what_changes_anywhere_is_noticed_by_the_proof(size: tuple[int, int]) -> None:
    height, width = size
    before = np.full(size, 90, np.uint8)
    high, wide = min(height, max(2, -(-height // 32))), min(width, max(2, -(-width // 32)))
    assert change_between(before, before) == 0
    assert change_between(before, before + 7) == 7
    for top in (0, (height - high) // 2, height - high):
        for left in (0, (width - wide) // 2, width - wide):
            after = before.copy()
            after[top : top + high, left : left + wide] += 80
            assert change_between(before, after) >= 80 / 4 - 1, (top, left)


def test_the_change_of_a_picture_is_that_of_the_block_that_changed_most() -> None:
    before, after = np.random.default_rng(77).integers(0, 256, (2, 320, 640), np.uint8)
    each = np.abs(before.astype(int) - after).reshape(32, 10, 32, 20).mean(axis=(1, 3))
    assert change_between(before, after) == round(each.max())
