"""What the evidence about a clip comes to, in short: all that planning asks of it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.verdicts import NONE, Certainty, Question, Verdict
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.pictures.scan import FieldOrder, Scan

SETTLING = (Question.SHOT_RATE, Question.FILE_RATE, Question.SCAN)
"""The questions that have to be settled before a plan is more than a guess."""


@dataclass(frozen=True)
class Findings:
    """The verdicts in short. ``motion_rate`` is the shot rate counted in frames of the file; ``pulldown``,
    ``repeats`` and ``gauge`` are empty where there is none; ``graphics`` is true where some lie above pulldown;
    ``states`` say how each answer stands; ``confirmed`` where nothing in ``SETTLING`` is left to settle."""

    shot_rate: Rate | None
    shot_state: Certainty
    motion_rate: Rate | None
    scan: str
    pulldown: str
    repeats: str
    gauge: str
    blended: bool
    graphics: bool
    states: Mapping[Question, Certainty]
    confirmed: bool

    @property
    def disputed(self) -> bool:
        """True where the evidence is at odds over any question."""
        return Certainty.DISPUTED in self.states.values()

    @property
    def carries_pulldown(self) -> bool:
        """True where pictures are spread over the fields of others."""
        return self.pulldown in ("2:3", "2:3:3:2")


def settled(facts: Facts, found: Mapping[Question, Verdict]) -> Facts:
    """The facts of a file as the verdicts have them: its rate, scan and field order."""
    rate = found[Question.FILE_RATE].rate or facts.file_rate
    scan = Scan(found[Question.SCAN].value or Scan.UNKNOWN)
    said = found[Question.FIELD_ORDER].value
    order = FieldOrder(said) if said and scan is Scan.INTERLACED else None
    if (rate, scan, order) == (facts.file_rate, facts.scan, facts.field_order):
        return facts
    return replace(facts, file_rate=rate, scan=scan, field_order=order)


def findings_of(
    found: Mapping[Question, Verdict], facts: Facts | None, picture: PictureReport | None, motion_rate: Rate | None
) -> Findings:
    """The verdicts of one clip in short."""
    shot = found[Question.SHOT_RATE]
    return Findings(
        shot_rate=shot.rate,
        shot_state=shot.state,
        motion_rate=motion_rate,
        scan=facts.scan.value if facts else "",
        pulldown=_some(found[Question.PULLDOWN]),
        repeats=_some(found[Question.REPEATS]),
        gauge=_some(found[Question.GAUGE]),
        blended=picture is not None and picture.blended,
        graphics=picture is not None and bool(picture.beneath_graphics),
        states=_shared(tuple(found[question].state for question in Question)),
        confirmed=not any(not found[question].certain for question in SETTLING if found[question].value),
    )


@cache
def _shared(states: tuple[Certainty, ...]) -> Mapping[Question, Certainty]:
    """How the answers stand, the same object for all clips where they stand alike."""
    return dict(zip(Question, states, strict=True))


def _some(verdict: Verdict) -> str:
    return verdict.value if verdict.value not in (None, NONE) else ""
