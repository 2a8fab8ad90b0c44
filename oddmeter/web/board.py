"""The board: every clip of a show worked out, kept in memory between requests.

Finding out what a clip's evidence comes to, and planning it, costs a fraction of a millisecond: nothing for one clip,
seconds for ten thousand. So what was worked out is kept, and each request works out anew only what the database says
has changed: each row of it carries the transaction that wrote it last, and what is kept is keyed by that. Nothing here
is ever older than the transaction that the request runs in.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from threading import Lock, RLock

from oddmeter.core.decisions.levels import Resolved
from oddmeter.core.decisions.recipes import Traits
from oddmeter.core.planning.clips import Clip, KnownClip, known_of
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.marks import Mark, marks_of
from oddmeter.core.planning.plans import Outcome, Plan, Refusal, planned, resolved
from oddmeter.core.planning.timelines import Show, Timeline
from oddmeter.store import clips, decisions, logs, renders, shows
from oddmeter.store.changes import MissingError
from oddmeter.store.clips import Stamps
from oddmeter.store.database import Connection, Database
from oddmeter.work.orders import Order, order_of

_CHUNK = 2_000
_MOST_HELD = 20_000


@dataclass(frozen=True)
class Row:
    """A clip worked out for a timeline, or why it cannot be; ``handed_off`` is the order of its newest finished file
    for that timeline."""

    outcome: Outcome
    handed_off: Order | None

    @property
    def plan(self) -> Plan | None:
        """The plan, where there is one."""
        return self.outcome if isinstance(self.outcome, Plan) else None

    @property
    def refusal(self) -> Refusal | None:
        """Why there is no plan, where there is none."""
        return self.outcome if isinstance(self.outcome, Refusal) else None

    @property
    def known(self) -> KnownClip:
        """The clip and what its evidence comes to."""
        return self.outcome.known

    @property
    def clip(self) -> Clip:
        """The clip, with what is decided on it."""
        return self.outcome.known.clip

    @property
    def resolved(self) -> Resolved:
        """What holds for the clip."""
        return self.outcome.resolved

    @property
    def before(self) -> int:
        """The length in timeline frames as the clip stands; 0 where it cannot be planned."""
        return self.plan.before if self.plan else 0

    @property
    def after(self) -> int:
        """The planned length in timeline frames; 0 where it cannot be planned."""
        return self.plan.after if self.plan else 0

    @cached_property
    def marks(self) -> tuple[Mark, ...]:
        """What stands out about the clip."""
        found = marks_of(self.outcome)
        if self.handed_off is not None and self.plan is not None and order_of(self.plan) != self.handed_off:
            return (*found, Mark.CHANGED)
        return found


@dataclass
class Board:
    """All clips of a show as they stand in one transaction, in the order of the ledger; proxies follow their
    originals and are not among them."""

    show: Show
    house: House
    known: Mapping[int, KnownClip]
    handed_off: Mapping[int, Mapping[int, Order]]
    _earlier: dict[int, "_Earlier"] = field(default_factory=dict)
    _rows: dict[int, dict[int, Row]] = field(default_factory=dict)
    _lock: RLock = field(default_factory=RLock)
    _held: dict[tuple[object, ...], tuple[House, Resolved]] = field(default_factory=dict)

    def timeline(self, timeline_id: int | None = None) -> Timeline:
        """A timeline of the show, or the one that is planned for; raises ``RuleError`` where it is not there."""
        if timeline_id is None:
            return self.show.settled_timeline()
        found = next((t for t in self.show.timelines if t.id == timeline_id), None)
        if found is None:
            raise MissingError("This timeline")
        return found

    def rows(self, timeline: Timeline) -> Mapping[int, Row]:
        """Every clip worked out for a timeline."""
        with self._lock:
            if timeline.id not in self._rows:
                earlier = self._earlier.get(timeline.id)
                if earlier is None or (earlier.timeline, earlier.handed_off) != (timeline, self.handed_off):
                    earlier = _Earlier(timeline, self.house, self.handed_off, {})
                same_house = earlier.house == self.house
                self._rows[timeline.id] = {
                    clip_id: self._row(known, timeline, earlier.rows.get(clip_id), same_house)
                    for clip_id, known in self.known.items()
                }
            return self._rows[timeline.id]

    def worked_out(self) -> dict[int, "_Earlier"]:
        """Everything that has been worked out so far, for the board that comes after this one."""
        with self._lock:
            names = {timeline.id: timeline for timeline in self.show.timelines}
            now = {i: _Earlier(names[i], self.house, self.handed_off, rows) for i, rows in self._rows.items()}
            return {**self._earlier, **now}

    def some(self, ids: Iterable[int], timeline: Timeline) -> list[Row]:
        """These clips worked out; raises ``MissingError`` where one is not in the show."""
        rows = self.rows(timeline)
        wanted = list(ids)
        if any(clip_id not in rows for clip_id in wanted):
            raise MissingError("A clip")
        return [rows[clip_id] for clip_id in wanted]

    def work_out(self, known: KnownClip, timeline: Timeline, house: House | None = None) -> Row:
        """One clip worked out, also with other decisions than those that are kept."""
        return self._row(known, timeline, None, False, house)

    def pairs(self, made: Iterable[KnownClip]) -> list[tuple[Clip, Clip]]:
        """Clips as they stand on the board, and as a change makes them."""
        return [(self.known[known.clip.id].clip, known.clip) for known in made]

    def moved(self, made: Iterable[KnownClip], timelines: Iterable[Timeline], house: House | None = None) -> "Moves":
        """For each timeline, the clips whose plan a change moves: before and after."""
        changed = list(made)
        out: Moves = {}
        for timeline in timelines:
            rows = self.rows(timeline)
            pairs = [(rows[known.clip.id], self.work_out(known, timeline, house)) for known in changed]
            out[timeline.id] = [(was, now) for was, now in pairs if _differs(was, now)]
        return out

    def traits(self, known: KnownClip, timeline: Timeline | None) -> Traits:
        """What a recipe's rule can ask of a clip."""
        clip, findings, facts = known.clip, known.findings, known.facts
        delivery = self.house.deliveries.get(clip.delivery_id)
        return Traits(
            name=clip.name,
            folder=clip.path.rpartition("/")[0],
            delivery=delivery.name if delivery else "",
            shot_rate=findings.shot_rate or (facts.file_rate if facts else None),
            file_rate=facts.file_rate if facts else None,
            timeline_rate=timeline.settings.rate if timeline else None,
            scan=findings.scan,
            pulldown=findings.pulldown,
            repeats=findings.repeats,
            gauge=findings.gauge,
            tags=known.decided.tags,
            confirmed=findings.confirmed,
        )

    def _row(
        self, known: KnownClip, timeline: Timeline, old: Row | None, same_house: bool, house: House | None = None
    ) -> Row:
        if old is not None and old.known is known and same_house:
            return old
        held = self._resolved(known, timeline, house or self.house)
        if old is not None and old.known is known and old.resolved.decisions == held.decisions:
            return Row(replace(old.outcome, resolved=held), old.handed_off)
        made = self.handed_off.get(known.clip.id, {}).get(timeline.id)
        return Row(planned(known, held, timeline), made)

    def _resolved(self, known: KnownClip, timeline: Timeline, house: House) -> Resolved:
        """What holds for a clip; the same object for clips of which the same is decided."""
        own = known.decided
        use = own.use_on(timeline.id)
        key = (
            id(house), known.clip.delivery_id, own.recipe_id, own.decisions, use.decisions if use else None,
            timeline.id,
        )  # fmt: skip
        if key not in self._held:
            if len(self._held) > _MOST_HELD:
                self._held.clear()
            self._held[key] = (house, resolved(known.clip.delivery_id, own, house, timeline))
        return self._held[key][1]


