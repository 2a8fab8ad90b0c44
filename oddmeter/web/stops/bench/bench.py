"""The Bench: one clip, frame by frame; two sides of it at one timeline frame, each with a treatment of its own."""

import struct
from collections.abc import Sequence
from fractions import Fraction
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel

from oddmeter.core.conform.arithmetic import pattern_text
from oddmeter.core.conform.seeking import Spot, cut_frames, sought
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.conform.strips import strip_of
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Fields
from oddmeter.core.decisions.vocabulary import part_text, titled
from oddmeter.core.maps.frame_map import FrameKind
from oddmeter.core.numbers.axes import round_marks
from oddmeter.core.numbers.numerals import decimal_text, exact_percent_text
from oddmeter.core.numbers.timecode import of_any_day
from oddmeter.core.pictures.originals import Unit
from oddmeter.core.planning.plans import Plan
from oddmeter.media.files.identity import insist_as_known
from oddmeter.media.settings.shipped import VIEW
from oddmeter.media.sound.track import SoundPlan
from oddmeter.media.viewing import Viewed
from oddmeter.web.board import Row
from oddmeter.web.http.context import Context, Here
from oddmeter.web.looking import Side, Token
from oddmeter.web.stops.bench.curve import CurveView, curve_view
from oddmeter.web.stops.bench.sides import planned_row, side_asked
from oddmeter.web.views.asked import ShowId, TreatmentIn
from oddmeter.web.views.strips import StripView, strip_view
from oddmeter.web.views.values import FOREVER, Jpeg, LengthView, RateView, length_view, rate_view
from oddmeter.work.orders import order_of, plan_to_make

router = APIRouter(prefix="/api", tags=["bench"])

UNITS = {Fields.SPLIT: "field", Fields.ORIGINAL: "original"}
"""What a side counts in the source, where that is not a frame."""
_MOST_BEATS = 480
_NUMBERED = 14
"""Timeline frames of a strip that have their number written."""
_MOST_AT_ONCE = 120
_NAMED = 2
"""As many source pictures of a moment as are named one by one."""


class Frames(Response):
    """Pictures, one after the other."""

    media_type = "application/octet-stream"


class SideIn(TreatmentIn):
    """How a side differs from what is planned; empty for the plan itself."""


class SideView(BaseModel):
    """One side: a token for its pictures, what it is in words, and its figures. ``unit`` is what it counts in the
    source; ``words`` name only what differs from the plan, ``parts`` all of it, exact; ``sounds`` are the streams of
    sound that are made, in words, ``sound_words`` why there are none."""

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
    scan_words: str
    sound_words: str
    sounds: list[str]
    width: int
    height: int
    curve: CurveView


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
    """One moment of a timeline frame; ``field`` names it where the timeline is interlaced. ``parts`` are its source
    pictures, of which there are ``count``: where they are more than two, the first and the last."""

    field: str
    count: int
    parts: list[SourceView]


class FrameView(BaseModel):
    """What one timeline frame shows; ``source_frame`` is the first frame of the file in it."""

    frame: int
    source_frame: int
    timecode: str
    kind: FrameKind
    skipped: int
    moments: list[MomentView]


class StretchOnStrip(BaseModel):
    """Timeline frames made of source frames that carry pulldown in one way."""

    first: int
    last: int
    words: str


class StripWindow(BaseModel):
    """A window of the meter strip, with the timeline frames to number it by, the cuts in it, the stretches of pulldown,
    and the period of its pattern in timeline frames, 0 where it has none."""

    strip: StripView
    numbered: list[int]
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
    plan = planned_row(row)
    first, stop = plan.conformed.span
    shot = row.known.findings.shot_rate
    return BenchView(
        id=row.clip.id,
        name=board.distinct_name(row.clip),
        revision=row.known.revision,
        frames=plan.conformed.material.frames,
        first_frame=first,
        last_frame=stop - 1,
        file_rate=rate_view(plan.conformed.material.file_rate),
        shot_rate=rate_view(shot) if shot else None,
        timeline=timeline.settings.name,
        timeline_rate=rate_view(timeline.settings.rate),
        frame_seconds=float(1 / timeline.settings.rate.value),
        timecode=plan.facts.timecode,
    )


