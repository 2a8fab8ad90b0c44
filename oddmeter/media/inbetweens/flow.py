"""Flow: a new picture between two, built along the motion from one to the other.

Motion is searched at the moment itself, paths may bend as the pictures before and after show, and where one picture
does not show a place the other gives it. How likely it comes out right is judged place by place: what is
less likely than is asked for, or moves farther than the reach, is mixed instead, with a soft edge; and where what is
seen changes evenly in its place, a part of it is.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import cv2
import numpy as np
from av.video.frame import VideoFrame

from oddmeter.core.decisions.treatment import Effort
from oddmeter.media.files.samples import empty_like, planar, planes_of
from oddmeter.media.inbetweens.cells import NOTHING, Beyond, Care, chosen
from oddmeter.media.inbetweens.drawing import draw
from oddmeter.media.inbetweens.far import LINES
from oddmeter.media.inbetweens.search import Field, Levels, Map, found_between, moved_to
from oddmeter.media.inbetweens.trust import believed, moving_part
from oddmeter.media.pictures.light import mix_into, mixed
from oddmeter.media.pictures.planes import luma_of
from oddmeter.media.pictures.sharing import do_all

CARE = {
    Effort.QUICK: Care(finest=1, by_four=True, most=4, far=2, alone=16, at_once=3, fits=8, colour_finely=False),
    Effort.NORMAL: Care(finest=0, by_four=True, most=6, far=4, alone=12, at_once=2, fits=7, colour_finely=True),
    Effort.CAREFUL: Care(finest=0, by_four=False, most=8, far=4, alone=8, at_once=1.5, fits=6, colour_finely=True),
}


@dataclass(frozen=True)
class Built:
    """A built picture, and how much of it was mixed: for every fourth sample of its luma, from 0 to 1."""

    frame: VideoFrame
    mixed_part: Map


def sizes_of(frame: VideoFrame) -> Levels:
    """What motion is searched in: the luma of a picture in all its sizes."""
    return Levels(luma_of(frame))


def motion(first: Levels, second: Levels, effort: Effort) -> Field:
    """The motion half way between two pictures of the same raster."""
    return found_between(first, second, CARE[effort].finest)


def motions(pairs: Sequence[tuple[Levels, Levels, float]], effort: Effort) -> list[tuple[Field, Field]]:
    """The motion of some pairs, half way and at a moment of each, two at a time; the same as one after the other."""

    def found(pair: tuple[Levels, Levels, float]) -> tuple[Field, Field]:
        half_way = motion(*pair[:2], effort)
        return half_way, moved_to(half_way, pair[2])

    if len(pairs) < 2:
        return [found(pair) for pair in pairs]
    sizes = {id(one): one for pair in pairs for one in pair[:2]}
    with ThreadPoolExecutor(2, "motion") as pool:
        list(pool.map(lambda one: one.pictures, sizes.values()))
        return list(pool.map(found, pairs))


def between(
    first: VideoFrame, second: VideoFrame, found: Field, weight: float, effort: Effort, reach: int, trust: float,
    beyond: Beyond = NOTHING,
) -> Built:  # fmt: skip
    """The picture at ``weight`` of the way from the first to the second, in the pixel format of the first.

    ``found`` is the motion between them, half way or at that moment; ``reach`` is how far things may move between
    them, in pixels; ``trust`` from 0 (everything is built) to 1 (everything is mixed). ``beyond`` are the pictures on
    either side, where they belong to the same shot.
    """
    first, second = planar(first), planar(second)
    if trust >= 1:
        return _mixed(first, second, weight)
    cells = chosen(moved_to(found, weight), beyond, CARE[effort])
    judged = [partial(believed, cells, reach, trust), partial(moving_part, found, cells, beyond)]
    sure, moving = do_all(judged, 2 * len(cells.shares))
    if sure.max() <= 0:
        return _mixed(first, second, weight)
    if trust <= 0:
        moving[:] = 1
    out = empty_like(first, first.width, first.height)
    most = (1 << first.format.components[0].bits) - 1
    planes = (planes_of(first), planes_of(second), planes_of(out))
    luma = (found.first.pictures[0], found.second.pictures[0]) if most == 255 and not first.format.is_rgb else None
    moving_cells = _drawn_out(moving, *cells.shares.shape[::-1])
    draw(
        *planes, cells, moving_cells, weight, most,
        rgb=first.format.is_rgb, finely=CARE[effort].colour_finely, luma=luma,
    )  # fmt: skip
    if sure.min() < 1:
        mix_into(out, first, second, weight, 1 - _drawn_out(sure, first.width, first.height))
    return Built(out, 1 - sure * moving)


def compile_all() -> None:
    """Compile all that pictures are built with, which is kept on disk from then on; takes some twenty seconds."""
    lines = LINES // 2 * 2  # of which far movers are looked for in one size
    grey = np.tile(np.arange(64, dtype=np.uint8) * 3, (lines, 1))
    for form in ("yuv420p", "yuv422p10le"):
        frames = []
        for moved in range(4):
            frame = VideoFrame(64, lines, form)
            for plane in planes_of(frame):
                plane[:] = np.roll(grey, 2 * moved, 1)[: plane.shape[0], : plane.shape[1]]
            frames.append(frame)
        sizes = [sizes_of(frame) for frame in frames]
        found = [motion(a, b, Effort.CAREFUL) for a, b in pairwise(sizes)]
        between(frames[1], frames[2], found[1], 0.25, Effort.CAREFUL, 64, 0.5, Beyond(found[0], found[2]))
        whole = mixed(frames[0], frames[1], 0.5)
        mix_into(whole, frames[0], frames[1], 0.5, np.full((whole.height, whole.width), 0.5, np.float32))


def _mixed(first: VideoFrame, second: VideoFrame, weight: float) -> Built:
    return Built(mixed(first, second, weight), np.ones((-(-first.height // 4), -(-first.width // 4)), np.float32))


def _drawn_out(values: Map, width: int, height: int) -> Map:
    return np.asarray(cv2.resize(values, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
