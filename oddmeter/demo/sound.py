"""Sound for the demo clips: bell strokes and clicks on known moments over a low sea noise, as a camera hears."""

import math
from pathlib import Path

import numpy as np
import numpy.typing as npt

from oddmeter.media.sound.wav import wav_of

SAMPLE_RATE = 48_000


def write_wav(samples: npt.NDArray[np.float32], path: Path) -> None:
    """Write one channel of samples as a WAV file of sixteen bits, under its name only once it is whole."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(".part")
    unfinished.write_bytes(wav_of(samples[None], SAMPLE_RATE))
    unfinished.replace(path)


def harbour_sound(seconds: float, channels: int) -> npt.NDArray[np.int16]:
    """Sixteen-bit samples of shape (channels, samples): a bell stroke every two seconds, a click every second."""
    count = round(seconds * SAMPLE_RATE)
    time = np.arange(count) / SAMPLE_RATE
    rng = np.random.default_rng(97)
    sound = 0.02 * np.convolve(rng.normal(0, 1, count), np.ones(64) / 8, mode="same")
    for second in range(math.ceil(seconds)):
        age = time - second
        ringing = age >= 0
        sound[ringing & (age < 0.004)] += 0.5
        if second % 2 == 0:
            decay = np.where(ringing, np.exp(-1.6 * np.clip(age, 0, None)), 0)
            for partial, loudness in ((220, 0.2), (440, 0.12), (523, 0.1), (659, 0.06)):
                sound += decay * loudness * np.sin(math.tau * partial * age)
    samples = (np.clip(sound, -0.98, 0.98) * 32_767).astype(np.int16)
    return np.stack([samples] * channels)
