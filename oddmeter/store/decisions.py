"""Decisions as they are stored: by show, delivery, recipe, clip and one timeline's use; recipes, tags, notes, and
beats of music."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from fractions import Fraction

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.levels import Decisions, Layer, Level
from oddmeter.core.decisions.music import Music, MusicBeats
from oddmeter.core.decisions.recipes import Recipe, Rule
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.planning.clips import Clip, Use
from oddmeter.core.planning.houses import House
from oddmeter.store import words
from oddmeter.store.changes import ConflictError, MissingError, last_person
from oddmeter.store.database import Connection

_PARTS_A_SECOND = 1_000_000


def house(connection: Connection, show_id: int) -> House:
    """What a show decides above its clips; raises ``MissingError`` where there is no such show."""
    with connection.cursor(row_factory=dict_row) as cursor:
        show = cursor.execute("SELECT name, decisions, receiving FROM show WHERE id = %s", (show_id,)).fetchone()
        if show is None:
            raise MissingError("This show")
        deliveries = cursor.execute(
            "SELECT id, name, decisions FROM delivery WHERE show_id = %s AND NOT removed ORDER BY id", (show_id,)
        ).fetchall()
        recipes = cursor.execute(
            "SELECT id, name, decisions, rule, revision FROM recipe WHERE show_id = %s ORDER BY position, id",
            (show_id,),
        ).fetchall()
        tags = cursor.execute("SELECT id, name FROM tag WHERE show_id = %s ORDER BY name", (show_id,)).fetchall()
    return House(
        Layer(Level.SHOW, show["name"], Decisions.parse(show["decisions"])),
        {row["id"]: Layer(Level.DELIVERY, row["name"], Decisions.parse(row["decisions"])) for row in deliveries},
        tuple(
            Recipe(
                row["id"], row["name"], Decisions.parse(row["decisions"]),
                None if row["rule"] is None else Rule.parse(row["rule"]),
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


def decide_uses(connection: Connection, clips: Iterable[tuple[int, Sequence[Use], Sequence[Use]]]) -> None:
    """Write what is decided for single uses of clips, each with its id and its uses before and now: new ones are put
    down, changed ones keep their identity."""
    gone: list[int | None] = []
    new: list[tuple[int, Use]] = []
    changed: dict[int, Decisions] = {}
    for clip_id, was, now in clips:
        before = {use.id: use.decisions for use in was}
        gone += before.keys() - {use.id for use in now}
        new += [(clip_id, use) for use in now if use.id is None]
        changed |= {use.id: use.decisions for use in now if use.id and before.get(use.id) != use.decisions}
    connection.execute("DELETE FROM clip_use WHERE id = ANY(%s)", (gone,))
    connection.execute(
        "INSERT INTO clip_use (clip_id, timeline_id, decisions)"
        " SELECT * FROM unnest(%s::bigint[], %s::bigint[], %s::jsonb[])",
        ([clip for clip, _ in new], [use.timeline_id for _, use in new], _documents(use.decisions for _, use in new)),
    )
    connection.execute(
        "UPDATE clip_use SET decisions = new.decisions"
        " FROM unnest(%s::bigint[], %s::jsonb[]) AS new (id, decisions) WHERE clip_use.id = new.id",
        (list(changed), _documents(changed.values())),
    )


def write(connection: Connection, show_id: int, pairs: Iterable[tuple[Clip, Clip]]) -> None:
    """Write what people decided, settled and noted on clips, before and after, wherever that differs."""
    changed = [(was, now) for was, now in pairs if was.decided != now.decided or was.words != now.words]
    both = [(now.id, was.decided, now.decided) for was, now in changed]
    if own := {clip_id: now.decisions for clip_id, was, now in both if now.decisions != was.decisions}:
        decide_clips(connection, own)
    if recipes := {clip_id: now.recipe_id for clip_id, was, now in both if now.recipe_id != was.recipe_id}:
        put_recipes(connection, recipes)
    if uses := [(clip_id, was.uses, now.uses) for clip_id, was, now in both if was.uses != now.uses]:
        decide_uses(connection, uses)
    for note in {now.note for _, was, now in both if now.note != was.note}:
        write_note(connection, [clip_id for clip_id, was, now in both if now.note == note != was.note], note)
    for tag in {tag for _, was, now in both for tag in now.tags - was.tags}:
        tag_clips(connection, show_id, [i for i, was, now in both if tag in now.tags - was.tags], tag)
    for tag in {tag for _, was, now in both for tag in was.tags - now.tags}:
        untag_clips(connection, show_id, [i for i, was, now in both if tag in was.tags - now.tags], tag)
    said: dict[Word, list[int]] = {}
    taken_back: dict[Question, list[int]] = {}
    for was_clip, now_clip in changed:
        for word in set(now_clip.words) - set(was_clip.words):
            said.setdefault(word, []).append(now_clip.id)
        for question in {w.question for w in was_clip.words} - {w.question for w in now_clip.words}:
            taken_back.setdefault(question, []).append(now_clip.id)
    for word, ids in said.items():
        words.say(connection, ids, word)
    for question, ids in taken_back.items():
        words.withdraw(connection, ids, question)


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


def _documents(decided: Iterable[Decisions]) -> list[Jsonb]:
    return [Jsonb(decisions.texts()) for decisions in decided]


def _rule(rule: Rule | None) -> Jsonb | None:
    return None if rule is None else Jsonb(rule.texts())


def kept_beats(connection: Connection, show_id: int, music: Music) -> MusicBeats | None:
    """The beats of a piece of music in a show; None where nobody has changed what is found."""
    with connection.cursor(row_factory=dict_row) as cursor:
        row = cursor.execute(
            "SELECT strokes FROM music WHERE show_id = %s AND root = %s AND path = %s",
            (show_id, music.root, music.path),
        ).fetchone()
    return None if row is None else tuple(Fraction(beat, _PARTS_A_SECOND) for beat in row["strokes"])


def keep_beats(connection: Connection, show_id: int, music: Music, beats: MusicBeats) -> None:
    """Keep beats to the millionth of a second, in place of those before."""
    connection.execute(
        "INSERT INTO music (show_id, root, path, strokes) VALUES (%s, %s, %s, %s)"
        " ON CONFLICT (show_id, root, path) DO UPDATE SET strokes = excluded.strokes",
        (show_id, music.root, music.path, [round(beat * _PARTS_A_SECOND) for beat in beats]),
    )


def forget_beats(connection: Connection, show_id: int, music: Music) -> None:
    """Go back to the beats that are found."""
    connection.execute(
        "DELETE FROM music WHERE show_id = %s AND root = %s AND path = %s", (show_id, music.root, music.path)
    )
