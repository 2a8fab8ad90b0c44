"""Rules of recipes: each condition by itself, the first that fits, and how they are kept."""

from typing import Any

import pytest

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.recipes import Recipe, Rule, Traits, deciding
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

SPARKS = Traits(
    name="FD2_A01_sparks_240fps.mov", folder="Foundry/day 2", delivery="Foundry day 2", shot_rate=Rate.of(240),
    file_rate=Rate.parse("23.976"), timeline_rate=Rate.of(25), scan="progressive", tags=frozenset({"Bell"}),
    confirmed=True,
)  # fmt: skip
TAPE = Traits(name="tape.mov", scan="interlaced", pulldown="2:3", repeats="none", gauge="super8", file_rate=Rate.of(25))


@pytest.mark.parametrize(
    ("rule", "sparks", "tape"),
    [
        ({}, True, True),
        ({"shot_rate": {"least": "100"}}, True, False),
        ({"shot_rate": {"least": "100", "most": "239.9"}}, False, False),
        ({"file_rate": {"most": "23.98"}}, True, False),
        ({"shot_ratio": {"least": "2"}}, True, False),
        ({"file_ratio": {"least": "0.95", "most": "0.96"}}, True, False),
        ({"file_ratio": {"least": "1"}}, False, False),
        ({"scan": "interlaced"}, False, True),
        ({"pulldown": "any"}, False, True),
        ({"pulldown": "2:3:3:2"}, False, False),
        ({"pulldown": "none"}, True, False),
        ({"repeats": "none"}, True, True),
        ({"gauge": "super8"}, False, True),
        ({"delivery": "Foundry day 2"}, True, False),
        ({"folder": "DAY"}, True, False),
        ({"name": "*_240fps*"}, True, False),
        ({"name": "spark"}, True, False),
        ({"name": "spark?.mov"}, False, False),
        ({"tag": "Bell"}, True, False),
        ({"confirmed": False}, False, True),
        ({"confirmed": True, "scan": "interlaced"}, False, False),
    ],
)
def test_each_condition(rule: dict[str, Any], sparks: bool, tape: bool) -> None:
    read = Rule.parse(rule)
    assert (read.fits(SPARKS), read.fits(TAPE)) == (sparks, tape)
    assert Rule.parse(read.texts()) == read


def test_the_first_that_fits_decides_and_one_without_a_rule_never_does() -> None:
    by_hand = Recipe(1, "By hand", Decisions(), None)
    fast = Recipe(2, "Fast", Decisions(), Rule.parse({"shot_rate": {"least": "100"}}))
    rest = Recipe(3, "Rest", Decisions(), Rule())
    assert deciding([by_hand, fast, rest], SPARKS) is fast
    assert deciding([by_hand, rest, fast], SPARKS) is rest
    assert deciding([by_hand, fast, rest], TAPE) is rest
    assert deciding([by_hand], TAPE) is None


def test_a_rule_is_said_in_words() -> None:
    rule = Rule.parse({"shot_rate": {"least": "100"}, "scan": "interlaced", "confirmed": False})
    assert rule.words() == "shot at from 100, scan interlaced, not confirmed"
    assert Rule().words() == "every clip"


@pytest.mark.parametrize(
    "wrong",
    [
        {"colour": "blue"}, {"shot_rate": {}}, {"shot_rate": {"least": "fast"}}, {"file_ratio": {"least": "wide"}},
        {"shot_rate": {"least": "100", "most": "50"}}, {"name": " "},
    ],
)  # fmt: skip
def test_what_is_no_rule_is_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(RuleError):
        Rule.parse(wrong)
