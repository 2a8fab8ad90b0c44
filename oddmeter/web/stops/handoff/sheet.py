"""The conform sheet of a show: taken, looked at, printed, and carried away as CSV or JSON."""

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from oddmeter.core.conform.arithmetic import pattern_text, stride_equation
from oddmeter.core.conform.rounding import Precision, rounded
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import SoundChoice
from oddmeter.core.decisions.vocabulary import decided_by, held_text, intent_text, part_text
from oddmeter.core.evidence.verdicts import Certainty, Question
from oddmeter.core.numbers.numerals import fraction_text, percent_text
from oddmeter.core.numbers.timecode import duration_text
from oddmeter.core.pictures.scan import Scan
from oddmeter.core.planning.marks import MARKS
from oddmeter.core.planning.plans import Plan
from oddmeter.core.planning.timelines import Timeline
from oddmeter.interchange.sheet import POLICY, ConformSheet, SheetRow, as_csv, as_html, as_json, compared, rows_from
from oddmeter.interchange.strips import strip_svg
from oddmeter.store import renders, shows
from oddmeter.store.handoff import sheets
from oddmeter.store.renders import Render
from oddmeter.web.board import Board, Row
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import carried_away

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
            id=clip.id,
            timeline=names.get(clip.timeline_id, ""),
            person=clip.person,
            made_at=clip.made_at,
            clips=clip.clips,
        )
        for clip in found
    ]


@router.post("/shows/{show_id}/sheets", status_code=201)
def take_sheet(here: Here, show_id: ShowId) -> SheetView:
    """Take the sheet as the show stands now; the next one says what changed since."""
    made = _sheet(here, show_id, None)
    rows = [asdict(row) for row in made.rows]
    with here.database.transaction() as connection:
        timeline = shows.show(connection, show_id).settled_timeline()
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
    named = carried_away(f"{made.show} conform sheet.csv")
    return Response(body, media_type="text/csv; charset=utf-8", headers=named)


@router.get("/shows/{show_id}/sheet.json")
def sheet_json(here: Here, show_id: ShowId, taken: Taken = None) -> dict[str, Any]:
    """The conform sheet as JSON."""
    return as_json(_sheet(here, show_id, taken))


@router.get("/shows/{show_id}/sheet.html", response_class=HTMLResponse)
def sheet_html(here: Here, show_id: ShowId, taken: Taken = None) -> HTMLResponse:
    """The conform sheet as a page to print."""
    return HTMLResponse(as_html(_sheet(here, show_id, taken)), headers={"Content-Security-Policy": POLICY})


def _sheet(here: Context, show_id: int, taken: int | None) -> ConformSheet:
    if taken is not None:
        with here.database.transaction() as connection:
            show = shows.show(connection, show_id)
            kept = sheets.sheet(connection, show_id, taken)
        timeline = next(t for t in show.timelines if t.id == kept.timeline_id)
        when = f"taken by {kept.person}, {kept.made_at:%Y-%m-%d %H:%M}"
        return ConformSheet(show.name, _head(timeline), when, rows_from(kept.rows))
    board = here.boards.open(show_id)
    timeline = board.timeline()
    with here.database.transaction() as connection:
        newest = renders.newest_of_clips(connection, timeline.id)
        last = sheets.last_sheet(connection, timeline.id)
    lines = [_sheet_row(board, row, newest.get(row.clip.id)) for row in board.rows(timeline).values()]
    rows = compared((row for row, _ in lines), rows_from(last.rows)) if last else tuple(row for row, _ in lines)
    return ConformSheet(board.show.name, _head(timeline), "as it stands", rows, tuple(drawn for _, drawn in lines))


def _head(timeline: Timeline) -> dict[str, Any]:
    settings = timeline.settings
    return {
        "name": settings.name, "rate": settings.rate.exact, "raster": f"{settings.width} × {settings.height}",
        "scan": settings.scan, "drop_frame": settings.drop_frame,
    }  # fmt: skip


