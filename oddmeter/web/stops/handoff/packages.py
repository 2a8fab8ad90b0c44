"""Packages: finished files handed over together, looked at as they were, and checked."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.filenames import safe_folder
from oddmeter.core.planning.remaking import words_of
from oddmeter.interchange.hashlists.hashes import Algorithm
from oddmeter.store import renders
from oddmeter.store.changes import MissingError
from oddmeter.store.handoff import packages
from oddmeter.store.renders import Render
from oddmeter.web.board import Board
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.work.orders import Order, order_of
from oddmeter.work.remaking import order_changes

router = APIRouter(prefix="/api/shows/{show_id}/packages", tags=["handoff"])


class PackageIn(BaseModel):
    """A package to close: which finished files, in which folder below that for made files, hashed how."""

    render_ids: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    folder: str
    algorithm: Algorithm = Algorithm.XXH128


class PackageView(BaseModel):
    """A package: how far it is, and where it lies on the machine that makes files."""

    id: int
    folder: str
    full_path: str
    algorithm: Algorithm
    person: str
    files: int
    done: int
    state: str
    fault: str | None
    asked_at: datetime
    finished_at: datetime | None


class PackageFile(BaseModel):
    """A file of a package as it was handed over; ``changed`` says what is other by now, where anything is."""

    path: str
    source: str
    setting: str
    rate: str
    frames: int
    intent: str
    checks: int
    changed: str | None


class PackageContents(BaseModel):
    """What a package held when it was closed."""

    files: list[PackageFile]


@router.get("")
def list_packages(here: Here, show_id: ShowId) -> list[PackageView]:
    """The packages of a show, the newest first."""
    with here.database.transaction() as connection:
        return [_view(here, one) for one in packages.packages_of_show(connection, show_id)]


@router.post("", status_code=201)
def close_package(here: Here, show_id: ShowId, asked: PackageIn) -> PackageView:
    """Ask for finished files to be closed as a package."""
    folder = safe_folder(asked.folder)
    if not folder:
        raise RuleError("A package needs a folder of its own.", "folder")
    if here.config.product(folder).exists():
        raise RuleError(f"There is already something in {folder}. Choose another folder.", "exists")
    with here.database.transaction() as connection:
        if any(one.show_id != show_id for one in renders.renders_by_id(connection, asked.render_ids)):
            raise MissingError("This file")
        made = packages.ask(connection, show_id, folder, asked.algorithm.value, here.person, asked.render_ids)
        here.queue.ask_package(connection, made)
        return _view(here, packages.package(connection, made))


@router.get("/{package_id}")
def contents(here: Here, show_id: ShowId, package_id: int) -> PackageContents:
    """What a package held when it was closed, and what has changed since."""
    board = here.boards.open(show_id)
    with here.database.transaction() as connection:
        found = _found(packages.package(connection, package_id), show_id)
        made = renders.renders_by_id(connection, found.renders)
    by_path = {render.out_path: render for render in made}
    files = (found.sheet or {}).get("files", [])
    return PackageContents(files=[_file(entry, _changed(board, entry, by_path.get(entry["path"]))) for entry in files])


def _found(found: packages.Package, show_id: int) -> packages.Package:
    if found.show_id != show_id:
        raise MissingError("This package")
    return found


def _view(here: Context, found: packages.Package) -> PackageView:
    return PackageView(
        id=found.id, folder=found.folder, full_path=str(here.config.product(found.folder)),
        algorithm=Algorithm(found.algorithm), person=found.person, files=len(found.renders), done=found.done,
        state=found.state, fault=found.fault, asked_at=found.asked_at, finished_at=found.finished_at,
    )  # fmt: skip


def _changed(board: Board, entry: dict[str, Any], made: Render | None) -> str | None:
    """Why a file that was handed off would be another one today; None where it would not."""
    if made is None or made.clip_id is None or made.clip_id not in board.known:
        return "its clip was removed from the show"
    timeline = next((one for one in board.show.timelines if one.id == made.timeline_id), None)
    if timeline is None:
        return "its timeline was removed"
    (row,) = board.some([made.clip_id], timeline)
    if row.plan is None:
        return "its clip cannot be planned any more"
    return words_of(order_changes(Order.model_validate(entry["order"]), order_of(row.plan))) or None


def _file(entry: dict[str, Any], changed: str | None) -> PackageFile:
    return PackageFile(
        path=entry["path"], source=entry["source"], setting=entry["setting"]["name"], rate=entry["rate"],
        frames=entry["frames"], intent=entry["intent"], checks=len(entry["proof"].get("checks", [])), changed=changed,
    )  # fmt: skip
