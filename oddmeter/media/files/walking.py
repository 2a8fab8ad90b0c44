"""Walking: one pass over all packets of a file, noting of each what tells where its pictures and sounds lie."""

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
from av.audio.stream import AudioStream
from av.container import InputContainer
from av.packet import Packet
from av.video.stream import VideoStream

from oddmeter.media.files.packets import Silent, digest_of, place_of

_APART = 8
"""Packets that groups lie apart at least; those between are read over."""
_SOUND_PACKETS = 8
"""Packets of sound that are tried, to tell whether the rest can be decoded."""
_BACK = Fraction(1)
"""Seconds by which times that run backwards tell of another recording."""
_WRAPS = 1 << 33
"""Ticks of ninety thousand after which the times of a transport or program stream begin again (ISO/IEC 13818-1)."""


@dataclass
class Packets:
    """What a walk notes of the packets of pictures, in the order in which they lie in the file."""

    in_places: bool = False
    """True of a format that has numbered places and no times: a packet says in which it lies, not when it is shown."""
    times: list[int | None] = field(default_factory=list)
    """When each is shown, or else decoded, in ticks; its place where it has one."""
    sizes: list[int] = field(default_factory=list)
    keys: list[tuple[int, int, int]] = field(default_factory=list)
    """Packets from which decoding may begin: order, byte in the file, digest."""
    silent: set[int] = field(default_factory=set)
    """Those that show no picture of their own."""
    first_key: int | None = None
    all_keys: bool = True
    untimed: bool = False
    """True where one does not say when it is shown."""
    without_time: int = 0
    """How many say neither when they are shown nor when decoded."""
    reordered: bool = False
    """True where one is shown at another time than it is decoded at."""
    damaged: bool = False
    left_out: int = 0
    """How many an edit list leaves out."""
    end: int = 0
    """The end of the one that ends last, where they say how long they last."""
    jumps_back: int | None = None
    """The order of the first one whose time lies far before that of the one before."""
    _decoded_at: int | None = None

    def note(self, packet: "Packet[Any]", silent: bool, back: int) -> None:
        """Note the next packet, and whether it is known to show nothing of its own; times that go back by more than
        ``back`` ticks are those of another recording."""
        order = len(self.times)
        time = packet.dts if packet.pts is None or self.in_places else packet.pts
        self.times.append(time)
        self.sizes.append(packet.size)
        self.untimed = self.untimed or packet.pts is None or self.in_places
        self.without_time += time is None
        self.reordered = self.reordered or packet.pts != packet.dts
        self.damaged = self.damaged or bool(packet.is_corrupt)
        self.all_keys = self.all_keys and bool(packet.is_keyframe)
        self.end = max(self.end, (time or 0) + (packet.duration or 0))
        self._note_jump(order, packet.dts, back)
        if packet.is_discard:
            self.left_out += 1
        if silent or packet.is_discard:
            self.silent.add(order)
        elif packet.is_keyframe:
            self.first_key = order if self.first_key is None else self.first_key
            if not self.keys or order >= self.keys[-1][0] + _APART:
                self.keys.append((order, place_of(packet), digest_of(packet)))

    def _note_jump(self, order: int, decoded_at: int | None, back: int) -> None:
        if decoded_at is None:
            return
        if self._decoded_at is not None and decoded_at < self._decoded_at - back and self.jumps_back is None:
            self.jumps_back = order
        self._decoded_at = decoded_at


@dataclass
class Heard:
    """Where the packets of a sound stream begin and end, in ticks, and whether those that were tried can be decoded."""

    first: int | None = None
    end: int = 0
    tried: int = 0
    decodes: bool | None = None

    def note(self, packet: "Packet[Any]") -> None:
        """Note the next packet."""
        time = packet.pts if packet.pts is not None else packet.dts
        if self.decodes is not True and self.tried < _SOUND_PACKETS:
            self._listen(packet)
        if time is not None:
            self.first = time if self.first is None else min(self.first, time)
            self.end = max(self.end, time + (packet.duration or 0))

    def _listen(self, packet: "Packet[Any]") -> None:
        self.tried += 1
        try:
            self.decodes = bool(packet.decode()) or self.decodes
        except (av.error.FFmpegError, ValueError):
            self.decodes = self.decodes or False


@dataclass
class Walk:
    """What one pass over the packets collects: of pictures, and of each sound stream by its index in the file."""

    pictures: Packets
    heard: dict[int, Heard] = field(default_factory=dict)
    broken_off: bool = False


def walk(container: InputContainer, video: VideoStream | None, sounds: list[AudioStream]) -> Walk:
    """Walk through all packets of these streams, as far as they can be read."""
    out = Walk(Packets(container.format.name == "avi"))
    silent = Silent(video) if video is not None else None
    back = int(_BACK / video.time_base) if video is not None and video.time_base else 0
    packets = container.demux([video, *sounds] if video else sounds)
    while True:
        try:
            packet = next(packets, None)
        except av.error.FFmpegError:
            out.broken_off = True
            return out
        if packet is None:
            return out
        if not packet.size:
            continue
        if video is not None and silent is not None and packet.stream_index == video.index:
            out.pictures.note(packet, silent(packet), back)
        else:
            out.heard.setdefault(packet.stream_index, Heard()).note(packet)
