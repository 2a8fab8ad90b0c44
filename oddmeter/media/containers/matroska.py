"""Pixel shape and mastering data in Matroska: what our encoder library cannot tell the Matroska writer.

The track header of a finished file is laid out anew in the same number of bytes, with a display aspect ratio
and the colour's mastering data in place of the track's name (RFC 9559: DisplayWidth, DisplayHeight, DisplayUnit 3;
Colour with MasteringMetadata).
"""

import struct
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from oddmeter.core.numbers.errors import RuleError

PLACEHOLDER = "Odd Meter: room for the pixel shape and mastering data".ljust(160, ".")
"""The track name to write first; its bytes are what all else is written into."""

_SEGMENT, _TRACKS, _TRACK, _VIDEO = 0x18538067, 0x1654AE6B, 0xAE, 0xE0
_NAME, _CRC, _VOID = 0x536E, 0xBF, 0xEC
_DISPLAY_WIDTH, _DISPLAY_HEIGHT, _DISPLAY_UNIT = 0x54B0, 0x54BA, 0x54B2
_ASPECT_RATIO = 3
_COLOUR, _MASTERING = 0x55B0, 0x55D0


@dataclass(frozen=True)
class _Element:
    kind: int
    start: int
    body: int
    end: int


def state_in_track(path: Path, shape: Fraction | None, colour: Mapping[int, int | Fraction]) -> None:
    """Write the shape of the whole picture, width over height, and elements of its colour by their kind, into the video
    track of a finished file that carries ``PLACEHOLDER``; fractions are mastering data.

    Raises ``RuleError`` where the file has no such track.
    """
    with path.open("r+b") as file:
        head = file.read(1 << 16)
        tracks = _find(head, _find(head, None, _SEGMENT), _TRACKS)
        for track in _children(head, tracks.body, tracks.end):
            if track.kind == _TRACK and (body := _restated(head, track, shape, colour)) is not None:
                changed = bytearray(head[: track.body] + body + head[track.end :])
                for crc in _children(head, tracks.body, tracks.end):
                    if crc.kind == _CRC:
                        changed[crc.body : crc.end] = zlib.crc32(changed[crc.end : tracks.end]).to_bytes(4, "little")
                file.seek(0)
                file.write(changed)
                return
    raise RuleError(f"{path.name} has no room for its pixel shape and mastering data.", "write")


def _restated(
    data: bytes, track: _Element, shape: Fraction | None, colour: Mapping[int, int | Fraction]
) -> bytes | None:
    """The track's body with more in its video element, of unchanged length; None for other tracks."""
    children = list(_children(data, track.body, track.end))
    name = next((c for c in children if c.kind == _NAME), None)
    if name is None or data[name.body : name.end] != PLACEHOLDER.encode():
        return None
    display: dict[int, int] = {}
    if shape is not None:
        display = {_DISPLAY_WIDTH: shape.numerator, _DISPLAY_HEIGHT: shape.denominator, _DISPLAY_UNIT: _ASPECT_RATIO}
    out = b""
    for child in children:
        if child.kind == _VIDEO:
            inside = list(_children(data, child.body, child.end))
            again = (*display, _VOID, *((_COLOUR,) if colour else ()))
            body = b"".join(data[c.start : c.end] for c in inside if c.kind not in again)
            if colour:
                was = next((data[c.body : c.end] for c in inside if c.kind == _COLOUR), b"")
                body += _written(_COLOUR, was + _colour(colour))
            body += b"".join(_written(kind, value.to_bytes(4, "big")) for kind, value in display.items())
            out += _written(_VIDEO, body)
        elif child is not name and child.kind != _VOID:
            out += data[child.start : child.end]
    room = track.end - track.body - len(out)
    return out + _written(_VOID, bytes(room - 3)) if room >= 3 else None


def _colour(elements: Mapping[int, int | Fraction]) -> bytes:
    light = {kind: value for kind, value in elements.items() if isinstance(value, int)}
    mastering = {kind: value for kind, value in elements.items() if not isinstance(value, int)}
    out = b"".join(_written(kind, value.to_bytes(4, "big")) for kind, value in light.items())
    inside = b"".join(_written(kind, struct.pack(">f", float(value))) for kind, value in mastering.items())
    return out + (_written(_MASTERING, inside) if inside else b"")


def _find(data: bytes, parent: _Element | None, kind: int) -> _Element:
    start, end = (parent.body, parent.end) if parent else (0, len(data))
    for element in _children(data, start, end):
        if element.kind == kind:
            return element
    raise RuleError("The file is not laid out as Matroska.", "write")


def _children(data: bytes, start: int, end: int) -> Iterator[_Element]:
    at = start
    while at < min(end, len(data)):
        kind, body = _number(data, at, keep_marker=True)
        size, body = _number(data, body, keep_marker=False)
        yield _Element(kind, at, body, body + size)
        at = body + size


def _number(data: bytes, at: int, *, keep_marker: bool) -> tuple[int, int]:
    """An EBML variable-length number and where it ends."""
    length = 9 - data[at].bit_length()
    value = int.from_bytes(data[at : at + length], "big")
    return value if keep_marker else value - (1 << 7 * length), at + length


def _written(kind: int, body: bytes) -> bytes:
    head = kind.to_bytes((kind.bit_length() + 7) // 8, "big")
    return head + (len(body) | 1 << 14).to_bytes(2, "big") + body
