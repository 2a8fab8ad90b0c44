"""Timelines and the show they belong to: what is planned for."""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import of_any_day
from oddmeter.core.pictures.scan import TimelineScan


@dataclass(frozen=True)
class TimelineSettings:
    """What a timeline is: everything a person sets on it. ``start`` is the timecode of its first frame, in frames."""

    name: str
    rate: Rate
    width: int = 1920
    height: int = 1080
    pixel_aspect: Fraction = Fraction(1)
    scan: TimelineScan = TimelineScan.PROGRESSIVE
    drop_frame: bool = False
    sound_rate: int = 48_000
    start: int = 0

    def timecode(self, frame: int) -> str:
        """The timecode of a timeline frame, counted from its first."""
        return str(of_any_day(self.start + frame, self.rate, self.drop_frame))


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
            raise RuleError("This show has no timeline. Add one in Brief.", "timeline")
        return self.default_timeline


def _usual() -> tuple[TimelineSettings, ...]:
    """Film and video in high definition, then tape: 720 × 576 and 720 × 480 at 4:3 (ITU-R BT.601)."""
    video, film, double = Rate.parse("29.97"), Rate.parse("23.976"), Rate.parse("59.94")
    upper, lower = TimelineScan.UPPER, TimelineScan.LOWER
    return (
        TimelineSettings("24, film", Rate.of(24)),
        TimelineSettings("23.976, film for video", film),
        TimelineSettings("25", Rate.of(25)),
        TimelineSettings("25 interlaced", Rate.of(25), scan=upper),
        TimelineSettings("29.97, drop-frame", video, drop_frame=True),
        TimelineSettings("29.97 interlaced, drop-frame", video, scan=upper, drop_frame=True),
        TimelineSettings("50", Rate.of(50)),
        TimelineSettings("59.94, drop-frame", double, drop_frame=True),
        TimelineSettings("tape 576, 25 interlaced", Rate.of(25), 720, 576, Fraction(16, 15), upper),
        TimelineSettings("tape 480, 29.97 interlaced", video, 720, 480, Fraction(8, 9), lower, True),
    )


USUAL = _usual()
"""The timelines that a new show is offered to start from; each is named by what it is."""
