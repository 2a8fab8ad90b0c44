"""The index of a file: which frame each packet shows, and from which packets decoding can begin.

A frame has its number by its place in the whole: packets are counted in the order in which they lie in the file, and
``shown`` says which frame each of them shows. Whoever enters a file in its middle knows where that was by the content
of the packet that decoding began with, and counts on from there.
"""

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from struct import Struct

import numpy as np
import numpy.typing as npt

Numbers = npt.NDArray[np.int64]

_HEAD = Struct("<Q??QQ")
"""Frames, by bytes, intra, packets, groups."""
NONE = -1
"""What a packet shows that gives no picture of its own: left out by an edit list, hidden, the second field of one."""


@dataclass(frozen=True)
class Group:
    """A packet from which decoding can begin, the ``order``-th of the file, and the ``frame`` it shows. ``place`` is
    its byte in the file, −1 where that is not known, ``time`` when it is shown, in ticks of its stream; ``digest`` is
    of its content."""

    order: int
    frame: int
    place: int
    time: int
    digest: int


@dataclass(frozen=True)
class FrameIndex:
    """The index of a file as one value, ``packed`` as it is kept. A frame that no packet shows looks like the one
    before it."""

    packed: bytes

    @staticmethod
    def of(
        shown: Sequence[int] | Numbers, frames: int, groups: Sequence[Group], *, by_bytes: bool, is_intra: bool
    ) -> "FrameIndex":
        """The index of a file of so many frames whose packets, in the order in which they lie there, show these;
        ``by_bytes`` and ``is_intra`` as below."""
        table = np.array(
            [(group.order, group.frame, group.place, group.time, group.digest) for group in groups], np.int64
        ).reshape(-1, 5)
        own = np.asarray(shown, np.int64)
        steps = [np.diff(own, prepend=0), *np.diff(table[:, :4], axis=0, prepend=0).T, table[:, 4]]
        head = _HEAD.pack(frames, by_bytes, is_intra, len(own), len(table))
        return FrameIndex(head + zlib.compress(b"".join(part.astype("<i8").tobytes() for part in steps)))

    @property
    def frames(self) -> int:
        """How many frames there are."""
        return int(self._head[0])

    @property
    def by_bytes(self) -> bool:
        """True where a group is sought by its place, as in streams that keep no table of their own."""
        return bool(self._head[1])

    @property
    def is_intra(self) -> bool:
        """True where every packet is a frame that is decoded by itself."""
        return bool(self._head[2])

    @cached_property
    def _head(self) -> tuple[int, ...]:
        return _HEAD.unpack_from(self.packed)

    @cached_property
    def _unpacked(self) -> tuple[Numbers, Numbers]:
        """What each packet shows, and the groups: a row of five for each."""
        *_, packets, groups = self._head
        numbers = np.frombuffer(zlib.decompress(self.packed[_HEAD.size :]), "<i8").astype(np.int64)
        table = numbers[packets:].reshape(5, groups)
        table[:4] = np.cumsum(table[:4], axis=1)
        return np.cumsum(numbers[:packets]), table.T

    @property
    def shown(self) -> Numbers:
        """The frame that each packet shows, by its order in the file; ``NONE`` where it shows none."""
        return self._unpacked[0]

    @cached_property
    def pictures(self) -> Numbers:
        """The frames that have a picture of their own, in the order in which they are shown."""
        return np.sort(self.shown[self.shown != NONE])

    def picture_of(self, frame: int) -> int:
        """The frame whose picture a frame shows: its own, or that of the last one before it that has one."""
        at = int(np.searchsorted(self.pictures, frame, "right")) - 1
        return int(self.pictures[max(at, 0)]) if len(self.pictures) else frame

    @property
    def groups(self) -> int:
        """How many groups there are."""
        return len(self._unpacked[1])

    def group(self, number: int) -> Group:
        """A group by its number, from 0."""
        return Group(*(int(value) for value in self._unpacked[1][number]))

    def group_before(self, frame: int) -> int:
        """The number of the last group whose frame is not after this one; −1 where there is none."""
        return int(np.searchsorted(self._unpacked[1][:, 1], frame, "right")) - 1

    def group_with(self, place: int, digest: int) -> int | None:
        """The number of the group that a packet of this content begins: the one at this place of the file where several
        have it; None where it cannot be determined."""
        alike = self._by_digest.get(digest, ())
        if len(alike) == 1:
            return alike[0]
        return next((number for number in alike if self.group(number).place == place >= 0), None)

    @cached_property
    def digests(self) -> dict[int, int]:
        """The digest of each packet that begins a group, by its order."""
        table = self._unpacked[1]
        return dict(zip(table[:, 0].tolist(), table[:, 4].tolist(), strict=True))

    @cached_property
    def _by_digest(self) -> dict[int, list[int]]:
        found: dict[int, list[int]] = {}
        for number, digest in enumerate(self._unpacked[1][:, 4].tolist()):
            found.setdefault(digest, []).append(number)
        return found
