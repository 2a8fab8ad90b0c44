"""Sound along a path of source time: its pitch gliding with the speed, or staying as it is.

What follows is read at each moment's own place by band-limited interpolation. What keeps its pitch is laid together of
short grains, each taken within a few milliseconds of its place where it goes on best from the one before.
"""

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from math import ceil

import numpy as np
import numpy.typing as npt
from numpy.lib.stride_tricks import sliding_window_view

from oddmeter.core.maps.paths import Path
from oddmeter.core.numbers.clock import Clock
from oddmeter.media.sound.pitch import AFTER, BEFORE, FADE, Samples, softened, strokes

Moments = npt.NDArray[np.float64]

_TAPS = 16
"""Samples on either side that one at speed 1 is made of."""
_FASTEST = 8
"""Up to so many times the speed of the file, what would fold back is kept out."""
_SPEED_STEPS, _PHASES = 16, 512
_AT_ONCE = 1 << 14
_HOPS, _SEARCH_SECONDS = 75, 0.0035
"""Grains begin so many times a second, which a part of some whole seconds holds a whole number of; each is heard twice
as long."""
_SILENT_BELOW = 0.05
"""Speeds below this fade to silence: a sound that stands still is none."""


@dataclass(frozen=True)
class SoundCourse:
    """How the sound of a file runs along a path: ``scale`` seconds of the file for each second of the source as it is
    read; where the file has times of its own that are set aside, its ``clock`` and the ``rate`` at which it is read."""

    path: Path
    scale: Fraction = Fraction(1)
    clock: Clock | None = None
    rate: Fraction = Fraction(1)

    def seconds(self, moments: Moments) -> Moments:
        """The seconds of the file, from its first frame, at moments of the timeline."""
        source = np.empty_like(moments)
        pieces = self.path.pieces
        for number, piece in enumerate(pieces):
            begins = float(piece.begins) if number else -np.inf
            ends = float(pieces[number + 1].begins) if number + 1 < len(pieces) else np.inf
            here = (moments >= begins) & (moments < ends)
            u = (moments[here] - float(piece.begins)) / float(piece.lasts)
            if not piece.is_straight:
                u = np.minimum(u, 1.0)
            source[here] = sum(float(term) * u**power for power, term in enumerate(piece.coefficients()))
        if self.clock is None:
            return source * float(self.scale)
        ticks = self.clock.ticks * float(self.clock.base)
        return np.asarray(np.interp(source * float(self.rate), np.arange(len(ticks)), ticks), np.float64)


def followed(samples: Samples, places: Moments) -> Samples:
    """The samples at places between them, which may run at any speed either way."""
    out = np.zeros((len(samples), len(places)), np.float32)
    for first in range(0, len(places), _AT_ONCE):
        part = places[first : first + _AT_ONCE]
        speed = np.abs(np.gradient(part)) if len(part) > 1 else np.ones(len(part))
        out[:, first : first + len(part)] = _read(samples, part, float(min(_FASTEST, max(1.0, speed.max()))))
        out[:, first : first + len(part)] *= np.minimum(1.0, speed / _SILENT_BELOW).astype(np.float32)
    return out


def at_own_pitch(samples: Samples, places: Moments, rate: int) -> Samples:
    """The samples in the order of their places, each grain at its own pitch. What is struck is left out of the grains,
    which would say it several times, and set down unchanged where it comes."""
    spots = strokes(samples, rate)
    out = _in_grains(_without(samples, spots, rate), places, rate)
    before, after, fade = (round(seconds * rate) for seconds in (BEFORE, AFTER, FADE))
    for spot in spots:
        ahead = places >= spot
        for place in (np.flatnonzero(ahead[1:] & ~ahead[:-1]) + 1).tolist():
            first, last = max(-spot, -place, -before), min(samples.shape[1] - spot, len(places) - place, after)
            if first < last:
                shape = softened(last - first, fade)
                part = slice(place + first, place + last)
                out[:, part] = out[:, part] * (1 - shape) + samples[:, spot + first : spot + last] * shape
    return out


