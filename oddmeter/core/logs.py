"""Camera reports and scan reports: what a row says, and which clip it belongs to."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from oddmeter.core.errors import RuleError
from oddmeter.core.names import hints
from oddmeter.core.rates import Rate
from oddmeter.core.timecode import Timecode


@dataclass(frozen=True)
class LogEntry:
    """One row of a report. ``row`` counts from 1 as a person counts lines in the file; ``title`` is what the report
    is called in words. What the row leaves open is None."""

    title: str
    row: int
    clip: str = ""
    reel: str = ""
    timecode: str = ""
    shot_rate: Rate | None = None
    file_rate: Rate | None = None
    gauge: str | None = None
    scan: str | None = None
    field_order: str | None = None

    @property
    def where(self) -> str:
        """``camera report, row 14``."""
        return f"{self.title}, row {self.row}"


class Column(StrEnum):
    """What a column of a report can mean."""

    CLIP = "clip"
    REEL = "reel"
    TIMECODE = "timecode"
    SHOT_RATE = "shot_rate"
    FILE_RATE = "file_rate"
    GAUGE = "gauge"
    SCAN = "scan"
    FIELD_ORDER = "field_order"


@dataclass(frozen=True)
class Table:
    """A report as it stands: headings, and rows of as many cells. ``first_row`` is the line number, counted from 1,
    of the first row in the file."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    first_row: int


@dataclass(frozen=True)
class Reading:
    """A report read with a mapping: its entries, and a sentence for each cell that could not be read."""

    entries: tuple[LogEntry, ...]
    troubles: tuple[str, ...]


Columns = Mapping[Column, int]
"""Which column, counted from 0, means what."""

_HEADINGS: dict[Column, tuple[str, ...]] = {
    Column.CLIP: ("clip", "clipname", "file", "filename", "name", "shotname", "take", "item", "element"),
    Column.REEL: ("reel", "reelname", "roll", "tape", "card", "mag", "magazine", "can"),
    Column.TIMECODE: ("timecode", "tc", "tcin", "starttc", "tcstart", "start", "in", "starttimecode", "timecodein"),
    Column.SHOT_RATE: (
        "shotrate", "shotat", "fps", "framerate", "sensorfps", "camerafps", "camfps", "capturerate", "captureframerate",
        "shootingrate", "cameraspeed", "camspeed", "shotfps", "sensorrate", "recordingrate", "filmspeed", "camerarate",
        "speedfps", "shootingspeed",
    ),
    Column.FILE_RATE: (
        "filerate", "projectrate", "projectfps", "playback", "playbackrate", "playbackfps", "base", "baserate",
        "timebase",
        "filefps", "scannedat", "scanrate", "scanfps", "scannerrate", "headerrate", "written", "writtenat",
    ),
    Column.GAUGE: ("gauge", "film", "filmgauge", "filmformat", "stockgauge"),
    Column.SCAN: ("scan", "scantype", "progressiveinterlaced", "interlaced"),
    Column.FIELD_ORDER: ("fieldorder", "fields", "fielddominance", "firstfield"),
}  # fmt: skip


_LIKELY: tuple[tuple[Column, tuple[str, ...], bool], ...] = (
    (Column.SHOT_RATE, ("camera", "sensor", "shot", "shoot", "captur", "record", "cam"), True),
    (Column.FILE_RATE, ("project", "play", "base", "file", "scan", "timeline", "header", "written"), True),
    (Column.SHOT_RATE, ("fps",), True),
    (Column.CLIP, ("clip", "filename"), False),
    (Column.TIMECODE, ("timecode", "starttc", "tcin"), False),
    (Column.REEL, ("reel", "card", "magazine"), False),
    (Column.GAUGE, ("gauge",), False),
)
"""Words that a longer heading holds where it means a column; and whether it speaks of a rate."""


def guess_columns(headings: Sequence[str]) -> dict[Column, int]:
    """What the columns most likely mean, by their headings; a column whose heading says nothing means nothing."""
    plain = [re.sub(r"\(.*?\)|[^a-z]", "", heading.lower()) for heading in headings]
    found: dict[Column, int] = {}
    for column, names in _HEADINGS.items():
        fitting = [
            i for name in names for i, heading in enumerate(plain) if heading == name and i not in found.values()
        ]
        if fitting:
            found[column] = fitting[0]
    for column, wanted, rate in _LIKELY:
        for i, heading in enumerate(plain):
            speaks_of_rate = any(word in heading for word in ("fps", "rate", "speed"))
            free = column not in found and i not in found.values()
            if free and rate == speaks_of_rate and any(word in heading for word in wanted):
                found[column] = i
    return found


