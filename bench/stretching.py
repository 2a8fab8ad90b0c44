"""Sound at its own pitch, made by what the product has and by two libraries: how close each comes to the source.

Run: .venv/bin/python -m bench.stretching [SPEECH.wav]
Music is the demo's own; speech is the file that is named, such as espeak-ng writes. At each speed the spectrum of the
made sound at every moment is held against that of the source at the moment it stands for: spectral convergence, the
length of the difference over that of the source's, over windows of 43 ms; 0 is perfect. Beside it, by how many
milliseconds clicks on known moments are off, and the processor time for a second of made sound. pedalboard, which
holds Rubber Band, is used where it is installed; it is no part of the product.
"""

import sys
import time
import wave
from collections.abc import Callable
from contextlib import suppress
from fractions import Fraction
from typing import Any, cast

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.filter.graph import Graph
from python_stretch.Signalsmith import Stretch

from oddmeter.demo.music import Piece, played
from oddmeter.media.sound.along import at_own_pitch
from oddmeter.media.sound.pitch import stretched

RATE, SECONDS = 48_000, 12
SPEEDS = (Fraction(1, 2), Fraction(4, 5), Fraction(5, 4), Fraction(2))
Sound = npt.NDArray[np.float32]
Way = Callable[[Sound, Fraction], Sound]
_WINDOW, _HOP = 2048, 512


def ways() -> dict[str, Way]:
    """Every way of stretching that is at hand, by name."""
    found: dict[str, Way] = {
        "of one speed": straight, "along a curve": along,
        "libavfilter's atempo": atempo, "Signalsmith Stretch alone": signalsmith,
    }  # fmt: skip
    try:
        from pedalboard import time_stretch  # noqa: PLC0415

        found["Rubber Band"] = lambda sound, speed: time_stretch(
            sound, RATE, float(speed), use_time_domain_smoothing=False
        )
    except ImportError:
        pass
    return found


def signalsmith(sound: Sound, speed: Fraction) -> Sound:
    """The library that is used, by itself."""
    stretch = Stretch()
    stretch.preset(1, RATE)
    stretch.timeFactor = float(speed)
    return np.asarray(stretch.process(sound), np.float32)


def atempo(sound: Sound, speed: Fraction) -> Sound:
    """The filter that was used before."""
    graph = Graph()
    first: Any = graph.add_abuffer(format="fltp", sample_rate=RATE, layout="mono", time_base=Fraction(1, RATE))
    tempo, sink = graph.add("atempo", str(float(speed))), graph.add("abuffersink")
    first.link_to(tempo)
    tempo.link_to(sink)
    graph.configure()
    frame = AudioFrame.from_ndarray(np.pad(sound, ((0, 0), (0, 8192))), format="fltp", layout="mono")
    frame.sample_rate, frame.pts, frame.time_base = RATE, 0, Fraction(1, RATE)
    first.push(frame)
    first.push(None)
    parts: list[Any] = []
    with suppress(av.error.EOFError, av.error.BlockingIOError):
        while True:
            parts.append(cast(AudioFrame, sink.pull()).to_ndarray())
    return np.asarray(np.concatenate(parts, axis=1)[:, : round(sound.shape[1] / speed)], np.float32)


def straight(sound: Sound, speed: Fraction) -> Sound:
    """As clips of one speed are made."""
    return stretched(sound, speed, RATE, round(sound.shape[1] / speed))


def along(sound: Sound, speed: Fraction) -> Sound:
    """As clips whose speed changes are made, here at one speed."""
    length = round(sound.shape[1] / speed)
    return at_own_pitch(sound, np.arange(length) * float(speed), RATE)


def spectra(sound: Sound, places: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """The size of every line of the spectrum around each place."""
    padded = np.pad(sound[0], (_WINDOW, _WINDOW))
    starts = np.clip(np.round(places).astype(int) + _WINDOW // 2, 0, len(padded) - _WINDOW)
    return np.abs(np.fft.rfft(padded[starts[:, None] + np.arange(_WINDOW)] * np.hanning(_WINDOW), axis=1))


def convergence(source: Sound, made: Sound, speed: Fraction) -> float:
    """How far the made sound's spectra lie from the source's, over the length of the source's."""
    places = np.arange(_WINDOW, min(made.shape[1], source.shape[1] / float(speed)) - _WINDOW, _HOP)
    wanted, found = spectra(source, places * float(speed)), spectra(made, places)
    return float(np.linalg.norm(wanted - found) / np.linalg.norm(wanted))


def clicks_off(way: Way, speed: Fraction) -> float:
    """Milliseconds by which the worst of some clicks over a soft tone is off."""
    sound = 0.05 * np.sin(np.arange(6 * RATE) * 2 * np.pi * 220 / RATE)
    spots = [RATE, round(1.7 * RATE), 3 * RATE, round(4.45 * RATE)]
    for spot in spots:
        sound[spot : spot + 24] = 0.9
    made = way(sound[None].astype(np.float32), speed)[0]
    off = []
    for spot in spots:
        start = max(0, round(spot / speed) - RATE // 10)
        window = np.abs(made[start : start + RATE // 5])
        off.append(abs(start + int(np.argmax(window > window.max() / 2)) - spot / float(speed)) / RATE * 1000)
    return max(off)


def speech_in(path: str) -> Sound:
    """One channel of a WAV file of sixteen bits, at ``RATE``."""
    with wave.open(path) as file:
        samples = np.frombuffer(file.readframes(file.getnframes()), np.int16).astype(np.float32) / 32_768
        samples = samples[:: file.getnchannels()]
        places = np.arange(0, len(samples) - 1, file.getframerate() / RATE)
    return np.interp(places, np.arange(len(samples)), samples).astype(np.float32)[None, : SECONDS * RATE]


def main() -> None:
    material = {
        "music with drums": played(Piece(112, bars=8, seed=1), RATE)[0][None, : SECONDS * RATE],
        "music without": played(Piece(84, bars=8, drums=False, seed=2), RATE)[0][None, : SECONDS * RATE],
    }
    if len(sys.argv) > 1:
        material["speech"] = speech_in(sys.argv[1])
    for name, sound in material.items():
        print(f"spectral convergence, {name:20}" + "".join(f"{float(100 * speed):8.0f} %" for speed in SPEEDS))
        for way, make in ways().items():
            far = [convergence(sound, make(sound, speed), speed) for speed in SPEEDS]
            print(f"  {way:40}" + "".join(f"{one:10.3f}" for one in far))
    print(f"{'clicks off by, ms':42}" + "".join(f"{float(100 * speed):8.0f} %" for speed in SPEEDS))
    for way, make in ways().items():
        print(f"  {way:40}" + "".join(f"{clicks_off(make, speed):10.2f}" for speed in SPEEDS))
    sound = material["music with drums"]
    print("processor time for a second made, ms")
    for way, make in ways().items():
        begun = time.process_time()
        length = make(sound, Fraction(4, 5)).shape[1] / RATE
        print(f"  {way:40}{1000 * (time.process_time() - begun) / length:10.1f}")


if __name__ == "__main__":
    main()
