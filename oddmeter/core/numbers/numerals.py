"""Numerals: how exact numbers are written for people and machines, and read back."""

import re
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError


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


def parse_signed(text: str) -> Fraction:
    """As ``parse_fraction``, with a minus before it or not."""
    typed = text.strip().replace("−", "-")
    return -parse_fraction(typed[1:]) if typed.startswith("-") else parse_fraction(typed)


def percent_text(value: Fraction) -> str:
    """A speed as per cent: ``"40 %"``; rounded to two places and marked ≈ where there are more: ``"≈ 53.33 %"``."""
    hundred = value * 100
    exact = decimal_text(hundred, 2)
    return f"{exact} %" if Fraction(exact) == hundred else f"≈ {exact} %"


def exact_percent_text(value: Fraction) -> str:
    """A speed as per cent, with its fraction beside where that is rounded: ``"≈ 53.33 % (8/15)"``."""
    said = percent_text(value)
    return f"{said} ({number_text(value)})" if said.startswith("≈") else said


def percent_range_text(slowest: Fraction, fastest: Fraction) -> str:
    """Two speeds and all between them, to whole per cent: ``"≈ 21 – 104 %"``; one as ``percent_text`` has it."""
    if slowest == fastest:
        return percent_text(slowest)
    ends = [100 * slowest, 100 * fastest]
    about = "" if all(end.denominator == 1 for end in ends) else "≈ "
    return f"{about}{decimal_text(ends[0], 0)} – {decimal_text(ends[1], 0)} %"


def number_text(value: Fraction) -> str:
    """A number as people read it: whole, a short decimal, or a fraction."""
    if value.denominator == 1:
        return str(value.numerator)
    short = decimal_text(value, 3)
    return short if Fraction(short) == value else f"{value.numerator}/{value.denominator}"
