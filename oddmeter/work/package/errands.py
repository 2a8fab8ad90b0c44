"""Errands of packages, done by a worker: verified, or copied to a target."""

import time
from typing import Any

from oddmeter.config import Config, inside
from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.database import Database
from oddmeter.store.handoff import errands
from oddmeter.work.package.closing import Progress
from oddmeter.work.package.copying import copy_package
from oddmeter.work.package.verifying import as_document, verified

_NOTED_SECONDS = 0.4


def do_errand(config: Config, database: Database, errand_id: int) -> None:
    """Do an errand that was asked for; nothing happens where it is done already. What goes wrong is written down as a
    sentence."""
    with database.transaction() as connection:
        asked = errands.errand(connection, errand_id)
        if asked.state not in ("waiting", "running"):
            return
        errands.note(connection, errand_id, "", 0, 0)
    noted = [0.0]

    def progress(what: str, done: int, of: int) -> None:
        if time.monotonic() - noted[0] < _NOTED_SECONDS:
            return
        noted[0] = time.monotonic()
        with database.transaction() as connection:
            errands.note(connection, errand_id, what, done, of)

    outcome, fault = None, None
    try:
        do = _copied if asked.kind == "copy" else _checked
        outcome = do(config, asked.asked, progress)
    except (RuleError, OSError) as error:
        fault = str(error)
    with database.transaction() as connection:
        errands.finish(connection, errand_id, outcome, fault)


def _checked(config: Config, asked: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """What is wrong with a package: ``folder`` below ``root``, one of footage or, where that is empty, that of made
    files; ``sources`` the root that its sources lie in, where they are at hand."""
    folder = config.place(asked["root"], asked["folder"])
    sources = config.place(asked["sources"], "") if asked.get("sources") else None
    faults = verified(folder, sources, hashes=not asked.get("without_hashes"), progress=progress)
    return as_document(faults)


def _copied(config: Config, asked: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """What was copied of a package below the folder for made files to a target, by its name."""
    target = config.targets.get(asked["target"])
    if target is None:
        raise RuleError(f"There is no target “{asked['target']}” here.", "target")
    done = copy_package(inside(config.made, asked["folder"]), target, progress)
    return {"folder": str(done.folder), "copied": done.copied, "there": done.there}
