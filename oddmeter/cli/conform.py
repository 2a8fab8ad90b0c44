"""Commands that make files and packages of clips, and that verify packages."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from oddmeter.cli.calls import AsJson, WrongCallError, app, called, choice, print_json, print_lines, reported, text_of
from oddmeter.cli.commands import curve_in, words_of
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Between, Effort, Fields, Intent, SoundChoice
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.plans import Plan, Refusal
from oddmeter.interchange.asked import ConformAsked, asked_for
from oddmeter.interchange.figures import figures
from oddmeter.interchange.reports import proven

if TYPE_CHECKING:
    from oddmeter.media.plans import ClipPlan
    from oddmeter.media.settings.setting import Setting
    from oddmeter.work.package.closing import Wanted


@app.command()
def settings(as_json: AsJson = False) -> None:
    """What files can be made as on this machine: each line is a setting for --setting, its JSON a file for it."""
    from oddmeter.media.settings.shipped import SHIPPED, ready_made  # noqa: PLC0415

    every = (*SHIPPED, *ready_made())
    if as_json:
        print_json([setting.document() for setting in every])
        return
    width = max(len(setting.name) for setting in every)
    for setting in every:
        print(f"{setting.name:{width}}  {setting.label}")


@app.command("conform")
def conform_files(
    paths: Annotated[list[Path], typer.Argument(metavar="CLIP…", help="The clip, or, for a package, several.")],
    timeline: Annotated[str | None, typer.Option(help="Timeline rate; in a package that of the first clip.")] = None,
    out: Annotated[Path | None, typer.Option(help="The file to make; never over another file.")] = None,
    package: Annotated[Path | None, typer.Option(help="The folder to make as a package, in place of a file.")] = None,
    hashes: Annotated[str, typer.Option(help="Of a package: xxh128 or c4 (ASC MHL), sha256 or sha512 (BagIt).")] = (
        "xxh128"
    ),
    person: Annotated[str, typer.Option(help="Of a package: who hands it over.")] = "",
    intent: Annotated[Intent | None, typer.Option(help="What is wanted of the clip; in a package left as it is.")] = (
        None
    ),
    value: Annotated[str | None, typer.Option(help="Speed, pace, or timeline frames to fit.")] = None,
    shot: Annotated[str | None, typer.Option(help="Shot rate; what the evidence says if left out.")] = None,
    file_rate: Annotated[str | None, typer.Option("--file", help="File rate, of a numbered sequence.")] = None,
    read_rate: Annotated[str | None, typer.Option("--read", help="Read rate.")] = None,
    span: Annotated[str, typer.Option(help="In and out in source frames, both included, such as 12-240.")] = "whole",
    fields: Annotated[str, typer.Option(help=f"{words_of(Fields)}.")] = "whole",
    between: Annotated[str, typer.Option(help=f"{words_of(Between)}.")] = "pick",
    shutter: Annotated[str, typer.Option(help="Of Gather: how long it is open, such as 180 or 360.")] = "180",
    effort: Annotated[str, typer.Option(help=f"Of Flow: {words_of(Effort)}.")] = "normal",
    reach: Annotated[str, typer.Option(help="Of Flow: how far things move between two frames, in pixels.")] = "48",
    trust: Annotated[str, typer.Option(help="Of Flow: what is less sure is mixed; 0 to 100%.")] = "10%",
    curve: Annotated[Path | None, typer.Option(help="A curve as JSON, for the intent curve.")] = None,
    held_rate: Annotated[str, typer.Option("--held-rate", help="12 pictures a second, on twos, 3 frames.")] = "off",
    raster: Annotated[str | None, typer.Option(help="Raster of the timeline, 1920x1080 or 720x576@16/15.")] = None,
    fit: Annotated[str | None, typer.Option(help="inside, fill, width, height or stretch.")] = None,
    scan: Annotated[str, typer.Option(help="progressive, upper or lower: the field that comes first.")] = "progressive",
    setting: Annotated[str, typer.Option(help="A setting that oddmeter settings lists, or a JSON file of one.")] = (
        "view"
    ),
    sound: Annotated[str, typer.Option(help=f"{words_of(SoundChoice)}.")] = "follow",
    sound_streams: Annotated[str, typer.Option("--sound-streams", help="all, or numbers such as 1,3.")] = "all",
    sound_rate: Annotated[int | None, typer.Option("--sound-rate", min=8000, help="Samples a second.")] = None,
    drop_frame: Annotated[bool, typer.Option("--drop-frame", help="Drop-frame timecode.")] = False,
    as_json: AsJson = False,
) -> None:
    """Make a file at the timeline rate, or a package of several, reopen each, and print plan and proof."""
    if (out is None) == (package is None):
        raise WrongCallError("conform needs --out FILE, or --package FOLDER.")
    if package is None and (timeline is None or (intent is None and curve is None)):
        raise WrongCallError("conform needs --timeline, and --intent or --curve.")
    if package is None and len(paths) > 1:
        raise WrongCallError("Several clips need --package.")
    bend = curve_in(curve) if curve else None
    if timeline is None:
        _check_there(paths)
    rate = timeline or file_rate or _own_rate(paths[0])
    wish = intent or (Intent.CURVE if bend else Intent.LEAVE)
    asked = called(
        lambda: asked_for(
            wish, value, curve=bend, timeline=rate, drop_frame=drop_frame, shot=shot,
            file_rate=file_rate, read_rate=read_rate, raster=raster, fit=fit, scan=scan, sound_rate=sound_rate,
            parts={
                Part.FIELDS: fields, Part.BETWEEN: between, Part.SHUTTER: shutter, Part.EFFORT: effort,
                Part.REACH: reach, Part.TRUST: trust, Part.HELD: held_rate, Part.SOUND: sound,
                Part.STREAMS: sound_streams, Part.SPAN: span,
            },
        )
    )  # fmt: skip
    to_make = _ToMake(asked, setting_from(setting), sound_rate)
    _check_there(paths)
    if out is not None:
        _make_file(paths[0], to_make, out, as_json=as_json)
    elif package is not None:
        _make_package(paths, to_make, package, hashes, person, as_json=as_json)


@dataclass(frozen=True)
class _ToMake:
    """What is asked of every clip of a call."""

    asked: ConformAsked
    setting: "Setting"
    sound_rate: int | None

    def planned(self, path: Path) -> Plan:
        """A clip planned as asked; raises ``RuleError`` where it cannot be."""
        from oddmeter.work.inspection import clip_at  # noqa: PLC0415  (heavy libraries only where files are opened)

        clip = clip_at(path, whole=self.asked.looks_at_all, words=self.asked.words)
        outcome = self.asked.outcome(clip)
        if isinstance(outcome, Refusal):
            if clip.facts is not None and clip.facts.fault is None and outcome.known.material is None:
                raise WrongCallError(f"{path.name} has no rate of its own; say it with --file.")
            raise RuleError(outcome.sentence, outcome.code)
        return outcome

    def file_plan(self, plan: Plan, path: Path, out: Path) -> "ClipPlan":
        """The plan of a clip's file."""
        from oddmeter.media.plans import ClipPlan  # noqa: PLC0415

        picture = plan.clip.picture
        return ClipPlan(
            path, plan.facts, plan.conformed, self.setting, out, plan.timeline.settings.drop_frame,
            self.asked.canvas(plan.facts), self.sound_rate, frozenset(picture.cuts if picture else ()),
        )  # fmt: skip

    def wanted(self, path: Path, name: str) -> "Wanted":
        """A clip as a file of a package."""
        from oddmeter.work.orders import order_of  # noqa: PLC0415
        from oddmeter.work.package.closing import Wanted  # noqa: PLC0415

        plan = self.planned(path)
        order = order_of(plan).model_copy(update={"sound_rate": self.sound_rate})
        if self.asked.canvas(plan.facts) is None:
            order = order.model_copy(update={"canvas": None})
        return Wanted(str(path), lambda folder: self.file_plan(plan, path, folder / name), order)


