"""The ledger: every clip of a show, found, sorted and grouped; and the rows of it that are on screen."""

from collections import Counter
from collections.abc import Iterable, Mapping
from itertools import chain
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, TypeAdapter

from oddmeter.core.conform.rounding import Precision, rounded
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Between, Intent
from oddmeter.core.decisions.vocabulary import decided_by, held_text, intent_text, part_text
from oddmeter.core.evidence.verdicts import Certainty
from oddmeter.core.planning.marks import Mark, notable
from oddmeter.core.planning.plans import WAITING
from oddmeter.core.planning.timelines import Timeline
from oddmeter.store import events
from oddmeter.store.changes import MissingError
from oddmeter.web.arrangement import Group, Sort, group_of, sort_key
from oddmeter.web.board import Board, Row
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import MOST_ROWS, ShowId
from oddmeter.web.views.facts import FactsView, facts_view
from oddmeter.web.views.plans import PlanView, plan_view
from oddmeter.web.views.values import Json, LengthView, RateView, length_view, rate_view

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])


class ReceivingView(BaseModel):
    """What the receiving system makes of a clip: the number it takes, and by how many frames that ends off."""

    number: str
    off_by: int


class ClipRow(BaseModel):
    """One row of the ledger. ``plan`` is null while the clip is being looked at, or where it cannot be planned, as
    ``without_plan`` says. ``beside`` is the plan for the timeline that is set beside. ``decided_by``
    says who decided what is wanted, ``notable`` are the marks that no other column says already. ``uses`` are the
    events of timelines that use it, ``used_in`` where, in words."""

    id: int
    delivery_id: int
    name: str
    path: str
    root: str
    revision: int
    facts: FactsView | None
    shot: RateView | None
    shot_state: Certainty
    read: RateView | None
    rerated: bool
    intent: Intent | None
    intent_words: str
    decided_by: str
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
    notable: list[Mark]
    tags: list[str]
    note: str
    uses: int
    used_in: str


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


_ROWS = TypeAdapter(list[ClipRow])


class RowsAsked(BaseModel):
    """The rows to work out, for the planned timeline, and for another beside it."""

    ids: Annotated[list[int], Field(max_length=MOST_ROWS)]
    beside: int | None = None


@router.get("/ledger", response_model=Ledger)
def ledger(
    here: Here,
    show_id: ShowId,
    find: Annotated[str, Query(max_length=200)] = "",
    mark: Annotated[str, Query(max_length=60)] = "all",
    sort: Sort = Sort.NAME,
    down: bool = False,
    group: Group = Group.DELIVERY,
) -> Response:
    """The order of the ledger: clips of which every word of ``find`` is found somewhere, with a mark; or ``trouble``,
    ``decided`` or ``usable``, or ``all``."""
    here.sources.look_after(show_id)
    name = "\0".join(("ledger", find, mark, sort, str(down), group))
    return Json(
        here.boards.answer(
            show_id, name, lambda board: ledger_of(board, find, mark, sort, down, group).model_dump_json().encode()
        )
    )


def ledger_of(board: Board, find: str, mark: str, sort: Sort, down: bool, group: Group) -> Ledger:
    """The order of the ledger, as it is asked for."""
    timeline = board.show.default_timeline
    rows = list(board.rows(timeline).values()) if timeline else []
    counts = Counter({"decided": 0, "usable": 0, "trouble": 0})
    counts.update(chain.from_iterable(row.filters for row in rows))
    shown = rows if mark == "all" else [row for row in rows if mark in row.filters]
    if words := find.lower().split():
        shown = [row for row in shown if all(word in text for text in [haystack(board, row)] for word in words)]
    if sort is not Sort.NAME or down:
        shown = sorted(shown, key=sort_key(sort), reverse=down)
    grouped: dict[str, list[Row]] = {}
    for row in shown:
        grouped.setdefault(group_of(group, board, row), []).append(row)
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
        names=[board.distinct_name(row.clip) for row in out],
        revisions=[row.known.revision for row in out],
    )


