"""The sheet of a timeline's events: carried away as CSV or JSON, or printed."""

from typing import Any

from fastapi import APIRouter, Response
from fastapi.responses import HTMLResponse

from oddmeter.core.cutting.events import Event
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.vocabulary import titled
from oddmeter.interchange.eventsheet import POLICY, EventRow, EventSheet, as_csv, as_html, as_json
from oddmeter.store.handoff.made import FinishedFile, MadeOf, made_of_timeline
from oddmeter.web.http.context import Context, Here
from oddmeter.web.stops.assembly.cuts import cut_view
from oddmeter.web.stops.assembly.timelines import open_timelines
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import carried_away

router = APIRouter(prefix="/api/shows/{show_id}/cuts/{timeline_id}", tags=["assembly"])


@router.get("/events.csv", response_class=Response)
def events_csv(here: Here, show_id: ShowId, timeline_id: int) -> Response:
    """The events as CSV."""
    sheet, name = _sheet(here, show_id, timeline_id)
    body = as_csv(sheet.rows).encode("utf-8-sig")
    return Response(body, media_type="text/csv; charset=utf-8", headers=carried_away(f"{name} events.csv"))


@router.get("/events.json")
def events_json(here: Here, show_id: ShowId, timeline_id: int) -> dict[str, Any]:
    """The events as JSON."""
    return as_json(_sheet(here, show_id, timeline_id)[0])


@router.get("/events.html", response_class=HTMLResponse)
def events_html(here: Here, show_id: ShowId, timeline_id: int) -> HTMLResponse:
    """The events as a page to print."""
    page = as_html(_sheet(here, show_id, timeline_id)[0])
    return HTMLResponse(page, headers={"Content-Security-Policy": POLICY})


def _sheet(here: Context, show_id: int, timeline_id: int) -> tuple[EventSheet, str]:
    """The sheet, and what its timeline is called."""
    book = open_timelines(here, show_id)
    settings = book.timeline(timeline_id).settings
    with here.database.transaction() as connection:
        made = made_of_timeline(connection, timeline_id)
    rows = [
        _row(number, event, book.event_list(timeline_id).event(event["id"]), made.get(MadeOf(event["id"])))
        for number, event in enumerate(cut_view(book, timeline_id)["events"], 1)
    ]
    drop = ", drop-frame" if settings.drop_frame else ""
    heading = f"{settings.name}, {settings.rate}{drop}, {settings.width} × {settings.height}, {settings.scan.words}"
    whole = made.get(MadeOf())
    said = f"{whole.out_path}, {_proven(whole)}" if whole is not None else ""
    return EventSheet(book.board.show.name, heading, tuple(rows), said), settings.name


def _row(number: int, one: dict[str, Any], event: Event, file: FinishedFile | None) -> EventRow:
    marks = "; ".join(f"{mark['words']} {mark['frames']}".strip() for mark in one["marks"])
    transition = f"{one['transition']} {one['transition_length']}" if one["transition"] else ""
    own = ((part, getattr(event.decisions, part.value)) for part in Part)
    decided = "; ".join(titled(part, value) for part, value in own if value is not None)
    path, proven = (file.out_path, _proven(file)) if file is not None else ("", "")
    return EventRow(
        number, one["track"], one["kind"].value, one["name"], one["timecode_in"], one["timecode_out"], one["length"],
        one["source_in"], one["source_out"], one["source_rate"], one["speed"], one["speed_exact"], one["rhythm"],
        transition, one["head"], one["tail"], decided, "; ".join(filter(None, (marks, one["trouble"]))), path, proven,
    )  # fmt: skip


def _proven(file: FinishedFile) -> str:
    checks = file.proof.get("checks", [])
    return f"{sum(check['passed'] for check in checks)} of {len(checks)} checks agree"
