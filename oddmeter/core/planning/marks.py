"""Marks: what stands out about a clip on a timeline, with the words for each."""

from dataclasses import dataclass
from enum import StrEnum

from oddmeter.core.conform.routes import stacked
from oddmeter.core.decisions.treatment import SoundChoice, Takes
from oddmeter.core.evidence.facts import Timing
from oddmeter.core.evidence.identity import CHANGED
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.pictures.scan import Scan
from oddmeter.core.planning.plans import WAITING, Outcome, Refusal


class Mark(StrEnum):
    """What stands out about a clip on a timeline, the gravest first."""

    FAULT = "fault"
    REFUSED = "refused"
    REPLACED = "replaced"
    REMARK = "remark"
    DISPUTED = "disputed"
    STACKED = "stacked"
    UNDECIDED = "undecided"
    OFF_RATE = "off-rate"
    ODD = "odd"
    NEAR_MISS = "near-miss"
    REPEATS = "repeats"
    VARIABLE = "variable"
    INTERLACED = "interlaced"
    PULLDOWN = "pulldown"
    GRAPHICS = "graphics"
    REPEATS_INSIDE = "repeats-inside"
    BLENDED = "blended"
    FILM = "film"
    UNCONFIRMED = "unconfirmed"
    SILENT = "silent"
    ONLY_SOUND = "only-sound"
    SOUND_CHANGED = "sound-changed"
    OTHER_RASTER = "other-raster"
    CHANGED = "changed"


class Attention(StrEnum):
    """What a mark asks for: nothing, to be looked at, or to be mended."""

    NOTED = "noted"
    ASKS = "asks"
    FAULT = "fault"


@dataclass(frozen=True)
class MarkWords:
    """A mark as people read it: its word, a sentence, the shape drawn before it, and what it asks for. ``said`` is true
    where another column of the ledger says it already."""

    mark: Mark
    word: str
    meaning: str
    shape: str
    attention: Attention = Attention.NOTED
    said: bool = False


_N, _A, _F = Attention.NOTED, Attention.ASKS, Attention.FAULT
MARKS: tuple[MarkWords, ...] = (
    MarkWords(Mark.FAULT, "cannot be used", "The file cannot be used.", "✕", _F, True),
    MarkWords(Mark.REFUSED, "cannot be planned", "Its decisions cannot be applied to this clip.", "✕", _F, True),
    MarkWords(Mark.REPLACED, "changed file", CHANGED, "✕", _F),
    MarkWords(Mark.REMARK, "file trouble", "The file has a problem, but can be used.", "▲", _F),
    MarkWords(Mark.DISPUTED, "disputed", "The evidence disagrees. Settle it in Intake.", "≢", _A),
    MarkWords(Mark.STACKED, "stacked", "Both re-rated and given a speed. Is that intended?", "⧉", _A),
    MarkWords(Mark.UNDECIDED, "undecided", "No speed is set; it plays unchanged.", "○", _N, True),
    MarkWords(Mark.OFF_RATE, "off-rate",
              "Its rate differs from the timeline's, and no speed is set.", "≠", _N),
    MarkWords(Mark.ODD, "odd", "Uneven steps: motion judders.", "◆", _A),
    MarkWords(Mark.NEAR_MISS, "near miss", "Almost right: smooth, then a hiccup.", "≈", _A),
    MarkWords(Mark.REPEATS, "repeats", "Frames are shown more than once.", "⁞", _N, True),
    MarkWords(Mark.VARIABLE, "uneven times",
              "Its frames are unevenly spaced in time.", "∿", _N),
    MarkWords(Mark.INTERLACED, "interlaced", "Each frame holds two moments.", "☰", _N),
    MarkWords(Mark.PULLDOWN, "pulldown", "Pulldown is baked into the file.", "⋮", _A),
    MarkWords(Mark.GRAPHICS, "graphics over film",
              "Graphics at field rate over pulldown: only one of the two keeps its motion.", "▥", _A),
    MarkWords(Mark.REPEATS_INSIDE, "baked repeats", "Repeated frames are baked into the file.", "⁞", _A),
    MarkWords(Mark.BLENDED, "mixed fields",
              "Its fields were blended from another standard and cannot be separated cleanly.", "✕", _F),
    MarkWords(Mark.FILM, "film", "A film scan: its header says nothing about the camera.", "▤", _N, True),
    MarkWords(Mark.UNCONFIRMED, "unconfirmed", "A rate or the scan is only assumed. Confirm it in Intake.", "?",
              _N, True),
    MarkWords(Mark.SILENT, "no sound", "The file has no sound.", "∅", _N, True),
    MarkWords(Mark.ONLY_SOUND, "sound only", "There is no picture; it can be used as music.", "♫", _N),
    MarkWords(Mark.SOUND_CHANGED, "sound", "Sound runs at another speed than in the file.", "♪", _N),
    MarkWords(Mark.OTHER_RASTER, "other raster",
              "It keeps its own raster or pixel shape, also in made files.", "⊡", _N),
    MarkWords(Mark.CHANGED, "changed", "Its decisions changed since its file was made.", "↻", _A),
)  # fmt: skip
assert [words.mark for words in MARKS] == list(Mark)

