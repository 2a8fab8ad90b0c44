"""Orders: what a stored render holds, so that it can be made later, elsewhere, from the database alone."""

from collections.abc import Callable
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any

from pydantic import BaseModel, model_validator

from oddmeter.config import Config
from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.cutting.events import FIRST_PICTURE, Event
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.cutting.windows import Window, window
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.parts import AS_DECIDED, IntentSetting, text_of, treatment_of, treatment_texts
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import Originals
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan
from oddmeter.core.planning.clips import Clip
from oddmeter.core.planning.plans import Plan
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.media.plans import ClipPlan
from oddmeter.media.settings.setting import Setting
from oddmeter.store.looks import stretch_from


class OrderedOriginals(BaseModel):
    """How original pictures are found, as ``Originals`` has it."""

    share: str
    stretches: list[dict[str, Any]]
    new: str

    @staticmethod
    def of(originals: Originals) -> "OrderedOriginals":
        """From the core's value."""
        stretches = [asdict(stretch) for stretch in originals.stretches]
        return OrderedOriginals(share=fraction_text(originals.share), stretches=stretches, new=originals.new)

    def originals(self) -> Originals:
        """The core's value."""
        return Originals(Fraction(self.share), tuple(map(stretch_from, self.stretches)), self.new)


class OrderedCanvas(BaseModel):
    """The timeline's raster, pixel shape and scan."""

    width: int
    height: int
    pixel_aspect: str
    scan: TimelineScan

    @staticmethod
    def of(settings: TimelineSettings) -> "OrderedCanvas":
        """That of a timeline."""
        aspect = fraction_text(settings.pixel_aspect)
        return OrderedCanvas(width=settings.width, height=settings.height, pixel_aspect=aspect, scan=settings.scan)

    def canvas(self) -> Canvas:
        """The core's value."""
        return Canvas(self.width, self.height, Fraction(self.pixel_aspect), self.scan)


class OrderedEvent(BaseModel):
    """The use of a clip by an event that a file is made of, handles within: its place in the source and its length, as
    ``Event`` has them; ``head`` timeline frames of handles lie before the event ``id``, ``tail`` behind it."""

    id: int
    source_in: str
    lead: str
    length: int
    head: int = 0
    tail: int = 0

    def event(self) -> Event:
        """The event whose window is made."""
        begins, offset = SourceFrame(Fraction(self.source_in)), Fraction(self.lead)
        return Event(self.id, FIRST_PICTURE, SourceKind.CLIP, 0, self.length, begins, offset)


class Order(BaseModel):
    """The decisions a render was asked with, exact; rates and speeds as ``"a/b"``. ``treated`` is what is done with the
    clip, as ``treatment_texts`` has it. What the timeline is called is no part of it: a file belongs to the timeline
    itself."""

    timeline_rate: str
    drop_frame: bool
    frames: int
    file_rate: str
    shot_rate: str | None
    treated: dict[str, str]
    field_order: FieldOrder = FieldOrder.UPPER
    originals: OrderedOriginals | None = None
    settled: bool = False
    canvas: OrderedCanvas | None = None
    sound_rate: int | None = None
    event: OrderedEvent | None = None

    @model_validator(mode="before")
    @classmethod
    def _from_before(cls, document: Any) -> Any:
        """An order of the time when each part had a field of its own."""
        if not isinstance(document, dict) or "intent" not in document:
            return document
        parts = {part.value: document[part.value] for part in AS_DECIDED if document.get(part.value) is not None}
        texts = {name: text_of(value) for name, value in parts.items()}
        curve = Curve.parse(document["curve"]) if document.get("curve") else None
        value = Fraction(document["value"]) if document.get("value") else None
        texts["intent"] = str(IntentSetting(Intent(document["intent"]), value, curve))
        texts |= {name: document[name] for name in ("read_rate", "held") if document.get(name)}
        return {**document, "treated": texts}

    def material(self, clock: Clock | None = None) -> Material:
        """What is conformed, of a clip with such times of its own."""
        shot_rate = _rate(self.shot_rate) if self.shot_rate else None
        originals = self.originals.originals() if self.originals else None
        return Material(self.frames, _rate(self.file_rate), shot_rate, self.field_order, originals, clock, self.settled)

    @property
    def timeline(self) -> Canvas | None:
        """The timeline's raster, pixel shape and scan; None in an order of the time when it had none."""
        return self.canvas.canvas() if self.canvas else None

    @property
    def treatment(self) -> Treatment:
        """What is done with it."""
        return treatment_of(self.treated)

    def conformed(self, clock: Clock | None = None) -> Conform:
        """The conform that was ordered, of a clip with such times of its own."""
        material, rate = self.material(clock), Rate(Fraction(self.timeline_rate))
        if self.event is not None:
            return window(self.event.event(), material, self.treatment, rate).as_conform
        return conform(material, self.treatment, rate)


