"""Mixes: sounds added at unity, each from its own sample, whatever pieces they come in."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from hypothesis import given, settings
from hypothesis import strategies as st

from oddmeter.media.sound.blocks import framed_sound
from oddmeter.media.sound.mixing import Laid, Mix, NestedSound
from oddmeter.media.sound.track import SoundPlan, SoundTrack

RATE = 8000
NAMES = {1: "mono", 2: "stereo", 6: "5.1"}


@dataclass(frozen=True)
class Noise(SoundTrack):
    """Samples that are all different, in pieces of a length of their own."""

    seed: int
    length: int
    channels: int = 2
    piece: int = 700
    level: float = 0.1
    rate: int = RATE
    name: str = "noise"

    @property
    def samples(self) -> int:
        return self.length

    @property
    def layout(self) -> tuple[str, int]:
        return NAMES[self.channels], self.channels

    @property
    def values(self) -> npt.NDArray[np.float32]:
        dice = np.random.default_rng(self.seed)
        return (dice.uniform(-1, 1, (self.channels, self.length)) * self.level).astype(np.float32)

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        for at in range(0, self.length, self.piece):
            part = self.values[:, at : at + self.piece]
            yield framed_sound(part, sample_format, self.layout[0], self.rate, at)


laid_sounds = st.lists(
    st.builds(
        Laid,
        st.builds(
            Noise, st.integers(0, 99), st.integers(1, 40_000), st.sampled_from([1, 2]), st.sampled_from([64, 700, 5000])
        ),
        st.integers(-20_000, 50_000), st.sampled_from([0, 1, 900]), st.sampled_from([0, 1, 900]),
    ), max_size=4,
)  # fmt: skip


def added(mix: Mix) -> npt.NDArray[np.float32]:
    return np.concatenate([np.zeros((mix.channels, 0), np.float32), *mix.blocks()], axis=1)


def by_hand(mix: Mix) -> npt.NDArray[np.float32]:
    out = np.zeros((mix.channels, mix.length), np.float32)
    for one in mix.laid:
        assert isinstance(one.track, Noise)
        values = np.repeat(one.track.values, 2, axis=0) if one.track.channels == 1 else one.track.values
        for n in range(one.track.length):
            if 0 <= one.at + n < mix.length:
                up = min(1.0, (n + 0.5) / one.rises) if one.rises else 1.0
                down = min(1.0, (one.track.length - n - 0.5) / one.falls) if one.falls else 1.0
                out[: len(values), one.at + n] += values[:, n] * np.float32(min(up, down))
    return out


@settings(max_examples=12, deadline=None)
@given(laid_sounds, st.integers(1, 60_000))
def test_a_mix_is_the_sum_of_its_sounds_at_their_samples(laid: list[Laid], length: int) -> None:
    mix = Mix(tuple(laid), RATE, length)
    made = added(mix)
    assert made.shape == (2, length)
    assert np.abs(made - by_hand(mix)).max(initial=0) <= 1e-6


def test_a_mix_begins_anywhere_and_is_the_same_there() -> None:
    mix = Mix((Laid(Noise(1, 30_000), 100, 500), Laid(Noise(2, 9_000, 1), 20_000, 0, 300)), RATE, 33_000)
    whole = added(mix)
    for first, stop in ((0, 10), (19_990, 20_400), (32_000, 33_000)):
        part = np.concatenate(list(mix.blocks(first, stop)), axis=1)
        assert np.array_equal(part, whole[:, first:stop])


def test_what_is_louder_than_full_is_cut_off_only_where_it_is_written() -> None:
    mix = Mix((Laid(Noise(1, 4000, level=0.9), 0), Laid(Noise(1, 4000, level=0.9), 0)), RATE, 4000)
    assert np.abs(added(mix)).max() > 1.5, "as it is, for a mix that it is nested in"
    written = np.concatenate([frame.to_ndarray() for frame in mix.frames("fltp")], axis=1)
    assert np.array_equal(written, np.clip(added(mix), -1, 1)) and np.abs(written).max() == 1


def test_each_channel_is_heard_from_that_of_its_number() -> None:
    wide = Noise(3, 1000, 6)
    mix = Mix((Laid(wide, 0), Laid(Noise(4, 1000, 1), 0)), RATE, 1000, channels=6)
    wanted = wide.values.copy()
    wanted[:2] += Noise(4, 1000, 1).values
    assert mix.layout == ("5.1", 6) and np.abs(added(mix) - wanted).max() <= 1e-7


def test_a_nested_mix_is_heard_as_its_event_runs() -> None:
    """Backwards, from a part of it that begins later than it does."""
    inner = Mix((Laid(Noise(5, 20_000), 0),), RATE, 20_000)
    begins = 4000  # samples of the nested timeline before the part that is there
    plan = SoundPlan(Path(), Fraction(1), Fraction(1), Fraction(1), Fraction(1), RATE, RATE, backwards=True)
    nested = NestedSound(inner, begins, plan)
    made = np.concatenate([frame.to_ndarray() for frame in nested.frames("fltp")], axis=1)
    assert nested.samples == RATE == made.shape[1]
    wanted = Noise(5, 20_000).values[:, RATE - begins : 2 * RATE - begins][:, ::-1]
    assert np.abs(made - wanted).max() <= 1e-6
    outer = Mix((Laid(nested, 10),), RATE, 9000)
    assert outer.paths == inner.paths == frozenset()
    assert np.abs(added(outer)[:, 10 : 10 + RATE] - wanted).max() <= 1e-6
