"""The frames of a clip in any order: a few kept, the next ones at hand, the others reached without decoding it all."""

from collections import OrderedDict
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.decode import frames_from, read_ahead

FEW = 24
"""Frames kept where frames are mostly asked for in order."""
_JUMP, _RUN_UP = 48, 16
"""A frame that lies no farther ahead is reached by decoding on; one that lies behind, with some before it."""


class FrameAccess:
    """Frames of one clip by their number. Use as a context manager; not for several threads at once.

    ``most`` frames are kept. With ``ahead`` the next ones are decoded in a thread of their own.
    """

    def __init__(self, path: Path, facts: Facts, most: int = FEW, *, ahead: bool = False) -> None:
        self.path, self.facts = path, facts
        self._most, self._ahead = max(most, _RUN_UP + 2), ahead
        self._kept: OrderedDict[int, VideoFrame] = OrderedDict()
        self._open = ExitStack()
        self._frames: Any = None
        self._next = 0

    def __enter__(self) -> "FrameAccess":
        return self

    def __exit__(self, *_: object) -> None:
        self._open.close()
        self._kept.clear()
        self._frames = None

    def frame(self, number: int) -> VideoFrame:
        """The frame with this number; raises ``RuleError`` where the clip has none that can be decoded."""
        if number not in self._kept:
            self._reach(number)
        self._kept.move_to_end(number)
        return self._kept[number]

    def _reach(self, number: int) -> None:
        if self._frames is None or not self._next <= number <= self._next + _JUMP:
            behind = self._frames is not None and number < self._next
            self._start(max(0, number - _RUN_UP) if behind else number)
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
        self._open.close()
        self._open = ExitStack()
        frames = self._open.enter_context(frames_from(self.path, self.facts, first))
        self._frames = self._open.enter_context(read_ahead(frames)) if self._ahead else frames
        self._next = first
