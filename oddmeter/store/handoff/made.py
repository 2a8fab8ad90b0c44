"""Files that were made, by what they were made of: the newest of each, what it was made by, and how long that took."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from psycopg.rows import class_row

from oddmeter.store.database import Connection

_PART = (
    "(plan->'event'->>'id')::bigint AS event, coalesce((plan->'event'->>'transition')::boolean, false) AS transition"
)


@dataclass(frozen=True)
class MadeLately:
    """A finished file: its setting, its path, how many seconds it lasts, its frames and the samples of one, and, in
    seconds since 1970, when it was begun and finished, its proof included."""

    setting: str
    out_path: str
    seconds: float
    frames: int
    samples: int
    begun: float
    finished: float


def made_lately(connection: Connection, show_id: int, settings: Iterable[str], most: int) -> list[MadeLately]:
    """The files of clips that a show finished last, at most so many of each of these settings."""
    with connection.cursor(row_factory=class_row(MadeLately)) as cursor:
        return cursor.execute(
            "SELECT f.* FROM unnest(%s::text[]) AS wanted (setting), LATERAL ("
            " SELECT setting, out_path, total_frames AS frames, total_frames"
            " * split_part(plan->>'timeline_rate', '/', 2)::float8 / split_part(plan->>'timeline_rate', '/', 1)::float8"
            " AS seconds, coalesce((plan->'canvas'->>'width')::bigint * (plan->'canvas'->>'height')::bigint, 0)"
            " AS samples, extract(epoch FROM begun_at)::float8 AS begun,"
            " extract(epoch FROM finished_at)::float8 AS finished FROM render r"
            " WHERE show_id = %s AND r.setting = wanted.setting AND state = 'done' AND plan ? 'timeline_rate'"
            " AND begun_at IS NOT NULL ORDER BY id DESC LIMIT %s) AS f",
            (list(settings), show_id, most),
        ).fetchall()


def handed_off(connection: Connection, show_id: int) -> dict[int, dict[int, str]]:
    """For each clip and timeline, by their ids, the order that the newest finished file was made with, as JSON text."""
    rows = connection.execute(
        "SELECT DISTINCT ON (clip_id, timeline_id) clip_id, timeline_id, plan::text FROM render"
        " WHERE show_id = %s AND state = 'done' AND timeline_id IS NOT NULL AND clip_id IS NOT NULL"
        " AND plan->>'event' IS NULL"
        " ORDER BY clip_id, timeline_id, id DESC",
        (show_id,),
    ).fetchall()
    out: dict[int, dict[int, str]] = {}
    for row in rows:
        out.setdefault(int(str(row[0])), {})[int(str(row[1]))] = str(row[2])
    return out


@dataclass(frozen=True)
class MadeOf:
    """What of a timeline a file was made of: an event, the ``transition`` into one, or, without one, all of it."""

    event: int | None = None
    transition: bool = False


@dataclass(frozen=True)
class FinishedFile:
    """A finished file: its path, the order it was made with, and its proof."""

    out_path: str
    order: dict[str, Any]
    proof: dict[str, Any]


def made_of_timeline(connection: Connection, timeline_id: int) -> dict[MadeOf, FinishedFile]:
    """For each part of a timeline, and for the whole, the newest finished file of it."""
    rows = connection.execute(
        f"SELECT DISTINCT ON (event, transition) {_PART}, out_path, plan, proof FROM render"
        " WHERE timeline_id = %s AND state = 'done' AND (plan->>'event' IS NOT NULL OR clip_id IS NULL)"
        " ORDER BY event, transition, id DESC".encode(),
        (timeline_id,),
    ).fetchall()
    return {
        MadeOf(None if event is None else int(str(event)), bool(transition)): FinishedFile(str(path), plan, proof)
        for event, transition, path, plan, proof in rows
        if isinstance(plan, dict) and isinstance(proof, dict)
    }


@dataclass(frozen=True)
class LineOf:
    """What a line of a handoff stands for: the output of a plan, or, without one, the setting; and of which clip, or of
    which part of the timeline."""

    output: str
    clip_id: int | None
    part: MadeOf


@dataclass(frozen=True)
class Earlier:
    """The newest file of a line: where it lies, its state, what it was made by, as it is stored, but for its order;
    and how many files of the line there are."""

    id: int
    out_path: str
    state: str
    setting: str
    document: dict[str, Any] | None
    made_from: str | None
    tool: str | None
    digest: str | None
    versions: int


def earlier_files(connection: Connection, timeline_id: int, plan_id: int | None) -> dict[LineOf, Earlier]:
    """Of each line of a handoff for a timeline the newest file that is made or under way: by a plan, or by any where
    that is None."""
    own = (
        ""
        if plan_id is None
        else " AND EXISTS (SELECT FROM handoff_run u WHERE u.id = run_id AND u.plan_id = %(plan)s)"
    )
    output = "setting" if plan_id is None else "output::text"
    rows: list[tuple[Any, ...]] = connection.execute(
        "SELECT DISTINCT ON (line, clip, event, transition) line, clip, event, transition, id, out_path, state,"
        " setting, setting_document, made_from, tool, order_digest,"
        " count(*) OVER (PARTITION BY line, clip, event, transition) FROM ("
        f" SELECT {output} AS line, CASE WHEN plan->>'event' IS NULL THEN clip_id END AS clip, {_PART}, id, out_path,"
        "  state, setting, setting_document, made_from, tool, order_digest FROM render"
        "  WHERE timeline_id = %(timeline)s AND state IN ('waiting', 'rendering', 'proving', 'done')"
        f"{own}) AS files"
        " ORDER BY line, clip, event, transition, id DESC".encode(),
        {"timeline": timeline_id, "plan": plan_id},
    ).fetchall()
    return {
        LineOf(line, clip, MadeOf(event, transition)): Earlier(*rest) for line, clip, event, transition, *rest in rows
    }


def orders_by_id(connection: Connection, ids: list[int]) -> Mapping[int, dict[str, Any]]:
    """The orders of these renders, as they are stored."""
    rows = connection.execute("SELECT id, plan FROM render WHERE id = ANY(%s)", (ids,)).fetchall()
    return {int(str(number)): plan for number, plan in rows if isinstance(plan, dict)}
