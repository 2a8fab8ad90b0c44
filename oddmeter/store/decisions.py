"""Decisions as they are stored: by show, delivery, recipe, clip and one timeline's use; recipes, tags and notes."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.decisions import Decisions, Layer, Level
from oddmeter.core.recipes import Recipe, Rule
from oddmeter.core.rounding import Precision
from oddmeter.store.changes import ConflictError, MissingError, last_person
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class House:
    """What a show decides above its clips: its own default, its deliveries', its recipes in their order, what the
    receiving system takes, and the tags it knows."""

    default: Layer
    deliveries: Mapping[int, Layer]
    recipes: tuple[Recipe, ...]
    revisions: Mapping[int, int]
    receiving: Precision
    tags: Mapping[int, str]

    def recipe(self, recipe_id: int | None) -> Layer | None:
        """The recipe with this id as a layer; None where there is none."""
        found = next((recipe for recipe in self.recipes if recipe.id == recipe_id), None)
        return Layer(Level.RECIPE, found.name, found.decisions) if found else None


def house(connection: Connection, show_id: int) -> House:
    """What a show decides above its clips; raises ``MissingError`` where there is no such show."""
    with connection.cursor(row_factory=dict_row) as cursor:
        show = cursor.execute("SELECT name, decisions, receiving FROM show WHERE id = %s", (show_id,)).fetchone()
        if show is None:
            raise MissingError("This show")
        deliveries = cursor.execute(
            "SELECT id, name, decisions FROM delivery WHERE show_id = %s AND NOT removed", (show_id,)
        ).fetchall()
        recipes = cursor.execute(
            "SELECT id, name, decisions, rule, revision FROM recipe WHERE show_id = %s ORDER BY position, id",
            (show_id,),
        ).fetchall()
        tags = cursor.execute("SELECT id, name FROM tag WHERE show_id = %s ORDER BY name", (show_id,)).fetchall()
    return House(
        Layer(Level.SHOW, show["name"], Decisions.of(show["decisions"])),
        {row["id"]: Layer(Level.DELIVERY, row["name"], Decisions.of(row["decisions"])) for row in deliveries},
        tuple(
            Recipe(
                row["id"], row["name"], Decisions.of(row["decisions"]),
                None if row["rule"] is None else Rule.of(row["rule"]),
            )
            for row in recipes
        ),
        {row["id"]: row["revision"] for row in recipes},
        Precision(show["receiving"]),
        {row["id"]: row["name"] for row in tags},
    )  # fmt: skip


def decide_clips(connection: Connection, decided: Mapping[int, Decisions]) -> None:
    """Write what is decided on clips themselves."""
    connection.execute(
        "UPDATE treatment SET decisions = new.decisions"
        " FROM unnest(%s::bigint[], %s::jsonb[]) AS new (id, decisions) WHERE treatment.id = new.id",
        (list(decided), _documents(decided.values())),
    )


def decide_uses(connection: Connection, timeline_id: int, decided: Mapping[int, Decisions]) -> None:
    """Write what is decided on clips for one timeline alone; a use without decisions is no use of its own."""
    kept = {clip_id: decisions for clip_id, decisions in decided.items() if decisions.texts()}
    connection.execute(
        "DELETE FROM clip_use WHERE timeline_id = %s AND clip_id = ANY(%s)",
        (timeline_id, [clip_id for clip_id in decided if clip_id not in kept]),
    )
    connection.execute(
        "INSERT INTO clip_use (clip_id, timeline_id, decisions)"
        " SELECT new.id, %s, new.decisions FROM unnest(%s::bigint[], %s::jsonb[]) AS new (id, decisions)"
        " ON CONFLICT (clip_id, timeline_id) DO UPDATE SET decisions = excluded.decisions",
        (timeline_id, list(kept), _documents(kept.values())),
    )


def decide_show(connection: Connection, show_id: int, decisions: Decisions) -> None:
    """Write a show's default."""
    connection.execute("UPDATE show SET decisions = %s WHERE id = %s", (Jsonb(decisions.texts()), show_id))


def decide_delivery(connection: Connection, show_id: int, delivery_id: int, decisions: Decisions) -> None:
    """Write a delivery's default; raises ``MissingError`` where the show has no such delivery."""
    done = connection.execute(
        "UPDATE delivery SET decisions = %s WHERE id = %s AND show_id = %s AND NOT removed",
        (Jsonb(decisions.texts()), delivery_id, show_id),
    )
    if done.rowcount != 1:
        raise MissingError("This delivery")


def set_receiving(connection: Connection, show_id: int, precision: Precision) -> None:
    """Say what receiving systems take."""
    connection.execute("UPDATE show SET receiving = %s WHERE id = %s", (precision.value, show_id))


