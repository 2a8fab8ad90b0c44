"""Recipes: named decisions with a rule that says which clips they fit.

The rule looks at verdicts and at where a clip came from. Recipes have an order; the first whose rule fits decides.
A new kind of condition is a field of ``Rule`` with its own line in ``Rule.checks`` and in ``CONDITIONS``.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from enum import StrEnum
from fnmatch import fnmatchcase
from fractions import Fraction
from typing import Any

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.evidence.verdicts import ANSWERS, NONE, Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate

ANY = "any"


@dataclass(frozen=True)
class Traits:
    """What a rule can ask of a clip. Rates are None, and texts empty, where nothing is known."""

    name: str = ""
    folder: str = ""
    delivery: str = ""
    shot_rate: Rate | None = None
    file_rate: Rate | None = None
    timeline_rate: Rate | None = None
    scan: str = ""
    pulldown: str = ""
    repeats: str = ""
    gauge: str = ""
    tags: frozenset[str] = frozenset()
    confirmed: bool = False


@dataclass(frozen=True)
class Range:
    """From one value to another, both included; None is open."""

    least: Fraction | None = None
    most: Fraction | None = None

    def __post_init__(self) -> None:
        if self.least is not None and self.most is not None and self.least > self.most:
            raise RuleError("A range goes from a lower to a higher value.", "rule")

    def holds(self, value: Fraction | None) -> bool:
        """True where the value is known and lies within."""
        if value is None:
            return False
        return (self.least is None or value >= self.least) and (self.most is None or value <= self.most)

    def words(self) -> str:
        """``"100 to 240"``, ``"from 100"``, ``"up to 30"``."""
        least, most = (None if v is None else _plain(v) for v in (self.least, self.most))
        if least is not None and most is not None:
            return least if least == most else f"{least} to {most}"
        return f"from {least}" if least is not None else f"up to {most}"


class ConditionKind(StrEnum):
    """What a condition of a rule takes: a range, one of a few values, a delivery, a tag, or words to be found."""

    RANGE = "range"
    CHOICE = "choice"
    DELIVERY = "delivery"
    TAG = "tag"
    TEXT = "text"


@dataclass(frozen=True)
class Condition:
    """A condition of a rule as people meet it: the field of ``Rule``, what it is called, how a sentence speaks of it,
    what it takes, its choices, each exact and in words, or an example."""

    key: str
    name: str
    phrase: str
    kind: ConditionKind
    choices: tuple[tuple[str, str], ...] = ()
    example: str = ""


_SOME = ((ANY, ANY), (NONE, NONE))
CONDITIONS: tuple[Condition, ...] = (
    Condition("shot_rate", "shot rate", "shot at", ConditionKind.RANGE),
    Condition("file_rate", "file rate", "file at", ConditionKind.RANGE),
    Condition("shot_ratio", "shot ÷ timeline", "shot ÷ timeline", ConditionKind.RANGE),
    Condition("file_ratio", "file ÷ timeline", "file ÷ timeline", ConditionKind.RANGE),
    Condition("scan", "scan", "scan", ConditionKind.CHOICE, tuple((v, v) for v in ANSWERS[Question.SCAN])),
    Condition(
        "pulldown", "pulldown", "pulldown", ConditionKind.CHOICE,
        (*_SOME, *((v, v) for v in ANSWERS[Question.PULLDOWN] if v != NONE)),
    ),
    Condition("repeats", "baked repeats", "repeats", ConditionKind.CHOICE, _SOME),
    Condition("gauge", "film gauge", "gauge", ConditionKind.CHOICE, _SOME),
    Condition("confirmed", "confirmed", "", ConditionKind.CHOICE, (("true", "yes"), ("false", "no"))),
    Condition("delivery", "delivery", "delivery", ConditionKind.DELIVERY),
    Condition("tag", "tag", "tag", ConditionKind.TAG),
    Condition("name", "name holds", "name", ConditionKind.TEXT, example="spark, or *_150fps*"),
    Condition("folder", "folder holds", "folder", ConditionKind.TEXT, example="day 2"),
)  # fmt: skip


@dataclass(frozen=True)
class Rule:
    """Which clips a recipe fits: those of which every condition given is true.

    ``shot_ratio`` and ``file_ratio`` are rates divided by the timeline's. ``name`` and ``folder`` take ``*`` and
    ``?``, or plain text that is to be found anywhere in them. ``gauge``, ``pulldown`` and ``repeats`` take a value,
    ``any`` or ``none``.
    """

    shot_rate: Range | None = None
    file_rate: Range | None = None
    shot_ratio: Range | None = None
    file_ratio: Range | None = None
    scan: str | None = None
    pulldown: str | None = None
    repeats: str | None = None
    gauge: str | None = None
    delivery: str | None = None
    folder: str | None = None
    name: str | None = None
    tag: str | None = None
    confirmed: bool | None = None

    def checks(self, clip: Traits) -> Iterable[bool]:
        """Each condition given, and whether it holds."""
        if self.shot_rate:
            yield self.shot_rate.holds(_value(clip.shot_rate))
        if self.file_rate:
            yield self.file_rate.holds(_value(clip.file_rate))
        if self.shot_ratio:
            yield self.shot_ratio.holds(_ratio(clip.shot_rate, clip.timeline_rate))
        if self.file_ratio:
            yield self.file_ratio.holds(_ratio(clip.file_rate, clip.timeline_rate))
        if self.scan is not None:
            yield clip.scan == self.scan
        for wanted, found in ((self.pulldown, clip.pulldown), (self.repeats, clip.repeats), (self.gauge, clip.gauge)):
            if wanted is not None:
                inside = found not in ("", NONE)
                yield inside if wanted == ANY else not inside if wanted == NONE else found == wanted
        if self.delivery is not None:
            yield clip.delivery == self.delivery
        for pattern, text in ((self.folder, clip.folder), (self.name, clip.name)):
            if pattern is not None:
                yield _like(pattern, text)
        if self.tag is not None:
            yield self.tag in clip.tags
        if self.confirmed is not None:
            yield clip.confirmed is self.confirmed

    def fits(self, clip: Traits) -> bool:
        """True where every condition holds; a rule without conditions fits everything."""
        return all(self.checks(clip))

    def words(self) -> str:
        """The rule as a sentence's end: ``"shot from 100, interlaced"``."""
        said = [
            f"{condition.phrase} {value.words() if isinstance(value, Range) else value}"
            for condition in CONDITIONS
            if condition.phrase and (value := getattr(self, condition.key)) is not None
        ]
        if self.confirmed is not None:
            said.append("confirmed" if self.confirmed else "not confirmed")
        return ", ".join(said) or "every clip"

    def texts(self) -> dict[str, Any]:
        """The rule as plain values, for a store or a file."""
        return {name: _out(value) for name, value in self._given()}

    @staticmethod
    def parse(texts: dict[str, Any]) -> "Rule":
        """From ``texts``; raises ``RuleError`` where a condition is not known or says nothing."""
        known = {field.name for field in fields(Rule)}
        if strange := set(texts) - known:
            raise RuleError(f"“{min(strange)}” is not a condition of a rule.", "rule")
        return Rule(**{name: _in(name, value) for name, value in texts.items() if value is not None})

    def _given(self) -> Iterable[tuple[str, Any]]:
        return ((f.name, value) for f in fields(self) if (value := getattr(self, f.name)) is not None)


