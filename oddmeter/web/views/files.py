"""Names of files to make: what stands against one, before anything is queued; and the asking for them."""

from collections import Counter
from collections.abc import Mapping, Sequence

from oddmeter.config import TOOL
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.planning.clips import Clip
from oddmeter.core.planning.filenames import LONGEST, WORDS, filled, filled_folder, safe_name
from oddmeter.media.settings.setting import Setting
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.store.handoff import runs
from oddmeter.store.handoff.documents import Stored
from oddmeter.web.http.context import Context
from oddmeter.web.views.handoffs import FileLine, LineState, Queued, Wanted, is_made
from oddmeter.web.views.places import Places
from oddmeter.web.views.settings import document_of
from oddmeter.work.remaking import digest_of

TAKEN_MEANWHILE = "somebody asked for a file of that name meanwhile"
_NOTHING = dict.fromkeys(WORDS, "")
_LONG = 240
"""Signs of a path, from the folder for made files on, that Windows may refuse in a folder of its own."""


def carried_away(name: str) -> dict[str, str]:
    """The headers of an answer that is kept as a file of that name."""
    plain = safe_name(name).encode("ascii", "replace").decode().replace("?", "_")
    return {"Content-Disposition": f'attachment; filename="{plain}"'}


def named_path(folder: str, pattern: str, setting: Setting, words: Mapping[str, str]) -> str:
    """The path below the folder for made files of a file whose folder and name are patterns; a word that means nothing
    here is empty. Raises ``RuleError`` where the pattern gives no name, or the folder leads out."""
    values = {**_NOTHING, "setting": setting.name, **words}
    name, below = filled(pattern, values) + setting.suffix, filled_folder(folder, values)
    return f"{below}/{name}" if below else name


def timecode_digits(facts: Facts, frame: int) -> str:
    """The timecode of a source frame without what file systems refuse; empty where the file states none."""
    label = facts.timecode_of(frame)
    return "".join(sign for sign in str(label) if sign.isdecimal()) if label else ""


def reel_of(clip: Clip) -> str:
    """The reel that a camera report states of a clip; empty where none does."""
    return next((entry.reel for entry in clip.entries if entry.reel), "")


def note_taken(
    places: Places,
    connection: Connection,
    files: Sequence[FileLine],
    what: str,
    ways: Sequence[str] = (),
    *,
    again: bool,
) -> None:
    """Say of each file that would be made and whose name is taken, in the queue, on disk or by another of these, that
    it cannot be; ``what`` they are made of, in the plural, ``ways`` what in the names would tell them apart. A file
    that cannot be made for another reason takes no name."""
    wanted = [file for file in files if file.problem is None and is_made(file, again=again)]
    taken = renders.taken(connection, [file.out_path for file in wanted])
    names = Counter(file.out_path.casefold() for file in wanted)
    seen: set[str] = set()
    for file in wanted:
        path = file.out_path
        if path in taken:
            file.problem, file.ways = "already in the queue or made", ["{version}"]
            if file.state is LineState.CHANGED:
                file.problem = f"its earlier file has that name, and stays: {file.why}"
        elif places.is_there(path):
            file.problem, file.ways = "a file of that name is there already", ["{version}"]
        elif names[path.casefold()] > 1:
            if path.casefold() in seen:
                file.ways = [*ways, "{number}"]
                file.problem = f"another of these {what} gets the same name; add {' or '.join(file.ways)}"
            seen.add(path.casefold())
        if len(path) > _LONG:
            file.remark = f"{file.remark or ''} Its path is longer than {_LONG} signs; Windows may refuse it.".strip()
        if len(path.rpartition("/")[2].rpartition(".")[0].encode()) > LONGEST - 4:
            file.remark = f"{file.remark or ''} Its name was longer than {LONGEST} bytes and is cut off.".strip()
    for file in files:
        if file.problem is not None:
            file.state = LineState.REFUSED


def queued(
    here: Context, connection: Connection, show_id: int, timeline_id: int, plan: Stored | None,
    files: Sequence[Wanted], *, again: bool,
) -> Queued:  # fmt: skip
    """Ask for all files that can be made, in a run of their own, and queue them. What cannot be made, and a name that
    somebody else asked for meanwhile, is said; what exists unchanged is left as it is, but where all are made again."""
    asked = {
        wanted.view.out_path: renders.Asked(
            timeline_id, wanted.view.clip_id, wanted.setting.name, document_of(wanted.setting), wanted.view.out_path,
            wanted.order.model_dump(mode="json"), wanted.view.frames, wanted.view.output, wanted.made_from,
            digest_of(wanted.order), TOOL,
        )
        for wanted in files
        if wanted.order is not None and is_made(wanted.view, again=again)
    }  # fmt: skip
    run = None
    if asked:
        name = plan.name if plan else ""
        run = runs.begin_run(connection, show_id, plan.id if plan else None, name, here.person)
        put_down = renders.ask(connection, list(asked.values()), run)
        here.queue.ask_renders(connection, put_down)
        meanwhile = asked.keys() - put_down.keys()
        for wanted in files:
            if wanted.view.out_path in meanwhile and is_made(wanted.view, again=again):
                wanted.view.problem, wanted.view.state = TAKEN_MEANWHILE, LineState.REFUSED
        asked = {path: asked[path] for path in put_down}
    refused = [wanted.view for wanted in files if wanted.view.state is LineState.REFUSED]
    unchanged = 0 if again else sum(wanted.view.state is LineState.UNCHANGED for wanted in files)
    if run is not None:
        told = [{"file": view.out_path, "name": view.name, "problem": view.problem or ""} for view in refused]
        runs.note_run(connection, run, unchanged, told)
    return Queued(queued=len(asked), run=run, unchanged=unchanged, refused=refused)
