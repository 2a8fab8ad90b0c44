"""What the page asks with in more than one stop: clips at their revisions, wishes, decisions, rules, changes."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import Path
from pydantic import BaseModel, Field, StringConstraints

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Part, parse_intent, parse_part
from oddmeter.core.decisions.recipes import Rule
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.planning.changes import Asked, Assignment, Changed, Copied, IntentAsked, changed
from oddmeter.core.planning.timelines import Timeline
from oddmeter.web.board import Board

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
TagName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
ShowId = Annotated[int, Path(ge=1)]
MOST_ROWS = 400
"""Rows of a list that may be asked for at once."""


class ClipRef(BaseModel):
    """A clip at the revision that was seen."""

    id: int
    revision: int


class IntentIn(BaseModel):
    """What is wanted; ``value`` as people type it: ``40%``, ``2/5``, ``x0.4``, a length for *fit*; or what it shall be
    relative to what it is now: ``*1/2``, ``+10%``."""

    intent: Intent
    value: str | None = None


class CopyIn(BaseModel):
    """A clip whose treatment is taken over, all that holds for it or only some parts."""

    clip_id: int
    parts: list[Part] | None = None


class TreatmentIn(BaseModel):
    """What to decide otherwise about a clip; only what is given is changed. A null leaves a part to the levels above
    again, or the shot rate to the evidence."""

    intent: IntentIn | None = None
    set: dict[Part, str | None] = Field(default_factory=dict)
    shot_rate: str | None = None

    def asked(self, board: Board, timeline: Timeline) -> Asked:
        """As planning has it."""
        back = [part for part, text in self.set.items() if text is None]
        if self.intent is None and "intent" in self.model_fields_set:
            back.append(Part.INTENT)
        return Asked(
            wish=IntentAsked(self.intent.intent, (self.intent.value or "").strip()) if self.intent else None,
            parts={part: text for part, text in self.set.items() if text is not None},
            back=back,
            shot_rate=Assignment(self.shot_rate) if "shot_rate" in self.model_fields_set else None,
        )


class PlanChange(TreatmentIn):
    """What to change on clips; only what is given is changed.

    ``timelines`` decides for these timelines' uses alone, ``alone`` for that which is planned. With ``keeps_events``,
    the events that show these clips keep the speed and the reading they have.
    """

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]
    copy_from: CopyIn | None = None
    recipe: int | None = None
    tag: TagName | None = None
    untag: TagName | None = None
    note: Annotated[str | None, Field(max_length=4000)] = None
    alone: bool = False
    timelines: list[int] | None = None
    keeps_events: bool = False

    @property
    def decides(self) -> bool:
        """True where a plan can change by it."""
        return bool({"intent", "recipe", "set", "copy_from", "shot_rate"} & self.model_fields_set)

    def asked(self, board: Board, timeline: Timeline) -> Asked:
        """As planning has it; raises ``RuleError`` where something it names is not there."""
        treatment = super().asked(board, timeline)
        uses: Sequence[Timeline] | None = [timeline] if self.alone else None
        if self.timelines is not None:
            uses = [board.timeline(use) for use in self.timelines]
        copied = None
        if self.copy_from is not None:
            copied = Copied(board.some([self.copy_from.clip_id], timeline)[0].outcome, self.copy_from.parts)
        return Asked(
            treatment.wish, treatment.parts, treatment.back, copied,
            Assignment(self.recipe) if "recipe" in self.model_fields_set else None, treatment.shot_rate, self.tag,
            self.untag, self.note, uses,
        )  # fmt: skip


def asked_of(asked: PlanChange, board: Board, timeline: Timeline, person: str) -> Changed:
    """What a change asked by a person makes of its clips."""
    outcomes = [row.outcome for row in board.some((ref.id for ref in asked.clips), timeline)]
    return changed(asked.asked(board, timeline), outcomes, board.house, timeline, person)


class RangeIn(BaseModel):
    """A range, both ends included and either left open, as people type rates and numbers."""

    least: str | None = None
    most: str | None = None


class RuleIn(BaseModel):
    """Which clips a recipe fits: those of which everything given is true."""

    shot_rate: RangeIn | None = None
    file_rate: RangeIn | None = None
    shot_ratio: RangeIn | None = None
    file_ratio: RangeIn | None = None
    scan: str | None = None
    pulldown: str | None = None
    repeats: str | None = None
    gauge: str | None = None
    delivery: str | None = None
    folder: str | None = None
    name: str | None = None
    tag: str | None = None
    confirmed: bool | None = None

    def rule(self) -> Rule:
        """As the core has it."""
        return Rule.parse(self.model_dump(exclude_none=True))


class DecisionsIn(BaseModel):
    """What a level decides, as people type it; parts left out are left to the levels above."""

    intent: IntentIn | None = None
    set: dict[Part, str] = Field(default_factory=dict)

    def decisions(self, timeline: Timeline) -> Decisions:
        """As the core has them."""
        typed: dict[str, Any] = {part.value: parse_part(part, text) for part, text in self.set.items()}
        if self.intent is not None:
            settings = timeline.settings
            value = self.intent.value or ""
            typed["intent"] = parse_intent(self.intent.intent, value, settings.rate, settings.drop_frame)
        return Decisions(**typed)
