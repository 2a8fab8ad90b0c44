"""Pictures of a made file, compared with those of its plan: every plane of every frame.

Without loss they are the same, sample for sample. What is encoded with loss is as far from its picture as it was when
it was written, where that was measured; where it was not, no block, line or column of a plane may lie farther off than
an encoder leaves it. A planned repeat must stand; a planned new picture must be nearer to itself than to the one before
it, unless the source hardly changes there.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.files.samples import Plane, planes_of, reformatted, same_samples
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.colours import Pictures
from oddmeter.media.plans import FilePlan
from oddmeter.media.writing.losses import Losses, apart, squares_between

_MOST_MADE_AGAIN = 48
_STILL = 1.0
"""Grey levels (of 255), in the most changed block: a source change below this is too small to tell."""
_BLOCK, _LINE = 18.0, 20.0
"""Grey levels by which a block of eight by eight samples may lie off in the mean, and a whole line or column, where
nothing was measured."""
_FINE = 8


@dataclass
class Compared:
    """What comparing found: ``planned_units`` are the source pictures that should be shown, ``found_units`` those that
    are; ``wrong`` the frames that are not what was planned."""

    planned_units: set[object] = field(default_factory=set)
    found_units: set[object] = field(default_factory=set)
    compared: int = 0
    planned_repeats: int = 0
    found_repeats: int = 0
    too_still: int = 0
    wrong: list[int] = field(default_factory=list)


def made_again(plan: FilePlan) -> Callable[[int], bool]:
    """Which frames are made once more to be compared: all, but of those that are built along motion, which take long,
    some; of the others it is proven that they are what was written."""
    if not plan.builds:
        return lambda number: True
    built = [number for number in range(plan.length) if plan.shown(number).built]
    passed_over = set(built) - set(built[:: max(1, -(-len(built) // _MOST_MADE_AGAIN))])
    return lambda number: number not in passed_over


def compare(plan: FilePlan, pictures: Pictures, losses: Losses | None, progress: Callable[[int], None]) -> Compared:
    """Hold every frame of the file against the plan's pictures; what cannot be decoded is wrong from there on. Raises
    ``RuleError`` where a source can no longer be read."""
    out, again = Compared(), made_again(plan)
    judge = _Exact() if plan.encoding.lossless else _Near(losses, plan.encoding.coarse)
    read_as = plan.encoding.read_as(pictures.pixel_format)

    def planned(number: int) -> VideoFrame:
        picture = pictures.picture(number)
        return apart(picture if picture.format.name == read_as else reformatted(picture, format=read_as))

    before: _Pair | None = None
    last: object = None
    with FrameReader(plan.opened_as) as made:
        for number in range(plan.length):
            shown = plan.shown(number)
            stands = before if shown.picture == last else None
            try:
                seen = apart(made.frame(number))
            except RuleError:
                out.wrong += range(number, plan.length)
                out.compared = plan.length
                return out
            wanted = None
            if stands is not None:
                wanted = stands.wanted
            elif again(number):
                wanted = planned(number)
            if wanted is None and stands is None and before is not None and judge.stands(_Pair(seen, None), before):
                # A built frame that shows the picture before once more: making it says whether it should.
                wanted = planned(number)
            pair = _Pair(seen, wanted)
            if wanted is not None and not _comparable(seen, wanted):
                right = False
            elif wanted is None:
                right = losses is None or losses.has_sum(number, seen) is not False
            else:
                right = judge.is_right(number, pair)
                if before is not None and before.wanted is not None:
                    right = _judged(out, judge, pair, before, repeat=stands is not None, right=right)
            out.planned_units |= shown.units
            if right:
                out.found_units |= shown.units
            else:
                out.wrong.append(number)
            out.compared += 1
            before, last = pair, shown.picture
            progress(out.compared)
    return out


@dataclass(frozen=True)
class _Pair:
    """A picture of the file beside the one that was planned, None where that was not made again."""

    seen: VideoFrame
    wanted: VideoFrame | None


def _judged(out: Compared, judge: "_Exact | _Near", pair: _Pair, before: _Pair, *, repeat: bool, right: bool) -> bool:
    """Count a repeat or a new picture, planned and found; returns whether the frame is right for all that."""
    out.planned_repeats += repeat
    if repeat:
        found = right or judge.stands(pair, before)
    elif judge.hardly_differ(pair, before):
        out.too_still += 1
        found = False
    else:
        found = not (right and judge.is_sure) and judge.stands(pair, before)
    out.found_repeats += found
    return right and found == repeat


class _Exact:
    """How pictures are judged that were written without loss. Twins would be right, and stand: both is asked."""

    is_sure = False

    def is_right(self, number: int, pair: _Pair) -> bool:
        assert pair.wanted is not None
        return same_samples(pair.seen, pair.wanted)

    def stands(self, pair: _Pair, before: _Pair) -> bool:
        """True where the file shows the picture before once more."""
        return same_samples(pair.seen, before.seen)

    def hardly_differ(self, pair: _Pair, before: _Pair) -> bool:
        """True where the two planned pictures are one to whoever looks."""
        assert pair.wanted is not None and before.wanted is not None
        return same_samples(pair.wanted, before.wanted)


class _Near:
    """How pictures are judged that were written with loss."""

    def __init__(self, losses: Losses | None, coarse: float) -> None:
        self._losses, self._coarse = losses, coarse
        self.is_sure = False
        """True where what the last picture lost was known: then it is no other one."""

    def is_right(self, number: int, pair: _Pair) -> bool:
        assert pair.wanted is not None
        measured = None
        if self._losses is not None:
            measured = self._losses.is_that_of(number, squares_between(pair.seen, pair.wanted))
        self.is_sure = measured is not None
        if measured is None:
            return is_near(pair.seen, pair.wanted)
        return measured and not changes_by_more(self._coarse, _luma(pair.seen), _luma(pair.wanted))

    def stands(self, pair: _Pair, before: _Pair) -> bool:
        """True where the file's picture is nearer to the one planned before than to its own; of one that was not made
        again, where it hardly changes."""
        if pair.wanted is None or before.wanted is None:
            return not changes_by_more(4 * _STILL, _luma(pair.seen), _luma(before.seen))
        own, other = (
            cv2.norm(_luma(pair.seen), _luma(wanted), cv2.NORM_L2SQR) for wanted in (pair.wanted, before.wanted)
        )
        return other < own

    def hardly_differ(self, pair: _Pair, before: _Pair) -> bool:
        """True where the two planned pictures differ by less than an encoder loses."""
        assert pair.wanted is not None and before.wanted is not None
        return not changes_by_more(4 * _STILL, _luma(pair.wanted), _luma(before.wanted))


def _comparable(a: VideoFrame, b: VideoFrame) -> bool:
    shapes = [[plane.shape for plane in planes_of(picture)] for picture in (a, b)]
    return shapes[0] == shapes[1] and a.format.components[0].bits == b.format.components[0].bits


def is_near(seen: VideoFrame, wanted: VideoFrame) -> bool:
    """True where no block, line or column of any plane of two planar pictures lies farther off than an encoder leaves
    it."""
    level = 1 << (seen.format.components[0].bits - 8)
    return all(_plane_is_near(a, b, level) for a, b in zip(planes_of(seen), planes_of(wanted), strict=True))


def _plane_is_near(a: Plane, b: Plane, level: int) -> bool:
    if _most_changed(cv2.absdiff(a, b), _FINE, _FINE) > _BLOCK * level:
        return False
    off = cv2.subtract(a, b, dtype=cv2.CV_32F)
    along = (cv2.reduce(off, axis, cv2.REDUCE_AVG) for axis in (0, 1))
    return all(float(np.abs(mean).max()) <= _LINE * level for mean in along)


def changes_by_more(levels: float, a: Plane, b: Plane) -> bool:
    """Whether ``change_between`` two planes is more than so many grey levels; quickly answered where no sample is."""
    if a.shape == b.shape and cv2.norm(a, b, cv2.NORM_INF) <= levels:
        return False
    return change_between(a, b) > levels


def change_between(a: Plane, b: Plane) -> float:
    """The mean change, in grey levels, of the block that changed most of two planes of eight bits; blocks are a 32nd of
    the width and the height."""
    if a.shape != b.shape:
        return 255.0
    high, wide = (min(side, max(4, side // 32)) for side in a.shape)
    return _most_changed(cv2.absdiff(a, b), high, wide)


def _most_changed(change: Plane, high: int, wide: int) -> float:
    """The mean of the block that changed most. Blocks are whole samples, which adds them up twenty times as quickly:
    where they do not fill the picture, they are laid from each of its edges."""
    if not change.any():
        return 0.0
    high, wide = min(high, change.shape[0]), min(wide, change.shape[1])
    rows, columns = change.shape[0] // high, change.shape[1] // wide
    found = 0
    for top in {0, change.shape[0] - rows * high}:
        for left in {0, change.shape[1] - columns * wide}:
            part = change[top : top + rows * high, left : left + columns * wide]
            found = max(found, int(cv2.resize(part, (columns, rows), interpolation=cv2.INTER_AREA).max()))
    return float(found)


def _luma(frame: VideoFrame) -> npt.NDArray[np.uint8]:
    """The luma of a planar frame, or its green, in eight bits."""
    plane, bits = planes_of(frame)[0], frame.format.components[0].bits
    return np.asarray(plane if bits <= 8 else cv2.convertScaleAbs(plane, alpha=1 / (1 << (bits - 8))), np.uint8)
