"""The words that the page is given: complete, and each of them taken back as it was offered."""

from typing import Any

import pytest

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.parts import Part, parse_part, text_of
from oddmeter.core.decisions.recipes import ConditionKind
from oddmeter.core.decisions.treatment import NEEDS_VALUE, Intent
from oddmeter.core.evidence.logs import Column
from oddmeter.core.evidence.verdicts import Certainty, Question, parse_value
from oddmeter.core.maps.frame_map import FrameKind
from oddmeter.core.planning.marks import Mark
from tests.web.conftest import Browser


@pytest.fixture
def words(browser: Browser) -> dict[str, Any]:
    return browser.get("/api/vocabulary")  # type: ignore[no-any-return]


def test_everything_there_is_has_words(words: dict[str, Any]) -> None:
    for key, name, members in (
        ("parts", "part", Part), ("intents", "intent", Intent), ("marks", "mark", Mark),
        ("questions", "question", Question), ("certainties", "certainty", Certainty),
        ("precisions", "precision", Precision), ("frame_kinds", "kind", FrameKind),
        ("report_columns", "column", Column),
    ):  # fmt: skip
        assert sorted(one[name] for one in words[key]) == sorted(members), key
    assert {one["intent"] for one in words["intents"] if one["takes_value"]} == NEEDS_VALUE | {Intent.CURVE}


def test_every_choice_and_default_of_a_part_says_something_exact(words: dict[str, Any]) -> None:
    for part in words["parts"]:
        if part["part"] == "intent":
            continue
        texts = [choice["text"] for choice in part["choices"]]
        for text in (*texts, part["default"]):
            assert text_of(parse_part(Part(part["part"]), text)) == text
        assert part["default"] in texts if texts else part["example"]
    for question in words["questions"]:
        for answer in question["answers"]:
            assert parse_value(Question(question["question"]), answer["text"]) == answer["text"]


def test_every_timeline_to_start_from_makes_a_show(browser: Browser, words: dict[str, Any]) -> None:
    for offered in words["timelines"]:
        made = browser.send("POST", "/api/shows", {"name": offered["label"], "timeline": offered["timeline"]})
        (timeline,) = browser.get(f"/api/shows/{made['id']}")["timelines"]
        kept = {key: timeline[key] for key in offered["timeline"] if key != "rate"}
        assert {**kept, "rate": timeline["rate"]["spoken"]} == offered["timeline"]
    labels = [offered["label"] for offered in words["timelines"]]
    assert len(set(labels)) == len(labels) >= 8


def test_every_example_that_is_offered_is_taken(browser: Browser, words: dict[str, Any]) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Foundry day 2")
    row = next(iter(browser.ledger(show).values()))
    clips = [{"id": row["id"], "revision": row["revision"]}]
    for intent in words["intents"]:
        offered = (
            [one.strip() for one in intent["example"].split(",")] + [intent["first"]] if intent["example"] else [None]
        )
        for value in offered:
            asked = {"clips": clips, "intent": {"intent": intent["intent"], "value": value}}
            assert browser.send("POST", f"/api/shows/{show}/preview", asked)["title"]


def test_every_filter_group_and_condition_is_one_that_the_ledger_knows(browser: Browser, words: dict[str, Any]) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Foundry day 2")
    everything = browser.get(f"/api/shows/{show}/ledger")
    for choice in words["filters"]:
        assert set(browser.get(f"/api/shows/{show}/ledger?mark={choice['text']}")["ids"]) <= set(everything["ids"])
    for choice in words["groups"]:
        grouped = browser.get(f"/api/shows/{show}/ledger?group={choice['text']}")
        assert sum(group["count"] for group in grouped["groups"]) == everything["total"] > 0
    assert {one["kind"] for one in words["conditions"]} <= set(ConditionKind)
