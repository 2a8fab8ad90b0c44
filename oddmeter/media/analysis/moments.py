"""Moments of the action: where it starts, stops, peaks and turns, by what moves in the picture.

Motion is measured between neighbouring frames, small; what the whole picture does is the camera's. How fast the rest
moves, and which way, reveals the moments.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.frames.decode import frames_from
from oddmeter.media.pictures.planes import luma_of

Series = npt.NDArray[np.float64]

MOST_FRAMES = 30_000
"""Frames of a clip in which moments are looked for."""
_WIDTH = 160
_CUT = 24.0
"""Grey levels of change that no motion explains, from which on it is another shot."""
_LEAST = 0.06
"""Pixels a frame, of a picture so small, below which nothing moves."""
_MOVES, _RESTS = 0.12, 0.07
"""Shares of the fastest motion from which on it moves, and below which it rests."""
_LASTS, _APART, _AROUND = 0.12, 0.3, 0.12
"""Seconds that a rest or a motion lasts at least, that peaks lie apart, and over which a way is averaged."""
_STANDS_OUT, _TURNS = 0.25, 0.2
"""Shares of the fastest motion by which a peak stands out, and which there must be before and after a turn."""


class MomentKind(StrEnum):
    """What happens at a moment."""

    START = "start"
    STOP = "stop"
    PEAK = "peak"
    TURN = "turn"


@dataclass(frozen=True)
class Moment:
    """A source frame at which the action starts or stops, is fastest, or turns back."""

    frame: int
    kind: MomentKind


def moments_in(path: Path, facts: Facts) -> list[Moment]:
    """The moments of a clip, in order. Raises ``RuleError`` where it is too long, or cannot be decoded."""
    if facts.frames > MOST_FRAMES:
        raise RuleError(f"Moments are looked for in clips of up to {MOST_FRAMES} frames.", "moments")
    rate = float(facts.file_rate.value) if facts.file_rate else 25.0
    with frames_from(path, facts, 0) as frames:
        return moments_of(frames, rate)


def moments_of(frames: Iterable[VideoFrame], rate: float) -> list[Moment]:
    """The moments of frames that follow each other, so many a second."""
    ways = np.array(list(_motion(frames))).reshape(-1, 3)
    speed, way = ways[:, 0], ways[:, 1:]
    if len(speed) < 3 or (fastest := float(np.percentile(speed, 95))) < _LEAST:
        return []
    runs = _runs(speed, max(_LEAST, _MOVES * fastest), max(_LEAST, _RESTS * fastest), max(2, round(_LASTS * rate)))
    found = {Moment(first, MomentKind.START) for first, _ in runs if first > 1}
    found |= {Moment(last, MomentKind.STOP) for _, last in runs if last < len(speed) - 1}
    found |= {Moment(frame, MomentKind.TURN) for frame in _turns(way, fastest, max(2, round(_AROUND * rate)))}
    for first, last in runs:
        found |= {Moment(f, MomentKind.PEAK) for f in _peaks(speed, first, last, fastest, max(2, round(_APART * rate)))}
    return sorted(found, key=lambda moment: (moment.frame, moment.kind))


def _motion(frames: Iterable[VideoFrame]) -> Iterator[tuple[float, float, float]]:
    """For each frame how fast things move since the one before, in pixels of a small picture, and their main way."""
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    before: npt.NDArray[np.uint8] | None = None
    for frame in frames:
        seen = luma_of(frame)
        height = max(16, round(seen.shape[0] * _WIDTH / seen.shape[1]))
        small = cv2.GaussianBlur(cv2.resize(seen, (_WIDTH, height), interpolation=cv2.INTER_AREA), (0, 0), 1)
        if before is None or before.shape != small.shape or not cv2.absdiff(before, small).max():
            yield 0.0, 0.0, 0.0
        else:
            yield _moved(finder, before, np.asarray(small, np.uint8))
        before = np.asarray(small, np.uint8)


def _moved(
    finder: cv2.DISOpticalFlow, before: npt.NDArray[np.uint8], now: npt.NDArray[np.uint8]
) -> tuple[float, float, float]:
    flow = finder.calc(before, now, np.zeros((*now.shape, 2), np.float32))
    rows, columns = np.indices(now.shape, np.float32)
    came = cv2.remap(
        now, columns + flow[..., 0], rows + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    if cv2.absdiff(before, came).mean() > _CUT:
        return 0.0, 0.0, 0.0
    flow = flow - np.median(flow.reshape(-1, 2), axis=0)
    fast = np.hypot(flow[..., 0], flow[..., 1])
    energy = float((fast**2).mean())
    if energy <= 0:
        return 0.0, 0.0, 0.0
    main = (flow * fast[..., None]).mean(axis=(0, 1)) / np.sqrt(energy)
    return float(np.sqrt(energy)), float(main[0]), float(main[1])


def _runs(speed: Series, moves: float, rests: float, least: int) -> list[tuple[int, int]]:
    """Stretches in which something moves, first and last frame of each; short rests and short motions are passed
    over."""
    runs: list[tuple[int, int]] = []
    begun: int | None = None
    for frame, fast in enumerate(speed.tolist()):
        if begun is None and fast > moves:
            begun = frame
            while begun > 0 and speed[begun - 1] > rests:
                begun -= 1
        elif begun is not None and fast <= rests:
            runs.append((begun, frame - 1))
            begun = None
    if begun is not None:
        runs.append((begun, len(speed) - 1))
    joined: list[tuple[int, int]] = []
    for first, last in runs:
        if joined and first - joined[-1][1] - 1 < least:
            joined[-1] = (joined[-1][0], last)
        else:
            joined.append((first, last))
    return [(first, last) for first, last in joined if last - first + 1 >= least]


def _peaks(speed: Series, first: int, last: int, fastest: float, apart: int) -> Iterator[int]:
    """Frames of a stretch at which motion is faster than before and after, by a good part of the fastest."""
    kernel = np.hanning(5)[1:-1] / np.hanning(5)[1:-1].sum()
    smooth = np.convolve(np.pad(speed[first : last + 1], 1, mode="edge"), kernel, "valid")
    for at in range(1, len(smooth) - 1):
        low, high = max(0, at - apart), min(len(smooth), at + apart + 1)
        if smooth[at] < smooth[low:high].max() or smooth[at] == smooth[at - 1]:
            continue
        rise = smooth[at] - max(_lowest(smooth[: at + 1][::-1]), _lowest(smooth[at:]))
        if rise >= _STANDS_OUT * fastest:
            yield first + at


def _lowest(away: Series) -> float:
    """The lowest before it is higher again than at the start."""
    higher = np.flatnonzero(away > away[0])
    return float(away[: int(higher[0])].min() if len(higher) else away.min())


def _turns(way: Series, fastest: float, around: int) -> Iterator[int]:
    """Frames at which what moves goes back the way it came: the last one before."""
    last = -around
    for frame in range(around, len(way) - around):
        before, after = (
            way[frame - around + 1 : frame + 1].mean(axis=0),
            way[frame + 1 : frame + 1 + around].mean(axis=0),
        )
        size = float(np.hypot(*before) * np.hypot(*after))
        if min(np.hypot(*before), np.hypot(*after)) < _TURNS * fastest / 2 or float(before @ after) > -0.5 * size:
            continue
        axis = before - after
        along = way[frame - around + 1 : frame + 1 + around] @ axis
        crossing = np.flatnonzero((along[:-1] > 0) & (along[1:] <= 0))
        if len(crossing) and crossing[0] == around - 1 and frame - last >= around:
            last = frame
            yield frame
