"""Editing: one change of a timeline's events as people ask for it, made on the cut as it stands."""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import Annotated

from pydantic import BaseModel, Field

from oddmeter.core.cutting import edits
from oddmeter.core.cutting.edits import Edge, Following
from oddmeter.core.cutting.events import FIRST_PICTURE, FIRST_SOUND, Cut, Event, Track, TrackKind, frames_text, named
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.shown import contains
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Part, parse_part, parse_wish
from oddmeter.core.decisions.treatment import Intent, SoundChoice
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, parse_signed, percent_text
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.timecode import parse_amount, parse_length
from oddmeter.core.planning.clips import KnownClip, sound_material
from oddmeter.web.stops.assembly.book import ShowBook

_MOST_EVENTS = 50_000


class Edit(StrEnum):
    """What is done with events."""

    PLACE = "place"
    TRIM_HEAD = "trim head"
    TRIM_TAIL = "trim tail"
    SLIP = "slip"
    SLIDE = "slide"
    MOVE = "move"
    SPLIT = "split"
    DELETE = "delete"
    SPEED = "speed"
    DECIDE = "decide"
    REFIT = "refit"
    FILL = "fill"
    CLOSE = "close"
    PART = "part"
    TRANSITION = "transition"
    FLATTEN = "flatten"
    MARK = "mark"
    UNMARK = "unmark"


class EditIn(BaseModel):
    """A change of events, at the version that was seen. ``by`` and ``value`` are as people type them: timeline frames
    ``+12``, ``2s``, ``34 f`` or timecode, of a trim also source frames, ``12 sf``; of a slip source frames; of a speed
    ``40%``, or a length. ``at`` is a timeline frame; None the end. ``preview`` says what it would do, and does nothing;
    with ``places``, where each event would lie."""

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
    preview: bool = False
    places: bool = False


@dataclass(frozen=True)
class Made:
    cut: Cut
    title: str