def _make_file(path: Path, to_make: _ToMake, out: Path, *, as_json: bool) -> None:
    from oddmeter.media.render import render  # noqa: PLC0415
    from oddmeter.media.verify import verify  # noqa: PLC0415

    planned = to_make.planned(path)
    plan = to_make.file_plan(planned, path, out)
    with reported(f"Making {out.name}", plan.length) as progress:
        losses = render(plan, progress)
    with reported(f"Proving {out.name}", plan.length) as progress:
        proof = verify(plan, progress, losses)
    plan_figures = figures(planned.conformed, plan.drop_frame)
    if as_json:
        print_json({"plan": plan_figures, "proof": proven(proof), "out": str(out)})
    else:
        print_lines(plan_figures)
        for check in proof.checks:
            print(
                "matches" if check.passed else "DIFFERS", f"{check.name}: planned {check.planned}, found {check.found}"
            )
    if not proof.passed:
        raise RuleError(f"{out.name} was made, but does not match its plan.", "proof")


def _make_package(
    paths: list[Path], to_make: _ToMake, folder: Path, hashes: str, person: str, *, as_json: bool
) -> None:
    from oddmeter.interchange.hashlists.hashes import Algorithm  # noqa: PLC0415
    from oddmeter.work.package.closing import close_package, safe_stem  # noqa: PLC0415

    algorithm = choice(Algorithm, hashes, "--hashes")
    wanted, refused, names = [], dict[str, str](), set[str]()
    for path in paths:
        name, number = safe_stem(path.name), 1
        while name.casefold() in names:
            number += 1
            name = f"{safe_stem(path.name)}_{number}"
        names.add(name.casefold())
        try:
            wanted.append(to_make.wanted(path, name + to_make.setting.suffix))
        except RuleError as error:
            refused[str(path)] = str(error)
    if not wanted:
        raise RuleError("; ".join(f"{name}: {why}" for name, why in refused.items()))
    with _steps() as progress:
        closed = close_package(folder, wanted, algorithm, person, progress)
    refused |= closed.refused
    if as_json:
        files = [
            {"file": entry.path, "source": entry.source, "rate": entry.rate, "frames": entry.frames,
             "proof": entry.proof}
            for entry in closed.files
        ]  # fmt: skip
        print_json({"package": str(folder), "hashes": algorithm.value, "files": files, "refused": refused})
    else:
        for entry in closed.files:
            print(f"proven   {entry.path}, {entry.frames} frames at {entry.rate}, of {entry.source}")
        print(f"closed   {folder}, {len(closed.files)} files, {algorithm.value}")
    if refused:
        raise RuleError("; ".join(f"{name}: {why}" for name, why in refused.items()))


