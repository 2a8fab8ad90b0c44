"""Reports come into a show: what changes with them is written down."""

from collections.abc import Callable

from oddmeter.core.evidence.logs import Table, guess_columns
from oddmeter.interchange.logs import title_of
from oddmeter.store import clips, logs, words
from oddmeter.store.database import Connection


def add_report(connection: Connection, show_id: int, name: str, table: Table) -> tuple[int, int]:
    """Put a report into a show, with the mapping that was last used for its headings, or else guessed from them.

    Returns its id, and how many verdicts it changed.
    """
    made: list[int] = []

    def add() -> None:
        columns = logs.remembered_columns(connection, table.headings) or guess_columns(table.headings)
        made.append(logs.add_log(connection, show_id, name[:200], title_of(name), table, columns))

    changed = noting_changes(connection, show_id, name, add)
    return made[0], changed


def noting_changes(connection: Connection, show_id: int, because: str, alter: Callable[[], object]) -> int:
    """Alter what is known in a show, write down which verdicts that changes, and return how many."""
    before = {clip.id: clip.verdicts for clip in clips.clips_of_show(connection, show_id)}
    alter()
    after = {clip.id: clip.verdicts for clip in clips.clips_of_show(connection, show_id)}
    return words.note_changes(connection, show_id, before, after, because)
