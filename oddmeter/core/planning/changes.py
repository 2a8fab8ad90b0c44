"""Changes: what a person asks to change about clips, and what that makes of each of them.

The same for a preview, for side B of the Bench, and for making the change.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Generic, TypeVar

from oddmeter.core.decisions.levels import Decisions, Level
from oddmeter.core.decisions.parts import IntentSetting, Part, parse_intent, parse_part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.decisions.vocabulary import part_text, titled
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import Decided, KnownClip, known_of
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.plans import Outcome, Plan
from oddmeter.core.planning.timelines import Timeline

T = TypeVar("T")
_RELATIVE = ("*", "+", "-", "−")


@dataclass(frozen=True)
class Assignment(Generic[T]):
    """Something to put in place of what is there; None takes it away."""

    value: T | None


@dataclass(frozen=True)
class IntentAsked:
    """An intent with its value as people type it: ``40%``, ``2/5``, a length for *fit*; or what it shall be relative to
    what it is now: ``*1/2``, ``+10%``."""

    intent: Intent
    typed: str = ""

    @property
    def is_relative(self) -> bool:
        """True where it starts from what each clip has."""
        return self.intent is not Intent.CURVE and self.typed.startswith(_RELATIVE)


@dataclass(frozen=True)
class Copied:
    """The treatment of another clip, taken over whole or in some parts."""

    source: Outcome
    parts: Sequence[Part] | None = None


@dataclass(frozen=True)
class Asked:
    """What to change on clips; only what is given is changed.

    ``parts`` are typed texts, ``back`` parts to leave to the levels above again. ``uses`` are the timelines whose uses
    alone it is decided for; None decides for the clip itself, or for the planned timeline's use where that has a word
    of its own. ``shot_rate`` is a person's word, as typed; taken away it is left to the evidence.
    """

    wish: IntentAsked | None = None
    parts: Mapping[Part, str] = field(default_factory=dict)
    back: Sequence[Part] = ()
    copied: Copied | None = None
    recipe: Assignment[int] | None = None
    shot_rate: Assignment[str] | None = None
    tag: str | None = None
    untag: str | None = None
    note: str | None = None
    uses: Sequence[Timeline] | None = None


@dataclass(frozen=True)
class Changed:
    """What a change makes of clips, in the order asked for, and what undo calls it."""

    clips: Sequence[KnownClip]
    title: str


def changed(asked: Asked, outcomes: Sequence[Outcome], house: House, timeline: Timeline, person: str) -> Changed:
    """What a change asked by a person makes of clips that are planned for a timeline; raises ``RuleError`` where
    something asked for says nothing."""
    given = replace(_taken_over(asked.copied), **{part.value: parse_part(part, t) for part, t in asked.parts.items()})
    if asked.recipe is not None and asked.recipe.value is not None and asked.recipe.value not in house.revisions:
        raise RuleError("This recipe no longer exists.", "missing")
    wish = _wisher(asked.wish, timeline)
    word = _word(asked.shot_rate, person)
    out = []
    for outcome in outcomes:
        mine = replace(given, intent=wish(outcome)) if wish else given
        decided = _noted(_decided(outcome.known.decided, mine, asked, timeline), asked)
        known = outcome.known
        if asked.shot_rate is not None:
            known = known_of(known.clip.answered(Question.SHOT_RATE, word))
        out.append(known.deciding(decided))
    return Changed(out, _title(asked, outcomes, wish and wish(outcomes[0]), house, word))


def _decided(was: Decided, given: Decisions, asked: Asked, planned_for: Timeline) -> Decided:
    """The decisions on a clip itself, or on its uses. Where the planned timeline's use has a word of its own on a
    part, that is what is seen, and so what is changed."""
    if asked.uses is not None:
        for timeline in asked.uses:
            own = was.use_on(timeline.id)
            was = was.with_use(timeline.id, given.over(own.decisions if own else Decisions()).without(asked.back))
        return was
    use = was.use_on(planned_for.id)
    here = {part for part, _ in use.decisions.items()} if use else set()
    own_parts = given.without(here).over(was.decisions).without(part for part in asked.back if part not in here)
    if use is not None:
        of_use = given.only(here).over(use.decisions).without(part for part in asked.back if part in here)
        was = was.with_use(planned_for.id, of_use)
    return replace(was, decisions=own_parts)


def _noted(was: Decided, asked: Asked) -> Decided:
    tags = (was.tags | {asked.tag} if asked.tag else was.tags) - ({asked.untag} if asked.untag else set())
    recipe = was.recipe_id if asked.recipe is None else asked.recipe.value
    return replace(was, tags=tags, recipe_id=recipe, note=was.note if asked.note is None else asked.note)


def _taken_over(copied: Copied | None) -> Decisions:
    if copied is None:
        return Decisions()
    source = copied.source.resolved
    # In and out are of one clip alone; they go along only where that is asked for.
    parts = copied.parts or [part for part in source.origins if part is not Part.SPAN]
    own = [part for part in parts if (layer := source.origins.get(part)) and layer.level is not Level.HOUSE]
    return source.decisions.only(own)


def _word(shot_rate: Assignment[str] | None, person: str) -> Word | None:
    if shot_rate is None or not shot_rate.value:
        return None
    return Word(Question.SHOT_RATE, Rate.parse(shot_rate.value).exact, person)


def _wisher(asked: IntentAsked | None, timeline: Timeline) -> Callable[[Outcome], IntentSetting | None] | None:
    """What is wanted of each clip: the same for all, or relative to what it is now."""
    if asked is None:
        return None
    settings = timeline.settings
    if not asked.is_relative:
        wish = parse_intent(asked.intent, asked.typed, settings.rate, settings.drop_frame)
        return lambda outcome: wish
    factor = _relative(asked.typed)

    def relative(outcome: Outcome) -> IntentSetting | None:
        if not isinstance(outcome, Plan):
            return outcome.resolved.decisions.intent
        if asked.intent is Intent.FIT:
            return IntentSetting(asked.intent, Fraction(max(1, round(outcome.after * factor))))
        now = outcome.conformed.pace if asked.intent is Intent.PACE else outcome.conformed.speed
        return IntentSetting(asked.intent, now * factor)

    return relative


def _relative(typed: str) -> Fraction:
    """The factor in ``*1/2``, ``+10%`` or ``-10%``; raises ``RuleError`` where it is none."""
    if typed.startswith("*"):
        factor = parse_fraction(typed[1:])
    else:
        if not typed.endswith("%"):
            raise RuleError(f"“{typed}” is not clear. Type +10 % or -10 %, or *1/2.", "number")
        share = parse_fraction(typed[1:])
        factor = 1 + share if typed[0] == "+" else 1 - share
    if factor <= 0:
        raise RuleError("A speed cannot be below zero. To play backwards, set the direction.", "number")
    return factor


def _title(
    asked: Asked, outcomes: Sequence[Outcome], wish: IntentSetting | None, house: House, word: Word | None
) -> str:
    """What the change is called in undo: ``Real time for 12 clips``."""
    parts = list(_said(asked, wish, house, word))
    if not parts:
        raise RuleError("Enter a value.", "request")
    what, whom = ", ".join(parts), outcomes[0].clip.name if len(outcomes) == 1 else f"{len(outcomes)} clips"
    names = [timeline.settings.name for timeline in asked.uses or ()]
    only = f", on {' and '.join(names)} alone" if names else ""
    return f"{what[0].upper()}{what[1:]} for {whom}{only}"


def _said(asked: Asked, wish: IntentSetting | None, house: House, word: Word | None) -> Iterable[str]:
    if asked.copied is not None:
        yield f"as {asked.copied.source.clip.name}"
    if asked.wish is not None and wish is not None:
        yield f"{asked.wish.intent} {asked.wish.typed}" if asked.wish.is_relative else part_text(Part.INTENT, wish)
    yield from (titled(part, parse_part(part, text)) for part, text in asked.parts.items())
    for part in asked.back:
        yield "no decision" if part is Part.INTENT else f"{part} inherited"
    if asked.recipe is not None:
        recipe = house.recipe(asked.recipe.value)
        yield f"recipe “{recipe.name}”" if recipe else "no recipe"
    if asked.shot_rate is not None:
        yield f"shot at {Rate.exactly(word.value)}" if word else "shot rate as the file says"
    if asked.tag:
        yield f"tagged “{asked.tag}”"
    if asked.untag:
        yield f"tag “{asked.untag}” taken off"
    if asked.note is not None:
        yield "note written" if asked.note else "note taken away"
