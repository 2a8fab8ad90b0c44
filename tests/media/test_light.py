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


CURVES = {"power": 1, "PQ": 16, "HLG": 18}
"""By their numbers in ITU-T H.273."""


def pq_light(code: Values) -> Values:
    """SMPTE ST 2084, in shares of 10,000 cd/m²."""
    root = code ** (32 / 2523)
    return np.asarray((np.maximum(root - 0.8359375, 0) / (18.8515625 - 18.6875 * root)) ** (8192 / 1305))


def pq_code(light: Values) -> Values:
    raised = light ** (1305 / 8192)
    return np.asarray(((0.8359375 + 18.8515625 * raised) / (1 + 18.6875 * raised)) ** (2523 / 32))


def hlg_light(code: Values) -> Values:
    """ITU-R BT.2100, scene light."""
    return np.where(code <= 0.5, code**2 / 3, (np.exp((code - 0.55991073) / 0.17883277) + 0.28466892) / 12)


def hlg_code(light: Values) -> Values:
    high = 0.17883277 * np.log(np.maximum(12 * light - 0.28466892, 1e-9)) + 0.55991073
    return np.where(light <= 1 / 12, np.sqrt(3 * light), high)


def lit(code: Values, curve: str) -> Values:
    size = np.abs(code)
    light = {"power": lambda: size**2.4, "PQ": lambda: pq_light(size), "HLG": lambda: hlg_light(size)}[curve]()
    return np.asarray(np.sign(code) * light)


def unlit(light: Values, curve: str) -> Values:
    size = np.abs(light)
    code = {"power": lambda: size ** (1 / 2.4), "PQ": lambda: pq_code(size), "HLG": lambda: hlg_code(size)}[curve]()
    return np.asarray(np.sign(light) * code)


def pictured(name: str, bits: int, *, full: bool, seed: int, curve: str = "power") -> VideoFrame:
    """A picture of every level there is, and of colours that are mostly there; even lines and columns in pairs."""
    frame, dice = VideoFrame(64, 64, name), np.random.default_rng(seed)
    frame.color_range, frame.colorspace, frame.color_trc = 2 if full else 1, 1, CURVES[curve]
    low, high = (0, (1 << bits) - 1) if full or not name.startswith("yuv") else (16 << bits - 8, 235 << bits - 8)
    for number, plane in enumerate(planes_of(frame)):
        colour = number > 0 and name.startswith("yuv")
        near, far = ((1 << bits - 1) - (24 << bits - 8), (1 << bits - 1) + (24 << bits - 8)) if colour else (low, high)
        plane[:] = dice.integers(near, far + 1, plane.shape)
        if "420" in name:
            plane[:] = plane[0, 0]
    return frame


def by_definition(
    frames: Sequence[VideoFrame], shares: Sequence[float], bits: int, *, full: bool, curve: str = "power"
) -> list[Values]:
    """Each colour as light by its curve, summed, and back; in code values that are not rounded yet."""
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
        light = [share * lit(one, curve) for one in colours]
        total = [a + b for a, b in zip(total, light, strict=True)] if total else light
    back = [unlit(one, curve) for one in total]
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


@pytest.mark.parametrize("form", ["yuv444p12le", "yuv420p10le", "gbrp10le"])
@pytest.mark.parametrize("curve", ["PQ", "HLG"])
@pytest.mark.parametrize("shares", SHARES.values(), ids=SHARES)
def test_high_dynamic_range_is_added_as_the_light_of_its_own_curve(
    shares: Sequence[float], curve: str, form: str
) -> None:
    bits = 12 if "12" in form else 10
    frames = [pictured(form, bits, full=False, seed=seed, curve=curve) for seed in range(len(shares))]
    wanted = by_definition(frames, shares, bits, full=False, curve=curve)
    usual = by_definition(frames, shares, bits, full=False)
    for plane, exact in zip(planes_of(added(frames, shares)), wanted, strict=True):
        off = float(np.abs(plane - np.clip(exact, 0, (1 << bits) - 1)).max())
        assert off < 0.55, f"off by {off:.3f}"
    assert np.abs(usual[0] - wanted[0]).mean() > 2, "which the usual curve would not come to"


def test_a_mix_is_the_same_as_adding_two() -> None:
    frames = [pictured("yuv444p", 8, full=False, seed=seed) for seed in (1, 2)]
    both = added(iter(frames), (0.75, 0.25)), mixed(frames[0], frames[1], float(Fraction(1, 4)))
    assert all(np.array_equal(a, b) for a, b in zip(*map(planes_of, both), strict=True))


@pytest.mark.parametrize("form", ["yuv420p", "yuv422p10le", "gbrp"])
def test_halves_that_two_threads_add_are_the_whole(form: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of the whole picture, and where a part of it is mixed."""
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