def put_recipes(connection: Connection, assigned: Mapping[int, int | None]) -> None:
    """Put recipes on clips, or take them off."""
    connection.execute(
        "UPDATE treatment SET recipe_id = new.recipe"
        " FROM unnest(%s::bigint[], %s::bigint[]) AS new (id, recipe) WHERE treatment.id = new.id",
        (list(assigned), list(assigned.values())),
    )


def add_recipe(connection: Connection, show_id: int, name: str, decisions: Decisions, rule: Rule | None) -> int:
    """A new recipe, the last in order; returns its id. Raises a unique violation where the name is taken."""
    made = connection.execute(
        "INSERT INTO recipe (show_id, name, position, decisions, rule) SELECT %(show)s, %(name)s,"
        " coalesce(max(position), 0) + 1, %(decisions)s, %(rule)s FROM recipe WHERE show_id = %(show)s RETURNING id",
        {"show": show_id, "name": name, "decisions": Jsonb(decisions.texts()), "rule": _rule(rule)},
    ).fetchone()
    assert made is not None
    return int(str(made[0]))


def set_recipe(
    connection: Connection, show_id: int, recipe_id: int, name: str, decisions: Decisions, rule: Rule | None,
    revision: int,
) -> None:  # fmt: skip
    """Set a recipe; raises ``ConflictError`` where it is no longer at ``revision``."""
    done = connection.execute(
        "UPDATE recipe SET name = %s, decisions = %s, rule = %s WHERE id = %s AND show_id = %s AND revision = %s",
        (name, Jsonb(decisions.texts()), _rule(rule), recipe_id, show_id, revision),
    )
    if done.rowcount != 1:
        person = last_person(connection, "recipe", recipe_id) or "Somebody"
        raise ConflictError(f"{person} changed this recipe first. Look at it as it is now, then change it again.")


def order_recipes(connection: Connection, show_id: int, ids: Sequence[int]) -> None:
    """Put the recipes of a show in this order; those not named follow."""
    connection.execute(
        "UPDATE recipe SET position = coalesce(array_position(%(ids)s::bigint[], id), 100000 + position)"
        " WHERE show_id = %(show)s",
        {"ids": list(ids), "show": show_id},
    )


def remove_recipe(connection: Connection, show_id: int, recipe_id: int) -> None:
    """Take a recipe away, and off every clip it is on; raises ``MissingError`` where there is none."""
    connection.execute("UPDATE treatment SET recipe_id = NULL WHERE recipe_id = %s", (recipe_id,))
    done = connection.execute("DELETE FROM recipe WHERE id = %s AND show_id = %s", (recipe_id, show_id))
    if done.rowcount != 1:
        raise MissingError("This recipe")


def tag_clips(connection: Connection, show_id: int, ids: Collection[int], name: str) -> None:
    """Put a tag on clips, making it where the show has none of that name."""
    connection.execute(
        "INSERT INTO tag (show_id, name) SELECT %(show)s, %(name)s"
        " WHERE NOT EXISTS (SELECT FROM tag WHERE show_id = %(show)s AND name = %(name)s)",
        {"show": show_id, "name": name},
    )
    connection.execute(
        "INSERT INTO clip_tag (clip_id, tag_id) SELECT clip, tag.id FROM unnest(%s::bigint[]) AS clip, tag"
        " WHERE tag.show_id = %s AND tag.name = %s"
        " AND NOT EXISTS (SELECT FROM clip_tag t WHERE t.clip_id = clip AND t.tag_id = tag.id)",
        (list(ids), show_id, name),
    )


def untag_clips(connection: Connection, show_id: int, ids: Collection[int], name: str) -> None:
    """Take a tag off clips; a tag that no clip carries any more goes."""
    connection.execute(
        "DELETE FROM clip_tag USING tag WHERE tag.id = tag_id AND tag.show_id = %s AND tag.name = %s"
        " AND clip_id = ANY(%s)",
        (show_id, name, list(ids)),
    )
    connection.execute(
        "DELETE FROM tag WHERE show_id = %s AND name = %s AND NOT EXISTS (SELECT FROM clip_tag WHERE tag_id = tag.id)",
        (show_id, name),
    )


def write_note(connection: Connection, ids: Collection[int], note: str) -> None:
    """Write a note on clips; an empty one takes it away."""
    connection.execute("UPDATE treatment SET note = %s WHERE id = ANY(%s)", (note, list(ids)))


def _documents(decided: Collection[Decisions]) -> list[Jsonb]:
    return [Jsonb(decisions.texts()) for decisions in decided]


def _rule(rule: Rule | None) -> Jsonb | None:
    return None if rule is None else Jsonb(rule.texts())
