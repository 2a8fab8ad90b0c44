"""Orders of timelines: everything that a file of one needs, so that it can be made later, from the database alone."""

from collections.abc import Callable, Iterable, Mapping
from fractions import Fraction

from pydantic import BaseModel

from oddmeter.config import Config
from oddmeter.core.cutting.events import Event, EventList, Track
from oddmeter.core.cutting.listed import SourceKind, Transition
from oddmeter.core.cutting.ranges import RenderRange
from oddmeter.core.cutting.windows import Window, window
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import Clip
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.media.ranges import TimelinePlan
from oddmeter.media.settings.setting import Setting
from oddmeter.media.soundtracks import Footage, Music
from oddmeter.work.orders import Order, OrderedCanvas, order_of_conform

IdentityAt = Callable[[str, str], Identity | None]
"""What identified a file, by its root and path, when it was looked at."""


def unasked(root: str, path: str) -> None:
    """Of music that is not compared with what it was."""


class OrderedUse(BaseModel):
    """An event, as ``Event`` has it; ``plan`` is the number of what is decided on its source."""

    id: int
    track: str
    kind: SourceKind
    record_in: int
    length: int
    source_in: str = "0/1"
    lead: str = "0/1"
    clip: int | None = None
    timeline: int | None = None
    dissolve: int = 0
    group: int | None = None
    flattened: bool = False
    plan: int | None = None

    @staticmethod
    def of(event: Event, plan: int | None) -> "OrderedUse":
        """From the core's value; of transitions only dissolves are made."""
        return OrderedUse(
            id=event.id, track=event.track.name, kind=event.kind, record_in=event.record_in, length=event.length,
            source_in=fraction_text(event.source_in), lead=fraction_text(event.curve_offset), clip=event.clip_id,
            timeline=event.timeline_id,
            dissolve=event.dissolves_over, group=event.group, flattened=event.flattened, plan=plan,
        )  # fmt: skip

    def event(self) -> Event:
        """The core's value."""
        return Event(
            self.id, Track.named(self.track), self.kind, self.record_in, self.length,
            SourceFrame(Fraction(self.source_in)), Fraction(self.lead), self.clip, self.timeline,
            transition=Transition("dissolve", self.dissolve) if self.dissolve else None, group=self.group,
            flattened=self.flattened,
        )  # fmt: skip


class OrderedTimeline(BaseModel):
    """The events of a timeline, at its rate."""

    id: int
    rate: str
    events: list[OrderedUse]


class OrderedPart(BaseModel):
    """What of a timeline a file is, where it is not a stretch of all of it: an event with its handles, or the
    ``transition`` into one."""

    id: int
    transition: bool = False
    head: int = 0
    tail: int = 0


class RangeOrder(BaseModel):
    """The order of a file of a timeline: frames ``first`` to ``stop − 1``. ``plans`` are what is decided on its
    sources, each once; what it is called is no part of it, but said in ``name``."""

    name: str
    first: int
    stop: int
    rate: str
    drop_frame: bool
    start: int
    canvas: OrderedCanvas
    sound_rate: int
    timelines: list[OrderedTimeline]
    plans: list[Order]
    event: OrderedPart | None = None

    @property
    def clip_ids(self) -> list[int]:
        """The clips that are used."""
        uses = (event for ordered in self.timelines for event in ordered.events if event.plan is not None)
        return sorted({use.clip for use in uses if use.clip is not None})

    def is_same_as(self, other: "RangeOrder") -> bool:
        """True where the file would be the same, whatever it is called."""
        return self.model_copy(update={"name": ""}) == other.model_copy(update={"name": ""})

    def render_range(self, clips: Mapping[int, Clip]) -> RenderRange:
        """The render range that was ordered, of such clips."""
        canvas = self.canvas.canvas()
        settings = TimelineSettings(
            self.name, Rate(Fraction(self.rate)), canvas.width, canvas.height, canvas.pixel_aspect,
            canvas.scan, self.drop_frame, self.sound_rate, self.start,
        )  # fmt: skip
        cuts: dict[int, EventList] = {}
        planned: dict[tuple[int, int], Window] = {}
        for ordered in self.timelines:
            rate = Rate(Fraction(ordered.rate))
            cuts[ordered.id] = EventList(rate, tuple(event.event() for event in ordered.events))
            for event in ordered.events:
                if event.plan is None:
                    continue
                clip = clips.get(event.clip) if event.clip is not None else None
                clock = clip.facts.times if clip is not None and clip.facts is not None else None
                order = self.plans[event.plan]
                planned[ordered.id, event.id] = window(event.event(), order.material(clock), order.treatment, rate)
        return RenderRange(self.timelines[0].id, self.first, self.stop, settings, cuts, planned)


def order_of_range(
    render_range: RenderRange, names: Mapping[int, TimelineSettings], name: str, event: OrderedPart | None = None
) -> RangeOrder:
    """The order to make a file of a render range; ``names`` are the settings of the timelines in it."""
    plans: dict[str, int] = {}
    kept: list[Order] = []

    def number_of(timeline_id: int, one: Event) -> int | None:
        use = render_range.planned.get((timeline_id, one.id))
        if use is None:
            return None
        order = order_of_conform(use.conformed, names[timeline_id])
        key = order.model_dump_json()
        if key not in plans:
            plans[key] = len(kept)
            kept.append(order)
        return plans[key]

    timelines = [
        OrderedTimeline(
            id=timeline_id, rate=event_list.rate.exact,
            events=[OrderedUse.of(other, number_of(timeline_id, other)) for other in event_list.in_time],
        )
        for timeline_id, event_list in render_range.cuts.items()
    ]  # fmt: skip
    settings = render_range.settings
    return RangeOrder(
        name=name, first=render_range.first, stop=render_range.stop, rate=settings.rate.exact,
        drop_frame=settings.drop_frame, start=settings.start,
        canvas=OrderedCanvas.of(settings),
        sound_rate=settings.sound_rate, timelines=timelines, plans=kept, event=event,
    )  # fmt: skip


def timeline_plan(
    ordered: RangeOrder, clips: Iterable[Clip], config: Config, setting: Setting, out_path: str,
    identity_at: IdentityAt = unasked,
) -> TimelinePlan:  # fmt: skip
    """The plan of an order for its clips. Raises ``RuleError`` where a clip has not been looked at, or its places are
    not here."""
    known = {clip.id: clip for clip in clips}
    render_range = ordered.render_range(known)
    footage, music = sources_of(render_range, known, config, identity_at)
    return TimelinePlan(render_range, footage, setting, config.product(out_path), music)


def sources_of(
    render_range: RenderRange, clips: Mapping[int, Clip], config: Config, identity_at: IdentityAt = unasked
) -> tuple[dict[int, Footage], dict[tuple[str, str], Music]]:
    """The files of clips and of music that a render range is made of, here; raises as ``timeline_plan`` does."""
    footage: dict[int, Footage] = {}
    for clip_id in sorted(render_range.clip_ids):
        clip = clips.get(clip_id)
        if clip is None or clip.facts is None:
            raise RuleError(f"{clip.name if clip else 'A clip'} has not been analysed yet.", "facts")
        cuts = frozenset(clip.picture.cuts if clip.picture else ())
        footage[clip_id] = Footage(config.footage(clip.root, clip.path), clip.facts, cuts)
    music = {
        (piece.root, piece.path): Music(config.footage(piece.root, piece.path), identity_at(piece.root, piece.path))
        for piece in render_range.asked_music
    }
    return footage, music
