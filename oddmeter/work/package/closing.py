"""Closing a package: files are made and proven out of sight, described, hashed, and placed as a whole."""

import os
import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import av

from oddmeter.config import TOOL, VERSION
from oddmeter.core.conform.proof import Proof
from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.planning.filenames import safe_name
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.interchange.hashlists.bagit import PAYLOAD, write_bag
from oddmeter.interchange.hashlists.hashes import Algorithm, hash_of
from oddmeter.interchange.hashlists.mhl import write_mhl
from oddmeter.interchange.otio.writing import write_otio
from oddmeter.interchange.reports import proven
from oddmeter.media.files.probe import probe
from oddmeter.media.marks import picture_marks, sound_marks
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import made_files, render
from oddmeter.media.settings.setting import Place
from oddmeter.media.verify import verify
from oddmeter.media.writing.placing import could_not_write, remove, unfinished
from oddmeter.media.writing.sounds import beside
from oddmeter.work.orders import Order
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
)

Progress = Callable[[str, int, int], None]
"""Told what is being done, how far it is, and of how much; may raise to stop."""


@dataclass(frozen=True)
class Wanted:
    """A file of a package: ``plan_in`` gives its plan in a folder, ``order`` is what it is made by. One that was made
    and proven before has its ``proof``, and lies under the names of ``made``."""

    name: str
    plan_in: Callable[[Path], ClipPlan]
    order: Order
    proof: Proof | None = None
    made: tuple[Path, ...] = ()


@dataclass(frozen=True)
class Closed:
    """A package that was closed: its folder, the files in it, and those that were refused, each with a sentence."""

    folder: Path
    files: list[FileEntry]
    refused: dict[str, str]
    sheet: Sheet


