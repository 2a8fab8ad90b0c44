"""Commands: the parts of the application, and its work on rates, evidence and single clips."""

import json
import os
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import TypeAdapter

from oddmeter.cli.calls import (
    AsJson,
    WrongCallError,
    app,
    called,
    print_json,
    print_lines,
    stop,
    text_of,
)
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import Fields, Intent
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.interchange.figures import Given, clock_from_text


def words_of(kind: type[StrEnum]) -> str:
    *some, last = [choice.value for choice in kind]
    return f"{', '.join(some)} or {last}"


@app.command()
def start(
    port: Annotated[int, typer.Option(min=1, max=65535, help="Port to listen on, on 127.0.0.1.")] = 8470,
    data: Annotated[Path, typer.Option(help="Folder for database, uploads and made files.")] = Path(".data"),
    empty: Annotated[bool, typer.Option("--empty", help="Start without the demo show.")] = False,
    media: Annotated[
        list[str] | None, typer.Option(help="A folder of footage, as Name=folder; can be given more than once.")
    ] = None,
    target: Annotated[
        list[str] | None, typer.Option(help="A folder that packages can be copied to, as Name=folder.")
    ] = None,
    web: Annotated[int, typer.Option(min=1, help="Web processes; at first one for each core, up to four.")] = min(
        4, os.cpu_count() or 1
    ),
) -> None:
    """Start everything: database, worker and web application. This is what ./start runs."""
    from oddmeter.local.stack import run  # noqa: PLC0415

    run(data, port, demo=not empty, media=media or [], targets=target or [], web=web)


@app.command()
def serve(
    port: Annotated[int, typer.Option(min=1, max=65535, help="Port on 127.0.0.1.")] = 8470,
    shared: Annotated[bool, typer.Option("--shared", help="Share the port with other web processes.")] = False,
) -> None:
    """The web application alone, with the database that ODDMETER_DATABASE names."""
    from oddmeter.config import Config  # noqa: PLC0415
    from oddmeter.web import serving  # noqa: PLC0415

    config = Config.from_environment()
    config.make_folders()
    serving.serve(config, port, shared=shared)


@app.command(hidden=True)
def looking(socket: str) -> None:
    """Look for the web processes of one ./start, at a socket that it names."""
    from oddmeter.config import Config  # noqa: PLC0415
    from oddmeter.web.looking import look_for_others  # noqa: PLC0415

    look_for_others(Config.from_environment().data / "bench", socket)


@app.command()
def worker() -> None:
    """A worker alone; any number may run, here and on other machines that share database and storage."""
    from oddmeter.config import Config  # noqa: PLC0415
    from oddmeter.work.worker import run_worker  # noqa: PLC0415

    config = Config.from_environment()
    config.make_folders()
    run_worker(config)


@app.command()
def demo(folder: Annotated[Path, typer.Argument(help="Folder to write the footage of The Tide Bell into.")]) -> None:
    """Make the demo footage alone."""
    from oddmeter.demo.takes import make_footage  # noqa: PLC0415

    for path in make_footage(folder):
        print(path)


@app.command()
def openapi() -> None:
    """The OpenAPI document of the web application, from which the page's client is made."""
    from oddmeter.config import Config  # noqa: PLC0415
    from oddmeter.web.app import create_app  # noqa: PLC0415

    print_json(create_app(Config.under(Path(".data"), "")).openapi())


@app.command()
def calc(
    timeline: Annotated[str | None, typer.Option(help="Timeline rate, such as 25 or 23.976.")] = None,
    file: Annotated[str | None, typer.Option(help="File rate.")] = None,
    frames: Annotated[int | None, typer.Option(help="Source frames between in and out.")] = None,
    intent: Annotated[Intent | None, typer.Option(help="What is wanted of the clip.")] = None,
    value: Annotated[str | None, typer.Option(help="Speed, pace, or timeline frames to fit.")] = None,
    shot: Annotated[str | None, typer.Option(help="Shot rate; the file rate if left out.")] = None,
    read_rate: Annotated[str | None, typer.Option("--read", help="Read rate; the file rate if left out.")] = None,
    fields: Annotated[Fields, typer.Option(help="Frames as they are, or each field by itself.")] = Fields.WHOLE,
    drop_frame: Annotated[bool, typer.Option("--drop-frame", help="Write durations in drop-frame.")] = False,
    first: Annotated[int, typer.Option(help="The in point in source frames.")] = 0,
    last: Annotated[int | None, typer.Option(help="The last source frame that is used.")] = None,
    curve: Annotated[Path | None, typer.Option(help="A curve as JSON, for the intent curve.")] = None,
    times: Annotated[Path | None, typer.Option(help="The frames' own times, in timestamp format v2.")] = None,
    at: Annotated[str | None, typer.Option(help="Timeline frames whose places are wanted, such as 0,25,99.")] = None,
    cases: Annotated[Path | None, typer.Option(help="A JSON list of cases, each given like these options.")] = None,
    as_json: AsJson = False,
) -> None:
    """Speed, stride, lengths and cadence of a clip on a timeline."""
    if cases is not None:
        print_json(called(lambda: [case.case().answer() for case in _cases(cases)]))
        return
    wanted: dict[str, object] = {"--timeline": timeline}
    if times is None:
        wanted |= {"--file": file, "--frames": frames}
    wanted["--intent"] = intent or (Intent.CURVE if curve else None)
    if missing := [name for name, given in wanted.items() if given is None]:
        raise WrongCallError(f"calc needs {', '.join(missing)}; or --cases FILE.")
    given: dict[str, Any] = {
        "timeline_rate": timeline, "file_rate": file, "frames": frames, "intent": wanted["--intent"], "value": value,
        "shot_rate": shot, "read_rate": read_rate, "fields": fields, "drop_frame": drop_frame, "first": first,
        "last": last,
    }  # fmt: skip
    if curve is not None:
        given["curve"] = curve_in(curve).document()
    if times is not None:
        given["times"], given["end"] = called(lambda: clock_from_text(text_of(times)))
    if at is not None:
        given["at"] = at.replace(",", " ").split()
    answer = called(lambda: Given.model_validate(given).case().answer())
    print_json(answer) if as_json else print_lines(answer)


