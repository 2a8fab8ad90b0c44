"""Treatments: what a person decides about a clip."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from oddmeter.core.errors import RuleError
from oddmeter.core.rates import Rate


class Intent(StrEnum):
    """What is wanted of a clip (MODEL, Words)."""

    REAL_TIME = "real-time"
    EVERY_FRAME = "every-frame"
    PACE = "pace"
    SPEED = "speed"
    FIT = "fit"


class Fields(StrEnum):
    """What a source unit is: a whole frame, or each field in time order."""

    WHOLE = "whole"
    SPLIT = "split"


NEEDS_VALUE = {Intent.PACE, Intent.SPEED, Intent.FIT}


@dataclass(frozen=True)
class Treatment:
    """The decisions on one clip.

    ``value`` is the speed for *speed*, the pace for *pace*, timeline frames for *fit*, and None for the
    other intents. ``read_rate`` None means: as the file says. Raises ``RuleError`` where value and intent
    do not belong together.
    """

    intent: Intent
    value: Fraction | None = None
    read_rate: Rate | None = None
    fields: Fields = Fields.WHOLE

    def __post_init__(self) -> None:
        if self.intent not in NEEDS_VALUE:
            if self.value is not None:
                raise RuleError(f"The intent {self.intent} takes no value.", "treatment")
            return
        if self.value is None:
            raise RuleError(f"The intent {self.intent} needs a value.", "treatment")
        if self.value <= 0:
            raise RuleError(f"The value of {self.intent} must be above zero.", "treatment")
        if self.intent is Intent.FIT and self.value.denominator != 1:
            raise RuleError("A length to fit is a whole number of timeline frames.", "treatment")


AS_IT_STANDS = Treatment(Intent.SPEED, Fraction(1))
"""What happens to a clip nobody has decided on: it plays at speed 1, read at its file rate."""
