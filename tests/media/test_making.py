"""What looking and rendering make of a plan, told by frame codes and by fields, against the frame map."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction
from functools import cache
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas, Placement, placed
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.decisions.treatment import Between, Effort, Fields, Framing, Intent, Span, Treatment
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.maps.frame_map import FrameKind
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import originals_of
from oddmeter.core.pictures.scan import FieldOrder, Scan, TimelineScan
from oddmeter.demo import carriers
from oddmeter.demo.framecode import read, stamp
from oddmeter.demo.motion import MOTION
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planes_of
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.inbetweens.flow import between, motion, sizes_of
from oddmeter.media.making import MadeFrame, Maker
from oddmeter.media.pictures.light import mixed
from oddmeter.media.pictures.planes import field_of, luma_of, woven
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, SHIPPED, VIEW
from oddmeter.media.verify import verify
from oddmeter.media.viewing import Viewed, Viewing
from tests.media.tagged import write_tagged

REAL = Intent.REAL_TIME
PAL, NTSC = Fraction(16, 15), Fraction(8, 9)


@contextmanager
def maker_of(path: Path, planned: Conform, canvas: Canvas | None = None, facts: Facts | None = None) -> Iterator[Maker]:
    facts = facts or probe(path)
    with FrameAccess(path, facts) as frames:
        own = canvas or Canvas(facts.width, facts.height, facts.pixel_aspect)
        yield Maker(frames, planned, own, frames.frame(0).format.name)


def code_of(frame: VideoFrame) -> int | None:
    return read(luma_of(frame))


def field_codes(frame: VideoFrame) -> list[int | None]:
    """The codes of the upper and the lower field, each drawn out to the frame's height."""
    out = []
    for name in FieldOrder:
        lines = planes_of(field_of(frame, name))[0]
        out.append(read(np.repeat(lines, 2, axis=0)[: frame.height]))
    return out


def planned_for(path: Path, timeline: str, treatment: Treatment, **known: object) -> Conform:
    facts = probe(path)
    assert facts.file_rate is not None
    return conform(Material(facts.frames, facts.file_rate, **known), treatment, Rate.parse(timeline))  # type: ignore[arg-type]


@pytest.mark.parametrize("held", [Fraction(1), Fraction(2)], ids=["not held", "on twos"])
@pytest.mark.parametrize("choice", Between)
def test_codes_agree_with_the_frame_map_whatever_is_made_between(
    choice: Between, held: Fraction, footage: dict[str, Path]
) -> None:
    """A whole position shows its frame; one close to a frame can be read as that one; one in the middle shows the two
    codes mixed, which may say nothing, but never another frame's; Gather picks where nothing runs fast. Numbers that
    change where they stand are what Flow cannot follow: it fails softly, by mixing them."""
    path = footage["HB_quay_29.mp4"]
    treatment = Treatment(REAL, between=choice, held=held, effort=Effort.QUICK, span=Span(10, 45))
    planned = planned_for(path, "25", treatment)
    built: list[int | None] = []
    with maker_of(path, planned) as maker:
        for number in range(planned.frame_map.length):
            weights = planned.frame_map.weights(number)
            made = maker.made(number)
            if choice in (Between.PICK, Between.GATHER) or weights.is_alone:
                assert code_of(made.frame) == 10 + planned.frame_map.pick(number)
                assert made.shown.kind in (FrameKind.UNIQUE, FrameKind.HELD)
            else:
                code = code_of(made.frame)
                built.append(code)
                if weights.beyond_first <= Fraction(1, 5):
                    assert code == 10 + weights.first
                elif weights.beyond_first >= (Fraction(3, 4) if choice is Between.FLOW else Fraction(19, 20)):
                    assert code == 10 + weights.parts[1][0]
                elif code is not None:
                    assert code in [10 + unit for unit, _ in weights.parts]
                repeated = number > 0 and planned.frame_map.weights(number - 1) == weights
                assert made.shown.kind is (
                    FrameKind.HELD if repeated else FrameKind.MADE if choice is Between.FLOW else FrameKind.MIXED
                )
    assert (len(built) > 20) is (choice in (Between.MIX, Between.FLOW))
    if choice is Between.FLOW:
        assert built.count(None) <= 2 * len(built) // 5


