"""What a MOV file's writer leaves out, such as the field order: atoms in its video entry (QuickTime file format)."""

import struct
from pathlib import Path

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder

_WAY = (b"moov", b"trak", b"mdia", b"minf", b"stbl", b"stsd")
_FIRST_ENTRY = 16
"""Bytes of ``stsd`` before its first entry: size, type, version with flags, count."""
_HEADER = 86
"""Bytes of a video entry before the atoms inside it."""
_DETAIL = {FieldOrder.UPPER: 1, FieldOrder.LOWER: 6}


def field_order_atom(order: FieldOrder) -> bytes:
    """The atom that says which field comes first."""
    return struct.pack(">I4sBB", 10, b"fiel", 2, _DETAIL[order])


def colour_atom(primaries: int, curve: int, matrix: int) -> bytes:
    """The atom that says primaries, curve and matrix by their numbers in ITU-T H.273, of which 2 is unsaid."""
    return struct.pack(">I4s4sHHH", 18, b"colr", b"nclc", primaries, curve, matrix)


def colour_said(path: Path) -> tuple[int, int, int] | None:
    """Primaries, curve and matrix (ITU-T H.273) that the video entry of a MOV or MP4 says; None where it says none."""
    with path.open("rb") as file:
        start, size = _atom(file.read, file.seek, path, b"moov")
        file.seek(start)
        moov = bytearray(file.read(size))
    entry = _places(moov, path)[-1] + _FIRST_ENTRY
    at, end = entry + _HEADER, entry + int(struct.unpack_from(">I", moov, entry)[0])
    while at + 8 <= end:
        size, kind = struct.unpack_from(">I4s", moov, at)
        if kind == b"colr" and moov[at + 8 : at + 11] == b"ncl":
            primaries, curve, matrix = struct.unpack_from(">HHH", moov, at + 12)
            return primaries, curve, matrix
        at += max(8, size)
    return None


def state_in_entry(path: Path, atoms: bytes) -> None:
    """Put atoms into the video entry of a file whose ``moov`` comes last, as it does unless it was moved to the front;
    raises ``RuleError`` where the file is otherwise."""
    with path.open("r+b") as file:
        start, size = _atom(file.read, file.seek, path, b"moov")
        if start + size != path.stat().st_size:
            raise RuleError(f"{path.name} has no index at its end to say more in.", "write")
        file.seek(start)
        moov = bytearray(file.read(size))
        places = _places(moov, path)
        entry = places[-1] + _FIRST_ENTRY
        moov[entry + _HEADER : entry + _HEADER] = atoms
        for place in (*places, entry):
            (old,) = struct.unpack_from(">I", moov, place)
            struct.pack_into(">I", moov, place, old + len(atoms))
        file.seek(start)
        file.write(moov)
        file.truncate()


def _atom(read, seek, path: Path, wanted: bytes) -> tuple[int, int]:  # type: ignore[no-untyped-def]
    """Where an outermost atom begins, and how long it is."""
    at, end = 0, path.stat().st_size
    while at + 16 <= end:
        seek(at)
        size, kind, large = struct.unpack(">I4sQ", read(16))
        size = large if size == 1 else size
        if kind == wanted:
            return at, size
        if size < 8:
            break
        at += size
    raise RuleError(f"{path.name} has no index.", "write")


def _places(moov: bytearray, path: Path) -> list[int]:
    """Where the atoms on the way to the video's ``stsd`` begin, the outermost first."""

    def found(at: int, stop: int, way: tuple[bytes, ...]) -> list[int] | None:
        while at + 8 <= stop:
            size, kind = struct.unpack_from(">I4s", moov, at)
            if size < 8:
                return None
            if kind == way[0]:
                if len(way) == 1:
                    return [at]
                deeper = found(at + 8, at + size, way[1:])
                if deeper is not None and (kind != b"mdia" or b"vide" in moov[at : at + size][:200]):
                    return [at, *deeper]
            at += size
        return None

    places = found(0, len(moov), _WAY)
    if places is None:
        raise RuleError(f"{path.name} has no video to say more of.", "write")
    return places
