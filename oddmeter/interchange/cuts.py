"""Cuts as plain JSON, and what to pull as CSV."""

import csv
import io
from fractions import Fraction
from typing import Any

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline
from oddmeter.core.lists.pulls import Pull
from oddmeter.core.lists.versions import ChangeKind, Compared, compared
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate


def cut_document(event_list: ListedTimeline) -> dict[str, Any]:
    """The cut as plain JSON; fractions as ``"a/b"``."""
    return {
        "name": event_list.name,
        "rate": event_list.rate.exact,
        "drop_frame": event_list.drop_frame,
        "start": event_list.timecode(0),
        "events": [event_document(event) for event in event_list.events],
        "markers": [{"at": marker.at, "name": marker.name, "colour": marker.colour} for marker in event_list.markers],
        "notes": [str(note) for note in event_list.notes],
    }


def event_document(event: ListedEvent) -> dict[str, Any]:
    """One event as plain JSON."""
    transition = event.transition
    return {
        "track": event.track,
        "kind": event.kind.value,
        "name": event.name,
        "reel": event.reel,
        "path": event.path,
        "record_in": event.record_in,
        "length": event.length,
        "source_rate": event.source_in.rate.exact,
        "source_in": fraction_text(event.source_in.count),
        "source_drop_frame": event.source_in.drop,
        "speed": fraction_text(event.speed),
        "freeze": event.freeze,
        "reverse": event.reverse,
        "transition": None if transition is None else {"kind": transition.kind, "length": transition.length},
    }


def comparison_document(old: ListedTimeline, new: ListedTimeline) -> dict[str, list[dict[str, Any]]]:
    """What became of the events between two versions of a cut: for each fate the events with their places."""
    out: dict[str, list[dict[str, Any]]] = {fate.value: [] for fate in ChangeKind}
    for change in compared(old, new):
        out[change.fate].append(_compared_document(change))
    return out


def pull_table(found: tuple[Pull, ...]) -> str:
    """A pull list as CSV."""
    text = io.StringIO()
    rows = csv.DictWriter(text, list(_pull_row(_NO_PULL)), lineterminator="\r\n")
    rows.writeheader()
    rows.writerows(_pull_row(pull) for pull in found)
    return text.getvalue()


def pull_documents(found: tuple[Pull, ...]) -> list[dict[str, Any]]:
    """A pull list as plain JSON."""
    return [_pull_row(pull) for pull in found]


_NO_PULL = Pull("", "", "", Label(Fraction(0), Rate.of(25)), Label(Fraction(1), Rate.of(25)), 0)


def _pull_row(one: Pull) -> dict[str, Any]:
    """First and last frame are both of the range; timecode out is the one after."""
    return {
        "name": one.name, "reel": one.reel, "path": one.path, "rate": one.first.rate.exact,
        "first": int(one.first.count), "last": int(one.stop.count) - 1, "frames": one.frames,
        "in": str(one.first.timecode()), "out": str(one.stop.timecode()),
        "events": one.events,
    }  # fmt: skip


def _compared_document(one: Compared) -> dict[str, Any]:
    event = one.event
    out: dict[str, Any] = {
        "name": event.name or event.reel or event.kind.value, "track": event.track, "record_in": event.record_in,
        "length": event.length,
    }  # fmt: skip
    if one.was is not None and one.now is not None and one.fate is not ChangeKind.KEPT:
        out["was"] = {
            "record_in": one.was.record_in, "length": one.was.length,
            "source_in": fraction_text(one.was.source_in.count), "speed": fraction_text(one.was.speed),
        }  # fmt: skip
    return out
