"""Commands: the edits of a timeline's events as people ask for them, each a line of one table."""

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from oddmeter.core.cutting import edits
from oddmeter.core.cutting.edits import Edge, Following, Windows
from oddmeter.core.cutting.events import Event, EventList, Track, frames_text, named
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import Part, parse_intent, parse_part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.axes import snapped
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, parse_signed, percent_text
from oddmeter.core.numbers.timecode import parse_amount, parse_length
from oddmeter.core.planning.timelines import TimelineSettings


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
    UNLINK = "unlink"
    TRANSITION = "transition"
    FLATTEN = "flatten"
    MARK = "mark"
    UNMARK = "unmark"

    @classmethod
    def _missing_(cls, value: object) -> "Edit | None":
        """``part`` is what *unlink* was called before."""
        return cls.UNLINK if value == "part" else None


@dataclass(frozen=True)
class Command:
    """An edit of ``events`` by their ids. ``by`` and ``value`` are as people type them: timeline frames ``+12``,
    ``2s``, ``34 f`` or timecode, of a trim also source frames, ``12 sf``; of a slip source frames; of a speed ``40%``,
    or a length. ``at`` is a timeline frame, None the end. ``new`` are the events of a *place*, which ``what`` names:
    laid in one after the other, or ``beside`` what is there. ``snapped_by`` is by how many timeline frames an edge goes
    that was to snap."""

    edit: Edit
    events: Sequence[int] = ()
    at: int | None = None
    by: str = ""
    value: str = ""
    set: Mapping[Part, str | None] = field(default_factory=dict)
    track: str = ""
    following: Following = Following.STAYS
    new: Sequence[Event] = ()
    beside: bool = False
    what: str = ""
    snapped_by: int | None = None


@dataclass(frozen=True)
class Edited:
    """The cut that follows, and what undo calls the change."""

    event_list: EventList
    title: str


def edited(event_list: EventList, windows: Windows, settings: TimelineSettings, command: Command) -> Edited:
    """The cut after a command; raises ``RuleError`` where that cannot be done."""
    made = EDITS[command.edit](_On(event_list, windows, settings, command))
    return replace(made, event_list=checked(made.event_list, windows, event_list))


def checked(event_list: EventList, windows: Windows, before: EventList | None = None) -> EventList:
    """The cut, whose events keep what no constructor can see: a curve offset belongs to a curve, and the events of a
    group show one source. Of one that came of another, ``before``, only what changed is looked at. Raises ``RuleError``
    where that does not hold; such a cut is not stored."""
    known = before.by_id if before else {}
    changed = [event for event in event_list.events if known.get(event.id) != event]
    for event in changed:
        window = windows(event) if event.curve_offset else None
        if window is not None and window.conformed.course is None:
            raise RuleError(f"{named(event)} would keep a curve offset without a curve.", "curve")
    groups = {event.group for event in changed} - {None}
    sources: dict[int | None, tuple[int | None, int | None]] = {}
    for event in event_list.events if groups else ():
        source = event.clip_id, event.timeline_id
        if event.group in groups and sources.setdefault(event.group, source) != source:
            raise RuleError(f"{named(event)} would be linked to another source.", "group")
    return event_list


_EDGE_OF = {Edit.TRIM_HEAD: Edge.HEAD, Edit.MOVE: Edge.HEAD, Edit.TRIM_TAIL: Edge.TAIL, Edit.REFIT: Edge.TAIL}


def with_snapping(
    command: Command, event_list: EventList, settings: TimelineSettings, spots: Iterable[int], within: int
) -> Command:
    """A trim, fit or move of one event, whose edge goes to the nearest of its cut's edges and markers and of further
    spots, in timeline frames, where one is so near; any other command as it is."""
    edge = _EDGE_OF.get(command.edit)
    if edge is None or len(command.events) != 1 or command.at is not None:
        return command
    event = event_list.event(command.events[0])
    was = event.record_in if edge is Edge.HEAD else event.stop
    if command.edit is Edit.REFIT:
        by = parse_length(command.value, settings.rate, settings.drop_frame) - event.length
    else:
        by = parse_amount(command.by, settings.rate, settings.drop_frame)
    others = {at for other in event_list.events if other.id != event.id for at in (other.record_in, other.stop)}
    there = {*others, *(marker.at for marker in event_list.markers), *spots} - {event.record_in, event.stop}
    by = snapped(was + by, there, within) - was
    if command.edit is Edit.REFIT:
        return replace(command, value=f"{max(1, event.length + by)}f", snapped_by=by)
    return replace(command, by=f"{by}f", snapped_by=by)


