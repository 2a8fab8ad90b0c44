"""What of a file would be another today: its order, its sources, its setting and the tool, held against what it was
made by."""

from collections.abc import Iterable
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from oddmeter.config import TOOL
from oddmeter.core.planning.clips import Clip
from oddmeter.core.planning.remaking import Change
from oddmeter.work.orders import Order
from oddmeter.work.ranges import RangeOrder

_DECIDED, _OF_TIMELINE = {"treated"}, {"timeline_rate", "drop_frame", "canvas", "sound_rate"}
_OF_CUT = {"event"}


@dataclass(frozen=True)
class MadeBy:
    """What a file is made by: its order; its setting's name, and the whole of it where not every show has it;
    identities of its sources, and the tool, None where that was not written down."""

    order: Order | RangeOrder
    setting: str
    document: dict[str, Any] | None
    made_from: str | None
    tool: str | None = TOOL


def stored_order(document: dict[str, Any]) -> Order | RangeOrder:
    """A stored order, of a clip or of a timeline."""
    return RangeOrder.model_validate(document) if "timelines" in document else Order.model_validate(document)


def digest_of(order: Order | RangeOrder) -> str:
    """A text that is the same where two orders make the same file; the other way round it may not be."""
    as_made = order.model_copy(update={"name": ""}) if isinstance(order, RangeOrder) else order
    return sha256(as_made.model_dump_json().encode()).hexdigest()[:32]


def identities_of(clips: Iterable[Clip]) -> str:
    """A text that is another one where any of these clips is another file than it was."""
    known = [
        (clip.id, identity.size, identity.samples)
        for clip in clips
        if clip.facts is not None and (identity := clip.facts.identity) is not None
    ]
    return sha256(str(sorted(known)).encode()).hexdigest()[:32]


def changes_between(was: MadeBy, now: MadeBy) -> tuple[Change, ...]:
    """What is another now, in the order of ``Change``; nothing where the file would be the same."""
    found = _differences(was.order, now.order)
    if was.made_from is not None and was.made_from != now.made_from:
        found.add(Change.SOURCE)
    if (was.setting, was.document) != (now.setting, now.document):
        found.add(Change.SETTING)
    if was.tool is not None and was.tool != now.tool:
        found.add(Change.TOOL)
    return _in_order(found)


def order_changes(was: Order | RangeOrder, now: Order | RangeOrder) -> tuple[Change, ...]:
    """What two orders differ in, in the order of ``Change``."""
    return _in_order(_differences(was, now))


def _in_order(found: set[Change]) -> tuple[Change, ...]:
    return tuple(change for change in Change if change in found)


def _differences(was: Order | RangeOrder, now: Order | RangeOrder) -> set[Change]:
    if isinstance(was, RangeOrder) and isinstance(now, RangeOrder):
        return _range_changes(was, now)
    if isinstance(was, Order) and isinstance(now, Order):
        return {_kind_of(name) for name in Order.model_fields if getattr(was, name) != getattr(now, name)}
    return {Change.CUT}


def _kind_of(name: str) -> Change:
    if name in _DECIDED:
        return Change.DECISION
    if name in _OF_TIMELINE:
        return Change.TIMELINE
    return Change.CUT if name in _OF_CUT else Change.SOURCE


def _range_changes(was: RangeOrder, now: RangeOrder) -> set[Change]:
    if was.is_same_as(now):
        return set()
    found: set[Change] = set()
    if any(getattr(was, name) != getattr(now, name) for name in ("rate", "drop_frame", "canvas", "sound_rate")):
        found.add(Change.TIMELINE)
    before, after = _planned(was), _planned(now)
    for use in before.keys() & after.keys():
        found |= _differences(before[use], after[use])
    same_events = _events(was) == _events(now)
    if not same_events or (was.first, was.stop, was.start, was.event) != (now.first, now.stop, now.start, now.event):
        found.add(Change.CUT)
    return found or {Change.CUT}


def _planned(order: RangeOrder) -> dict[tuple[int, int], Order]:
    """What is decided on the source of each event, by timeline and event."""
    return {
        (timeline.id, event.id): order.plans[event.plan]
        for timeline in order.timelines
        for event in timeline.events
        if event.plan is not None
    }


def _events(order: RangeOrder) -> list[tuple[int, list[dict[str, Any]]]]:
    return [
        (timeline.id, [event.model_dump(exclude={"plan"}) for event in timeline.events]) for timeline in order.timelines
    ]
