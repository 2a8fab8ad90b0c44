"""Render: decode, follow the frame map, encode at the exact timeline rate.

A file is written beside its final name and moved into place only when it is complete.
"""

import errno
import glob
import os
from collections.abc import Callable, Iterator
from contextlib import ExitStack, closing
from fractions import Fraction
from pathlib import Path
from typing import cast
from uuid import uuid4

import av
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.packet import Packet
from av.video.frame import PictureType, VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.containers.mastering import Mastering
from oddmeter.media.containers.matroska import PLACEHOLDER, state_in_track
from oddmeter.media.containers.quicktime import colour_atom, colour_said, field_order_atom, state_in_entry
from oddmeter.media.containers.settings import ENCODINGS, Encoding
from oddmeter.media.containers.vc3 import state_matrix
from oddmeter.media.frames.decode import read_ahead
from oddmeter.media.pictures.colours import UNSAID, numbers_said
from oddmeter.media.pictures.planes import is_rgb
from oddmeter.media.plans import FilePlan
from oddmeter.media.proof.losses import Losses, Measuring
from oddmeter.media.sound.track import SoundTrack


def render(
    plan: FilePlan,
    progress: Callable[[int], None] = lambda done: None,
    before_placing: Callable[[], None] = lambda: None,
) -> Losses:
    """Make the file of a plan; returns what its pictures lost.

    ``progress`` is called with the number of timeline frames done, ``before_placing`` once before the finished
    file gets its name; both may raise. Raises ``RuleError`` where the plan cannot be made or the final name is
    taken, or the source is another file than the one that was looked at. Where anything is raised, nothing stays
    behind.
    """
    if plan.out.resolve().parent in {source.path.resolve().parent for source in plan.sources}:
        raise RuleError("Files cannot be written into their source's folder. Choose another folder.", "folder")
    if plan.out.exists():
        raise RuleError(f"{plan.out.name} already exists and was not overwritten.", "exists")
    try:
        plan.out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise RuleError(could_not_write(f"The folder {plan.out.parent}", error), "folder") from error
    plan.insist_on_sources()
    unfinished = plan.out.with_name(f".{plan.out.name}.{uuid4().hex[:8]}.part")
    try:
        losses, first = _write(plan, unfinished, progress)
        _state_what_is_missing(plan, unfinished, first)
        before_placing()
        _move_into_place(unfinished, plan.out)
        return losses
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(could_not_write(plan.out.name, error), "write") from error
    finally:
        unfinished.unlink(missing_ok=True)


_FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
_CLOSED = (errno.EROFS, errno.EACCES, errno.EPERM)


def could_not_write(what: str, error: OSError | av.error.FFmpegError) -> str:
    """Why a file could not be made, as a sentence."""
    if error.errno in _FULL:
        return f"{what} could not be written: there is no room left for it. Make room, or choose another folder."
    if error.errno in _CLOSED:
        return f"{what} could not be written: nothing can be written there. Choose another folder, or open that one."
    return f"{what} could not be written: {(error.strerror or str(error)).lower()}."


def clear_unfinished(out: Path) -> None:
    """Remove what renders that were killed left beside a final name. Only for who has the sole right to it."""
    for left in out.parent.glob(f".{glob.escape(out.name)}.*.part"):
        left.unlink(missing_ok=True)


def _write(plan: FilePlan, unfinished: Path, progress: Callable[[int], None]) -> tuple[Losses, VideoFrame]:
    """Write the file; returns what its pictures lost, and the first of them."""
    encoding, rate, canvas = ENCODINGS[plan.setting], plan.rate.value, plan.canvas
    with (
        plan.pictures(ahead=True) as pictures,
        av.open(str(unfinished), "w", format=encoding.container, options=_container_options(encoding)) as container,
        ExitStack() as stack,
    ):
        options = _codec_options(encoding, pictures.pixel_format, plan.field_order, plan.mastering)
        video = cast(VideoStream, container.add_stream(encoding.codec, rate=rate, options=options))
        video.width, video.height, video.pix_fmt = canvas.width, canvas.height, pictures.pixel_format
        video.codec_context.time_base = 1 / rate
        video.codec_context.sample_aspect_ratio = canvas.pixel_aspect
        first = pictures.picture(0)
        for name in ("color_range", "color_primaries", "color_trc", "colorspace"):
            setattr(video.codec_context, name, getattr(first, name))
        container.metadata["timecode"] = str(plan.start)
        if _track_lacks(plan):
            video.metadata["title"] = PLACEHOLDER
        sounds = [_SoundStream(container, sound, encoding) for sound in plan.sounds]

        measuring = stack.enter_context(closing(Measuring(video, lossless=encoding.lossless, sums=plan.builds)))

        def mux(packets: "list[Packet[VideoStream]]") -> None:
            for packet in packets:
                if encoding.codec == "dnxhd":
                    state_matrix(packet, int(first.colorspace), plan.field_order is not None)
                measuring.came(packet)
                container.mux(packet)

        with read_ahead(pictures.picture(number) for number in range(plan.length)) as made:
            for number, frame in enumerate(made):
                frame.pts, frame.time_base, frame.pict_type = number, 1 / rate, PictureType.NONE
                measuring.took(frame)
                mux(video.encode(frame))
                for sound in sounds:
                    sound.write_until(Fraction(number + 1) / rate)
                progress(number + 1)
        mux(video.encode(None))
        for sound in sounds:
            sound.finish()
        return measuring.finish(), first


