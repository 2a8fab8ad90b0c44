"""Numbered pictures as one clip."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.demo.framecode import read, stamp
from oddmeter.media.files.probe import probe
from oddmeter.media.files.sequence import gathered, sequence
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.stills import contact_sheet, still


def draw(folder: Path, name: str, number: int) -> None:
    picture = np.full((180, 320, 3), 90, np.uint8)
    stamp(picture, number)
    good, data = cv2.imencode(Path(name).suffix, picture)
    assert good
    (folder / name).write_bytes(data.tobytes())


@pytest.mark.parametrize("ending", ["png", "tif", "tiff", "jpg", "jpeg", "PNG"])
def test_pictures_are_one_clip_with_gaps_and_duplicates_said(tmp_path: Path, ending: str) -> None:
    for number in (1, 2, 3, 5, 6, 9, 10, 11):
        draw(tmp_path, f"chart_{number:04}.{ending}", number)
    draw(tmp_path, f"chart_7.{ending}", 7)
    draw(tmp_path, f"chart_5.{ending}", 99)
    names = [f"x/{p.name}" for p in sorted(tmp_path.iterdir())]
    assert gathered(names) == [f"x/chart_####.{ending}"]
    path = tmp_path / f"chart_####.{ending}"
    facts = probe(path)
    assert (facts.frames, facts.width, facts.file_rate, facts.fault) == (9, 320, None, None)
    assert facts.remarks == (
        "Numbers 4, 8 are missing.", f"chart_5.{ending} has the number of another file; left out.",
    )  # fmt: skip
    with FrameReader(path) as reader:
        shown = [read(reader.frame(n).reformat(format="gray").to_ndarray().astype(np.uint8)) for n in range(9)]
    assert shown == [1, 2, 3, 5, 6, 7, 9, 10, 11]
    assert still(path, facts, 8, 200)[:2] == b"\xff\xd8" and contact_sheet(path, facts, 2, 40, 64).count == 7


def test_dpx_is_read_too(tmp_path: Path, footage: dict[str, Path]) -> None:
    import av  # noqa: PLC0415

    with FrameReader(footage["HB_gulls_30.mp4"]) as reader:
        for number in (1, 2):
            encoder = av.CodecContext.create("dpx", "w")
            frame = reader.frame(number).reformat(format="rgb24")
            encoder.width, encoder.height, encoder.pix_fmt = frame.width, frame.height, "rgb24"
            encoder.time_base = Fraction(1, 30)
            (tmp_path / f"a{number:03}.dpx").write_bytes(b"".join(bytes(p) for p in encoder.encode(frame)))
    assert probe(tmp_path / "a###.dpx").frames == 2


def test_what_is_no_sequence_stays_files() -> None:
    paths = ["a/one_01.png", "b/clip_001.mov", "b/clip_002.mov", "c/notes.txt", "d/x_1.png", "d/y_1.png", "d/x_1.jpg"]
    assert gathered(paths) == sorted(paths)


def test_hostile_numbers_and_files_cost_nothing(tmp_path: Path) -> None:
    draw(tmp_path, "a1.png", 1)
    draw(tmp_path, "a999999999.png", 2)
    (tmp_path / "a5.png").write_bytes(b"not a picture")
    found = sequence(tmp_path / "a#.png")
    assert found.missing == ((2, 4), (6, 999_999_998)) and len(found.files) == 3
    assert probe(tmp_path / "a#.png").remarks[0] == "Numbers 2 to 4, 6 to 999999998 are missing."
    with pytest.raises(RuleError, match="a5"), FrameReader(tmp_path / "a#.png") as reader:
        reader.frame(1)
    assert probe(tmp_path / "gone_###.png").fault is not None
