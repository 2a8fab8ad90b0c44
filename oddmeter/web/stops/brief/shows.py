"""Brief: shows, their timelines, and the list of changes."""

from dataclasses import replace
from datetime import datetime
from fractions import Fraction

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.numbers.numerals import fraction_text, parse_fraction
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import can_drop
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import Show, Timeline, TimelineSettings
from oddmeter.store import changes, shows
from oddmeter.store.changes import MissingError, change, entitle
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import Name, ShowId
from oddmeter.web.views.values import RateView, rate_view

router = APIRouter(prefix="/api/shows", tags=["brief"])


class TimelineIn(BaseModel):
    """A timeline as a person sets it; the rate as people type it, ``29.97`` or ``60i``."""

    name: Name
    rate: str
    width: int = Field(default=1920, ge=16, le=32768)
    height: int = Field(default=1080, ge=16, le=32768)
    pixel_aspect: str = "1/1"
    scan: TimelineScan = TimelineScan.PROGRESSIVE
    drop_frame: bool = False
    sound_rate: int = Field(default=48000, ge=8000, le=384000)


class TimelineChange(TimelineIn):
    """A timeline to set, with the revision that was seen."""

    revision: int


class TimelineView(BaseModel):
    """A timeline as it stands."""

    id: int
    name: str
    rate: RateView
    width: int
    height: int
    pixel_aspect: str
    scan: TimelineScan
    scan_words: str
    drop_frame: bool
    can_drop: bool
    sound_rate: int
    is_default: bool
    revision: int


class ChangeView(BaseModel):
    """A change that can be undone or redone."""

    id: int
    title: str
    person: str
    made_at: datetime


class ShowView(BaseModel):
    """A show with its timelines, and what undo and redo would do."""

    id: int
    name: str
    revision: int
    timelines: list[TimelineView]
    undo: ChangeView | None
    redo: ChangeView | None


class ShowIn(BaseModel):
    """A new show with its first timeline."""

    name: Name
    timeline: TimelineIn


class ShowChange(BaseModel):
    """What to set on a show; what is left out stays."""

    name: Name | None = None
    default_timeline_id: int | None = None


class ShowName(BaseModel):
    """A show in the list of shows."""

    id: int
    name: str


@router.get("")
def list_shows(here: Here) -> list[ShowName]:
    """All shows, oldest first."""
    with here.database.transaction() as connection:
        return [ShowName(id=show.id, name=show.name) for show in shows.all_shows(connection)]


@router.post("", status_code=201)
def make_show(here: Here, asked: ShowIn) -> ShowView:
    """Make a show with its first timeline."""
    settings = _settings(asked.timeline)
    with here.database.transaction() as connection:
        show_id = shows.add_show(connection, asked.name, settings)
    return _view(here, show_id)


@router.get("/{show_id}")
def get_show(here: Here, show_id: ShowId) -> ShowView:
    """One show."""
    return _view(here, show_id)


@router.patch("/{show_id}")
def set_show(here: Here, show_id: ShowId, asked: ShowChange) -> ShowView:
    """Rename a show, or choose the timeline that is planned for; both are one change."""
    with change(here.database, show_id, "", here.person) as connection:
        known = shows.show(connection, show_id)
        titles = []
        if asked.name is not None and asked.name != known.name:
            shows.rename(connection, show_id, asked.name)
            titles.append(f"Show renamed “{asked.name}”")
        if asked.default_timeline_id is not None:
            chosen = _timeline(known, asked.default_timeline_id)
            shows.set_default(connection, show_id, chosen.id)
            titles.append(f"Plan for “{chosen.settings.name}”")
        entitle(connection, ", ".join(titles))
    return _view(here, show_id)


@router.post("/{show_id}/timelines", status_code=201)
def make_timeline(here: Here, show_id: ShowId, asked: TimelineIn) -> ShowView:
    """Add a timeline to a show."""
    settings = _settings(asked)
    with change(here.database, show_id, f"New timeline “{settings.name}”", here.person) as connection:
        shows.add_timeline(connection, show_id, settings)
    return _view(here, show_id)


