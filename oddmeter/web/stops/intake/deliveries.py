"""Intake: look through the media roots, bring in deliveries, and see what came in."""

import os
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated
from uuid import uuid4

from fastapi import APIRouter, File, Form, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel

from oddmeter.config import UPLOADS, Config, contains
from oddmeter.core.evidence.logs import Table
from oddmeter.core.evidence.matching import folder_of
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.filenames import safe_name
from oddmeter.interchange.logs import is_report, read_log
from oddmeter.media.files.sequence import gathered
from oddmeter.store import clips, shows
from oddmeter.store.changes import MissingError, change, entitle
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import Name, ShowId
from oddmeter.work.reports import add_report

router = APIRouter(tags=["intake"])

MOST_FILES = 100_000
MOST_SHOWN = 500
_MANY = 1_000
"""Files that come together, from which on a show takes a moment to be worked out."""


class FolderView(BaseModel):
    """A folder below a media root; ``files`` counts what it holds directly."""

    name: str
    path: str
    files: int
    folders: int


class FolderListing(BaseModel):
    """What a folder holds: the way to it, folders below it, and its files' names (at most 500).
    ``left_out`` names links that lead nowhere, round in a circle, or out of the root."""

    root: str
    path: str
    folders: list[FolderView]
    files: list[str]
    more_files: int
    all_files: int
    left_out: list[str]


class DeliveryIn(BaseModel):
    """A folder to bring in, with all that lies below it."""

    name: Name
    root: str
    path: str = ""


class DeliveryView(BaseModel):
    """A delivery and how far the probing has come."""

    id: int
    name: str
    root: str
    folder: str
    clips: int
    probed: int
    troubled: int


class DeliveryMade(BaseModel):
    """A delivery that was brought in; ``reports`` names camera and scan reports that were read, ``left_out`` files
    that cannot be used as either. Where there were reports only there is no delivery."""

    id: int | None
    clips: int
    reports: list[str]
    left_out: list[str]


@router.get("/api/roots")
def roots(here: Here) -> list[str]:
    """The names of the media roots."""
    return [name for name, folder in here.config.roots.items() if name != UPLOADS and folder.is_dir()]


@router.get("/api/roots/{root}/folder")
def browse(here: Here, root: str, path: str = "") -> FolderListing:
    """What lies in a folder below a media root."""
    folder = _folder(here.config, root, path)
    entries = _entries(folder)
    left_out = [entry.name for entry in entries if entry.is_symlink() and _leads_out(here.config, root, entry)]
    entries = [entry for entry in entries if entry.name not in left_out]
    files = [entry.name for entry in entries if entry.is_file()]
    below = [entry for entry in entries if entry.is_dir()]
    listed = [_folder_view(here.config, root, Path(entry.path)) for entry in below]
    count = sum(1 for _ in _media_files(here.config, root, folder))
    return FolderListing(
        root=root,
        path=_relative(here.config, root, folder),
        folders=listed,
        files=[_printable(name) for name in files[:MOST_SHOWN]],
        more_files=max(0, len(files) - MOST_SHOWN),
        all_files=count,
        left_out=[_printable(name) for name in left_out[:MOST_SHOWN]],
    )


@router.get("/api/shows/{show_id}/deliveries")
def list_deliveries(here: Here, show_id: ShowId) -> list[DeliveryView]:
    """The deliveries of a show, in the order they came in."""
    with here.database.transaction() as connection:
        return [DeliveryView.model_validate(d, from_attributes=True) for d in clips.deliveries(connection, show_id)]


@router.post("/api/shows/{show_id}/deliveries", status_code=201)
def bring_in(here: Here, show_id: ShowId, asked: DeliveryIn) -> DeliveryMade:
    """Bring in a folder: every file below it becomes a clip, and is looked at by the worker."""
    return _bring_in(here, show_id, asked.name, asked.root, asked.path)


@router.post("/api/shows/{show_id}/uploads", status_code=201)
def upload(
    here: Here, show_id: ShowId, name: Annotated[str, Form()], files: Annotated[list[UploadFile], File()]
) -> DeliveryMade:
    """Bring in files dropped into the browser; they are kept in a folder of their own."""
    with here.database.transaction() as connection:
        shows.show(connection, show_id)
    title = safe_name(name) or "Upload"
    folder = here.config.footage(UPLOADS, f"{title} {uuid4().hex[:6]}")
    folder.mkdir(parents=True)
    try:
        _keep(folder, files)
        return _bring_in(here, show_id, title, UPLOADS, folder.name)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise


def _keep(folder: Path, files: list[UploadFile]) -> None:
    for number, file in enumerate(files, 1):
        plain = safe_name(Path(file.filename or "").name) or f"file {number}"
        target = folder / plain
        if target.exists():
            target = folder / f"{number} {plain}"
        with target.open("xb") as written:
            shutil.copyfileobj(file.file, written, 1 << 20)


