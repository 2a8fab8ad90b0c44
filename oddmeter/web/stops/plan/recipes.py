"""Recipes: made, ordered, tried on clips and run over a batch."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.decisions.recipes import Recipe, deciding
from oddmeter.core.decisions.vocabulary import titled
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.clips import KnownClip
from oddmeter.store import clips, decisions
from oddmeter.store.changes import MissingError, change
from oddmeter.web.board import Board
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import ClipRef, DecisionsIn, Name, RuleIn, ShowId
from oddmeter.web.views.changes import ChangedView, Preview, check, house_previewed, previewed, uses_in
from oddmeter.web.views.decisions import DecidedView, decided_view

router = APIRouter(prefix="/api/shows/{show_id}", tags=["recipes"])


class RecipeIn(DecisionsIn):
    """A recipe as a person sets it; without a rule it is only ever put on clips by hand."""

    name: Name
    rule: RuleIn | None = None


class RecipeChange(RecipeIn):
    """A recipe to set, with the revision that was seen."""

    revision: int


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
    first = [deciding(board.house.recipes, board.traits(known, timeline)) for known in board.known.values()]
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
    return previewed(board, made, _run_title(board, asked, made), uses_in(here, show_id))


@router.post("/recipes/run")
def run(here: Here, show_id: ShowId, asked: RunIn) -> ChangedView:
    """Put on each clip the first recipe that fits it, all in one change; clips that none fits stay as they are."""
    board = here.boards.open(show_id)
    made = _run(board, asked)
    title = _run_title(board, asked, made)
    if not made:
        raise RuleError("No recipe matches these clips, beyond those already applied.", "recipe")
    check(board, made, board.timeline())
    seen = {ref.id: ref.revision for ref in asked.clips}
    with change(here.database, show_id, title, here.person) as connection:
        if seen:
            clips.expect_revisions(connection, show_id, seen)
        decisions.write(connection, show_id, board.pairs(made))
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
    title = f"Recipe “{asked.name}” changed"
    return house_previewed(board, replace(board.house, recipes=recipes), title, uses_in(here, show_id))


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
    names = [
        board.distinct_name(known.clip) for known in board.known.values() if rule.fits(board.traits(known, timeline))
    ]
    return RuleCount(fits=len(names), names=names[:12])


def _run(board: Board, asked: RunIn) -> list[KnownClip]:
    timeline = board.timeline()
    known = [row.known for row in board.some((ref.id for ref in asked.clips), timeline)] or list(board.known.values())
    recipes: Sequence[Recipe] = board.house.recipes
    if asked.recipe_id is not None:
        recipes = [recipe for recipe in recipes if recipe.id == asked.recipe_id]
        if not recipes:
            raise MissingError("This recipe")
    out = []
    for recipe in known:
        found = deciding(recipes, board.traits(recipe, timeline))
        if found is not None and found.id != recipe.decided.recipe_id:
            out.append(recipe.deciding(replace(recipe.decided, recipe_id=found.id)))
    return out


def _run_title(board: Board, asked: RunIn, made: Sequence[KnownClip]) -> str:
    count = f"{len(made)} {'clip' if len(made) == 1 else 'clips'}"
    named = {recipe.id: recipe.name for recipe in board.house.recipes}
    used = {known.decided.recipe_id for known in made}
    what = f"Recipe “{named[next(iter(used)) or 0]}”" if len(used) == 1 else f"{len(used)} recipes"
    return f"{what} run on {count}"


def _free(board: Board, name: str, recipe_id: int | None) -> None:
    if any(recipe.name == name and recipe.id != recipe_id for recipe in board.house.recipes):
        raise RuleError(f"A recipe named “{name}” already exists.", "exists")


def _view(recipe: Recipe, board: Board, first: Sequence[Recipe | None]) -> RecipeView:
    return RecipeView(
        id=recipe.id,
        name=recipe.name,
        rule=recipe.rule.texts() if recipe.rule else None,
        rule_words=recipe.rule.words() if recipe.rule else "by hand only",
        decisions=decided_view(recipe.decisions),
        words=", ".join(titled(part, value) for part, value in recipe.decisions.items()) or "decides nothing",
        on=sum(known.decided.recipe_id == recipe.id for known in board.known.values()),
        fits=sum(found is not None and found.id == recipe.id for found in first),
        revision=board.house.revisions[recipe.id],
    )
