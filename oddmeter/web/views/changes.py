"""Changes for the page: what one was called, and what one would move before it is made."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from pydantic import BaseModel

from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.vocabulary import said
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.numbers.numerals import percent_text
from oddmeter.core.planning.clips import KnownClip
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.timelines import Timeline
from oddmeter.store import events
from oddmeter.web.board import Board, Moves, Row
from oddmeter.web.http.context import Context
from oddmeter.web.views.values import LengthView, length_view

MOST_SHOWN = 300


class ChangedView(BaseModel):
    """What was changed, as undo names it."""

    title: str


class MoveView(BaseModel):
    """One clip that a change moves: what holds for it, and its length, speed and cadence, before and after; ``refused``
    is why it could not be planned any more."""

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
    refused: str | None


class UseView(BaseModel):
    """What a change does on one timeline: how many clips it concerns, of how many it moves frames, how many ``events``
    show these as they are decided on the clip, their length in all, and the first of them by name."""

    timeline_id: int
    timeline: str
    planned_for: bool
    moved: int
    shifted: int
    events: int
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


def check(board: Board, made: Iterable[KnownClip], timeline: Timeline) -> None:
    """Raise ``RuleError`` where a clip that can be used could not be planned any more."""
    for known in made:
        refusal = board.work_out(known, timeline).refusal
        if refusal is not None and known.material is not None:
            raise refusal.error()


Uses = Mapping[int, Mapping[int, int]]
"""How many events follow what is decided on a clip: by clip, for each timeline."""


def uses_in(here: Context, show_id: int) -> Uses:
    """How many events of a show follow each clip."""
    with here.database.transaction() as connection:
        return events.following_uses(connection, show_id)


def previewed(board: Board, made: Sequence[KnownClip], title: str, following: Uses) -> Preview:
    """A change of clips for the page."""
    return _previewed(board, made, title, board.moved(made, board.show.timelines), following)


def house_previewed(board: Board, house: House, title: str, following: Uses) -> Preview:
    """A change of the levels above the clips for the page."""
    moves = board.moved(board.known.values(), board.show.timelines, house)
    reached = {now.clip.id for pairs in moves.values() for _, now in pairs}
    return _previewed(board, [board.known[clip_id] for clip_id in reached], title, moves, following)


def _previewed(board: Board, made: Sequence[KnownClip], title: str, moves: Moves, following: Uses) -> Preview:
    here = board.timeline()
    timelines = [here, *(t for t in board.show.timelines if t.id != here.id)]
    uses = [_use(board, timeline, moves[timeline.id], following, timeline.id == here.id) for timeline in timelines]
    return Preview(
        title=title,
        clips=len(made),
        proxies=sum(known.clip.proxies for known in made),
        elsewhere=sum(use.shifted for use in uses if not use.planned_for),
        uses=[use for use in uses if use.moved or use.planned_for],
    )


def _use(
    board: Board, timeline: Timeline, pairs: Sequence[tuple[Row, Row]], following: Uses, planned_for: bool
) -> UseView:
    shifted = [now.clip.id for was, now in pairs if not _same_frames(was, now)]
    return UseView(
        timeline_id=timeline.id,
        timeline=timeline.settings.name,
        planned_for=planned_for,
        moved=len(pairs),
        shifted=len(shifted),
        events=sum(following.get(clip_id, {}).get(timeline.id, 0) for clip_id in shifted),
        before=length_view(sum(was.after for was, _ in pairs), timeline),
        after=length_view(sum(now.after for _, now in pairs), timeline),
        kinds_before=counted(_kind(was) for was, _ in pairs),
        kinds_after=counted(_kind(now) for _, now in pairs),
        moves=[_move(board, was, now, timeline) for was, now in pairs[:MOST_SHOWN]],
    )


def _same_frames(was: Row, now: Row) -> bool:
    one, other = was.plan, now.plan
    return one is other or bool(one and other and one.conformed.frame_map == other.conformed.frame_map)


def _kind(row: Row) -> Kind | None:
    return row.plan.conformed.frame_map.kind if row.plan else None


def _move(board: Board, was: Row, now: Row, timeline: Timeline) -> MoveView:
    recipe = None
    if now.known.decided.recipe_id != was.known.decided.recipe_id:
        recipe = board.house.recipe(now.known.decided.recipe_id)
    return MoveView(
        id=now.clip.id,
        name=board.distinct_name(now.clip),
        words=differences(was, now),
        recipe=recipe.name if recipe else None,
        before=length_view(was.after, timeline) if was.plan else None,
        after=length_view(now.after, timeline) if now.plan else None,
        by=now.after - was.after,
        speed_before=percent_text(was.plan.conformed.speed) if was.plan else "",
        speed_after=percent_text(now.plan.conformed.speed) if now.plan else "",
        kind_before=_kind(was),
        kind_after=_kind(now),
        refused=now.refusal.sentence if now.refusal else None,
    )


def differences(was: Row, now: Row) -> list[str]:
    """What is decided otherwise, as ``undecided → real time``."""
    out = []
    for part in Part:
        one, other = (getattr(row.resolved.decisions, part.value) for row in (was, now))
        if one != other:
            out.append(f"{said(part, one)} → {said(part, other)}")
    return out


def counted(kinds: Iterable[Kind | None]) -> list[str]:
    """Kinds of cadence with their counts, in their order: ``3 whole``, ``1 odd``."""
    counts = Counter(kinds)
    return [f"{counts[kind]} {kind}" for kind in Kind if counts[kind]]
