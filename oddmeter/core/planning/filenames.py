"""Names of made files: a pattern with words in braces, filled in for each clip."""

import re
from collections.abc import Mapping
from functools import lru_cache
from unicodedata import normalize

from oddmeter.core.numbers.errors import RuleError

WORDS = {
    "clip": "the clip's name without its ending",
    "folder": "the folder that distinguishes the clip from others of its name, else the one it lies in",
    "folders": "all folders that the clip lies in; in a folder, one below the other",
    "delivery": "the delivery's name",
    "timeline": "the timeline's name",
    "rate": "the timeline's rate",
    "intent": "what was decided",
    "speed": "the speed in per cent",
    "event": "of an event, its number on the timeline",
    "track": "of an event, its track",
    "reel": "the reel that a camera report or a list states",
    "setting": "the setting's name",
    "timecode": "the timecode of the first frame, without colons",
    "in": "the first source frame",
    "length": "the length in frames",
    "number": "the place among the files of one output, with three digits",
    "version": "v01, v02 and so on: which file of this clip or event, in this output, it is",
    "date": "the day the files are asked for, such as 20261201",
}
"""What can stand in braces, and what it stands for."""

OF_EVENTS = {"event", "track"}
"""Words that only mean something in names of events' files."""

LONGEST = 200
"""Bytes of a name, as file systems count them; they take 255, and an unfinished file has a longer name."""
_DEVICES = {"CON", "PRN", "AUX", "NUL", *(f"{name}{number}" for name in ("COM", "LPT") for number in range(1, 10))}
_NOT_IN_NAMES = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*]')


def filled(pattern: str, values: Mapping[str, str]) -> str:
    """The pattern with each ``{word}`` replaced, fit to be a file name anywhere.

    Raises ``RuleError`` for a word that is not in ``WORDS``, an unmatched brace, or an empty name.
    """
    name = safe_name(_filled(pattern, values))
    if not name:
        raise RuleError("This name pattern produces an empty name.", "name")
    return name


def filled_folder(pattern: str, values: Mapping[str, str]) -> str:
    """The folder that a pattern gives, in its one normal form: of all words only ``folders`` leads more than one level
    down, and what is empty is no level. Raises ``RuleError`` as ``filled`` does, and for ``..``."""
    if "{" not in pattern and "}" not in pattern:
        return safe_folder(pattern)
    return safe_folder(
        _filled(pattern, {word: text if word == "folders" else safe_name(text) for word, text in values.items()})
    )


def _filled(pattern: str, values: Mapping[str, str]) -> str:
    for word in re.findall(r"\{([^{}]*)\}", pattern):
        if word not in WORDS:
            raise RuleError(f"“{word}” is not a field of a name pattern. Use {', '.join(WORDS)}.", "name")
    if re.search(r"[{}]", re.sub(r"\{[^{}]*\}", "", pattern)):
        raise RuleError("A brace in the name pattern is not closed.", "name")
    return re.sub(r"\{([^{}]*)\}", lambda match: values[match[1]], pattern)


def safe_name(text: str) -> str:
    """The text in composed form (NFC) without what file systems refuse; dots and spaces at the ends are taken off.

    A name that Windows keeps for a device gets an underscore.
    """
    plain = _NOT_IN_NAMES.sub("_", normalize("NFC", text)).strip(" .")
    name = plain.encode("utf-8", "replace")[:LONGEST].decode("utf-8", "ignore").strip(" .")
    return f"{name}_" if name.partition(".")[0].strip().upper() in _DEVICES else name


@lru_cache(maxsize=256)
def safe_folder(text: str) -> str:
    """A folder below another, of safe names, in its one normal form: every spelling of it gives the same text. Empty
    for the folder itself. Raises ``RuleError`` for ``..``."""
    parts = text.replace("\\", "/").split("/")
    if any(part.strip() == ".." for part in parts):
        raise RuleError("A folder cannot contain “..”.", "folder")
    return "/".join(filter(None, map(safe_name, parts)))
