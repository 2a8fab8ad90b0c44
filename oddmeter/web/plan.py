"""Plan: decisions on many clips at once, and the arithmetic of a selection."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.arithmetic import hiccup_text, intent_text, number_text, pattern_text, percent_text, spelled
from oddmeter.core.batches import ALTERNATIVES, stretch, strip, totals
from oddmeter.core.cadence import Kind
from oddmeter.core.claims import Word
from oddmeter.core.conform import Conform, conform
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import Question
from oddmeter.core.rates import Rate, parse_fraction
from oddmeter.core.timecode import parse_length
from oddmeter.core.treatments import AS_IT_STANDS, NEEDS_VALUE, Intent, Treatment
from oddmeter.store import clips, evidence, shows
from oddmeter.store.changes import change
from oddmeter.store.clips import Clip
from oddmeter.store.shows import Timeline
from oddmeter.web.brief import ShowId
from oddmeter.web.context import Here
from oddmeter.web.ledger import MINI_BEATS
from oddmeter.web.views import LengthView, StripView, length_view, strip_view
from oddmeter.work.orders import material_of, plan_of, settled_timeline

router = APIRouter(prefix="/api/shows/{show_id}", tags=["plan"])

_BAND_SECONDS = 2
_MOST_SPELLED = 6


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


@router.post("/treatments")
def set_treatments(here: Here, show_id: ShowId, asked: TreatmentChange) -> Changed:
    """Decide on clips, all in one change. Refused as a whole where one of them was changed since it was seen."""
    ids = [clip.id for clip in asked.clips]
    given = asked.model_fields_set
    with here.database.transaction() as connection:
        timeline = settled_timeline(shows.show(connection, show_id))
        known = clips.clips_in_show(connection, show_id, ids)
    treatment = _wanted(asked.intent, timeline)
    read_rate = Rate.parse(asked.read_rate) if asked.read_rate else None
    shot_rate = Rate.parse(asked.shot_rate) if asked.shot_rate else None
    for clip in known:
        if clip.facts is not None and clip.facts.usable:
            intended = treatment or (AS_IT_STANDS if "intent" in given else clip.treatment)
            material = material_of(clip)
            material = replace(material, shot_rate=shot_rate) if "shot_rate" in given else material
            reading = read_rate if "read_rate" in given else clip.treatment.read_rate
            conform(material, replace(intended, read_rate=reading), timeline.settings.rate)
    title = _title(asked, treatment, read_rate, shot_rate, known)
    with change(here.database, show_id, title, here.person) as connection:
        clips.expect_revisions(connection, {clip.id: clip.revision for clip in asked.clips})
        if "intent" in given:
            clips.set_intent(connection, ids, treatment)
        if "read_rate" in given:
            clips.set_read_rate(connection, ids, read_rate)
        if "shot_rate" in given:
            if shot_rate is None:
                evidence.withdraw(connection, ids, Question.SHOT_RATE)
            else:
                evidence.say(connection, ids, Word(Question.SHOT_RATE, shot_rate.exact, here.person))
        if asked.sound is not None:
            clips.set_sound(connection, ids, asked.sound)
    return Changed(title=title)


@router.post("/reckoning")
def reckon(here: Here, show_id: ShowId, asked: Selection) -> Reckoning:
    """The arithmetic of a selection, and its alternatives side by side."""
    with here.database.transaction() as connection:
        timeline = settled_timeline(shows.show(connection, show_id))
        known = clips.clips_in_show(connection, show_id, asked.clip_ids)
    planned = [(clip, plan) for clip in known if (plan := plan_of(clip, timeline)) is not None]
    usable = [clip for clip, _ in planned]
    if not usable:
        raise RuleError("None of these clips can be planned yet.", "facts")
    total = totals(plan for _, plan in planned)
    groups: dict[tuple[object, ...], list[tuple[Clip, Conform]]] = {}
    for clip, plan in planned:
        key = (plan.shot_rate, plan.read_rate, plan.material.file_rate, plan.speed, plan.treatment.intent)
        groups.setdefault(key, []).append((clip, plan))
    largest = sorted(groups.values(), key=len, reverse=True)
    return Reckoning(
        clips=len(usable),
        left_out=len(known) - len(usable),
        before=length_view(total.before, timeline),
        after=length_view(total.after, timeline),
        dropped=total.dropped,
        repeated=total.repeated,
        kinds=[f"{count} {kind}" for kind, count in total.kinds.items() if count],
        equations=[_equation(group, timeline) for group in largest[:_MOST_SPELLED]],
        more_equations=max(0, len(largest) - _MOST_SPELLED),
        alternatives=[_alternative(treatment, usable, timeline) for treatment in ALTERNATIVES],
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
        hiccup_every=hiccup_text(planned),
        hiccups=[length_view(spot, timeline) for spot in spots],
    )


def _alternative(treatment: Treatment, usable: Sequence[Clip], timeline: Timeline) -> Alternative:
    plans = [conform(material_of(clip), _with_reading(treatment, clip), timeline.settings.rate) for clip in usable]
    speeds = sorted({plan.speed for plan in plans})
    counted = Counter(plan.frame_map.cadence.kind for plan in plans)
    length = sum(plan.frame_map.length for plan in plans)
    slowest, fastest = percent_text(speeds[0]), percent_text(speeds[-1])
    return Alternative(
        intent=treatment.intent,
        value=number_text(treatment.value) if treatment.value is not None else None,
        label=_alternative_label(treatment),
        speed=slowest if len(speeds) == 1 else f"{slowest.removesuffix(' %')} – {fastest.removeprefix('≈ ')}",
        after=length_view(length, timeline),
        kinds=[f"{count} {kind}" if len(plans) > 1 else str(kind) for kind, count in counted.most_common()],
        strip=strip_view(strip(plans[0].frame_map, MINI_BEATS)),
        chosen=all(clip.decided and clip.treatment == _with_reading(treatment, clip) for clip in usable),
    )


def _alternative_label(treatment: Treatment) -> str:
    if treatment.intent is Intent.PACE:
        return "half of life"
    return "as it stands" if treatment.intent is Intent.SPEED else treatment.intent.value.replace("-", " ")


def _with_reading(treatment: Treatment, clip: Clip) -> Treatment:
    return replace(treatment, read_rate=clip.treatment.read_rate, fields=clip.treatment.fields)


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
        parts.append(intent_text(treatment, True) if treatment else "no decision")
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
