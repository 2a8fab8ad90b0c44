"""How the ledger is arranged: what it can be sorted and grouped by, and where a row then stands."""

from collections.abc import Callable, Mapping
from enum import StrEnum
from fractions import Fraction
from typing import Any

from oddmeter.core.decisions.vocabulary import intent_text
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.planning.marks import Mark
from oddmeter.web.board import Board, Row


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


GROUPS = tuple(
    (group.value, {Group.SHOT: "by shot rate", Group.NONE: "ungrouped"}.get(group, f"by {group.value}"))
    for group in Group
)
"""How the ledger is grouped, and in which words."""


def sort_key(sort: Sort) -> Callable[[Row], Any]:
    """What a row is compared by; rows without it come first."""
    return _SORTS[sort]


def group_of(group: Group, board: Board, row: Row) -> str:
    """The name of the group that a row belongs to."""
    return _GROUPS[group](board, row)


_NOWHERE = Fraction(-1)
_SORTS: Mapping[Sort, Callable[[Row], Any]] = {
    Sort.NAME: lambda row: row.clip.name,
    Sort.SHOT: lambda row: rate.value if (rate := row.known.findings.shot_rate) else _NOWHERE,
    Sort.FILE: lambda row: row.known.material.file_rate.value if row.known.material else _NOWHERE,
    Sort.READ: lambda row: row.plan.conformed.read_rate.value if row.plan else _NOWHERE,
    Sort.DECISION: lambda row: intent_text(row.resolved.decisions.intent),
    Sort.SPEED: lambda row: row.plan.conformed.speed if row.plan else _NOWHERE,
    Sort.CADENCE: lambda row: list(Kind).index(row.plan.conformed.frame_map.kind) if row.plan else -1,
    Sort.BEFORE: lambda row: row.before if row.plan else -1,
    Sort.LENGTH: lambda row: row.after if row.plan else -1,
    Sort.MARKS: lambda row: min((list(Mark).index(mark) for mark in row.marks), default=len(Mark)),
}


def _recipe_name(board: Board, row: Row) -> str:
    found = board.house.recipe(row.known.decided.recipe_id)
    return found.name if found else "no recipe"


def _shot_name(row: Row) -> str:
    rate = row.known.findings.shot_rate
    return f"shot at {rate}" if rate else "shot rate unknown"


_GROUPS: Mapping[Group, Callable[[Board, Row], str]] = {
    Group.DELIVERY: lambda board, row: board.house.deliveries[row.clip.delivery_id].name,
    Group.DECISION: lambda board, row: intent_text(row.resolved.decisions.intent),
    Group.RECIPE: _recipe_name,
    Group.SHOT: lambda board, row: _shot_name(row),
    Group.CADENCE: lambda board, row: row.plan.conformed.frame_map.kind.value if row.plan else "no plan",
    Group.SCAN: lambda board, row: row.known.findings.scan or "not analysed",
    Group.TAG: lambda board, row: min(row.known.decided.tags, default="no tag"),
    Group.NONE: lambda board, row: "",
}
