"""Decode: the frames of a clip in the order they are shown, numbered from 0."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from fractions import Fraction
from itertools import islice
from pathlib import Path
from queue import Empty, Queue
from threading import Event, Thread

import av
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.opened import opened, pictures_in, upright
from oddmeter.media.files.sequence import is_sequence, sequence

_AHEAD = 4
"""Frames that are decoded before they are asked for."""


class FrameReader:
    """Reads the frames of one clip forwards. Use as a context manager; holds one frame at a time."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._files = sequence(path).files if is_sequence(path) else ()
        try:
            self._container = opened(self._files[0] if self._files else path)
        except (av.error.FFmpegError, OSError) as error:
            raise RuleError(f"{path.name} cannot be opened for reading.", "media") from error
        self.stream = _pictures_of(self._container, path)
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
        try:
            yield from upright(self._container.decode(self.stream))
        except av.error.FFmpegError as error:
            raise RuleError(f"{self.path.name} cannot be decoded to its end.", "media") from error


Entry = Callable[[int, Callable[[], None]], Iterator[VideoFrame]]
"""Gives the frames of a clip from a number on; what is given with it is called for each that is decoded on the way."""


@contextmanager
def entered(path: Path, facts: Facts, *, by_frames: bool = True) -> Iterator[Entry]:
    """The frames of a clip from any number on, one row of them after the other, each reached without decoding all that
    lies before it. Where nothing tells when a frame comes (``is_timed``), only the first row is right.

    Decoding several frames at a time, ``by_frames``, is for rows; the first frame of a row is there later. A clip that
    cannot be decoded further just ends. Raises ``RuleError`` where it cannot be opened.
    """
    if is_sequence(path):
        files = sequence(path).files
        yield lambda first, passed: (picture_in(file) for file in files[first:])
        return
    try:
        container = opened(path)
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"{path.name} cannot be opened for reading.", "media") from error
    with container:
        stream = _pictures_of(container, path)
        stream.thread_type = "AUTO" if by_frames else "SLICE"
        yield lambda first, passed: upright(_from(container, stream, facts, first, passed))


@contextmanager
def frames_from(path: Path, facts: Facts, first: int) -> Iterator[Iterator[VideoFrame]]:
    """The frames of a clip from number ``first`` on; as ``entered``, once."""
    with entered(path, facts) as entry:
        yield entry(first, lambda: None)


def is_timed(facts: Facts, first: int) -> bool:
    """True where a frame, not the first, is reached by when it comes."""
    return first > 0 and _comes(facts, first) is not None


@contextmanager
def read_ahead(frames: Iterator[VideoFrame]) -> Iterator[Iterator[VideoFrame]]:
    """The same frames, decoded by a thread of their own while the last ones are still being worked on.

    What decoding raises is raised where the frame is taken. At the end of the block the thread has ended.
    """
    waiting: Queue[VideoFrame | Exception | None] = Queue(_AHEAD)
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

    def taken() -> Iterator[VideoFrame]:
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


def _comes(facts: Facts, first: int) -> tuple[Fraction, Fraction] | None:
    """The second at which a frame comes, and how much earlier it may seem to; None where that cannot be told."""
    if facts.clock is not None and first < facts.clock.frames:
        here = facts.clock.time(first)
        gap = here - facts.clock.time(first - 1) if first else Fraction(0)
        return (here, gap / 2) if gap or not first else None
    if facts.timing is not Timing.CONSTANT or facts.file_rate is None:
        return None
    return first / facts.file_rate.value, Fraction(1, 2) / facts.file_rate.value


def _from(
    container: InputContainer, stream: VideoStream, facts: Facts, first: int, passed: Callable[[], None]
) -> Iterator[VideoFrame]:
    clock, comes = stream.time_base, _comes(facts, first)
    try:
        if clock is None or comes is None or first <= 0:
            yield from islice(container.decode(stream), first, None)
            return
        wanted = facts.start + comes[0] - comes[1]
        container.seek(max(0, int((wanted + comes[1]) / clock)), stream=stream)
        reached = False
        for packet in container.demux(stream):
            before = packet.pts is not None and packet.pts * clock < wanted
            stream.codec_context.skip_frame = "NONREF" if before and not reached else "DEFAULT"
            for frame in packet.decode():
                assert isinstance(frame, VideoFrame)
                reached = reached or frame.pts is None or frame.pts * clock >= wanted
                if reached:
                    yield frame
                else:
                    passed()
    except MemoryError:
        raise
    except av.error.FFmpegError:
        return


def picture_in(file: Path) -> VideoFrame:
    """The picture in a file of its own; raises ``RuleError`` where there is none."""
    try:
        with opened(file) as container:
            return next(upright(container.decode(_pictures_of(container, file))))
    except MemoryError:
        raise
    except (av.error.FFmpegError, OSError, StopIteration) as error:
        raise RuleError(f"{file.name} holds no picture that can be decoded.", "media") from error


def _pictures_of(container: InputContainer, path: Path) -> VideoStream:
    stream = pictures_in(container)
    if stream is None:
        container.close()
        raise RuleError(f"{path.name} holds no picture that can be decoded.", "media")
    return stream
