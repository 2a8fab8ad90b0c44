"""Picture analysis on real, encoded clips whose truth the generator knows."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame

from bench import graphics
from bench.cuts import noisy, ours
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport, Repeats
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.demo import carriers, scenes
from oddmeter.demo.carriers import Carrier
from oddmeter.demo.footage import Take
from oddmeter.demo.framecode import Picture
from oddmeter.demo.takes import TAKES, TRAPS
from oddmeter.media.analysis.analyse import DamagedError, analyse
from oddmeter.media.files.probe import NO_PICTURE, probe

WHOLE = [(Scan.PROGRESSIVE, None, None, None)]
EXPECTED: dict[str, list[tuple[Scan, str | None, str | None, int | None]]] = {
    "RG_start_50i.mov": [(Scan.INTERLACED, FieldOrder.UPPER, None, None)],
    "RG_finish_59i.mov": [(Scan.INTERLACED, FieldOrder.LOWER, None, None)],
    "RG_visitors_59i.mov": [(Scan.INTERLACED, FieldOrder.UPPER, None, None)],
    "VR_choir_tape_50i.mov": [(Scan.INTERLACED, FieldOrder.UPPER, None, None)],
    "CH_evensong_2997.mov": [
        (Scan.INTERLACED, FieldOrder.LOWER, "2:3", 1),
        (Scan.INTERLACED, FieldOrder.LOWER, "2:3", 3),
    ],
    "CH_procession_2997.mov": [(Scan.INTERLACED, FieldOrder.LOWER, "2:3:3:2", 0)],
    "FD2_A01_sparks_fast.mov": [(Scan.UNKNOWN, None, None, None)],
}


def look(path: Path, whole: bool = False) -> PictureReport:
    return analyse(path, probe(path), whole=whole)


@pytest.mark.parametrize("take", [t for t in (*TAKES, *TRAPS) if "Proxy" not in t.delivery], ids=lambda take: take.name)
def test_every_clip_of_the_demo_is_seen_as_it_was_made(take: Take, media_root: Path) -> None:
    report = look(media_root / take.relative_path)
    found = [(s.scan, s.field_order, s.pattern, s.phase) for s in report.stretches]
    assert found == EXPECTED.get(take.name, WHOLE)
    assert report.blended is (take.name == "RG_visitors_59i.mov")
    assert report.cuts == ((83,) if take.later else ())
    if take.name == "AT_S8_wedding.mov":
        assert report.repeats is not None
        assert replace(report.repeats, new="") == Repeats(150, 90, Fraction(3, 5))
        assert report.repeats.new.count("1") == 90 and len(report.repeats.new) == 150
    else:
        assert report.repeats is None
    if take.later:
        assert abs(report.stretches[1].first_frame - 83) <= 5


def write(path: Path, carrier: Carrier, frames: int, picture: Callable[[int], Picture], pixels: str = "") -> Path:
    pixels = pixels or "yuv420p"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1" if path.suffix == ".mkv" else "libx264", rate=Fraction(30000, 1001))
        stream.height, stream.width = picture(0).shape[:2]
        stream.pix_fmt = pixels
        stream.options = {"preset": "ultrafast", "crf": "22"} if path.suffix != ".mkv" else {}
        for number in range(frames):
            drawn = carriers.woven(carrier(number), picture)
            frame = VideoFrame.from_ndarray(drawn, format="bgr24").reformat(format=pixels)
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def bars(number: int) -> Picture:
    """A small picture in which bars run at a speed of their own each."""
    picture = np.full((96, 128, 3), 60, np.uint8)
    for row in range(8):
        place = int((number % 4000) * (2.6 + row)) % 128
        picture[row * 12 : row * 12 + 9, place : place + 22] = 200 - 9 * row
    return picture


@pytest.mark.parametrize(("edit", "whole"), [(1 << 30, False), (1_100, True)])
def test_long_clips_are_sampled_and_whole_where_samples_disagree(tmp_path: Path, edit: int, whole: bool) -> None:
    carrier = carriers.pulldown(FieldOrder.UPPER, "2:3", 2, edit, 0)
    path = write(tmp_path / "long.mp4", carrier, 1_800, lambda n: bars(n % 10_000))
    report = look(path)
    assert report.whole is whole and (report.examined == 1_800) is whole
    assert [s.phase for s in report.stretches][: 2 if whole else 1] == ([2, 0] if whole else [2])
    assert (report.stretches[0].first_frame, report.stretches[-1].last_frame) == (0, 1_799)
    if whole:
        assert abs(report.stretches[1].first_frame - 1_100) <= 5
    else:
        asked = look(path, whole=True)
        assert asked.whole and asked.examined == 1_800 and asked.stretches == report.stretches


def test_sampled_repeats_are_counted_for_the_whole_clip(tmp_path: Path) -> None:
    path = write(tmp_path / "held.mp4", carriers.held(Fraction(2), Fraction(3)), 1_800, bars)
    report = look(path)
    assert not report.whole and report.repeats == Repeats(1_800, 1_200, Fraction(2, 3))


@pytest.mark.parametrize("pix_fmt", ["yuv420p", "yuv422p10le", "gray", "bgr0", "yuv444p16le"])
def test_any_kind_of_pixel_is_read(tmp_path: Path, pix_fmt: str) -> None:
    path = write(tmp_path / "clip.mkv", carriers.in_fields(FieldOrder.LOWER), 60, bars, pix_fmt)
    (found,) = look(path).stretches
    assert (found.scan, found.field_order) == (Scan.INTERLACED, FieldOrder.LOWER)


@pytest.mark.parametrize("shape", [(2, 2), (16, 16), (17, 33), (97, 5)])
def test_tiny_and_odd_rasters_are_no_trouble(tmp_path: Path, shape: tuple[int, int]) -> None:
    path = write(tmp_path / "tiny.mkv", carriers.each, 12, lambda n: np.full((*shape, 3), n * 9, np.uint8))
    assert look(path).examined == 12


def test_a_file_without_one_picture_is_damaged(tmp_path: Path, footage: dict[str, Path]) -> None:
    data = bytearray(footage["HB_gulls_30.mp4"].read_bytes())
    start = data.index(b"mdat")
    size = int.from_bytes(data[start - 4 : start], "big") - 8
    data[start + 4 : start + 4 + size] = bytes(size)
    (tmp_path / "hollow.mp4").write_bytes(data)
    assert probe(tmp_path / "hollow.mp4").fault == NO_PICTURE
    with pytest.raises(DamagedError, match="damaged"):
        analyse(tmp_path / "hollow.mp4", probe(footage["HB_gulls_30.mp4"]))


def test_a_burnt_in_timecode_hides_neither_repeats_nor_fields(tmp_path: Path) -> None:
    def drawn(number: int) -> Picture:
        return scenes.gulls(float(Fraction(number, 18)), 480, 360)

    def burnt(number: int) -> Picture:
        picture = drawn(number * 3 // 5)
        picture[330:350, 60 + (number % 20) * 9 : 66 + (number % 20) * 9] = 235
        return picture

    report = look(write(tmp_path / "burnt.mp4", carriers.each, 120, burnt))
    assert report.repeats is not None and report.repeats.step == Fraction(3, 5)
    assert Rate(report.repeats.step * Fraction(30000, 1001)).spoken == "17.982"


def test_a_file_that_changes_along_the_way_is_told_in_stretches(tmp_path: Path) -> None:
    def mixed(frame: int) -> carriers.Carried:
        if frame < 70:
            return carriers.each(frame)
        if frame < 150:
            return carriers.in_fields(FieldOrder.LOWER)(frame - 70)
        return carriers.pulldown(FieldOrder.UPPER, "2:3", 4)(frame - 150)

    report = look(write(tmp_path / "mixed.mkv", mixed, 230, bars))
    kinds = [(s.scan, s.field_order, s.pattern) for s in report.stretches]
    upper = (Scan.INTERLACED, FieldOrder.UPPER, "2:3")
    assert kinds == [(Scan.PROGRESSIVE, None, None), (Scan.INTERLACED, FieldOrder.LOWER, None), upper]
    assert abs(report.stretches[1].first_frame - 70) <= 2 and abs(report.stretches[2].first_frame - 150) <= 5
    assert report.stretches[-1].last_frame == 229


@pytest.mark.parametrize("kind", list(graphics.KINDS))
def test_cuts_are_told_from_graphics_lamps_and_near_things(kind: str) -> None:
    """The whole table is made by bench.graphics; here a clip of each."""
    dice = np.random.default_rng([302, 311, list(graphics.KINDS).index(kind)])
    frames, true = graphics.KINDS[kind](dice)
    assert ours([noisy(frame, dice, 1.5) for frame in frames]) == true
