"""Files made along clocks and curves, held against the codes in their pictures."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import Between, Effort, Intent, Span, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planar, planes_of
from oddmeter.media.frames.decode import FrameReader, frames_from
from oddmeter.media.pictures.planes import field_of
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, SHIPPED
from oddmeter.media.verify import verify

PEAK = Curve.parse({"points": [
    {"frame": 40, "leaves": "1"}, {"frame": 60, "leaves": "1/5", "holds": 3}, {"frame": 80, "leaves": "1/5"},
    {"frame": 110, "leaves": "3/2", "ease": [1, 1]},
]})  # fmt: skip
THERE_AND_BACK = Curve.parse({"points": [
    {"frame": 30, "leaves": "1"}, {"frame": 60, "leaves": "0"}, {"frame": 40, "leaves": "-1/2"},
]})  # fmt: skip
BY_ITS_TIMES = Treatment(Intent.REAL_TIME, span=Span(60, 200))
CASES = {
    "a slow stretch, by its times": ("PH_rope_slow.mp4", BY_ITS_TIMES),
    "the same, read evenly": ("PH_rope_slow.mp4", Treatment(Intent.EVERY_FRAME, span=Span(100, 160))),
    "jitter, by its times": ("PH_pier_walk.mp4", Treatment(Intent.PACE, Fraction(1, 2), span=Span(0, 60))),
    "a curve": ("FD1_B01_bell_swing_100.mov", Treatment(Intent.CURVE, curve=PEAK, span=Span(20, 150))),
    "there and back": ("FD1_B01_bell_swing_100.mov", Treatment(Intent.CURVE, curve=THERE_AND_BACK, span=Span(10, 90))),
    "a curve on uneven times": ("PH_rope_slow.mp4", Treatment(Intent.CURVE, curve=PEAK, span=Span(20, 150))),
}


def plan_of(
    source: Path, out: Path, treatment: Treatment, setting: Setting, scan: TimelineScan = TimelineScan.PROGRESSIVE
) -> ClipPlan:
    facts = probe(source)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate, clock=facts.clock), treatment, Rate.of(25))
    canvas = None if scan is TimelineScan.PROGRESSIVE else Canvas(facts.width, facts.height, facts.pixel_aspect, scan)
    return ClipPlan(source, facts, planned, setting, out / f"made{setting.suffix}", timeline=canvas)


@pytest.mark.parametrize(
    ("name", "setting"), [*zip(CASES, SHIPPED * 2, strict=True), *(("a curve", setting) for setting in SHIPPED)]
)
def test_every_picture_is_the_one_that_the_map_picks(
    name: str, setting: Setting, footage: dict[str, Path], tmp_path: Path
) -> None:
    clip, treatment = CASES[name]
    plan = plan_of(footage[clip], tmp_path, treatment, setting)
    render(plan)
    assert verify(plan).passed
    frame_map, first = plan.conformed.frame_map, plan.conformed.span[0]
    with FrameReader(plan.out) as made:
        found = [read(planes_of(planar(made.frame(n)))[0].astype(np.uint8)) for n in range(frame_map.length)]
    assert found == [first + unit for unit in frame_map.picks()]


@pytest.mark.parametrize("between", [Between.MIX, Between.FLOW])
@pytest.mark.parametrize("name", ["jitter, by its times", "a curve", "there and back"])
def test_moments_between_are_made_and_proven(
    name: str, between: Between, footage: dict[str, Path], tmp_path: Path
) -> None:
    clip, treatment = CASES[name]
    span = Span(28, 64)  # all points of the curve, and little else
    wanted = Treatment(
        treatment.intent, treatment.value, between=between, effort=Effort.QUICK, span=span,
        curve=None if treatment.curve is None else THERE_AND_BACK,
    )  # fmt: skip
    plan = plan_of(footage[clip], tmp_path, wanted, ARCHIVE)
    render(plan)
    proof = verify(plan)
    assert proof.passed, proof
    assert plan.conformed.tally().made > plan.conformed.frame_map.length / 3


@pytest.mark.parametrize("name", ["a slow stretch, by its times", "a curve"])
def test_each_field_of_an_interlaced_timeline_is_at_its_own_moment(
    name: str, footage: dict[str, Path], tmp_path: Path
) -> None:
    clip, treatment = CASES[name]
    plan = plan_of(footage[clip], tmp_path, treatment, ARCHIVE, TimelineScan.UPPER)
    render(plan)
    assert verify(plan).passed
    frame_map, first = plan.conformed.frame_map, plan.conformed.span[0]
    with FrameReader(plan.out) as made:
        for number in range(frame_map.length):
            frame = made.frame(number)
            for late, field in ((False, FieldOrder.UPPER), (True, FieldOrder.LOWER)):
                lines = planes_of(planar(field_of(frame, field)))[0].astype(np.uint8)
                found = read(np.repeat(lines, 2, axis=0))
                assert found == first + frame_map.pick(number, late=late), (number, field)


def test_frames_of_a_variable_clip_are_reached_without_decoding_all(footage: dict[str, Path]) -> None:
    for name in ("PH_rope_slow.mp4", "PH_pier_walk.mp4"):
        facts = probe(footage[name])
        for first in (0, 1, 37, 120, 121, facts.frames - 1):
            with frames_from(footage[name], facts, first) as frames:
                assert read(planes_of(planar(next(frames)))[0].astype(np.uint8)) == first
