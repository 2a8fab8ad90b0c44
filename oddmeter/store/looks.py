"""Looks: how far the looking at each clip's pictures has come, and what they show."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from fractions import Fraction
from typing import Any

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.pictures.report import PictureReport, Repeats, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.store.database import Connection


@dataclass(frozen=True)
class Examination:
    """How far the looking at a clip's pictures has come. ``report`` is None until it is done."""

    state: str
    whole: bool
    done_frames: int
    total_frames: int
    report: PictureReport | None
    fault: str | None
    begun_at: datetime | None


def ask_look(connection: Connection, clip_ids: Iterable[int], *, whole: bool) -> None:
    """Put down that clips' pictures are to be looked at, from the start."""
    connection.execute(
        "INSERT INTO picture (clip_id, whole) SELECT id, %s FROM unnest(%s::bigint[]) AS id"
        " ON CONFLICT (clip_id) DO UPDATE SET state = 'waiting', whole = excluded.whole, stop_requested = false,"
        " attempts = 0, done_frames = 0, fault = NULL",
        (whole, list(clip_ids)),
    )


def forget(connection: Connection, clip_ids: Iterable[int]) -> None:
    """Forget what clips' pictures showed, where they are pictures of another file by now."""
    connection.execute("UPDATE picture SET report = NULL WHERE clip_id = ANY(%s)", (list(clip_ids),))


def begin_look(connection: Connection, clip_id: int) -> bool | None:
    """Note that a worker looks; returns whether all frames are wanted, or None where there is nothing to do."""
    row = connection.execute(
        "UPDATE picture SET state = 'looking', begun_at = now(), attempts = attempts + 1"
        " WHERE clip_id = %s AND state IN ('waiting', 'looking') RETURNING whole",
        (clip_id,),
    ).fetchone()
    return None if row is None else bool(row[0])


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
        (state, Jsonb(report_document(report)) if report else None, fault, clip_id),
    )


def unlooked(connection: Connection) -> list[int]:
    """Clips whose pictures are still to be looked at."""
    rows = connection.execute("SELECT clip_id FROM picture WHERE state IN ('waiting', 'looking') ORDER BY clip_id")
    return [int(str(row[0])) for row in rows.fetchall()]


def looks_at(connection: Connection, ids: Collection[int]) -> dict[int, Examination]:
    """How far looking has come, for each of these clips."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute("SELECT * FROM picture WHERE clip_id = ANY(%s)", (list(ids),)).fetchall()
    return {row["clip_id"]: examination_from(row) for row in rows}


def examination_from(row: dict[str, Any]) -> Examination:
    """A row of the table ``picture`` as a value."""
    report = report_from(row["report"]) if row["report"] else None
    return Examination(
        row["state"], row["whole"], row["done_frames"], row["total_frames"], report, row["fault"], row["begun_at"]
    )


def report_document(report: PictureReport) -> dict[str, Any]:
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


def report_from(document: dict[str, Any]) -> PictureReport:
    """A report from its document."""
    return PictureReport(
        examined=document["examined"],
        whole=document["whole"],
        stretches=tuple(map(stretch_from, document["stretches"])),
        repeats=_repeats_from(document["repeats"]),
        cuts=tuple(document["cuts"]),
        blended=document["blended"],
        new_from=document["new_from"],
        new=tuple(sign == "1" for sign in document["new"]),
    )


def stretch_from(document: dict[str, Any]) -> Stretch:
    """A stretch from its document, the fields of ``Stretch`` by name."""
    order = FieldOrder(document["field_order"]) if document["field_order"] else None
    graphics = tuple(document.get("graphics", ()))  # reports of before these were told apart have none
    return Stretch(**{**document, "scan": Scan(document["scan"]), "field_order": order, "graphics": graphics})


def _repeats_from(document: dict[str, Any] | None) -> Repeats | None:
    if document is None:
        return None
    step = Fraction(document["step"])
    return Repeats(document["frames"], document["unique_frames"], step, document.get("new", ""))
