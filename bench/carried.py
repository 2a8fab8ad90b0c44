"""Clips whose every picture carries its number, in many containers, codecs and structures of groups, some begun, cut
or timed as they come from captures and edits."""

from collections.abc import Callable
from fractions import Fraction
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.packet import Packet
from av.video.frame import VideoFrame

from bench.field_pairs import stream as field_pairs
from oddmeter.demo.framecode import stamp

SIZE, FRAMES, RATE = (64, 192), 75, 25
_WRAP = Fraction(1 << 33, 90_000)
_GROUPS = "keyint=15:min-keyint=15:scenecut=0:bframes=3:threads=1"
_HEVC = "keyint=15:min-keyint=15:scenecut=0:log-level=none:pools=none:frame-threads=1"


@lru_cache(maxsize=1)
def _ground() -> np.ndarray:
    noise = np.random.default_rng(5).integers(0, 255, (SIZE[1], SIZE[0] * 3, 3), dtype=np.uint8)
    return cv2.convertScaleAbs(cv2.GaussianBlur(noise, (0, 0), 3), alpha=2.5, beta=-160)


def picture(number: int) -> np.ndarray:
    """A picture that moves by two samples a frame, with its number, shape (height, width, 3)."""
    x = number * 2 % (SIZE[0] * 2)
    out = np.ascontiguousarray(_ground()[:, x : x + SIZE[0]])
    stamp(out, number)
    return out


