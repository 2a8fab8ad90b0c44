"""Music beside a clip, and beats as people change them."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.decisions.music import (
    NO_MUSIC,
    Music,
    MusicBeats,
    doubled,
    halved,
    nearest_beat,
    tapped,
    tempo,
    with_beat,
    with_moved_beat,
    without_beat,
)
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

STEADY: MusicBeats = tuple(Fraction(number, 2) for number in range(8))
NAMES = st.text(st.characters(exclude_characters=":\0", exclude_categories=["Cs"]), min_size=1, max_size=20)
MUSIC = st.builds(
    Music,
    root=NAMES.filter(lambda one: one.strip() == one and " " not in one[:1]),
    path=st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), min_size=1, max_size=40),
    start=st.integers(-10_000_000, 10_000_000),
    fade=st.integers(0, 10_000_000),
)


@given(MUSIC)
def test_music_comes_back_from_its_text(music: Music) -> None:
    assert Music.parse(str(music)) == music


def test_a_second_of_music_and_a_timeline_frame() -> None:
    music = Music("Footage", "a/tide.wav", -10)
    rate = Rate.parse("29.97")
    assert music.place(Fraction(1001, 100), rate) == 290 and music.second(Fraction(290), rate) == Fraction(1001, 100)
    assert Music.parse("none") == NO_MUSIC and not NO_MUSIC and music.name == "tide.wav"
    for odd in ("x 25 Footage:a.wav", "1 25 Footage", "1 25 :a", "1 25 Footage:", "99999999 0 F:a"):
        with pytest.raises(RuleError):
            Music.parse(odd)


def test_beats_are_changed_by_hand() -> None:
    assert tempo(STEADY) == 120 and tempo(()) is None
    assert halved(STEADY) == STEADY[::2] and tempo(halved(STEADY)) == 60
    assert tempo(doubled(STEADY)) == 240 and halved(doubled(STEADY)) == STEADY
    assert with_beat(STEADY, Fraction(5, 4))[3] == Fraction(5, 4)
    assert without_beat(STEADY, 1) == (STEADY[0], *STEADY[2:])
    assert with_moved_beat(STEADY, 2, Fraction(11, 10))[2] == Fraction(11, 10)
    assert nearest_beat(STEADY, Fraction(6, 5)) == 2 and nearest_beat(STEADY, Fraction(99)) == 7
    with pytest.raises(RuleError, match="already a beat"):
        with_beat(STEADY, Fraction(1001, 1000))
    with pytest.raises(RuleError, match="The music has not started at this frame"):
        with_beat(STEADY, Fraction(-1))
    with pytest.raises(RuleError, match="no beats"):
        nearest_beat((), Fraction(1))


def test_taps_take_the_place_of_what_lay_between_them() -> None:
    taps = [Fraction(21, 20), Fraction(8, 5), Fraction(43, 20)]
    assert tapped(STEADY, taps) == (*STEADY[:2], *taps, *STEADY[5:])
    with pytest.raises(RuleError, match="at least two"):
        tapped(STEADY, taps[:1])
