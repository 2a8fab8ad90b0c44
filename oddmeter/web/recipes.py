"""Recipes: made, ordered, tried on clips and run over a batch."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import part_text
from oddmeter.core.decisions import Decisions, Part, read_part, read_wish
from oddmeter.core.errors import RuleError
from oddmeter.core.recipes import Recipe, Rule, deciding
from oddmeter.store import clips, decisions
from oddmeter.store.changes import MissingError, change
from oddmeter.store.decisions import House
from oddmeter.store.shows import Timeline
from oddmeter.web.board import Board, Known
from oddmeter.web.brief import Name, ShowId
from oddmeter.web.changing import ClipRef, IntentIn, titled, write
from oddmeter.web.context import Here
from oddmeter.web.plan import ChangedView, Moves, Preview, check, previewed

router = APIRouter(prefix="/api/shows/{show_id}", tags=["recipes"])


class SpanIn(BaseModel):
    """A range, both ends included and either left open, as people type rates and numbers."""

    least: str | None = None
    most: str | None = None


class RuleIn(BaseModel):
    """Which clips a recipe fits: those of which everything given is true."""

    shot_rate: SpanIn | None = None
    file_rate: SpanIn | None = None
    shot_ratio: SpanIn | None = None
    file_ratio: SpanIn | None = None
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
        return Rule.of(self.model_dump(exclude_none=True))


class DecisionsIn(BaseModel):
    """What a level decides, as people type it; parts left out are left to the levels above."""

    intent: IntentIn | None = None
    set: dict[Part, str] = Field(default_factory=dict)

    def decisions(self, timeline: Timeline) -> Decisions:
        """As the core has them."""
        typed: dict[str, Any] = {part.value: read_part(part, text) for part, text in self.set.items()}
        if self.intent is not None:
            settings = timeline.settings
            typed["intent"] = read_wish(self.intent.intent, self.intent.value or "", settings.rate, settings.drop_frame)
        return Decisions(**typed)


class RecipeIn(DecisionsIn):
    """A recipe as a person sets it; without a rule it is only ever put on clips by hand."""

    name: Name
    rule: RuleIn | None = None


class RecipeChange(RecipeIn):
    """A recipe to set, with the revision that was seen."""

    revision: int


class DecidedView(BaseModel):
    """A decided part: exact text and words."""

    part: Part
    text: str
    words: str


class RecipeView(BaseModel):
    """A recipe as it stands: what it decides, its rule, how many clips it is on, and how many its rule fits first."""

    id: int
    name: str
    rule: dict[str, Any] | None
    rule_words: str
    decisions: list[DecidedView]
    words: str
    on: int
    fits: int
    revision: int


class RuleCount(BaseModel):
    """How many clips a rule fits, and the first of them by name."""

    fits: int
    names: list[str]


class RunIn(BaseModel):
    """Clips to run all recipes over, or one; with ``clips`` empty, every clip of the show."""

    clips: list[ClipRef] = Field(default_factory=list, max_length=200_000)
    recipe_id: int | None = None


class OrderIn(BaseModel):
    """All recipes in their new order."""

    ids: Annotated[list[int], Field(min_length=1)]


@router.get("/recipes")
def list_recipes(here: Here, show_id: ShowId) -> list[RecipeView]:
    """The recipes of a show in their order."""
    board = here.boards.open(show_id)
    timeline = board.show.default_timeline
    first = [deciding(board.house.recipes, board.subject(known, timeline)) for known in board.known.values()]
    return [_view(recipe, board, first) for recipe in board.house.recipes]


@router.post("/recipes", status_code=201)
def make_recipe(here: Here, show_id: ShowId, asked: RecipeIn) -> ChangedView:
    """Make a recipe, the last in order."""
    board = here.boards.open(show_id)
    made, rule = asked.decisions(board.timeline()), asked.rule.rule() if asked.rule else None
    _free(board, asked.name, None)
    title = f"New recipe “{asked.name}”"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.add_recipe(connection, show_id, asked.name, made, rule)
    return ChangedView(title=title)


@router.post("/recipes/run/preview")
def preview_run(here: Here, show_id: ShowId, asked: RunIn) -> Preview:
    """What running the recipes over clips would change; nothing is changed."""
    board = here.boards.open(show_id)
    made = _run(board, asked)
    return previewed(board, made, _run_title(board, asked, made))


@router.post("/recipes/run")
def run(here: Here, show_id: ShowId, asked: RunIn) -> ChangedView:
    """Put on each clip the first recipe that fits it, all in one change; clips that none fits stay as they are."""
    board = here.boards.open(show_id)
    made = _run(board, asked)
    title = _run_title(board, asked, made)
    if not made:
        raise RuleError("No recipe fits any of these clips that it is not on already.", "recipe")
    check(board, made, board.timeline())
    seen = {ref.id: ref.revision for ref in asked.clips}
    with change(here.database, show_id, title, here.person) as connection:
        if seen:
            clips.expect_revisions(connection, seen)
        write(connection, board, made)
    return ChangedView(title=title)


@router.put("/recipes/{recipe_id}")
def set_recipe(here: Here, show_id: ShowId, recipe_id: int, asked: RecipeChange) -> ChangedView:
    """Set a recipe; the clips it is on follow."""
    board = here.boards.open(show_id)
    made, rule = asked.decisions(board.timeline()), asked.rule.rule() if asked.rule else None
    _free(board, asked.name, recipe_id)
    title = f"Recipe “{asked.name}” changed"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.set_recipe(connection, show_id, recipe_id, asked.name, made, rule, asked.revision)
    return ChangedView(title=title)


@router.post("/recipes/{recipe_id}/preview")
def preview_recipe(here: Here, show_id: ShowId, recipe_id: int, asked: RecipeIn) -> Preview:
    """What setting a recipe would do to the clips it is on."""
    board = here.boards.open(show_id)
    made = asked.decisions(board.timeline())
    recipes = tuple(replace(r, decisions=made) if r.id == recipe_id else r for r in board.house.recipes)
    return house_preview(board, replace(board.house, recipes=recipes), f"Recipe “{asked.name}” changed")


@router.delete("/recipes/{recipe_id}")
def remove_recipe(here: Here, show_id: ShowId, recipe_id: int) -> ChangedView:
    """Take a recipe away, and off the clips it is on."""
    board = here.boards.open(show_id)
    name = next((recipe.name for recipe in board.house.recipes if recipe.id == recipe_id), None)
    if name is None:
        raise MissingError("This recipe")
    title = f"Recipe “{name}” taken away"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.remove_recipe(connection, show_id, recipe_id)
    return ChangedView(title=title)


@router.post("/recipes/order")
def order_recipes(here: Here, show_id: ShowId, asked: OrderIn) -> ChangedView:
    """Put recipes in another order: the first that fits decides."""
    title = "Recipes put in another order"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.order_recipes(connection, show_id, asked.ids)
    return ChangedView(title=title)


@router.post("/recipes/count")
def count_rule(here: Here, show_id: ShowId, asked: RuleIn) -> RuleCount:
    """How many clips a rule would fit."""
    board = here.boards.open(show_id)
    rule, timeline = asked.rule(), board.show.default_timeline
    names = [known.clip.name for known in board.known.values() if rule.fits(board.subject(known, timeline))]
    return RuleCount(fits=len(names), names=names[:12])


def house_preview(board: Board, house: House, title: str) -> Preview:
    """What changing the levels above the clips would do, on every timeline."""
    timelines = board.show.timelines
    moves: Moves = {}
    reached: set[int] = set()
    for timeline in timelines:
        pairs = []
        for was in board.rows(timeline).values():
            now = board.work_out(was.known, timeline, house)
            if now.planned != was.planned or now.resolved.decided != was.resolved.decided:
                pairs.append((was, now))
        moves[timeline.id] = pairs
        reached |= {now.clip.id for _, now in pairs}
    return previewed(board, [board.known[clip_id] for clip_id in reached], title, moves)


def _run(board: Board, asked: RunIn) -> list[Known]:
    timeline = board.timeline()
    known = [row.known for row in board.some((ref.id for ref in asked.clips), timeline)] or list(board.known.values())
    recipes: Sequence[Recipe] = board.house.recipes
    if asked.recipe_id is not None:
        recipes = [recipe for recipe in recipes if recipe.id == asked.recipe_id]
        if not recipes:
            raise MissingError("This recipe")
    out = []
    for one in known:
        found = deciding(recipes, board.subject(one, timeline))
        if found is not None and found.id != one.decided.recipe_id:
            out.append(replace(one, decided=replace(one.decided, recipe_id=found.id)))
    return out


def _run_title(board: Board, asked: RunIn, made: Sequence[Known]) -> str:
    count = f"{len(made)} {'clip' if len(made) == 1 else 'clips'}"
    named = {recipe.id: recipe.name for recipe in board.house.recipes}
    used = {known.decided.recipe_id for known in made}
    what = f"Recipe “{named[next(iter(used)) or 0]}”" if len(used) == 1 else f"{len(used)} recipes"
    return f"{what} run over {count}"


def _free(board: Board, name: str, recipe_id: int | None) -> None:
    if any(recipe.name == name and recipe.id != recipe_id for recipe in board.house.recipes):
        raise RuleError(f"There is a recipe “{name}” already.", "exists")


def _view(recipe: Recipe, board: Board, first: Sequence[Recipe | None]) -> RecipeView:
    decided = decided_view(recipe.decisions)
    return RecipeView(
        id=recipe.id,
        name=recipe.name,
        rule=recipe.rule.texts() if recipe.rule else None,
        rule_words=recipe.rule.words() if recipe.rule else "by hand only",
        decisions=decided,
        words=", ".join(titled(Part(one.part), read_part(one.part, one.text)) for one in decided) or "decides nothing",
        on=sum(known.decided.recipe_id == recipe.id for known in board.known.values()),
        fits=sum(found is not None and found.id == recipe.id for found in first),
        revision=board.house.revisions[recipe.id],
    )


def decided_view(decided: Decisions) -> list[DecidedView]:
    """What a level decides, for the page."""
    texts = decided.texts()
    return [
        DecidedView(part=part, text=texts[part.value], words=part_text(part, value)) for part, value in decided.items()
    ]
