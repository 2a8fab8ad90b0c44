"""Flow against libavfilter's minterpolate (motion-compensated, its defaults), kind of scene by kind, in one run: how
like the true picture between it is, and in what processor time.

    .venv/bin/python -m bench.flow [SEED, default 7] [WIDTHxHEIGHT, default 1280x720] [KIND…, or "further", or "unseen"]

Every scene is drawn at fifty pictures a second; each second one is given away, and has to be made again. All work on
the same frames in 4:2:0. Then how far trust is right: of the places that are trusted so far, the share within three
grey levels of the truth, where all is built.
"""

import sys
import time
from collections.abc import Sequence
from fractions import Fraction
from itertools import pairwise

import av
import cv2
import numpy as np
from av.video.frame import VideoFrame

from bench.common import size_asked
from bench.further import FURTHER_KINDS
from bench.scenes import FORMS, KINDS, ONE_FIELD, PHOTOGRAPHS
from bench.unseen import UNSEEN_KINDS
from oddmeter.core.decisions.treatment import Effort
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo.scenes import Scene
from oddmeter.media.files.samples import planes_of
from oddmeter.media.inbetweens.cells import Beyond, chosen
from oddmeter.media.inbetweens.flow import CARE, between, motion, sizes_of
from oddmeter.media.inbetweens.trust import confidence
from oddmeter.media.pictures.light import mixed
from oddmeter.media.pictures.planes import from_one_field, luma_of

ALL_KINDS = KINDS | FURTHER_KINDS | UNSEEN_KINDS
FRAMES, RATE, START = 6, 25, 0.4
REACH, TRUST = 96, 0.1
EDGES = (0.0, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95, 0.98, 1.01)


def drawn(
    scene: Scene, width: int, height: int, form: str = "yuv420p", *, one_field: bool = False
) -> tuple[list[VideoFrame], list[VideoFrame]]:
    """The frames that are given, whole or made of one field each, and the true ones between them."""
    pictures = [scene(START + n / (2 * RATE), width, height) for n in range(2 * FRAMES - 1)]
    frames = [VideoFrame.from_ndarray(one, format="bgr24").reformat(format=form) for one in pictures]
    given = [from_one_field(frame, FieldOrder.UPPER) for frame in frames[::2]] if one_field else frames[::2]
    return given, frames[1::2]


def of_kind(kind: str, seed: int, width: int, height: int) -> tuple[list[VideoFrame], list[VideoFrame]]:
    """The frames of a kind of scene."""
    form = FORMS.get(kind, "yuv420p")
    return drawn(ALL_KINDS[kind](seed), width, height, form, one_field=kind in ONE_FIELD)


def of_eight_bit(frames: Sequence[VideoFrame]) -> list[VideoFrame]:
    """The frames as the filter takes them."""
    return [frame.reformat(format="yuv420p") for frame in frames]