def test_what_the_bench_shows_is_what_is_rendered(footage: dict[str, Path], tmp_path: Path) -> None:
    """In any order, backwards too, to the sample."""
    path = footage["HB_quay_29.mp4"]
    treatment = Treatment(Intent.PACE, Fraction(1, 2), between=Between.FLOW, effort=Effort.QUICK, span=Span(20, 40))
    planned = planned_for(path, "25", treatment)
    plan = ClipPlan(path, probe(path), planned, ARCHIVE, tmp_path / "made.mkv")
    render(plan)
    with FrameAccess(plan.out, probe(plan.out)) as rendered, maker_of(path, planned) as maker:
        for number in reversed(range(planned.frame_map.length)):
            pairs = zip(planes_of(rendered.frame(number)), planes_of(maker.made(number).frame), strict=True)
            assert all(np.array_equal(a, b) for a, b in pairs), number
    assert verify(plan).passed


def test_a_clip_runs_backwards_from_its_last_frame(footage: dict[str, Path], tmp_path: Path) -> None:
    path = footage["HB_quay_29.mp4"]
    planned = planned_for(path, "29.97", Treatment(Intent.EVERY_FRAME, reverse=True, span=Span(5, 60)))
    plan = ClipPlan(path, probe(path), planned, VIEW, tmp_path / "back.mp4")
    render(plan)
    with FrameAccess(plan.out, probe(plan.out)) as frames:
        assert [code_of(frames.frame(n)) for n in range(56)] == list(range(60, 4, -1))
    proof = verify(plan)
    assert proof.passed, proof


def written(path: Path, frames: list[np.ndarray], rate: Fraction, order: str | None = None) -> Path:
    """Frames written without loss, in 4:2:0."""
    with av.open(str(path), "w", format="matroska") as container:
        options = {"level": "3"} | ({"field_order": "bb" if order == FieldOrder.LOWER else "tt"} if order else {})
        stream = container.add_stream("ffv1", rate=rate, options=options)
        stream.height, stream.width = frames[0].shape[:2]
        stream.pix_fmt = "yuv444p"
        for number, picture in enumerate(frames):
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv444p")
            frame.pts, frame.time_base = number, 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


@cache
def drawn(number: int, size: tuple[int, int] = (384, 288), later: bool = False) -> np.ndarray:
    scene = MOTION["swinging bell" if later else "rotation"]
    picture = scene(number / 24, *size)
    stamp(picture, number)
    picture.setflags(write=False)
    return picture