@dataclass(frozen=True)
class _On:
    """A command with what it is made on."""

    event_list: EventList
    windows: Windows
    settings: TimelineSettings
    asked: Command

    @property
    def one(self) -> Event:
        """The event that was chosen."""
        if len(self.asked.events) != 1:
            raise RuleError("Select a single event.", "event")
        return self.event_list.event(self.asked.events[0])

    @property
    def some(self) -> list[int]:
        """The ids of the events that were chosen; each of them is there."""
        if not self.asked.events:
            raise RuleError("Select an event first.", "event")
        return [self.event_list.event(event).id for event in self.asked.events]

    @property
    def by(self) -> int:
        """The timeline frames that were typed."""
        return parse_amount(self.asked.by, self.settings.rate, self.settings.drop_frame)

    @property
    def what(self) -> str:
        """The chosen events as a title calls them."""
        some = self.some
        return named(self.event_list.event(some[0])) if len(some) == 1 else events_text(len(some))


def _place(on: _On) -> Edited:
    asked = on.asked
    if asked.beside:
        event_list = edits.placed_beside(on.event_list, asked.new, asked.at or 0)
        return Edited(event_list, f"{asked.what} placed beside “{on.settings.name}”")
    at = on.event_list.length if asked.at is None else asked.at
    return Edited(
        edits.placed(on.event_list, asked.new, at, asked.following), f"{asked.what} placed on “{on.settings.name}”"
    )


def _trim(on: _On) -> Edited:
    event = on.one
    edge = Edge.HEAD if on.asked.edit is Edit.TRIM_HEAD else Edge.TAIL
    by = _by_source(on, event, edge)
    event_list = edits.trimmed(on.event_list, event.id, edge, by, on.windows, on.asked.following)
    return Edited(event_list, f"{edge.value.capitalize()} of {named(event)} {later(by)}")


def _by_source(on: _On, event: Event, edge: Edge) -> int:
    """Timeline frames to trim by, which may be said in source frames: ``+12 sf``, ``-3 source frames``."""
    typed = on.asked.by.strip().lower()
    if not (said := re.fullmatch(r"([-+−]?[\d./ ]+?)\s*(sf|source( frames?)?)", typed)):
        return on.by
    window = on.windows(event)
    if window is None:
        raise RuleError(f"{named(event)} has no source frames to count.", "trim")
    return window.frames_over(parse_signed(said[1].removeprefix("+")), 0 if edge is Edge.HEAD else event.length)


def _slip(on: _On) -> Edited:
    by = parse_signed(on.asked.by.strip().removeprefix("+").removesuffix("f").strip())
    event_list = edits.slipped(on.event_list, on.some, by, on.windows)
    way = "later" if by > 0 else "earlier"
    return Edited(event_list, f"{on.what} slipped to {decimal_text(abs(by), 3)} source frames {way}")


def _slide(on: _On) -> Edited:
    event, by = on.one, on.by
    return Edited(edits.slid(on.event_list, event.id, by, on.windows), f"{named(event)} slid {later(by)}")


def _move(on: _On) -> Edited:
    some, track = on.some, Track.named(on.asked.track) if on.asked.track else None
    by = on.by if on.asked.by else 0
    if on.asked.at is not None:
        by = on.asked.at - min(on.event_list.event(event).record_in for event in some)
    event_list = edits.moved(on.event_list, some, by, track)
    return Edited(event_list, f"{on.what} moved {later(by)}")


def _split(on: _On) -> Edited:
    event, at = on.one, on.asked.at
    if at is None:
        raise RuleError("Move the playhead to the frame to split at.", "split")
    return Edited(
        edits.split(on.event_list, event.id, at - event.record_in, on.windows), f"{named(event)} split at {at}"
    )


def _delete(on: _On) -> Edited:
    gone = edits.deleted(on.event_list, on.some, on.asked.following)
    return Edited(gone, f"{on.what} deleted")


