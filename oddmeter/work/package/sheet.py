"""The sheet of a package: what each of its files is, as a document that says whether it was changed."""

import csv
import hashlib
import io
import json
from collections.abc import Sequence
from datetime import datetime
from html import escape
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.paper import page, safe_cell

SHEET, TABLE, PAGE, DECISIONS = "sheet.json", "sheet.csv", "sheet.html", "decisions.json"
_FORMAT = "odd meter package"


class _Document(BaseModel):
    model_config = ConfigDict(extra="forbid")


class SoundEntry(_Document):
    """A stream of sound: the file that holds it, its place there among the streams of sound, and its marks."""

    path: str
    place: int
    layout: str
    exact: bool
    marks: dict[str, Any]


class FileEntry(_Document):
    """A made file, or folder of numbered pictures.

    ``path`` is below the folder of the package, ``opened_as`` what it is opened by. Rates and shapes are ``"a/b"``;
    ``fields`` is ``progressive``, or the field that comes first. ``order`` is what it was made by, ``source`` of what,
    ``identity`` by what that is known again, ``taken_as`` what its scan, pixel shape, rate and timecode were settled to
    be, and ``cuts`` where its shots begin.
    """

    path: str
    opened_as: str
    source: str
    identity: list[Any]
    taken_as: dict[str, str | None]
    setting: dict[str, Any]
    rate: str
    frames: int
    width: int
    height: int
    pixel_aspect: str
    fields: str
    timecode: str | None
    speed: str
    intent: str
    cadence: str
    repeats: int
    sounds: list[SoundEntry]
    pictures: dict[str, str]
    order: dict[str, Any]
    cuts: list[int]
    proof: dict[str, Any]


class Sheet(_Document):
    """What a package holds, and who made it."""

    format: Literal["odd meter package"] = "odd meter package"
    version: Literal[1] = 1
    tool: str
    made_at: datetime
    person: str
    files: list[FileEntry]

    def text(self) -> str:
        """The document as JSON, with a digest of itself."""
        document = self.model_dump(mode="json")
        document["digest"] = _digest(document)
        return json.dumps(document, indent=1, ensure_ascii=False) + "\n"


def read_sheet(folder: Path) -> Sheet:
    """The sheet of a package. Raises ``RuleError`` where there is none, it cannot be read, or it was changed."""
    try:
        document = json.loads((folder / SHEET).read_text(encoding="utf-8"))
        digest = document.pop("digest")
        sheet = Sheet.model_validate(document)
    except OSError as error:
        raise RuleError(f"There is no {SHEET} that can be read.", "sheet") from error
    except (ValueError, KeyError, AttributeError, TypeError, ValidationError, RecursionError) as error:
        raise RuleError(f"{SHEET} is not the sheet of a package, or it was changed.", "sheet") from error
    if digest != _digest(document):
        raise RuleError(f"{SHEET} was changed since it was written.", "sheet")
    return sheet


def _digest(document: dict[str, Any]) -> str:
    plain = {key: value for key, value in document.items() if key != "digest"}
    return hashlib.sha256(json.dumps(plain, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


_COLUMNS = (
    *("file", "source", "setting", "rate", "frames", "raster", "pixel aspect", "fields", "timecode", "speed", "intent"),
    *("cadence", "sound", "proof"),
)


def _row(entry: FileEntry) -> list[str]:
    checks = entry.proof.get("checks", [])
    right = sum(bool(check["passed"]) for check in checks)
    sounds = "; ".join(f"{s.layout}, {s.marks['samples']} samples at {s.marks['rate']}" for s in entry.sounds)
    return [
        entry.path, entry.source, str(entry.setting["name"]), entry.rate, str(entry.frames),
        f"{entry.width} × {entry.height}", entry.pixel_aspect, entry.fields, entry.timecode or "none", entry.speed,
        entry.intent, entry.cadence, sounds or "none", f"{right} of {len(checks)} checks match",
    ]  # fmt: skip


def as_table(sheet: Sheet) -> str:
    """The sheet as CSV."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    writer.writerows(map(safe_cell, _row(entry)) for entry in sheet.files)
    return out.getvalue()


def as_page(sheet: Sheet) -> str:
    """The sheet as a page to print."""
    head = "".join(f"<th>{escape(name)}</th>" for name in _COLUMNS)
    cells = ("".join(f"<td>{escape(cell)}</td>" for cell in _row(entry)) for entry in sheet.files)
    rows = "".join(f"<tr>{row}</tr>" for row in cells)
    by = f" by {sheet.person}" if sheet.person else ""
    lines = (f"{len(sheet.files)} files, made {sheet.made_at:%Y-%m-%d %H:%M} UTC{by} with {sheet.tool}",)
    body = f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>"
    return page("Package", "Package", lines, body, [1] * len(_COLUMNS))


def decisions_text(files: Sequence[FileEntry]) -> str:
    """What was decided on each source, as JSON."""
    decided = [{"file": entry.path, "source": entry.source, **entry.order} for entry in files]
    return json.dumps(decided, indent=1, ensure_ascii=False) + "\n"