@router.post("/shows/{show_id}/bench/{clip_id}/side")
def take_side(here: Here, show_id: ShowId, clip_id: int, asked: SideIn) -> SideView:
    """A side of the Bench worked out; nothing is changed by it."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    row = board.some([clip_id], timeline)[0]
    plan = side_asked(here, board, row, asked)
    viewed = _viewed(here, plan)
    token = here.looking.put(Side(viewed, timeline, plan.facts.first_timecode), fill=not asked.model_fields_set)
    return _side_view(token, row, plan, viewed)


@router.get("/bench/{token}/frames/{number}", response_class=Jpeg)
def picture(
    here: Here, token: Token, number: int, size: Literal["draft", "final"] = "final",
    part: Literal["whole", "upper", "lower", "trust"] = "whole",
) -> Response:  # fmt: skip
    """A timeline frame of a side as a picture."""
    if size == "draft":
        data = here.looking.draft(token, number)
    else:
        data = here.looking.final(token, number, None if part == "whole" else part)
    return Jpeg(data, headers=FOREVER)


@router.get("/bench/{token}/run", response_class=Frames)
def run(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)],
    size: Literal["draft", "final"] = "draft",
) -> Response:  # fmt: skip
    """Consecutive timeline frames for playing: for each its length in bytes, four of them, the lowest first, and its
    JPEG."""
    picture_of = here.looking.draft if size == "draft" else here.looking.final
    parts = []
    for number in range(first, min(first + count, here.looking.side(token).viewed.planned.frame_map.length)):
        data = picture_of(token, number)
        parts += [struct.pack("<I", len(data)), data]
    return Frames(b"".join(parts), headers=FOREVER)


@router.get("/bench/{token}/shown")
def what_is_shown(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)]
) -> list[FrameView]:
    """What consecutive timeline frames show."""
    side = here.looking.side(token)
    stop = min(first + count, side.viewed.planned.frame_map.length)
    return [_frame_view(side, number) for number in range(first, stop)]


@router.get("/bench/{token}/strip")
def strip(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], last: Annotated[int, Query(ge=0)],
    columns: Annotated[int, Query(ge=10, le=2000)] = 600,
) -> StripWindow:  # fmt: skip
    """A window of the meter strip, timeline frames ``first`` to ``last``."""
    return _strip_window(here.looking.side(token), first, last, columns)


@router.get("/bench/{token}/spot")
def find_spot(
    here: Here, token: Token, what: Spot, frame: Annotated[int, Query(ge=0)],
    step: Annotated[int, Query(ge=-1, le=1)] = 1, other: Token | None = None,
) -> SpotView:  # fmt: skip
    """The nearest drop, repeat, hiccup, cut or difference to another side, after a timeline frame or before it."""
    viewed = here.looking.side(token).viewed
    beside = here.looking.side(other).viewed.planned if other else None
    planned, scan = viewed.planned, viewed.canvas.scan
    way = -1 if step < 0 else 1
    return SpotView(frame=sought(what, planned, scan, frame, way, sorted(viewed.cuts), beside))


@router.get("/bench/{token}/changes")
def changes(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)]
) -> ChangesView:
    """The unique-frame check: how much each shown frame of a stretch differs from the one before."""
    count = min(count, here.looking.side(token).viewed.planned.frame_map.length - first)
    return ChangesView(first=first, changes=here.looking.changes(token, first, count) if count > 0 else [])


def _viewed(here: Context, plan: Plan) -> Viewed:
    made = plan_to_make(order_of(plan), plan.clip, here.config, VIEW, "bench.mp4")
    insist_as_known(made.source, made.facts.identity, quickly=True)
    return Viewed(made.source, made.facts, made.conformed, made.canvas, made.cuts, made.heard)


def _sound_words(plan: Plan, sound: SoundPlan) -> str:
    """A stream of sound: what the file calls it, or else its number, and what becomes of it."""
    name = sound.name or f"stream {sound.place + 1}"
    return f"{name}: {part_text(Part.SOUND, plan.conformed.treatment.sound)}"


def _side_view(token: Token, now: Row, plan: Plan, viewed: Viewed) -> SideView:
    planned, scan = plan.conformed, viewed.canvas.scan
    ours, theirs = plan.resolved.decisions, now.resolved.decisions
    parts = [part for part in Part if getattr(ours, part.value) != getattr(theirs, part.value)]
    words = [titled(part, value) for part in parts if (value := getattr(ours, part.value)) is not None]
    if plan.known.findings.shot_rate != now.known.findings.shot_rate:
        words.append(f"shot at {plan.known.findings.shot_rate}")
    width, height = viewed.size
    tally = planned.tally(scan)
    return SideView(
        token=token,
        words=words,
        parts=ours.texts(),
        speed=exact_percent_text(planned.speed),
        pace=exact_percent_text(planned.pace),
        length=length_view(plan.after, plan.timeline),
        pattern=pattern_text(planned),
        kind=planned.frame_map.kind.value,
        unit=UNITS.get(planned.fields, "frame"),
        dropped=tally.dropped,
        repeated=tally.repeated,
        made=tally.made,
        scan_words=scan.words,
        sound_words="sound off" if plan.facts.sounds else "The file has no sound.",
        sounds=[_sound_words(plan, sound) for sound in viewed.sounds],
        width=width,
        height=height,
        curve=curve_view(planned),
    )


def _frame_view(side: Side, number: int) -> FrameView:
    viewed, settings = side.viewed, side.timeline.settings
    planned, scan = viewed.planned, viewed.canvas.scan
    what = planned.shown(number, scan)
    first = scan.first
    if len(what.moments) == 1:
        names = ["" if first is None else "both fields"]
    else:
        names = [] if first is None else [first.value, first.other.value]
    return FrameView(
        frame=number,
        source_frame=planned.unit(what.moments[0].first).frames[0],
        timecode=str(of_any_day(number, settings.rate, settings.drop_frame)),
        kind=what.kind,
        skipped=planned.frame_map.passed_over(number, scan, planned.treatment.between),
        moments=[
            MomentView(
                field=name,
                count=len(moment.parts),
                parts=[_part(side, planned.unit(unit), share) for unit, share in _ends(moment.parts)],
            )
            for name, moment in zip(names, what.moments, strict=True)
        ],
    )


def _ends(parts: Sequence[tuple[int, Fraction]]) -> Sequence[tuple[int, Fraction]]:
    return parts if len(parts) <= _NAMED else (parts[0], parts[-1])


def _part(side: Side, unit: Unit, share: Fraction) -> SourceView:
    frames = unit.frames
    names = " + ".join(str(frame) for frame in frames)
    if unit.upper is None or unit.lower is None:
        names += " upper" if unit.lower is None else " lower"
    elif unit.upper != unit.lower:
        names = f"{unit.upper} upper + {unit.lower} lower"
    timecode = str(side.viewed.facts.timecode_of(frames[0])) if side.source_start else ""
    return SourceView(frames=names, timecode=timecode, percent=f"{decimal_text(share * 100, 1)} %")


def _strip_window(side: Side, first: int, last: int, columns: int) -> StripWindow:
    viewed = side.viewed
    planned, scan = viewed.planned, viewed.canvas.scan
    length, period = planned.frame_map.length, planned.frame_map.period
    first = min(first, length - 1)
    last = max(first, min(last, length - 1))
    count = last - first + 1
    strip = strip_of(planned, scan, first, count, None if count <= _MOST_BEATS else columns)
    cuts = [spot for spot in cut_frames(planned, sorted(viewed.cuts)) if first <= spot <= last]
    return StripWindow(
        strip=strip_view(strip),
        numbered=list(round_marks(first, last + 1, _NUMBERED)),
        cuts=cuts,
        stretches=_stretches(planned),
        period=period[1] if period else 0,
    )


def _stretches(planned: Conform) -> list[StretchOnStrip]:
    """Where the source carries pulldown, on the timeline; nothing once it is taken out."""
    originals = planned.material.originals
    if originals is None or planned.fields is Fields.ORIGINAL or planned.treatment.reverse:
        return []
    start, stop = planned.span
    frame_map = planned.frame_map
    out = []
    for stretch in originals.stretches:
        if not stretch.pattern or stretch.last_frame < start or stretch.first_frame >= stop:
            continue
        first = frame_map.first_showing(planned.unit_of(max(stretch.first_frame, start)))
        behind = frame_map.first_showing(planned.unit_of(min(stretch.last_frame + 1, stop)))
        if first is not None:
            last = (frame_map.length if behind is None else behind) - 1
            out.append(StretchOnStrip(first=first, last=max(first, last), words=stretch.words))
    return out