def _without(samples: Samples, spots: list[int], rate: int) -> Samples:
    """The samples with what is struck covered by what was heard just before it."""
    before, after, fade = (round(seconds * rate) for seconds in (BEFORE, AFTER, FADE))
    out = np.array(samples, np.float32)
    width = before + after
    for spot in spots:
        first = spot - before
        if first >= width and first + width <= samples.shape[1]:
            shape = softened(width, fade)
            part = slice(first, first + width)
            out[:, part] = out[:, part] * (1 - shape) + out[:, first - width : first] * shape
    return out


def _in_grains(samples: Samples, places: Moments, rate: int) -> Samples:
    hop, search, count = rate // _HOPS, round(_SEARCH_SECONDS * rate), len(places)
    grain = 2 * hop
    around = grain + search + 1
    padded = np.pad(samples, ((0, 0), (around, around)))
    level = padded.sum(axis=0, dtype=np.float64)
    shape = np.hanning(grain + 1)[:grain]
    out = np.zeros((len(samples), count + 2 * grain), np.float64)
    before: int | None = None
    for start in range(-hop, count, hop):
        middle = min(max(start + hop, 0), count - 1)
        speed = places[min(middle + 1, count - 1)] - places[max(middle - 1, 0)]
        # The grain in the middle of a seam is taken where it belongs, by the part before it as by the one after.
        ends = start + hop >= count
        wanted = round(float(places[middle]) + (speed if ends else 0.0)) - hop + around
        wanted = max(search, min(wanted, padded.shape[1] - grain - search))
        if before is not None and not ends:
            target = level[before + hop : before + hop + grain]
            if len(target) == grain:
                found = np.correlate(level[wanted - search : wanted + search + grain], target, "valid")
                wanted += int(np.argmax(found)) - search
        taken = padded[:, wanted : wanted + grain]
        if speed < 0:
            taken = taken[:, ::-1]
        loud = min(1.0, abs(speed) / 2 / _SILENT_BELOW)
        out[:, start + grain : start + 2 * grain] += taken * shape * loud
        before = wanted
    return out[:, grain : grain + count].astype(np.float32)


def _read(samples: Samples, places: Moments, speed: float) -> npt.NDArray[np.float32]:
    """Windowed sinc interpolation; above speed 1 with all that would fold back left out."""
    weights = _weights(ceil(speed * _SPEED_STEPS))
    taps = weights.shape[1]
    reach = taps // 2
    base = np.floor(places).astype(np.int64)
    first, last = int(base.min()) - reach + 1, int(base.max()) + reach + 1
    inside = samples[:, max(0, first) : max(0, last)]
    around = np.pad(inside, ((0, 0), (max(0, min(last, 0) - first), max(0, last - max(first, 0) - inside.shape[1]))))
    phase = (places - base) * _PHASES
    whole = phase.astype(np.int64)
    share = (phase - whole).astype(np.float32)[:, None]
    each = weights[whole] * (1 - share) + weights[whole + 1] * share
    return np.stack(
        [np.einsum("ij,ij->i", sliding_window_view(channel, taps)[base - base.min()], each) for channel in around]
    )


@lru_cache(maxsize=8)
def _weights(speed: int) -> npt.NDArray[np.float32]:
    """What each sample around counts for at places a ``_PHASES``-th apart from one sample to the next, at a speed of so
    many ``_SPEED_STEPS``-ths: shape (_PHASES + 1, taps). Between two of them what lies off is below 16 bits."""
    times = speed / _SPEED_STEPS
    reach = ceil(_TAPS * times)
    away = np.arange(_PHASES + 1)[:, None] / _PHASES - np.arange(-reach + 1, reach + 1)[None, :]
    weights = np.sinc(away / times) * np.cos(np.pi * np.clip(away / (2 * reach), -0.5, 0.5)) ** 2
    return np.asarray(weights / weights.sum(axis=1, keepdims=True), np.float32)
