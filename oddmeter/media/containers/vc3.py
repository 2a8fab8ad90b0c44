"""The colour matrix of VC-3 pictures, which their writer leaves out: two bits of their headers (SMPTE ST 2019-1)."""

from av.packet import Packet
from av.video.stream import VideoStream

_PLACE = 0x2C
_CODING, _FIELD = 0x05, 0b10
"""The byte that says how a picture is coded, and its bit for fields."""
_WRITTEN = 1
_VOLUMES = {_WRITTEN: 0, 9: 1, 10: 2}
"""BT.709, and BT.2020 with constant luminance or without (ITU-T H.273), as the header has them."""
_ELSEWHERE = 3
"""Any other, which the container says."""


def state_matrix(packet: "Packet[VideoStream]", matrix: int) -> None:
    """Say in an encoded picture, or in both of its fields where it is coded as two, under which matrix it is. Its
    writer says BT.709."""
    if matrix == _WRITTEN:
        return
    data = bytearray(memoryview(packet))
    coded_as_fields = data[_CODING] & _FIELD
    for start in (0, len(data) // 2) if coded_as_fields else (0,):
        data[start + _PLACE] = data[start + _PLACE] & ~0b110 | _VOLUMES.get(matrix, _ELSEWHERE) << 1
    packet.update(bytes(data))


def matrix_said(packet: "Packet[VideoStream]") -> int | None:
    """The matrix that an encoded picture says; None where it leaves that to the container."""
    said = memoryview(packet)[_PLACE] >> 1 & 0b11
    return next((matrix for matrix, volume in _VOLUMES.items() if volume == said), None)
