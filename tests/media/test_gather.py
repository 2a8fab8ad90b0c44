"""An open shutter on real media: the frames of the open time, averaged as light by exact shares; and proven."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Treatment
from oddmeter.core.maps.frame_map import FrameKind
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.media.files.samples import planes_of
from oddmeter.media.pictures.light import added
from oddmeter.media.pictures.planes import woven
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.verify import verify
from tests.media.test_making import code_of, drawn, maker_of, planned_for, written
from tests.media.test_render import plan_for

OPEN = Treatment(Intent.SPEED, Fraction(1), between=Between.GATHER)


def same(a: VideoFrame, b: VideoFrame) -> bool:
    return all(np.array_equal(x, y) for x, y in zip(planes_of(a), planes_of(b), strict=True))


@pytest.mark.parametrize(
    ("speed", "shutter", "first", "shares"),
    [
        ("4", "1/2", 12, [1, 1]),
        ("4", "1", 12, [1, 1, 1, 1]),
        ("5/2", "1", 7, [Fraction(1, 2), 1, 1]),
        ("5/2", "1/10", 7, [1]),
        ("3/2", "1", 4, [1]),
    ],
    ids=["180° of four", "360° of four", "of two and a half", "hardly open", "below a stride of two"],
)
def test_a_frame_is_the_light_of_the_open_time(
    speed: str, shutter: str, first: int, shares: list[Fraction | int], footage: dict[str, Path]
) -> None:
    path = footage["HB_quay_29.mp4"]
    planned = planned_for(path, "29.97", replace(OPEN, value=Fraction(speed), shutter=Fraction(shutter)))
    with maker_of(path, planned) as maker:
        sources = [maker.source_picture(unit) for unit in range(first, first + len(shares))]
        made = maker.made(3)
        assert same(made.frame, added(sources, [float(share / sum(shares)) for share in shares]))
        assert made.shown.kind is (FrameKind.GATHERED if len(shares) > 1 else FrameKind.UNIQUE)
        if len(shares) == 1:
            assert code_of(made.frame) == first


def test_backwards_by_fields_and_on_an_interlaced_timeline_each_moment_has_its_own(footage: dict[str, Path]) -> None:
    path = footage["HB_quay_29.mp4"]
    back = planned_for(path, "29.97", replace(OPEN, value=Fraction(4), reverse=True))
    last = back.frame_map.units - 1
    with maker_of(path, back) as maker:
        wanted = added([maker.source_picture(last - 8), maker.source_picture(last - 9)], [0.5, 0.5])
        assert same(maker.picture(2), wanted)
    split = planned_for(path, "29.97", replace(OPEN, value=Fraction(2), fields=Fields.SPLIT))
    with maker_of(path, split) as maker:
        assert same(maker.picture(2), added([maker.source_picture(8), maker.source_picture(9)], [0.5, 0.5]))
    with maker_of(path, planned_for(path, "29.97", replace(OPEN, value=Fraction(4)))) as maker:
        fields = [added([maker.source_picture(at), maker.source_picture(at + 1)], [0.5, 0.5]) for at in (8, 10)]
        maker.canvas = replace(maker.canvas, scan=TimelineScan.UPPER)
        assert same(maker.picture(2), woven(*fields))


def test_nothing_is_gathered_across_a_cut(tmp_path: Path) -> None:
    """The shot changes at frame 10: the frame that is open over it shows what comes before alone."""
    frames = [drawn(number, later=number >= 10) for number in range(20)]
    path = written(tmp_path / "two shots.mkv", frames, Fraction(25))
    planned = planned_for(path, "25", replace(OPEN, value=Fraction(4), shutter=Fraction(1)))
    with maker_of(path, planned) as maker:
        made = maker.made(2)
        assert made.across_cut and same(
            made.frame, added([maker.source_picture(8), maker.source_picture(9)], [0.5, 0.5])
        )
        assert not maker.made(1).across_cut and not maker.made(3).across_cut


@pytest.mark.parametrize("setting", SHIPPED)
def test_gathered_files_are_made_and_proven(setting: Setting, footage: dict[str, Path], tmp_path: Path) -> None:
    treatment = replace(OPEN, value=Fraction(7, 2), shutter=Fraction(3, 4))
    plan = plan_for(footage["HB_boat_59.mp4"], tmp_path, "25", treatment, setting, most=70)
    assert isinstance(plan, ClipPlan)
    render(plan)
    proof = verify(plan)
    assert proof.passed, proof
    sharp = replace(plan, conformed=replace(plan.conformed, treatment=replace(treatment, between=Between.PICK)))
    assert not verify(sharp).passed, "the same length, but not the same pictures"
    canvas = Canvas(plan.facts.width, plan.facts.height, plan.facts.pixel_aspect)
    assert plan.canvas == canvas
