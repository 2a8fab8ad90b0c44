"""Documents of a show that people keep by name: settings for made files, and handoff plans."""

from dataclasses import dataclass
from typing import Any

import psycopg
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import ConflictError, MissingError
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class Stored:
    """One of them: its name, its document, and the revision that rises with each change."""

    id: int
    name: str
    document: dict[str, Any]
    revision: int


@dataclass(frozen=True)
class Documents:
    """All of one kind: the table they are in, what one is called, and what to do where somebody changed it first."""

    table: str
    what: str
    advice: str

    def of_show(self, connection: Connection, show_id: int) -> list[Stored]:
        """Those of a show by name."""
        with connection.cursor(row_factory=class_row(Stored)) as cursor:
            return cursor.execute(
                f"SELECT id, name, document, revision FROM {self.table} WHERE show_id = %s"
                " ORDER BY lower(name)".encode(),
                (show_id,),
            ).fetchall()

    def one(self, connection: Connection, show_id: int, number: int) -> Stored:
        """One of them; raises ``MissingError`` where the show has none of that number."""
        found = next((stored for stored in self.of_show(connection, show_id) if stored.id == number), None)
        if found is None:
            raise self._missing()
        return found

    def add(self, connection: Connection, show_id: int, name: str, document: dict[str, Any]) -> int:
        """Add one; returns its id. Raises ``RuleError`` where its name is taken."""
        try:
            row = connection.execute(
                f"INSERT INTO {self.table} (show_id, name, document) VALUES (%s, %s, %s) RETURNING id".encode(),
                (show_id, name, Jsonb(document)),
            ).fetchone()
        except psycopg.errors.UniqueViolation as error:
            raise self._taken(name) from error
        assert row is not None
        return int(str(row[0]))

    def change(
        self, connection: Connection, show_id: int, number: int, name: str, document: dict[str, Any], revision: int
    ) -> None:
        """Change one that was seen at a revision. Raises ``ConflictError`` where somebody changed it since,
        ``MissingError`` where it is gone, and ``RuleError`` where the name is taken."""
        try:
            row = connection.execute(
                f"UPDATE {self.table} SET name = %s, document = %s WHERE id = %s AND show_id = %s AND revision = %s"
                " RETURNING id".encode(),
                (name, Jsonb(document), number, show_id, revision),
            ).fetchone()
        except psycopg.errors.UniqueViolation as error:
            raise self._taken(name) from error
        if row is None:
            self.one(connection, show_id, number)
            raise ConflictError(f"Somebody changed this {self.what} first. {self.advice}")

    def remove(self, connection: Connection, show_id: int, number: int) -> None:
        """Remove one; what was made with it stays. Raises ``MissingError`` where there is none."""
        done = connection.execute(
            f"DELETE FROM {self.table} WHERE id = %s AND show_id = %s".encode(), (number, show_id)
        )
        if done.rowcount != 1:
            raise self._missing()

    def _missing(self) -> MissingError:
        return MissingError(f"This {self.what}")

    def _taken(self, name: str) -> RuleError:
        return RuleError(f"There is already a {self.what} “{name}”. Choose another name.", "exists")


SETTINGS = Documents("output_setting", "setting", "Look at it as it is now, then change it again.")
PLANS = Documents("handoff_plan", "handoff plan", "Open it again, then change it.")
