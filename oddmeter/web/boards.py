"""The boards of all shows, brought up to date for each request.

Each row of the database carries the transaction that wrote it last, and what was worked out is kept by that: a request
works out anew only what has been written since. Nothing here is ever older than the transaction that the request runs
in, whichever process answers; those who ask at the same time share the work. Answers that need every clip are kept on
disk as well, so that the first one after a start need not work out the whole show.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from functools import cache, cached_property
from hashlib import sha256
from pathlib import Path
from threading import Lock, Thread

import oddmeter
from oddmeter.core.planning.clips import KnownClip, known_of
from oddmeter.media.shelf import Shelf
from oddmeter.store import clips, decisions, logs, shows
from oddmeter.store.clips import Stamps
from oddmeter.store.database import Connection, Database, snapshot
from oddmeter.store.handoff.made import handed_off
from oddmeter.web.board import Board
from oddmeter.work.orders import Order

_CHUNK = 2_000
_KEPT_BYTES = 64 << 20


@dataclass(frozen=True)
class _Kept:
    """A board, what the database said of its rows, which transactions it had seen (``pg_current_snapshot``), and the
    rows of reports that belong to each clip."""

    board: Board
    stamps: Stamps
    seen: str
    entries: Mapping[int, object]

    @cached_property
    def state(self) -> str:
        return _key(self.stamps, "")


class Boards:
    """The boards of all shows; ``folder``, if any, takes answers for after a start."""

    def __init__(self, database: Database, folder: Path | None = None) -> None:
        self._database = database
        self._shelf = Shelf(folder, _KEPT_BYTES) if folder else None
        self._kept: dict[int, _Kept] = {}
        self._lock = Lock()
        self._next: dict[int, Future[_Kept]] = {}
        self._turns: defaultdict[int, Lock] = defaultdict(Lock)

    def warm(self) -> None:
        """Work out every show, so that nobody waits for it later."""
        with self._database.transaction() as connection:
            ids = [show.id for show in shows.all_shows(connection)]
        for show_id in ids:
            self._work_out(show_id)

    def begin(self, show_id: int) -> None:
        """Begin to work out a show of which much is new, so that whoever asks next waits less."""
        Thread(target=self._work_out, args=(show_id,), daemon=True).start()

    def _work_out(self, show_id: int) -> None:
        board = self.open(show_id)
        for timeline in board.show.timelines:
            board.rows(timeline)

    def open(self, show_id: int) -> Board:
        """The board of a show as it stands now; raises ``MissingError`` where there is no such show."""
        return self._as_it_stands(show_id).board

    def with_state(self, show_id: int) -> tuple[Board, str]:
        """The board of a show as it stands now, and a text that is another one whenever anything was found out or
        decided since."""
        kept = self._as_it_stands(show_id)
        return kept.board, kept.state

    def some(self, show_id: int, ids: Iterable[int]) -> Board:
        """A board of at least these clips, their proxies and originals, where they are in the show; raises as
        ``open`` does."""
        if show_id in self._kept:
            return self.open(show_id)
        with self._database.transaction() as connection:
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            there = clips.stamps(connection, show_id)
            wanted = {clip_id for clip_id in ids if clip_id in there.known}
            wanted |= {original for proxy, original in there.proxies.items() if proxy in wanted}
            wanted |= {proxy for proxy, original in there.proxies.items() if original in wanted}
            known = {known_clip.clip.id: known_clip for known_clip in _looked_up(connection, wanted)}
            return _board(connection, show_id, there, known)

    def answer(self, show_id: int, name: str, make: Callable[[Board], bytes]) -> bytes:
        """What a function makes of the board, which ``name`` distinguishes from all other answers; taken from before
        the start while nothing has been worked out since."""
        if self._shelf is not None and show_id not in self._kept:
            with self._database.transaction() as connection:
                connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
                before = self._shelf.get(_key(clips.stamps(connection, show_id), name))
            if before is not None:
                return before
        kept = self._as_it_stands(show_id)

        def made(board: Board) -> bytes:
            answer = make(board)
            if self._shelf is not None:
                self._shelf.put(_key(kept.stamps, name), answer)
            return answer

        return kept.board.answer(name, made)

    def _as_it_stands(self, show_id: int) -> _Kept:
        """Whoever asks while a board is being brought up to date gets the one after it, together with all others who
        wait: its transaction begins after they asked."""
        with self._lock:
            coming = self._next.get(show_id)
            mine = self._next.setdefault(show_id, Future())
            turn = self._turns[show_id]
        if coming is not None:
            return coming.result()
        with turn:
            with self._lock:
                del self._next[show_id]
            try:
                mine.set_result(self._brought_up_to_date(show_id))
            except BaseException as error:
                mine.set_exception(error)
        return mine.result()

    def _brought_up_to_date(self, show_id: int) -> _Kept:
        with self._database.transaction() as connection:
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            seen = snapshot(connection)
            kept = self._kept.get(show_id)
            if kept is None or kept.seen != seen:
                kept = self._kept[show_id] = _refreshed(connection, show_id, kept, seen)
            return kept


def _refreshed(connection: Connection, show_id: int, last: _Kept | None, seen: str) -> _Kept:
    now = clips.stamps(connection, show_id)
    if last is not None and last.stamps == now:
        return _Kept(last.board, now, seen, last.entries)
    before, was = (last.board, last.stamps) if last else (None, Stamps("", {}, {}, {}))
    kept = before.everything if before else {}
    found = logs.matched(connection, show_id)
    entries: Mapping[int, object] = found.entries if found else {}
    unknown = [clip_id for clip_id, stamp in now.known.items() if was.known.get(clip_id) != stamp]
    if last is not None and entries is not last.entries:
        unknown += [i for i in now.known if i in kept and kept[i].clip.entries != entries.get(i, ())]
    fresh = {known.clip.id: known for known in _looked_up(connection, dict.fromkeys(unknown))}
    anew = [i for i, stamp in now.decided.items() if was.decided.get(i) != stamp and i not in fresh]
    for clip_id, (own, revision) in clips.decided(connection, anew).items():
        fresh[clip_id] = kept[clip_id].deciding(own, revision)
    known = {clip_id: fresh.get(clip_id) or kept[clip_id] for clip_id in now.known}
    board = _board(connection, show_id, now, known, before, same_above=was.above == now.above)
    return _Kept(board, now, seen, entries)


def _board(
    connection: Connection, show_id: int, stamps: Stamps, everything: Mapping[int, KnownClip],
    before: Board | None = None, *, same_above: bool = False,
) -> Board:  # fmt: skip
    known = {clip_id: clip for clip_id, clip in everything.items() if clip_id not in stamps.proxies}
    proxies = {clip_id: clip for clip_id, clip in everything.items() if clip_id in stamps.proxies}
    if before is not None and same_above:
        return Board(before.show, before.house, known, proxies, before.handed_off, before.worked_out())
    house = decisions.house(connection, show_id)
    made = {
        clip_id: {timeline: Order.model_validate_json(plan) for timeline, plan in plans.items()}
        for clip_id, plans in handed_off(connection, show_id).items()
    }
    if before is not None and before.house == house:
        house = before.house
    earlier = before.worked_out() if before else {}
    return Board(shows.show(connection, show_id), house, known, proxies, made, earlier)


def _looked_up(connection: Connection, ids: Iterable[int]) -> Iterable[KnownClip]:
    wanted: Sequence[int] = list(ids)
    for first in range(0, len(wanted), _CHUNK):
        for clip in clips.clips_by_id(connection, wanted[first : first + _CHUNK]):
            yield known_of(clip)


def _key(stamps: Stamps, name: str) -> str:
    digest = sha256(f"{_code()}{stamps.above}\0{name}".encode())
    for by_clip in (stamps.known, stamps.decided):
        digest.update(" ".join(map(str, by_clip)).encode())
        digest.update(" ".join(by_clip.values()).encode())
    return digest.hexdigest()


@cache
def _code() -> str:
    """What our code is: answers of older code are not taken."""
    files = sorted(Path(oddmeter.__file__).parent.rglob("*.py"))
    return sha256(b"".join(file.read_bytes() for file in files)).hexdigest()