def encoded(
    path: Path,
    codec: str,
    *,
    form: str | None = None,
    pixels: str = "yuv420p",
    group: int | None = None,
    between: int | None = None,
    frames: int = FRAMES,
    rate: int = RATE,
    mux: dict[str, str] | None = None,
    **options: str,
) -> Path:  # fmt: skip """A clip by an encoder of the library."""
    named = {key.replace("__", "-"): value for key, value in options.items()}
    with av.open(str(path), "w", format=form, options=mux or {}) as container:
        stream = container.add_stream(codec, rate=rate, options=named)
        stream.width, stream.height, stream.pix_fmt = *SIZE, pixels
        stream.codec_context.thread_count = 1
        if group is not None:
            stream.codec_context.gop_size = group
        if between is not None:
            stream.codec_context.max_b_frames = between
        for number in range(frames):
            frame = VideoFrame.from_ndarray(picture(number), format="bgr24").reformat(format=pixels)
            frame.pts, frame.time_base = number, Fraction(1, rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def remuxed(
    source: Path, path: Path, change: Callable[[int, Packet], None] = lambda at, packet: None, *,
    first: int = 0, form: str | None = None, mux: dict[str, str] | None = None,
) -> Path:  # fmt: skip
    """The packets of a clip from one of the first stream on, changed, in another container."""
    with av.open(str(source)) as made, av.open(str(path), "w", format=form, options=mux or {}) as container:
        copied = {stream.index: container.add_stream_from_template(stream) for stream in made.streams}
        at = 0
        for packet in (packet for packet in made.demux() if packet.size):
            if packet.stream_index or at >= first:
                change(at, packet)
                index, packet.stream = packet.stream_index, copied[packet.stream_index]
                container.mux(packet)
                at += index == 0
            else:
                at += 1
    return path


def moved(seconds: Fraction) -> Callable[[int, Packet], None]:
    """Moves every packet by so many seconds."""

    def change(at: int, packet: Packet) -> None:
        ticks = int(seconds / packet.time_base)
        packet.pts, packet.dts = packet.pts + ticks, None if packet.dts is None else packet.dts + ticks

    return change


def _spread(at: int, packet: Packet) -> None:
    packet.pts = packet.dts = at * 3 + (at % 4 == 1)


def _h264(path: Path, *, groups: str = _GROUPS, **how: Any) -> Path:
    return encoded(path, "libx264", preset="veryfast", x264__params=groups, **how)


def _hevc(path: Path, *, open_groups: bool = False, **how: Any) -> Path:
    return encoded(path, "libx265", preset="ultrafast", x265__params=f"{_HEVC}:open-gop={int(open_groups)}", **how)


def _mpeg2(path: Path, **how: Any) -> Path:
    return encoded(path, "mpeg2video", group=12, between=2, **how)


def _of(make: Callable[..., Path], name: str, path: Path, **how: Any) -> Path:
    """A clip made of another of that name, which goes."""
    made = make(path.with_name(name))
    remuxed(made, path, **how)
    made.unlink()
    return path


def _twice(path: Path) -> Path:
    made = _h264(path)
    path.write_bytes(path.read_bytes() * 2)
    return made


def _without_start(path: Path) -> Path:
    made = _mpeg2(path)
    data = path.read_bytes()
    path.write_bytes(data[188 * (len(data) // 188 // 4) + 50 :])
    return made


def _cut_short(path: Path) -> Path:
    made = _h264(path)
    path.write_bytes(path.read_bytes()[: path.stat().st_size * 2 // 3])
    return made


def _pairs(path: Path) -> Path:
    raw = path.with_suffix(".264")
    raw.write_bytes(field_pairs([picture(number) for number in range(36)]))

    def timed(at: int, packet: Packet) -> None:
        packet.pts = packet.dts = at
        packet.duration, packet.time_base = 1, Fraction(1, 2 * RATE)

    remuxed(raw, path, timed)
    raw.unlink()
    return path


def _telecined(path: Path) -> Path:
    """MPEG-2 of 23.976 whose flags tell a player to repeat fields (ISO/IEC 13818-2, 6.3.10)."""
    raw = encoded(path.with_suffix(".m2v"), "mpeg2video", form="mpeg2video", group=12, between=2, rate=24)
    with av.open(str(raw)) as made, av.open(str(path), "w") as container:
        copied = container.add_stream_from_template(made.streams.video[0])
        packets = [packet for packet in made.demux(video=0) if packet.size]
        in_turn = sorted(range(len(packets)), key=lambda at: packets[at].pts or 0)
        rank = {at: number for number, at in enumerate(in_turn)}
        for at, packet in enumerate(packets):
            told = Packet(_with_flags(bytes(packet), rank[at]))
            told.pts, told.dts = 3003 * _fields(rank[at]) // 2 + 9009, 3003 * _fields(at) // 2
            told.time_base, told.is_keyframe, told.stream = Fraction(1, 90_000), packet.is_keyframe, copied
            container.mux(told)
    raw.unlink()
    return path


def _fields(pictures: int) -> int:
    return pictures // 2 * 5 + pictures % 2 * 3


def _with_flags(data: bytes, number: int) -> bytes:
    out, at = bytearray(data), -4
    while (at := out.find(b"\0\0\1\xb5", at + 4)) >= 0:
        if out[at + 4] >> 4 == 1:
            out[at + 5] &= ~8  # the sequence is not progressive
        if out[at + 4] >> 4 == 8:
            out[at + 7] = out[at + 7] & ~0x82 | (0x80 if number % 4 in (0, 3) else 0) | (2 if number % 2 == 0 else 0)
            out[at + 8] |= 0x80  # the picture is
    return bytes(out)


def _staying(path: Path) -> Path:
    """MPEG-4 in which every sixth packet says that the picture stays (ISO/IEC 14496-2, vop_coded)."""
    made = encoded(path.with_name("coded.mp4"), "mpeg4", group=20, between=0, frames=50)
    with av.open(str(made)) as source, av.open(str(path), "w") as container:
        copied = container.add_stream_from_template(source.streams.video[0])
        number = 0
        for packet in source.demux(video=0):
            told = [packet] if packet.size else []
            if told and number % 6 == 5:
                bits = f"0101{number % 25:05b}10"
                bits += "0" + "1" * (7 - len(bits) % 8)
                told.insert(0, Packet(b"\0\0\1\xb6" + int(bits, 2).to_bytes(len(bits) // 8, "big")))
            for one in told:
                one.time_base = packet.time_base
                one.pts = one.dts = int(Fraction(number, RATE) / packet.time_base)
                one.stream = copied
                container.mux(one)
                number += 1
    made.unlink()
    return path


KINDS: dict[str, Callable[[Path], Path]] = {
    "h264-closed.ts": _h264,
    "h264-open.ts": partial(_h264, groups=f"{_GROUPS}:open-gop=1"),
    "h264-one-group.ts": partial(_h264, groups="keyint=infinite:scenecut=0:bframes=3:threads=1"),
    "h264-refreshed.ts": partial(_h264, groups="keyint=15:scenecut=0:bframes=0:intra-refresh=1:threads=1"),
    "h264-closed.mp4": _h264,
    "h264-open.mp4": partial(_h264, groups=f"{_GROUPS}:open-gop=1"),
    "h264-open.mkv": partial(_h264, groups=f"{_GROUPS}:open-gop=1"),
    "h264-fragmented.mp4": partial(
        _h264, groups=f"{_GROUPS}:open-gop=1", mux={"movflags": "frag_keyframe+empty_moov"}
    ),
    "h264.avi": _h264,
    "h264.flv": _h264,
    "h264.264": partial(_h264, form="h264"),
    "h264-field-pairs.ts": _pairs,
    "h264-field-pairs.mkv": _pairs,
    "h264-field-pairs.mp4": _pairs,
    "h264-begun-in-mid-group.ts": partial(_of, _h264, "whole.ts", first=7),
    "h264-open-begun-in-mid-group.ts": partial(
        _of, partial(_h264, groups=f"{_GROUPS}:open-gop=1"), "whole.ts", first=7
    ),
    "h264-hidden-leading-frames.mp4": partial(_of, _h264, "whole.ts", change=moved(Fraction(-10, RATE))),
    "h264-before-zero.mp4": partial(_of, _h264, "whole.ts", change=moved(Fraction(-1))),
    "h264-late.mkv": partial(_of, _h264, "whole.ts", change=moved(Fraction(500))),
    "h264-wrapped.ts": partial(_of, _h264, "whole.ts", change=moved(_WRAP - Fraction(3, 2))),
    "h264-twice.ts": _twice,
    "h264-cut-short.ts": _cut_short,
    "h264-cut-short.mkv": _cut_short,
    "hevc-closed.ts": _hevc,
    "hevc-open.mp4": partial(_hevc, open_groups=True),
    "hevc-open.mkv": partial(_hevc, open_groups=True),
    "hevc-open-begun-in-mid-group.mkv": partial(
        _of, partial(_hevc, open_groups=True), "whole.mkv", first=14
    ),
    "mpeg2.ts": _mpeg2,
    "mpeg2.mpg": partial(_mpeg2, form="dvd"),
    "mpeg2.mov": _mpeg2,
    "mpeg2.mxf": _mpeg2,
    "mpeg2.m2v": partial(_mpeg2, form="mpeg2video"),
    "mpeg2-telecine-flags.ts": _telecined,
    "mpeg2-without-its-start.ts": _without_start,
    "mpeg2-wrapped.mpg": partial(_of, _mpeg2, "whole.ts", change=moved(_WRAP - Fraction(3, 2)), form="dvd"),
    "mpeg1.mpg": partial(encoded, codec="mpeg1video", form="mpeg", group=12, between=2),
    "mpeg4.avi": partial(encoded, codec="mpeg4", group=20, between=2),
    "mpeg4.mp4": partial(encoded, codec="mpeg4", group=20, between=2),
    "mpeg4-staying.avi": _staying,
    "mpeg4-staying.mp4": _staying,
    "msvideo1-empty-places.avi": partial(
        _of, partial(encoded, codec="msvideo1", pixels="rgb555le", frames=25, group=10), "whole.avi", change=_spread
    ),
    "mjpeg.avi": partial(encoded, codec="mjpeg", pixels="yuvj420p"),
    "mjpeg-empty-places.avi": partial(
        _of, partial(encoded, codec="mjpeg", pixels="yuvj420p", frames=25), "whole.avi", change=_spread
    ),
    "wmv2.asf": partial(encoded, codec="wmv2", group=15),
    "vp8.webm": partial(encoded, codec="libvpx", group=30, auto__alt__ref="1", lag__in__frames="16", cpu__used="8"),
    "vp9.webm": partial(
        encoded, codec="libvpx-vp9", group=30, auto__alt__ref="1", lag__in__frames="16", cpu__used="8"
    ),
    "av1.mp4": partial(encoded, codec="libsvtav1", group=30, preset="12"),
    "av1.mkv": partial(encoded, codec="libsvtav1", group=30, preset="12"),
    "ffv1.nut": partial(encoded, codec="ffv1", group=1),
    "ffv1-groups.mkv": partial(encoded, codec="ffv1", group=10),
    "prores.mov": partial(encoded, codec="prores_ks", pixels="yuv422p10le"),
    "qtrle.mov": partial(encoded, codec="qtrle", pixels="rgb24", group=15),
    "huffyuv.avi": partial(encoded, codec="huffyuv", pixels="yuv422p"),
}  # fmt: skip
"""What makes each, by the name of the file."""
