"""The worker: does queued tasks until it is stopped, and picks up what a dead worker left.

Any number of workers on any number of machines may run; each outlives a restart of the database.
"""

import asyncio
import logging
import signal
import threading
from contextlib import suppress
from typing import Any

import psycopg
from procrastinate.exceptions import ProcrastinateException

from oddmeter.config import Beat, Config
from oddmeter.store import clips, looks, renders
from oddmeter.store.database import Database
from oddmeter.store.handoff import errands, hooks, packages, runs
from oddmeter.work.tasks import Queue, queue

log = logging.getLogger("oddmeter.worker")

_CONCURRENT = 2
_STOPPING_SECONDS = 6


def run_worker(config: Config) -> None:
    """Work until SIGINT or SIGTERM; what is under way then is put back for the next worker."""
    database = Database(config.database)
    asyncio.run(_work(config, database))


async def _work(config: Config, database: Database) -> None:
    stop, halt = asyncio.Event(), threading.Event()
    for name in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(name, stop.set)
    await asyncio.to_thread(database.open)
    orders = queue(config, database)
    while not stop.is_set():
        halt.clear()
        tasks = queue(config, database, worker=True, stopping=halt)
        try:
            async with tasks.app.open_async():
                await _work_until(stop, halt, tasks, orders, database, config.beat)
        except (psycopg.Error, ProcrastinateException, OSError) as error:
            log.warning("the database went away (%s); trying again", error)
            with suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), 1)


async def _work_until(
    stop: asyncio.Event, halt: threading.Event, tasks: Queue, orders: Queue, database: Database, beat: Beat
) -> None:
    """Work until ``stop``; then ``halt`` tells running tasks, which put themselves back. Raises what went wrong."""
    working: asyncio.Task[Any] = asyncio.create_task(_run(tasks, beat))
    sweeping: asyncio.Task[Any] = asyncio.create_task(_sweep(tasks, orders, database, beat))
    stopped: asyncio.Task[Any] = asyncio.create_task(stop.wait())
    everything = {working, sweeping, stopped}
    done, _ = await asyncio.wait(everything, return_when=asyncio.FIRST_COMPLETED)
    halt.set()
    for task in everything:
        task.cancel()
    await asyncio.wait(everything, timeout=_STOPPING_SECONDS)
    for ended in done & {working, sweeping}:
        ended.result()


async def _run(tasks: Queue, beat: Beat) -> None:
    await tasks.app.run_worker_async(
        concurrency=_CONCURRENT,
        install_signal_handlers=False,
        update_heartbeat_interval=beat.seconds,
        stalled_worker_timeout=beat.dead_after,
        shutdown_graceful_timeout=_STOPPING_SECONDS - 1,
        fetch_job_polling_interval=min(2.0, beat.sweep),
        delete_jobs="successful",
    )


async def _sweep(tasks: Queue, orders: Queue, database: Database, beat: Beat) -> None:
    """Again and again: put back the jobs of dead workers, and queue what fell out of the queue."""
    while True:
        for job in await tasks.app.job_manager.get_stalled_jobs(seconds_since_heartbeat=beat.dead_after):
            try:
                await tasks.app.job_manager.retry_job(job)
            except ProcrastinateException:
                continue  # another worker took it up first
            log.warning("taking up again: %s %s", job.task_name, job.task_kwargs)
        await asyncio.to_thread(requeue_lost, orders, database)
        await asyncio.sleep(beat.sweep)


def requeue_lost(orders: Queue, database: Database) -> None:
    """Queue unfinished clips and renders for which no task is waiting or running."""
    with database.transaction() as connection:
        rows = connection.execute(
            "SELECT task_name, coalesce(args->>'clip_id', args->>'render_id', args->>'package_id',"
            " args->>'call_id', args->>'run_id', args->>'errand_id')::bigint"
            " FROM procrastinate_jobs"
            " WHERE status IN ('todo', 'doing')"
        ).fetchall()
        queued = {(str(row[0]), int(str(row[1]))) for row in rows if row[1] is not None}
        orders.ask_probe(connection, [i for i in clips.unprobed(connection) if ("probe_clip", i) not in queued])
        lost = [i for i in looks.unlooked(connection) if ("look_at_pictures", i) not in queued]
        orders.ask_look(connection, lost)
        for render_id in renders.waiting(connection):
            if ("make_file", render_id) not in queued:
                orders.ask_renders(connection, {renders.render(connection, render_id).out_path: render_id})
        for name, unfinished, ask in (
            ("close_package", packages.unfinished, orders.ask_package),
            ("call_hook", hooks.unanswered, orders.ask_call),
            ("write_report", runs.unwritten_reports, orders.ask_report),
            ("do_errand", errands.unfinished, orders.ask_errand),
        ):
            for number in unfinished(connection):
                if (name, number) not in queued:
                    ask(connection, number)
