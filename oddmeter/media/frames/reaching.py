"""Reaching: the frames of a clip from any number on, without decoding all that lies before.

A frame is never numbered by when it seems to come: containers land elsewhere than they are asked to. Where decoding
begins in the middle, it begins with a packet that the clip's index knows by its content, and what follows is counted
from there. Where the wanted frame does not come out so, it is sought from farther back, at last from the start.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from itertools import chain
from pathlib import Path
from typing import Any

import av
from av.packet import Packet
from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.frame_index import NONE, FrameIndex
from oddmeter.media.files.opened import opened_pictures, picture_in, turned
from oddmeter.media.files.packets import Ordered, counted, digest_of, labelled, place_of
from oddmeter.media.files.probe import probe
from oddmeter.media.files.sequence import is_sequence, sequence

Numbered = tuple[int, VideoFrame]
Entry = Callable[[int, Callable[[], None]], Iterator[Numbered]]
"""Gives the pictures of a clip with their numbers, from that which a frame shows on; what is given with it is called
for each that is decoded on the way. A picture that cannot be decoded is left out."""

_PASSES_OVER = ("h264", "hevc", "mpeg2video", "mpeg1video", "mpeg4")
"""Decoders that can be determined at any packet to leave out pictures that no other is built on."""


@contextmanager
def entered(path: Path, facts: Facts, *, by_frames: bool = True) -> Iterator[Entry]:
    """The pictures of a clip from any number on, one row of them after the other.

    Decoding several frames at a time, ``by_frames``, is for rows; the first frame of a row is there later. Raises
    ``RuleError`` where the clip cannot be opened.
    """
    if is_sequence(path):
        files = sequence(path).files
        yield lambda first, passed: ((first + at, picture_in(file)) for at, file in enumerate(files[first:]))
        return
    reader = OpenFile(path, facts, by_frames=by_frames)
    try:
        yield reader.row
    finally:
        reader.close()


def index_of(path: Path, facts: Facts) -> FrameIndex:
    """The index of a file: what was found out when it was looked at, or else found out now; raises ``RuleError`` where
    it cannot be opened."""
    if facts.index is not None:
        return facts.index
    try:
        changed = path.stat().st_mtime_ns
    except OSError as error:
        raise RuleError(f"{path.name} cannot be opened.", "media") from error
    return _found_now(path, changed)


@lru_cache(maxsize=32)
def _found_now(path: Path, changed: int) -> FrameIndex:
    found = probe(path)
    if found.index is None:
        raise RuleError(found.fault or f"{path.name} cannot be opened.", "media")
    return found.index


class OpenFile:
    """A file kept open, to be entered again and again; for one row at a time."""

    def __init__(self, path: Path, facts: Facts, *, by_frames: bool = True) -> None:
        self.index = index_of(path, facts)
        self._path, self._turn = path, facts.turn
        self._thread_type = "AUTO" if by_frames else "SLICE"
        self._open()

    def _open(self) -> None:
        self._container, self._stream = opened_pictures(self._path)
        self._stream.thread_type = self._thread_type
        self._at_start = True

    def close(self) -> None:
        """Close the file."""
        self._container.close()

    def row(self, first: int, passed: Callable[[], None]) -> Iterator[Numbered]:
        """The pictures from that of frame ``first`` on."""
        if first >= self.index.frames:
            return
        wanted = self.index.picture_of(first)
        group, step = self.index.group_before(wanted), 1
        while True:
            row = self._row_from(group, wanted, passed)
            picture = next(row, None)
            if group < 0 or (picture is not None and picture[0] == wanted):
                break
            group, step = max(-1, group - step), 2 * step
        if picture is not None:
            yield picture
            yield from row

    def straight(self, group: int) -> Iterator[Numbered]:
        """All pictures that come out where decoding begins with a group, or one before it, or with the start of the
        file (−1), each with the frame that its packet shows, or ``NONE``."""
        packets = None
        while group >= 0 and (packets := self._from_group(group)) is None:
            group = max(-1, group - 1)
        self._stream.codec_context.skip_frame = "DEFAULT"
        known = self._known(packets if packets is not None else self._from_start())
        for order, frame in labelled(self._stream, known):
            yield int(self.index.shown[order]), turned(frame, self._turn)

    def _row_from(self, group: int, wanted: int, passed: Callable[[], None]) -> Iterator[Numbered]:
        """The pictures from the wanted one on, where decoding begins with a group, or with the start of the file
        (−1)."""
        packets = self._from_start() if group < 0 else self._from_group(group)
        shown, last = self.index.shown, wanted - 1
        for order, frame in labelled(self._stream, self._needed(packets or (), wanted)):
            number = int(shown[order])
            if NONE < number < wanted:
                passed()
            elif number > last:
                last = number
                yield number, turned(frame, self._turn)

    def _from_start(self) -> Ordered:
        if not self._at_start:
            self.close()
            self._open()
        self._at_start = False
        return counted(self._container.demux(self._stream))

    def _from_group(self, number: int) -> Ordered | None:
        """The packets from a group on, or from one before it; None where the container lands behind it."""
        self._at_start = False
        group = self.index.group(number)
        try:
            if self.index.by_bytes and group.place >= 0:
                self._container.seek(group.place, unsupported_byte_offset=True)
            else:
                self._container.seek(group.time, stream=self._stream)
            packets = self._container.demux(self._stream)
            for packet in packets:
                found = self.index.group_with(place_of(packet), digest_of(packet)) if packet.is_keyframe else None
                if found is not None:
                    order = self.index.group(found).order
                    return counted(chain([packet], packets), order) if found <= number else None
        except (av.error.FFmpegError, OSError):
            pass
        return None

    def _known(self, packets: Ordered) -> "Iterator[tuple[int, Packet[Any]]]":
        """The packets, as far as they are those that were counted."""
        digests, most = self.index.digests, len(self.index.shown)
        for order, packet in packets:
            if order >= most or (order in digests and digests[order] != digest_of(packet)):
                return
            yield order, packet

    def _needed(self, packets: Ordered, wanted: int) -> "Iterator[tuple[int, Packet[Any]]]":
        """The packets that are needed for the pictures from the wanted one on."""
        shown, decoder = self.index.shown, self._stream.codec_context
        decoder.skip_frame = "DEFAULT"
        for order, packet in self._known(packets):
            before = shown[order] < wanted
            if before and self.index.is_intra:
                continue
            if decoder.name in _PASSES_OVER and shown[order] != NONE:
                decoder.skip_frame = "NONREF" if before else "DEFAULT"
            yield order, packet
