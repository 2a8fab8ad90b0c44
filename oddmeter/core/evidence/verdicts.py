"""Evidence and verdicts: what speaks for what about a clip, and what is therefore taken as true.

A claim is what one source says to one question. A verdict is drawn from all claims to a question by the rules of
``verdict``; it always names where it comes from, and never looks more certain than it is.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import IntEnum, StrEnum
from fractions import Fraction
from functools import lru_cache

from oddmeter.core.evidence.film import GAUGES
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan


class Question(StrEnum):
    """What is asked about every clip."""

    SHOT_RATE = "shot_rate"
    FILE_RATE = "file_rate"
    SCAN = "scan"
    FIELD_ORDER = "field_order"
    PULLDOWN = "pulldown"
    REPEATS = "repeats"
    GAUGE = "gauge"


class Source(StrEnum):
    """Where a claim comes from, in the order in which evidence is shown."""

    HEADER = "header"
    TIMESTAMPS = "timestamps"
    PICTURE = "picture"
    LOG = "log"
    NAME = "name"
    GAUGE = "gauge"
    PERSON = "person"


class Strength(IntEnum):
    """How much a claim weighs. ``ASSUMED`` is what holds as long as nothing else is known, ``HINTED`` a name or a
    habit, ``STATED`` a flag or a number in a header, ``REPORTED`` written down by whoever was there, ``MEASURED``
    seen in the file itself, ``SAID`` a person's word."""

    ASSUMED = 0
    HINTED = 1
    STATED = 2
    REPORTED = 3
    MEASURED = 4
    SAID = 5


class Certainty(StrEnum):
    """How a verdict stands."""

    SETTLED = "settled"
    AGREED = "agreed"
    ASSUMED = "assumed"
    DISPUTED = "disputed"
    UNKNOWN = "unknown"


RATES = (Question.SHOT_RATE, Question.FILE_RATE)
NONE = "none"
"""The value of pulldown or repeats where there is none."""


@dataclass(frozen=True)
class Claim:
    """What one source says: ``value`` exact (a rate as ``"a/b"``), ``words`` as a person reads it."""

    question: Question
    source: Source
    strength: Strength
    value: str
    words: str


@dataclass(frozen=True)
class Verdict:
    """What is taken as true to one question: the value, None where nothing is known; where it comes from; how it
    stands; and why, in a sentence."""

    question: Question
    value: str | None
    source: Source | None
    state: Certainty
    why: str
    claims: tuple[Claim, ...]

    @property
    def certain(self) -> bool:
        """True where nothing is left to settle."""
        return self.state in (Certainty.SETTLED, Certainty.AGREED)

    @property
    def against(self) -> tuple[Claim, ...]:
        """The claims that say otherwise, other than what was only assumed."""
        deciding = next((claim for claim in self.claims if claim.value == self.value), None)
        if deciding is None:
            return ()
        return tuple(c for c in self.claims if c.strength > Strength.ASSUMED and not agree(c, deciding))

    @property
    def rate(self) -> Rate | None:
        """The value of a question about a rate."""
        return Rate.exactly(self.value) if self.value is not None and self.question in RATES else None


def verdict(question: Question, claims: Iterable[Claim]) -> Verdict:
    """Draw the verdict from all claims to a question. The rules, the first that fits:

    1. A person's word stands above all.
    2. Nothing claimed: unknown.
    3. The strongest claim gives the value, but a hint never overrides what is assumed without it.
    4. Another claim, be it a hint, that says otherwise makes it disputed.
    5. What was measured, or reported by whoever was there, is agreed; anything weaker is assumed.
    """
    own = tuple(sorted((c for c in claims if c.question is question), key=lambda c: -c.strength))
    said = next((claim for claim in own if claim.strength is Strength.SAID), None)
    if said is not None:
        return Verdict(question, said.value, said.source, Certainty.SETTLED, f"Settled by {said.words}.", own)
    if not own:
        return Verdict(question, None, None, Certainty.UNKNOWN, "Nothing speaks to it.", own)
    deciding = next((claim for claim in own if claim.strength is not Strength.HINTED), own[0])
    against = [claim for claim in own if claim.strength > Strength.ASSUMED and not agree(claim, deciding)]
    if against:
        why = f"{deciding.words}, but {' and '.join(claim.words for claim in against)}."
        return Verdict(question, deciding.value, deciding.source, Certainty.DISPUTED, why, own)
    if deciding.strength >= Strength.REPORTED:
        backing = [c for c in own if c is not deciding and c.strength > Strength.ASSUMED]
        why = "; ".join(claim.words for claim in (deciding, *backing)) + "."
        return Verdict(question, deciding.value, deciding.source, Certainty.AGREED, why, own)
    if deciding.strength is Strength.HINTED:
        return Verdict(question, deciding.value, deciding.source, Certainty.ASSUMED, f"Only {deciding.words}.", own)
    return Verdict(question, deciding.value, deciding.source, Certainty.ASSUMED, f"{deciding.words}.", own)


def verdicts(claims: Iterable[Claim]) -> Mapping[Question, Verdict]:
    """The verdicts to all questions; the same object for clips of which the same is claimed."""
    return _drawn(tuple(claims))


@lru_cache(maxsize=8_192)
def _drawn(claims: tuple[Claim, ...]) -> Mapping[Question, Verdict]:
    own: dict[Question, list[Claim]] = {question: [] for question in Question}
    for claim in claims:
        own[claim.question].append(claim)
    return {question: verdict(question, known) for question, known in own.items()}


def agree(one: Claim, other: Claim) -> bool:
    """True where two claims say the same. Of rates, a hint counts as the same as its 1000/1001 sibling: nobody
    writes 23.976 into every name."""
    if one.value == other.value:
        return True
    if one.question not in RATES or Strength.HINTED not in (one.strength, other.strength):
        return False
    a, b = Fraction(one.value), Fraction(other.value)
    return abs(a - b) <= max(a, b) / 1000


ANSWERS: dict[Question, tuple[str, ...]] = {
    Question.SCAN: (Scan.PROGRESSIVE.value, Scan.INTERLACED.value),
    Question.FIELD_ORDER: tuple(order.value for order in FieldOrder),
    Question.PULLDOWN: (NONE, "2:3", "2:3:3:2", "2:2"),
    Question.GAUGE: tuple(gauge.id for gauge in GAUGES),
}
"""What can be answered to the questions that are not about a rate."""


def parse_value(question: Question, text: str) -> str:
    """What a person typed or chose as the answer to a question, exact; raises ``RuleError`` where it is none."""
    typed = text.strip().lower()
    if question in RATES:
        return Rate.parse(typed).exact
    if question is Question.REPEATS and typed not in ("", NONE):
        return Rate.parse(typed).exact
    allowed = (NONE,) if question is Question.REPEATS else ANSWERS[question]
    if typed not in allowed:
        raise RuleError(f"“{text.strip()}” is not an answer here. Use {', '.join(allowed)}.", "value")
    return typed
