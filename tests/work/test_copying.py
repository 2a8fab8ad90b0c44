"""Copying a package: what arrives is what was sent, a copy that broke off is gone on with, nothing is overwritten."""

import errno
import os
from pathlib import Path
from typing import Any

import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.work.package import copying
from oddmeter.work.package.copying import copy_package

SIZE = 9 << 20


@pytest.fixture
def package(tmp_path: Path) -> Path:
    """A folder with a sheet, a large file and a small one, as far as copying looks."""
    folder = tmp_path / "delivery"
    (folder / "inner").mkdir(parents=True)
    (folder / "big.mov").write_bytes(os.urandom(SIZE))
    (folder / "inner" / "small.wav").write_bytes(b"sound")
    (folder / "sheet.json").write_text("{}")
    (tmp_path / "target").mkdir()
    return folder


@pytest.fixture(autouse=True)
def any_sheet(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(copying, "read_sheet", lambda folder: None)


def files(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


def test_everything_arrives_and_is_left_the_second_time(package: Path, tmp_path: Path) -> None:
    told: list[tuple[str, int, int]] = []
    done = copy_package(package, tmp_path / "target", lambda *words: told.append(words))
    assert (done.copied, done.there, done.folder) == (3, 0, tmp_path / "target" / "delivery")
    assert files(done.folder) == files(package)
    assert told[-1][1] == told[-1][2] == SIZE + 5 + 2
    assert (done.folder / "big.mov").stat().st_mtime_ns == (package / "big.mov").stat().st_mtime_ns
    again = copy_package(package, tmp_path / "target")
    assert (again.copied, again.there) == (0, 3)


def test_a_copy_that_broke_off_goes_on_where_it_was(package: Path, tmp_path: Path) -> None:
    def stop(what: str, done: int, of: int) -> None:
        if done > SIZE // 2:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        copy_package(package, tmp_path / "target", stop)
    part = tmp_path / "target" / "delivery" / ".big.mov.copying"
    begun = part.stat().st_size
    assert 0 < begun < SIZE and not (part.parent / "big.mov").exists(), "nothing half under a final name"
    same = part.stat().st_ino
    done = copy_package(package, tmp_path / "target")
    assert files(done.folder) == files(package) and done.copied == 3
    assert (done.folder / "big.mov").stat().st_ino == same, "what lay there is part of it"

    part.write_bytes(b"of another file altogether")
    (done.folder / "big.mov").unlink()
    assert files(copy_package(package, tmp_path / "target").folder) == files(package)
    assert not part.exists()


def test_nothing_is_overwritten_and_wrong_places_are_said(package: Path, tmp_path: Path) -> None:
    there = tmp_path / "target" / "delivery" / "big.mov"
    there.parent.mkdir()
    there.write_bytes(b"x" * SIZE)
    with pytest.raises(RuleError, match="is there already and is another file; nothing was overwritten"):
        copy_package(package, tmp_path / "target")
    assert there.read_bytes() == b"x" * SIZE
    for target, words in ((tmp_path, "where the package lies"), (package / "inner", "where the package lies")):
        with pytest.raises(RuleError, match=words):
            copy_package(package, target)
    with pytest.raises(RuleError, match="There is no folder"):
        copy_package(package, tmp_path / "nowhere")


def test_what_arrives_otherwise_is_not_kept(package: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(copying, "_hash_of_disk", lambda path: "another")
    with pytest.raises(RuleError, match=r"big\.mov did not arrive as it was sent; it was not kept"):
        copy_package(package, tmp_path / "target")
    assert not list((tmp_path / "target").rglob("*big*"))


@pytest.mark.parametrize(("code", "words"), [(errno.ENOSPC, "no room left"), (errno.EIO, "its folder is not there")])
def test_a_target_that_is_full_or_gone_is_said_and_can_be_tried_again(
    package: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, code: int, words: str
) -> None:
    def fails(*_: Any) -> str:
        raise OSError(code, os.strerror(code))

    with monkeypatch.context() as broken:
        broken.setattr(copying, "_hash_of_disk", fails)
        with pytest.raises(RuleError, match=words):
            copy_package(package, tmp_path / "target")
    assert files(copy_package(package, tmp_path / "target").folder) == files(package)
