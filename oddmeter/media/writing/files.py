"""Files in containers: pictures are encoded at the exact rate of the timeline, and sound between them."""

from collections.abc import Callable
from contextlib import ExitStack, closing
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
from av.packet import Packet
from av.video.frame import PictureType, VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.containers.mastering import Mastering
from oddmeter.media.containers.matroska import PLACEHOLDER, state_in_track
from oddmeter.media.containers.quicktime import colour_atom, colour_said, field_order_atom, state_in_entry
from oddmeter.media.containers.vc3 import state_matrix
from oddmeter.media.frames.decode import read_ahead
from oddmeter.media.pictures.colours import numbers_said
from oddmeter.media.pictures.planes import UNSAID, is_rgb
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.encoding import Encoding
from oddmeter.media.writing.losses import Losses, Measuring
from oddmeter.media.writing.sounds import SoundStream


def write_file(plan: FilePlan, path: Path, progress: Callable[[int], None]) -> Losses:
    """Write a plan's pictures, and the sound that goes into their file; returns what the pictures lost."""
    losses, first = _write(plan, path, progress)
    _state_what_is_missing(plan, path, first)
    return losses


def _write(plan: FilePlan, path: Path, progress: Callable[[int], None]) -> tuple[Losses, VideoFrame]:
    """Write the file; returns what its pictures lost, and the first of them."""
    encoding, rate, canvas = plan.encoding, plan.rate.value, plan.canvas
    with (
        plan.pictures(ahead=True) as pictures,
        av.open(str(path), "w", format=encoding.into.writer, options=dict(encoding.into.options)) as container,
        ExitStack() as stack,
    ):
        options = _codec_options(encoding, pictures.pixel_format, plan.field_order, plan.mastering)
        video = cast(VideoStream, container.add_stream(encoding.codec.encoder, rate=rate, options=options))
        video.width, video.height, video.pix_fmt = canvas.width, canvas.height, pictures.pixel_format
        video.codec_context.time_base = 1 / rate
        video.codec_context.sample_aspect_ratio = canvas.pixel_aspect
        if tag := encoding.codec.tags.get(encoding.into.name):
            video.codec_context.codec_tag = tag
        if plan.setting.picture.bit_rate is not None:
            video.codec_context.bit_rate = plan.setting.picture.bit_rate * 1000
        first = pictures.picture(0)
        for name in ("color_range", "color_primaries", "color_trc", "colorspace"):
            setattr(video.codec_context, name, getattr(first, name))
        if plan.setting.timecode:
            container.metadata["timecode"] = str(plan.start)
        if _track_lacks(plan):
            video.metadata["title"] = PLACEHOLDER
        sounds = [SoundStream(container, sound, encoding) for sound in plan.sounds if encoding.has_sound]

        read_as = encoding.read_as(pictures.pixel_format)
        measured = Measuring(video.codec_context, lossless=encoding.lossless, sums=plan.builds, read_as=read_as)
        measuring = stack.enter_context(closing(measured))

        def mux(packets: "list[Packet[VideoStream]]") -> None:
            for packet in packets:
                if encoding.codec.name == "vc3":
                    state_matrix(packet, int(first.colorspace))
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


def _state_what_is_missing(plan: FilePlan, path: Path, first: VideoFrame) -> None:
    """Put into a written file what our encoder library cannot tell its writer; ``first`` is a picture of it."""
    if _track_lacks(plan):
        canvas = plan.canvas
        shape = canvas.pixel_aspect * canvas.width / canvas.height if _shape_is_missing(plan) else None
        state_in_track(path, shape, plan.mastering.elements())
    if plan.encoding.into.index_last:
        order = field_order_atom(plan.field_order) if plan.field_order else b""
        colour = numbers_said(first)
        lacks = colour != (UNSAID,) * 3 and not is_rgb(first.format.name) and colour_said(path) is None
        said = colour_atom(*colour) if lacks else b""
        if atoms := order + said + plan.mastering.atoms():
            state_in_entry(path, atoms)


def _track_lacks(plan: FilePlan) -> bool:
    """True where the track of a Matroska file has to be told more than its writer can."""
    return plan.encoding.into.name == "matroska" and (_shape_is_missing(plan) or bool(plan.mastering))


def _shape_is_missing(plan: FilePlan) -> bool:
    """True where the writer does not state a pixel shape by itself and the pixels are not square."""
    return plan.encoding.into.name == "matroska" and plan.canvas.pixel_aspect != 1


def _codec_options(
    encoding: Encoding, pixel_format: str, field_order: FieldOrder | None, mastering: Mastering
) -> dict[str, str]:
    """All options of the picture encoder; what only its own parameters can say is said there."""
    options, asked = encoding.options_for(pixel_format), encoding.setting.picture
    parameters: list[str] = []
    if encoding.codec.name == "h264":
        order = {FieldOrder.LOWER: "bff=1", FieldOrder.UPPER: "tff=1", None: ""}[field_order]
        parameters = [
            order,
            mastering.parameters("mastering-display", "cll"),
            "open-gop=1" if asked.open_groups else "",
        ]
        key = "x264-params"
    elif encoding.codec.name == "hevc":
        groups = f"open-gop={int(asked.open_groups)}"
        parameters = ["log-level=error", groups, mastering.parameters("master-display", "max-cll")]
        key = "x265-params"
    elif encoding.codec.name == "av1":
        parameters, key = [f"irefresh-type={1 if asked.open_groups else 2}"], "svtav1-params"
    if any(parameters):
        options[key] = ":".join(filter(None, parameters))
    if field_order is None:
        return options
    return options | {"field_order": "bb" if field_order is FieldOrder.LOWER else "tt"}
