"""The vocabulary: every word, choice, example and default that the page shows, at one address."""

from collections.abc import Iterable

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.recipes import CONDITIONS, ConditionKind
from oddmeter.core.decisions.treatment import Between, Intent
from oddmeter.core.decisions.vocabulary import INTENTS, PARTS
from oddmeter.core.evidence.logs import COLUMN_NAMES, Column
from oddmeter.core.evidence.verdicts import Certainty, Question, Source
from oddmeter.core.evidence.vocabulary import CERTAINTIES, QUESTIONS, SOURCES
from oddmeter.core.maps.frame_map import FRAME_KINDS, FrameKind
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.pictures.scan import TIMELINE_SCANS
from oddmeter.core.planning.marks import LEDGER_FILTERS, MARKS, Attention, Mark
from oddmeter.core.planning.timelines import USUAL, TimelineSettings
from oddmeter.interchange.formats import FORMATS
from oddmeter.web.arrangement import GROUPS
from oddmeter.web.stops.brief.shows import TimelineIn

router = APIRouter(prefix="/api", tags=["brief"])


class ChoiceView(BaseModel):
    """A value to choose: its exact text, and what it is called."""

    text: str
    label: str


class PartWordsView(BaseModel):
    """A part of a treatment: its name, the choices it has, or an example of what is typed; what holds where nobody
    decides, exact; the way of in-betweens that alone it concerns; whether it concerns one clip alone."""

    part: Part
    name: str
    choices: list[ChoiceView]
    example: str
    default: str
    only_for: Between | None
    of_one_clip: bool


class IntentWordsView(BaseModel):
    """An intent: its name, whether it takes a value, an example of one, and what is offered first."""

    intent: Intent
    name: str
    takes_value: bool
    example: str
    first: str


class MarkWordsView(BaseModel):
    """A mark: its word, what it means, the shape drawn before it, and what it asks for."""

    mark: Mark
    word: str
    meaning: str
    shape: str
    attention: Attention


class QuestionWordsView(BaseModel):
    """A question about every clip: its name, and the answers to choose from; none where one is typed."""

    question: Question
    name: str
    answers: list[ChoiceView]


class SourceWordsView(BaseModel):
    """A source of evidence that has a column of its own."""

    source: Source
    name: str


class CertaintyWordsView(BaseModel):
    """How a verdict stands: a word, a shape, a note beside a rate, whether it is sure, and whether it asks for
    attention."""

    certainty: Certainty
    word: str
    shape: str
    note: str
    sure: bool
    asks: bool


class PrecisionWordsView(BaseModel):
    """A precision that receiving systems may take."""

    precision: Precision
    label: str


class ConditionWordsView(BaseModel):
    """A condition of a recipe's rule: its name, what it takes, its choices or an example."""

    key: str
    name: str
    kind: ConditionKind
    choices: list[ChoiceView]
    example: str


class ReportColumnView(BaseModel):
    """What a column of a camera or scan report can mean."""

    column: Column
    name: str


class FrameKindView(BaseModel):
    """What a timeline frame can be, and the shape for it."""

    kind: FrameKind
    shape: str


class UsualTimelineView(BaseModel):
    """A timeline to start from, as it would be set by hand, and what it is called."""

    label: str
    timeline: TimelineIn


class ListFormatView(BaseModel):
    """A format of lists: its ending without the dot, what it is called, whether it is read, whether it can list made
    files, and whether it can write changing speeds as chains of events."""

    ending: str
    name: str
    reads: bool
    of_made: bool
    in_chains: bool


class Vocabulary(BaseModel):
    """All words of the page that are the job's."""

    parts: list[PartWordsView]
    intents: list[IntentWordsView]
    marks: list[MarkWordsView]
    filters: list[ChoiceView]
    groups: list[ChoiceView]
    questions: list[QuestionWordsView]
    sources: list[SourceWordsView]
    certainties: list[CertaintyWordsView]
    precisions: list[PrecisionWordsView]
    conditions: list[ConditionWordsView]
    frame_kinds: list[FrameKindView]
    scans: list[ChoiceView]
    timelines: list[UsualTimelineView]
    report_columns: list[ReportColumnView]
    list_formats: list[ListFormatView]


@router.get("/vocabulary")
def vocabulary() -> Vocabulary:
    """Every word, choice, example and default that the page shows; the same for all shows."""
    return Vocabulary(
        parts=[
            PartWordsView(
                part=part.part, name=part.name, choices=_choices((c.text, c.label) for c in part.choices),
                example=part.example, default=part.default, only_for=part.only_for, of_one_clip=part.of_one_clip,
            )
            for part in PARTS
        ],
        intents=[IntentWordsView.model_validate(intent, from_attributes=True) for intent in INTENTS],
        marks=[MarkWordsView.model_validate(mark, from_attributes=True) for mark in MARKS],
        filters=_choices(LEDGER_FILTERS),
        groups=_choices(GROUPS),
        questions=[
            QuestionWordsView(question=words.question, name=words.name, answers=_choices(words.answers))
            for words in QUESTIONS
        ],
        sources=[SourceWordsView(source=source, name=name) for source, name in SOURCES],
        certainties=[CertaintyWordsView.model_validate(certainty, from_attributes=True) for certainty in CERTAINTIES],
        precisions=[PrecisionWordsView(precision=precision, label=precision.label) for precision in Precision],
        conditions=[
            ConditionWordsView(
                key=condition.key, name=condition.name, kind=condition.kind, choices=_choices(condition.choices),
                example=condition.example,
            )
            for condition in CONDITIONS
        ],
        frame_kinds=[FrameKindView(kind=kind, shape=shape) for kind, shape in FRAME_KINDS.items()],
        scans=_choices(TIMELINE_SCANS),
        timelines=[_usual(usual) for usual in USUAL],
        report_columns=[ReportColumnView(column=column, name=name) for column, name in COLUMN_NAMES.items()],
        list_formats=[
            ListFormatView(
                ending=known.ending.removeprefix("."), name=known.name, reads=known.read is not None,
                of_made=known.of_made, in_chains=known.in_chains,
            )
            for known in FORMATS
        ],
    )  # fmt: skip


def _usual(settings: TimelineSettings) -> UsualTimelineView:
    timeline = TimelineIn(
        name="Main", rate=settings.rate.spoken, width=settings.width, height=settings.height,
        pixel_aspect=fraction_text(settings.pixel_aspect), scan=settings.scan, drop_frame=settings.drop_frame,
        sound_rate=settings.sound_rate,
    )  # fmt: skip
    return UsualTimelineView(label=settings.name, timeline=timeline)


def _choices(pairs: Iterable[tuple[str, str]]) -> list[ChoiceView]:
    return [ChoiceView(text=text, label=label) for text, label in pairs]
