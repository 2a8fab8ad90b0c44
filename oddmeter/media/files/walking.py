"""Walking: one pass over all packets of a file, noting of each what shows where its pictures and sounds lie."""

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import av
from av.audio.stream import AudioStream
from av.container import InputContainer
from av.packet import Packet
from av.video.stream import VideoStream

from oddmeter.core.numbers.sound_times import BACK
from oddmeter.media.files.heard import Heard
from oddmeter.media.files.packets import Silent, digest_of, may_say_its_turn, place_of

_APART = 8
"""Packets that groups lie apart at least; those between are read over."""


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
    takes: list[int] = field(default_factory=list)
    """The first packet of each further recording, whose times lie far before those of the one before it."""
    lasts: int = 0
    """Ticks that the last one lasts, where it says so."""
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
        self.lasts = packet.duration or self.lasts
        if packet.dts is not None:
            if self._decoded_at is not None and packet.dts < self._decoded_at - back:
                self.takes.append(order)
            self._decoded_at = packet.dts
        if packet.is_discard:
            self.left_out += 1
        if silent or packet.is_discard:
            self.silent.add(order)
        elif packet.is_keyframe:
            self.first_key = order if self.first_key is None else self.first_key
            if not self.keys or order >= self.keys[-1][0] + _APART:
                self.keys.append((order, place_of(packet), digest_of(packet)))

    def laid_end_to_end(self) -> list[int]:
        """Move the times of each further recording so that it follows the one before; returns by how many ticks each
        was moved, 0 for the first; none where there is one alone."""
        if not self.takes:
            return []
        moved, ends = [0], 0
        bounds = [0, *self.takes, len(self.times)]
        for first, stop in pairwise(bounds):
            known = [time for time in self.times[first:stop] if time is not None]
            if first and known:
                moved.append(ends - min(known))
                self.times[first:stop] = [time if time is None else time + moved[-1] for time in self.times[first:stop]]
            ends = max([ends, *(time + moved[-1] + self.lasts for time in known)])
        self.end = ends
        return moved


@dataclass
class Walk:
    """What one pass over the packets collects: of pictures, and of each sound stream by its index in the file."""

    pictures: Packets
    heard: dict[int, Heard]
    broken_off: bool = False
    may_say_its_turn: bool = False
    """True where the first packet of pictures says how they are turned, or might."""


def walk(container: InputContainer, video: VideoStream | None, sounds: list[AudioStream]) -> Walk:
    """Walk through all packets of these streams, as far as they can be read."""
    out = Walk(Packets(container.format.name == "avi"), {sound.index: Heard(sound) for sound in sounds})
    silent = Silent(video) if video is not None else None
    back = int(BACK / video.time_base) if video is not None and video.time_base else 0
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
            if not out.pictures.times:
                out.may_say_its_turn = may_say_its_turn(video, packet)
            out.pictures.note(packet, silent(packet), back)
        else:
            out.heard[packet.stream_index].note(packet)