class Editing:
    """One change that is asked for, made on the cut as it stands."""

    def __init__(self, book: ShowBook, timeline_id: int, asked: EditIn) -> None:
        self.book, self.timeline_id, self.asked = book, timeline_id, asked
        self.timeline = book.timeline(timeline_id)
        self.cut, self.windows = book.cut(timeline_id), book.windows(timeline_id)
        self.settings = self.timeline.settings

    def made(self) -> Made:
        makes: dict[Edit, Callable[[], Made]] = {
            Edit.PLACE: self._place, Edit.TRIM_HEAD: self._trim, Edit.TRIM_TAIL: self._trim, Edit.SLIP: self._slip,
            Edit.SLIDE: self._slide, Edit.MOVE: self._move, Edit.SPLIT: self._split, Edit.DELETE: self._delete,
            Edit.SPEED: self._speed, Edit.DECIDE: self._decide, Edit.REFIT: self._refit, Edit.FILL: self._fill,
            Edit.CLOSE: self._close, Edit.PART: self._part, Edit.TRANSITION: self._transition,
            Edit.FLATTEN: self._flatten, Edit.MARK: self._mark, Edit.UNMARK: self._mark,
        }  # fmt: skip
        return makes[self.asked.edit]()

    @property
    def one(self) -> Event:
        if len(self.asked.events) != 1:
            raise RuleError("Choose one event for this.", "event")
        return self.cut.event(self.asked.events[0])

    @property
    def some(self) -> list[Event]:
        if not self.asked.events:
            raise RuleError("Choose an event first.", "event")
        return [self.cut.event(one) for one in self.asked.events]

    def _by(self) -> int:
        return parse_amount(self.asked.by, self.settings.rate, self.settings.drop_frame)

    def _place(self) -> Made:
        at = self.cut.length if self.asked.at is None else self.asked.at
        if self.asked.inner is None and (heard := self._heard()):
            return self._beside(heard, 0 if self.asked.at is None else self.asked.at)
        laid = self._nested() if self.asked.inner is not None else self._laid()
        cut = edits.placed(self.cut, laid, at, self.asked.following)
        one = self.asked.inner is not None or len(self.asked.clips) == 1
        what = laid[0].name if one else f"{len(self.asked.clips)} clips"
        return Made(cut, f"{what} placed on “{self.settings.name}”")

    def _heard(self) -> list[KnownClip]:
        """The chosen files where all of them are sound alone; raises ``RuleError`` where only some are."""
        everything = self.book.board.everything
        chosen = [everything[one] for one in self.asked.clips if one in everything]
        heard = [one for one in chosen if one.facts is not None and one.facts.only_sound]
        if heard and len(heard) < len(chosen):
            raise RuleError("Files of sound alone are placed by themselves, beside the pictures.", "clip")
        return heard

    def _beside(self, heard: list[KnownClip], at: int) -> Made:
        """Files of sound laid beside what is there, each on the lowest track that is free; nothing moves."""
        cut = self.cut
        for one in heard:
            assert one.facts is not None
            material = sound_material(one.facts, self.settings.rate)
            assert material is not None
            event = Event(
                cut.free_id, FIRST_SOUND, SourceKind.CLIP, at, material.frames, clip_id=one.clip.id, name=one.clip.name
            )
            cut = cut.with_events([edits.on_free_track(cut, event)])
        names = heard[0].clip.name if len(heard) == 1 else f"{len(heard)} files of sound"
        return Made(cut, f"{names} placed beside “{self.settings.name}”")

    def _laid(self) -> tuple[Event, ...]:
        """Clips in order, as Plan has decided them; with sound, each has an event for it beside the picture."""
        picture = Track.named(self.asked.track) if self.asked.track else FIRST_PICTURE
        rows = self.book.board.some(self.asked.clips, self.timeline)
        if not rows:
            raise RuleError("Choose clips to place first.", "clip")
        laid: list[Event] = []
        for number, row in enumerate(rows):
            if row.refusal is not None:
                raise row.refusal.error()
            assert row.plan is not None
            planned, first = row.plan.conformed, row.plan.conformed.span[0]
            begins = planned.span[1] if planned.treatment.reverse else first
            group = -1 - len(laid)
            event = Event(
                group, picture, SourceKind.CLIP, 0, row.plan.after, SourceFrame(Fraction(begins)), clip_id=row.clip.id,
                group=group, name=row.clip.name,
            )  # fmt: skip
            laid.append(event)
            heard = planned.treatment.sound is not SoundChoice.OFF and bool(row.plan.facts.sounds)
            if self.asked.sound and heard:
                laid.append(replace(event, id=group - 1, track=Track(TrackKind.SOUND, picture.number)))
            else:
                laid[-1] = replace(event, group=None)
            assert number < _MOST_EVENTS
        return edits.in_order(laid)

    def _nested(self) -> tuple[Event, ...]:
        inner = self.asked.inner
        assert inner is not None
        if contains(self.book, inner, self.timeline_id):
            raise RuleError("A timeline cannot be placed inside itself.", "nested")
        cut, name = self.book.cut(inner), self.book.timeline(inner).settings.name
        if not cut.length:
            raise RuleError(f"“{name}” is empty.", "nested")
        length = -(-cut.length * self.settings.rate.value // cut.rate.value)
        event = Event(-1, FIRST_PICTURE, SourceKind.TIMELINE, 0, int(length), timeline_id=inner, name=name)
        return edits.with_sound(event, cut) if self.asked.sound else (event,)

    def _trim(self) -> Made:
        event = self.one
        edge = Edge.HEAD if self.asked.edit is Edit.TRIM_HEAD else Edge.TAIL
        by = self._by_source(event, edge)
        cut = edits.trimmed(self.cut, event.id, edge, by, self.windows, self.asked.following)
        return Made(cut, f"{edge.value.capitalize()} of {named(event)} {later(by)}")

    def _by_source(self, event: Event, edge: Edge) -> int:
        """Timeline frames to trim by, which may be said in source frames: ``+12 sf``, ``-3 source frames``."""
        typed = self.asked.by.strip().lower()
        if not (said := re.fullmatch(r"([-+−]?[\d./ ]+?)\s*(sf|source( frames?)?)", typed)):
            return self._by()
        window = self.windows(event)
        if window is None:
            raise RuleError(f"{named(event)} has no source to count in.", "trim")
        return window.frames_over(parse_signed(said[1].removeprefix("+")), 0 if edge is Edge.HEAD else event.length)

    def _slip(self) -> Made:
        by = parse_signed(self.asked.by.strip().removeprefix("+").removesuffix("f").strip())
        cut = edits.slipped(self.cut, [one.id for one in self.some], by, self.windows)
        way = "later" if by > 0 else "earlier"
        return Made(cut, f"{self._what()} slipped to {decimal_text(abs(by), 3)} source frames {way}")

    def _slide(self) -> Made:
        event, by = self.one, self._by()
        return Made(edits.slid(self.cut, event.id, by, self.windows), f"{named(event)} slid {later(by)}")

    def _move(self) -> Made:
        some, track = self.some, Track.named(self.asked.track) if self.asked.track else None
        by = self._by() if self.asked.by else 0
        if self.asked.at is not None:
            by = self.asked.at - min(one.record_in for one in some)
        cut = edits.moved(self.cut, [one.id for one in some], by, track)
        return Made(cut, f"{self._what()} moved {later(by)}")

    def _split(self) -> Made:
        event, at = self.one, self.asked.at
        if at is None:
            raise RuleError("Say at which frame it is parted.", "split")
        return Made(
            edits.split(self.cut, event.id, at - event.record_in, self.windows), f"{named(event)} split at {at}"
        )

    def _delete(self) -> Made:
        gone = edits.deleted(self.cut, [one.id for one in self.some], self.asked.following)
        return Made(gone, f"{self._what()} deleted")

    def _speed(self) -> Made:
        """``40%``, ``x0.4``: a speed; ``every frame``, ``real time``, ``as the clip``: an intent."""
        typed = self.asked.value.strip()
        named_intents = {"real time": Intent.REAL_TIME, "every frame": Intent.EVERY_FRAME}
        plain = typed.lower().replace("-", " ")
        if plain in ("", "as the clip"):
            return self._decided(lambda own: replace(own, intent=None, reading=None, reverse=None), "as the clip is")
        if plain in named_intents:
            wish = parse_wish(named_intents[plain], "", self.settings.rate, self.settings.drop_frame)
            return self._decided(lambda own: replace(own, intent=wish), f"at {plain}")
        speed = parse_signed(typed)
        back, value = speed < 0, abs(speed)
        if value == 0:
            raise RuleError("A speed lies above zero; a picture that stands is a curve that holds.", "speed")
        wish = parse_wish(Intent.SPEED, str(value), self.settings.rate, self.settings.drop_frame)
        words = f"{'backwards ' if back else ''}at {percent_text(value)}"
        return self._decided(lambda own: replace(own, intent=wish, reverse=back or None), words)

    def _decide(self) -> Made:
        given = {part.value: None if text is None else parse_part(part, text) for part, text in self.asked.set.items()}
        return self._decided(lambda own: replace(own, **given), f"decided: {', '.join(given)}")

    def _decided(self, decide: Callable[[Decisions], Decisions], words: str) -> Made:
        def decided(event: Event) -> Event:
            return replace(event, decisions=decide(event.decisions)) if event.carries_source else event

        some = [one.id for one in self.some]
        cut = edits.respeeded(self.cut, some, decided, self.windows, self.asked.following)
        return Made(cut, f"{self._what()} {words}")

    def _refit(self) -> Made:
        event = self.one
        length = parse_length(self.asked.value, self.settings.rate, self.settings.drop_frame)
        cut = edits.refit(self.cut, event.id, length, self.windows, self.asked.following)
        return Made(cut, f"{named(event)} fitted to {frames_text(length)}")

    def _fill(self) -> Made:
        event = self.one
        by_speed = self.asked.value == "speed"
        how = "by its speed" if by_speed else "from its source"
        return Made(
            edits.filled(self.cut, event.id, self.windows, by_speed=by_speed), f"Gap behind {named(event)} filled {how}"
        )

    def _close(self) -> Made:
        return Made(edits.closed(self.cut), f"Gaps of “{self.settings.name}” closed")

    def _part(self) -> Made:
        cut = edits.parted(self.cut, [one.id for one in self.some])
        return Made(cut, f"Picture and sound of {self._what()} parted")

    def _transition(self) -> Made:
        length = parse_amount(self.asked.value or "0", self.settings.rate, self.settings.drop_frame)
        kind = self.asked.track or "dissolve"
        cut = edits.dissolved(self.cut, [one.id for one in self.some], kind, length)
        words = f"{kind} of {frames_text(length)} into" if length > 0 else "cut into"
        return Made(cut, f"{words.capitalize()} {self._what()}")

    def _flatten(self) -> Made:
        event = self.one
        flat = not event.flattened
        words = "shown by its own frames only" if flat else "shown by all frames inside it"
        return Made(self.cut.with_events([replace(event, flattened=flat)]), f"{named(event)} {words}")

    def _mark(self) -> Made:
        """A marker at a frame, with the name that is typed or that it had; or none there."""
        at = self.asked.at
        if at is None:
            raise RuleError("Say at which frame the marker lies.", "marker")
        away, where = self.asked.edit is Edit.UNMARK, self.settings.timecode(at)
        name = self.asked.value.strip()[:400]
        title = f"Marker taken from {where}" if away else f"Marker {name} put at {where}".replace("  ", " ")
        return Made(edits.marked(self.cut, at, None if away else name), title)

    def _what(self) -> str:
        some = self.some
        return named(some[0]) if len(some) == 1 else events_text(len(some))


def later(by: int) -> str:
    return f"{frames_text(abs(by))} {'later' if by >= 0 else 'earlier'}"


def events_text(count: int) -> str:
    return f"{count} event{'' if count == 1 else 's'}"
