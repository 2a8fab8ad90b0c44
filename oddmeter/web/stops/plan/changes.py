"""Plan: changes to many clips at once, seen beforehand and made."""

from collections.abc import Sequence

from fastapi import APIRouter

from oddmeter.core.cutting.uses import split_off
from oddmeter.store import clips, decisions, events
from oddmeter.store.changes import change
from oddmeter.store.database import Connection
from oddmeter.web.board import Board
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import PlanChange, ShowId, asked_of
from oddmeter.web.views.changes import ChangedView, Preview, check, previewed, uses_in

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])


@router.post("/preview")
def preview(here: Here, show_id: ShowId, asked: PlanChange) -> Preview:
    """What a change would do, on every timeline of the show; nothing is changed."""
    board = here.boards.open(show_id)
    made = asked_of(asked, board, board.timeline(), here.person)
    return previewed(board, made.clips, made.title, uses_in(here, show_id))


@router.post("/treatments")
def set_treatments(here: Here, show_id: ShowId, asked: PlanChange) -> ChangedView:
    """Change clips, all in one change. Refused as a whole where one of them was changed since it was seen."""
    board = here.boards.open(show_id)
    timeline = board.timeline()
    made = asked_of(asked, board, timeline, here.person)
    if asked.decides:
        check(board, made.clips, timeline)
    with change(here.database, show_id, made.title, here.person) as connection:
        clips.expect_revisions(connection, show_id, {ref.id: ref.revision for ref in asked.clips})
        decisions.write(connection, show_id, board.pairs(made.clips))
        if asked.keeps_events:
            _split_off(connection, board, [known.clip.id for known in made.clips])
    return ChangedView(title=made.title)


def _split_off(connection: Connection, board: Board, clip_ids: Sequence[int]) -> None:
    """Let the events of clips, as the board has these, keep the speed and the reading they have."""
    following = events.following_uses(connection, board.show.id)
    for timeline in board.show.timelines:
        wanted = {clip_id for clip_id in clip_ids if following.get(clip_id, {}).get(timeline.id)}
        if not wanted:
            continue
        cut = events.event_list_of(connection, timeline)
        changed = [
            split_off(event, board.everything[event.clip_id], board.house, timeline)
            for event in cut.events if event.clip_id in wanted
        ]  # fmt: skip
        events.write(connection, timeline.id, cut, cut.with_events(changed))
