"""What a ledger of many clips costs: opening, finding, previewing a change to all, making it, undoing it.

Run: .venv/bin/python -m bench.ledger [CLIPS [DELIVERIES]] [--plans]
Makes a show of 10,000 clips over 40 deliveries in a database of its own, straight from SQL, and asks the web
application for what the page asks for. ``--plans`` prints how the database goes about the queries.
"""

import sys
import time
from collections.abc import Callable
from typing import Any

import psycopg
from fastapi.testclient import TestClient

from bench.common import most_memory
from bench.database import fresh_database
from oddmeter.config import Config
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.store import clips, shows
from oddmeter.store.database import Database
from oddmeter.web.app import create_app

TIMELINES = (
    TimelineSettings("The film", Rate.of(25)),
    TimelineSettings("Broadcast", Rate.parse("29.97"), scan="lower", drop_frame=True),
    TimelineSettings("Festival", Rate.parse("23.976")),
)
PROBED = """
    UPDATE clip_facts SET state = 'done', frames = 100 + (clip_id * 37) %% 900, timing = 'constant', width = 1920,
        height = 1080, pixel_aspect = '1/1', scan = 'progressive', codec = 'h264', file_rate = rate, stated_rate = rate,
        measured_rate = rate
    FROM (SELECT id, (array['25/1', '24/1', '30000/1001', '50/1', '24000/1001', '60000/1001', '100/1'])[1 + id %% 7]
                 AS rate
          FROM clip WHERE delivery_id IN (SELECT id FROM delivery WHERE show_id = %s)) AS made
    WHERE made.id = clip_id
"""
NAMED = (24, 25, 50, 60, 100, 150)


def fill(database: Database, count: int, deliveries: int) -> int:
    """A show of that many clips, looked at; returns its id."""
    with database.transaction() as connection:
        show = shows.add_show(connection, "The Tide Bell, whole", TIMELINES[0])
        for timeline in TIMELINES[1:]:
            shows.add_timeline(connection, show, timeline)
        for card in range(deliveries):
            names = [f"A{card:02}_{i:05}_{NAMED[i % 6]}fps.mov" for i in range(count // deliveries)]
            clips.bring_in(
                connection, clips.add_delivery(connection, show, f"Card {card:02}", "Footage", f"card {card}", names)
            )
        connection.execute(PROBED.encode(), (show,))
    with psycopg.connect(database.url, autocommit=True) as connection:
        connection.execute("ANALYZE")
    return show


def timed(name: str, work: Callable[[], Any], times: int = 1) -> Any:
    """Run and print: the median where it is run several times."""
    spans = []
    for _ in range(times):
        begun = time.perf_counter()
        got = work()
        spans.append(time.perf_counter() - begun)
    print(f"{name:52} {sorted(spans)[len(spans) // 2]:7.3f} s")
    return got


def main() -> None:
    numbers = [int(word) for word in sys.argv[1:] if word.isdecimal()]
    count, deliveries = (numbers + [10_000, 40][len(numbers) :])[:2]
    with fresh_database() as (folder, url):
        config = Config.under(folder / "data", url)
        config.make_folders()
        measure(config, url, count, deliveries)


def measure(config: Config, url: str, count: int, deliveries: int) -> None:
    database = Database(url)
    database.open()
    show = fill(database, count, deliveries)
    database.close()
    print(f"{count} clips over {deliveries} deliveries")
    client: TestClient

    def started() -> TestClient:
        return TestClient(create_app(config), base_url="http://127.0.0.1", headers={"X-Person": "Ada"})

    def got(path: str) -> Any:
        answer = client.get(f"/api/shows/{show}{path}")
        assert answer.status_code == 200, answer.text
        return answer.json()

    def sent(path: str, body: object) -> Any:
        answer = client.post(f"/api/shows/{show}{path}", json=body)
        assert answer.status_code < 300, answer.text
        return answer.json()

    with started() as client:
        timed("ledger opened, nothing worked out yet", lambda: got("/ledger"))
        order = timed("ledger opened again", lambda: got("/ledger"), 5)
        timed("find while typing (2 words)", lambda: got("/ledger?find=a07_+150fps"), 5)
        timed("sorted by speed, grouped by decision", lambda: got("/ledger?sort=speed&group=decision"), 3)
        timed("60 rows to draw", lambda: sent("/ledger/rows", {"ids": order["ids"][500:560]}), 5)
        timed("arithmetic of all selected", lambda: sent("/reckoning", {"clip_ids": order["ids"]}))

        def refs() -> list[dict[str, int]]:
            now = got("/ledger")
            return [{"id": i, "revision": r} for i, r in zip(now["ids"], now["revisions"], strict=True)]

        everything = {"clips": refs(), "intent": {"intent": "real-time"}}
        timed("change to all previewed, on three timelines", lambda: sent("/preview", everything), 3)
        timed("change to all made", lambda: sent("/treatments", everything))
        timed("ledger after it", lambda: got("/ledger"))
        (undo,) = [client.get(f"/api/shows/{show}").json()["undo"]]
        timed("undone", lambda: sent(f"/undo/{undo['id']}", None))
        timed("ledger after it", lambda: got("/ledger"))
        timed("done again", lambda: sent(f"/redo/{undo['id']}", None))
        timed("ledger after it", lambda: got("/ledger"))
    with started() as client:
        timed("ledger opened right after a start", lambda: got("/ledger"))
        timed("60 rows to draw right after it", lambda: sent("/ledger/rows", {"ids": order["ids"][500:560]}))
    print(f"memory of the process {most_memory():.0f} MB")
    if "--plans" in sys.argv:
        explain(url, show)


def explain(url: str, show: int) -> None:
    """How the database goes about the queries behind the ledger."""
    with psycopg.connect(url) as connection:
        for name, query in (("stamps", clips.STAMPS), ("clips", f"{clips.CLIPS} WHERE c.id = ANY(ARRAY[1, 2, 3])")):
            print(f"\n{name}")
            for row in connection.execute(f"EXPLAIN (ANALYZE, COSTS OFF) {query.replace('%s', str(show))}".encode()):
                print("  ", row[0])


if __name__ == "__main__":
    main()
