"""The frames of a clip in any order: a few kept, the next ones at hand, the others reached without decoding it all."""

from collections import OrderedDict, deque
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Protocol

from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.sequence import is_sequence
from oddmeter.media.frames.decode import read_ahead
from oddmeter.media.frames.reaching import Entry, Numbered, entered, index_of

FEW = 24
"""Frames kept where frames are mostly asked for in order."""
_FARTHEST, _NEAREST = 48, 8
"""A frame that lies as far ahead as it takes to come to one from where decoding can begin is reached by decoding on: no
farther than this at the most, and so far at the least."""
_RUN_UP, _BESIDE = 16, 1
"""Where a frame lies a few behind the last one, some before it are decoded, too, and elsewhere the one beside it."""


class Frames(Protocol):
    """The frames of one clip by their number, of whoever reads them."""

    @property
    def facts(self) -> Facts:
        """What was found out about the clip."""

    def frame(self, number: int) -> VideoFrame:
        """The frame with this number; raises ``RuleError`` where it cannot be had."""

    def __exit__(self, *_: object) -> None:
        """Close the clip."""


class FrameAccess:
    """Frames of one clip by their number. Use as a context manager; not for several threads at once.

    ``most`` frames are kept. With ``ahead`` the next ones are decoded in a thread of their own.
    """

    def __init__(self, path: Path, facts: Facts, most: int = FEW, *, ahead: bool = False) -> None:
        self.path, self.facts = path, facts
        self._most, self._ahead = max(most, _RUN_UP + 2), ahead
        self._kept: OrderedDict[int, VideoFrame] = OrderedDict()
        self._open, self._row = ExitStack(), ExitStack()
        self._entry: Entry | None = None
        self._by_frames = True
        self._frames: Iterator[Numbered] | None = None
        self._index = None if is_sequence(path) else index_of(path, facts)
        self._next, self._asked = 0, 0
        self._passed = deque([_FARTHEST], 3)

    def __enter__(self) -> "FrameAccess":
        return self

    def __exit__(self, *_: object) -> None:
        self._row.close()
        self._open.close()
        self._kept.clear()
        self._entry = self._frames = None

    def frame(self, number: int) -> VideoFrame:
        """The frame with this number; raises ``RuleError`` where the clip has none that can be decoded."""
        picture = number
        if self._index is not None:
            if not 0 <= number < (frames := self._index.frames):
                raise RuleError(f"{self.path.name} can be decoded only up to frame {frames}.", "media")
            picture = self._index.picture_of(number)
        if picture not in self._kept:
            self._reach(number, picture)
        self._kept.move_to_end(picture)
        self._asked = picture
        return self._kept[picture]

    def _reach(self, number: int, picture: int) -> None:
        """Come to a picture by decoding on, or by a new row; where that leads past it, by one that begins with it."""
        farthest = max(_NEAREST, min(_FARTHEST, max(self._passed)))
        if self._frames is not None and self._next <= picture <= self._next + farthest and self._came(picture):
            return
        steps_back = self._frames is not None and 0 < self._asked - picture <= _RUN_UP
        first = max(0, picture - (_RUN_UP if steps_back else _BESIDE))
        if self._comes_from(first, picture) or (first < picture and self._comes_from(picture, picture)):
            return
        ends = self._frames is None
        self._frames = None
        if ends:
            raise RuleError(f"{self.path.name} ends after {self._next} frames that can be decoded.", "media")
        raise RuleError(f"Frame {number} of {self.path.name} cannot be decoded.", "media")

    def _comes_from(self, first: int, picture: int) -> bool:
        self._start(first)
        return self._came(picture)

    def _came(self, picture: int) -> bool:
        """Decode on until a picture comes; False where one behind it does, or none any more."""
        assert self._frames is not None
        while self._next <= picture:
            found = next(self._frames, None)
            if found is None:
                self._frames = None
                return False
            self._kept[found[0]] = found[1]
            self._next = found[0] + 1
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return picture in self._kept

    def _start(self, first: int) -> None:
        self._row.close()
        by_frames = self._ahead or max(self._passed) > _NEAREST * 2
        if self._entry is None or by_frames != self._by_frames:
            self._open.close()
            self._by_frames = by_frames
            self._entry = self._open.enter_context(entered(self.path, self.facts, by_frames=by_frames))
        if first > 0:
            self._passed.append(0)
        frames = self._entry(first, self._pass)
        self._frames = self._row.enter_context(read_ahead(frames)) if self._ahead else frames
        self._next = first

    def _pass(self) -> None:
        """One more frame was decoded on the way to one."""
        self._passed[-1] += 1