Moves = dict[int, list[tuple[Row, Row]]]
"""By timeline, clips that a change moves, as they were and as they would be."""


def _differs(was: Row, now: Row) -> bool:
    if was.resolved.decided != now.resolved.decided:
        return True
    if was.plan and now.plan:
        return was.plan.conformed != now.plan.conformed
    return (was.plan is None) != (now.plan is None) or was.refusal != now.refusal


@dataclass(frozen=True)
class _Earlier:
    """The rows of a timeline as an earlier board had them, and what they were worked out with."""

    timeline: Timeline
    house: House
    handed_off: Mapping[int, Mapping[int, Order]]
    rows: Mapping[int, Row]


class Boards:
    """The boards of all shows, brought up to date for each request."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._kept: dict[int, tuple[Board, Stamps]] = {}
        self._lock = Lock()

    def warm(self) -> None:
        """Work out every show, so that nobody waits for it later."""
        with self._database.transaction() as connection:
            ids = [show.id for show in shows.all_shows(connection)]
        for show_id in ids:
            board = self.open(show_id)
            for timeline in board.show.timelines:
                board.rows(timeline)

    def open(self, show_id: int) -> Board:
        """The board of a show as it stands now; raises ``MissingError`` where there is no such show."""
        with self._lock, self._database.transaction() as connection:
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            return self._refreshed(connection, show_id)

    def _refreshed(self, connection: Connection, show_id: int) -> Board:
        show = shows.show(connection, show_id)
        now = clips.stamps(connection, show_id)
        before, was = self._kept.get(show_id, (None, Stamps({}, {})))
        kept = before.known if before else {}
        found = logs.matched(connection, show_id)
        rows = found.entries if found else {}
        unknown = [
            i
            for i, stamp in now.known.items()
            if i not in kept or was.known.get(i) != stamp or kept[i].clip.entries != rows.get(i, ())
        ]
        fresh = {known.clip.id: known for known in _looked_up(connection, unknown)}
        anew = [i for i, stamp in now.decided.items() if i not in fresh and was.decided.get(i) != stamp]
        for clip_id, (own, revision) in clips.decided(connection, anew).items():
            fresh[clip_id] = kept[clip_id].deciding(own, revision)
        house = decisions.house(connection, show_id)
        if before is not None and before.house == house:
            house = before.house
        known = {clip_id: fresh.get(clip_id) or kept[clip_id] for clip_id in now.known}
        made = {
            clip_id: {timeline: Order.model_validate_json(plan) for timeline, plan in plans.items()}
            for clip_id, plans in renders.handed_off(connection, show_id).items()
        }
        if (
            before is not None
            and not fresh
            and was == now
            and (show, house, made) == (before.show, before.house, before.handed_off)
        ):
            return before
        board = Board(show, house, known, made, before.worked_out() if before else {})
        self._kept[show_id] = (board, now)
        return board


def _looked_up(connection: Connection, ids: Sequence[int]) -> Iterable[KnownClip]:
    for first in range(0, len(ids), _CHUNK):
        for clip in clips.clips_by_id(connection, ids[first : first + _CHUNK]):
            yield known_of(clip)
