"""The ledger: every clip of a show in one list, worked out for the timeline that is planned for."""

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.arithmetic import hiccup_text, intent_text, pattern_text
from oddmeter.core.batches import Mark, as_it_stands, marks, strip
from oddmeter.core.cadence import Kind
from oddmeter.core.conform import Conform
from oddmeter.core.evidence import Question, State
from oddmeter.core.treatments import Intent
from oddmeter.store import clips, shows
from oddmeter.store.clips import Clip
from oddmeter.store.shows import Timeline
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Here
from oddmeter.web.facts import FactsView, facts_view
from oddmeter.web.views import (
    LengthView,
    NumberView,
    RateView,
    StripView,
    length_view,
    number_view,
    rate_view,
    strip_view,
)
from oddmeter.work.orders import plan_of

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

MINI_BEATS = 18


class PlanView(BaseModel):
    """A clip worked out for the timeline."""

    speed: NumberView
    stride: NumberView
    pace: NumberView
    before: LengthView
    after: LengthView
    kind: Kind
    pattern: str
    dropped: int
    repeated: int
    hiccup_every: str | None
    strip: StripView


class ClipRow(BaseModel):
    """One row of the ledger. ``plan`` is null while the clip is being looked at, or where it cannot be planned, as
    ``without_plan`` says."""

    id: int
    delivery_id: int
    name: str
    path: str
    root: str
    revision: int
    facts: FactsView | None
    shot: RateView | None
    shot_state: State
    read: RateView | None
    rerated: bool
    intent: Intent | None
    intent_words: str
    sound: str
    plan: PlanView | None
    without_plan: str | None
    marks: list[Mark]


class Ledger(BaseModel):
    """All clips of a show, planned for its default timeline."""

    timeline_id: int | None
    clips: list[ClipRow]


@router.get("/ledger")
def ledger(here: Here, show_id: ShowId) -> Ledger:
    """Every clip of the show with its plan for the default timeline."""
    with here.database.transaction() as connection:
        timeline = shows.show(connection, show_id).default_timeline
        found = clips.clips_of_show(connection, show_id)
    return Ledger(timeline_id=timeline.id if timeline else None, clips=[_row(clip, timeline) for clip in found])


def _row(clip: Clip, timeline: Timeline | None) -> ClipRow:
    planned = plan_of(clip, timeline) if timeline else None
    file_rate = clip.facts.file_rate if clip.facts else None
    shot, read = clip.shot_rate or file_rate, clip.treatment.read_rate or file_rate
    return ClipRow(
        id=clip.id,
        delivery_id=clip.delivery_id,
        name=clip.name,
        path=clip.path,
        root=clip.root,
        revision=clip.revision,
        facts=facts_view(clip.facts) if clip.facts else None,
        shot=rate_view(shot) if shot else None,
        shot_state=clip.verdicts[Question.SHOT_RATE].state,
        read=rate_view(read) if read else None,
        rerated=clip.treatment.read_rate is not None and clip.treatment.read_rate != file_rate,
        intent=clip.treatment.intent if clip.decided else None,
        intent_words=intent_text(clip.treatment, clip.decided),
        sound=clip.sound,
        plan=_plan(planned, timeline) if planned and timeline else None,
        without_plan=_without_plan(clip) if planned is None else None,
        marks=list(marks(clip.facts, planned, clip.decided, clip.sound == "keep", clip.verdicts, clip.picture)),
    )


def _without_plan(clip: Clip) -> str | None:
    """Why a clip cannot be planned."""
    facts = clip.facts
    if facts is None:
        return None
    if facts.fault is None and facts.file_rate is None:
        return "It has no rate of its own; settle its file rate in Intake."
    return facts.fault or "Its speed is far beyond anything that can be shown."


def _plan(planned: Conform, timeline: Timeline) -> PlanView:
    frame_map = planned.frame_map
    return PlanView(
        speed=number_view(planned.speed),
        stride=number_view(frame_map.stride),
        pace=number_view(planned.pace),
        before=length_view(as_it_stands(planned.material, planned.timeline_rate).frame_map.length, timeline),
        after=length_view(frame_map.length, timeline),
        kind=frame_map.cadence.kind,
        pattern=pattern_text(planned),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        hiccup_every=hiccup_text(planned),
        strip=strip_view(strip(frame_map, MINI_BEATS)),
    )