def _speed(on: _On) -> Edited:
    """``40%``, ``x0.4``: a speed; ``every frame``, ``real time``, ``as the clip``: an intent."""
    typed = on.asked.value.strip()
    named_intents = {"real time": Intent.REAL_TIME, "every frame": Intent.EVERY_FRAME}
    plain = typed.lower().replace("-", " ")
    if plain in ("", "as the clip"):
        return _decided(on, lambda own: replace(own, intent=None, reading=None, reverse=None), "as the clip is")
    if plain in named_intents:
        wish = parse_intent(named_intents[plain], "", on.settings.rate, on.settings.drop_frame)
        return _decided(on, lambda own: replace(own, intent=wish), f"at {plain}")
    speed = parse_signed(typed)
    back, value = speed < 0, abs(speed)
    if value == 0:
        raise RuleError("A speed is above zero. For a freeze frame, use a curve with a hold.", "speed")
    wish = parse_intent(Intent.SPEED, str(value), on.settings.rate, on.settings.drop_frame)
    words = f"{'backwards ' if back else ''}at {percent_text(value)}"
    return _decided(on, lambda own: replace(own, intent=wish, reverse=back or None), words)


def _decide(on: _On) -> Edited:
    given = {part.value: None if text is None else parse_part(part, text) for part, text in on.asked.set.items()}
    return _decided(on, lambda own: replace(own, **given), f"decided: {', '.join(given)}")


def _decided(on: _On, decide: Callable[[Decisions], Decisions], words: str) -> Edited:
    def decided(event: Event) -> Event:
        return replace(event, decisions=decide(event.decisions)) if event.carries_source else event

    event_list = edits.respeeded(on.event_list, on.some, decided, on.windows, on.asked.following)
    return Edited(event_list, f"{on.what} {words}")


def _refit(on: _On) -> Edited:
    event = on.one
    length = parse_length(on.asked.value, on.settings.rate, on.settings.drop_frame)
    event_list = edits.refit(on.event_list, event.id, length, on.windows, on.asked.following)
    return Edited(event_list, f"{named(event)} fitted to {frames_text(length)}")


def _fill(on: _On) -> Edited:
    event = on.one
    by_speed = on.asked.value == "speed"
    how = "by its speed" if by_speed else "from its source"
    return Edited(
        edits.filled(on.event_list, event.id, on.windows, by_speed=by_speed), f"Gap behind {named(event)} filled {how}"
    )


def _close(on: _On) -> Edited:
    return Edited(edits.closed(on.event_list), f"Gaps of “{on.settings.name}” closed")


def _unlink(on: _On) -> Edited:
    event_list = edits.unlinked(on.event_list, on.some)
    return Edited(event_list, f"Picture and sound of {on.what} unlinked")


def _transition(on: _On) -> Edited:
    length = parse_amount(on.asked.value or "0", on.settings.rate, on.settings.drop_frame)
    kind = on.asked.track or "dissolve"
    event_list = edits.dissolved(on.event_list, on.some, kind, length)
    words = f"{kind} of {frames_text(length)} into" if length > 0 else "cut into"
    return Edited(event_list, f"{words.capitalize()} {on.what}")


def _flatten(on: _On) -> Edited:
    event = on.one
    flat = not event.flattened
    words = "shown by its own frames only" if flat else "shown by all frames inside it"
    return Edited(on.event_list.with_events([replace(event, flattened=flat)]), f"{named(event)} {words}")


def _mark(on: _On) -> Edited:
    """A marker at a frame, with the name that is typed or that it had; or none there."""
    at = on.asked.at
    if at is None:
        raise RuleError("Move the playhead to where the marker goes.", "marker")
    away, where = on.asked.edit is Edit.UNMARK, on.settings.timecode(at)
    name = on.asked.value.strip()[:400]
    title = f"Marker taken from {where}" if away else f"Marker {name} put at {where}".replace("  ", " ")
    return Edited(edits.marked(on.event_list, at, None if away else name), title)


EDITS: Mapping[Edit, Callable[[_On], Edited]] = {
    Edit.PLACE: _place, Edit.TRIM_HEAD: _trim, Edit.TRIM_TAIL: _trim, Edit.SLIP: _slip, Edit.SLIDE: _slide,
    Edit.MOVE: _move, Edit.SPLIT: _split, Edit.DELETE: _delete, Edit.SPEED: _speed, Edit.DECIDE: _decide,
    Edit.REFIT: _refit, Edit.FILL: _fill, Edit.CLOSE: _close, Edit.UNLINK: _unlink, Edit.TRANSITION: _transition,
    Edit.FLATTEN: _flatten, Edit.MARK: _mark, Edit.UNMARK: _mark,
}  # fmt: skip
"""What each edit does."""


def later(by: int) -> str:
    """``12 frames later``, ``1 frame earlier``."""
    return f"{frames_text(abs(by))} {'later' if by >= 0 else 'earlier'}"


def events_text(count: int) -> str:
    """``1 event``, ``12 events``."""
    return f"{count} event{'' if count == 1 else 's'}"
