"""Samples, lines and colour: what need not change does not, at every depth and in every kind of picture."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Effort, Framing, Intent, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo.motion import MOTION
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import empty_like, planar, planes_of, reformatted
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.making import Maker
from oddmeter.media.pictures.light import mix_into, mixed
from oddmeter.media.pictures.planes import (
    by_field,
    eight_bit_rgb,
    field_of,
    frame_of,
    from_one_field,
    luma_weights,
    matrix_of,
    rematrixed,
    rgb_of,
    woven,
    woven_fields,
)
from oddmeter.media.pictures.raster import framed
from oddmeter.media.pictures.stills import blended

FORMATS = ["yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p16le", "gray", "gbrp", "yuv411p"]
ODD = (37, 23)
ODD_PICTURES = [("yuv422p10le", (96, 64)), ("gray", (50, 30)), ("yuv420p", (34, 18)), ("bgr0", (64, 48))]


def noisy(name: str, seed: int = 1, size: tuple[int, int] = (64, 48)) -> VideoFrame:
    """A frame whose every sample is another, within what is legal."""
    frame = VideoFrame(*size, name)
    dice, bits = np.random.default_rng(seed), frame.format.components[0].bits
    for plane in planes_of(frame):
        plane[:] = dice.integers(16 << (bits - 8), 235 << (bits - 8), plane.shape)
    return frame


def same(a: VideoFrame, b: VideoFrame) -> bool:
    return all(np.array_equal(x, y) for x, y in zip(planes_of(a), planes_of(b), strict=True))


@pytest.mark.parametrize("size", [(64, 48), ODD], ids=["even", "odd"])
@pytest.mark.parametrize("name", FORMATS)
def test_lines_are_pulled_apart_and_woven_again_without_a_change(name: FieldOrder, size: tuple[int, int]) -> None:
    a, b = noisy(name, 1, size), noisy(name, 2, size)
    assert same(woven(a, a), a)
    assert same(woven_fields(field_of(a, FieldOrder.UPPER), field_of(a, FieldOrder.LOWER)), a)
    assert same(by_field(a, lambda frame, _: frame), a)
    both = woven(a, b)
    for made, upper, lower in zip(planes_of(both), planes_of(a), planes_of(b), strict=True):
        assert np.array_equal(made[0::2], upper[0::2]) and np.array_equal(made[1::2], lower[1::2])


@pytest.mark.parametrize("name", [FieldOrder.UPPER, FieldOrder.LOWER])
def test_a_picture_of_one_field_keeps_its_lines_and_fills_in_the_others(name: FieldOrder) -> None:
    frame = VideoFrame(64, 48, "yuv444p")
    for plane in planes_of(frame):
        plane[:] = (np.arange(48) * 4)[:, None]
    made = from_one_field(frame, name)
    for own, plane in zip(planes_of(made), planes_of(frame), strict=True):
        kept = 0 if name == FieldOrder.UPPER else 1
        assert np.array_equal(own[kept::2], plane[kept::2])
        assert np.abs(own[2:-2].astype(int) - plane[2:-2]).max() <= 1, "lines between are the mean of their neighbours"


@pytest.mark.parametrize("name", FORMATS)
def test_a_mix_of_a_picture_with_itself_is_that_picture(name: FieldOrder) -> None:
    frame = noisy(name)
    for weight in (0.0, 0.25, 0.5, 1.0):
        made = mixed(frame, frame, weight)
        assert made.format.name == name
        off = max(int(np.abs(a.astype(int) - b).max()) for a, b in zip(planes_of(made), planes_of(frame), strict=True))
        assert off <= (1 if frame.format.components[0].bits <= 8 else 1 << (frame.format.components[0].bits - 8))


def test_a_mix_at_its_ends_is_either_picture_and_grows_with_its_weight() -> None:
    a, b = noisy("yuv444p", 1), noisy("yuv444p", 2)
    for weight, wanted in ((0.0, a), (1.0, b)):
        off = [
            np.abs(x.astype(int) - y).max()
            for x, y in zip(planes_of(mixed(a, b, weight)), planes_of(wanted), strict=True)
        ]
        assert max(off) <= 1
    dark, light = VideoFrame(16, 16, "gray"), VideoFrame(16, 16, "gray")
    planes_of(dark)[0][:], planes_of(light)[0][:] = 0, 255
    levels = [int(planes_of(mixed(dark, light, weight))[0][0, 0]) for weight in (0, 0.1, 0.3, 0.5, 0.9, 1)]
    assert levels == sorted(levels) and levels[0] == 0 and levels[-1] == 255
    assert levels[3] == round(255 * 0.5 ** (1 / 2.4))


def test_only_what_is_asked_for_is_mixed_into_a_picture() -> None:
    a, b, made = noisy("yuv420p", 1), noisy("yuv420p", 2), noisy("yuv420p", 3)
    part = np.zeros((48, 64), np.float32)
    part[8:24, 16:48] = 1
    before = [plane.copy() for plane in planes_of(made)]
    mix_into(made, a, b, 0.5, part)
    whole = planes_of(mixed(a, b, 0.5))
    luma = planes_of(made)[0]
    assert np.array_equal(luma[8:24, 16:48], whole[0][8:24, 16:48])
    assert np.array_equal(luma[:8], before[0][:8]) and np.array_equal(luma[24:], before[0][24:])
    assert np.array_equal(planes_of(made)[1][:4], before[1][:4])
    untouched = [plane.copy() for plane in planes_of(made)]
    mix_into(made, a, b, 0.5, np.zeros((48, 64), np.float32))
    assert all(np.array_equal(x, y) for x, y in zip(planes_of(made), untouched, strict=True))


@pytest.mark.parametrize(("lines", "matrix", "red"), [(1080, 1, 0.2126), (576, 6, 0.299), (480, 6, 0.299)])
def test_the_matrix_of_an_unflagged_picture_is_that_of_its_lines(lines: int, matrix: int, red: float) -> None:
    frame = VideoFrame(64, lines, "yuv420p")
    assert matrix_of(frame) == matrix and luma_weights(frame)[0] == red
    frame.colorspace = 9
    assert matrix_of(frame) == 9 and luma_weights(frame)[0] == 0.2627


def test_colour_goes_to_another_matrix_and_back() -> None:
    picture = MOTION["crossing objects"](0.3, 320, 180)
    frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv444p", dst_colorspace="itu709")
    frame.colorspace = 1
    there = rematrixed(frame, 6)
    assert int(there.colorspace) == 6 and not same(there, frame)
    back = rematrixed(there, 1)
    off = [float(np.abs(a.astype(int) - b).mean()) for a, b in zip(planes_of(back), planes_of(frame), strict=True)]
    assert max(off) < 1
    assert np.abs(rgb_of(there).astype(int) - rgb_of(frame)).mean() < 1.5, "the colours are the same"
    assert rematrixed(frame, 1) is frame


@pytest.mark.parametrize(("lines", "red", "blue"), [(1080, 0.2126, 0.0722), (576, 0.299, 0.114)])
@pytest.mark.parametrize("name", ["yuv420p", "yuv422p10le"])
@pytest.mark.parametrize("full", [False, True])
def test_what_is_seen_is_what_the_matrix_says_to_one_level(
    name: str, full: bool, lines: int, red: float, blue: float
) -> None:
    frame, dice = noisy(name, 3, (64, lines)), np.random.default_rng(4)
    frame.color_range = ColorRange.JPEG if full else ColorRange.MPEG
    bits = frame.format.components[0].bits
    one, most = 1 << bits - 8, (1 << bits) - 1
    black, grey_range, colour_range = (0, most, most) if full else (16 * one, 219 * one, 224 * one)
    luma, *colour = planes_of(frame)
    for plane in colour:  # in stripes; what lies between two depends on how it is read, and is not asked for
        stripes = dice.integers(96 * one, 160 * one, lines // 12)
        plane[:] = np.repeat(stripes, 12 * len(plane) // lines)[:, None]
    grey = (luma.astype(float) - black) / grey_range * 255
    of_blue, of_red = (
        2 * (1 - share) * (np.repeat(plane, lines // len(plane), 0)[:, :1] - 128.0 * one) / colour_range * 255
        for share, plane in zip((blue, red), colour, strict=True)
    )
    green = grey - (red * of_red + blue * of_blue) / (1 - red - blue)
    wanted = np.stack([grey + of_red, green, grey + of_blue], -1).clip(0, 255)
    inner = np.isin(np.arange(lines) % 12, range(3, 9))
    assert np.abs(eight_bit_rgb(frame) - wanted)[inner].max() <= 1


@pytest.mark.parametrize("name", ["yuv420p", "yuv422p10le", "gbrp", "nv12", "rgb24", "bgr0", "pal8"])
def test_every_kind_of_picture_comes_into_planes_of_its_own_depth(name: FieldOrder) -> None:
    picture = MOTION["swinging bell"](0.3, 64, 48)
    source = VideoFrame.from_ndarray(picture, format="bgr24")
    frame = source.reformat(format=name) if name != "pal8" else source.reformat(format="bgr8")
    made = planar(frame)
    deep = frame.format.components[0].bits > 8
    assert (made.format.components[0].bits > 8) == deep
    assert all(len(plane.shape) == 2 for plane in planes_of(made))
    assert np.abs(rgb_of(made).astype(float) - rgb_of(frame)).mean() < (600 if deep else 6)
    assert empty_like(made, 32, 16).format.name == made.format.name
    again = frame_of(rgb_of(made), made)
    assert again.format.name == made.format.name and again.width == 64


@pytest.mark.parametrize("choice", Between)
@pytest.mark.parametrize(("name", "size"), ODD_PICTURES)
def test_in_betweens_are_made_of_any_picture(
    name: FieldOrder, size: tuple[int, int], choice: Between, tmp_path: Path
) -> None:
    """Deep, grey, tiny, red-green-blue: each is made in its own format, whole positions to the sample."""
    path = tmp_path / "odd.mkv"
    with av.open(str(path), "w", format="matroska") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = *size, name
        for number in range(6):
            picture = MOTION["rotation"](number / 25, *size)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format=name)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    facts = probe(path)
    treatment = Treatment(Intent.SPEED, Fraction(1, 2), between=choice, effort=Effort.NORMAL)
    planned = conform(Material(facts.frames, Rate.of(25)), treatment, Rate.of(25))
    with FrameAccess(path, facts) as frames:
        wanted = frames.frame(2).format.name
        maker = Maker(frames, planned, Canvas(*size), wanted)
        made = [maker.made(number).frame for number in range(11)]
        assert {frame.format.name for frame in made} == {wanted} or choice is not Between.PICK
        assert {(frame.width, frame.height) for frame in made} == {size}
        assert same(planar(made[4]), planar(frames.frame(2)))


def test_any_raster_is_reached_from_any_picture() -> None:
    frame = noisy("yuv420p", 1, (90, 50))
    for canvas in (Canvas(64, 36), Canvas(120, 200, Fraction(16, 15)), Canvas(16, 16), Canvas(400, 30)):
        for framing in Framing:
            for fields in (False, True):
                if framing is Framing.KEEP:
                    continue
                made = framed(frame, canvas, framing, Fraction(1), "yuv422p", fields=fields)
                assert (made.width, made.height, made.format.name) == (canvas.width, canvas.height // 2 * 2, "yuv422p")


def test_pictures_laid_over_each_other_keep_their_colours_and_add_as_light() -> None:
    red, blue = (np.full((32, 32, 3), colour, np.uint8) for colour in ((0, 0, 220), (220, 0, 0)))
    encoded = [cv2.imencode(".jpg", picture)[1].tobytes() for picture in (red, blue)]
    assert blended([(encoded[0], Fraction(1))]) == encoded[0]
    both = cv2.imdecode(
        np.frombuffer(blended([(encoded[0], Fraction(3, 4)), (encoded[1], Fraction(1, 4))]), np.uint8), 1
    )
    assert both is not None
    b, _, r = both[16, 16].astype(float)
    assert r == pytest.approx(220 * 0.75 ** (1 / 2.4), abs=6) and b == pytest.approx(220 * 0.25 ** (1 / 2.4), abs=6)


@pytest.mark.parametrize(("name", "to"), [("yuv422p10le", "yuv444p10le"), ("yuv444p10le", "yuv422p10le")])
def test_a_picture_of_any_width_is_converted_the_same_each_time(name: str, to: str) -> None:
    """Where several threads shared it, the first samples of their lines came out as chance had it."""
    frame = noisy(name, size=(641, 361))
    first = reformatted(frame, format=to)
    assert all(same(first, reformatted(frame, format=to)) for _ in range(20))
