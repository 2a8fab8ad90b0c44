"""Which rows of a report belong to which clips, by name, reel and timecode."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode


@dataclass(frozen=True)
class Candidate:
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


def match(entries: Iterable[LogEntry], subjects: Sequence[Candidate]) -> Matched:
    """Match rows to clips: by the whole name; else by a name that only one clip's name begins with or holds; else
    by reel and timecode, or timecode alone, where that fits one clip only."""
    by_stem: dict[str, list[Candidate]] = {}
    by_start: dict[str, list[Candidate]] = {}
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


def _by_part(entry: LogEntry, by_stem: dict[str, list[Candidate]]) -> list[Candidate]:
    wanted = stem(entry.clip)
    if len(wanted) < 3:
        return []
    longer = [name for name in by_stem if f"_{name}_".find(f"_{wanted}_") >= 0 or name.startswith(wanted)]
    return by_stem[longer[0]] if len(longer) == 1 else []


def _by_timecode(
    entry: LogEntry, by_start: dict[str, list[Candidate]], subjects: Sequence[Candidate]
) -> list[Candidate]:
    if not entry.timecode or entry.clip:
        return []
    fitting = by_start.get(_digits(entry.timecode)) or [s for s in subjects if _holds(s, entry.timecode)]
    if entry.reel and len(fitting) > 1:
        fitting = [s for s in fitting if stem(entry.reel) in stem(s.name)]
    return fitting if len(fitting) == 1 else []


def _holds(subject: Candidate, timecode: str) -> bool:
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
