"""Facts and proofs as plain JSON, for scripts."""

from fractions import Fraction
from pathlib import Path
from typing import Any

from oddmeter.core.facts import Facts
from oddmeter.core.proof import Proof
from oddmeter.core.rates import fraction_text


def inspected(path: Path, facts: Facts) -> dict[str, Any]:
    """What ``oddmeter inspect`` says of one file; rates are ``"a/b"``, what is not known is null."""
    sound = facts.sound
    return {
        "path": str(path),
        "frames": facts.frames,
        "file_rate": facts.file_rate.exact if facts.file_rate else None,
        "timing": facts.timing.value,
        "measured_rate": _fraction(facts.measured_rate),
        "width": facts.width,
        "height": facts.height,
        "pixel_aspect": fraction_text(facts.pixel_aspect),
        "scan": facts.scan.value,
        "field_order": facts.field_order,
        "timecode": facts.timecode,
        "sound": sound
        and {"rate": sound.sample_rate, "channels": sound.channels, "seconds": fraction_text(sound.seconds)},
        "trouble": facts.trouble,
    }


def proven(proof: Proof) -> dict[str, Any]:
    """A proof as JSON: whether it passed, each check with what was planned and found, and the wrong frames."""
    return {
        "passed": proof.passed,
        "checks": [{"name": c.name, "planned": c.planned, "found": c.found, "passed": c.passed} for c in proof.checks],
        "wrong_frames": list(proof.wrong_frames),
        "too_still": proof.too_still,
    }


def _fraction(value: Fraction | None) -> str | None:
    return None if value is None else fraction_text(value)
