"""The Bench: one clip, frame by frame; two sides of it at one timeline frame, each with a treatment of its own."""

import struct
from fractions import Fraction
from itertools import pairwise
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import pattern_text, percent_text
from oddmeter.core.cadence import Weights
from oddmeter.core.conform import Conform
from oddmeter.core.decisions import Part
from oddmeter.core.errors import RuleError
from oddmeter.core.originals import Unit
from oddmeter.core.rates import decimal_text
from oddmeter.core.seeking import Spot, cut_frames, skipped, sought
from oddmeter.core.showing import LOWER, PROGRESSIVE, Look, shown
from oddmeter.core.timecode import Timecode
from oddmeter.core.treatments import Fields
from oddmeter.media.viewing import Subject
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Row
from oddmeter.web.brief import ShowId
from oddmeter.web.changing import ClipRef, IntentIn, PlanChange, changed, titled
from oddmeter.web.context import Context, Here
from oddmeter.web.evidence import Jpeg
from oddmeter.web.sides import Side, Token
from oddmeter.web.views import LengthView, RateView, length_view, rate_view
from oddmeter.work.orders import order_of, plan_to_make

router = APIRouter(prefix="/api", tags=["bench"])

_MOST_BEATS = 480
_MOST_AT_ONCE = 120
_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}


class Frames(Response):
    """Pictures, one after the other."""

    media_type = "application/octet-stream"


class SideIn(BaseModel):
    """How a side differs from what is planned; empty for the plan itself."""

    intent: IntentIn | None = None
    set: dict[Part, str | None] = Field(default_factory=dict)
    shot_rate: str | None = None


class SideView(BaseModel):
    """One side: a token for its pictures, what it is in words, and its figures. ``unit`` is what it counts in the
    source; ``words`` name only what differs from the plan, ``parts`` all of it, exact."""

    token: Token
    words: list[str]
    parts: dict[str, str]
    speed: str
    pace: str
    length: LengthView
    pattern: str
    kind: str
    unit: str
    dropped: int
    repeated: int
    made: int
    scan: str
    width: int
    height: int


class BenchView(BaseModel):
    """A clip on the Bench: what it is, which timeline it is looked at for, and the range that is used, in source
    frames."""

    id: int
    name: str
    revision: int
    frames: int
    first_frame: int
    last_frame: int
    file_rate: RateView
    shot_rate: RateView | None
    timeline: str
    timeline_rate: RateView
    frame_seconds: float
    timecode: str | None


class SourceView(BaseModel):
    """One source picture of a moment: its frames or field, its source timecode, and how much of it is shown."""

    frames: str
    timecode: str
    percent: str


class MomentView(BaseModel):
    """One moment of a timeline frame; ``field`` names it where the timeline is interlaced."""

    field: str
    parts: list[SourceView]


class FrameView(BaseModel):
    """What one timeline frame shows; ``source_frame`` is the first frame of the file in it."""

    frame: int
    source_frame: int
    timecode: str
    look: Look
    skipped: int
    moments: list[MomentView]


class BeatView(BaseModel):
    """A timeline frame on the strip: the source units of its (first) moment and how much of the second."""

    first: int
    second: int
    weight: float
    look: Look


class ColumnView(BaseModel):
    """Some timeline frames of a strip that shows more than can be told apart, added up."""

    frames: int
    dropped: int
    repeated: int
    made: int


class StretchOnStrip(BaseModel):
    """Timeline frames made of source frames that carry pulldown in one way."""

    first: int
    last: int
    words: str


class StripWindow(BaseModel):
    """A window of the meter strip: each beat, or columns that add up many; with hiccups, cuts, and stretches."""

    first: int
    last: int
    source_first: int
    source_stop: int
    beats: list[BeatView]
    columns: list[ColumnView]
    hiccups: list[int]
    cuts: list[int]
    stretches: list[StretchOnStrip]
    period: int


