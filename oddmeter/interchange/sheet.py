"""The conform sheet: what was decided for each clip and what was made, as CSV, as JSON and as a page to print."""

from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, fields, replace
from html import escape
from typing import Any

from oddmeter.core.planning.namesakes import folders_apart
from oddmeter.interchange.paper import page, policy, table

FORMAT = "odd-meter-conform-sheet"
VERSION = 2


@dataclass(frozen=True)
class SheetRow:
    """One clip. Rates, speed and stride are exact (``"a/b"``); lengths are timeline frames and timecode;
    empty text where something does not apply. ``folder`` is where the clip lies below its media root, empty on sheets
    of before 2026-11-28. ``receiving_system`` is the speed or rate as the receiving system takes
    it, ``receiving_off`` by how many frames that ends off. ``changed`` says what is otherwise than on the sheet taken
    before."""

    delivery: str = ""
    clip: str = ""
    folder: str = ""
    evidence: str = ""
    source_frames: int = 0
    shot_rate: str = ""
    file_rate: str = ""
    read_rate: str = ""
    intent: str = ""
    decided_by: str = ""
    speed: str = ""
    speed_percent: str = ""
    receiving_system: str = ""
    receiving_off: int = 0
    equation: str = ""
    stride: str = ""
    pace: str = ""
    cadence: str = ""
    pattern: str = ""
    frames_before: int = 0
    frames_after: int = 0
    duration_before: str = ""
    duration_after: str = ""
    dropped: int = 0
    repeated: int = 0
    in_betweens: str = ""
    held: str = ""
    fields: str = ""
    sound: str = ""
    note: str = ""
    tags: str = ""
    marks: str = ""
    made_file: str = ""
    proof: str = ""
    changed: str = ""


@dataclass(frozen=True)
class ConformSheet:
    """All rows for a timeline, with what heads them; ``strips`` are SVG drawings of the cadences, one for each row."""

    show: str
    timeline: dict[str, Any]
    taken: str
    rows: tuple[SheetRow, ...]
    strips: tuple[str, ...] = ()


@dataclass(frozen=True)
class DeliveryTotal:
    """A delivery's clips added up; lengths in timeline frames."""

    delivery: str
    clips: int
    frames_before: int
    frames_after: int
    dropped: int
    repeated: int


_COMPARED = (
    "shot_rate", "file_rate", "read_rate", "intent", "speed", "frames_after", "in_betweens", "held", "fields", "sound",
    "note", "made_file",
)  # fmt: skip


def compared(rows: Iterable[SheetRow], before: Iterable[SheetRow]) -> tuple[SheetRow, ...]:
    """The rows with what changed in each since a sheet taken before: ``speed 1/1 → 2/5``."""
    was = {(row.delivery, row.folder, row.clip): row for row in before}

    def earlier(row: SheetRow) -> SheetRow | None:
        return was.get((row.delivery, row.folder, row.clip)) or was.get((row.delivery, "", row.clip))

    return tuple(replace(row, changed=_changes(row, earlier(row))) for row in rows)


def totals_of(rows: Sequence[SheetRow]) -> tuple[DeliveryTotal, ...]:
    """The clips of each delivery added up, in the order of the rows."""
    out = []
    for name in dict.fromkeys(row.delivery for row in rows):
        own = [row for row in rows if row.delivery == name]
        sums = (sum(getattr(row, key) for row in own) for key in _SUMMED)
        out.append(DeliveryTotal(name, len(own), *sums))
    return tuple(out)


_SUMMED = ("frames_before", "frames_after", "dropped", "repeated")


def as_csv(rows: Sequence[SheetRow]) -> str:
    """The rows as CSV with a heading line."""
    return table(rows, [field.name for field in fields(SheetRow)])


def as_json(sheet: ConformSheet) -> dict[str, Any]:
    """The rows as a JSON document with the show and the timeline they are for, and the totals."""
    return {
        "format": FORMAT, "version": VERSION, "show": sheet.show, "timeline": sheet.timeline, "taken": sheet.taken,
        "deliveries": [asdict(total) for total in totals_of(sheet.rows)], "clips": [asdict(row) for row in sheet.rows],
    }  # fmt: skip


def rows_from(document: Iterable[dict[str, Any]]) -> tuple[SheetRow, ...]:
    """Rows that were kept as JSON; what later versions no longer know is left out."""
    known = {field.name for field in fields(SheetRow)}
    return tuple(SheetRow(**{key: value for key, value in row.items() if key in known}) for row in document)


