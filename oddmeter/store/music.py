"""Strokes of music as people left them."""

from fractions import Fraction

from psycopg.rows import dict_row

from oddmeter.core.decisions.music import Music, Strokes
from oddmeter.store.database import Connection

_PARTS = 1_000_000


def kept_strokes(connection: Connection, show_id: int, music: Music) -> Strokes | None:
    """The strokes of a piece of music in a show; None where nobody has changed what is found."""
    with connection.cursor(row_factory=dict_row) as cursor:
        row = cursor.execute(
            "SELECT strokes FROM music WHERE show_id = %s AND root = %s AND path = %s",
            (show_id, music.root, music.path),
        ).fetchone()
    return None if row is None else tuple(Fraction(one, _PARTS) for one in row["strokes"])


def keep_strokes(connection: Connection, show_id: int, music: Music, strokes: Strokes) -> None:
    """Keep strokes to the millionth of a second, in place of those before."""
    connection.execute(
        "INSERT INTO music (show_id, root, path, strokes) VALUES (%s, %s, %s, %s)"
        " ON CONFLICT (show_id, root, path) DO UPDATE SET strokes = excluded.strokes",
        (show_id, music.root, music.path, [round(one * _PARTS) for one in strokes]),
    )


def forget_strokes(connection: Connection, show_id: int, music: Music) -> None:
    """Go back to the strokes that are found."""
    connection.execute(
        "DELETE FROM music WHERE show_id = %s AND root = %s AND path = %s", (show_id, music.root, music.path)
    )