def read_table(table: Table, columns: Columns, title: str) -> Reading:
    """The entries of a report. A cell that cannot be read is left out with a sentence; empty rows are passed over."""
    entries, troubles = [], []
    for number, row in enumerate(table.rows, table.first_row):
        cells = {column: row[i].strip() for column, i in columns.items() if i < len(row) and row[i].strip()}
        if not cells:
            continue
        values: dict[str, object] = {}
        for column, cell in cells.items():
            try:
                values[column.value] = _value(column, cell)
            except RuleError:
                troubles.append(f"Row {number}: “{cell[:40]}” is not understood as {column.value.replace('_', ' ')}.")
        entries.append(LogEntry(title, number, **values))  # type: ignore[arg-type]
    return Reading(tuple(entries), tuple(troubles))


def _value(column: Column, cell: str) -> object:
    if column in (Column.SHOT_RATE, Column.FILE_RATE):
        number = re.fullmatch(
            r"\D*?(\d+(?:[.,]\d+)?(?:/\d+)?\s*[pi]?)\s*(?:fps|frames.*|f/s|b/s|im/s|bps)?", cell.lower()
        )
        return Rate.parse(number[1] if number else cell)
    plain = cell.lower().strip(".")
    if column is Column.GAUGE:
        hint = hints(cell).gauge or hints(f"{cell}mm").gauge
        if hint is None:
            raise RuleError("no gauge")
        return hint[0]
    if column is Column.SCAN:
        if plain in ("p", "progressive", "no", "psf") or plain.startswith("prog"):
            return "progressive"
        if plain in ("i", "interlaced", "yes") or plain.startswith("interl"):
            return "interlaced"
        raise RuleError("no scan")
    if column is Column.FIELD_ORDER:
        for word, order in (("upper", "upper"), ("top", "upper"), ("tff", "upper"), ("odd", "upper"),
                            ("lower", "lower"), ("bottom", "lower"), ("bff", "lower"), ("even", "lower")):  # fmt: skip
            if plain.startswith(word):
                return order
        raise RuleError("no field order")
    return cell


@dataclass(frozen=True)
class Subject:
    """What rows are matched with: a clip's name, start timecode and rate, and how many frames it holds."""

    id: int
    name: str
    timecode: str | None = None
    rate: Rate | None = None
    frames: int = 0


@dataclass(frozen=True)
class Matched:
    """Which rows belong to which clips, and which belong to none."""

    entries: dict[int, tuple[LogEntry, ...]]
    unmatched: tuple[LogEntry, ...]


def match(entries: Iterable[LogEntry], subjects: Sequence[Subject]) -> Matched:
    """Match rows to clips: by the whole name; else by a name that only one clip's name begins with or holds; else
    by reel and timecode, or timecode alone, where that fits one clip only."""
    by_stem: dict[str, list[Subject]] = {}
    by_start: dict[str, list[Subject]] = {}
    for subject in subjects:
        by_stem.setdefault(stem(subject.name), []).append(subject)
        if subject.timecode:
            by_start.setdefault(_digits(subject.timecode), []).append(subject)
    found: dict[int, list[LogEntry]] = {}
    unmatched = []
    for entry in entries:
        fitting = by_stem.get(stem(entry.clip), []) if entry.clip else []
        fitting = fitting or _by_part(entry, by_stem) or _by_timecode(entry, by_start, subjects)
        for subject in fitting:
            found.setdefault(subject.id, []).append(entry)
        if not fitting:
            unmatched.append(entry)
    return Matched({key: tuple(rows) for key, rows in found.items()}, tuple(unmatched))


def stem(name: str) -> str:
    """A name without its ending and without what people write differently: case, blanks, dashes."""
    base = re.sub(r"\.[a-z0-9]{2,4}$", "", name.strip().lower())
    return re.sub(r"[\s_\-.]+", "_", base).strip("_")


def _by_part(entry: LogEntry, by_stem: dict[str, list[Subject]]) -> list[Subject]:
    wanted = stem(entry.clip)
    if len(wanted) < 3:
        return []
    longer = [name for name in by_stem if f"_{name}_".find(f"_{wanted}_") >= 0 or name.startswith(wanted)]
    return by_stem[longer[0]] if len(longer) == 1 else []


def _by_timecode(entry: LogEntry, by_start: dict[str, list[Subject]], subjects: Sequence[Subject]) -> list[Subject]:
    if not entry.timecode or entry.clip:
        return []
    fitting = by_start.get(_digits(entry.timecode)) or [s for s in subjects if _holds(s, entry.timecode)]
    if entry.reel and len(fitting) > 1:
        fitting = [s for s in fitting if stem(entry.reel) in stem(s.name)]
    return fitting if len(fitting) == 1 else []


def _holds(subject: Subject, timecode: str) -> bool:
    """True where the timecode lies within the clip."""
    if not subject.timecode or subject.rate is None:
        return False
    try:
        start = Timecode.parse(subject.timecode, subject.rate)
        wanted = Timecode.parse(timecode, subject.rate)
    except RuleError:
        return False
    return 0 <= wanted.frames - start.frames < subject.frames


def _digits(timecode: str) -> str:
    return re.sub(r"\D", "", timecode)
