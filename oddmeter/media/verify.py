"""Verify: reopen a made file and hold it against its plan, frame by frame and sample by sample.

The proof decodes the made file, makes each picture and all sound of the plan once more from the source, and holds both
side by side (``media.proof``). Of pictures that were built along motion, which take long, some are made again; of the
others it is proven that they are what was written.
"""

from collections.abc import Callable
from fractions import Fraction

from oddmeter.core.conform.proof import MOST_NAMED, Check, Proof
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.containers.mastering import mastering_in
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import FilePlan
from oddmeter.media.proof.numbered import numbered_checks, with_sidecar
from oddmeter.media.proof.pictures import compare
from oddmeter.media.proof.sounds import sound_checks
from oddmeter.media.proof.streams import stream_checks
from oddmeter.media.writing.losses import Losses


def verify(plan: FilePlan, progress: Callable[[int], None] = lambda done: None, losses: Losses | None = None) -> Proof:
    """Open the made file of a plan and prove it, by what its pictures lost as it was written where that was measured.

    ``progress`` is called with the number of timeline frames compared, and may raise. Raises ``RuleError`` where
    a file can no longer be read.
    """
    made = probe(plan.opened_as)
    if made.fault and not made.sounds:
        return Proof((Check("file", "readable", made.fault, False),))
    if plan.setting.is_numbered:
        made = with_sidecar(made, plan.out)
    canvas, known = plan.canvas, plan.sources_are_known
    found_rate = made.file_rate or Rate(Fraction(1))
    checks = [
        Check("source", "as analysed", "as analysed" if known else "changed since", known),
        Check.of_equal("rate", _rate_words(plan.rate), _rate_words(found_rate)),
        Check.of_equal("frames", plan.length, made.frames),
        Check.of_equal("raster", f"{canvas.width} × {canvas.height}", f"{made.width} × {made.height}"),
        Check.of_equal("pixel shape", _shape_words(canvas.pixel_aspect), _shape_words(made.pixel_aspect)),
        Check.of_equal("start timecode", plan.start if plan.setting.timecode else "none", made.timecode or "none"),
        _fields_check(plan, made),
    ]
    if plan.mastering and not plan.setting.is_numbered:
        checks.append(Check.of_equal("mastering", plan.mastering, mastering_in(plan.opened_as)))
    if not known:
        return Proof(tuple(checks))
    with plan.pictures(proving=True) as pictures:
        examine = numbered_checks if plan.setting.is_numbered else stream_checks
        checks += examine(plan, made, pictures.pixel_format, pictures.picture(0))
        checks += sound_checks(plan, made)
        if made.frames != plan.length:
            return Proof(tuple(checks))
        found = compare(plan, pictures, losses, progress)
    checks.append(Check.of_equal("repeats", found.planned_repeats, found.found_repeats))
    new = plan.length - found.planned_repeats
    checks.append(Check.of_equal("new pictures", new, plan.length - found.found_repeats))
    if plan.only_picks:
        checks.append(Check.of_equal("source frames shown", len(found.planned_units), len(found.found_units)))
    right = f"{found.compared - len(found.wrong)} of {found.compared}"
    checks.append(Check("pictures", f"{found.compared} of {found.compared}", right, not found.wrong))
    return Proof(tuple(checks), tuple(found.wrong[:MOST_NAMED]), found.too_still)


def _fields_check(plan: FilePlan, made: Facts) -> Check:
    """Which field comes first, by the flag, and by the pictures as far as they move enough to tell."""
    planned = _order_words(plan.field_order)
    flagged = _order_words(made.field_order if made.scan is Scan.INTERLACED else None)
    if plan.field_order is None or flagged != planned:
        return Check.of_equal("fields", planned, flagged)
    seen = {stretch.field_order for stretch in analyse(plan.opened_as, made).stretches if stretch.field_order}
    against = next(iter(seen - {plan.field_order}), None)
    found = flagged if against is None else f"{_order_words(against)} in the picture"
    return Check("fields", planned, found, against is None)


def _order_words(order: FieldOrder | None) -> str:
    return f"{order} first" if order else "whole pictures"


def _rate_words(rate: Rate) -> str:
    """The rate as it is said, with the fraction where that is not the same."""
    return rate.spoken if rate.value.denominator == 1 else f"{rate.spoken} ({rate.exact})"


def _shape_words(pixel_aspect: Fraction) -> str:
    return "square" if pixel_aspect == 1 else str(pixel_aspect)
