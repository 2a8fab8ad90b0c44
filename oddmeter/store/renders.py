"""Renders: files asked for, under way, made and proven; and the conform sheets that were taken of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import psycopg
from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection

UNDER_WAY = ("waiting", "rendering", "proving")
_CAN_BE_RETRIED = (
    "NOT EXISTS (SELECT FROM render now WHERE now.out_path = r.out_path"
    " AND (now.state NOT IN ('failed', 'cancelled') OR now.id > r.id))"
)


@dataclass(frozen=True)
class Render:
    """One file to make. ``made`` is true where it has been, and was not moved off its name since. ``plan`` and
    ``proof`` are the stored documents; ``out_path`` is below the folder for made files; frames are timeline frames. One
    of a timeline belongs to no clip; its ``clip_name`` then says what it is made of."""

    id: int
    show_id: int
    timeline_id: int | None
    timeline: str
    clip_id: int | None
    clip_name: str
    setting: str
    setting_document: dict[str, Any] | None
    out_path: str
    plan: dict[str, Any]
    state: str
    attempts: int
    total_frames: int
    done_frames: int
    cancel_requested: bool
    made: bool
    fault: str | None
    proof: dict[str, Any] | None
    asked_at: datetime
    begun_at: datetime | None
    finished_at: datetime | None
    run_id: int | None
    urgency: int
    paused: bool


_RENDERS = """
    SELECT r.id, r.show_id, r.timeline_id, r.clip_id, r.setting, r.setting_document, r.out_path, {plan} AS plan,
           r.state, r.attempts, r.total_frames, r.done_frames, r.cancel_requested, r.made, r.fault, r.proof, r.asked_at,
           r.begun_at, r.finished_at, r.run_id, r.urgency, r.paused,
           coalesce(t.name, r.plan->>'timeline_name', '') AS timeline,
           coalesce(c.name, r.plan->>'name', '') AS clip_name
      FROM render r LEFT JOIN timeline t ON t.id = r.timeline_id LEFT JOIN clip c ON c.id = r.clip_id