def order_of(plan: Plan) -> Order:
    """The order to make a file of a plan."""
    return order_of_conform(plan.conformed, plan.timeline.settings)


def order_of_event(use: Window, settings: TimelineSettings, handles: int, event_id: int) -> Order:
    """The order to make a file of an event, with so many timeline frames of handles on either side, as far as its
    source has them."""
    head, tail = use.handles_within(handles)
    made = use.longer(head, tail).event
    ordered = OrderedEvent(
        id=event_id, source_in=fraction_text(made.source_in), lead=fraction_text(made.curve_offset), length=made.length,
        head=head, tail=tail,
    )  # fmt: skip
    return order_of_conform(use.conformed, settings).model_copy(update={"event": ordered})


def order_of_conform(conformed: Conform, settings: TimelineSettings) -> Order:
    """The order of what is decided on a source as a whole."""
    material, treatment = conformed.material, conformed.treatment
    return Order(
        timeline_rate=settings.rate.exact,
        drop_frame=settings.drop_frame,
        frames=material.frames,
        file_rate=material.file_rate.exact,
        shot_rate=material.shot_rate.exact if material.shot_rate else None,
        treated=treatment_texts(treatment),
        field_order=material.field_order,
        originals=OrderedOriginals.of(material.originals) if material.originals else None,
        settled=material.settled,
        canvas=OrderedCanvas.of(settings),
        sound_rate=settings.sound_rate,
    )


def plan_to_make(ordered: Order, clip: Clip, config: Config, setting: Setting, out_path: str) -> ClipPlan:
    """The plan of an order for a clip that has been looked at; raises ``RuleError`` where its
    places are not here."""
    if clip.facts is None:
        raise RuleError(f"{clip.name} has not been analysed yet.", "facts")
    source, music = config.footage(clip.root, clip.path), ordered.treatment.music
    return ClipPlan(
        source, clip.facts, ordered.conformed(clip.facts.times), setting, config.product(out_path),
        ordered.drop_frame, ordered.timeline, ordered.sound_rate, _cuts_of(clip),
        config.footage(music.root, music.path) if music else None,
    )  # fmt: skip


def file_planned(plan: Plan, place: Callable[[str, str], Path], setting: Setting, out: Path) -> ClipPlan:
    """The plan of a file that is not ordered yet: the same as of its order, without a way there and back through text.
    ``place`` gives the path of footage by its root and path; raises ``RuleError`` as ``plan_to_make`` does."""
    clip, settings, music = plan.clip, plan.timeline.settings, plan.conformed.treatment.music
    if clip.facts is None:
        raise RuleError(f"{clip.name} has not been analysed yet.", "facts")
    return ClipPlan(
        place(clip.root, clip.path), clip.facts, plan.conformed, setting, out, settings.drop_frame,
        Canvas(settings.width, settings.height, settings.pixel_aspect, settings.scan), settings.sound_rate,
        _cuts_of(clip), place(music.root, music.path) if music else None,
    )  # fmt: skip


def _cuts_of(clip: Clip) -> frozenset[int]:
    return frozenset(clip.picture.cuts if clip.picture else ())


def _rate(text: str) -> Rate:
    return Rate(Fraction(text))
