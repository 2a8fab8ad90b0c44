"""Many people at one show: how long each waits for the ledger, for its rows, and for a change.

Run: .venv/bin/python -m bench.load [CLIPS [READERS [WRITERS [SECONDS]]]] [--processes N]
Readers ask for the order of the ledger and then for 60 rows of it, writers change 20 clips at a time, all of them as
fast as they are answered, each over a connection of its own. The writers meet in the same 400 clips: a change that
is refused, since somebody was first, is asked again. At the end every clip must have been changed as often as somebody
was told so. First one reader alone, then all.
"""

import argparse
import http.client
import json
import os
import random
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from threading import Thread
from typing import Any

from bench.ledger import fill
from oddmeter.config import Config
from oddmeter.local.cluster import Cluster
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate

PORT = 8477
_ROWS, _CHANGED, _SHARED = 60, 20, 400


@dataclass
class Waited:
    """How long answers took, in seconds by what was asked; and what went wrong."""

    seconds: dict[str, list[float]] = field(default_factory=dict)
    errors: Counter[str] = field(default_factory=Counter)
    refused: int = 0
    changed: Counter[int] = field(default_factory=Counter)

    def add(self, other: "Waited") -> None:
        """Take in what another person met."""
        for name, spans in other.seconds.items():
            self.seconds.setdefault(name, []).extend(spans)
        self.errors += other.errors
        self.changed += other.changed
        self.refused += other.refused


class Person:
    """Somebody with a connection of their own."""

    def __init__(self, show: int, seed: int, port: int) -> None:
        self.show, self.random, self.met = show, random.Random(seed), Waited()
        self._connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)

    def ask(self, name: str, method: str, path: str, body: object = None) -> tuple[int, Any]:
        """One request, timed under a name; an answer of 500 and above counts as an error."""
        begun = time.perf_counter()
        headers = {"Content-Type": "application/json", "X-Person": "Ada"}
        self._connection.request(
            method, f"/api/shows/{self.show}/{path}", None if body is None else json.dumps(body), headers
        )
        answer = self._connection.getresponse()
        data = answer.read()
        self.met.seconds.setdefault(name, []).append(time.perf_counter() - begun)
        if answer.status >= 500:
            self.met.errors[f"{path}: {answer.status}"] += 1
        return answer.status, json.loads(data)

    def read(self) -> None:
        """Look at the ledger, and at some rows of it."""
        order = self.ask("the ledger", "GET", "ledger")[1]
        first = self.random.randrange(max(1, len(order["ids"]) - _ROWS))
        self.ask(f"{_ROWS} rows", "POST", "ledger/rows", {"ids": order["ids"][first : first + _ROWS]})

    def write(self) -> None:
        """Change some clips that others change too, by what was last seen of them."""
        order = self.ask("the ledger (writers)", "GET", "ledger")[1]
        seen = list(zip(order["ids"], order["revisions"], strict=True))[:_SHARED]
        some = self.random.sample(seen, min(_CHANGED, len(seen)))
        body = {
            "clips": [{"id": one, "revision": revision} for one, revision in some],
            "intent": {"intent": "pace", "value": f"{self.random.randrange(1, 10**9)}/{10**9}"},
        }
        status = self.ask(f"a change of {_CHANGED}", "POST", "treatments", body)[0]
        if status < 300:
            self.met.changed.update(one for one, _ in some)
        elif status == 409:
            self.met.refused += 1
        else:
            self.met.errors[f"change: {status}"] += 1


def together(people: list[tuple[Person, Callable[[Person], None]]], seconds: float) -> Waited:
    """All of them at once for so many seconds."""
    until = time.monotonic() + seconds

    def go(person: Person, does: Callable[[Person], None]) -> None:
        while time.monotonic() < until:
            does(person)

    threads = [Thread(target=go, args=one) for one in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    met = Waited()
    for person, _ in people:
        met.add(person.met)
    return met


def measure(port: int, database: Database, show: int, readers: int, writers: int, seconds: float) -> tuple[Waited, int]:
    """What all met, after one alone, as printed; and how many changes were lost."""
    alone = together([(Person(show, 0, port), Person.read)], seconds / 4)
    print_times("one reader alone", alone)
    before = revisions(database, show)
    reading = [(Person(show, 1 + i, port), Person.read) for i in range(readers)]
    writing = [(Person(show, 100 + i, port), Person.write) for i in range(writers)]
    met = together([*reading, *writing], seconds)
    after = revisions(database, show)
    lost = sum(after[one] - before[one] != met.changed[one] for one in after)
    print_times(f"{readers} readers and {writers} writers", met)
    print(
        f"refused since somebody was first: {met.refused}; errors: {dict(met.errors)}; clips with a lost change: {lost}"
    )
    return met, lost


def revisions(database: Database, show: int) -> dict[int, int]:
    """The revision of what is decided on each clip: how often that was changed."""
    with database.transaction() as connection:
        rows = connection.execute(
            "SELECT t.id, t.revision FROM treatment t JOIN clip c ON c.id = t.id"
            " JOIN delivery d ON d.id = c.delivery_id WHERE d.show_id = %s",
            (show,),
        ).fetchall()
    return {int(str(one)): int(str(revision)) for one, revision in rows}


def print_times(who: str, met: Waited) -> None:
    """Median and 95th percentile of each thing that was asked."""
    for name, spans in met.seconds.items():
        parts = statistics.quantiles(spans, n=20) if len(spans) > 1 else spans * 20
        print(f"{who}: {name:22} {len(spans):6} answers, p50 {statistics.median(spans):6.3f} s, p95 {parts[18]:6.3f} s")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else None)
    parser.add_argument("numbers", nargs="*", type=int, metavar="CLIPS READERS WRITERS SECONDS")
    parser.add_argument("--processes", type=int, default=os.cpu_count() or 1)
    asked = parser.parse_args()
    count, readers, writers, seconds = (asked.numbers + [3_000, 20, 5, 30][len(asked.numbers) :])[:4]
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        cluster = Cluster(Path(folder) / "data")
        cluster.start()
        config = Config.under(Path(folder) / "data", cluster.ensure_database("bench"))
        config.make_folders()
        migrate(config.database)
        database = Database(config.database)
        database.open()
        show = fill(database, count, 10)
        command = [sys.executable, "-m", "oddmeter", "serve", "--port", str(PORT), "--shared"]
        servers = [
            subprocess.Popen(command, env={**os.environ, **config.to_environment()}) for _ in range(asked.processes)
        ]
        try:
            time.sleep(5 + count / 1000)
            print(f"{count} clips, {asked.processes} web processes")
            measure(PORT, database, show, readers, writers, seconds)
        finally:
            for server in servers:
                server.send_signal(signal.SIGTERM)
                server.wait()
            database.close()
            cluster.stop()
            cluster.discard()


if __name__ == "__main__":
    main()
