"""Probe: open a file, walk through all its packets, and say what it really holds.

Nothing the header says is taken over unchecked: frames are counted, rates measured. A file that cannot be
read gives facts with a ``fault`` sentence, never an exception.
"""

import re
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.container import InputContainer
from av.video.format import VideoFormat
from av.video.stream import VideoStream

from oddmeter.core.evidence.facts import Facts, Sound, Timing
from oddmeter.core.evidence.unevenness import unevenness
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import HIGHEST
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.pictures.turn import Turn
from oddmeter.media.files.identity import identify
from oddmeter.media.files.indexing import indexed
from oddmeter.media.files.matrices import may_be_turned
from oddmeter.media.files.opened import opened, picture_in, pictures_in, sounds_in, turn_in
from oddmeter.media.files.remarks import remarks
from oddmeter.media.files.samples import HLG, PQ
from oddmeter.media.files.sequence import is_sequence, sequence
from oddmeter.media.files.timestamps import clock_of, duplicates, gaps, intervals, measure
from oddmeter.media.files.walking import Walk, walk

LARGEST_SIDE = 32_768
MOST_STREAMS = 512
SOUND_ONLY = "It holds sound only; it can be music beside a clip."
NO_PICTURE = "No picture in this file can be decoded; it is damaged."
_TORN_TAIL = 16
"""Frames at the end that may lack neighbours where a file was cut off among frames stored out of order."""

_CAPTURE_WORDS = ("capture", "sensor", "shooting", "shot", "recording", "acquisition", "originalframe", "camera")
_RATE_WORDS = ("rate", "fps", "framespersecond")
_FASTEST_STREAM = 1_000
_NAMELESS = ("SoundHandler", "und")
"""What writers put where a stream has no name."""
_LONGEST_NAME = 60
_TRANSFERS = {PQ: "PQ", HLG: "HLG"}
"""What curves of high dynamic range are called."""
_UP, _LOW = FieldOrder.UPPER, FieldOrder.LOWER
_FIELD_ORDERS = {1: (Scan.PROGRESSIVE, None), 2: (Scan.INTERLACED, _UP), 3: (Scan.INTERLACED, _LOW),
                 4: (Scan.INTERLACED, _UP), 5: (Scan.INTERLACED, _LOW)}  # fmt: skip


def probe(path: Path) -> Facts:
    """The facts of one file; ``fault`` says in plain words what is wrong where it cannot be used."""
    if is_sequence(path):
        return _probe_sequence(path)
    try:
        size = path.stat().st_size
    except OSError as error:
        return Facts(fault=f"The file cannot be opened: {(error.strerror or 'unknown reason').lower()}.")
    if size == 0:
        return Facts(fault="The file is empty.")
    try:
        identity = identify(path)
        with opened(path) as container:
            return replace(_read(path, container), identity=identity)
    except PermissionError:
        return Facts(fault="The file cannot be opened: permission denied.")
    except RuleError as error:
        return Facts(fault=str(error))
    except (av.error.InvalidDataError, av.error.ArgumentError, av.error.EOFError):
        return Facts(fault="This is not a media file of a kind that is opened here, or it is damaged beyond reading.")
    except MemoryError:
        raise
    except (av.error.FFmpegError, OSError, ValueError, OverflowError, ZeroDivisionError) as error:
        why = getattr(error, "strerror", None) or type(error).__name__
        return Facts(fault=f"The file cannot be read: {str(why).lower()}.")


def _probe_sequence(path: Path) -> Facts:
    """The facts of a numbered sequence: its first picture, and the count of its numbers. It has no rate of its own."""
    found = sequence(path)
    if not found.files:
        return Facts(fault="None of this sequence's pictures is there any more.")
    try:
        first = picture_in(found.files[0])
    except RuleError as error:
        return Facts(fault=str(error))
    return Facts(
        frames=len(found.files),
        width=first.width,
        height=first.height,
        codec=found.files[0].suffix[1:].lower(),
        gaps=len(found.missing),
        duplicates=len(found.duplicates),
        remarks=tuple(found.remarks),
        pixel_format=first.format.name,
        bits=first.format.components[0].bits,
        identity=identify(path),
    )


