"""Logs: the camera and scan reports of a show, and which clips their rows belong to."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from threading import Lock
from typing import Any

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.evidence.facts import Timing, label_rate
from oddmeter.core.evidence.logs import Column, Columns, LogReading, Table, parse_table
from oddmeter.core.evidence.matching import Candidate, Matched, folder_of, match
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection, rate_from


@dataclass(frozen=True)
class LogReport:
    """A camera or scan report of a show: its file's name, what it is called in words, its table, which column means
    what, and the folder below its media root that it lay in, empty where it came by itself."""

    id: int
    name: str
    title: str
    table: Table
    columns: dict[Column, int]
    revision: int
    folder: str

    @property
    def reading(self) -> LogReading:
        """The report read with its mapping."""
        return _read(self.table, tuple(self.columns.items()), self.title, self.folder)


@lru_cache(maxsize=64)
def _read(table: Table, columns: tuple[tuple[Column, int], ...], title: str, folder: str) -> LogReading:
    return parse_table(table, dict(columns), title, folder)


def add_log(
    connection: Connection, show_id: int, name: str, title: str, table: Table, columns: Columns, folder: str = ""
) -> int:
    """Put a report into a show, and remember its mapping for the next one with these headings; returns its id."""
    made = connection.execute(
        "INSERT INTO log_report (show_id, name, title, content, mapping, folder, removed)"
        " VALUES (%s, %s, %s, %s, %s, %s, false) RETURNING id",
        (show_id, name, title, Jsonb(_document(table)), Jsonb(_columns_document(columns)), folder),
    ).fetchone()
    assert made is not None
    return int(str(made[0]))


def map_log(connection: Connection, log_id: int, columns: Columns, title: str) -> None:
    """Correct which column of a report means what, and remember it."""
    found = connection.execute(
        "UPDATE log_report SET mapping = %s, title = %s WHERE id = %s AND NOT removed RETURNING content",
        (Jsonb(_columns_document(columns)), title, log_id),
    ).fetchone()
    if found is None:
        raise MissingError("This report")
    content: Any = found[0]
    connection.execute(
        "INSERT INTO log_mapping (headings, mapping) VALUES (%s, %s)"
        " ON CONFLICT (headings) DO UPDATE SET mapping = excluded.mapping",
        (_headings_key(content["headings"]), Jsonb(_columns_document(columns))),
    )


def remembered_columns(connection: Connection, headings: Sequence[str]) -> dict[Column, int] | None:
    """The mapping that a person last gave to a report with these headings."""
    row = connection.execute(
        "SELECT mapping FROM log_mapping WHERE headings = %s", (_headings_key(headings),)
    ).fetchone()
    return None if row is None else _columns_from(row[0])


def take_log_out(connection: Connection, log_id: int) -> None:
    """Take a report out of its show; raises ``MissingError`` where it is not in it."""
    done = connection.execute("UPDATE log_report SET removed = true WHERE id = %s AND NOT removed", (log_id,))
    if done.rowcount != 1:
        raise MissingError("This report")


def logs_of_show(connection: Connection, show_id: int) -> list[LogReport]:
    """The reports of a show in the order they came in."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            "SELECT * FROM log_report WHERE show_id = %s AND NOT removed ORDER BY id", (show_id,)
        ).fetchall()
    return [
        LogReport(row["id"], row["name"], row["title"], _table_from(row["content"]), _columns_from(row["mapping"]),
                  row["revision"], row["folder"])
        for row in rows
    ]  # fmt: skip


def matched(connection: Connection, show_id: int) -> Matched | None:
    """All rows of a show's reports with the clips they belong to; None where there are no reports.

    Matched once for all who ask until a report, or what clips are matched by, is another: the table ``matching`` counts
    that. Its count alone would not do, since one that is rolled back is given again.
    """
    row = connection.execute(
        "SELECT xmin::text || ' ' || times FROM matching WHERE show_id = %s", (show_id,)
    ).fetchone()
    if row is None:
        return None
    key, stamp = (connection.info.dbname, show_id), str(row[0])
    with _lock:
        known = _matched.get(key)
    if known is None or known[0] != stamp:
        known = (stamp, _match(connection, show_id))
        with _lock:
            _matched[key] = known
            while len(_matched) > _MOST_KEPT:
                _matched.pop(next(iter(_matched)))
    return known[1]


_MOST_KEPT = 16
_matched: dict[tuple[str, int], tuple[str, Matched | None]] = {}
_lock = Lock()


def _match(connection: Connection, show_id: int) -> Matched | None:
    reports = logs_of_show(connection, show_id)
    if not reports:
        return None
    rows = connection.execute(
        "SELECT c.id, c.name, c.path, f.timecode, f.file_rate, coalesce(f.frames, 0), f.timing, f.stated_rate"
        " FROM clip c"
        " JOIN delivery d ON d.id = c.delivery_id JOIN clip_facts f ON f.clip_id = c.id"
        " WHERE d.show_id = %s AND NOT d.removed AND c.proxy_of IS NULL ORDER BY c.id",
        (show_id,),
    ).fetchall()
    subjects = []
    for clip_id, name, path, timecode, rate, frames, timing, stated in rows:
        known, folder = rate_from(str(rate)) if rate else None, folder_of(str(path))
        if known is not None:
            known = label_rate(known, Timing(str(timing)), Fraction(str(stated)) if stated else None)
        starts = str(timecode) if timecode else None
        subjects.append(Candidate(int(str(clip_id)), str(name), starts, known, int(str(frames)), folder))
    return match([entry for report in reports for entry in report.reading.entries], subjects)


def _columns_document(columns: Columns) -> dict[str, int]:
    return {column.value: index for column, index in columns.items()}


def _columns_from(document: Any) -> dict[Column, int]:
    return {Column(name): int(index) for name, index in document.items()}


def _document(table: Table) -> dict[str, Any]:
    return {"headings": table.headings, "rows": table.rows, "first_row": table.first_row}


def _table_from(document: dict[str, Any]) -> Table:
    return Table(tuple(document["headings"]), tuple(tuple(row) for row in document["rows"]), document["first_row"])


def _headings_key(headings: Sequence[str]) -> str:
    return "\x1f".join(heading.strip().lower() for heading in headings)
