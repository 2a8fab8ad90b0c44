"""Sound at another speed: resampled, so that pitch follows, or stretched, so that pitch stays.

Stretching is the library Signalsmith Stretch's, which softens what is struck. So that, a click, a beat, a consonant, is
found first, set down unchanged at its exact place, and only what lies between is stretched. bench/stretching.py holds
ways of stretching beside each other.
"""

from collections.abc import Iterator
from fractions import Fraction
from math import ceil, log2

import numpy as np
import numpy.typing as npt
from av.audio.resampler import AudioResampler
from python_stretch.Signalsmith import Stretch

from oddmeter.media.sound.blocks import array_of, framed_sound, usual_layout

Samples = npt.NDArray[np.float32]
"""Shape (channels, samples)."""

_LEAST_RATE = 8_000
_BLOCK = 1 << 16
_PIECE_SECONDS = 8
"""So much sound is stretched at once at most."""
BEFORE, AFTER, FADE = 0.002, 0.012, 0.002
"""Seconds before and after a stroke that are set down unchanged, and over which that begins and ends."""
_GLANCE, _QUIET_BEFORE, _APART = 0.001, 0.02, 0.06
_JUMP, _LEAST_LEVEL = 4.0, 0.02
_LEAST_TO_STRETCH = 4096
_PRESET_RATE = 48_000
"""Samples a second that windows are laid out for."""


def resampled(samples: Samples, ratio: Fraction, length: int) -> Samples:
    """The samples read ``ratio`` times as fast, ``length`` of them: sample i stands where sample i · ratio stood.

    Band-limited, by libswresample.
    """
    if ratio == 1:
        return _fitted(samples, length)
    times = -(-_LEAST_RATE // min(ratio.numerator, ratio.denominator))
    before, after = ratio.numerator * times, ratio.denominator * times
    layout = usual_layout(len(samples))
    resampler = AudioResampler(format="flt", layout=layout, rate=after)
    parts: list[Samples] = []
    for start in range(0, samples.shape[1], _BLOCK):
        frame = framed_sound(samples[:, start : start + _BLOCK], "flt", layout, before, start)
        parts += [array_of(made) for made in resampler.resample(frame)]
    parts += [array_of(made) for made in resampler.resample(None)]
    return _fitted(np.concatenate(parts, axis=1) if parts else samples[:, :0], length)


def stretched(samples: Samples, factor: Fraction, rate: int, length: int) -> Samples:
    """The samples at their own pitch, ``factor`` times as fast, ``length`` of them; what is struck at sample n stands
    at n ÷ factor, to the sample."""
    out = np.zeros((len(samples), length), np.float32)
    before, after, fade = (round(seconds * rate) for seconds in (BEFORE, AFTER, FADE))
    spots = [spot for spot in strokes(samples, rate) if spot / factor < length]
    edges = [(0, 0)]
    for spot in spots:
        place = round(spot / factor)
        _set_down(out, samples, spot, place, before, after, fade)
        edges += [(spot - before, place - before), (spot + after, place + after)]
    edges.append((samples.shape[1], length))
    for (a, at), (b, to) in zip(edges[0::2], edges[1::2], strict=True):
        for piece in _pieces(max(0, a - fade), b + fade, max(0, at - fade), to + fade, rate):
            _lay(out, samples, *piece, fade)
    return out


def strokes(samples: Samples, rate: int) -> list[int]:
    """The samples at which something is struck: much louder than the moment before."""
    size = max(1, round(_GLANCE * rate))
    level = np.abs(samples).max(axis=0) if len(samples) else np.zeros(0, np.float32)
    blocks = len(level) // size
    if blocks < 3:
        return []
    peaks = level[: blocks * size].reshape(blocks, size).max(axis=1)
    back = max(1, round(_QUIET_BEFORE / _GLANCE))
    padded = np.concatenate([np.full(back, peaks[0]), peaks])
    before = np.lib.stride_tricks.sliding_window_view(padded, back).max(axis=1)[:blocks]
    found: list[int] = []
    for block in np.flatnonzero((peaks > _JUMP * before) & (peaks > _LEAST_LEVEL)).tolist():
        window = level[max(0, (block - 1) * size) : (block + 1) * size]
        spot = max(0, (block - 1) * size) + int(np.argmax(window > window.max() / 2))
        if not found or spot - found[-1] > _APART * rate:
            found.append(spot)
    return found


def _pieces(start: int, stop: int, at: int, to: int, rate: int) -> Iterator[tuple[int, int, int, int]]:
    """A stretch of sound in pieces that are not too long, each from where to where in the source and in the result."""
    count = max(1, -(-(to - at) // (_PIECE_SECONDS * rate)))
    for i in range(count):
        yield (
            start + (stop - start) * i // count, start + (stop - start) * (i + 1) // count,
            at + (to - at) * i // count, at + (to - at) * (i + 1) // count,
        )  # fmt: skip


def _lay(out: Samples, samples: Samples, start: int, stop: int, at: int, to: int, fade: int) -> None:
    """Stretch samples ``start`` to ``stop`` onto places ``at`` to ``to``, over what lies there at both ends."""
    room, wanted = out.shape[1], to - at
    source = samples[:, max(0, start) : min(stop, samples.shape[1])]
    if wanted <= 0 or source.shape[1] == 0:
        return
    made = _fitted(_at_tempo(source, source.shape[1] / wanted, wanted), wanted)
    soft = min(fade, wanted // 2)
    if soft:
        ramp = np.linspace(0, 1, soft, dtype=np.float32)
        made[:, :soft] *= ramp if at > 0 else 1
        made[:, wanted - soft :] *= ramp[::-1] if to < room else 1
    stop_at = min(to, room)
    out[:, at:stop_at] += made[:, : stop_at - at]


def _set_down(out: Samples, samples: Samples, spot: int, place: int, before: int, after: int, fade: int) -> None:
    """Copy a stroke to its place, softly at both ends."""
    first = max(-spot, -place, -before)
    last = min(samples.shape[1] - spot, out.shape[1] - place, after)
    if first >= last:
        return
    out[:, place + first : place + last] += samples[:, spot + first : spot + last] * softened(last - first, fade)


def softened(length: int, fade: int) -> npt.NDArray[np.float32]:
    """1 throughout, but for a ramp of at most ``fade`` samples at either end."""
    shape = np.ones(length, np.float32)
    soft = min(fade, length // 2)
    ramp = np.linspace(0, 1, soft, dtype=np.float32)
    shape[:soft], shape[len(shape) - soft :] = ramp, ramp[::-1]
    return shape


def _at_tempo(samples: Samples, tempo: float, wanted: int) -> Samples:
    """The samples about that many times as fast at their own pitch."""
    if samples.shape[1] < _LEAST_TO_STRETCH:
        places = np.linspace(0, samples.shape[1] - 1, wanted)
        return np.stack([np.interp(places, np.arange(samples.shape[1]), sample) for sample in samples]).astype(
            np.float32
        )
    # Below half the speed the library throws dice; in steps that are no slower it makes the same every time.
    steps = max(1, ceil(-log2(tempo)))
    for _ in range(steps):
        stretch = Stretch()
        stretch.preset(len(samples), _PRESET_RATE)
        stretch.timeFactor = tempo ** (1 / steps)
        samples = np.asarray(stretch.process(np.ascontiguousarray(samples)), np.float32)
    return samples


def _fitted(samples: Samples, length: int) -> Samples:
    """Exactly so many samples: cut off, or with silence after them."""
    short = length - samples.shape[1]
    return np.pad(samples, ((0, 0), (0, short))) if short > 0 else np.array(samples[:, :length])