class SpotView(BaseModel):
    """Where something is; null where there is none."""

    frame: int | None


class ChangesView(BaseModel):
    """How much each timeline frame differs from the one before, in grey levels."""

    first: int
    changes: list[float]


@router.get("/shows/{show_id}/bench/{clip_id}")
def open_bench(here: Here, show_id: ShowId, clip_id: int) -> BenchView:
    """A clip on the Bench."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    row = board.some([clip_id], timeline)[0]
    planned, facts = _planned(row), row.known.facts
    assert facts is not None
    first, stop = planned.span
    return BenchView(
        id=row.clip.id,
        name=row.clip.name,
        revision=row.known.revision,
        frames=planned.material.frames,
        first_frame=first,
        last_frame=stop - 1,
        file_rate=rate_view(planned.material.file_rate),
        shot_rate=rate_view(row.known.standing.shot_rate) if row.known.standing.shot_rate else None,
        timeline=timeline.settings.name,
        timeline_rate=rate_view(timeline.settings.rate),
        frame_seconds=float(1 / timeline.settings.rate.value),
        timecode=facts.timecode,
    )


@router.post("/shows/{show_id}/bench/{clip_id}/side")
def take_side(here: Here, show_id: ShowId, clip_id: int, asked: SideIn) -> SideView:
    """A side of the Bench worked out; nothing is changed by it."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    row = board.some([clip_id], timeline)[0]
    side_row = row
    if asked.model_fields_set & {"intent", "shot_rate"} or asked.set:
        given = asked.model_dump(exclude_unset=True)
        change = PlanChange.model_validate({**given, "clips": [ClipRef(id=clip_id, revision=row.known.revision)]})
        side_row = board.work_out(changed(board, change, timeline).clips[0], timeline)
    planned = _planned(side_row)
    subject = _subject(here, side_row, planned, timeline)
    token = here.sides.put(Side(subject, timeline, _source_start(side_row)))
    if not asked.model_fields_set:
        here.viewing.fill(subject)
    return _side_view(token, row, side_row, planned, subject, timeline)


@router.get("/bench/{token}/frames/{number}", response_class=Jpeg)
def picture(
    here: Here, token: Token, number: int, size: Literal["draft", "final"] = "final",
    part: Literal["whole", "upper", "lower", "trust"] = "whole",
) -> Response:  # fmt: skip
    """A timeline frame of a side as a picture."""
    subject = here.sides.get(token).subject
    if size == "draft":
        data = here.viewing.draft(subject, number)
    else:
        data = here.viewing.final(subject, number, None if part == "whole" else part)
    return Jpeg(data, headers=_FOREVER)


@router.get("/bench/{token}/run", response_class=Frames)
def run(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)],
    size: Literal["draft", "final"] = "draft",
) -> Response:  # fmt: skip
    """Consecutive timeline frames for playing: for each its length in bytes, four of them, the lowest first, and its
    JPEG."""
    subject = here.sides.get(token).subject
    parts = []
    for number in range(first, min(first + count, subject.planned.frame_map.length)):
        data = here.viewing.draft(subject, number) if size == "draft" else here.viewing.final(subject, number)
        parts += [struct.pack("<I", len(data)), data]
    return Frames(b"".join(parts), headers=_FOREVER)


@router.get("/bench/{token}/shown")
def what_is_shown(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)]
) -> list[FrameView]:
    """What consecutive timeline frames show."""
    side = here.sides.get(token)
    stop = min(first + count, side.subject.planned.frame_map.length)
    return [_frame_view(side, number) for number in range(first, stop)]


@router.get("/bench/{token}/strip")
def strip(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], last: Annotated[int, Query(ge=0)],
    columns: Annotated[int, Query(ge=10, le=2000)] = 600,
) -> StripWindow:  # fmt: skip
    """A window of the meter strip, timeline frames ``first`` to ``last``."""
    side = here.sides.get(token)
    return _strip_window(side, first, last, columns)


