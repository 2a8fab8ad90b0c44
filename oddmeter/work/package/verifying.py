"""Verifying a package: its files against its hash list, then what they are against its sheet, and, with the sources at
hand, every picture and sample against what was decided. No server and no database is needed."""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from typing import Any

from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan
from oddmeter.interchange.hashlists.bagit import DECLARATION, PAYLOAD, read_bag
from oddmeter.interchange.hashlists.hashes import hash_of
from oddmeter.interchange.hashlists.mhl import FOLDER, read_mhl
from oddmeter.media.files.identity import identify
from oddmeter.media.files.probe import probe
from oddmeter.media.files.sequence import is_sequence, is_there, sequence
from oddmeter.media.marks import (
    PictureMarks,
    SoundMarks,
    differing_pictures,
    differing_sound,
    picture_marks,
    sound_marks,
)
from oddmeter.media.plans import ClipPlan
from oddmeter.media.proof.numbered import with_sidecar
from oddmeter.media.settings.setting import Setting
from oddmeter.media.verify import verify
from oddmeter.work.orders import Order
from oddmeter.work.package.closing import Progress, facts_taken_as, fields_word, lists_of
from oddmeter.work.package.sheet import (
    DECISIONS,
    PAGE,
    SHEET,
    TABLE,
    FileEntry,
    Sheet,
    SoundEntry,
    as_page,
    as_table,
    decisions_text,
    read_sheet,
)

_FEW = 3
_SHEETS = (SHEET, TABLE, PAGE, DECISIONS)


