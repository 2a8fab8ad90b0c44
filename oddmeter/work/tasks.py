"""The tasks: probe a clip, look at its pictures, make a file. Each can be done again from the start by any worker.

What a task finds out is kept in the store; the queue only says that there is something to do.
"""

import logging
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from threading import Event
from typing import Any

import psycopg
from procrastinate import App, PsycopgConnector, RetryStrategy, SyncPsycopgConnector
from procrastinate.tasks import Task
from procrastinate.types import JSONDict

from oddmeter.config import Config
from oddmeter.core.conform.proof import Proof
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.report import PictureReport
from oddmeter.interchange.reports import proven
from oddmeter.media.analysis.analyse import DamagedError
from oddmeter.media.analysis.guarded import analyse_guarded, probe_guarded
from oddmeter.media.files.identity import identify, insist_as_known
from oddmeter.media.files.sequence import is_there
from oddmeter.media.plans import FilePlan
from oddmeter.media.render import made_files, render
from oddmeter.media.verify import verify
from oddmeter.media.writing.losses import Losses
from oddmeter.media.writing.placing import clear_unfinished, could_not_write, remove
from oddmeter.store import clips, facts, looks, renders, words
from oddmeter.store.database import Connection, Database
from oddmeter.store.handoff.turns import give_turns
from oddmeter.work import proof_page
from oddmeter.work.apart import render_apart, verify_apart
from oddmeter.work.hooks import MOST_TRIES, UnansweredError, make_call, note_ends
from oddmeter.work.output_lock import LaterError, OutputLock
from oddmeter.work.package.errands import do_errand
from oddmeter.work.package.from_renders import close
from oddmeter.work.plans import file_plan

log = logging.getLogger("oddmeter.worker")

_PROGRESS_SECONDS = 0.4
_PATIENCE_SECONDS = 60
_SOON, _NEXT = 10, 5
"""The priorities of probing and of looking at pictures: people wait for them, while renders take their time."""

_AGAIN = RetryStrategy(
    max_attempts=8,
    wait=1,
    linear_wait=2,
    retry_exceptions=[psycopg.OperationalError, psycopg.InterfaceError, LaterError, OSError],
)


_CALLED_AGAIN = RetryStrategy(
    max_attempts=MOST_TRIES, exponential_wait=4, retry_exceptions=[psycopg.OperationalError, UnansweredError]
)


class StoppedError(LaterError):
    """This worker is being stopped; the task is left to the next one."""


class CancelledError(Exception):
    """Somebody asked for a render to stop."""


@dataclass(frozen=True)
class Queue:
    """The task queue: how to hand over work inside a transaction, and what a worker runs."""

    app: App
    probe: Task[..., None, ...]
    look: Task[..., None, ...]
    make: Task[..., None, ...]
    close: Task[..., None, ...]
    call: Task[..., None, ...]
    report: Task[..., None, ...]
    errand: Task[..., None, ...]

    def ask_probe(self, connection: Connection, clip_ids: list[int]) -> None:
        """Queue the probing of clips as part of the connection's transaction."""
        if clip_ids:
            arguments: list[JSONDict] = [{"clip_id": clip_id} for clip_id in clip_ids]
            self.probe.configure(connection=connection).batch_defer(*arguments)

    def ask_look(self, connection: Connection, clip_ids: list[int]) -> None:
        """Queue the looking at clips' pictures as part of the connection's transaction."""
        if clip_ids:
            arguments: list[JSONDict] = [{"clip_id": clip_id} for clip_id in clip_ids]
            self.look.configure(connection=connection).batch_defer(*arguments)

    def ask_package(self, connection: Connection, package_id: int) -> None:
        """Queue the closing of a package as part of the connection's transaction."""
        self.close.configure(connection=connection, lock=f"package:{package_id}").defer(package_id=package_id)

    def ask_call(self, connection: Connection, call_id: int) -> None:
        """Queue a call to a show's hook as part of the connection's transaction."""
        self.call.configure(connection=connection, lock=f"call:{call_id}").defer(call_id=call_id)

    def ask_report(self, connection: Connection, run_id: int) -> None:
        """Queue the writing of a run's report as part of the connection's transaction."""
        self.report.configure(connection=connection, lock=f"report:{run_id}").defer(run_id=run_id)

    def ask_errand(self, connection: Connection, errand_id: int) -> None:
        """Queue an errand of a package as part of the connection's transaction."""
        self.errand.configure(connection=connection, lock=f"errand:{errand_id}").defer(errand_id=errand_id)

    def ask_renders(self, connection: Connection, files: Mapping[str, int]) -> None:
        """Queue renders, each by the file that it makes, as part of the connection's transaction."""
        jobs = [
            self.make.configure(lock=f"made:{path}").make_new_job(render_id=number) for path, number in files.items()
        ]
        if jobs:
            self.app.job_manager.batch_defer_jobs(jobs, connection)
            give_turns(connection, list(files.values()))


