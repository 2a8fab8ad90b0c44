"""Camera reports and scan reports from CSV or TSV: delimiter, encoding and the row of headings found by themselves."""

import csv
import io
import re
from pathlib import PurePath

from oddmeter.core.evidence.logs import Table, guess_columns
from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.texts import decoded

MOST_BYTES = 5_000_000
ENDINGS = (".csv", ".tsv")
_DELIMITERS = ",;\t|"
_MOST_ROWS = 20_000
_MOST_COLUMNS = 256
_MOST_PREAMBLE = 30


def read_log(data: bytes) -> Table:
    """The table in a report. Raises ``RuleError`` with a sentence where there is none."""
    if len(data) > MOST_BYTES:
        raise RuleError(f"Reports of more than {MOST_BYTES // 1_000_000} MB are not supported.", "log")
    text = _decoded(data)
    lines = text.splitlines()
    if not any(line.strip() for line in lines):
        raise RuleError("The report is empty.", "log")
    if len(lines) > _MOST_ROWS + _MOST_PREAMBLE:
        raise RuleError(f"Reports of more than {_MOST_ROWS} rows are not supported. Split the file.", "log")
    if any(line.count(delimiter) >= _MOST_COLUMNS for line in lines[:_MOST_PREAMBLE] for delimiter in _DELIMITERS):
        raise RuleError(f"Reports of more than {_MOST_COLUMNS} columns are not supported.", "log")
    rows = max((_rows(text, delimiter) for delimiter in _DELIMITERS), key=_regularity)
    if len(rows) > _MOST_ROWS:
        raise RuleError(f"Reports of more than {_MOST_ROWS} rows are not supported. Split the file.", "log")
    heading = max(
        range(min(_MOST_PREAMBLE, len(rows))), key=lambda i: (len(guess_columns(rows[i])), len(rows[i]) > 1, -i)
    )
    headings = tuple(cell.strip() for cell in rows[heading])
    if len(headings) < 2:
        raise RuleError("This is not a table: no heading row with at least two columns was found.", "log")
    width = len(headings)
    body = tuple(tuple((*row, *[""] * width)[:width]) for row in rows[heading + 1 :])
    if not any(any(cell.strip() for cell in row) for row in body):
        raise RuleError("The report has headings, but no rows.", "log")
    return Table(headings, body, heading + 2)


def is_report(name: str) -> bool:
    """True where a file is a report, by its ending, and not a clip."""
    return PurePath(name).suffix.lower() in ENDINGS


def title_of(name: str) -> str:
    """What a report is called in words, by its file's name: a camera report, a scan report."""
    plain = re.sub(r"[^a-z]+", " ", PurePath(name).stem.lower())
    return "scan report" if "scan" in plain.split() else "camera report"


def _decoded(data: bytes) -> str:
    text = decoded(data)
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return text.replace("\0", "")
    if "\0" in text:
        raise RuleError("This is not a text file.", "log")
    return text


def _rows(text: str, delimiter: str) -> list[list[str]]:
    csv.field_size_limit(1_000_000)
    try:
        return list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    except csv.Error as error:
        raise RuleError(f"The report cannot be read as a table: {error}.", "log") from error


def _regularity(rows: list[list[str]]) -> tuple[int, int]:
    """How much a delimiter makes a table: rows of the usual number of cells, and that number."""
    widths = [len(row) for row in rows if any(cell.strip() for cell in row)]
    several = [width for width in widths if width > 1]
    if not several:
        return 0, 0
    usual = max(set(several), key=several.count)
    return several.count(usual) * (usual - 1), usual
