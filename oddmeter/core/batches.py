"""Whole batches: a clip's plan with what stands out about it, and the totals of many."""

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from math import floor

from oddmeter.core.cadence import FrameMap, Kind
from oddmeter.core.conform import Conform, Material
from oddmeter.core.decisions import Wish
from oddmeter.core.facts import Facts, Scan, Timing
from oddmeter.core.rates import Rate
from oddmeter.core.standing import Standing
from oddmeter.core.treatments import Intent, SoundChoice
from oddmeter.core.ways import stacked


class Mark(StrEnum):
    """What stands out about a clip on a timeline."""

    FAULT = "fault"
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
    REPEATS_INSIDE = "repeats-inside"
    BLENDED = "blended"
    FILM = "film"
    UNCONFIRMED = "unconfirmed"
    SILENT = "silent"
    SOUND_CHANGED = "sound-changed"
    CHANGED = "changed"


@dataclass(frozen=True)
class Strip:
    """A stretch of a frame map to draw: timeline frame ``first + i`` shows source unit ``picks[i]``.

    ``source_first`` and ``source_stop`` bound the source units drawn; ``hiccups`` are timeline frames.
    ``source_a_beat`` is the stride, for the spacing of the two rails. In reverse, units count from the last one back.
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
    period = frame_map.period[1]
    most = max(2, min(beats, int(MOST_SOURCE / frame_map.stride)))
    count = min(frame_map.length, most if period > most else _periods(period, most))
    first = 0
    if frame_map.kind is Kind.NEAR and (spot := next(frame_map.hiccups(2), None)) is not None:
        first = max(0, min(spot - count // 2, frame_map.length - count))
    return stretch(frame_map, first, count)


def stretch(frame_map: FrameMap, first: int, count: int) -> Strip:
    """``count`` timeline frames from ``first`` on, or as many as there are."""
    stop = min(first + count, frame_map.length)
    picks = tuple(frame_map.pick(j) for j in range(first, stop))
    if frame_map.reverse:
        picks = tuple(frame_map.units - 1 - pick for pick in picks)
    source_stop = floor(frame_map.position(stop)) if stop < frame_map.length else frame_map.units
    hiccups = tuple(frame_map.hiccups(first, stop))
    return Strip(first, picks, picks[0], max(source_stop, picks[-1] + 1), hiccups, frame_map.stride)


def marks(facts: Facts | None, planned: Conform | None, decided: bool, found: Standing) -> tuple[Mark, ...]:
    """What stands out about a clip, the gravest first."""
    if facts is None:
        return ()
    if planned is None:
        return (Mark.FAULT,)
    frame_map, sound = planned.frame_map, planned.treatment.sound
    kind = frame_map.kind
    checks = {
        Mark.REMARK: bool(facts.remarks),
        Mark.DISPUTED: found.disputed,
        Mark.STACKED: stacked(planned) is not None,
        Mark.NEAR_MISS: kind is Kind.NEAR,
        Mark.ODD: kind is Kind.ODD,
        Mark.UNDECIDED: not decided,
        Mark.OFF_RATE: planned.material.file_rate != planned.timeline_rate,
        Mark.REPEATS: frame_map.repeated > 0,
        Mark.VARIABLE: facts.timing is Timing.VARIABLE,
        Mark.INTERLACED: facts.scan is Scan.INTERLACED,
        Mark.PULLDOWN: found.carries_pulldown,
        Mark.REPEATS_INSIDE: bool(found.repeats),
        Mark.BLENDED: found.blended,
        Mark.FILM: bool(found.gauge),
        Mark.UNCONFIRMED: not found.confirmed,
        Mark.SILENT: facts.sound is None,
        Mark.SOUND_CHANGED: sound is not SoundChoice.OFF and facts.sound is not None and not planned.keeps_sound_speed,
    }
    return tuple(mark for mark, holds in checks.items() if holds)


def frames_as_it_stands(material: Material, timeline: Rate) -> int:
    """The length in timeline frames of a clip dropped in without any decision: read as the file says, at speed 1."""
    return FrameMap.of(material.file_rate.value / timeline.value, material.frames).length


ALTERNATIVES: tuple[Wish, ...] = (
    Wish(Intent.REAL_TIME),
    Wish(Intent.EVERY_FRAME),
    Wish(Intent.PACE, Fraction(1, 2)),
    Wish(Intent.LEAVE),
)
"""What is set beside each other for a selection."""


@dataclass(frozen=True)
class Totals:
    """Many plans added up: clips, timeline frames, frames dropped and repeated, and how many clips have which kind of
    cadence."""

    clips: int
    after: int
    dropped: int
    repeated: int
    kinds: dict[Kind, int]


def totals(plans: Iterable[Conform]) -> Totals:
    """Add up plans for one timeline."""
    clips = after = dropped = repeated = 0
    kinds: dict[Kind, int] = dict.fromkeys(Kind, 0)
    for planned in plans:
        frame_map = planned.frame_map
        clips += 1
        after += frame_map.length
        dropped += frame_map.dropped
        repeated += frame_map.repeated
        kinds[frame_map.kind] += 1
    return Totals(clips, after, dropped, repeated, kinds)


def _periods(period: int, most: int) -> int:
    """As many whole periods as fit, so that a short rhythm reads as one; at least three beats of it."""
    return period * max(1, min(most // period, -(-8 // period)))