@router.get("/bench/{token}/spot")
def find_spot(
    here: Here, token: Token, what: Spot, frame: Annotated[int, Query(ge=0)],
    step: Annotated[int, Query(ge=-1, le=1)] = 1, other: Token | None = None,
) -> SpotView:  # fmt: skip
    """The nearest drop, repeat, hiccup, cut or difference to another side, after a timeline frame or before it."""
    subject = here.sides.get(token).subject
    beside = here.sides.get(other).subject.planned if other else None
    planned, scan = subject.planned, subject.canvas.scan
    way = -1 if step < 0 else 1
    return SpotView(frame=sought(what, planned, scan, frame, way, sorted(subject.cuts), beside))


@router.get("/bench/{token}/changes")
def changes(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)]
) -> ChangesView:
    """The unique-frame check: how much each shown frame of a stretch differs from the one before."""
    subject = here.sides.get(token).subject
    count = min(count, subject.planned.frame_map.length - first)
    return ChangesView(first=first, changes=here.viewing.changes(subject, first, count) if count > 0 else [])


def _planned(row: Row) -> Conform:
    if row.planned is None:
        facts = row.known.facts
        trouble = facts.trouble if facts else None
        raise RuleError(
            f"{row.clip.name} has not been looked at yet." if facts is None
            else f"{row.clip.name} cannot be shown. {trouble or 'Its speed is beyond anything that can be shown.'}",
            "facts",
        )  # fmt: skip
    return row.planned


def _subject(here: Context, row: Row, planned: Conform, timeline: Timeline) -> Subject:
    clip = row.clip
    plan = plan_to_make(order_of(planned, timeline), clip, here.config, "view", "bench.mp4")
    return Subject(plan.source, plan.facts, planned, plan.canvas, plan.cuts)


def _source_start(row: Row) -> Timecode | None:
    facts = row.known.facts
    if facts is None or facts.timecode is None or facts.file_rate is None:
        return None
    try:
        return Timecode.parse(facts.timecode, facts.file_rate)
    except RuleError:
        return None


def _side_view(token: Token, plan: Row, row: Row, planned: Conform, subject: Subject, timeline: Timeline) -> SideView:
    frame_map = planned.frame_map
    ours, theirs = row.resolved.decisions, plan.resolved.decisions
    parts = [part for part in Part if getattr(ours, part.value) != getattr(theirs, part.value)]
    words = [titled(part, value) for part in parts if (value := getattr(ours, part.value)) is not None]
    if row.known.material and plan.known.material and row.known.material.shot_rate != plan.known.material.shot_rate:
        words.append(f"shot at {row.known.material.shot_rate}")
    width, height = subject.size
    return SideView(
        token=token,
        words=words,
        parts=ours.texts(),
        speed=percent_text(planned.speed),
        pace=percent_text(planned.pace),
        length=length_view(frame_map.length, timeline),
        pattern=pattern_text(planned),
        kind=frame_map.kind.value,
        unit={Fields.SPLIT: "field", Fields.ORIGINAL: "original"}.get(planned.fields, "frame"),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        made=frame_map.made,
        scan=subject.canvas.scan,
        width=width,
        height=height,
    )


def _frame_view(side: Side, number: int) -> FrameView:
    subject, settings = side.subject, side.timeline.settings
    planned, scan = subject.planned, subject.canvas.scan
    what = shown(planned, scan, number)
    if len(what.moments) == 1:
        names = ["" if scan == PROGRESSIVE else "both fields"]
    else:
        names = ["lower", "upper"] if scan == LOWER else ["upper", "lower"]
    return FrameView(
        frame=number,
        source_frame=planned.unit(what.moments[0].first).frames[0],
        timecode=str(Timecode(number, settings.rate, settings.drop_frame)),
        look=what.look,
        skipped=skipped(planned, number),
        moments=[
            MomentView(field=name, parts=_parts(side, weights))
            for name, weights in zip(names, what.moments, strict=True)
        ],
    )