def _read(path: Path, container: InputContainer) -> Facts:
    if fault := _no_clip(container):
        few = 0 < len(container.streams) <= MOST_STREAMS
        heard = few and not container.streams.video
        return Facts(
            fault=fault,
            sounds=tuple(_sounds(container, walk(container, None, sounds_in(container)), None, ())) if heard else (),
        )
    video = pictures_in(container)
    assert video is not None
    video.thread_count = 1
    walked = walk(container, video, sounds_in(container))
    clock = video.time_base or Fraction(1, HIGHEST)
    moved = tuple(ticks * clock for ticks in walked.pictures.laid_end_to_end())
    found = indexed(path, container.format.name, video, walked.pictures, _promised(path, container, video, walked))
    ticks = found.ticks
    scan, order = _FIELD_ORDERS.get(video.codec_context.field_order, (Scan.UNKNOWN, None))
    claims = (video.average_rate, video.guessed_rate, video.base_rate)
    measured = measure(ticks, clock, claims)
    if measured.timing is Timing.VARIABLE and len(ticks) > 3 * _TORN_TAIL:
        whole = measure(ticks[:-_TORN_TAIL], clock, claims)
        measured = whole if whole.timing is Timing.CONSTANT else measured
    facts = Facts(
        frames=found.index.frames,
        file_rate=measured.rate,
        timing=measured.timing,
        measured_rate=measured.average,
        width=video.width,
        height=video.height,
        pixel_aspect=video.sample_aspect_ratio or Fraction(1),
        scan=scan,
        field_order=order,
        timecode=_timecode(container),
        codec=video.codec_context.name,
        stated_rate=_stated(video, measured.timing),
        stream_rate=_in_stream(video),
        start=ticks[0] * clock if ticks else Fraction(0),
        duplicates=duplicates(ticks),
        gaps=gaps(ticks) if measured.timing is Timing.VARIABLE else 0,
        intervals=intervals(ticks, clock),
        index=found.index,
    )
    if measured.timing is Timing.VARIABLE and ticks:
        own = clock_of(ticks, walked.pictures.end, clock)
        uneven = unevenness(own)
        facts = replace(facts, clock=own, uneven=uneven, file_rate=uneven.nominal or facts.file_rate)
    if capture := _capture(container, video):
        facts = replace(facts, capture_key=capture[0], capture_rate=capture[1])
    facts = replace(facts, **_samples(video))
    facts = _as_shown(facts, _turn(path, container, walked))
    facts = replace(facts, sounds=tuple(_sounds(container, walked, facts.start, moved)))
    if not facts.frames and walked.pictures.times:
        return replace(facts, fault=NO_PICTURE)
    if not facts.frames:
        return replace(facts, fault="The file holds no frames; it breaks off before the first picture.")
    if facts.file_rate is None:
        return replace(facts, fault="The file states no rate, and its timestamps show none.")
    facts = replace(facts, remarks=tuple(remarks(facts, walked, found, container, video)))
    suspect = facts.remarks or video.codec_context.pix_fmt is None
    if suspect and (fault := _first_picture_fault(path)):
        return replace(facts, remarks=(), fault=fault)
    return facts


def _no_clip(container: InputContainer) -> str | None:
    """A sentence where what the container claims to hold cannot be a clip."""
    if len(container.streams) > MOST_STREAMS:
        return f"The file claims {len(container.streams)} streams; that is no clip."
    if not container.streams.video:
        instead = SOUND_ONLY if container.streams.audio else "It holds neither picture nor sound."
        return f"There is no picture in this file. {instead}"
    video = pictures_in(container)
    if video is None:
        return "Its pictures are stored in a form that cannot be decoded here."
    if not (0 < video.width <= LARGEST_SIDE and 0 < video.height <= LARGEST_SIDE):
        return f"The file claims a raster of {video.width} × {video.height}; that is not a picture."
    return None


def _sounds(
    container: InputContainer, walked: Walk, zero: Fraction | None, moved: tuple[Fraction, ...]
) -> Iterator[Sound]:
    """The sound streams that hold something, and can be decoded; their times counted from ``zero`` seconds, or from
    where their own begin, those of each further recording moved by so many."""
    for place, stream in enumerate(sounds_in(container)):
        heard = walked.heard[stream.index]
        if heard.times and heard.decodes is not False:
            names = (stream.metadata.get(key, "").strip() for key in ("title", "handler_name", "language"))
            name = next((word for word in names if word and word not in _NAMELESS), "")[:_LONGEST_NAME]
            times = heard.sound_times(min(heard.times) * heard.base if zero is None else zero, moved)
            yield Sound(stream.rate or 0, stream.channels, heard.seconds, place, name, times)


