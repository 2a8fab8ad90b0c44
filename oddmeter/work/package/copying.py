"""Copying a package to other places: checked by reading back what arrived, taken up where it broke off, and never over
anything that is there already."""

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.hashlists.hashes import Algorithm, Hashing, hash_of
from oddmeter.media.writing.placing import could_not_write, place
from oddmeter.work.package.closing import Progress
from oddmeter.work.package.sheet import read_sheet

_AT_ONCE = 1 << 22


@dataclass(frozen=True)
class Copied:
    """A package at its target: how many files were copied now, and how many lay there already and were the same."""

    folder: Path
    copied: int
    there: int


def copy_package(package: Path, target: Path, progress: Progress = lambda what, done, of: None) -> Copied:
    """Copy a closed package into a folder, under its own name; every file is read back from the target and compared by
    its hash. A file that is unfinished there is gone on with, one that is there and the same is left.

    Raises ``RuleError`` where the package has no sheet, the target is not there, lies in the package, or holds another
    file under one of its names; and where what arrived is not what was sent.
    """
    read_sheet(package)
    if not target.is_dir():
        raise RuleError(f"There is no folder {target}.", "target")
    own = target.resolve() / package.resolve().name
    if own == package.resolve() or package.resolve() in own.parents:
        raise RuleError(f"{target} is where the package lies already. Choose another folder.", "target")
    files = sorted(path for path in package.rglob("*") if path.is_file())
    total, done, copied = sum(path.stat().st_size for path in files), 0, 0
    for path in files:
        below = path.relative_to(package)

        def on(count: int, what: str = str(below)) -> None:
            nonlocal done
            done += count
            progress(f"Copying {what}", done, total)

        try:
            copied += _copied(path, own / below, on)
        except OSError as error:
            raise RuleError(could_not_write(str(below), error), "write") from error
    return Copied(own, copied, len(files) - copied)


def _copied(path: Path, final: Path, on: Callable[[int], None]) -> bool:
    """Copy one file; False where it is there already."""
    size = path.stat().st_size
    if final.exists():
        if final.stat().st_size != size or _hash_of_disk(final) != hash_of(path, Algorithm.XXH128):
            raise RuleError(f"{final} is there already and is another file; nothing was overwritten.", "exists")
        on(size)
        return False
    final.parent.mkdir(parents=True, exist_ok=True)
    part = final.with_name(f".{final.name}.copying")
    sent = _sent(path, part, on)
    if _hash_of_disk(part) != sent:
        part.unlink()
        raise RuleError(f"{final.name} did not arrive as it was sent; it was not kept. Try again.", "arrived")
    os.utime(part, ns=(path.stat().st_atime_ns, path.stat().st_mtime_ns))
    place([(part, final)])
    part.unlink(missing_ok=True)
    return True


def _sent(path: Path, part: Path, on: Callable[[int], None]) -> str:
    """Write what is missing of a file to an unfinished one; returns the hash of the whole as it was read here."""
    hashing = Hashing(Algorithm.XXH128)
    with path.open("rb") as source, part.open("ab") as out:
        have = out.tell()
        if have and not _begins_as(path, part, have):
            out.truncate(0)
            have = 0
        left = have
        for block in _blocks(source):
            hashing.update(block)
            skip = min(left, len(block))
            left -= skip
            out.write(block[skip:])
            on(len(block))
        out.flush()
        os.fsync(out.fileno())
    return hashing.text()


def _begins_as(path: Path, part: Path, size: int) -> bool:
    """Whether a file begins with all that an unfinished copy holds."""
    if path.stat().st_size < size:
        return False
    with path.open("rb") as source, part.open("rb") as begun:
        for block in _blocks(begun):
            if source.read(len(block)) != block:
                return False
    return True


def _hash_of_disk(path: Path) -> str:
    """The hash of a file as its disk has it: what the system keeps of it in memory is let go first, where it can be."""
    if hasattr(os, "posix_fadvise"):
        with path.open("rb") as file:
            os.posix_fadvise(file.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
    return hash_of(path, Algorithm.XXH128)


def _blocks(file: BinaryIO) -> Iterator[bytes]:
    while block := file.read(_AT_ONCE):
        yield block
