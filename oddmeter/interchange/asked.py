"""What ``oddmeter conform`` is asked for: typed options as the values that planning takes."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting, Part, Reading
from oddmeter.core.decisions.treatment import Fields, Framing, Intent, Takes
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.clips import Clip, known_of
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.plans import Outcome, plan
from oddmeter.core.planning.timelines import Timeline, TimelineSettings

_CALLER = "the command line"


@dataclass(frozen=True)
class ConformAsked:
    """Decisions on one clip, what the caller says about it, and the timeline; ``raster`` where it was named."""

    decisions: Decisions
    words: tuple[Word, ...]
    timeline: Timeline
    raster: bool

    @property
    def looks_at_all(self) -> bool:
        """True where every frame of the pictures has to be looked at first."""
        fields, between = self.decisions.fields, self.decisions.between
        return fields is not Fields.WHOLE or (between is None or between.takes is not Takes.SHOWN)

    def outcome(self, clip: Clip) -> Outcome:
        """The clip planned as asked."""
        decided = replace(clip.decided, decisions=self.decisions)
        return plan(known_of(replace(clip, decided=decided)), House(), self.timeline)

    def canvas(self, facts: Facts) -> Canvas | None:
        """The canvas of the made file; None for the clip's own raster, progressive."""
        settings = self.timeline.settings
        if self.raster:
            return Canvas(settings.width, settings.height, settings.pixel_aspect, settings.scan)
        if settings.scan is TimelineScan.PROGRESSIVE:
            return None
        return Canvas(facts.width, facts.height, facts.pixel_aspect, settings.scan)


def asked_for(
    intent: Intent, value: str | None = None, *, timeline: str, drop_frame: bool = False, shot: str | None = None,
    file_rate: str | None = None, read_rate: str | None = None, raster: str | None = None, fit: str | None = None,
    scan: str = "progressive", sound_rate: int | None = None, parts: Mapping[Part, str] | None = None,
    curve: Curve | None = None,
) -> ConformAsked:  # fmt: skip
    """The options as typed; raises ``RuleError`` where one says nothing."""
    framing = fit or (Framing.INSIDE if raster else Framing.KEEP)
    decisions = Decisions.parse({part.value: text for part, text in {**(parts or {}), Part.FRAMING: framing}.items()})
    width, height, shape = _raster(raster)
    if raster is None and framing != Framing.KEEP:
        raise RuleError("--fit needs --raster.", "raster")
    rate = Rate.parse(timeline)
    Timecode(0, rate, drop_frame)
    if intent is Intent.CURVE and curve is None and value is not None:
        curve, value = Curve.parse(value), None
    number = parse_fraction(value) if value is not None else Fraction(1) if intent is Intent.SPEED else None
    reading = Reading(Rate.parse(read_rate)) if read_rate else None
    said = ((Question.SHOT_RATE, shot), (Question.FILE_RATE, file_rate))
    settings = TimelineSettings("", rate, width, height, shape, _scan(scan), drop_frame, sound_rate or 48_000)
    return ConformAsked(
        replace(decisions, intent=IntentSetting(intent, number, curve), reading=reading),
        tuple(Word(question, Rate.parse(text).exact, _CALLER) for question, text in said if text),
        Timeline(0, settings, 0), raster is not None,
    )  # fmt: skip


def _scan(text: str) -> TimelineScan:
    try:
        return TimelineScan(text)
    except ValueError:
        raise RuleError(f"--scan takes progressive, upper or lower; not “{text}”.", "scan") from None


def _raster(text: str | None) -> tuple[int, int, Fraction]:
    """Width, height and pixel shape in ``720x576@16/15``."""
    if text is None:
        return 1920, 1080, Fraction(1)
    size, _, shape = text.lower().replace("×", "x").partition("@")
    width, _, height = size.partition("x")
    if not (width.isdecimal() and height.isdecimal() and 16 <= int(width) <= 32768 and 16 <= int(height) <= 32768):
        raise RuleError(f"“{text}” is not a raster. Type, for example, 1920x1080 or 720x576@16/15.", "raster")
    return int(width), int(height), parse_fraction(shape) if shape else Fraction(1)
