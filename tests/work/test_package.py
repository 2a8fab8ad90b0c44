"""Packages: closed from the command line, and verified; whatever is done to one afterwards is found and named."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, cast

import av
import bagit
import numpy as np
import pytest
from av.video.stream import VideoStream

from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.hashlists.hashes import Algorithm, hash_of
from oddmeter.work.package.sheet import read_sheet
from oddmeter.work.package.verifying import Fault, verified

RATE, FRAMES, WIDTH, HEIGHT = 25, 50, 192, 108
Samples = np.ndarray[Any, Any]


def drawn(number: int) -> Samples:
    """A picture that is like no other: a bar that moves over slow noise."""
    noise = np.random.default_rng(7).integers(60, 120, (HEIGHT, WIDTH, 3))
    out = (noise + number % 3).astype(np.uint8)
    out[:, number * 3 : number * 3 + 14] = (200, 40 + 4 * number, 90)
    return out


def tones() -> Samples:
    """Two channels that differ: bursts on the left, a swelling tone on the right."""
    at = np.arange(FRAMES * 1920) / 48_000
    left = np.sin(2 * np.pi * 440 * at) * (at % 0.4 < 0.08)
    right = np.sin(2 * np.pi * 150 * at) * at / at[-1]
    return (np.stack([left, right]) * 0.5 * (1 << 31)).astype(np.int32)


def write(
    path: Path,
    pictures: list[Samples],
    sound: Samples,
    rate: int = RATE,
    quality: str = "",
    codec: str = "ffv1",
    form: str = "rgb24",
) -> None:
    """A Matroska file of pictures and sound, with a timecode."""
    with av.open(str(path), "w", format="matroska") as container:
        container.metadata["timecode"] = "01:00:00:00"
        video = cast(VideoStream, container.add_stream(codec, rate=rate, options={"crf": quality} if quality else {}))
        video.width, video.height, video.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        audio = container.add_stream("pcm_s24le", rate=48_000, layout="stereo")
        for picture in pictures:
            container.mux(video.encode(av.VideoFrame.from_ndarray(picture, format=form)))
        container.mux(video.encode(None))
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound.T).reshape(1, -1), "s32", "stereo")
        frame.sample_rate, frame.pts = 48_000, 0
        container.mux(audio.encode(frame))
        container.mux(audio.encode(None))


def remade(path: Path, change: Callable[[list[Samples], Samples], tuple[list[Samples], Samples]], **how: Any) -> None:
    """A made file written once more, with its pictures or its sound changed."""
    with av.open(str(path)) as container:
        pictures = [frame.to_ndarray() for frame in container.decode(video=0)]
    with av.open(str(path)) as container:
        sound = np.concatenate([frame.to_ndarray() for frame in container.decode(audio=0)], axis=1)
    write(path, *change(pictures, sound.reshape(-1, 2).T), form="yuv420p", **how)


def oddmeter(*words: object) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "oddmeter", *map(str, words)], capture_output=True, text=True, check=False
    )


@pytest.fixture(scope="module")
def footage_here(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sources")
    write(folder / "swing.mkv", [drawn(number) for number in range(FRAMES)], tones())
    write(folder / "pour.mkv", [drawn(number)[::-1] for number in range(FRAMES)], tones())
    return folder


@pytest.fixture(scope="module")
def closed(footage_here: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A package of two clips without loss."""
    folder = tmp_path_factory.mktemp("packages") / "delivery"
    clips = sorted(footage_here.iterdir())
    done = oddmeter("conform", *clips, "--setting", "archive", "--package", folder, "--person", "Ada", "--json")
    assert done.returncode == 0, done.stderr
    assert {entry["file"] for entry in json.loads(done.stdout)["files"]} == {"swing.mkv", "pour.mkv"}
    return folder


@pytest.fixture
def copied(closed: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(closed, tmp_path / "delivery"))


def kinds(faults: list[Fault]) -> set[tuple[str, str]]:
    return {(fault.file, fault.kind.value) for fault in faults}


