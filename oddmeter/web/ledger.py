"""The ledger: every clip of a show, found, sorted and grouped; and the rows of it that are on screen."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from enum import StrEnum
from fractions import Fraction
from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import held_text, hiccup_text, part_text, pattern_text, wish_text
from oddmeter.core.batches import Mark, frames_as_it_stands, strip
from oddmeter.core.cadence import Kind
from oddmeter.core.conform import Conform
from oddmeter.core.decisions import Level, Part
from oddmeter.core.evidence import State
from oddmeter.core.rounding import Precision, rounded
from oddmeter.core.treatments import Between, Intent
from oddmeter.store.changes import MissingError
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Board, Row
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Here
from oddmeter.web.facts import FactsView, facts_view
from oddmeter.web.views import (
    LengthView,
    NumberView,
    RateView,
    StripView,
    length_view,
    number_view,
    rate_view,
    strip_view,
)

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

MINI_BEATS = 18
_MOST_ROWS = 400


class Sort(StrEnum):
    """What the ledger can be sorted by."""

    NAME = "name"
    SHOT = "shot"
    FILE = "file"
    READ = "read"
    DECISION = "decision"
    SPEED = "speed"
    CADENCE = "cadence"
    BEFORE = "before"
    LENGTH = "length"
    MARKS = "marks"


class Group(StrEnum):
    """What the ledger can be grouped by."""

    DELIVERY = "delivery"
    DECISION = "decision"
    RECIPE = "recipe"
    SHOT = "shot"
    CADENCE = "cadence"
    SCAN = "scan"
    TAG = "tag"
    NONE = "none"


class PlanView(BaseModel):
    """A clip worked out for the timeline."""

    speed: NumberView
    stride: NumberView
    pace: NumberView
    before: LengthView
    after: LengthView
    kind: Kind
    pattern: str
    dropped: int
    repeated: int
    hiccup_every: str | None
    strip: StripView


class ReceivingView(BaseModel):
    """What the receiving system makes of a clip: the number it takes, and by how many frames that ends off."""

    number: str
    off_by: int


class ClipRow(BaseModel):
    """One row of the ledger. ``plan`` is null while the clip is being looked at, or where it cannot be planned, as
    ``without_plan`` says. ``beside`` is the plan for the timeline that is set beside. ``from_level`` and ``from_name``
    say who decided what is wanted."""

    id: int
    delivery_id: int
    name: str
    path: str
    root: str
    revision: int
    facts: FactsView | None
    shot: RateView | None
    shot_state: State
    read: RateView | None
    rerated: bool
    intent: Intent | None
    intent_words: str
    from_level: Level
    from_name: str
    between: Between
    held: str | None
    sound: str
    sound_words: str
    recipe: str | None
    alone: bool
    receiving: ReceivingView | None
    plan: PlanView | None
    beside: PlanView | None
    without_plan: str | None
    marks: list[Mark]
    tags: list[str]
    note: str


class LedgerGroup(BaseModel):
    """Some rows that belong together: where they begin in the order, how many they are, and their length in timeline
    frames as they stand and as planned."""

    key: str
    name: str
    first: int
    count: int
    before: LengthView
    after: LengthView


class Ledger(BaseModel):
    """The clips that were asked for, in order: ids, and beside each its name and the revision it is at. ``counts`` are
    of all clips, by mark, ``decided`` and ``usable``; ``tags`` those that the show knows."""

    timeline_id: int | None
    total: int
    counts: dict[str, int]
    tags: list[str]
    groups: list[LedgerGroup]
    ids: list[int]
    names: list[str]
    revisions: list[int]


class RowsAsked(BaseModel):
    """The rows to work out, for the planned timeline, and for another beside it."""

    ids: Annotated[list[int], Field(max_length=_MOST_ROWS)]
    beside: int | None = None


TROUBLE = (Mark.FAULT, Mark.REMARK)


@router.get("/ledger")
def ledger(
    here: Here,
    show_id: ShowId,
    find: Annotated[str, Query(max_length=200)] = "",
    mark: Annotated[str, Query(max_length=60)] = "all",
    sort: Sort = Sort.NAME,
    down: bool = False,
    group: Group = Group.DELIVERY,
) -> Ledger:
    """The order of the ledger: clips of which every word of ``find`` is found somewhere, with a mark; or ``trouble``,
    ``decided`` or ``usable``, or ``all``."""
    board = here.boards.open(show_id)
    timeline = board.show.default_timeline
    rows = list(board.rows(timeline).values()) if timeline else []
    counts: Counter[str] = Counter(mark.value for row in rows for mark in row.marks)
    counts["decided"] = sum(row.planned is not None and row.resolved.decided for row in rows)
    counts["usable"] = sum(row.planned is not None for row in rows)
    counts["trouble"] = sum(any(mark in row.marks for mark in TROUBLE) for row in rows)
    shown = [row for row in rows if _marked(row, mark)]
    if words := find.lower().split():
        shown = [row for row in shown if all(word in text for text in [haystack(board, row)] for word in words)]
    if sort is not Sort.NAME or down:
        shown.sort(key=_SORTS[sort], reverse=down)
    grouped: dict[str, list[Row]] = {}
    for row in shown:
        grouped.setdefault(_GROUPS[group](board, row), []).append(row)
    out: list[Row] = []
    views: list[LedgerGroup] = []
    for key, members in grouped.items():
        if timeline is not None:
            views.append(_group_view(group, key, members, len(out), timeline))
        out += members
    return Ledger(
        timeline_id=timeline.id if timeline else None,
        total=len(rows),
        counts=dict(counts),
        tags=list(board.house.tags.values()),
        groups=views,
        ids=[row.clip.id for row in out],
        names=[row.clip.name for row in out],
        revisions=[row.known.revision for row in out],
    )


@router.post("/ledger/rows")
def ledger_rows(here: Here, show_id: ShowId, asked: RowsAsked) -> list[ClipRow]:
    """Some rows of the ledger; those that are no longer there are left out."""
    board = here.boards.open(show_id)
    timeline = board.show.default_timeline
    if timeline is None:
        return []
    beside = board.timeline(asked.beside) if asked.beside is not None else None
    rows, others = board.rows(timeline), board.rows(beside) if beside else {}
    return [
        clip_row(board, rows[clip_id], timeline, others.get(clip_id), beside)
        for clip_id in asked.ids
        if clip_id in rows
    ]


@router.get("/ledger/{clip_id}")
def ledger_row(here: Here, show_id: ShowId, clip_id: int) -> ClipRow:
    """One row of the ledger."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    row = board.rows(timeline).get(clip_id)
    if row is None:
        raise MissingError("A clip")
    return clip_row(board, row, timeline, None, None)


