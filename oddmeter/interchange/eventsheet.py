"""The sheet of a timeline's events: where each lies, what it uses and how fast, and the file made of it with its proof;
as CSV, as JSON and as a page to print."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from html import escape
from typing import Any

from oddmeter.interchange.paper import page, policy, table

FORMAT, VERSION = "odd-meter-event-sheet", 1


@dataclass(frozen=True)
class EventRow:
    """One event. ``record_in`` and ``record_out`` are timecode of the timeline, ``source_in`` and ``source_out`` source
    frames as they are read at ``read_at``; ``exact_speed`` is ``"a/b"``; ``frames_before`` and ``frames_behind`` are
    source frames that are left. ``proven`` says how many things of its file agree."""

    number: int
    track: str
    kind: str
    name: str
    record_in: str
    record_out: str
    frames: int
    source_in: str
    source_out: str
    read_at: str
    speed: str
    exact_speed: str
    rhythm: str
    transition: str
    frames_before: int
    frames_behind: int
    decided: str
    marks: str
    made_file: str
    proven: str


@dataclass(frozen=True)
class EventSheet:
    """All events of a timeline, with what heads them: the show, the timeline in words, and the file made of all of it
    with its proof, if there is one."""

    show: str
    timeline: str
    rows: tuple[EventRow, ...]
    whole: str = ""


def as_csv(rows: Sequence[EventRow]) -> str:
    """The rows as CSV with a heading line."""
    return table(rows, [field.name for field in fields(EventRow)])


def as_json(sheet: EventSheet) -> dict[str, Any]:
    """The rows as a JSON document with the show and the timeline they are for."""
    return {
        "format": FORMAT, "version": VERSION, "show": sheet.show, "timeline": sheet.timeline, "whole": sheet.whole,
        "events": [asdict(row) for row in sheet.rows],
    }  # fmt: skip


def as_html(sheet: EventSheet) -> str:
    """The sheet as one page that needs nothing else, made for paper."""
    heads = "".join(f"<th{' class=n' if name in _NUMBERS else ''}>{name}</th>" for name in _HEADS)
    lines = "".join(_line(row) for row in sheet.rows)
    columns, count = "<col>" * len(_SHARES), len(sheet.rows)
    body = f"<table>{columns}<thead><tr>{heads}</tr></thead><tbody>{lines}</tbody></table>"
    events = f"{count} event{'' if count == 1 else 's'}"
    above = (f"Events of {sheet.timeline}: {events}", *([f"As one file: {sheet.whole}"] if sheet.whole else []))
    return page(f"{sheet.show}: events", sheet.show, above, body, _SHARES)


_HEADS = ("No.", "Event", "On the timeline", "Frames", "Source", "Speed", "Rhythm", "Notes", "File and proof")
_NUMBERS = ("No.", "On the timeline", "Frames", "Source", "Speed")
_SHARES = (5, 20, 11, 6, 13, 9, 9, 13, 14)
POLICY = policy(_SHARES)
"""Content-Security-Policy of the page that ``as_html`` makes."""


def _line(row: EventRow) -> str:
    transition = f"<br><small>{escape(row.transition)} into it</small>" if row.transition else ""
    exact = f"<br><small>{escape(row.exact_speed)}</small>" if "/" in row.exact_speed else ""
    read = f"<br><small>read at {escape(row.read_at)}</small>" if row.read_at else ""
    notes = (row.marks, row.decided)
    cells = (
        (" class=n", f"{row.number}<br>{escape(row.track)}"),
        ("", f"<b>{escape(row.name)}</b>{transition}"),
        (" class=n", f"{row.record_in}<br>{row.record_out}"),
        (" class=n", str(row.frames)),
        (" class=n", f"{escape(row.source_in)}<br>{escape(row.source_out)}{read}"),
        (" class=n", f"{escape(row.speed)}{exact}"),
        ("", escape(row.rhythm)),
        ("", "<br>".join(f"<small>{escape(note)}</small>" for note in notes if note)),
        ("", f"{escape(row.made_file)}<br><small>{escape(row.proven)}</small>" if row.made_file else "not made"),
    )
    return "<tr>" + "".join(f"<td{kind}>{text}</td>" for kind, text in cells) + "</tr>"