def as_html(sheet: ConformSheet) -> str:
    """The sheet as one page that needs nothing else, made for paper: A4 across, a table for each delivery."""
    strips = dict(zip(sheet.rows, sheet.strips, strict=False))
    totals = {total.delivery: total for total in totals_of(sheet.rows)}
    title = f"{sheet.show}: conform sheet"
    head = " · ".join(str(value) for value in sheet.timeline.values() if value not in ("", None, False))
    changed = sum(1 for row in sheet.rows if row.changed)
    since = f"{changed} clips changed since the last sheet" if changed else "nothing changed since the last sheet"
    body = "".join(
        _section(total, [row for row in sheet.rows if row.delivery == name], strips) for name, total in totals.items()
    )
    lines = (f"Conform sheet for {head}", f"{sheet.taken} · {since}")
    return page(title, sheet.show, lines, body, _SHARES)


def _changes(row: SheetRow, was: SheetRow | None) -> str:
    if was is None:
        return "new on this sheet"
    said = (
        f"{name.replace('_', ' ')} {getattr(was, name) or 'none'} → {getattr(row, name) or 'none'}"
        for name in _COMPARED
        if getattr(row, name) != getattr(was, name)
    )
    return "; ".join(said)


def _section(total: DeliveryTotal, rows: Sequence[SheetRow], strips: dict[SheetRow, str]) -> str:
    heads = "".join(f"<th{' class=n' if name in _NUMBERS else ''}>{name}</th>" for name in _HEADS)
    apart = folders_apart({number: f"{row.folder}/{row.clip}" for number, row in enumerate(rows)})
    lines = "".join(_line(row, strips.get(row, ""), apart.get(number, "")) for number, row in enumerate(rows))
    return (
        f"<section><h2>{escape(total.delivery)}</h2><table>{_COLUMNS}<thead><tr>{heads}</tr></thead><tbody>{lines}</tbody>"
        f"<tfoot><tr><td>{total.clips} {'clip' if total.clips == 1 else 'clips'}</td><td></td><td></td><td></td>"
        f"<td class=n>{total.frames_before} → {total.frames_after}</td>"
        f"<td>{total.dropped} dropped, {total.repeated} repeated</td><td></td><td></td></tr></tfoot></table></section>"
    )


_HEADS = ("Clip and evidence", "Decision", "Equation", "Speed", "Frames", "Cadence", "Made how", "Notes")
_NUMBERS = ("Speed", "Frames")
_SHARES = (25, 13, 15, 8, 9, 10, 10, 10)
"""Widths of the columns, in per cent."""


def _line(row: SheetRow, strip: str, folder: str) -> str:
    how = ", ".join(filter(None, (row.in_betweens, row.held, row.fields, f"sound {row.sound}" if row.sound else "")))
    off = f"<br><small>{row.receiving_off:+d} frames there</small>" if row.receiving_off else ""
    receiving = f"<br><small>{escape(row.receiving_system)}</small>{off}" if row.receiving_system else ""
    beside = f" <small>{escape(folder)}</small>" if folder else ""
    notes = [row.note, row.marks, row.tags, f"changed: {row.changed}" if row.changed else "", row.proof]
    cells = (
        ("", f"<b>{escape(row.clip)}</b>{beside}<br><small>{escape(row.evidence)}</small>"),
        ("", f"{escape(row.intent)}<br><small>{escape(row.decided_by)}</small>"),
        (" class=m", escape(row.equation)),
        (" class=n", f"{escape(row.speed)}<br>{escape(row.speed_percent)}{receiving}"),
        (" class=n", f"{row.frames_before} → {row.frames_after}<br><small>{escape(row.duration_after)}</small>"),
        ("", f"{strip}<small>{escape(row.cadence)}: {escape(row.pattern)}</small>"),
        ("", escape(how)),
        ("", "<br>".join(f"<small>{escape(note)}</small>" for note in notes if note)),
    )
    return "<tr>" + "".join(f"<td{kind}>{text}</td>" for kind, text in cells) + "</tr>"


_COLUMNS = "<col>" * len(_SHARES)
POLICY = policy(_SHARES)
"""Content-Security-Policy of the page that ``as_html`` makes."""
