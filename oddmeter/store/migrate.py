"""Migrations: numbered SQL files, applied once each, forwards only."""

from collections.abc import Iterable, Mapping
from importlib import resources
from pathlib import Path
from typing import Any

import psycopg
from procrastinate.schema import SchemaManager

from oddmeter.core.numbers.errors import RuleError

_LOCK = 6_114_021


def migrations() -> list[tuple[int, str, str]]:
    """All migrations in order, as number, name and SQL."""
    folder = resources.files("oddmeter.store") / "migrations"
    names = sorted(entry.name for entry in folder.iterdir() if entry.name.endswith(".sql"))
    return [(int(name[:4]), name, (folder / name).read_text(encoding="utf-8")) for name in names]


QUEUE_BEFORE_NAMES = "03.10.00"
"""The version of the library up to which its migrations were laid down without their names, and so the last of those
that a queue without names has."""


def migrate(url: str, last: int | None = None, queue: Mapping[str, str] | None = None) -> list[str]:
    """Bring the database up to the newest migration, or to number ``last``; returns the names applied.

    Also lays down the task queue's own tables, and brings them up by the migrations of its library, or by ``queue``.
    Raises ``RuleError`` where the database is newer than this
    application.
    """
    applied = []
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("SELECT pg_advisory_lock(%s)", (_LOCK,))
        connection.execute(
            "CREATE TABLE IF NOT EXISTS migration"
            " (number integer PRIMARY KEY, name text NOT NULL, applied_at timestamptz NOT NULL DEFAULT now())"
        )
        known = {row[0] for row in connection.execute("SELECT number FROM migration").fetchall()}
        if known and max(known) > max(number for number, _, _ in migrations()):
            raise RuleError("This database was made by a newer version of Odd Meter. Start that version.", "database")
        for number, name, statements in migrations():
            if number in known or (last is not None and number > last):
                continue
            with connection.transaction():
                connection.execute(statements.encode())
                connection.execute("INSERT INTO migration (number, name) VALUES (%s, %s)", (number, name))
            applied.append(name)
        _migrate_queue(connection, queue_migrations() if queue is None else queue)
    return applied


def queue_migrations() -> dict[str, str]:
    """The migrations that the task queue's library brings along, in their order: SQL by name."""
    folder = Path(SchemaManager.get_migrations_path())
    return {path.name: path.read_text(encoding="utf-8") for path in sorted(folder.glob("*.sql"))}


def _migrate_queue(connection: psycopg.Connection[tuple[Any, ...]], known: Mapping[str, str]) -> None:
    """Lay down the queue's tables, or bring them up to what the library has by now. A queue from before names were
    written down stands where ``QUEUE_BEFORE_NAMES`` left it."""
    connection.execute(
        "CREATE TABLE IF NOT EXISTS queue_migration"
        " (name text PRIMARY KEY, applied_at timestamptz NOT NULL DEFAULT now())"
    )
    row = connection.execute("SELECT to_regclass('procrastinate_jobs') IS NOT NULL").fetchone()
    is_there = row is not None and row[0]
    done = {name for (name,) in connection.execute("SELECT name FROM queue_migration").fetchall()}
    if not is_there:
        with connection.transaction():
            connection.execute(SchemaManager.get_schema().encode())
            _note_queue(connection, known)
        return
    if not done:
        done = {name for name in known if name <= QUEUE_BEFORE_NAMES}
        _note_queue(connection, done)
    for name in sorted(set(known) - done):
        with connection.transaction():
            connection.execute(known[name].encode())
            _note_queue(connection, [name])


def _note_queue(connection: psycopg.Connection[tuple[Any, ...]], names: Iterable[str]) -> None:
    connection.execute("INSERT INTO queue_migration (name) SELECT unnest(%s::text[])", (list(names),))
