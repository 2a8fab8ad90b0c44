"""What the Bench looks with: the sides that were asked for lately, by token, and their pictures.

Clips are kept open, and pictures made ahead in the way one goes, so that it must be one for all: where the web
application runs in several processes, looking is a process of its own, which they ask.
"""

import signal
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from multiprocessing.connection import Client, Connection, Listener
from pathlib import Path
from threading import Lock, Thread, local
from typing import Any, cast

import numpy as np

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.planning.timelines import Timeline
from oddmeter.media.analysis.moments import Moment
from oddmeter.media.sound.beats import Beats
from oddmeter.media.sound.hearing import Hearing, Window, sound_seconds
from oddmeter.media.sound.mixing import Mix
from oddmeter.media.sound.track import SoundPlan
from oddmeter.media.viewing import Viewed, Viewing, content_key
from oddmeter.store.changes import MissingError

_MOST_SIDES = 64
Token = str


@dataclass(frozen=True)
class Side:
    """A side that pictures can be asked of."""

    viewed: Viewed
    timeline: Timeline
    source_start: Timecode | None


class Looking:
    """Sides and their pictures. A token says what the file is and all that was decided, so what is asked by it never
    means anything else."""

    def __init__(self, folder: Path) -> None:
        self._viewing = Viewing(folder)
        self._hearing = Hearing(folder.parent / "heard")
        self._kept: OrderedDict[Token, Side] = OrderedDict()
        self._lock = Lock()

    def close(self) -> None:
        """Close what is open."""
        self._viewing.close()
        self._hearing.close()

    def put(self, side: Side, *, fill: bool) -> Token:
        """Keep a side, and if ``fill`` begin to draw the drafts of all of it; returns its token."""
        token = side.viewed.key[:32]
        with self._lock:
            self._kept[token] = side
            self._kept.move_to_end(token)
            while len(self._kept) > _MOST_SIDES:
                self._kept.popitem(last=False)
        if fill:
            self._viewing.fill(side.viewed)
            for plan in side.viewed.sounds:
                self._hearing.begin(plan, content_key(plan.path))
        return token

    def side(self, token: Token) -> Side:
        """The side of a token; raises ``MissingError`` where it has to be asked for again."""
        with self._lock:
            if token not in self._kept:
                raise MissingError("This side of the Bench")
            self._kept.move_to_end(token)
            return self._kept[token]

    def draft(self, token: Token, number: int) -> bytes:
        """A timeline frame as ``Viewing.draft`` has it."""
        return self._viewing.draft(self.side(token).viewed, number)

    def final(self, token: Token, number: int, part: str | None = None) -> bytes:
        """A timeline frame as ``Viewing.final`` has it."""
        return self._viewing.final(self.side(token).viewed, number, part)

    def changes(self, token: Token, first: int, count: int) -> list[float]:
        """How much each timeline frame differs from the one before, as ``Viewing.changes`` has it."""
        return self._viewing.changes(self.side(token).viewed, first, count)

    def wav(self, token: Token, stream: int, first: int, count: int) -> bytes:
        """The sound of consecutive timeline frames, to the sample as it is made, as a WAV file."""
        viewed = self.side(token).viewed
        rate = viewed.planned.timeline_rate.value
        plan = _stream_of(viewed, stream)
        return self._hearing.wav(plan, content_key(plan.path), first / rate, (first + count) / rate)

    def mixed(self, mix: Mix) -> bytes:
        """A mix of a timeline's sounds, to the sample as it is made, as a WAV file."""
        return self._hearing.mixed(mix, {path: content_key(path) for path in mix.paths})

    def peaks(self, token: Token, stream: int, first: int, last: int, columns: int) -> Window:
        """The peaks of a window of timeline frames, ``last`` included, in so many columns."""
        viewed = self.side(token).viewed
        plan = _stream_of(viewed, stream)
        edges = np.linspace(first, last + 1, columns + 1) / float(viewed.planned.timeline_rate.value)
        return self._hearing.window(plan, content_key(plan.path), edges)

    def moments(self, token: Token, *, at_once: bool = False) -> list[Moment]:
        """The moments of the action of a side's clip, as ``Viewing.moments`` has them."""
        return self._viewing.moments(self.side(token).viewed, at_once=at_once)

    def beats(self, path: Path) -> Beats:
        """The beats that are found in a file of sound."""
        return self._hearing.beats(path, content_key(path))

    def sound_seconds(self, path: Path) -> Fraction:
        """How long a file of sound lasts."""
        return sound_seconds(path)


def _stream_of(viewed: Viewed, stream: int) -> SoundPlan:
    if stream >= len(viewed.sounds):
        raise MissingError("This sound")
    return viewed.sounds[stream]


def look_for_others(folder: Path, socket: str) -> None:
    """Look for all web processes of one start, at a socket in a folder of its owner alone, until SIGTERM."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    looking = Looking(folder)
    Path(socket).unlink(missing_ok=True)
    with Listener(socket, "AF_UNIX") as listener:
        while True:
            Thread(target=_serve, args=(looking, listener.accept()), daemon=True).start()


def looking_at(socket: str) -> Looking:
    """The looking of another process; it may be started later, and again."""
    return cast(Looking, _Elsewhere(socket))


def _serve(looking: Looking, connection: Connection) -> None:
    """Answer one thread of a web process until it is gone: a call, then whether it went well, and what it gave."""
    with suppress(OSError, EOFError):
        while True:
            name, arguments, named = connection.recv()
            try:
                answer = (True, getattr(looking, name)(*arguments, **named))
            except RuleError as error:
                answer = (False, error)
            except Exception as error:
                answer = (False, RuntimeError(repr(error)))
            connection.send(answer)


class _Elsewhere:
    """Passes every call on, over a connection for each thread; where the other process is gone, to the one that takes
    its place."""

    def __init__(self, socket: str) -> None:
        self._socket = socket
        self._threads = local()

    def __getattr__(self, name: str) -> Callable[..., Any]:
        def ask(*arguments: Any, **named: Any) -> Any:
            for _ in range(2):
                try:
                    connection = self._connection()
                    connection.send((name, arguments, named))
                    good, value = connection.recv()
                except (OSError, EOFError):
                    self._threads.connection = None
                    continue
                if good:
                    return value
                raise value
            raise RuleError("The Bench is restarting. Try again in a moment.", "busy")

        return ask

    def close(self) -> None:
        """Nothing: whoever started the other process ends it."""

    def _connection(self) -> Connection:
        if getattr(self._threads, "connection", None) is None:
            self._threads.connection = Client(self._socket, "AF_UNIX")
        return self._threads.connection  # type: ignore[no-any-return]
