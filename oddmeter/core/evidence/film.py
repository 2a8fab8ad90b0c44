"""Film: gauges and their usual speeds, rolls, and the measure of known duration.

The length of a roll gives its number of frames, never the rate at which the camera ran; for that one needs
something of known duration in the picture, or the eye.
"""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.rates import HIGHEST, Rate

FOOT = Fraction(3048, 10_000)
"""Metres in a foot, exact."""


@dataclass(frozen=True)
class Gauge:
    """A film gauge: frames to a foot, and the speeds cameras of it ran at, the usual first."""

    id: str
    name: str
    frames_a_foot: Fraction
    speeds: tuple[int, ...]

    @property
    def frames_a_metre(self) -> Fraction:
        """Frames to a metre."""
        return self.frames_a_foot / FOOT


GAUGES: tuple[Gauge, ...] = (
    Gauge("8mm", "8 mm", Fraction(80), (16, 18)),
    Gauge("super-8", "Super 8", Fraction(72), (18, 24)),
    Gauge("9.5mm", "9.5 mm", Fraction(404, 10), (16, 14, 12)),
    Gauge("16mm", "16 mm", Fraction(40), (16, 18, 24)),
    Gauge("35mm", "35 mm, four-perforation", Fraction(16), (24, 16, 18)),
)
CANDIDATES = (12, 14, 15, 16, 18, 20, 22, 24)
"""Rates to compare by eye."""


def gauge(gauge_id: str) -> Gauge:
    """The gauge of that id; raises ``RuleError`` where there is none."""
    for known in GAUGES:
        if known.id == gauge_id:
            return known
    raise RuleError(f"“{gauge_id}” is not a known film gauge.", "gauge")


@dataclass(frozen=True)
class Roll:
    """A roll of film: its gauge and its frames."""

    gauge: Gauge
    frames: int

    @staticmethod
    def of_length(gauge: Gauge, metres: Fraction) -> "Roll":
        """The roll of that length; a part of a frame at its end does not count. Raises ``RuleError`` where the
        length is none."""
        if not 0 < metres <= 100_000:
            raise RuleError("A roll is longer than 0 and shorter than 100 km.", "length")
        return Roll(gauge, int(metres * gauge.frames_a_metre))

    @property
    def feet(self) -> Fraction:
        """Its length in feet."""
        return self.frames / self.gauge.frames_a_foot

    @property
    def metres(self) -> Fraction:
        """Its length in metres."""
        return self.feet * FOOT

    def seconds(self, rate: Rate) -> Fraction:
        """How long it runs at a rate."""
        return self.frames / rate.value


@dataclass(frozen=True)
class KnownDuration:
    """A shot rate measured by something of known duration: frames a second, and the bounds it lies between."""

    frames: int
    seconds: Fraction
    rate: Fraction
    lowest: Fraction
    highest: Fraction

    @property
    def words(self) -> str:
        """``18.02 ± 0.15``."""
        margin = max(self.highest - self.rate, self.rate - self.lowest)
        return f"{decimal_text(self.rate, 2)} ± {decimal_text(margin, 2)}"

    @property
    def usual(self) -> tuple[int, ...]:
        """Usual speeds that lie within the bounds."""
        return tuple(speed for speed in CANDIDATES if self.lowest <= speed <= self.highest)


def known_duration(first: int, last: int, seconds: Fraction, doubt: Fraction = Fraction(0)) -> KnownDuration:
    """The shot rate where ``seconds`` (give or take ``doubt``) pass between frames ``first`` and ``last``.

    A moment marked by a frame lies anywhere within it, so the number of frames between may be one more or one
    less. Raises ``RuleError`` where the frames do not follow each other or the time is none.
    """
    frames = last - first
    if frames < 2:
        raise RuleError("The second mark must be at least two frames after the first.", "frames")
    if seconds <= 0 or doubt < 0 or doubt >= seconds:
        raise RuleError("The duration must be above 0 and larger than its uncertainty.", "seconds")
    if frames / seconds > HIGHEST:
        raise RuleError("That is faster than any camera.", "rate")
    return KnownDuration(
        frames, seconds, frames / seconds, (frames - 1) / (seconds + doubt), (frames + 1) / (seconds - doubt)
    )
