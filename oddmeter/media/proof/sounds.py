"""The sounds of a made file, compared with those of its plan: length, place in time, and every sample.

Without loss each sample is what was planned. What is encoded with loss is compared window by window in the range in
which a codec keeps the shape of a wave: each channel at its level, without a shift, and the difference of neighbouring
channels likewise, since that is what is lost where two channels become one.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av import Codec
from av.audio.layout import AudioLayout
from av.audio.resampler import AudioResampler

from oddmeter.core.conform.proof import Check
from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.media.files.opened import opened
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import FilePlan
from oddmeter.media.proof.streams import COARSE_TIMES
from oddmeter.media.settings.setting import Place
from oddmeter.media.sound.blocks import BLOCK, Placing, Samples, array_of, decoded, named_layout, sound_of
from oddmeter.media.sound.track import SoundTrack
from oddmeter.media.writing.sounds import beside, time_reference

_FULL_SCALE = (1 << 31) - (1 << 8)
_WINDOW = 1 << 16
"""Samples that are compared at once: over a second."""
_FEWEST = 4096
"""Fewer samples at the end are not compared."""
_LOW, _HIGH, _EFFECTS = 20.0, 4000.0, 100.0
"""The range in hertz in which a codec keeps the shape of a wave; above it may replace what is like noise. A channel of
low-frequency effects ends lower."""
_SILENT = 10 ** (-66 / 20)
"""Of full scale: below, a channel is silent."""
_LEVEL, _EFFECTS_LEVEL = 0.4, 1.2
"""Decibels by which a channel may be louder or quieter, and one of low-frequency effects."""
_UNLIKE = 0.25
"""The share of a window's energy by which it may differ."""
_APART = 0.03
"""The share of the energy of two channels that their difference must have, to be compared."""
_SHIFTS = 0.25
"""Seconds up to which a shift is looked for, to say it."""


def sound_checks(plan: FilePlan, made: Facts) -> list[Check]:
    """How many sound streams there are, and of each its length in samples, its place beside the picture, its channels
    and its samples; a codec that works in blocks may end up to two of them earlier or later."""
    sounds = plan.sounds
    if plan.setting.sound.place is Place.BESIDE and sounds:
        return _beside_checks(plan)
    if len(sounds) != len(made.sounds):
        return [Check("sound", _streams_words(len(sounds)), _streams_words(len(made.sounds)), False)]
    if not sounds:
        return [Check("sound", "none", "none", True)]
    checks = []
    for number, (sound, one) in enumerate(zip(sounds, made.sounds, strict=True)):
        name = "sound" if len(sounds) == 1 else f"sound {number + 1}"
        checks += _stream_checks(_Stream(plan, plan.out, sound, one, name))
    return checks


def _beside_checks(plan: FilePlan) -> list[Check]:
    """The checks of WAV files, with the start that each states."""
    checks = []
    folder = plan.out if plan.setting.is_numbered else plan.out.parent
    for path, sound in zip(beside(plan, folder), plan.sounds, strict=True):
        found = probe(path).sounds
        if len(found) != 1:
            checks.append(Check(path.name, "one sound stream", _streams_words(len(found)), False))
            continue
        with opened(path) as container:
            stated = container.metadata.get("time_reference", "none")
        planned = time_reference(plan.start, sound.rate)
        checks.append(Check.of_equal(f"{path.name}, samples since midnight", planned, stated))
        checks += _stream_checks(_Stream(plan, path, sound, found[0], path.name))
    return checks


@dataclass(frozen=True)
class _Stream:
    """A stream of sound in the file at ``path``, and what it is called here, with the sound that was planned."""

    plan: FilePlan
    path: Path
    sound: SoundTrack
    found: Sound
    name: str


def _stream_checks(made: _Stream) -> list[Check]:
    plan, sound, one, name = made.plan, made.sound, made.found, made.name
    exact = plan.encoding.sound.exact
    slack = 0 if exact else 2 * BLOCK
    with av.open(str(made.path)) as container:
        stream = sound_of(container, made.path, one.place)
        layout, codec = named_layout(stream), stream.codec_context.codec.canonical_name
        placing = Placing(container, stream, one.times, "flt")
        first, found = None, 0
        for frame in decoded(container, stream):
            first = placing.own_place(frame) if first is None else first
            found += frame.samples
    right = one.sample_rate == sound.rate and -slack <= found - sound.samples <= slack
    planned, there = f"{sound.samples} samples at {sound.rate}", f"{found} samples at {one.sample_rate}"
    if right and found != sound.samples:
        there += f" (codec padding of {found - sound.samples}, allowed)"
    checks = [Check(name, planned, there, right)]
    begins = _begins(first or 0, one)
    checks.append(Check(f"{name}, start", "in sync with the picture", begins, begins == "in sync with the picture"))
    named = plan.encoding.into.names_sounds and plan.encoding.has_sound
    kind = Codec(plan.encoding.sound.encoder, "w").canonical_name
    wanted = (sound.layout[0], kind, sound.name if named else "")
    actual = (layout, codec, one.name if named else "")
    checks.append(Check(f"{name}, channels", _described(*wanted), _described(*actual), wanted == actual))
    if right and wanted[0] == actual[0]:
        compared = _samples_check if exact else _likeness_check
        checks.append(compared(made))
    return checks


