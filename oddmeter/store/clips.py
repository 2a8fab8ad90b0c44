"""Deliveries and their clips: what came in, what is known of each, and what is decided on it."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from psycopg.rows import dict_row

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.evidence.proxies import pairs
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.clips import Clip, Decided, Use
from oddmeter.store.changes import ConflictError, MissingError, last_person, without_journal
from oddmeter.store.database import Connection
from oddmeter.store.facts import facts_from
from oddmeter.store.logs import matched
from oddmeter.store.looks import report_from


@dataclass(frozen=True)
class Delivery:
    """A batch of footage: where it lies, and how far the probing has come."""

    id: int
    name: str
    root: str
    folder: str
    clips: int
    probed: int
    troubled: int


_MANY = 500
"""Clips that come together, from which on the database looks at once how its tables have grown, to go about them
well."""
_DECIDED = """t.decisions, t.recipe_id, t.note,
           (SELECT jsonb_agg(to_jsonb(u) ORDER BY u.id) FROM clip_use u WHERE u.clip_id = c.id) AS uses,
           (SELECT array_agg(g.name) FROM clip_tag ct JOIN tag g ON g.id = ct.tag_id WHERE ct.clip_id = c.id) AS tags"""
CLIPS = f"""
    SELECT c.id, c.delivery_id, d.root, d.show_id, c.path, c.name, c.proxy_of, c.revision + t.revision AS revision,
           f.*, p.report, {_DECIDED},
           (SELECT jsonb_agg(to_jsonb(w)) FROM word w WHERE w.clip_id = c.id) AS words,
           (SELECT count(*) FROM clip x WHERE x.proxy_of = c.id) AS proxies
    FROM clip c
    JOIN delivery d ON d.id = c.delivery_id
    JOIN clip_facts f ON f.clip_id = c.id
    JOIN treatment t ON t.id = c.id
    LEFT JOIN picture p ON p.clip_id = c.id
"""


def deliveries(connection: Connection, show_id: int) -> list[Delivery]:
    """The deliveries of a show in the order they came in, without those taken back."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            "SELECT d.id, d.name, d.root, d.folder, count(c.id) AS clips,"
            " count(*) FILTER (WHERE f.state = 'done') AS probed,"
            " count(*) FILTER (WHERE f.fault IS NOT NULL AND NOT (f.frames = 0 AND f.sounds <> '[]')"
            " OR cardinality(f.remarks) > 0) AS troubled"
            " FROM delivery d LEFT JOIN clip c ON c.delivery_id = d.id LEFT JOIN clip_facts f ON f.clip_id = c.id"
            " WHERE d.show_id = %s AND NOT d.removed GROUP BY d.id ORDER BY d.id",
            (show_id,),
        ).fetchall()
    return [Delivery(**row) for row in rows]


def move_deliveries(connection: Connection, ids: Sequence[int], root: str) -> None:
    """Say that deliveries lie in another media root now."""
    connection.execute("UPDATE delivery SET root = %s WHERE id = ANY(%s)", (root, list(ids)))


def clips_of_show(connection: Connection, show_id: int, *, proxies: bool = False) -> list[Clip]:
    """All clips of a show, grouped by delivery and in order of name; proxies, which follow their originals in
    everything, only where they are asked for."""
    where = "WHERE d.show_id = %s AND NOT d.removed AND (c.proxy_of IS NULL OR %s) ORDER BY d.id, c.name, c.id"
    return _clips(connection, where, (show_id, proxies))


def clips_by_id(connection: Connection, ids: Iterable[int], *, even_removed: bool = False) -> list[Clip]:
    """The clips with these ids; raises ``MissingError`` where one is not there.

    Clips of a delivery that was taken out count as not there, unless ``even_removed``.
    """
    wanted = list(dict.fromkeys(ids))
    where = "WHERE c.id = ANY(%s) AND (NOT d.removed OR %s) ORDER BY d.id, c.name, c.id"
    found = _clips(connection, where, (wanted, even_removed))
    if len(found) != len(wanted):
        raise MissingError("A clip")
    return found


def clips_if_there(connection: Connection, clip_id: int) -> Clip | None:
    """The clip with this id, even of a delivery that was taken out; None where there is none."""
    found = _clips(connection, "WHERE c.id = %s", (clip_id,))
    return found[0] if found else None


