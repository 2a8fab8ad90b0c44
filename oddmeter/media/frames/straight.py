"""Straight: the frames of a clip counted as they come out of the decoder one after the other, for whoever proves.

What makes files identifies a frame by the label that its packet carries; here frames are counted as they come. Both
must agree, or the file is not read as it should be, and that is said.
"""

import zlib
from bisect import bisect_left
from collections import OrderedDict
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.frame_index import NONE
from oddmeter.media.files.samples import planar, planes_of
from oddmeter.media.files.sequence import is_sequence
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.reaching import Numbered, OpenFile

_WINDOW = 12
"""Frames kept behind the one that came last."""
_NEAR = 250
"""Frames from the start up to which a clip is read from its very start."""


class StraightAccess:
    """The frames of one clip by their number, for one thread at a time. Use as a context manager.

    They are read straight through from the start of the file, or, where they lie far into it, from a packet that the
    index knows by its content. A frame that was passed is reached once more as what makes files does it, and must be
    the same to the sample.
    """

    def __init__(self, path: Path, facts: Facts) -> None:
        self.path, self.facts = path, facts
        self._held = OpenFile(path, facts)
        self._again = FrameAccess(path, facts, _WINDOW)
        self._kept: OrderedDict[int, VideoFrame] = OrderedDict()
        self._sums: dict[int, int] = {}
        self._row: Iterator[Numbered] = iter(())
        self._last = -1

    def __enter__(self) -> "StraightAccess":
        return self

    def __exit__(self, *_: object) -> None:
        self._again.__exit__()
        self._held.close()
        self._kept.clear()
        self._row = iter(())

    def frame(self, number: int) -> VideoFrame:
        """The frame with this number; raises ``RuleError`` where the clip has none that can be decoded, or where frames
        are not counted as they are labelled."""
        index = self._held.index
        if not 0 <= number < index.frames:
            raise RuleError(f"{self.path.name} has no frame {number}.", "media")
        picture = index.picture_of(number)
        if picture in self._kept:
            return self._kept[picture]
        if picture in self._sums:
            frame = self._again.frame(number)
            if _sum_of(frame) != self._sums[picture]:
                raise RuleError(
                    f"Frame {number} of {self.path.name} is another one where it is reached by a jump.", "media"
                )
            return frame
        self._come_near(picture)
        while self._last < picture:
            if (found := next(self._row, None)) is None:
                raise RuleError(f"{self.path.name} ends after {self._last + 1} frames that can be decoded.", "media")
            self._keep(*found)
        if picture not in self._kept:
            raise RuleError(f"Frame {number} of {self.path.name} cannot be decoded.", "media")
        return self._kept[picture]

    def _come_near(self, picture: int) -> None:
        """Begin another row where the one under way lies behind a picture, or far before it."""
        index = self._held.index
        group = index.group_before(picture) if picture >= _NEAR else -1
        lies = index.group(group).frame if group >= 0 else 0
        if self._last < 0 or picture <= self._last or lies > self._last + 1:
            self._row, self._last = self._counted(group), -1

    def _counted(self, group: int) -> Iterator[Numbered]:
        """Pictures with their numbers by counting, from the start of the file (−1) or from the first that begins a
        group; raises ``RuleError`` where one comes that should have come before."""
        index = self._held.index
        pictures = index.pictures.tolist()
        begins = {index.group(number).frame for number in range(group + 1)} if group >= 0 else {pictures[0]}
        at: int | None = None
        for label, frame in self._held.straight(group):
            if label == NONE or (at is None and label not in begins):
                continue
            at = bisect_left(pictures, label) if at is None or label > pictures[at] else at
            if label != pictures[at]:
                raise RuleError(f"The frames of {self.path.name} come in another order than was counted.", "media")
            yield pictures[at], frame
            at += 1
            if at == len(pictures):
                return

    def _keep(self, number: int, frame: VideoFrame) -> None:
        self._kept[number], self._last = frame, number
        if len(self._kept) > _WINDOW:
            passed, old = self._kept.popitem(last=False)
            self._sums[passed] = _sum_of(old)


def straight(path: Path, facts: Facts) -> StraightAccess | FrameAccess:
    """The frames of a clip for whoever proves; those of numbered pictures each from its own file."""
    return FrameAccess(path, facts) if is_sequence(path) else StraightAccess(path, facts)


def _sum_of(frame: VideoFrame) -> int:
    """A check sum of all samples."""
    out = 0
    for plane in planes_of(planar(frame)):
        out = zlib.crc32(np.ascontiguousarray(plane).data, out)
    return out
