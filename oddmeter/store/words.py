"""Words: what people settled about clips, which verdicts later evidence changed, and markers at frames."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from psycopg.rows import class_row

from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.verdicts import Question, Verdict
from oddmeter.store.database import Connection


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


def note_changes(
    connection: Connection,
    show_id: int,
    before: Mapping[int, Mapping[Question, Verdict]],
    after: Mapping[int, Mapping[Question, Verdict]],
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


def markers(connection: Connection, clip_id: int) -> dict[int, str]:
    """The markers of a clip: by source frame, in order, their names."""
    rows = connection.execute("SELECT frame, name FROM marker WHERE clip_id = %s ORDER BY frame", (clip_id,))
    return {int(str(frame)): str(name) for frame, name in rows}


def put_marker(connection: Connection, clip_id: int, frame: int, name: str) -> None:
    """Put a marker at a source frame of a clip, in place of one that is there."""
    connection.execute(
        "INSERT INTO marker (clip_id, frame, name) VALUES (%s, %s, %s)"
        " ON CONFLICT (clip_id, frame) DO UPDATE SET name = excluded.name",
        (clip_id, frame, name),
    )


def take_marker(connection: Connection, clip_id: int, frame: int) -> None:
    """Take the marker at a source frame away, where there is one."""
    connection.execute("DELETE FROM marker WHERE clip_id = %s AND frame = %s", (clip_id, frame))
