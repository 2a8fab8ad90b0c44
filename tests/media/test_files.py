"""What a made file says about itself: colour, field order, pixel shape, whatever the source was."""

from fractions import Fraction
from pathlib import Path

import av
import pytest
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Framing, Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.containers.quicktime import field_order_atom, state_in_entry
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planar, planes_of
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.verify import verify

FULL_RANGE, BT2020, BT2020_TEN_BIT = 2, 9, 14


@pytest.fixture(scope="module")
def wide(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Ten frames of full range under BT.2020: a white bar that moves over black."""
    path = tmp_path_factory.mktemp("wide") / "wide.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "5"})
        stream.width, stream.height, stream.pix_fmt = 320, 240, "yuvj420p"
        codec = stream.codec_context
        codec.color_range, codec.color_primaries = FULL_RANGE, BT2020
        codec.color_trc, codec.colorspace = BT2020_TEN_BIT, BT2020
        for number in range(10):
            frame = VideoFrame(320, 240, "yuvj420p")
            for plane, value in zip(planes_of(frame), (0, 128, 128), strict=True):
                plane[:] = value
            planes_of(frame)[0][:, number * 20 : number * 20 + 60] = 255
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize("framing", [Framing.KEEP, Framing.INSIDE])
@pytest.mark.parametrize("choice", [Between.PICK, Between.MIX])
@pytest.mark.parametrize("setting", SHIPPED)
def test_range_and_primaries_are_carried_over(
    setting: Setting, choice: Between, framing: Framing, wide: Path, tmp_path: Path
) -> None:
    treatment = Treatment(Intent.SPEED, Fraction(1, 2), between=choice, framing=framing)
    planned = conform(Material(10, Rate.of(25)), treatment, Rate.of(25))
    out = tmp_path / f"made{setting.suffix}"
    plan = ClipPlan(wide, probe(wide), planned, setting, out, timeline=Canvas(640, 480))
    render(plan)
    with FrameAccess(out, probe(out)) as frames:
        frame = frames.frame(3)
        luma = planes_of(planar(frame))[0]
    assert (int(frame.color_range), int(frame.color_primaries)) == (FULL_RANGE, BT2020)
    assert luma.min() <= 2 and luma.max() >= 253, "black and white are where they were"
    assert verify(plan).passed


def test_a_field_order_is_said_in_a_file_that_has_none(footage: dict[str, Path], tmp_path: Path) -> None:
    copy = tmp_path / "copy.mov"
    with av.open(str(copy), "w") as container:
        stream = container.add_stream("dnxhd", rate=25, options={"profile": "dnxhr_hq"})
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv422p"
        for number in range(3):
            frame = VideoFrame(320, 180, "yuv422p")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    before = probe(copy)
    state_in_entry(copy, field_order_atom(FieldOrder.LOWER))
    after = probe(copy)
    assert (before.scan, after.scan, after.field_order) == (Scan.UNKNOWN, Scan.INTERLACED, FieldOrder.LOWER)
    assert (after.frames, after.file_rate, after.width) == (3, Rate.of(25), 320)
    with FrameAccess(copy, after) as frames:
        assert frames.frame(2).width == 320
    torn = tmp_path / "torn.mov"
    torn.write_bytes(copy.read_bytes()[:-20])
    with pytest.raises(RuleError, match="no index at its end"):
        state_in_entry(torn, field_order_atom(FieldOrder.UPPER))
    silent = tmp_path / "letter.mov"
    silent.write_bytes(b"\0\0\0\x10moov\0\0\0\x08free")
    with pytest.raises(RuleError, match="no video"):
        state_in_entry(silent, field_order_atom(FieldOrder.UPPER))
