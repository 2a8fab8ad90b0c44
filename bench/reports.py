"""What a camera report costs beside many clips: reading it, and every request after it.

Run: .venv/bin/python -m bench.reports [CLIPS [ROWS]]
A show of 3,000 clips, asked for the ledger, for one clip and for a preview without any report, and again with one of
3,000 rows of which each names a clip; then five clips more, into a show four times as large. Each figure is the median
of several, and the two beside each other are of one run.
"""

import shutil
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from bench.ledger import NAMED, fill
from oddmeter.config import Config
from oddmeter.local.cluster import Cluster
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate
from oddmeter.web.app import create_app


def report_of(rows: int, deliveries: int) -> bytes:
    """A camera report whose rows name clips as ``fill`` calls them."""
    lines = ["Clip,Camera FPS,Project FPS"]
    for i in range(rows):
        card, number = divmod(i, rows // deliveries)
        lines.append(f"A{card:02}_{number:05}_{NAMED[number % 6]}fps,{NAMED[number % 6]},25")
    return "\n".join(lines).encode()


def seconds(work: Callable[[], Any], times: int = 5) -> float:
    """The median of several runs."""
    spans = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        spans.append(time.perf_counter() - begun)
    return statistics.median(spans)


def measure(count: int, rows: int) -> dict[str, float]:
    """The figures, by name, in seconds."""
    out: dict[str, float] = {}
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        cluster = Cluster(Path(folder) / "data")
        cluster.start()
        try:
            for name, many in (("", count), ("four times as many clips: ", 4 * count)):
                config = Config.under(Path(folder) / f"d{many}", cluster.ensure_database(f"bench{many}"))
                config.make_folders()
                migrate(config.database)
                database = Database(config.database)
                database.open()
                show = fill(database, many, 10)
                database.close()
                with TestClient(create_app(config), base_url="http://127.0.0.1") as client:
                    out |= {name + key: value for key, value in _ask(client, config, show, rows).items()}
        finally:
            cluster.discard()
    return out


def _ask(client: TestClient, config: Config, show: int, rows: int) -> dict[str, float]:
    def sent(method: str, path: str, **given: Any) -> Any:
        got = client.request(method, f"/api/shows/{show}/{path}", **given)
        assert got.status_code < 300, got.text
        return got.json() if got.content else None

    def asked() -> dict[str, float]:
        ids = sent("GET", "ledger")["ids"]
        some = {"clips": [{"id": one, "revision": 1} for one in ids[:1]], "intent": {"intent": "real-time"}}
        return {
            "the ledger": seconds(lambda: sent("GET", "ledger")),
            "one clip": seconds(lambda: sent("GET", f"clips/{ids[0]}/evidence")),
            "a preview": seconds(lambda: sent("POST", "preview", json=some)),
        }

    out = {f"{key}, no report": value for key, value in asked().items()}
    report = {"file": ("camera.csv", report_of(rows, 10), "text/csv")}
    out["the report is read"] = seconds(lambda: sent("POST", "logs", files=report), 1)
    out |= {f"{key}, with it": value for key, value in asked().items()}
    card = config.roots["Footage"] / "Late card"
    shutil.rmtree(card, ignore_errors=True)
    card.mkdir(parents=True)
    for i in range(5):
        (card / f"late_{i}.mov").write_bytes(b"late")
    five = {"name": "Late", "root": "Footage", "path": "Late card"}
    out["five clips come in"] = seconds(lambda: sent("POST", "deliveries", json=five), 1)
    return out


def main() -> None:
    numbers = [int(word) for word in sys.argv[1:] if word.isdecimal()]
    count, rows = (numbers + [3_000, 3_000][len(numbers) :])[:2]
    for name, value in measure(count, rows).items():
        print(f"{name:52} {value:7.3f} s")


if __name__ == "__main__":
    main()
