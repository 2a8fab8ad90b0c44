"""Several people at one show through two web processes, all writing at random; every answer held against a fresh
process.

    .venv/bin/python -m bench.together [ROUNDS, default 10] [SECONDS a round, default 6] [SEED, default 1]

They place, move, split, delete and nest events on four timelines, decide on clips, settle evidence, write and run
recipes, rename timelines, undo and redo. After each round what both processes answer must be what one answers that has
just been started, and what holds of events must hold in the database.
"""

import http.client
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from threading import Thread
from typing import Any

from bench.ledger import fill
from oddmeter.config import Config
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.local.cluster import Cluster
from oddmeter.store import shows
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate

PEOPLE, CLIPS = 3, 12
_SERVE = "import sys; from oddmeter.config import Config; from oddmeter.web.serving import serve; " + (
    "serve(Config.from_environment(), int(sys.argv[1]), shared=False)"
)
ALLOWED = (200, 201, 204, 400, 404, 409, 422)
BROKEN = {
    "events over each other": "SELECT count(*) FROM event a JOIN event b ON a.timeline_id = b.timeline_id"
    " AND a.track = b.track AND a.id < b.id"
    " AND a.record_in < b.record_in + b.length AND b.record_in < a.record_in + a.length",
    "transitions longer than their event": "SELECT count(*) FROM event WHERE transition_length > length",
    "timelines inside themselves": "WITH RECURSIVE inside (outermost, inner_id) AS ("
    "SELECT timeline_id, inner_id FROM event WHERE inner_id IS NOT NULL UNION"
    " SELECT i.outermost, e.inner_id FROM inside i JOIN event e ON e.timeline_id = i.inner_id"
    " WHERE e.inner_id IS NOT NULL) SELECT count(*) FROM inside WHERE outermost = inner_id",
}


@contextmanager
def serving(config: Config, ports: list[int]) -> Iterator[None]:
    """A web process at each of these ports."""
    environment = {**os.environ, **config.to_environment()}
    processes = [subprocess.Popen([sys.executable, "-c", _SERVE, str(port)], env=environment) for port in ports]
    try:
        for port in ports:
            _await_answer(port)
        yield
    finally:
        for process in processes:
            process.send_signal(signal.SIGTERM)
        for process in processes:
            process.wait(timeout=30)


def _await_answer(port: int) -> None:
    for _ in range(600):
        try:
            if ask(port, "GET", "/api/shows")[0] == 200:
                return
        except OSError:
            time.sleep(0.05)
    raise RuntimeError(f"nothing answers at port {port}")


