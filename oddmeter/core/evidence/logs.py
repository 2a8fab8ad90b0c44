"""Camera reports and scan reports: what a row says, and which clip it belongs to."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from oddmeter.core.evidence.hints import hints
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan


@dataclass(frozen=True)
class LogEntry:
    """One row of a report. ``row`` counts from 1 as a person counts lines in the file; ``title`` is what the report
    is called in words, ``folder`` where the report lay, empty where it came by itself. What the row leaves open is
    None."""

    title: str
    row: int
    clip: str = ""
    reel: str = ""
    timecode: str = ""
    shot_rate: Rate | None = None
    file_rate: Rate | None = None
    gauge: str | None = None
    scan: Scan | None = None
    field_order: FieldOrder | None = None
    folder: str = ""

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


COLUMN_NAMES = {
    Column.CLIP: "clip", Column.REEL: "reel or card", Column.TIMECODE: "timecode", Column.SHOT_RATE: "shot rate",
    Column.FILE_RATE: "file rate", Column.GAUGE: "gauge", Column.SCAN: "scan", Column.FIELD_ORDER: "field order",
}  # fmt: skip
"""What each meaning is called."""


@dataclass(frozen=True)
class Table:
    """A report as it stands: headings, and rows of as many cells. ``first_row`` is the line number, counted from 1,
    of the first row in the file."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    first_row: int


@dataclass(frozen=True)
class LogReading:
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


_FIRST_FIELDS = {
    FieldOrder.UPPER: ("upper", "top", "tff", "odd"),
    FieldOrder.LOWER: ("lower", "bottom", "bff", "even"),
}

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


def parse_table(table: Table, columns: Columns, title: str, folder: str = "") -> LogReading:
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
        entries.append(LogEntry(title, number, folder=folder, **values))  # type: ignore[arg-type]
    return LogReading(tuple(entries), tuple(troubles))


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
            return Scan.PROGRESSIVE
        if plain in ("i", "interlaced", "yes") or plain.startswith("interl"):
            return Scan.INTERLACED
        raise RuleError("no scan")
    if column is Column.FIELD_ORDER:
        for order, words in _FIRST_FIELDS.items():
            if plain.startswith(words):
                return order
        raise RuleError("no field order")
    return cell
