"""Timelines and the show they belong to: what is planned for."""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan


@dataclass(frozen=True)
class TimelineSettings:
    """What a timeline is: everything a person sets on it."""

    name: str
    rate: Rate
    width: int = 1920
    height: int = 1080
    pixel_aspect: Fraction = Fraction(1)
    scan: TimelineScan = TimelineScan.PROGRESSIVE
    drop_frame: bool = False
    sound_rate: int = 48_000


@dataclass(frozen=True)
class Timeline:
    """A timeline of a show as it stands; ``revision`` rises with each change."""

    id: int
    settings: TimelineSettings
    revision: int


@dataclass(frozen=True)
class Show:
    """A show with its timelines; ``default_timeline_id`` is the one that Plan and Handoff work for."""

    id: int
    name: str
    default_timeline_id: int | None
    revision: int
    timelines: tuple[Timeline, ...]

    @property
    def default_timeline(self) -> Timeline | None:
        """The timeline that is planned for."""
        return next((t for t in self.timelines if t.id == self.default_timeline_id), None)

    def settled_timeline(self) -> Timeline:
        """The timeline that is planned for; raises ``RuleError`` where none is settled."""
        if self.default_timeline is None:
            raise RuleError("The show has no timeline. Settle one in Brief.", "timeline")
        return self.default_timeline
