"""The strokes of a piece of music, wherever they are shown."""

from fractions import Fraction

from oddmeter.core.decisions.music import Music, Strokes
from oddmeter.store.decisions import kept_strokes
from oddmeter.web.http.context import Context


def strokes_of(here: Context, show_id: int, music: Music) -> tuple[Strokes, bool]:
    """The strokes of a piece of music, and whether people have changed those that are found."""
    with here.database.transaction() as connection:
        kept = kept_strokes(connection, show_id, music)
    if kept is not None:
        return kept, True
    found = here.looking.beats(here.config.footage(music.root, music.path))
    return tuple(Fraction(str(one)) for one in found.beats), False
