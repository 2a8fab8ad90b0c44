"""Plan: the ledger of all clips, decisions on many at once, and the arithmetic of a selection."""

from collections import Counter
from collections.abc import Sequence
from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import number_text, percent_text, spelled
from oddmeter.core.batches import ALTERNATIVES, Mark, as_it_stands, marks, stretch, strip, totals
from oddmeter.core.cadence import Kind
from oddmeter.core.conform import Conform, conform
from oddmeter.core.errors import RuleError
from oddmeter.core.facts import Facts, Scan, Timing
from oddmeter.core.rates import Rate, decimal_text, fixed_text, parse_fraction
from oddmeter.core.timecode import duration_text, parse_length
from oddmeter.core.treatments import NEEDS_VALUE, Intent, Treatment
from oddmeter.store import clips, shows
from oddmeter.store.changes import change
from oddmeter.store.clips import Clip
from oddmeter.store.database import Connection
from oddmeter.store.shows import Timeline
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Here
from oddmeter.web.views import (
    LengthView,
    NumberView,
    RateView,
    StripView,
    number_view,
    rate_view,
    strip_view,
)
from oddmeter.work.orders import material_of

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

_MINI_BEATS = 18
_BAND_SECONDS = 2
_MOST_SPELLED = 6


class FactsView(BaseModel):
    """What the probe found in a file."""

    frames: int
    file_rate: RateView | None
    timing: Timing
    measured_rate: str | None
    raster: str
    pixel_aspect: str
    scan: str
    timecode: str | None
    sound: str | None
    length: str | None
    codec: str
    fault: str | None
    remarks: list[str]


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
    """One row of the ledger. ``plan`` is null while the clip is being looked at, or where it cannot be used."""

    id: int
    delivery_id: int
    name: str
    path: str
    root: str
    revision: int
    facts: FactsView | None
    shot: RateView | None
    shot_stated: bool
    read: RateView | None
    rerated: bool
    intent: Intent | None
    intent_words: str
    sound: str
    plan: PlanView | None
    marks: list[Mark]


class Ledger(BaseModel):
    """All clips of a show, planned for its default timeline."""

    timeline_id: int | None
    clips: list[ClipRow]


class ClipRef(BaseModel):
    """A clip at the revision that was seen."""

    id: int
    revision: int


class IntentIn(BaseModel):
    """What is wanted; ``value`` as people type it: ``40%``, ``2/5``, ``x0.4``, or a length for *fit*."""

    intent: Intent
    value: str | None = None


class TreatmentChange(BaseModel):
    """Decisions for many clips; only what is given is set. A null puts it back to what the file says."""

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]
    intent: IntentIn | None = None
    read_rate: str | None = None
    shot_rate: str | None = None
    sound: Annotated[str | None, Field(pattern="^(off|keep)$")] = None


class Changed(BaseModel):
    """What was changed, as undo names it."""

    title: str


class Selection(BaseModel):
    """The clips to reckon with."""

    clip_ids: Annotated[list[int], Field(min_length=1, max_length=200_000)]


class LineView(BaseModel):
    """A line of arithmetic."""

    name: str
    words: str
    numbers: str
    result: str
    note: str


class Equation(BaseModel):
    """The arithmetic that some of the selected clips share, spelled for the first of them."""

    clips: int
    example: str
    lines: list[LineView]
    band: StripView
    pattern: str
    kind: Kind
    hiccup_every: str | None
    hiccups: list[LengthView]


class Alternative(BaseModel):
    """One way the selection could be treated: its speeds, its length, and the cadences that come of it."""

    intent: Intent
    value: str | None
    label: str
    speed: str
    after: LengthView
    kinds: list[str]
    strip: StripView
    chosen: bool


class Reckoning(BaseModel):
    """A selection worked out. Clips that cannot be planned are counted in ``left_out``."""

    clips: int
    left_out: int
    before: LengthView
    after: LengthView
    dropped: int
    repeated: int
    kinds: list[str]
    equations: list[Equation]
    more_equations: int
    alternatives: list[Alternative]