def test_a_package_says_that_it_is_right_with_and_without_hashes_and_by_its_sources(
    closed: Path, footage_here: Path
) -> None:
    for words in ((), ("--without-hashes",), ("--sources", footage_here)):
        done = oddmeter("verify", closed, *words, "--json")
        assert (done.returncode, json.loads(done.stdout)) == (0, {"ok": True, "faults": []}), done.stderr
    sheet = read_sheet(closed)
    assert sheet.person == "Ada" and [entry.frames for entry in sheet.files] == [FRAMES, FRAMES]
    assert {path.name for path in closed.iterdir()} == {
        *("swing.mkv", "pour.mkv", "sheet.json", "sheet.csv", "sheet.html", "decisions.json", "list.edl"),
        *("list.otio", "ascmhl"),
    }


def test_the_hash_list_is_read_by_its_own_library(closed: Path, copied: Path) -> None:
    command = Path(sys.executable).parent / "ascmhl"
    ours = subprocess.run([command, "diff", str(closed)], capture_output=True, text=True, check=False)
    assert ours.returncode == 0, ours.stdout + ours.stderr
    lists = list((copied / "ascmhl").glob("*.mhl"))
    assert len(lists) == 1 and lists[0].name.startswith("0001_delivery_")
    assert hash_of(copied / "swing.mkv", Algorithm.XXH128) in lists[0].read_text()


@pytest.mark.parametrize("algorithm", ["sha256", "sha512"])
def test_a_bag_is_valid_to_another_library(algorithm: str, footage_here: Path, tmp_path: Path) -> None:
    folder = tmp_path / "bag"
    words = ("--setting", "view", "--package", folder, "--hashes", algorithm)
    done = oddmeter("conform", footage_here / "swing.mkv", *words)
    assert done.returncode == 0, done.stderr
    bagit.Bag(str(folder)).validate()
    assert verified(folder) == []
    (folder / "data" / "swing.mp4").write_bytes(b"no film")
    assert ("swing.mp4", "changed") in kinds(verified(folder))
    manifest = folder / f"manifest-{algorithm}.txt"
    manifest.write_text(manifest.read_text().replace("swing", "sting"))
    assert ("data", "sheet") in kinds(verified(folder))


def test_c4_is_that_of_another_library(closed: Path, footage_here: Path, tmp_path: Path) -> None:
    from ascmhl.hasher import C4  # noqa: PLC0415

    for path in (closed / "list.edl", closed / "swing.mkv"):
        assert hash_of(path, Algorithm.C4) == C4.hash_file(str(path))
    folder = tmp_path / "c4"
    assert (
        oddmeter(
            "conform", footage_here / "pour.mkv", "--setting", "view", "--package", folder, "--hashes", "c4"
        ).returncode
        == 0
    )
    assert verified(folder) == []


def repeated(pictures: list[Samples], sound: Samples) -> tuple[list[Samples], Samples]:
    pictures[20] = pictures[19]
    return pictures, sound


def late(pictures: list[Samples], sound: Samples) -> tuple[list[Samples], Samples]:
    return pictures, np.concatenate([np.zeros((2, 480), np.int32), sound[:, :-480]], axis=1)


def same(pictures: list[Samples], sound: Samples) -> tuple[list[Samples], Samples]:
    return pictures, sound


FAULTS: dict[str, tuple[Callable[[Path], object], str, str]] = {
    "one frame repeated": (lambda f: remade(f / "swing.mkv", repeated), "pictures", "Frame 20 shows frame 19."),
    "encoded again": (
        lambda f: remade(f / "swing.mkv", same, codec="libx264", quality="28"), "pictures", "it was encoded again",
    ),
    "another rate": (lambda f: remade(f / "swing.mkv", same, rate=24), "rate", "It runs at 24; 25 was handed over."),
    "a frame less": (lambda f: remade(f / "swing.mkv", lambda p, s: (p[:-1], s)), "count", "It has 49 frames"),
    "sound late": (lambda f: remade(f / "swing.mkv", late), "sound", "Its sound is 10 ms late."),
    "channels swapped": (
        lambda f: remade(f / "swing.mkv", lambda p, s: (p, s[::-1])), "sound", "channels in another order (2, 1)",
    ),
    "sound shorter": (lambda f: remade(f / "swing.mkv", lambda p, s: (p, s[:, :-960])), "sound", "samples"),
    "no file": (lambda f: (f / "swing.mkv").unlink(), "missing", "swing.mkv is missing."),
    "another name": (
        lambda f: shutil.move(f / "swing.mkv", f / "swung.mkv"), "renamed", "swing.mkv is called swung.mkv now.",
    ),
}  # fmt: skip


