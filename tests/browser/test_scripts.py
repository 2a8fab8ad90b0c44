"""The scripts that measure a running application, at a small size: they still find their way through it."""

import re
from collections.abc import Iterator
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page

from bench import ledger, ledger_page, load, looking
from oddmeter.local.cluster import Cluster
from oddmeter.local.stack import DATABASE
from oddmeter.store.database import Database
from tests.browser.conftest import Running


@pytest.fixture
def database(running: Running) -> Iterator[Database]:
    known = Database(Cluster(running.data).url(DATABASE))
    known.open()
    yield known
    known.close()


def test_looking(page: Page, running: Running, capsys: pytest.CaptureFixture[str]) -> None:
    looking.make_clip(running.footage / "Long" / "long.mp4", 24)
    looking.measure(page, running.url, 24, 2)
    said = capsys.readouterr().out
    assert len(re.findall(r"median +\d+ ms, worst +\d+ ms, of [1-3]$", said, re.MULTILINE)) == 6


def test_ledger_page(page: Page, running: Running, database: Database, capsys: pytest.CaptureFixture[str]) -> None:
    show = ledger.fill(database, 96, 8)
    ledger_page.measure(page, running.url, show, 96, 10)
    said = capsys.readouterr().out
    assert len(re.findall(r" +\d+\.\d\d s$", said, re.MULTILINE)) == 4


def test_load(running: Running, database: Database) -> None:
    port = urlsplit(running.url).port or 0
    met, lost = load.measure(port, database, ledger.fill(database, 40, 2), 2, 2, 0.5)
    assert met.seconds["the ledger"] and met.seconds["a change of 20"]
    assert (dict(met.errors), lost) == ({}, 0)
