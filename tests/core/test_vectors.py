"""The golden cases, computed by separate code from the same equations."""

import json
from pathlib import Path
from typing import Any

import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.interchange.figures import Given

VECTORS = Path(__file__).parents[1] / "vectors"


def load(name: str) -> Any:
    return json.loads((VECTORS / name).read_text())


@pytest.mark.parametrize("case", load("rates.json")["valid"], ids=lambda case: case["text"])
def test_a_typed_rate_is_read_exactly(case: dict[str, str]) -> None:
    assert Rate.parse(case["text"]).exact == case["rate"]


@pytest.mark.parametrize("text", load("rates.json")["invalid"])
def test_what_is_no_rate_is_refused(text: str) -> None:
    with pytest.raises(RuleError):
        Rate.parse(text)


@pytest.mark.parametrize("case", load("timecode.json")["valid"], ids=lambda case: f"{case['rate']} {case['timecode']}")
def test_timecode_both_ways(case: dict[str, Any]) -> None:
    rate = Rate.parse(case["rate"])
    assert str(Timecode(case["frames"], rate, case["drop"])) == case["timecode"]
    assert Timecode.parse(case["timecode"], rate) == Timecode(case["frames"], rate, case["drop"])


@pytest.mark.parametrize(
    "case", load("timecode.json")["invalid"], ids=lambda case: f"{case['rate']} {case['timecode']}"
)
def test_what_is_no_timecode_is_refused(case: dict[str, str]) -> None:
    with pytest.raises(RuleError):
        Timecode.parse(case["timecode"], Rate.parse(case["rate"]))


@pytest.mark.parametrize("case", load("conform.json"), ids=lambda case: case["name"])
def test_conform_gives_the_golden_figures(case: dict[str, Any]) -> None:
    assert Given.model_validate(case["given"]).case().answer() == case["expect"]


@pytest.mark.parametrize("case", load("clocks.json") + load("curves.json"), ids=lambda case: case["name"])
def test_clocks_and_curves_give_the_golden_places(case: dict[str, Any]) -> None:
    answer = Given.model_validate(case["given"]).case().answer()
    assert {key: answer[key] for key in case["expect"]} == case["expect"]
