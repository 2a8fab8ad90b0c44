"""Sides of the Bench as plans: what is planned for a clip, or what it would be with something decided otherwise."""

from oddmeter.core.conform.speeds import Conform
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


def side_asked(here: Context, board: Board, row: Row, asked: TreatmentIn) -> Plan:
    """The plan of a clip as it stands, or with what is asked decided otherwise; raises the refusal where there is
    none."""
    if not (asked.model_fields_set & {"intent", "shot_rate"} or asked.set):
        return planned_row(row)
    timeline = board.timeline()
    made = changed(asked.asked(board, timeline), [row.outcome], board.house, timeline, here.person)
    return planned_row(board.work_out(made.clips[0], timeline))


def comes_at(planned: Conform, frame: int) -> int | None:
    """The first timeline frame that shows a source frame of the file; None where that is left out, or is not used."""
    first, stop = planned.span
    return planned.frame_map.first_showing(planned.unit_of(frame)) if first <= frame < stop else None
