"""Sound to listen to and to look at: any stretch of what will be made, and its peaks.

What is heard is made in the very parts of which the file is made. Peaks of a file are read once and kept, so that any
window of a long clip is drawn at once; closer than they are fine, they are taken from the samples.
"""

import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import numpy as np
import numpy.typing as npt

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.sound_times import FOLLOWING
from oddmeter.media.shelf import Shelf, UnderWay
from oddmeter.media.sound.beats import Beats, beats_in
from oddmeter.media.sound.mixing import Mix, NestedSound, add
from oddmeter.media.sound.reader import SoundReader
from oddmeter.media.sound.track import PART_SECONDS, SoundPlan, SoundTrack, made_part
from oddmeter.media.sound.wav import wav_of

Peaks = npt.NDArray[np.int8]
"""Lowest and highest, of 127, of each block of samples: shape (blocks, 2)."""
BLOCK = 256
_MOST_READERS, _MOST_PARTS, _MOST_DRAWN = 4, 24, 64


def _joined(
    plan: SoundPlan, begins: int, ends: int, part_of: Callable[[int], npt.NDArray[np.float32]]
) -> npt.NDArray[np.float32]:
    """Made samples from one to another, of the parts that they lie in."""
    size, pieces = PART_SECONDS * plan.rate, []
    for number in range(begins // size, -(-ends // size)):
        part, at = part_of(number), number * size
        pieces.append(part[:, max(0, begins - at) : ends - at])
    return np.concatenate(pieces, axis=1) if pieces else np.zeros((1, 0), np.float32)


@dataclass
class _Drawn:
    """The peaks of a stream as far as they have been read."""

    peaks: Peaks
    done: int = 0
    whole: bool = False


@dataclass(frozen=True)
class Window:
    """Peaks of a window, column by column, and how much of the file had been read for them, of 100."""

    low: list[int]
    high: list[int]
    percent: int


class Hearing:
    """What the Bench listens with: a few files open, a few parts made, peaks kept in a folder by the file's content."""

    def __init__(self, folder: Path) -> None:
        self._shelf = Shelf(folder)
        self._readers: OrderedDict[tuple[str, int], SoundReader] = OrderedDict()
        self._parts: OrderedDict[tuple[str, int], npt.NDArray[np.float32]] = OrderedDict()
        self._making: UnderWay[npt.NDArray[np.float32]] = UnderWay()
        self._drawn: dict[tuple[str, int], _Drawn] = {}
        self._lock, self._listening = threading.RLock(), threading.Lock()
        self._closing = threading.Event()
        self._reading: list[threading.Thread] = []

    def close(self) -> None:
        """Close every file, and stop what is being read."""
        self._closing.set()
        for thread in self._reading:
            thread.join(timeout=5)
        with self._lock:
            while self._readers:
                self._readers.popitem()[1].close()

    def wav(self, plan: SoundPlan, content: str, first: Fraction, last: Fraction) -> bytes:
        """The made sound from second ``first`` to second ``last`` of the timeline, as a WAV file of sixteen bits."""
        begins, ends = round(first * plan.rate), min(round(last * plan.rate), plan.samples)
        return wav_of(_joined(plan, begins, ends, lambda number: self._part(plan, content, number)), plan.rate)

    def mixed(self, mix: Mix, contents: Mapping[Path, str]) -> bytes:
        """A mix as a WAV file of sixteen bits; ``contents`` identify the content of each file by a key."""
        return wav_of(self._added(mix, contents, 0, mix.length), mix.rate)

    def _added(self, mix: Mix, contents: Mapping[Path, str], low: int, high: int) -> npt.NDArray[np.float32]:
        """Samples ``low`` to ``high`` of a mix, those beyond it silent."""
        out = np.zeros((mix.channels, high - low), np.float32)
        for laid in mix.laid:
            first, stop = max(0, low - laid.at), min(laid.track.samples, high - laid.at)
            if first < stop:
                add(out, laid, self._track(laid.track, contents, first, stop), first, low)
        return out

    def _track(self, track: SoundTrack, contents: Mapping[Path, str], first: int, stop: int) -> npt.NDArray[np.float32]:
        """Samples of one sound of a mix."""
        if isinstance(track, NestedSound):
            inner = track.inner
            read = track.source_of(lambda low, high: self._added(inner, contents, low, high))
            return _joined(track.plan, first, stop, lambda number: made_part(track.plan, number, read))
        assert isinstance(track, SoundPlan)
        return _joined(track, first, stop, lambda number: self._part(track, contents[track.path], number))

    def window(self, plan: SoundPlan, content: str, edges: npt.NDArray[np.float64]) -> Window:
        """The peaks of what is heard between each two moments of the timeline that follow each other in ``edges``,
        seconds: shape (columns + 1,). Where time stands still there is silence."""
        rate = float(plan.source_rate)
        places = plan.seconds_at(edges) * rate
        ends = (float(plan.start) * rate, float(plan.start + plan.seconds) * rate)
        places = np.clip(places, *ends)
        low, high = np.minimum(places[:-1], places[1:]), np.maximum(places[:-1], places[1:])
        first, last = np.floor(low).astype(np.int64), np.ceil(high).astype(np.int64)
        silent = high - low < 1e-6
        if (high - low).max(initial=0) < 2 * BLOCK:
            reader = self._reader(plan, content)
            start = int(first.min())
            with reader.lock:
                samples = reader.read(start, int(last.max()) + 1)
            found = np.stack([samples.min(axis=0), samples.max(axis=0)], axis=1) * 127
            return _columns(found, first - start, last - start, silent, 100)
        drawn = self._peaks(plan, content)
        percent = 100 if drawn.whole else min(99, int(100 * drawn.done / max(1, len(drawn.peaks))))
        return _columns(drawn.peaks, first // BLOCK, -(-last // BLOCK), silent, percent)

    def begin(self, plan: SoundPlan, content: str) -> None:
        """Begin to read the peaks of a file, where they are not kept."""
        self._peaks(plan, content)

    def beats(self, path: Path, content: str) -> Beats:
        """The beats of a file's sound, found once and kept."""
        key = f"{content}-beats"
        with self._listening:
            if (kept := self._shelf.get(key)) is not None:
                tempo, *beats = json.loads(kept)
                return Beats(tempo, tuple(beats))
            found = beats_in(path)
            self._shelf.put(key, json.dumps([found.tempo, *found.beats]).encode())
            return found

    def _part(self, plan: SoundPlan, content: str, number: int) -> npt.NDArray[np.float32]:
        """A part as it is made, once for all who ask for it at the same time."""
        key = (f"{content} {_words(plan)}", number)
        with self._lock:
            if key in self._parts:
                self._parts.move_to_end(key)
                return self._parts[key]

        def made() -> npt.NDArray[np.float32]:
            part = self._made(plan, content, number)
            with self._lock:
                self._parts[key] = part
                while len(self._parts) > _MOST_PARTS:
                    self._parts.popitem(last=False)
            return part

        return self._making.once(key, made)

    def _made(self, plan: SoundPlan, content: str, number: int) -> npt.NDArray[np.float32]:
        reader = self._reader(plan, content)
        start, stop = round(plan.start * reader.rate), round((plan.start + plan.seconds) * reader.rate)

        def read(low: int, high: int) -> npt.NDArray[np.float32]:
            first, last = max(low, 0), min(high, stop - start)
            if first >= last:
                return np.zeros((reader.channels, high - low), np.float32)
            with reader.lock:
                inside = reader.read(start + first, start + last)
            return np.pad(inside, ((0, 0), (first - low, high - last)))

        return made_part(plan, number, read)

    def _reader(self, plan: SoundPlan, content: str) -> SoundReader:
        key = (content, plan.place)
        with self._lock:
            if key not in self._readers:
                self._readers[key] = SoundReader(plan.path, plan.place, plan.times)
            self._readers.move_to_end(key)
            while len(self._readers) > _MOST_READERS:
                self._readers.popitem(last=False)  # closed when the last who reads it lets go of it
            return self._readers[key]

    def _peaks(self, plan: SoundPlan, content: str) -> _Drawn:
        key, name = (content, plan.place), f"{content}-peaks-{plan.place}"
        with self._lock:
            if key in self._drawn:
                return self._drawn[key]
            if (kept := self._shelf.get(name)) is not None:
                peaks = np.frombuffer(kept, np.int8).reshape(-1, 2)
                self._drawn[key] = _Drawn(peaks, len(peaks), True)
                return self._drawn[key]
            blocks = int((sound_seconds(plan.path, plan.place) + 1) * plan.source_rate) // BLOCK
            drawn = self._drawn[key] = _Drawn(np.zeros((max(1, blocks), 2), np.int8))
            for done in [key for key, drawn in self._drawn.items() if drawn.whole][:-_MOST_DRAWN]:
                del self._drawn[done]
            thread = threading.Thread(target=self._read_peaks, args=(plan, drawn, name), daemon=True, name="peaks")
            self._reading = [reader for reader in self._reading if reader.is_alive()] + [thread]
            thread.start()
            return drawn

    def _read_peaks(self, plan: SoundPlan, drawn: _Drawn, name: str) -> None:
        rest = np.zeros(0, np.float32)
        try:
            reader = SoundReader(plan.path, plan.place, plan.times)
        except (RuleError, OSError):
            drawn.whole = True
            return
        try:
            lows, highs = rest, rest
            for samples in reader.all():
                if self._closing.is_set():
                    return
                lows = np.concatenate([lows, samples.min(axis=0)])
                highs = np.concatenate([highs, samples.max(axis=0)])
                blocks = len(lows) // BLOCK
                if blocks >= 64:
                    lows, highs = _put(drawn, lows, highs, blocks)
            blocks = -(-len(lows) // BLOCK)
            short = blocks * BLOCK - len(lows)
            _put(drawn, np.pad(lows, (0, short)), np.pad(highs, (0, short)), blocks)
        finally:
            reader.close()
        drawn.whole = True
        self._shelf.put(name, drawn.peaks[: drawn.done].tobytes())


def _put(
    drawn: _Drawn, lows: npt.NDArray[np.float32], highs: npt.NDArray[np.float32], blocks: int
) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Note the peaks of so many blocks; returns what is left of the samples."""
    room = min(blocks, len(drawn.peaks) - drawn.done)
    for side, samples, least in ((0, lows, np.min), (1, highs, np.max)):
        levels = least(samples[: blocks * BLOCK].reshape(blocks, BLOCK), axis=1)
        rounded = np.clip(np.round(levels * 127), -127, 127).astype(np.int8)
        drawn.peaks[drawn.done : drawn.done + room, side] = rounded[:room]
    drawn.done += room
    return lows[blocks * BLOCK :], highs[blocks * BLOCK :]


def _columns(
    found: npt.NDArray[np.int8] | npt.NDArray[np.float32],
    first: npt.NDArray[np.int64],
    last: npt.NDArray[np.int64],
    silent: npt.NDArray[np.bool_],
    percent: int,
) -> Window:
    """Peaks between places, the same ones where a column holds none of its own."""
    count = len(found)
    if count == 0:
        nothing = [0] * len(first)
        return Window(nothing, nothing, percent)
    found = np.concatenate([found, found[-1:]])
    silent = silent | (last <= 0) | (first >= count)
    first = np.clip(first, 0, count - 1)
    last = np.clip(np.maximum(last, first + 1), 1, count)
    pairs = np.stack([first, last], axis=1).ravel()
    one = last - first == 1
    low = np.where(one, found[first, 0], np.minimum.reduceat(found[:, 0], pairs)[::2])
    high = np.where(one, found[first, 1], np.maximum.reduceat(found[:, 1], pairs)[::2])
    low, high = np.where(silent, 0, low), np.where(silent, 0, high)
    return Window(
        [int(value) for value in np.clip(np.round(low), -127, 127)],
        [int(value) for value in np.clip(np.round(high), -127, 127)],
        percent,
    )


def _words(plan: SoundPlan) -> str:
    return repr((
        plan.factor, plan.start, plan.seconds, plan.length, plan.rate, plan.keeps_pitch, plan.backwards, plan.place,
        plan.fade, plan.times,
        plan.course and (plan.course.path, plan.course.scale, plan.course.rate, plan.course.clock is None),
    ))  # fmt: skip


@lru_cache(maxsize=64)
def sound_seconds(path: Path, place: int = 0) -> Fraction:
    """Seconds from the first picture of a file, or its first sample, to the end of one of its sounds."""
    reader = SoundReader(path, place, FOLLOWING)
    try:
        return reader.seconds
    finally:
        reader.close()