def queue(config: Config, database: Database, *, worker: bool = False, stopping: Event | None = None) -> Queue:
    """The queue in a database; for a worker, with a connector that can run tasks, and what tells them to stop."""
    connector = PsycopgConnector(conninfo=config.database) if worker else SyncPsycopgConnector(conninfo=config.database)
    app = App(connector=connector)

    @app.task(name="probe_clip", retry=_AGAIN, priority=_SOON)
    def probe_clip(clip_id: int) -> None:
        look_at(config, database, clip_id)

    @app.task(name="look_at_pictures", retry=_AGAIN, priority=_NEXT)
    def look_at_pictures(clip_id: int) -> None:
        look_closer(config, database, clip_id, stopping)

    @app.task(name="make_file", retry=_AGAIN)
    def make_file(render_id: int) -> None:
        make(config, database, render_id, stopping, apart=True)

    @app.task(name="close_package", retry=_AGAIN)
    def close_package(package_id: int) -> None:
        close(config, database, package_id)

    @app.task(name="call_hook", retry=_CALLED_AGAIN, priority=_NEXT)
    def call_hook(call_id: int) -> None:
        make_call(database, call_id)

    @app.task(name="write_report", retry=_AGAIN, priority=_NEXT)
    def write_report(run_id: int) -> None:
        proof_page.write(config, database, run_id)

    @app.task(name="do_errand", retry=_AGAIN, priority=_NEXT)
    def errand(errand_id: int) -> None:
        do_errand(config, database, errand_id)

    return Queue(app, probe_clip, look_at_pictures, make_file, close_package, call_hook, write_report, errand)


def look_at(config: Config, database: Database, clip_id: int) -> None:
    """Probe one clip and keep what was found. A clip that is gone by now is passed over."""
    with database.transaction() as connection:
        known = clips.place(connection, clip_id)
    if known is None:
        return
    try:
        found = probe_guarded(config.footage(*known))
    except RuleError as error:
        found = Facts(fault=str(error))
    except Exception:
        log.exception("probing clip %s ended unexpectedly", clip_id)
        found = Facts(fault="Looking at this file ended in an unexpected error; the worker's log says more.")
    with database.transaction() as connection:
        facts.keep_facts(connection, clip_id, found)


