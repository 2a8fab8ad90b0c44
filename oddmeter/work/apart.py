"""Making and proving files in a process of its own for each, so that no file harms the worker, or another file.

The process is forked from one that has imported everything; it ends with the worker, and gives back all its memory when
it is done. What ends it is said of the file that it was at.
"""

import logging
import multiprocessing
import os
import resource
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from oddmeter.core.conform.proof import Proof
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.plans import FilePlan
from oddmeter.media.render import render
from oddmeter.media.verify import verify
from oddmeter.media.writing.losses import Losses
from oddmeter.media.writing.placing import clear_unfinished, could_not_write

log = logging.getLogger("oddmeter.worker")

_PROGRESS_SECONDS = 0.1
_IMPORTED = ["oddmeter.work.apart", "oddmeter.media.inbetweens.flow"]
_LEFT = 0.75
"""The share of the machine's memory that one process may take."""


class _Turns:
    """Files are made beside each other, but one whose process was killed is tried once more alone: it may have been
    killed for what another took."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._under_way, self._alone = 0, False

    @contextmanager
    def beside_others(self) -> Iterator[None]:
        with self._changed:
            self._changed.wait_for(lambda: not self._alone)
            self._under_way += 1
        try:
            yield
        finally:
            with self._changed:
                self._under_way -= 1
                self._changed.notify_all()

    @contextmanager
    def alone(self) -> Iterator[None]:
        with self._changed:
            self._changed.wait_for(lambda: not self._alone)
            self._alone = True
            self._changed.wait_for(lambda: self._under_way == 0)
        try:
            yield
        finally:
            with self._changed:
                self._alone = False
                self._changed.notify_all()


_turns = _Turns()


def render_apart(plan: FilePlan, progress: Callable[[int], None], before_placing: Callable[[], None]) -> Losses:
    """As ``render``, in a process of its own; raises ``RuleError`` where that ends by itself."""
    losses = _done("making", (plan, None), progress, before_placing)
    assert isinstance(losses, Losses)
    return losses


def verify_apart(plan: FilePlan, progress: Callable[[int], None], losses: Losses | None = None) -> Proof:
    """As ``verify``, in a process of its own; raises ``RuleError`` where that ends by itself."""
    proof = _done("proving", (plan, losses), progress, lambda: None)
    assert isinstance(proof, Proof)
    return proof


class _KilledError(Exception):
    """The process was killed from outside: by the system, for want of memory, or by a person."""


_Order = tuple[FilePlan, Losses | None]


def _done(what: str, order: _Order, progress: Callable[[int], None], before_placing: Callable[[], None]) -> Any:
    try:
        with _turns.beside_others():
            return _once(what, order, progress, before_placing)
    except _KilledError:
        log.warning("the process %s %s was killed; trying it alone", what, order[0].out.name)
    try:
        with _turns.alone():
            return _once(what, order, progress, before_placing)
    except _KilledError:
        raise RuleError(
            f"The process {what} this file was killed twice, the second time with no other beside it: most likely it"
            " needs more memory than there is.", "crash",
        ) from None  # fmt: skip


def _once(what: str, order: _Order, progress: Callable[[int], None], before_placing: Callable[[], None]) -> Any:
    """What a new process gives back. Where anything is raised here, it is ended, and leaves nothing unfinished."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_IMPORTED)
    own, far = context.Pipe()
    process = context.Process(target=_serve, args=(far, what, *order), daemon=True)
    process.start()
    far.close()
    try:
        while True:
            kind, value = own.recv()
            if kind == "progress":
                progress(value)
            elif kind == "placing":
                before_placing()
                own.send("go on")
            elif kind == "refused":
                raise RuleError(*value)
            else:
                return value
    except (EOFError, ConnectionError):
        process.join()
        raise _why(process.exitcode, what) from None
    finally:
        process.kill()
        process.join()
        own.close()
        clear_unfinished(order[0].out)


def _why(status: int | None, what: str) -> Exception:
    if status == -signal.SIGKILL:
        return _KilledError()
    name = signal.Signals(-status).name if status is not None and status < 0 else f"status {status}"
    return RuleError(f"The process {what} this file crashed ({name}); nothing else was harmed.", "crash")


def _serve(far: Connection, what: str, plan: FilePlan, losses: Losses | None) -> None:
    """In the new process: do it, and report how far it is."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    _bound_memory()
    threading.Thread(target=_end_with, args=(multiprocessing.parent_process(),), daemon=True).start()
    send, last = far.send, [0.0]

    def progress(done: int) -> None:
        if time.monotonic() - last[0] > _PROGRESS_SECONDS:
            last[0] = time.monotonic()
            send(("progress", done))

    def before_placing() -> None:
        send(("placing", None))
        far.recv()

    answer: tuple[str, Any]
    try:
        if what == "making":
            answer = ("done", render(plan, progress, before_placing))
        else:
            answer = ("done", verify(plan, progress, losses))
    except RuleError as error:
        answer = ("refused", (str(error), error.code))
    except MemoryError:
        answer = ("refused", (f"{what.capitalize()} this file needs more memory than one may take here.", "memory"))
    except OSError as error:
        answer = ("refused", (could_not_write(plan.out.name, error), "write"))
    except Exception as error:
        log.exception("%s %s ended unexpectedly", what, plan.out.name)
        answer = (
            "refused",
            (f"{what.capitalize()} this file ended in an unexpected error: {type(error).__name__}.", "crash"),
        )
    send(answer)


def _bound_memory() -> None:
    most = int(_LEFT * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))
    resource.setrlimit(resource.RLIMIT_DATA, (most, resource.RLIM_INFINITY))


def _end_with(parent: BaseProcess | None) -> None:
    """Wait until the worker is gone, even where it was killed, and go at once."""
    if parent is not None:
        parent.join()
        os._exit(1)