def _described(layout: str, codec: str, name: str) -> str:
    return ", ".join(filter(None, (layout, codec, f"“{name}”" if name else "")))


def _begins(first: int, one: Sound) -> str:
    """Where a sound is heard by its times, in words: with the picture, or not."""
    if abs(first) > COARSE_TIMES * one.sample_rate + 1:
        late = Fraction(first, one.sample_rate)
        return f"{abs(float(late)):.3f} s {'later' if late > 0 else 'earlier'}"
    if one.times.runs or one.times.rate is not None:
        return "in sync with the picture, then drifting"
    return "in sync with the picture"


def _samples_check(made: _Stream) -> Check:
    """The sound of a plan made once more, beside what is in the file, to the 16 or 24 bits of that."""
    wrong, full, kind = 0, 0, made.plan.encoding.sound.sample_format
    spare, loudest = (0, (1 << 15) - 1) if kind == "s16" else (8, _FULL_SCALE)
    pairs = _side_by_side((array_of(frame) for frame in made.sound.frames(kind)), _heard(made, kind))
    for wanted, found in pairs:
        wrong += int(np.count_nonzero(wanted >> spare != found >> spare))
        full += int(np.count_nonzero((wanted >= loudest) | (wanted <= -loudest)))
    loud = f", {full} of them at full level" if full else ""
    name = f"{made.name}, each sample"
    return Check(name, f"as planned{loud}", f"as planned{loud}" if wrong == 0 else f"{wrong} differ", wrong == 0)


def _heard(made: _Stream, sample_format: str) -> Iterator[Samples]:
    """What is in the file, shape (channels, samples), one piece after the other."""
    with av.open(str(made.path)) as container:
        stream = sound_of(container, made.path, made.found.place)
        resampler = AudioResampler(format=sample_format, layout=made.sound.layout[0], rate=made.sound.rate)
        for frame in decoded(container, stream):
            yield from (array_of(piece) for piece in resampler.resample(frame))


def _side_by_side(one: Iterator[Samples], other: Iterator[Samples], most: int = 0) -> Iterator[tuple[Samples, Samples]]:
    """Two runs of samples in pieces of the same length, of ``most`` where that is said, but for the last; what one has
    more than the other stands beside silence."""
    runs, rests = (one, other), [np.zeros((0, 0)), np.zeros((0, 0))]
    while True:
        for number, run in enumerate(runs):
            while rests[number].shape[1] < max(1, most) and (piece := next(run, None)) is not None:
                rests[number] = piece if not rests[number].shape[1] else np.concatenate([rests[number], piece], axis=1)
        a, b = rests
        if not a.shape[1] and not b.shape[1]:
            return
        count = min(a.shape[1], b.shape[1]) or max(a.shape[1], b.shape[1])
        count = min(count, most) if most else count
        yield _filled(a[:, :count], b, count), _filled(b[:, :count], a, count)
        rests = [a[:, count:], b[:, count:]]


def _filled(samples: Samples, like: Samples, count: int) -> Samples:
    return samples if samples.shape[1] == count else np.zeros((like.shape[0], count), like.dtype)


def _likeness_check(made: _Stream) -> Check:
    """What is kept with loss, beside the sound of the plan, made once more."""
    sound = made.sound
    layout, left = AudioLayout(sound.layout[0]), sound.samples
    compared = _Likeness(sound.rate, tuple(channel.name == "LFE" for channel in layout.channels))
    wanted = (array_of(frame) for frame in sound.frames("flt"))
    for x, y in _side_by_side(wanted, _heard(made, "flt"), _WINDOW):
        count = min(left, x.shape[1])
        if count >= _FEWEST or left == sound.samples:
            compared.take(x[:, :count], y[:, :count])
        left -= count
    fault = compared.fault()
    planned = f"level and shape of {sound.layout[1]} channel{'s' if sound.layout[1] > 1 else ''}"
    return Check(f"{made.name}, content", planned, fault or planned, not fault)


