"""Connections to the database, and how our values travel."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from functools import lru_cache
from typing import Any

import psycopg
from psycopg.types.json import set_json_loads
from psycopg_pool import ConnectionPool

from oddmeter.core.numbers.rates import Rate

_LOCK_SECONDS, _STATEMENT_SECONDS = 5, 120
"""How long a statement waits for what another transaction holds, and how long it may take."""
_LIMITS = f"-c lock_timeout={_LOCK_SECONDS}s -c statement_timeout={_STATEMENT_SECONDS}s -c jit=off -c work_mem=32MB"
Connection = psycopg.Connection[tuple[object, ...]]


def _document(stored: bytes | str) -> Any:
    """A stored document; most columns of most rows hold an empty one."""
    return [] if stored == b"[]" else {} if stored == b"{}" else json.loads(stored)


set_json_loads(_document)


class Database:
    """A pool of connections to one database; each is checked before it is handed out, so that a restart of the server
    is survived. No statement waits for ever."""

    def __init__(self, url: str, most: int = 12) -> None:
        self.url = url
        self._pool = ConnectionPool(
            url, kwargs={"options": _LIMITS}, min_size=1, max_size=most, open=False, timeout=6,
            check=ConnectionPool.check_connection,
        )  # fmt: skip

    def open(self) -> None:
        """Open the pool and wait for the first connection."""
        self._pool.open(wait=True, timeout=30)

    def close(self) -> None:
        """Close all connections."""
        self._pool.close()

    @contextmanager
    def transaction(self) -> Iterator[Connection]:
        """A connection inside one transaction: committed at the end, rolled back where anything is raised."""
        with self._pool.connection() as connection, connection.transaction():
            yield connection


def snapshot(connection: Connection) -> str:
    """Which transactions the current one sees, as text: equal only where all of them are the same, so that nothing
    can have been written in between."""
    row = connection.execute("SELECT pg_current_snapshot()::text").fetchone()
    assert row is not None
    return str(row[0])


@lru_cache(maxsize=4_096)
def rate_from(value: str | None) -> Rate | None:
    """A rate column as a value."""
    return None if value is None else Rate.exactly(value)


@lru_cache(maxsize=4_096)
def fraction_from(value: str | None) -> Fraction | None:
    """A fraction column as a value."""
    return None if value is None else Fraction(value)
