"""Reading an edit decision list: lines, once their rate is known, as a cut.

The exact speed of an event is what its source and record lengths say, where M2, rounded to its decimals, agrees; else
what M2's counts say, and both are noted.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, Marker, Note, SourceKind, Transition
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, round_half_up
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode, can_drop, frames_in_day, is_skipped
from oddmeter.interchange.edl.lines import Entry, Lines, lines_of
from oddmeter.interchange.edl.rates import drops, rate_evidence

_BLACK = {"BL", "BLK", "BLACK"}
_COUNTED = (24, 25, 30, 48, 50, 60, 72, 90, 96, 100, 120, 240)
"""Nominal rates at which the timecode of sources is counted."""


def read_edl(text: str, rate: Rate | None = None, drop_frame: bool = False, name: str = "") -> ListedTimeline:
    """The cut in a list, counted at ``rate``, or at the only rate that fits it; ``drop_frame`` where no line says how
    it is counted. ``name`` is what it is called where it has no title.

    Raises ``RuleError``, with the number of the line, where it cannot be.
    """
    lines = lines_of(text)
    if not lines.entries:
        raise RuleError("This list has no events: no line contains four timecodes.", "list")
    if rate is None:
        evidence = rate_evidence(lines)
        if (rate := evidence.only) is None:
            raise RuleError(evidence.sentence, "rate")
    return _Reading(lines, rate, drops(lines) or (drop_frame and lines.drop is None)).event_list(name)


@dataclass(frozen=True)
class _Span:
    """Where an entry lies in its source and on the record, in frames of each; ``rate`` counts the source."""

    rate: Rate
    source_in: int
    source_out: int
    record_in: int
    record_out: int
    drop: bool = False

    @property
    def length(self) -> int:
        return self.record_out - self.record_in


class _Reading:
    def __init__(self, lines: Lines, rate: Rate, drop: bool) -> None:
        self.lines, self.rate, self.drop = lines, rate, drop
        self.notes: list[Note] = [Note(f"It cannot be read: “{text}”.", line) for line, text in lines.unread]
        if drop and not can_drop(rate):
            line = next((entry.line for entry in lines.entries if ";" in entry.record_in), None)
            where = "" if line is None else f"Line {line}: "
            raise RuleError(f"{where}The list uses drop-frame timecode, which does not exist at {rate}.", "list")
        self.sources = self._source_rates()
        self.semicolons = any(";" in code for entry in lines.entries for code in (entry.record_in, entry.record_out))
        self.never_drop = {
            entry.reel for entry in lines.entries for code in (entry.source_in, entry.source_out)
            if is_skipped(code, self._rate_of(entry))
        }  # fmt: skip

    def event_list(self, name: str) -> ListedTimeline:
        """All of it, in order of time on each track."""
        spans = self._past_midnight([self._span(entry) for entry in self.lines.entries])
        start = min(span.record_in for span in spans)
        events = []
        for entry, span in zip(self.lines.entries, spans, strict=True):
            if span.length == 0:
                continue
            event = self._event(entry, span, start)
            events += [replace(event, track=track) for track in entry.tracks]
        if not events:
            raise RuleError("Every event in this list has zero length.", "list")
        ordered = sorted(events, key=lambda other: (other.record_in, other.is_sound, other.track))
        self._out_of_order(spans)
        self.notes += _over_each_other(ordered)
        notes = sorted(self.notes, key=lambda note: note.line or 0)
        return ListedTimeline(
            self.lines.title or name, self.rate, self.drop, start, tuple(ordered), tuple(notes),
            tuple(self._markers(start)),
        )  # fmt: skip

    def _event(self, entry: Entry, span: _Span, start: int) -> ListedEvent:
        kind = SourceKind.BLACK if entry.reel.upper() in _BLACK else SourceKind.CLIP
        speed, reverse = (Fraction(1), False) if kind is SourceKind.BLACK else self._speed(entry, span)
        begins = max(span.source_in, span.source_out) if reverse else span.source_in
        transition = self._transition(entry, span)
        return ListedEvent(
            "", kind, span.record_in - start, span.length, entry.name, "" if kind is SourceKind.BLACK else entry.reel,
            entry.path, Label(Fraction(begins), span.rate, span.drop if can_drop(span.rate) else None), speed, reverse,
            transition, None, entry.number, tuple(entry.comments), "", entry.line,
        )  # fmt: skip

    def _speed(self, entry: Entry, span: _Span) -> tuple[Fraction, bool]:
        """How fast it runs, and whether backwards."""
        source = span.source_out - span.source_in
        by_lengths = abs(source) / span.rate.value * self.rate.value / span.length
        motion = entry.motion
        by_counts = Fraction(1) if motion is None else abs(motion.rate) / self.rate.nominal
        reverse = source < 0 if motion is None else motion.rate < 0
        # Labels are full frames: what their rounding alone explains is no other speed.
        if by_counts == 1 and abs(abs(source) - span.length * span.rate.value / self.rate.value) < 1:
            return by_counts, reverse
        if motion is None:
            self._note(entry, f"Source and record differ in length, without M2: {_percent(by_lengths)} is taken.")
            return by_lengths, reverse
        if motion.rate != 0 and _agree(by_lengths, motion.rate, motion.decimals, (self.rate, span.rate)):
            return by_lengths, reverse
        if motion.rate != 0 or source not in (0, 1):
            stated = decimal_text(motion.rate, motion.decimals)
            self._note(
                entry, f"M2 says {stated} frames a second, which is {_percent(by_counts)}; the lengths say "
                f"{_percent(by_lengths)}. M2 is taken.",
            )  # fmt: skip
        return by_counts, reverse

    def _transition(self, entry: Entry, span: _Span) -> Transition | None:
        if entry.is_cut:
            return None
        if entry.edit.startswith("K"):
            self._note(entry, "A key is read as a cut; what lies under it is not kept.")
            return None
        kind = "dissolve" if entry.edit == "D" else "wipe"
        if entry.frames > span.length:
            self._note(entry, f"The {kind} of {entry.frames} frames is longer than its event of {span.length}.")
        return Transition(kind, min(entry.frames, span.length)) if entry.frames else None

    def _span(self, entry: Entry) -> _Span:
        rate = self._rate_of(entry)
        drop = can_drop(rate) and self._source_drops(entry)
        record = [self._frames(entry, code, self.rate, self.drop) for code in (entry.record_in, entry.record_out)]
        if record[0] == record[1]:
            return _Span(rate, 0, 0, record[0], record[1])
        source = [self._frames(entry, code, rate, drop) for code in (entry.source_in, entry.source_out)]
        record[1] = _behind(record[1], record[0], frames_in_day(self.rate, self.drop))
        if record[1] < record[0]:
            raise RuleError(f"Line {entry.line}: The event's record out is before its record in.", "list")
        source[1] = _behind(source[1], source[0], frames_in_day(rate, drop))
        return _Span(rate, source[0], source[1], record[0], record[1], drop)

    def _source_drops(self, entry: Entry) -> bool:
        """How an event's source is counted: by semicolons, where the list writes them; where it does not, by the last
        line about it, unless the reel has numbers that drop-frame skips."""
        if ";" in entry.source_in + entry.source_out:
            return True
        if self.semicolons or entry.reel in self.never_drop:
            return False
        return self.drop if entry.drop is None else entry.drop

    def _frames(self, entry: Entry, code: str, rate: Rate, drop: bool) -> int:
        try:
            return Timecode.parse(code, rate, drop).frames
        except RuleError as error:
            raise RuleError(f"Line {entry.line}: {error}", "list") from error

    def _rate_of(self, entry: Entry) -> Rate:
        if entry.source_rate:
            try:
                return Rate.parse(entry.source_rate)
            except RuleError as error:
                raise RuleError(f"Line {entry.line}: {error}", "list") from error
        return self.sources[entry.reel]

    def _source_rates(self) -> dict[str, Rate]:
        """The rate at which each reel's timecode is counted: the list's, where its numbers do not say otherwise."""
        rates: dict[str, Rate] = {}
        for reel in dict.fromkeys(entry.reel for entry in self.lines.entries):
            entries = [
                other
                for other in self.lines.entries
                if other.reel == reel and other.has_length and not other.source_rate
            ]
            codes = [code for entry in entries for code in (entry.source_in, entry.source_out)]
            highest = max((int(code[9:]) for code in codes), default=0)
            dropped = any(";" in code for code in codes) and not can_drop(self.rate)
            rates[reel] = self.rate
            if highest < self.rate.nominal and not dropped:
                continue
            fitting = [rate for rate in _COUNTED if rate > highest and (not dropped or rate in (30, 60))]
            if not fitting:
                raise RuleError(
                    f"Line {entries[0].line}: Frame number {highest} is too high for any timecode rate.", "list"
                )
            thousandths = Fraction(1000, 1001) if dropped or self.rate.is_ntsc else Fraction(1)
            rates[reel] = Rate(fitting[0] * thousandths)
            why = f"It has frame number {highest}" if highest >= self.rate.nominal else "It drops numbers"
            self.notes.append(
                Note(
                    f"The source timecode of {reel} is not counted at the list's {self.rate}. {why}; it is taken as "
                    f"{rates[reel]}.", entries[0].line,
                )
            )  # fmt: skip
        return rates

    def _past_midnight(self, spans: list[_Span]) -> list[_Span]:
        """Events behind midnight follow those before it, where a list runs on through the night."""
        day = frames_in_day(self.rate, self.drop)
        begins = [span.record_in for span in spans]
        if max(begins) - min(begins) <= day // 2:
            return spans
        return [
            replace(span, record_in=span.record_in + day, record_out=span.record_out + day)
            if span.record_in < day // 2 else span for span in spans
        ]  # fmt: skip

    def _out_of_order(self, spans: list[_Span]) -> None:
        first = next(
            (entry for (entry, span), (_, before) in zip(
                zip(self.lines.entries[1:], spans[1:], strict=True), zip(self.lines.entries, spans, strict=True),
                strict=False) if span.record_in < before.record_in), None,
        )  # fmt: skip
        if first is not None:
            self._note(first, "From here on the events are not in order of time; they are put in order.")

    def _markers(self, start: int) -> Iterator[Marker]:
        for line, at, colour, name in self.lines.markers:
            try:
                frame = Timecode.parse(at, self.rate, self.drop).frames
            except RuleError as error:
                self.notes.append(Note(f"The marker is left out. {error}", line))
                continue
            yield Marker(_behind(frame, start, frames_in_day(self.rate, self.drop)) - start, name, colour)

    def _note(self, entry: Entry, text: str) -> None:
        self.notes.append(Note(text, entry.line))


def _behind(frame: int, before: int, day: int) -> int:
    """A frame of the clock that comes behind another: where it lies far before that, it is one of the next day."""
    return frame + day if before - frame > day // 2 else frame


def _agree(by_lengths: Fraction, stated: Fraction, decimals: int, rates: tuple[Rate, ...]) -> bool:
    """True where a speed, in frames a second at one of the rates, is what M2 says once it is rounded or cut short to
    M2's decimals."""
    unit = 10**decimals
    counted = {by_lengths * value * unit for rate in rates for value in (rate.value, Fraction(rate.nominal))}
    return any(abs(stated) * unit in (round_half_up(count), int(count)) for count in counted)


def _over_each_other(events: list[ListedEvent]) -> Iterator[Note]:
    for track in dict.fromkeys(event.track for event in events):
        on = [event for event in events if event.track == track]
        for one, other in pairwise(on):
            if other.record_in < one.stop:
                over = one.stop - other.record_in
                text = f"On {track} it begins {over} frames before the event of line {one.line} is over."
                yield Note(text, other.line)


def _percent(speed: Fraction) -> str:
    return f"{decimal_text(speed * 100, 3)} %"
