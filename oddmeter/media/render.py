"""Render: decode, follow the frame map, encode at the exact timeline rate.

A file is written beside its final name and moved into place only when it is complete.
"""

import errno
import glob
import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import cast
from uuid import uuid4

import av
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.packet import Packet
from av.video.frame import PictureType
from av.video.stream import VideoStream

from oddmeter.core.conform.framing import Canvas, canvas_for
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Fields, SoundChoice
from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.maps.paths import Path as PathOfTime
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.timecode import Timecode, carried_over
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.containers.mastering import Mastering, mastering_in
from oddmeter.media.containers.matroska import PLACEHOLDER, state_in_track
from oddmeter.media.containers.quicktime import field_order_atom, state_in_entry
from oddmeter.media.containers.settings import ENCODINGS, Encoding, Setting
from oddmeter.media.containers.vc3 import state_matrix
from oddmeter.media.files.access import FrameAccess
from oddmeter.media.files.decode import read_ahead
from oddmeter.media.files.identity import insist_as_known
from oddmeter.media.making import Maker
from oddmeter.media.sound.along import SoundCourse
from oddmeter.media.sound.track import SoundPlan, made_sound, sound_layout, sound_rate_of


@dataclass(frozen=True)
class RenderPlan:
    """All that is needed to make one file. ``timeline`` is the timeline's canvas, None for the source's own raster,
    progressive; ``sound_rate`` the timeline's samples a second, None for the source's; ``cuts`` are frames of the
    source that begin a shot, as far as they are known, ``music`` the file of the music beside the clip, and
    ``music_known`` what identified it when it was looked at."""

    source: Path
    facts: Facts
    conformed: Conform
    setting: Setting
    out: Path
    drop_frame: bool = False
    timeline: Canvas | None = None
    sound_rate: int | None = None
    cuts: frozenset[int] = frozenset()
    music: Path | None = None
    music_known: Identity | None = None

    @property
    def canvas(self) -> Canvas:
        """The raster, pixel shape and scan of the made file."""
        facts = self.facts
        own = Canvas(facts.width, facts.height, facts.pixel_aspect)
        framing = self.conformed.treatment.framing
        return canvas_for(facts.width, facts.height, facts.pixel_aspect, self.timeline or own, framing)

    @property
    def field_order(self) -> FieldOrder | None:
        """The field that comes first in the made file: the timeline's, or that of a source whose frames stay woven;
        None where every frame is one picture."""
        if (first := self.canvas.scan.first) is not None:
            return first
        woven = self.conformed.fields is Fields.WHOLE and self.facts.scan is Scan.INTERLACED
        return (self.facts.field_order or FieldOrder.UPPER) if woven else None

    @property
    def sounds(self) -> tuple[SoundPlan, ...]:
        """What becomes of each sound stream that is taken; none where there is none, or sound was switched off."""
        heard, treatment = self.facts.sounds, self.conformed.treatment
        if treatment.sound is SoundChoice.OFF:
            return self._music
        return tuple(self._sound(heard[number]) for number in treatment.streams.of(len(heard))) + self._music

    @cached_property
    def _music(self) -> tuple[SoundPlan, ...]:
        """The music beside the clip, cut to the length of the picture with a fade."""
        if self.music is None:
            return ()
        music, rate = self.conformed.treatment.music, self.conformed.timeline_rate.value
        length = self.conformed.frame_map.length / rate
        source_rate = sound_rate_of(self.music)
        return (
            SoundPlan(
                self.music, Fraction(1), -music.start / rate, length, length, self.sound_rate or source_rate,
                source_rate,
                name=music.name, fade=min(length, music.fade / rate),
            ),
        )  # fmt: skip

    def _sound(self, source: Sound) -> SoundPlan:
        planned, course = self.conformed, self._course
        first, stop = planned.span
        file_rate, clock = planned.material.file_rate.value, planned.material.clock
        start, lasts = first / file_rate, (stop - first) / file_rate
        if clock is not None:
            start, lasts = clock.time(first), clock.time(stop) - clock.time(first)
        length = planned.frame_map.length / planned.timeline_rate.value
        if (part := self._part) is not None:
            start, lasts, even = part
            course = None if even else course
        return SoundPlan(
            self.source, planned.sound_factor, start, lasts, length, self.sound_rate or source.sample_rate,
            source.sample_rate, planned.treatment.sound is SoundChoice.PITCH, planned.treatment.reverse,
            course, source.place, source.name,
        )  # fmt: skip

    @property
    def _part(self) -> tuple[Fraction, Fraction, bool] | None:
        """Of an event: where in the file its sound begins and how many seconds it takes, and whether at one speed; None
        of a whole clip. Where the source is over, it goes on into silence."""
        planned = self.conformed
        frame_map = planned.frame_map
        if not isinstance(frame_map, TimedMap) or not frame_map.is_part:
            return None
        path = frame_map.path
        scale = Fraction(1) if planned.by_times else planned.read_rate.value / planned.material.file_rate.value
        running = [piece for piece in path.pieces if not piece.rests]
        own_times = planned.material.clock is not None and not planned.by_times
        if len(running) == 1 and running[0].is_straight and path.pieces[0] is running[0] and not own_times:
            run = planned.sound_factor * path.lasts
            begins = path.at(Fraction(0)) * scale
            return (begins - run if planned.treatment.reverse else begins), run, True
        places = [piece.source * scale for piece in path.pieces]
        places += [piece.at(min(piece.ends, path.lasts)) * scale for piece in path.pieces]
        low = max(Fraction(0), min(places) - 1)
        return low, max(places) + 1 - low, False

    @property
    def _course(self) -> SoundCourse | None:
        """How the sound runs where its speed changes along the shot; None where it is the same throughout."""
        planned, material = self.conformed, self.conformed.material
        read, clock = planned.read_rate.value, material.clock
        first, stop = planned.span
        if isinstance(planned.frame_map, TimedMap):
            path = planned.frame_map.path
        elif clock is not None and not planned.treatment.reverse:
            path = PathOfTime.straight(first / read, planned.speed, (stop - first) / (read * planned.speed))
        else:
            return None
        if planned.by_times:
            straight = len(path.pieces) == 1 and path.pieces[0].is_straight and path.pieces[0].way > 0
            return None if straight else SoundCourse(path)
        return SoundCourse(path, read / material.file_rate.value, clock, read)

    @property
    def _first_frame(self) -> int:
        """The frame of the file that the made file begins with."""
        planned = self.conformed
        if isinstance(planned.frame_map, TimedMap) and planned.frame_map.is_part:
            return min(planned.unit(planned.frame_map.pick(0)).frames)
        return planned.span[0]

    @property
    def start(self) -> Timecode:
        """The start timecode of the made file: the source's clock, or midnight where it has none."""
        rate = self.conformed.timeline_rate
        midnight = Timecode(0, rate, self.drop_frame)
        if self.facts.timecode is None or self.facts.file_rate is None:
            return midnight
        try:
            source = Timecode.parse(self.facts.timecode, self.facts.file_rate)
            first = replace(source, frames=source.frames + self._first_frame)
            return carried_over(first, rate, self.drop_frame)
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
    taken, or the source is another file than the one that was looked at. Where anything is raised, nothing stays
    behind.
    """
    if plan.out.resolve().parent == plan.source.resolve().parent:
        raise RuleError("Files are never written into the folder of their source. Choose another folder.", "folder")
    if plan.out.exists():
        raise RuleError(f"{plan.out.name} is there already; it was not written over.", "exists")
    try:
        plan.out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise RuleError(could_not_write(f"The folder {plan.out.parent}", error), "folder") from error
    insist_on_sources(plan)
    unfinished = plan.out.with_name(f".{plan.out.name}.{uuid4().hex[:8]}.part")
    try:
        _state_what_is_missing(plan, _write(plan, unfinished, progress), unfinished)
        before_placing()
        _move_into_place(unfinished, plan.out)
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(could_not_write(plan.out.name, error), "write") from error
    finally:
        unfinished.unlink(missing_ok=True)


def insist_on_sources(plan: RenderPlan) -> None:
    """Raise ``RuleError`` where the clip's file, or the music beside it, is another than the one that was looked
    at."""
    insist_as_known(plan.source, plan.facts.identity)
    if plan.music is not None:
        insist_as_known(plan.music, plan.music_known, code="music")


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


def _write(plan: RenderPlan, unfinished: Path, progress: Callable[[int], None]) -> Mastering:
    """Write the file; returns the mastering data of its source."""
    encoding = ENCODINGS[plan.setting]
    rate = plan.conformed.timeline_rate.value
    canvas = plan.canvas
    with (
        FrameAccess(plan.source, plan.facts, ahead=True) as frames,
        av.open(str(unfinished), "w", format=encoding.container, options=_container_options(encoding)) as container,
    ):
        source = frames.frame(plan.conformed.span[0])
        pixel_format = encoding.pixel_format_for(source.format.name, canvas.width, canvas.height)
        mastering = mastering_in(plan.source)
        options = _codec_options(encoding, pixel_format, plan.field_order, mastering)
        video = cast(VideoStream, container.add_stream(encoding.codec, rate=rate, options=options))
        video.width, video.height, video.pix_fmt = canvas.width, canvas.height, pixel_format
        video.codec_context.time_base = 1 / rate
        video.codec_context.sample_aspect_ratio = canvas.pixel_aspect
        maker = Maker(frames, plan.conformed, canvas, pixel_format, plan.cuts)
        first = maker.made(0).frame
        for name in ("color_range", "color_primaries", "color_trc", "colorspace"):
            setattr(video.codec_context, name, getattr(first, name))
        container.metadata["timecode"] = str(plan.start)
        if _track_lacks(plan, mastering):
            video.metadata["title"] = PLACEHOLDER
        sounds = [_SoundTrack(container, sound, encoding) for sound in plan.sounds]

        def mux(packets: "list[Packet[VideoStream]]") -> None:
            for packet in packets:
                if encoding.codec == "dnxhd":
                    state_matrix(packet, int(first.colorspace), plan.field_order is not None)
                container.mux(packet)

        with read_ahead(maker.frames()) as made:
            for number, frame in enumerate(made):
                frame.pts, frame.time_base, frame.pict_type = number, 1 / rate, PictureType.NONE
                mux(video.encode(frame))
                for sound in sounds:
                    sound.write_until(Fraction(number + 1) / rate)
                progress(number + 1)
        mux(video.encode(None))
        for sound in sounds:
            sound.finish()
    return mastering


def _state_what_is_missing(plan: RenderPlan, mastering: Mastering, unfinished: Path) -> None:
    """Put into a written file what our encoder library cannot tell its writer."""
    if _track_lacks(plan, mastering):
        canvas = plan.canvas
        shape = canvas.pixel_aspect * canvas.width / canvas.height if _shape_is_missing(plan) else None
        state_in_track(unfinished, shape, mastering.elements())
    if plan.setting is Setting.EDIT:
        order = field_order_atom(plan.field_order) if plan.field_order else b""
        if atoms := order + mastering.atoms():
            state_in_entry(unfinished, atoms)


class _SoundTrack:
    """Writes the sound between the pictures, so that neither waits long for the other."""

    def __init__(self, container: OutputContainer, plan: SoundPlan, encoding: Encoding) -> None:
        self._container = container
        layout, channels = sound_layout(plan)
        if channels > encoding.most_channels:
            raise RuleError(f"{encoding.label} holds at most {encoding.most_channels} channels of sound.", "sound")
        self._stream = cast(AudioStream, container.add_stream(encoding.sound_codec, rate=plan.rate, layout=layout))
        if plan.name:
            self._stream.metadata["title"] = plan.name
        self._frames: Iterator[AudioFrame] = made_sound(plan, encoding.sound_format)
        self._written = Fraction(0)

    def write_until(self, time: Fraction) -> None:
        while self._written < time and (frame := next(self._frames, None)) is not None:
            self._container.mux(self._stream.encode(frame))
            self._written += Fraction(frame.samples, frame.sample_rate)

    def finish(self) -> None:
        for frame in self._frames:
            self._container.mux(self._stream.encode(frame))
        self._container.mux(self._stream.encode(None))


def _track_lacks(plan: RenderPlan, mastering: Mastering) -> bool:
    """True where the track of an archive has to be told more than its writer can."""
    return plan.setting is Setting.ARCHIVE and (_shape_is_missing(plan) or bool(mastering))


def _shape_is_missing(plan: RenderPlan) -> bool:
    """True where the writer does not state a pixel shape by itself and the pixels are not square."""
    return plan.setting is Setting.ARCHIVE and plan.canvas.pixel_aspect != 1


def _container_options(encoding: Encoding) -> dict[str, str]:
    return {key: value for key, value in encoding.options.items() if key == "movflags"}


def _codec_options(
    encoding: Encoding, pixel_format: str, field_order: FieldOrder | None, mastering: Mastering
) -> dict[str, str]:
    options = {key: value for key, value in encoding.options_for(pixel_format).items() if key != "movflags"}
    if encoding.codec == "libx264":
        order = {FieldOrder.LOWER: "bff=1", FieldOrder.UPPER: "tff=1", None: ""}[field_order]
        told = ":".join(filter(None, (options.pop("x264-params", ""), order, mastering.x264())))
        options |= {"x264-params": told} if told else {}
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
        raise RuleError(f"{final.name} is there already; it was not written over.", "exists") from None
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK) or final.exists():
            raise
        unfinished.rename(final)
