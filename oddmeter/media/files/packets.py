"""Packets: which picture comes from which, what distinguishes each, and what they say of themselves.

A packet is labelled by its order among the packets of its stream, counted from the start of the file; the picture that
is decoded from it carries the label on, in whatever order pictures come out. Most packets show one picture. H.264 may
carry the two fields of a picture in two (ITU-T H.264, 7.3.3), VP8 hides pictures that others are built from (RFC 6386,
9.1).
"""

import zlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from itertools import chain
from typing import Any

import av
from av.packet import Packet
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

_SLICES, _PARAMETERS = (1, 5), 7
_START = b"\0\0\1"
_LONGEST, _HEAD = 1_024, 48
"""Bytes of a unit that are looked at, and of a slice: more than the heads read here can be long."""
_NOTES = {"h264": (31, 0, 6, 1), "hevc": (126, 1, 39, 2)}
"""Where units hold supplemental information: the bits of their first byte that say their kind, how far these are moved,
the kind, and the bytes of their header (H.264, 7.3.1; H.265, 7.3.1.2)."""
_ORIENTATION = 47
"""The message of how a picture is turned (H.264, D.1.27; H.265, D.2.17)."""
_WITH_CHROMA = (44, 83, 86, 100, 110, 118, 122, 128, 134, 135, 138, 139, 244)
"""Profiles whose parameters say how chroma is stored (7.3.2.1.1)."""


Ordered = Iterable["tuple[int, Packet[Any]]"]
"""Packets of pictures, each with its order."""


def counted(packets: "Iterable[Packet[Any]]", first: int = 0) -> "Iterator[tuple[int, Packet[Any]]]":
    """Packets that follow each other, the first of which is the ``first`` of its stream; as far as they can be read."""
    order = first
    with suppress(av.error.FFmpegError):
        for packet in packets:
            if packet.size:
                yield order, packet
                order += 1


def labelled(stream: VideoStream, packets: Ordered) -> Iterator[tuple[int, VideoFrame]]:
    """The pictures decoded from packets, each with the order of its packet. A packet that cannot be decoded gives none,
    and the rest goes on."""
    for order, packet in chain(packets, [(0, None)]):
        if packet is not None:
            packet.pts = packet.dts = order
        try:
            frames = stream.decode(packet)
        except MemoryError:
            raise
        except av.error.FFmpegError:
            continue
        for frame in frames:
            if frame.pts is not None:
                yield frame.pts, frame


def digest_of(packet: "Packet[Any]") -> int:
    """What distinguishes a packet from others by its content: its size and its check sum, in 63 bits."""
    return (packet.size & 0x7FFFFFFF) << 32 | zlib.crc32(packet)


def place_of(packet: "Packet[Any]") -> int:
    """The byte of the file at which a packet lies, −1 where that is not known."""
    return -1 if packet.pos is None else packet.pos


def may_say_its_turn(stream: VideoStream, packet: "Packet[Any]") -> bool:
    """Whether a packet of H.264 or H.265 says how its picture is turned, or might."""
    codec = stream.codec_context.name
    if codec not in _NOTES:
        return False
    kinds, moved, wanted, header = _NOTES[codec]
    extradata = stream.codec_context.extradata or b""
    units = _units(bytes(packet), _length_in(extradata, codec))
    return any(_is_turned(unit[header:]) for unit in units if (unit[0] & kinds) >> moved == wanted)


def _is_turned(messages: bytes) -> bool:
    """Whether one of these messages (H.264, 7.3.2.3.1) is of a turn, or they are longer than what is looked at."""
    plain, at = messages.replace(b"\0\0\3", b"\0\0"), 0
    while at + 2 < len(plain):
        numbers = [0, 0]
        for part in (0, 1):
            while at < len(plain) and plain[at] == 255:
                numbers[part], at = numbers[part] + 255, at + 1
            numbers[part] += plain[at] if at < len(plain) else 0
            at += 1
        if numbers[0] == _ORIENTATION:
            return True
        at += numbers[1]
    return at > len(plain)


def _length_in(extradata: bytes, codec: str) -> int:
    """The bytes in which the length of each unit is stated, by a decoder configuration record (ISO/IEC 14496-15,
    5.3.3.1 and 8.3.3.1); 0 where units stand behind start codes."""
    place = 4 if codec == "h264" else 21
    return (extradata[place] & 3) + 1 if extradata[:1] == b"\1" and len(extradata) > place + 1 else 0


class Silent:
    """Whether packets of a stream show no picture of their own, asked of each in turn as they lie in the file."""

    def __init__(self, stream: VideoStream) -> None:
        self._codec = stream.codec_context.name
        self._fields = _FieldPairs(stream.codec_context.extradata or b"") if self._codec == "h264" else None

    def __call__(self, packet: "Packet[Any]") -> bool:
        """True of a second field, and of a picture that is never shown."""
        if self._fields is not None:
            return self._fields.is_second(packet)
        return self._codec.startswith(("vp8", "libvpx")) and packet.size > 0 and not memoryview(packet)[0] >> 4 & 1


