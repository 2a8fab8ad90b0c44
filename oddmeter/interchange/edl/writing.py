"""Writing an edit decision list after CMX 3600, and what it costs: M2 has one decimal, timecode full frames."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from itertools import count

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, Note, SourceKind, Written
from oddmeter.core.numbers.numerals import decimal_text, fixed_text, round_half_up
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop

AUXILIARY = "AX"
"""The reel of a source that has none."""


def write_edl(event_list: ListedTimeline) -> Written:
    """The cut as an edit decision list; nested timelines are written by their name, and gaps are left."""
    losses: list[Note] = []
    lines = [f"TITLE: {_plain(event_list.name)}"]
    if can_drop(event_list.rate):
        lines.append("FCM: DROP FRAME" if event_list.drop_frame else "FCM: NON-DROP FRAME")
    numbers = count(1)
    before: dict[str, ListedEvent] = {}
    for event in sorted(event_list.events, key=lambda other: (other.record_in, event_list.tracks.index(other.track))):
        if event.kind is SourceKind.GAP:
            continue
        number = next(numbers)
        lines += _event(event_list, event, before.get(event.track), number)
        losses += (
            Note(f"Event {number:03}, {event.name or event.reel}: {loss}") for loss in _losses(event_list, event)
        )
        before[event.track] = event
    lines += [
        f"* LOC: {event_list.timecode(marker.at)} {(marker.colour or 'white').upper():<7} {_plain(marker.name)}"
        for marker in event_list.markers
    ]
    return Written("\n".join(lines) + "\n", tuple(losses))


def motion_decimal(speed: Fraction, reverse: bool, rate: Rate) -> Fraction:
    """The frames a second that M2 says of a speed: its one decimal, below 0 backwards."""
    stated = Fraction(round_half_up(speed * rate.nominal * 10), 10)
    return -stated if reverse else stated


def motion_cost(event: ListedEvent, rate: Rate) -> Fraction:
    """Source frames by which a reader that believes M2's decimal is off at the end of an event."""
    stated = abs(motion_decimal(event.speed, event.reverse, rate)) / rate.nominal
    return abs(stated - event.speed) * event.source_in.rate.value / rate.value * event.length


def _event(event_list: ListedTimeline, event: ListedEvent, before: ListedEvent | None, number: int) -> Iterator[str]:
    source = _source(event_list, event)
    record = f"{event_list.timecode(event.record_in)} {event_list.timecode(event.stop)}"
    head, reel, track = f"{number:03} ", _reel(event), f"{_channel(event.track):<5}"
    edit = "C       "
    if event.transition is not None:
        yield _coming_from(event_list, event, before, head, track)
        code = {"dissolve": "D", "wipe": "W001"}.get(event.transition.kind, "D")
        edit = f"{code:<4} {event.transition.length:03}"
    yield f"{head} {reel:<8} {track} {edit} {source} {record}"
    if event.speed != 1 or event.reverse:
        stated = motion_decimal(event.speed, event.reverse, event_list.rate)
        sign = "-" if stated < 0 else ""
        # Readers of M2 know colons only; how the source counts, its own line says.
        at = source[:11].replace(";", ":")
        yield f"M2   {reel:<8} {sign}{fixed_text(abs(stated), 1):0>5} {at}"
    if event.transition is not None and before is not None and before.name:
        yield f"* FROM CLIP NAME: {_plain(before.name)}"
    if event.name:
        which = "FROM" if event.transition is None else "TO"
        yield f"* {which} CLIP NAME: {_plain(event.name)}"
    if event.path:
        yield f"* SOURCE FILE: {_plain(event.path)}"
    if event.source_in.rate != event_list.rate:
        yield f"* SOURCE RATE: {_counted(event.source_in.rate, event_list.rate).exact}"
    yield from (f"* {_plain(text)}" for text in event.comments)


def _coming_from(
    event_list: ListedTimeline, event: ListedEvent, before: ListedEvent | None, head: str, track: str
) -> str:
    """The line without length that says what a transition comes from."""
    record = event_list.timecode(event.record_in)
    if before is None or before.stop != event.record_in or before.kind is SourceKind.BLACK:
        return f"{head} {'BL':<8} {track} C        00:00:00:00 00:00:00:00 {record} {record}"
    out = before.source_out(event_list.rate)
    at = out.recounted(_counted(out.rate, event_list.rate)).timecode(_drops(event_list, before))
    return f"{head} {_reel(before):<8} {track} C        {at} {at} {record} {record}"


def _source(event_list: ListedTimeline, event: ListedEvent) -> str:
    """Source in and out; backwards from the lower to the higher one as well, as lists have it."""
    begin, end = (label.timecode(_drops(event_list, event)) for label in _source_labels(event_list, event))
    return f"{begin} {end}"


def _source_labels(event_list: ListedTimeline, event: ListedEvent) -> tuple[Label, Label]:
    """The full labels at which a source begins and ends, one apart at least."""
    if event.kind is SourceKind.BLACK:
        return Label(Fraction(0), event_list.rate), Label(Fraction(event.length), event_list.rate)
    rate = _counted(event.source_in.rate, event_list.rate)
    low, high = (label.recounted(rate) for label in event.used(event_list.rate))
    begin, end = round_half_up(low.count), round_half_up(high.count)
    return replace(low, count=Fraction(begin)), replace(high, count=Fraction(max(begin + 1, end)))


def _counted(source: Rate, event_list: Rate) -> Rate:
    """The rate at which source timecode is written: the source's, where two digits and common readers can."""
    whole = source.value == source.nominal or source.is_ntsc
    return source if whole and source.nominal <= 100 else event_list


def _drops(event_list: ListedTimeline, event: ListedEvent) -> bool:
    """True where source timecode is written in drop-frame: as the source counts, where it is written at its rate."""
    rate = event.source_in.rate
    return event_list.drops(event) if _counted(rate, event_list.rate) == rate else event_list.drop_frame


def _losses(event_list: ListedTimeline, event: ListedEvent) -> Iterator[str]:
    if event.kind is SourceKind.BLACK:
        return
    begin, _ = _source_labels(event_list, event)
    low = event.used(event_list.rate)[0].recounted(begin.rate)
    if low != begin:
        yield f"it begins at source frame {decimal_text(low.count, 3)}; a timecode can only say {begin.count}."
    if cost := motion_cost(event, event_list.rate):
        stated = motion_decimal(event.speed, event.reverse, event_list.rate)
        yield (
            f"M2 can only say {decimal_text(stated, 1)} frames a second of {decimal_text(event.speed * 100, 4)} %; "
            f"a reader that believes it is {decimal_text(cost, 2)} source frames off at its end."
        )
    if event.kind is SourceKind.TIMELINE:
        yield "the timeline inside is written by its name only."
    if event.transition is not None and event.transition.kind not in ("dissolve", "wipe"):
        yield f"its transition, {event.transition.kind}, is written as a dissolve."


def _reel(event: ListedEvent) -> str:
    if event.kind is SourceKind.BLACK:
        return "BL"
    return "_".join(event.reel.split()) or AUXILIARY


def _channel(track: str) -> str:
    """V, A, A2 and so on; a track of another name by its number among letters that lists know."""
    plain = track.upper().replace(" ", "")
    digits = "".join(sign for sign in plain if sign.isdecimal())[:2].lstrip("0")
    letter = "A" if plain[:1] == "A" else "V"
    return f"{letter}{'' if digits in ('', '1') else digits}"


def _plain(text: str) -> str:
    return " ".join(text.split())
