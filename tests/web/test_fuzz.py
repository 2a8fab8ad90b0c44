"""No call, however odd, ends in a server error, and every answer is as the OpenAPI document describes it."""

import json
from urllib.parse import urlencode

import pytest
from fastapi import FastAPI

from bench.fuzz import found, walked
from oddmeter.config import Config
from oddmeter.web.app import work_on
from tests.web.conftest import Browser

REELS = "The Tide Bell/Visitors' reels"
HUGE = "9" * 6_000


def test_what_the_document_allows_and_what_it_does_not(app: FastAPI, config: Config) -> None:
    config.roots["Footage"] = config.data / "own"
    config.make_folders()
    work_on(app, config)
    answers, wrong = found(app, 150)
    assert answers[200] > 10 and answers[422] > 10 and answers.total() > 100
    assert wrong == {}


def test_calls_that_follow_from_each_other(app: FastAPI, config: Config) -> None:
    config.roots["Footage"] = config.data / "own"
    config.make_folders()
    work_on(app, config)
    answers, wrong = walked(app, 9)
    assert sum(count for status, count in answers.items() if status in range(200, 300)) > 10
    assert wrong == {}


@pytest.mark.parametrize(
    "odd", ["half \ud800 a character", "zero \0 character", "é" * 300, HUGE, "'; --", "{clip", "%00"]
)
def test_any_text_is_taken_or_refused_in_a_sentence(browser: Browser, odd: str) -> None:
    show = browser.show()
    browser.bring_in(show, REELS)
    (row, *_) = browser.ledger(show).values()
    refs = [{"id": row["id"], "revision": row["revision"]}]
    calls = (
        ("POST", "/api/shows", {"name": odd, "timeline": {"name": odd, "rate": odd}}),
        ("POST", f"/api/shows/{show}/timelines", {"name": odd, "rate": "25"}),
        ("POST", f"/api/shows/{show}/words", {"clips": refs, "question": "shot_rate", "value": "150", "reason": odd}),
        ("POST", f"/api/shows/{show}/words", {"clips": refs, "question": "shot_rate", "value": odd}),
        ("POST", f"/api/shows/{show}/treatments", {"clips": refs, "intent": {"intent": "speed", "value": odd}}),
        ("POST", f"/api/shows/{show}/notes", {"clips": refs, "note": odd}),
        ("POST", f"/api/shows/{show}/recipes", {"name": odd, "decisions": {"intent": odd}, "rule": {"name": odd}}),
        ("POST", f"/api/shows/{show}/recipes", {"name": "x", "decisions": {}, "rule": {"shot_ratio": {"least": odd}}}),
        ("POST", f"/api/shows/{show}/deliveries", {"name": odd, "root": "Footage", "path": odd}),
        ("POST", f"/api/shows/{show}/handoff/preview", {"clip_ids": [row["id"]], "setting": "view", "folder": odd}),
        ("POST", f"/api/shows/{show}/handoff/preview", {"clip_ids": [row["id"]], "setting": "view", "pattern": odd}),
        (
            "POST",
            f"/api/shows/{show}/bench/{row['id']}/side",
            {"raster": odd, "intent": {"intent": "fit", "value": odd}},
        ),
        ("GET", f"/api/shows/{show}/reckoner", {"timeline": odd[:40], "file": odd[:40]}),
        ("GET", f"/api/shows/{show}/ledger", {"find": odd, "mark": odd}),
        ("GET", "/api/roots/Footage/folder", {"path": odd}),
    )
    for method, path, sent in calls:
        if method == "GET":
            typed = {key: str(value).encode("utf-8", "surrogatepass") for key, value in sent.items()}
            got = browser.client.get(f"{path}?{urlencode(typed)}")
        else:
            got = browser.client.post(path, content=json.dumps(sent), headers={"Content-Type": "application/json"})
        assert got.status_code < 500, (method, path, sent, got.text)


@pytest.mark.parametrize("number", [HUGE, f"{HUGE}/7", f"-{HUGE}", "1e999999", "1/0"])
def test_numbers_of_thousands_of_digits_are_refused(browser: Browser, number: str) -> None:
    show = browser.show()
    house = (
        '{"format": "odd-meter-house", "version": 1, "decisions": {}, "recipes": [{"name": "x", "decisions":'
        ' {"intent": "speed %s"}, "rule": {"shot_ratio": {"least": "%s"}}}]}'
    )
    for text in (house % (number, number), house.replace('"version": 1', '"version": %s') % (number, "1", "1")):
        sent = {"content": text, "headers": {"Content-Type": "application/json"}}
        got = browser.client.post(f"/api/shows/{show}/house.json", **sent)  # type: ignore[arg-type]
        assert 400 <= got.status_code < 500, got.text


def test_numbers_beyond_what_there_is(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, REELS)
    (row, *_) = browser.ledger(show).values()
    clip = f"/api/shows/{show}/clips/{row['id']}"
    large = 2**70
    for path in (
        f"{clip}/sheet.jpg?first=100000", f"{clip}/sheet.jpg?first={large}", f"{clip}/frames/{large}.jpg",
        f"/api/shows/{large}", f"/api/shows/{show}/clips/{large}/evidence", f"/api/shows/{show}/bench/{large}",
        f"/api/shows/{show}/sheet.json?taken={large}",
    ):  # fmt: skip
        assert 400 <= browser.client.get(path).status_code < 500, path
    for ids in ([large], [-large], [0]):
        got = browser.client.post(f"/api/shows/{show}/ledger/rows", json={"ids": ids})
        assert got.status_code < 500, got.text
    huge = {"raster": "16384x16384"}
    side = browser.client.post(f"/api/shows/{show}/bench/{row['id']}/side", json=huge)
    assert side.status_code < 500, side.text
    if side.status_code == 200:
        got = browser.client.get(f"/api/bench/{side.json()['token']}/frames/0?size=final")
        assert got.status_code < 500, got.text
