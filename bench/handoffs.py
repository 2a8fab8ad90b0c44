"""What a handoff of many files costs: planned, named and checked for collisions; queued; shown; and a plan run again.

Run: .venv/bin/python -m bench.handoffs [CLIPS, default 10000]
"""

import sys
import time
from collections.abc import Callable
from typing import Any

from fastapi.testclient import TestClient

from bench.database import fresh_database
from bench.ledger import fill
from oddmeter.config import Config
from oddmeter.store.database import Database
from oddmeter.web.app import create_app


def timed(what: str, work: Callable[[], Any]) -> Any:
    """Run it once, and print how long it took."""
    begun = time.perf_counter()
    out = work()
    print(f"{what:58} {time.perf_counter() - begun:6.2f} s")
    return out


def measure(client: TestClient, show: int) -> None:
    """Print what each step of a handoff of all clips of a show takes."""
    base = f"/api/shows/{show}"
    ids = timed("the ledger opened", lambda: client.get(f"{base}/ledger").json()["ids"])
    outputs = [{"id": 1, "setting": "edit", "folder": "to edit", "pattern": "{delivery}_{clip}_{version}"}]
    body: dict[str, Any] = {"clip_ids": ids, "outputs": outputs}
    for name in ("planned, named and checked for collisions, first", "and once more, as after a letter typed"):
        told = timed(name, lambda: client.post(f"{base}/handoff/preview", json=body).json())
    assert told["totals"]["files"] == len(ids), told["totals"]
    plan = client.post(f"{base}/handoff/plans", json={"name": "All", "document": {"outputs": outputs}}).json()["id"]
    made = timed("queued", lambda: client.post(f"{base}/renders", json={**body, "plan": plan}).json())
    assert made["queued"] == len(ids), made
    again = timed("run again: all held against what was made", lambda: client.post(
        f"{base}/handoff/preview", json={**body, "plan": plan}).json())  # fmt: skip
    assert again["totals"]["unchanged"] == len(ids), again["totals"]
    timed("the queue's first page", lambda: client.get(f"{base}/renders").json())
    timed("the queue at a glance", lambda: client.get(f"{base}/renders/queue").json())
    waiting = [file["id"] for file in client.get(f"{base}/renders").json()]
    timed("the last of a page moved to the front", lambda: client.post(
        f"{base}/renders/move", json={"ids": waiting[-1:], "before": waiting[0]}))  # fmt: skip


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    with fresh_database() as (folder, url):
        database = Database(url)
        database.open()
        show = fill(database, count, 40)
        database.close()
        config = Config.under(folder / "data", url)
        config.make_folders()
        with TestClient(create_app(config), base_url="http://127.0.0.1") as client:
            measure(client, show)


if __name__ == "__main__":
    main()