def close_package(
    folder: Path,
    wanted: Sequence[Wanted],
    algorithm: Algorithm,
    person: str = "",
    progress: Progress = lambda what, done, of: None,
) -> Closed:
    """Make, prove, describe and hash files, and place them as a package. What cannot be made, or is not what was
    planned, is left out and said. Raises ``RuleError`` where the folder is there already, or nothing could be made;
    then nothing stays behind."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise RuleError(f"{folder.name} is there already and not empty. Choose another folder.", "exists")
    around = unfinished(folder)
    building = around / folder.name
    payload = building / PAYLOAD if algorithm.in_bag else building
    files: list[FileEntry] = []
    refused: dict[str, str] = {}
    try:
        payload.mkdir(parents=True)
        for file in wanted:
            plan = file.plan_in(payload)
            try:
                files.append(_made(plan, file, payload, progress))
            except RuleError as error:
                refused[file.name] = str(error)
                for path in made_files(plan):
                    remove(path)
        if not files:
            raise RuleError("; ".join(f"{name}: {why}" for name, why in refused.items()) or "Nothing was asked for.")
        sheet = _describe(payload, files, person)
        _write_hashes(building, payload, algorithm, person, progress)
        if folder.exists():
            folder.rmdir()
        building.rename(folder)
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(could_not_write(folder.name, error), "write") from error
    finally:
        shutil.rmtree(around, ignore_errors=True)
    return Closed(folder, files, refused, sheet)


def _made(plan: ClipPlan, file: Wanted, payload: Path, progress: Progress) -> FileEntry:
    if file.proof is not None:
        progress(f"Describing {plan.out.name}", 0, 1)
        for made, own in zip(file.made, made_files(plan), strict=True):
            _linked(made, own)
        return entry_of(plan, file.order, file.proof, payload)
    losses = render(plan, lambda done: progress(f"Making {plan.out.name}", done, plan.length))
    proof = verify(plan, lambda done: progress(f"Proving {plan.out.name}", done, plan.length), losses)
    if not proof.passed:
        wrong = next(check for check in proof.checks if not check.passed)
        raise RuleError(
            f"It was made, but it is not what was planned: {wrong.name}, planned {wrong.planned}, found {wrong.found}.",
            "proof",
        )
    return entry_of(plan, file.order, proof, payload)


def _linked(made: Path, own: Path) -> None:
    """Put a made file, or folder of numbered pictures, into a package: the same bytes under a second name where the
    disk can, else copied."""
    own.parent.mkdir(parents=True, exist_ok=True)
    if made.is_dir():
        own.mkdir()
        for file in sorted(made.iterdir()):
            _linked(file, own / file.name)
        return
    try:
        os.link(made, own)
    except OSError:
        shutil.copy2(made, own)


def entry_of(plan: ClipPlan, order: Order, proof: Proof, folder: Path) -> FileEntry:
    """What is said of a file that was made and proven, below a folder."""
    canvas, planned = plan.canvas, plan.conformed
    marks = picture_marks(plan.opened_as, plan.length)
    identity = plan.facts.identity
    repeats = int((marks.sums[1:] == marks.sums[:-1]).sum())
    return FileEntry(
        path=_below(plan.out, folder), opened_as=_below(plan.opened_as, folder), source=plan.source.name,
        taken_as=_taken_as(plan.facts),
        identity=[] if identity is None else [identity.size, identity.samples, identity.whole],
        setting=plan.setting.document(), rate=fraction_text(plan.rate.value), frames=plan.length, width=canvas.width,
        height=canvas.height, pixel_aspect=fraction_text(canvas.pixel_aspect), fields=fields_word(plan.field_order),
        timecode=str(plan.start) if plan.setting.timecode else None, speed=fraction_text(planned.speed),
        intent=order.treated.get("intent", ""), cadence=planned.frame_map.kind.value, repeats=repeats,
        sounds=_sounds(plan, folder),
        pictures=marks.document(), order=order.model_dump(mode="json"), cuts=sorted(plan.cuts), proof=proven(proof),
    )  # fmt: skip


def _taken_as(facts: Facts) -> dict[str, str | None]:
    return {
        "scan": facts.scan.value, "first_field": facts.field_order.value if facts.field_order else None,
        "pixel_aspect": fraction_text(facts.pixel_aspect), "timecode": facts.timecode,
        "rate": fraction_text(facts.file_rate.value) if facts.file_rate else None,
    }  # fmt: skip


def facts_taken_as(facts: Facts, said: Mapping[str, str | None]) -> Facts:
    """The facts of a source as they were settled when a file was made of it."""
    first, rate = said.get("first_field"), said.get("rate")
    return replace(
        facts,
        scan=Scan(said["scan"] or ""),
        field_order=FieldOrder(first) if first else None,
        pixel_aspect=Fraction(said["pixel_aspect"] or "1"),
        timecode=said.get("timecode"),
        file_rate=Rate(Fraction(rate)) if rate else facts.file_rate,
    )


def fields_word(order: FieldOrder | None) -> str:
    """``progressive``, or the field that comes first."""
    return order.value if order else "progressive"


def _sounds(plan: ClipPlan, folder: Path) -> list[SoundEntry]:
    if plan.setting.sound.place is Place.NONE or not plan.sounds:
        return []
    exact = plan.encoding.sound.exact
    if plan.setting.sound.place is Place.BESIDE:
        places = [(path, 0) for path in beside(plan, plan.out if plan.setting.is_numbered else plan.out.parent)]
    else:
        places = [(plan.out, sound.place) for sound in probe(plan.out).sounds]
    return [
        SoundEntry(
            path=_below(path, folder), place=place, layout=track.layout[0], exact=exact,
            marks=sound_marks(path, place, exact=exact).document(),
        )
        for (path, place), track in zip(places, plan.sounds, strict=True)
    ]  # fmt: skip


def _describe(payload: Path, files: list[FileEntry], person: str) -> Sheet:
    sheet = Sheet(tool=TOOL, made_at=datetime.now(UTC).replace(microsecond=0), person=person, files=files)
    (payload / SHEET).write_text(sheet.text(), encoding="utf-8")
    (payload / TABLE).write_text(as_table(sheet), encoding="utf-8", newline="")
    (payload / PAGE).write_text(as_page(sheet), encoding="utf-8")
    (payload / DECISIONS).write_text(decisions_text(sheet.files), encoding="utf-8")
    for name, text in lists_of(files).items():
        (payload / name).write_text(text, encoding="utf-8")
    return sheet


def lists_of(files: Sequence[FileEntry]) -> dict[str, str]:
    """The lists of a package by their names: its files one after the other. None where they have different rates."""
    if len({entry.rate for entry in files}) != 1:
        return {}
    listed = _listed(files)
    return {"list.edl": write_edl(listed).text, "list.otio": write_otio(listed)}


def _listed(files: Sequence[FileEntry]) -> ListedTimeline:
    """The files one after the other, each whole, at 100 per cent."""
    order = Order.model_validate(files[0].order)
    rate, at, events = Rate(Fraction(order.timeline_rate)), 0, []
    for entry in files:
        begins = Timecode.parse(entry.timecode, rate, order.drop_frame).frames if entry.timecode else 0
        start = Label(Fraction(begins), rate, order.drop_frame)
        events.append(
            ListedEvent("V1", SourceKind.CLIP, at, entry.frames, Path(entry.path).stem, "", entry.opened_as, start)
        )
        at += entry.frames
    return ListedTimeline("Package", rate, order.drop_frame, 0, tuple(events))


def _write_hashes(building: Path, payload: Path, algorithm: Algorithm, person: str, progress: Progress) -> None:
    files = sorted(path for path in payload.rglob("*") if path.is_file())
    total, done, hashes = sum(path.stat().st_size for path in files), 0, {}
    for path in files:

        def on(count: int) -> None:
            nonlocal done
            done += count
            progress("Hashing", done, total)

        hashes[_below(path, building)] = hash_of(path, algorithm, on)
    write = write_bag if algorithm.in_bag else write_mhl
    write(building, hashes, algorithm, person, VERSION)


def _below(path: Path, folder: Path) -> str:
    return path.relative_to(folder).as_posix()


def safe_stem(name: str) -> str:
    """A name for a made file after its clip, without what a sequence's pattern holds."""
    return safe_name(Path(name).stem.replace("#", "").strip("._- ") or "clip")
