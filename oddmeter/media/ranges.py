"""Files of timelines: every frame put together from the makers of its clips, and one mix of all sounds.

What a frame shows is the core's to say (``core.cutting.shown``); each clip's picture comes from the one maker. All
pictures are brought into the timeline's raster and one colour; where a transition runs they are added as light.
"""

from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from pathlib import Path

from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.cutting.ranges import RenderRange
from oddmeter.core.cutting.shown import Seen
from oddmeter.core.cutting.windows import Window
from oddmeter.core.decisions.treatment import Framing
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, of_any_day
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan
from oddmeter.media.containers.mastering import Mastering, mastering_in
from oddmeter.media.frames.access import FrameAccess, Frames
from oddmeter.media.frames.straight import straight
from oddmeter.media.making import Maker
from oddmeter.media.pictures.colours import Colour, Pictures, black, colour_of, coloured, tagged
from oddmeter.media.pictures.light import added
from oddmeter.media.pictures.planes import woven
from oddmeter.media.plans import FilePlan, FrameShown, SourceFile
from oddmeter.media.settings.setting import Setting
from oddmeter.media.sound.mixdown import taken
from oddmeter.media.sound.track import SoundTrack
from oddmeter.media.soundtracks import Footage, Music, mix_of

_MOST_OPEN = 8
"""Events whose files are open at the same time: those of a frame, and of the frames around it."""


@dataclass(frozen=True)
class TimelinePlan(FilePlan):
    """A file of a timeline, or of a stretch of one. ``footage`` are its clips, ``music`` the files of music that events
    name, each by its root and path."""

    render_range: RenderRange
    footage: Mapping[int, Footage]
    setting: Setting
    out: Path
    music: Mapping[tuple[str, str], Music] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if len({clip.facts.transfer for clip in self.seen}) > 1:
            odd = next(clip for clip in self.seen if clip.facts.transfer)
            raise RuleError(
                f"{odd.path.name} is {odd.facts.transfer} and other clips are not: one file cannot contain both.",
                "colour",
            )

    @property
    def seen(self) -> list[Footage]:
        """Its clips that have pictures."""
        return [clip for clip in self.footage.values() if clip.facts.frames]

    @property
    def rate(self) -> Rate:
        """Frames per second of the file: the timeline rate."""
        return self.render_range.settings.rate

    @property
    def length(self) -> int:
        """Timeline frames of the file."""
        return self.render_range.length

    @property
    def canvas(self) -> Canvas:
        """Raster, pixel shape and scan of the timeline."""
        settings = self.render_range.settings
        timeline = Canvas(settings.width, settings.height, settings.pixel_aspect, settings.scan)
        return self.setting.canvas(timeline)

    @property
    def field_order(self) -> FieldOrder | None:
        """Which field of the timeline comes first; None where it is progressive."""
        return self.canvas.scan.first

    @property
    def start(self) -> Timecode:
        """The timecode of the stretch's first frame."""
        settings = self.render_range.settings
        return of_any_day(settings.start + self.render_range.first, settings.rate, settings.drop_frame)

    @cached_property
    def sounds(self) -> tuple[SoundTrack, ...]:
        """The mix, where anything is heard."""
        settings = self.render_range.settings
        rate = self.encoding.sound_rate(settings.sound_rate) or settings.sound_rate
        heard = replace(self.render_range, settings=replace(settings, sound_rate=rate))
        mix = mix_of(heard, self.footage, self.music)
        return taken((mix,) if mix.laid else (), self.setting.sound)

    @property
    def sources(self) -> tuple[SourceFile, ...]:
        """Its clips' files, and the music."""
        clips = [SourceFile(clip.path, clip.facts.identity) for clip in self.footage.values()]
        return *clips, *(SourceFile(piece.path, piece.known, "music") for piece in self.music.values())

    @cached_property
    def mastering(self) -> Mastering:
        """That of its clips, where all have the same and one of high dynamic range."""
        if not any(clip.facts.transfer for clip in self.seen):
            return Mastering()
        common = {mastering_in(clip.path) for clip in self.seen}
        return common.pop() if len(common) == 1 else Mastering()

    @contextmanager
    def pictures(self, pixel_format: str = "", *, ahead: bool = False, proving: bool = False) -> Iterator[Pictures]:
        """Put together from its clips' makers."""
        if not pixel_format:
            stored = [clip.facts.pixel_format for clip in self.seen]
            canvas = self.canvas
            pixel_format = self.encoding.pixel_format_for_all(stored, canvas.width, canvas.height)
        with closing(_Made(self, pixel_format, ahead=ahead, proving=proving)) as made:
            yield tagged(made, self.setting.picture.colour)

    def shown(self, number: int) -> FrameShown:
        """The clips with their units and shares, and the first unit of each."""
        moments = self.moments(number)
        parts = [part for moment in moments for part in moment]
        return FrameShown(
            tuple(tuple(self._key_of(part) for part in moment) for moment in moments),
            frozenset((part.clip_id, part.weights.first) for part in parts if part.clip_id is not None),
            any(part.between.along_motion and not part.weights.is_alone for part in parts),
        )

    @property
    def builds(self) -> bool:
        """True where any event is built along motion."""
        return any(planned.conformed.treatment.between.along_motion for planned in self.render_range.planned.values())

    @property
    def only_picks(self) -> bool:
        """True: of every frame it is known which source pictures it shows, and counted."""
        return True

    def moments(self, number: int) -> tuple[tuple[Seen, ...], ...]:
        """What a frame shows, as the render range says."""
        return self._looked_up(number)

    @cached_property
    def _looked_up(self) -> Callable[[int], tuple[tuple[Seen, ...], ...]]:
        return lru_cache(maxsize=64)(self.render_range.moments)

    def _key_of(self, seen: Seen) -> object:
        window = self.window_of(seen)
        treatment = window.conformed.treatment if window is not None else None
        how = (treatment.framing, treatment.fields) if treatment is not None else ()
        return *seen.picture, *how

    def window_of(self, seen: Seen) -> Window | None:
        """The window of the event that uses the clip; None of black."""
        if seen.clip_id is None or seen.event is None:
            return None
        return self.render_range.window(self.render_range.timeline_of(seen), seen.event)


