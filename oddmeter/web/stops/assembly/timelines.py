"""The book of a show: all its timelines with their events planned, kept while nothing of it changes."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from hashlib import sha256
from threading import Lock

from oddmeter.core.cutting.events import Event, EventList, TrackKind
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.shown import TimelineResolver
from oddmeter.core.cutting.uses import NO_SOURCE, Use, use_of_clip, use_of_timeline
from oddmeter.core.cutting.windows import Window
from oddmeter.core.planning.timelines import Timeline
from oddmeter.store import events
from oddmeter.web.board import Board
from oddmeter.web.http.context import Context

_MOST_BOOKS, _MOST_USES = 4, 100_000
_MOST_READ = 8
"""How often a book is read at the most, while clips are changed meanwhile."""


@dataclass
class ShowTimelines(TimelineResolver):
    """The timelines of a show; ``versions`` show whether somebody has changed one since, ``state`` whether anything
    about the show's clips is another."""

    board: Board
    state: str
    cuts: Mapping[int, EventList]
    versions: Mapping[int, str]
    _uses: dict[tuple[object, ...], Use] = field(default_factory=dict)

    @cached_property
    def content_version(self) -> str:
        """A text that is another one whenever any frame of any of the timelines may show something else."""
        return sha256(f"{self.state} {sorted(self.versions.items())}".encode()).hexdigest()[:24]

    def is_heard(self, timeline_id: int) -> bool:
        """True where a timeline has sound, or music beside a picture."""
        for event in self.event_list(timeline_id).events:
            if event.track.kind is TrackKind.SOUND:
                return True
            found = self.window(timeline_id, event)
            if found is not None and found.conformed.treatment.music:
                return True
        return False

    def timeline(self, timeline_id: int) -> Timeline:
        """A timeline of the show; raises ``MissingError`` where it is not there."""
        return self.board.timeline(timeline_id)

    def event_list(self, timeline_id: int) -> EventList:
        """The events of a timeline."""
        self.timeline(timeline_id)
        return self.cuts[timeline_id]

    def with_cut(self, timeline_id: int, event_list: EventList) -> "ShowTimelines":
        """The book as it would be with other events on one timeline."""
        cuts = {**self.cuts, timeline_id: event_list}
        return ShowTimelines(self.board, self.state, cuts, self.versions, self._uses_with(cuts))

    def use(self, timeline_id: int, event: Event) -> Use:
        """An event planned on its timeline; worked out once."""
        key = (timeline_id, *event.run)
        found = self._uses.get(key)
        if found is None:
            if len(self._uses) > _MOST_USES:
                self._uses.clear()
            found = self._uses[key] = self._planned(timeline_id, event)
        return found

    def window(self, timeline_id: int, event: Event) -> Window | None:
        """An event's window; None where it has none."""
        return self.use(timeline_id, event).window

    def windows(self, timeline_id: int) -> Callable[[Event], Window | None]:
        """The windows of the events of one timeline."""
        return lambda event: self.window(timeline_id, event)

    def _planned(self, timeline_id: int, event: Event) -> Use:
        timeline = self.timeline(timeline_id)
        if event.timeline_id is not None:
            return use_of_timeline(event, self.event_list(event.timeline_id), timeline)
        if event.kind is not SourceKind.CLIP:
            return NO_SOURCE
        known = self.board.everything.get(event.clip_id) if event.clip_id is not None else None
        return use_of_clip(event, known, self.board.house, timeline)

    def _uses_with(self, cuts: Mapping[int, EventList]) -> "dict[tuple[object, ...], Use]":
        """What stays worked out with other events: an event of a nested timeline depends on how long that is."""
        same = all(
            timeline_id in self.cuts and self.cuts[timeline_id].length == event_list.length
            for timeline_id, event_list in cuts.items()
        )
        return self._uses if same else {key: use for key, use in self._uses.items() if key[_INNER] is None}


_INNER = 6
"""Where in a key the nested timeline stands, if any."""


class _Books:
    """The books that were opened last, each for one state of a show."""

    def __init__(self) -> None:
        self._kept: dict[int, ShowTimelines] = {}
        self._lock = Lock()

    def open(self, here: Context, show_id: int) -> ShowTimelines:
        """The book of a show: its clips and its events as they stood at one moment."""
        for _ in range(_MOST_READ):
            board, state = here.boards.with_state(show_id)
            book = self._read(here, show_id, board, state)
            if book.cuts.keys() == book.versions.keys() and here.boards.with_state(show_id)[1] == state:
                break
        return book

    def _read(self, here: Context, show_id: int, board: Board, state: str) -> ShowTimelines:
        with here.database.transaction() as connection:
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            versions = events.versions(connection, show_id)
            with self._lock:
                before = self._kept.get(show_id)
            if before is not None and before.state == state and before.versions == versions:
                return before
            cuts = {}
            for timeline in board.show.timelines:
                version, rate = versions.get(timeline.id), timeline.settings.rate
                known = before.cuts.get(timeline.id) if before and before.versions.get(timeline.id) == version else None
                same = known is not None and known.rate == rate
                cuts[timeline.id] = known if known and same else events.event_list_of(connection, timeline)
        kept = before._uses_with(cuts) if before and before.board is board else {}
        return self._keep(show_id, ShowTimelines(board, state, cuts, versions, kept))

    def written(self, show_id: int, book: ShowTimelines, timeline_id: int, event_list: EventList, version: str) -> None:
        """Take over what was written just now, so that nobody has to read it again. Of all other timelines the book
        says what it has read, whatever their versions are by now."""
        cuts, versions = {**book.cuts, timeline_id: event_list}, {**book.versions, timeline_id: version}
        self._keep(show_id, ShowTimelines(book.board, book.state, cuts, versions, book._uses_with(cuts)))

    def _keep(self, show_id: int, book: ShowTimelines) -> ShowTimelines:
        with self._lock:
            self._kept.pop(show_id, None)
            if len(self._kept) >= _MOST_BOOKS:
                self._kept.pop(next(iter(self._kept)))
            self._kept[show_id] = book
        return book


_books = _Books()


def written(show_id: int, book: ShowTimelines, timeline_id: int, event_list: EventList, version: str) -> None:
    """Take over the events of a timeline as they were written just now."""
    _books.written(show_id, book, timeline_id, event_list, version)


def open_timelines(here: Context, show_id: int) -> ShowTimelines:
    """The book of a show as it stands now."""
    return _books.open(here, show_id)
