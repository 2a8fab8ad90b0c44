"""Plans of files: all that writing and proof ask of one, whether it is made of a clip or of a timeline."""

from abc import ABC, abstractmethod
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from oddmeter.core.conform.framing import Canvas, canvas_for
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Fields, Framing, Takes
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, relabelled
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.containers.mastering import Mastering, mastering_in
from oddmeter.media.files.identity import insist_as_known, is_as_known
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.straight import straight
from oddmeter.media.making import Maker
from oddmeter.media.pictures.colours import Pictures, tagged
from oddmeter.media.settings.encoding import Encoding, encoding_of
from oddmeter.media.settings.setting import Channels, Setting
from oddmeter.media.sound.mixdown import taken
from oddmeter.media.sound.planned import music_of, sounds_of
from oddmeter.media.sound.track import SoundPlan, SoundTrack


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
    def encoding(self) -> Encoding:
        """How the setting is written."""
        return encoding_of(self.setting)

    @property
    def opened_as(self) -> Path:
        """The path that the made file is opened by: its own, or that of its numbered pictures."""
        return self.out / numbered_name(self) if self.setting.is_numbered else self.out

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

    @property
    def most_channels(self) -> int:
        """The channels of its sound stream that has most; 0 where there is none."""
        return max((track.layout[1] for track in self.sounds), default=0)

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
        kept = canvas_for(facts.width, facts.height, facts.pixel_aspect, self.timeline or own, framing)
        return self.setting.canvas(kept)

    @property
    def field_order(self) -> FieldOrder | None:
        """The timeline's, or that of a source whose frames stay woven."""
        if (first := self.canvas.scan.first) is not None:
            return first
        woven = self.conformed.fields is Fields.WHOLE and self.facts.scan is Scan.INTERLACED
        return (self.facts.field_order or FieldOrder.UPPER) if woven else None

    @cached_property
    def sounds(self) -> tuple[SoundTrack, ...]:
        """The sound streams that the setting takes of all that are heard."""
        return taken(self.heard, self.setting.sound)

    @cached_property
    def heard(self) -> tuple[SoundPlan, ...]:
        """What becomes of each sound stream of the clip that is decided on, and the music."""
        rate = self.encoding.sound_rate(self.sound_rate)
        kept = sounds_of(self.source, self.facts.sounds, self.conformed, rate)
        return kept if self.music is None else (*kept, music_of(self.music, self.conformed, rate))

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
                alpha = self.conformed.keeps_samples(self.canvas.scan)
                pixel_format = self.encoding.pixel_format_for(stored, width, height, alpha=alpha)
            yield tagged(Maker(frames, self._framed, self.canvas, pixel_format, self.cuts), self.setting.picture.colour)

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
    def most_channels(self) -> int:
        """As it was found when the clip was probed: no file is opened for it."""
        asked = self.setting.sound
        if asked.channels is not Channels.KEEP or self.music is not None or not self.sounds:
            return super().most_channels
        return max(sound.channels for sound in self.facts.sounds)

    @property
    def _framed(self) -> Conform:
        """The conform with a picture that keeps its raster brought into that of the setting."""
        planned, facts, canvas = self.conformed, self.facts, self.canvas
        if planned.treatment.framing is not Framing.KEEP or (facts.width, facts.height) == (
            canvas.width,
            canvas.height,
        ):
            return planned
        return replace(planned, treatment=replace(planned.treatment, framing=self.setting.picture.framing))

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


def numbered_name(plan: FilePlan) -> str:
    """What numbered pictures of a plan are called, with a ``#`` for each digit."""
    numbers, codec = plan.setting.numbers, plan.setting.codec
    name = numbers.pattern.replace("{name}", plan.out.name).replace("{number}", "#" * numbers.padding)
    return name + codec.suffix


def first_number(plan: FilePlan) -> int:
    """The number of the first of a plan's numbered pictures."""
    return plan.start.frames if plan.setting.numbers.timecode else plan.setting.numbers.start
