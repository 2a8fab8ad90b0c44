"""Several people at once: nothing is shown that is not in the database, and what must hold of events holds there."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any

import psycopg
import pytest

from bench.together import prepared, round_of, serving
from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import change
from oddmeter.store.database import Database
from tests.web.conftest import Browser


@pytest.fixture
def show(database: Database) -> int:
    return prepared(database)


def test_two_web_processes_answer_as_a_fresh_one_does_after_random_writes(config: Config, show: int) -> None:
    ports = [8491, 8492]
    with serving(config, ports):
        statuses, wrong = round_of(config, show, ports, 4, 1, acts=20)
    assert wrong == [] and statuses[200] > 20


class Timelines:
    """The timelines of a show, edited at the versions that were seen."""

    def __init__(self, browser: Browser, show: int) -> None:
        self.browser, self.base = browser, f"/api/shows/{show}"
        self.ids = [one["id"] for one in browser.get(self.base)["timelines"]]
        self.clips = browser.get(f"{self.base}/ledger")["ids"]

    def event_list(self, timeline: int) -> Any:
        return self.browser.get(f"{self.base}/cuts/{timeline}")

    def post(self, timeline: int, version: str, **asked: object) -> int:
        body = {"version": version, "edit": "place", **asked}
        return self.browser.client.post(f"{self.base}/cuts/{timeline}/edits", json=body).status_code

    def at_once(self, *asked: tuple[int, dict[str, object]]) -> list[int]:
        """Edits that are sent at the same time; their statuses."""
        versions = {timeline: self.event_list(timeline)["version"] for timeline, _ in asked}
        barrier = Barrier(len(asked))

        def send(timeline: int, edit: dict[str, object]) -> int:
            barrier.wait()
            return self.post(timeline, versions[timeline], **edit)

        with ThreadPoolExecutor(len(asked)) as pool:
            return list(pool.map(lambda one: send(*one), asked))


@pytest.fixture
def timelines(browser: Browser, show: int) -> Timelines:
    return Timelines(browser, show)


def test_edits_of_two_timelines_at_once_are_both_shown(timelines: Timelines) -> None:
    one, other = timelines.ids[:2]
    for at in range(6):
        placed: dict[str, object] = {"clips": [timelines.clips[at]], "sound": False}
        assert timelines.at_once((one, placed), (other, placed)) == [200, 200]
        assert [len(timelines.event_list(timeline)["events"]) for timeline in (one, other)] == [at + 1, at + 1]


def test_three_nestings_in_a_ring_at_once_leave_no_ring(timelines: Timelines) -> None:
    a, b, c = timelines.ids[:3]
    for timeline in (a, b, c):
        assert timelines.at_once((timeline, {"clips": timelines.clips[:1]})) == [200]
    statuses = timelines.at_once((a, {"inner": b}), (b, {"inner": c}), (c, {"inner": a}))
    assert sorted(statuses)[:2] == [200, 200] and sorted(statuses)[2] == 422
    for timeline in (a, b, c):
        assert timelines.browser.get(f"{timelines.base}/cuts/{timeline}/frames/0")["seen"]


def test_a_list_that_was_read_before_somebody_edited_is_not_taken_over(timelines: Timelines) -> None:
    """Everything that writes events holds the version that it was worked out from."""
    one = timelines.ids[0]
    timelines.at_once((one, {"clips": timelines.clips[:2], "sound": False}))
    version = timelines.event_list(one)["version"]
    assert timelines.post(one, version, clips=timelines.clips[2:3], sound=False) == 200
    assert timelines.post(one, version, clips=timelines.clips[3:4], sound=False) == 409


def test_what_lies_over_other_events_in_the_database_can_be_mended(
    timelines: Timelines, database: Database, show: int
) -> None:
    """Such rows were written once; they close no other timeline, and are told on a track above."""
    one, other = timelines.ids[:2]
    for timeline in (one, other):
        timelines.at_once((timeline, {"clips": timelines.clips[:2], "sound": False}))
    with psycopg.connect(database.url, autocommit=True) as bare:
        bare.execute("UPDATE event SET record_in = 10, revision = revision + 1 WHERE timeline_id = %s", (one,))
    assert [event["track"] for event in timelines.event_list(one)["events"]] == ["V1", "V2"]
    assert len(timelines.browser.get(f"{timelines.base}/cuts")) == len(timelines.ids)
    assert len(timelines.event_list(other)["events"]) == 2
    first = timelines.event_list(one)["events"][0]["id"]
    assert timelines.at_once((one, {"edit": "move", "events": [first], "by": "+3"})) == [200]
    with psycopg.connect(database.url) as bare:
        rows = bare.execute("SELECT track, record_in FROM event WHERE timeline_id = %s ORDER BY 1", (one,)).fetchall()
    assert rows == [("V1", 13), ("V2", 10)]
    with (
        pytest.raises(RuleError, match=r"would lie over|would overlap"),
        change(database, show, "broken", "Ada") as connection,
    ):
        connection.execute("UPDATE event SET track = 'V1' WHERE timeline_id = %s", (one,))


def test_a_timeline_inside_itself_in_the_database_closes_no_other(timelines: Timelines, database: Database) -> None:
    a, b, c = timelines.ids[:3]
    for timeline in (a, b, c):
        timelines.at_once((timeline, {"clips": timelines.clips[:1], "sound": False}))
    timelines.at_once((a, {"inner": b, "sound": False}))
    with psycopg.connect(database.url, autocommit=True) as bare:
        bare.execute(
            "INSERT INTO event (timeline_id, track, kind, inner_id, record_in, length)"
            " VALUES (%s, 'V1', 'timeline', %s, 5000, 50)", (b, a),
        )  # fmt: skip
    assert len(timelines.event_list(c)["events"]) == 1 and len(timelines.event_list(a)["events"]) == 2
    ring = timelines.event_list(b)["events"][-1]
    assert timelines.at_once((b, {"edit": "delete", "events": [ring["id"]]})) == [200]
