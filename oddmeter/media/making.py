"""Making the pictures of a plan: the one way from a clip's frames to what a timeline frame shows.

Looking and rendering both go through here: source units, in-betweens, raster, and the two fields of an interlaced
frame, each from its own moment.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Between, Framing
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.maps.frame_map import Shown, Weights
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import Scan, TimelineScan
from oddmeter.media.files.samples import planar, same_samples
from oddmeter.media.frames.access import Frames
from oddmeter.media.pictures.light import added
from oddmeter.media.pictures.nearness import Grey, brought_near
from oddmeter.media.pictures.planes import luma_of, woven
from oddmeter.media.pictures.raster import framed
from oddmeter.media.pictures.units import Units

if TYPE_CHECKING:
    from oddmeter.media.inbetweens.flow import Built
    from oddmeter.media.inbetweens.search import Field, Levels

_GLANCE = (160, 90)
"""Samples across and lines of the small pictures that shots are told apart by."""
_MOTIONS = 4
"""Motions that are kept for the next frames."""
_STILL, _ALIKE = 6.0, 0.5
"""Grey levels by which two pictures of one shot may differ without looking closer; and how alike, from −1 to 1, they
must be once moved onto each other."""


@dataclass(frozen=True)
class MadeFrame:
    """The picture of one timeline frame: what it shows, and how much of each place was mixed where it was built, from
    0 to 1, over the source's picture; None where nothing was built. ``across_cut`` where nothing was, since a cut lies
    between."""

    frame: VideoFrame
    shown: Shown
    mixed_part: npt.NDArray[np.float32] | None = None
    across_cut: bool = False


@dataclass(frozen=True)
class _Moment:
    frame: VideoFrame
    mixed_part: npt.NDArray[np.float32] | None = None
    across_cut: bool = False


class Maker:
    """Makes the timeline frames of one plan, in any order.

    ``pixel_format`` is that of the pictures made; ``cuts`` are frames of the file known to begin a shot.
    """

    def __init__(
        self,
        frames: Frames,
        planned: Conform,
        canvas: Canvas,
        pixel_format: str,
        cuts: frozenset[int] = frozenset(),
    ) -> None:
        facts: Facts = frames.facts
        self.planned, self.canvas = planned, canvas
        self.pixel_format = pixel_format
        self._units, self._cuts = Units(frames, planned), cuts
        self._shape = facts.pixel_aspect
        self._two_moments = facts.scan is Scan.INTERLACED and self._units.are_woven
        self._moment = lru_cache(maxsize=4)(self._moment_at)
        self._is_cut = lru_cache(maxsize=16)(self._cut_between)
        self._sizes = lru_cache(maxsize=5)(self._sizes_of)
        self._glance = lru_cache(maxsize=5)(self._glance_of)
        self._motions: dict[tuple[int, int], Field] = {}

    def made(self, number: int) -> MadeFrame:
        """Timeline frame ``number``; raises ``RuleError`` where the clip has no such frame to show."""
        what = self.planned.shown(number, self.canvas.scan)
        moments = [self._moment(weights) for weights in what.moments]
        frames = [self._framed(moment.frame) for moment in moments]
        parts = [moment.mixed_part for moment in moments if moment.mixed_part is not None]
        cut = any(moment.across_cut for moment in moments)
        part = np.asarray(np.mean(parts, axis=0), np.float32) if parts else None
        if len(frames) == 1:
            return MadeFrame(frames[0], what, part, cut)
        early, late = frames
        frame = woven(early, late) if self.canvas.scan is TimelineScan.UPPER else woven(late, early)
        return MadeFrame(frame, what, part, cut)

    def picture(self, number: int) -> VideoFrame:
        """The picture of a timeline frame."""
        return self.made(number).frame

    def pictured(self, weights: Weights) -> VideoFrame:
        """The picture of one moment, made of these source units."""
        return self._framed(self._moment(weights).frame)

    def source_picture(self, unit: int) -> VideoFrame:
        """A source unit by itself, as it is."""
        return self._units.picture(unit)

    def _framed(self, frame: VideoFrame) -> VideoFrame:
        framing = self.planned.treatment.framing
        fields = self._two_moments
        if framing is Framing.KEEP and frame.format.name == self.pixel_format:
            return frame
        return framed(frame, self.canvas, framing, self._shape, self.pixel_format, fields=fields)

    def _moment_at(self, weights: Weights) -> _Moment:
        parts = self._of_one_shot(weights)
        across_cut = len(parts) < len(weights.parts)
        if len(parts) == 1:
            return _Moment(self._units.picture(parts[0][0]), across_cut=across_cut)
        made = _MADE_BY[self.planned.treatment.between](self, weights, parts)
        return replace(made, across_cut=across_cut)

    def added_up(self, weights: Weights, parts: "Parts") -> "_Moment":
        """Units added up by their shares, in light."""
        pictures = (self._units.picture(unit) for unit, _ in parts)
        return _Moment(added(pictures, [float(share) for _, share in parts]))

    def along_motion(self, weights: Weights, parts: "Parts") -> "_Moment":
        """The picture between two units, built along the motion from one to the other."""
        first, second = (self._units.picture(unit) for unit, _ in parts)
        if same_samples(planar(first), planar(second)):
            return _Moment(first)
        built = self._built(weights, first, second)
        return _Moment(built.frame, built.mixed_part)

    def _of_one_shot(self, weights: Weights) -> list[tuple[int, Fraction]]:
        """The units and shares of a moment up to the first that belongs to another shot; their shares make one."""
        kept = [weights.parts[0]]
        for before, part in pairwise(weights.parts):
            if self._is_cut(before[0], part[0]):
                break
            kept.append(part)
        whole = sum(share for _, share in kept)
        return [(unit, share / whole) for unit, share in kept]

    def _built(self, weights: Weights, first: VideoFrame, second: VideoFrame) -> "Built":
        """The picture that Flow builds, with what the pictures on either side of both show, where all come at even
        times."""
        from oddmeter.media.inbetweens import cells, flow  # noqa: PLC0415 (half a second, which few processes need)

        (one, _), (two, share) = weights.parts
        treatment = self.planned.treatment
        evenly = two == one + 1 and self.planned.material.clock is None
        beside = [unit for unit in (one - 1, two) if evenly and self._goes_on(unit)]
        found = self._found([(one, two), *((unit, unit + 1) for unit in beside)], float(share))
        beyond = cells.Beyond(found.get((one - 1, one)), found.get((two, two + 1)))
        return flow.between(
            first, second, found[one, two], float(share), treatment.effort, treatment.reach, float(treatment.trust),
            beyond,
        )  # fmt: skip

    def _goes_on(self, unit: int) -> bool:
        """True where a unit and the one after it are there, can be decoded, and belong to one shot."""
        try:
            return 0 <= unit < self.planned.frame_map.units - 1 and not self._is_cut(unit, unit + 1)
        except RuleError:
            return False

    def _found(self, pairs: Sequence[tuple[int, int]], share: float) -> "dict[tuple[int, int], Field]":
        """The motion of pairs of units, of which those that are not known yet are searched at the same time: half way,
        or that of the first pair at the moment that is asked for."""
        from oddmeter.media.inbetweens import flow  # noqa: PLC0415

        new = [pair for pair in pairs if pair not in self._motions]
        sizes = [(self._sizes(one), self._sizes(two), share if (one, two) == pairs[0] else 0.5) for one, two in new]
        found = dict(zip(new, flow.motions(sizes, self.planned.treatment.effort), strict=True))
        wanted = {pair: found[pair][1] if pair in found else self._motions[pair] for pair in pairs}
        half_way = {pair: fields[0] for pair, fields in found.items()}
        self._motions = dict([*self._motions.items(), *half_way.items()][-_MOTIONS:])
        return wanted

    def _sizes_of(self, unit: int) -> "Levels":
        from oddmeter.media.inbetweens import flow  # noqa: PLC0415

        return flow.sizes_of(self._units.picture(unit))

    def _cut_between(self, first: int, second: int) -> bool:
        """True where another shot begins between two units."""
        frames = sorted({*self.planned.unit(first).frames, *self.planned.unit(second).frames})
        if any(frame in self._cuts for frame in range(frames[0] + 1, frames[-1] + 1)):
            return True
        return _are_other_shots(self._glance(first), self._glance(second))

    def _glance_of(self, unit: int) -> Grey:
        return np.asarray(
            cv2.resize(luma_of(self._units.picture(unit)), _GLANCE, interpolation=cv2.INTER_AREA), np.uint8
        )


Parts = Sequence[tuple[int, Fraction]]
"""Source units, each with its share."""

_MADE_BY: Mapping[Between, Callable[[Maker, Weights, Parts], _Moment]] = {
    Between.PICK: Maker.added_up,  # never of several
    Between.MIX: Maker.added_up,
    Between.FLOW: Maker.along_motion,
    Between.GATHER: Maker.added_up,
}
"""What makes a moment of several source units."""
assert set(_MADE_BY) == set(Between), "every in-between is made by something"


def _are_other_shots(first: Grey, second: Grey) -> bool:
    """True where even the best motion does not bring one picture near the other. What only grows lighter or darker, as
    in a flash or a fade, stays alike."""
    if float(cv2.absdiff(first, second).mean()) < _STILL:
        return False
    if _likeness(first, second) > _ALIKE:
        return False
    return _likeness(first, brought_near(first, second)) < _ALIKE


def _likeness(a: Grey, b: Grey) -> float:
    """The correlation of two pictures, from −1 to 1; of two flat ones 1."""
    x, y = (picture.astype(np.float32) - picture.mean() for picture in (a, b))
    spread = float(np.sqrt((x * x).mean() * (y * y).mean()))
    return float((x * y).mean()) / spread if spread > 1 else 1.0
