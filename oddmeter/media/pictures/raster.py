"""Bringing pictures into another raster, field by field where they hold two moments."""

from fractions import Fraction

import cv2
import numpy as np
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas, Placement, placed
from oddmeter.core.decisions.treatment import Framing
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.files.samples import Plane, empty_like, planar, planar_for, planes_of, reformatted
from oddmeter.media.pictures.planes import black_levels, by_field, converted, flagged, matrix_in, rematrixed

_SPREAD = 0.25
"""Where the lines of a field lie: a quarter of the way between two of its lines off the middle, upper or lower."""


def framed(
    frame: VideoFrame, canvas: Canvas, framing: Framing, pixel_aspect: Fraction, pixel_format: str, *, fields: bool
) -> VideoFrame:
    """A picture in the canvas's raster, in a pixel format.

    ``fields`` is True where the picture holds two moments: then the lines of each field are scaled for themselves, to
    where they lie in the other raster. Luma and chroma are converted to the matrix of the new raster.
    """
    if framing is Framing.KEEP:
        return _formatted(frame, pixel_format, fields=fields)
    place = placed(frame.width, frame.height, pixel_aspect, canvas, framing)
    matrix = matrix_in(frame, canvas.height)
    if not fields:
        return converted(_scaled(_full_chroma(frame), canvas, place, 0.0, matrix), pixel_format)
    half = Canvas(canvas.width, canvas.height // 2, canvas.pixel_aspect)
    apart = planar_for(pixel_format)  # fields are woven plane by plane
    rows = Placement(place.width, place.height // 2, place.left, place.top // 2)

    def scaled_field(field: VideoFrame, name: FieldOrder) -> VideoFrame:
        side = 1 if name is FieldOrder.UPPER else -1
        shift = side * _SPREAD * (1 - field.height / rows.height)
        return converted(_scaled(_full_chroma(field), half, rows, shift, matrix), apart)

    return converted(by_field(flagged(frame), scaled_field), pixel_format)


def _formatted(frame: VideoFrame, pixel_format: str, *, fields: bool) -> VideoFrame:
    if frame.format.name == pixel_format:
        return frame
    if fields:
        apart = planar_for(pixel_format)
        return converted(by_field(flagged(frame), lambda field, _: converted(field, apart)), pixel_format)
    return converted(frame, pixel_format)


def _full_chroma(frame: VideoFrame) -> VideoFrame:
    """The frame with as many samples of chroma as of luma, at its own depth."""
    frame = planar(frame)
    name = frame.format.name
    if not name.startswith("yuv") or name.startswith(("yuv444", "yuvj444")):
        return frame
    bits = frame.format.components[0].bits
    return reformatted(frame, format="yuv444p" if bits <= 8 else f"yuv444p{bits}le")


def _scaled(frame: VideoFrame, canvas: Canvas, place: Placement, shift: float, matrix: int) -> VideoFrame:
    """The frame scaled and put in its place; read ``shift`` lines lower down."""
    frame = rematrixed(frame, matrix)
    out = empty_like(frame, canvas.width, canvas.height)
    for made, plane, black in zip(planes_of(out), planes_of(frame), black_levels(frame), strict=True):
        made[:] = black
        put(made, _resized(plane, place.width, place.height, shift), place)
    return out


def _resized(plane: Plane, width: int, height: int, shift: float) -> Plane:
    if shift:
        lines = np.array([[1, 0, 0], [0, 1, shift]], np.float32)
        plane = np.asarray(
            cv2.warpAffine(
                plane, lines, (plane.shape[1], plane.shape[0]),
                flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
            ),
            plane.dtype,
        )  # fmt: skip
    smaller = width < plane.shape[1] and height < plane.shape[0]
    way = cv2.INTER_AREA if smaller else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(plane, (width, height), interpolation=way), plane.dtype)


def put(canvas: Plane, picture: Plane, place: Placement) -> None:
    """Put a picture onto the canvas, cut off where it stands over."""
    high, wide = canvas.shape[:2]
    top, left = max(0, place.top), max(0, place.left)
    bottom, right = min(high, place.top + place.height), min(wide, place.left + place.width)
    canvas[top:bottom, left:right] = picture[
        top - place.top : bottom - place.top, left - place.left : right - place.left
    ]
