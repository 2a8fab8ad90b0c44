"""The conform sheet of a show, to take away as CSV or JSON."""

from typing import Any

from fastapi import APIRouter, Response

from oddmeter.core.arithmetic import intent_text, pattern_text, percent_text, stride_equation
from oddmeter.core.batches import as_it_stands, marks
from oddmeter.core.naming import safe_name
from oddmeter.core.rates import fraction_text
from oddmeter.core.timecode import duration_text
from oddmeter.interchange.sheet import SheetRow, as_csv, as_json
from oddmeter.store import clips, renders, shows
from oddmeter.store.clips import Clip
from oddmeter.store.renders import Render
from oddmeter.store.shows import Show, Timeline
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Context, Here
from oddmeter.work.orders import plan_of, settled_timeline

router = APIRouter(prefix="/api", tags=["handoff"])


@router.get("/shows/{show_id}/sheet.csv", response_class=Response)
def sheet_csv(here: Here, show_id: ShowId) -> Response:
    """The conform sheet as CSV."""
    show, rows = _sheet(here, show_id)
    return _download(as_csv(rows).encode("utf-8-sig"), "text/csv; charset=utf-8", f"{show.name} conform sheet.csv")


@router.get("/shows/{show_id}/sheet.json")
def sheet_json(here: Here, show_id: ShowId) -> dict[str, Any]:
    """The conform sheet as JSON."""
    show, rows = _sheet(here, show_id)
    settings = settled_timeline(show).settings
    timeline = {"name": settings.name, "rate": settings.rate.exact, "drop_frame": settings.drop_frame}
    return as_json(rows, show.name, timeline)


def _sheet(here: Context, show_id: int) -> tuple[Show, list[SheetRow]]:
    with here.database.transaction() as connection:
        show = shows.show(connection, show_id)
        names = {delivery.id: delivery.name for delivery in clips.deliveries(connection, show_id)}
        found = clips.clips_of_show(connection, show_id)
        made = renders.renders_of_show(connection, show_id)
    newest: dict[int, Render] = {}
    for render in reversed(made):
        newest[render.clip_id] = render
    timeline = settled_timeline(show)
    return show, [_sheet_row(clip, timeline, names[clip.delivery_id], newest.get(clip.id)) for clip in found]


def _sheet_row(clip: Clip, timeline: Timeline, delivery: str, made: Render | None) -> SheetRow:
    settings, facts = timeline.settings, clip.facts
    planned = plan_of(clip, timeline)
    keeps = clip.sound == "keep"
    found = marks(facts, planned, clip.decided, keeps, clip.verdicts, clip.picture)
    said = [mark.value.replace("-", " ") for mark in found] + ([facts.trouble] if facts and facts.trouble else [])
    if planned is None:
        frames = facts.frames if facts else 0
        return SheetRow(delivery=delivery, clip=clip.name, source_frames=frames, marks="; ".join(said))
    frame_map = planned.frame_map
    sound = "none" if facts is None or facts.sound is None else "kept" if keeps and planned.keeps_sound_speed else "off"
    return SheetRow(
        delivery=delivery,
        clip=clip.name,
        source_frames=planned.material.frames,
        shot_rate=planned.shot_rate.exact,
        file_rate=planned.material.file_rate.exact,
        read_rate=planned.read_rate.exact,
        intent=intent_text(clip.treatment, clip.decided),
        speed=fraction_text(planned.speed),
        speed_percent=percent_text(planned.speed),
        equation=stride_equation(planned),
        stride=fraction_text(frame_map.stride),
        pace=fraction_text(planned.pace),
        cadence=frame_map.cadence.kind.value,
        pattern=pattern_text(planned),
        frames_before=as_it_stands(planned.material, settings.rate).frame_map.length,
        frames_after=frame_map.length,
        duration_after=duration_text(frame_map.length, settings.rate, settings.drop_frame),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        sound=sound,
        marks="; ".join(said),
        made_file=made.out_path if made and made.state == "done" else "",
        proof=_proof_words(made),
    )


def _proof_words(made: Render | None) -> str:
    if made is None:
        return "not made"
    if made.state == "done" and made.proof:
        return f"proven: {len(made.proof['checks'])} of {len(made.proof['checks'])} checks agree"
    return made.fault or made.state


def _download(body: bytes, media_type: str, name: str) -> Response:
    plain = safe_name(name).encode("ascii", "replace").decode().replace("?", "_")
    return Response(body, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{plain}"'})
