"""The sole right to write one output, among any number of workers on any number of machines."""

import time
from types import TracebackType

import psycopg

_PATIENCE_SECONDS = 60


class LaterError(Exception):
    """This task cannot go on now; it is tried again later, from the start."""


class BusyError(LaterError):
    """Another worker has the right."""


class OutputLock:
    """Holds a lock in the database by a connection of its own; use as a context manager.

    A server restart ends the connection; ``hold`` and ``insist`` then take the lock anew, and raise
    ``BusyError`` where another worker was quicker.
    """

    def __init__(self, url: str, output: str) -> None:
        self._url, self._output = url, output
        self._connection: psycopg.Connection[tuple[object, ...]] | None = None

    def __enter__(self) -> "OutputLock":
        self._take()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._connection is not None:
            self._connection.close()

    def hold(self) -> None:
        """Make sure the right is still ours; a server that does not answer just now is let pass."""
        try:
            assert self._connection is not None
            self._connection.execute("SELECT 1")
        except psycopg.Error:
            try:
                self._take()
            except psycopg.OperationalError:
                return

    def insist(self) -> None:
        """Make sure the right is still ours, waiting for a server that is being restarted."""
        end = time.monotonic() + _PATIENCE_SECONDS
        while True:
            try:
                assert self._connection is not None
                self._connection.execute("SELECT 1")
                return
            except psycopg.Error:
                if time.monotonic() > end:
                    raise
                time.sleep(0.3)
                self.hold()

    def _take(self) -> None:
        connection: psycopg.Connection[tuple[object, ...]] = psycopg.connect(
            self._url, autocommit=True, connect_timeout=5
        )
        got = connection.execute("SELECT pg_try_advisory_lock(hashtextextended(%s, 0))", (self._output,)).fetchone()
        if not got or not got[0]:
            connection.close()
            raise BusyError(f"another worker is making {self._output}")
        self._connection = connection