@pytest.mark.parametrize("hashes", [True, False], ids=["by hashes", "without hashes"])
@pytest.mark.parametrize("fault", FAULTS)
def test_each_fault_is_found_and_named(fault: str, hashes: bool, copied: Path) -> None:
    make, kind, words = FAULTS[fault]
    make(copied)
    found = verified(copied, hashes=hashes)
    assert any(f.file == "swing.mkv" and f.kind == kind and words in f.words for f in found), found
    assert not [f for f in found if f.file == "pour.mkv"], "the other file is right"
    if hashes and kind not in ("missing", "renamed"):
        assert ("swing.mkv", "changed") in kinds(found)


def test_a_flipped_bit_is_found_by_its_hash_and_by_its_picture(copied: Path) -> None:
    file = copied / "swing.mkv"
    data = bytearray(file.read_bytes())
    data[len(data) // 2] ^= 1
    file.write_bytes(data)
    assert ("swing.mkv", "changed") in kinds(verified(copied))
    assert kinds(verified(copied, hashes=False)) & {("swing.mkv", "pictures"), ("swing.mkv", "sound")}


@pytest.mark.parametrize("hashes", [True, False])
def test_what_was_not_handed_over_is_named(hashes: bool, copied: Path) -> None:
    (copied / "notes.txt").write_text("mine")
    assert kinds(verified(copied, hashes=hashes)) == {("notes.txt", "extra")}


@pytest.mark.parametrize("hashes", [True, False])
@pytest.mark.parametrize("name", ["sheet.json", "sheet.csv", "sheet.html", "decisions.json", "list.edl", "list.otio"])
def test_a_sheet_that_was_edited_is_found(name: str, hashes: bool, copied: Path) -> None:
    file = copied / name
    file.write_text(file.read_text().replace("swing", "swong", 1))
    kind = "changed" if hashes and name.startswith("list.") else "sheet"
    assert (name, kind) in kinds(verified(copied, hashes=hashes))


def test_a_sheet_that_was_edited_with_its_digest_does_not_get_away_with_it(copied: Path) -> None:
    sheet = read_sheet(copied)
    sheet.files[0].frames += 1
    (copied / "sheet.json").write_text(sheet.text())
    assert ("sheet.json", "sheet") in kinds(verified(copied))
    assert (sheet.files[0].path, "count") in kinds(verified(copied, hashes=False))


def test_sources_that_are_not_there_or_others_are_said(copied: Path, footage_here: Path, tmp_path: Path) -> None:
    other = tmp_path / "other"
    other.mkdir()
    shutil.copy(footage_here / "pour.mkv", other / "swing.mkv")
    found = verified(copied, other)
    assert {(f.file, f.words.split(",")[0]) for f in found} == {
        ("swing.mkv", "Its source swing.mkv is another file by now"), ("pour.mkv", "Its source pour.mkv is not there"),
    }  # fmt: skip


def test_by_its_source_a_file_is_judged_by_every_picture(
    copied: Path, closed: Path, footage_here: Path, tmp_path: Path
) -> None:
    """A package that was made anew around a wrong file agrees with itself, and not with its source."""
    sheet = read_sheet(copied)
    entry = next(entry for entry in sheet.files if entry.path == "swing.mkv")
    remade(copied / "swing.mkv", repeated)
    from oddmeter.media.marks import picture_marks  # noqa: PLC0415

    entry.pictures = picture_marks(copied / "swing.mkv", FRAMES).document()
    (copied / "sheet.json").write_text(sheet.text())
    shutil.rmtree(copied / "ascmhl")
    assert verified(copied, hashes=False) == []
    assert ("swing.mkv", "pictures") in kinds(verified(copied, footage_here, hashes=False))


def test_a_picture_of_numbered_ones_that_is_missing_is_named(footage_here: Path, tmp_path: Path) -> None:
    folder = tmp_path / "numbered"
    done = oddmeter("conform", footage_here / "swing.mkv", "--setting", "dpx-rgb-10-pictures", "--package", folder)
    assert done.returncode == 0, done.stderr
    assert verified(folder) == [] == verified(folder, footage_here, hashes=False)
    (folder / "swing" / "swing.000007.dpx").unlink()
    assert ("swing/swing.000007.dpx", "missing") in kinds(verified(folder))
    without = verified(folder, hashes=False)
    assert ("swing", "missing") in kinds(without) and any("Picture 7 is missing" in fault.words for fault in without)


def test_fields_that_were_swapped_are_found(footage: dict[str, Path], tmp_path: Path) -> None:
    tape, folder = footage["RG_prize_50i.mov"], tmp_path / "tape"
    words = ("--scan", "upper", "--span", "0-11", "--setting", "archive", "--timeline", "25", "--intent", "leave")
    assert oddmeter("conform", tape, *words, "--package", folder).returncode == 0
    assert verified(folder) == []
    made = folder / "RG_prize_50i.mkv"
    made.unlink()
    other = ("--scan", "lower", "--span", "0-11", "--setting", "archive", "--timeline", "25", "--intent", "leave")
    assert oddmeter("conform", tape, *other, "--out", made).returncode == 0
    found = verified(folder, hashes=False)
    assert ("RG_prize_50i.mkv", "fields") in kinds(found)


def test_what_cannot_be_made_is_said_and_the_rest_is_closed(footage_here: Path, tmp_path: Path) -> None:
    broken, folder = tmp_path / "broken.mov", tmp_path / "some"
    broken.write_bytes(b"no film at all")
    done = oddmeter("conform", footage_here / "swing.mkv", broken, "--timeline", 25, "--package", folder)
    assert done.returncode == 1 and "broken.mov: " in done.stderr
    assert verified(folder) == []
    again = oddmeter("conform", footage_here / "swing.mkv", "--package", folder)
    assert again.returncode == 1 and "is there already and not empty" in again.stderr
    nothing = oddmeter("conform", broken, "--timeline", 25, "--package", tmp_path / "none")
    assert nothing.returncode == 1 and not (tmp_path / "none").exists()
    assert sorted(path.name for path in tmp_path.iterdir()) == ["broken.mov", "some"], "nothing half is left"


@pytest.mark.parametrize(
    ("words", "status", "sentence"),
    [
        (("verify", "nowhere"), 1, "There is no folder nowhere."),
        (("verify", "."), 1, "is not a package"),
        (("conform", ".", "--setting", "better", "--package", "x", "--timeline", "25"), 2, "not “better”"),
        (("conform", "clip.mov", "--package", "x", "--out", "y"), 2, "conform needs --out FILE, or --package FOLDER."),
        (("conform", "a.mov", "b.mov", "--timeline", "25", "--intent", "leave", "--out", "y"), 2, "need --package"),
        (("conform", "clip.mov", "--package", "x"), 2, "There is no file clip.mov."),
    ],
)
def test_a_wrong_call_ends_with_one_sentence(
    words: tuple[str, ...], status: int, sentence: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    done = subprocess.run(
        [sys.executable, "-m", "oddmeter", *words], capture_output=True, text=True, check=False,
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])},
    )  # fmt: skip
    assert done.returncode == status and sentence in done.stderr and done.stderr.count("\n") == 1, done.stderr


