"""Numerals: how exact numbers are written for people and machines, and read back."""

import re
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError

_THIRDS = {Fraction(1, 3): "⅓", Fraction(2, 3): "⅔", Fraction(1, 6): "⅙", Fraction(5, 6): "⅚"}


def decimal_text(value: Fraction, places: int) -> str:
    """A fraction as a decimal, rounded half up to ``places``, without trailing zeros."""
    scaled = round_half_up(value * 10**places)
    sign, digits = ("-" if scaled < 0 else ""), str(abs(scaled)).rjust(places + 1, "0")
    whole, rest = (digits[:-places], digits[-places:].rstrip("0")) if places else (digits, "")
    return f"{sign}{whole}.{rest}" if rest else f"{sign}{whole}"


def fixed_text(value: Fraction, places: int) -> str:
    """A fraction as a decimal, rounded half up, with all its ``places`` written so that a column lines up."""
    whole, _, rest = decimal_text(value, places).partition(".")
    return f"{whole}.{rest.ljust(places, '0')}" if places else whole


def round_half_up(value: Fraction) -> int:
    """The nearest whole number; a half goes up."""
    return (2 * value.numerator + value.denominator) // (2 * value.denominator)


def fraction_text(value: Fraction) -> str:
    """``"a/b"`` in lowest terms, with the denominator always written."""
    return f"{value.numerator}/{value.denominator}"


def parse_fraction(text: str) -> Fraction:
    """The exact number in ``"2/5"``, ``"0.4"``, ``"40%"`` or ``"x0.4"``; raises ``RuleError`` otherwise."""
    typed = text.strip().replace(",", ".").lower().removeprefix("x").removeprefix("×").strip()
    percent = typed.endswith("%")
    match = re.fullmatch(
        r"(\d{1,12}(?:\.\d{1,12})?)(?:\s*/\s*(\d{1,12}(?:\.\d{1,12})?))?", typed.removesuffix("%").strip()
    )
    if not match or (match[2] and Fraction(match[2]) == 0):
        raise RuleError(f"“{text.strip()}” is not a number. Type one like 2/5, 40% or x0.4.", "number")
    value = Fraction(match[1]) / Fraction(match[2] or 1)
    return value / 100 if percent else value


def percent_text(value: Fraction) -> str:
    """A speed as per cent: ``"40 %"``, ``"53⅓ %"``; rounded to two places, marked ≈, where a fraction is long."""
    hundred = value * 100
    whole, rest = divmod(hundred, 1)
    if rest in _THIRDS:
        return f"{whole if whole else ''}{_THIRDS[rest]} %"
    exact = decimal_text(hundred, 2)
    return f"{exact} %" if Fraction(exact) == hundred else f"≈ {exact} %"


def number_text(value: Fraction) -> str:
    """A number as people read it: whole, a short decimal, or a fraction."""
    if value.denominator == 1:
        return str(value.numerator)
    short = decimal_text(value, 3)
    return short if Fraction(short) == value else f"{value.numerator}/{value.denominator}"
