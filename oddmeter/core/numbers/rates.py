"""Rates: frames a second, always as an exact fraction.

A rate such as 23.976 is a nickname for 24000/1001. People type nicknames, files write decimals; both are
brought to the exact member of the 1000/1001 family here, and nowhere else.
"""

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, number_text, round_half_up

HIGHEST = 1_000_000
"""Frames a second that no camera, phone or scanner writes in a file; above it a rate is a mistake."""

_NTSC = Fraction(1000, 1001)
_TYPED = re.compile(r"(\d{1,7})(?:[.,](\d{1,9}))?\s*([pi]?)", re.IGNORECASE)
_FRACTION = re.compile(r"(\d{1,9})\s*/\s*(\d{1,9})")
_SLOWEST_IN_FIELDS = 47


@dataclass(frozen=True, order=True)
class Rate:
    """A number of frames a second, exact and greater than zero.

    Raises ``RuleError`` for zero, negative or absurd values (above ``HIGHEST``).
    """

    value: Fraction

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        """Kept, since planning a batch asks for it a hundred thousand times."""
        return hash((self.value.numerator, self.value.denominator))

    def __post_init__(self) -> None:
        if not 0 < self.value.numerator <= HIGHEST * self.value.denominator:
            raise RuleError(f"A rate must lie above 0 and at most {HIGHEST}; {self.value} does not.", "rate")

    @staticmethod
    def of(numerator: int, denominator: int = 1) -> "Rate":
        """The rate numerator/denominator, as it stands."""
        return Rate(Fraction(numerator, denominator))

    @staticmethod
    @lru_cache(maxsize=4096)
    def exactly(exact: str) -> "Rate":
        """The rate in exact text, ``"24000/1001"``, as ``exact`` gives it."""
        return Rate(Fraction(exact))

    @staticmethod
    @lru_cache(maxsize=4096)
    def parse(text: str) -> "Rate":
        """The rate a person typed: ``23.98``, ``59.94i``, ``60i``, ``25p``, ``24000/1001``, ``12,5``.

        An ``i`` counts fields, two to a frame; ``60i`` is the trade's short name for 59.94i. Raises
        ``RuleError`` with a sentence where the text is no rate.
        """
        typed = text.strip()
        if fraction := _FRACTION.fullmatch(typed):
            numerator, denominator = int(fraction[1]), int(fraction[2])
            if denominator == 0:
                raise RuleError(f"“{typed}” divides by zero.", "rate")
            return Rate(Fraction(numerator, denominator))
        match = _TYPED.fullmatch(typed)
        if not match:
            raise RuleError(f"“{typed}” is not a rate. Type one like 25, 23.976, 50i or 24000/1001.", "rate")
        whole, decimals, scan = match[1], match[2] or "", match[3].lower()
        value = _from_decimals(Fraction(f"{whole}.{decimals or 0}"), len(decimals))
        if scan != "i":
            return Rate(value)
        if value < _SLOWEST_IN_FIELDS:
            frames, fields = rate_text(value), rate_text(2 * value)
            raise RuleError(f"“{typed}” is unclear: “i” counts fields. Type {frames} or {fields}i.", "rate")
        return Rate((60 * _NTSC if value == 60 else value) / 2)

    @staticmethod
    @lru_cache(maxsize=4096)
    def snap(value: Fraction) -> "Rate":
        """The exact rate meant by a value that a file or a log wrote down as a decimal.

        A value within a part in ten thousand of a whole number, or of n · 1000/1001 with n a multiple of 12
        or 15, becomes the nearest of these; every other value stays as it is.
        """
        near = [Fraction(n) for n in {int(value), int(value) + 1}]
        near += [n * _NTSC for n in {int(value / _NTSC), int(value / _NTSC) + 1} if _in_family(n)]
        best = min(near, key=lambda candidate: abs(candidate - value))
        return Rate(best if abs(best - value) <= value / 10_000 and best > 0 else value)

    @property
    def nominal(self) -> int:
        """The whole number of frames that timecode counts in a second: 24 for 23.976."""
        return -(-self.value.numerator // self.value.denominator)

    @property
    def is_ntsc(self) -> bool:
        """True for a member of the 1000/1001 family."""
        return self.value.denominator == 1001 and self.value.numerator % 1000 == 0

    @property
    def is_usual(self) -> bool:
        """True of a whole number, and of a member of the 1000/1001 family."""
        return self.value.denominator == 1 or self.is_ntsc

    @property
    def exact(self) -> str:
        """The fraction in lowest terms: ``"24000/1001"``, ``"25/1"``."""
        return f"{self.value.numerator}/{self.value.denominator}"

    @cached_property
    def spoken(self) -> str:
        """The rate as people say it: ``"23.976"``, ``"29.97"``, ``"25"``, ``"12.5"``."""
        places = 2 if self.is_ntsc and self.nominal >= 30 else 3
        return decimal_text(self.value, places)

    def __str__(self) -> str:
        return self.spoken


def _in_family(nominal: int) -> bool:
    return nominal > 0 and (nominal % 12 == 0 or nominal % 15 == 0)


def _from_decimals(value: Fraction, places: int) -> Fraction:
    """The family member that reads as ``value`` when written with that many decimals, else the value."""
    if places < 2:
        return value
    nominal = round_half_up(value / _NTSC)
    member = nominal * _NTSC
    written = Fraction(round_half_up(member * 10**places), 10**places)
    cut_short = Fraction(int(member * 10**places), 10**places)
    return member if _in_family(nominal) and value in (written, cut_short) else value


def rate_text(value: Fraction) -> str:
    """Frames a second as people say them: ``"23.976"`` for 24000/1001, other values as ``number_text``."""
    try:
        rate = Rate(value)
    except RuleError:
        return number_text(value)
    return rate.spoken if rate.is_ntsc else number_text(value)
