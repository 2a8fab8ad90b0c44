"""How moments of life are carried in the frames of a file: in fields, with pulldown, with repeats, blended.

A carrier says for each frame of a file which moments its upper and its lower field hold. A moment is a picture
number at the rate of the camera, or of the film; a blend holds several, weighted.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from math import floor

import numpy as np

from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo.framecode import Picture

Moment = tuple[tuple[int, Fraction], ...]
"""Picture numbers with their weights, which add up to one."""


@dataclass(frozen=True)
class Carried:
    """What one frame of a file holds."""

    upper: Moment
    lower: Moment


Carrier = Callable[[int], Carried]

_PULLDOWNS = {"2:3": ((0, 0), (1, 1), (1, 2), (2, 3), (3, 3)), "2:3:3:2": ((0, 0), (1, 1), (1, 2), (2, 2), (3, 3))}


def one(picture: int) -> Moment:
    """A moment that is a picture of its own."""
    return ((picture, Fraction(1)),)


def each(frame: int) -> Carried:
    """Every picture once."""
    return Carried(one(frame), one(frame))


def in_fields(first: str) -> Carrier:
    """Two pictures a frame, the ``first`` (FieldOrder.UPPER or FieldOrder.LOWER) field being the earlier."""
    return lambda frame: _ordered(first, one(2 * frame), one(2 * frame + 1))


def shifted(first: str) -> Carrier:
    """Every picture in two fields, which lie in neighbouring frames."""
    return lambda frame: _ordered(first, one(frame), one(frame + 1))


def pulldown(first: str, pattern: str = "2:3", phase: int = 0, edit: int = 1 << 30, phase_after: int = 0) -> Carrier:
    """Four pictures in five frames. From frame ``edit`` on the phase is another, and a later scene begins."""

    def carried(frame: int) -> Carried:
        after = frame >= edit
        place = frame + phase if not after else frame - edit + phase_after
        early, late = _PULLDOWNS[pattern][place % 5]
        base = 4 * (place // 5) + (10_000 if after else 0)
        return _ordered(first, one(base + early), one(base + late))

    return carried


def held(unique: Fraction, rate: Fraction) -> Carrier:
    """Pictures at ``unique`` a second, repeated to fill ``rate`` frames a second."""
    return lambda frame: each(floor(frame * unique / rate))


def blended(first: str, source_fields: Fraction, fields: Fraction) -> Carrier:
    """A standards conversion that mixes the two nearest source fields for each field of the file."""

    def mixed(number: int) -> Moment:
        place = number * source_fields / fields
        early, weight = floor(place), place - floor(place)
        return ((early, 1 - weight), (early + 1, weight)) if weight else one(early)

    return lambda frame: _ordered(first, mixed(2 * frame), mixed(2 * frame + 1))


def woven(carried: Carried, picture: Callable[[int], Picture]) -> Picture:
    """The frame that holds these moments, as a new picture of shape (height, width, 3)."""
    upper = _mixed(carried.upper, picture)
    if carried.lower == carried.upper:
        return upper
    upper[1::2] = _mixed(carried.lower, picture)[1::2]
    return upper


def _mixed(moment: Moment, picture: Callable[[int], Picture]) -> Picture:
    if len(moment) == 1:
        return picture(moment[0][0]).copy()
    total = sum((float(weight) * picture(number).astype(np.float32) for number, weight in moment), np.float32(0))
    return np.clip(np.asarray(total) + 0.5, 0, 255).astype(np.uint8)


def _ordered(first: str, early: Moment, late: Moment) -> Carried:
    return Carried(early, late) if first == FieldOrder.UPPER else Carried(late, early)
