"""Music whose every beat is known: drums, bass, chords and a tune by simple synthesis.

It is played at a tempo that may drift, swing, break off and pause, in three metres, with or without drums.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Samples = npt.NDArray[np.float32]
SCALE = (0, 2, 3, 5, 7, 8, 10)
CHORDS = ((0, 2, 4), (5, 7, 9), (3, 5, 7), (4, 6, 8))


@dataclass(frozen=True)
class Piece:
    """What is played.

    ``tempo`` is in beats a minute, in 6/8 of dotted crotchets; ``metre`` is 3, 4, or 6 for 6/8; ``swing`` the place of
    the off-beat within a beat, 1/2 where it is straight; ``drift`` by which share the tempo goes up and down over the
    piece, ``turn`` what it is multiplied by from half way on. In the bars ``breaks`` only chords and tune go on, before
    the bars ``pauses`` all is silent for two beats more. Drums that are ``syncopated`` strike between the beats in the
    middle of a bar. Players miss the beat by ``loose`` seconds (one standard deviation).
    """

    tempo: float
    metre: int = 4
    bars: int = 12
    swing: float = 0.5
    drift: float = 0.0
    breaks: tuple[int, ...] = ()
    pauses: tuple[int, ...] = ()
    drums: bool = True
    loose: float = 0.004
    turn: float = 1.0
    syncopated: bool = False
    seed: int = 0

    @property
    def beats_a_bar(self) -> int:
        """Beats counted in a bar."""
        return 2 if self.metre == 6 else self.metre


def beat_times(piece: Piece) -> list[float]:
    """Seconds at which the beats of a piece fall; in a pause they are counted on."""
    total = piece.bars * piece.beats_a_bar + 2 * len(piece.pauses)
    times, now = [], 0.35
    for beat in range(total):
        times.append(now)
        tempo = piece.tempo * (1 + piece.drift * math.sin(math.tau * beat / total))
        tempo *= piece.turn if 2 * beat >= total else 1
        now += 60 / tempo
    return [*times, now]


def played(piece: Piece, rate: int = 48_000) -> tuple[Samples, list[float]]:
    """The samples of a piece, one channel, and the seconds of its beats."""
    dice = np.random.default_rng(piece.seed)
    times = beat_times(piece)
    out = np.zeros(round((times[-1] + 1.5) * rate), np.float32)
    root = 45 + int(dice.integers(0, 10))
    pattern = dice.integers(0, 7, (4, 12))
    busy = float(dice.uniform(0.35, 0.8))

    def put(sound: Samples, seconds: float, level: float) -> None:
        at = max(0, round((seconds + float(dice.normal(0, piece.loose))) * rate))
        room = min(len(sound), len(out) - at)
        if room > 0:
            out[at : at + room] += level * sound[:room]

    beat = 0
    for bar in range(piece.bars):
        if bar in piece.pauses:
            beat += 2
        chord = CHORDS[bar % 4]
        length = times[min(beat + piece.beats_a_bar, len(times) - 1)] - times[beat]
        for step in chord:
            put(_chord(_pitch(root + 12, step), length, rate, dice), times[beat], 0.07)
        full = piece.drums and bar not in piece.breaks
        for count in range(piece.beats_a_bar):
            now, following = times[beat], times[beat + 1]
            parts = (0.0, 1 / 3, 2 / 3) if piece.metre == 6 else (0.0, piece.swing)
            if full:
                _drum(put, piece, count, [now + (following - now) * part for part in parts], rate, dice)
            if count == 0 or dice.random() < 0.5:
                put(_pluck(_pitch(root - 12, chord[0]), 0.4, rate, 4), now, 0.28)
            for number, part in enumerate(parts):
                if dice.random() < (0.9 if part == 0 else busy):
                    note = int(pattern[bar % 4, (count * 3 + number) % 12])
                    put(_pluck(_pitch(root + 24, note), 0.5, rate, 6), now + (following - now) * part, 0.12)
            beat += 1
    noise = dice.normal(0, 0.002, len(out)).astype(np.float32)
    return np.clip(out + noise, -1, 1), times[:beat]


def _drum(
    put: Callable[[Samples, float, float], None],
    piece: Piece,
    count: int,
    moments: list[float],
    rate: int,
    dice: np.random.Generator,
) -> None:
    strong = count == 0 or (piece.metre == 4 and count == 2)
    late = piece.syncopated and count in (1, 2) and len(moments) > 1
    put(_kick(rate) if strong else _snare(rate, dice), moments[1 if late else 0], 0.5 if strong else 0.3)
    for number, moment in enumerate(moments):
        put(_hat(rate, dice), moment, 0.12 if number == 0 else 0.09)


def _pitch(root: int, step: int) -> float:
    octave, degree = divmod(step, 7)
    return 440 * 2 ** ((root + 12 * octave + SCALE[degree] - 69) / 12)


def _kick(rate: int) -> Samples:
    time = np.arange(round(0.18 * rate)) / rate
    return np.asarray(np.sin(math.tau * (50 * time + 6 * (1 - np.exp(-30 * time)))) * np.exp(-16 * time), np.float32)


def _snare(rate: int, dice: np.random.Generator) -> Samples:
    time = np.arange(round(0.14 * rate)) / rate
    body = np.sin(math.tau * 190 * time) * np.exp(-30 * time)
    return (0.5 * body + dice.normal(0, 0.5, len(time)) * np.exp(-26 * time)).astype(np.float32)


def _hat(rate: int, dice: np.random.Generator) -> Samples:
    time = np.arange(round(0.05 * rate)) / rate
    noise = dice.normal(0, 1, len(time))
    return (np.diff(noise, prepend=0) * np.exp(-90 * time)).astype(np.float32)


def _pluck(pitch: float, seconds: float, rate: int, partials: int) -> Samples:
    time = np.arange(round(seconds * rate)) / rate
    out = np.zeros(len(time))
    for number in range(1, partials + 1):
        if pitch * number < rate / 2:
            out += np.sin(math.tau * pitch * number * time) / number * np.exp(-(3 + 2 * number) * time)
    return np.asarray(out * np.minimum(1, time / 0.004), np.float32)


def _chord(pitch: float, seconds: float, rate: int, dice: np.random.Generator) -> Samples:
    time = np.arange(round(seconds * rate)) / rate
    out = np.zeros(len(time))
    for number in (1, 2, 3):
        out += np.sin(math.tau * pitch * number * time + dice.uniform(0, 6)) / number**2
    swell = np.minimum(1, time / 0.06) * np.minimum(1, (seconds - time) / 0.08)
    return np.asarray(out * swell, np.float32)
