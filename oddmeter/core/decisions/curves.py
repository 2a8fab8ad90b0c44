"""Curves: a speed that changes along a shot, as points in the picture (docs/model.md, Speed curves)."""

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text, parse_signed, percent_text

MOST_POINTS = 200
HIGHEST_SPEED = 1000
MOST_HELD = 10_000_000


class SpeedOf(StrEnum):
    """What the speeds of a curve are shares of: the clip as it is read, or life."""

    SPEED = "speed"
    PACE = "pace"


@dataclass(frozen=True)
class Point:
    """A moment of the picture: real source frame ``frame`` of the file, the speeds with which it is reached and left,
    timeline frames for which its picture ``holds``, the ``ease`` of both ends of the turn that begins at it, and the
    timeline frame ``at`` which it must come, if any.

    In a shape, ``share`` of the clip between in and out, or ``seconds`` from the in point, below zero from the out
    point, stand in place of the frame.
    """

    frame: int | None
    arrives: Fraction
    leaves: Fraction
    holds: int = 0
    ease: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0))
    at: int | None = None
    share: Fraction | None = None
    seconds: Fraction | None = None

    def __post_init__(self) -> None:
        if sum(place is not None for place in (self.frame, self.share, self.seconds)) != 1:
            raise RuleError(
                "Place a curve point by frame, by percentage of the clip, or in seconds from one end.", "curve"
            )
        if self.frame is not None and self.frame < 0:
            raise RuleError("Frame numbers start at 0.", "curve")
        if self.share is not None and not 0 <= self.share <= 1:
            raise RuleError("A percentage of the clip is between 0 and 100 %.", "curve")
        if max(abs(self.arrives), abs(self.leaves)) > HIGHEST_SPEED:
            raise RuleError("This speed is out of range.", "curve")
        if not 0 <= self.holds <= MOST_HELD:
            raise RuleError("A hold lasts 0 timeline frames or more.", "curve")
        if not all(0 <= end <= 3 for end in self.ease):
            raise RuleError("Ease is between 0 (soft) and 3 (abrupt); 1 is linear.", "curve")
        if self.at is not None and not 0 <= self.at <= MOST_HELD:
            raise RuleError("Pin a point to a timeline frame, counted from 0.", "curve")


@dataclass(frozen=True)
class Curve:
    """The points of a curve in order of running, and what their speeds are of."""

    of: SpeedOf
    points: tuple[Point, ...]

    def __post_init__(self) -> None:
        if not 1 <= len(self.points) <= MOST_POINTS:
            raise RuleError(f"A curve has between 1 and {MOST_POINTS} points.", "curve")

    def __str__(self) -> str:
        return json.dumps(self.document(), separators=(",", ":"))

    @property
    def is_shape(self) -> bool:
        """True where a point stands at a share or at seconds, so that it fits any clip."""
        return any(point.frame is None for point in self.points)

    def document(self) -> dict[str, Any]:
        """As JSON holds it: exact fractions as text, and nothing that is as it usually is."""
        return {"of": self.of.value, "points": [_point_document(point) for point in self.points]}

    @staticmethod
    def parse(document: Any) -> "Curve":
        """From JSON, parsed or as text, or from speeds in turn as people type them, ``100 → 20 → 100 %``, in per cent:
        a shape of equal stretches with soft turns between. Raises ``RuleError`` with what is wrong."""
        if isinstance(document, str) and not document.lstrip().startswith(("{", "[")):
            return _of_speeds(document)
        if isinstance(document, str):
            try:
                document = json.loads(document)
            except (ValueError, RecursionError):
                raise RuleError("This is not a curve: the text is not valid JSON.", "curve") from None
        points = document.get("points") if isinstance(document, dict) else None
        if not isinstance(points, list) or not 1 <= len(points) <= MOST_POINTS:
            raise RuleError(f"A curve is JSON with between 1 and {MOST_POINTS} “points”.", "curve")
        assert isinstance(document, dict)
        try:
            of = SpeedOf(document.get("of", "speed"))
        except ValueError:
            raise RuleError("“of” must be speed or pace.", "curve") from None
        if unknown := set(document) - {"of", "points"}:
            raise RuleError(f"“{min(unknown)}” is not part of a curve.", "curve")
        return Curve(of, tuple(_point(number, point) for number, point in enumerate(points)))

    def on(self, first: int, stop: int, rate: Fraction) -> "Curve":
        """The same at real source frames, for a clip whose frames ``first`` to ``stop − 1`` are used at about ``rate``
        a second."""
        if not self.is_shape:
            return self
        return replace(self, points=tuple(_placed(point, first, stop, rate) for point in self.points))


_SLOWEST, _FASTEST, _AS_FACTOR = Fraction(1, 200), Fraction(50), Fraction(1, 10)
"""Speeds beyond which what was typed is asked about; and those that, without a sign, may have been meant as factors."""


def _apart(text: str) -> list[str]:
    """The speeds in a text: between arrows or semicolons; without these between commas or spaces."""
    text = re.sub(r"\s*%", "%", text)
    if re.search(r"→|>|;", text):
        return re.split(r"\s*(?:→|->|>|;)\s*", text)
    if re.fullmatch(r"[-−]?\d+,\d+%?", text):
        first, second = text.rstrip("%").split(",")
        raise RuleError(f"“{text}” is ambiguous: {first}.{second}, or {first} → {second}?", "curve")
    return re.split(r"\s*,\s*|\s+", text)