@dataclass(frozen=True)
class _Parameters:
    """What a sequence parameter set says of slice heads: whether fields may be coded by themselves, the bits of the
    frame's number, and whether colour planes are apart."""

    fields: bool
    number_bits: int
    planes_apart: bool


class _FieldPairs:
    """Which packets of H.264 hold the second field of the picture that the packet before began."""

    def __init__(self, extradata: bytes) -> None:
        self._length = _length_in(extradata, "h264")
        self._parameter_set: _Parameters | None = None
        self._waiting: tuple[int, bool] | None = None
        for unit in _in_record(extradata) if self._length else _units(extradata, 0):
            self._learn(unit)

    def is_second(self, packet: "Packet[Any]") -> bool:
        if self._parameter_set is not None and not self._parameter_set.fields and not packet.is_keyframe:
            return False  # where decoding can begin, and there alone, other parameters may come
        lowest = None
        data = bytes(packet)
        parities = set[bool]()
        for unit in _units(data, self._length):
            self._learn(unit)
            if unit[0] & 31 in _SLICES and self._parameter_set is not None and self._parameter_set.fields:
                number, bottom = _slice(unit, self._parameter_set)
                if bottom is None:
                    break
                lowest = number if lowest is None else lowest
                parities.add(bottom)
        if lowest is None or len(parities) != 1:
            self._waiting = None
            return False
        mine = (lowest, parities.pop())
        if self._waiting == (mine[0], not mine[1]):
            self._waiting = None
            return True
        self._waiting = mine
        return False

    def _learn(self, unit: bytes) -> None:
        if unit and unit[0] & 31 == _PARAMETERS:
            self._parameter_set = _parameters(unit)


def _units(data: bytes, length: int) -> Iterator[bytes]:
    """The heads of the units in a packet, each behind its length in so many bytes, or behind a start code."""
    if not length:
        at = data.find(_START)
        while at >= 0:
            if head := data[at + 3 : at + 3 + _LONGEST]:
                yield head
            at = data.find(_START, at + 3)
        return
    at = 0
    while at + length < len(data):
        size = int.from_bytes(data[at : at + length], "big")
        if head := data[at + length : at + length + min(size, _LONGEST)]:
            yield head
        at += length + size


def _in_record(record: bytes) -> Iterator[bytes]:
    """The sequence parameter sets of a decoder configuration record (ISO/IEC 14496-15, 5.3.3.1)."""
    at = 6
    for _ in range(record[5] & 31):
        size = int.from_bytes(record[at : at + 2], "big")
        if unit := record[at + 2 : at + 2 + size]:
            yield unit
        at += 2 + size


class _Bits:
    """Reads the bits of a unit, without the bytes that only keep start codes apart. Zeros behind its end."""

    def __init__(self, unit: bytes) -> None:
        plain = unit[1:].replace(b"\0\0\3", b"\0\0") + bytes(16)
        self._value, self._left = int.from_bytes(plain, "big"), 8 * len(plain)

    def take(self, count: int) -> int:
        self._left = max(0, self._left - count)
        return self._value >> self._left & (1 << count) - 1

    def golomb(self) -> int:
        zeros = 0
        while not self.take(1) and zeros < 32:
            zeros += 1
        return (1 << zeros) - 1 + self.take(zeros)

    def signed(self) -> int:
        code = self.golomb()
        return (code + 1) // 2 if code % 2 else -(code // 2)


def _parameters(unit: bytes) -> _Parameters:
    """7.3.2.1.1, as far as slice heads need it."""
    bits = _Bits(unit)
    profile = bits.take(8)
    bits.take(16)
    bits.golomb()
    apart = False
    if profile in _WITH_CHROMA:
        chroma = bits.golomb()
        apart = chroma == 3 and bool(bits.take(1))
        bits.golomb(), bits.golomb(), bits.take(1)
        if bits.take(1):
            for number in range(8 if chroma != 3 else 12):
                if bits.take(1):
                    _pass_scaling(bits, 16 if number < 6 else 64)
    number_bits = bits.golomb() + 4
    kind = bits.golomb()
    if kind == 0:
        bits.golomb()
    elif kind == 1:
        bits.take(1), bits.signed(), bits.signed()
        for _ in range(min(bits.golomb(), 255)):
            bits.signed()
    bits.golomb(), bits.take(1), bits.golomb(), bits.golomb()
    return _Parameters(not bits.take(1), number_bits, apart)


def _pass_scaling(bits: _Bits, size: int) -> None:
    """Read over a scaling list (7.3.2.1.1.1)."""
    last = following = 8
    for _ in range(size):
        if following:
            following = (last + bits.signed()) % 256
        last = following or last


def _slice(unit: bytes, numbers: _Parameters) -> tuple[int, bool | None]:
    """The number of the frame that a slice belongs to, and whether it is of the bottom field; None of a whole frame
    (7.3.3)."""
    bits = _Bits(unit[:_HEAD])
    bits.golomb(), bits.golomb(), bits.golomb()
    if numbers.planes_apart:
        bits.take(2)
    number = bits.take(numbers.number_bits)
    return number, bool(bits.take(1)) if bits.take(1) else None
