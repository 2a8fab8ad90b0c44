"""Matrices: whether a file's header may ask for its pictures to be turned, found without decoding any of them."""

import struct
from pathlib import Path

_MOST = 64 * 2**20
"""Bytes of an index that are searched."""
_HEAD = 256 * 1024
_PROJECTION = b"\x76\x70"
"""The element of Matroska under which it says how a picture is turned."""
_MATRICES = {b"mvhd": (40, 52), b"tkhd": (44, 56)}
"""Headers of a movie and of its tracks (ISO/IEC 14496-12, 8.2.2 and 8.3.2), and the place of the matrix behind the
beginning of their names: of version 0, and of version 1."""
_UNITY = (1 << 16, 0, 0, 1 << 16)


def may_be_turned(path: Path, container: str) -> bool:
    """True where the header of a file of this format, by libavformat's name, holds a turn, or might."""
    if "mov" in container.split(","):
        index = _index_of(path)
        return any(_turns(index, kind, places) for kind, places in _MATRICES.items())
    if "matroska" in container:
        with path.open("rb") as file:
            return _PROJECTION in file.read(_HEAD)
    return False


def _index_of(path: Path) -> bytes:
    """The atom ``moov`` (ISO/IEC 14496-12), wherever it stands."""
    end = path.stat().st_size
    with path.open("rb") as file:
        at = 0
        while at + 16 <= end:
            file.seek(at)
            size, kind, large = struct.unpack(">I4sQ", file.read(16))
            size = large if size == 1 else end - at if size == 0 else size
            if kind == b"moov":
                file.seek(at)
                return file.read(min(size, _MOST))
            if size < 8:
                break
            at += size
    return b""


def _turns(index: bytes, kind: bytes, places: tuple[int, int]) -> bool:
    """True where a header of this kind has another matrix than one that changes nothing."""
    at = index.find(kind)
    while at >= 0:
        place = at + places[index[at + 4 : at + 5] == b"\1"]
        if place + 20 <= len(index):
            a, b, _, c, d = struct.unpack_from(">5i", index, place)
            if (a, b, c, d) not in (_UNITY, (0, 0, 0, 0)):
                return True
        at = index.find(kind, at + 4)
    return False
