"""Numbered picture sequences: many files that are one clip.

A sequence is written as one path whose number is a run of ``#``, one for each digit: ``Chart/tide_####.png``.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

PICTURE_ENDINGS = (".png", ".tif", ".tiff", ".dpx", ".jpg", ".jpeg")
_NUMBERED = re.compile(r"(.*?)(\d{1,9})(\.[A-Za-z]{3,4})")
_PATTERN = re.compile(r"(.*?)(#{1,9})(\.[A-Za-z]{3,4})")
MOST_GAPS_NAMED = 6


@dataclass(frozen=True)
class Sequence:
    """The files of a sequence in order of number, without a second file of one number.

    ``missing`` are runs of numbers, first and last, that are not there, ``duplicates`` names of files whose
    number another file has, such as ``tide_7.png`` beside ``tide_0007.png``.
    """

    files: tuple[Path, ...]
    numbers: tuple[int, ...]
    missing: tuple[tuple[int, int], ...]
    duplicates: tuple[str, ...]

    @property
    def remarks(self) -> list[str]:
        """Sentences about gaps and duplicates."""
        out = []
        if self.missing:
            named = [str(first) if first == last else f"{first} to {last}" for first, last in self.missing]
            more = f" and {len(named) - MOST_GAPS_NAMED} more places" if len(named) > MOST_GAPS_NAMED else ""
            single = len(self.missing) == 1 and self.missing[0][0] == self.missing[0][1]
            noun, verb = ("Number", "is") if single else ("Numbers", "are")
            out.append(f"{noun} {', '.join(named[:MOST_GAPS_NAMED])}{more} {verb} missing.")
        if self.duplicates:
            verb = "has" if len(self.duplicates) == 1 else "have"
            out.append(f"{', '.join(self.duplicates[:MOST_GAPS_NAMED])} {verb} the number of another file; left out.")
        return out


def is_sequence(path: Path) -> bool:
    """True where a path stands for a numbered sequence."""
    return _PATTERN.fullmatch(path.name) is not None and not path.exists()


def is_there(path: Path) -> bool:
    """True where a file, or at least one picture of a sequence, is where the path says."""
    return path.is_file() or bool(is_sequence(path) and sequence(path).files)


def sequence(path: Path) -> Sequence:
    """The files that a sequence's path stands for; none where there are none."""
    pattern = _PATTERN.fullmatch(path.name)
    if pattern is None or not path.parent.is_dir():
        return Sequence((), (), (), ())
    wanted: dict[int, list[Path]] = {}
    for entry in sorted(path.parent.iterdir()):
        numbered = _NUMBERED.fullmatch(entry.name)
        if numbered and numbered[1] == pattern[1] and numbered[3].lower() == pattern[3].lower() and entry.is_file():
            wanted.setdefault(int(numbered[2]), []).append(entry)
    width = len(pattern[2])
    numbers = sorted(wanted)
    files, duplicates = [], []
    for number in numbers:
        first, *others = sorted(wanted[number], key=lambda file: (len(file.stem) != len(pattern[1]) + width, file.name))
        files.append(first)
        duplicates += [other.name for other in others]
    missing = [(before + 1, after - 1) for before, after in pairwise(numbers) if after - before > 1]
    return Sequence(tuple(files), tuple(numbers), tuple(missing), tuple(duplicates))


def gathered(paths: Iterable[str]) -> list[str]:
    """Paths with the pictures of each numbered sequence, two or more in one folder, put together as one path."""
    groups: dict[tuple[str, str], list[tuple[str, str]]] = {}
    out: list[str] = []
    for path in paths:
        folder, _, name = path.rpartition("/")
        numbered = _NUMBERED.fullmatch(name)
        if numbered and numbered[3].lower() in PICTURE_ENDINGS:
            base = f"{folder}/{numbered[1]}" if folder else numbered[1]
            groups.setdefault((base, numbered[3].lower()), []).append((path, numbered[2]))
        else:
            out.append(path)
    for (base, _), members in groups.items():
        if len(members) == 1:
            out.append(members[0][0])
            continue
        widths = [len(digits) for _, digits in members]
        ending = "." + members[0][0].rpartition(".")[2]
        out.append(f"{base}{'#' * max(set(widths), key=widths.count)}{ending}")
    return sorted(out)
