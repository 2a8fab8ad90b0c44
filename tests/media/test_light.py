"""Adding light: what the definition says, to half a grey level, at every depth and in either range."""

from collections.abc import Sequence
from fractions import Fraction

import numpy as np
import numpy.typing as npt
import pytest
from av.video.frame import VideoFrame

from oddmeter.media.files.samples import planes_of
from oddmeter.media.pictures import sharing
from oddmeter.media.pictures.light import added, mix_into, mixed
from oddmeter.media.pictures.powers import AT_ONCE, raise_to

Values = npt.NDArray[np.float64]

RED, BLUE = 0.2126, 0.0722
"""ITU-R BT.709."""
DEPTHS = {"": 8, "10le": 10, "12le": 12}
SHARES = {"mix": (0.63, 0.37), "gather": (0.05, 0.25, 0.25, 0.25, 0.2)}


def pictured(name: str, bits: int, *, full: bool, seed: int) -> VideoFrame:
    """A picture of every level there is, and of colours that are mostly there; even lines and columns in pairs."""
    frame, dice = VideoFrame(64, 64, name), np.random.default_rng(seed)
    frame.color_range, frame.colorspace = 2 if full else 1, 1
    low, high = (0, (1 << bits) - 1) if full or not name.startswith("yuv") else (16 << bits - 8, 235 << bits - 8)
    for number, plane in enumerate(planes_of(frame)):
        colour = number > 0 and name.startswith("yuv")
        near, far = ((1 << bits - 1) - (24 << bits - 8), (1 << bits - 1) + (24 << bits - 8)) if colour else (low, high)
        plane[:] = dice.integers(near, far + 1, plane.shape)
        if "420" in name:
            plane[:] = plane[0, 0]
    return frame


def by_definition(frames: Sequence[VideoFrame], shares: Sequence[float], bits: int, *, full: bool) -> list[Values]:
    """Each colour as light by the power of 2.4, summed, and back; in code values that are not rounded yet."""
    name, most, step = frames[0].format.name, (1 << bits) - 1, 1 << bits - 8
    is_yuv = name.startswith("yuv")
    black, span, swing = (0, most, most) if full or not is_yuv else (16 * step, 219 * step, 224 * step)
    total: list[Values] = []
    for frame, share in zip(frames, shares, strict=True):
        samples = [plane.astype(np.float64) for plane in planes_of(frame)]
        colours = [(one - black) / span for one in samples]
        if is_yuv:
            y, (cb, cr) = colours[0], ((one - 128 * step) / swing for one in samples[1:])
            cb, cr = (np.resize(one, y.shape) for one in (cb, cr))
            red, blue = y + cr * 2 * (1 - RED), y + cb * 2 * (1 - BLUE)
            colours = [red, (y - RED * red - BLUE * blue) / (1 - RED - BLUE), blue]
        light = [share * np.sign(one) * np.abs(one) ** 2.4 for one in colours]
        total = [a + b for a, b in zip(total, light, strict=True)] if total else light
    back = [np.sign(one) * np.abs(one) ** (1 / 2.4) for one in total]
    if not is_yuv:
        return [black + one * span for one in back]
    red, green, blue = back
    y = RED * red + (1 - RED - BLUE) * green + BLUE * blue
    out = [black + y * span, 128 * step + (blue - y) / (2 * (1 - BLUE)) * swing, 0 * y]
    out[2] = 128 * step + (red - y) / (2 * (1 - RED)) * swing
    return [one[: plane.shape[0], : plane.shape[1]] for one, plane in zip(out, planes_of(frames[0]), strict=True)]


@pytest.mark.parametrize("full", [False, True], ids=["video range", "full range"])
@pytest.mark.parametrize("depth", DEPTHS)
@pytest.mark.parametrize("form", ["yuv444p", "yuv420p", "gray", "gbrp"])
@pytest.mark.parametrize("shares", SHARES.values(), ids=SHARES)
def test_light_is_added_to_half_a_grey_level(shares: Sequence[float], form: str, depth: str, full: bool) -> None:
    bits = DEPTHS[depth]
    frames = [pictured(form + depth, bits, full=full, seed=seed) for seed in range(len(shares))]
    wanted = by_definition(frames, shares, bits, full=full)
    made = added(frames, shares)
    for number, (plane, exact) in enumerate(zip(planes_of(made), wanted, strict=True)):
        off = float(np.abs(plane - np.clip(exact, 0, (1 << bits) - 1)).max())
        assert off < 0.505, f"plane {number} is off by {off:.3f}"


def test_a_mix_is_the_same_as_adding_two() -> None:
    frames = [pictured("yuv444p", 8, full=False, seed=seed) for seed in (1, 2)]
    both = added(iter(frames), (0.75, 0.25)), mixed(frames[0], frames[1], float(Fraction(1, 4)))
    assert all(np.array_equal(a, b) for a, b in zip(*map(planes_of, both), strict=True))


@pytest.mark.parametrize("form", ["yuv420p", "yuv422p10le", "gbrp"])
def test_halves_that_two_threads_add_are_the_whole(form: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of the whole picture, and where a part of it is mixed; of an odd number of lines."""
    frames = [pictured(form, 10 if "10" in form else 8, full=False, seed=seed) for seed in (3, 4)]
    part = np.zeros((64, 64), np.float32)
    part[7:30, 11:50] = np.linspace(0, 1, 39, dtype=np.float32)

    def made() -> list[npt.NDArray[np.integer]]:
        some = pictured(form, 10 if "10" in form else 8, full=False, seed=5)
        mix_into(some, frames[0], frames[1], 0.3, part)
        return [np.array(plane) for frame in (mixed(frames[0], frames[1], 0.3), some) for plane in planes_of(frame)]

    alone = made()
    monkeypatch.setattr(sharing, "_LARGE", 1)
    assert all(np.array_equal(a, b) for a, b in zip(alone, made(), strict=True))


@pytest.mark.parametrize("power", [2.4, 1 / 2.4])
def test_powers_are_exact_to_a_ten_millionth_with_their_signs(power: float) -> None:
    """From what is darker than any code value to twice white; and nothing stays nothing."""
    sizes = np.concatenate([[0, 1, 2.5], np.geomspace(1e-9, 2.5, 5_000), 2.0 ** np.arange(-20, 2)])
    values = np.concatenate([sizes, -sizes]).astype(np.float32)
    exact = np.sign(values) * np.abs(values.astype(np.float64)) ** power
    found = values.copy()
    raise_to(found, len(found) - 3, np.float32(power), np.empty(AT_ONCE, np.float32), np.empty(AT_ONCE, np.int32))
    off = np.abs(found - exact)[:-3] / np.maximum(1, np.abs(exact[:-3]))
    assert off.max() < 4e-7 and off[np.abs(values[:-3]) <= 1].max() < 1e-7
    assert np.array_equal(found[-3:], values[-3:]), "no more than were asked for"
