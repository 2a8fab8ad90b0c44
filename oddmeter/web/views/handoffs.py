"""Handoffs as the page asks for them and sees them: outputs, the line of each file, and what all of them come to."""

import shutil
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

from pydantic import BaseModel, Field

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.marks import MARKS, Mark
from oddmeter.core.planning.remaking import Change, words_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import EDIT
from oddmeter.store.database import Connection
from oddmeter.store.handoff import made
from oddmeter.store.handoff.made import Earlier, LineOf
from oddmeter.web.http.context import Context
from oddmeter.web.views.places import Places
from oddmeter.web.views.settings import document_of
from oddmeter.web.views.values import duration_words, seconds_covered
from oddmeter.work.orders import Order
from oddmeter.work.ranges import RangeOrder
from oddmeter.work.remaking import MadeBy, changes_between, digest_of, stored_order

IN_THE_QUEUE = "it is in the queue, and would be the same"
_MEASURED = 20
"""Files of a setting that size and time are measured on."""


class LineChange(BaseModel):
    """What is another for some lines of an output, by their clips or events; only what is given."""

    lines: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    setting: str | None = None
    folder: str | None = None
    pattern: str | None = None


class OutputIn(BaseModel):
    """Files to make of every line: with which setting, where, and under which names; ``id`` is the output's number in
    its plan, which files keep. ``changes`` are for some of the lines; the last one holds."""

    id: Annotated[int, Field(ge=1, le=1_000_000)] = 1
    setting: str = EDIT.name
    folder: str = ""
    pattern: str = "{clip}_{rate}"
    changes: Annotated[list[LineChange], Field(max_length=1000)] = []


def numbered_apart(outputs: list[OutputIn]) -> list[OutputIn]:
    """Outputs as they are; raises ``ValueError`` where two of them have one number, which files are known by."""
    if len({output.id for output in outputs}) != len(outputs):
        raise ValueError("Each output of a plan needs a number of its own.")
    return outputs


def one_output(asked: Any, pattern: str | None = None) -> Any:
    """What is asked for, with an output that stands by itself put into a list, named by that pattern where it has
    none."""
    if not isinstance(asked, dict) or "outputs" in asked:
        return asked
    own = {name: value for name, value in asked.items() if name in OutputIn.model_fields}
    rest = {name: value for name, value in asked.items() if name not in own}
    return {**rest, "outputs": [{**({"pattern": pattern} if pattern else {}), **own}]}


@dataclass(frozen=True)
class Wished:
    """How the file of one line is made: its setting, and the patterns of its folder and its name."""

    setting: Setting
    folder: str
    pattern: str


class Wishes:
    """How the file of each line of an output is made. Raises ``RuleError`` where a setting is not there."""

    def __init__(self, output: OutputIn, settings: Mapping[str, Setting]) -> None:
        changed: dict[int, dict[str, str]] = {}
        for change in output.changes:
            texts = change.model_dump(exclude={"lines"}, exclude_none=True)
            for line in change.lines:
                changed[line] = {**changed.get(line, {}), **texts}
        usual = {"setting": output.setting, "folder": output.folder, "pattern": output.pattern}
        self._usual = _wished(usual, settings)
        self._changed = {line: _wished({**usual, **texts}, settings) for line, texts in changed.items()}

    def of(self, line: int | None) -> Wished:
        """That of one line; of one that is not changed, the output's."""
        return self._changed.get(line, self._usual) if line is not None else self._usual


def _wished(texts: Mapping[str, str], settings: Mapping[str, Setting]) -> Wished:
    setting = settings.get(texts["setting"])
    if setting is None:
        raise RuleError(f"There is no setting “{texts['setting']}” in this show.", "setting")
    return Wished(setting, texts["folder"], texts["pattern"])


class LineState(StrEnum):
    """Where a line stands: never made, made but another today, made and the same, or not possible."""

    NEW = "new"
    CHANGED = "changed"
    UNCHANGED = "unchanged"
    REFUSED = "refused"


