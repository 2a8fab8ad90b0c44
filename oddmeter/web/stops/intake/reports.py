"""Intake: camera and scan reports, and the verdicts that they changed."""

from typing import Annotated

from fastapi import APIRouter, File, UploadFile
from pydantic import BaseModel, Field

from oddmeter.core.evidence.logs import Column, LogEntry
from oddmeter.core.evidence.matching import folder_of
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.evidence.vocabulary import spoken
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.namesakes import distinct_name, folders_apart
from oddmeter.interchange.logs import read_log
from oddmeter.store import logs, words
from oddmeter.store.changes import MissingError, change, entitle
from oddmeter.store.database import Connection
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.work.reports import add_report, noting_changes

router = APIRouter(tags=["intake"])

MOST_LISTED = 200


class LogView(BaseModel):
    """A report: its name, with its folder where others have the same, its columns and what they mean, the first rows,
    what matched nothing and what was not understood."""

    id: int
    name: str
    title: str
    headings: list[str]
    columns: dict[Column, int]
    sample: list[list[str]]
    rows: int
    matched: int
    unmatched: list[str]
    troubles: list[str]


class LogMade(BaseModel):
    """A report that was read, and how many verdicts it changed."""

    id: int
    changed: int


class ColumnMapping(BaseModel):
    """Which column of a report means what, counted from 0, and what the report is called in words."""

    columns: dict[Column, int]
    title: Annotated[str, Field(min_length=1, max_length=60)]


class LogPlace(BaseModel):
    """A report that lies below a media root."""

    root: str
    path: str


class ChangeOfVerdict(BaseModel):
    """A verdict that later evidence changed."""

    id: int
    clip_id: int
    clip: str
    question: Question
    before: str
    after: str
    because: str


@router.get("/api/shows/{show_id}/logs")
def list_logs(here: Here, show_id: ShowId) -> list[LogView]:
    """The reports of a show."""
    with here.database.transaction() as connection:
        reports = logs.logs_of_show(connection, show_id)
        found = logs.matched(connection, show_id)
    unmatched = list(found.unmatched) if found else []
    apart = folders_apart({report.id: f"{report.folder}/{report.name}" for report in reports})
    out = []
    for report in reports:
        reading = report.reading
        own = set(reading.entries)
        left = [entry for entry in unmatched if entry in own]
        out.append(
            LogView(
                id=report.id,
                name=distinct_name(report.name, apart.get(report.id, "")),
                title=report.title,
                headings=list(report.table.headings),
                columns=report.columns,
                sample=[list(row) for row in report.table.rows[:4]],
                rows=len(reading.entries),
                matched=len(reading.entries) - len(left),
                unmatched=[_left_over(entry) for entry in left[:MOST_LISTED]],
                troubles=list(reading.troubles[:MOST_LISTED]),
            )
        )
    return out


@router.post("/api/shows/{show_id}/logs", status_code=201)
def bring_log_in(here: Here, show_id: ShowId, file: Annotated[UploadFile, File()]) -> LogMade:
    """Read a report that was dropped into the browser."""
    return _add_log(here, show_id, file.filename or "report.csv", file.file.read())


@router.post("/api/shows/{show_id}/logs/from-root", status_code=201)
def bring_log_in_from(here: Here, show_id: ShowId, asked: LogPlace) -> LogMade:
    """Read a report that lies beside the footage."""
    path = here.config.footage(asked.root, asked.path)
    if not path.is_file():
        raise MissingError("This report")
    return _add_log(here, show_id, path.name, path.read_bytes(), folder_of(asked.path))


@router.put("/api/shows/{show_id}/logs/{log_id}")
def correct_log(here: Here, show_id: ShowId, log_id: int, asked: ColumnMapping) -> LogMade:
    """Correct which column means what; remembered for the next report with these headings."""
    with change(here.database, show_id, "", here.person) as connection:
        report = _report(connection, show_id, log_id)
        if any(not 0 <= index < len(report.table.headings) for index in asked.columns.values()):
            raise RuleError("This column does not exist.", "column")
        entitle(connection, f"Columns of {report.name} corrected")

        def correct() -> None:
            logs.map_log(connection, log_id, asked.columns, asked.title)

        changed = noting_changes(connection, show_id, report.name, correct)
    return LogMade(id=log_id, changed=changed)


@router.delete("/api/shows/{show_id}/logs/{log_id}", status_code=204)
def take_log_out(here: Here, show_id: ShowId, log_id: int) -> None:
    """Take a report out of the show; it can be undone."""
    with change(here.database, show_id, "", here.person) as connection:
        name = _report(connection, show_id, log_id).name
        entitle(connection, f"{name} taken out")
        because = f"{name} was taken out"
        noting_changes(connection, show_id, because, lambda: logs.take_log_out(connection, log_id))


@router.get("/api/shows/{show_id}/verdict-changes")
def verdict_changes(here: Here, show_id: ShowId) -> list[ChangeOfVerdict]:
    """What later evidence changed, the newest first."""
    with here.database.transaction() as connection:
        found = words.changes_of_show(connection, show_id)
    return [
        ChangeOfVerdict(
            id=changed.id,
            clip_id=changed.clip_id,
            clip=changed.clip_name,
            question=Question(changed.question),
            before=spoken(Question(changed.question), changed.before),
            after=spoken(Question(changed.question), changed.after),
            because=changed.because,
        )
        for changed in found
    ]


def _add_log(here: Context, show_id: int, name: str, data: bytes, folder: str = "") -> LogMade:
    table = read_log(data)
    with change(here.database, show_id, f"{name} read", here.person) as connection:
        log_id, changed = add_report(connection, show_id, name, table, folder)
    return LogMade(id=log_id, changed=changed)


def _report(connection: Connection, show_id: int, log_id: int) -> logs.LogReport:
    found = next((report for report in logs.logs_of_show(connection, show_id) if report.id == log_id), None)
    if found is None:
        raise MissingError("This report")
    return found


def _left_over(entry: LogEntry) -> str:
    said = [entry.clip, entry.reel, entry.timecode, entry.shot_rate.spoken if entry.shot_rate else ""]
    return f"row {entry.row}: {', '.join(filter(None, said)) or 'names no clip'}"