def ask(port: int, method: str, path: str, body: object = None) -> tuple[int, Any]:
    """One request over a connection of its own: the status, and the answer, as it is where it is no JSON."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
    try:
        headers = {"Content-Type": "application/json", "X-Person": "Ada"}
        connection.request(method, path, None if body is None else json.dumps(body), headers)
        answer = connection.getresponse()
        data = answer.read()
    finally:
        connection.close()
    try:
        return answer.status, json.loads(data)
    except ValueError:
        return answer.status, data.decode(errors="replace")


@dataclass
class Person:
    """Somebody who writes at random through one of the web processes, by what was last seen."""

    port: int
    show: int
    dice: random.Random
    statuses: Counter[int] = field(default_factory=Counter)
    odd: Counter[str] = field(default_factory=Counter)

    def act(self) -> None:
        """Do one thing."""
        does = self.dice.choices(
            [self.edit, self.nest, self.decide, self.settle, self.recipe, self.rename, self.undo],
            [10, 4, 4, 2, 1, 1, 2],
        )[0]
        does()

    def edit(self) -> None:
        timeline = self._timeline()
        cut = self._get(f"cuts/{timeline}")
        if not isinstance(cut, dict) or "version" not in cut:
            return
        events = [event for event in cut["events"] if event["track"] == "V1"]
        asked: dict[str, Any] = {"version": cut["version"]}
        kind = self.dice.choice(["place", "place", "delete", "move", "split", "trim tail", "transition"])
        if kind == "place" or not events:
            clips = self._get("ledger")["ids"]
            asked |= {"edit": "place", "clips": [self.dice.choice(clips)], "at": self.dice.randrange(0, 2_000)}
            asked["following"] = self.dice.choice(["stays", "moves"])
        else:
            one = self.dice.choice(events)
            asked |= {"edit": kind, "events": [one["id"]]}
            asked |= {"by": f"{self.dice.randrange(-200, 200):+}"} if kind in ("move", "trim tail") else {}
            asked |= {"at": one["record_in"] + one["length"] // 2} if kind == "split" else {}
            asked |= {"value": str(self.dice.randrange(1, 30))} if kind == "transition" else {}
        self._send("POST", f"cuts/{timeline}/edits", asked)

    def nest(self) -> None:
        timeline, inner = self._timeline(), self._timeline()
        cut = self._get(f"cuts/{timeline}")
        if isinstance(cut, dict) and "version" in cut:
            asked = {
                "version": cut["version"],
                "edit": "place",
                "inner": inner,
                "at": self.dice.randrange(2_000, 9_000),
            }
            self._send("POST", f"cuts/{timeline}/edits", asked)

    def decide(self) -> None:
        intent = {"intent": "pace", "value": f"{self.dice.randrange(1, 9)}/8"}
        self._send("POST", "treatments", {"clips": [self._clip()], "intent": intent})

    def settle(self) -> None:
        word = {"question": "shot_rate", "value": str(self.dice.choice([24, 25, 50, 120]))}
        self._send("POST", "words", {"clips": [self._clip()], **word})

    def recipe(self) -> None:
        name = f"Recipe {self.dice.randrange(4)}"
        self._send("POST", "recipes", {"name": name, "set": {"between": self.dice.choice(["mix", "pick"])}, "rule": {}})

    def rename(self) -> None:
        show = self._get("")
        one = self.dice.choice(show["timelines"])
        settings = {"rate": one["rate"]["exact"], "width": one["width"], "height": one["height"]}
        settings |= {"name": f"T {self.dice.randrange(99)}", "revision": one["revision"]}
        self._send("PUT", f"timelines/{one['id']}", settings)

    def undo(self) -> None:
        show = self._get("")
        way = self.dice.choice(["undo", "redo"])
        if found := show.get(way):
            self._send("POST", f"{way}/{found['id']}", None)

    def _clip(self) -> dict[str, int]:
        order = self._get("ledger")
        at = self.dice.randrange(len(order["ids"]))
        return {"id": order["ids"][at], "revision": order["revisions"][at]}

    def _timeline(self) -> int:
        return int(self.dice.choice(self._get("")["timelines"])["id"])

    def _get(self, path: str) -> Any:
        status, answer = ask(self.port, "GET", f"/api/shows/{self.show}/{path}".rstrip("/"))
        self._count("GET", path, status, answer)
        return answer

    def _send(self, method: str, path: str, body: object) -> None:
        status, answer = ask(self.port, method, f"/api/shows/{self.show}/{path}", body)
        self._count(method, path, status, answer)

    def _count(self, method: str, path: str, status: int, answer: object) -> None:
        self.statuses[status] += 1
        if status not in ALLOWED or (method == "GET" and status != 200):
            self.odd[f"{method} {path}: {status} {str(answer)[:200]}"] += 1


def answers(port: int, show: int) -> dict[str, Any]:
    """What a web process answers to all that does not depend on the moment."""
    base = f"/api/shows/{show}"
    _, told = ask(port, "GET", base)
    order, evidence = (ask(port, "GET", f"{base}/{name}")[1] for name in ("ledger", "evidence"))
    out = {"show": told, "ledger": order, "evidence": evidence}
    for name in ("house", "recipes", "cuts", "deliveries", "verdict-changes", "sheet.json", "house.json"):
        out[name] = ask(port, "GET", f"{base}/{name}")
    out["rows"] = ask(port, "POST", f"{base}/ledger/rows", {"ids": order["ids"]})
    out["evidence rows"] = ask(port, "POST", f"{base}/evidence/rows", {"ids": order["ids"]})
    for timeline in told["timelines"]:
        number = timeline["id"]
        out[f"cut {number}"] = ask(port, "GET", f"{base}/cuts/{number}")
        out[f"events {number}"] = ask(port, "GET", f"{base}/cuts/{number}/events.json")
        for frame in (0, 500, 3_000):
            out[f"frame {number} {frame}"] = ask(port, "GET", f"{base}/cuts/{number}/frames/{frame}")
    return out


def round_of(
    config: Config, show: int, ports: list[int], seconds: float, seed: int, acts: int = 0
) -> tuple[Counter[int], list[str]]:
    """Everybody at once for so many seconds, and until each has acted so many times, however slow the machine is; the
    answers' statuses, and what is wrong afterwards."""
    people = [Person(port, show, random.Random(f"{seed} {port} {n}")) for n in range(PEOPLE) for port in ports]
    until = time.monotonic() + seconds

    def go(person: Person) -> None:
        done = 0
        while done < acts or time.monotonic() < until:
            person.act()
            done += 1

    threads = [Thread(target=go, args=(person,)) for person in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    wrong = [f"{count} × {what}" for person in people for what, count in person.odd.items()]
    with serving(config, [ports[-1] + 1]):
        fresh = answers(ports[-1] + 1, show)
    for port in ports:
        mine = answers(port, show)
        wrong += [
            f"port {port}: {name} is not what a fresh process answers" for name in fresh if mine[name] != fresh[name]
        ]
    return sum((person.statuses for person in people), Counter()), wrong + broken(config.database)


def broken(url: str) -> list[str]:
    """What does not hold of the events in a database."""
    database = Database(url, most=1)
    database.open()
    try:
        with database.transaction() as connection:
            found = {what: connection.execute(query.encode()).fetchone() for what, query in BROKEN.items()}
    finally:
        database.close()
    return [f"{count[0]} {what}" for what, count in found.items() if count and count[0]]


def prepared(database: Database) -> int:
    """A show with some clips and four timelines."""
    show = fill(database, CLIPS, 1)
    with database.transaction() as connection:
        shows.add_timeline(connection, show, TimelineSettings("More", Rate.of(25)))
    return show


def main() -> None:
    rounds, seconds, seed = (int(one) for one in (*sys.argv[1:], *("10", "6", "1")[len(sys.argv) - 1 :]))
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        cluster = Cluster(Path(folder) / "data")
        cluster.start()
        try:
            url = cluster.ensure_database("bench")
            migrate(url)
            config = Config.under(Path(folder) / "data", url)
            config.make_folders()
            database = Database(url)
            database.open()
            show = prepared(database)
            database.close()
            total, bad = Counter[int](), 0
            with serving(config, [8491, 8492]):
                for number in range(rounds):
                    statuses, wrong = round_of(config, show, [8491, 8492], seconds, seed * 1000 + number)
                    total, bad = total + statuses, bad + len(wrong)
                    print(f"round {number}: {dict(statuses)}", *wrong, sep="\n  ", flush=True)
            print(f"{sum(total.values())} requests, {dict(total)}; {bad} things wrong.")
        finally:
            cluster.stop()


if __name__ == "__main__":
    main()
