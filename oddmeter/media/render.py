"""Render: decode, follow the frame map, encode at the exact timeline rate.

A file is written beside its final name and moved into place only when it is complete.
"""

import errno
import glob
import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import cast
from uuid import uuid4

import av
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.video.frame import PictureType, VideoFrame
from av.video.stream import VideoStream

from oddmeter.core.conform import Conform
from oddmeter.core.errors import RuleError
from oddmeter.core.facts import Facts
from oddmeter.core.timecode import Timecode, carried_over
from oddmeter.core.treatments import Between, Fields, SoundChoice
from oddmeter.media.decode import FrameReader
from oddmeter.media.matroska import PLACEHOLDER, state_pixel_shape
from oddmeter.media.settings import ENCODINGS, Encoding, Setting
from oddmeter.media.sound import kept_sound, named_layout

SOUND_LATER = "Sound that follows the speed or keeps its pitch is still to come; this file is made without sound."


@dataclass(frozen=True)
class RenderPlan:
    """All that is needed to make one file. Sound is kept only where it runs at the file's own speed."""

    source: Path
    facts: Facts
    conformed: Conform
    setting: Setting
    out: Path
    drop_frame: bool = False

    @property
    def wants_sound(self) -> bool:
        """True where there is sound, and it was not switched off."""
        return self.conformed.treatment.sound is not SoundChoice.OFF and self.facts.sound is not None

    @property
    def keeps_sound(self) -> bool:
        """True where the made file will hold sound."""
        return self.wants_sound and self.conformed.keeps_sound_speed and not self.conformed.treatment.reverse

    @property
    def sound_remark(self) -> str | None:
        """A sentence where sound was wanted and cannot be kept."""
        return SOUND_LATER if self.wants_sound and not self.keeps_sound else None

    @property
    def still_to_come(self) -> str | None:
        """A sentence where something was decided that files cannot be made with yet."""
        treatment = self.conformed.treatment
        wanted = {
            "split fields": treatment.fields is Fields.SPLIT,
            "deinterlaced pictures": treatment.fields is Fields.DEINTERLACE,
            f"in-betweens by {treatment.between.value}": treatment.between is not Between.PICK,
            "a clip that runs backwards": treatment.reverse,
        }
        missing = [name for name, holds in wanted.items() if holds]
        return f"Making files with {' and '.join(missing)} is still to come." if missing else None

    @property
    def start(self) -> Timecode:
        """The start timecode of the made file: the source's clock, or midnight where it has none."""
        rate = self.conformed.timeline_rate
        midnight = Timecode(0, rate, self.drop_frame)
        if self.facts.timecode is None or self.facts.file_rate is None:
            return midnight
        try:
            return carried_over(Timecode.parse(self.facts.timecode, self.facts.file_rate), rate, self.drop_frame)
        except RuleError:
            return midnight


def render(
    plan: RenderPlan,
    progress: Callable[[int], None] = lambda done: None,
    before_placing: Callable[[], None] = lambda: None,
) -> None:
    """Make the file of a plan.

    ``progress`` is called with the number of timeline frames done, ``before_placing`` once before the finished
    file gets its name; both may raise. Raises ``RuleError`` where the plan cannot be made or the final name is
    taken. Where anything is raised, nothing stays behind.
    """
    if plan.still_to_come:
        raise RuleError(plan.still_to_come, "treatment")
    if plan.out.resolve().parent == plan.source.resolve().parent:
        raise RuleError("Files are never written into the folder of their source. Choose another folder.", "folder")
    if plan.out.exists():
        raise RuleError(f"{plan.out.name} is there already; it was not written over.", "exists")
    try:
        plan.out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise RuleError(f"The folder {plan.out.parent} cannot be made: {error.strerror}.", "folder") from error
    unfinished = plan.out.with_name(f".{plan.out.name}.{uuid4().hex[:8]}.part")
    try:
        _write(plan, unfinished, progress)
        if _shape_is_missing(plan):
            state_pixel_shape(unfinished, plan.facts.width, plan.facts.height, plan.facts.pixel_aspect)
        before_placing()
        _move_into_place(unfinished, plan.out)
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"{plan.out.name} could not be written: {error.strerror or error}.", "write") from error
    finally:
        unfinished.unlink(missing_ok=True)


