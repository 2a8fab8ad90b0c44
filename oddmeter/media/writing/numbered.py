"""Numbered pictures: a folder of them, with their rate and timecode beside them, and in their headers where these hold
such a thing (DPX, SMPTE ST 268)."""

import json
import struct
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import cast

from av.codec.context import CodecContext
from av.packet import Packet
from av.video.codeccontext import VideoCodecContext
from av.video.frame import PictureType, VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.media.frames.decode import read_ahead
from oddmeter.media.pictures.colours import numbers_said
from oddmeter.media.plans import FilePlan, first_number, numbered_name
from oddmeter.media.writing.losses import Losses, Measuring

SIDECAR = "sequence.json"
_GENERIC, _INDUSTRY, _UNSET = 1664, 384, 0xFFFFFFFF


def write_numbered(plan: FilePlan, folder: Path, progress: Callable[[int], None]) -> Losses:
    """Write a plan's pictures into a folder that is there; returns what they lost, which is nothing."""
    numbers, first, codec = plan.setting.numbers, first_number(plan), plan.setting.codec
    name = numbered_name(plan)
    with plan.pictures(ahead=True) as pictures, read_ahead(map(pictures.picture, range(plan.length))) as made:
        encoder = _encoder(plan, pictures.pixel_format)
        read_as = plan.encoding.read_as(pictures.pixel_format)
        measuring = Measuring(encoder, lossless=True, sums=plan.builds, read_as=read_as)
        for place, data in enumerate(_encoded(encoder, made, measuring, plan, progress)):
            file = folder / name.replace("#" * numbers.padding, f"{first + place:0{numbers.padding}d}")
            file.write_bytes(_with_heads(data, file.name, plan, place) if codec.name == "dpx" else data)
        picture = pictures.picture(0)
        losses = measuring.finish()
        measuring.close()
    (folder / SIDECAR).write_text(json.dumps(_sidecar(plan, picture), indent=1, ensure_ascii=False) + "\n")
    return losses


def _encoder(plan: FilePlan, pixel_format: str) -> VideoCodecContext:
    encoding = plan.encoding
    encoder = cast(VideoCodecContext, CodecContext.create(encoding.codec.encoder, "w"))
    encoder.width, encoder.height, encoder.pix_fmt = plan.canvas.width, plan.canvas.height, pixel_format
    encoder.time_base = 1 / plan.rate.value
    encoder.sample_aspect_ratio = plan.canvas.pixel_aspect
    encoder.options = encoding.options_for(pixel_format)
    encoder.thread_type = "FRAME"
    return encoder


def _encoded(
    encoder: VideoCodecContext,
    frames: Iterator[VideoFrame],
    measuring: Measuring,
    plan: FilePlan,
    progress: Callable[[int], None],
) -> Iterator[bytes]:
    """The files of pictures in turn; an encoder works on several at once and gives each when it is done."""
    for number, frame in enumerate(frames):
        frame.pts, frame.time_base, frame.pict_type = number, 1 / plan.rate.value, PictureType.NONE
        measuring.took(frame)
        yield from _files(encoder.encode(frame))
        progress(number + 1)
    yield from _files(encoder.encode(None))


def _files(packets: "list[Packet[VideoStream]]") -> Iterator[bytes]:
    return (bytes(packet) for packet in packets)


def _sidecar(plan: FilePlan, picture: VideoFrame) -> dict[str, object]:
    canvas, start, rate = plan.canvas, plan.start, plan.rate.value
    primaries, curve, matrix = numbers_said(picture)
    return {
        "name": plan.out.name, "pictures": numbered_name(plan), "first": first_number(plan), "frames": plan.length,
        "rate": fraction_text(rate), "timecode": str(start) if plan.setting.timecode else None,
        "drop_frame": start.drop, "width": canvas.width, "height": canvas.height,
        "pixel_aspect": fraction_text(canvas.pixel_aspect),
        "colour": {"primaries": primaries, "transfer": curve, "matrix": matrix},
    }  # fmt: skip


def sidecar_in(folder: Path) -> dict[str, object]:
    """What is said beside numbered pictures; nothing where it cannot be read."""
    try:
        found = json.loads((folder / SIDECAR).read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _with_heads(data: bytes, name: str, plan: FilePlan, number: int) -> bytes:
    """A DPX picture with the headers of film and television that its writer leaves out, which hold its place, its rate
    and its timecode."""
    order = ">" if data[:4] == b"SDPX" else "<"
    (begins,) = struct.unpack_from(f"{order}I", data, 4)
    head, picture = bytearray(data[:_GENERIC].ljust(_GENERIC, b"\0")), data[begins:]
    offset, rate = _GENERIC + _INDUSTRY, float(plan.rate.value)
    for at, value in (
        (4, offset),
        (16, offset + len(picture)),
        (24, _GENERIC),
        (28, _INDUSTRY),
        (32, 0),
        (808, offset),
    ):
        struct.pack_into(f"{order}I", head, at, value)
    head[36:136] = name.encode("ascii", "replace")[:99].ljust(100, b"\0")
    head[160:260] = b"Odd Meter".ljust(100, b"\0")
    more = bytearray(b"\xff" * _INDUSTRY)
    more[:48] = b"\0" * 48  # film: maker, type, offset, prefix, count, format
    struct.pack_into(f"{order}3I2f", more, 48, number, plan.length, 1, rate, 0.0)
    more[68:256] = b"\0" * 188  # frame identification, slate, reserved
    place = after(plan.start, number)
    struct.pack_into(f"{order}II4B", more, 256, digits_of(place) if plan.setting.timecode else _UNSET, 0, 0, 0, 0, 0)
    struct.pack_into(f"{order}f", more, 276, rate)
    return bytes(head + more) + picture


def after(start: Timecode, frames: int) -> Timecode:
    """The timecode so many frames later."""
    return Timecode(start.frames + frames, start.rate, start.drop)


def digits_of(timecode: Timecode) -> int:
    """A timecode as eight decimal digits in 32 bits (SMPTE ST 12-1, without flags)."""
    return int("".join(digit for digit in str(timecode) if digit.isdecimal())[-8:].rjust(8, "0"), 16)
