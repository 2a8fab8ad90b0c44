"""Decode: the frames of a file in the order they are shown, numbered from 0."""

from collections.abc import Iterator
from pathlib import Path

import av
from av.video.frame import VideoFrame

from oddmeter.core.errors import RuleError


class FrameReader:
    """Reads the frames of one file forwards. Use as a context manager; holds one frame at a time."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self._container = av.open(str(path), metadata_errors="replace")
        except (av.error.FFmpegError, OSError) as error:
            raise RuleError(f"{path.name} cannot be opened for reading.", "media") from error
        self.stream = self._container.streams.video[0]
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
        try:
            yield from self._container.decode(self.stream)
        except av.error.FFmpegError as error:
            raise RuleError(f"{self.path.name} cannot be decoded to its end.", "media") from error
