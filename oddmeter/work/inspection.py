"""Inspect clips without server or database: probe, look, read reports, and draw the verdicts."""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from oddmeter.core.claims import claims_of
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import verdicts
from oddmeter.core.facts import Facts
from oddmeter.core.logs import LogEntry, Subject, guess_columns, match, read_table
from oddmeter.core.picture import PictureReport
from oddmeter.core.standing import settled
from oddmeter.interchange.logs import is_report, read_log, title_of
from oddmeter.interchange.reports import inspected
from oddmeter.media.analyse import DamagedError
from oddmeter.media.guarded import analyse_guarded, probe_guarded
from oddmeter.media.sequence import gathered


def inspect_all(paths: Sequence[Path], logs: Sequence[Path], *, whole: bool) -> list[dict[str, Any]]:
    """A report for each clip among the paths; folders are looked through. Each file is looked at in a guarded
    process. Raises ``RuleError`` where a log cannot be read."""
    entries = [entry for log in logs for entry in _entries(log)]
    found = []
    for path in _clips(paths):
        facts, picture = probe_guarded(path), None
        if facts.fault is None:
            facts, picture = _looked_at(path, facts, whole=whole)
        found.append((path, facts, picture))
    subjects = [
        Subject(number, path.name, facts.timecode, facts.file_rate, facts.frames)
        for number, (path, facts, _) in enumerate(found)
    ]
    rows = match(entries, subjects).entries
    return [
        inspected(path, facts, picture, verdicts(claims_of(path.name, facts, picture, rows.get(number, ()))))
        for number, (path, facts, picture) in enumerate(found)
    ]


def looked_at(path: Path, *, pictures: bool) -> tuple[Facts, PictureReport | None]:
    """The facts of one clip, and, where ``pictures`` are to be looked at, all of them, what they show; then rate, scan
    and field order are those of the verdicts."""
    facts = probe_guarded(path)
    if facts.fault is not None or not pictures:
        return facts, None
    facts, report = _looked_at(path, facts, whole=True)
    return settled(facts, verdicts(claims_of(path.name, facts, report))), report


def _looked_at(path: Path, facts: Facts, *, whole: bool) -> tuple[Facts, PictureReport | None]:
    """The facts with what went wrong as the pictures were looked at, and what they show."""
    try:
        return facts, analyse_guarded(path, facts, whole=whole)
    except DamagedError as error:
        return replace(facts, fault=str(error)), None
    except RuleError as error:
        return replace(facts, remarks=(*facts.remarks, str(error))), None


def _entries(log: Path) -> tuple[LogEntry, ...]:
    try:
        data = log.read_bytes()
    except OSError as error:
        raise RuleError(f"{log} cannot be read: {error.strerror}.", "log") from error
    table = read_log(data)
    return read_table(table, guess_columns(table.headings), title_of(log.name)).entries


def _clips(paths: Sequence[Path]) -> list[Path]:
    out: list[Path] = []
    for path in paths:
        if not path.is_dir():
            out.append(path)
            continue
        below = sorted(p for p in path.rglob("*") if p.is_file() and not p.name.startswith("."))
        out += [Path(name) for name in gathered(str(p) for p in below if not is_report(p.name))]
    return out