class _Likeness:
    """Adds up, window by window, how a sound with loss compares with the one that was planned."""

    def __init__(self, rate: int, effects: tuple[bool, ...]) -> None:
        self._rate = rate
        apart = [effect or other for effect, other in pairwise(effects)]
        self._highest = np.where([*effects, *apart], _EFFECTS, _HIGH)
        self._sums: npt.NDArray[np.float64] | None = None
        self._worst: dict[int, tuple[float, float, float]] = {}
        self._noise: dict[int, float] = {}
        self._window = 0

    def take(self, wanted: Samples, found: Samples) -> None:
        """The next window of both, shape (channels, samples)."""
        x, y = (self._spectra(samples) for samples in (wanted, found))
        count = wanted.shape[1]
        sums = np.stack([np.abs(x) ** 2, (x * y.conj()).real, np.abs(y) ** 2]).sum(axis=2) * 2 / count**2
        self._sums = sums if self._sums is None else self._sums + sums
        for channel, (planned, both, heard) in enumerate(sums.T):
            seconds = self._window * _WINDOW / self._rate
            if planned < _SILENT**2:
                if heard > 16 * _SILENT**2:
                    self._noise.setdefault(channel, seconds)
                continue
            unlike = (planned - 2 * both + heard) / planned
            if unlike > max(_UNLIKE, self._worst.get(channel, (0.0, 0.0, 0.0))[0]):
                self._worst[channel] = (unlike, seconds, self._shift(x[channel], y[channel], count))
        self._window += 1

    def _spectra(self, samples: Samples) -> npt.NDArray[np.complex128]:
        """Of each channel, and of the difference of each and the next, what lies in the range that is compared; shape
        (channels, frequencies)."""
        apart = [(sample - other) / 2 for sample, other in pairwise(samples)]
        found = np.fft.rfft(np.concatenate([samples, np.reshape(apart, (-1, samples.shape[1]))]), axis=1)
        hertz = np.fft.rfftfreq(samples.shape[1], 1 / self._rate)
        found[(hertz < _LOW) | (hertz > self._highest[:, None])] = 0
        return found

    def _shift(self, x: npt.NDArray[np.complex128], y: npt.NDArray[np.complex128], count: int) -> float:
        """By how many seconds the second is later."""
        alike = np.fft.irfft(y * x.conj(), count)
        most = min(count // 2, round(_SHIFTS * self._rate))
        near = np.concatenate([alike[-most:], alike[: most + 1]])
        return float(np.argmax(near) - most) / self._rate

    def fault(self) -> str:
        """What is wrong, in words; empty where nothing is."""
        if self._sums is None:
            return ""
        channels = (self._sums.shape[1] + 1) // 2
        for channel in range(channels):
            if fault := self._channel_fault(channel):
                return f"channel {channel + 1} {fault}"
        for first in range(channels - 1):
            around = self._sums[0, first] + self._sums[0, first + 1]
            planned = self._sums[0, channels + first]
            if planned > max(_APART * around, _SILENT**2) and (fault := self._channel_fault(channels + first)):
                return f"the difference of channels {first + 1} and {first + 2} {fault}"
        return ""

    def _channel_fault(self, channel: int) -> str:
        assert self._sums is not None
        planned, both, heard = self._sums[:, channel]
        if channel in self._noise and channel < (self._sums.shape[1] + 1) // 2:
            return f"sounds at {self._noise[channel]:.1f} s, where silence was planned"
        if planned == 0 or planned < _SILENT**2 * self._window / 100:
            return ""
        if heard < planned / 1000:
            return "is silent"
        if channel in self._worst:
            _, seconds, shift = self._worst[channel]
            if abs(shift) > 1 / 2000:
                return f"is {abs(shift) * 1000:.0f} ms {'late' if shift > 0 else 'early'} at {seconds:.1f} s"
            if both < planned / 2:
                return f"is not what was planned at {seconds:.1f} s"
        level = 20 * np.log10(max(both / planned, 1e-6))
        # What a codec leaves of noise is quieter by as much as it differs (rate-distortion theory).
        loose = _LEVEL if self._highest[channel] == _HIGH else _EFFECTS_LEVEL
        lost = max(0.0, (planned - 2 * both + heard) / planned)
        if abs(both / planned - 1) > 10 ** (loose / 20) - 1 + lost:
            return f"is {abs(level):.1f} dB {'louder' if level > 0 else 'quieter'}"
        if channel in self._worst:
            return f"is not what was planned at {self._worst[channel][1]:.1f} s"
        return ""


def _streams_words(count: int) -> str:
    return "none" if count == 0 else f"{count} stream{'s' if count > 1 else ''}"
