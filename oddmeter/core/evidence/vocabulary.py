"""The words of evidence: what questions, sources and standings of verdicts are called, and how values are said."""

from dataclasses import dataclass

from oddmeter.core.evidence.film import GAUGES, gauge
from oddmeter.core.evidence.verdicts import ANSWERS, NONE, RATES, Certainty, Question, Source
from oddmeter.core.numbers.rates import Rate


@dataclass(frozen=True)
class QuestionWords:
    """How a question is spoken of: its name, and the answers to choose from, each exact and as it is said; none where a
    rate is typed."""

    question: Question
    name: str

    @property
    def answers(self) -> tuple[tuple[str, str], ...]:
        """The answers to choose from."""
        return tuple((value, spoken(self.question, value)) for value in ANSWERS.get(self.question, ()))


@dataclass(frozen=True)
class CertaintyWords:
    """How a verdict's standing is spoken of: a word, the shape drawn before it, a note for a rate, and whether it asks
    for attention or is sure."""

    certainty: Certainty
    word: str
    shape: str
    note: str
    sure: bool = False
    asks: bool = False


QUESTIONS: tuple[QuestionWords, ...] = (
    QuestionWords(Question.SHOT_RATE, "Shot rate"),
    QuestionWords(Question.FILE_RATE, "File rate"),
    QuestionWords(Question.SCAN, "Scan"),
    QuestionWords(Question.FIELD_ORDER, "Field order"),
    QuestionWords(Question.PULLDOWN, "Pulldown"),
    QuestionWords(Question.REPEATS, "Repeats"),
    QuestionWords(Question.GAUGE, "Gauge"),
)
SOURCES: tuple[tuple[Source, str], ...] = (
    (Source.HEADER, "Header"),
    (Source.TIMESTAMPS, "Timestamps"),
    (Source.PICTURE, "Picture"),
    (Source.LOG, "Log"),
    (Source.NAME, "Name"),
    (Source.PERSON, "Person"),
)
"""The sources that have a column of their own; a gauge's habit stands beside what the header says."""
CERTAINTIES: tuple[CertaintyWords, ...] = (
    CertaintyWords(Certainty.SETTLED, "settled", "●", "settled by a person", sure=True),
    CertaintyWords(Certainty.AGREED, "agreed", "◉", "reported or measured", sure=True),
    CertaintyWords(Certainty.ASSUMED, "assumed", "○", "only assumed"),
    CertaintyWords(Certainty.DISPUTED, "disputed", "≢", "disputed: see Intake", asks=True),
    CertaintyWords(Certainty.UNKNOWN, "not known", "–", "not known"),
)
assert [words.question for words in QUESTIONS] == list(Question)
assert [words.certainty for words in CERTAINTIES] == list(Certainty)
_NAMES = {words.question: words.name for words in QUESTIONS}


def question_name(question: Question) -> str:
    """What a question asks about: ``Shot rate``."""
    return _NAMES[question]


def spoken(question: Question, value: str | None) -> str:
    """A verdict's value as people say it."""
    if value is None:
        return "not known"
    if question in RATES:
        return Rate.parse(value).spoken
    if question is Question.REPEATS:
        return NONE if value == NONE else f"{Rate.parse(value)} unique"
    if question is Question.FIELD_ORDER:
        return f"{value} first"
    if question is Question.GAUGE and value in {known.id for known in GAUGES}:
        return gauge(value).name
    return value