@router.post("/ledger/rows", response_model=list[ClipRow])
def ledger_rows(here: Here, show_id: ShowId, asked: RowsAsked) -> Response:
    """Some rows of the ledger; those that are no longer there are left out."""
    board = here.boards.some(show_id, asked.ids)
    timeline = board.show.default_timeline
    if timeline is None:
        return Json(b"[]")
    beside = board.timeline(asked.beside) if asked.beside is not None else None
    rows, others = board.rows(timeline), board.rows(beside) if beside else {}
    uses = _uses(here, show_id)
    shown = [
        clip_row(board, rows[clip_id], others.get(clip_id), uses.get(clip_id, {}))
        for clip_id in asked.ids
        if clip_id in rows
    ]
    return Json(_ROWS.dump_json(shown))


@router.get("/ledger/{clip_id}")
def ledger_row(here: Here, show_id: ShowId, clip_id: int) -> ClipRow:
    """One row of the ledger."""
    board = here.boards.some(show_id, [clip_id])
    timeline = board.timeline()
    row = board.rows(timeline).get(clip_id)
    if row is None:
        raise MissingError("A clip")
    return clip_row(board, row, None, _uses(here, show_id).get(clip_id, {}))


def _uses(here: Context, show_id: int) -> dict[int, dict[int, int]]:
    with here.database.transaction() as connection:
        return events.uses_of_clips(connection, show_id)


def clip_row(board: Board, row: Row, other: Row | None, uses: Mapping[int, int]) -> ClipRow:
    """A row for the page; ``uses`` are how many events use the clip, by timeline."""
    clip, facts, held, plan = row.clip, row.known.facts, row.resolved, row.plan
    file_rate = facts.file_rate if facts else None
    shot = row.known.findings.shot_rate or file_rate
    read = plan.conformed.read_rate if plan else file_rate
    recipe = board.house.recipe(row.known.decided.recipe_id)
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
        shot_state=row.known.findings.shot_state,
        read=rate_view(read) if read else None,
        rerated=plan is not None and read != plan.conformed.material.file_rate,
        intent=decided.intent.intent if decided.intent else None,
        intent_words=intent_text(decided.intent),
        decided_by=decided_by(held),
        between=decided.between or Between.PICK,
        held=held_text(decided.held) if decided.held and (decided.held.frames or decided.held.rate) else None,
        sound=decided.sound.value if decided.sound else "",
        sound_words=part_text(Part.SOUND, decided.sound) if facts and facts.sound else "",
        recipe=recipe.name if recipe else None,
        alone=bool(row.known.decided.uses),
        receiving=receiving_view(plan.conformed, board.house.receiving) if plan else None,
        plan=row.once(plan_view),
        beside=other.once(plan_view) if other else None,
        without_plan=row.refusal.sentence if row.refusal and row.refusal.code != WAITING else None,
        marks=list(row.marks),
        notable=list(notable(row.marks)),
        tags=sorted(row.known.decided.tags),
        note=row.known.decided.note,
        uses=sum(uses.values()),
        used_in=", ".join(
            f"{board.timeline(timeline).settings.name} {count}" for timeline, count in sorted(uses.items())
        ),
    )


def receiving_view(planned: Conform, precision: Precision) -> ReceivingView:
    """A plan as the receiving system takes it."""
    made = rounded(planned, precision)
    return ReceivingView(number=made.number, off_by=made.off_by)


def haystack(board: Board, row: Row) -> str:
    """All words by which a clip can be found, in lower case."""
    clip, known, plan = row.clip, row.known, row.plan
    delivery, recipe = board.house.deliveries.get(clip.delivery_id), board.house.recipe(row.known.decided.recipe_id)
    rates = (known.findings.shot_rate, known.facts.file_rate if known.facts else None)
    words: Iterable[Any] = (
        clip.path, delivery.name if delivery else "", recipe.name if recipe else "",
        intent_text(row.resolved.decisions.intent),
        *rates, plan.conformed.read_rate if plan else "", plan.conformed.frame_map.kind if plan else "",
        row.refusal.sentence if row.refusal else "",
        *(mark.value.replace("-", " ") for mark in row.marks), *row.known.decided.tags, row.known.decided.note,
        known.facts.codec if known.facts else "", known.findings.gauge, known.findings.scan,
    )  # fmt: skip
    return " ".join(str(word) for word in words if word).lower()


def _group_view(group: Group, key: str, members: list[Row], first: int, timeline: Timeline) -> LedgerGroup:
    return LedgerGroup(
        key=f"{group.value}:{key}",
        name=key,
        first=first,
        count=len(members),
        before=length_view(sum(row.before for row in members), timeline),
        after=length_view(sum(row.after for row in members), timeline),
    )
