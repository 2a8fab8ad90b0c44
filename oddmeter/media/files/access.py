"""The frames of a clip in any order: a few kept, the next ones at hand, the others reached without decoding it all."""

from collections import OrderedDict, deque
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.decode import Entry, entered, is_timed, read_ahead

FEW = 24
"""Frames kept where frames are mostly asked for in order."""
_FARTHEST, _NEAREST = 48, 8
"""A frame that lies as far ahead as it takes to come to one from where decoding can begin is reached by decoding on: no
farther than this at the most, and so far at the least."""
_RUN_UP, _BESIDE = 16, 1
"""Where a frame lies a few behind the last one, some before it are decoded, too, and elsewhere the one beside it."""


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
        self._frames: Iterator[VideoFrame] | None = None
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
        if number not in self._kept:
            self._reach(number)
        self._kept.move_to_end(number)
        self._asked = number
        return self._kept[number]

    def _reach(self, number: int) -> None:
        farthest = max(_NEAREST, min(_FARTHEST, max(self._passed)))
        if self._frames is None or not self._next <= number <= self._next + farthest:
            steps_back = self._frames is not None and 0 < self._asked - number <= _RUN_UP
            self._start(max(0, number - (_RUN_UP if steps_back else _BESIDE)))
        assert self._frames is not None
        while self._next <= number:
            frame = next(self._frames, None)
            if frame is None:
                self._frames = None
                raise RuleError(f"{self.path.name} ends after {self._next} frames that can be decoded.", "media")
            self._kept[self._next] = frame
            self._next += 1
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)

    def _start(self, first: int) -> None:
        self._row.close()
        timed, by_frames = is_timed(self.facts, first), self._ahead or max(self._passed) > _NEAREST * 2
        if self._entry is None or not timed or by_frames != self._by_frames:
            self._open.close()
            self._by_frames = by_frames
            self._entry = self._open.enter_context(entered(self.path, self.facts, by_frames=by_frames))
        if timed:
            self._passed.append(0)
        frames = self._entry(first, self._pass)
        self._frames = self._row.enter_context(read_ahead(frames)) if self._ahead else frames
        self._next = first

    def _pass(self) -> None:
        """One more frame was decoded on the way to one."""
        self._passed[-1] += 1