@pytest.fixture(scope="module")
def pulled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Film at 23.976 in 29.97, lower field first, without loss; the phase changes at frame 63."""
    carrier = carriers.pulldown(FieldOrder.LOWER, "2:3", 1, 63, 3)

    def picture(number: int) -> np.ndarray:
        return drawn(number, later=number >= 10_000)

    frames = [carriers.woven(carrier(n), picture) for n in range(130)]
    return written(tmp_path_factory.mktemp("pulled") / "choir.mkv", frames, Fraction(30000, 1001), FieldOrder.LOWER)


def test_pulldown_comes_out_frame_for_frame_across_a_change_of_phase(pulled: Path, tmp_path: Path) -> None:
    facts = probe(pulled)
    report = analyse(pulled, facts, whole=True)
    originals = originals_of(report)
    assert originals is not None and facts.file_rate is not None
    assert [(s.first_frame, s.pattern) for s in report.pulldown] == [(0, "2:3"), (63, "2:3")]
    material = Material(facts.frames, facts.file_rate, field_order=FieldOrder.LOWER, originals=originals)
    treatment = Treatment(Intent.EVERY_FRAME, fields=Fields.ORIGINAL)
    planned = conform(material, treatment, Rate.parse("23.976"))
    assert planned.speed == planned.stride == 1 and planned.frame_map.length == 104
    plan = ClipPlan(pulled, facts, planned, ARCHIVE, tmp_path / "film.mkv")
    render(plan)
    shown_codes = []
    with FrameAccess(plan.out, probe(plan.out)) as made:
        for number in range(104):
            frame = made.frame(number)
            code = code_of(frame)
            assert code is not None, number
            shown_codes.append(code)
            unit = planned.unit(number)
            if None not in (unit.upper, unit.lower):
                true = VideoFrame.from_ndarray(drawn(code, later=code >= 10_000), format="bgr24")
                pairs = zip(planes_of(frame), planes_of(true.reformat(format="yuv444p")), strict=True)
                assert all(np.array_equal(a, b) for a, b in pairs), number
    first = [code for code in shown_codes if code < 10_000]
    second = [code for code in shown_codes if code >= 10_000]
    assert shown_codes == first + second
    assert first == list(range(first[0], first[0] + len(first)))
    assert second == list(range(second[0], second[0] + len(second)))
    assert sum(None in (planned.unit(n).upper, planned.unit(n).lower) for n in range(104)) <= 2
    assert verify(plan).passed


def test_repeats_come_out_and_in_between_pictures_are_built_of_what_is_left(tmp_path: Path) -> None:
    """Film at 18 held in 29.97: flow never builds from a frame to its twin, and stands at the true moment."""
    held = carriers.held(Fraction(18), Fraction(30000, 1001))
    frames = [carriers.woven(held(n), drawn) for n in range(120)]
    path = written(tmp_path / "wedding.mkv", frames, Fraction(30000, 1001))
    facts = probe(path)
    originals = originals_of(analyse(path, facts, whole=True))
    assert originals is not None and facts.file_rate is not None
    material = Material(facts.frames, facts.file_rate, originals=originals)
    taken = conform(material, Treatment(Intent.EVERY_FRAME, fields=Fields.ORIGINAL), Rate.of(18))
    with maker_of(path, taken) as maker:
        assert [code_of(maker.made(n).frame) for n in range(taken.frame_map.length)] == list(range(72))
    flow = Treatment(Intent.SPEED, Fraction(1), between=Between.FLOW, effort=Effort.QUICK)
    smooth = conform(material, flow, Rate.parse("29.97"))
    assert smooth.fields is Fields.ORIGINAL and smooth.frame_map.length == 120
    with maker_of(path, smooth) as maker:
        for number in (11, 37, 64):
            true = MOTION["rotation"](float(smooth.frame_map.position(number)) / 24, 384, 288)
            luma = planes_of(VideoFrame.from_ndarray(true, format="bgr24").reformat(format="yuv444p"))[0]
            made = planes_of(maker.made(number).frame)[0]
            error = (luma[:230, 100:].astype(float) - made[:230, 100:]) ** 2
            assert 10 * np.log10(255**2 / error.mean()) > 30, number


@pytest.mark.parametrize("setting", SHIPPED)
@pytest.mark.parametrize("order", FieldOrder)
def test_every_setting_says_which_field_comes_first(
    order: FieldOrder, setting: Setting, footage: dict[str, Path], tmp_path: Path
) -> None:
    path = footage["FD1_A01_interview.mov"]
    facts = probe(path)
    planned = planned_for(path, "29.97", Treatment(REAL, span=Span(0, 24), framing=Framing.INSIDE))
    out = tmp_path / f"made{setting.suffix}"
    plan = ClipPlan(path, facts, planned, setting, out, True, Canvas(720, 480, NTSC, TimelineScan(order)), 48_000)
    render(plan)
    assert (probe(out).scan, probe(out).field_order) == (Scan.INTERLACED, order)
    proof = verify(plan)
    assert proof.passed, proof


@pytest.mark.parametrize("order", FieldOrder)
def test_each_field_of_an_interlaced_frame_has_its_own_moment(
    order: FieldOrder, footage: dict[str, Path], tmp_path: Path
) -> None:
    """A clip at 59.94 on 29.97 interlaced: every frame of it is a field; our own analysis finds the order again."""
    path = footage["HB_boat_59.mp4"]
    facts = probe(path)
    planned = planned_for(path, "29.97", Treatment(REAL, span=Span(0, 99)))
    canvas = Canvas(facts.width, facts.height, facts.pixel_aspect, TimelineScan(order))
    plan = ClipPlan(path, facts, planned, ARCHIVE, tmp_path / "tape.mkv", True, canvas)
    render(plan)
    made = probe(plan.out)
    assert (made.scan, made.field_order) == (Scan.INTERLACED, order)
    with FrameAccess(plan.out, made) as frames:
        for number in range(50):
            codes = field_codes(frames.frame(number))
            assert codes == (
                [2 * number, 2 * number + 1] if order == FieldOrder.UPPER else [2 * number + 1, 2 * number]
            )
    seen = {s.field_order for s in analyse(plan.out, made, whole=True).stretches if s.field_order}
    assert seen == {order}
    proof = verify(plan)
    assert proof.passed, proof
    other = replace(plan, timeline=replace(canvas, scan=TimelineScan(order.other)))
    assert {check.name for check in verify(other).checks if not check.passed} >= {"fields", "pictures"}


def test_pulldown_is_put_in_where_film_goes_to_interlaced_video(tmp_path: Path) -> None:
    path = written(tmp_path / "film.mkv", [drawn(n) for n in range(24)], Fraction(24000, 1001))
    planned = planned_for(path, "29.97", Treatment(REAL))
    canvas = Canvas(384, 288, scan=TimelineScan.UPPER)
    with maker_of(path, planned, canvas) as maker:
        fields = [code for n in range(30) for code in field_codes(maker.made(n).frame)]
    runs = [fields.count(code) for code in range(24)]
    assert fields == sorted(code for code in fields if code is not None)
    assert set(zip(runs[0::2], runs[1::2], strict=True)) == {(3, 2)}


def test_split_and_deinterlaced_pictures_are_whole_and_in_time_order(tmp_path: Path) -> None:
    in_fields = carriers.in_fields(FieldOrder.LOWER)
    frames = [carriers.woven(in_fields(n), lambda k: drawn(k, (480, 576))) for n in range(20)]
    path = written(tmp_path / "tape.mkv", frames, Fraction(25), FieldOrder.LOWER)
    split = planned_for(
        path, "50", Treatment(Intent.SPEED, Fraction(1), fields=Fields.SPLIT), field_order=FieldOrder.LOWER
    )
    with maker_of(path, split) as maker:
        # A code whose last bit tells the fields apart looks like still detail between the lines that are there.
        own = [field_codes(maker.made(n).frame)[(n + 1) % 2] for n in range(40)]
        assert own == list(range(40))
        true = VideoFrame.from_ndarray(drawn(21, (480, 576)), format="bgr24").reformat(format="yuv444p")
        kept = planes_of(maker.made(21).frame)[0][0::2], planes_of(true)[0][0::2]
        assert np.array_equal(*kept), "the lines that are there stay what they are"
    one = planned_for(
        path, "25", Treatment(Intent.SPEED, Fraction(1), fields=Fields.DEINTERLACE), field_order=FieldOrder.LOWER
    )
    with maker_of(path, one) as maker:
        assert [field_codes(maker.made(n).frame)[1] for n in range(20)] == list(range(0, 40, 2))


def test_nothing_is_built_across_a_cut(tmp_path: Path) -> None:
    frames = [drawn(n) for n in range(8)] + [drawn(n, later=True) for n in range(8, 16)]
    path = written(tmp_path / "cut.mkv", frames, Fraction(25))
    for choice in (Between.MIX, Between.FLOW):
        planned = planned_for(path, "25", Treatment(Intent.SPEED, Fraction(1, 2), between=choice))
        with maker_of(path, planned) as maker:
            made = [maker.made(n) for n in range(31)]
        assert [n for n, one in enumerate(made) if one.across_cut] == [15]
        assert code_of(made[15].frame) == 7


def test_a_flash_and_a_fade_are_no_cuts(tmp_path: Path) -> None:
    bright = [np.clip(drawn(n).astype(int) + (90 if n == 3 else 0), 0, 255).astype(np.uint8) for n in range(6)]
    faded = [(drawn(n) * (1 - n / 8)).astype(np.uint8) for n in range(6)]
    for name, frames in (("flash", bright), ("fade", faded)):
        path = written(tmp_path / f"{name}.mkv", frames, Fraction(25))
        planned = planned_for(path, "25", Treatment(Intent.SPEED, Fraction(1, 2), between=Between.FLOW))
        with maker_of(path, planned) as maker:
            assert not any(maker.made(n).across_cut for n in range(11)), name


@pytest.mark.parametrize("scene", MOTION)
def test_no_built_frame_is_worse_than_a_mixed_one(scene: str) -> None:
    size = (640, 360)
    first, true, second = (
        VideoFrame.from_ndarray(MOTION[scene](0.4 + n / 50, *size), format="bgr24").reformat(format="yuv420p")
        for n in range(3)
    )

    def likeness(frame: VideoFrame) -> float:
        error = np.mean((planes_of(frame)[0].astype(np.float64) - planes_of(true)[0]) ** 2)
        return float(10 * np.log10(255**2 / error))

    mix = likeness(mixed(first, second, 0.5))
    for effort in Effort:
        built = between(first, second, motion(sizes_of(first), sizes_of(second), effort), 0.5, effort, 96, 0.5)
        assert likeness(built.frame) > mix - 0.1, effort


def test_trust_and_reach_decide_what_is_mixed() -> None:
    size = (640, 360)
    first, second = (
        VideoFrame.from_ndarray(MOTION["swinging bell"](0.4 + n / 25, *size), format="bgr24").reformat(format="yuv420p")
        for n in range(2)
    )
    found, mix = motion(sizes_of(first), sizes_of(second), Effort.NORMAL), mixed(first, second, 0.5)

    def share(reach: int, trust: float) -> float:
        return float(between(first, second, found, 0.5, Effort.NORMAL, reach, trust).mixed_part.mean())

    shares = [share(1000, trust) for trust in (0.0, 0.5, 0.9, 1.0)]
    assert shares == sorted(shares) and shares[0] == 0 and shares[-1] == 1
    assert share(2, 0.5) > share(96, 0.5)
    nothing_built = between(first, second, found, 0.5, Effort.NORMAL, 96, 1.0).frame
    assert all(np.array_equal(a, b) for a, b in zip(planes_of(nothing_built), planes_of(mix), strict=True))


def test_light_is_mixed_not_code_values() -> None:
    """Half black and half white is as bright as half the light of white: code 16 + 219 · 0.5^(1/2.4)."""
    black, white = (VideoFrame(32, 32, "yuv420p") for _ in range(2))
    for frame, luma in ((black, 16), (white, 235)):
        for plane, value in zip(planes_of(frame), (luma, 128, 128), strict=True):
            plane[:] = value
    half = planes_of(mixed(black, white, 0.5))
    assert half[0][0, 0] == round(16 + 219 * 0.5 ** (1 / 2.4)) and half[1][0, 0] == half[2][0, 0] == 128
    assert np.array_equal(planes_of(mixed(white, white, 0.3))[0], planes_of(white)[0])


@pytest.mark.parametrize(("curve", "wanted"), [(1, 558), (16, 635), (18, 592)], ids=["BT.709", "PQ", "HLG"])
def test_a_mix_takes_the_light_of_the_curve_that_the_file_names(curve: int, wanted: int, tmp_path: Path) -> None:
    """Half way from code 300 to code 700 of ten bits, as each standard's own formula gives it."""
    path = write_tagged(tmp_path / "lamp.mkv", (300, 700, 700), size=(64, 48), curve=curve)
    planned = planned_for(path, "25", Treatment(Intent.PACE, Fraction(1, 2), between=Between.MIX))
    with maker_of(path, planned) as maker:
        assert planes_of(maker.picture(1))[0][0, 0] == wanted


