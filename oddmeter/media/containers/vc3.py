"""The colour matrix of VC-3 pictures, which their writer leaves out: two bits of their headers (SMPTE ST 2019-1)."""

from av.packet import Packet
from av.video.stream import VideoStream

_PLACE = 0x2C
_VOLUMES = {9: 1, 10: 2}
"""BT.2020 with constant luminance or without (ITU-T H.273), as the header has them; without a word it is BT.709."""


def state_matrix(packet: "Packet[VideoStream]", matrix: int, fields: bool) -> None:
    """Say in an encoded picture, or in both of its fields, under which matrix it is, where that is not BT.709."""
    if matrix not in _VOLUMES:
        return
    data = bytearray(memoryview(packet))
    for start in (0, len(data) // 2) if fields else (0,):
        data[start + _PLACE] = data[start + _PLACE] & ~0b110 | _VOLUMES[matrix] << 1
    packet.update(bytes(data))
