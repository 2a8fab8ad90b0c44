"""Listed cuts: what a list says of a cut, event by event, before anything of it is found among the footage."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop, of_any_day


class SourceKind(StrEnum):
    """What an event shows."""

    CLIP = "clip"
    TIMELINE = "timeline"
    BLACK = "black"
    GAP = "gap"


@dataclass(frozen=True)
class Transition:
    """How an event comes in, over what was there before: ``kind`` is ``dissolve``, ``wipe``, or the list's own word;
    it takes the first ``length`` timeline frames of the event."""

    kind: str
    length: int


@dataclass(frozen=True)
class ListedSource:
    """What a list says of an event's source: its name, reel and path, and its in point, by its own timecode."""

    name: str
    reel: str
    path: str
    source_in: Label

    def document(self) -> dict[str, str]:
        """As JSON keeps it."""
        at = self.source_in
        counted = {} if at.drop is None else {"drop_frame": "yes" if at.drop else "no"}
        return {
            "name": self.name, "reel": self.reel, "path": self.path, "rate": at.rate.exact,
            "source_in": fraction_text(at.count), **counted,
        }  # fmt: skip

    @staticmethod
    def parse(document: Mapping[str, str]) -> "ListedSource":
        """From JSON."""
        drop = {"yes": True, "no": False}.get(document.get("drop_frame", ""))
        source_in = Label(Fraction(document["source_in"]), Rate.exactly(document["rate"]), drop)
        return ListedSource(document["name"], document["reel"], document["path"], source_in)


@dataclass(frozen=True)
class Note:
    """Something about a list that people should know, with the number of its line where it has one."""

    text: str
    line: int | None = None

    def __str__(self) -> str:
        return self.text if self.line is None else f"Line {self.line}: {self.text}"


@dataclass(frozen=True)
class Written:
    """A list as text, and what it could not hold, a note for each event that lost something."""

    text: str
    losses: tuple[Note, ...]


@dataclass(frozen=True)
class Marker:
    """A marker at a timeline frame counted from the start."""

    at: int
    name: str
    colour: str = ""


@dataclass(frozen=True)
class ListedEvent:
    """One event of a list.

    ``record_in`` and ``length`` are timeline frames, counted from the list's start; ``source_in`` is where its
    first moment looks, by the source's own timecode; of a nested timeline, by its frames. ``speed`` is source seconds a
    second, never below 0 (0 is a freeze); in ``reverse`` it runs back from ``source_in``. ``inside`` is the cut of a
    nested timeline. Where its speed changes, ``speed`` is that on the whole, and ``curve`` holds the curve as JSON with
    the place in the file, from 0, at which it ``enters``, and its ``lead``. ``comments`` and ``kept`` (JSON)
    are what nobody here reads, and goes out again as it came.
    """

    track: str
    kind: SourceKind
    record_in: int
    length: int
    name: str = ""
    reel: str = ""
    path: str = ""
    source_in: Label = field(default_factory=lambda: Label(Fraction(0), Rate.of(25)))
    speed: Fraction = Fraction(1)
    reverse: bool = False
    transition: Transition | None = None
    inside: "ListedTimeline | None" = None
    number: str = ""
    comments: tuple[str, ...] = ()
    kept: str = ""
    line: int | None = None
    curve: str = ""

    @property
    def stop(self) -> int:
        """The timeline frame after its last."""
        return self.record_in + self.length

    @property
    def freeze(self) -> bool:
        """True where one picture stands."""
        return self.speed == 0

    @property
    def source(self) -> ListedSource:
        """What it says of its source."""
        return ListedSource(self.name, self.reel, self.path, self.source_in)

    @property
    def is_sound(self) -> bool:
        """True on a track of sound."""
        return is_sound_track(self.track)

    def stride(self, timeline_rate: Rate) -> Fraction:
        """Labels of the source moved for each timeline frame; below 0 where it runs back."""
        stride = self.source_in.rate.value * self.speed / timeline_rate.value
        return -stride if self.reverse else stride

    def source_out(self, timeline_rate: Rate) -> Label:
        """The place at which it ends."""
        return self.source_in.later(self.stride(timeline_rate) * self.length)

    def within(self, first: int, stop: int, timeline_rate: Rate) -> "ListedEvent | None":
        """What of it lies between two timeline frames, its transition too; None where nothing does."""
        begin, end, over = max(first, self.record_in), min(stop, self.stop), self.transition
        if begin >= end:
            return None
        late = begin - self.record_in
        left = min(over.length - late, end - begin) if over is not None else 0
        return replace(
            self, record_in=begin, length=end - begin,
            source_in=self.source_in.later(self.stride(timeline_rate) * late),
            transition=replace(over, length=left) if over is not None and left > 0 else None,
        )  # fmt: skip

    def used(self, timeline_rate: Rate) -> tuple[Label, Label]:
        """The lowest and highest place of the source that it runs through; of a freeze, its frame."""
        if self.freeze:
            return self.source_in, self.source_in.later(Fraction(1))
        ends = self.source_in, self.source_out(timeline_rate)
        return ends[::-1] if self.reverse else ends


@dataclass(frozen=True)
class ListedTimeline:
    """A cut as a list has it. ``start`` is the timecode of its first timeline frame, in frames."""

    name: str
    rate: Rate
    drop_frame: bool
    start: int
    events: tuple[ListedEvent, ...]
    notes: tuple[Note, ...] = ()
    markers: tuple[Marker, ...] = ()
    kept: str = ""

    @property
    def length(self) -> int:
        """Timeline frames from the start to the end of the last event."""
        return max((event.stop for event in self.events), default=0)

    @property
    def tracks(self) -> tuple[str, ...]:
        """The names of its tracks: pictures first, each kind in the order in which it comes."""
        names = list(dict.fromkeys(event.track for event in self.events))
        return tuple(sorted(names, key=is_sound_track))

    def on(self, track: str) -> tuple[ListedEvent, ...]:
        """The events of a track in time order."""
        return tuple(
            sorted((event for event in self.events if event.track == track), key=lambda event: event.record_in)
        )

    def drops(self, event: ListedEvent) -> bool:
        """True where the timecode of an event's source drops numbers: by its own counting, or else as the list's."""
        own = self.drop_frame if event.source_in.drop is None else event.source_in.drop
        return own and can_drop(event.source_in.rate)

    def timecode(self, frame: int) -> str:
        """The timecode of a timeline frame, past midnight from zero again."""
        return str(of_any_day(self.start + frame, self.rate, self.drop_frame))


def is_sound_track(name: str) -> bool:
    """True where a track's name says that it is one of sound: A, A2, Audio 1."""
    return name[:1].upper() == "A"
