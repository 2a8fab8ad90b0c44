"""Packages of files that the application has made: put together by a worker, from the database alone."""

from dataclasses import replace

from oddmeter.config import Config
from oddmeter.core.conform.proof import Check, Proof
from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.hashlists.hashes import Algorithm
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import made_files
from oddmeter.store import renders
from oddmeter.store.database import Connection, Database
from oddmeter.store.handoff import packages
from oddmeter.store.renders import Render
from oddmeter.work.hooks import note_package
from oddmeter.work.orders import Order
from oddmeter.work.package.closing import Wanted, close_package
from oddmeter.work.plans import file_plan


def close(config: Config, database: Database, package_id: int) -> None:
    """Close a package that was asked for; nothing happens where it is closed already. What goes wrong is written down
    as a sentence."""
    with database.transaction() as connection:
        asked = packages.package(connection, package_id)
        if asked.state not in ("waiting", "closing"):
            return
        packages.note(connection, package_id, 0)
    try:
        with database.transaction() as connection:
            made = renders.renders_by_id(connection, asked.renders)
            wanted = [_wanted(connection, config, one) for one in made]
        described: set[str] = set()

        def progress(what: str, _: int, __: int) -> None:
            if what.startswith("Describing") and what not in described:
                described.add(what)
                with database.transaction() as connection:
                    packages.note(connection, package_id, len(described))

        folder = config.product(asked.folder)
        folder.parent.mkdir(parents=True, exist_ok=True)
        closed = close_package(folder, wanted, Algorithm(asked.algorithm), asked.person, progress)
    except (RuleError, OSError) as error:
        sentence = str(error)
        with database.transaction() as connection:
            packages.finish(connection, package_id, None, sentence)
            note_package(connection, asked.show_id, asked.folder, len(asked.renders), sentence)
        return
    with database.transaction() as connection:
        packages.finish(connection, package_id, closed.sheet.model_dump(mode="json"), None)
        note_package(connection, asked.show_id, asked.folder, len(closed.files), None)


def _wanted(connection: Connection, config: Config, made: Render) -> Wanted:
    name = made.out_path.rpartition("/")[2]
    if made.state != "done" or made.proof is None:
        raise RuleError(f"{name} is not finished and proven.", "state")
    if made.clip_id is None:
        raise RuleError(f"{name} is made of a timeline; packages hold files of clips.", "timeline")
    plan = file_plan(connection, config, made)
    assert isinstance(plan, ClipPlan)
    files = tuple(made_files(plan))
    for file in files:
        if not file.exists():
            raise RuleError(f"{file.name} has been moved or deleted.", "missing")
    return Wanted(
        name, lambda folder: replace(plan, out=folder / made.out_path), Order.model_validate(made.plan),
        _proof(made), files,
    )  # fmt: skip


def _proof(made: Render) -> Proof:
    kept = made.proof or {}
    checks = tuple(Check(c["name"], c["planned"], c["found"], c["passed"]) for c in kept.get("checks", ()))
    return Proof(checks, tuple(kept.get("wrong_frames", ())), kept.get("too_still", 0))