def _speed_typed(text: str) -> Fraction:
    """A number is per cent, with the sign or without; a fraction is a factor."""
    number = text.removesuffix("%").strip()
    if "/" in number and number == text:
        return parse_signed(number)
    try:
        return parse_signed(f"{number}%")
    except RuleError:
        raise RuleError(f"“{text}” is not a speed. Type percentages, for example 100 → 25 → 100.", "curve") from None


def _of_speeds(text: str) -> Curve:
    """Stretches twice as long as the turns between them."""
    text, of = text.strip(), SpeedOf.SPEED
    for ending in ("of real time", "of life"):
        if text.endswith(ending):
            text, of = text.removesuffix(ending).strip(), SpeedOf.PACE
    typed = _apart(text)
    speeds = [_speed_typed(word) for word in typed]
    if "%" not in text and any(
        "/" not in word and 0 < abs(speed) <= _AS_FACTOR for word, speed in zip(typed, speeds, strict=True)
    ):
        said = " → ".join(
            percent_text(100 * speed if "/" not in word else speed) for word, speed in zip(typed, speeds, strict=True)
        )
        raise RuleError(
            f"Numbers here are percentages. Did you mean {said}? Type that, or add % to use it as typed.", "curve"
        )
    if odd := next((each for each in speeds if each and not _SLOWEST <= abs(each) <= _FASTEST), None):
        raise RuleError(
            f"{percent_text(odd)} is an unlikely speed. Numbers here are percentages: "
            "100 → 25 → 100, or fractions such as 1/4.", "curve",
        )  # fmt: skip
    if len(speeds) > MOST_POINTS // 2:
        raise RuleError(f"A curve has at most {MOST_POINTS} points.", "curve")
    whole, points = 3 * len(speeds) - 1, []
    for number, speed in enumerate(speeds):
        for place in {3 * number, 3 * number + 2} - {0, whole} or {0}:
            points.append(Point(None, speed, speed, share=Fraction(place, whole)))
    return Curve(of, tuple(sorted(points, key=lambda point: point.share or 0)))


def _placed(point: Point, first: int, stop: int, rate: Fraction) -> Point:
    if point.frame is not None:
        return point
    if point.share is not None:
        frame = first + round(point.share * (stop - first))
    else:
        assert point.seconds is not None
        frame = round(point.seconds * rate) + (first if point.seconds >= 0 else stop)
    return replace(point, frame=max(first, min(stop, frame)), share=None, seconds=None)


_KEYS = {"frame", "share", "seconds", "arrives", "leaves", "holds", "ease", "at"}


def _point(number: int, document: Any) -> Point:
    where = f"Point {number + 1} of the curve"
    if not isinstance(document, dict) or not set(document) <= _KEYS:
        raise RuleError(f"{where} takes {', '.join(sorted(_KEYS))}.", "curve")
    leaves = document.get("leaves", document.get("arrives"))
    if leaves is None:
        raise RuleError(f"{where} has no speed.", "curve")
    ease = document.get("ease", [0, 0])
    if not isinstance(ease, list) or len(ease) != 2:
        raise RuleError(f"{where}: its ease is two numbers, one for each end of the turn.", "curve")
    try:
        return Point(
            _whole(document.get("frame")), _fraction(document.get("arrives", leaves)), _fraction(leaves),
            _whole(document.get("holds", 0)) or 0, (_fraction(ease[0]), _fraction(ease[1])),
            _whole(document.get("at")), _maybe(document.get("share")), _maybe(document.get("seconds")),
        )  # fmt: skip
    except RuleError as error:
        raise RuleError(f"{where}: {error}", "curve") from None


def _maybe(value: Any) -> Fraction | None:
    return None if value is None else _fraction(value)


def _whole(value: Any) -> int | None:
    if value is None or (isinstance(value, int) and not isinstance(value, bool) and abs(value) < 1 << 53):
        return value
    raise RuleError("Frame numbers are whole numbers.", "curve")


def _fraction(value: Any) -> Fraction:
    if isinstance(value, bool) or not isinstance(value, int | str) or len(str(value)) > 60:
        raise RuleError("Give speeds exactly, as whole numbers or as text such as “2/5”.", "curve")
    return parse_signed(str(value))


def _point_document(point: Point) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name in ("frame", "at"):
        if (value := getattr(point, name)) is not None:
            out[name] = value
    for name in ("share", "seconds"):
        if (value := getattr(point, name)) is not None:
            out[name] = fraction_text(value)
    if point.arrives != point.leaves:
        out["arrives"] = fraction_text(point.arrives)
    out["leaves"] = fraction_text(point.leaves)
    if point.holds:
        out["holds"] = point.holds
    if any(point.ease):
        out["ease"] = [fraction_text(end) for end in point.ease]
    return out


def with_speeds(points: Sequence[Point], factor: Fraction) -> tuple[Point, ...]:
    """The points with all speeds multiplied."""
    if factor == 1:
        return tuple(points)
    return tuple(replace(point, arrives=point.arrives * factor, leaves=point.leaves * factor) for point in points)
