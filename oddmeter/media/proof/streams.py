"""The streams of a made file, compared with its plan: how many there are and which, when the picture begins, how its
samples are stored, and what the file says of their colour."""

from collections import Counter
from fractions import Fraction

import av
from av.codec import Codec
from av.video.frame import VideoFrame

from oddmeter.core.conform.proof import Check
from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.containers.quicktime import colour_said
from oddmeter.media.containers.vc3 import matrix_said
from oddmeter.media.pictures.colours import numbers_said
from oddmeter.media.pictures.planes import UNSAID
from oddmeter.media.plans import FilePlan

_FULL = 2
_BT601 = {5, 6}
"""The matrices of BT.601 with 625 and with 525 lines (ITU-T H.273), which are the same."""
COARSE_TIMES = Fraction(1, 1000)
"""Seconds to which a container may round a time."""


def stream_checks(plan: FilePlan, made: Facts, stored: str, like: VideoFrame) -> list[Check]:
    """Checks of all that does not lie in pictures and samples; ``stored`` is the pixel format that was planned,
    ``like`` a picture of the plan."""
    encoding = plan.encoding
    timed = encoding.into.timecode_stream and plan.setting.timecode
    wanted = Counter({"video": 1, "audio": len(plan.sounds) if encoding.has_sound else 0, "data": int(timed)})
    with av.open(str(plan.out)) as container:
        found = Counter(str(stream.type) for stream in container.streams)
        video = container.streams.video[0]
        codec = video.codec_context.codec.canonical_name
        outside = _colour(video.codec_context)
        matrix, first = None, None
        for packet in container.demux(video):
            if matrix is None and encoding.codec.name == "vc3":
                matrix = matrix_said(packet) or UNSAID
            if (first := next(iter(packet.decode()), None)) is not None:
                break
        if first is None:
            raise RuleError(f"{plan.out.name} contains no picture that can be decoded.", "media")
        inside = _colour(first)
    if encoding.into.name in ("mov", "mp4"):
        outside = (outside[0], *(colour_said(plan.out) or (UNSAID,) * 3))
    if encoding.into.name == "mxf":  # whose reader says what it decoded, not what the file says
        outside = (outside[0], *inside[1:]) if matrix is None else (outside[0], UNSAID, UNSAID, UNSAID)
    if matrix is not None:
        inside = (inside[0], UNSAID, UNSAID, matrix)
    if encoding.into.name == "mxf":  # which has one word for both matrices of BT.601
        outside, inside = (_one_matrix(colour, like) for colour in (outside, inside))
    name = Codec(encoding.codec.encoder, "w").canonical_name
    form = first.format.name.replace("yuvj", "yuv")
    return [
        Check.of_equal("streams", _streams(wanted), _streams(found)),
        Check.of_equal("codec", name, codec),
        Check.of_equal("samples", encoding.read_as(stored), form),
        Check.of_equal("picture, start", "at 0 s", _begins(made)),
        Check.of_equal("timing", "even", "even" if made.timing is Timing.CONSTANT else "uneven"),
        _colour_check(_colour(like), outside, inside),
    ]


_NAMES = {"video": "picture", "audio": "sound", "data": "timecode", "subtitle": "subtitle", "attachment": "attachment"}


def _streams(count: "Counter[str]") -> str:
    return ", ".join(f"{number} {_NAMES.get(kind, kind)}" for kind, number in sorted(count.items()) if number)


def _begins(made: Facts) -> str:
    return "at 0 s" if abs(made.start) <= COARSE_TIMES else f"after {float(made.start):.3f} s"


Colour = tuple[bool, int, int, int]
"""Whether the full range is used, and primaries, curve and matrix by their numbers in ITU-T H.273."""


def _colour(of: object) -> Colour:
    """As a stream or a picture says it."""
    form = of.format.name if isinstance(of, VideoFrame) else str(getattr(of, "pix_fmt", "") or "")
    full = int(getattr(of, "color_range", 0) or 0) == _FULL or form.startswith("yuvj")
    return full, *numbers_said(of)


def _one_matrix(colour: Colour, like: VideoFrame) -> Colour:
    planned = _colour(like)[3]
    return (*colour[:3], planned) if {colour[3], planned} <= _BT601 else colour


def _colour_check(planned: Colour, container: Colour, stream: Colour) -> Check:
    """What the file says of its colour, by its container and by the stream itself: neither may say another thing than
    was planned, and one of them must say it."""
    agree = planned[0] == stream[0] or planned[0] == container[0]
    said = []
    for wanted, outside, inside in zip(planned[1:], container[1:], stream[1:], strict=True):
        own = {side for side in (outside, inside) if side != UNSAID}
        agree &= own == ({wanted} if wanted != UNSAID else set())
        said.append(max(own, default=UNSAID) if wanted not in own else wanted)
    actual = planned if agree else (stream[0] if stream[0] != planned[0] else container[0], *said)
    return Check("colour", _colour_words(planned), _colour_words(actual), agree)


def _colour_words(colour: tuple[object, ...]) -> str:
    """By the numbers of ITU-T H.273, in the order in which they are usually said: primaries, curve, matrix."""
    numbers = "-".join(str(code) for code in colour[1:])
    return f"{'full' if colour[0] else 'video'} range, {numbers} (ITU-T H.273)"
