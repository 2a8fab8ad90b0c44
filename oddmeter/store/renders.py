"""Renders: files asked for, under way, made and proven; and the conform sheets that were taken of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import psycopg
from psycopg.rows import class_row, dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection

UNDER_WAY = ("waiting", "rendering", "proving")


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


_RENDERS = """
    SELECT r.id, r.show_id, r.timeline_id, r.clip_id, r.setting, r.out_path, {plan} AS plan, r.state, r.attempts,
           r.total_frames, r.done_frames, r.cancel_requested, r.made, r.fault, r.proof, r.asked_at, r.begun_at,
           r.finished_at, coalesce(t.name, r.plan->>'timeline_name', '') AS timeline, coalesce(c.name, r.plan->>'name',
           '') AS clip_name FROM render r LEFT JOIN timeline t ON t.id = r.timeline_id LEFT JOIN clip c ON c.id =
           r.clip_id
"""


def renders_of_show(connection: Connection, show_id: int) -> list[Render]:
    """All renders of a show, the newest first; of orders of timelines without their events, which are many."""
    return _renders(connection, "WHERE r.show_id = %s ORDER BY r.id DESC", (show_id,), _IN_SHORT)


def render(connection: Connection, render_id: int) -> Render:
    """One render; raises ``MissingError`` where there is none."""
    found = _renders(connection, "WHERE r.id = %s", (render_id,))
    if not found:
        raise MissingError("This render")
    return found[0]


def ask(
    connection: Connection, timeline_id: int, clip_id: int | None, setting: str, out_path: str, plan: dict[str, Any],
    frames: int,
) -> int:  # fmt: skip
    """Ask for a file for a timeline, of a clip, or of the timeline itself; returns the render's id. Raises
    ``RuleError`` where that file is asked for or made already."""
    try:
        made = connection.execute(
            "INSERT INTO render (show_id, timeline_id, clip_id, setting, out_path, plan, total_frames)"
            " SELECT show_id, id, %s, %s, %s, %s, %s FROM timeline WHERE id = %s RETURNING id",
            (clip_id, setting, out_path, Jsonb(plan), frames, timeline_id),
        ).fetchone()
    except psycopg.errors.UniqueViolation as error:
        raise RuleError(
            f"{out_path} is already in the queue or made. Choose another name or folder.", "exists"
        ) from error
    assert made is not None
    return int(str(made[0]))


def taken(connection: Connection, paths: Sequence[str]) -> set[str]:
    """Which of these files are asked for or made already."""
    rows = connection.execute(
        "SELECT out_path FROM render WHERE out_path = ANY(%s) AND state IN ('waiting', 'rendering', 'proving', 'done')",
        (list(paths),),
    ).fetchall()
    return {str(row[0]) for row in rows}


def waiting(connection: Connection) -> list[int]:
    """Renders that are not finished."""
    rows = connection.execute("SELECT id FROM render WHERE state = ANY(%s) ORDER BY id", (list(UNDER_WAY),)).fetchall()
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


def to_try_again(connection: Connection, show_id: int) -> dict[int, str]:
    """The renders of a show that failed or were cancelled and whose file has not been asked for again since, the oldest
    first, each with its file; of those of one file the newest."""
    rows = connection.execute(
        "SELECT max(id) AS id, out_path FROM render r WHERE show_id = %s AND state IN ('failed', 'cancelled')"
        " AND NOT EXISTS (SELECT FROM render now WHERE now.out_path = r.out_path"
        " AND now.state NOT IN ('failed', 'cancelled')) GROUP BY out_path ORDER BY id",
        (show_id,),
    ).fetchall()
    return {int(str(number)): str(out_path) for number, out_path in rows}


def retry(connection: Connection, render_id: int) -> None:
    """Put a failed or cancelled render back into the queue.

    Raises ``RuleError`` where it is neither, or where its file has been asked for again since.
    """
    try:
        done = connection.execute(
            "UPDATE render SET state = 'waiting', attempts = 0, done_frames = 0, cancel_requested = false,"
            " fault = NULL, proof = NULL, finished_at = NULL WHERE id = %s AND state IN ('failed', 'cancelled')",
            (render_id,),
        )
    except psycopg.errors.UniqueViolation as error:
        raise RuleError("This file has been queued again since.", "exists") from error
    if done.rowcount != 1:
        raise RuleError("Only failed or cancelled files can be retried.", "state")


_IN_SHORT = "(r.plan - '{timelines,plans}'::text[])"


def _renders(connection: Connection, where: str, parameters: Sequence[object], plan: str = "r.plan") -> list[Render]:
    statement = f"{_RENDERS.replace('{plan}', plan)} {where}"
    with connection.cursor(row_factory=dict_row) as cursor:
        return [Render(**row) for row in cursor.execute(statement.encode(), parameters).fetchall()]


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
        "SELECT DISTINCT ON (event, transition) (plan->'event'->>'id')::bigint AS event,"
        " coalesce((plan->'event'->>'transition')::boolean, false) AS transition, out_path, plan, proof"
        " FROM render"
        " WHERE timeline_id = %s AND state = 'done' AND (plan->>'event' IS NOT NULL OR clip_id IS NULL)"
        " ORDER BY event, transition, id DESC",
        (timeline_id,),
    ).fetchall()
    return {
        MadeOf(None if event is None else int(str(event)), bool(transition)): FinishedFile(str(path), plan, proof)
        for event, transition, path, plan, proof in rows
        if isinstance(plan, dict) and isinstance(proof, dict)
    }


@dataclass(frozen=True)
class TakenSheet:
    """A sheet as it was taken: for which timeline, by whom, and its rows."""

    id: int
    show_id: int
    timeline_id: int
    person: str
    made_at: datetime
    rows: list[dict[str, Any]]


def keep_sheet(connection: Connection, show_id: int, timeline_id: int, person: str, rows: list[dict[str, Any]]) -> int:
    """Keep a sheet; returns its id."""
    made = connection.execute(
        "INSERT INTO sheet (show_id, timeline_id, person, rows) VALUES (%s, %s, %s, %s) RETURNING id",
        (show_id, timeline_id, person, Jsonb(rows)),
    ).fetchone()
    assert made is not None
    return int(str(made[0]))


def last_sheet(connection: Connection, timeline_id: int) -> TakenSheet | None:
    """The sheet taken last for a timeline; None where there is none."""
    with connection.cursor(row_factory=class_row(TakenSheet)) as cursor:
        return cursor.execute(
            "SELECT * FROM sheet WHERE timeline_id = %s ORDER BY id DESC LIMIT 1", (timeline_id,)
        ).fetchone()


@dataclass(frozen=True)
class SheetEntry:
    """A taken sheet in the list of them, with its number of clips."""

    id: int
    timeline_id: int
    person: str
    made_at: datetime
    clips: int


def sheets_of_show(connection: Connection, show_id: int) -> list[SheetEntry]:
    """The fifty sheets taken last, the newest first."""
    with connection.cursor(row_factory=class_row(SheetEntry)) as cursor:
        return cursor.execute(
            "SELECT id, timeline_id, person, made_at, jsonb_array_length(rows) AS clips FROM sheet WHERE show_id = %s"
            " ORDER BY id DESC LIMIT 50",
            (show_id,),
        ).fetchall()


def sheet(connection: Connection, show_id: int, sheet_id: int) -> TakenSheet:
    """A sheet of a show; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=class_row(TakenSheet)) as cursor:
        found = cursor.execute("SELECT * FROM sheet WHERE id = %s AND show_id = %s", (sheet_id, show_id)).fetchone()
    if found is None:
        raise MissingError("This sheet")
    return found
