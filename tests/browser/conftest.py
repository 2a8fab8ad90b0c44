"""The whole application as ./start runs it, empty, and Debian's Chromium before it."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

import psycopg
import pytest
from playwright.sync_api import Browser, Page, Route, expect, sync_playwright

from oddmeter.local.cluster import Cluster
from oddmeter.local.stack import DATABASE
from oddmeter.store import clips
from oddmeter.store.database import Database
from tests.chromium import launched
from tests.waiting import wait_until

PATIENCE = 1000 * int(os.environ.get("ODDMETER_PATIENCE", "300"))
"""Milliseconds that a busy machine may take; what is right is seen at once. ``ODDMETER_PATIENCE`` (seconds) is for
whoever writes a story and does not want to wait for what is wrong."""
expect.set_options(timeout=PATIENCE)


@dataclass(frozen=True)
class Running:
    """A started application: its address, and its data folder."""

    url: str
    data: Path

    @property
    def footage(self) -> Path:
        return self.data / "media"

    @property
    def made(self) -> Path:
        return self.data / "made"

    def work(self) -> object:
        """How far the worker has come with everything, whichever story asked for it."""
        with psycopg.connect(Cluster(self.data).url(DATABASE)) as connection:
            return connection.execute(
                "SELECT 'look', clip_id, state, attempts, done_frames FROM picture"
                " UNION ALL SELECT 'make', id, state, attempts, done_frames FROM render ORDER BY 1, 2"
            ).fetchall()


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def answers(url: str) -> bool:
    try:
        urllib.request.urlopen(url, timeout=60).close()
    except OSError:
        return False
    return True


@contextmanager
def started_empty(media_root: Path) -> Iterator[Running]:
    """A start without the demo show, with its footage and an odd card to choose from."""
    data = Path(__file__).parents[2] / ".data" / f"test-browser-{uuid4().hex[:6]}"
    shutil.copytree(media_root, data / "media")
    (data / "media" / "Odd card").mkdir()
    (data / "media" / "Odd card" / "empty.mov").touch()
    (data / "media" / "Odd card" / "letter.txt").write_text("Dear harbour master")
    port = free_port()
    command = [sys.executable, "-m", "oddmeter", "start", "--empty", "--data", str(data), "--port", str(port)]
    process = subprocess.Popen(command, env=os.environ)
    try:
        wait_until(lambda: process.poll() is not None or answers(f"http://127.0.0.1:{port}/api/roots"))
        assert process.poll() is None, "the application ended as it started"
        yield Running(f"http://127.0.0.1:{port}", data)
    finally:
        process.send_signal(signal.SIGINT)
        assert process.wait(300) == 0
        Cluster(data).discard()
        shutil.rmtree(data)


LOOKED_AT_ONCE = b"""
    CREATE FUNCTION seen_before() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
        SELECT p.report, 'done' INTO NEW.report, NEW.state
        FROM clip now JOIN delivery here ON here.id = now.delivery_id
        JOIN delivery there ON there.root = here.root JOIN clip other ON other.delivery_id = there.id
        JOIN picture p ON p.clip_id = other.id
        WHERE now.id = NEW.clip_id AND other.path = now.path AND p.state = 'done' AND p.report IS NOT NULL LIMIT 1;
        NEW.state = coalesce(NEW.state, 'waiting');
        RETURN NEW;
    END $$;
    CREATE TRIGGER seen_before BEFORE INSERT ON picture FOR EACH ROW EXECUTE FUNCTION seen_before();
