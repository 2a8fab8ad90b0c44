"""What the pictures show, what logs say, what people settle, and which verdicts later evidence changed."""

from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from fractions import Fraction
from typing import Any

from psycopg.rows import class_row, dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.claims import Word
from oddmeter.core.evidence import Question, Verdict
from oddmeter.core.facts import Scan
from oddmeter.core.logs import Column, Columns, Matched, Reading, Subject, Table, match, read_table
from oddmeter.core.picture import PictureReport, Repeats, Stretch
from oddmeter.core.rates import fraction_text
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection, rate_in


@dataclass(frozen=True)
class Look:
    """How far the looking at a clip's pictures has come. ``report`` is None until it is done."""

    state: str
    whole: bool
    done_frames: int
    total_frames: int
    report: PictureReport | None
    fault: str | None
    begun_at: datetime | None


@dataclass(frozen=True)
class LogReport:
    """A camera or scan report of a show: its file's name, what it is called in words, its table, and which column
    means what."""

    id: int
    name: str
    title: str
    table: Table
    columns: dict[Column, int]
    revision: int

    @property
    def reading(self) -> Reading:
        """The report read with its mapping."""
        return read_table(self.table, self.columns, self.title)


@dataclass(frozen=True)
class VerdictChange:
    """A verdict that later evidence changed, without anybody having settled it."""

    id: int
    clip_id: int
    clip_name: str
    question: str
    before: str | None
    after: str | None
    because: str
    made_at: datetime


def say(connection: Connection, clip_ids: Sequence[int], word: Word) -> None:
    """Settle a question about clips, in place of what was said before."""
    connection.execute(
        "INSERT INTO word (clip_id, question, value, reason, person) SELECT id, %(question)s, %(value)s,"
        " %(reason)s, %(person)s FROM unnest(%(clips)s::bigint[]) AS id ON CONFLICT (clip_id, question) DO UPDATE"
        " SET value = excluded.value, reason = excluded.reason, person = excluded.person",
        {
            "clips": list(clip_ids),
            "question": word.question.value,
            "value": word.value,
            "reason": word.reason,
            "person": word.person,
        },
    )


def withdraw(connection: Connection, clip_ids: Sequence[int], question: Question) -> None:
    """Take back what people said to a question; the evidence speaks again."""
    connection.execute("DELETE FROM word WHERE clip_id = ANY(%s) AND question = %s", (list(clip_ids), question.value))


def ask_look(connection: Connection, clip_ids: Iterable[int], *, whole: bool) -> None:
    """Put down that clips' pictures are to be looked at, from the start."""
    connection.execute(
        "INSERT INTO picture (clip_id, whole) SELECT id, %s FROM unnest(%s::bigint[]) AS id"
        " ON CONFLICT (clip_id) DO UPDATE SET state = 'waiting', whole = excluded.whole, stop_requested = false,"
        " attempts = 0, done_frames = 0, fault = NULL",
        (whole, list(clip_ids)),
    )


def begin_look(connection: Connection, clip_id: int) -> tuple[bool, int] | None:
    """Note that a worker looks; returns whether all frames are wanted and how often it was begun before, or None
    where there is nothing to do."""
    row = connection.execute(
        "UPDATE picture SET state = 'looking', begun_at = now(), attempts = attempts + 1"
        " WHERE clip_id = %s AND state IN ('waiting', 'looking') RETURNING whole, attempts",
        (clip_id,),
    ).fetchone()
    return None if row is None else (bool(row[0]), int(str(row[1])) - 1)


def note_look(connection: Connection, clip_id: int, done: int, of: int) -> bool:
    """Note progress; True where somebody asked to stop."""
    row = connection.execute(
        "UPDATE picture SET done_frames = %s, total_frames = %s WHERE clip_id = %s RETURNING stop_requested",
        (done, of, clip_id),
    ).fetchone()
    return row is None or bool(row[0])