@app.command()
def inspect(
    paths: Annotated[list[Path], typer.Argument(help="Files, numbered sequences (tide_####.png), or folders.")],
    log: Annotated[list[Path] | None, typer.Option(help="A camera or scan report to read; can be given again.")] = None,
    whole: Annotated[bool, typer.Option("--whole", help="Look at every frame of the pictures.")] = False,
    as_json: AsJson = False,
) -> None:
    """What clips really hold: frames counted, rates measured, pictures looked at, and what speaks for what."""
    from oddmeter.work.inspection import inspect_all  # noqa: PLC0415  (heavy libraries only where pictures are touched)

    for path in log or []:
        if not path.is_file():
            raise WrongCallError(f"There is no file {path}.")
    reports = inspect_all(paths, log or [], whole=whole)
    if as_json:
        print_json(reports)
        return
    for report in reports:
        print(report["path"])
        claims = report.pop("claims")
        print_lines({key: value for key, value in report.items() if key not in ("path", "verdicts")}, "  ")
        for claim in claims:
            print(f"    {claim['question'].replace('_', ' '):11}  {claim['words']}")


@app.command()
def beats(
    path: Annotated[Path, typer.Argument(help="A file with sound.")],
    stream: Annotated[int, typer.Option(min=1, help="Which of its sound streams.")] = 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Find the beats of music: how many a minute, and the second of each."""
    from oddmeter.media.sound.beats import beats_in  # noqa: PLC0415

    found = called(lambda: beats_in(path, stream - 1))
    answer = {"tempo": round(found.tempo, 3), "beats": list(found.beats)}
    print_json(answer) if as_json else print_lines(answer)


@app.command()
def moments(
    path: Annotated[Path, typer.Argument(help="A clip.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Find where the action of a clip starts, stops, peaks and turns, in source frames."""
    from oddmeter.media.analysis.moments import moments_in  # noqa: PLC0415
    from oddmeter.media.files.probe import probe  # noqa: PLC0415

    facts = probe(path)
    if facts.fault:
        stop(f"{path.name}: {facts.fault}", 2)
    found = called(lambda: moments_in(path, facts))
    if as_json:
        print_json([{"frame": moment.frame, "kind": moment.kind.value} for moment in found])
    else:
        for moment in found:
            print(f"{moment.frame:>8}  {moment.kind.value}")


@app.command()
def timecode(
    value: Annotated[str, typer.Argument(metavar="FRAMES|TIMECODE", help="A count of frames, or a timecode.")],
    rate: Annotated[str, typer.Option(help="The rate that is counted at.")],
    drop_frame: Annotated[bool, typer.Option("--drop-frame", help="Drop-frame numbering.")] = False,
    as_json: AsJson = False,
) -> None:
    """Frames to timecode, or timecode to frames."""
    at = called(lambda: Rate.parse(rate))
    if value.isdecimal():
        found = called(lambda: Timecode(int(value), at, drop_frame))
    else:
        found = called(lambda: Timecode.parse(value, at, drop_frame or None))
    if as_json:
        print_json({"frames": found.frames, "timecode": str(found), "rate": at.exact, "drop_frame": found.drop})
    else:
        print(str(found) if value.isdecimal() else found.frames)


def _cases(path: Path) -> list[Given]:
    try:
        return TypeAdapter(list[Given]).validate_python(
            [case.get("given", case) for case in json.loads(path.read_text())]
        )
    except OSError as error:
        raise WrongCallError(f"{path} cannot be read: {error.strerror}.") from error
    except (json.JSONDecodeError, AttributeError, TypeError, UnicodeDecodeError) as error:
        raise WrongCallError(f"{path} is not a JSON list of cases.") from error


def curve_in(path: Path) -> Curve:
    """The curve in a file: JSON, by itself or as the ``curve`` of something larger."""

    def read() -> Curve:
        text = text_of(path)
        try:
            document = json.loads(text)
        except (ValueError, RecursionError):
            return Curve.parse(text)
        return Curve.parse(document.get("curve", document) if isinstance(document, dict) else document)

    return called(read)
