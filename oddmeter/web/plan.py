"""Plan: changes to many clips at once, seen beforehand and made."""

from collections import Counter
from collections.abc import Iterable, Sequence

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.arithmetic import part_text, percent_text
from oddmeter.core.cadence import Kind
from oddmeter.core.claims import Word
from oddmeter.core.decisions import HOUSE, Part
from oddmeter.core.evidence import Question
from oddmeter.core.rates import Rate
from oddmeter.store import clips, decisions, evidence
from oddmeter.store.changes import change
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Board, Known, Row
from oddmeter.web.brief import ShowId
from oddmeter.web.changing import PlanChange, all_moved, changed, write
from oddmeter.web.context import Here
from oddmeter.web.views import LengthView, length_view
from oddmeter.work.orders import worked_out

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

MOST_SHOWN = 300


class ChangedView(BaseModel):
    """What was changed, as undo names it."""

    title: str


class MoveView(BaseModel):
    """One clip that a change moves: what holds for it, and its length, speed and cadence, before and after."""

    id: int
    name: str
    words: list[str]
    recipe: str | None
    before: LengthView | None
    after: LengthView | None
    by: int
    speed_before: str
    speed_after: str
    kind_before: Kind | None
    kind_after: Kind | None


class UseView(BaseModel):
    """What a change does on one timeline: how many clips it concerns, of how many it moves frames, their length in all,
    and the first of them by name."""

    timeline_id: int
    timeline: str
    planned_for: bool
    moved: int
    shifted: int
    before: LengthView
    after: LengthView
    kinds_before: list[str]
    kinds_after: list[str]
    moves: list[MoveView]


class Preview(BaseModel):
    """A change before it is made: what it would be called, and what moves on every timeline. ``proxies`` follow their
    clips; ``elsewhere`` counts uses on other timelines that would show other frames."""

    title: str
    clips: int
    proxies: int
    elsewhere: int
    uses: list[UseView]


@router.post("/preview")
def preview(here: Here, show_id: ShowId, asked: PlanChange) -> Preview:
    """What a change would do, on every timeline of the show; nothing is changed."""
    board = here.boards.open(show_id)
    made = changed(board, asked, board.timeline())
    return previewed(board, made.clips, made.title)


@router.post("/treatments")
def set_treatments(here: Here, show_id: ShowId, asked: PlanChange) -> ChangedView:
    """Change clips, all in one change. Refused as a whole where one of them was changed since it was seen."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    made = changed(board, asked, timeline)
    if asked.decides:
        check(board, made.clips, timeline)
    ids = [ref.id for ref in asked.clips]
    with change(here.database, show_id, made.title, here.person) as connection:
        clips.expect_revisions(connection, {ref.id: ref.revision for ref in asked.clips})
        write(connection, board, made.clips)
        if "shot_rate" in asked.model_fields_set:
            if asked.shot_rate:
                word = Word(Question.SHOT_RATE, Rate.parse(asked.shot_rate).exact, here.person)
                evidence.say(connection, ids, word)
            else:
                evidence.withdraw(connection, ids, Question.SHOT_RATE)
        if asked.tag:
            decisions.tag_clips(connection, show_id, ids, asked.tag)
        if asked.untag:
            decisions.untag_clips(connection, show_id, ids, asked.untag)
        if asked.note is not None:
            decisions.write_note(connection, ids, asked.note)
    return ChangedView(title=made.title)


def check(board: Board, made: Iterable[Known], timeline: Timeline) -> None:
    """Raise ``RuleError`` where a clip that can be used could not be planned any more."""
    for known in made:
        if known.material is not None:
            row = board.work_out(known, timeline)
            if row.planned is None:
                worked_out(known.material, row.resolved, timeline)


def previewed(board: Board, made: Sequence[Known], title: str, moved: "Moves | None" = None) -> Preview:
    """A change for the page; ``moved`` where it is known already what moves."""
    here = board.timeline()
    timelines = [here, *(t for t in board.show.timelines if t.id != here.id)]
    moves = moved if moved is not None else all_moved(board, made, timelines)
    uses = [_use(board, timeline, moves[timeline.id], timeline.id == here.id) for timeline in timelines]
    return Preview(
        title=title,
        clips=len(made),
        proxies=sum(known.clip.proxies for known in made),
        elsewhere=sum(use.shifted for use in uses if not use.planned_for),
        uses=[use for use in uses if use.moved or use.planned_for],
    )


Moves = dict[int, list[tuple[Row, Row]]]


def _use(board: Board, timeline: Timeline, pairs: Sequence[tuple[Row, Row]], planned_for: bool) -> UseView:
    before = [was.planned for was, _ in pairs if was.planned]
    after = [now.planned for _, now in pairs if now.planned]
    return UseView(
        timeline_id=timeline.id,
        timeline=timeline.settings.name,
        planned_for=planned_for,
        moved=len(pairs),
        shifted=sum(not _same_frames(was, now) for was, now in pairs),
        before=length_view(sum(plan.frame_map.length for plan in before), timeline),
        after=length_view(sum(plan.frame_map.length for plan in after), timeline),
        kinds_before=counted(plan.frame_map.kind for plan in before),
        kinds_after=counted(plan.frame_map.kind for plan in after),
        moves=[_move(board, was, now, timeline) for was, now in pairs[:MOST_SHOWN]],
    )


def _same_frames(was: Row, now: Row) -> bool:
    one, other = was.planned, now.planned
    return one is other or (one is not None and other is not None and one.frame_map == other.frame_map)


def _move(board: Board, was: Row, now: Row, timeline: Timeline) -> MoveView:
    before, after = was.planned, now.planned
    recipe = board.house.recipe(now.decided.recipe_id) if now.decided.recipe_id != was.decided.recipe_id else None
    lengths = [plan.frame_map.length if plan else 0 for plan in (before, after)]
    return MoveView(
        id=now.clip.id,
        name=now.clip.name,
        words=differences(was, now),
        recipe=recipe.name if recipe else None,
        before=length_view(lengths[0], timeline) if before else None,
        after=length_view(lengths[1], timeline) if after else None,
        by=lengths[1] - lengths[0],
        speed_before=percent_text(before.speed) if before else "",
        speed_after=percent_text(after.speed) if after else "",
        kind_before=before.frame_map.kind if before else None,
        kind_after=after.frame_map.kind if after else None,
    )


def differences(was: Row, now: Row) -> list[str]:
    """What is decided otherwise, as ``undecided → real time``."""
    out = []
    for part in Part:
        one, other = (getattr(row.resolved.decisions, part.value) for row in (was, now))
        if one != other:
            out.append(f"{said(part, one)} → {said(part, other)}")
    return out


def said(part: Part, value: object) -> str:
    """What a part says, also where nobody has decided on it."""
    value = value if value is not None else getattr(HOUSE.decisions, part.value)
    return part_text(part, value)


def counted(kinds: Iterable[Kind]) -> list[str]:
    """Kinds of cadence with their counts, in their order: ``3 whole``, ``1 odd``."""
    counts = Counter(kinds)
    return [f"{counts[kind]} {kind}" for kind in Kind if counts[kind]]
