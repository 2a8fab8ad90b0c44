"""The command for cuts: lists read, written in another format, and compared."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from oddmeter.cli.calls import AsJson, WrongCallError, app, called, print_json, stop
from oddmeter.core.cutting.listed import ListedTimeline
from oddmeter.core.lists.pulls import pulls
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.cuts import comparison_document, cut_document, pull_documents
from oddmeter.interchange.formats import FORMATS, READ, endings_text, rates_of, read_cut, write_cut


@app.command("cut")
def read_list(
    path: Annotated[Path, typer.Argument(help=f"A list: {endings_text(READ)}.")],
    rate: Annotated[str | None, typer.Option(help="The list's rate; an edit decision list does not say it.")] = None,
    drop_frame: Annotated[bool, typer.Option("--drop-frame", help="It is counted in drop-frame.")] = False,
    against: Annotated[Path | None, typer.Option(help="The next version of the same cut, to hold beside it.")] = None,
    to: Annotated[Path | None, typer.Option(help=f"Write it as a list: {endings_text(FORMATS)}.")] = None,
    handles: Annotated[int, typer.Option(min=0, help="Source frames either side of each range of a pull list.")] = 0,
    pull: Annotated[bool, typer.Option("--pull", help="Print the pull list instead of the events.")] = False,
    as_json: AsJson = False,
) -> None:
    """What a list says of a cut: its events with their places, sources and speeds, exactly."""
    at = called(lambda: Rate.parse(rate)) if rate else None
    found = _read(path, at, drop_frame)
    if to is not None:
        _write(found, to, handles)
    if at is None:
        _say_rate(path, found)
    if to is not None:
        return
    if against is not None:
        document = comparison_document(found, _read(against, at or found.rate, drop_frame))
        if as_json:
            print_json(document)
            return
        for fate, events in document.items():
            print(f"{fate:8} {len(events):>5}")
            for event in events if fate != "kept" else ():
                print(f"         {event['track']:>3} {event['record_in']:>8} {event['length']:>6}  {event['name']}")
    elif pull:
        print_json(pull_documents(pulls(found, handles)))
    elif as_json:
        print_json(cut_document(found))
    else:
        _print_events(found)


def _read(path: Path, rate: Rate | None, drop_frame: bool) -> ListedTimeline:
    try:
        data = path.read_bytes()
    except OSError as error:
        raise WrongCallError(f"{path} cannot be read: {error.strerror}.") from error
    return read_cut(data, path.name, rate, drop_frame)


def _say_rate(path: Path, found: ListedTimeline) -> None:
    """Say at which rate a list was read that does not say it, and why."""
    if evidence := rates_of(path.read_bytes(), path.name):
        why = " ".join(evidence.reasons)
        print(f"{path.name} is read at {found.rate}: {why} Use --rate for another.", file=sys.stderr)


def _write(found: ListedTimeline, to: Path, handles: int) -> None:
    written = write_cut(found, to.name, handles)
    try:
        with to.open("x", encoding="utf-8", newline="") as file:
            file.write(written.text)
    except FileExistsError:
        stop(f"{to} already exists and was not overwritten.", 1)
    except OSError as error:
        raise WrongCallError(f"{to} cannot be written: {error.strerror}.") from error
    for loss in written.losses:
        print(loss)


def _print_events(found: ListedTimeline) -> None:
    drop = ", drop-frame" if found.drop_frame else ""
    print(f"{found.name}: {found.rate}{drop}, from {found.timecode(0)}, {found.length} frames")
    for event in found.events:
        way = "-" if event.reverse else ""
        print(
            f"{event.track:>3} {found.timecode(event.record_in)} {event.length:>6}  "
            f"{way}{float(event.speed * 100):8.3f} %  {event.name or event.reel or event.kind.value}"
        )
    for note in found.notes:
        print(note)