def _state_what_is_missing(plan: FilePlan, unfinished: Path, first: VideoFrame) -> None:
    """Put into a written file what our encoder library cannot tell its writer; ``first`` is a picture of it."""
    if _track_lacks(plan):
        canvas = plan.canvas
        shape = canvas.pixel_aspect * canvas.width / canvas.height if _shape_is_missing(plan) else None
        state_in_track(unfinished, shape, plan.mastering.elements())
    if ENCODINGS[plan.setting].container == "mov":
        order = field_order_atom(plan.field_order) if plan.field_order else b""
        colour = numbers_said(first)
        lacks = colour != (UNSAID,) * 3 and not is_rgb(first.format.name) and colour_said(unfinished) is None
        said = colour_atom(*colour) if lacks else b""
        if atoms := order + said + plan.mastering.atoms():
            state_in_entry(unfinished, atoms)


class _SoundStream:
    """Writes the sound between the pictures, so that neither waits long for the other."""

    def __init__(self, container: OutputContainer, track: SoundTrack, encoding: Encoding) -> None:
        self._container = container
        layout, channels = track.layout
        if channels > encoding.most_channels:
            raise RuleError(f"{encoding.label} supports up to {encoding.most_channels} sound channels.", "sound")
        self._stream = cast(AudioStream, container.add_stream(encoding.sound_codec, rate=track.rate, layout=layout))
        if encoding.sound_bit_rate:
            self._stream.codec_context.bit_rate = encoding.sound_bit_rate * channels
        if track.name:
            self._stream.metadata["title"] = track.name
        self._frames: Iterator[AudioFrame] = track.frames(encoding.sound_format)
        self._written = Fraction(0)

    def write_until(self, time: Fraction) -> None:
        while self._written < time and (frame := next(self._frames, None)) is not None:
            self._container.mux(self._stream.encode(frame))
            self._written += Fraction(frame.samples, frame.sample_rate)

    def finish(self) -> None:
        for frame in self._frames:
            self._container.mux(self._stream.encode(frame))
        self._container.mux(self._stream.encode(None))


def _track_lacks(plan: FilePlan) -> bool:
    """True where the track of a Matroska file has to be told more than its writer can."""
    return ENCODINGS[plan.setting].container == "matroska" and (_shape_is_missing(plan) or bool(plan.mastering))


def _shape_is_missing(plan: FilePlan) -> bool:
    """True where the writer does not state a pixel shape by itself and the pixels are not square."""
    return ENCODINGS[plan.setting].container == "matroska" and plan.canvas.pixel_aspect != 1


def _container_options(encoding: Encoding) -> dict[str, str]:
    return {key: value for key, value in encoding.options.items() if key == "movflags"}


def _codec_options(
    encoding: Encoding, pixel_format: str, field_order: FieldOrder | None, mastering: Mastering
) -> dict[str, str]:
    options = {key: value for key, value in encoding.options_for(pixel_format).items() if key != "movflags"}
    if encoding.codec == "libx264":
        order = {FieldOrder.LOWER: "bff=1", FieldOrder.UPPER: "tff=1", None: ""}[field_order]
        parameters = ":".join(filter(None, (options.pop("x264-params", ""), order, mastering.x264())))
        options |= {"x264-params": parameters} if parameters else {}
    if field_order is None:
        return options
    return options | {"field_order": "bb" if field_order is FieldOrder.LOWER else "tt"}


def _move_into_place(unfinished: Path, final: Path) -> None:
    """Give a complete file its final name; never over another file."""
    with unfinished.open("rb") as written:
        os.fsync(written.fileno())
    try:
        os.link(unfinished, final)
    except FileExistsError:
        raise RuleError(f"{final.name} already exists and was not overwritten.", "exists") from None
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK) or final.exists():
            raise
        unfinished.rename(final)
