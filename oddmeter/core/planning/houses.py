"""The house: what a show decides above its clips."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.levels import Decisions, Layer, Level
from oddmeter.core.decisions.recipes import Recipe

NO_DEFAULT = Layer(Level.SHOW, "", Decisions())


@dataclass(frozen=True)
class House:
    """What a show decides above its clips: its own default, its deliveries', its recipes in their order, what the
    receiving system takes, and the tags it knows."""

    default: Layer = NO_DEFAULT
    deliveries: Mapping[int, Layer] = field(default_factory=dict)
    recipes: tuple[Recipe, ...] = ()
    revisions: Mapping[int, int] = field(default_factory=dict)
    receiving: Precision = Precision.EXACT
    tags: Mapping[int, str] = field(default_factory=dict)

    def recipe(self, recipe_id: int | None) -> Layer | None:
        """The recipe with this id as a layer; None where there is none."""
        found = next((recipe for recipe in self.recipes if recipe.id == recipe_id), None)
        return Layer(Level.RECIPE, found.name, found.decisions) if found else None
