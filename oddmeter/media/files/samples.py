"""The stored samples of a decoded frame: its planes as arrays, and frames like it to write into."""

import threading
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
from av.video.format import VideoFormat
from av.video.frame import VideoFrame
from av.video.plane import VideoPlane
from av.video.reformatter import VideoReformatter

Plane = npt.NDArray[Any]
"""Shape (lines, samples), as stored."""
PQ, HLG = 16, 18
"""Curves of high dynamic range by their number (ITU-T H.273): SMPTE ST 2084, and hybrid log-gamma of BT.2100."""


def planar(frame: VideoFrame) -> VideoFrame:
    """The frame in a pixel format whose planes hold one component each, at its own depth."""
    name = planar_for(frame.format.name)
    return frame if name == frame.format.name else reformatted(frame, format=name)


_own = threading.local()
_MOST_KEPT = 6


def reformatted(frame: VideoFrame, **how: Any) -> VideoFrame:
    """The frame as its own ``reformat`` makes it, by a converter kept for the next frame like it. In one thread: the
    converter parts a picture between several, and where its width is no multiple of what it writes at once, the last
    line of one part ends in the first line of the next, whichever comes later."""
    kept: dict[tuple[object, ...], VideoReformatter] = _own.__dict__.setdefault("kept", {})
    key = (frame.format.name, frame.width, frame.height, *sorted(how.items()))
    if key not in kept and len(kept) == _MOST_KEPT:
        kept.pop(next(iter(kept)))
    return kept.setdefault(key, VideoReformatter()).reformat(frame, threads=1, **how)


def planes_of(frame: VideoFrame) -> list[Plane]:
    """Views of the stored samples of each plane, shape (lines, samples), of a planar frame."""
    bits = frame.format.components[0].bits
    return [samples_of(plane, bits) for plane in frame.planes]


def same_samples(a: VideoFrame, b: VideoFrame) -> bool:
    """True where two planar pictures of one raster and pixel format are the same, sample for sample."""
    return all(np.array_equal(one, other) for one, other in zip(planes_of(a), planes_of(b), strict=True))


def samples_of(plane: VideoPlane, bits: int) -> Plane:
    """A view of the stored samples of one plane of that depth, shape (lines, samples)."""
    wide = 1 if bits <= 8 else 2
    stored = np.frombuffer(memoryview(plane), f"<u{wide}").reshape(-1, plane.line_size // wide)
    return stored[: plane.height, : plane.width]


def empty_like(frame: VideoFrame, width: int, height: int) -> VideoFrame:
    """A frame of another raster in the same pixel format and with the same colour flags; its samples are not set."""
    out = VideoFrame(width, height, frame.format.name)
    return flagged_like(out, frame)


def flagged_like(frame: VideoFrame, other: VideoFrame) -> VideoFrame:
    """The frame, with the colour flags of another."""
    frame.colorspace, frame.color_range = other.colorspace, other.color_range
    frame.color_primaries, frame.color_trc = other.color_primaries, other.color_trc
    return frame


@lru_cache(maxsize=64)
def planar_for(name: str) -> str:
    """The pixel format itself where its planes hold one component each, or else one of the same depth where they do."""
    return name if _is_planar(name) else _planar_name(VideoFormat(name))


def _is_planar(name: str) -> bool:
    form = VideoFormat(name)
    used = [component.plane for component in form.components]
    return (form.is_planar and len(set(used)) == len(used)) or name.startswith("gray")


def _planar_name(form: VideoFormat) -> str:
    deep = form.components[0].bits > 8
    if form.is_rgb or form.has_palette:
        return "gbrp16le" if deep else "gbrp"
    if form.name.startswith(("nv12", "nv21")):
        return "yuv420p"
    return "yuv422p10le" if deep else "yuv422p"
