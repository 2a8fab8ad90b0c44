"""What a file's name hints at: rates, scan and gauge. A name is a hint and never more."""

import re
from dataclasses import dataclass

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

_NUMBER = r"(?<![\d.,])(\d{1,4}(?:[.,]\d{1,3})?)"
_FPS = re.compile(_NUMBER + r"[\s_-]?fps(?![a-z])", re.IGNORECASE)
_RASTER_FIRST = re.compile(r"(?<![\d])(?:\d{3,4})([pi])[\s_-]?(\d{2,3}(?:[.,]\d{1,3})?)(?![\d])", re.IGNORECASE)
_RATE_SCAN = re.compile(r"(?<![\d.,a-z])(\d{2,3}(?:[.,]\d{1,3})?)([pi])(?![\da-z])", re.IGNORECASE)
_CUT_SHORT = {"23": "23.976", "29": "29.97", "47": "47.95", "59": "59.94", "119": "119.88", "239": "239.76"}
_RASTERS = {"240", "270", "288", "360", "480", "486", "540", "576", "720"}
_GAUGES = tuple(
    (gauge, re.compile(rf"(?<![a-z\d.,])(?:{written})(?![a-z\d])[\s_-]*(\d{{2}})?(?!\d)", re.IGNORECASE))
    for gauge, written in (
        ("super-8", r"(?:s|super)[\s_-]?8(?:mm)?"),
        ("8mm", r"[nr]8|(?:std|regular|normal|double)[\s_-]?8|8[\s_-]?mm"),
        ("9.5mm", r"9[.,_]5[\s_-]?mm"),
        ("16mm", r"s[\s_-]?16|16[\s_-]?mm"),
        ("35mm", r"35[\s_-]?mm"),
    )
)


@dataclass(frozen=True)
class Hints:
    """What a name hints at, each with the piece of the name that does."""

    shot_rate: tuple[Rate, str] | None = None
    file_rate: tuple[Rate, str] | None = None
    scan: tuple[str, str] | None = None
    gauge: tuple[str, str] | None = None


def hints(name: str) -> Hints:
    """The hints in a file's name: ``…_150fps_…``, ``24p``, ``1080i50``, ``S8_18``."""
    stem = name.rsplit(".", 1)[0] if "." in name else name
    shot = file = scan = film = None
    if match := _FPS.search(stem):
        shot = _rate(match[1], match[0])
    if match := _RASTER_FIRST.search(stem):
        file, scan = _rate(match[2] + match[1], match[0]), _scan(match[1], match[0])
    elif (match := _RATE_SCAN.search(stem)) and match[1] not in _RASTERS:
        file, scan = _rate(match[1] + match[2], match[0]), _scan(match[2], match[0])
    for gauge_id, pattern in _GAUGES:
        if match := pattern.search(stem):
            film = gauge_id, match[0].strip(" _-")
            if match[1] and shot is None and 8 <= int(match[1]) <= 60:
                shot = _rate(match[1], match[0].strip(" _-"))
            break
    return Hints(shot, file, scan, film)


def _rate(text: str, piece: str) -> tuple[Rate, str] | None:
    """The rate in a piece of a name; ``59i`` and ``23p`` stand for 59.94i and 23.976."""
    number, scan = text.lower().rstrip("pi"), "i" if text.lower().endswith("i") else ""
    try:
        return Rate.parse(_CUT_SHORT.get(number, number) + scan), piece
    except RuleError:
        return None


def _scan(letter: str, piece: str) -> tuple[str, str]:
    return ("interlaced" if letter.lower() == "i" else "progressive"), piece
