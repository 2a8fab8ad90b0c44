"""The board: the clips of a show worked out for its timelines, as they stand in one transaction.

Finding out what a clip's evidence comes to, and planning it, costs a fraction of a millisecond: nothing for one clip,
seconds for ten thousand. So a board takes over from the one before it what has stayed the same.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from threading import RLock
from typing import TypeVar

from oddmeter.core.decisions.levels import Resolved
from oddmeter.core.decisions.recipes import Traits
from oddmeter.core.planning.clips import Clip, KnownClip
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.marks import TROUBLE, Mark, marks_of
from oddmeter.core.planning.namesakes import distinct_name, folders_apart
from oddmeter.core.planning.plans import Outcome, Plan, Refusal, planned, resolved
from oddmeter.core.planning.timelines import Show, Timeline
from oddmeter.store.changes import MissingError
from oddmeter.work.orders import Order, order_of

T = TypeVar("T")
_MOST_HELD, _MOST_ANSWERS = 20_000, 32


@dataclass(frozen=True)
class Row:
    """A clip worked out for a timeline, or why it cannot be; ``handed_off`` is the order of its newest finished file
    for that timeline."""

    outcome: Outcome
    handed_off: Order | None
    _made: dict[object, object] = field(default_factory=dict, compare=False, repr=False)

    def once(self, make: Callable[[Plan], T]) -> T | None:
        """What a function makes of the plan, made once for as long as the row stands; None where there is no plan."""
        if self.plan is None:
            return None
        if make not in self._made:
            self._made[make] = make(self.plan)
        return self._made[make]  # type: ignore[return-value]

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

    @cached_property
    def before(self) -> int:
        """The length in timeline frames as the clip stands; 0 where it cannot be planned."""
        return self.plan.before if self.plan else 0

    @cached_property
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

    @cached_property
    def filters(self) -> tuple[str, ...]:
        """The filters that find the clip: its marks, ``trouble``, and with a plan ``usable`` and ``decided``."""
        said = [mark.value for mark in self.marks]
        if any(mark in self.marks for mark in TROUBLE):
            said.append("trouble")
        if self.plan is not None:
            said += ["usable", "decided"] if self.resolved.decided else ["usable"]
        return tuple(said)


@dataclass
class Board:
    """All clips of a show as they stand in one transaction, in the order of the ledger; proxies, which follow their
    originals in everything, apart from them."""

    show: Show
    house: House
    known: Mapping[int, KnownClip]
    proxies: Mapping[int, KnownClip]
    handed_off: Mapping[int, Mapping[int, Order]]
    _earlier: dict[int, "_Earlier"] = field(default_factory=dict)
    _rows: dict[int, dict[int, Row]] = field(default_factory=dict)
    _lock: RLock = field(default_factory=RLock)
    _held: dict[tuple[object, ...], tuple[House, Resolved]] = field(default_factory=dict)
    _answers: dict[str, bytes] = field(default_factory=dict)

    @property
    def everything(self) -> dict[int, KnownClip]:
        """All clips, proxies among them."""
        return {**self.known, **self.proxies}

    @cached_property
    def apart(self) -> dict[int, str]:
        """For each clip whose name others of the show have as well, the folder that distinguishes it from them."""
        clips, deliveries = (known.clip for known in self.known.values()), self.house.deliveries
        return folders_apart(
            {clip.id: f"{deliveries[clip.delivery_id].name}/{clip.root}/{clip.path}" for clip in clips}
        )

    def distinct_name(self, clip: Clip) -> str:
        """The name by which people know a clip from all others of the show: ``C0001.mov (CAM_A)`` where others have
        the same."""
        return distinct_name(clip.name, self.apart.get(clip.id, ""))

    def folder(self, clip: Clip) -> str:
        """The folder that distinguishes a clip from others of its name, else the one it lies in."""
        return self.apart.get(clip.id) or clip.folder.rpartition("/")[2]

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
                    clip_id: old
                    if (old := earlier.rows.get(clip_id)) and same_house and old.outcome.known is known
                    else self._row(known, timeline, old)
                    for clip_id, known in self.known.items()
                }
            return self._rows[timeline.id]

    def answer(self, name: str, make: Callable[["Board"], bytes]) -> bytes:
        """The answer of that name, made once for all who ask for it."""
        with self._lock:
            if name not in self._answers:
                if len(self._answers) >= _MOST_ANSWERS:
                    self._answers.clear()
                self._answers[name] = make(self)
            return self._answers[name]

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
        return self._row(known, timeline, None, house)

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
            folder=clip.folder,
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

    def _row(self, known: KnownClip, timeline: Timeline, old: Row | None, house: House | None = None) -> Row:
        resolved = self._resolved(known, timeline, house or self.house)
        if old is not None and old.known is known and old.resolved.decisions == resolved.decisions:
            return Row(replace(old.outcome, resolved=resolved), old.handed_off)
        made = self.handed_off.get(known.clip.id, {}).get(timeline.id)
        return Row(planned(known, resolved, timeline), made)

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
