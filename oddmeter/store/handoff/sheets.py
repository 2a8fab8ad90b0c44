"""Conform sheets as they were taken."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection


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
