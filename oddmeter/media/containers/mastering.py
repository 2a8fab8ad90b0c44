"""Mastering and light-level data of high dynamic range: read from decoded frames, written into made files.

SMPTE ST 2086 (the display a picture was mastered on) and CTA-861.3 (its lightest pixel and frame). Our encoder library
carries neither to a writer, so they go where each container keeps them: atoms of the QuickTime and ISO file formats
(``mdcv``, ``clli``), elements of Matroska (RFC 9559), and messages in an H.264 stream.
"""

import struct
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, cast

import av
from av.sidedata.sidedata import Type
from av.video.frame import VideoFrame

from oddmeter.media.files.opened import opened, pictures_in
from oddmeter.media.files.sequence import is_sequence

_RATIONALS = struct.Struct("=20i2i")
"""libavutil's AVMasteringDisplayMetadata: x and y of red, green, blue and white, least and most light, each as
numerator and denominator; then whether the colours and the light are there."""
_LIGHT = struct.Struct("=2I")


@dataclass(frozen=True)
class Mastering:
    """``colours`` are x and y of red, green, blue and white (CIE 1931), ``light`` the least and the most of the display
    in candela a square metre; both None where they are not stated. ``lightest`` are those of the lightest pixel and of
    the lightest frame on average, (0, 0) where they are not stated."""

    colours: tuple[Fraction, ...] | None = None
    light: tuple[Fraction, Fraction] | None = None
    lightest: tuple[int, int] = (0, 0)

    def __bool__(self) -> bool:
        return self.colours is not None or self.light is not None or self.lightest != (0, 0)

    def __str__(self) -> str:
        parts = []
        if self.light is not None:
            parts.append(f"{float(self.light[0]):g} to {float(self.light[1]):g} cd/m²")
        if self.colours is not None:
            parts.append("primaries and white " + " ".join(f"{float(value):.3f}" for value in self.colours))
        if self.lightest != (0, 0):
            parts.append(f"lightest pixel {self.lightest[0]}, frame {self.lightest[1]} cd/m²")
        return ", ".join(parts) or "none"

    def atoms(self) -> bytes:
        """As atoms of a video entry (ISO/IEC 23001-17 and the QuickTime file format): green, blue, red, white."""
        out = b""
        if self.colours is not None and self.light is not None:
            points = [round(value * 50_000) for value in (*self.colours[2:6], *self.colours[:2], *self.colours[6:])]
            least, most = (round(value * 10_000) for value in self.light)
            out += struct.pack(">I4s8H2I", 32, b"mdcv", *points, most, least)
        if self.lightest != (0, 0):
            out += struct.pack(">I4s2H", 12, b"clli", *self.lightest)
        return out

    def elements(self) -> dict[int, int | Fraction]:
        """As elements of Matroska by their kind: whole numbers of the colour itself, fractions of its mastering."""
        out: dict[int, int | Fraction] = {}
        if self.lightest != (0, 0):
            out |= {0x55BC: self.lightest[0], 0x55BD: self.lightest[1]}
        if self.colours is not None:
            out |= dict(zip(range(0x55D1, 0x55D9), self.colours, strict=True))
        if self.light is not None:
            out |= {0x55D9: self.light[1], 0x55DA: self.light[0]}
        return out

    def parameters(self, display: str, level: str) -> str:
        """As parameters of an encoder that writes the messages, under its names for both."""
        parts = []
        if self.colours is not None and self.light is not None:
            x = [round(value * 50_000) for value in self.colours]
            least, most = (round(value * 10_000) for value in self.light)
            parts.append(
                f"{display}=G({x[2]},{x[3]})B({x[4]},{x[5]})R({x[0]},{x[1]})WP({x[6]},{x[7]})L({most},{least})"
            )
        if self.lightest != (0, 0):
            parts.append(f"{level}={self.lightest[0]},{self.lightest[1]}")
        return ":".join(parts)


def mastering_in(path: Path) -> Mastering:
    """What the first frame of a file states; empty where it states nothing."""
    if is_sequence(path):
        return Mastering()
    try:
        with opened(path) as container:
            video = pictures_in(container)
            frame = next(container.decode(video), None) if video is not None else None
            return Mastering() if frame is None else _stated_by(frame)
    except (av.error.FFmpegError, OSError, ValueError):  # the last where a frame carries what the library cannot name
        return Mastering()


def _stated_by(frame: VideoFrame) -> Mastering:
    kinds = (Type.MASTERING_DISPLAY_METADATA, Type.CONTENT_LIGHT_LEVEL)
    display, level = (cast(Any, frame.side_data).get(kind) for kind in kinds)
    colours, light, lightest = None, None, (0, 0)
    if display is not None and display.buffer_size >= _RATIONALS.size:
        *numbers, has_colours, has_light = _RATIONALS.unpack_from(bytes(display))
        values = [Fraction(a, b) if b else Fraction(0) for a, b in zip(numbers[::2], numbers[1::2], strict=True)]
        colours = tuple(values[:8]) if has_colours else None
        light = (values[8], values[9]) if has_light else None
    if level is not None and level.buffer_size >= _LIGHT.size:
        most, mean = _LIGHT.unpack_from(bytes(level))
        lightest = (min(most, 65_535), min(mean, 65_535))
    return Mastering(colours, light, lightest)
