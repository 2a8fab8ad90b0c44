"""At which rate a list was counted: an edit decision list does not say it, but leaves traces."""

from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop
from oddmeter.interchange.edl.lines import Entry, Lines

USUAL = tuple(Rate.parse(rate) for rate in ("23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60"))
"""Rates that lists are counted at."""


@dataclass(frozen=True)
class RateEvidence:
    """Which usual rates a list can have been counted at, and why: each a sentence."""

    rates: tuple[Rate, ...]
    reasons: tuple[str, ...]

    @property
    def only(self) -> Rate | None:
        """The rate, where no other fits."""
        return self.rates[0] if len(self.rates) == 1 else None

    @property
    def sentence(self) -> str:
        """What is to be asked, with the evidence."""
        fits = ", ".join(str(rate) for rate in self.rates) or "no usual rate"
        return f"An EDL does not state its rate. Enter it. {' '.join(self.reasons)} It fits {fits}."


def rate_evidence(lines: Lines) -> RateEvidence:
    """What a list's numbers say about its rate: how it drops numbers, its highest frame number, and how the lengths of
    its events stand to what M2 says of them."""
    reasons, fits = [], list(USUAL)
    parts = [int(code[-2:]) for entry in lines.entries for code in (entry.record_in, entry.record_out)]
    highest = max(parts, default=0)
    fits = [rate for rate in fits if highest < rate.nominal]
    reasons.append(f"Its highest frame number is {highest}.")
    if drops(lines):
        fits = [rate for rate in fits if can_drop(rate)]
        # Of sixty numbers a second, half are above 29: where many are stated and none is, it is thirty.
        fits = fits[:1] if highest < 30 else fits
        reasons.append("It is counted in drop-frame.")
    else:
        reasons.append("It is counted without drop.")
    if found := _by_motion(lines):
        nominal, count = found
        agreeing = [rate for rate in fits if rate.nominal == nominal]
        fits = agreeing or fits
        reasons.append(f"Lengths and M2 of {count} event{'s' * (count != 1)} say {nominal} frames a second.")
    return RateEvidence(tuple(fits), tuple(reasons))


def drops(lines: Lines) -> bool:
    """True where a list's record timecode is counted in drop-frame: by a line that says so, or a semicolon."""
    codes = (code for entry in lines.entries for code in (entry.record_in, entry.record_out))
    return bool(lines.drop) or any(";" in code for code in codes)


def _by_motion(lines: Lines) -> tuple[int, int] | None:
    """The nominal rate at which M2 says what most lengths say, and of how many events; None where none does."""
    votes: dict[int, int] = {}
    for entry in lines.entries:
        if entry.motion is None or entry.motion.rate == 0:
            continue
        for rate in {rate.nominal: rate for rate in USUAL}.values():
            ratio = _ratio(entry, rate)
            if ratio is None:
                continue
            off = abs(abs(entry.motion.rate) - ratio * rate.nominal)
            if off <= Fraction(1, 10):
                votes[rate.nominal] = votes.get(rate.nominal, 0) + 1
    best = max(votes, key=votes.__getitem__, default=None)
    if best is None or sorted(votes.values())[-2:].count(votes[best]) > 1:
        return None
    return best, votes[best]


def _ratio(entry: Entry, rate: Rate) -> Fraction | None:
    """Source length over record length, where both can be counted at a rate."""
    try:
        a, b, c, d = (
            Timecode.parse(code.replace(";", ":"), Rate.of(rate.nominal)).frames
            for code in (entry.source_in, entry.source_out, entry.record_in, entry.record_out)
        )
    except RuleError:
        return None
    return Fraction(abs(b - a), d - c) if d > c and a != b else None
