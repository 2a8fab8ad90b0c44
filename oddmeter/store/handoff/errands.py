"""Errands of packages that a worker runs: verifying one where it lies, copying one to a target."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection

Kind = Literal["verify", "copy"]


@dataclass(frozen=True)
class Errand:
    """What was asked for, by whom; how far it is, ``done`` of ``total`` of ``what`` is under way; and what came of it,
    a document, or why it could not be done."""

    id: int
    show_id: int
    kind: Kind
    asked: dict[str, Any]
    person: str
    state: Literal["waiting", "running", "done", "failed"]
    what: str
    done: int
    total: int
    outcome: dict[str, Any] | None
    fault: str | None
    asked_at: datetime
    finished_at: datetime | None


def ask(connection: Connection, show_id: int, kind: Kind, asked: dict[str, Any], person: str) -> int:
    """Ask for an errand; returns its id."""
    row = connection.execute(
        "INSERT INTO errand (show_id, kind, asked, person) VALUES (%s, %s, %s, %s) RETURNING id",
        (show_id, kind, Jsonb(asked), person),
    ).fetchone()
    assert row is not None
    return int(str(row[0]))


def errands_of_show(connection: Connection, show_id: int, most: int) -> list[Errand]:
    """The errands of a show, the newest first, at most so many."""
    with connection.cursor(row_factory=class_row(Errand)) as cursor:
        return cursor.execute(
            "SELECT * FROM errand WHERE show_id = %s ORDER BY id DESC LIMIT %s", (show_id, most)
        ).fetchall()


def errand(connection: Connection, errand_id: int) -> Errand:
    """One errand; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=class_row(Errand)) as cursor:
        found = cursor.execute("SELECT * FROM errand WHERE id = %s", (errand_id,)).fetchone()
    if found is None:
        raise MissingError("This errand")
    return found


def unfinished(connection: Connection) -> list[int]:
    """Errands that are not done, and have not failed."""
    rows = connection.execute("SELECT id FROM errand WHERE state IN ('waiting', 'running') ORDER BY id").fetchall()
    return [int(str(row[0])) for row in rows]


def note(connection: Connection, errand_id: int, what: str, done: int, total: int) -> None:
    """Write down how far an errand is."""
    connection.execute(
        "UPDATE errand SET state = 'running', what = %s, done = %s, total = %s WHERE id = %s",
        (what, done, total, errand_id),
    )


def finish(connection: Connection, errand_id: int, outcome: dict[str, Any] | None, fault: str | None) -> None:
    """End an errand with what came of it, or with why it could not be done."""
    connection.execute(
        "UPDATE errand SET state = %s, outcome = %s, fault = %s, finished_at = now() WHERE id = %s",
        ("failed" if outcome is None else "done", None if outcome is None else Jsonb(outcome), fault, errand_id),
    )