class _Made:
    """The pictures of a timeline's file; for one thread at a time."""

    def __init__(self, plan: TimelinePlan, pixel_format: str, *, ahead: bool, proving: bool) -> None:
        self.pixel_format = pixel_format
        self._plan, self._ahead, self._proving = plan, ahead, proving
        self._open: OrderedDict[tuple[int, int], tuple[Maker, Frames]] = OrderedDict()

    def close(self) -> None:
        """Close every file."""
        while self._open:
            self._open.popitem()[1][1].__exit__()

    def picture(self, number: int) -> VideoFrame:
        """What the frame's moments show, woven where there are two."""
        frames = [self._added(moment) for moment in self._plan.moments(number)]
        if len(frames) == 1:
            return frames[0]
        early, late = frames
        return woven(early, late) if self._plan.canvas.scan is TimelineScan.UPPER else woven(late, early)

    def _added(self, parts: tuple[Seen, ...]) -> VideoFrame:
        """The parts added as light, each by its share."""
        if len(parts) == 1:
            return self._part(parts[0])
        return added((self._part(part) for part in parts), [float(part.share) for part in parts])

    def _part(self, seen: Seen) -> VideoFrame:
        window = self._plan.window_of(seen)
        if window is None or seen.clip_id is None:
            return black(self._plan.canvas.width, self._plan.canvas.height, self.pixel_format, self._colour)
        return coloured(self._maker(seen, window).pictured(seen.weights), self._colour)

    def _maker(self, seen: Seen, window: Window) -> Maker:
        assert seen.event is not None and seen.clip_id is not None
        key = (self._plan.render_range.timeline_of(seen), seen.event.id)
        if key not in self._open:
            while len(self._open) >= _MOST_OPEN:
                self._open.popitem(last=False)[1][1].__exit__()
            footage = self._plan.footage[seen.clip_id]
            frames: Frames = (
                straight(footage.path, footage.facts) if self._proving
                else FrameAccess(footage.path, footage.facts, ahead=self._ahead)
            )  # fmt: skip
            planned = _in_raster(window.as_conform, footage.facts, self._plan.canvas)
            self._open[key] = Maker(frames, planned, self._plan.canvas, self.pixel_format, footage.cuts), frames
        self._open.move_to_end(key)
        return self._open[key][0]

    @cached_property
    def _colour(self) -> Colour:
        """The colour of all pictures: that which the clips share; or video range under the usual matrix."""
        lines, found = self._plan.canvas.height, dict[Colour, None]()
        for footage in self._plan.seen:
            with FrameAccess(footage.path, footage.facts) as frames:
                found[colour_of(frames.frame(0), lines)] = None
        if len(found) == 1:
            return next(iter(found))
        if any(footage.facts.transfer for footage in self._plan.seen):
            return replace(next(iter(found)), full=False)
        return Colour.usual(lines)


def _in_raster(planned: Conform, facts: Facts, canvas: Canvas) -> Conform:
    """The conform with its picture brought into the timeline's raster, whole, where it would keep its own."""
    asked = planned.treatment.framing
    if (facts.width, facts.height, facts.pixel_aspect) == (canvas.width, canvas.height, canvas.pixel_aspect):
        framing = Framing.KEEP
    else:
        framing = Framing.INSIDE if asked is Framing.KEEP else asked
    return replace(planned, treatment=replace(planned.treatment, framing=framing))
