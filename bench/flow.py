"""Flow against libavfilter's minterpolate (motion-compensated, its defaults): speed as a ratio, and likeness to the
true picture between, scene by scene, in one run.

    .venv/bin/python -m bench.flow [SECONDS_BETWEEN_FRAMES_AS_RATE, default 25]

Every scene is drawn at twice the rate; each second picture is given away, and has to be made again. All work on the
same frames of 1280 × 720 in 4:2:0, and are compared by the luma of the same.
"""

import sys
import time
from collections.abc import Sequence
from fractions import Fraction
from itertools import pairwise

import av
import numpy as np
from av.video.frame import VideoFrame

from oddmeter.core.decisions.treatment import Effort
from oddmeter.demo.motion import MOTION
from oddmeter.media.files.samples import planes_of
from oddmeter.media.inbetweens.flow import Beyond, between, motion, sizes_of
from oddmeter.media.pictures.light import mixed

WIDTH, HEIGHT, FRAMES, START = 1280, 720, 9, 0.4
REACH, TRUST = 96, 0.5


def drawn(name: str, rate: int) -> tuple[list[VideoFrame], list[VideoFrame]]:
    """The frames that are given, and the true ones between them."""
    moments = [START + n / (2 * rate) for n in range(2 * FRAMES - 1)]
    frames = []
    for t in moments:
        picture = MOTION[name](t, WIDTH, HEIGHT)
        frames.append(VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p"))
    return frames[::2], frames[1::2]


def by_filter(given: Sequence[VideoFrame], rate: int) -> tuple[dict[int, VideoFrame], float]:
    """What minterpolate makes between frames, by number, and seconds for each."""
    graph = av.filter.Graph()
    source = graph.add_buffer(width=WIDTH, height=HEIGHT, format="yuv420p", time_base=Fraction(1, rate))
    filtered, sink = graph.add("minterpolate", f"fps={2 * rate}"), graph.add("buffersink")
    source.link_to(filtered)
    filtered.link_to(sink)
    graph.configure()
    out = []
    begun = time.process_time()
    for number, frame in enumerate([*given, None]):
        if frame is not None:
            frame.pts, frame.time_base = number, Fraction(1, rate)
        source.push(frame)
        while True:
            try:
                out.append(sink.pull())
            except (av.error.BlockingIOError, av.error.EOFError):
                break
    seconds = time.process_time() - begun
    places = {int(frame.pts * frame.time_base * 2 * rate): frame for frame in out}
    made = {place // 2: frame for place, frame in places.items() if place % 2}
    return made, seconds / len(made)


def by_flow(given: Sequence[VideoFrame], effort: Effort) -> tuple[dict[int, VideoFrame], float]:
    """What Flow makes between frames, and seconds for each."""
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


def likeness(made: VideoFrame, true: VideoFrame) -> float:
    """PSNR of luma, in dB."""
    error = np.mean((planes_of(made)[0].astype(np.float64) - planes_of(true)[0]) ** 2)
    return float(10 * np.log10(255**2 / max(error, 1e-6)))


def main() -> None:
    measure(int(sys.argv[1]) if len(sys.argv) > 1 else 25)


def measure(rate: int, names: Sequence[str] = tuple(MOTION)) -> None:
    """Print the figures of some scenes, and those of all of them together."""
    gains: dict[Effort, list[float]] = {effort: [] for effort in Effort}
    ratios: dict[Effort, list[float]] = {effort: [] for effort in Effort}
    worst_below_mix = dict.fromkeys(Effort, -99.0)
    for name in names:
        given, true = drawn(name, rate)
        filtered, seconds = by_filter(given, rate)
        numbers = sorted(filtered)
        theirs = float(np.mean([likeness(filtered[n], true[n]) for n in numbers]))
        mixes = {n: likeness(frame, true[n]) for n, frame in by_mix(given).items()}
        line = f"{name:17} filter {theirs:5.1f} dB  mix {np.mean([mixes[n] for n in numbers]):5.1f}"
        for effort in Effort:
            made, own_seconds = min((by_flow(given, effort) for _ in range(2)), key=lambda result: result[1])
            ours = {n: likeness(frame, true[n]) for n, frame in made.items()}
            mean = float(np.mean([ours[n] for n in numbers]))
            below = max(mixes[n] - ours[n] for n in ours)
            gains[effort].append(mean - theirs)
            ratios[effort].append(seconds / own_seconds)
            worst_below_mix[effort] = max(worst_below_mix[effort], below)
            line += f"  {effort.value} {mean:5.1f} ({seconds / own_seconds:4.1f} ×)"
        print(line, flush=True)
    for effort in Effort:
        print(
            f"{effort.value:8} {np.mean(gains[effort]):+.1f} dB on average, {min(gains[effort]):+.1f} at the least; "
            f"{np.mean(ratios[effort]):.1f} × as fast, {min(ratios[effort]):.1f} × at the least; "
            f"worst frame against Mix {-worst_below_mix[effort]:+.2f} dB"
        )


if __name__ == "__main__":
    main()
