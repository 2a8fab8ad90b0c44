"""The beats of a piece of music, wherever they are shown."""

from fractions import Fraction

from oddmeter.core.decisions.music import Music, MusicBeats
from oddmeter.store.decisions import kept_beats
from oddmeter.web.http.context import Context


def beats_of(here: Context, show_id: int, music: Music) -> tuple[MusicBeats, bool]:
    """The beats of a piece of music, and whether people have changed those that are found."""
    with here.database.transaction() as connection:
        kept = kept_beats(connection, show_id, music)
    if kept is not None:
        return kept, True
    found = here.looking.beats(here.config.footage(music.root, music.path))
    return tuple(Fraction(str(beat)) for beat in found.beats), False
