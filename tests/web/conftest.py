"""The application over HTTP, against the real database; what the worker does is done by the test."""

from collections.abc import Iterator
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from oddmeter.config import Config
from oddmeter.store import clips, renders
from oddmeter.store.database import Database
from oddmeter.store.handoff import errands, packages, runs
from oddmeter.web.app import create_app, work_on
from oddmeter.work import proof_page
from oddmeter.work.package.errands import do_errand
from oddmeter.work.package.from_renders import close
from oddmeter.work.tasks import look_at, make


class Browser:
    """A client with a person's name, and the worker's part played on demand."""

    def __init__(self, client: TestClient, config: Config, database: Database) -> None:
        self.client, self.config, self.database = client, config, database

    def get(self, path: str) -> Any:
        return self._ok("GET", path, None)

    def send(self, method: str, path: str, body: object = None) -> Any:
        return self._ok(method, path, body)

    def refused(self, method: str, path: str, body: object = None) -> tuple[int, str]:
        """The status and the sentence of a refusal."""
        got = self.client.request(method, path, json=body)
        assert got.headers["content-type"] == "application/problem+json", got.text
        problem = got.json()
        assert problem["status"] == got.status_code >= 400 and problem["title"] and problem["code"]
        return got.status_code, problem["detail"]

    def work(self) -> None:
        """Do all that waits in the queue."""
        with self.database.transaction() as connection:
            unprobed, waiting = clips.unprobed(connection), renders.waiting(connection)
        for clip_id in unprobed:
            look_at(self.config, self.database, clip_id)
        for render_id in waiting:
            make(self.config, self.database, render_id)
        with self.database.transaction() as connection:
            errands_to_do = errands.unfinished(connection)
            to_close, to_write = packages.unfinished(connection), runs.unwritten_reports(connection)
        for package_id in to_close:
            close(self.config, self.database, package_id)
        for errand_id in errands_to_do:
            do_errand(self.config, self.database, errand_id)
        for run_id in to_write:
            proof_page.write(self.config, self.database, run_id)

    def show(self, rate: str = "25", name: str = "Tide") -> int:
        made = self.send("POST", "/api/shows", {"name": name, "timeline": {"name": "Main", "rate": rate}})
        return int(made["id"])

    def bring_in(self, show: int, path: str, name: str = "Card") -> int:
        body = {"name": name, "root": "Footage", "path": path}
        made = self.send("POST", f"/api/shows/{show}/deliveries", body)
        self.work()
        return int(made["id"])

    def ledger(self, show: int) -> dict[str, Any]:
        ids = self.get(f"/api/shows/{show}/ledger")["ids"]
        return {row["name"]: row for row in self.send("POST", f"/api/shows/{show}/ledger/rows", {"ids": ids})}

    def decide(self, show: int, rows: list[Any], **decision: object) -> Any:
        refs = [{"id": row["id"], "revision": row["revision"]} for row in rows]
        return self.send("POST", f"/api/shows/{show}/treatments", {"clips": refs, **decision})

    def undo(self, show: int) -> str:
        """Undo the newest change of a show; returns its title."""
        newest = self.get(f"/api/shows/{show}")["undo"]
        self.send("POST", f"/api/shows/{show}/undo/{newest['id']}")
        return str(newest["title"])

    def _ok(self, method: str, path: str, body: object) -> Any:
        got = self.client.request(method, path, json=body)
        assert got.status_code < 300, got.text
        is_json = got.headers.get("content-type", "").startswith("application/json")
        return got.json() if is_json and got.content else got.text


@pytest.fixture(scope="session")
def app(tmp_path_factory: pytest.TempPathFactory) -> FastAPI:
    """The one web application of this process, for whichever test is next."""
    return create_app(Config.under(tmp_path_factory.mktemp("data"), ""))


@pytest.fixture
def browser(app: FastAPI, config: Config, database: Database) -> Iterator[Browser]:
    work_on(app, config)
    with TestClient(app, base_url="http://127.0.0.1", headers={"X-Person": "Ada%20Brook"}) as client:
        yield Browser(client, config, database)
