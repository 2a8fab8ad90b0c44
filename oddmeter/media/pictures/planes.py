"""The lines of a decoded picture by field, and its colour as red, green and blue.

Nothing here changes a sample that it need not: weaving and pulling lines apart work on the planes as they are stored.
"""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace, Interpolation

from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.files.samples import Plane, empty_like, flagged_like, planar, planes_of, reformatted, samples_of

Picture = npt.NDArray[Any]
"""Shape (height, width, 3): red, green and blue, of eight or of sixteen bits."""

_EXACT = (
    Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT | Interpolation.FULL_CHR_H_INP
)
"""How colour is converted: so that luma comes back as it was to within what eight bits can resolve."""
_SHOWN = Interpolation.BILINEAR | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT
"""How it is converted where it is only looked at: as exactly, but colour that is coarser than luma is read on straight
lines, which takes less than half the time."""
_HD_LINES = 577
"""Pictures of so many lines or more are high definition, whose colour matrix is that of BT.709, not BT.601."""
UNSAID = 2
"""What says nothing, in ITU-T H.273, alike for primaries, curves and matrices."""
_BT709, _BT601, _BT470BG = 1, 6, 5


def eight_bits(samples: Plane, bits: int) -> npt.NDArray[np.uint8]:
    """Samples of any depth by their upper eight bits."""
    return np.asarray(samples >> (bits - 8) if bits > 8 else samples, np.uint8)


def luma_of(frame: VideoFrame) -> npt.NDArray[np.uint8]:
    """The luma of a frame, or its green, in eight bits, as it is stored."""
    frame, bits = planar(frame), frame.format.components[0].bits
    return eight_bits(samples_of(frame.planes[0], bits), bits)


def woven(upper: VideoFrame, lower: VideoFrame) -> VideoFrame:
    """A frame with the upper lines of one frame and the lower lines of another, sample for sample."""
    stored, upper, lower = upper.format.name, planar(upper), planar(lower)
    out = empty_like(upper, upper.width, upper.height)
    for made, a, b in zip(planes_of(out), planes_of(upper), planes_of(lower), strict=True):
        made[0::2], made[1::2] = a[0::2], b[1::2]
    return out if out.format.name == stored else reformatted(out, format=stored)


def field_of(frame: VideoFrame, name: FieldOrder) -> VideoFrame:
    """The upper or the lower lines of a frame as a frame of half the height."""
    frame = planar(frame)
    height = (frame.height + (1 if name is FieldOrder.UPPER else 0)) // 2
    out = empty_like(frame, frame.width, height)
    for made, plane in zip(planes_of(out), planes_of(frame), strict=True):
        lines = plane[0 if name is FieldOrder.UPPER else 1 :: 2]
        made[:] = lines[np.minimum(np.arange(made.shape[0]), len(lines) - 1)]
    return out


def woven_fields(upper: VideoFrame, lower: VideoFrame) -> VideoFrame:
    """One frame of two fields, each a frame of half the height."""
    out = empty_like(upper, upper.width, upper.height + lower.height)
    for made, a, b in zip(planes_of(out), planes_of(upper), planes_of(lower), strict=True):
        made[0::2], made[1::2] = a[: len(made[0::2])], b[: len(made[1::2])]
    return out


def by_field(frame: VideoFrame, change: Callable[[VideoFrame, FieldOrder], VideoFrame]) -> VideoFrame:
    """Both fields of a frame changed apart, and woven again."""
    upper, lower = (change(field_of(frame, name), name) for name in FieldOrder)
    return woven_fields(upper, lower)


def from_one_field(frame: VideoFrame, name: FieldOrder) -> VideoFrame:
    """A whole picture from the lines of one field alone; each line between is the mean of its neighbours."""
    frame = planar(frame)
    out = empty_like(frame, frame.width, frame.height)
    own = 0 if name is FieldOrder.UPPER else 1
    for made, plane in zip(planes_of(out), planes_of(frame), strict=True):
        lines = plane[own::2]
        made[own::2] = lines
        above = np.concatenate([lines[:1], lines]) if own else lines
        below = lines if own else np.concatenate([lines[1:], lines[-1:]])
        between = made[1 - own :: 2]
        mean = (above[: len(between)].astype(np.uint32) + below[: len(between)] + 1) >> 1
        between[:] = mean.astype(plane.dtype)
    return out


def matrix_of(frame: VideoFrame) -> int:
    """The colour matrix of a picture, by its flag, or by its lines where it has none (BT.709 and BT.601)."""
    flag = int(frame.colorspace)
    if flag in (_BT709, _BT601, _BT470BG, 7, 9, 10):
        return flag
    return matrix_for(frame.height)


def matrix_in(frame: VideoFrame, lines: int) -> int:
    """The colour matrix of a picture brought to so many lines: standard definition and high have each their own,
    others stay."""
    matrix = matrix_of(frame)
    return matrix_for(lines) if matrix in (_BT709, _BT601, _BT470BG) else matrix


def flagged(frame: VideoFrame) -> VideoFrame:
    """The frame with its colour matrix said, so that its fields, of half the lines, keep it."""
    if not is_rgb(frame.format.name):
        frame.colorspace = matrix_of(frame)
    return frame


