"""Reports come into a show: what changes with them is written down."""

from collections.abc import Callable, Mapping

from oddmeter.core.evidence.logs import LogEntry, Table, guess_columns
from oddmeter.interchange.logs import title_of
from oddmeter.store import clips, logs, words
from oddmeter.store.database import Connection


def add_report(connection: Connection, show_id: int, name: str, table: Table, folder: str = "") -> tuple[int, int]:
    """Put a report into a show, with the mapping that was last used for its headings, or else guessed from them;
    ``folder`` is the one below its media root that it lay in.

    Returns its id, and how many verdicts it changed.
    """
    made: list[int] = []

    def add() -> None:
        columns = logs.remembered_columns(connection, table.headings) or guess_columns(table.headings)
        made.append(logs.add_log(connection, show_id, name[:200], title_of(name), table, columns, folder))

    changed = noting_changes(connection, show_id, name, add)
    return made[0], changed


def noting_changes(connection: Connection, show_id: int, because: str, alter: Callable[[], object]) -> int:
    """Alter the reports of a show, write down which verdicts that changes, and return how many. Only clips that other
    rows belong to than before are reckoned with."""
    before = _rows_by_clip(connection, show_id)
    alter()
    after = _rows_by_clip(connection, show_id)
    moved = [key for key in before.keys() | after.keys() if before.get(key, ()) != after.get(key, ())]
    was, now = {}, {}
    for clip in clips.clips_by_id(connection, moved):
        was[clip.id], now[clip.id] = clip.verdicts_by_logs(before.get(clip.id, ()), clip.entries)
    return words.note_changes(connection, show_id, was, now, because)


def _rows_by_clip(connection: Connection, show_id: int) -> Mapping[int, tuple[LogEntry, ...]]:
    found = logs.matched(connection, show_id)
    return found.entries if found else {}
