"""The lines of an edit decision list: what each one is, before any number in it is worked out."""

import re
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

_CODE = r"\d{1,2}[:;.,]\d{2}[:;.,]\d{2}[:;.,]\d{2,3}"
_EVENT = re.compile(
    r"(?P<number>\d{1,6}[A-Za-z]?)\s+(?P<reel>\S.*?)\s+(?P<channels>[A-Za-z][A-Za-z0-9/]*)\s+"
    r"(?P<edit>C|D|W\d{1,3}|KB|KO|K(?:\s+[BO])?)(?:\s+(?P<frames>\d{1,6}))?\s+"
    rf"(?P<source_in>{_CODE})\s+(?P<source_out>{_CODE})\s+(?P<record_in>{_CODE})\s+(?P<record_out>{_CODE})"
    r"(?P<rest>.*)",
    re.IGNORECASE,
)
_MOTION = re.compile(
    rf"M2\s+(?P<reel>\S.*?)\s+(?P<rate>[-+]?\d{{1,5}}(?:\.\d{{1,6}})?)(?:\s+(?P<at>{_CODE}))?\s*", re.I
)
_COUNTING = re.compile(r"FCM\s*:\s*(?P<non>NON[\s-]*)?DROP(?:[\s-]*FRAME)?\s*", re.IGNORECASE)
_MORE_SOUND = re.compile(r"AUD\s+(?P<numbers>\d{1,2}(?:\s+\d{1,2})*)\s*", re.IGNORECASE)
_COMMENT = re.compile(r"\*\s*(?P<text>.*)")
_REMARK = re.compile(
    r"(?P<what>FROM CLIP NAME|TO CLIP NAME|KEY CLIP NAME|CLIP NAME|FROM CLIP|SOURCE FILE|FROM FILE|SOURCE RATE"
    r"|LOC)\s*:\s*(?P<value>.*)",
    re.IGNORECASE,
)
_MARKER = re.compile(rf"(?P<at>{_CODE})\s*(?P<colour>[A-Za-z]*)\s*(?P<name>.*)")
_PART = re.compile(r"[AV]\d{0,2}", re.IGNORECASE)


class Remark(StrEnum):
    """What a comment says of the event that it follows."""

    FROM_NAME = "from name"
    TO_NAME = "to name"
    PATH = "path"
    SOURCE_RATE = "source rate"
    MARKER = "marker"


_KINDS = {
    "FROM CLIP NAME": Remark.FROM_NAME,
    "CLIP NAME": Remark.FROM_NAME,
    "TO CLIP NAME": Remark.TO_NAME,
    "SOURCE FILE": Remark.PATH,
    "FROM FILE": Remark.PATH,
    "FROM CLIP": Remark.PATH,
    "SOURCE RATE": Remark.SOURCE_RATE,
    "LOC": Remark.MARKER,
}


@dataclass(frozen=True)
class Motion:
    """An M2 line: frames a second at which a reel is run, below 0 backwards, with as many decimals as were written."""

    reel: str
    rate: Fraction
    decimals: int
    line: int


@dataclass
class Entry:
    """One line of an event with what the lines behind it add: timecodes as they are written, ``frames`` of its
    transition; ``drop`` how timecode was counted there, as the last line about it said."""

    line: int
    number: str
    reel: str
    tracks: tuple[str, ...]
    edit: str
    frames: int
    source_in: str
    source_out: str
    record_in: str
    record_out: str
    drop: bool | None
    motion: Motion | None = None
    name: str = ""
    path: str = ""
    source_rate: str = ""
    comments: list[str] = field(default_factory=list)

    @property
    def is_cut(self) -> bool:
        """True where it comes in by a cut."""
        return self.edit == "C"

    @property
    def has_length(self) -> bool:
        """False for a line that is there only to say what a transition comes from."""
        return self.record_in != self.record_out


@dataclass
class Lines:
    """A list taken apart. ``drop`` is how its record timecode is counted, None where no line says it; ``unread`` are
    the lines that say nothing here, ``markers`` timecodes with colour and name."""

    title: str = ""
    drop: bool | None = None
    entries: list[Entry] = field(default_factory=list)
    markers: list[tuple[int, str, str, str]] = field(default_factory=list)
    unread: list[tuple[int, str]] = field(default_factory=list)


def lines_of(text: str) -> Lines:
    """The list taken apart; nothing in it is an error yet."""
    return _Taking().through(text)