TROUBLE = (Mark.FAULT, Mark.REFUSED, Mark.REPLACED, Mark.REMARK)
"""Marks of clips that something is wrong with."""
_SAID = {words.mark for words in MARKS if words.said}


LEDGER_FILTERS: tuple[tuple[str, str], ...] = (
    ("all", "All"),
    *((mark.value, mark.value.replace("-", " ").capitalize() if mark is not Mark.OFF_RATE else "Off-rate") for mark in (
        Mark.OFF_RATE, Mark.ODD, Mark.NEAR_MISS, Mark.OTHER_RASTER, Mark.STACKED, Mark.UNDECIDED, Mark.DISPUTED,
        Mark.UNCONFIRMED, Mark.INTERLACED, Mark.FILM, Mark.CHANGED,
    )),
    ("trouble", "Trouble"),
)  # fmt: skip
"""The questions that filters of the ledger answer: a mark, or ``all``, or ``trouble``."""


def marks_of(outcome: Outcome) -> tuple[Mark, ...]:
    """What stands out about a clip, the gravest first."""
    facts = outcome.known.facts
    if isinstance(outcome, Refusal):
        if outcome.code == WAITING:
            return ()
        if facts is not None and facts.only_sound:
            return (Mark.ONLY_SOUND,)
        return (Mark.FAULT if outcome.known.material is None else Mark.REFUSED,)
    assert facts is not None
    found, conformed = outcome.known.findings, outcome.conformed
    sound, kind = conformed.treatment.sound, conformed.frame_map.kind
    picks = conformed.treatment.between.takes is Takes.SHOWN  # what is mixed or built between frames has no steps
    off_rate = conformed.material.file_rate != conformed.timeline_rate
    checks = {
        Mark.REPLACED: outcome.clip.replaced,
        Mark.REMARK: bool(facts.remarks),
        Mark.DISPUTED: found.disputed,
        Mark.STACKED: stacked(conformed) is not None,
        Mark.UNDECIDED: not outcome.resolved.decided,
        Mark.OFF_RATE: off_rate and not outcome.resolved.decided,
        Mark.ODD: picks and kind is Kind.ODD,
        Mark.NEAR_MISS: picks and kind is Kind.NEAR,
        Mark.REPEATS: outcome.tally.repeated > 0,
        Mark.VARIABLE: facts.timing is Timing.VARIABLE,
        Mark.INTERLACED: facts.scan is Scan.INTERLACED,
        Mark.PULLDOWN: found.carries_pulldown,
        Mark.GRAPHICS: found.graphics,
        Mark.REPEATS_INSIDE: bool(found.repeats),
        Mark.BLENDED: found.blended,
        Mark.FILM: bool(found.gauge),
        Mark.UNCONFIRMED: not found.confirmed,
        Mark.SILENT: facts.sound is None,
        Mark.SOUND_CHANGED: sound is not SoundChoice.OFF and facts.sound is not None
        and not conformed.keeps_sound_speed,
        Mark.OTHER_RASTER: outcome.keeps_other_raster,
    }  # fmt: skip
    return tuple(mark for mark, holds in checks.items() if holds)


def notable(marks: tuple[Mark, ...]) -> tuple[Mark, ...]:
    """The marks that no other column of the ledger says already."""
    return tuple(mark for mark in marks if mark not in _SAID)