@router.get("/ledger")
def ledger(here: Here, show_id: ShowId) -> Ledger:
    """Every clip of the show with its plan for the default timeline."""
    with here.database.transaction() as connection:
        timeline = shows.show(connection, show_id).default_timeline
        found = clips.clips_of_show(connection, show_id)
    return Ledger(timeline_id=timeline.id if timeline else None, clips=[_row(clip, timeline) for clip in found])


@router.post("/treatments")
def set_treatments(here: Here, show_id: ShowId, asked: TreatmentChange) -> Changed:
    """Decide on clips, all in one change. Refused as a whole where one of them was changed since it was seen."""
    ids = [clip.id for clip in asked.clips]
    given = asked.model_fields_set
    with here.database.transaction() as connection:
        timeline = _timeline(connection, show_id)
        known = _clips_in(connection, show_id, ids)
    treatment = _wanted(asked.intent, timeline)
    read_rate = Rate.parse(asked.read_rate) if asked.read_rate else None
    shot_rate = Rate.parse(asked.shot_rate) if asked.shot_rate else None
    for clip in known:
        if treatment is not None and clip.facts is not None and clip.facts.usable:
            conform(material_of(clip), treatment, timeline.settings.rate)
    title = _title(asked, treatment, read_rate, shot_rate, known)
    with change(here.database, show_id, title, here.person) as connection:
        clips.expect_revisions(connection, {clip.id: clip.revision for clip in asked.clips})
        if "intent" in given:
            clips.set_intent(connection, ids, treatment)
        if "read_rate" in given:
            clips.set_read_rate(connection, ids, read_rate)
        if "shot_rate" in given:
            clips.set_shot_rate(connection, ids, shot_rate)
        if asked.sound is not None:
            clips.set_sound(connection, ids, asked.sound)
    return Changed(title=title)


@router.post("/reckoning")
def reckon(here: Here, show_id: ShowId, asked: Selection) -> Reckoning:
    """The arithmetic of a selection, and its alternatives side by side."""
    with here.database.transaction() as connection:
        timeline = _timeline(connection, show_id)
        known = _clips_in(connection, show_id, asked.clip_ids)
    usable = [clip for clip in known if clip.facts is not None and clip.facts.usable]
    if not usable:
        raise RuleError("None of these clips can be planned yet.", "facts")
    rate = timeline.settings.rate
    planned = [(clip, conform(material_of(clip), clip.treatment, rate)) for clip in usable]
    total = totals(plan for _, plan in planned)
    groups: dict[tuple[object, ...], list[tuple[Clip, Conform]]] = {}
    for clip, plan in planned:
        key = (plan.shot_rate, plan.read_rate, plan.material.file_rate, plan.speed, plan.treatment.intent)
        groups.setdefault(key, []).append((clip, plan))
    largest = sorted(groups.values(), key=len, reverse=True)
    return Reckoning(
        clips=len(usable),
        left_out=len(known) - len(usable),
        before=_length(total.before, timeline),
        after=_length(total.after, timeline),
        dropped=total.dropped,
        repeated=total.repeated,
        kinds=[f"{count} {kind}" for kind, count in total.kinds.items() if count],
        equations=[_equation(group, timeline) for group in largest[:_MOST_SPELLED]],
        more_equations=max(0, len(largest) - _MOST_SPELLED),
        alternatives=[_alternative(treatment, usable, timeline) for treatment in ALTERNATIVES],
    )


def plan_of(clip: Clip, timeline: Timeline) -> Conform | None:
    """The clip worked out for a timeline; None where it has not been looked at, or cannot be used."""
    if clip.facts is None or not clip.facts.usable:
        return None
    return conform(material_of(clip), clip.treatment, timeline.settings.rate)


def intent_words(treatment: Treatment, decided: bool) -> str:
    """A decision in words: ``real time``, ``speed 40 %``; ``undecided`` where there is none."""
    if not decided:
        return "undecided"
    name = treatment.intent.value.replace("-", " ")
    if treatment.value is None:
        return name
    if treatment.intent is Intent.FIT:
        return f"fit {treatment.value} frames"
    return f"{name} {percent_text(treatment.value)}"


