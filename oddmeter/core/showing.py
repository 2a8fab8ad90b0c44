"""What a timeline frame shows: its moments, the source pictures each is made of, and what that makes it.

The one description that looking, rendering and proof share. An interlaced timeline frame shows two moments, one in
each field; where both come to the same picture, it shows that picture whole.
"""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.cadence import Weights
from oddmeter.core.conform import Conform
from oddmeter.core.treatments import Between

PROGRESSIVE, UPPER, LOWER = "progressive", "upper", "lower"
"""The scans of a timeline: whole pictures, or two fields of which the named one comes first."""


class Look(StrEnum):
    """What a timeline frame is, beside the one before."""

    UNIQUE = "unique"
    REPEATED = "repeated"
    MIXED = "mixed"
    MADE = "made"
    HELD = "held"


@dataclass(frozen=True)
class Shown:
    """One timeline frame: the moments of its fields in time order, one where both are the same; and what it is."""

    moments: tuple[Weights, ...]
    look: Look


def shown(planned: Conform, scan: str, frame: int) -> Shown:
    """What timeline frame ``frame`` shows on a timeline of that scan; raises ``RuleError`` outside the clip."""
    moments = _moments(planned, scan, frame)
    return Shown(moments, _look(planned, scan, frame, moments))


def _moment(planned: Conform, frame: int, *, late: bool = False) -> Weights:
    """The source units of one moment: of the timeline frame itself, or of its second field."""
    frame_map = planned.frame_map
    if planned.treatment.between is Between.PICK:
        unit = frame_map.late_pick(frame) if late else frame_map.pick(frame)
        return Weights(unit, unit, Fraction(0))
    weights = frame_map.weights(frame, late=late)
    if weights.second_weight == 0:
        return Weights(weights.first, weights.first, Fraction(0))
    return weights


def _moments(planned: Conform, scan: str, frame: int) -> tuple[Weights, ...]:
    first = _moment(planned, frame)
    if scan == PROGRESSIVE:
        return (first,)
    second = _moment(planned, frame, late=True)
    return (first,) if second == first else (first, second)


def _look(planned: Conform, scan: str, frame: int, moments: tuple[Weights, ...]) -> Look:
    frame_map = planned.frame_map
    if frame > 0 and moments == _moments(planned, scan, frame - 1):
        end = None if planned.treatment.between is Between.PICK else frame_map.held_from
        return Look.HELD if frame_map.holds or (end is not None and frame > end) else Look.REPEATED
    if any(weights.second_weight for weights in moments):
        return Look.MADE if planned.treatment.between is Between.FLOW else Look.MIXED
    return Look.UNIQUE