def test_what_is_listed_can_be_asked_for_by_name_and_by_file(footage_here: Path, tmp_path: Path) -> None:
    listed = json.loads(oddmeter("settings", "--json").stdout)
    assert {"archive", "edit", "view", "hevc-420-10-mp4", "dpx-rgb-10-pictures"} <= {one["name"] for one in listed}
    own = next(one for one in listed if one["name"] == "rdd36-high-mov") | {"name": "mine"}
    file = tmp_path / "mine.json"
    file.write_text(json.dumps(own))
    folder = tmp_path / "mine"
    done = oddmeter("conform", footage_here / "swing.mkv", "--setting", file, "--package", folder)
    assert done.returncode == 0, done.stderr
    (entry,) = read_sheet(folder).files
    assert entry.setting["name"] == "mine" and Fraction(entry.rate) == 25
    file.write_text("{}")
    wrong = oddmeter("conform", footage_here / "swing.mkv", "--setting", file, "--package", tmp_path / "not")
    assert wrong.returncode == 2 and "The setting's" in wrong.stderr


def test_a_hash_list_that_cannot_be_read_is_said(copied: Path) -> None:
    (next((copied / "ascmhl").glob("*.mhl"))).write_text("<no>")
    remade(copied / "swing.mkv", repeated)
    found = kinds(verified(copied))
    assert any(kind == "sheet" for _, kind in found) and ("swing.mkv", "pictures") in found, "all of it is doubted"
    with pytest.raises(RuleError, match="is not a package"):
        verified(copied.parent)