class FileLine(BaseModel):
    """One file of a handoff: of which output and line, a clip or an event, None for a whole timeline. ``why`` says what
    changed since it was ``made`` last, or that it is only in the queue so far, ``problem`` why it cannot be made, and
    ``ways`` what in the name would help; ``remark`` is what will be in it that somebody might not expect. ``head`` and
    ``tail`` are handles, in frames."""

    output: int
    line: int | None
    clip_id: int | None
    name: str
    setting: str
    out_path: str
    frames: int
    seconds: float
    length: str
    head: int = 0
    tail: int = 0
    state: LineState = LineState.NEW
    why: str | None = None
    made: str | None = None
    problem: str | None = None
    ways: list[str] = []
    remark: str | None = None
    megabytes: float | None = None
    samples: int = Field(default=0, exclude=True)
    marks: list[Mark] = Field(default=[], exclude=True)


class MarkCount(BaseModel):
    """How many clips that files are made of have a mark of Plan's."""

    mark: Mark
    word: str
    clips: int


class HandoffTotals(BaseModel):
    """What a handoff comes to: files to make, their frames, size in megabytes and time until all are made and proven,
    both measured on what this show made last, None where nothing was; room at the target; how many exist unchanged,
    and how many cannot be made; marks of Plan that ask to be looked at."""

    files: int
    frames: int
    changed: int
    unchanged: int
    refused: int
    megabytes: float | None
    time: str | None
    free_megabytes: float
    fits: bool
    marks: list[MarkCount]


class HandoffPreview(BaseModel):
    """The lines of a handoff, and what they come to."""

    files: list[FileLine]
    totals: HandoffTotals


class Queued(BaseModel):
    """What was queued, in which run, None where nothing was; what exists unchanged, and what cannot be made."""

    queued: int
    run: int | None
    unchanged: int
    refused: list[FileLine]


@dataclass(frozen=True)
class Measured:
    """What files came to that were made last, by setting: megabytes a minute, and seconds to make and prove a million
    samples of a frame; ``at_once`` is how many were made at the same time."""

    megabytes: Mapping[str, float]
    pace: Mapping[str, float]
    at_once: float

    def seconds(self, files: Iterable[FileLine]) -> float | None:
        """How long it takes to make and prove files; None where one of their settings was never measured."""
        paces = [(self.pace.get(file.setting), file) for file in files]
        if not paces or any(pace is None for pace, _ in paces):
            return None
        return sum((pace or 0) * file.frames * file.samples / 1e6 for pace, file in paces) / self.at_once


def measured(here: Context, connection: Connection, show_id: int, settings: Iterable[str]) -> Measured:
    """What the files of a show came to that were made last with these settings."""
    lately = made.made_lately(connection, show_id, settings, _MEASURED)
    sizes: dict[str, list[tuple[int, float]]] = {}
    times: dict[str, list[tuple[float, float]]] = {}
    for file in lately:
        path = here.config.product(file.out_path)
        parts = [path] if path.is_file() else list(path.iterdir()) if path.is_dir() else []
        if parts and file.seconds > 0:
            sizes.setdefault(file.setting, []).append((sum(part.stat().st_size for part in parts), file.seconds))
        if file.samples:
            work = file.frames * file.samples / 1e6
            times.setdefault(file.setting, []).append((file.finished - file.begun, work))
    return Measured(
        {name: sum(s for s, _ in found) / sum(t for _, t in found) * 60 / 1e6 for name, found in sizes.items()},
        {name: sum(t for t, _ in found) / sum(w for _, w in found) for name, found in times.items()},
        _at_once([(file.begun, file.finished) for file in lately]),
    )


def _at_once(spans: Sequence[tuple[float, float]]) -> float:
    """How many of these spans of time lie over each other, on average; 1 at the least."""
    busy = seconds_covered(spans)
    return max(1.0, sum(finished - begun for begun, finished in spans) / busy) if busy else 1.0


@dataclass(frozen=True)
class Wanted:
    """A line with all that its file is asked for by: what it is known by, its setting, its order, None where there is
    none, and what identifies its sources."""

    view: FileLine
    key: LineOf
    setting: Setting
    order: Order | RangeOrder | None
    made_from: str


