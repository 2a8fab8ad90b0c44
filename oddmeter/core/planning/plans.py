"""Plans: the one way from a clip, the house and a timeline to what is made of it, or to why that cannot be.

Ledger, sheet, handoff, the Bench and the command line all ask here.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from oddmeter.core.conform.speeds import Conform, conform
from oddmeter.core.conform.strips import Strip, mini_strip
from oddmeter.core.decisions.levels import Decisions, Layer, Level, Resolved, resolve
from oddmeter.core.decisions.treatment import Framing
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.maps.frame_map import Tally
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.clips import Clip, Decided, KnownClip
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.timelines import Timeline


@dataclass(frozen=True)
class Plan:
    """A clip worked out for a timeline, with what holds for it."""

    known: KnownClip
    resolved: Resolved
    timeline: Timeline
    conformed: Conform

    @property
    def clip(self) -> Clip:
        """The clip that is planned."""
        return self.known.clip

    @property
    def facts(self) -> Facts:
        """The facts of the clip as its verdicts have them."""
        assert self.known.facts is not None
        return self.known.facts

    @property
    def keeps_other_raster(self) -> bool:
        """True where a file of it has another raster or pixel shape than the timeline."""
        facts, settings = self.facts, self.timeline.settings
        own = facts.width, facts.height, facts.pixel_aspect
        other = own != (settings.width, settings.height, settings.pixel_aspect)
        return other and self.conformed.treatment.framing is Framing.KEEP

    @cached_property
    def before(self) -> int:
        """The length in timeline frames of the clip dropped in without any decision."""
        return self.conformed.frames_as_it_stands

    @property
    def after(self) -> int:
        """The planned length in timeline frames."""
        return self.conformed.frame_map.length

    @property
    def tally(self) -> Tally:
        """Its timeline frames added up by what they show on the timeline."""
        return self.conformed.tally(self.timeline.settings.scan)

    @property
    def mini(self) -> Strip:
        """Its meter strip in small."""
        return mini_strip(self.conformed, self.timeline.settings.scan)


@dataclass(frozen=True)
class Refusal:
    """Why a clip cannot be planned for a timeline: one sentence for the person, and a code for the machine, ``waiting``
    where it only has not been looked at yet."""

    known: KnownClip
    resolved: Resolved
    timeline: Timeline
    sentence: str
    code: str

    @property
    def clip(self) -> Clip:
        """The clip that is not planned."""
        return self.known.clip

    def error(self) -> RuleError:
        """The refusal as an error that names the clip."""
        return RuleError(f"{self.clip.name}: {self.sentence}", self.code)


Outcome = Plan | Refusal

WAITING, UNUSABLE = "waiting", "facts"


def plan(known: KnownClip, house: House, timeline: Timeline) -> Outcome:
    """A clip worked out with all that is decided at every level, or why that cannot be."""
    return planned(known, resolved(known.clip.delivery_id, known.decided, house, timeline), timeline)


def planned(known: KnownClip, resolved: Resolved, timeline: Timeline) -> Outcome:
    """A clip worked out with what holds for it, or why that cannot be."""
    material = known.material
    if material is None:
        code = WAITING if known.facts is None else UNUSABLE
        return Refusal(known, resolved, timeline, known.trouble, code)
    rate = timeline.settings.rate
    try:
        treatment = resolved.treatment(material.file_rate, material.shot_rate or material.file_rate, rate)
        treatment.streams.of(len(known.facts.sounds) if known.facts else 0)
        return Plan(known, resolved, timeline, conform(material, treatment, rate))
    except RuleError as error:
        return Refusal(known, resolved, timeline, str(error), error.code)


def resolved(
    delivery_id: int, decided: Decided, house: House, timeline: Timeline, event: Decisions | None = None
) -> Resolved:
    """What holds for a clip on a timeline, of all that is decided at every level; in one event of it, with what is
    decided there."""
    layers = [house.default, house.deliveries.get(delivery_id), house.recipe(decided.recipe_id)]
    layers.append(Layer(Level.CLIP, "", decided.decisions))
    if (use := decided.use_on(timeline.id)) is not None:
        layers.append(Layer(Level.USE, timeline.settings.name, use.decisions))
    if event is not None:
        layers.append(Layer(Level.EVENT, "", event))
    return resolve(layer for layer in layers if layer is not None)


def plans_of(outcomes: Iterable[Outcome]) -> list[Plan]:
    """The plans among outcomes."""
    return [outcome for outcome in outcomes if isinstance(outcome, Plan)]
