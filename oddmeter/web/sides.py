"""The sides of the Bench that pictures can be asked of, kept for as long as they are looked at."""

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.planning.timelines import Timeline
from oddmeter.media.viewing import Viewed
from oddmeter.store.changes import MissingError

_MOST_SIDES = 64
Token = str


@dataclass(frozen=True)
class Side:
    """A side that pictures can be asked of."""

    viewed: Viewed
    timeline: Timeline
    source_start: Timecode | None


class Sides:
    """The sides that were asked for lately, by token. A token says what the file is and all that was decided."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Token, Side] = OrderedDict()
        self._lock = Lock()

    def put(self, side: Side) -> Token:
        """Keep a side; returns its token."""
        token = side.viewed.key[:32]
        with self._lock:
            self._kept[token] = side
            self._kept.move_to_end(token)
            while len(self._kept) > _MOST_SIDES:
                self._kept.popitem(last=False)
        return token

    def get(self, token: Token) -> Side:
        """The side of a token; raises ``MissingError`` where it has to be asked for again."""
        with self._lock:
            if token not in self._kept:
                raise MissingError("This side of the Bench")
            self._kept.move_to_end(token)
            return self._kept[token]
