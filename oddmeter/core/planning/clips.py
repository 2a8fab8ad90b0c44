"""Clips: all that is known of one, all that is decided on it, and what planning needs of both."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from math import ceil

from oddmeter.core.conform.material import Material
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.evidence.claims import Word, claims_of, life_rate, verdicts_by_logs
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.findings import Findings, findings_of, settled
from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.evidence.matching import folder_of
from oddmeter.core.evidence.verdicts import Certainty, Question, Verdict, verdicts
from oddmeter.core.numbers.places import Labelling
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.originals import originals_of
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.pictures.scan import FieldOrder


@dataclass(frozen=True)
class Use:
    """One use of a clip in a timeline, and what is decided for it alone. ``id`` is None until it is kept."""

    timeline_id: int
    decisions: Decisions
    id: int | None = None


@dataclass(frozen=True)
class Decided:
    """What people decided on one clip itself: ``decisions``, what differs in single ``uses``, the recipe that was put
    on it, tags and a note; what holds is worked out with the levels above."""

    decisions: Decisions = field(default_factory=Decisions)
    recipe_id: int | None = None
    uses: tuple[Use, ...] = ()
    tags: frozenset[str] = frozenset()
    note: str = ""

    def use_on(self, timeline_id: int) -> Use | None:
        """The use on a timeline, where something is decided for it alone."""
        return next((use for use in self.uses if use.timeline_id == timeline_id), None)

    def with_use(self, timeline_id: int, decisions: Decisions) -> "Decided":
        """The same with other decisions for the use on a timeline; a use without any is no use of its own."""
        own = self.use_on(timeline_id)
        changed = Use(timeline_id, decisions, own.id if own else None)
        others = tuple(use for use in self.uses if use.timeline_id != timeline_id)
        return replace(self, uses=(*others, changed) if decisions.items() else others)


@dataclass(frozen=True)
class Clip:
    """One file, or numbered sequence, with all that is known and decided.

    ``measured`` is what the probe found, None until it has; ``picture`` what the pictures show, None until they
    were looked at; ``entries`` are rows of reports; ``words`` what people settled. ``proxy_of`` is the clip that
    this one stands for, ``proxies`` how many stand for it. ``replaced`` where its file is another by
    now than the one that was looked at. ``revision`` rises whenever a person changes the clip, its
    treatment or what is settled.
    """

    id: int
    delivery_id: int
    root: str
    path: str
    name: str
    measured: Facts | None
    picture: PictureReport | None
    entries: tuple[LogEntry, ...]
    words: tuple[Word, ...]
    decided: Decided
    revision: int
    show_id: int
    proxy_of: int | None
    proxies: int
    replaced: bool = False

    @property
    def folder(self) -> str:
        """Where it lies below its media root."""
        return folder_of(self.path)

    @cached_property
    def verdicts(self) -> Mapping[Question, Verdict]:
        """What is taken as true, and why."""
        return verdicts(claims_of(self.name, self.measured, self.picture, self.entries, self.words))

    def verdicts_by_logs(self, *logs: tuple[LogEntry, ...]) -> tuple[dict[Question, Verdict], ...]:
        """For each of several sets of entries, in place of its own, the verdicts that may differ between them."""
        return verdicts_by_logs(self.name, self.measured, self.picture, self.words, *logs)

    @cached_property
    def facts(self) -> Facts | None:
        """The facts as the verdicts have them: rate, scan and field order."""
        facts = self.measured
        if facts is None or facts.fault is not None:
            return facts
        return settled(facts, self.verdicts)

    def answered(self, question: Question, word: Word | None) -> "Clip":
        """The same clip after a person settled a question, or, without a word, took it back."""
        others = tuple(other for other in self.words if other.question is not question)
        return replace(self, words=others if word is None else (*others, word))

    def forget(self) -> None:
        """Let go of the claims once they are reckoned with; they are drawn up again where they are asked for."""
        self.__dict__.pop("verdicts", None)

    @property
    def shot_rate(self) -> Rate | None:
        """The rate at which the camera or the film ran, as far as it is known."""
        return self.verdicts[Question.SHOT_RATE].rate

    @property
    def motion_rate(self) -> Rate | None:
        """The shot rate counted in frames of the file: where these carry pulldown or repeats, which are still in
        them, more frames pass in a second of life than pictures were taken."""
        shot, facts = self.shot_rate, self.facts
        if shot is None or facts is None or facts.file_rate is None or self.picture is None:
            return shot
        own = life_rate(self.picture, facts)
        return shot if own is None else Rate(shot.value * facts.file_rate.value / own.value)


@dataclass(frozen=True, slots=True)
class KnownClip:
    """A clip and what its evidence comes to. ``material`` is what can be planned with; None where the clip has not been
    looked at yet, or cannot be used, as ``trouble`` says."""

    clip: Clip
    facts: Facts | None
    material: Material | None
    trouble: str
    _findings: Findings | None = None

    @property
    def findings(self) -> Findings:
        """Its verdicts in short; of a clip that has not been looked at, worked out when somebody asks."""
        if self._findings is None:
            object.__setattr__(self, "_findings", _found(self.clip))
        assert self._findings is not None
        return self._findings

    @property
    def labels(self) -> Labelling | None:
        """How its frames are labelled by its timecode; None where it cannot be planned with."""
        if self.material is None:
            return None
        first, rate = (self.facts.first_timecode, self.facts.label_rate) if self.facts else (None, None)
        return Labelling(self.material.file_clock, rate or self.material.file_rate, self.material.frames, first)

    @property
    def decided(self) -> Decided:
        """What is decided on the clip itself."""
        return self.clip.decided

    @property
    def revision(self) -> int:
        """The revision that the clip is at."""
        return self.clip.revision

    def deciding(self, decided: Decided, revision: int | None = None) -> "KnownClip":
        """The same clip with other decisions; what its evidence comes to is the same."""
        now = self.clip.revision if revision is None else revision
        clip = replace(self.clip, decided=decided, revision=now)
        return KnownClip(clip, self.facts, self.material, self.trouble, self._findings)


def sound_material(facts: Facts, timeline_rate: Rate) -> Material | None:
    """A file of sound alone, counted in frames of a timeline, the last one perhaps shorter; None of any other."""
    if not facts.only_sound or facts.sound is None:
        return None
    return Material(max(1, ceil(facts.sound.seconds * timeline_rate.value)), timeline_rate, of_sound=True)


def known_of(clip: Clip) -> KnownClip:
    """What a clip's evidence comes to. Its claims are let go of; they are drawn up again where they are asked for."""
    facts = clip.facts
    if facts is None:
        return KnownClip(clip, None, None, "It has not been analysed yet.")
    findings, material, trouble = _found(clip), None, ""
    if facts.fault is not None:
        trouble = facts.fault
    elif facts.file_rate is None:
        trouble = "It has no frame rate. Set its file rate in Intake."
    elif facts.frames < 1:
        trouble = "It has no frames."
    else:
        order = facts.field_order or FieldOrder.UPPER
        material = Material(
            facts.frames, facts.file_rate, findings.motion_rate, order, originals_of(clip.picture), facts.times,
            settled=findings.shot_state is Certainty.SETTLED,
        )  # fmt: skip
    return KnownClip(clip, facts, material, trouble, findings)


def _found(clip: Clip) -> Findings:
    findings = findings_of(clip.verdicts, clip.facts, clip.picture, clip.motion_rate)
    clip.forget()
    return findings
