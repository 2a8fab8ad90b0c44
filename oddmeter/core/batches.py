"""Whole batches: a clip's plan with what stands out about it, and the totals of many."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.cadence import FrameMap, Kind
from oddmeter.core.conform import Conform, Material, conform
from oddmeter.core.evidence import NONE, Question, State, Verdict
from oddmeter.core.facts import Facts, Scan, Timing
from oddmeter.core.picture import PictureReport
from oddmeter.core.rates import Rate
from oddmeter.core.treatments import AS_IT_STANDS, Intent, Treatment


class Mark(StrEnum):
    """What stands out about a clip on a timeline."""

    FAULT = "fault"
    REMARK = "remark"
    DISPUTED = "disputed"
    UNDECIDED = "undecided"
    OFF_RATE = "off-rate"
    ODD = "odd"
    NEAR_MISS = "near-miss"
    REPEATS = "repeats"
    VARIABLE = "variable"
    INTERLACED = "interlaced"
    PULLDOWN = "pulldown"
    REPEATS_INSIDE = "repeats-inside"
    BLENDED = "blended"
    FILM = "film"
    UNCONFIRMED = "unconfirmed"
    SILENT = "silent"
    SOUND_LEFT_OUT = "sound-left-out"


@dataclass(frozen=True)
class Strip:
    """A stretch of a frame map to draw: timeline frame ``first + i`` shows source unit ``picks[i]``.

    ``source_first`` and ``source_stop`` bound the source units drawn; ``hiccups`` are timeline frames.
    ``source_a_beat`` is the stride, for the spacing of the two rails.
    """

    first: int
    picks: tuple[int, ...]
    source_first: int
    source_stop: int
    hiccups: tuple[int, ...]
    source_a_beat: Fraction


MOST_SOURCE = 36
"""A mini strip shows no more source frames than can be told apart in its width."""


def strip(frame_map: FrameMap, beats: int) -> Strip:
    """One period of a frame map, at most ``beats`` timeline frames; around the first hiccup of a near miss."""
    cadence = frame_map.cadence
    most = max(2, min(beats, int(MOST_SOURCE / cadence.stride)))
    count = min(frame_map.length, most if cadence.timeline_period > most else _periods(cadence.timeline_period, most))
    first = 0
    if cadence.kind is Kind.NEAR and (spot := next(frame_map.hiccups(2), None)) is not None:
        first = max(0, min(spot - count // 2, frame_map.length - count))
    return stretch(frame_map, first, count)


def stretch(frame_map: FrameMap, first: int, count: int) -> Strip:
    """``count`` timeline frames from ``first`` on, or as many as there are."""
    stop = min(first + count, frame_map.length)
    picks = tuple(frame_map.pick(j) for j in range(first, stop))
    source_stop = frame_map.pick(stop) if stop < frame_map.length else frame_map.units
    hiccups = tuple(frame_map.hiccups(first, stop))
    return Strip(first, picks, picks[0], max(source_stop, picks[-1] + 1), hiccups, frame_map.stride)


def marks(
    facts: Facts | None,
    planned: Conform | None,
    decided: bool,
    keeps_sound: bool,
    found: Mapping[Question, Verdict],
    picture: PictureReport | None,
) -> tuple[Mark, ...]:
    """What stands out about a clip, the gravest first."""
    if facts is None:
        return ()
    if planned is None:
        return (Mark.FAULT,)
    settled = (Question.SHOT_RATE, Question.FILE_RATE, Question.SCAN)
    kind = planned.frame_map.cadence.kind
    checks = {
        Mark.REMARK: bool(facts.remarks),
        Mark.DISPUTED: any(verdict.state is State.DISPUTED for verdict in found.values()),
        Mark.NEAR_MISS: kind is Kind.NEAR,
        Mark.ODD: kind is Kind.ODD,
        Mark.UNDECIDED: not decided,
        Mark.OFF_RATE: planned.material.file_rate != planned.timeline_rate,
        Mark.REPEATS: planned.frame_map.repeated > 0,
        Mark.VARIABLE: facts.timing is Timing.VARIABLE,
        Mark.INTERLACED: facts.scan is Scan.INTERLACED,
        Mark.PULLDOWN: found[Question.PULLDOWN].value in ("2:3", "2:3:3:2"),
        Mark.REPEATS_INSIDE: found[Question.REPEATS].value not in (None, NONE),
        Mark.BLENDED: picture is not None and picture.blended,
        Mark.FILM: found[Question.GAUGE].value is not None,
        Mark.UNCONFIRMED: any(not found[question].certain for question in settled if found[question].value),
        Mark.SILENT: facts.sound is None,
        Mark.SOUND_LEFT_OUT: keeps_sound and facts.sound is not None and not planned.keeps_sound_speed,
    }
    return tuple(mark for mark, holds in checks.items() if holds)


def as_it_stands(material: Material, timeline: Rate) -> Conform:
    """The clip dropped in without any decision: read as the file says, at speed 1."""
    return conform(material, AS_IT_STANDS, timeline)


ALTERNATIVES: tuple[Treatment, ...] = (
    Treatment(Intent.REAL_TIME),
    Treatment(Intent.EVERY_FRAME),
    Treatment(Intent.PACE, Fraction(1, 2)),
    AS_IT_STANDS,
)
"""What is set beside each other for a selection."""


@dataclass(frozen=True)
class Totals:
    """Many plans added up: clips, timeline frames as they stand and as planned, frames dropped and repeated,
    and how many clips have which kind of cadence."""

    clips: int
    before: int
    after: int
    dropped: int
    repeated: int
    kinds: dict[Kind, int]


def totals(plans: Iterable[Conform]) -> Totals:
    """Add up plans for one timeline."""
    clips = before = after = dropped = repeated = 0
    kinds: dict[Kind, int] = dict.fromkeys(Kind, 0)
    for planned in plans:
        frame_map = planned.frame_map
        clips += 1
        before += as_it_stands(planned.material, planned.timeline_rate).frame_map.length
        after += frame_map.length
        dropped += frame_map.dropped
        repeated += frame_map.repeated
        kinds[frame_map.cadence.kind] += 1
    return Totals(clips, before, after, dropped, repeated, kinds)


def _periods(period: int, most: int) -> int:
    """As many whole periods as fit, so that a short rhythm reads as one; at least three beats of it."""
    return period * max(1, min(most // period, -(-8 // period)))
