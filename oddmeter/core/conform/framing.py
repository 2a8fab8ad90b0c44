"""Where a picture comes to lie in a raster of another shape: exact, from the shapes of pictures and pixels."""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.decisions.treatment import Framing
from oddmeter.core.pictures.scan import TimelineScan


@dataclass(frozen=True)
class Canvas:
    """What a made file shows: its raster, the shape of its pixels (width over height), and its scan, ``progressive``
    or the field that comes first."""

    width: int
    height: int
    pixel_aspect: Fraction = Fraction(1)
    scan: TimelineScan = TimelineScan.PROGRESSIVE


@dataclass(frozen=True)
class Placement:
    """A picture scaled to ``width`` × ``height`` samples of the canvas, its upper left corner at ``left``, ``top``.

    Where those lie outside, the picture is cut off; where it leaves room, that is black.
    """

    width: int
    height: int
    left: int
    top: int


def placed(width: int, height: int, pixel_aspect: Fraction, canvas: Canvas, framing: Framing) -> Placement:
    """Where a picture of that raster and pixel shape lies in the canvas.

    The shape of the picture stays true but for *stretch*. Sizes and places are even, so that chroma lies with luma;
    tops are multiples of four, so that fields keep their lines.
    """
    across = Fraction(canvas.width, width)
    down = Fraction(canvas.height, height)
    if framing is Framing.STRETCH:
        return Placement(canvas.width, canvas.height, 0, 0)
    wider = pixel_aspect / canvas.pixel_aspect
    by_width, by_height = across / wider, down
    scale = {
        Framing.INSIDE: min(by_width, by_height),
        Framing.FILL: max(by_width, by_height),
        Framing.WIDTH: by_width,
        Framing.HEIGHT: by_height,
    }[framing]
    wide, high = _even(width * wider * scale), _even(height * scale)
    left, top = (canvas.width - wide) // 4 * 2, (canvas.height - high) // 8 * 4
    return Placement(wide, high, left, top)


def canvas_for(width: int, height: int, pixel_aspect: Fraction, timeline: Canvas, framing: Framing) -> Canvas:
    """The canvas of a made file: the timeline's, or, where the raster is kept, the picture's own with its scan."""
    if framing is Framing.KEEP:
        return Canvas(width, height, pixel_aspect, timeline.scan)
    return timeline


def _even(length: Fraction) -> int:
    return max(2, 2 * round(length / 2))
