"""Placing: the events that chosen clips, files of sound or a timeline become."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Annotated

from pydantic import BaseModel, Field

from oddmeter.core.cutting import edits
from oddmeter.core.cutting.commands import Command, Edit, with_snapping
from oddmeter.core.cutting.edits import Following
from oddmeter.core.cutting.events import FIRST_PICTURE, FIRST_SOUND, Event, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.shown import contains
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import SoundChoice
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.planning.clips import KnownClip, sound_material
from oddmeter.web.stops.assembly.timelines import ShowTimelines

_MOST_EVENTS = 50_000


class EditIn(BaseModel):
    """A change of events, at the version that was seen; ``by``, ``value`` and ``at`` are as a ``Command`` has them.
    *place* takes clips, or ``inner``, a timeline. Within ``snap`` timeline frames, an
    edge that is trimmed, fitted or moved goes to the nearest cut point, marker, beat, or the ``playhead``. ``preview``
    says what it would do, and does nothing; with ``places``, where each event would lie."""

    version: str
    edit: Edit
    events: Annotated[list[int], Field(max_length=_MOST_EVENTS)] = []
    clips: Annotated[list[int], Field(max_length=_MOST_EVENTS)] = []
    inner: int | None = None
    at: Annotated[int | None, Field(ge=0, le=1 << 40)] = None
    by: str = ""
    value: str = ""
    set: dict[Part, str | None] = {}
    track: str = ""
    sound: bool = True
    following: Following = Following.STAYS
    snap: Annotated[int, Field(ge=0, le=1 << 31)] = 0
    playhead: int | None = None
    preview: bool = False
    places: bool = False


def command_of(book: ShowTimelines, timeline_id: int, asked: EditIn, beats: Callable[[], list[int]] = list) -> Command:
    """What is asked, as the core's command; ``beats`` gives those of music on the timeline. Raises ``RuleError`` where
    what is to be placed cannot be."""
    command = Command(
        asked.edit, asked.events, asked.at, asked.by, asked.value, asked.set, asked.track, asked.following
    )
    if asked.edit is not Edit.PLACE:
        if not asked.snap:
            return command
        spots = {*beats(), *(() if asked.playhead is None else (asked.playhead,))}
        return with_snapping(
            command, book.event_list(timeline_id), book.timeline(timeline_id).settings, spots, asked.snap
        )
    if asked.inner is not None:
        new = _nested(book, timeline_id, asked.inner, sound=asked.sound)
        return replace(command, new=new, what=new[0].name)
    known = book.board.everything
    chosen = [known[clip] for clip in asked.clips if clip in known]
    heard = [clip for clip in chosen if clip.facts is not None and clip.facts.only_sound]
    if heard and len(heard) < len(chosen):
        raise RuleError("Place sound files separately; they go beside the picture.", "clip")
    if heard:
        what = heard[0].clip.name if len(heard) == 1 else f"{len(heard)} sound files"
        return replace(command, new=_sounds(book, timeline_id, heard), beside=True, what=what)
    new = _clips(book, timeline_id, asked)
    return replace(command, new=new, what=new[0].name if len(asked.clips) == 1 else f"{len(asked.clips)} clips")


def _sounds(book: ShowTimelines, timeline_id: int, heard: Sequence[KnownClip]) -> tuple[Event, ...]:
    """An event for each file of sound."""
    rate, out = book.timeline(timeline_id).settings.rate, []
    for number, clip in enumerate(heard):
        assert clip.facts is not None
        material = sound_material(clip.facts, rate)
        assert material is not None
        out.append(
            Event(
                -1 - number, FIRST_SOUND, SourceKind.CLIP, 0, material.frames, clip_id=clip.clip.id, name=clip.clip.name
            )
        )
    return tuple(out)


def _clips(book: ShowTimelines, timeline_id: int, asked: EditIn) -> tuple[Event, ...]:
    """Clips in order, as Plan has decided them; with sound, each has an event for it beside the picture."""
    picture = Track.named(asked.track) if asked.track else FIRST_PICTURE
    rows = book.board.some(asked.clips, book.timeline(timeline_id))
    if not rows:
        raise RuleError("Select clips to place first.", "clip")
    laid: list[Event] = []
    for row in rows:
        if row.refusal is not None:
            raise row.refusal.error()
        assert row.plan is not None
        planned, first = row.plan.conformed, row.plan.conformed.span[0]
        begins = planned.span[1] if planned.treatment.reverse else first
        group = -1 - len(laid)
        event = Event(
            group, picture, SourceKind.CLIP, 0, row.plan.after, SourceFrame(Fraction(begins)), clip_id=row.clip.id,
            name=row.clip.name,
        )  # fmt: skip
        if asked.sound and planned.treatment.sound is not SoundChoice.OFF and row.plan.facts.sounds:
            beside = replace(event, id=group - 1, track=Track(TrackKind.SOUND, picture.number), group=group)
            laid += [replace(event, group=group), beside]
        else:
            laid.append(event)
    return edits.in_order(laid)


def _nested(book: ShowTimelines, timeline_id: int, inner: int, *, sound: bool) -> tuple[Event, ...]:
    """The event of a timeline, with sound that of its sound beside it."""
    if contains(book, inner, timeline_id):
        raise RuleError("A timeline cannot be placed inside itself.", "nested")
    event_list, name, rate = (
        book.event_list(inner),
        book.timeline(inner).settings.name,
        book.timeline(timeline_id).settings.rate,
    )
    if not event_list.length:
        raise RuleError(f"“{name}” is empty.", "nested")
    length = -(-event_list.length * rate.value // event_list.rate.value)
    event = Event(-1, FIRST_PICTURE, SourceKind.TIMELINE, 0, int(length), timeline_id=inner, name=name)
    return edits.with_sound(event, event_list) if sound else (event,)
