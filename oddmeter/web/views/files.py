"""Names of files to make: what stands against one, before anything is queued."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Protocol

from oddmeter.core.planning.filenames import WORDS, filled, safe_name
from oddmeter.media.settings.setting import Setting
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.web.http.context import Context

TAKEN_MEANWHILE = "somebody asked for a file of that name meanwhile"


class Named(Protocol):
    """A file that would be made, and why it cannot be."""

    out_path: str
    problem: str | None


def carried_away(name: str) -> dict[str, str]:
    """The headers of an answer that is kept as a file of that name."""
    plain = safe_name(name).encode("ascii", "replace").decode().replace("?", "_")
    return {"Content-Disposition": f'attachment; filename="{plain}"'}


def named_path(folder: str, pattern: str, setting: Setting, words: Mapping[str, str]) -> str:
    """The path below the folder for made files of a file that is named by a pattern; a word that means nothing here is
    empty. Raises ``RuleError`` where the pattern gives no name."""
    name = filled(pattern, {**dict.fromkeys(WORDS, ""), "setting": setting.name, **words}) + setting.suffix
    return f"{folder}/{name}" if folder else name


def queued(here: Context, connection: Connection, files: Sequence[tuple[renders.Asked, Named]]) -> int:
    """Ask for files and queue them; returns how many were. A name that somebody else asked for meanwhile is said."""
    put_down = renders.ask(connection, [asked for asked, _ in files])
    here.queue.ask_renders(connection, put_down)
    for asked, view in files:
        if asked.out_path not in put_down:
            view.problem = TAKEN_MEANWHILE
    return len(put_down)


def note_taken(here: Context, connection: Connection, files: Sequence[Named], what: str, remedy: str = "") -> None:
    """Say of each file whose name is taken, in the queue, on disk or by another of these, that it cannot be made;
    ``what`` they are made of, in the plural, ``remedy`` what is added to the last."""
    taken = renders.taken(connection, [file.out_path for file in files])
    names = Counter(file.out_path.casefold() for file in files)
    seen: set[str] = set()
    for file in files:
        path = file.out_path
        if file.problem is None and path in taken:
            file.problem = "already in the queue or made"
        elif file.problem is None and here.config.product(path).exists():
            file.problem = "a file of that name is there already"
        elif file.problem is None and names[path.casefold()] > 1:
            if path.casefold() in seen:
                file.problem = f"another of these {what} gets the same name{remedy}"
            seen.add(path.casefold())
