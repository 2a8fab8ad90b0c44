"""Hooks: the address that a show calls when files were made or a package was closed, and the calls themselves."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class Hook:
    """Where a show calls, and the secret that calls are signed with."""

    address: str
    secret: str


@dataclass(frozen=True)
class Call:
    """A call: what is said, how often it was tried, and what came of it."""

    id: int
    show_id: int
    body: dict[str, Any]
    state: str
    attempts: int
    answer: str | None
    asked_at: datetime
    finished_at: datetime | None


def hook_of(connection: Connection, show_id: int) -> Hook | None:
    """The hook of a show; None where it has none."""
    with connection.cursor(row_factory=class_row(Hook)) as cursor:
        return cursor.execute("SELECT address, secret FROM hook WHERE show_id = %s", (show_id,)).fetchone()


def set_hook(connection: Connection, show_id: int, hook: Hook) -> None:
    """Have a show call there."""
    connection.execute(
        "INSERT INTO hook (show_id, address, secret) VALUES (%s, %s, %s)"
        " ON CONFLICT (show_id) DO UPDATE SET address = excluded.address, secret = excluded.secret",
        (show_id, hook.address, hook.secret),
    )


def remove_hook(connection: Connection, show_id: int) -> None:
    """Have a show call nowhere."""
    connection.execute("DELETE FROM hook WHERE show_id = %s", (show_id,))


def ask_call(connection: Connection, show_id: int, body: dict[str, Any]) -> None:
    """Ask for a call; nothing happens where a show has no hook."""
    connection.execute(
        "INSERT INTO hook_call (show_id, body) SELECT show_id, %s FROM hook WHERE show_id = %s", (Jsonb(body), show_id)
    )


def calls_of_show(connection: Connection, show_id: int, most: int) -> list[Call]:
    """The calls of a show, the newest first, at most so many."""
    with connection.cursor(row_factory=class_row(Call)) as cursor:
        return cursor.execute(
            "SELECT * FROM hook_call WHERE show_id = %s ORDER BY id DESC LIMIT %s", (show_id, most)
        ).fetchall()


def call(connection: Connection, call_id: int) -> Call:
    """One call; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=class_row(Call)) as cursor:
        found = cursor.execute("SELECT * FROM hook_call WHERE id = %s", (call_id,)).fetchone()
    if found is None:
        raise MissingError("This call")
    return found


def unanswered(connection: Connection) -> list[int]:
    """Calls that are still to be made."""
    rows = connection.execute("SELECT id FROM hook_call WHERE state = 'waiting' ORDER BY id").fetchall()
    return [int(str(row[0])) for row in rows]


def note_call(connection: Connection, call_id: int, state: str, answer: str) -> None:
    """Write down one try, and what came of it."""
    connection.execute(
        "UPDATE hook_call SET state = %(state)s, attempts = attempts + 1, answer = %(answer)s,"
        " finished_at = CASE WHEN %(state)s <> 'waiting' THEN now() END WHERE id = %(id)s",
        {"state": state, "answer": answer, "id": call_id},
    )


def end_runs(connection: Connection, render_ids: Sequence[int]) -> list[int]:
    """Of the runs that these renders belong to those that nothing is under way of any more, each once."""
    runs = connection.execute(
        "SELECT id FROM handoff_run WHERE id IN (SELECT run_id FROM render WHERE id = ANY(%s)) AND NOT ended"
        " ORDER BY id FOR UPDATE",
        (list(render_ids),),
    ).fetchall()
    ended = connection.execute(
        "UPDATE handoff_run u SET ended = true WHERE id = ANY(%s) AND NOT EXISTS ("
        " SELECT FROM render WHERE run_id = u.id AND state IN ('waiting', 'rendering', 'proving')) RETURNING id",
        ([int(str(row[0])) for row in runs],),
    ).fetchall()
    return [int(str(row[0])) for row in ended]