@pytest.mark.parametrize(
    ("size", "shape", "canvas", "framing", "wanted"),
    [
        ((720, 576), PAL, Canvas(1920, 1080), Framing.INSIDE, Placement(1440, 1080, 240, 0)),
        ((720, 576), Fraction(64, 45), Canvas(1920, 1080), Framing.INSIDE, Placement(1920, 1080, 0, 0)),
        ((720, 480), NTSC, Canvas(720, 576, PAL), Framing.INSIDE, Placement(720, 576, 0, 0)),
        ((720, 480), Fraction(32, 27), Canvas(1920, 1080), Framing.INSIDE, Placement(1920, 1080, 0, 0)),
        ((1920, 1080), Fraction(1), Canvas(720, 576, PAL), Framing.WIDTH, Placement(720, 432, 0, 72)),
        ((1920, 1080), Fraction(1), Canvas(720, 480, NTSC), Framing.FILL, Placement(960, 480, -120, 0)),
        ((1920, 1080), Fraction(1), Canvas(720, 480, NTSC), Framing.HEIGHT, Placement(960, 480, -120, 0)),
        ((640, 360), Fraction(1), Canvas(720, 576, PAL), Framing.STRETCH, Placement(720, 576, 0, 0)),
    ],
)
def test_pictures_keep_their_shape_in_another_raster(
    size: tuple[int, int], shape: Fraction, canvas: Canvas, framing: Framing, wanted: Placement
) -> None:
    assert placed(*size, shape, canvas, framing) == wanted


