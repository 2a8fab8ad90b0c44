"""Clips with a click every quarter of a second of their sound, in many containers and codecs, some with packets left
out, moved, damaged, on a clock of their own, or of another form from half way."""

from collections import deque
from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import chain
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.codec.context import CodecContext
from av.container import OutputContainer
from av.packet import Packet
from av.video.frame import VideoFrame

from bench.carried import SIZE, picture

RATE, SECONDS, FPS = 48_000, 4, 25
CLICK = Fraction(1, 4)
Change = Callable[[Packet], list[Packet]]


def clicks(channels: int, rate: int = RATE) -> np.ndarray:
    """The sound: shape (channels, samples). Each click is a short burst whose loudest sample is its first; channels are
    told apart by how loud theirs is."""
    out = np.zeros((channels, SECONDS * rate), np.float32)
    burst = np.exp(-np.arange(96) / 12) * np.cos(np.arange(96) * 1.1)
    for number in range(int(SECONDS / CLICK)):
        at = int(number * CLICK * rate)
        loud = 0.9 - 0.5 * np.arange(channels) / max(1, channels)
        room = min(96, out.shape[1] - at)
        out[:, at : at + room] = loud[:, None] * burst[:room]
    return out


def heard_clicks(samples: np.ndarray, rate: int = RATE) -> list[float]:
    """The seconds at which clicks are heard in one channel."""
    loud = np.flatnonzero(np.abs(samples) > 0.25)
    return [
        float(at) / rate for last, at in zip([-RATE, *loud.tolist()], loud.tolist(), strict=False) if at - last > 2400
    ]


def _layout(channels: int) -> str:
    return {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}.get(
        channels, f"{channels} channels"
    )


def written(
    path: Path, codec: str, *, channels: int = 2, pictures: str = "mpeg2video",
    change: Change = lambda packet: [packet], rate: int = RATE, then: tuple[int, int] | None = None,
    form: str | None = None, block: int = 960,
) -> Path:  # fmt: skip
    """A clip of four seconds with that sound; ``change`` is what becomes of each packet of it; ``then`` are the
    channels and the samples a second that it has from half way."""
    with av.open(str(path), "w", format=form) as container:
        video = container.add_stream(pictures, rate=FPS)
        video.width, video.height, video.pix_fmt = *SIZE, "yuv420p"
        video.codec_context.gop_size = 12
        stream = container.add_stream(codec, rate=rate, layout=_layout(channels))
        sound = _packets(codec, 0, SECONDS // 2 if then else SECONDS, channels, rate, stream, block)
        if then is not None:
            sound = chain(sound, _packets(codec, SECONDS // 2, SECONDS, *then, None, block))
        waiting = deque(one for packet in sound for one in change(packet))
        for number in range(SECONDS * FPS):
            frame = VideoFrame.from_ndarray(picture(number), format="bgr24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, FPS)
            container.mux(video.encode(frame))
            while waiting and waiting[0].pts * waiting[0].time_base * FPS <= number:
                _mux(container, stream, waiting.popleft())
        container.mux(video.encode(None))
        for packet in waiting:
            _mux(container, stream, packet)
    return path


def _mux(container: OutputContainer, stream: Any, packet: Packet) -> None:
    packet.stream = stream
    container.mux(packet)


def _packets(codec: str, first: int, stop: int, channels: int, rate: int, stream: Any, block: int) -> Iterator[Packet]:
    """The sound of some seconds, encoded by a stream or by an encoder of its own."""
    if stream is None:
        stream = CodecContext.create(codec, "w")
        stream.sample_rate, stream.layout, stream.time_base = rate, _layout(channels), Fraction(1, rate)
        stream.format = {"ac3": "fltp"}.get(codec, "s16")
        stream.open()
    samples, resampler = clicks(channels, rate), AudioResampler(stream.format.name, stream.layout, rate)
    for start in range(first * rate, stop * rate, block):
        packed = np.ascontiguousarray(samples[:, start : min(start + block, stop * rate)].T).reshape(1, -1)
        frame = AudioFrame.from_ndarray(packed, format="flt", layout=_layout(channels))
        frame.sample_rate, frame.pts, frame.time_base = rate, start, Fraction(1, rate)
        for made in resampler.resample(frame):
            yield from (packet for packet in stream.encode(made) if packet.size)
    yield from (packet for packet in stream.encode(None) if packet.size)


def left_out(*holes: tuple[float, float]) -> Change:
    """Leaves out the packets that begin in these seconds."""

    def change(packet: Packet) -> list[Packet]:
        time = float(packet.pts * packet.time_base)
        return [] if any(first <= time < last for first, last in holes) else [packet]

    return change


def late(after: float, by: float) -> Change:
    """Moves the packets from a second on, by so many seconds."""

    def change(packet: Packet) -> list[Packet]:
        if packet.pts * packet.time_base >= after:
            ticks = int(by / packet.time_base)
            packet.pts, packet.dts = packet.pts + ticks, packet.dts + ticks
        return [packet]

    return change


def drifting(factor: Fraction) -> Change:
    """Gives packets the times of a clock that runs so many times as slowly."""

    def change(packet: Packet) -> list[Packet]:
        packet.pts, packet.dts = int(packet.pts * factor), int(packet.dts * factor)
        return [packet]

    return change


def spoilt(first: float, last: float) -> Change:
    """Makes packets of these seconds such that they cannot be decoded."""

    def change(packet: Packet) -> list[Packet]:
        if not first <= packet.pts * packet.time_base < last:
            return [packet]
        told = Packet(b"\xff" * packet.size)
        told.pts, told.dts, told.duration, told.time_base = packet.pts, packet.dts, packet.duration, packet.time_base
        return [told]

    return change
