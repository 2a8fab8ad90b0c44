"""Opened: the one way in which somebody's file is opened for reading.

Only formats that hold pictures and sound by themselves are taken, and no protocol but the file: lists that lead to
other files, or to addresses, are not followed. Of several streams the first is taken that can be decoded.
"""

from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import InputContainer
from av.sidedata.sidedata import Type
from av.stream import Disposition
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.turn import Turn, turn_of
from oddmeter.media.files.samples import flagged_like, planar, planes_of, reformatted

FORMATS = (
    *("mov", "matroska", "avi", "mxf", "mpegts", "mpeg", "mpegvideo", "m4v", "dv", "asf", "flv", "gxf", "nut", "ogg"),
    *("h264", "hevc", "av1", "ivf", "dnxhd", "yuv4mpegpipe", "mjpeg", "gif", "apng"),
    *("image2", "png_pipe", "tiff_pipe", "dpx_pipe", "jpeg_pipe", "jpegls_pipe", "exr_pipe", "bmp_pipe", "j2k_pipe"),
    *("wav", "w64", "aiff", "caf", "flac", "mp3", "aac"),
)
"""The container formats that are opened, by the names libavformat has for them."""
_OPTIONS = {"format_whitelist": ",".join(FORMATS), "protocol_whitelist": "file", "pattern_type": "none"}


_BY_ROTATION = {-90: Turn.QUARTER, 90: Turn.THREE_QUARTERS, 180: Turn.HALF, -180: Turn.HALF}
"""Degrees against the clock."""


def opened(path: Path) -> InputContainer:
    """The file, open for reading; use as a context manager. Raises what the library raises where it is no such file."""
    return av.open(str(path), options=_OPTIONS, metadata_errors="replace")


def pictures_in(container: InputContainer) -> VideoStream | None:
    """The first stream of pictures that can be decoded; a cover picture only where there is nothing else."""
    able = [stream for stream in container.streams.video if has_decoder(stream)]
    return next(
        (stream for stream in able if not stream.disposition & Disposition.attached_pic), next(iter(able), None)
    )


def sounds_in(container: InputContainer) -> list[AudioStream]:
    """The streams of sound for which there is a decoder."""
    return [stream for stream in container.streams.audio if has_decoder(stream)]


def has_decoder(stream: VideoStream | AudioStream) -> bool:
    """True where there is a decoder for what the stream holds."""
    return getattr(stream, "codec_context", None) is not None


def opened_pictures(path: Path) -> tuple[InputContainer, VideoStream]:
    """A clip open for reading, and its stream of pictures; whoever asks closes it. Raises ``RuleError`` where it cannot
    be opened, or holds no pictures that can be decoded."""
    try:
        container = opened(path)
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"{path.name} cannot be opened.", "media") from error
    stream = pictures_in(container)
    if stream is None:
        container.close()
        raise RuleError(f"{path.name} contains no picture that can be decoded.", "media")
    return container, stream


def picture_in(file: Path) -> VideoFrame:
    """The picture in a file of its own, as it is shown; raises ``RuleError`` where there is none."""
    try:
        with opened(file) as container:
            stream = pictures_in(container)
            frame = next(container.decode(stream)) if stream is not None else None
    except MemoryError:
        raise
    except (av.error.FFmpegError, OSError, StopIteration):
        frame = None
    if frame is None:
        raise RuleError(f"{file.name} contains no picture that can be decoded.", "media")
    return turned(frame, turn_in(frame))


def turn_in(frame: VideoFrame) -> Turn:
    """The turn that a decoded frame carries; none where it is not by quarters.

    To ask ties the frame to itself, so that it stays until the collector comes by: ask one frame of a clip, not all.
    """
    try:
        matrix: Any = frame.side_data.get(Type.DISPLAYMATRIX)  # type: ignore[call-overload]
    except ValueError:  # it carries something that the library has no name for; then it only says how it is turned
        return _BY_ROTATION.get(frame.rotation, Turn.NONE)
    return (turn_of(np.frombuffer(matrix, np.int32)[:9].tolist()) if matrix else None) or Turn.NONE


def turned(frame: VideoFrame, turn: Turn) -> VideoFrame:
    """A frame turned, sample for sample; chroma that is finer one way than the other is first made equally fine."""
    if turn is Turn.NONE:
        return frame
    flat = planar(frame)
    finer = {round(flat.width / c.width) != round(flat.height / c.height) for c in flat.format.components}
    if turn.swaps and True in finer:
        bits = flat.format.components[0].bits
        flat = reformatted(flat, format="yuv444p" if bits <= 8 else f"yuv444p{bits}le")
    width, height = (flat.height, flat.width) if turn.swaps else (flat.width, flat.height)
    out = flagged_like(VideoFrame(width, height, flat.format.name), frame)
    swaps, leftwards, upwards = turn.lines
    for made, plane in zip(planes_of(out), planes_of(flat), strict=True):
        lines = plane.T if swaps else plane
        made[:] = lines[:: -1 if upwards else 1, :: -1 if leftwards else 1]
    return out
