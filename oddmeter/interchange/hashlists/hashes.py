"""Hashes of files: the algorithms that hash lists are made with, and which list holds which."""

import hashlib
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import Protocol

import xxhash

_AT_ONCE = 1 << 22
_BASE58 = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
_C4_LENGTH = 88


class Algorithm(StrEnum):
    """How files are hashed. XXH3 of 128 bits and C4 (SMPTE ST 2114) go into ASC MHL, SHA-2 into BagIt."""

    XXH128 = "xxh128"
    C4 = "c4"
    SHA256 = "sha256"
    SHA512 = "sha512"

    @property
    def in_bag(self) -> bool:
        """True where its list is BagIt."""
        return self in (Algorithm.SHA256, Algorithm.SHA512)


class _Hasher(Protocol):
    def update(self, data: bytes, /) -> None: ...

    def digest(self) -> bytes: ...


_MADE: dict[Algorithm, Callable[[], _Hasher]] = {
    Algorithm.XXH128: xxhash.xxh3_128,
    Algorithm.C4: hashlib.sha512,
    Algorithm.SHA256: hashlib.sha256,
    Algorithm.SHA512: hashlib.sha512,
}


class Hashing:
    """The hash of bytes that come in turn."""

    def __init__(self, algorithm: Algorithm) -> None:
        self._algorithm, self._hasher = algorithm, _MADE[algorithm]()

    def update(self, data: bytes | memoryview) -> None:
        """Take the next bytes."""
        self._hasher.update(data)  # type: ignore[arg-type]

    def text(self) -> str:
        """The hash as lists write it: hexadecimal digits, or, of C4, digits to the base of 58."""
        digest = self._hasher.digest()
        return _c4(digest) if self._algorithm is Algorithm.C4 else digest.hex()


def hash_of(path: Path, algorithm: Algorithm, progress: Callable[[int], None] = lambda count: None) -> str:
    """The hash of a file; ``progress`` is called with the bytes that were read since."""
    hashing, buffer = Hashing(algorithm), bytearray(_AT_ONCE)
    view = memoryview(buffer)
    with path.open("rb", buffering=0) as file:
        while count := file.readinto(buffer):
            hashing.update(view[:count])
            progress(count)
    return hashing.text()


def _c4(digest: bytes) -> str:
    number, digits = int.from_bytes(digest, "big"), ""
    while number:
        number, place = divmod(number, 58)
        digits = _BASE58[place] + digits
    return "c4" + digits.rjust(_C4_LENGTH, "1")