def test_a_circle_stays_round_and_colour_is_converted(tmp_path: Path) -> None:
    """From 720 × 576 in 16/15 to 1920 × 1080: a red disc keeps its shape, and its colour under the other matrix."""
    picture = np.full((576, 720, 3), 90, np.uint8)
    rows, columns = np.mgrid[0:576, 0:720]
    picture[((columns - 360) * 16 / 15) ** 2 + (rows - 288) ** 2 < 150**2] = (40, 40, 200)
    path = written(tmp_path / "disc.mkv", [picture] * 3, Fraction(25))
    facts = replace(probe(path), pixel_aspect=PAL)
    planned = planned_for(path, "25", Treatment(REAL, framing=Framing.INSIDE))
    with FrameAccess(path, facts) as frames:
        made = Maker(frames, planned, Canvas(1920, 1080), "yuv444p").made(0).frame
    assert (made.width, made.height, int(made.colorspace)) == (1920, 1080, 1)
    luma, _, red = planes_of(made)
    disc = red > 150
    wide, high = np.ptp(np.flatnonzero(disc.any(axis=0))), np.ptp(np.flatnonzero(disc.any(axis=1)))
    assert abs(wide - high) <= 3
    y = 16 + 219 * (0.2126 * 200 + 0.7152 * 40 + 0.0722 * 40) / 255
    assert abs(float(luma[540, 960]) - y) < 2.5 and luma[540, 100] == 16


