"""Uses: an event planned as what it is, a use of a clip or of a nested timeline, with its marks."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.conform.material import Material
from oddmeter.core.cutting.events import Event, EventList, Track, TrackKind
from oddmeter.core.cutting.windows import Window, window
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.clips import Decided, KnownClip, sound_material
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.plans import resolved
from oddmeter.core.planning.timelines import Timeline


class EventMark(StrEnum):
    """Something about an event that people look for."""

    MISSING = "missing"
    REFUSED = "refused"
    OVERRUN = "overrun"
    GAP_BEHIND = "gap"
    NO_HANDLES = "handles"


EVENT_MARKS: dict[EventMark, tuple[str, str, bool]] = {
    EventMark.MISSING: ("clip not found", "✕", True),
    EventMark.REFUSED: ("cannot be shown", "✕", True),
    EventMark.OVERRUN: ("ends early", "■", True),
    EventMark.GAP_BEHIND: ("gap after", "␣", False),
    EventMark.NO_HANDLES: ("spare frames", "┤", False),
}
"""The words and the shape of each mark, and whether it is a fault."""


@dataclass(frozen=True, eq=False)
class Use:
    """The window of an event, or the sentence that says why it has none. Where the event lies makes no difference."""

    window: Window | None
    trouble: str = ""

    @property
    def overrun(self) -> int:
        """Timeline frames for which the last good frame, or the first one, is held."""
        return self.window.overrun + self.window.underrun if self.window else 0


def use_of_clip(event: Event, known: KnownClip | None, house: House, timeline: Timeline) -> Use:
    """An event of a clip, planned with all that is decided at every level and by itself."""
    if known is None:
        return Use(None, f"{event.name or 'Its clip'} is not among the footage.")
    rate = timeline.settings.rate
    material = known.material
    if material is None and event.track.kind is TrackKind.SOUND and known.facts is not None:
        material = sound_material(known.facts, rate)
    if material is None:
        return Use(None, known.trouble)
    result = resolved(known.clip.delivery_id, known.decided, house, timeline, event.decisions)
    try:
        treatment = result.treatment(material.file_rate, material.shot_rate or material.file_rate, rate)
        return Use(window(event, material, treatment, rate))
    except RuleError as error:
        return Use(None, str(error))


def split_off(event: Event, known: KnownClip, house: House, timeline: Timeline) -> Event:
    """The event with the speed and the reading that it has now decided for itself, so that what is decided on its clip
    moves it no more."""
    result = resolved(known.clip.delivery_id, known.decided, house, timeline, event.decisions).decisions
    own = replace(event.decisions, intent=result.intent or IntentSetting(Intent.LEAVE), reading=result.reading)
    return replace(event, decisions=own)


def use_of_timeline(event: Event, inner: EventList, timeline: Timeline) -> Use:
    """An event of a nested timeline, whose frames come evenly at its own rate."""
    rate = timeline.settings.rate
    if not inner.length:
        return Use(None, "The timeline inside is empty.")
    result = resolved(0, Decided(), House(), timeline, event.decisions)
    try:
        treatment = result.treatment(inner.rate, inner.rate, rate)
        return Use(window(event, Material(inner.length, inner.rate), treatment, rate))
    except RuleError as error:
        return Use(None, str(error))


NO_SOURCE = Use(None)
"""Of an event of black."""


def marks_of(
    event: Event, use: Use, gaps: Mapping[tuple[Track, int], int], handles: int
) -> tuple[tuple[EventMark, Fraction], ...]:
    """What is to be seen about an event, each with its frames: the overrun and the gap behind it in timeline frames,
    and where fewer than so many source frames are left on one side, how many. ``gaps`` are where each ends, by its
    track and where it begins."""
    out: list[tuple[EventMark, Fraction]] = []
    if use.window is None and event.carries_source:
        out.append(
            (EventMark.MISSING if event.clip_id is event.timeline_id is None else EventMark.REFUSED, Fraction(0))
        )
    if use.overrun:
        out.append((EventMark.OVERRUN, Fraction(use.overrun)))
    if behind := gaps.get((event.track, event.stop)):
        out.append((EventMark.GAP_BEHIND, Fraction(behind - event.stop)))
    if use.window is not None and not use.overrun and (left := min(use.window.handles)) < handles:
        out.append((EventMark.NO_HANDLES, Fraction(left)))
    return tuple(out)
