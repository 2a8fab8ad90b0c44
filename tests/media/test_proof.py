"""What the proof sees: faults put into made files of every setting, and none where there is none."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from bench.faults import FAULTS
from bench.mutations import plan_of, source
from oddmeter.core.conform.proof import Proof
from oddmeter.media.containers.settings import ENCODINGS, Setting
from oddmeter.media.plans import ClipPlan
from oddmeter.media.proof.losses import Losses
from oddmeter.media.render import render
from oddmeter.media.verify import verify

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
            plan = plan_of(path, setting, folder / "made" / f"right{ENCODINGS[setting].suffix}")
            known[setting] = plan, render(plan)
        return known[setting]

    return of


def failing(proof: Proof) -> set[str]:
    return {check.name for check in proof.checks if not check.passed}


@pytest.mark.parametrize("setting", list(Setting))
def test_what_was_made_is_proven_with_its_losses_and_without(made: Made, setting: Setting) -> None:
    plan, losses = made(setting)
    for known in (losses, Losses.kept(losses.stored()), None):
        proof = verify(plan, losses=known)
        assert proof.passed, [check for check in proof.checks if not check.passed]


@pytest.mark.parametrize(
    ("setting", "fault"),
    [(setting, fault) for setting in Setting for fault in (*ALWAYS, *(DEEP if setting is Setting.ARCHIVE else ()))],
)
def test_a_fault_is_seen(made: Made, tmp_path: Path, setting: Setting, fault: str) -> None:
    plan, losses = made(setting)
    out = tmp_path / f"faulty{plan.out.suffix}"
    FAULTS[fault](plan, out)
    assert failing(verify(replace(plan, out=out), losses=losses))


def test_losses_are_told_apart_by_one_code_value(made: Made) -> None:
    plan, losses = made(Setting.EDIT)
    assert losses.squares.shape == (plan.length, 3)
    own = tuple(losses.squares[3])
    assert losses.is_that_of(3, own)
    assert not losses.is_that_of(4, own)
    assert not losses.is_that_of(3, tuple(np.add(own, 256 * 144)))
    assert losses.is_that_of(plan.length, own) is None