"""


def renders_of_show(connection: Connection, show_id: int, first: int = 0, most: int | None = None) -> list[Render]:
    """Renders of a show from a place on, at most so many: those at work, those that failed and can be tried again,
    those that wait, in turn, and then the others, the newest first. Orders of timelines come without their events,
    which are many."""
    ids = connection.execute(
        "SELECT id FROM ("
        " SELECT id, CASE WHEN state = 'waiting' THEN 2 ELSE 0 END AS place,"
        " CASE WHEN state = 'waiting' THEN turn ELSE -id END AS turn, urgency"
        " FROM render WHERE show_id = %(show)s AND state IN ('waiting', 'rendering', 'proving')"
        f" UNION ALL SELECT id, CASE WHEN state = 'failed' AND {_CAN_BE_RETRIED} THEN 1 ELSE 3 END, -id, 0"
        " FROM render r WHERE show_id = %(show)s AND state IN ('failed', 'cancelled')"
        " UNION ALL (SELECT id, 3, -id, 0 FROM render WHERE show_id = %(show)s AND state = 'done'"
        " ORDER BY id DESC LIMIT %(reach)s)"
        ") AS rows ORDER BY place, CASE WHEN place = 2 THEN -urgency END, turn"
        " OFFSET %(first)s LIMIT %(most)s".encode(),
        {"show": show_id, "first": first, "most": most, "reach": None if most is None else first + most},
    ).fetchall()
    order = {int(str(row[0])): place for place, row in enumerate(ids)}
    found = _renders(connection, "WHERE r.id = ANY(%s)", (list(order),), _IN_SHORT)
    return sorted(found, key=lambda render: order[render.id])


def newest_of_clips(connection: Connection, timeline_id: int) -> dict[int, Render]:
    """For each clip the render of it for a timeline that was asked for last."""
    where = "WHERE r.id IN (SELECT max(id) FROM render WHERE timeline_id = %s AND clip_id IS NOT NULL GROUP BY clip_id)"
    return {r.clip_id: r for r in _renders(connection, where, (timeline_id,), _IN_SHORT) if r.clip_id is not None}


def counts(connection: Connection, show_id: int) -> dict[str, int]:
    """How many renders of a show are in each state; nothing of a state that none is in."""
    rows = connection.execute(
        "SELECT state, files FROM render_count WHERE show_id = %s AND files > 0", (show_id,)
    ).fetchall()
    return {str(state): int(str(files)) for state, files in rows}


def under_way(connection: Connection, show_id: int) -> list[Render]:
    """The renders of a show that are not finished, the oldest first."""
    where = "WHERE r.show_id = %s AND r.state IN ('waiting', 'rendering', 'proving') ORDER BY r.id"
    return _renders(connection, where, (show_id,), _IN_SHORT)


def begun_last(connection: Connection, show_id: int, most: int) -> list[Render]:
    """The renders of a show that were begun last, at most so many."""
    where = "WHERE r.show_id = %s AND r.begun_at IS NOT NULL ORDER BY r.begun_at DESC LIMIT %s"
    return _renders(connection, where, (show_id, most), _IN_SHORT)


def render(connection: Connection, render_id: int) -> Render:
    """One render; raises ``MissingError`` where there is none."""
    found = _renders(connection, "WHERE r.id = %s", (render_id,))
    if not found:
        raise MissingError("This render")
    return found[0]


def renders_by_id(connection: Connection, ids: Sequence[int]) -> list[Render]:
    """Several renders, in the order in which they are named; raises ``MissingError`` where one of them is not there."""
    found = {one.id: one for one in _renders(connection, "WHERE r.id = ANY(%s)", (list(ids),))}
    if not found.keys() >= set(ids):
        raise MissingError("This render")
    return [found[number] for number in ids]


def renders_of_run(connection: Connection, run_id: int) -> list[Render]:
    """The renders that were asked for in a run, in that order. Orders of timelines come without their events."""
    return _renders(connection, "WHERE r.run_id = %s ORDER BY r.id", (run_id,), _IN_SHORT)


@dataclass(frozen=True)
class Asked:
    """A file that is asked for: of a clip, or of the timeline itself, with the name of its setting and the whole of it,
    the order it is made by, and its length in timeline frames. ``output`` is its place in a handoff plan; ``made_from``
    identifies its sources, ``digest`` the order, ``tool`` what makes it, so that it can be said what changed since."""

    timeline_id: int
    clip_id: int | None
    setting: str
    setting_document: dict[str, Any] | None
    out_path: str
    plan: dict[str, Any]
    frames: int
    output: int = 1
    made_from: str | None = None
    digest: str | None = None
    tool: str | None = None


def ask(connection: Connection, files: Sequence[Asked], run_id: int | None = None) -> dict[str, int]:
    """Ask for files, in a run or without one; returns the id of each render by its file. One that is asked for or made
    already is left out."""
    rows = connection.execute(
        "INSERT INTO render (show_id, timeline_id, clip_id, setting, setting_document, out_path, plan, total_frames,"
        " output, made_from, order_digest, tool, run_id)"
        " SELECT t.show_id, t.id, f.clip_id, f.setting, f.setting_document, f.out_path, f.plan, f.frames, f.output,"
        " f.made_from, f.digest, f.tool, %s FROM ROWS FROM (jsonb_to_recordset(%s) AS ("
        " timeline_id bigint, clip_id bigint, setting text, setting_document jsonb, out_path text, plan jsonb,"
        " frames bigint, output integer, made_from text, digest text, tool text)) WITH ORDINALITY"
        " AS f (timeline_id, clip_id, setting, setting_document, out_path, plan, frames, output, made_from, digest,"
        " tool, place) JOIN timeline t ON t.id = f.timeline_id ORDER BY f.place"
        " ON CONFLICT (out_path) WHERE state IN ('waiting', 'rendering', 'proving', 'done') DO NOTHING"
        " RETURNING out_path, id",
        (run_id, Jsonb([vars(file) for file in files])),
    ).fetchall()
    return {str(path): int(str(number)) for path, number in rows}


def taken(connection: Connection, paths: Sequence[str]) -> set[str]:
    """Which of these files are asked for or made already."""
    rows = connection.execute(
        "SELECT out_path FROM render WHERE out_path = ANY(%s) AND state IN ('waiting', 'rendering', 'proving', 'done')",
        (list(paths),),
    ).fetchall()
    return {str(row[0]) for row in rows}


def waiting(connection: Connection) -> list[int]:
    """Renders that are not finished, and not paused."""
    rows = connection.execute(
        "SELECT id FROM render WHERE state = ANY(%s) AND NOT (paused AND state = 'waiting') ORDER BY id",
        (list(UNDER_WAY),),
    ).fetchall()
    return [int(str(row[0])) for row in rows]


def begin(connection: Connection, render_id: int) -> None:
    """Mark a render as under way, once more if a worker died over it."""
    connection.execute(
        "UPDATE render SET state = 'rendering', attempts = attempts + 1, done_frames = 0, fault = NULL,"
        " begun_at = now() WHERE id = %s",
        (render_id,),
    )


def note_progress(connection: Connection, render_id: int, frames: int) -> bool:
    """Write down how far a render has come; returns True where somebody asked to cancel it."""
    found = connection.execute(
        "UPDATE render SET done_frames = %s WHERE id = %s RETURNING cancel_requested", (frames, render_id)
    ).fetchone()
    return found is None or bool(found[0])


def proving(connection: Connection, render_id: int, losses: bytes | None = None, *, ours: bool = True) -> None:
    """The file is there, and ``ours``; its frames are counted again as they are proven. ``losses`` is what it lost, to
    be asked for where it is proven once more."""
    connection.execute(
        "UPDATE render SET state = 'proving', done_frames = 0, made = %s, losses = %s WHERE id = %s",
        (ours, losses, render_id),
    )


def losses(connection: Connection, render_id: int) -> bytes | None:
    """What the file of a render lost as it was written, as it was kept; None where that was not measured."""
    row = connection.execute("SELECT losses FROM render WHERE id = %s", (render_id,)).fetchone()
    return bytes(row[0]) if row and isinstance(row[0], bytes | memoryview) else None


def finish(connection: Connection, render_id: int, state: str, fault: str | None, proof: dict[str, Any] | None) -> None:
    """End a render as ``done``, ``failed`` or ``cancelled``, with its proof or what went wrong. One that failed without
    a proof may have left its file."""
    connection.execute(
        "UPDATE render SET state = %(state)s, fault = %(fault)s, proof = %(proof)s, finished_at = now(),"
        " made = made AND (%(state)s = 'done' OR %(state)s = 'failed' AND %(proof)s::jsonb IS NULL),"
        " done_frames = CASE WHEN %(proof)s::jsonb IS NULL THEN done_frames ELSE total_frames END WHERE id = %(id)s",
        {"state": state, "fault": fault, "proof": None if proof is None else Jsonb(proof), "id": render_id},
    )


def cancel(connection: Connection, *render_ids: int) -> int:
    """Ask renders to stop; one that has not begun is cancelled at once, and one that is finished stays as it is.
    Returns how many were asked."""
    asked = connection.execute(
        "UPDATE render SET cancel_requested = true,"
        " state = CASE WHEN state = 'waiting' THEN 'cancelled' ELSE state END,"
        " finished_at = CASE WHEN state = 'waiting' THEN now() END"
        " WHERE id = ANY(%s) AND state = ANY(%s)",
        (list(render_ids), list(UNDER_WAY)),
    )
    return asked.rowcount


@dataclass(frozen=True)
class Again:
    """A render that can be tried again: its file, and whether it failed or was cancelled."""

    id: int
    out_path: str
    failed: bool


def to_try_again(connection: Connection, show_id: int) -> list[Again]:
    """The renders of a show that failed or were cancelled and whose file has not been asked for again since, the oldest
    first; of those of one file the newest."""
    rows = connection.execute(
        "SELECT id, out_path, state = 'failed' FROM render r WHERE show_id = %s AND state IN ('failed', 'cancelled')"
        f" AND {_CAN_BE_RETRIED} ORDER BY id".encode(),
        (show_id,),
    ).fetchall()
    return [Again(int(str(number)), str(out_path), bool(failed)) for number, out_path, failed in rows]


def retry(connection: Connection, *render_ids: int) -> None:
    """Put failed or cancelled renders back into the queue.

    Raises ``RuleError`` where one is neither, or where its file has been asked for again since.
    """
    try:
        done = connection.execute(
            "UPDATE render SET state = 'waiting', attempts = 0, done_frames = 0, cancel_requested = false,"
            " paused = false, turn = nextval('render_turn'), fault = NULL, proof = NULL, finished_at = NULL"
            " WHERE id = ANY(%s) AND state IN ('failed', 'cancelled')",
            (list(render_ids),),
        )
        connection.execute(
            "UPDATE handoff_run SET ended = false WHERE id IN (SELECT run_id FROM render WHERE id = ANY(%s))",
            (list(render_ids),),
        )
    except psycopg.errors.UniqueViolation as error:
        raise RuleError("This file has been queued again since.", "exists") from error
    if done.rowcount != len(render_ids):
        raise RuleError("Only failed or cancelled files can be retried.", "state")


_IN_SHORT = "(r.plan - '{timelines,plans}'::text[])"


def _renders(connection: Connection, where: str, parameters: Sequence[object], plan: str = "r.plan") -> list[Render]:
    statement = f"{_RENDERS.replace('{plan}', plan)} {where}"
    with connection.cursor(row_factory=dict_row) as cursor:
        return [Render(**row) for row in cursor.execute(statement.encode(), parameters).fetchall()]
