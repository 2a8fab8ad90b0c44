"""Intake: what there is to look at about a clip: its frames and fields, and what its pictures and timestamps show."""

from itertools import pairwise
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import pictures_of_fields
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.core.planning.clips import Clip
from oddmeter.media.pictures.stills import contact_sheet, still
from oddmeter.store import clips
from oddmeter.store.changes import MissingError
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.values import Jpeg

router = APIRouter(tags=["intake"])

MOST_LISTED = 200


class StretchView(BaseModel):
    """A stretch that carries its pictures in one way."""

    first_frame: int
    last_frame: int
    words: str


class FieldPictures(BaseModel):
    """The picture that the first and the second field of a frame, in time, come from."""

    first: int
    second: int


class PictureView(BaseModel):
    """What the pictures show: how many frames were looked at, the stretches, cuts, which of the frames from
    ``new_from`` on are new pictures, and where pulldown is carried, the picture that each field of them comes from,
    the first in time before the second."""

    examined: int
    whole: bool
    stretches: list[StretchView]
    cuts: list[int]
    repeats: str | None
    blended: bool
    new_from: int
    new: list[bool]
    fields: list[FieldPictures]


class IntervalView(BaseModel):
    """How many frames last so long; ``share`` is per cent of the most frequent length."""

    milliseconds: str
    count: int
    share: int


class SpotOnClock(BaseModel):
    """A frame whose time is there twice, or after which one is missing; ``at`` is its share of the clip."""

    frame: int
    words: str
    at: float


class ClockView(BaseModel):
    """The own times of a clip: what they are like in words, how long they run, frames a second in equal steps of time,
    and odd spots."""

    words: str
    seconds: str
    rates: list[float]
    spots: list[SpotOnClock]


class Dossier(BaseModel):
    """What there is to look at about one clip beside its verdicts."""

    picture: PictureView | None
    intervals: list[IntervalView]
    start: str
    frames: int
    clock: ClockView | None


class SheetPlace(BaseModel):
    """How pictures lie on a sheet."""

    count: int
    columns: int
    width: int
    height: int


@router.get("/api/shows/{show_id}/clips/{clip_id}/evidence")
def dossier(here: Here, show_id: ShowId, clip_id: int) -> Dossier:
    """What there is to look at about one clip."""
    clip = _clip(here, show_id, clip_id)
    facts = clip.measured or Facts()
    most = max((count for _, count in facts.intervals), default=1)
    return Dossier(
        picture=_picture(clip.picture, facts) if clip.picture else None,
        intervals=[
            IntervalView(milliseconds=decimal_text(length * 1000, 3), count=count, share=-(-100 * count // most))
            for length, count in facts.intervals
        ],
        start=f"{decimal_text(facts.start, 3)} s",
        frames=facts.frames,
        clock=_clock(facts),
    )


def _clock(facts: Facts) -> ClockView | None:
    clock, uneven = facts.clock, facts.uneven
    if clock is None or uneven is None:
        return None
    steps = min(_CLOCK_STEPS, clock.frames)
    places = [clock.place(clock.end * step / steps) for step in range(steps + 1)]
    spots = [(frame, "duplicate timestamp at") for frame in uneven.twice] + [
        (frame, "gap in the timestamps after") for frame in uneven.missing
    ]
    return ClockView(
        words=uneven.words,
        seconds=f"{decimal_text(clock.end, 3)} s",
        rates=[round(float((b - a) * steps / clock.end), 3) for a, b in pairwise(places)],
        spots=[
            SpotOnClock(frame=frame, words=words, at=float(clock.time(frame) / clock.end)) for frame, words in spots
        ],
    )


_CLOCK_STEPS = 160


@router.get("/api/shows/{show_id}/clips/{clip_id}/frames/{number}.jpg", response_class=Jpeg)
def one_frame(
    here: Here,
    show_id: ShowId,
    clip_id: int,
    number: int,
    width: Annotated[int, Query(ge=16, le=1920)] = 640,
    field: FieldOrder | None = None,
) -> Jpeg:
    """One frame of a clip, or one of its fields."""
    clip = _clip(here, show_id, clip_id)
    facts = clip.measured
    if facts is None or facts.fault is not None or not 0 <= number < facts.frames:
        raise MissingError("This frame")
    picture = still(here.config.footage(clip.root, clip.path), facts, number, width, field)
    return Jpeg(picture, headers={"Cache-Control": "private, max-age=600"})


@router.get("/api/shows/{show_id}/clips/{clip_id}/sheet.jpg", response_class=Jpeg)
def frames_sheet(
    here: Here,
    show_id: ShowId,
    clip_id: int,
    first: Annotated[int, Query(ge=0)] = 0,
    count: Annotated[int, Query(ge=1, le=240)] = 96,
    width: Annotated[int, Query(ge=16, le=480)] = 200,
) -> Jpeg:
    """Consecutive frames of a clip, small, on one picture; how they lie on it is in the header ``X-Sheet``."""
    clip = _clip(here, show_id, clip_id)
    if clip.measured is None or clip.measured.fault is not None or first >= clip.measured.frames:
        raise MissingError("These frames")
    made = contact_sheet(here.config.footage(clip.root, clip.path), clip.measured, first, count, width)
    place = SheetPlace(count=made.count, columns=made.columns, width=made.width, height=made.height)
    headers = {"Cache-Control": "private, max-age=600", "X-Sheet": place.model_dump_json()}
    return Jpeg(made.jpeg, headers=headers)


def _picture(report: PictureReport, facts: Facts) -> PictureView:
    repeats = None
    if report.repeats is not None:
        rate = Rate(facts.file_rate.value * report.repeats.step).spoken if facts.file_rate else "?"
        repeats = f"{report.repeats.unique_frames} unique frames of {report.repeats.frames}, {rate} a second"
    return PictureView(
        examined=report.examined,
        whole=report.whole,
        stretches=[
            StretchView(first_frame=s.first_frame, last_frame=s.last_frame, words=s.words) for s in report.stretches
        ],
        cuts=list(report.cuts[:MOST_LISTED]),
        repeats=repeats,
        blended=report.blended,
        new_from=report.new_from,
        new=list(report.new),
        fields=[
            FieldPictures(first=first, second=second)
            for first, second in pictures_of_fields(
                report.stretches, report.new_from, report.new_from + len(report.new)
            )
        ],
    )


def _clip(here: Context, show_id: int, clip_id: int) -> Clip:
    with here.database.transaction() as connection:
        return clips.clips_in_show(connection, show_id, [clip_id])[0]
