"""The report of a run: what was made and proven, how exactly it was compared, with figures and pictures; one HTML file
that can be printed or sent."""

import math
from base64 import b64encode
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape

from oddmeter.config import TOOL, Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.paper import page
from oddmeter.media.contact import Side, contact, worst_frames
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.samples import samples
from oddmeter.media.writing.losses import Losses
from oddmeter.store import renders
from oddmeter.store.database import Database
from oddmeter.store.handoff import runs
from oddmeter.store.handoff.runs import Run
from oddmeter.store.renders import Render
from oddmeter.work.plans import file_plan

SHARES = (16, 42, 42)
MOST_PICTURED = 200
"""Files of which pictures are shown; of the others what was compared."""
_STATES = {"done": "proven", "failed": "failed", "cancelled": "cancelled"}


@dataclass(frozen=True)
class Pictured:
    """What is shown of a file: in words how it was compared, and pictures; or why none can be shown."""

    words: str
    sides: Sequence[Side] = ()
    why_none: str = ""


def write(config: Config, database: Database, run_id: int) -> None:
    """Write the report of a run that was asked for; what goes wrong is written down as a sentence."""
    with database.transaction() as connection:
        if run_id not in runs.unwritten_reports(connection):
            return
        run = runs.run(connection, None, run_id)

    def progress(done: int) -> None:
        with database.transaction() as noting:
            runs.note_report(noting, run_id, done)

    text, fault = None, None
    try:
        text = page_of(database, config, run, progress)
    except (RuleError, OSError) as error:
        fault = str(error)
    with database.transaction() as connection:
        runs.end_report(connection, run_id, text, fault)


def page_of(database: Database, config: Config, run: Run, progress: Callable[[int], None] = lambda done: None) -> str:
    """The report of a run as a page; ``progress`` is told how many files are in it, and may raise."""
    with database.transaction() as connection:
        files = renders.renders_of_run(connection, run.id)
    parts = []
    for number, file in enumerate(files):
        pictured = _pictured(database, config, file) if number < MOST_PICTURED else Pictured("")
        parts.append(_part(file, pictured))
        progress(number + 1)
    refused = "".join(
        f"<tr><td>{escape(line['name'])}</td><td class=m>{escape(line['file'])}</td>"
        f"<td>{escape(line['problem'])}</td></tr>"
        for line in run.refused
    )
    if refused:
        parts.append(f"<h2>Refused</h2><table>{_COLUMNS}<tbody>{refused}</tbody></table>")
    name = run.name or "Files made just once"
    return page(f"Report: {name}", f"Report: {name}", _lines(run, files), "".join(parts), SHARES)


_COLUMNS = "<colgroup><col><col><col></colgroup>"


def _lines(run: Run, files: Sequence[Render]) -> list[str]:
    states = [file.state for file in files]
    proven, failed, cancelled = (states.count(state) for state in ("done", "failed", "cancelled"))
    going = len(files) - proven - failed - cancelled
    counts = [f"{proven} of {len(files)} proven"]
    counts += [f"{failed} failed"] if failed else []
    counts += [f"{cancelled} cancelled"] if cancelled else []
    counts += [f"{going} not finished yet"] if going else []
    counts += [f"{run.unchanged} existed unchanged"] if run.unchanged else []
    counts += [f"{len(run.refused)} refused"] if run.refused else []
    by = f" by {run.person}" if run.person else ""
    more = [f"Pictures are shown of the first {MOST_PICTURED} files."] if len(files) > MOST_PICTURED else []
    return [f"Asked for {run.asked_at:%Y-%m-%d %H:%M %Z}{by}, made by {TOOL}", ", ".join(counts), *more]


def _pictured(database: Database, config: Config, file: Render) -> Pictured:
    if file.state not in ("done", "failed") or file.proof is None:
        return Pictured("")
    try:
        with database.transaction() as connection:
            plan = file_plan(connection, config, renders.render(connection, file.id))
            kept = renders.losses(connection, file.id)
        losses = Losses.kept(kept) if kept else None
        wrong = file.proof.get("wrong_frames", ())
        if not plan.out.exists():
            return Pictured("", (), "The file is not in its place any more.")
        shown = contact(plan, worst_frames(losses), wrong)
        return Pictured(_compared(plan, file, losses, shown.pixel_format), shown.sides)
    except RuleError as error:
        return Pictured("", (), str(error))


def _compared(plan: FilePlan, file: Render, losses: Losses | None, pixel_format: str) -> str:
    """In words: how much was compared, and how exactly."""
    kind = samples(pixel_format)
    form = f"all planes, {kind.bits} bit, {kind.word}"
    how = "each frame is as near as it was when written"
    if plan.encoding.lossless:
        how = "every sample is the same"
    elif losses is None or not len(losses.squares):
        how = "blocks, lines and columns lie as near as its codec goes"
    proof = file.proof or {}
    still = proof.get("too_still", 0)
    more = f"; at {still} frames the source hardly moves, so repeats could not be told there" if still else ""
    return f"All {plan.length} frames compared, {form}: {how}{more}."


def _part(file: Render, pictured: Pictured) -> str:
    state = _STATES.get(file.state, "not finished yet")
    proof = file.proof or {}
    checks = "".join(
        f"<tr><td>{escape(check['name'])}</td><td class=m>{escape(check['planned'])}</td>"
        f"<td class=m>{'' if check['passed'] else '✕ '}{escape(check['found'])}</td></tr>"
        for check in proof.get("checks", ())
    )
    table = (
        f"<table>{_COLUMNS}<thead><tr><th>Checked</th><th>Planned</th><th>Found</th></tr></thead>"
        f"<tbody>{checks}</tbody></table>"
    )
    said = [f"<p>{escape(words)}</p>" for words in (file.fault, pictured.words, pictured.why_none) if words]
    heading = (
        f"<h2>{escape(file.out_path)}: {state}</h2><p>{escape(file.clip_name)}, setting {escape(file.setting)}</p>"
    )
    return heading + "".join(said) + (table if checks else "") + _strip(pictured.sides)


def _strip(shown: Sequence[Side]) -> str:
    if not shown:
        return ""
    figures = []
    for side in shown:
        made, planned = _image("as made", side.made), "<small>not made again</small>"
        if side.planned:
            planned = _image("as planned", side.planned)
        figures.append(
            f"<figure>{made}{planned}<figcaption>frame {side.number}, {escape(side.place)}<br>"
            f"<span class=m>{_near(side.decibels)}</span></figcaption></figure>"
        )
    return f'<div class="sides">{"".join(figures)}</div><p><small>Above as made, below as planned.</small></p>'


def _near(decibels: Sequence[float]) -> str:
    if not decibels:
        return "another form than planned"
    if all(math.isinf(value) for value in decibels):
        return "every sample the same"
    return " / ".join("same" if math.isinf(value) else f"{value:.1f}" for value in decibels) + " dB"


def _image(words: str, jpeg: bytes) -> str:
    return f'<img alt="{words}" src="data:image/jpeg;base64,{b64encode(jpeg).decode()}">'
