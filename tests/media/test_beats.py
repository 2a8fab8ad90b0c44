"""Beats of music whose every beat is known, and of sound that has none."""

import wave
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.demo.music import Piece, played
from oddmeter.media.sound.beats import RATE, Beats, beats_in, tracked


def agreement(true: list[float], found: tuple[float, ...]) -> float:
    """The F-measure: of beats found within 70 ms, each once, and of those that were there, the harmonic mean."""
    left, hits = list(true), 0
    for beat in found:
        near = min(left, key=lambda one: abs(one - beat), default=None)
        if near is not None and abs(near - beat) <= 0.07:
            left.remove(near)
            hits += 1
    return 2 * hits / (len(true) + len(found))


PIECES = {
    "steady": Piece(112, seed=1),
    "waltz, swung": Piece(138, metre=3, swing=0.64, seed=2),
    "six-eight": Piece(72, metre=6, seed=3),
    "drifting": Piece(104, drift=0.08, seed=4),
    "a break and a pause": Piece(96, breaks=(4, 5), pauses=(8,), seed=5),
    "no drums": Piece(118, drums=False, seed=6),
}


@pytest.mark.parametrize("name", PIECES)
def test_beats_are_found(name: str) -> None:
    samples, true = played(PIECES[name], RATE)
    found = tracked(samples)
    assert agreement(true, found.beats) > 0.97
    off = [min(abs(beat - one) for one in true) for beat in found.beats]
    assert np.median(off) < 0.012


@pytest.mark.parametrize("tempo", [62, 97, 128, 183])
def test_steady_music_is_found_within_a_frame_of_25(tempo: float) -> None:
    samples, true = played(Piece(tempo, bars=10, loose=0.0, seed=round(tempo)), RATE)
    found = tracked(samples)
    assert found.tempo == pytest.approx(tempo, rel=0.002)
    inner = [one for one in true if true[1] <= one <= true[-2]]
    assert max(min(abs(beat - one) for beat in found.beats) for one in inner) < 1 / 25


def test_later_music_has_later_beats(tmp_path: Path) -> None:
    samples, _ = played(PIECES["steady"], 48_000)
    found = []
    for name, silence in (("now", 0), ("later", 24_000)):
        with wave.open(str(tmp_path / f"{name}.wav"), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(48_000)
            file.writeframes((np.pad(samples, (silence, 0)) * 32_000).astype("<i2").tobytes())
        found.append(beats_in(tmp_path / f"{name}.wav"))
    now, later = found
    assert later.tempo == pytest.approx(now.tempo, abs=0.05)
    assert np.array(later.beats) - 0.5 == pytest.approx(now.beats, abs=0.004)


def test_what_has_no_pulse_has_no_beats(tmp_path: Path) -> None:
    assert tracked(np.zeros(10 * RATE, np.float32)) == Beats(0.0, ())
    assert tracked(np.zeros(100, np.float32)) == Beats(0.0, ())
    (tmp_path / "letter.wav").write_text("Dear harbour master")
    with pytest.raises(RuleError, match=r"letter.wav cannot be opened, or is damaged."):
        beats_in(tmp_path / "letter.wav")


def test_players_and_seeds_change_the_music_and_not_its_beats() -> None:
    one, two = (played(replace(PIECES["steady"], seed=seed), RATE) for seed in (1, 2))
    assert one[1] == two[1] and not np.array_equal(one[0], two[0])
