"""Which rows of a report belong to which clips, by name, reel and timecode."""

import re
from bisect import bisect_left
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import islice, takewhile

import numpy as np

from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode


@dataclass(frozen=True)
class Candidate:
    """What rows are matched with: a clip's name, start timecode and rate, how many frames it holds, and the folder that
    it lies in."""

    id: int
    name: str
    timecode: str | None = None
    rate: Rate | None = None
    frames: int = 0
    folder: str = ""


@dataclass(frozen=True)
class Matched:
    """Which rows belong to which clips, and which belong to none."""

    entries: dict[int, tuple[LogEntry, ...]]
    unmatched: tuple[LogEntry, ...]


def match(entries: Iterable[LogEntry], subjects: Sequence[Candidate]) -> Matched:
    """Match rows to clips: by the whole name; else by a name that only one clip's name begins with or holds; else
    by reel and timecode, or timecode alone, where that fits one clip only. Of clips of one name a row means those that
    lie nearest to its report, that hold its timecode, and that are of its reel, as far as that distinguishes them."""
    index = _Index(subjects)
    found: dict[int, list[LogEntry]] = {}
    unmatched = []
    for entry in entries:
        fitting = index.fitting(entry)
        for subject in fitting:
            found.setdefault(subject.id, []).append(entry)
        if not fitting:
            unmatched.append(entry)
    return Matched({key: tuple(rows) for key, rows in found.items()}, tuple(unmatched))


def stem(name: str) -> str:
    """A name without its ending and without what people write differently: case, blanks, dashes."""
    base = re.sub(r"\.[a-z0-9]{2,4}$", "", name.strip().lower())
    return re.sub(r"[\s_\-.]+", "_", base).strip("_")


def folder_of(path: str) -> str:
    """The path of the folder that a path lies in; empty where it lies in none."""
    return path.rpartition("/")[0]


def shared_folders(one: str, other: str) -> int:
    """How many folders the paths of two folders share from the outermost on."""
    steps = zip(one.split("/"), other.split("/"), strict=False)
    return sum(1 for _ in takewhile(lambda step: step[0] == step[1], steps))


class _Index:
    """Clips as rows ask for them: by name, by the beginnings and the parts of names, by timecode."""

    def __init__(self, subjects: Sequence[Candidate]) -> None:
        self._by_stem: dict[str, list[Candidate]] = {}
        self._by_start: dict[str, list[Candidate]] = {}
        self._by_rate: dict[Rate, list[tuple[int, int, Candidate]]] = {}
        for subject in subjects:
            self._by_stem.setdefault(stem(subject.name), []).append(subject)
            if subject.timecode:
                self._by_start.setdefault(_digits(subject.timecode), []).append(subject)
            if (span := _span(subject)) is not None and subject.rate is not None:
                self._by_rate.setdefault(subject.rate, []).append((*span, subject))
        self._spans = {
            rate: (
                np.array([first for first, _, _ in spans]),
                np.array([stop for _, stop, _ in spans]),
                [subject for _, _, subject in spans],
            )
            for rate, spans in self._by_rate.items()
        }

    @cached_property
    def _sorted(self) -> list[str]:
        return sorted(self._by_stem)

    @cached_property
    def _by_part(self) -> dict[str, set[str]]:
        """Names by the runs of parts that they hold; only for reports that do not write them out."""
        out: dict[str, set[str]] = {}
        for name in self._sorted:
            for part in _parts_of(name):
                out.setdefault(part, set()).add(name)
        return out

    def fitting(self, entry: LogEntry) -> list[Candidate]:
        """The clips that a row belongs to."""
        if entry.clip:
            return self._meant(entry, self._by_stem.get(stem(entry.clip), []) or self._named_in_part(stem(entry.clip)))
        return self._at(entry) if entry.timecode else []

    def _meant(self, entry: LogEntry, namesakes: list[Candidate]) -> list[Candidate]:
        """Those of several clips of one name that a row means; what fits none of them says nothing."""
        if len(namesakes) < 2:
            return namesakes
        if entry.folder:
            near = [shared_folders(entry.folder, namesake.folder) for namesake in namesakes]
            namesakes = [namesake for namesake, shared in zip(namesakes, near, strict=True) if shared == max(near)]
        if entry.timecode:
            for fitting in (self._by_start.get(_digits(entry.timecode), []), self._holding(entry.timecode)):
                namesakes = [namesake for namesake in namesakes if namesake in fitting] or namesakes
        return [namesake for namesake in namesakes if _is_of_reel(namesake, entry)] or namesakes

    def _named_in_part(self, wanted: str) -> list[Candidate]:
        """The clip that is the only one whose name begins with this, or holds it as a part of its own."""
        if len(wanted) < _SHORTEST_PART:
            return []
        first = bisect_left(self._sorted, wanted)
        longer = set(takewhile(lambda name: name.startswith(wanted), islice(self._sorted, first, first + 2)))
        longer |= self._by_part.get(wanted, set())
        return self._by_stem[longer.pop()] if len(longer) == 1 else []

    def _at(self, entry: LogEntry) -> list[Candidate]:
        fitting = self._by_start.get(_digits(entry.timecode)) or self._holding(entry.timecode)
        if entry.reel and len(fitting) > 1:
            fitting = [candidate for candidate in fitting if stem(entry.reel) in stem(candidate.name)]
        return fitting if len(fitting) == 1 else []

    def _holding(self, timecode: str) -> list[Candidate]:
        """The clips that a timecode lies within."""
        out = []
        for rate, (firsts, stops, candidates) in self._spans.items():
            try:
                wanted = Timecode.parse(timecode, rate).frames
            except RuleError:
                continue
            out += [candidates[i] for i in np.flatnonzero((firsts <= wanted) & (wanted < stops))]
        return out


def _is_of_reel(one: Candidate, entry: LogEntry) -> bool:
    """Whether the reel is its name or a folder's, or a part of one: reel ``A`` is that of the folder ``CAM_A``."""
    reel = stem(entry.reel)
    return bool(reel) and any(f"_{reel}_" in f"_{stem(part)}_" for part in (one.name, *one.folder.split("/")))


_SHORTEST_PART = 3
_MOST_PARTS = 24
"""Parts of a name that are looked at; longer names are found by their beginnings."""


def _parts_of(name: str) -> set[str]:
    """Every run of parts of a name, as underscores part them."""
    parts = name.split("_")[:_MOST_PARTS]
    runs = ("_".join(parts[i:j]) for i in range(len(parts)) for j in range(i + 1, len(parts) + 1))
    return {run for run in runs if len(run) >= _SHORTEST_PART}


def _span(subject: Candidate) -> tuple[int, int] | None:
    """The first frame of a clip's timecode, counted from midnight, and the one after its last."""
    if not subject.timecode or subject.rate is None:
        return None
    try:
        start = Timecode.parse(subject.timecode, subject.rate).frames
    except RuleError:
        return None
    return start, start + subject.frames


def _digits(timecode: str) -> str:
    return re.sub(r"\D", "", timecode)