STAMPS = """
    SELECT c.id, c.proxy_of, f.xmin::text || ' ' || coalesce(p.xmin::text, '') || coalesce(w.stamp, ''),
           c.xmin::text || ' ' || t.xmin::text
    FROM clip c
    JOIN delivery d ON d.id = c.delivery_id
    JOIN treatment t ON t.id = c.id
    JOIN clip_facts f ON f.clip_id = c.id
    LEFT JOIN picture p ON p.clip_id = c.id
    LEFT JOIN (SELECT clip_id, string_agg(' ' || id || ':' || xmin::text, '' ORDER BY id) AS stamp
               FROM word GROUP BY clip_id) w ON w.clip_id = c.id
    WHERE d.show_id = %s AND NOT d.removed ORDER BY d.id, c.name, c.id
"""

_OF_SHOW = (
    "coalesce((SELECT string_agg(id || ':' || xmin::text, ' ' ORDER BY id) FROM {} WHERE show_id = %(show)s {}), '')"
)
ABOVE = f"""
    SELECT concat_ws('|',
        (SELECT xmin::text FROM show WHERE id = %(show)s),
        coalesce((SELECT xmin::text || ' ' || times FROM matching WHERE show_id = %(show)s), ''),
        {", ".join(_OF_SHOW.format(table, "") for table in ("timeline", "delivery", "recipe", "tag"))},
        {_OF_SHOW.format("render", "AND state = 'done' AND timeline_id IS NOT NULL")})
"""


@dataclass(frozen=True)
class Stamps:
    """Which transactions wrote last what is known of each clip, and what is decided on it, by clip in the order of the
    ledger, ``proxies`` with their originals among them; and what stands above the clips: show, timelines, deliveries,
    recipes, tags, reports, finished files."""

    above: str
    proxies: Mapping[int, int]
    known: Mapping[int, str]
    decided: Mapping[int, str]


def stamps(connection: Connection, show_id: int) -> Stamps:
    """The stamps of a show's clips."""
    above = connection.execute(ABOVE, {"show": show_id}).fetchone()
    assert above is not None
    rows: list[tuple[int, int | None, str, str]] = connection.execute(STAMPS, (show_id,)).fetchall()  # type: ignore[assignment]
    return Stamps(
        str(above[0]),
        {clip_id: original for clip_id, original, _, _ in rows if original is not None},
        {clip_id: known for clip_id, _, known, _ in rows},
        {clip_id: decided for clip_id, _, _, decided in rows},
    )