@app.command()
def verify(
    folder: Annotated[Path, typer.Argument(help="The folder of a package.")],
    sources: Annotated[Path | None, typer.Option(help="A folder with the footage that it was made of.")] = None,
    without_hashes: Annotated[bool, typer.Option("--without-hashes", help="Decode all of it instead.")] = False,
    as_json: AsJson = False,
) -> None:
    """Check a package: nothing missing, changed, extra or renamed, and every file what its sheet says."""
    from oddmeter.work.package.verifying import as_document, verified  # noqa: PLC0415

    with _steps() as progress:
        faults = verified(folder, sources, hashes=not without_hashes, progress=progress)
    if as_json:
        print_json(as_document(faults))
    else:
        for fault in faults:
            print(f"{fault.kind.value:9}  {fault.file}: {fault.words}")
        print("Everything is what was handed over." if not faults else f"{len(faults)} at fault.")
    if faults:
        raise typer.Exit(1)


@app.command()
def copy(
    folder: Annotated[Path, typer.Argument(help="The folder of a package.")],
    to: Annotated[list[Path], typer.Option(help="A folder to copy it into; can be given more than once.")],
    as_json: AsJson = False,
) -> None:
    """Copy a package to one or several places: read back and compared, gone on with where it broke off, never over
    anything."""
    from oddmeter.work.package.copying import copy_package  # noqa: PLC0415

    out = []
    for target in to:
        with _steps() as progress:
            out.append(copy_package(folder, target, progress))
    if as_json:
        print_json([{"folder": str(one.folder), "copied": one.copied, "there": one.there} for one in out])
        return
    for one in out:
        there = f", {one.there} were there already" if one.there else ""
        print(f"copied   {one.folder}: {one.copied} files read back and the same{there}")


@contextmanager
def _steps() -> Iterator[Callable[[str, int, int], None]]:
    """Shows on a terminal which step is under way, and how far it is."""
    shown, last = sys.stderr.isatty(), [""]

    def step(what: str, done: int, of: int) -> None:
        line = f"{what}: {100 * done // max(1, of)} %"
        if shown and line != last[0]:
            last[0] = line
            print(f"\r\033[K{line}", end="", file=sys.stderr, flush=True)

    try:
        yield step
    finally:
        if shown and last[0]:
            print("\r\033[K", end="", file=sys.stderr, flush=True)


def setting_from(text: str) -> "Setting":
    """The setting of a name, or in a JSON file."""
    from oddmeter.media.settings.setting import Setting  # noqa: PLC0415
    from oddmeter.media.settings.shipped import named  # noqa: PLC0415

    if text.endswith(".json"):
        return called(lambda: Setting.parse(text_of(Path(text))))
    found = named(text)
    if found is None:
        raise WrongCallError(f"--setting takes archive, edit, view, or what oddmeter settings lists; not “{text}”.")
    return found


def _check_there(paths: list[Path]) -> None:
    from oddmeter.media.files.sequence import is_there  # noqa: PLC0415

    for path in paths:
        if not is_there(path):
            raise WrongCallError(f"There is no file {path}.")


def _own_rate(path: Path) -> str:
    from oddmeter.media.files.probe import probe  # noqa: PLC0415

    facts = probe(path)
    if facts.fault:
        raise RuleError(f"{path.name}: {facts.fault}", "media")
    if facts.file_rate is None:
        raise WrongCallError(f"{path.name} has no rate of its own; say it with --file or --timeline.")
    return facts.file_rate.exact
