"""What a person asks to change about clips, and what that makes of each of them: the same for the preview of a change
and for making it."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated

from pydantic import BaseModel, Field, StringConstraints

from oddmeter.core.arithmetic import part_text
from oddmeter.core.decisions import Decisions, Level, Part, Wish, read_part, read_wish
from oddmeter.core.errors import RuleError
from oddmeter.core.rates import Rate, parse_fraction
from oddmeter.core.treatments import Intent
from oddmeter.store import decisions
from oddmeter.store.clips import Decided
from oddmeter.store.database import Connection
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Board, Known, Row

TagName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


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


class PlanChange(BaseModel):
    """What to change on clips; only what is given is changed. A null leaves a part to the levels above again.

    ``timelines`` decides for these timelines' uses alone, ``alone`` for that which is planned.
    """

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]
    intent: IntentIn | None = None
    set: dict[Part, str | None] = Field(default_factory=dict)
    copy_from: CopyIn | None = None
    recipe: int | None = None
    shot_rate: str | None = None
    tag: TagName | None = None
    untag: TagName | None = None
    note: Annotated[str | None, Field(max_length=4000)] = None
    alone: bool = False
    timelines: list[int] | None = None

    @property
    def decides(self) -> bool:
        """True where a plan can change by it."""
        return bool({"intent", "recipe", "set", "copy_from", "shot_rate"} & self.model_fields_set)


@dataclass(frozen=True)
class Changed:
    """What a change makes of clips: the clips with their new decisions, in the order asked for."""

    clips: Sequence[Known]
    title: str


def changed(board: Board, asked: PlanChange, timeline: Timeline) -> Changed:
    """What the change makes of its clips; raises ``RuleError`` where something asked for says nothing."""
    rows = board.some((ref.id for ref in asked.clips), timeline)
    given = _decisions(board, asked, timeline)
    taken_back = [part for part, text in asked.set.items() if text is None]
    if asked.intent is None and "intent" in asked.model_fields_set:
        taken_back.append(Part.INTENT)
    if asked.recipe is not None and asked.recipe not in board.house.revisions:
        raise RuleError("This recipe is not there, or no longer.", "missing")
    wish = _wisher(asked.intent, timeline)
    uses = asked.timelines if asked.timelines is not None else [timeline.id] if asked.alone else None
    for use in uses or ():
        board.timeline(use)
    shot = Rate.parse(asked.shot_rate) if asked.shot_rate else None
    out = []
    for row in rows:
        mine = replace(given, intent=wish(row)) if wish else given
        own = _put(row.decided, mine, taken_back, uses, timeline.id)
        if "recipe" in asked.model_fields_set:
            own = replace(own, recipe_id=asked.recipe)
        known = replace(row.known, decided=own)
        if shot is not None and known.material is not None:
            known = replace(known, material=replace(known.material, shot_rate=shot))
        out.append(known)
    return Changed(out, _title(board, asked, wish and wish(rows[0]), taken_back, rows, timeline))


def write(connection: Connection, board: Board, made: Iterable[Known]) -> None:
    """Write what is decided on clips, wherever it differs from the board."""
    pairs = [(known.clip.id, board.known[known.clip.id].decided, known.decided) for known in made]
    own = {clip_id: now.decisions for clip_id, was, now in pairs if now.decisions != was.decisions}
    if own:
        decisions.decide_clips(connection, own)
    recipes = {clip_id: now.recipe_id for clip_id, was, now in pairs if now.recipe_id != was.recipe_id}
    if recipes:
        decisions.put_recipes(connection, recipes)
    nothing = Decisions()
    for timeline in board.show.timelines:
        uses = {
            clip_id: use
            for clip_id, was, now in pairs
            if (use := now.uses.get(timeline.id, nothing)) != was.uses.get(timeline.id, nothing)
        }
        if uses:
            decisions.decide_uses(connection, timeline.id, uses)


def _put(
    was: Decided, given: Decisions, taken_back: Sequence[Part], uses: Sequence[int] | None, planned_for: int
) -> Decided:
    """The decisions on a clip itself, or on its uses. Where the planned timeline's use has a word of its own on a
    part, that is what is seen, and so what is changed."""
    if uses is not None:
        both = dict(was.uses)
        for use in uses:
            both[use] = given.over(both.get(use, Decisions())).without(taken_back)
        return replace(was, uses=_said(both))
    if planned_for not in was.uses:
        return replace(was, decisions=given.over(was.decisions).without(taken_back))
    own_use = was.uses[planned_for]
    here = {part for part, _ in own_use.items()}
    kept = given.only(here).over(own_use).without(part for part in taken_back if part in here)
    own = given.without(here).over(was.decisions).without(part for part in taken_back if part not in here)
    return replace(was, decisions=own, uses=_said({**was.uses, planned_for: kept}))


def _said(uses: Mapping[int, Decisions]) -> dict[int, Decisions]:
    return {use: decided for use, decided in uses.items() if decided.items()}


def _decisions(board: Board, asked: PlanChange, timeline: Timeline) -> Decisions:
    given = Decisions()
    if asked.copy_from is not None:
        source = board.some([asked.copy_from.clip_id], timeline)[0].resolved
        # In and out are of one clip alone; they go along only where that is asked for.
        parts = asked.copy_from.parts or [part for part in source.origins if part is not Part.SPAN]
        own = [part for part in parts if (layer := source.origins.get(part)) and layer.level is not Level.HOUSE]
        given = source.decisions.only(own)
    typed = {part.value: read_part(part, text) for part, text in asked.set.items() if text is not None}
    return replace(given, **typed)


def _wisher(asked: IntentIn | None, timeline: Timeline) -> Callable[[Row], Wish | None] | None:
    """What is wanted of each clip: the same for all, or relative to what it is now."""
    if asked is None:
        return None
    settings, typed = timeline.settings, (asked.value or "").strip()
    if not typed.startswith(("*", "+", "-", "−")):
        wish = read_wish(asked.intent, typed, settings.rate, settings.drop_frame)
        return lambda row: wish
    factor = _relative(typed)

    def relative(row: Row) -> Wish | None:
        if row.planned is None:
            return row.resolved.decisions.intent
        now = row.planned.frame_map.length if asked.intent is Intent.FIT else (
            row.planned.pace if asked.intent is Intent.PACE else row.planned.speed
        )  # fmt: skip
        value = now * factor
        return Wish(asked.intent, Fraction(max(1, round(value))) if asked.intent is Intent.FIT else value)

    return relative


def _relative(typed: str) -> Fraction:
    """The factor in ``*1/2``, ``+10%`` or ``-10%``; raises ``RuleError`` where it is none."""
    if typed.startswith("*"):
        factor = parse_fraction(typed[1:])
    else:
        if not typed.endswith("%"):
            raise RuleError(f"“{typed}” is not clear. Type +10 % or -10 %, or *1/2.", "number")
        share = parse_fraction(typed[1:])
        factor = 1 + share if typed[0] == "+" else 1 - share
    if factor <= 0:
        raise RuleError("Less than nothing cannot be played.", "number")
    return factor


def _title(
    board: Board, asked: PlanChange, wish: Wish | None, taken_back: Sequence[Part],
    rows: Sequence[Row], timeline: Timeline,
) -> str:  # fmt: skip
    """What the change is called in undo: ``Real time for 12 clips``."""
    parts = []
    if asked.copy_from is not None:
        parts.append(f"as {board.known[asked.copy_from.clip_id].clip.name}")
    if wish is not None:
        relative = asked.intent is not None and (asked.intent.value or "").strip()[:1] in ("*", "+", "-", "−")
        parts.append(
            f"{asked.intent.intent} {asked.intent.value}" if relative and asked.intent else part_text(Part.INTENT, wish)
        )
    typed = {part: read_part(part, text) for part, text in asked.set.items() if text is not None}
    parts += [titled(part, value) for part, value in typed.items()]
    parts += ["no decision" if part is Part.INTENT else f"{part} left to the levels above" for part in taken_back]
    if "recipe" in asked.model_fields_set:
        recipe = board.house.recipe(asked.recipe)
        parts.append(f"recipe “{recipe.name}”" if recipe else "no recipe")
    if "shot_rate" in asked.model_fields_set:
        parts.append(f"shot at {Rate.parse(asked.shot_rate)}" if asked.shot_rate else "shot rate as the file says")
    if asked.tag:
        parts.append(f"tagged “{asked.tag}”")
    if asked.untag:
        parts.append(f"tag “{asked.untag}” taken off")
    if asked.note is not None:
        parts.append("note written" if asked.note else "note taken away")
    if not parts:
        raise RuleError("Nothing was asked for.", "request")
    what, whom = ", ".join(parts), rows[0].clip.name if len(rows) == 1 else f"{len(rows)} clips"
    names = [board.timeline(use).settings.name for use in asked.timelines or ()]
    only = f", on {' and '.join(names) or timeline.settings.name} alone" if names or asked.alone else ""
    return f"{what[0].upper()}{what[1:]} for {whom}{only}"


def titled(part: Part, value: object) -> str:
    """A decision as a title says it: ``read at 24``, ``sound off``."""
    words = part_text(part, value)
    before = {
        Part.INTENT: "", Part.READING: "read ", Part.FIELDS: "fields ", Part.BETWEEN: "in-betweens by ",
        Part.EFFORT: "effort ", Part.REACH: "reach ", Part.TRUST: "trust ", Part.HELD: "", Part.SOUND: "sound ",
        Part.REVERSE: "", Part.FRAMING: "", Part.SPAN: "",
    }  # fmt: skip
    return f"{before[part]}{words}"


def all_moved(
    board: Board, made: Sequence[Known], timelines: Iterable[Timeline]
) -> Mapping[int, list[tuple[Row, Row]]]:
    """For each timeline, the clips whose plan a change moves: before and after."""
    out: dict[int, list[tuple[Row, Row]]] = {}
    for timeline in timelines:
        rows = board.rows(timeline)
        pairs = [(rows[known.clip.id], board.work_out(known, timeline)) for known in made]
        out[timeline.id] = [(was, now) for was, now in pairs if now.planned != was.planned or _else(was, now)]
    return out


def _else(was: Row, now: Row) -> bool:
    return was.resolved.decided != now.resolved.decided