def stop_look(connection: Connection, clip_ids: Sequence[int]) -> None:
    """Ask to stop looking at clips; one that has not been begun is stopped at once."""
    connection.execute(
        "UPDATE picture SET stop_requested = true, state = CASE WHEN state = 'waiting' THEN 'stopped' ELSE state END"
        " WHERE clip_id = ANY(%s) AND state IN ('waiting', 'looking')",
        (list(clip_ids),),
    )


def end_look(
    connection: Connection, clip_id: int, state: str, report: PictureReport | None, fault: str | None = None
) -> None:
    """Write down what the pictures show, or why it is not known. What was known before is kept without a report."""
    connection.execute(
        "UPDATE picture SET state = %s, report = coalesce(%s, report), fault = %s WHERE clip_id = %s",
        (state, Jsonb(report_out(report)) if report else None, fault, clip_id),
    )


def unlooked(connection: Connection) -> list[int]:
    """Clips whose pictures are still to be looked at."""
    rows = connection.execute("SELECT clip_id FROM picture WHERE state IN ('waiting', 'looking') ORDER BY clip_id")
    return [int(str(row[0])) for row in rows.fetchall()]


def looks_of_show(connection: Connection, show_id: int) -> dict[int, Look]:
    """How far looking has come, for every clip of a show."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            "SELECT p.* FROM picture p JOIN clip c ON c.id = p.clip_id JOIN delivery d ON d.id = c.delivery_id"
            " WHERE d.show_id = %s AND NOT d.removed",
            (show_id,),
        ).fetchall()
    return {row["clip_id"]: look_in(row) for row in rows}


def look_in(row: dict[str, Any]) -> Look:
    """A row of the table ``picture`` as a value."""
    report = report_in(row["report"]) if row["report"] else None
    return Look(
        row["state"], row["whole"], row["done_frames"], row["total_frames"], report, row["fault"], row["begun_at"]
    )


def add_log(connection: Connection, show_id: int, name: str, title: str, table: Table, columns: Columns) -> int:
    """Put a report into a show, and remember its mapping for the next one with these headings; returns its id."""
    made = connection.execute(
        "INSERT INTO log_report (show_id, name, title, content, mapping, removed) VALUES (%s, %s, %s, %s, %s, false)"
        " RETURNING id",
        (show_id, name, title, Jsonb(asdict(table)), Jsonb(_columns_out(columns))),
    ).fetchone()
    assert made is not None
    return int(str(made[0]))


def map_log(connection: Connection, log_id: int, columns: Columns, title: str) -> None:
    """Correct which column of a report means what, and remember it."""
    found = connection.execute(
        "UPDATE log_report SET mapping = %s, title = %s WHERE id = %s AND NOT removed RETURNING content",
        (Jsonb(_columns_out(columns)), title, log_id),
    ).fetchone()
    if found is None:
        raise MissingError("This report")
    content: Any = found[0]
    connection.execute(
        "INSERT INTO log_mapping (headings, mapping) VALUES (%s, %s)"
        " ON CONFLICT (headings) DO UPDATE SET mapping = excluded.mapping",
        (_headings_key(content["headings"]), Jsonb(_columns_out(columns))),
    )


def remembered_columns(connection: Connection, headings: Sequence[str]) -> dict[Column, int] | None:
    """The mapping that a person last gave to a report with these headings."""
    row = connection.execute(
        "SELECT mapping FROM log_mapping WHERE headings = %s", (_headings_key(headings),)
    ).fetchone()
    return None if row is None else _columns_in(row[0])


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
        LogReport(row["id"], row["name"], row["title"], _table_in(row["content"]), _columns_in(row["mapping"]),
                  row["revision"])
        for row in rows
    ]  # fmt: skip


def matched(connection: Connection, show_id: int) -> Matched | None:
    """All rows of a show's reports with the clips they belong to; None where there are no reports."""
    reports = logs_of_show(connection, show_id)
    if not reports:
        return None
    rows = connection.execute(
        "SELECT c.id, c.name, f.timecode, f.file_rate, coalesce(f.frames, 0) FROM clip c"
        " JOIN delivery d ON d.id = c.delivery_id JOIN clip_facts f ON f.clip_id = c.id"
        " WHERE d.show_id = %s AND NOT d.removed AND c.proxy_of IS NULL ORDER BY c.id",
        (show_id,),
    ).fetchall()
    subjects = []
    for clip_id, name, timecode, rate, frames in rows:
        known = rate_in(str(rate)) if rate else None
        subjects.append(
            Subject(int(str(clip_id)), str(name), str(timecode) if timecode else None, known, int(str(frames)))
        )
    return match([entry for report in reports for entry in report.reading.entries], subjects)


