"""Windows: the map of one event, a part of its source's run that begins where the event does (docs/model.md, Event
lists)."""

from bisect import bisect_left
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from math import ceil, floor

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import Conform, conform, own_ruler, units_used
from oddmeter.core.cutting.events import Event
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent, Span, Treatment
from oddmeter.core.maps.frame_map import Weights
from oddmeter.core.maps.paths import Path, Piece
from oddmeter.core.maps.rulers import EvenRuler, Ruler
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import BEGINNING, Seconds, SourceFrame
from oddmeter.core.numbers.rates import Rate


@dataclass(frozen=True)
class Window:
    """An event's use of its source, worked out; events that are alike share it, so that ``event`` may be one of another
    id and place. ``conformed`` is the whole source under the event's treatment,
    ``frame_map`` what the event's frames look at, in units of the whole file, ``path`` the source seconds under its
    timeline seconds."""

    event: Event
    conformed: Conform
    frame_map: TimedMap
    timeline_rate: Rate

    @property
    def path(self) -> Path:
        """Source seconds under timeline seconds, from the event's first moment on."""
        return self.frame_map.path

    @property
    def as_conform(self) -> Conform:
        """The event as looking, rendering and proof take a clip: of the whole file, by the event's own map."""
        treatment = replace(self.conformed.treatment, span=Span())
        return replace(self.conformed, treatment=treatment, frame_map=self.frame_map)

    def longer(self, head: int, tail: int) -> "Window":
        """The same use with so many more timeline frames before and behind."""
        event, rate = self.event, self.timeline_rate
        longer = replace(begun(event, self, -head), length=event.length + head + tail)
        return window(longer, self.conformed.material, self.conformed.treatment, rate)

    def handles_within(self, handles: int) -> tuple[int, int]:
        """How many of so many timeline frames of handles its source has before and behind; what the event itself holds
        at its ends stays."""
        longer = self.longer(handles, handles)
        head = max(0, handles - max(0, longer.underrun - self.underrun))
        return head, max(0, handles - max(0, longer.overrun - self.overrun))

    def still(self, weights: Weights) -> Conform:
        """One timeline frame that is made of just these units, as looking takes a clip."""
        ruler, rate = self.frame_map.ruler, self.frame_map.timeline_rate
        opens, closes = weights.opened or (weights.first + weights.beyond_first,) * 2
        begins, ends = ruler.time(opens), ruler.time(closes)
        speed = (ends - begins) * rate / self.frame_map.shutter
        path = Path((Piece(Fraction(0), begins, 1 / rate, speed, speed),))
        return replace(self.as_conform, frame_map=replace(self.frame_map, path=path, held=Fraction(1)))

    @property
    def frames(self) -> int:
        """Frames of the source."""
        return self.conformed.material.frames

    def place(self, frame: int | Fraction) -> SourceFrame:
        """The place in source frames of the file that a moment of the event looks at, in timeline frames from its
        start; also before its first and behind its last."""
        return self.conformed.read_clock.frame(Seconds(self.path.at(frame / self.timeline_rate.value)))

    def frames_over(self, source_frames: Fraction, edge: int) -> int:
        """The timeline frames from one of its own on over which it runs through so many source frames, to the nearest;
        below zero back from there. Raises ``RuleError`` where it does not, within a hundred times its length."""
        way, wanted, begins = (1 if source_frames >= 0 else -1), abs(source_frames), self.place(edge)

        def run(count: int) -> Fraction:
            return abs(self.place(edge + way * count) - begins)

        # Between these counts it runs one way, so that the first one that reaches far enough is found by halving.
        most, rate, path = 100 * self.event.length, self.timeline_rate.value, self.path
        turns = [way * (moment * rate - edge) for moment in (*path.begins, path.pieces[-1].ends)]
        counts = {most, *(count for turn in turns for count in (floor(turn), ceil(turn)) if 0 < count < most)}
        low = 0
        for high in sorted(counts) if wanted else ():
            if run(high) < wanted:
                low = high
                continue
            count = low + 1 + bisect_left(range(low + 1, high), wanted, key=run)
            return way * (count if run(count) - wanted <= wanted - run(count - 1) else count - 1)
        if not wanted:
            return 0
        raise RuleError("The event does not cover that many source frames there.", "trim")

    def looking_at(self, place: SourceFrame) -> tuple[Fraction, ...]:
        """The moments of the event, in timeline frames from its start, at which it looks at a place in source frames of
        the file: one for each way over it, on a turn to within a millionth of that."""
        second = self.conformed.read_clock.second(place)
        rate, out = self.timeline_rate.value, []
        for piece in self.path.pieces:
            at = None if piece.rests else piece.when(second)
            if at is not None and piece.begins <= at < min(piece.ends, self.path.lasts):
                out.append(at * rate)
        return tuple(out)

    @property
    def source_in(self) -> SourceFrame:
        """The place at its first moment."""
        return self.place(0)

    @property
    def source_out(self) -> SourceFrame:
        """The place at its end."""
        return self.place(self.event.length)

    @cached_property
    def used(self) -> tuple[SourceFrame, SourceFrame]:
        """The lowest and the highest place that it runs through."""
        edges = {Fraction(0), self.path.lasts, *(piece.begins for piece in self.path.pieces if piece.begins > 0)}
        places = [self.place(edge * self.timeline_rate.value) for edge in edges]
        return min(places), max(places)

    @property
    def range_used(self) -> tuple[SourceFrame, SourceFrame]:
        """The same within the source, where any of it is: an overrun is no range of the source."""
        low, high = max(BEGINNING, self.used[0]), min(self.conformed.material.end, self.used[1])
        return (low, high) if low < high else self.used

    @property
    def speed_in(self) -> Fraction:
        """Source seconds a second at its first moment; below 0 backwards."""
        return self.path.piece(Fraction(0)).speed_at(Fraction(0))

    @cached_property
    def overrun(self) -> int:
        """Timeline frames at its end that ask for more than there is, so that the last good frame is held; a curve that
        comes to rest by itself asks for nothing more."""
        last, course = self.path.pieces[-1], self.conformed.course
        ran_out = self._at_an_end(last) if course is None else course.path.pieces[-1].arrives != 0
        if not last.rests or not ran_out:
            return 0
        return self.event.length - max(0, ceil(last.begins * self.timeline_rate.value))

    @cached_property
    def underrun(self) -> int:
        """Timeline frames at its head that come before the source begins."""
        first = self.path.pieces[0]
        beyond = first.rests and len(self.path.pieces) > 1 and self._at_an_end(first)
        return ceil(self.path.pieces[1].begins * self.timeline_rate.value) if beyond else 0

    @cached_property
    def handles(self) -> tuple[int, int]:
        """Whole source frames that are left before and behind what it uses."""
        low, high = self.used
        return max(0, floor(low)), max(0, self.frames - ceil(high))

    def _at_an_end(self, piece: Piece) -> bool:
        return not 0 < piece.source < self.conformed.end


