"""Source units as pictures: frames as they are, frames with their fields made one, single fields, or the pictures that
were there before pulldown.

Fields become pictures with libavfilter's bwdif, which keeps the lines that are there and makes those between from
their neighbours in the picture and in time.
"""

from contextlib import suppress
from fractions import Fraction
from functools import lru_cache
from typing import cast

import av
from av.filter.graph import Graph
from av.video.frame import VideoFrame

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Fields
from oddmeter.core.pictures.originals import Unit
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.files.samples import flagged_like, planar
from oddmeter.media.frames.access import Frames
from oddmeter.media.pictures.planes import from_one_field, woven

_TICK = Fraction(1, 25)
_OF_SECOND = 2
"""Where the two fields of the second frame come, of what the filter makes of three."""


class Units:
    """The source units of a plan, as pictures."""

    def __init__(self, frames: Frames, planned: Conform) -> None:
        self._frames, self._planned = frames, planned
        self._fields = planned.fields
        self._order = planned.material.field_order
        self._made = lru_cache(maxsize=6)(self._make)

    def picture(self, number: int) -> VideoFrame:
        """Unit ``number`` as a picture; raises ``RuleError`` where its frames cannot be decoded."""
        return self._made(number)

    @property
    def are_woven(self) -> bool:
        """True where a picture can hold two moments, one in each field."""
        return self._fields is Fields.WHOLE

    def _make(self, number: int) -> VideoFrame:
        unit = self._planned.unit(number)
        if self._fields in (Fields.SPLIT, Fields.DEINTERLACE):
            (frame,) = unit.frames
            return self._unwoven(frame, late=self._fields is Fields.SPLIT and number % 2 == 1)
        return self._put_together(unit)

    def _put_together(self, unit: Unit) -> VideoFrame:
        if unit.upper is None or unit.lower is None:
            (frame,) = unit.frames
            return from_one_field(
                self._frames.frame(frame), FieldOrder.UPPER if unit.lower is None else FieldOrder.LOWER
            )
        if unit.upper == unit.lower:
            return self._frames.frame(unit.upper)
        earlier, later = (self._frames.frame(frame) for frame in unit.frames)
        return woven(earlier, later) if unit.upper < unit.lower else woven(later, earlier)

    def _unwoven(self, frame: int, *, late: bool) -> VideoFrame:
        """The picture of the first or of the second field of a frame; the frames beside it help where they exist."""
        last = self._planned.material.frames - 1
        beside = [max(0, frame - 1), frame, min(last, frame + 1)]
        before, here, after = (self._frames.frame(number) for number in beside)
        return _filtered(before, here, after, self._order, late=late)


def _filtered(before: VideoFrame, here: VideoFrame, after: VideoFrame, order: FieldOrder, *, late: bool) -> VideoFrame:
    here = planar(here)
    graph = Graph()
    source = graph.add_buffer(width=here.width, height=here.height, format=here.format, time_base=_TICK)
    filtered = graph.add("bwdif", f"mode=send_field:parity={'bff' if order is FieldOrder.LOWER else 'tff'}:deint=all")
    sink = graph.add("buffersink")
    source.link_to(filtered)
    filtered.link_to(sink)
    graph.configure()
    pictures: list[object] = []
    for number, frame in enumerate((planar(before), here, planar(after))):
        frame.pts, frame.time_base = number, _TICK
        source.push(frame)
        with suppress(av.error.BlockingIOError):
            while len(pictures) < 4:
                pictures.append(sink.pull())
    return flagged_like(cast(VideoFrame, pictures[_OF_SECOND + late]), here)