def _samples(video: VideoStream) -> dict[str, Any]:
    """How samples are stored, and by which curve of high dynamic range."""
    context = video.codec_context
    name = context.pix_fmt or ""
    bits = VideoFormat(name).components[0].bits if name else 0
    return {"pixel_format": name, "bits": bits, "transfer": _TRANSFERS.get(int(context.color_trc or 0), "")}


def _turn(path: Path, container: InputContainer, walked: Walk) -> Turn:
    """How the first picture is turned. Only where the header may ask for it, or the picture itself, is it decoded."""
    try:
        if not walked.may_say_its_turn and not may_be_turned(path, container.format.name):
            return Turn.NONE
        with opened(path) as again:
            stream = pictures_in(again)
            return next((turn_in(frame) for frame in again.decode(stream)), Turn.NONE) if stream else Turn.NONE
    except (av.error.FFmpegError, OSError, ValueError):
        return Turn.NONE


def _as_shown(facts: Facts, turn: Turn) -> Facts:
    """The facts of pictures as they are shown, after their turn."""
    _, _, upwards = turn.lines
    order = facts.field_order.other if facts.field_order and upwards and not turn.swaps else facts.field_order
    facts = replace(facts, turn=turn, field_order=order)
    if not turn.swaps:
        return facts
    return replace(facts, width=facts.height, height=facts.width, pixel_aspect=1 / facts.pixel_aspect)


def _first_picture_fault(path: Path) -> str | None:
    """A sentence where not even one picture can be decoded. It costs as much as all else in a short file, so only
    files that are odd already are asked; of all others the picture analysis finds out."""
    try:
        picture_in(path)
    except RuleError:
        return NO_PICTURE
    return None


def _promised(path: Path, container: InputContainer, video: VideoStream, walked: Walk) -> int:
    """The frames that the header of a file states, where it is whole; 0 elsewhere."""
    if container.format.name != "avi" or walked.broken_off:
        return 0
    with path.open("rb") as file:
        head = file.read(8)
    return video.frames if 8 + int.from_bytes(head[4:], "little") <= path.stat().st_size else 0


def _stated(video: VideoStream, timing: Timing) -> Fraction | None:
    """The rate in the header; of a stream with uneven times the rate it is meant to have, not the average."""
    stated = video.guessed_rate if timing is Timing.VARIABLE else video.average_rate or video.guessed_rate
    return stated if stated and 0 < stated <= HIGHEST else None


def _in_stream(video: VideoStream) -> Fraction | None:
    """The rate that the stream itself carries; a clock's rate, as uneven streams have it, is none."""
    rate = video.codec_context.framerate
    return Fraction(rate) if rate and 0 < rate < _FASTEST_STREAM else None


def _capture(container: InputContainer, video: VideoStream) -> tuple[str, Fraction] | None:
    """The camera's own speed, where a header carries one: the key as it stands there, and frames a second.

    Cameras and phones write it under many keys; what they have in common is a word for taking pictures and one
    for a rate.
    """
    for metadata in (container.metadata, video.metadata):
        for key, value in metadata.items():
            plain = re.sub(r"[^a-z]", "", key.lower())
            if any(word in plain for word in _CAPTURE_WORDS) and any(word in plain for word in _RATE_WORDS):
                number = re.match(r"\s*(\d{1,6}(?:\.\d{1,6})?)(?:\s*/\s*(\d{1,6}))?(?![\d.])", str(value)[:40])
                if number and 0 < (rate := Fraction(number[1]) / (int(number[2] or 1) or 1)) <= HIGHEST:
                    return key[:60], rate
    return None


def _timecode(container: InputContainer) -> str | None:
    for metadata in [container.metadata, *(stream.metadata for stream in container.streams)]:
        for key, value in metadata.items():
            if key.lower() == "timecode":
                return str(value).strip()[:32]
    return None
