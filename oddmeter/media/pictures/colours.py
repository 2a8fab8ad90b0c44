"""One colour for pictures from many sources: the same matrix and range, so that they can stand in one file."""

from dataclasses import dataclass
from typing import Protocol

from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.samples import flagged_like, planes_of
from oddmeter.media.pictures.planes import (
    UNSAID,
    black_levels,
    is_full_range,
    is_rgb,
    matrix_for,
    matrix_in,
    ranged,
    rematrixed,
)
from oddmeter.media.settings.setting import ColourTags

_BT709 = 1
"""Its number in ITU-T H.273, alike for primaries, curves and matrices."""


class Pictures(Protocol):
    """The pictures of a file, in any order, all of one pixel format."""

    pixel_format: str

    def picture(self, number: int) -> VideoFrame:
        """That of a timeline frame, counted from the file's first; raises ``RuleError`` where it cannot be made."""


@dataclass(frozen=True)
class Colour:
    """How code values stand for colour: the matrix, primaries and transfer by their numbers (ITU-T H.273), and whether
    black is 0 and white the highest value."""

    matrix: int
    full: bool = False
    primaries: int = UNSAID
    transfer: int = UNSAID

    @staticmethod
    def usual(lines: int) -> "Colour":
        """That of video with so many lines."""
        matrix = matrix_for(lines)
        return Colour(matrix, False, *((_BT709, _BT709) if matrix == _BT709 else (UNSAID, UNSAID)))


def colour_of(frame: VideoFrame, lines: int) -> Colour:
    """The colour of a picture once it is brought to so many lines, as luma and chroma."""
    if is_rgb(frame.format.name):
        return Colour.usual(lines)
    return Colour(matrix_in(frame, lines), is_full_range(frame), int(frame.color_primaries), int(frame.color_trc))


def numbers_said(of: object) -> tuple[int, int, int]:
    """Primaries, curve and matrix that a picture or a stream says, ``UNSAID`` where it does not."""
    codes = (int(getattr(of, name) or UNSAID) for name in ("color_primaries", "color_trc", "colorspace"))
    primaries, curve, matrix = codes
    return primaries, curve, matrix


def coloured(frame: VideoFrame, colour: Colour) -> VideoFrame:
    """The picture under another matrix and range; as it is where it has both already."""
    if not is_rgb(frame.format.name):
        frame = ranged(rematrixed(frame, colour.matrix), full=colour.full)
    return _flagged(frame, colour)


def black(width: int, height: int, pixel_format: str, colour: Colour) -> VideoFrame:
    """A black picture."""
    out = _flagged(VideoFrame(width, height, pixel_format), colour)
    for plane, level in zip(planes_of(out), black_levels(out), strict=True):
        plane[:] = level
    return out


def _flagged(frame: VideoFrame, colour: Colour) -> VideoFrame:
    like = VideoFrame(2, 2, "yuv420p")
    rgb = is_rgb(frame.format.name)
    like.colorspace = 0 if rgb else colour.matrix
    like.color_range = ColorRange.JPEG if colour.full or rgb else ColorRange.MPEG
    like.color_primaries, like.color_trc = colour.primaries, colour.transfer
    return flagged_like(frame, like)


_TAGS = {
    ColourTags.BT709: (1, 1, 1),
    ColourTags.BT601_525: (6, 6, 6),
    ColourTags.BT601_625: (5, 6, 5),
    ColourTags.BT2020: (9, 14, 9),
}
"""Primaries, curve and matrix of standards by their numbers (ITU-T H.273)."""


class _Tagged:
    def __init__(self, made: Pictures, numbers: tuple[int, int, int]) -> None:
        self.pixel_format, self._made, self._numbers = made.pixel_format, made, numbers

    def picture(self, number: int) -> VideoFrame:
        frame = self._made.picture(number)
        names = ("color_primaries", "color_trc", "colorspace")
        for name, said, wanted in zip(names, numbers_said(frame), self._numbers, strict=True):
            if name == "colorspace" and is_rgb(frame.format.name):
                continue
            if said == UNSAID:
                setattr(frame, name, wanted)
            elif said != wanted:
                raise RuleError(
                    "The pictures are tagged with another colour standard than the setting. Nothing converts them.",
                    "colour",
                )
        return frame


def tagged(made: Pictures, tags: ColourTags) -> Pictures:
    """Pictures of which those that say nothing about their colour say what a setting asks for. Raises ``RuleError``
    with the first that says another thing."""
    return made if tags is ColourTags.KEEP else _Tagged(made, _TAGS[tags])