def clip_row(board: Board, row: Row, timeline: Timeline, other: Row | None, beside: Timeline | None) -> ClipRow:
    """A row for the page."""
    clip, facts, planned, held = row.clip, row.known.facts, row.planned, row.resolved
    file_rate = facts.file_rate if facts else None
    shot = row.known.standing.shot_rate or file_rate
    read = planned.read_rate if planned else file_rate
    origin = held.origins.get(Part.INTENT)
    recipe = board.house.recipe(row.decided.recipe_id)
    decided = held.decisions
    return ClipRow(
        id=clip.id,
        delivery_id=clip.delivery_id,
        name=clip.name,
        path=clip.path,
        root=clip.root,
        revision=row.known.revision,
        facts=facts_view(facts) if facts else None,
        shot=rate_view(shot) if shot else None,
        shot_state=row.known.standing.shot_state,
        read=rate_view(read) if read else None,
        rerated=planned is not None and planned.read_rate != planned.material.file_rate,
        intent=decided.intent.intent if decided.intent else None,
        intent_words=wish_text(decided.intent),
        from_level=origin.level if origin else Level.HOUSE,
        from_name=origin.name if origin else "",
        between=decided.between or Between.PICK,
        held=held_text(decided.held) if decided.held and (decided.held.frames or decided.held.rate) else None,
        sound=decided.sound.value if decided.sound else "",
        sound_words=part_text(Part.SOUND, decided.sound) if facts and facts.sound else "",
        recipe=recipe.name if recipe else None,
        alone=bool(row.decided.uses),
        receiving=receiving_view(planned, board.house.receiving) if planned else None,
        plan=plan_view(planned, timeline) if planned else None,
        beside=plan_view(other.planned, beside) if other and other.planned and beside else None,
        without_plan=without_plan(row) if planned is None else None,
        marks=list(row.marks),
        tags=sorted(row.decided.tags),
        note=row.decided.note,
    )


def receiving_view(planned: Conform, precision: Precision) -> ReceivingView:
    """A plan as the receiving system takes it."""
    made = rounded(planned, precision)
    return ReceivingView(number=made.number, off_by=made.off_by)


