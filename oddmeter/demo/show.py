"""The demo show in the database: The Tide Bell, with its timelines and deliveries."""

from pathlib import Path

from oddmeter.core.rates import Rate
from oddmeter.demo.footage import SHOW_FOLDER, TAKES, make_footage
from oddmeter.store import clips, shows
from oddmeter.store.changes import change
from oddmeter.store.database import Database
from oddmeter.store.shows import TimelineSettings

MAKER = "Demo"

TIMELINES = (
    TimelineSettings("The film", Rate.of(25)),
    TimelineSettings("Broadcast", Rate.parse("29.97"), scan="lower", drop_frame=True),
    TimelineSettings("Festival", Rate.parse("23.976")),
)


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
    for name in dict.fromkeys(take.delivery for take in TAKES):
        takes = [take for take in TAKES if take.delivery == name]
        with change(database, show_id, f"“{name}” brought in", MAKER) as connection:
            folder = f"{SHOW_FOLDER}/{name}"
            paths = [take.relative_path.as_posix() for take in takes]
            clips.bring_in(connection, clips.add_delivery(connection, show_id, name, root_name, folder, paths))
    with database.transaction() as connection:
        named = {clip.name: clip.id for clip in clips.clips_of_show(connection, show_id)}
    for take in TAKES:
        if take.shot != take.header:
            with change(database, show_id, f"Shot at {take.shot} for {take.name}", MAKER) as connection:
                clips.set_shot_rate(connection, [named[take.name]], take.shot)
    return True
