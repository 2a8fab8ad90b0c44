"""Whether the files of a show are still those that were looked at, noticed while people plan with them."""

import time
from threading import Lock, Thread

from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.identity import is_as_known
from oddmeter.store import facts
from oddmeter.store.database import Database

_SECONDS = 15
"""How often the files of a show are asked for their size and time of change, at most."""


class Sources:
    """Looks after the files of shows that are open in somebody's browser; what changed is written to the store, which
    notifies every page."""

    def __init__(self, config: Config, database: Database) -> None:
        self._config, self._database = config, database
        self._looked: dict[int, float] = {}
        self._lock = Lock()

    def look_after(self, show_id: int) -> None:
        """Look at the files of a show, in the background, unless that was done a moment ago."""
        now = time.monotonic()
        with self._lock:
            if now - self._looked.get(show_id, -_SECONDS) < _SECONDS:
                return
            self._looked[show_id] = now
        Thread(target=self.look, args=(show_id,), daemon=True).start()

    def look(self, show_id: int) -> None:
        """Look at the files of a show, and write down which are others by now. One that is not there says nothing."""
        with self._database.transaction() as connection:
            known = facts.identities(connection, show_id)
        changed: dict[bool, list[int]] = {True: [], False: []}
        for clip_id, root, path, identity, replaced in known:
            try:
                now = not is_as_known(self._config.footage(root, path), identity, quickly=True)
            except RuleError:
                continue
            if now != replaced:
                changed[now].append(clip_id)
        for now, ids in changed.items():
            if ids:
                with self._database.transaction() as connection:
                    facts.note_replaced(connection, ids, now)
