"""The one place that changes by people go through.

A change is one transaction with a title. Triggers write down each row before and after, which is all that
undo and redo need. Changes of one show happen one after another.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime

import psycopg
from psycopg.rows import class_row

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.database import Connection, Database


@dataclass(frozen=True)
class Change:
    """One change by a person, as the undo list shows it."""

    id: int
    title: str
    person: str
    undone: bool
    made_at: datetime


@dataclass(frozen=True)
class UndoState:
    """What undo and redo would do now; None where there is nothing to do."""

    undo: Change | None
    redo: Change | None


class ConflictError(RuleError):
    """Somebody else changed the same thing first; nothing was changed now."""

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence, "conflict")


class MissingError(RuleError):
    """What was asked for does not exist, or no longer."""

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} no longer exists.", "missing")


@contextmanager
def change(database: Database, show_id: int, title: str, person: str) -> Iterator[Connection]:
    """Open a change: whatever the block does through the connection is one transaction that can be undone.

    A change that alters no row leaves no trace. What was undone before can no longer be redone after it.
    Raises ``MissingError`` where there is no such show.
    """
    with database.transaction() as connection:
        _hold(connection, show_id)
        made = connection.execute(
            "INSERT INTO change (show_id, title, person) VALUES (%s, %s, %s) RETURNING id", (show_id, title, person)
        ).fetchone()
        assert made is not None
        connection.execute("SELECT set_config('oddmeter.change', %s, true)", (str(made[0]),))
        yield connection
        connection.execute("SELECT set_config('oddmeter.change', '', true)")
        connection.execute(
            "DELETE FROM change_row WHERE change_id = %s AND before - 'revision' = after - 'revision'", (made[0],)
        )
        _insist_on_cuts(connection, int(str(made[0])))
        altered = connection.execute("SELECT 1 FROM change_row WHERE change_id = %s LIMIT 1", (made[0],)).fetchone()
        if altered:
            connection.execute("DELETE FROM change WHERE show_id = %s AND undone", (show_id,))
        else:
            connection.execute("DELETE FROM change WHERE id = %s", (made[0],))


def entitle(connection: Connection, title: str) -> None:
    """Name the change that is open, where its name follows from what it finds."""
    connection.execute(
        "UPDATE change SET title = %s WHERE id = nullif(current_setting('oddmeter.change', true), '')::bigint", (title,)
    )


@contextmanager
def without_journal(connection: Connection) -> Iterator[None]:
    """Write rows that no undo shall delete, in the middle of a change."""
    was = connection.execute("SELECT coalesce(current_setting('oddmeter.change', true), '')").fetchone()
    connection.execute("SELECT set_config('oddmeter.change', '', true)")
    yield
    connection.execute("SELECT set_config('oddmeter.change', %s, true)", (was[0] if was else "",))


def undo_state(connection: Connection, show_id: int) -> UndoState:
    """The change that undo would take back, and the one that redo would bring back."""
    with connection.cursor(row_factory=class_row(Change)) as cursor:
        columns = "SELECT id, title, person, undone, made_at FROM change WHERE show_id = %s"
        undo = cursor.execute(f"{columns} AND NOT undone ORDER BY id DESC LIMIT 1", (show_id,)).fetchone()
        redo = cursor.execute(f"{columns} AND undone ORDER BY id LIMIT 1", (show_id,)).fetchone()
    return UndoState(undo, redo)


def undo(database: Database, show_id: int, change_id: int) -> Change:
    """Take back the newest change, which must be ``change_id``; returns it.

    Raises ``ConflictError`` where another change has come since, or files were made from what it brought in.
    """
    return _replay(database, show_id, change_id, backwards=True)


def redo(database: Database, show_id: int, change_id: int) -> Change:
    """Bring back the change that was undone last, which must be ``change_id``; returns it."""
    return _replay(database, show_id, change_id, backwards=False)


def last_person(connection: Connection, table: str, row_id: int) -> str | None:
    """Who changed a row last; of a clip, also who decided on it, or settled something about it."""
    found = connection.execute(
        "SELECT person FROM change JOIN change_row ON change_id = id WHERE NOT undone AND ("
        " table_name = %(table)s AND row_id = %(id)s OR %(table)s = 'clip' AND ("
        "  table_name = 'treatment' AND row_id = %(id)s"
        "  OR table_name = 'word' AND (coalesce(after, before)->>'clip_id')::bigint = %(id)s"
        ")) ORDER BY id DESC LIMIT 1",
        {"table": table, "id": row_id},
    ).fetchone()
    return None if found is None else str(found[0])


def _replay(database: Database, show_id: int, change_id: int, *, backwards: bool) -> Change:
    try:
        with database.transaction() as connection:
            _hold(connection, show_id)
            now = undo_state(connection, show_id)
            wanted = now.undo if backwards else now.redo
            if wanted is None or wanted.id != change_id:
                verb = "undo" if backwards else "redo"
                newest = f" The next to {verb} is “{wanted.title}” by {wanted.person}." if wanted else ""
                raise ConflictError(f"Something else was changed since; nothing was {verb}ne.{newest}")
            connection.execute("SELECT replay(%s, %s)", (change_id, backwards))
            _insist_on_cuts(connection, change_id)
            connection.execute("UPDATE change SET undone = %s WHERE id = %s", (backwards, change_id))
            return wanted
    except psycopg.errors.IntegrityError as error:
        raise ConflictError("Something else now depends on this; it cannot be taken back.") from error
    except psycopg.DatabaseError as error:
        if error.sqlstate == "OM001":
            raise ConflictError("What this changed was changed again since; nothing was undone.") from error
        raise


_BROKEN = {"OM002": "overlap", "OM003": "nested"}


def _insist_on_cuts(connection: Connection, change_id: int) -> None:
    """Raise ``RuleError`` where events of a timeline that a change touched lie over each other, or a timeline inside
    itself."""
    try:
        connection.execute("SELECT insist_on_cuts(%s)", (change_id,))
    except psycopg.DatabaseError as error:
        if error.sqlstate in _BROKEN:
            raise RuleError(error.diag.message_primary or str(error), _BROKEN[error.sqlstate]) from error
        raise


def _hold(connection: Connection, show_id: int) -> None:
    if connection.execute("SELECT 1 FROM show WHERE id = %s FOR UPDATE", (show_id,)).fetchone() is None:
        raise MissingError("This show")
