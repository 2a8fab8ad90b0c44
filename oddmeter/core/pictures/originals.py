"""The pictures that were there before pulldown or repeats: which frames and fields of a file hold each of them.

Pulldown spreads four pictures over the fields of five frames; each is put together again from its two fields, the
ones that share a frame where there is a choice. Of a run of repeated frames the first stays. What is left has its
own, even rate, so that every picture stands at its true moment.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from oddmeter.core.pictures.fields import PULLDOWNS, beneath
from oddmeter.core.pictures.report import PictureReport, Stretch
from oddmeter.core.pictures.scan import FieldOrder

_PICTURES_A_ROUND, _FRAMES_A_ROUND = 4, 5
PULLDOWN_SHARE = Fraction(_PICTURES_A_ROUND, _FRAMES_A_ROUND)
"""Pictures for each frame of a file that carries pulldown."""


@dataclass(frozen=True)
class Unit:
    """One source picture: the frames of the file that its upper and its lower lines come from.

    None where one of the two fields is not there; then the picture is made from the other alone.
    """

    upper: int | None
    lower: int | None

    @property
    def frames(self) -> tuple[int, ...]:
        """The frames it takes, in order."""
        return tuple(sorted({frame for frame in (self.upper, self.lower) if frame is not None}))


@dataclass(frozen=True)
class Originals:
    """How to find the pictures in a file: ``stretches`` that carry pulldown, or in ``new`` a sign for every frame,
    "1" where it is a new picture. ``share`` are pictures for each frame."""

    share: Fraction
    stretches: tuple[Stretch, ...] = ()
    new: str = ""

    @cached_property
    def _hash(self) -> int:
        return hash((self.share, self.stretches, self.new))

    def __hash__(self) -> int:
        return self._hash

    def units(self, first: int, stop: int) -> tuple[Unit, ...]:
        """The pictures in frames ``first`` to ``stop − 1``; a field that lies outside counts as not there."""
        if self.new:
            return tuple(Unit(n, n) for n in range(first, stop) if n == first or self.new[n] == "1")
        kept: list[Unit] = []
        for stretch in self.stretches:
            a, b = max(stretch.first_frame, first), min(stretch.last_frame + 1, stop)
            if a < b:
                due = round((b - first) * self.share) - len(kept)
                kept += _pulled_out(stretch, a, b, due) if stretch.pattern else _thinned(a, b, due)
        return tuple(kept)

    @cached_property
    def words(self) -> str:
        """``4 pictures in 5 frames``."""
        kept, of = self.share.numerator, self.share.denominator
        return f"{kept} {'picture' if kept == 1 else 'pictures'} in {of} frames"


def originals_of(report: PictureReport | None) -> Originals | None:
    """How the pictures can be taken out of a clip; None where nothing is in the way of them, or nobody has looked.

    Repeats can be taken out once every frame was looked at, not only samples.
    """
    if report is None:
        return None
    if report.repeats is not None:
        return Originals(report.repeats.step, new=report.repeats.new) if report.repeats.new else None
    if not any(stretch.pattern for stretch in report.stretches):
        return None
    pulled = any(stretch.pattern in PULLDOWNS for stretch in report.stretches)
    return Originals(PULLDOWN_SHARE if pulled else Fraction(1), tuple(beneath(report.stretches)))


def pictures_of_fields(stretches: Sequence[Stretch], first: int, stop: int) -> tuple[tuple[int, int], ...]:
    """For each of the frames ``first`` to ``stop − 1`` the picture that its first and its second field in time come
    from, counted from 0; nothing where no stretch carries pulldown."""
    stretches = beneath(stretches)
    if not any(stretch.pattern for stretch in stretches):
        return ()
    numbers: dict[tuple[int, int], int] = {}
    out = []
    for frame in range(first, stop):
        place, stretch = next(
            ((i, part) for i, part in enumerate(stretches) if part.first_frame <= frame <= part.last_frame), (-1, None)
        )
        both = _pictures(stretch, frame) if stretch and stretch.pattern else (frame, frame)
        one, other = (numbers.setdefault((place, picture), len(numbers)) for picture in both)
        out.append((one, other))
    return tuple(out)


def _pulled_out(stretch: Stretch, first: int, stop: int, due: int) -> list[Unit]:
    """The pictures of one stretch: all whose two fields are there, and of those with one field as many as are due."""
    found: dict[int, dict[str, list[int]]] = {}
    early = stretch.field_order or FieldOrder.UPPER
    for frame in range(first, stop):
        for name, picture in zip((early, early.other), _pictures(stretch, frame), strict=True):
            found.setdefault(picture, {"upper": [], "lower": []})[name].append(frame)
    whole = [picture for picture, fields in found.items() if fields["upper"] and fields["lower"]]
    halves = [picture for picture in found if picture not in whole]
    wanted = {*whole, *halves[: max(0, due - len(whole))]}
    return [_woven(found[picture]) for picture in sorted(wanted)]


def _pictures(stretch: Stretch, frame: int) -> tuple[int, int]:
    """The picture in the first and in the second field of a frame, counted within the stretch."""
    if stretch.pattern == "2:2":
        return frame, frame + 1
    assert stretch.pattern is not None
    place = (stretch.phase or 0) + frame - stretch.first_frame
    round_number, position = divmod(place, _FRAMES_A_ROUND)
    first, second = PULLDOWNS[stretch.pattern][position]
    return _PICTURES_A_ROUND * round_number + first, _PICTURES_A_ROUND * round_number + second


def _woven(fields: dict[str, list[int]]) -> Unit:
    both = [frame for frame in fields["upper"] if frame in fields["lower"]]
    if both:
        return Unit(both[0], both[0])
    return Unit(fields["upper"][0] if fields["upper"] else None, fields["lower"][0] if fields["lower"] else None)


def _thinned(first: int, stop: int, due: int) -> Iterator[Unit]:
    """Frames of a stretch without pulldown, evenly thinned out so that time stays true beside stretches with it."""
    count = stop - first
    for i in range(min(due, count)):
        frame = first + i * count // due
        yield Unit(frame, frame)