def pattern_text(planned: Conform) -> str:
    """The rhythm as text: ``"2 3"``; for a long one, its period."""
    cadence = planned.frame_map.cadence
    pattern = cadence.pattern
    if pattern is not None and len(pattern) <= _MINI_BEATS:
        return " ".join(str(step) for step in pattern)
    return f"{cadence.source_period} frames in {cadence.timeline_period}"


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
        facts=_facts(clip.facts) if clip.facts else None,
        shot=rate_view(shot) if shot else None,
        shot_stated=clip.shot_rate is not None,
        read=rate_view(read) if read else None,
        rerated=clip.treatment.read_rate is not None and clip.treatment.read_rate != file_rate,
        intent=clip.treatment.intent if clip.decided else None,
        intent_words=intent_words(clip.treatment, clip.decided),
        sound=clip.sound,
        plan=_plan(planned, timeline) if planned and timeline else None,
        marks=list(marks(clip.facts, planned, clip.decided, clip.sound == "keep")),
    )


def _facts(facts: Facts) -> FactsView:
    seconds = facts.frames / facts.file_rate.value if facts.file_rate else None
    sound = facts.sound
    scans = {Scan.PROGRESSIVE: "progressive", Scan.UNKNOWN: "not stated", Scan.INTERLACED: "interlaced"}
    scan = scans[facts.scan] + (f", {facts.field_order}" if facts.field_order else "")
    return FactsView(
        frames=facts.frames,
        file_rate=rate_view(facts.file_rate) if facts.file_rate else None,
        timing=facts.timing,
        measured_rate=decimal_text(facts.measured_rate, 3) if facts.measured_rate else None,
        raster=f"{facts.width} × {facts.height}" if facts.width else "",
        pixel_aspect=number_text(facts.pixel_aspect),
        scan=scan,
        timecode=facts.timecode,
        sound=f"{decimal_text(Fraction(sound.sample_rate, 1000), 1)} kHz × {sound.channels}" if sound else None,
        length=f"{fixed_text(seconds, 2)} s" if seconds is not None else None,
        codec=facts.codec,
        fault=facts.fault,
        remarks=list(facts.remarks),
    )


def _plan(planned: Conform, timeline: Timeline) -> PlanView:
    frame_map = planned.frame_map
    return PlanView(
        speed=number_view(planned.speed),
        stride=number_view(frame_map.stride),
        pace=number_view(planned.pace),
        before=_length(as_it_stands(planned.material, planned.timeline_rate).frame_map.length, timeline),
        after=_length(frame_map.length, timeline),
        kind=frame_map.cadence.kind,
        pattern=pattern_text(planned),
        dropped=frame_map.dropped,
        repeated=frame_map.repeated,
        hiccup_every=_hiccup_every(planned),
        strip=strip_view(strip(frame_map, _MINI_BEATS)),
    )


def _hiccup_every(planned: Conform) -> str | None:
    hiccup = planned.frame_map.cadence.hiccup_every
    return f"{decimal_text(hiccup / planned.timeline_rate.value, 1)} s" if hiccup else None


def _length(frames: int, timeline: Timeline) -> LengthView:
    settings = timeline.settings
    return LengthView(
        frames=frames,
        timecode=duration_text(frames, settings.rate, settings.drop_frame),
        seconds=fixed_text(frames / settings.rate.value, 2),
    )


