"""The queue: files asked for, how far each is, its proof; stopped and tried again, one by one or all of them."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oddmeter.media.settings.containers import PICTURES
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.store.handoff import turns
from oddmeter.store.renders import Render
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.values import duration_words, seconds_covered
from oddmeter.work.hooks import note_ends

router = APIRouter(prefix="/api", tags=["handoff"])

_FRAMES_TO_TELL, _FILES_TO_TELL = 12, 50
_USUAL, _MOST_AT_ONCE, _MOST_FILES = 200, 2_000, 10_000_000


class CheckView(BaseModel):
    """One thing the proof compared."""

    name: str
    planned: str
    found: str
    passed: bool


class RenderView(BaseModel):
    """A file asked for: how far it is, and its proof; ``full_path`` is where it is on the machine that makes files. One
    of a timeline belongs to no clip; its ``clip_name`` is then what it is made of."""

    id: int
    clip_id: int | None
    clip_name: str
    setting: str
    is_folder: bool
    out_path: str
    full_path: str
    timeline: str
    state: str
    done_frames: int
    total_frames: int
    attempts: int
    left: str | None
    fault: str | None
    checks: list[CheckView]
    wrong_frames: list[int]
    too_still: int
    urgency: int
    paused: bool
    run: int | None
    asked_at: datetime
    finished_at: datetime | None


class QueueView(BaseModel):
    """All files of a show at a glance: how many are proven and under way, some of them paused; of these the frames made
    and those proven so far, of how many, and how long they still take; and how many can be tried again, of which some
    failed, and others were cancelled."""

    files: int
    proven: int
    under_way: int
    paused: int
    done_frames: int
    total_frames: int
    left: str | None
    failed: int
    again: int


class FilesIn(BaseModel):
    """Which files to do it to; without any, all of the show."""

    ids: Annotated[list[int], Field(max_length=100_000)] | None = None


class UrgencyIn(FilesIn):
    """How urgent waiting files are: 1 before all others, 0 as usual, -1 when nothing else waits."""

    urgency: Annotated[int, Field(ge=-1, le=1)]


class MoveIn(BaseModel):
    """Waiting files to put before another one, or behind all."""

    ids: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    before: int | None = None


class Reached(BaseModel):
    """How many files it was done to."""

    files: int


@router.get("/shows/{show_id}/renders")
def list_renders(
    here: Here,
    show_id: ShowId,
    first: Annotated[int, Query(ge=0, le=_MOST_FILES)] = 0,
    count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)] = _USUAL,
) -> list[RenderView]:
    """Files asked for, from one on: those at work, those that failed and can be tried again, those that wait, in turn,
    and then the others, the newest first."""
    with here.database.transaction() as connection:
        files = renders.renders_of_show(connection, show_id, first, count)
    return [_render_view(file, str(here.config.product(file.out_path))) for file in files]


@router.post("/renders/{render_id}/cancel", status_code=204)
def cancel(here: Here, render_id: int) -> None:
    """Stop making a file; what was written of it is removed."""
    with here.database.transaction() as connection:
        renders.render(connection, render_id)
        _cancelled(connection, [render_id])


@router.post("/renders/{render_id}/retry", status_code=204)
def retry(here: Here, render_id: int) -> None:
    """Try a file again that failed or was cancelled."""
    with here.database.transaction() as connection:
        known = renders.render(connection, render_id)
        _try_again(here, connection, {render_id: known.out_path})


@router.get("/shows/{show_id}/renders/queue")
def queue(here: Here, show_id: ShowId) -> QueueView:
    """All files of a show at a glance."""
    with here.database.transaction() as connection:
        counts = renders.counts(connection, show_id)
        going = renders.under_way(connection, show_id)
        begun = renders.begun_last(connection, show_id, _FILES_TO_TELL) if going else []
        again = renders.to_try_again(connection, show_id)
    return QueueView(
        files=sum(counts.values()),
        proven=counts.get("done", 0),
        under_way=len(going),
        paused=sum(file.paused for file in going),
        done_frames=sum(_done(file) for file in going),
        total_frames=sum(_whole(file) for file in going),
        left=_queue_left([file for file in going if not (file.paused and file.state == "waiting")], begun),
        failed=sum(file.failed for file in again),
        again=len(again),
    )


@router.post("/shows/{show_id}/renders/cancel")
def cancel_some(here: Here, show_id: ShowId, asked: FilesIn | None = None) -> Reached:
    """Stop making all files of a show that are not finished, or those of these that are not."""
    with here.database.transaction() as connection:
        going = [file.id for file in renders.under_way(connection, show_id)]
        return Reached(files=_cancelled(connection, _of_these(going, asked)))


@router.post("/shows/{show_id}/renders/retry")
def retry_some(here: Here, show_id: ShowId, asked: FilesIn | None = None) -> Reached:
    """Try all files of a show again that failed or were cancelled, or those of these; of those of one name the one
    asked for last, and none that has been asked for again since."""
    with here.database.transaction() as connection:
        known = {file.id: file for file in renders.to_try_again(connection, show_id)}
        again = [known[number] for number in _of_these(known, asked)]
        _try_again(here, connection, {file.id: file.out_path for file in again})
    return Reached(files=len(again))


@router.post("/shows/{show_id}/renders/pause")
def pause(here: Here, show_id: ShowId, asked: FilesIn | None = None) -> Reached:
    """Pause files that wait; what is being made is finished."""
    with here.database.transaction() as connection:
        return Reached(files=turns.pause(connection, _waiting(connection, show_id, asked)))


@router.post("/shows/{show_id}/renders/go-on")
def go_on(here: Here, show_id: ShowId, asked: FilesIn | None = None) -> Reached:
    """Have paused files go on."""
    with here.database.transaction() as connection:
        files = turns.go_on(connection, _waiting(connection, show_id, asked))
        here.queue.ask_renders(connection, files)
    return Reached(files=len(files))


@router.post("/shows/{show_id}/renders/urgency")
def set_urgency(here: Here, show_id: ShowId, asked: UrgencyIn) -> Reached:
    """Make waiting files more or less urgent than others, of whichever show."""
    with here.database.transaction() as connection:
        return Reached(files=turns.set_urgency(connection, _waiting(connection, show_id, asked), asked.urgency))


@router.post("/shows/{show_id}/renders/move", status_code=204)
def move(here: Here, show_id: ShowId, asked: MoveIn) -> None:
    """Put waiting files before another one of the show, or behind all of them."""
    with here.database.transaction() as connection:
        turns.move(connection, show_id, asked.ids, asked.before)


def _cancelled(connection: Connection, render_ids: list[int]) -> int:
    """Ask renders to stop; those that wait end at once, and their runs with them."""
    asked = renders.cancel(connection, *render_ids)
    note_ends(connection, render_ids)
    return asked


def _waiting(connection: Connection, show_id: int, asked: FilesIn | None) -> list[int]:
    return _of_these(turns.waiting_in_turn(connection, show_id), asked)


def _of_these(known: Iterable[int], asked: FilesIn | None) -> list[int]:
    """Those that are asked for, all where none is named; what is none of them is passed over."""
    if asked is None or asked.ids is None:
        return list(known)
    wanted = set(asked.ids)
    return [number for number in known if number in wanted]


def _try_again(here: Context, connection: Connection, files: dict[int, str]) -> None:
    renders.retry(connection, *files)
    here.queue.ask_renders(connection, {path: number for number, path in files.items()})


def _render_view(render: Render, full_path: str) -> RenderView:
    proof = render.proof or {}
    return RenderView(
        id=render.id,
        clip_id=render.clip_id,
        clip_name=render.clip_name,
        setting=render.setting,
        is_folder=(render.setting_document or {}).get("container") == PICTURES,
        out_path=render.out_path,
        full_path=full_path,
        timeline=render.timeline,
        state=render.state,
        done_frames=render.done_frames,
        total_frames=render.total_frames,
        attempts=render.attempts,
        left=_left(render),
        fault=render.fault,
        checks=[CheckView.model_validate(check) for check in proof.get("checks", [])],
        wrong_frames=proof.get("wrong_frames", []),
        too_still=proof.get("too_still", 0),
        urgency=render.urgency,
        paused=render.paused and render.state == "waiting",
        run=render.run_id,
        asked_at=render.asked_at,
        finished_at=render.finished_at,
    )


def _left(file: Render) -> str | None:
    """How long it takes until a file is made and proven, at the pace so far; None where that cannot be determined."""
    if file.state not in ("rendering", "proving") or file.begun_at is None or _done(file) < _FRAMES_TO_TELL:
        return None
    so_far = (datetime.now(UTC) - file.begun_at).total_seconds()
    return duration_words(so_far * (_whole(file) - _done(file)) / _done(file))


def _queue_left(going: list[Render], begun_last: list[Render]) -> str | None:
    """How long it takes until all that is under way is made and proven, at the pace of the files begun last; their
    times may overlap."""
    now = datetime.now(UTC)
    begun = [
        (file.begun_at.timestamp(), (file.finished_at or now).timestamp(), _done(file)) for file in begun_last
        if file.begun_at and file.state in ("rendering", "proving", "done")
    ]  # fmt: skip
    left = sum(_whole(file) - _done(file) for file in going)
    done = sum(done for _, _, done in begun)
    if not left or done < _FRAMES_TO_TELL:
        return None
    return duration_words(seconds_covered((begins, ends) for begins, ends, _ in begun) * left / done)


def _done(file: Render) -> int:
    """Frames made, and those proven: to prove one takes about as long as to make it."""
    return file.done_frames + (file.total_frames if file.state in ("proving", "done") else 0)


def _whole(file: Render) -> int:
    """Frames to be made and proven."""
    return 2 * file.total_frames
