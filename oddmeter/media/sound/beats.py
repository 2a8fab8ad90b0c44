"""Beats of music: where they fall, and how many there are a minute.

How much of the sound is new at each moment is weighed in bands as an ear hears them. The likeliest course of a pulse
through that is found over the whole piece at once: so it goes on through pauses, follows a tempo that drifts, and is
not led astray by what falls between the beats.
"""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.audio.resampler import AudioResampler

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.sound_times import FOLLOWING
from oddmeter.media.files.opened import opened
from oddmeter.media.sound.blocks import framed_sound, in_turn, named_layout, sound_of

Series = npt.NDArray[np.float64]

RATE = 22_050
"""Samples a second at which music is listened to."""
STEPS = 100
"""Moments a second at which it is weighed."""
LONGEST = 3600
"""Seconds of music at most."""
_WINDOW, _BANDS, _LOWEST, _HIGHEST = 1024, 40, 40.0, 11_000.0
_SLOWEST, _FASTEST = 50, 205
"""Beats a minute that are looked for."""
_USUAL, _OCTAVES = 112.0, 0.95
"""Beats a minute that most music has, and by how many octaves it differs (one standard deviation)."""
_COST = 0.3
"""What a beat must be worth, of what is usual for the newest moments; else between any two beats would be another."""
_CHANGE = 60.0
"""What a change of the tempo costs, for each part by which it changes."""
_WORTH, _ONCE = 4.0, 0.02
"""What a tempo that fits the whole is worth, and how much of that each beat brings."""
_HEARD = 0.3
"""Beats before the first and after the last that are so new, of what is usual, are left out."""
_STEADY = 0.04
"""Seconds by which no beat may be off where the whole piece has one tempo."""
_AT_ONCE = 2000


@dataclass(frozen=True)
class Beats:
    """Beats a minute, and the seconds at which beats fall; none where there is no pulse."""

    tempo: float
    beats: tuple[float, ...]


def beats_in(path: Path, place: int = 0) -> Beats:
    """The beats of a file's sound, in seconds from its first picture, or its first sample where it has none.

    Raises ``RuleError`` where it cannot be listened to.
    """
    try:
        return tracked(_listened_to(path, place))
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(f"{path.name} cannot be opened, or is damaged.", "media") from error


def tracked(samples: npt.NDArray[np.float32]) -> Beats:
    """The beats of one channel of sound at ``RATE``."""
    new = novelty(samples)
    if len(new) < 2 * STEPS or new.max() <= 1e-9:
        return Beats(0.0, ())
    even = _evened(new)
    spots = _trimmed(_course(even), even)
    if len(spots) < 2:
        return Beats(0.0, ())
    fine = _refined(spots, new)
    period = _steady_period(fine) or float(np.median(np.diff(fine)))
    return Beats(60 / period, tuple(round(second, 4) for second in fine.tolist()))


