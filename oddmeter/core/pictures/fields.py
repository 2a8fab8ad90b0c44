"""Which field comes first, and which pulldown a file carries, read from measured pictures.

Each way to carry pictures in fields says how many steps of motion lie between any two fields of neighbouring
frames. Five such pairs are measured for every frame. A way fits a frame where the measured energies grow with
the steps it says. The likeliest sequence of ways over all frames is found with the Viterbi algorithm: a way goes
on unless what follows speaks clearly for another, which costs less at a cut.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from oddmeter.core.pictures.report import Measures, Series, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan


class Carriage(StrEnum):
    """A way to carry pictures in the two fields of a frame."""

    WHOLE = "whole"
    SHIFTED = "shifted"
    FIELDS = "fields"
    TWO_THREE = "2:3"
    TWO_THREE_THREE_TWO = "2:3:3:2"


_POSITIONS: dict[Carriage, tuple[tuple[int, int], ...]] = {
    Carriage.WHOLE: ((0, 0),),
    Carriage.SHIFTED: ((0, 1),),
    Carriage.FIELDS: ((0, 1),),
    Carriage.TWO_THREE: ((0, 0), (1, 1), (1, 2), (2, 3), (3, 3)),
    Carriage.TWO_THREE_THREE_TWO: ((0, 0), (1, 1), (1, 2), (2, 2), (3, 3)),
}
"""For each frame of the pattern the picture in its first and in its second field."""
PULLDOWNS = {way.value: _POSITIONS[way] for way in (Carriage.TWO_THREE, Carriage.TWO_THREE_THREE_TWO)}
"""By name, the pulldowns that carry four pictures in five frames, as in ``_POSITIONS``."""
_ADVANCE = {
    Carriage.WHOLE: 1,
    Carriage.SHIFTED: 1,
    Carriage.FIELDS: 2,
    Carriage.TWO_THREE: 4,
    Carriage.TWO_THREE_THREE_TWO: 4,
}
"""Pictures that one round of the pattern moves on."""


@dataclass(frozen=True)
class CarriagePhase:
    """A way with the field that comes first and the position of a frame in its pattern."""

    way: Carriage
    first: FieldOrder
    position: int = 0

    @property
    def steps(self) -> tuple[int, int, int, int, int]:
        """Steps of motion between the pairs of ``Measures.energies``."""
        pattern = _POSITIONS[self.way]
        early, late = pattern[self.position]
        early_before, late_before = pattern[self.position - 1]
        if self.position == 0:
            early_before, late_before = early_before - _ADVANCE[self.way], late_before - _ADVANCE[self.way]
        upper, lower, upper_before, lower_before = early, late, early_before, late_before
        if self.first is FieldOrder.LOWER:
            upper, lower, upper_before, lower_before = lower, upper, lower_before, upper_before
        return (
            abs(upper - upper_before), abs(lower - lower_before), abs(upper - lower),
            abs(upper - lower_before), abs(lower - upper_before),
        )  # fmt: skip

    @property
    def next(self) -> "CarriagePhase":
        """The state of the frame that follows."""
        return CarriagePhase(self.way, self.first, (self.position + 1) % len(_POSITIONS[self.way]))


STATES: tuple[CarriagePhase, ...] = tuple(
    CarriagePhase(way, first, position)
    for way, pattern in _POSITIONS.items()
    for first in ((FieldOrder.UPPER,) if way is Carriage.WHOLE else FieldOrder)
    for position in range(len(pattern))
)
_NEXT = np.array([STATES.index(state.next) for state in STATES])
_WHOLE = STATES.index(CarriagePhase(Carriage.WHOLE, FieldOrder.UPPER))


@dataclass(frozen=True)
class Growth:
    """How energy grows with steps of motion in one clip: the energies of one, two and three steps, relative to each
    other. Little where small things leap, much where large things creep. ``inside`` is what compression leaves of
    the difference between the two fields of an interlaced frame."""

    energies: tuple[float, float, float]
    inside: float = 1.0

    def of(self, state: CarriagePhase) -> tuple[float, ...]:
        """The relative energies that a state predicts for the five pairs."""
        grown = [self.energies[steps - 1] if steps else 0.0 for steps in state.steps]
        if state.way is Carriage.FIELDS:
            grown[2] *= self.inside
        return tuple(grown)


GROWTHS = tuple(
    Growth(energies, inside)
    for energies in ((1.0, 1.1, 1.2), (1.0, 1.3, 1.6), (1.0, 1.7, 2.4), (1.0, 2.7, 3.7), (1.0, 2.8, 5.2))
    for inside in (1.0, 0.3)
)
_MOST_TRIED = 600
"""Frames by which the growth of a clip is chosen."""
_TOLERANCE = 0.12
_MOST_LOSS = 12.0
_QUIET, _QUIET_SHARE, _QUIET_NOISE = 6.0, 0.03, 4.0
"""What compression and noise alone may make: an energy in grey levels squared, a share of what is usual in the clip,
and a multiple of what changes where the picture is stillest."""
_WASHED_OUT = 0.3
"""Likelihood that compression has made one whole picture of a frame whose fields held two."""
_LEAST_LEANS = ((0.5, 0.03, 40.0), (0.05, 0.17, 300.0))
"""Where the fields of a frame differ by at least the first, as a share of the nearer side: how much nearer that side
must be, and how much must move."""
_LEAST_LEAN_ERRORS = 4.0
LEAST_MOTION = 40.0
"""Energy in grey levels squared from which on enough moves to tell."""
_SWITCH, _SWITCH_AT_CUT = 24.0, 12.0
_LEAST_ADVANTAGE = 8.0
"""By how much, in log likelihood, a way must explain a stretch better than every other to be believed."""


def fits(measures: Measures, growth: Growth, at_cut: Sequence[int] = ()) -> npt.NDArray[np.float64]:
    """Log likelihood of every state for every frame, shape (frames, states), at most 0.

    A frame that the absence of motion explains as well says nothing, and neither does one at a cut.
    """
    energies = measures.energies
    crossing = np.array([0.0, 0.0, 1.0, 1.0, 1.0])
    quiet = max(_QUIET, _QUIET_SHARE * float(np.percentile(measures.motion, 90)), _QUIET_NOISE * _noise(measures))
    total = np.square(energies).sum(axis=1) + quiet**2
    still = _residual(energies, np.array([1.0, 1.0, 0.0, 0.0, 0.0]), crossing) / total
    losses = np.empty((len(measures), len(STATES)))
    known: dict[tuple[float, ...], npt.NDArray[np.float64]] = {}
    for index, state in enumerate(STATES):
        grown = growth.of(state)
        if grown not in known:
            known[grown] = _residual(energies, np.array(grown), crossing) / total
        losses[:, index] = known[grown]
    scale = 2 * _TOLERANCE**2
    likely = np.exp(-np.minimum(losses / scale, _MOST_LOSS))
    mixed = [index for index, state in enumerate(STATES) if state.steps[2]]
    likely[:, mixed] = np.maximum(likely[:, mixed], _WASHED_OUT * likely[:, [_WHOLE]])
    nothing = np.exp(-np.minimum(still / scale, _MOST_LOSS))[:, None]
    out = np.log(likely + nothing) - np.log(1 + nothing)
    out[[0, *at_cut]] = 0.0
    return np.asarray(out)


def _noise(measures: Measures) -> float:
    """The usual energy of the difference to the frame before where least moves."""
    return float(np.median(measures.regions, axis=0).min()) if measures.regions.size else 0.0


@dataclass(frozen=True)
class Run:
    """Entries ``start`` to ``stop - 1`` that one state's round explains best: in log likelihood by ``advantage`` more
    than any other way or order of fields, and by ``apart`` more than any other way."""

    start: int
    stop: int
    state: CarriagePhase
    advantage: float
    apart: float

    @property
    def believed(self) -> bool:
        """True where the way and the order of fields are clear."""
        return self.advantage >= _LEAST_ADVANTAGE

    @property
    def way_believed(self) -> bool:
        """True where the way is clear, be the order of fields clear or not."""
        return self.apart >= _LEAST_ADVANTAGE


def stretches(measures: Measures, at_cut: Sequence[int] = ()) -> list[Stretch]:
    """The frames in stretches that are carried in one way each; ``at_cut`` are entries where a shot begins.

    Where nothing moves enough to tell, the scan is unknown. Frames are numbered from ``measures.first_frame``.
    """
    return joined([stretch_of(measures, run) for run in runs(measures, at_cut)])


def runs(measures: Measures, at_cut: Sequence[int] = ()) -> list[Run]:
    """The likeliest sequence of ways, whether or not they are to be believed."""
    if len(measures) == 0:
        return []
    likelihood, path = _best(measures, at_cut)
    edges = [0, *(n for n in range(1, len(path)) if path[n] != _NEXT[path[n - 1]]), len(path)]
    return [_run(start, stop, STATES[path[start]], likelihood) for start, stop in pairwise(edges)]


def _best(measures: Measures, at_cut: Sequence[int]) -> tuple[npt.NDArray[np.float64], list[int]]:
    """Likelihoods and the likeliest path, with the growth that explains the clip's first frames best."""
    some = measures.first(_MOST_TRIED)
    tried = np.stack([fits(some, growth, [n for n in at_cut if n < len(some)]) for growth in GROWTHS])
    scores, paths = _likeliest(tried, set(at_cut))
    best = int(np.argmax(scores))
    if len(some) == len(measures):
        return tried[best], paths[best].tolist()
    likelihood = fits(measures, GROWTHS[best], at_cut)
    _, paths = _likeliest(likelihood[None], set(at_cut))
    return likelihood, paths[0].tolist()


