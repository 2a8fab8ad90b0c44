"""What the proof sees: faults put into made files of every setting, and none where there is none."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from bench.faults import FAULTS, showing
from bench.mutations import plan_of, source
from oddmeter.core.conform.proof import Proof
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Effort, Intent, Treatment
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.plans import ClipPlan
from oddmeter.media.proof import pictures
from oddmeter.media.proof.pictures import made_again
from oddmeter.media.render import render
from oddmeter.media.settings.encoding import encoding_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, SHIPPED, VIEW
from oddmeter.media.verify import verify
from oddmeter.media.writing.losses import Losses

Made = Callable[[Setting], tuple[ClipPlan, Losses]]
ALWAYS = (
    "two frames swapped", "one field from the next frame", "half a frame torn", "a thin line across, in one",
    "U and V swapped", "all colour gone", "luma one grey level up", "a second picture stream",
    "sound 0.5 s late by its times", "picture 0.5 s late by its times", "channels swapped", "mono for stereo",
    "gain − 1 dB", "sound 10 ms late", "one channel mute", "silent", "colour tags of BT.2020",
)  # fmt: skip
DEEP = ("luma one code value up", "the two lowest bits cut", "a click of one sample")


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Made:
    folder = tmp_path_factory.mktemp("proof")
    path = source(folder / "source.mkv", 40, 256, 144)
    known: dict[Setting, tuple[ClipPlan, Losses]] = {}

    def of(setting: Setting) -> tuple[ClipPlan, Losses]:
        if setting not in known:
            plan = plan_of(path, setting, folder / "made" / f"right{setting.suffix}")
            known[setting] = plan, render(plan)
        return known[setting]

    return of


def failing(proof: Proof) -> set[str]:
    return {check.name for check in proof.checks if not check.passed}


@pytest.mark.parametrize("setting", SHIPPED)
def test_what_was_made_is_proven_with_its_losses_and_without(made: Made, setting: Setting) -> None:
    plan, losses = made(setting)
    for known in (losses, Losses.kept(losses.stored()), None):
        proof = verify(plan, losses=known)
        assert proof.passed, [check for check in proof.checks if not check.passed]


@pytest.mark.parametrize(
    ("setting", "fault"),
    [(setting, fault) for setting in SHIPPED for fault in (*ALWAYS, *(DEEP if setting is ARCHIVE else ()))],
)
def test_a_fault_is_seen(made: Made, tmp_path: Path, setting: Setting, fault: str) -> None:
    plan, losses = made(setting)
    out = tmp_path / f"faulty{plan.out.suffix}"
    FAULTS[fault](plan, out)
    assert failing(verify(replace(plan, out=out), losses=losses))


@pytest.mark.parametrize("setting", [ARCHIVE, EDIT])
def test_a_built_frame_that_repeats_the_one_before_is_seen_though_it_is_not_made_again(
    made: Made, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, setting: Setting
) -> None:
    monkeypatch.setattr(pictures, "_MOST_MADE_AGAIN", 1)
    picks, _ = made(setting)
    treatment = Treatment(Intent.SPEED, Fraction(1, 2), between=Between.FLOW, effort=Effort.QUICK)
    conformed = conform(picks.conformed.material, treatment, picks.conformed.timeline_rate)
    plan = replace(picks, conformed=conformed, out=tmp_path / f"right{picks.out.suffix}")
    losses = render(plan)
    assert not failing(verify(plan, losses=losses)) and not failing(verify(plan))
    faulty = tmp_path / f"faulty{plan.out.suffix}"
    assert plan.shown(11).built and not made_again(plan)(11)
    showing(lambda picture, number: picture(10 if number == 11 else number))(plan, faulty)
    for known in (None, losses):
        found = next(one for one in verify(replace(plan, out=faulty), losses=known).checks if one.name == "pictures")
        assert not found.passed, found
    other = tmp_path / f"other{plan.out.suffix}"
    showing(lambda picture, number: picture(13 if number == 11 else number))(plan, other)
    assert "pictures" in failing(verify(replace(plan, out=other), losses=losses)), "its sum is not what was written"


def test_losses_are_told_apart_by_one_code_value(made: Made) -> None:
    plan, losses = made(EDIT)
    assert losses.squares.shape == (plan.length, 3)
    own = tuple(losses.squares[3])
    assert losses.is_that_of(3, own)
    assert not losses.is_that_of(4, own)
    assert not losses.is_that_of(3, tuple(np.add(own, 256 * 144)))
    assert losses.is_that_of(plan.length, own) is None


@pytest.mark.parametrize(
    ("codec", "form"), [("ffv1", "ya8"), ("ffv1", "yuva444p10le"), ("png", "rgba"), ("ffv1", "bgra")]
)
def test_alpha_is_kept_without_loss_and_proven_or_said_to_be_left_out(tmp_path: Path, codec: str, form: str) -> None:
    """By one rule for the file and for what is said before it is made: not where two moments are woven."""
    path, dice = tmp_path / f"source.{'mov' if codec == 'png' else 'mkv'}", np.random.default_rng(3)
    with av.open(str(path), "w") as container:
        stream = cast(VideoStream, container.add_stream(codec, rate=25))
        stream.width, stream.height, stream.pix_fmt = 64, 48, form
        for _ in range(14):
            noise = dice.integers(0, 255, (48, 64, 4), dtype=np.uint8)
            container.mux(stream.encode(VideoFrame.from_ndarray(noise, format="rgba").reformat(format=form)))
        container.mux(stream.encode(None))
    plan = plan_of(path, ARCHIVE, tmp_path / "made" / "right.mkv")
    losses = render(plan)
    assert verify(plan, losses=losses).passed
    with FrameReader(plan.out) as made:
        assert any(component.is_alpha for component in made.frame(0).format.components)
    faulty = replace(plan, out=tmp_path / "made" / "faulty.mkv")

    def changed(picture: Callable[[int], VideoFrame], number: int) -> VideoFrame:
        own = picture(number)
        other = np.asarray(own.reformat(format="rgba").to_ndarray(), np.uint8)
        other[:, :, 3] ^= 0x10
        return own if number else VideoFrame.from_ndarray(other, format="rgba").reformat(format=own.format.name)

    showing(changed)(plan, faulty.out)
    assert verify(faulty, losses=losses).wrong_frames[:1] == (0,)
    assert plan.conformed.keeps_samples(TimelineScan.PROGRESSIVE)
    assert not plan.conformed.keeps_samples(TimelineScan.UPPER)
    bits = plan.facts.bits
    assert encoding_of(ARCHIVE).loss_of(form, bits, "") is None
    for setting, alpha in ((ARCHIVE, False), (VIEW, True)):
        assert "alpha is left out" in (encoding_of(setting).loss_of(form, bits, "", alpha=alpha) or "")
