"""Shows, their timelines, and their own settings for made files, as documents: what can be in one is not known here."""

from fractions import Fraction

from psycopg.rows import dict_row

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import Show, Timeline, TimelineSettings
from oddmeter.store.changes import ConflictError, MissingError, last_person
from oddmeter.store.database import Connection


def all_shows(connection: Connection) -> list[Show]:
    """Every show, oldest first."""
    rows = connection.execute("SELECT id FROM show ORDER BY id").fetchall()
    return [show(connection, int(str(row[0]))) for row in rows]


def show(connection: Connection, show_id: int) -> Show:
    """One show; raises ``MissingError`` where there is none."""
    with connection.cursor(row_factory=dict_row) as cursor:
        found = cursor.execute("SELECT * FROM show WHERE id = %s", (show_id,)).fetchone()
        if found is None:
            raise MissingError("This show")
        rows = cursor.execute("SELECT * FROM timeline WHERE show_id = %s ORDER BY id", (show_id,)).fetchall()
    timelines = tuple(
        Timeline(
            row["id"],
            TimelineSettings(
                row["name"], Rate(Fraction(row["rate"])), row["width"], row["height"], Fraction(row["pixel_aspect"]),
                TimelineScan(row["scan"]), row["drop_frame"], row["sound_rate"], row["start_frame"],
            ),
            row["revision"],
        )
        for row in rows
    )  # fmt: skip
    return Show(found["id"], found["name"], found["default_timeline_id"], found["revision"], timelines)


def add_show(connection: Connection, name: str, timeline: TimelineSettings) -> int:
    """A new show with its first timeline as the default; returns its id. Its making is not a change in it."""
    made = connection.execute("INSERT INTO show (name) VALUES (%s) RETURNING id", (name,)).fetchone()
    assert made is not None
    show_id = int(str(made[0]))
    set_default(connection, show_id, add_timeline(connection, show_id, timeline))
    return show_id


def add_timeline(connection: Connection, show_id: int, settings: TimelineSettings) -> int:
    """Add a timeline; returns its id. Raises a unique violation where the show has one of that name."""
    made = connection.execute(
        "INSERT INTO timeline (show_id, name, rate, width, height, pixel_aspect, scan, drop_frame, sound_rate,"
        " start_frame) VALUES (%(show_id)s, %(name)s, %(rate)s, %(width)s, %(height)s, %(pixel_aspect)s, %(scan)s,"
        " %(drop_frame)s, %(sound_rate)s, %(start)s) RETURNING id",
        {"show_id": show_id, **_values(settings)},
    ).fetchone()
    assert made is not None
    return int(str(made[0]))


def set_timeline(connection: Connection, timeline_id: int, settings: TimelineSettings, revision: int) -> None:
    """Set a timeline; raises ``ConflictError`` where it is no longer at ``revision``."""
    done = connection.execute(
        "UPDATE timeline SET name = %(name)s, rate = %(rate)s, width = %(width)s, height = %(height)s,"
        " pixel_aspect = %(pixel_aspect)s, scan = %(scan)s, drop_frame = %(drop_frame)s, sound_rate = %(sound_rate)s,"
        " start_frame = %(start)s"
        " WHERE id = %(id)s AND revision = %(revision)s",
        {"id": timeline_id, "revision": revision, **_values(settings)},
    )
    if done.rowcount != 1:
        person = last_person(connection, "timeline", timeline_id) or "Somebody"
        raise ConflictError(f"{person} changed this timeline first. Look at it as it is now, then change it again.")


def remove_timeline(connection: Connection, show_id: int, timeline_id: int) -> None:
    """Take a timeline away, with its events. Raises ``RuleError`` where something depends on it: it is the one that
    is planned for, lies in another one, or files were made or sheets taken for it."""
    row = connection.execute(
        "SELECT (SELECT default_timeline_id = %(id)s FROM show WHERE id = %(show)s),"
        " (SELECT min(t.name) FROM event e JOIN timeline t ON t.id = e.timeline_id WHERE e.inner_id = %(id)s),"
        " (SELECT count(*) FROM render WHERE timeline_id = %(id)s),"
        " (SELECT count(*) FROM sheet WHERE timeline_id = %(id)s)",
        {"id": timeline_id, "show": show_id},
    ).fetchone()
    assert row is not None
    planned_for, nested_in, files, sheets = row
    if planned_for:
        raise RuleError("This is the default timeline. Choose another default first.", "timeline")
    if nested_in is not None:
        raise RuleError(f"It is nested in the timeline “{nested_in}”. Remove it there first.", "nested")
    if files or sheets:
        raise RuleError("Files or sheets were made for this timeline, so it cannot be removed.", "made")
    connection.execute("DELETE FROM timeline WHERE id = %s AND show_id = %s", (timeline_id, show_id))


def set_default(connection: Connection, show_id: int, timeline_id: int) -> None:
    """Make a timeline the one that is planned for."""
    connection.execute("UPDATE show SET default_timeline_id = %s WHERE id = %s", (timeline_id, show_id))


def rename(connection: Connection, show_id: int, name: str) -> None:
    """Give the show another name."""
    connection.execute("UPDATE show SET name = %s WHERE id = %s", (name, show_id))


def _values(settings: TimelineSettings) -> dict[str, object]:
    return {
        "name": settings.name, "rate": settings.rate.exact, "width": settings.width, "height": settings.height,
        "pixel_aspect": fraction_text(settings.pixel_aspect), "scan": settings.scan,
        "drop_frame": settings.drop_frame, "sound_rate": settings.sound_rate, "start": settings.start,
    }  # fmt: skip