def _residual(
    energies: npt.NDArray[np.float64], grown: npt.NDArray[np.float64], base: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    """Squared misfit of the best non-negative ``a * grown + b * base`` to each row."""
    gg, gb, bb = grown @ grown, grown @ base, base @ base
    eg, eb = energies @ grown, energies @ base
    determinant = gg * bb - gb * gb
    a = (eg * bb - eb * gb) / determinant
    b = (eb * gg - eg * gb) / determinant
    only_a, only_b = eg / gg, eb / bb
    a, b = np.where(b < 0, only_a, np.where(a < 0, 0.0, a)), np.where(b < 0, 0.0, np.where(a < 0, only_b, b))
    return np.asarray(np.square(energies - a[:, None] * grown - b[:, None] * base).sum(axis=1))


def _likeliest(likelihood: npt.NDArray[np.float64], at_cut: set[int]) -> tuple[Series, npt.NDArray[np.int64]]:
    """The likeliest sequence of states for each of several likelihoods, shape (several, frames, states): their log
    likelihoods, and the sequences, shape (several, frames)."""
    several, frames, count = likelihood.shape
    each = np.arange(several)
    before = np.empty(count, np.int64)
    before[_NEXT] = np.arange(count)
    score = likelihood[:, 0] - 2.0
    score[:, _WHOLE] += 2.0
    came_from = np.empty(likelihood.shape, np.int8)
    for n in range(1, frames):
        going_on = score[:, before]
        best = score.argmax(axis=1)
        switching = score[each, best] - (_SWITCH_AT_CUT if n in at_cut else _SWITCH)
        goes_on = going_on >= switching[:, None]
        came_from[:, n] = np.where(goes_on, before, best[:, None])
        score = np.where(goes_on, going_on, switching[:, None]) + likelihood[:, n]
    paths = np.empty((several, frames), np.int64)
    paths[:, -1] = score.argmax(axis=1)
    for n in range(frames - 1, 0, -1):
        paths[:, n - 1] = came_from[each, n, paths[:, n]]
    return score.max(axis=1), paths


def _run(start: int, stop: int, state: CarriagePhase, likelihood: npt.NDArray[np.float64]) -> Run:
    sums = {}
    for index, other in enumerate(STATES):
        total, at = 0.0, index
        for n in range(start, stop):
            total += likelihood[n, at]
            at = _NEXT[at]
        sums[other] = total
    orders = [total for other, total in sums.items() if (other.way, other.first) != (state.way, state.first)]
    ways = [total for other, total in sums.items() if other.way is not state.way]
    return Run(start, stop, state, float(sums[state] - max(orders)), float(sums[state] - max(ways)))


def stretch_of(measures: Measures, run: Run) -> Stretch:
    """One run, believed where it explains the frames better than any other way, and where enough moves."""
    state = run.state
    first, last = measures.first_frame + run.start, measures.first_frame + run.stop - 1
    lean = _lean(measures, run.start, run.stop)
    if not run.believed:
        return Stretch(first, last, Scan.PROGRESSIVE if lean.balanced else Scan.UNKNOWN)
    if state.way is not Carriage.WHOLE and lean.motion < LEAST_MOTION:
        return Stretch(first, last, Scan.UNKNOWN)
    if state.way is Carriage.FIELDS and not lean.shows(state.first):
        return Stretch(first, last, Scan.PROGRESSIVE if lean.balanced else Scan.UNKNOWN)
    if state.way is Carriage.WHOLE:
        return Stretch(first, last, Scan.PROGRESSIVE)
    if state.way is Carriage.FIELDS:
        return Stretch(first, last, Scan.INTERLACED, state.first)
    if state.way is Carriage.SHIFTED:
        return Stretch(first, last, Scan.INTERLACED, state.first, "2:2", 1)
    return Stretch(first, last, Scan.INTERLACED, state.first, state.way.value, state.position)


@dataclass(frozen=True)
class _Lean:
    """How much nearer the lower field before an upper one lies than the upper field before a lower one, of both
    together, from -1 to 1: of interlaced pictures with the upper field first that is clearly above 0.

    ``error`` is its standard error; ``apart`` how much the two fields of a frame differ, as a share of the nearer
    side; ``motion`` how much moves.
    """

    mean: float
    error: float
    apart: float
    motion: float

    def shows(self, first: str) -> bool:
        """True where the field that comes first lies clearly nearer to the other field before it, and the two fields
        of a frame differ as two moments do.

        Noise leans to neither side; thin things that move up or down lean a little, but leave the fields of a
        progressive frame alike.
        """
        mean = self.mean if first is FieldOrder.UPPER else -self.mean
        enough = any(
            self.apart >= apart and mean >= least and self.motion >= moving for apart, least, moving in _LEAST_LEANS
        )
        return enough and mean >= _LEAST_LEAN_ERRORS * self.error

    @property
    def balanced(self) -> bool:
        """True where enough moves, and it surely leans to neither side, as no interlaced picture would."""
        return self.motion >= LEAST_MOTION and abs(self.mean) + 2 * self.error < _LEAST_LEANS[0][1] and self.apart < 0.7


def _lean(measures: Measures, start: int, stop: int) -> _Lean:
    back, ahead = measures.back[start:stop], measures.ahead[start:stop]
    lean = (ahead - back) / (ahead + back + _QUIET)
    apart = float(measures.inside[start:stop].sum() / (min(back.sum(), ahead.sum()) + 1e-9))
    motion = float(np.percentile(measures.motion[start:stop], 60))
    return _Lean(float(lean.mean()), float(lean.std()) / len(lean) ** 0.5, apart, motion)


def joined(found: list[Stretch]) -> list[Stretch]:
    """Neighbouring stretches as one where one of them is unknown, or both say the same."""
    out: list[Stretch] = []
    for stretch in found:
        if out and _goes_on(out[-1], stretch):
            last = out.pop()
            kept = stretch if last.scan is Scan.UNKNOWN else last
            out.append(kept.over(last.first_frame, stretch.last_frame))
        else:
            out.append(stretch)
    return out


def beneath(found: Iterable[Stretch]) -> list[Stretch]:
    """The same stretches as if there were no graphics above any: what goes on beneath them is one."""
    return joined([replace(stretch, graphics=()) for stretch in found])


def _goes_on(last: Stretch, following: Stretch) -> bool:
    if Scan.UNKNOWN in (last.scan, following.scan):
        return True
    return last.over(following.first_frame, following.last_frame) == following
