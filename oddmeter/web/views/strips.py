"""The meter strip for the page: one form for all its sizes."""

from pydantic import BaseModel

from oddmeter.core.conform.strips import Strip
from oddmeter.core.maps.frame_map import FrameKind, Shown

_THREADS = 24
"""About as many threads to a moment as are drawn, of more that an open shutter takes."""


class ThreadView(BaseModel):
    """A thread from a beat to a source unit: ``at`` 0, or ½ for a frame's second field; ``weight`` from 0 to 1."""

    unit: int
    at: float
    weight: float


class StripFrameView(BaseModel):
    """A timeline frame on the strip: what it is, and what it is made of."""

    kind: FrameKind
    threads: list[ThreadView]


class ColumnView(BaseModel):
    """Some timeline frames of a strip that shows more than can be told apart, added up."""

    frames: int
    dropped: int
    repeated: int
    made: int


class StripView(BaseModel):
    """A stretch of ``frames`` timeline frames from ``first`` on: a beat for each, or columns that add up many.

    ``units`` are the source units on the rail in the order of running, ``places`` the moments, in timeline frames, at
    which their time on screen begins; ``hiccups`` are timeline frames; ``speeds`` the line of a speed that changes, at
    the places ``speeds_at`` in timeline frames.
    """

    first: int
    frames: int
    beats: list[StripFrameView]
    columns: list[ColumnView]
    units: list[int]
    places: list[float]
    hiccups: list[int]
    speeds_at: list[float]
    speeds: list[float]


def strip_view(strip: Strip) -> StripView:
    """A strip for the page; it is drawn, so floats will do."""
    return StripView(
        first=strip.first,
        frames=strip.frames,
        beats=[_beat(beat) for beat in strip.beats],
        columns=[
            ColumnView(frames=tally.frames, dropped=tally.dropped, repeated=tally.repeated, made=tally.made)
            for tally in strip.columns
        ],
        units=[unit.unit for unit in strip.rail],
        places=[round(float(unit.begins), 4) for unit in strip.rail],
        hiccups=list(strip.hiccups),
        speeds_at=[round(float(place), 3) for place, _ in strip.speeds],
        speeds=[round(float(speed), 5) for _, speed in strip.speeds],
    )


def _beat(shown: Shown) -> StripFrameView:
    threads = [
        ThreadView(unit=unit, at=number / 2, weight=float(weight))
        for number, moment in enumerate(shown.moments)
        for unit, weight in moment.parts[:: max(1, len(moment.parts) // _THREADS)]
    ]
    return StripFrameView(kind=shown.kind, threads=threads)
