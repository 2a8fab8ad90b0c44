"""What a change of rate does to sound: factor, pitch and drift (docs/model.md, Rates and speeds)."""

from dataclasses import dataclass
from fractions import Fraction
from math import log2

from oddmeter.core.numbers.numerals import decimal_text


@dataclass(frozen=True)
class SoundFigures:
    """Sound that runs ``factor`` times as fast as in the file."""

    factor: Fraction

    @property
    def cents(self) -> float:
        """How far pitch moves where it is not kept, 1200 · log₂ factor; a float, since it is only ever printed."""
        return 1200 * log2(self.factor)

    @property
    def cents_text(self) -> str:
        """``"−1.7 cents"``, or ``"pitch as it is"``."""
        return "pitch as it is" if self.factor == 1 else f"{_signed(f'{self.cents:.1f}')} cents"

    def drift(self, seconds: int) -> Fraction:
        """Seconds by which sound left at its own speed is out after ``seconds`` on the timeline, the picture running
        at the factor; above zero where the picture is ahead."""
        return seconds * (self.factor - 1)

    @property
    def drift_text(self) -> str:
        """``"−0.06 s a minute, −3.6 s an hour"``; empty where there is none."""
        if self.factor == 1:
            return ""
        minute, hour = (_signed(decimal_text(self.drift(s), 2 if s == 60 else 1)) for s in (60, 3600))
        return f"{minute} s a minute, {hour} s an hour"


def _signed(text: str) -> str:
    return f"−{text[1:]}" if text.startswith("-") else f"+{text}"
