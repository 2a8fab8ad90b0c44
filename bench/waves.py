"""How quickly the sound of a long clip is drawn and played on the Bench.

Run: .venv/bin/python -m bench.waves [HOURS]
A file of so many hours (4) of sound is written, and windows of it are asked for: at once, while its peaks are still
being read, and then at many zooms, with the sound of two seconds at many places. Times are told in milliseconds, the
longest of each kind, beside reading one second of the file with the library alone.
"""

import sys
import tempfile
import time
import wave
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

import av
import numpy as np

from oddmeter.media.sound.hearing import Hearing
from oddmeter.media.sound.track import SoundPlan

RATE, COLUMNS = 48_000, 1200


def write(path: Path, seconds: int) -> None:
    """A file of noise that is never twice as loud."""
    dice = np.random.default_rng(1)
    noise = dice.integers(-8000, 8000, 60 * RATE, dtype=np.int16)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        for minute in range(-(-seconds // 60)):
            length = min(60, seconds - 60 * minute) * RATE
            file.writeframes((noise[:length] // (1 + minute % 7)).tobytes())


def milliseconds(work: Callable[[], object]) -> float:
    """How long something takes."""
    begun = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - begun)


def bare(path: Path) -> None:
    """Decode a second in the middle with the library alone."""
    with av.open(str(path)) as container:
        container.seek((container.duration or 0) // 2)
        count = 0
        for frame in container.decode(audio=0):
            count += frame.samples
            if count > RATE:
                return


def measure(folder: Path, hours: float) -> None:
    """Write the file, ask for windows of it, and print how long they take."""
    path, seconds = folder / "long.wav", round(3600 * hours)
    write(path, seconds)
    length = Fraction(seconds)
    plan = SoundPlan(path, Fraction(1), Fraction(0), length, length, RATE, RATE)
    hearing = Hearing(folder / "heard")

    def window(first: float, last: float) -> int:
        return hearing.window(plan, "long", np.linspace(first, last, COLUMNS + 1)).percent

    print(f"the whole, before anything is read: {milliseconds(lambda: window(0, seconds)):.0f} ms")
    print(f"a second in the middle, then:       {milliseconds(lambda: window(seconds / 2, seconds / 2 + 1)):.0f} ms")
    begun, slowest = time.perf_counter(), 0.0
    while window(0, seconds) < 100:
        slowest = max(slowest, milliseconds(lambda: window(0, seconds)))
        time.sleep(0.2)
    print(f"read in {time.perf_counter() - begun:.1f} s; windows in the meantime {slowest:.0f} ms at most")
    for span in (seconds, seconds / 10, 600, 60, 10, 1):
        starts = np.linspace(0, seconds - span, 12)
        longest = max(milliseconds(partial(window, first, first + span)) for first in starts)
        print(f"windows of {span:8.0f} s: {longest:6.1f} ms")
    places = [Fraction(int(one)) for one in np.linspace(0, seconds - 2, 12)]
    longest = max(milliseconds(partial(hearing.wav, plan, "long", place, place + 2)) for place in places)
    print(f"two seconds to hear: {longest:6.1f} ms")
    print(f"one second with the library alone: {milliseconds(lambda: bare(path)):.1f} ms")
    hearing.close()


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as given:
        measure(Path(given), float(sys.argv[1]) if len(sys.argv) > 1 else 4)