def converted(frame: VideoFrame, pixel_format: str) -> VideoFrame:
    """The frame in another pixel format; what was red, green and blue comes under the matrix for its lines."""
    if frame.format.name == pixel_format:
        return frame
    if not is_rgb(frame.format.name) or is_rgb(pixel_format):
        out = reformatted(frame, format=pixel_format)
        if is_rgb(pixel_format) and not is_rgb(frame.format.name):
            out.colorspace = UNSAID  # red, green and blue are under no matrix
        return out
    matrix = matrix_for(frame.height)
    out = reformatted(frame, format=pixel_format, dst_colorspace=_swscale(matrix), dst_color_range=ColorRange.MPEG)
    out.colorspace, out.color_range = matrix, ColorRange.MPEG
    return out


def luma_weights(frame: VideoFrame) -> tuple[float, float]:
    """The shares of red and of blue in luma (ITU-R BT.601, BT.709, BT.2020)."""
    return {_BT709: (0.2126, 0.0722), 7: (0.212, 0.087), 9: (0.2627, 0.0593), 10: (0.2627, 0.0593)}.get(
        matrix_of(frame), (0.299, 0.114)
    )


def matrix_for(lines: int) -> int:
    """The usual colour matrix for a number of lines."""
    return _BT709 if lines >= _HD_LINES else _BT601


def rgb_of(frame: VideoFrame, size: tuple[int, int] | None = None, how: Interpolation = _EXACT) -> Picture:
    """The picture as red, green and blue; brought to a smaller ``size``, width and height, on the way, or else
    converted as ``how`` says."""
    deep = frame.format.components[0].bits > 8
    name = "rgb48le" if deep else "rgb24"
    out = reformatted(
        frame,
        format=name,
        src_colorspace=_swscale(matrix_of(frame)),
        dst_color_range=ColorRange.JPEG,
        width=size[0] if size else None,
        height=size[1] if size else None,
        interpolation=Interpolation.AREA if size else how,
        **_range(frame, "src"),
    )
    array = out.to_ndarray()
    return np.ascontiguousarray(array.astype(np.uint16 if deep else np.uint8, copy=False))


def eight_bit_rgb(frame: VideoFrame, size: tuple[int, int] | None = None) -> npt.NDArray[np.uint8]:
    """The picture as red, green and blue as a screen shows it, wherever it is looked at."""
    picture = rgb_of(frame, size, _SHOWN)
    return eight_bits(picture, 8 * picture.itemsize)


def frame_of(picture: Picture, like: VideoFrame) -> VideoFrame:
    """A picture in the pixel format, matrix and range of another frame."""
    made = VideoFrame.from_ndarray(picture, format="rgb48le" if picture.dtype == np.uint16 else "rgb24")
    target = planar(like)
    out = reformatted(
        made,
        format=target.format.name,
        dst_colorspace=_swscale(matrix_of(like)),
        src_color_range=ColorRange.JPEG,
        interpolation=_EXACT,
        **_range(like, "dst"),
    )
    return flagged_like(out, like)


def rematrixed(frame: VideoFrame, matrix: int) -> VideoFrame:
    """A picture of luma and chroma under another colour matrix."""
    if matrix == matrix_of(frame) or is_rgb(frame.format.name) or frame.format.name.startswith("gray"):
        return frame
    out = reformatted(
        frame,
        format=frame.format.name,
        src_colorspace=_swscale(matrix_of(frame)),
        dst_colorspace=_swscale(matrix),
        interpolation=_EXACT,
        **_range(frame, "src"),
        **_range(frame, "dst"),
    )
    flagged_like(out, frame)
    out.colorspace = matrix
    return out


def ranged(frame: VideoFrame, *, full: bool) -> VideoFrame:
    """A picture of luma and chroma in the full range of code values, or in that of video."""
    if is_full_range(frame) is full:
        return frame
    to = ColorRange.JPEG if full else ColorRange.MPEG
    out = reformatted(frame, format=frame.format.name, dst_color_range=to, interpolation=_EXACT, **_range(frame, "src"))
    flagged_like(out, frame).color_range = to
    return out


def black_levels(frame: VideoFrame) -> Sequence[int]:
    """The value of black in each plane of a planar frame."""
    bits = frame.format.components[0].bits
    if is_rgb(frame.format.name):
        return [0] * len(frame.planes)
    luma = 0 if is_full_range(frame) else 16 << (bits - 8)
    return [luma, *[128 << (bits - 8)] * (len(frame.planes) - 1)]


def is_full_range(frame: VideoFrame) -> bool:
    """True where black is 0 and white the highest code value."""
    return int(frame.color_range) == int(ColorRange.JPEG) or frame.format.name.startswith("yuvj")


def _range(frame: VideoFrame, side: str) -> dict[str, ColorRange]:
    full = is_full_range(frame) or is_rgb(frame.format.name) or frame.format.name.startswith("gray")
    return {f"{side}_color_range": ColorRange.JPEG if full else ColorRange.MPEG}


def _swscale(matrix: int) -> Colorspace:
    """The matrix by the name the scaler knows it."""
    names = {_BT709: Colorspace.ITU709, 7: Colorspace.SMPTE240M, 9: Colorspace.BT2020, 10: Colorspace.BT2020}
    return names.get(matrix, Colorspace.ITU601)


def is_rgb(name: str) -> bool:
    """True of a pixel format of red, green and blue."""
    return name.startswith(("gbr", "rgb", "bgr", "argb", "abgr", "pal8"))