def window(event: Event, material: Material, treatment: Treatment, timeline_rate: Rate) -> Window:
    """The map of an event of a source; raises ``RuleError`` where its speed or curve is impossible."""
    if treatment.intent is Intent.CURVE:
        return _curved(event, material, treatment, timeline_rate)
    conformed = conform(material, treatment, timeline_rate)
    speed = -conformed.speed if treatment.reverse else conformed.speed
    lasts = event.length / timeline_rate.value
    begins = conformed.read_clock.second(event.source_in) + speed * event.curve_offset
    path = Path(_bounded(begins, speed, lasts, conformed.end), lasts)
    return Window(event, conformed, _map(material, conformed, path, timeline_rate), timeline_rate)


def run_on(use: Window, by: int) -> SourceFrame:
    """The place of a straight event so many frames after its first moment, as if the source had no ends."""
    conformed = use.conformed
    clock, speed = conformed.read_clock, -conformed.speed if conformed.treatment.reverse else conformed.speed
    into = Fraction(by) / use.timeline_rate.value + use.event.curve_offset
    return clock.frame(Seconds(clock.second(use.event.source_in) + speed * into))


def begun(event: Event, use: Window, by: int) -> Event:
    """An event of this use as it is so many timeline frames after its first moment, or before it; its place and length
    apart."""
    if use.conformed.course is not None:
        return replace(event, curve_offset=event.curve_offset + by / use.timeline_rate.value)
    return replace(event, source_in=run_on(use, by), curve_offset=Fraction(0))