class FaultKind(StrEnum):
    """What is wrong with a file of a package."""

    MISSING = "missing"
    EXTRA = "extra"
    CHANGED = "changed"
    RENAMED = "renamed"
    RATE = "rate"
    COUNT = "count"
    RASTER = "raster"
    FIELDS = "fields"
    TIMECODE = "timecode"
    SOUND = "sound"
    PICTURES = "pictures"
    SHEET = "sheet"


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong: the file, by its path below the package, what kind it is, and a sentence."""

    file: str
    kind: FaultKind
    words: str


def verified(
    folder: Path,
    sources: Path | None = None,
    *,
    hashes: bool = True,
    progress: Progress = lambda what, done, of: None,
) -> list[Fault]:
    """What is wrong with a package; nothing where all of it is what was handed over. ``sources`` is a folder with the
    footage that it was made of, where that is at hand. Raises ``RuleError`` where the folder is no package."""
    if not folder.is_dir():
        raise RuleError(f"There is no folder {folder}.", "missing")
    payload = folder / PAYLOAD if (folder / DECLARATION).exists() else folder
    if not (folder / FOLDER).is_dir() and payload is folder and not (payload / SHEET).exists():
        raise RuleError(f"{folder.name} is not a package: it has neither a sheet nor a hash list.", "package")
    faults: list[Fault] = []
    suspects: set[str] | None = None
    if hashes:
        faults, suspects = _by_hash(folder, payload, progress)
    try:
        sheet = read_sheet(payload)
    except RuleError as error:
        if not any(fault.file == SHEET for fault in faults):
            faults.append(Fault(SHEET, FaultKind.SHEET, str(error)))
        return faults
    if not hashes:
        faults += _by_name(payload, sheet)
    faults += _copies(payload, sheet, faults)
    gone = {fault.file for fault in faults if fault.kind in (FaultKind.MISSING, FaultKind.RENAMED)}
    found = _sources(sheet, sources, faults) if sources is not None else {}
    for entry in sheet.files:
        if entry.path in gone:
            continue
        closely = suspects is None or _is_among(suspects, entry)
        faults += _Against(payload, entry, progress).faults(closely=closely, source=found.get(entry.path))
    return _once(faults)


def _is_among(suspects: set[str], entry: FileEntry) -> bool:
    """True where a file, a picture of its folder, or its sound is one of these."""
    own = {entry.path, *(sound.path for sound in entry.sounds)}
    return bool(own & suspects) or any(path.startswith(f"{entry.path}/") for path in suspects)


def _by_hash(folder: Path, payload: Path, progress: Progress) -> tuple[list[Fault], set[str] | None]:
    """What the hash list says, and the files that are not what they were, by their paths below the payload; None, so
    that all are doubted, where there is no list."""
    try:
        algorithm, known = read_bag(folder) if payload is not folder else read_mhl(folder)
    except RuleError as error:
        return [Fault(payload.name if payload is not folder else FOLDER, FaultKind.SHEET, str(error))], None
    own = f"{PAYLOAD}/" if payload is not folder else ""
    stated = {path.removeprefix(own): text for path, text in known.items()}
    there = {path.relative_to(payload).as_posix(): path for path in _files(payload)}
    total, done = sum(path.stat().st_size for path in there.values()), 0

    def on(count: int) -> None:
        nonlocal done
        done += count
        progress("Hashing", done, total)

    now = {name: hash_of(path, algorithm, on) for name, path in there.items()}
    faults, suspects = [], set()
    extra = {name: text for name, text in now.items() if name not in stated}
    for name, text in stated.items():
        if name in now and now[name] == text:
            continue
        if name in now:
            kind = FaultKind.SHEET if name in _SHEETS else FaultKind.CHANGED
            faults.append(Fault(name, kind, f"{name} was changed since it was handed over."))
            suspects.add(name)
            continue
        other = next((extra_name for extra_name, its in extra.items() if its == text), None)
        if other is not None:
            extra.pop(other)
            faults.append(Fault(name, FaultKind.RENAMED, f"{name} is called {other} now."))
        else:
            faults.append(Fault(name, FaultKind.MISSING, f"{name} is missing."))
            suspects.add(name)
    faults += [Fault(name, FaultKind.EXTRA, f"{name} was not handed over.") for name in sorted(extra)]
    return faults, suspects


def _files(payload: Path) -> list[Path]:
    hidden = payload / FOLDER
    return sorted(path for path in payload.rglob("*") if path.is_file() and hidden not in path.parents)


def _by_name(payload: Path, sheet: Sheet) -> list[Fault]:
    """What is missing, extra or renamed by the sheet alone; another name is told by what is shown first."""
    wanted = {entry.path: entry for entry in sheet.files}
    known = {*wanted, *_SHEETS, "list.edl", "list.otio"}
    known |= {sound.path for entry in sheet.files for sound in entry.sounds}
    folders = tuple(f"{path}/" for path, entry in wanted.items() if entry.path != entry.opened_as)
    names = [path.relative_to(payload).as_posix() for path in _files(payload)]
    extra = [name for name in names if name not in known and not name.startswith(folders)]
    faults = []
    for path, entry in wanted.items():
        if (payload / path).exists():
            continue
        other = next((name for name in extra if _is_the_same(payload / name, entry)), None)
        if other is None:
            faults.append(Fault(path, FaultKind.MISSING, f"{path} is missing."))
        else:
            extra.remove(other)
            faults.append(Fault(path, FaultKind.RENAMED, f"{path} is called {other} now."))
    return faults + [Fault(name, FaultKind.EXTRA, f"{name} was not handed over.") for name in sorted(extra)]


def _is_the_same(path: Path, entry: FileEntry) -> bool:
    facts = probe(path)
    if facts.fault or facts.frames != entry.frames:
        return False
    then, now = PictureMarks.parse(entry.pictures), picture_marks(path, min(5, entry.frames))
    return bool(len(now.sums)) and bool((then.sums[: len(now.sums)] == now.sums).all())


def _copies(payload: Path, sheet: Sheet, faults: list[Fault]) -> list[Fault]:
    """The table, the page and the decisions, which are written from the sheet, where they do not say the same."""
    named = {fault.file for fault in faults}
    texts = {TABLE: as_table(sheet), PAGE: as_page(sheet), DECISIONS: decisions_text(sheet.files)}
    texts |= lists_of(sheet.files)
    out = []
    for name, text in texts.items():
        if name in named:
            continue
        try:
            same = (payload / name).read_text(encoding="utf-8") == text
        except (OSError, UnicodeDecodeError):
            same = False
        if not same:
            out.append(Fault(name, FaultKind.SHEET, f"{name} does not say what {SHEET} says."))
    return out


def _sources(sheet: Sheet, folder: Path, faults: list[Fault]) -> dict[str, Path]:
    """For each file the footage that it was made of, by name and content; what is not found is a fault of pictures."""
    files = [path for path in folder.rglob("*") if path.is_file()] if folder.is_dir() else []
    by_name: dict[str, list[Path]] = {}
    for path in files:
        by_name.setdefault(path.name, []).append(path)
    out = {}
    for entry in sheet.files:
        candidates = by_name.get(entry.source, [])
        if "#" in entry.source:
            candidates = [path for path in {file.parent / entry.source for file in files} if is_there(path)]
        found = next((path for path in candidates if _is_source(path, entry)), None)
        if found is None:
            why = "is another file by now" if candidates else "is not there"
            words = f"Its source {entry.source} {why}, so its pictures were not compared."
            faults.append(Fault(entry.path, FaultKind.PICTURES, words))
        else:
            out[entry.path] = found
    return out


def _is_source(path: Path, entry: FileEntry) -> bool:
    if not entry.identity:
        return True
    size, samples, whole = entry.identity
    return Identity(size, 0, samples, whole).is_same_as(identify(path))


class _Against:
    """A file of a package beside what its sheet says of it."""

    def __init__(self, payload: Path, entry: FileEntry, progress: Progress) -> None:
        self._payload, self._entry, self._progress = payload, entry, progress

    def faults(self, *, closely: bool, source: Path | None) -> Iterator[Fault]:
        """What is wrong; ``closely`` decodes all of it, with its ``source`` it is made once more."""
        path = self._payload / self._entry.opened_as
        made = probe(path)
        if is_sequence(path):
            made = with_sidecar(made, self._payload / self._entry.path)
            yield from self._numbers(path)
        if made.fault and not made.sounds:
            yield self._fault(FaultKind.PICTURES, made.fault)
            return
        yield from self._facts(made)
        if closely:
            yield from self._closely(path)
        if source is not None:
            yield from self._against_source(source)

    def _fault(self, kind: FaultKind, words: str) -> Fault:
        return Fault(self._entry.path, kind, words)

    def _numbers(self, path: Path) -> Iterator[Fault]:
        gaps = sequence(path).missing
        if gaps:
            first, last = gaps[0]
            which = f"Picture {first} is" if first == last else f"Pictures {first} to {last} are"
            yield self._fault(FaultKind.MISSING, f"{which} missing.")

    def _facts(self, made: Facts) -> Iterator[Fault]:
        entry = self._entry
        rate = Rate(Fraction(entry.rate))
        if made.file_rate != rate or made.timing is not Timing.CONSTANT:
            found = made.file_rate.spoken if made.file_rate else "no rate"
            uneven = "" if made.timing is Timing.CONSTANT else ", unevenly"
            yield self._fault(FaultKind.RATE, f"It runs at {found}{uneven}; {rate.spoken} was handed over.")
        if made.frames != entry.frames:
            yield self._fault(FaultKind.COUNT, f"It has {made.frames} frames; {entry.frames} were handed over.")
        shape = (made.width, made.height, made.pixel_aspect)
        if shape != (entry.width, entry.height, Fraction(entry.pixel_aspect)):
            found = f"{made.width} × {made.height}, pixels {made.pixel_aspect}"
            words = f"{entry.width} × {entry.height}, pixels {entry.pixel_aspect}"
            yield self._fault(FaultKind.RASTER, f"Its raster is {found}; {words} was handed over.")
        fields = fields_word(made.field_order if made.scan is Scan.INTERLACED else None)
        if fields != entry.fields:
            yield self._fault(FaultKind.FIELDS, f"It says {_fields(fields)}; {_fields(entry.fields)} was handed over.")
        if (made.timecode or None) != entry.timecode:
            found = made.timecode or "no timecode"
            yield self._fault(FaultKind.TIMECODE, f"It starts at {found}; {entry.timecode} was handed over.")
        inside = [sound for sound in entry.sounds if sound.path == entry.path]
        if len(made.sounds) != len(inside):
            words = f"It has {len(made.sounds)} sound streams; {len(inside)} were handed over."
            yield self._fault(FaultKind.SOUND, words)

    def _closely(self, path: Path) -> Iterator[Fault]:
        entry = self._entry
        self._progress(f"Decoding {entry.path}", 0, 1)
        try:
            wrong = differing_pictures(PictureMarks.parse(entry.pictures), picture_marks(path, entry.frames))
        except (RuleError, ValueError, KeyError) as error:
            yield self._fault(FaultKind.PICTURES, str(error))
            wrong = []
        if len(wrong) == entry.frames and wrong:
            yield self._fault(FaultKind.PICTURES, "No picture is as it was handed over: it was encoded again.")
        elif wrong:
            named = "; ".join(f"frame {number} {what}" for number, what in wrong[:_FEW])
            more = f", and {len(wrong) - _FEW} more" if len(wrong) > _FEW else ""
            yield self._fault(FaultKind.PICTURES, f"{named[0].upper()}{named[1:]}{more}.")
        for number, sound in enumerate(entry.sounds, 1):
            if words := _sound_words(self._payload, sound):
                which = f"Sound {number}" if len(entry.sounds) > 1 else "Its sound"
                yield self._fault(FaultKind.SOUND, f"{which} {words}.")
        self._progress(f"Decoding {entry.path}", 1, 1)

    def _against_source(self, source: Path) -> Iterator[Fault]:
        entry, name = self._entry, f"Comparing {self._entry.path}"
        try:
            plan = plan_of(entry, source, self._payload)
            proof = verify(plan, lambda done: self._progress(name, done, entry.frames))
        except RuleError as error:
            yield self._fault(FaultKind.PICTURES, str(error))
            return
        for check in proof.checks:
            if not check.passed:
                kind = next((kind for word, kind in _KINDS.items() if check.name.startswith(word)), FaultKind.PICTURES)
                words = f"By its source, {check.name}: planned {check.planned}, found {check.found}."
                yield self._fault(kind, words)


_KINDS = {
    "rate": FaultKind.RATE, "frames": FaultKind.COUNT, "raster": FaultKind.RASTER, "pixel shape": FaultKind.RASTER,
    "start timecode": FaultKind.TIMECODE, "fields": FaultKind.FIELDS, "sound": FaultKind.SOUND,
}  # fmt: skip


def plan_of(entry: FileEntry, source: Path, folder: Path) -> ClipPlan:
    """The plan by which a file was made, to be made once more from its source. Raises ``RuleError`` where that cannot
    be."""
    order, facts = Order.model_validate(entry.order), probe(source)
    if facts.fault:
        raise RuleError(f"{source.name}: {facts.fault}", "media")
    facts = facts_taken_as(facts, entry.taken_as)
    return ClipPlan(
        source, facts, order.conformed(facts.times), Setting.parse(entry.setting), folder / entry.path,
        order.drop_frame, order.timeline, order.sound_rate, frozenset(entry.cuts),
    )  # fmt: skip


def _sound_words(payload: Path, sound: SoundEntry) -> str:
    try:
        now = sound_marks(payload / sound.path, sound.place, exact=sound.exact)
        then = SoundMarks.parse(sound.marks)
    except (RuleError, OSError, ValueError, KeyError, IndexError):
        return "cannot be read"
    if now.rate != then.rate:
        return f"has {now.rate} samples a second instead of {then.rate}"
    if words := differing_sound(then, now):
        return words
    return f"has {now.samples} samples instead of {then.samples}" if now.samples != then.samples else ""


def _fields(word: str) -> str:
    return "whole pictures" if word == "progressive" else f"{word} field first"


def _once(faults: list[Fault]) -> list[Fault]:
    return list(dict.fromkeys(faults))


def as_document(faults: list[Fault]) -> dict[str, Any]:
    """Faults as JSON: whether there are none, and each of them."""
    found = [{"file": fault.file, "kind": fault.kind.value, "words": fault.words} for fault in faults]
    return {"ok": not faults, "faults": found}
