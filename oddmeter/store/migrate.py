"""Migrations: numbered SQL files, applied once each, forwards only."""

from importlib import resources

import psycopg
from procrastinate.schema import SchemaManager

from oddmeter.core.errors import RuleError

_LOCK = 6_114_021


def migrations() -> list[tuple[int, str, str]]:
    """All migrations in order, as number, name and SQL."""
    folder = resources.files("oddmeter.store") / "migrations"
    names = sorted(entry.name for entry in folder.iterdir() if entry.name.endswith(".sql"))
    return [(int(name[:4]), name, (folder / name).read_text(encoding="utf-8")) for name in names]


def migrate(url: str, last: int | None = None) -> list[str]:
    """Bring the database up to the newest migration, or to number ``last``; returns the names applied.

    Also lays down the task queue's own tables. Raises ``RuleError`` where the database is newer than this
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
            raise RuleError("This database was made by a newer Odd Meter; start that one.", "database")
        for number, name, statements in migrations():
            if number in known or (last is not None and number > last):
                continue
            with connection.transaction():
                connection.execute(statements.encode())
                connection.execute("INSERT INTO migration (number, name) VALUES (%s, %s)", (number, name))
            applied.append(name)
        queue = connection.execute("SELECT to_regclass('procrastinate_jobs')").fetchone()
        if queue is not None and queue[0] is None:
            with connection.transaction():
                connection.execute(SchemaManager.get_schema().encode())
    return applied
