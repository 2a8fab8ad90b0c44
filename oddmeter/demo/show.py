"""The demo show in the database: The Tide Bell, with its timelines and deliveries."""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from oddmeter.core.cutting.events import EventList
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.recipes import Rule
from oddmeter.core.evidence.logs import guess_columns
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.demo.cuts import PASSAGE, broadcast, film, passage, write_older
from oddmeter.demo.footage import SHOW_FOLDER
from oddmeter.demo.takes import RECORDINGS, REPORTS, TAKES, TRAPS, make_footage
from oddmeter.interchange.logs import read_log, title_of
from oddmeter.store import clips, decisions, events, logs, shows
from oddmeter.store.changes import change
from oddmeter.store.database import Database

MAKER = "Demo"

TIMELINES = (
    TimelineSettings("The film", Rate.of(25), start=90_000),
    TimelineSettings("Broadcast", Rate.parse("29.97"), scan=TimelineScan.UPPER, drop_frame=True),
    TimelineSettings("Festival", Rate.parse("23.976")),
)


RECIPES: tuple[tuple[str, dict[str, str], dict[str, Any]], ...] = (
    ("Very fast, a tenth of real time", {"intent": "pace 1/10", "sound": "off"}, {"shot_rate": {"least": "200"}}),
    ("High-frame-rate, half real time", {"intent": "pace 1/2", "sound": "off"}, {"shot_rate": {"least": "100"}}),
    ("Film, as it was shot", {"intent": "real-time", "sound": "off"}, {"gauge": "any"}),
    ("Tapes, each field a picture", {"intent": "real-time", "fields": "split"}, {"scan": "interlaced"}),
    ("Almost right: every frame", {"intent": "every-frame"}, {"file_ratio": {"least": "0.95", "most": "1.05"}}),
    ("Everything else in real time", {"intent": "real-time"}, {}),
)
"""House recipes, the first that fits decides; none has been run yet."""


def demo_root(database: Database, roots: Mapping[str, Path], own: str) -> str:
    """The name of the media root in which the demo's clips are found: where an earlier start put them, else ``own``, to
    which clips are moved whose root is not there any more, or does not hold them."""
    with database.transaction() as connection:
        for show in shows.all_shows(connection):
            if show.name == SHOW_FOLDER:
                ours = [d for d in clips.deliveries(connection, show.id) if d.folder.split("/")[0] == SHOW_FOLDER]
                found = [d.root for d in ours if d.root in roots and (roots[d.root] / SHOW_FOLDER).is_dir()]
                if found:
                    return found[0]
                clips.move_deliveries(connection, [delivery.id for delivery in ours], own)
    return own


def make_demo(database: Database, root_name: str, root: Path) -> bool:
    """Make the footage below a media root and the show in the database; False where the show is there already.

    The clips are left unprobed: the worker looks at them like at any others.
    """
    make_footage(root)
    with database.transaction() as connection:
        if any(show.name == SHOW_FOLDER for show in shows.all_shows(connection)):
            return False
        show_id = shows.add_show(connection, SHOW_FOLDER, TIMELINES[0])
        for timeline in TIMELINES[1:]:
            shows.add_timeline(connection, show_id, timeline)
    with change(database, show_id, "House recipes", MAKER) as connection:
        for name, decided, rule in RECIPES:
            decisions.add_recipe(connection, show_id, name, Decisions.parse(decided), Rule.parse(rule))
    arrived = [(take.delivery.split("/")[0], take.relative_path) for take in (*TAKES, *TRAPS)]
    arrived += [(recording.delivery, recording.relative_path) for recording in RECORDINGS]
    for name in dict.fromkeys(delivery for delivery, _ in arrived):
        paths = [path.as_posix() for delivery, path in arrived if delivery == name]
        with change(database, show_id, f"“{name}” brought in", MAKER) as connection:
            folder = f"{SHOW_FOLDER}/{name}"
            clips.bring_in(connection, clips.add_delivery(connection, show_id, name, root_name, folder, paths))
    _cut(database, show_id)
    write_older(root)
    for report in REPORTS:
        table = read_log((root / report.relative_path).read_bytes())
        with change(database, show_id, f"{report.name} read", MAKER) as connection:
            columns = guess_columns(table.headings)
            folder = report.relative_path.parent.as_posix()
            logs.add_log(connection, show_id, report.name, title_of(report.name), table, columns, folder)
    return True


def _cut(database: Database, show_id: int) -> None:
    """Lay the cuts out: the film with its passage, and the broadcast version."""
    with change(database, show_id, "The film cut", MAKER) as connection:
        names = {clip.name: clip.id for clip in clips.clips_of_show(connection, show_id)}
        by_name = {timeline.settings.name: timeline for timeline in shows.show(connection, show_id).timelines}
        the_film, for_air = by_name["The film"], by_name["Broadcast"]
        passage_id = shows.add_timeline(connection, show_id, replace(the_film.settings, name=PASSAGE, start=0))
        event_list = film(names, passage_id)
        events.write(connection, passage_id, EventList(the_film.settings.rate), passage(names))
        events.write(connection, the_film.id, EventList(the_film.settings.rate), event_list)
        air_rate = for_air.settings.rate
        events.write(connection, for_air.id, EventList(air_rate), broadcast(event_list, air_rate))
