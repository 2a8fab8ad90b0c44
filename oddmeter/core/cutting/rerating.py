"""A cut at another rate: every cut point worked out exactly, and lengths as their differences, so that nothing drifts
(docs/model.md, Event lists)."""

from dataclasses import dataclass, replace
from fractions import Fraction

from oddmeter.core.cutting.edits import Windows
from oddmeter.core.cutting.events import Event, EventList, frames_text, named
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame, TimelinePlace
from oddmeter.core.numbers.rates import Rate


@dataclass(frozen=True)
class CutPoint:
    """A cut point at another rate: the frame it was at, the frame it goes to, and by how many of the new frames that is
    later than it should be, at most a half."""

    was: int
    now: int
    late: Fraction


@dataclass(frozen=True)
class Rerated:
    """A cut at another rate, and what became of each of its cut points."""

    event_list: EventList
    points: tuple[CutPoint, ...]

    @property
    def worst(self) -> Fraction:
        """The farthest that a cut point lies from where it should, in new frames."""
        return max((abs(point.late) for point in self.points), default=Fraction(0))


def cut_point(frame: int, was: Rate, now: Rate) -> CutPoint:
    """Where a cut point goes: round(n · T₂ / T₁), halves to even."""
    exact = TimelinePlace(Fraction(frame), was).by(now).frames
    return CutPoint(frame, round(exact), round(exact) - exact)


def rerated(event_list: EventList, rate: Rate, windows: Windows) -> Rerated:
    """The cut at another rate. Source seconds a second stay what they are: where a speed followed from the timeline's
    rate, or from a length in its frames, it is held as a number.

    Raises ``RuleError`` where an event would be shorter than a frame.
    """
    points: dict[int, CutPoint] = {}

    def there(frame: int) -> int:
        point = points.setdefault(frame, cut_point(frame, event_list.rate, rate))
        return point.now

    events = []
    for event in event_list.events:
        begin, stop = there(event.record_in), there(event.stop)
        if stop <= begin:
            lasts = frames_text(event.length)
            raise RuleError(f"{named(event)} ({lasts}) would be shorter than one frame at {rate}.", "rate")
        converted = _converted(event, event_list.rate, rate, windows)
        transition = event.transition
        if transition is not None:
            length = min(stop - begin, max(1, there(event.record_in + transition.length) - begin))
            transition = replace(transition, length=length)
        events.append(replace(converted, record_in=begin, length=stop - begin, transition=transition))
    markers = tuple(
        replace(marker, at=cut_point(marker.at, event_list.rate, rate).now) for marker in event_list.markers
    )
    return Rerated(EventList(rate, tuple(events), markers), tuple(points[frame] for frame in sorted(points)))


def _converted(event: Event, was: Rate, now: Rate, windows: Windows) -> Event:
    """The event with its speed as a number, where it would be another at another rate."""
    window = windows(event) if event.carries_source else None
    if window is None:
        return event
    if window.conformed.material.of_sound:
        # Sound has no frames: it is counted in those of its timeline.
        return replace(event, source_in=SourceFrame(TimelinePlace(event.source_in, was).by(now).frames))
    treatment = window.conformed.treatment
    if music := treatment.music:
        start, fade = (cut_point(frame, was, now).now for frame in (music.start, music.fade))
        event = replace(event, decisions=replace(event.decisions, music=replace(music, start=start, fade=fade)))
    if treatment.curve is not None:
        wish = IntentSetting(Intent.CURVE, curve=_of_rate(treatment.curve, was, now))
    elif treatment.intent in (Intent.EVERY_FRAME, Intent.FIT):
        wish = IntentSetting(Intent.SPEED, window.conformed.speed)
    else:
        return event
    return replace(event, decisions=replace(event.decisions, intent=wish))


def _of_rate(curve: Curve, was: Rate, now: Rate) -> Curve:
    """A curve whose holds and pins are counted at another rate."""
    points = tuple(
        replace(
            point, holds=cut_point(point.holds, was, now).now,
            at=None if point.at is None else cut_point(point.at, was, now).now,
        ) for point in curve.points
    )  # fmt: skip
    return replace(curve, points=points)