def by_filter(given: Sequence[VideoFrame]) -> tuple[dict[int, VideoFrame], float]:
    """What minterpolate makes between frames, by number, and processor seconds for each."""
    graph = av.filter.Graph()
    size = given[0]
    source = graph.add_buffer(width=size.width, height=size.height, format="yuv420p", time_base=Fraction(1, RATE))
    filtered, sink = graph.add("minterpolate", f"fps={2 * RATE}"), graph.add("buffersink")
    source.link_to(filtered)
    filtered.link_to(sink)
    graph.configure()
    out = []
    begun = time.process_time()
    for number, frame in enumerate([*given, None]):
        if frame is not None:
            frame.pts, frame.time_base = number, Fraction(1, RATE)
        source.push(frame)
        while True:
            try:
                out.append(sink.pull())
            except (av.error.BlockingIOError, av.error.EOFError):
                break
    seconds = time.process_time() - begun
    places = {int(frame.pts * frame.time_base * 2 * RATE): frame for frame in out}
    made = {place // 2: frame for place, frame in places.items() if place % 2}
    return made, seconds / len(made)


def by_flow(given: Sequence[VideoFrame], effort: Effort) -> tuple[dict[int, VideoFrame], float]:
    """What Flow makes between frames, and processor seconds for each."""
    begun = time.process_time()
    found = [motion(first, second, effort) for first, second in pairwise(map(sizes_of, given))]
    around = [None, *found, None]
    made = {}
    for number, (first, second) in enumerate(pairwise(given)):
        beyond = Beyond(around[number], around[number + 2])
        made[number] = between(first, second, found[number], 0.5, effort, REACH, TRUST, beyond).frame
    return made, (time.process_time() - begun) / len(made)


def by_mix(given: Sequence[VideoFrame]) -> dict[int, VideoFrame]:
    """What Mix makes."""
    return {number: mixed(first, second, 0.5) for number, (first, second) in enumerate(pairwise(given))}


def likeness(made: VideoFrame, true: VideoFrame, planes: slice = slice(0, 1)) -> float:
    """PSNR of luma, or of other planes together, in dB."""
    pairs = zip(planes_of(made)[planes], planes_of(true)[planes], strict=True)
    error = np.mean([np.mean((a.astype(np.float64) - b) ** 2) for a, b in pairs])
    most = (1 << made.format.components[0].bits) - 1
    return float(10 * np.log10(most**2 / max(error, 1e-6)))


def structure(made: VideoFrame, true: VideoFrame) -> float:
    """SSIM of luma (Wang et al. 2004), over windows of sigma 1.5."""
    a, b = (luma_of(frame).astype(np.float64) for frame in (made, true))

    def soft(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (0, 0), 1.5)

    x, y = soft(a), soft(b)
    xx, yy, xy = soft(a * a) - x * x, soft(b * b) - y * y, soft(a * b) - x * y
    one, two = (0.01 * 255) ** 2, (0.03 * 255) ** 2
    return float(np.mean((2 * x * y + one) * (2 * xy + two) / ((x * x + y * y + one) * (xx + yy + two))))


def believed(given: Sequence[VideoFrame], true: Sequence[VideoFrame]) -> np.ndarray:
    """For each stretch of trust: how many cells are trusted that far, and how many of them lie near the truth."""
    out = np.zeros((len(EDGES) - 1, 2))
    found = [motion(first, second, Effort.QUICK) for first, second in pairwise(map(sizes_of, given))]
    around = [None, *found, None]
    for number, (first, second) in enumerate(pairwise(given)):
        beyond = Beyond(around[number], around[number + 2])
        trust = confidence(chosen(found[number], beyond, CARE[Effort.QUICK]))
        made = between(first, second, found[number], 0.5, Effort.QUICK, REACH, 0, beyond).frame
        off = cv2.absdiff(luma_of(made), luma_of(true[number]))
        near = cv2.resize((off <= 3).astype(np.float32), trust.shape[::-1], interpolation=cv2.INTER_AREA)
        for stretch, (low, high) in enumerate(pairwise(EDGES)):
            here = (trust >= low) & (trust < high)
            out[stretch] += np.count_nonzero(here), near[here].sum()
    return out


def main() -> None:
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    width, height = size_asked(2, "1280x720")
    kinds = sys.argv[3:] or [kind for kind in KINDS if kind != "photographs" or PHOTOGRAPHS.exists()]
    sets = {"further": FURTHER_KINDS, "unseen": UNSEEN_KINDS}
    measure(seed, width, height, [*sets[kinds[0]]] if kinds[0] in sets else kinds)


def measure(seed: int, width: int, height: int, kinds: Sequence[str]) -> None:
    """Print the figures of some kinds, and those of all of them together."""
    by_flow(drawn(KINDS["flash"](1), 64, 48)[0], Effort.QUICK)
    gains = {effort: np.empty((0, 5)) for effort in Effort}
    trusted = np.zeros((len(EDGES) - 1, 2))
    for kind in kinds:
        given, true = of_kind(kind, seed, width, height)
        filtered, seconds = by_filter(of_eight_bit(given))
        plain = of_eight_bit(true)
        theirs = [[f(filtered[n], plain[n]) for f in JUDGED] for n in sorted(filtered)]
        mixes = {n: likeness(frame, true[n]) for n, frame in by_mix(given).items()}
        line = f"{kind:13} filter {np.mean(theirs, 0)[0]:5.1f} dB  mix {np.mean([mixes[n] for n in filtered]):5.1f}"
        for effort in Effort:
            made, own_seconds = min((by_flow(given, effort) for _ in range(2)), key=lambda result: result[1])
            ours = [[f(made[n], true[n]) for f in JUDGED] for n in sorted(filtered)]
            against_mix = min(likeness(made[n], true[n]) - mixes[n] for n in made)
            gain = np.mean(ours, 0) - np.mean(theirs, 0)
            gains[effort] = np.vstack([gains[effort], [*gain, seconds / own_seconds, against_mix]])
            line += f"  {effort.value} {gain[0]:+5.1f} ({seconds / own_seconds:3.1f} ×)"
        trusted += believed(given, true)
        print(line, flush=True)
    for effort, all_of in gains.items():
        mean, least = all_of.mean(0), all_of.min(0)
        print(
            f"{effort.value:8} luma {mean[0]:+.1f} dB, {least[0]:+.1f} at the least; chroma {mean[1]:+.1f} dB;"
            f" SSIM {mean[2]:+.4f}; {mean[3]:.1f} × less CPU; worst frame against Mix {least[4]:+.2f} dB"
        )
    for low, high, (count, near) in zip(EDGES, EDGES[1:], trusted, strict=False):
        part, right = count / trusted[:, 0].sum(), near / max(1, count)
        print(
            f"trusted from {low:.2f} to {min(1, high):.2f}: {part:6.1%} of places, {right:.1%} of them within 3 levels"
        )


JUDGED = (likeness, lambda made, true: likeness(made, true, slice(1, 3)), structure)

if __name__ == "__main__":
    main()
