"""Verify: reopen a made file and hold it against its plan, frame by frame.

The proof decodes the made file and the source side by side and keeps, for every timeline frame, how much it
differs from the one before in both. A planned repeat must not change; a planned new picture must, unless the
source itself stands still there.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.proof import MOST_NAMED, Check, Proof
from oddmeter.core.rates import Rate
from oddmeter.media.decode import FrameReader
from oddmeter.media.probe import probe
from oddmeter.media.render import RenderPlan
from oddmeter.media.settings import ENCODINGS

Grey = npt.NDArray[np.uint8]

STILL = 1.0
"""Grey levels (of 255), in the most changed block: a source change below this is too small to tell."""


def verify(plan: RenderPlan, progress: Callable[[int], None] = lambda done: None) -> Proof:
    """Open the made file of a plan and prove it.

    ``progress`` is called with the number of timeline frames compared, and may raise. Raises ``RuleError`` where
    a file can no longer be read.
    """
    made = probe(plan.out)
    if made.fault:
        return Proof((Check("file", "readable", made.fault, False),))
    wanted = plan.conformed
    found_rate = made.file_rate or Rate(Fraction(1))
    checks = [
        _equal("rate", _rate_words(wanted.timeline_rate), _rate_words(found_rate)),
        _equal("frames", wanted.frame_map.length, made.frames),
        _equal("raster", f"{plan.facts.width} × {plan.facts.height}", f"{made.width} × {made.height}"),
        _equal("pixel shape", _shape_words(plan.facts.pixel_aspect), _shape_words(made.pixel_aspect)),
        _equal("start timecode", plan.start, made.timecode or "none"),
        _equal("sound", "kept" if plan.keeps_sound else "none", "kept" if made.sound else "none"),
    ]
    if made.frames != wanted.frame_map.length:
        return Proof(tuple(checks))
    pictures = _compare_pictures(plan, progress)
    checks.append(_equal("repeats", pictures.planned_repeats, pictures.found_repeats))
    shown = f"{pictures.compared - len(pictures.wrong)} of {pictures.compared}"
    checks.append(Check("pictures", f"{pictures.compared} of {pictures.compared}", shown, not pictures.wrong))
    return Proof(tuple(checks), tuple(pictures.wrong[:MOST_NAMED]), pictures.too_still)


@dataclass
class _Pictures:
    compared: int = 0
    planned_repeats: int = 0
    found_repeats: int = 0
    too_still: int = 0
    wrong: list[int] = field(default_factory=list)


def _compare_pictures(plan: RenderPlan, progress: Callable[[int], None]) -> _Pictures:
    frame_map = plan.conformed.frame_map
    out = _Pictures()
    noise = 0.0 if ENCODINGS[plan.setting].lossless else 4.0
    before_source: Grey | None = None
    before_made: Grey | None = None
    before_pick = -1
    with FrameReader(plan.source) as source, FrameReader(plan.out) as made:
        for number, pick in enumerate(frame_map.picks()):
            wanted = before_source if pick == before_pick and before_source is not None else _luma(source.frame(pick))
            shown = _luma(made.frame(number))
            out.compared += 1
            if before_source is not None and before_made is not None:
                _judge(out, number, pick == before_pick, wanted, before_source, shown, before_made, noise)
            elif not _alike(shown, wanted, 0.0, noise):
                out.wrong.append(number)
            before_source, before_made, before_pick = wanted, shown, pick
            progress(out.compared)
    return out


def _judge(
    out: _Pictures,
    number: int,
    repeat: bool,
    wanted: Grey,
    before_wanted: Grey,
    shown: Grey,
    before_shown: Grey,
    noise: float,
) -> None:
    """Count one timeline frame: is it a repeat where planned, a new picture where planned, the right one?"""
    source_change = 0.0 if repeat else _change(wanted, before_wanted)
    made_change = _change(shown, before_shown)
    out.planned_repeats += repeat
    if not repeat and source_change <= max(STILL, noise):
        out.too_still += 1
        found = False
    elif repeat:
        found = made_change <= noise
    else:
        found = made_change < source_change / 4
    out.found_repeats += found
    if found != repeat or not _alike(shown, wanted, source_change, noise):
        out.wrong.append(number)


def _alike(shown: Grey, wanted: Grey, source_change: float, noise: float) -> bool:
    """True where the made picture is the wanted one, but for what the encoding loses.

    A neighbouring source frame would differ by about ``source_change``, so half of that is allowed at most.
    """
    return _change(shown, wanted) <= (max(3 * noise, source_change / 2) if noise else 0.0)


def _change(a: Grey, b: Grey) -> float:
    """The mean change, in grey levels, of the block that changed most; blocks are a 32nd of the width."""
    if a.shape != b.shape:
        return 255.0
    columns = max(1, min(32, a.shape[1] // 4))
    rows = max(1, min(32, a.shape[0] // 4))
    return float(cv2.resize(cv2.absdiff(a, b), (columns, rows), interpolation=cv2.INTER_AREA).max())


def _luma(frame: VideoFrame) -> Grey:
    """The luma of a frame in eight bits, shape (height, width), as it is stored; other colour is converted first."""
    if not frame.format.name.startswith(("yuv4", "yuvj4", "gray", "nv")):
        frame = frame.reformat(format="yuv444p")
    plane = frame.planes[0]
    bits = frame.format.components[0].bits
    width = 1 if bits <= 8 else 2
    stored = np.frombuffer(memoryview(plane), f"<u{width}").reshape(plane.height, plane.line_size // width)
    return (stored[:, : plane.width] >> max(0, bits - 8)).astype(np.uint8)


def _equal(name: str, planned: object, found: object) -> Check:
    return Check(name, str(planned), str(found), str(planned) == str(found))


def _rate_words(rate: Rate) -> str:
    """The rate as it is said, with the fraction where that is not the same."""
    return rate.spoken if rate.value.denominator == 1 else f"{rate.spoken} ({rate.exact})"


def _shape_words(pixel_aspect: Fraction) -> str:
    return "square" if pixel_aspect == 1 else str(pixel_aspect)