def note_changes(
    connection: Connection,
    show_id: int,
    before: dict[int, dict[Question, Verdict]],
    after: dict[int, dict[Question, Verdict]],
    because: str,
) -> int:
    """Write down which verdicts differ, other than from nothing known to something; returns how many do."""
    changed = [
        (show_id, clip_id, question.value, was.value, now[question].value, because)
        for clip_id, now in after.items()
        for question, was in before.get(clip_id, {}).items()
        if was.value is not None and was.value != now[question].value
    ]
    if changed:
        with connection.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO verdict_change (show_id, clip_id, question, before, after, because)"
                " VALUES (%s, %s, %s, %s, %s, %s)",
                changed,
            )
    return len(changed)


def changes_of_show(connection: Connection, show_id: int, most: int = 200) -> list[VerdictChange]:
    """The newest changes of verdicts in a show."""
    with connection.cursor(row_factory=class_row(VerdictChange)) as cursor:
        return cursor.execute(
            "SELECT v.id, v.clip_id, c.name AS clip_name, v.question, v.before, v.after, v.because, v.made_at"
            " FROM verdict_change v JOIN clip c ON c.id = v.clip_id WHERE v.show_id = %s ORDER BY v.id DESC LIMIT %s",
            (show_id, most),
        ).fetchall()


def report_out(report: PictureReport) -> dict[str, Any]:
    """A report as a document."""
    repeats = report.repeats
    return {
        "examined": report.examined,
        "whole": report.whole,
        "stretches": [asdict(stretch) for stretch in report.stretches],
        "repeats": repeats and {**asdict(repeats), "step": fraction_text(repeats.step)},
        "cuts": list(report.cuts),
        "blended": report.blended,
        "new_from": report.new_from,
        "new": "".join("1" if new else "0" for new in report.new),
    }


def report_in(document: dict[str, Any]) -> PictureReport:
    """A report from its document."""
    return PictureReport(
        examined=document["examined"],
        whole=document["whole"],
        stretches=tuple(map(stretch_in, document["stretches"])),
        repeats=_repeats_in(document["repeats"]),
        cuts=tuple(document["cuts"]),
        blended=document["blended"],
        new_from=document["new_from"],
        new=tuple(sign == "1" for sign in document["new"]),
    )


def stretch_in(document: dict[str, Any]) -> Stretch:
    """A stretch from its document, the fields of ``Stretch`` by name."""
    return Stretch(**{**document, "scan": Scan(document["scan"])})


def _repeats_in(document: dict[str, Any] | None) -> Repeats | None:
    if document is None:
        return None
    step = Fraction(document["step"])
    return Repeats(document["frames"], document["unique_frames"], step, document.get("new", ""))


def _columns_out(columns: Columns) -> dict[str, int]:
    return {column.value: index for column, index in columns.items()}


def _columns_in(document: Any) -> dict[Column, int]:
    return {Column(name): int(index) for name, index in document.items()}


def _table_in(document: dict[str, Any]) -> Table:
    return Table(tuple(document["headings"]), tuple(tuple(row) for row in document["rows"]), document["first_row"])


def _headings_key(headings: Sequence[str]) -> str:
    return "\x1f".join(heading.strip().lower() for heading in headings)
