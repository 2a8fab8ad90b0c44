"""Markers: source frames of a clip that people want to find again, wherever the clip is used."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.changes import change
from oddmeter.store.words import markers, put_marker, take_marker
from oddmeter.web.http.context import Context, Here
from oddmeter.web.looking import Token
from oddmeter.web.stops.bench.sides import comes_at
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.changes import ChangedView

router = APIRouter(prefix="/api/shows/{show_id}/bench/{clip_id}/markers", tags=["bench"])


class MarkerView(BaseModel):
    """A marker: its source frame, its name, and the timeline frame of the side that first shows it."""

    frame: int
    name: str
    comes: int


class MarkerEdit(BaseModel):
    """A marker at a source frame: put there with that name, or taken away."""

    frame: Annotated[int, Field(ge=0, le=1 << 31)]
    name: Annotated[str, Field(max_length=200)] = ""
    away: bool = False


@router.get("")
def list_markers(here: Here, show_id: ShowId, clip_id: int, token: Token) -> list[MarkerView]:
    """The markers of a clip that a side shows, in the order in which they come."""
    board = here.boards.open(show_id)
    board.some([clip_id], board.timeline())
    return markers_on(here, clip_id, token)


@router.post("")
def edit_marker(here: Here, show_id: ShowId, clip_id: int, asked: MarkerEdit) -> ChangedView:
    """Put a marker, give it another name, or take it away; it can be undone like any change."""
    board = here.boards.open(show_id)
    (row,) = board.some([clip_id], board.timeline())
    if row.clip.facts is None or asked.frame >= row.clip.facts.frames:
        raise RuleError(f"Frame {asked.frame} lies outside {row.clip.name}.", "marker")
    done = "taken from" if asked.away else "put at"
    title = f"Marker {done} source frame {asked.frame} of {row.clip.name}"
    with change(here.database, show_id, title, here.person) as connection:
        if asked.away:
            take_marker(connection, clip_id, asked.frame)
        else:
            put_marker(connection, clip_id, asked.frame, asked.name.strip())
    return ChangedView(title=title)


def markers_on(here: Context, clip_id: int, token: Token) -> list[MarkerView]:
    """The markers of a clip on the timeline of a side."""
    planned = here.looking.side(token).viewed.planned
    with here.database.transaction() as connection:
        kept = markers(connection, clip_id)
    found = [(frame, name, comes_at(planned, frame)) for frame, name in kept.items()]
    out = [MarkerView(frame=frame, name=name, comes=comes) for frame, name, comes in found if comes is not None]
    return sorted(out, key=lambda marker: (marker.comes, marker.frame))