def clear_unfinished(out: Path) -> None:
    """Remove what renders that were killed left beside a final name. Only for who has the sole right to it."""
    for left in out.parent.glob(f".{glob.escape(out.name)}.*.part"):
        left.unlink(missing_ok=True)


def _write(plan: RenderPlan, unfinished: Path, progress: Callable[[int], None]) -> None:
    encoding = ENCODINGS[plan.setting]
    rate = plan.conformed.timeline_rate.value
    with (
        FrameReader(plan.source) as reader,
        av.open(str(unfinished), "w", format=encoding.container, options=_container_options(encoding)) as container,
    ):
        source = reader.stream.codec_context
        video = cast(VideoStream, container.add_stream(encoding.codec, rate=rate, options=_codec_options(encoding)))
        video.width, video.height = source.width, source.height
        video.pix_fmt = encoding.pixel_format_for(source.pix_fmt or "", source.width, source.height)
        video.codec_context.time_base = 1 / rate
        video.codec_context.sample_aspect_ratio = plan.facts.pixel_aspect
        for name in ("color_range", "color_primaries", "color_trc", "colorspace"):
            setattr(video.codec_context, name, getattr(source, name))
        container.metadata["timecode"] = str(plan.start)
        if _shape_is_missing(plan):
            video.metadata["title"] = PLACEHOLDER
        sound = _SoundTrack(container, plan, encoding) if plan.keeps_sound else None
        for number, picked in enumerate(plan.conformed.frame_map.picks()):
            frame = _prepared(reader.frame(picked), video.pix_fmt, number, rate)
            container.mux(video.encode(frame))
            if sound is not None:
                sound.write_until(Fraction(number + 1) / rate)
            progress(number + 1)
        container.mux(video.encode(None))
        if sound is not None:
            sound.finish()


def _prepared(frame: VideoFrame, pixel_format: str, number: int, rate: Fraction) -> VideoFrame:
    """The frame as the encoder wants it, at its place on the timeline."""
    if frame.format.name != pixel_format:
        frame = frame.reformat(format=pixel_format)
    frame.pts, frame.time_base, frame.pict_type = number, 1 / rate, PictureType.NONE
    return frame


class _SoundTrack:
    """Writes the kept sound between the pictures, so that neither waits long for the other."""

    def __init__(self, container: OutputContainer, plan: RenderPlan, encoding: Encoding) -> None:
        assert plan.facts.sound is not None
        length = plan.conformed.frame_map.length / plan.conformed.timeline_rate.value
        self._container = container
        with av.open(str(plan.source), metadata_errors="replace") as source:
            layout = named_layout(source.streams.audio[0])
        if plan.facts.sound.channels > encoding.most_channels:
            raise RuleError(f"{encoding.label} holds at most {encoding.most_channels} channels of sound.", "sound")
        stream = container.add_stream(encoding.sound_codec, rate=plan.facts.sound.sample_rate, layout=layout)
        self._stream = cast(AudioStream, stream)
        self._frames: Iterator[AudioFrame] = kept_sound(plan.source, encoding.sound_format, length)
        self._written = Fraction(0)

    def write_until(self, time: Fraction) -> None:
        while self._written < time and (frame := next(self._frames, None)) is not None:
            self._container.mux(self._stream.encode(frame))
            self._written += Fraction(frame.samples, frame.sample_rate)

    def finish(self) -> None:
        for frame in self._frames:
            self._container.mux(self._stream.encode(frame))
        self._container.mux(self._stream.encode(None))


def _shape_is_missing(plan: RenderPlan) -> bool:
    """True where the writer does not state a pixel shape by itself and the pixels are not square."""
    return plan.setting is Setting.ARCHIVE and plan.facts.pixel_aspect != 1


def _container_options(encoding: Encoding) -> dict[str, str]:
    return {key: value for key, value in encoding.options.items() if key == "movflags"}


def _codec_options(encoding: Encoding) -> dict[str, str]:
    return {key: value for key, value in encoding.options.items() if key != "movflags"}


def _move_into_place(unfinished: Path, final: Path) -> None:
    """Give a complete file its final name; never over another file."""
    with unfinished.open("rb") as written:
        os.fsync(written.fileno())
    try:
        os.link(unfinished, final)
    except FileExistsError:
        raise RuleError(f"{final.name} is there already; it was not written over.", "exists") from None
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK) or final.exists():
            raise
        unfinished.rename(final)
