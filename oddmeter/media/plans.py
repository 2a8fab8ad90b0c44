"""Plans of files: all that writing and proof ask of one, whether it is made of a clip or of a timeline."""

from abc import ABC, abstractmethod
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Protocol

from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas, canvas_for
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Fields, Takes
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, relabelled
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.containers.mastering import Mastering, mastering_in
from oddmeter.media.containers.settings import ENCODINGS, Setting
from oddmeter.media.files.identity import insist_as_known, is_as_known
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.straight import straight
from oddmeter.media.making import Maker
from oddmeter.media.sound.planned import music_of, sounds_of
from oddmeter.media.sound.track import SoundPlan, SoundTrack


class Pictures(Protocol):
    """The pictures of a file, in any order, all of one pixel format."""

    pixel_format: str

    def picture(self, number: int) -> VideoFrame:
        """That of a timeline frame, counted from the file's first; raises ``RuleError`` where it cannot be made."""


@dataclass(frozen=True)
class SourceFile:
    """A file that a plan is made of, what identified it when it was looked at, and the code of the refusal where it is
    another by now."""

    path: Path
    known: Identity | None
    code: str = "changed"


@dataclass(frozen=True)
class FrameShown:
    """What a frame of a file shows: ``picture`` is equal for two frames that are one picture, ``units`` are the source
    pictures that it shows before all, to be counted; ``built`` where it is built along motion."""

    picture: object
    units: frozenset[object]
    built: bool


class FilePlan(ABC):
    """All that is needed to make one file: ``setting`` and ``out``, and what follows."""

    setting: Setting
    out: Path

    @property
    @abstractmethod
    def rate(self) -> Rate:
        """The rate of the file: the timeline's."""

    @property
    @abstractmethod
    def length(self) -> int:
        """How many timeline frames it has."""

    @property
    @abstractmethod
    def canvas(self) -> Canvas:
        """Its raster, pixel shape and scan."""

    @property
    @abstractmethod
    def field_order(self) -> FieldOrder | None:
        """The field that comes first; None where every frame is one picture."""

    @property
    @abstractmethod
    def start(self) -> Timecode:
        """The timecode of its first frame."""

    @property
    @abstractmethod
    def sounds(self) -> tuple[SoundTrack, ...]:
        """Its streams of sound."""

    @property
    @abstractmethod
    def sources(self) -> tuple[SourceFile, ...]:
        """The files it is made of."""

    @property
    @abstractmethod
    def mastering(self) -> Mastering:
        """What it says of how its pictures were mastered; empty where nothing is known of it."""

    @abstractmethod
    def pictures(
        self, pixel_format: str = "", *, ahead: bool = False, proving: bool = False
    ) -> AbstractContextManager[Pictures]:
        """Its pictures, in a pixel format or the one that the setting keeps most in; with ``ahead`` the next ones are
        decoded at the same time, ``proving`` reads the sources straight through."""

    @abstractmethod
    def shown(self, number: int) -> FrameShown:
        """What a frame shows."""

    @property
    @abstractmethod
    def builds(self) -> bool:
        """True where any frame may be built along motion."""

    @property
    @abstractmethod
    def only_picks(self) -> bool:
        """True where every frame is a source picture as it is."""

    def insist_on_sources(self) -> None:
        """Raise ``RuleError`` where a file it is made of is another than the one that was looked at."""
        for source in self.sources:
            insist_as_known(source.path, source.known, code=source.code)

    @property
    def sources_are_known(self) -> bool:
        """True where all files it is made of are still what was looked at."""
        return all(is_as_known(source.path, source.known) for source in self.sources)


@dataclass(frozen=True)
class ClipPlan(FilePlan):
    """A file of one clip, or of an event of it. ``timeline`` is the timeline's canvas, None for the source's own
    raster, progressive; ``sound_rate`` the timeline's samples a second, None for the source's; ``cuts`` are frames of
    the source that begin a shot, as far as they are known, ``music`` the file of the music beside the clip, and
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
    def rate(self) -> Rate:
        """Frames per second of the file: the timeline rate."""
        return self.conformed.timeline_rate

    @property
    def length(self) -> int:
        """Timeline frames of the file."""
        return self.conformed.frame_map.length

    @property
    def canvas(self) -> Canvas:
        """The timeline's, or the source's own where it is kept."""
        facts = self.facts
        own = Canvas(facts.width, facts.height, facts.pixel_aspect)
        framing = self.conformed.treatment.framing
        return canvas_for(facts.width, facts.height, facts.pixel_aspect, self.timeline or own, framing)

    @property
    def field_order(self) -> FieldOrder | None:
        """The timeline's, or that of a source whose frames stay woven."""
        if (first := self.canvas.scan.first) is not None:
            return first
        woven = self.conformed.fields is Fields.WHOLE and self.facts.scan is Scan.INTERLACED
        return (self.facts.field_order or FieldOrder.UPPER) if woven else None

    @cached_property
    def sounds(self) -> tuple[SoundPlan, ...]:
        """What becomes of each sound stream that is taken, and the music."""
        kept = sounds_of(self.source, self.facts.sounds, self.conformed, self.sound_rate)
        return kept if self.music is None else (*kept, music_of(self.music, self.conformed, self.sound_rate))

    @property
    def start(self) -> Timecode:
        """The source's clock, or midnight where it has none."""
        midnight = Timecode(0, self.rate, self.drop_frame)
        first = self.facts.timecode_of(self._first_frame)
        if first is None:
            return midnight
        try:
            return relabelled(first, self.rate, self.drop_frame)
        except RuleError:
            return midnight

    @property
    def sources(self) -> tuple[SourceFile, ...]:
        """The clip's file, and the music."""
        music = () if self.music is None else (SourceFile(self.music, self.music_known, "music"),)
        return SourceFile(self.source, self.facts.identity), *music

    @cached_property
    def mastering(self) -> Mastering:
        """The source's."""
        return mastering_in(self.source)

    @contextmanager
    def pictures(self, pixel_format: str = "", *, ahead: bool = False, proving: bool = False) -> Iterator[Pictures]:
        """Those of the one maker of the clip."""
        access = straight(self.source, self.facts) if proving else FrameAccess(self.source, self.facts, ahead=ahead)
        with access as frames:
            if not pixel_format:
                stored = frames.frame(self.conformed.span[0]).format.name
                width, height = self.canvas.width, self.canvas.height
                encoding = ENCODINGS[self.setting]
                alpha = self.conformed.keeps_samples(self.canvas.scan)
                pixel_format = encoding.pixel_format_for(stored, width, height, alpha=alpha)
            yield Maker(frames, self.conformed, self.canvas, pixel_format, self.cuts)

    def shown(self, number: int) -> FrameShown:
        """The moments of the frame, and the first unit of each."""
        moments = self.conformed.shown(number, self.canvas.scan).moments
        built = self.builds and not all(weights.is_alone for weights in moments)
        return FrameShown(moments, frozenset(weights.first for weights in moments), built)

    @property
    def builds(self) -> bool:
        """True of what is built along motion."""
        return self.conformed.treatment.between.along_motion

    @property
    def only_picks(self) -> bool:
        """True where each moment is the picture on screen."""
        return self.conformed.treatment.between.takes is Takes.SHOWN

    @property
    def _first_frame(self) -> int:
        """The frame of the file that the made file begins with."""
        planned = self.conformed
        if isinstance(planned.frame_map, TimedMap) and planned.frame_map.is_part:
            return min(planned.unit(planned.frame_map.pick(0)).frames)
        return planned.span[0]
