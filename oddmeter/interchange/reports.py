"""Facts and proofs as plain JSON, for scripts."""

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from oddmeter.core.conform.proof import Proof
from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.evidence.verdicts import Question, Verdict
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import BEYOND_REPAIR, PictureReport, Stretch
from oddmeter.core.pictures.scan import Scan


def inspected(
    path: Path,
    facts: Facts,
    picture: PictureReport | None = None,
    found: Mapping[Question, Verdict] | None = None,
) -> dict[str, Any]:
    """What ``oddmeter inspect`` says of one file; rates are ``"a/b"``, what is not known is null.

    Rate, scan and field order are those of the verdicts; ``pulldown``, ``repeats``, ``cuts`` and ``stretches`` what
    the pictures show, where they were looked at.
    """
    verdicts = found or {}
    scan = verdicts[Question.SCAN].value if found else facts.scan.value
    interlaced = scan == Scan.INTERLACED.value
    order = verdicts[Question.FIELD_ORDER].value if found else facts.field_order
    file_rate = verdicts[Question.FILE_RATE].rate if found else facts.file_rate
    return {
        "path": str(path),
        "frames": facts.frames,
        "file_rate": file_rate.exact if file_rate else None,
        "timing": facts.timing.value,
        "measured_rate": _fraction(facts.measured_rate),
        "slowest_rate": _fraction(facts.slowest),
        "fastest_rate": _fraction(facts.fastest),
        "start": fraction_text(facts.start),
        "duplicates": facts.duplicates,
        "gaps": facts.gaps if facts.uneven is None else len(facts.uneven.missing),
        "clock": _clock(facts),
        "width": facts.width,
        "height": facts.height,
        "pixel_aspect": fraction_text(facts.pixel_aspect),
        "scan": scan or Scan.UNKNOWN.value,
        "field_order": order if interlaced else None,
        "timecode": facts.timecode,
        "sound": _sound(facts.sounds[0]) if facts.sounds else None,
        "sounds": [_sound(sound) | {"name": sound.name} for sound in facts.sounds],
        "trouble": _trouble(facts, picture),
        "shot_rate": _shot_rate(verdicts),
        "pulldown": [
            {"first_frame": s.first_frame, "last_frame": s.last_frame, "pattern": s.pattern, "phase": s.phase}
            for s in _pulldown(facts, picture)
        ],
        "repeats": _repeats(facts, picture),
        "cuts": list(picture.cuts) if picture else [],
        "blended": bool(picture and picture.blended),
        "stretches": [
            {"first_frame": s.first_frame, "last_frame": s.last_frame, "scan": s.scan.value,
             "field_order": s.field_order, "pulldown": s.pattern, "phase": s.phase,
             "graphics": s.place if s.graphics else None}
            for s in (picture.stretches if picture else ())
        ],
        "looked_at": {"frames": picture.examined, "whole": picture.whole} if picture else None,
        "verdicts": {
            question.value: {"value": v.value, "from": v.source, "state": v.state, "why": v.why}
            for question, v in verdicts.items()
        },
        "claims": [
            {"question": c.question, "source": c.source, "strength": c.strength.name.lower(), "value": c.value,
             "words": c.words}
            for verdict in verdicts.values()
            for c in verdict.claims
        ],
    }  # fmt: skip


def _clock(facts: Facts) -> dict[str, Any] | None:
    """The stretches of a clip's own times, how far frames jitter in seconds, and odd spots; null where even."""
    if facts.uneven is None or facts.clock is None:
        return None
    return {
        "words": facts.uneven.words,
        "nominal_rate": facts.uneven.nominal.exact if facts.uneven.nominal else None,
        "seconds": fraction_text(facts.clock.end),
        "jitter": fraction_text(max(stretch.jitter for stretch in facts.uneven.stretches)),
        "stretches": [
            {"first_frame": stretch.first, "last_frame": stretch.last, "rate": fraction_text(stretch.rate),
             "jitter": fraction_text(stretch.jitter)}
            for stretch in facts.uneven.stretches
        ],
        "twice": list(facts.uneven.twice),
        "missing": list(facts.uneven.missing),
    }  # fmt: skip


def _trouble(facts: Facts, picture: PictureReport | None) -> str | None:
    blended = picture is not None and picture.blended
    return " ".join(filter(None, (facts.trouble, BEYOND_REPAIR if blended else None))) or None


def _shot_rate(verdicts: Mapping[Question, Verdict]) -> dict[str, Any] | None:
    found = verdicts.get(Question.SHOT_RATE)
    if found is None or found.value is None:
        return None
    return {"rate": found.value, "from": found.source, "certain": found.certain}


def _pulldown(facts: Facts, picture: PictureReport | None) -> tuple[Stretch, ...]:
    """The stretches with pulldown; progressive pictures in a file that is flagged as interlaced are 2:2."""
    if picture is None or facts.scan is not Scan.INTERLACED:
        return picture.pulldown if picture else ()
    return tuple(
        replace(stretch, pattern="2:2", phase=0) if stretch.scan is Scan.PROGRESSIVE else stretch
        for stretch in picture.stretches
        if stretch.pattern or stretch.scan is Scan.PROGRESSIVE
    )


def _repeats(facts: Facts, picture: PictureReport | None) -> dict[str, Any] | None:
    if picture is None or picture.repeats is None or facts.file_rate is None:
        return None
    rate = Rate(facts.file_rate.value * picture.repeats.step)
    return {"unique_frames": picture.repeats.unique_frames, "unique_rate": rate.exact}


def proven(proof: Proof) -> dict[str, Any]:
    """A proof as JSON: whether it passed, each check with what was planned and found, and the wrong frames."""
    return {
        "passed": proof.passed,
        "checks": [{"name": c.name, "planned": c.planned, "found": c.found, "passed": c.passed} for c in proof.checks],
        "wrong_frames": list(proof.wrong_frames),
        "too_still": proof.too_still,
    }


def _sound(sound: Sound) -> dict[str, Any]:
    return {"rate": sound.sample_rate, "channels": sound.channels, "seconds": fraction_text(sound.seconds)}


def _fraction(value: Fraction | None) -> str | None:
    return None if value is None else fraction_text(value)
