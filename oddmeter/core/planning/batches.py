"""Whole batches: the plans of many clips added up, and what other wishes would make of them."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.decisions.levels import Decisions, Layer, Level, resolve
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.maps.cadence import Kind
from oddmeter.core.planning.plans import Plan, planned

ALTERNATIVES: tuple[IntentSetting, ...] = (
    IntentSetting(Intent.REAL_TIME),
    IntentSetting(Intent.EVERY_FRAME),
    IntentSetting(Intent.PACE, Fraction(1, 2)),
    IntentSetting(Intent.LEAVE),
)
"""What is set beside each other for a selection."""


@dataclass(frozen=True)
class Totals:
    """Many plans added up: clips, timeline frames as they stand and as planned, frames dropped, repeated and made of
    several, and how many clips have which kind of cadence."""

    clips: int
    before: int
    after: int
    dropped: int
    repeated: int
    made: int
    kinds: Mapping[Kind, int]


def totals(plans: Iterable[Plan]) -> Totals:
    """Add up plans for one timeline."""
    clips = before = after = dropped = repeated = made = 0
    kinds: dict[Kind, int] = dict.fromkeys(Kind, 0)
    for plan in plans:
        tally = plan.tally
        clips += 1
        before += plan.before
        after += plan.after
        dropped += tally.dropped
        repeated += tally.repeated
        made += tally.made
        kinds[plan.conformed.frame_map.kind] += 1
    return Totals(clips, before, after, dropped, repeated, made, kinds)


@dataclass(frozen=True)
class Alternative:
    """What another wish would make of some clips: the plan of the first of them, the length of all in timeline frames,
    how many have which kind of cadence, and their different speeds."""

    wish: IntentSetting
    first: Plan
    after: int
    kinds: Mapping[Kind, int]
    speeds: frozenset[Fraction]
    chosen: bool


def alternative(wish: IntentSetting, plans: Sequence[Plan]) -> Alternative:
    """What a wish would make of clips that are planned otherwise; where it cannot be done, a clip stays as it is.

    Clips of the same rates and decisions get the same map, laid over each one's own units.
    """
    alike: dict[tuple[object, ...], list[Plan]] = {}
    for plan in plans:
        material = plan.conformed.material
        share = material.originals.share if material.originals else None
        key = (material.file_rate, material.shot_rate, share, id(plan.resolved))
        alike.setdefault(key, []).append(plan)
    made = [(_wished(group[0], wish), group) for group in alike.values()]
    kinds: Counter[Kind] = Counter()
    length = 0
    for tried, group in made:
        kinds[tried.conformed.frame_map.kind] += len(group)
        length += sum(tried.conformed.length_of(plan.conformed.material) for plan in group)
    return Alternative(
        wish, made[0][0], length, kinds, frozenset(tried.conformed.speed for tried, _ in made),
        all(plan.resolved.decisions.intent == wish for plan in plans),
    )  # fmt: skip


def _wished(plan: Plan, wish: IntentSetting) -> Plan:
    resolved = resolve([Layer(Level.CLIP, "", plan.resolved.decisions), Layer(Level.CLIP, "", Decisions(intent=wish))])
    tried = planned(plan.known, resolved, plan.timeline)
    return tried if isinstance(tried, Plan) else plan
