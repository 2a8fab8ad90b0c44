"""The house: what a show and its deliveries decide above the clips, what receiving systems take, and all of it with
the recipes as a document to take from one show to the next."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.recipes import Rule
from oddmeter.core.planning.houses import House
from oddmeter.store import decisions
from oddmeter.store.changes import MissingError, change
from oddmeter.web.board import Board
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import DecisionsIn, RuleIn, ShowId
from oddmeter.web.views.changes import ChangedView, Preview, house_previewed, uses_in
from oddmeter.web.views.decisions import DecidedView, decided_view

router = APIRouter(prefix="/api", tags=["brief"])

FORMAT: Literal["odd-meter-house"] = "odd-meter-house"
MOST_RECIPES = 500


class DeliveryHouse(BaseModel):
    """What a delivery decides for its clips."""

    id: int
    name: str
    decisions: list[DecidedView]


class HouseView(BaseModel):
    """What a show decides above its clips."""

    decisions: list[DecidedView]
    deliveries: list[DeliveryHouse]
    receiving: Precision


class HouseChange(DecisionsIn):
    """What the show, or one of its deliveries, shall decide: all of it, not only what is new."""

    delivery_id: int | None = None


class ReceivingIn(BaseModel):
    """What receiving systems take."""

    receiving: Precision


class RecipeDocument(BaseModel):
    """A recipe in a document: exact text for each part it decides, and its rule."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    decisions: dict[Part, str]
    rule: RuleIn | None = None


class HouseDocument(BaseModel):
    """House settings and recipes of a show, to take to another. Rates, speeds and shares are exact (``"a/b"``); the
    texts are those of docs/model.md: ``"intent": "pace 1/2"``, ``"reading": "timeline"``, ``"held": "2 frames"``."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["odd-meter-house"] = FORMAT
    version: Literal[1] = 1
    receiving: Precision
    decisions: dict[Part, str]
    recipes: Annotated[list[RecipeDocument], Field(max_length=MOST_RECIPES)]


@router.get("/shows/{show_id}/house")
def get_house(here: Here, show_id: ShowId) -> HouseView:
    """What a show decides above its clips."""
    house = here.boards.open(show_id).house
    return HouseView(
        decisions=decided_view(house.default.decisions),
        deliveries=[
            DeliveryHouse(id=delivery_id, name=layer.name, decisions=decided_view(layer.decisions))
            for delivery_id, layer in house.deliveries.items()
        ],
        receiving=house.receiving,
    )


@router.post("/shows/{show_id}/house/preview")
def preview_house(here: Here, show_id: ShowId, asked: HouseChange) -> Preview:
    """What a change of a default reaches, on every timeline; nothing is changed."""
    board = here.boards.open(show_id)
    made = asked.decisions(board.timeline())
    house, title = _with(board, asked.delivery_id, made), _title(board, asked.delivery_id)
    return house_previewed(board, house, title, uses_in(here, show_id))


@router.put("/shows/{show_id}/house")
def set_house(here: Here, show_id: ShowId, asked: HouseChange) -> ChangedView:
    """Set what the show, or a delivery, decides above the clips."""
    board = here.boards.open(show_id)
    made = asked.decisions(board.timeline())
    title = _title(board, asked.delivery_id)
    with change(here.database, show_id, title, here.person) as connection:
        if asked.delivery_id is None:
            decisions.decide_show(connection, show_id, made)
        else:
            decisions.decide_delivery(connection, show_id, asked.delivery_id, made)
    return ChangedView(title=title)


@router.put("/shows/{show_id}/receiving")
def set_receiving(here: Here, show_id: ShowId, asked: ReceivingIn) -> ChangedView:
    """Say what receiving systems take."""
    title = f"Receiving systems take {asked.receiving.label}"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.set_receiving(connection, show_id, asked.receiving)
    return ChangedView(title=title)


@router.get("/shows/{show_id}/house.json")
def export_house(here: Here, show_id: ShowId) -> HouseDocument:
    """House settings and recipes as a document; its schema is at ``/api/house.schema.json``."""
    house = here.boards.open(show_id).house
    return HouseDocument(
        receiving=house.receiving,
        decisions={part: text for part in Part if (text := house.default.decisions.texts().get(part.value))},
        recipes=[
            RecipeDocument(
                name=recipe.name,
                decisions={Part(part): text for part, text in recipe.decisions.texts().items()},
                rule=RuleIn.model_validate(recipe.rule.texts()) if recipe.rule else None,
            )
            for recipe in house.recipes
        ],
    )


@router.post("/shows/{show_id}/house.json")
def import_house(here: Here, show_id: ShowId, asked: HouseDocument) -> ChangedView:
    """Take settings and recipes over from a document: recipes of the same name are replaced, others added."""
    board = here.boards.open(show_id)
    default = Decisions.parse({part.value: text for part, text in asked.decisions.items()})
    made = [
        (recipe.name, Decisions.parse({part.value: text for part, text in recipe.decisions.items()}),
         recipe.rule.rule() if recipe.rule else None)
        for recipe in asked.recipes
    ]  # fmt: skip
    known: dict[str, tuple[int, Rule | None]] = {r.name: (r.id, r.rule) for r in board.house.recipes}
    title = f"House settings and {len(made)} {'recipe' if len(made) == 1 else 'recipes'} read"
    with change(here.database, show_id, title, here.person) as connection:
        decisions.decide_show(connection, show_id, default)
        decisions.set_receiving(connection, show_id, asked.receiving)
        for name, decided, rule in made:
            if name in known:
                recipe_id = known[name][0]
                revision = board.house.revisions[recipe_id]
                decisions.set_recipe(connection, show_id, recipe_id, name, decided, rule, revision)
            else:
                decisions.add_recipe(connection, show_id, name, decided, rule)
    return ChangedView(title=title)


@router.get("/house.schema.json")
def house_schema() -> dict[str, Any]:
    """The JSON schema of the document that ``house.json`` gives and takes."""
    return HouseDocument.model_json_schema()


def _with(board: Board, delivery_id: int | None, made: Decisions) -> House:
    house = board.house
    if delivery_id is None:
        return replace(house, default=replace(house.default, decisions=made))
    if delivery_id not in house.deliveries:
        raise MissingError("This delivery")
    changed = {**house.deliveries, delivery_id: replace(house.deliveries[delivery_id], decisions=made)}
    return replace(house, deliveries=changed)


def _title(board: Board, delivery_id: int | None) -> str:
    if delivery_id is None:
        return "The show's default changed"
    if delivery_id not in board.house.deliveries:
        raise MissingError("This delivery")
    return f"The default of “{board.house.deliveries[delivery_id].name}” changed"
