"""The conform sheet of a show: taken, looked at, printed, and carried away as CSV or JSON."""

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from oddmeter.core.arithmetic import held_text, part_text, pattern_text, percent_text, stride_equation, wish_text
from oddmeter.core.batches import frames_as_it_stands, marks, strip
from oddmeter.core.decisions import Level, Part, Resolved
from oddmeter.core.evidence import Question, State
from oddmeter.core.naming import safe_name
from oddmeter.core.rates import fraction_text
from oddmeter.core.rounding import Precision, rounded
from oddmeter.core.timecode import duration_text
from oddmeter.interchange.sheet import Sheet, SheetRow, as_csv, as_html, as_json, compared, rows_in
from oddmeter.interchange.strips import strip_svg
from oddmeter.store import clips, decisions, renders, sheets, shows
from oddmeter.store.clips import Clip
from oddmeter.store.decisions import House
from oddmeter.store.renders import Render
from oddmeter.store.shows import Timeline
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Context, Here
from oddmeter.web.ledger import MINI_BEATS
from oddmeter.work.orders import plan_of, resolved, settled_timeline

router = APIRouter(prefix="/api", tags=["handoff"])

Taken = Annotated[int | None, Query(description="A sheet as it was taken; the show as it stands without it.")]


class SheetView(BaseModel):
    """A sheet that was taken."""

    id: int
    timeline: str
    person: str
    made_at: datetime
    clips: int


@router.get("/shows/{show_id}/sheets")
def list_sheets(here: Here, show_id: ShowId) -> list[SheetView]:
    """The sheets taken, the newest first."""
    with here.database.transaction() as connection:
        names = {t.id: t.settings.name for t in shows.show(connection, show_id).timelines}
        found = sheets.sheets_of_show(connection, show_id)
    return [
        SheetView(
            id=one.id, timeline=names.get(one.timeline_id, ""), person=one.person, made_at=one.made_at, clips=one.clips
        )
        for one in found
    ]


@router.post("/shows/{show_id}/sheets", status_code=201)
def take_sheet(here: Here, show_id: ShowId) -> SheetView:
    """Take the sheet as the show stands now; the next one says what changed since."""
    made = _sheet(here, show_id, None)
    rows = [asdict(row) for row in made.rows]
    with here.database.transaction() as connection:
        timeline = settled_timeline(shows.show(connection, show_id))
        sheet_id = sheets.keep_sheet(connection, show_id, timeline.id, here.person, rows)
        kept = sheets.sheet(connection, show_id, sheet_id)
    return SheetView(
        id=sheet_id, timeline=timeline.settings.name, person=kept.person, made_at=kept.made_at, clips=len(rows)
    )


@router.get("/shows/{show_id}/sheet.csv", response_class=Response)
def sheet_csv(here: Here, show_id: ShowId, taken: Taken = None) -> Response:
    """The conform sheet as CSV."""
    made = _sheet(here, show_id, taken)
    body = as_csv(made.rows).encode("utf-8-sig")
    plain = safe_name(f"{made.show} conform sheet.csv").encode("ascii", "replace").decode().replace("?", "_")
    named = {"Content-Disposition": f'attachment; filename="{plain}"'}
    return Response(body, media_type="text/csv; charset=utf-8", headers=named)


@router.get("/shows/{show_id}/sheet.json")
def sheet_json(here: Here, show_id: ShowId, taken: Taken = None) -> dict[str, Any]:
    """The conform sheet as JSON."""
    return as_json(_sheet(here, show_id, taken))


@router.get("/shows/{show_id}/sheet.html", response_class=HTMLResponse)
def sheet_html(here: Here, show_id: ShowId, taken: Taken = None) -> HTMLResponse:
    """The conform sheet as a page to print."""
    return HTMLResponse(as_html(_sheet(here, show_id, taken)))


def _sheet(here: Context, show_id: int, taken: int | None) -> Sheet:
    with here.database.transaction() as connection:
        show = shows.show(connection, show_id)
        if taken is not None:
            kept = sheets.sheet(connection, show_id, taken)
            timeline = next(t for t in show.timelines if t.id == kept.timeline_id)
            when = f"taken by {kept.person}, {kept.made_at:%Y-%m-%d %H:%M}"
            return Sheet(show.name, _head(timeline), when, rows_in(kept.rows))
        timeline = settled_timeline(show)
        house = decisions.house(connection, show_id)
        found = clips.clips_of_show(connection, show_id)
        made = renders.renders_of_show(connection, show_id)
        last = sheets.last_sheet(connection, timeline.id)
    newest: dict[int, Render] = {}
    for render in reversed(made):
        newest[render.clip_id] = render
    lines = [_sheet_row(clip, house, timeline, newest.get(clip.id)) for clip in found]
    rows = compared((row for row, _ in lines), rows_in(last.rows)) if last else tuple(row for row, _ in lines)
    return Sheet(show.name, _head(timeline), "as it stands", rows, tuple(drawn for _, drawn in lines))


