"""Treatments: what is decided about a clip, worked out from every level that has a say."""

from dataclasses import dataclass, fields
from enum import StrEnum
from fractions import Fraction
from functools import cached_property

from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.music import NO_MUSIC, Music
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate


class Intent(StrEnum):
    """What is wanted of a clip (docs/model.md, Rates and speeds). ``LEAVE``: played as the file says, whatever else is
    decided."""

    REAL_TIME = "real-time"
    EVERY_FRAME = "every-frame"
    PACE = "pace"
    SPEED = "speed"
    FIT = "fit"
    CURVE = "curve"
    LEAVE = "leave"


class Fields(StrEnum):
    """What a source unit is: a whole frame with its fields woven, one picture made from both fields, each field
    in time order, or the picture that was there before pulldown or repeats."""

    WHOLE = "whole"
    DEINTERLACE = "deinterlace"
    SPLIT = "split"
    ORIGINAL = "original"


class Framing(StrEnum):
    """How a picture comes into the timeline's raster: not at all, whole inside it, filling it with what stands over
    cut off, to its width, to its height, or stretched to its shape."""

    KEEP = "keep"
    INSIDE = "inside"
    FILL = "fill"
    WIDTH = "width"
    HEIGHT = "height"
    STRETCH = "stretch"


@dataclass(frozen=True)
class Span:
    """A stretch of a clip from frame ``first`` to frame ``last``, both included, counted from 0 in real source frames;
    ``last`` None goes to the end."""

    first: int = 0
    last: int | None = None

    def __str__(self) -> str:
        return "whole" if self == Span() else f"{self.first}-{'' if self.last is None else self.last}"

    def within(self, frames: int) -> tuple[int, int]:
        """The first frame and the one after the last, of a clip with so many; raises ``RuleError`` where none is."""
        stop = frames if self.last is None else min(frames, self.last + 1)
        if self.first >= stop:
            raise RuleError(f"There are no frames between the in and out points; the clip has {frames}.", "frames")
        return self.first, stop


class Takes(StrEnum):
    """The source pictures that a moment is made of: the one on screen, the two on either side of it, each for its
    share, or all that pass while a shutter is open."""

    SHOWN = "shown"
    BESIDE = "beside"
    PASSING = "passing"


class Between(StrEnum):
    """How a moment between two source frames is made (docs/model.md, What a timeline frame shows): each with the
    pictures that it takes, and whether it is built along their motion. What makes it is in ``media/making.py``."""

    PICK = "pick", Takes.SHOWN, False
    MIX = "mix", Takes.BESIDE, False
    FLOW = "flow", Takes.BESIDE, True
    GATHER = "gather", Takes.PASSING, False

    takes: Takes
    along_motion: bool

    def __new__(cls, value: str, takes: Takes, along_motion: bool) -> "Between":
        """A member by its value, with what its in-betweens are."""
        member = str.__new__(cls, value)
        member._value_ = value
        member.takes, member.along_motion = takes, along_motion
        return member


class Effort(StrEnum):
    """How much time Flow takes to find motion."""

    QUICK = "quick"
    NORMAL = "normal"
    CAREFUL = "careful"


class SoundChoice(StrEnum):
    """What becomes of a clip's sound: left out, running as fast as the picture, or that at its own pitch."""

    OFF = "off"
    FOLLOW = "follow"
    PITCH = "pitch"


@dataclass(frozen=True)
class SoundStreams:
    """Which sound streams of a clip are taken, counted from 1 among those that can be decoded; None takes all."""

    numbers: tuple[int, ...] | None = None

    def __str__(self) -> str:
        return "all" if self.numbers is None else ", ".join(map(str, self.numbers))

    def of(self, count: int) -> tuple[int, ...]:
        """The streams taken of a clip that has so many, counted from 0; raises ``RuleError`` where it has sound, but
        not these."""
        if self.numbers is None or count == 0:
            return tuple(range(count))
        if self.numbers[-1] > count:
            has = "one sound stream" if count == 1 else f"{count} sound streams"
            raise RuleError(f"Sound stream {self.numbers[-1]} does not exist: the clip has {has}.", "streams")
        return tuple(number - 1 for number in self.numbers)


NEEDS_VALUE = {Intent.PACE, Intent.SPEED, Intent.FIT}


@dataclass(frozen=True)
class Treatment:
    """The decisions on one clip, worked out.

    ``value`` is the speed for *speed*, the pace for *pace*, timeline frames for *fit*, and None for the other
    intents; ``curve`` is what the intent of that name follows. ``read_rate`` None means: as the file says. ``held``
    is how many timeline frames each picture stays at least, 1 where it is not held. ``reach`` is in pixels of the
    source, ``trust`` lies between 0 and 1; both concern Flow alone. ``shutter`` is the share of a timeline frame for
    which Gather is open, above 0 and at most 1. Raises ``RuleError`` where these do not belong
    together.
    """

    intent: Intent
    value: Fraction | None = None
    read_rate: Rate | None = None
    fields: Fields = Fields.WHOLE
    between: Between = Between.PICK
    shutter: Fraction = Fraction(1, 2)
    effort: Effort = Effort.NORMAL
    reach: int = 48
    trust: Fraction = Fraction(1, 10)
    held: Fraction = Fraction(1)
    sound: SoundChoice = SoundChoice.FOLLOW
    streams: SoundStreams = SoundStreams()
    music: Music = NO_MUSIC
    reverse: bool = False
    framing: Framing = Framing.KEEP
    span: Span = Span()
    curve: Curve | None = None

    def __post_init__(self) -> None:
        check_intent(self.intent, self.value, self.curve)

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((*(getattr(self, field.name) for field in fields(self)),))


def check_intent(intent: Intent, value: Fraction | None, curve: Curve | None = None) -> None:
    """Raise ``RuleError`` where an intent and its value, or its curve, do not belong together."""
    if (intent is Intent.CURVE) is not (curve is not None):
        raise RuleError(f"The intent {intent} {'needs' if curve is None else 'takes no'} curve.", "treatment")
    if intent not in NEEDS_VALUE:
        if value is not None:
            raise RuleError(f"The intent {intent} takes no value.", "treatment")
        return
    if value is None:
        raise RuleError(f"The intent {intent} needs a value.", "treatment")
    if value <= 0:
        raise RuleError(f"The value of {intent} must be above zero.", "treatment")
    if intent is Intent.FIT and value.denominator != 1:
        raise RuleError("A length to fit must be a whole number of timeline frames.", "treatment")


AS_IT_STANDS = Treatment(Intent.SPEED, Fraction(1))
"""What happens to a clip nobody has decided on: it plays at speed 1, read at its file rate."""