@router.put("/{show_id}/timelines/{timeline_id}")
def set_timeline(here: Here, show_id: ShowId, timeline_id: int, asked: TimelineChange) -> ShowView:
    """Set a timeline; refused where somebody changed it since it was seen."""
    settings = _settings(asked)
    with change(here.database, show_id, "", here.person) as connection:
        known = _timeline(shows.show(connection, show_id), timeline_id)
        settings = replace(settings, start=known.settings.start)
        shows.set_timeline(connection, known.id, settings, asked.revision)
        entitle(connection, _timeline_title(known, settings))
    return _view(here, show_id)


@router.delete("/{show_id}/timelines/{timeline_id}")
def remove_timeline(here: Here, show_id: ShowId, timeline_id: int) -> ShowView:
    """Take a timeline and its events away; it can be undone. Refused where something else depends on it."""
    with change(here.database, show_id, "", here.person) as connection:
        known = _timeline(shows.show(connection, show_id), timeline_id)
        shows.remove_timeline(connection, show_id, timeline_id)
        entitle(connection, f"Timeline “{known.settings.name}” taken away")
    return _view(here, show_id)


@router.post("/{show_id}/undo/{change_id}")
def undo(here: Here, show_id: ShowId, change_id: int) -> ShowView:
    """Take back the newest change; refused where it is not ``change_id`` any more."""
    changes.undo(here.database, show_id, change_id)
    return _view(here, show_id)


@router.post("/{show_id}/redo/{change_id}")
def redo(here: Here, show_id: ShowId, change_id: int) -> ShowView:
    """Bring back what was undone last."""
    changes.redo(here.database, show_id, change_id)
    return _view(here, show_id)


def _timeline(show: Show, timeline_id: int) -> Timeline:
    found = next((t for t in show.timelines if t.id == timeline_id), None)
    if found is None:
        raise MissingError("This timeline")
    return found


def _timeline_title(known: Timeline, settings: TimelineSettings) -> str:
    if known.settings.rate != settings.rate:
        return f"Timeline “{settings.name}” from {known.settings.rate} to {settings.rate}"
    return f"Timeline “{settings.name}” changed"


def _settings(asked: TimelineIn) -> TimelineSettings:
    rate = Rate.parse(asked.rate)
    return TimelineSettings(
        name=asked.name,
        rate=rate,
        width=asked.width,
        height=asked.height,
        pixel_aspect=parse_fraction(asked.pixel_aspect) or Fraction(1),
        scan=asked.scan,
        drop_frame=asked.drop_frame and can_drop(rate),
        sound_rate=asked.sound_rate,
    )


def _view(here: Context, show_id: int) -> ShowView:
    with here.database.transaction() as connection:
        show: Show = shows.show(connection, show_id)
        now = changes.undo_state(connection, show_id)
    return ShowView(
        id=show.id,
        name=show.name,
        revision=show.revision,
        timelines=[timeline_view(t, show) for t in show.timelines],
        undo=_change_view(now.undo),
        redo=_change_view(now.redo),
    )


def timeline_view(timeline: Timeline, show: Show) -> TimelineView:
    """A timeline for the page."""
    settings = timeline.settings
    return TimelineView.model_validate(
        {
            "id": timeline.id,
            "name": settings.name,
            "rate": rate_view(settings.rate),
            "width": settings.width,
            "height": settings.height,
            "pixel_aspect": fraction_text(settings.pixel_aspect),
            "scan": settings.scan,
            "scan_words": settings.scan.words,
            "drop_frame": settings.drop_frame,
            "can_drop": can_drop(settings.rate),
            "sound_rate": settings.sound_rate,
            "is_default": timeline.id == show.default_timeline_id,
            "revision": timeline.revision,
        }
    )


def _change_view(made: changes.Change | None) -> ChangeView | None:
    if made is None:
        return None
    return ChangeView(id=made.id, title=made.title, person=made.person, made_at=made.made_at)