def begun_alike(decided: Event, was: Window, now: Window) -> Event:
    """An event under other decisions, with the range of source that it had before them: forwards it begins where that
    is lowest, backwards where it is highest. What an event holds beyond the ends of its source is no part of the
    range."""
    before, after = was.conformed.treatment, now.conformed.treatment
    curved, curves = was.conformed.course is not None, now.conformed.course is not None
    if curved and curves and before.curve == after.curve:
        return decided
    if not curved and not curves and before.reverse == after.reverse:
        return begun(decided, was, 0)
    low, high = was.range_used
    return replace(decided, source_in=high if after.reverse and not curves else low, curve_offset=Fraction(0))


def at_speed(event: Event, use: Window, by: Fraction) -> Event:
    """The event so many times as fast, from the same place on."""
    if use.conformed.course is None:
        wish = IntentSetting(Intent.SPEED, use.conformed.speed * by)
        event = begun(event, use, 0)
    else:
        curve = use.conformed.treatment.curve
        assert curve is not None
        points = tuple(
            replace(
                point, arrives=point.arrives * by, leaves=point.leaves * by, holds=round(point.holds / by),
                at=None if point.at is None else round(point.at / by),
            ) for point in curve.points
        )  # fmt: skip
        wish, event = (
            IntentSetting(Intent.CURVE, curve=replace(curve, points=points)),
            replace(event, curve_offset=event.curve_offset / by),
        )
    return replace(event, decisions=replace(event.decisions, intent=wish))


def length_over(was: Window, now: Window) -> int:
    """Timeline frames that the source range of an event takes under other decisions, rounded up."""
    conformed = now.conformed
    if conformed.course is not None:
        same = was.conformed.course is not None and was.conformed.treatment.curve == conformed.treatment.curve
        return was.event.length if same else max(1, conformed.frame_map.length)
    low, high = (conformed.read_clock.second(place) for place in was.range_used)
    if not 0 <= low < high <= conformed.end:
        return was.event.length
    return max(1, ceil((high - low) / conformed.speed * now.timeline_rate.value))


def _curved(event: Event, material: Material, treatment: Treatment, timeline_rate: Rate) -> Window:
    """A curve enters at the whole frame at or before ``source_in``; up to there it runs as it begins."""
    enters = min(floor(event.source_in), material.frames - 1)
    if enters < 0:
        raise RuleError("A curve cannot start before the source does.", "curve")
    conformed = conform(material, replace(treatment, span=Span(enters), reverse=False), timeline_rate)
    assert conformed.course is not None
    whole = conformed.course.path
    first = whole.pieces[0]
    into = conformed.read_clock.second(event.source_in) - first.source
    late = into / first.leaves if first.is_straight and first.leaves > 0 else Fraction(0)
    path = whole.window(event.curve_offset + late, event.length / timeline_rate.value)
    return Window(event, conformed, _map(material, conformed, path, timeline_rate), timeline_rate)


def _map(material: Material, conformed: Conform, path: Path, timeline_rate: Rate) -> TimedMap:
    everything = replace(conformed.treatment, span=Span(), reverse=False)
    ruler: Ruler = EvenRuler(Fraction(0), conformed.read_rate.value * conformed.units_per_frame)
    if conformed.by_times:
        ruler = own_ruler(material, everything)
    count = units_used(material, everything)
    held, shutter = conformed.treatment.held, conformed.treatment.shutter
    return TimedMap(path, ruler, count, timeline_rate.value, held, is_part=True, shutter=shutter)


def _bounded(begins: Fraction, speed: Fraction, lasts: Fraction, end: Fraction) -> tuple[Piece, ...]:
    """One speed, and rests where the source has not begun yet, or is over."""
    rest = Fraction(0)
    enters = max(rest, (-begins if speed > 0 else end - begins) / speed)
    leaves = min(lasts, (end - begins if speed > 0 else -begins) / speed)
    low, high = (rest, end) if speed > 0 else (end, rest)
    if leaves <= 0:
        return (Piece(rest, high, lasts, rest, rest),)
    if enters >= lasts:
        return (Piece(rest, low, lasts, rest, rest),)
    pieces = [Piece(rest, low, enters, rest, rest)] if enters > 0 else []
    pieces.append(Piece(enters, begins + speed * enters, leaves - enters, speed, speed))
    if leaves < lasts:
        pieces.append(Piece(leaves, high, lasts - leaves, rest, rest))
    return tuple(pieces)
