"""Packages: files that are handed over together; what a closed one holds is kept for ever."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import psycopg
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class Package:
    """A package: its folder below that for made files, the renders in it, how many of them are described so far, and,
    once it is closed, its sheet."""

    id: int
    show_id: int
    folder: str
    algorithm: str
    person: str
    renders: list[int]
    state: str
    done: int
    fault: str | None
    sheet: dict[str, Any] | None
    asked_at: datetime
    finished_at: datetime | None


_COLUMNS = "id, show_id, folder, algorithm, person, renders, state, done, fault, asked_at, finished_at"


def ask(connection: Connection, show_id: int, folder: str, algorithm: str, person: str, renders: Sequence[int]) -> int:
    """Ask for a package of finished renders; returns its id. Raises ``RuleError`` where its folder is taken."""
    try:
        row = connection.execute(
            "INSERT INTO package (show_id, folder, algorithm, person, renders) VALUES (%s, %s, %s, %s, %s)"
            " RETURNING id",
            (show_id, folder, algorithm, person, list(renders)),
        ).fetchone()
    except psycopg.errors.UniqueViolation as error:
        raise RuleError(f"There is already a package {folder}. Choose another folder.", "exists") from error
    assert row is not None
    return int(str(row[0]))


def packages_of_show(connection: Connection, show_id: int) -> list[Package]:
    """The packages of a show, the newest first, without their sheets."""
    with connection.cursor(row_factory=class_row(Package)) as cursor:
        return cursor.execute(
            f"SELECT {_COLUMNS}, NULL AS sheet FROM package WHERE show_id = %s ORDER BY id DESC".encode(), (show_id,)
        ).fetchall()


def package(connection: Connection, package_id: int) -> Package:
    """One package, with its sheet; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=class_row(Package)) as cursor:
        found = cursor.execute(
            f"SELECT {_COLUMNS}, sheet FROM package WHERE id = %s".encode(), (package_id,)
        ).fetchone()
    if found is None:
        raise MissingError("This package")
    return found


def unfinished(connection: Connection) -> list[int]:
    """Packages that are not closed yet, and have not failed."""
    rows = connection.execute("SELECT id FROM package WHERE state IN ('waiting', 'closing') ORDER BY id").fetchall()
    return [int(str(row[0])) for row in rows]


def note(connection: Connection, package_id: int, done: int) -> None:
    """Write down how many files of a package are described."""
    connection.execute("UPDATE package SET state = 'closing', done = %s WHERE id = %s", (done, package_id))


def finish(connection: Connection, package_id: int, sheet: dict[str, Any] | None, fault: str | None) -> None:
    """Close a package with its sheet, or end it with what went wrong."""
    connection.execute(
        "UPDATE package SET state = CASE WHEN %(sheet)s::jsonb IS NULL THEN 'failed' ELSE 'closed' END,"
        " sheet = %(sheet)s, fault = %(fault)s, finished_at = now() WHERE id = %(id)s",
        {"sheet": None if sheet is None else Jsonb(sheet), "fault": fault, "id": package_id},
    )
