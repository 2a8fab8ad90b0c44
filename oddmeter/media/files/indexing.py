"""Indexing: from the packets of a file to the number of each of its frames.

Where timestamps show in which order pictures are shown, and every packet gives one, nothing is decoded. Where they do
not, or a file begins in the middle of a group, or is damaged, the pictures that come out are counted.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from math import gcd
from pathlib import Path

from av.video.stream import VideoStream

from oddmeter.core.numbers.frame_index import NONE, FrameIndex, Group
from oddmeter.media.files.opened import opened, pictures_in
from oddmeter.media.files.packets import counted, labelled
from oddmeter.media.files.walking import Packets

BY_BYTES = ("mpegts", "mpeg", "h264", "hevc", "mpegvideo", "m4v", "dnxhd", "mjpeg", "dv", "av1", "obu", "ivf")
"""Formats that keep no table of where things lie: a group is sought by its byte."""
_REORDERING = ("h264", "hevc", "mpeg2video", "mpeg1video", "mpeg4", "vc1")
"""Codecs that may store pictures in another order than they are shown in."""
MOST_COUNTED = 30_000
"""Packets of a file that are decoded at the most because some may give no picture; of a longer one its beginning alone.
Where nothing shows in which order pictures are shown, all are."""
_BEGINNING = 600
_ROUGHLY = {"skip_idct": "all", "skip_loop_filter": "all"}
"""How pictures are decoded that nobody looks at."""
_MOST_STAYING = 1_000
"""Places for each picture, at the most, in a file that keeps places."""
_STAYS = 24
"""Bytes, at the most, of a packet of MPEG-4 that says no more than that the picture stays (ISO/IEC 14496-2, 6.3.5)."""


@dataclass(frozen=True)
class Indexed:
    """An index; the time of each frame in ticks, none where some have no time; how many pictures could not be decoded
    at the beginning, for want of those that they are built on, and later on; and how many packets, or places for them,
    the file has."""

    index: FrameIndex
    ticks: list[int]
    left_at_start: int
    left_later: int
    places: int


def indexed(path: Path, container_format: str, stream: VideoStream, packets: Packets, promised: int) -> Indexed:
    """The index of a file from what a walk has noted of it; ``promised`` are the frames that its header states, none
    where it is cut short or states none."""
    times = packets.times
    candidates = [order for order in range(len(times)) if order not in packets.silent]
    in_turn = candidates if packets.untimed else sorted(candidates, key=_time(times))
    stays, at_start, later = set[int](), 0, 0
    if (came := _came(path, stream, packets, candidates, in_turn)) is not None:
        missing = set(candidates).difference(came)
        stays = {order for order in missing if _may_stay(stream, packets.sizes[order])}
        starts = in_turn.index(came[0]) if came else len(in_turn)
        at_start = sum(order in missing - stays for order in in_turn[:starts])
        later = len(missing - stays) - at_start
        stays.difference_update(in_turn[:starts])
        in_turn = came
    numbers, ticks = _in_places(packets, in_turn, promised) if packets.in_places else ([], [])
    if not numbers:
        merged = sorted([*in_turn, *stays], key=_time(times)) if stays else in_turn
        own = {order: number for number, order in enumerate(merged)}
        numbers = [own[order] for order in in_turn]
        ticks = sorted(tick for order in merged if (tick := times[order]) is not None)
        ticks = ticks if len(ticks) == len(merged) else []
    shown = [NONE] * len(times)
    for order, number in zip(in_turn, numbers, strict=True):
        shown[order] = number
    frames = len(ticks) or len(in_turn) + len(stays)
    index = FrameIndex.of(
        shown, frames, list(_groups(packets, shown)), by_bytes=container_format in BY_BYTES,
        is_intra=packets.all_keys and NONE not in shown,
    )  # fmt: skip
    places = max((time for time in times if time is not None), default=0) + 1 if packets.in_places else len(times)
    return Indexed(index, ticks, at_start, later, max(places, promised))


def came_out(path: Path, until: int | None = None) -> list[int]:
    """The order in the file of each packet that gives a picture, in the order in which pictures come out when the file
    is decoded from its start: all of them, or those of the first ``until`` packets."""
    with opened(path) as container:
        stream = pictures_in(container)
        if stream is None:
            return []
        stream.thread_type = "AUTO"
        stream.codec_context.options = _ROUGHLY
        return [order for order, _ in labelled(stream, islice(counted(container.demux(stream)), until))]


def _came(
    path: Path, stream: VideoStream, packets: Packets, candidates: Sequence[int], in_turn: Sequence[int]
) -> list[int] | None:
    """The packets that give a picture in the order in which they are shown, where that has to be counted; None where
    the times show."""
    if not candidates:
        return None
    reorders = stream.codec_context.name in _REORDERING
    untold = reorders and (packets.untimed or (stream.codec_context.has_b_frames and not packets.reordered))
    stay = any(_may_stay(stream, packets.sizes[order]) for order in candidates)
    alike = reorders and len({packets.times[order] for order in candidates}) < len(candidates)
    if untold or ((stay or alike or packets.damaged or packets.takes) and len(packets.times) <= MOST_COUNTED):
        return came_out(path)
    if packets.first_key == candidates[0] == in_turn[0]:
        return None
    first = came_out(path, _BEGINNING)
    if not first:
        return came_out(path) if _BEGINNING < len(packets.times) <= MOST_COUNTED else first
    known = set(first)
    last = max(place for place, order in enumerate(in_turn) if order in known)
    return [order for place, order in enumerate(in_turn) if place > last or order in known]


def _may_stay(stream: VideoStream, size: int) -> bool:
    """True of a packet so small that it may only say that the picture before it stays."""
    return stream.codec_context.name == "mpeg4" and size <= _STAYS


def _in_places(packets: Packets, in_turn: Sequence[int], promised: int) -> tuple[list[int], list[int]]:
    """The numbers of pictures that stand in numbered places, some of which hold none: then the one before stays; and
    the times of all places. None where they do not stand so. Where every so many places alone are used, those between
    are none."""
    places = sorted(place for order in in_turn if (place := packets.times[order]) is not None)
    if not places or len(set(places)) < len(in_turn):
        return [], []
    used = [place - places[0] for place in packets.times if place is not None]
    step = gcd(*used) or 1
    frames = (max(places[-1] + step, promised) - places[0]) // step
    if frames > _MOST_STAYING * len(places):
        return [], []
    return [(place - places[0]) // step for place in places], [places[0] + step * number for number in range(frames)]


def _groups(packets: Packets, shown: Sequence[int]) -> Iterator[Group]:
    """The groups, each of a later frame than the one before."""
    last = -1
    for order, place, digest in packets.keys:
        if shown[order] > last:
            last = shown[order]
            yield Group(order, last, place, packets.times[order] or 0, digest)


def _time(times: Sequence[int | None]) -> Callable[[int], tuple[int, int]]:
    return lambda order: (times[order] or 0, order)
