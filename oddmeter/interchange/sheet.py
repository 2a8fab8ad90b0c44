"""The conform sheet: what was decided for each clip and what was made, as CSV and as JSON."""

import csv
import io
from dataclasses import asdict, dataclass, fields
from typing import Any

FORMAT = "odd-meter-conform-sheet"
VERSION = 1


@dataclass(frozen=True)
class SheetRow:
    """One clip. Rates, speed and stride are exact (``"a/b"``); lengths are timeline frames and timecode;
    empty text where something does not apply."""

    delivery: str = ""
    clip: str = ""
    source_frames: int = 0
    shot_rate: str = ""
    file_rate: str = ""
    read_rate: str = ""
    intent: str = ""
    speed: str = ""
    speed_percent: str = ""
    equation: str = ""
    stride: str = ""
    pace: str = ""
    cadence: str = ""
    pattern: str = ""
    frames_before: int = 0
    frames_after: int = 0
    duration_after: str = ""
    dropped: int = 0
    repeated: int = 0
    sound: str = ""
    marks: str = ""
    made_file: str = ""
    proof: str = ""


def as_csv(rows: list[SheetRow]) -> str:
    """The rows as CSV with a heading line (RFC 4180). No cell starts a formula when opened in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out)
    names = [field.name for field in fields(SheetRow)]
    writer.writerow(name.replace("_", " ") for name in names)
    for row in rows:
        writer.writerow(safe_cell(getattr(row, name)) for name in names)
    return out.getvalue()


def as_json(rows: list[SheetRow], show: str, timeline: dict[str, Any]) -> dict[str, Any]:
    """The rows as a JSON document with the show and the timeline they are for."""
    return {
        "format": FORMAT, "version": VERSION, "show": show, "timeline": timeline, "clips": [asdict(row) for row in rows]
    }  # fmt: skip


def safe_cell(value: object) -> object:
    """A value that a spreadsheet takes as text: what could start a formula gets an apostrophe before it."""
    if isinstance(value, str) and value.lstrip(" ")[:1] in {"=", "+", "-", "@", "\t", "\r", "\n"}:
        return "'" + value
    return value
