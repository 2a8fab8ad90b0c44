"""Timecode after SMPTE ST 12-1: a label for every frame of a day, non-drop or drop-frame."""

import re
from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import round_half_up
from oddmeter.core.numbers.rates import Rate

_WRITTEN = re.compile(r"(\d{2}):(\d{2}):(\d{2})([:;])(\d{2,4})")
_DIGITS = re.compile(r"(\d{2})(\d{2})(\d{2})(\d{2})")


@dataclass(frozen=True)
class Timecode:
    """A frame counted from midnight, at a rate, with drop-frame numbering or not.

    Raises ``RuleError`` where the frame lies outside the day, or drop-frame is asked of a rate without it.
    """

    frames: int
    rate: Rate
    drop: bool = False

    def __post_init__(self) -> None:
        if self.drop and not can_drop(self.rate):
            raise RuleError(f"Drop-frame timecode exists only at 29.97 and 59.94, not at {self.rate}.", "timecode")
        day = frames_in_day(self.rate, self.drop)
        if not 0 <= self.frames < day:
            raise RuleError(f"Frame {self.frames} lies outside the day of {day} frames.", "timecode")

    @staticmethod
    def parse(text: str, rate: Rate, drop: bool | None = None) -> "Timecode":
        """The frame that a written timecode names.

        A semicolon before the frames means drop-frame. Eight bare digits are read as HHMMSSFF, with ``drop``
        saying the numbering. Raises ``RuleError`` for anything else: for a field out of range, for drop-frame at
        a rate that has none, and for a number that drop-frame skips.
        """
        typed = text.strip()
        match = _WRITTEN.fullmatch(typed)
        if match:
            hours, minutes, seconds, part = (int(match[i]) for i in (1, 2, 3, 5))
            dropping = match[4] == ";" or bool(drop)
        elif bare := _DIGITS.fullmatch(typed):
            hours, minutes, seconds, part = (int(group) for group in bare.groups())
            dropping = bool(drop)
        else:
            raise RuleError(f"“{typed}” is not a timecode. Write one like 01:00:00:00 or 01:00:00;00.", "timecode")
        nominal = rate.nominal
        if hours > 23 or minutes > 59 or seconds > 59 or part >= nominal:
            raise RuleError(f"“{typed}” is not a valid timecode at {rate}.", "timecode")
        frames = (hours * 3600 + minutes * 60 + seconds) * nominal + part
        if not dropping:
            return Timecode(frames, rate)
        if not can_drop(rate):
            raise RuleError(f"“{typed}” is drop-frame timecode, which does not exist at {rate}.", "timecode")
        if _is_skipped(minutes, seconds, part, rate):
            raise RuleError(f"“{typed}” does not exist: drop-frame timecode skips this number.", "timecode")
        total_minutes = hours * 60 + minutes
        return Timecode(frames - _skipped_a_minute(rate) * (total_minutes - total_minutes // 10), rate, True)

    def __str__(self) -> str:
        return duration_text(self.frames, self.rate, self.drop)


def of_any_day(frames: int, rate: Rate, drop: bool = False) -> Timecode:
    """The timecode of a frame counted past midnight, or before it: each day begins from zero again."""
    return Timecode(frames % frames_in_day(rate, drop), rate, drop)


def is_skipped(code: str, rate: Rate) -> bool:
    """True of a written timecode that drop-frame counting skips at a rate."""
    _, minutes, seconds, part = (int(number) for number in re.split("[:;]", code))
    return _is_skipped(minutes, seconds, part, rate)


def can_drop(rate: Rate) -> bool:
    """True where ST 12-1 defines drop-frame numbering: 30000/1001, and 60000/1001 by doubling."""
    return rate.is_ntsc and rate.nominal in (30, 60)


def frames_in_day(rate: Rate, drop: bool) -> int:
    """How many frame numbers a day of 24 hours has."""
    minutes = 24 * 60
    return rate.nominal * 60 * minutes - (_skipped_a_minute(rate) * (minutes - minutes // 10) if drop else 0)


def duration_text(frames: int, rate: Rate, drop: bool = False) -> str:
    """A length in frames written as HH:MM:SS:FF, with three digits for frames above 100 a second; hours run past 23
    where it is longer than a day."""
    nominal = rate.nominal
    if drop:
        frames += _numbers_skipped_before(frames, rate)
    seconds, part = divmod(frames, nominal)
    separator, digits = ";" if drop else ":", max(2, len(str(nominal - 1)))
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{separator}{part:0{digits}}"


def relabelled(start: Timecode, rate: Rate, drop: bool) -> Timecode:
    """The timecode at another rate with the same hours, minutes and seconds, and the frame that falls at
    the same part of the second. Where drop-frame skips that number, the next one."""
    clock, part = divmod(_label_frames(start), start.rate.nominal)
    frames = clock * rate.nominal + part * rate.nominal // start.rate.nominal
    if not drop:
        return Timecode(frames, rate)
    minutes, into_minute = divmod(frames, 60 * rate.nominal)
    skipped = _skipped_a_minute(rate)
    if minutes % 10 and into_minute < skipped:
        frames += skipped - into_minute
    return Timecode(frames - skipped * (minutes - minutes // 10), rate, True)


def parse_length(text: str, rate: Rate, drop: bool = False) -> int:
    """A length in timeline frames as people type it: ``210``, ``00:00:08:10``, ``8s10f``, ``8.4s``, ``10f``.

    Raises ``RuleError`` where the text is no length, or is not at least one frame.
    """
    typed = text.strip().lower()
    frames: int
    if typed.isdecimal() and len(typed) < 8:
        frames = int(typed)
    elif match := re.fullmatch(r"(?:(\d{1,6}(?:[.,]\d{1,6})?)\s*s)?\s*(?:(\d{1,8})\s*f)?", typed):
        if not typed:
            raise RuleError("Type a length, like 210, 8s10f or 00:00:08:10.", "length")
        seconds = Fraction((match[1] or "0").replace(",", "."))
        frames = round_half_up(seconds * rate.value) + int(match[2] or 0)
    else:
        frames = Timecode.parse(typed, rate, drop or None).frames
    if frames < 1:
        raise RuleError("A length is at least one frame.", "length")
    return frames


def _label_frames(timecode: Timecode) -> int:
    """The frame number as if no numbers were skipped."""
    return timecode.frames + (_numbers_skipped_before(timecode.frames, timecode.rate) if timecode.drop else 0)


def _is_skipped(minutes: int, seconds: int, part: int, rate: Rate) -> bool:
    return part < _skipped_a_minute(rate) and seconds == 0 and minutes % 10 != 0


def _skipped_a_minute(rate: Rate) -> int:
    return 2 * rate.nominal // 30


def _numbers_skipped_before(frames: int, rate: Rate) -> int:
    """How many numbers drop-frame has skipped before the frame with this count."""
    skipped = _skipped_a_minute(rate)
    first_minute = 60 * rate.nominal
    ten_minutes = 10 * first_minute - 9 * skipped
    tens, rest = divmod(frames, ten_minutes)
    minutes = 0 if rest < first_minute else 1 + (rest - first_minute) // (first_minute - skipped)
    return skipped * (9 * tens + minutes)


def parse_amount(text: str, rate: Rate, drop: bool = False) -> int:
    """A number of timeline frames to move by, below zero with a minus before it, in the ways of ``parse_length``:
    ``+12``, ``-3f``, ``2s``, ``00:00:01:00``. Raises ``RuleError`` where the text is none."""
    typed = text.strip().replace("−", "-")
    if typed.lstrip("+-").strip() in ("0", "0f"):
        return 0
    frames = parse_length(typed.removeprefix("+").removeprefix("-"), rate, drop)
    return -frames if typed.startswith("-") else frames
