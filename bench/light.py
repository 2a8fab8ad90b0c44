"""Mix and Gather, as light: what a picture of two, or of eight, takes, beside the same arithmetic by NumPy and OpenCV.

    .venv/bin/python -m bench.light [TIMES, default 7]

All in one run, of a scene with noise: processor time, which two threads share, and time until it is there; each the
least of some times. The peer works in float32 on whole planes. Both must come to the same, to one code value.
"""

import sys
import time
from collections.abc import Callable, Sequence

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from bench.flow import drawn
from bench.scenes import KINDS
from oddmeter.media.files.samples import planes_of
from oddmeter.media.pictures.light import added
from oddmeter.media.pictures.planes import luma_weights

SIZES = ((1280, 720, "yuv420p"), (1920, 1080, "yuv420p"), (1920, 1080, "yuv422p10le"))
WAYS = {"mix": (0.63, 0.37), "gather of eight": (1 / 16, *(1 / 8,) * 7, 1 / 16)}
Plane = npt.NDArray[np.float32]


def by_numpy(frames: Sequence[VideoFrame], shares: Sequence[float]) -> list[Plane]:
    """The planes of pictures of video range added as light, in code values that are rounded."""
    red, blue = luma_weights(frames[0])
    most, step = (1 << frames[0].format.components[0].bits) - 1, 1 << frames[0].format.components[0].bits - 8
    shapes = [plane.shape for plane in planes_of(frames[0])]
    return [
        np.clip(np.rint(_coded(number, shape, frames, shares, red, blue, step)), 0, most)
        for number, shape in enumerate(shapes)
    ]


def _coded(
    number: int, shape: tuple[int, ...], frames: Sequence[VideoFrame], shares: Sequence[float], red: float,
    blue: float, step: int,
) -> Plane:  # fmt: skip
    green, light = 1 - red - blue, [np.zeros(shape, np.float32) for _ in range(3)]
    for frame, share in zip(frames, shares, strict=True):
        y, cb, cr = (_sized(plane.astype(np.float32), shape) for plane in planes_of(frame))
        y, cb, cr = (y - 16 * step) / (219 * step), (cb - 128 * step) / (224 * step), (cr - 128 * step) / (224 * step)
        r, b = y + cr * (2 - 2 * red), y + cb * (2 - 2 * blue)
        for place, colour in enumerate((r, (y - red * r - blue * b) / green, b)):
            light[place] += np.float32(share) * np.copysign(np.power(np.abs(colour), np.float32(2.4)), colour)
    r, g, b = (np.copysign(np.power(np.abs(one), np.float32(1 / 2.4)), one) for one in light)
    y = red * r + green * g + blue * b
    if number == 0:
        return np.asarray(16 * step + 219 * step * y)
    other, weight = (b, blue) if number == 1 else (r, red)
    return np.asarray(128 * step + 224 * step * (other - y) / (2 - 2 * weight))


def _sized(plane: Plane, shape: tuple[int, ...]) -> Plane:
    way = cv2.INTER_AREA if plane.shape > shape else cv2.INTER_LINEAR
    return plane if plane.shape == shape else np.asarray(cv2.resize(plane, shape[::-1], interpolation=way))


def least(work: Callable[[], object], times: int) -> tuple[float, float]:
    """Milliseconds of processor time, and until it is done."""
    taken = []
    for _ in range(times):
        begun = time.process_time(), time.perf_counter()
        work()
        taken.append((time.process_time() - begun[0], time.perf_counter() - begun[1]))
    return min(one for one, _ in taken) * 1000, min(one for _, one in taken) * 1000


def measure(sizes: Sequence[tuple[int, int, str]], times: int) -> None:
    """Print what each way takes, size by size."""
    for width, height, form in sizes:
        given, true = drawn(KINDS["grain"](3), width, height, form)
        for way, shares in WAYS.items():
            frames = [*given, *true][: len(shares)]
            ours, theirs = added(frames, shares), by_numpy(frames, shares)
            off = max(float(np.abs(a - b).max()) for a, b in zip(planes_of(ours), theirs, strict=True))
            own = least(lambda frames=frames, shares=shares: added(frames, shares), times)
            peer = least(lambda frames=frames, shares=shares: by_numpy(frames, shares), times)
            print(
                f"{way}, {width} × {height} {form}: {own[0]:.0f} ms, there after {own[1]:.0f} ms;"
                f" by NumPy {peer[0] / own[0]:.1f} × and {peer[1] / own[1]:.1f} ×; at most {off:.0f} code values apart"
            )


if __name__ == "__main__":
    measure(SIZES, int(sys.argv[1]) if len(sys.argv) > 1 else 7)
