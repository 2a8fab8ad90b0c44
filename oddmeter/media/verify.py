"""Verify: reopen a made file and hold it against its plan, frame by frame.

The proof decodes the made file, makes each picture of the plan once more from the source, and holds both side by
side: how they differ from each other, and each from the one before. A planned repeat must not change; a planned new
picture must, unless the source itself stands still there. Of pictures that were built along motion, which take long,
some are made again; of the others it is proven that they are new.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction

import av
import cv2
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.video.frame import VideoFrame

from oddmeter.core.conform.proof import MOST_NAMED, Check, Proof
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.containers.mastering import mastering_in
from oddmeter.media.containers.settings import ENCODINGS
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.planes import converted, luma_of
from oddmeter.media.plans import FilePlan
from oddmeter.media.sound.blocks import BLOCK
from oddmeter.media.sound.track import SoundTrack

Grey = npt.NDArray[np.uint8]

_MOST_MADE_AGAIN = 48
STILL = 1.0
"""Grey levels (of 255), in the most changed block: a source change below this is too small to tell."""


def verify(plan: FilePlan, progress: Callable[[int], None] = lambda done: None) -> Proof:
    """Open the made file of a plan and prove it.

    ``progress`` is called with the number of timeline frames compared, and may raise. Raises ``RuleError`` where
    a file can no longer be read.
    """
    made = probe(plan.out)
    if made.fault:
        return Proof((Check("file", "readable", made.fault, False),))
    canvas, known = plan.canvas, plan.sources_are_known
    found_rate = made.file_rate or Rate(Fraction(1))
    checks = [
        Check("source", "as it was looked at", "as it was looked at" if known else "changed since", known),
        _equal("rate", _rate_words(plan.rate), _rate_words(found_rate)),
        _equal("frames", plan.length, made.frames),
        _equal("raster", f"{canvas.width} × {canvas.height}", f"{made.width} × {made.height}"),
        _equal("pixel shape", _shape_words(canvas.pixel_aspect), _shape_words(made.pixel_aspect)),
        _equal("start timecode", plan.start, made.timecode or "none"),
        *_sound_checks(plan, made),
        _fields_check(plan, made),
    ]
    if plan.mastering:
        checks.append(_equal("mastering", plan.mastering, mastering_in(plan.out)))
    if made.frames != plan.length or not known:
        return Proof(tuple(checks))
    pictures = _compare_pictures(plan, progress)
    checks.append(_equal("repeats", pictures.planned_repeats, pictures.found_repeats))
    new = plan.length - pictures.planned_repeats
    checks.append(_equal("new pictures", new, plan.length - pictures.found_repeats))
    if plan.only_picks:
        checks.append(_equal("source frames shown", len(pictures.planned_units), len(pictures.found_units)))
    right = f"{pictures.compared - len(pictures.wrong)} of {pictures.compared}"
    checks.append(Check("pictures", f"{pictures.compared} of {pictures.compared}", right, not pictures.wrong))
    return Proof(tuple(checks), tuple(pictures.wrong[:MOST_NAMED]), pictures.too_still)


def _sound_checks(plan: FilePlan, made: Facts) -> list[Check]:
    """How many sound streams there are, the length of each in samples, and of each that is kept without loss whether
    every sample is what was planned; a codec that works in blocks may end up to two of them earlier or later."""
    sounds = plan.sounds
    if len(sounds) != len(made.sounds):
        return [_equal("sound", _streams_words(len(sounds)), _streams_words(len(made.sounds)))]
    if not sounds:
        return [_equal("sound", "none", "none")]
    encoding = ENCODINGS[plan.setting]
    slack = 0 if encoding.sound_codec.startswith("pcm") else 2 * BLOCK
    checks = []
    for number, (sound, one) in enumerate(zip(sounds, made.sounds, strict=True)):
        name = "sound" if len(sounds) == 1 else f"sound {number + 1}"
        with av.open(str(plan.out)) as container:
            found = sum(frame.samples for frame in container.decode(audio=number))
        right = one.sample_rate == sound.rate and -slack <= found - sound.samples <= slack
        planned, heard = f"{sound.samples} samples at {sound.rate}", f"{found} samples at {one.sample_rate}"
        checks.append(Check(name, planned, heard, right))
        if right and slack == 0:
            checks.append(_samples_check(plan, number, sound, f"{name}, each sample"))
    return checks


def _samples_check(plan: FilePlan, number: int, sound: SoundTrack, name: str) -> Check:
    """The sound of a plan made once more, beside what is in the file, to the 24 bits of that."""
    with av.open(str(plan.out)) as container:
        resampler = AudioResampler(format="s32", layout=sound.layout[0], rate=sound.rate)
        heard = (_packed(one) for frame in container.decode(audio=number) for one in resampler.resample(frame))
        wrong, full = 0, 0
        for wanted, found in _side_by_side((_packed(frame) for frame in sound.frames("s32")), heard):
            wrong += int(np.count_nonzero(wanted >> 8 != found >> 8))
            full += int(np.count_nonzero((wanted >= _FULL_SCALE) | (wanted <= -_FULL_SCALE)))
    loud = f", {full} of them at full level" if full else ""
    return Check(name, f"as planned{loud}", f"as planned{loud}" if wrong == 0 else f"{wrong} differ", wrong == 0)


_FULL_SCALE = (1 << 31) - (1 << 8)


def _packed(frame: AudioFrame) -> npt.NDArray[np.int32]:
    return np.asarray(frame.to_ndarray(), np.int32).reshape(-1)


def _side_by_side(
    one: Iterator[npt.NDArray[np.int32]], other: Iterator[npt.NDArray[np.int32]]
) -> Iterator[tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]]:
    """Two runs of samples in pieces of the same length; what one has more than the other stands beside silence."""
    a, b = np.zeros(0, np.int32), np.zeros(0, np.int32)
    while True:
        a = next(one, a) if not len(a) else a
        b = next(other, b) if not len(b) else b
        if not len(a) and not len(b):
            return
        count = min(len(a), len(b)) or max(len(a), len(b))
        yield np.pad(a[:count], (0, count - len(a[:count]))), np.pad(b[:count], (0, count - len(b[:count])))
        a, b = a[count:], b[count:]


def _streams_words(count: int) -> str:
    return "none" if count == 0 else f"{count} stream{'s' if count > 1 else ''}"


def _fields_check(plan: FilePlan, made: Facts) -> Check:
    """Which field comes first, by the flag, and by the pictures as far as they move enough to tell."""
    planned = _order_words(plan.field_order)
    flagged = _order_words(made.field_order if made.scan is Scan.INTERLACED else None)
    if plan.field_order is None or flagged != planned:
        return _equal("fields", planned, flagged)
    seen = {stretch.field_order for stretch in analyse(plan.out, made).stretches if stretch.field_order}
    against = next(iter(seen - {plan.field_order}), None)
    found = flagged if against is None else f"{_order_words(against)} in the picture"
    return Check("fields", planned, found, against is None)


def _order_words(order: FieldOrder | None) -> str:
    return f"{order} first" if order else "whole pictures"


@dataclass
class _Pictures:
    planned_units: set[object] = field(default_factory=set)
    found_units: set[object] = field(default_factory=set)
    compared: int = 0
    planned_repeats: int = 0
    found_repeats: int = 0
    too_still: int = 0
    wrong: list[int] = field(default_factory=list)


def _compare_pictures(plan: FilePlan, progress: Callable[[int], None]) -> _Pictures:
    out = _Pictures()
    noise = 0.0 if ENCODINGS[plan.setting].lossless else 4.0
    before_wanted: Grey | None = None
    before_made: Grey | None = None
    before: object = None
    moved = 0.0
    with (
        FrameReader(plan.out) as made,
        plan.pictures(made.stream.codec_context.pix_fmt or "yuv420p", proving=True) as pictures,
    ):
        passed_over = _passed_over(plan)
        for number in range(plan.length):
            shown = plan.shown(number)
            repeat = shown.picture == before
            seen = _luma(made.frame(number))
            out.compared += 1
            wrong_before = len(out.wrong)
            if repeat and before_wanted is not None:
                wanted: Grey | None = before_wanted
            else:
                wanted = None if number in passed_over else _luma(pictures.picture(number))
            if wanted is None:
                moved = 0.0
                _judge_new(out, number, seen, before_made, noise)
            elif before_wanted is not None and before_made is not None:
                moved = moved if repeat else change_between(wanted, before_wanted)
                _judge(out, number, repeat, wanted, moved, seen, before_made, noise)
            elif not _alike(seen, wanted, 0.0, noise):
                out.wrong.append(number)
            out.planned_units |= shown.units
            if len(out.wrong) == wrong_before:
                out.found_units |= shown.units
            before_wanted, before_made, before = wanted, seen, shown.picture
            progress(out.compared)
    return out


def _passed_over(plan: FilePlan) -> set[int]:
    """The built timeline frames that are not made again."""
    if not plan.builds:
        return set()
    built = [number for number in range(plan.length) if plan.shown(number).built]
    return set(built) - set(built[:: max(1, -(-len(built) // _MOST_MADE_AGAIN))])


def _judge_new(out: _Pictures, number: int, seen: Grey, before: Grey | None, noise: float) -> None:
    """Count a built frame that was not made again: it must be another picture than the one before."""
    if before is not None and change_between(seen, before) <= noise:
        out.too_still += 1


def _judge(
    out: _Pictures,
    number: int,
    repeat: bool,
    wanted: Grey,
    moved: float,
    shown: Grey,
    before_shown: Grey,
    noise: float,
) -> None:
    """Count one timeline frame: is it a repeat where planned, a new picture where planned, the right one? ``moved`` is
    how far the source last changed: by a quarter of that an encoder may go on refining a picture that stands, but by no
    more than it loses twice over."""
    made_change = change_between(shown, before_shown)
    out.planned_repeats += repeat
    if not repeat and moved <= max(STILL, noise):
        out.too_still += 1
        found = False
    elif repeat:
        found = made_change <= max(noise, min(2 * noise, moved / 4))
    else:
        found = made_change < moved / 4
    out.found_repeats += found
    if found != repeat or not _alike(shown, wanted, 0.0 if repeat else moved, noise):
        out.wrong.append(number)


def _alike(shown: Grey, wanted: Grey, source_change: float, noise: float) -> bool:
    """True where the made picture is the wanted one, but for what the encoding loses.

    A neighbouring source frame would differ by about ``source_change``, so half of that is allowed at most.
    """
    return change_between(shown, wanted) <= (max(3 * noise, source_change / 2) if noise else 0.0)


def change_between(a: Grey, b: Grey) -> float:
    """The mean change, in grey levels, of the block that changed most; blocks are a 32nd of the width and the height.

    They are whole samples, which adds them up twenty times as quickly: where they do not fill the picture, they are
    laid from each of its edges.
    """
    if a.shape != b.shape:
        return 255.0
    change = cv2.absdiff(a, b)
    if not change.any():
        return 0.0
    high, wide = (min(side, max(4, side // 32)) for side in change.shape)
    rows, columns = change.shape[0] // high, change.shape[1] // wide
    found = 0
    for top in {0, change.shape[0] - rows * high}:
        for left in {0, change.shape[1] - columns * wide}:
            part = change[top : top + rows * high, left : left + columns * wide]
            found = max(found, int(cv2.resize(part, (columns, rows), interpolation=cv2.INTER_AREA).max()))
    return float(found)


def _luma(frame: VideoFrame) -> Grey:
    """The luma of a frame in eight bits, shape (height, width), as it is stored; other colour is converted first."""
    if not frame.format.name.startswith(("yuv4", "yuvj4", "gray", "nv")):
        frame = converted(frame, "yuv444p")
    return luma_of(frame).copy()


def _equal(name: str, planned: object, found: object) -> Check:
    return Check(name, str(planned), str(found), str(planned) == str(found))


def _rate_words(rate: Rate) -> str:
    """The rate as it is said, with the fraction where that is not the same."""
    return rate.spoken if rate.value.denominator == 1 else f"{rate.spoken} ({rate.exact})"


def _shape_words(pixel_aspect: Fraction) -> str:
    return "square" if pixel_aspect == 1 else str(pixel_aspect)
