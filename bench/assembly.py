"""What a cut of many events costs: opening it, changing its head so that all others move, stepping, lists, nests.

Run: .venv/bin/python -m bench.assembly [EVENTS]
Makes a show with a timeline of 5,000 events of 200 clips in a database of its own. Beside the reader of edit decision
lists stands OpenTimelineIO's own, on the same list.
"""

import sys
import time
from collections.abc import Callable
from fractions import Fraction

import opentimelineio as otio
from fastapi.testclient import TestClient

from bench.database import fresh_database
from bench.ledger import fill
from oddmeter.config import Config
from oddmeter.core.conform.material import Material
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList
from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind
from oddmeter.core.cutting.shown import TimelineResolver, shown_at
from oddmeter.core.cutting.windows import Window, window
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.lists.versions import compared
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.store import events
from oddmeter.store.database import Database
from oddmeter.store.shows import show as show_of
from oddmeter.web.app import create_app

RATE = Rate.of(25)


def listed(count: int) -> ListedTimeline:
    """A cut of so many events from two hundred reels, some of them at other speeds, a dissolve now and then."""
    made = []
    for n in range(count):
        speed = Fraction((1, 2, 1, Fraction(1, 2))[n % 4])
        source = 90_000 + (n * 977) % 40_000
        made.append(
            ListedEvent("V", SourceKind.CLIP, n * 48, 48, f"A{n % 200:03}", f"R{n % 200:03}",
                        source_in=Label(Fraction(source), RATE), speed=speed)
        )  # fmt: skip
    return ListedTimeline("Long", RATE, False, 90_000, tuple(made))


class Nests(TimelineResolver):
    """A clip inside so many timelines, each at half the speed of the one around it."""

    def __init__(self, levels: int) -> None:
        treatment = Treatment(Intent.SPEED, Fraction(1, 2))
        self.cuts = {levels: EventList(RATE, (Event(1, FIRST_PICTURE, SourceKind.CLIP, 0, 100, clip_id=1),))}
        for level in reversed(range(levels)):
            nest = Event(1, FIRST_PICTURE, SourceKind.TIMELINE, 0, 100, timeline_id=level + 1)
            self.cuts[level] = EventList(RATE, (nest,))
        self.windows = {
            level: window(event_list.events[0], Material(400, RATE), treatment, RATE)
            for level, event_list in self.cuts.items()
        }

    def event_list(self, timeline_id: int) -> EventList:
        return self.cuts[timeline_id]

    def window(self, timeline_id: int, event: Event) -> Window | None:
        return self.windows[timeline_id]


def seconds(what: Callable[[], object], times: int = 5) -> float:
    """The middle of several runs."""
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        what()
        took.append(time.perf_counter() - begun)
    return sorted(took)[len(took) // 2]


def lists(count: int) -> None:
    """Lists of so many events: read beside the library's own reader, and two versions held against each other."""
    event_list = listed(count)
    text = write_edl(event_list).text
    ours = seconds(lambda: read_edl(text, RATE), 3)
    theirs = seconds(lambda: otio.adapters.read_from_string(text, "cmx_3600", rate=25), 1)
    print(f"EDL of {count} events read: {ours:.2f} s; OpenTimelineIO's reader {theirs:.2f} s, {theirs / ours:.1f} x")
    moved = ListedTimeline(event_list.name, RATE, False, 90_000, tuple(event_list.events[1:] + event_list.events[:1]))
    print(f"two versions held together: {seconds(lambda: compared(event_list, moved), 3):.2f} s")
    book = Nests(20)
    print(f"20 nested levels answer a frame: {seconds(lambda: shown_at(book, 0, 50), 50) * 1000:.2f} ms")


def served(count: int) -> None:
    """The same cut over HTTP, against the database."""
    with fresh_database() as (folder, url):
        database = Database(url)
        database.open()
        show_id = fill(database, 200, 4)
        with database.transaction() as connection:
            timeline = show_of(connection, show_id).timelines[0]
            clips = [int(str(row[0])) for row in connection.execute("SELECT id FROM clip ORDER BY id").fetchall()]
            half = Decisions.parse({"intent": "speed 1/2"})
            some = tuple(
                Event(-1 - n, FIRST_PICTURE, SourceKind.CLIP, n * 48, 48, Fraction(n % 40), clip_id=clips[n % 200],
                      decisions=half if n % 4 == 3 else Decisions(), name=f"e{n}")
                for n in range(count)
            )  # fmt: skip
            events.write(connection, timeline.id, EventList(RATE), EventList(RATE, some))
        config = Config.under(folder / "data", url)
        config.make_folders()
        with TestClient(create_app(config), base_url="http://127.0.0.1", headers={"X-Person": "Ada"}) as client:
            _asked(client, f"/api/shows/{show_id}/cuts/{timeline.id}", count)
        database.close()


def _asked(client: TestClient, path: str, count: int) -> None:
    begun = time.perf_counter()
    event_list = client.get(path).json()
    print(
        f"timeline of {len(event_list['events'])} events opened for the first time: {time.perf_counter() - begun:.2f} s"
    )
    print(f"  again: {seconds(lambda: client.get(path)):.2f} s")
    first = event_list["events"][0]["id"]
    body = {"version": event_list["version"], "edit": "trim tail", "events": [first], "by": "-5", "following": "moves"}
    preview = seconds(lambda: client.post(f"{path}/edits", json={**body, "preview": True}))
    print(f"a change at its head that moves all {count - 1} others, told: {preview * 1000:.0f} ms")
    begun = time.perf_counter()
    told = client.post(f"{path}/edits", json={**body, "preview": True, "places": True})
    shown = (time.perf_counter() - begun) * 1000
    assert len(told.json()["places"]["events"]) == count
    made = client.post(f"{path}/edits", json=body)
    kept = (time.perf_counter() - begun) * 1000
    print(f"  made, as the page does it: shown after {shown:.0f} ms, kept after {kept:.0f} ms ({made.status_code})")
    begun = time.perf_counter()
    client.get(path)
    print(f"  seen again: {(time.perf_counter() - begun) * 1000:.0f} ms")
    begun = time.perf_counter()
    client.post(f"{path}/files/preview", json={"of": "timeline", "pattern": "{timeline}"})
    print(f"all of it as one file, told: {(time.perf_counter() - begun) * 1000:.0f} ms")
    steps = iter(range(100, 100_000, 997))
    print(f"a step of the playhead: {seconds(lambda: client.get(f'{path}/frames/{next(steps)}'), 20) * 1000:.1f} ms")


if __name__ == "__main__":
    number = int(sys.argv[1]) if len(sys.argv) > 1 else 5000
    lists(number)
    served(number)