"""


@pytest.fixture(scope="session")
def running(media_root: Path) -> Iterator[Running]:
    """One application that most stories share, each with a show of its own. The pictures of a file are looked at for
    the first story that brings it in, and then known to all others."""
    with started_empty(media_root) as started:
        with psycopg.connect(Cluster(started.data).url(DATABASE)) as connection:
            connection.execute(LOOKED_AT_ONCE)
        yield started


@pytest.fixture
def empty(media_root: Path) -> Iterator[Running]:
    """An application that nobody has used yet."""
    with started_empty(media_root) as started:
        yield started


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = launched(playwright)
        yield browser
        browser.close()


@pytest.fixture
def new_page(chromium: Browser, request: pytest.FixtureRequest) -> Iterator[Callable[[str], Page]]:
    """Opens pages, each a person's own browser; a script error on any of them fails the test, and so does an answer
    that something is not there, or was changed by somebody first, unless that is what the test is about."""
    errors: list[str] = []
    refused = () if request.node.get_closest_marker("refused") else (404, 409)
    contexts = []

    def open_page(person: str) -> Page:
        context = chromium.new_context(viewport={"width": 1280, "height": 800})
        context.set_default_timeout(PATIENCE)
        context.add_init_script(f"localStorage.setItem('odd-meter.person', '{person}')")
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.on("console", lambda said: errors.append(said.text) if "Content Security Policy" in said.text else None)
        page.on("response", lambda got: errors.append(f"{got.status} {got.url}") if got.status in refused else None)
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert errors == []


@pytest.fixture
def page(new_page: Callable[[str], Page]) -> Page:
    return new_page("Ada")


def catch(page: Page, requests: str, do: Callable[[Route], None]) -> None:
    """Have ``do`` answer these requests of an open page, from its very next one on: ``page.route`` alone returns a
    little before the page sends its requests that way, and one that escapes is neither answered nor seen."""
    page.route(requests, do)
    page.route("**/caught-yet", lambda route: route.abort())
    page.wait_for_function("() => fetch('/caught-yet').then(() => false, () => true)")


class Show:
    """A show made over the API, for stories that begin in the middle."""

    def __init__(self, page: Page, running: Running, rate: str = "25") -> None:
        self.page, self.running, self.url = page, running, running.url
        timeline = {"name": "Main", "rate": rate}
        body = {"name": f"Show {uuid4().hex[:6]}", "timeline": timeline}
        self.id = page.request.post(f"{self.url}/api/shows", data=body).json()["id"]

    def bring_in(self, path: str) -> None:
        body = {"name": path.rsplit("/", maxsplit=1)[-1], "root": "Footage", "path": path}
        made = self.page.request.post(f"{self.url}/api/shows/{self.id}/deliveries", data=body)
        assert made.status == 201, made.text()
        wait_until(
            lambda: all(d["probed"] == d["clips"] for d in self.get("deliveries")), lambda: self.get("deliveries")
        )

    def get(self, what: str) -> list[dict[str, int]]:
        return self.page.request.get(f"{self.url}/api/shows/{self.id}/{what}").json()  # type: ignore[no-any-return]

    def open(self, stop: str, page: Page | None = None) -> None:
        (page or self.page).goto(f"{self.url}/shows/{self.id}/{stop}")


def fill(running: Running, show_id: int, deliveries: dict[str, list[tuple[str, str]]]) -> None:
    """Clips of a show by delivery, each a name and an exact rate, put down as if they had been looked at."""
    database = Database(Cluster(running.data).url(DATABASE))
    database.open()
    for card, given in deliveries.items():
        with database.transaction() as connection:
            clips.bring_in(
                connection, clips.add_delivery(connection, show_id, card, "Footage", card, [name for name, _ in given])
            )
            connection.execute(
                "UPDATE clip_facts SET state = 'done', frames = 100 + clip_id %% 400, timing = 'constant', width = 64,"
                " height = 64, pixel_aspect = '1/1', scan = 'progressive', codec = 'h264', file_rate = given.rate,"
                " stated_rate = given.rate, measured_rate = given.rate"
                " FROM clip JOIN unnest(%s::text[], %s::text[]) AS given (name, rate) USING (name)"
                " JOIN delivery d ON d.id = clip.delivery_id WHERE clip.id = clip_id AND d.show_id = %s",
                ([name for name, _ in given], [rate for _, rate in given], show_id),
            )
            connection.execute("UPDATE picture SET state = 'done'")
    database.close()


@pytest.fixture
def show(page: Page, running: Running) -> Show:
    return Show(page, running)