def _sheet_row(board: Board, row: Row, made: Render | None) -> tuple[SheetRow, str]:
    """A clip's row, and the drawing of its cadence."""
    clip, facts, plan = row.clip, row.known.facts, row.plan
    said = [words.word for mark in row.marks for words in MARKS if words.mark is mark]
    said += [facts.trouble] if facts and facts.trouble else []
    said += [row.refusal.sentence] if row.refusal and row.known.material else []
    common: dict[str, Any] = {
        "delivery": board.house.deliveries[clip.delivery_id].name, "clip": clip.name,
        "folder": clip.folder, "evidence": evidence_text(row),
        "marks": "; ".join(said), "note": clip.decided.note, "tags": ", ".join(sorted(clip.decided.tags)),
    }  # fmt: skip
    if plan is None:
        return SheetRow(source_frames=facts.frames if facts else 0, **common), ""
    planned, decided, settings = plan.conformed, row.resolved.decisions, plan.timeline.settings
    receiving, tally = rounded(planned, board.house.receiving), plan.tally
    before, plays = plan.before, plan.facts.sound is not None
    line = SheetRow(
        **common,
        source_frames=planned.material.frames,
        shot_rate=planned.shot_rate.exact,
        file_rate=planned.material.file_rate.exact,
        read_rate=planned.read_rate.exact,
        intent=intent_text(decided.intent),
        decided_by=decided_by(row.resolved),
        speed=fraction_text(planned.speed),
        speed_percent=percent_text(planned.speed),
        receiving_system="" if board.house.receiving is Precision.EXACT else receiving.number,
        receiving_off=receiving.off_by,
        equation=stride_equation(planned),
        stride=fraction_text(planned.stride),
        pace=fraction_text(planned.pace),
        cadence=planned.frame_map.kind.value,
        pattern=pattern_text(planned),
        frames_before=before,
        frames_after=plan.after,
        duration_before=duration_text(before, settings.rate, settings.drop_frame),
        duration_after=duration_text(plan.after, settings.rate, settings.drop_frame),
        dropped=tally.dropped,
        repeated=tally.repeated,
        in_betweens=planned.treatment.between.value,
        held=held_text(decided.held) if decided.held and planned.treatment.held > 1 else "",
        fields="" if plan.facts.scan is Scan.PROGRESSIVE else part_text(Part.FIELDS, planned.treatment.fields),
        sound=_sound_words(plan, plays),
        made_file=made.out_path if made and made.state == "done" else "",
        proof=_proof_words(made),
    )
    return line, strip_svg(plan.mini)


def evidence_text(row: Row) -> str:
    """What is taken as true, with its sources, in one line: ``shot 150 (log), file 25 (timestamps), progressive``."""
    said, verdicts = [], row.clip.verdicts
    row.clip.forget()
    for question, label in ((Question.SHOT_RATE, "shot"), (Question.FILE_RATE, "file"), (Question.SCAN, "")):
        verdict = verdicts[question]
        if verdict.value is None:
            continue
        value = str(verdict.rate) if verdict.rate else verdict.value
        source = f" ({verdict.source})" if verdict.source else ""
        doubt = f", {verdict.state}" if verdict.state in (Certainty.DISPUTED, Certainty.ASSUMED) else ""
        said.append(f"{label} {value}{source}{doubt}".strip())
    found = row.known.findings
    said += [name for name in (found.gauge, found.pulldown and f"pulldown {found.pulldown}") if name]
    if found.repeats:
        said.append("repeats baked in")
    return "; ".join(said)


def _proof_words(made: Render | None) -> str:
    if made is None:
        return "not made"
    if made.state == "done" and made.proof:
        return f"proven: {len(made.proof['checks'])} of {len(made.proof['checks'])} checks agree"
    return made.fault or made.state


def _sound_words(plan: Plan, plays: bool) -> str:
    """What becomes of the sound, which streams are taken where that is not all of them, and the music beside it."""
    treatment = plan.conformed.treatment
    words = [part_text(Part.SOUND, treatment.sound) if plays else "none"]
    if plays and treatment.sound is not SoundChoice.OFF and treatment.streams.numbers is not None:
        words.append(part_text(Part.STREAMS, treatment.streams))
    if treatment.music:
        words.append(f"music {part_text(Part.MUSIC, treatment.music)}")
    return ", ".join(words)