def tracks_of(channels: str) -> tuple[str, ...]:
    """The tracks that the channels of an event name: V; A and A1 are A1; AA both A1 and A2; B picture and A1; several
    with a stroke between. Empty where they name none (NONE), or nothing that is known."""
    tracks: list[str] = []
    for part in channels.upper().split("/"):
        if part == "B":
            tracks += ["V", "A1"]
        elif part == "AA":
            tracks += ["A1", "A2"]
        elif "".join(found := _PART.findall(part)) == part:
            tracks += ["A1" if track == "A" else track for track in found]
    return tuple(dict.fromkeys(tracks))


def written(code: str) -> str:
    """A timecode in one way of writing: two digits for the hours, colons, and a semicolon before the frames where it
    has one."""
    hours, minutes, seconds, frames = re.split(r"[:;.,]", code)
    return f"{hours:0>2}:{minutes}:{seconds}{';' if ';' in code else ':'}{frames}"


class _Taking:
    """Goes through the lines in turn; ``block`` are the entries of the event number that is being read."""

    def __init__(self) -> None:
        self.out = Lines()
        self.drop: bool | None = None
        self.block: list[Entry] = []
        self.named: list[Entry] = []

    def through(self, text: str) -> Lines:
        for number, raw in enumerate(re.split(r"\r\n|\r|\n", text), 1):
            if line := raw.strip(" \t\f\v\0\x1a\ufeff"):
                self._line(number, line)
        return self.out

    def _line(self, number: int, line: str) -> None:
        if match := _EVENT.fullmatch(line):
            self._event(number, line, match)
        elif line[:6].upper() == "TITLE:":
            self.out.title = self.out.title or line[6:].strip()
        elif match := _COUNTING.fullmatch(line):
            self.drop = not match["non"]
            if not self.out.entries:
                self.out.drop = self.drop
        elif match := _MOTION.fullmatch(line):
            self._motion(number, line, match)
        elif (match := _MORE_SOUND.fullmatch(line)) and self.block:
            more = [f"A{int(number)}" for number in match["numbers"].split()]
            self.block[-1].tracks = tuple(dict.fromkeys((*self.block[-1].tracks, *more)))
        elif match := _COMMENT.fullmatch(line):
            self._comment(number, match["text"].strip())
        else:
            self.out.unread.append((number, line))

    def _event(self, number: int, line: str, match: re.Match[str]) -> None:
        tracks, rest = tracks_of(match["channels"]), match["rest"].strip()
        if not tracks and match["channels"].upper() != "NONE":
            self.out.unread.append((number, line))
            return
        if rest:
            self.out.unread.append((number, rest))
        entry = Entry(
            number, match["number"], match["reel"], tracks, "".join(match["edit"].upper().split()),
            int(match["frames"] or 0), written(match["source_in"]), written(match["source_out"]),
            written(match["record_in"]), written(match["record_out"]), self.drop,
        )  # fmt: skip
        if not self.block or self.block[-1].number != entry.number:
            self.block = []
        self.named = []
        self.block.append(entry)
        self.out.entries.append(entry)

    def _name(self, name: str, entries: list[Entry]) -> None:
        for entry in entries:
            entry.name = name
        self.named = entries

    def _motion(self, number: int, line: str, match: re.Match[str]) -> None:
        decimals = len(match["rate"].partition(".")[2])
        motion = Motion(match["reel"], Fraction(match["rate"]), decimals, number)
        free = [entry for entry in self.block if entry.motion is None]
        named = [entry for entry in free if entry.reel == motion.reel]
        if not free:
            self.out.unread.append((number, line))
            return
        # An event that is there for its transition alone has no speed of its own.
        with_length = [entry for entry in named if entry.has_length]
        (with_length or named or free)[-1].motion = motion

    def _comment(self, number: int, text: str) -> None:
        noted = _REMARK.fullmatch(text)
        kind = _KINDS.get(noted["what"].upper()) if noted else None
        value = noted["value"].strip() if noted else ""
        if kind is Remark.MARKER and (mark := _MARKER.fullmatch(value)):
            self.out.markers.append((number, written(mark["at"]), mark["colour"], mark["name"].strip()))
        elif not self.block:
            if text:
                self.out.unread.append((number, text))
        elif kind is Remark.FROM_NAME:
            unnamed = [entry for entry in self.block if not entry.name]
            self._name(value, [entry for entry in unnamed if entry.is_cut] or unnamed[-1:])
        elif kind is Remark.TO_NAME:
            self._name(value, [entry for entry in self.block if not entry.is_cut] or self.block[-1:])
        elif kind is Remark.PATH:
            # A file is that of the event that was named last, or of those that have a length.
            for entry in self.named or [entry for entry in self.block if entry.has_length] or self.block:
                entry.path = value
        elif kind is Remark.SOURCE_RATE:
            self.block[-1].source_rate = value
        elif text:
            self.block[-1].comments.append(text)