def _equation(group: Sequence[tuple[Clip, Conform]], timeline: Timeline) -> Equation:
    clip, planned = group[0]
    frame_map = planned.frame_map
    beats = int(timeline.settings.rate.value * _BAND_SECONDS)
    spots = [spot for spot, _ in zip(frame_map.hiccups(), range(8), strict=False)]
    first = max(0, spots[1] - beats // 2) if len(spots) > 1 else 0
    return Equation(
        clips=len(group),
        example=clip.name,
        lines=[LineView.model_validate(line, from_attributes=True) for line in spelled(planned)],
        band=strip_view(stretch(frame_map, min(first, max(0, frame_map.length - beats)), beats)),
        pattern=pattern_text(planned),
        kind=frame_map.cadence.kind,
        hiccup_every=_hiccup_every(planned),
        hiccups=[_length(spot, timeline) for spot in spots],
    )


def _alternative(treatment: Treatment, usable: Sequence[Clip], timeline: Timeline) -> Alternative:
    plans = [conform(material_of(clip), _with_reading(treatment, clip), timeline.settings.rate) for clip in usable]
    speeds = sorted({plan.speed for plan in plans})
    counted = Counter(plan.frame_map.cadence.kind for plan in plans)
    total = totals(plans)
    slowest, fastest = percent_text(speeds[0]), percent_text(speeds[-1])
    return Alternative(
        intent=treatment.intent,
        value=number_text(treatment.value) if treatment.value is not None else None,
        label=_alternative_label(treatment),
        speed=slowest if len(speeds) == 1 else f"{slowest.removesuffix(' %')} – {fastest}",
        after=_length(total.after, timeline),
        kinds=[f"{count} {kind}" if len(plans) > 1 else str(kind) for kind, count in counted.most_common()],
        strip=strip_view(strip(plans[0].frame_map, _MINI_BEATS)),
        chosen=all(clip.decided and clip.treatment == _with_reading(treatment, clip) for clip in usable),
    )


def _alternative_label(treatment: Treatment) -> str:
    if treatment.intent is Intent.PACE:
        return "half of life"
    return "as it stands" if treatment.intent is Intent.SPEED else treatment.intent.value.replace("-", " ")


def _with_reading(treatment: Treatment, clip: Clip) -> Treatment:
    return Treatment(treatment.intent, treatment.value, clip.treatment.read_rate, clip.treatment.fields)


def _timeline(connection: Connection, show_id: int) -> Timeline:
    timeline = shows.show(connection, show_id).default_timeline
    if timeline is None:
        raise RuleError("The show has no timeline to plan for. Settle one in Brief.", "timeline")
    return timeline


def _clips_in(connection: Connection, show_id: int, ids: list[int]) -> list[Clip]:
    """These clips, all of the show."""
    own = {delivery.id for delivery in clips.deliveries(connection, show_id)}
    found = clips.clips_by_id(connection, ids)
    if any(clip.delivery_id not in own for clip in found):
        raise RuleError("A clip belongs to another show.", "missing")
    return found


def _wanted(asked: IntentIn | None, timeline: Timeline) -> Treatment | None:
    if asked is None:
        return None
    value: Fraction | None = None
    if asked.intent in NEEDS_VALUE:
        typed = asked.value or ""
        if asked.intent is Intent.FIT:
            value = Fraction(parse_length(typed, timeline.settings.rate, timeline.settings.drop_frame))
        else:
            value = parse_fraction(typed)
    return Treatment(asked.intent, value)


def _title(
    asked: TreatmentChange,
    treatment: Treatment | None,
    read_rate: Rate | None,
    shot_rate: Rate | None,
    known: Sequence[Clip],
) -> str:
    """What the change is called in undo: ``Real time for 12 clips``."""
    parts = []
    if "intent" in asked.model_fields_set:
        parts.append(intent_words(treatment, True) if treatment else "no decision")
    if "read_rate" in asked.model_fields_set:
        parts.append(f"read at {read_rate}" if read_rate else "read as the file says")
    if "shot_rate" in asked.model_fields_set:
        parts.append(f"shot at {shot_rate}" if shot_rate else "shot rate as the file says")
    if asked.sound is not None:
        parts.append("sound kept" if asked.sound == "keep" else "sound off")
    if not parts:
        raise RuleError("Nothing was asked for.", "request")
    what = ", ".join(parts)
    whom = known[0].name if len(known) == 1 else f"{len(known)} clips"
    return f"{what[0].upper()}{what[1:]} for {whom}"
