"""Clips of ten bits whose code values are given, and which name their colour: BT.2020, video range, and a curve."""

from collections.abc import Iterable, Mapping
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from oddmeter.media.files.samples import PQ, planes_of

GREY, RATE = 512, 25


def write_tagged(
    path: Path,
    lumas: Iterable[int | npt.NDArray[np.uint16]],
    *,
    size: tuple[int, int] = (320, 192),
    pixel_format: str = "yuv420p10le",
    curve: int = PQ,
    codec: str = "ffv1",
    options: Mapping[str, str] | None = None,
) -> Path:
    """Write a clip without colour, one frame for each luma, of one code value or of one for each sample."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=RATE, options=dict(options or {}))
        assert isinstance(stream, VideoStream)
        stream.width, stream.height, stream.pix_fmt = *size, pixel_format
        for name, value in (("color_trc", curve), ("color_primaries", 9), ("colorspace", 9), ("color_range", 1)):
            setattr(stream.codec_context, name, value)
        for number, luma in enumerate(lumas):
            frame = VideoFrame(*size, pixel_format)
            for at, plane in enumerate(planes_of(frame)):
                plane[:] = luma if at == 0 else GREY
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path