def _parts(side: Side, weights: Weights) -> list[SourceView]:
    shares = [(weights.first, 1 - weights.second_weight)]
    if weights.second_weight:
        shares.append((weights.second, weights.second_weight))
    return [_part(side, side.subject.planned.unit(unit), share) for unit, share in shares]


def _part(side: Side, unit: Unit, share: Fraction) -> SourceView:
    frames = unit.frames
    names = " + ".join(str(frame) for frame in frames)
    if unit.upper is None or unit.lower is None:
        names += " upper" if unit.lower is None else " lower"
    elif unit.upper != unit.lower:
        names = f"{unit.upper} upper + {unit.lower} lower"
    start = side.source_start
    timecode = str(Timecode(start.frames + frames[0], start.rate, start.drop)) if start else ""
    return SourceView(frames=names, timecode=timecode, percent=f"{decimal_text(share * 100, 1)} %")


def _strip_window(side: Side, first: int, last: int, columns: int) -> StripWindow:
    subject = side.subject
    planned, scan = subject.planned, subject.canvas.scan
    frame_map = planned.frame_map
    first = min(first, frame_map.length - 1)
    last = max(first, min(last, frame_map.length - 1))
    count = last - first + 1
    beats: list[BeatView] = []
    added: list[ColumnView] = []
    if count <= _MOST_BEATS:
        beats = [_beat(planned, scan, number) for number in range(first, last + 1)]
    else:
        edges = [first + count * i // columns for i in range(columns + 1)]
        added = [_column(planned, a, b) for a, b in pairwise(edges) if b > a]
    picks = sorted((frame_map.pick(first), frame_map.pick(last)))
    hiccups = list(frame_map.hiccups(first, last + 1)) if count <= 50_000 else []
    cuts = [spot for spot in cut_frames(planned, sorted(subject.cuts)) if first <= spot <= last]
    return StripWindow(
        first=first, last=last, source_first=picks[0], source_stop=min(frame_map.units, picks[1] + 2), beats=beats,
        columns=added, hiccups=hiccups[:2000], cuts=cuts, stretches=_stretches(planned), period=frame_map.period[1],
    )  # fmt: skip


def _beat(planned: Conform, scan: str, number: int) -> BeatView:
    what = shown(planned, scan, number)
    weights = what.moments[0]
    return BeatView(first=weights.first, second=weights.second, weight=float(weights.second_weight), look=what.look)


def _column(planned: Conform, first: int, stop: int) -> ColumnView:
    """Timeline frames ``first`` to ``stop − 1`` added up, from where the source is at both ends."""
    frame_map = planned.frame_map
    before = frame_map.pick(first - 1) if first else frame_map.pick(0)
    moved = abs(frame_map.pick(stop - 1) - before) + (0 if first else 1)
    frames = stop - first
    repeated, dropped = max(0, frames - moved), max(0, moved - frames)
    whole = frame_map.stride.denominator
    made = frames - (-(-stop // whole) - -(-first // whole)) if not frame_map.holds else 0
    return ColumnView(frames=frames, dropped=dropped, repeated=repeated, made=made)


def _stretches(planned: Conform) -> list[StretchOnStrip]:
    """Where the source carries pulldown, on the timeline; nothing once it is taken out."""
    originals = planned.material.originals
    if originals is None or planned.fields is Fields.ORIGINAL or planned.frame_map.reverse:
        return []
    start, stop = planned.span
    units, stride, length = planned.units_a_frame, planned.frame_map.stride, planned.frame_map.length
    return [
        StretchOnStrip(
            first=int((max(stretch.first_frame, start) - start) * units / stride),
            last=min(length - 1, int((min(stretch.last_frame + 1, stop) - start) * units / stride)),
            words=stretch.words,
        )
        for stretch in originals.stretches
        if stretch.pattern and stretch.last_frame >= start and stretch.first_frame < stop
    ]