def look_closer(config: Config, database: Database, clip_id: int, stopping: Event | None = None) -> None:
    """Look at the pictures of one clip and keep what they show, and which verdicts that changes.

    Raises ``LaterError`` where the clip has not been probed yet, ``StoppedError`` soon after ``stopping`` is set.
    """
    with database.transaction() as connection:
        found = clips.clips_if_there(connection, clip_id)
        if found is None:
            return
        if found.measured is None:
            raise LaterError("the clip has not been probed yet")
        whole = looks.begin_look(connection, clip_id)
    if whole is None:
        return
    if found.measured.fault is not None:
        _surely(database, lambda c: looks.end_look(c, clip_id, "done", None))
        return
    progress = _Looking(database, clip_id, stopping)
    try:
        path = config.footage(found.root, found.path)
        known = found.measured.identity
        insist_as_known(path, known)
        if whole and (known is None or known.whole is None):
            identity = identify(path, whole=True)
            _surely(database, lambda c: facts.identify_whole(c, clip_id, identity))
        report = analyse_guarded(path, found.measured, whole=whole, progress=progress)
    except CancelledError:
        _surely(database, lambda c: looks.end_look(c, clip_id, "stopped", None))
    except DamagedError as error:
        damaged = replace(found.measured, fault=str(error))
        _surely(database, lambda c: facts.keep_facts(c, clip_id, damaged))
        _surely(database, lambda c: looks.end_look(c, clip_id, "done", None))
    except RuleError as error:
        sentence = str(error)
        _note_if_changed(database, clip_id, error)
        _surely(database, lambda c: looks.end_look(c, clip_id, "done", None, sentence))
    else:
        _surely(database, lambda c: _keep_report(c, clip_id, report))


def _note_if_changed(database: Database, clip_id: int, error: RuleError) -> None:
    """Write down that a clip's file is another by now, where that is what stopped a task."""
    if error.code == "changed":
        _surely(database, lambda c: facts.note_replaced(c, [clip_id]))


def _keep_report(connection: Connection, clip_id: int, report: PictureReport) -> None:
    """Keep it, and what it alone changes of all that is known by now."""
    looks.end_look(connection, clip_id, "done", report)
    now = clips.clips_if_there(connection, clip_id)
    if now is not None:
        before, after = {clip_id: replace(now, picture=None).verdicts}, {clip_id: now.verdicts}
        words.note_changes(connection, now.show_id, before, after, "the pictures were looked at")


def make(
    config: Config, database: Database, render_id: int, stopping: Event | None = None, *, apart: bool = False
) -> None:
    """Make and prove one file, ``apart`` in processes of its own. Nothing happens where it is finished or cancelled.

    Raises ``BusyError`` where another worker is at the same output, ``StoppedError`` soon after ``stopping`` is
    set, and database errors, all to be tried again.
    """
    with database.transaction() as connection:
        asked = renders.render(connection, render_id)
    if asked.state not in renders.UNDER_WAY or (asked.paused and asked.state == "waiting"):
        return
    with OutputLock(database.url, asked.out_path) as right:
        try:
            progress = _Progress(database, asked.id, right, stopping)
            hands = _Hands(render_apart, verify_apart) if apart else _Hands(render, verify)
            proof, doubt = _made_and_proven(config, database, asked, progress, right, hands)
        except CancelledError:
            _surely(database, lambda c: _end(c, render_id, "cancelled", None))
        except RuleError as error:
            sentence = str(error)
            if asked.clip_id is not None:
                _note_if_changed(database, asked.clip_id, error)
            _surely(database, lambda c: _end(c, render_id, "failed", sentence))
        except OSError as error:
            why = could_not_write(asked.out_path, error)
            _surely(database, lambda c: _end(c, render_id, "failed", why))
        else:
            state = "done" if proof.passed else "failed"
            _surely(database, lambda c: _end(c, render_id, state, doubt, proven(proof)))


def _end(
    connection: Connection, render_id: int, state: str, fault: str | None, proof: dict[str, Any] | None = None
) -> None:
    """End a render; where its run ends with it, whoever asked to be called is."""
    renders.finish(connection, render_id, state, fault, proof)
    note_ends(connection, [render_id])


@dataclass(frozen=True)
class _Hands:
    """What makes a file, and what proves it."""

    render: Callable[[FilePlan, Callable[[int], None], Callable[[], None]], Losses]
    verify: Callable[[FilePlan, Callable[[int], None], Losses | None], Proof]


