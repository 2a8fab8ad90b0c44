"""Errands of packages: any folder verified, a package copied to a target; a worker does them, and the page watches."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.planning.filenames import safe_folder
from oddmeter.store.changes import MissingError
from oddmeter.store.database import Connection
from oddmeter.store.handoff import errands, packages
from oddmeter.store.handoff.errands import Errand
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId

router = APIRouter(prefix="/api/shows/{show_id}", tags=["handoff"])
_MOST = 20


class FaultView(BaseModel):
    """One thing that is wrong with a package."""

    file: str
    kind: str
    words: str


class ErrandView(BaseModel):
    """An errand: what is done with which folder; how far it is; of a package that was verified, what is wrong with it,
    and of one that was copied, where it lies now, how many files were copied, and how many were there already."""

    id: int
    kind: str
    folder: str
    target: str
    person: str
    state: str
    what: str
    done: int
    total: int
    faults: list[FaultView] | None
    copied: int | None
    there: int | None
    lies_at: str | None
    fault: str | None
    asked_at: datetime


class VerifyIn(BaseModel):
    """A package to verify: its folder below a media root or, without one, below the folder for made files; with
    ``sources``, the media root where its sources lie, every picture is held against them too; ``without_hashes``
    decodes instead of hashing."""

    root: str = ""
    folder: Annotated[str, Field(min_length=1, max_length=2000)]
    sources: str = ""
    without_hashes: bool = False


class PackageCopyIn(BaseModel):
    """A closed package to copy, and the name of the target."""

    package: int
    target: Annotated[str, Field(min_length=1, max_length=200)]


class ErrandPlaces(BaseModel):
    """Where packages can be looked for, by the names of media roots, and which targets they can be copied to."""

    roots: list[str]
    targets: list[str]


@router.get("/errands/places")
def places(here: Here, show_id: ShowId) -> ErrandPlaces:
    """Where packages can be looked for, and copied to."""
    return ErrandPlaces(roots=list(here.config.roots), targets=list(here.config.targets))


@router.get("/errands")
def list_errands(here: Here, show_id: ShowId) -> list[ErrandView]:
    """The errands of a show, the newest first."""
    with here.database.transaction() as connection:
        return [_view(errand) for errand in errands.errands_of_show(connection, show_id, _MOST)]


@router.post("/errands/verify", status_code=202)
def verify(here: Here, show_id: ShowId, asked: VerifyIn) -> ErrandView:
    """Ask for any package to be verified where it lies."""
    place = here.config.place(asked.root, asked.folder)
    if asked.sources:
        here.config.footage(asked.sources, "")
    if not place.is_dir():
        raise RuleError(f"There is no folder {asked.folder}.", "folder")
    with here.database.transaction() as connection:
        return _asked(here, connection, show_id, "verify", asked.model_dump())


@router.post("/errands/copy", status_code=202)
def copy(here: Here, show_id: ShowId, asked: PackageCopyIn) -> ErrandView:
    """Ask for a closed package to be copied to a target."""
    if asked.target not in here.config.targets:
        raise RuleError(f"There is no target “{asked.target}” here.", "target")
    with here.database.transaction() as connection:
        found = packages.package(connection, asked.package)
        if found.show_id != show_id:
            raise MissingError("This package")
        if found.state != "closed":
            raise RuleError("This package is not closed yet.", "state")
        said = {"folder": safe_folder(found.folder), "target": asked.target}
        return _asked(here, connection, show_id, "copy", said)


def _asked(
    here: Context, connection: Connection, show_id: int, kind: errands.Kind, said: dict[str, Any]
) -> ErrandView:  # fmt: skip
    made = errands.ask(connection, show_id, kind, said, here.person)
    here.queue.ask_errand(connection, made)
    return _view(errands.errand(connection, made))


def _view(errand: Errand) -> ErrandView:
    outcome, asked = errand.outcome or {}, errand.asked
    found = [FaultView.model_validate(fault) for fault in outcome.get("faults", [])]
    root = asked.get("root")
    return ErrandView(
        id=errand.id, kind=errand.kind, folder=f"{root}: {asked['folder']}" if root else asked["folder"],
        target=asked.get("target", ""), person=errand.person, state=errand.state, what=errand.what, done=errand.done,
        total=errand.total, faults=found if "faults" in outcome else None, copied=outcome.get("copied"),
        there=outcome.get("there"), lies_at=outcome.get("folder"), fault=errand.fault, asked_at=errand.asked_at,
    )  # fmt: skip