@dataclass
class Lines:
    """The lines of a handoff for one timeline, each held against the file that was made of it last."""

    places: Places
    connection: Connection
    timeline_id: int
    plan_id: int | None
    _earlier: Mapping[LineOf, Earlier] = field(init=False)

    def __post_init__(self) -> None:
        self._earlier = made.earlier_files(self.connection, self.timeline_id, self.plan_id)

    def key(self, output: int, setting: Setting, clip_id: int | None, part: made.MadeOf) -> LineOf:
        """What a line is known by."""
        return LineOf(str(output) if self.plan_id is not None else setting.name, clip_id, part)

    def version(self, key: LineOf) -> str:
        """The version that the next file of a line is: ``v01`` where there is none yet."""
        found = self._earlier.get(key)
        return f"v{found.versions + 1 if found else 1:02d}"

    def settle(self, lines: Sequence[Wanted]) -> None:
        """Say of each line whether its file exists, and why it would be another one today."""
        unsure: list[tuple[Wanted, Order | RangeOrder, Earlier]] = []
        for wanted in lines:
            before = self._earlier.get(wanted.key)
            if before is None or wanted.order is None:
                continue
            wanted.view.made = before.out_path
            if before.digest is not None and before.digest == digest_of(wanted.order):
                self._note(wanted, wanted.order, before, wanted.order)
            else:
                unsure.append((wanted, wanted.order, before))
        orders = made.orders_by_id(self.connection, [before.id for _, _, before in unsure])
        for wanted, order, before in unsure:
            self._note(wanted, order, before, stored_order(orders[before.id]))

    def _note(
        self, wanted: Wanted, order: Order | RangeOrder, before: Earlier, before_order: Order | RangeOrder
    ) -> None:
        view, setting = wanted.view, wanted.setting
        changes = changes_between(
            MadeBy(before_order, before.setting, before.document, before.made_from, before.tool),
            MadeBy(order, setting.name, document_of(setting), wanted.made_from),
        )
        if before.state == "done" and not self.places.is_there(before.out_path):
            changes = (*changes, Change.GONE)
        view.state = LineState.CHANGED if changes else LineState.UNCHANGED
        view.why = words_of(changes) or (None if before.state == "done" else IN_THE_QUEUE)


def is_made(file: FileLine, *, again: bool) -> bool:
    """True where a line's file is made: one that exists unchanged only where all are made ``again``."""
    return file.state is not LineState.REFUSED and (again or file.state is not LineState.UNCHANGED)


def totals_of(here: Context, files: Sequence[FileLine], measured: Measured, *, again: bool) -> HandoffTotals:
    """What lines come to; with ``again`` those that exist unchanged are made too."""
    for file in files:
        each = measured.megabytes.get(file.setting)
        file.megabytes = None if each is None else file.seconds / 60 * each
    wanted = [file for file in files if is_made(file, again=again)]
    sizes = [file.megabytes for file in wanted]
    size = sum(each for each in sizes if each is not None) if sizes and None not in sizes else None
    seconds, free = measured.seconds(wanted), _free(here.config.made) / 1e6
    marks = Counter(mark for marks in {file.clip_id: file.marks for file in wanted}.values() for mark in marks)
    return HandoffTotals(
        files=len(wanted),
        frames=sum(file.frames for file in wanted),
        changed=sum(file.state is LineState.CHANGED for file in wanted),
        unchanged=sum(file.state is LineState.UNCHANGED for file in files),
        refused=sum(file.state is LineState.REFUSED for file in files),
        megabytes=size,
        time=None if seconds is None else duration_words(seconds),
        free_megabytes=free,
        fits=size is None or size < free,
        marks=[
            MarkCount(mark=words.mark, word=words.word, clips=marks[words.mark]) for words in MARKS if marks[words.mark]
        ],
    )


def _free(folder: Path) -> int:
    """Bytes that are free where a folder is, or will be."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return shutil.disk_usage(folder).free