@router.delete("/api/shows/{show_id}/deliveries/{delivery_id}", status_code=204)
def take_out(here: Here, show_id: ShowId, delivery_id: int) -> None:
    """Take a delivery out of the show; its files stay where they are, and it can be undone."""
    with change(here.database, show_id, "", here.person) as connection:
        found = next((d for d in clips.deliveries(connection, show_id) if d.id == delivery_id), None)
        if found is None:
            raise MissingError("This delivery")
        entitle(connection, f"“{found.name}” taken out")
        clips.take_out(connection, delivery_id)


@router.get("/made/{path:path}", response_class=FileResponse, include_in_schema=False)
def product(here: Here, path: str) -> FileResponse:
    """A made file, to take away; never shown by the browser itself."""
    file = here.config.product(path)
    if not file.is_file() or any(part.startswith(".") for part in Path(path).parts):
        raise MissingError("This file")
    return FileResponse(file, filename=file.name, content_disposition_type="attachment")


def _bring_in(here: Context, show_id: int, name: str, root: str, path: str) -> DeliveryMade:
    folder = _folder(here.config, root, path)
    found = [_relative(here.config, root, file) for file in _media_files(here.config, root, folder)]
    left_out = [_printable(file) for file in found if not _can_be_kept(file)]
    kept = [file for file in found if _can_be_kept(file)]
    reports: list[tuple[str, Table]] = []
    for file in filter(is_report, kept):
        try:
            reports.append((file, read_log(here.config.footage(root, file).read_bytes())))
        except (RuleError, OSError):
            left_out.append(_printable(file))
    paths = gathered(file for file in kept if not is_report(file))
    if not paths and not reports:
        raise RuleError("This folder contains no files.", "empty")
    delivery = None
    with change(here.database, show_id, f"“{name}” brought in", here.person) as connection:
        if paths:
            delivery = clips.add_delivery(connection, show_id, name, root, _relative(here.config, root, folder), paths)
            clips.bring_in(connection, delivery)
            waiting = clips.unprobed(connection, delivery)
            here.queue.ask_probe(connection, waiting)
            here.queue.ask_look(connection, waiting[:_MANY])  # the worker's sweep asks for the others, which come later
        for file, table in reports:
            add_report(connection, show_id, Path(file).name, table, folder_of(file))
    if len(paths) > _MANY:
        here.boards.begin(show_id)
    names = sorted(Path(file).name for file, _ in reports)
    return DeliveryMade(id=delivery, clips=len(paths), reports=names, left_out=left_out[:MOST_SHOWN])


def _folder(config: Config, root: str, path: str) -> Path:
    folder = config.footage(root, path)
    if not folder.is_dir():
        raise MissingError(f"The folder “{path or root}”")
    return folder


def _entries(folder: Path) -> list[os.DirEntry[str]]:
    try:
        with os.scandir(folder) as entries:
            return sorted((e for e in entries if not e.name.startswith(".")), key=lambda e: e.name.lower())
    except OSError as error:
        raise RuleError(f"This folder cannot be read: {error.strerror}.", "folder") from error


def _media_files(config: Config, root: str, folder: Path) -> Iterator[Path]:
    """Every file below a folder, in order of name, without hidden ones and links that lead out of the root."""
    count = 0
    for where, folders, files in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(files):
            path = Path(where) / name
            if name.startswith(".") or (path.is_symlink() and _leads_out(config, root, path)):
                continue
            count += 1
            if count > MOST_FILES:
                raise RuleError(f"This folder holds more than {MOST_FILES} files. Choose a folder below it.")
            yield path


def _leads_out(config: Config, root: str, entry: os.DirEntry[str] | Path) -> bool:
    """True where a link leads out of its root, to nothing, or round in a circle."""
    try:
        return not (contains(config.roots[root], Path(entry)) and Path(entry).exists())
    except (OSError, RuntimeError):
        return True


def _folder_view(config: Config, root: str, folder: Path) -> FolderView:
    try:
        entries = _entries(folder)
    except RuleError:
        entries = []
    folders = sum(1 for entry in entries if _is_folder(entry))
    name = _printable(folder.name)
    path = _relative(config, root, folder)
    return FolderView(name=name, path=path, files=len(entries) - folders, folders=folders)


def _is_folder(entry: os.DirEntry[str]) -> bool:
    try:
        return entry.is_dir()
    except OSError:
        return False


def _relative(config: Config, root: str, path: Path) -> str:
    relative = path.relative_to(config.roots[root]) if path.is_absolute() else path
    return "" if str(relative) == "." else str(relative)


def _can_be_kept(path: str) -> bool:
    try:
        path.encode()
    except UnicodeEncodeError:
        return False
    return True


def _printable(name: str) -> str:
    return name.encode(errors="replace").decode()