def decided(connection: Connection, ids: Iterable[int]) -> dict[int, tuple[Decided, int]]:
    """What is decided on these clips, and the revision each is at."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            f"SELECT c.id, c.revision + t.revision AS revision, {_DECIDED} FROM clip c"
            " JOIN treatment t ON t.id = c.id WHERE c.id = ANY(%s)".encode(),
            (list(ids),),
        ).fetchall()
    return {row["id"]: (_decided(row), row["revision"]) for row in rows}


def place(connection: Connection, clip_id: int) -> tuple[str, str] | None:
    """The root and the path of a clip, even where it was taken out; None where there is none."""
    row = connection.execute(
        "SELECT d.root, c.path FROM clip c JOIN delivery d ON d.id = c.delivery_id WHERE c.id = %s", (clip_id,)
    ).fetchone()
    return None if row is None else (str(row[0]), str(row[1]))


def clips_in_show(connection: Connection, show_id: int, ids: Iterable[int]) -> list[Clip]:
    """These clips, all of one show; raises ``RuleError`` where one belongs to another."""
    own = {delivery.id for delivery in deliveries(connection, show_id)}
    found = clips_by_id(connection, ids)
    if any(clip.delivery_id not in own for clip in found):
        raise RuleError("One of these clips belongs to another show.", "missing")
    return found


def add_delivery(connection: Connection, show_id: int, name: str, root: str, folder: str, paths: Sequence[str]) -> int:
    """Put down a delivery and its clips, not yet part of the show; returns its id.

    ``bring_in`` is the change that can be undone; the rows themselves stay, with all that is found out about
    them.
    """
    with without_journal(connection):
        return _put_down(connection, show_id, name, root, folder, paths)


def _put_down(connection: Connection, show_id: int, name: str, root: str, folder: str, paths: Sequence[str]) -> int:
    made = connection.execute(
        "INSERT INTO delivery (show_id, name, root, folder) VALUES (%s, %s, %s, %s) RETURNING id",
        (show_id, name, root, folder),
    ).fetchone()
    assert made is not None
    delivery = int(str(made[0]))
    connection.execute(
        "WITH new AS (INSERT INTO clip (delivery_id, path, name)"
        " SELECT %s, path, regexp_replace(path, '^.*/', '') FROM unnest(%s::text[]) AS path RETURNING id),"
        " facts AS (INSERT INTO clip_facts (clip_id) SELECT id FROM new)"
        ", looks AS (INSERT INTO picture (clip_id) SELECT id FROM new)"
        " INSERT INTO treatment (id) SELECT id FROM new",
        (delivery, list(paths)),
    )
    if len(paths) > _MANY:
        connection.execute("ANALYZE clip, clip_facts, treatment, picture")
    if paired := pairs(paths):
        connection.execute(
            "UPDATE clip SET proxy_of = original.id FROM unnest(%s::text[], %s::text[]) AS paired (proxy, original)"
            " JOIN clip AS original ON original.delivery_id = %s AND original.path = paired.original"
            " WHERE clip.delivery_id = %s AND clip.path = paired.proxy",
            (list(paired), list(paired.values()), delivery, delivery),
        )
    return delivery


def bring_in(connection: Connection, delivery_id: int) -> None:
    """Make a delivery part of its show."""
    connection.execute("UPDATE delivery SET removed = false WHERE id = %s", (delivery_id,))


def take_out(connection: Connection, delivery_id: int) -> None:
    """Take a delivery out of its show; nothing on disk changes. Raises ``MissingError`` where it is not in it."""
    done = connection.execute("UPDATE delivery SET removed = true WHERE id = %s AND NOT removed", (delivery_id,))
    if done.rowcount != 1:
        raise MissingError("This delivery")


def unprobed(connection: Connection, delivery_id: int | None = None) -> list[int]:
    """The clips that have not been probed yet."""
    rows = connection.execute(
        "SELECT clip_id FROM clip_facts JOIN clip ON clip.id = clip_id"
        " WHERE state <> 'done' AND (%(id)s::bigint IS NULL OR delivery_id = %(id)s) ORDER BY clip_id",
        {"id": delivery_id},
    ).fetchall()
    return [int(str(row[0])) for row in rows]


def expect_revisions(connection: Connection, show_id: int, expected: dict[int, int]) -> None:
    """Hold the clips of a show until the transaction ends, and make sure that each is still at the revision seen.

    Raises ``MissingError`` where one is not in the show, and ``ConflictError``, naming the clips and who changed them,
    where some are at another revision.
    """
    rows = connection.execute(
        "SELECT c.id, c.name, c.revision + t.revision FROM clip c JOIN treatment t ON t.id = c.id"
        " JOIN delivery d ON d.id = c.delivery_id WHERE c.id = ANY(%s) AND d.show_id = %s AND NOT d.removed"
        " ORDER BY c.id FOR UPDATE OF t",
        (list(expected), show_id),
    ).fetchall()
    if len(rows) != len(expected):
        raise MissingError("A clip")
    changed = [(int(str(row[0])), str(row[1])) for row in rows if row[2] != expected[int(str(row[0]))]]
    if changed:
        first_id, first = changed[0]
        person = last_person(connection, "clip", first_id)
        others = f" and {len(changed) - 1} more" if len(changed) > 1 else ""
        raise ConflictError(f"{person or 'Somebody'} changed {first}{others} first. Nothing was changed; look again.")


def _clips(connection: Connection, where: str, parameters: Sequence[object]) -> list[Clip]:
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(f"{CLIPS} {where}".encode(), parameters).fetchall()
    entries: dict[int, tuple[LogEntry, ...]] = {}
    for show_id in {row["show_id"] for row in rows}:
        if found := matched(connection, show_id):
            entries |= found.entries
    return [_clip(row, entries.get(row["id"], ())) for row in rows]


def _clip(row: dict[str, Any], entries: tuple[LogEntry, ...]) -> Clip:
    return Clip(
        id=row["id"],
        delivery_id=row["delivery_id"],
        root=row["root"],
        path=row["path"],
        name=row["name"],
        measured=facts_from(row) if row["state"] == "done" else None,
        picture=report_from(row["report"]) if row["report"] else None,
        entries=entries,
        words=tuple(Word(Question(w["question"]), w["value"], w["person"], w["reason"]) for w in row["words"] or ()),
        decided=_decided(row),
        revision=row["revision"],
        show_id=row["show_id"],
        proxy_of=row["proxy_of"],
        proxies=row["proxies"],
        replaced=row["replaced"],
    )


def _decided(row: dict[str, Any]) -> Decided:
    return Decided(
        Decisions.parse(row["decisions"]),
        row["recipe_id"],
        tuple(Use(use["timeline_id"], Decisions.parse(use["decisions"]), use["id"]) for use in row["uses"] or ()),
        frozenset(row["tags"] or ()),
        row["note"],
    )
