"""Runs: files that were asked for together, by a handoff plan or without one, and their reports."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class Run:
    """Files that were asked for together: by which plan, None without one, and under which name it went then; by whom;
    how many existed unchanged; what was refused, each a file and a sentence; how many files there are, how many are
    proven and failed by now; and how far its report is: its state, None where none was asked for, files in it so far,
    and what went wrong."""

    id: int
    show_id: int
    plan_id: int | None
    name: str
    person: str
    unchanged: int
    refused: list[dict[str, str]]
    asked_at: datetime
    ended: bool
    files: int
    proven: int
    failed: int
    report: Literal["waiting", "ready", "failed"] | None
    reported: int
    report_fault: str | None


_RUNS = """
    SELECT u.*, f.files, f.proven, f.failed, p.state AS report, coalesce(p.done, 0) AS reported, p.fault AS report_fault
    FROM handoff_run u LEFT JOIN handoff_report p ON p.run_id = u.id, LATERAL (
        SELECT count(*) AS files, count(*) FILTER (WHERE state = 'done') AS proven,
               count(*) FILTER (WHERE state = 'failed') AS failed FROM render WHERE run_id = u.id) f
"""


def begin_run(connection: Connection, show_id: int, plan_id: int | None, name: str, person: str) -> int:
    """Write down that files are asked for; returns the run's id."""
    row = connection.execute(
        "INSERT INTO handoff_run (show_id, plan_id, name, person) VALUES (%s, %s, %s, %s) RETURNING id",
        (show_id, plan_id, name, person),
    ).fetchone()
    assert row is not None
    return int(str(row[0]))


def note_run(connection: Connection, run_id: int, unchanged: int, refused: Sequence[dict[str, str]]) -> None:
    """Write down what existed unchanged and what was refused when a run was asked for."""
    connection.execute(
        "UPDATE handoff_run SET unchanged = %s, refused = %s WHERE id = %s", (unchanged, Jsonb(list(refused)), run_id)
    )


def runs_of_show(connection: Connection, show_id: int, most: int) -> list[Run]:
    """The runs of a show, the newest first, at most so many."""
    with connection.cursor(row_factory=class_row(Run)) as cursor:
        return cursor.execute(
            f"{_RUNS} WHERE u.show_id = %s ORDER BY u.id DESC LIMIT %s".encode(), (show_id, most)
        ).fetchall()


def run(connection: Connection, show_id: int | None, run_id: int) -> Run:
    """One run, of a show or, where that is None, of any; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=class_row(Run)) as cursor:
        found = cursor.execute(f"{_RUNS} WHERE u.id = %s".encode(), (run_id,)).fetchone()
    if found is None or show_id not in (None, found.show_id):
        raise MissingError("This run")
    return found


def ask_report(connection: Connection, run_id: int) -> None:
    """Ask for the report of a run, anew where there is one."""
    connection.execute(
        "INSERT INTO handoff_report (run_id) VALUES (%s) ON CONFLICT (run_id)"
        " DO UPDATE SET state = 'waiting', done = 0, page = NULL, fault = NULL",
        (run_id,),
    )


def unwritten_reports(connection: Connection) -> list[int]:
    """Runs whose report was asked for and is not written yet."""
    rows = connection.execute("SELECT run_id FROM handoff_report WHERE state = 'waiting' ORDER BY run_id").fetchall()
    return [int(str(row[0])) for row in rows]


def note_report(connection: Connection, run_id: int, done: int) -> None:
    """Write down how many files are in a report so far."""
    connection.execute("UPDATE handoff_report SET done = %s WHERE run_id = %s", (done, run_id))


def end_report(connection: Connection, run_id: int, page: str | None, fault: str | None) -> None:
    """Keep the report of a run, or what went wrong with it."""
    connection.execute(
        "UPDATE handoff_report SET state = %s, page = %s, fault = %s WHERE run_id = %s",
        ("failed" if page is None else "ready", None if page is None else page.encode(), fault, run_id),
    )


def report(connection: Connection, run_id: int) -> bytes | None:
    """The report of a run as a page; None where it is not written."""
    row = connection.execute("SELECT page FROM handoff_report WHERE run_id = %s", (run_id,)).fetchone()
    return bytes(row[0]) if row and isinstance(row[0], bytes | memoryview) else None
