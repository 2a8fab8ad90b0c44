"""Music beside a clip: which file, where it starts on the clip's timeline, and how it ends; and beats, its beats.

MusicBeats are seconds of the music, in order. They are found, and then moved, added, taken out, halved, doubled and
tapped.
"""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate

MusicBeats = tuple[Fraction, ...]

USUAL_FADE = 25
_MOST_FRAMES = 10_000_000
_MOST_BEATS = 50_000
_AT_ONCE = Fraction(1, 20)
"""Seconds between two beats below which they are one."""


@dataclass(frozen=True)
class Music:
    """A file of sound beside a clip, by media root and path; ``start`` is the timeline frame on which it begins, which
    may lie before the clip's, ``fade`` the timeline frames over which it ends with the picture. Without a path there
    is none."""

    root: str = ""
    path: str = ""
    start: int = 0
    fade: int = USUAL_FADE

    def __bool__(self) -> bool:
        return bool(self.path)

    def __str__(self) -> str:
        return f"{self.start} {self.fade} {self.root}:{self.path}" if self else "none"

    @property
    def name(self) -> str:
        """The name of its file."""
        return self.path.rsplit("/", maxsplit=1)[-1]

    @staticmethod
    def parse(text: str) -> "Music":
        """From its text: ``none``, or where it starts, its fade, root and path: ``-12 25 Footage:Music/tide.wav``."""
        if text in ("none", ""):
            return Music()
        start, _, rest = text.partition(" ")
        fade, _, place = rest.partition(" ")
        root, _, path = place.partition(":")
        whole = start.removeprefix("-").isdecimal() and fade.isdecimal() and len(start) < 12 and len(fade) < 12
        if not whole or not root or not path:
            raise RuleError(f"“{text}” is not music: give a start, a fade and root:path.", "music")
        if abs(int(start)) > _MOST_FRAMES or int(fade) > _MOST_FRAMES:
            raise RuleError("The start and fade of music must be within 10,000,000 frames.", "music")
        return Music(root, path, int(start), int(fade))

    def place(self, second: Fraction, rate: Rate) -> Fraction:
        """Where a second of the music falls on the timeline, in frames."""
        return self.start + second * rate.value

    def second(self, frame: Fraction, rate: Rate) -> Fraction:
        """The second of the music at a timeline frame."""
        return (frame - self.start) / rate.value


NO_MUSIC = Music()


def tempo(beats: MusicBeats) -> Fraction | None:
    """Beats a minute by the middle one of all steps; None where there are fewer than two beats."""
    steps = sorted(after - before for before, after in pairwise(beats))
    return 60 / steps[len(steps) // 2] if steps else None


def with_beat(beats: MusicBeats, second: Fraction) -> MusicBeats:
    """A further beat; one that is there already stays the only one."""
    if second < 0:
        raise RuleError("The music has not started at this frame.", "music")
    if any(abs(beat - second) < _AT_ONCE for beat in beats):
        raise RuleError("There is already a beat here.", "music")
    return _in_order([*beats, second])


def without_beat(beats: MusicBeats, number: int) -> MusicBeats:
    """Without one of the beats."""
    _beat(beats, number)
    return (*beats[:number], *beats[number + 1 :])


def with_moved_beat(beats: MusicBeats, number: int, second: Fraction) -> MusicBeats:
    """One beat at another second."""
    return with_beat(without_beat(beats, number), second)


def halved(beats: MusicBeats) -> MusicBeats:
    """Every other beat, from the first on."""
    return beats[::2]


def doubled(beats: MusicBeats) -> MusicBeats:
    """A further beat half way between each two."""
    between = [(before + after) / 2 for before, after in pairwise(beats)]
    return _in_order([*beats, *between])


def tapped(beats: MusicBeats, taps: Sequence[Fraction]) -> MusicBeats:
    """MusicBeats where somebody tapped, in place of those that lay between the first tap and the last, and half a step
    around."""
    own = sorted(tap for tap in taps if tap >= 0)
    if len(own) < 2:
        raise RuleError("Tap at least two beats.", "music")
    around = (own[-1] - own[0]) / (len(own) - 1) / 2
    kept = [beat for beat in beats if beat < own[0] - around or beat > own[-1] + around]
    return _in_order([*kept, *own])


def nearest_beat(beats: MusicBeats, second: Fraction) -> int:
    """The number of the beat nearest to a second; raises ``RuleError`` where there is none."""
    if not beats:
        raise RuleError("This music has no beats yet.", "music")
    after = bisect_left(beats, second)
    near = [number for number in (after - 1, after) if 0 <= number < len(beats)]
    return min(near, key=lambda number: abs(beats[number] - second))


def _beat(beats: MusicBeats, number: int) -> Fraction:
    if not 0 <= number < len(beats):
        raise RuleError("This beat does not exist.", "music")
    return beats[number]


def _in_order(beats: Sequence[Fraction]) -> MusicBeats:
    if len(beats) > _MOST_BEATS:
        raise RuleError(f"Music can have up to {_MOST_BEATS} beats.", "music")
    return tuple(sorted(beats))
