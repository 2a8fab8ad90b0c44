"""Sides of the Bench as plans: what is planned for a clip, or what it would be with something decided otherwise."""

from oddmeter.core.planning.changes import changed
from oddmeter.core.planning.plans import Plan
from oddmeter.web.board import Board, Row
from oddmeter.web.http.context import Context
from oddmeter.web.views.asked import TreatmentIn


def planned_row(row: Row) -> Plan:
    """The plan of a clip; raises the refusal where there is none."""
    if row.refusal is not None:
        raise row.refusal.error()
    assert row.plan is not None
    return row.plan


def side_row(here: Context, board: Board, clip_id: int, asked: TreatmentIn) -> Row:
    """A clip as it stands, or with what is asked decided otherwise."""
    timeline = board.timeline()
    row = board.some([clip_id], timeline)[0]
    if not (asked.model_fields_set & {"intent", "shot_rate"} or asked.set):
        return row
    made = changed(asked.asked(board, timeline), [row.outcome], board.house, timeline, here.person)
    return board.work_out(made.clips[0], timeline)


def side_asked(here: Context, board: Board, clip_id: int, asked: TreatmentIn) -> Plan:
    """The plan of a side; raises the refusal where there is none."""
    return planned_row(side_row(here, board, clip_id, asked))