def novelty(samples: npt.NDArray[np.float32]) -> Series:
    """How much is new at each of ``STEPS`` moments a second: shape (moments,)."""
    count = int(len(samples) * STEPS / RATE)
    padded = np.pad(samples, (_WINDOW // 2, _WINDOW))
    window = np.hanning(_WINDOW).astype(np.float32)
    levels = np.zeros((count, _BANDS))
    for first in range(0, count, _AT_ONCE):
        starts = np.round(np.arange(first, min(first + _AT_ONCE, count)) * (RATE / STEPS)).astype(int)
        pieces = padded[starts[:, None] + np.arange(_WINDOW)] * window
        levels[first : first + len(starts)] = np.abs(np.fft.rfft(pieces, axis=1)) ** 2 @ _bands().T
    loud = max(1e-12, float(np.percentile(levels.sum(axis=1), 95)) / _BANDS) if count else 1.0
    level = np.log1p(levels / (1e-3 * loud))
    # A tone that glides into the next band is not new.
    wide = np.maximum(np.maximum(np.roll(level, 1, axis=1), level), np.roll(level, -1, axis=1))
    rise = np.zeros_like(level)
    rise[2:] = np.maximum(0, level[2:] - wide[:-2])
    return np.asarray(rise[:, : _BANDS // 4].mean(axis=1) + rise[:, _BANDS // 4 :].mean(axis=1), np.float64)


def _listened_to(path: Path, place: int) -> npt.NDArray[np.float32]:
    """One channel of a file's sound at ``RATE``, from its first picture on."""
    found: list[npt.NDArray[np.float32]] = []
    with opened(path) as container:
        stream, count = sound_of(container, path, place), 0
        resampler = AudioResampler(format="flt", layout="mono", rate=RATE)
        layout = named_layout(stream)
        for samples in in_turn(container, stream, FOLLOWING, "flt", 0):
            made = resampler.resample(framed_sound(samples, "flt", layout, stream.rate, count))
            found += [np.asarray(block.to_ndarray()[0], np.float32) for block in made]
            count += samples.shape[1]
            if count > LONGEST * stream.rate:
                raise RuleError(f"{path.name} is longer than an hour, which is too long for music.", "beats")
        found += [np.asarray(made.to_ndarray()[0], np.float32) for made in resampler.resample(None) if made is not None]
    return np.concatenate(found) if found else np.zeros(0, np.float32)


@lru_cache(maxsize=1)
def _bands() -> Series:
    """Weights of the spectrum's lines in bands of equal width to the ear: shape (bands, lines)."""
    lines = np.fft.rfftfreq(_WINDOW, 1 / RATE)
    low, high = (2595 * np.log10(1 + hertz / 700) for hertz in (_LOWEST, _HIGHEST))
    edges = 700 * (10 ** (np.linspace(low, high, _BANDS + 2) / 2595) - 1)
    out = np.zeros((_BANDS, len(lines)))
    for band in range(_BANDS):
        left, middle, right = edges[band : band + 3]
        out[band] = np.clip(np.minimum((lines - left) / (middle - left), (right - lines) / (right - middle)), 0, None)
        if out[band].sum() <= 0:
            out[band, int(np.argmin(np.abs(lines - middle)))] = 1
        out[band] /= out[band].sum()
    return out


def _evened(new: Series) -> Series:
    """Novelty against what is usual around each moment, so that quiet parts count as loud ones do."""
    soft = np.hanning(5) / np.hanning(5).sum()
    smooth = np.convolve(new, soft, "same")
    kernel = np.hanning(8 * STEPS + 1)
    weight = _blurred(np.ones(len(new)), kernel)
    mean = _blurred(smooth, kernel) / weight
    swing = np.sqrt(np.maximum(0, _blurred((smooth - mean) ** 2, kernel) / weight))
    return np.asarray((smooth - mean) / (swing + 0.2 * smooth.std() + 1e-9), np.float64)


def _blurred(series: Series, kernel: Series) -> Series:
    """A long convolution by way of the spectrum, as long as the series."""
    size = 1 << int(np.ceil(np.log2(len(series) + len(kernel))))
    whole = np.fft.irfft(np.fft.rfft(series, size) * np.fft.rfft(kernel, size), size)
    start = len(kernel) // 2
    return np.asarray(whole[start : start + len(series)], np.float64)


@lru_cache(maxsize=1)
def _periods() -> npt.NDArray[np.int64]:
    """The steps from beat to beat that are looked for, the fastest first."""
    return np.arange(60 * STEPS // _FASTEST, 60 * STEPS // _SLOWEST + 1)


def _worth(even: Series) -> Series:
    """For each period, how well it fits the whole, and how usual it is."""
    periods = _periods()
    rising = np.maximum(0, even)
    size = 1 << int(np.ceil(np.log2(2 * len(even))))
    alike = np.fft.irfft(np.abs(np.fft.rfft(rising - rising.mean(), size)) ** 2)[: len(even)]
    alike = alike / max(1e-9, alike[0]) * len(even) / (len(even) - np.arange(len(even)))
    lags, fit = np.arange(len(alike)), np.zeros(len(periods))
    for times, weight in ((1, 1.0), (2, 0.8), (3, 0.3), (4, 0.6)):
        near = [np.interp(periods * times * (1 + off), lags, alike, right=0) for off in np.linspace(-0.02, 0.02, 5)]
        fit += weight * np.max(near, axis=0)
    usual = -0.5 * (np.log2(60 * STEPS / periods / _USUAL) / _OCTAVES) ** 2
    return np.asarray(_WORTH * fit / max(1e-9, fit.max()) + usual, np.float64)


def _course(even: Series) -> list[int]:
    """The likeliest steps of the beats: of all courses whose last beat falls at a step with a period before it, the
    best one is kept, for every step and period."""
    periods, worth = _periods(), _worth(even)
    number, start = np.arange(len(periods)), int(periods[-1])
    change = -_CHANGE * np.abs(np.log(periods[:, None] / periods[None, :]))
    size = 60 * STEPS // _SLOWEST
    usual = float(np.median([even[first : first + size].max() for first in range(0, len(even), size)]))
    gain = even - _COST * usual
    score = np.full((start + 1, len(periods)), -np.inf)  # of the last steps alone, the step over so many its row
    back = np.full((len(even), len(periods)), -1, np.int8)
    for now in range(len(even)):
        came = score[(now - periods) % len(score)] + change
        best = came.argmax(axis=1)
        value = came[number, best] + gain[now] + _ONCE * worth
        fresh = gain[now] + worth if now < start else np.full(len(periods), -np.inf)
        score[now % len(score)] = np.maximum(value, fresh)
        back[now] = np.where(value > fresh, best, -1)
    last = np.arange(len(even) - min(start, len(even)), len(even))
    ends = score[last % len(score)]
    at, state = (int(index) for index in np.unravel_index(int(np.argmax(ends)), ends.shape))
    now, out = int(last[at]), []
    while True:
        out.append(now)
        before_this = int(back[now, state])
        if before_this < 0:
            return out[::-1]
        now, state = now - int(periods[state]), before_this


def _trimmed(spots: list[int], even: Series) -> list[int]:
    """The beats from the first to the last that is heard."""
    heard = np.array([even[max(0, spot - 4) : spot + 5].max() for spot in spots])
    loud = np.flatnonzero(heard > _HEARD * np.median(heard))
    return spots[loud[0] : loud[-1] + 1] if len(loud) else []


def _refined(spots: list[int], new: Series) -> Series:
    """The seconds of beats: at the top of what is new close to each, else where the course has it."""
    out = []
    for spot in spots:
        low, high = max(1, spot - 3), min(len(new) - 1, spot + 4)
        top = low + int(np.argmax(new[low:high])) if high - low > 2 else spot
        place = float(spot)
        if low < top < high - 1 and new[top] > 1.5 * new.mean():
            a, b, c = new[top - 1 : top + 2]
            bend = a - 2 * b + c
            place = top + (0.5 * (a - c) / bend if bend else 0.0)
        out.append(place / STEPS)
    return np.array(out)


def _steady_period(seconds: Series) -> float | None:
    """Seconds of a beat, where one period explains the whole."""
    numbers = np.arange(len(seconds))
    period, begins = np.polyfit(numbers, seconds, 1)
    return float(period) if np.abs(seconds - (begins + period * numbers)).max() < _STEADY else None