def test_fields_are_scaled_each_for_itself(tmp_path: Path) -> None:
    """Woven fields of two moments come into another raster without running into each other."""
    in_fields = carriers.in_fields(FieldOrder.UPPER)
    frames = [carriers.woven(in_fields(n), lambda k: drawn(k, (720, 576))) for n in range(3)]
    path = written(tmp_path / "tape.mkv", frames, Fraction(25), FieldOrder.UPPER)
    facts = replace(probe(path), pixel_aspect=PAL)
    planned = planned_for(path, "25", Treatment(Intent.SPEED, Fraction(1), framing=Framing.STRETCH))
    canvas = Canvas(720, 480, NTSC, TimelineScan.UPPER)
    with FrameAccess(path, facts) as access:
        made = Maker(access, planned, canvas, "yuv444p").made(1).frame
    drawn_out = [cv2.resize(planes_of(field_of(made, name))[0], (720, 576)) for name in FieldOrder]
    assert [read(np.asarray(lines, np.uint8)) for lines in drawn_out] == [2, 3]
    still = drawn(2, (720, 576))
    frame = VideoFrame.from_ndarray(still, format="bgr24").reformat(format="yuv444p")
    whole = np.asarray(planes_of(frame)[0], np.float64)
    for offset in (0, 1):
        rows = (np.arange(offset, 480, 2) + 0.5) * 576 / 480 - 0.5
        low = np.floor(rows).astype(int)
        wanted = whole[low] * (1 - rows % 1)[:, None] + whole[np.minimum(low + 1, 575)] * (rows % 1)[:, None]
        same = carriers.woven(carriers.each(2), lambda k: still)
        path = written(tmp_path / f"still{offset}.mkv", [same] * 2, Fraction(25), FieldOrder.UPPER)
        facts = replace(probe(path), pixel_aspect=PAL)
        plan = planned_for(path, "25", Treatment(Intent.SPEED, Fraction(1), framing=Framing.STRETCH))
        with FrameAccess(path, facts) as access:
            lines = planes_of(Maker(access, plan, canvas, "yuv444p").made(0).frame)[0][offset::2]
        assert np.abs(lines[20:-20] - wanted[20:-20]).mean() < 4, "each line stands where it belongs"


