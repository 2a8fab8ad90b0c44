"""Inspect clips without server or database: probe, look, read reports, and draw the verdicts."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from oddmeter.core.evidence.claims import Word, claims_of
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.logs import LogEntry, guess_columns, parse_table
from oddmeter.core.evidence.matching import Candidate, match
from oddmeter.core.evidence.verdicts import verdicts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.planning.clips import Clip, Decided
from oddmeter.interchange.logs import is_report, read_log, title_of
from oddmeter.interchange.reports import inspected
from oddmeter.media.analysis.analyse import DamagedError
from oddmeter.media.analysis.guarded import analyse_guarded, probe_guarded
from oddmeter.media.files.sequence import gathered


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
        Candidate(number, path.name, facts.timecode, facts.label_rate, facts.frames, str(path.resolve().parent))
        for number, (path, facts, _) in enumerate(found)
    ]
    rows = match(entries, subjects).entries
    return [
        inspected(path, facts, picture, verdicts(claims_of(path.name, facts, picture, rows.get(number, ()))))
        for number, (path, facts, picture) in enumerate(found)
    ]


def clip_at(path: Path, *, whole: bool, words: Iterable[Word] = ()) -> Clip:
    """One clip as it would stand in a show: probed, its pictures looked at, ``whole`` or in samples, with what a person
    says of it."""
    facts, picture = probe_guarded(path), None
    if facts.fault is None:
        facts, picture = _looked_at(path, facts, whole=whole)
    return Clip(
        id=0, delivery_id=0, root="", path=str(path), name=path.name, measured=facts, picture=picture, entries=(),
        words=tuple(words), decided=Decided(), revision=0, show_id=0, proxy_of=None, proxies=0,
    )  # fmt: skip


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
    return parse_table(table, guess_columns(table.headings), title_of(log.name), str(log.resolve().parent)).entries


def _clips(paths: Sequence[Path]) -> list[Path]:
    out: list[Path] = []
    for path in paths:
        if not path.is_dir():
            out.append(path)
            continue
        below = sorted(p for p in path.rglob("*") if p.is_file() and not p.name.startswith("."))
        out += [Path(name) for name in gathered(str(p) for p in below if not is_report(p.name))]
    return out