@dataclass(frozen=True)
class Recipe:
    """A named treatment and the rule for it; None where it is only ever put on clips by hand."""

    id: int
    name: str
    decisions: Decisions
    rule: Rule | None


def deciding(recipes: Sequence[Recipe], clip: Traits) -> Recipe | None:
    """The first recipe in order whose rule fits the clip."""
    return next((recipe for recipe in recipes if recipe.rule is not None and recipe.rule.fits(clip)), None)


assert {condition.key for condition in CONDITIONS} == {field.name for field in fields(Rule)}

_RANGES = {"shot_rate": True, "file_rate": True, "shot_ratio": False, "file_ratio": False}


def _in(name: str, value: Any) -> Any:
    if name in _RANGES:
        least, most = ((_bound(value.get(end), _RANGES[name])) for end in ("least", "most"))
        if least is None and most is None:
            raise RuleError("Give the range at least one end.", "rule")
        return Range(least, most)
    if name == "confirmed":
        return bool(value)
    text = str(value).strip()
    if not text or len(text) > 200:
        raise RuleError("Give this condition a value.", "rule")
    return text


def _bound(typed: str | None, is_rate: bool) -> Fraction | None:
    if typed is None or not typed.strip():
        return None
    return Rate.parse(typed).value if is_rate else parse_fraction(typed)


def _out(value: Any) -> Any:
    if isinstance(value, Range):
        ends = {"least": value.least, "most": value.most}
        return {end: fraction_text(bound) for end, bound in ends.items() if bound is not None}
    return value


def _plain(value: Fraction) -> str:
    try:
        return Rate(value).spoken
    except RuleError:
        return decimal_text(value, 3)


def _value(rate: Rate | None) -> Fraction | None:
    return rate.value if rate else None


def _ratio(rate: Rate | None, timeline: Rate | None) -> Fraction | None:
    return rate.value / timeline.value if rate and timeline else None


def _like(pattern: str, text: str) -> bool:
    wanted, whole = pattern.lower(), text.lower()
    return fnmatchcase(whole, wanted) if "*" in wanted or "?" in wanted else wanted in whole
