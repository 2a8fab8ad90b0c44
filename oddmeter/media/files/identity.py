"""Identify: the size, the time of change and hashes of a file, or of all pictures of a numbered sequence."""

import hashlib
from collections.abc import Iterator
from pathlib import Path

from oddmeter.core.evidence.identity import CHANGED, Identity
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.sequence import is_sequence, sequence

_BLOCK = 64 * 1024
_SAMPLES = 16
"""Blocks of a file that are read: its beginning, its end, and others at even distances; a file of a megabyte or less
is read whole. Of a sequence, as many of its pictures are read, and the size of each is known."""


def identify(path: Path, *, whole: bool = False) -> Identity:
    """The identity of a file or sequence, with the hash of all its content where ``whole``.

    Raises ``RuleError`` where it is not there or cannot be read.
    """
    try:
        files = list(sequence(path).files) if is_sequence(path) else [path]
        if not files:
            raise RuleError(f"{path.name} has been moved or deleted.", "missing")
        known = [file.stat() for file in files]
        samples = hashlib.sha256(" ".join(str(stat.st_size) for stat in known).encode())
        for file in files[:: -(-len(files) // _SAMPLES)]:
            for block in _samples_of(file):
                samples.update(block)
        return Identity(
            sum(stat.st_size for stat in known),
            max(stat.st_mtime_ns for stat in known),
            samples.hexdigest(),
            _hash_of(files) if whole else None,
        )
    except OSError as error:
        raise RuleError(
            f"{path.name} cannot be read: {(error.strerror or 'unknown reason').lower()}.", "media"
        ) from error


def is_as_known(path: Path, known: Identity | None, *, quickly: bool = False) -> bool:
    """True where a file is still the one that was looked at, or nothing is known of what it was.

    ``quickly`` takes an unchanged size and time of change for an unchanged file. Raises ``RuleError`` where it is not
    there.
    """
    if known is None:
        return True
    if quickly and not is_sequence(path):
        try:
            now = path.stat()
        except OSError as error:
            raise RuleError(f"{path.name} has been moved or deleted.", "missing") from error
        if (now.st_size, now.st_mtime_ns) == (known.size, known.changed):
            return True
    return known.is_same_as(identify(path, whole=known.whole is not None and not quickly))


def insist_as_known(path: Path, known: Identity | None, *, quickly: bool = False, code: str = "changed") -> None:
    """Raise ``RuleError``, with that code, where a file is no longer the one that was looked at."""
    if not is_as_known(path, known, quickly=quickly):
        raise RuleError(f"{path.name}: {CHANGED}", code)


def _samples_of(file: Path) -> Iterator[bytes]:
    size = file.stat().st_size
    with file.open("rb") as content:
        if size <= _BLOCK * _SAMPLES:
            yield content.read()
            return
        for number in range(_SAMPLES):
            content.seek((size - _BLOCK) * number // (_SAMPLES - 1))
            yield content.read(_BLOCK)


def _hash_of(files: list[Path]) -> str:
    out = hashlib.sha256()
    for file in files:
        with file.open("rb") as content:
            while block := content.read(16 * _BLOCK):
                out.update(block)
    return out.hexdigest()