def without_plan(row: Row) -> str | None:
    """Why a clip cannot be planned; None while it is being looked at."""
    facts = row.known.facts
    if facts is None:
        return None
    if facts.fault is None and facts.file_rate is None:
        return "It has no rate of its own; settle its file rate in Intake."
    return facts.fault or "Its speed is far beyond anything that can be shown."


def plan_view(planned: Conform, timeline: Timeline) -> PlanView:
    """A plan for the page."""
    frame_map = planned.frame_map
    return PlanView(
        speed=number_view(planned.speed),
        stride=number_view(frame_map.stride),
        pace=number_view(planned.pace),
        before=length_view(frames_as_it_stands(planned.material, planned.timeline_rate), timeline),
        after=length_view(frame_map.length, timeline),
        kind=frame_map.kind,
        pattern=pattern_text(planned),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        hiccup_every=hiccup_text(planned),
        strip=strip_view(strip(frame_map, MINI_BEATS)),
    )


def haystack(board: Board, row: Row) -> str:
    """All words by which a clip can be found, in lower case."""
    clip, known, planned = row.clip, row.known, row.planned
    delivery, recipe = board.house.deliveries.get(clip.delivery_id), board.house.recipe(row.decided.recipe_id)
    rates = (known.standing.shot_rate, known.facts.file_rate if known.facts else None)
    words: Iterable[Any] = (
        clip.path, delivery.name if delivery else "", recipe.name if recipe else "",
        wish_text(row.resolved.decisions.intent),
        *rates, planned.read_rate if planned else "", planned.frame_map.kind if planned else "",
        *(mark.value.replace("-", " ") for mark in row.marks), *row.decided.tags, row.decided.note,
        known.facts.codec if known.facts else "", known.standing.gauge, known.standing.scan,
    )  # fmt: skip
    return " ".join(str(word) for word in words if word).lower()


def _marked(row: Row, mark: str) -> bool:
    if mark == "all":
        return True
    if mark == "trouble":
        return any(one in row.marks for one in TROUBLE)
    if mark in ("decided", "usable"):
        return row.planned is not None and (mark == "usable" or row.resolved.decided)
    return any(one.value == mark for one in row.marks)


def _group_view(group: Group, key: str, members: list[Row], first: int, timeline: Timeline) -> LedgerGroup:
    return LedgerGroup(
        key=f"{group.value}:{key}",
        name=key,
        first=first,
        count=len(members),
        before=length_view(sum(row.before for row in members), timeline),
        after=length_view(sum(row.planned.frame_map.length for row in members if row.planned), timeline),
    )


_NOWHERE = Fraction(-1)
_SORTS: Mapping[Sort, Callable[[Row], Any]] = {
    Sort.NAME: lambda row: row.clip.name,
    Sort.SHOT: lambda row: rate.value if (rate := row.known.standing.shot_rate) else _NOWHERE,
    Sort.FILE: lambda row: row.known.material.file_rate.value if row.known.material else _NOWHERE,
    Sort.READ: lambda row: row.planned.read_rate.value if row.planned else _NOWHERE,
    Sort.DECISION: lambda row: wish_text(row.resolved.decisions.intent),
    Sort.SPEED: lambda row: row.planned.speed if row.planned else _NOWHERE,
    Sort.CADENCE: lambda row: list(Kind).index(row.planned.frame_map.kind) if row.planned else -1,
    Sort.BEFORE: lambda row: row.before if row.planned else -1,
    Sort.LENGTH: lambda row: row.planned.frame_map.length if row.planned else -1,
    Sort.MARKS: lambda row: min((list(Mark).index(mark) for mark in row.marks), default=len(Mark)),
}


def _recipe_name(board: Board, row: Row) -> str:
    found = board.house.recipe(row.decided.recipe_id)
    return found.name if found else "no recipe"


def _shot_name(row: Row) -> str:
    rate = row.known.standing.shot_rate
    return f"shot at {rate}" if rate else "shot rate unknown"


_GROUPS: Mapping[Group, Callable[[Board, Row], str]] = {
    Group.DELIVERY: lambda board, row: board.house.deliveries[row.clip.delivery_id].name,
    Group.DECISION: lambda board, row: wish_text(row.resolved.decisions.intent),
    Group.RECIPE: _recipe_name,
    Group.SHOT: lambda board, row: _shot_name(row),
    Group.CADENCE: lambda board, row: row.planned.frame_map.kind.value if row.planned else "no plan",
    Group.SCAN: lambda board, row: row.known.standing.scan or "not looked at",
    Group.TAG: lambda board, row: min(row.decided.tags, default="no tag"),
    Group.NONE: lambda board, row: "",
}
