"""Look at the pictures of a clip: a few stretches, evenly spaced, or all of it.

What is measured is read by the rules of the core, in chunks, so that memory does not grow with the clip.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import islice
from pathlib import Path

import cv2

from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.blends import blended
from oddmeter.core.pictures.fields import joined
from oddmeter.core.pictures.graphics import layered
from oddmeter.core.pictures.repeats import Found, find
from oddmeter.core.pictures.report import Measures, PictureReport, Repeats, Stretch, cuts
from oddmeter.core.pictures.scan import Scan
from oddmeter.media.analysis.measures import Meter
from oddmeter.media.files.probe import NO_PICTURE
from oddmeter.media.frames.decode import frames_from, read_ahead

SHORT = 1_500
"""Clips up to so many frames are looked at whole."""
SAMPLES, SAMPLE_FRAMES = 8, 120
MOST_UNASKED = 20_000
"""Where the samples disagree, clips up to so many frames are looked at whole without being asked."""
_CHUNK = 4_000
_DRAWN = 240
_FINE_FRAMES = 150

Progress = Callable[[int, int], None]
"""Told the frames looked at so far, and how many there will be; may raise to stop."""


class DamagedError(RuleError):
    """Not one picture of a clip can be decoded."""


@dataclass
class _Seen:
    """What the chunks or samples have shown so far."""

    examined: int = 0
    stretches: list[Stretch] = field(default_factory=list)
    cuts: list[int] = field(default_factory=list)
    found: list[tuple[int, int, Found | None]] = field(default_factory=list)
    new_from: int = 0
    new: tuple[bool, ...] = ()

    def take(self, measures: Measures) -> None:
        """Read one chunk by the rules."""
        at_cut = cuts(measures)
        here = layered(measures, at_cut)
        carried = any(stretch.scan is Scan.INTERLACED for stretch in here)
        found = None if carried else find(measures, at_cut)
        self.examined += len(measures)
        self.stretches += here
        self.cuts += [measures.first_frame + n for n in at_cut]
        self.found.append((measures.first_frame, len(measures), found))
        if not self.new or (found is not None and all(self.new)):
            shown = found.new[:_DRAWN] if found is not None else [True] * min(_DRAWN, len(measures))
            self.new_from, self.new = measures.first_frame, tuple(bool(new) for new in shown)


def analyse(path: Path, facts: Facts, *, whole: bool = False, progress: Progress | None = None) -> PictureReport:
    """What the pictures of a clip show. Raises ``DamagedError`` where not one can be decoded, ``RuleError`` where
    the file cannot be opened, and whatever ``progress`` raises."""
    report = _analysed(path, facts, whole, progress or (lambda _done, _of: None))
    if report.examined == 0:
        raise DamagedError(NO_PICTURE, "media")
    return report


def _analysed(path: Path, facts: Facts, whole: bool, report_progress: Progress) -> PictureReport:
    cv2.setNumThreads(1)
    if whole or facts.frames <= SHORT:
        return _whole(path, facts, report_progress)
    seen = _Seen()
    firsts = [0] if facts.timing is Timing.VARIABLE else _spread(facts.frames)
    count = SHORT if len(firsts) == 1 else SAMPLE_FRAMES
    for first in firsts:
        seen.take(_measured(path, facts, first, count, report_progress, seen.examined, len(firsts) * count))
    if not _agreed(seen) and facts.frames <= MOST_UNASKED:
        return _whole(path, facts, report_progress)
    return _report(path, facts, seen, whole=False)


def _whole(path: Path, facts: Facts, report_progress: Progress) -> PictureReport:
    seen = _Seen()
    meter = Meter()
    with frames_from(path, facts, 0) as decoded, read_ahead(decoded) as frames:
        for frame in frames:
            meter.push(frame)
            if len(meter) % 16 == 0:
                report_progress(seen.examined + len(meter), facts.frames)
            if len(meter) == _CHUNK:
                seen.take(meter.measures())
                meter = meter.following()
    if len(meter):
        seen.take(meter.measures())
    seen.stretches = joined(seen.stretches)
    return _report(path, facts, seen, whole=True)


def _measured(
    path: Path,
    facts: Facts,
    first: int,
    count: int,
    report_progress: Progress,
    done: int,
    of: int,
    *,
    fine: bool = False,
) -> Measures:
    meter = Meter(first, fine=fine)
    with frames_from(path, facts, first) as decoded, read_ahead(islice(decoded, count)) as frames:
        for frame in frames:
            meter.push(frame)
            if len(meter) % 16 == 0:
                report_progress(done + len(meter), of)
    return meter.measures()


def _spread(frames: int) -> list[int]:
    return [i * (frames - SAMPLE_FRAMES) // (SAMPLES - 1) for i in range(SAMPLES)]


def _agreed(seen: _Seen) -> bool:
    """True where all samples that show anything show the same, with one phase throughout."""
    known = [stretch for stretch in seen.stretches if stretch.scan is not Scan.UNKNOWN]
    kinds = {(s.scan, s.field_order, s.pattern, _global_phase(s)) for s in known}
    steps = {found.repeats.step if found else None for _, _, found in seen.found}
    return len(kinds) <= 1 and len(steps) <= 1


def _global_phase(stretch: Stretch) -> int | None:
    if stretch.phase is None or stretch.pattern == "2:2":
        return stretch.phase
    return (stretch.phase - stretch.first_frame) % 5


def _report(path: Path, facts: Facts, seen: _Seen, *, whole: bool) -> PictureReport:
    total = seen.examined if whole else facts.frames
    spread = seen.stretches if whole else _filled(seen.stretches, total)
    mixed = any(stretch.scan is Scan.INTERLACED and stretch.pattern is None for stretch in spread)
    return PictureReport(
        examined=seen.examined,
        whole=whole,
        stretches=tuple(spread),
        repeats=_repeats(seen, total),
        cuts=tuple(seen.cuts),
        blended=mixed and _breathes(path, facts, spread),
        new_from=seen.new_from,
        new=seen.new,
    )


def _breathes(path: Path, facts: Facts, spread: list[Stretch]) -> bool:
    """Look once more, closer, at interlaced frames: were their fields mixed from those of another standard?"""
    longest = max((s for s in spread if s.scan is Scan.INTERLACED and not s.pattern), key=lambda s: s.frames)
    count = min(_FINE_FRAMES, longest.frames)
    return blended(_measured(path, facts, longest.first_frame, count, lambda _done, _of: None, 0, count, fine=True))


def _filled(sampled: list[Stretch], total: int) -> list[Stretch]:
    """Stretches seen in samples, drawn out to fill the clip, each to half way to the next that says otherwise."""
    merged = joined([s for s in sampled if s.scan is not Scan.UNKNOWN]) or [Stretch(0, total - 1, Scan.UNKNOWN)]
    out: list[Stretch] = []
    for number, stretch in enumerate(merged):
        first = 0 if number == 0 else out[-1].last_frame + 1
        following = merged[number + 1].first_frame if number + 1 < len(merged) else None
        last = total - 1 if following is None else (stretch.last_frame + following) // 2
        out.append(stretch.over(first, last))
    return out


def _repeats(seen: _Seen, total: int) -> Repeats | None:
    steps: Counter[Fraction] = Counter()
    unique = frames = 0
    for _, count, found in seen.found:
        if found is not None:
            steps[found.repeats.step] += count
        unique += found.repeats.unique_frames if found is not None else count
        frames += count
    if not steps or steps.total() * 2 < frames:
        return None
    step = steps.most_common(1)[0][0]
    if frames != total:
        return Repeats(total, round(total * step), step)
    signs = "".join(
        "".join("1" if new else "0" for new in found.new) if found is not None else "1" * count
        for _, count, found in seen.found
    )
    return Repeats(total, unique, step, signs)
