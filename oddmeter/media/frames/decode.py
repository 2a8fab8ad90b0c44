"""Decode: the frames of a clip one after the other, in the order in which they are shown."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from queue import Empty, Queue
from threading import Event, Thread
from typing import TypeVar

import av
from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.frame_index import FrameIndex
from oddmeter.core.pictures.turn import Turn
from oddmeter.media.files.opened import opened_pictures, picture_in, turn_in, turned
from oddmeter.media.files.sequence import is_sequence, sequence
from oddmeter.media.frames.reaching import Numbered, entered, index_of

_AHEAD = 4
"""Frames that are decoded before they are asked for."""
T = TypeVar("T")


class FrameReader:
    """Reads the frames of a file forwards as they come out of the decoder, and counts them. Use as a context manager;
    holds one frame at a time."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._files = sequence(path).files if is_sequence(path) else ()
        self._container, self.stream = opened_pictures(self._files[0] if self._files else path)
        self.stream.thread_type = "AUTO"
        self._frames = self._decoded()
        self._number = -1
        self._current: VideoFrame | None = None

    def __enter__(self) -> "FrameReader":
        return self

    def __exit__(self, *_: object) -> None:
        self._container.close()

    def frame(self, number: int) -> VideoFrame:
        """The frame with this number; numbers may stay or rise from call to call, never fall.

        Raises ``RuleError`` where the file ends before, or the frame lies behind.
        """
        if number < self._number:
            raise RuleError("Frames are read forwards only.", "media")
        while self._number < number:
            self._current = next(self._frames, None)
            if self._current is None:
                raise RuleError(f"{self.path.name} ends after {self._number + 1} frames that can be decoded.", "media")
            self._number += 1
        assert self._current is not None
        return self._current

    def __iter__(self) -> Iterator[VideoFrame]:
        return self._frames

    def _decoded(self) -> Iterator[VideoFrame]:
        if self._files:
            for file in self._files:
                yield picture_in(file)
            return
        turn: Turn | None = None
        try:
            for frame in self._container.decode(self.stream):
                turn = turn_in(frame) if turn is None else turn
                yield turned(frame, turn)
        except av.error.FFmpegError as error:
            raise RuleError(f"{self.path.name} cannot be decoded to its end.", "media") from error


@contextmanager
def frames_from(path: Path, facts: Facts, first: int) -> Iterator[Iterator[VideoFrame]]:
    """The frames of a clip from number ``first`` on, to the last that can be decoded. Where a frame has no picture of
    its own, or it cannot be decoded, the one before stays.

    Raises ``RuleError`` where the clip cannot be opened.
    """
    index = None if is_sequence(path) else index_of(path, facts)
    with entered(path, facts) as entry:
        yield _held(entry(first, lambda: None), first, index)


def _held(pictures: Iterator[Numbered], first: int, index: FrameIndex | None) -> Iterator[VideoFrame]:
    """One frame for each number from the first on, of pictures with theirs."""
    number, picture, before = first, first, None
    for picture, frame in pictures:
        while number < picture:
            yield before or frame
            number += 1
        before = frame
        if number == picture:
            yield frame
            number += 1
    while before is not None and index is not None and number < index.frames and index.picture_of(number) == picture:
        yield before
        number += 1


@contextmanager
def read_ahead(frames: Iterator[T]) -> Iterator[Iterator[T]]:
    """The same frames, decoded by a thread of their own while the last ones are still being worked on.

    What decoding raises is raised where the frame is taken. At the end of the block the thread has ended.
    """
    waiting: Queue[T | Exception | None] = Queue(_AHEAD)
    enough = Event()

    def decode() -> None:
        last: Exception | None = None
        try:
            for frame in frames:
                if enough.is_set():
                    return
                waiting.put(frame)
        except Exception as error:
            last = error
        waiting.put(last)

    def taken() -> Iterator[T]:
        while (frame := waiting.get()) is not None:
            if isinstance(frame, Exception):
                raise frame
            yield frame

    thread = Thread(target=decode, daemon=True)
    thread.start()
    try:
        yield taken()
    finally:
        enough.set()
        while thread.is_alive():
            with suppress(Empty):
                waiting.get(timeout=0.02)
        thread.join()