def _head(timeline: Timeline) -> dict[str, Any]:
    settings = timeline.settings
    return {
        "name": settings.name, "rate": settings.rate.exact, "raster": f"{settings.width} × {settings.height}",
        "scan": settings.scan, "drop_frame": settings.drop_frame,
    }  # fmt: skip


def _sheet_row(clip: Clip, house: House, timeline: Timeline, made: Render | None) -> tuple[SheetRow, str]:
    """A clip's row, and the drawing of its cadence."""
    settings, facts = timeline.settings, clip.facts
    held, planned = resolved(clip.delivery_id, clip.decided, house, timeline), plan_of(clip, house, timeline)
    found = marks(facts, planned, held.decided, clip.standing)
    said = [mark.value.replace("-", " ") for mark in found] + ([facts.trouble] if facts and facts.trouble else [])
    delivery = house.deliveries[clip.delivery_id].name
    common: dict[str, Any] = {
        "delivery": delivery, "clip": clip.name, "evidence": evidence_text(clip), "marks": "; ".join(said),
        "note": clip.decided.note, "tags": ", ".join(sorted(clip.decided.tags)),
    }  # fmt: skip
    if planned is None:
        return SheetRow(source_frames=facts.frames if facts else 0, **common), ""
    frame_map, decided = planned.frame_map, held.decisions
    receiving = rounded(planned, house.receiving)
    before = frames_as_it_stands(planned.material, settings.rate)
    plays = facts is not None and facts.sound is not None
    row = SheetRow(
        **common,
        source_frames=planned.material.frames,
        shot_rate=planned.shot_rate.exact,
        file_rate=planned.material.file_rate.exact,
        read_rate=planned.read_rate.exact,
        intent=wish_text(decided.intent),
        decided_by=_decided_by(held),
        speed=fraction_text(planned.speed),
        speed_percent=percent_text(planned.speed),
        receiving_system="" if house.receiving is Precision.EXACT else receiving.number,
        receiving_off=receiving.off_by,
        equation=stride_equation(planned),
        stride=fraction_text(frame_map.stride),
        pace=fraction_text(planned.pace),
        cadence=frame_map.kind.value,
        pattern=pattern_text(planned),
        frames_before=before,
        frames_after=frame_map.length,
        duration_before=duration_text(before, settings.rate, settings.drop_frame),
        duration_after=duration_text(frame_map.length, settings.rate, settings.drop_frame),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        in_betweens=planned.treatment.between.value,
        held=held_text(decided.held) if decided.held and planned.treatment.held > 1 else "",
        fields="" if facts and facts.scan.value == "progressive" else part_text(Part.FIELDS, planned.treatment.fields),
        sound=part_text(Part.SOUND, planned.treatment.sound) if plays else "none",
        made_file=made.out_path if made and made.state == "done" else "",
        proof=_proof_words(made),
    )
    return row, strip_svg(strip(frame_map, MINI_BEATS))


def evidence_text(clip: Clip) -> str:
    """What is taken as true, with its sources, in one line: ``shot 150 (log), file 25 (timestamps), progressive``."""
    said = []
    for question, label in ((Question.SHOT_RATE, "shot"), (Question.FILE_RATE, "file"), (Question.SCAN, "")):
        verdict = clip.verdicts[question]
        if verdict.value is None:
            continue
        value = str(verdict.rate) if verdict.rate else verdict.value
        source = f" ({verdict.source})" if verdict.source else ""
        doubt = f", {verdict.state}" if verdict.state in (State.DISPUTED, State.ASSUMED) else ""
        said.append(f"{label} {value}{source}{doubt}".strip())
    found = clip.standing
    said += [name for name in (found.gauge, found.pulldown and f"pulldown {found.pulldown}") if name]
    if found.repeats:
        said.append("repeats baked in")
    return "; ".join(said)


def _decided_by(held: Resolved) -> str:
    layer = held.origins.get(Part.INTENT)
    if layer is None:
        return ""
    named = {Level.SHOW: "by the show's default", Level.CLIP: "", Level.USE: "on this timeline alone"}
    return named.get(layer.level, f"by {layer.level} {layer.name}")


def _proof_words(made: Render | None) -> str:
    if made is None:
        return "not made"
    if made.state == "done" and made.proof:
        return f"proven: {len(made.proof['checks'])} of {len(made.proof['checks'])} checks agree"
    return made.fault or made.state