def _made_and_proven(
    config: Config, database: Database, asked: renders.Render, progress: "_Progress", right: OutputLock, hands: _Hands
) -> tuple[Proof, str | None]:
    """The proof of the file, and a sentence where it is not as planned; then it has been moved off its name. One that
    was made already, by a worker that died or before its proof broke off, is proven only."""
    with database.transaction() as connection:
        plan = file_plan(connection, config, asked)
    for source in plan.sources:
        if not is_there(source.path):
            raise RuleError(f"{source.path.name} has been moved or deleted; nothing was made.")
    clear_unfinished(plan.out)
    _surely(database, lambda c: renders.begin(c, asked.id))
    known_as_ours, may_be_ours = asked.made and plan.out.exists(), asked.attempts > 0 and plan.out.exists()
    losses = None
    if known_as_ours or may_be_ours:
        plan.insist_on_sources()
        with database.transaction() as connection:
            kept = renders.losses(connection, asked.id) if known_as_ours else None
        losses = Losses.kept(kept) if kept else None
    else:
        losses = hands.render(plan, progress, right.insist)
    ours = not may_be_ours or known_as_ours
    _surely(database, lambda c: renders.proving(c, asked.id, losses.stored() if losses else None, ours=ours))
    try:
        proof = hands.verify(plan, progress, losses)
    except CancelledError:
        if ours:
            for path in made_files(plan):
                remove(path)
        raise
    except RuleError as error:
        raise RuleError(f"{plan.out.name} was made and kept, but its proof failed: {error}", error.code) from error
    if proof.passed:
        return proof, None
    if not ours:
        return proof, f"{plan.out.name} was there already, and it is not what was planned; it was left as it is."
    aside = {path: path.with_name(f"{path.stem} (not as planned){path.suffix}") for path in made_files(plan)}
    for path, other in aside.items():
        remove(other)
        path.replace(other)
    return proof, f"The file was made, but it is not what was planned; it is kept as {aside[plan.out].name}."


class _Progress:
    """Writes progress down now and then, and stops the render where that was asked. A database that does not
    answer is no reason to stop."""

    def __init__(self, database: Database, render_id: int, right: OutputLock, stopping: Event | None) -> None:
        self._database, self._id, self._right, self._next = database, render_id, right, 0.0
        self._stopping = stopping

    def __call__(self, frames: int) -> None:
        if self._stopping is not None and self._stopping.is_set():
            raise StoppedError("this worker is being stopped")
        now = time.monotonic()
        if now < self._next:
            return
        self._next = now + _PROGRESS_SECONDS
        self._right.hold()
        try:
            with self._database.transaction() as connection:
                cancelled = renders.note_progress(connection, self._id, frames)
        except psycopg.Error:
            return
        if cancelled:
            raise CancelledError


class _Looking:
    """Writes down how far looking has come, and stops it where that was asked."""

    def __init__(self, database: Database, clip_id: int, stopping: Event | None) -> None:
        self._database, self._id, self._stopping, self._next = database, clip_id, stopping, 0.0

    def __call__(self, done: int, of: int) -> None:
        if self._stopping is not None and self._stopping.is_set():
            raise StoppedError("this worker is being stopped")
        now = time.monotonic()
        if now < self._next:
            return
        self._next = now + _PROGRESS_SECONDS
        try:
            with self._database.transaction() as connection:
                asked_to_stop = looks.note_look(connection, self._id, done, of)
        except psycopg.Error:
            return
        if asked_to_stop:
            raise CancelledError


def _surely(database: Database, write: Callable[[Connection], None]) -> None:
    """Write to the store, waiting for a database that is being restarted."""
    end = time.monotonic() + _PATIENCE_SECONDS
    while True:
        try:
            with database.transaction() as connection:
                write(connection)
            return
        except psycopg.OperationalError:
            if time.monotonic() > end:
                raise
            time.sleep(0.5)