def test_what_a_frame_shows_is_named(footage: dict[str, Path]) -> None:
    path = footage["HB_quay_29.mp4"]
    slow = planned_for(path, "25", Treatment(Intent.SPEED, Fraction(1, 3), span=Span(0, 9)))
    looks = [slow.shown(n).kind for n in range(slow.frame_map.length)]
    assert looks.count(FrameKind.UNIQUE) == 10 and looks.count(FrameKind.REPEATED) == slow.frame_map.repeated
    film = planned_for(path, "23.976", Treatment(Intent.SPEED, Fraction(3, 4), between=Between.MIX, span=Span(0, 9)))
    last = [film.shown(n) for n in range(film.frame_map.length)]
    held_from = film.frame_map.held_from
    assert held_from is None or last[held_from].moments[0].first == 9
    made: MadeFrame
    with maker_of(path, film) as maker:
        made = maker.made(1)
    assert made.shown == last[1] and woven(made.frame, made.frame).height == made.frame.height


def test_many_may_look_at_the_same_frames_at_once(footage: dict[str, Path], tmp_path: Path) -> None:
    """A decoded frame is shared by all who look at it, and what converts its colour works for one at a time."""
    path = footage["HB_quay_29.mp4"]
    facts = probe(path)
    planned = planned_for(path, "25", Treatment(REAL))
    subject = Viewed(path, facts, planned, Canvas(facts.width, facts.height))
    viewing = Viewing(tmp_path / "shelf")
    asked = [(number, part) for number in range(30) for part in (None, "upper", "lower", "trust")]
    with ThreadPoolExecutor(8) as pool:
        seen = list(pool.map(lambda one: viewing.final(subject, *one), asked))
    viewing.close()
    whole = [data for data, (_, part) in zip(seen, asked, strict=True) if part is None]
    codes = [read(np.asarray(cv2.imdecode(np.frombuffer(d, np.uint8), cv2.IMREAD_GRAYSCALE), np.uint8)) for d in whole]
    assert codes == [planned.frame_map.pick(number) for number in range(30)]


def test_a_picture_that_cannot_be_decoded_spoils_none_but_its_own(
    footage: dict[str, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Flow looks at the pictures beside the two that it builds between; where one is broken, it does without."""
    path = footage["HB_quay_29.mp4"]
    planned = planned_for(path, "60", Treatment(REAL, between=Between.FLOW, effort=Effort.QUICK, span=Span(10, 20)))
    with maker_of(path, planned) as maker:
        whole = maker._units.picture

        def broken(unit: int) -> VideoFrame:
            if unit in (2, 5):
                raise RuleError(f"Frame {unit} cannot be decoded.", "media")
            return whole(unit)

        monkeypatch.setattr(maker._units, "picture", broken)
        number = next(n for n in range(20) if planned.frame_map.weights(n).first == 3)
        weights = planned.frame_map.weights(number)
        assert [unit for unit, _ in weights.parts] == [3, 4]
        made = maker.made(number)
        assert made.shown.kind is FrameKind.MADE and made.mixed_part is not None and made.mixed_part.mean() < 0.2
        with pytest.raises(RuleError, match="Frame 5 cannot be decoded"):
            maker.made(next(n for n in range(30) if planned.frame_map.weights(n).first == 4 and n > number + 1))
