"""Look at files in a process of its own, so that no file can harm or hold up whoever asks.

A decoder that crashes takes only the helper with it; one that hangs or swallows memory is ended. The helper is kept
for the next file.
"""

import multiprocessing
import os
import resource
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.report import PictureReport
from oddmeter.media.analysis.analyse import DamagedError, Progress, analyse
from oddmeter.media.files.probe import probe
from oddmeter.media.files.sequence import is_sequence

ORDINARY = 1_500_000_000
"""Bytes that looking at a file may take beside what a helper needs itself; what needs more is refused."""
_ORDINARY_PIXELS, _MOST_MEMORY = 4096 * 2304, 3_500_000_000
_STACK = 8 << 20
"""Bytes that the stack of a thread may grow to; a decoder begins a thread or two for each core."""
PROBE_SECONDS = 60.0
BYTES_A_SECOND = 20_000_000
"""Slow storage reads at least so fast; a probe of a long file may take as long."""
SILENT_SECONDS = 90.0
"""A helper that says nothing for so long while it looks at pictures is ended."""


class GuardedError(RuleError):
    """A file could not be looked at: it crashed the helper, or took too long."""


def probe_guarded(path: Path, seconds: float = PROBE_SECONDS, memory: int = ORDINARY) -> Facts:
    """The facts of a file; one that crashes the decoder, takes too long or needs too much memory has that as its
    fault."""
    try:
        size = 0 if is_sequence(path) else path.stat().st_size
    except OSError:
        size = 0
    try:
        with _helper() as helper:
            facts = helper.call(seconds + size / BYTES_A_SECOND, memory, "probe", path)
    except RuleError as error:
        return Facts(fault=str(error))
    assert isinstance(facts, Facts)
    return facts


def analyse_guarded(
    path: Path, facts: Facts, *, whole: bool = False, progress: Progress | None = None, seconds: float = SILENT_SECONDS
) -> PictureReport:
    """What the pictures of a file show. Raises ``DamagedError`` where not one can be decoded, ``RuleError``
    where it cannot be looked at, and whatever ``progress`` raises, upon which the helper is ended."""
    with _helper() as helper:
        report = helper.call(seconds, memory_for(facts), "analyse", path, facts, whole, progress=progress)
    assert isinstance(report, PictureReport)
    return report


def memory_for(facts: Facts) -> int:
    """Bytes that looking at the pictures of a file may take: more where they are larger than 4096 × 2304."""
    pixels = facts.width * facts.height
    return min(_MOST_MEMORY, ORDINARY * max(_ORDINARY_PIXELS, pixels) // _ORDINARY_PIXELS)


class _Helper:
    def __init__(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._connection, far = context.Pipe()
        self._process = context.Process(target=_serve, args=(far,), daemon=True)
        self._process.start()
        far.close()

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    def end(self) -> None:
        self._process.kill()
        self._process.join()
        self._connection.close()

    def call(self, seconds: float, memory: int, what: str, *arguments: Any, progress: Progress | None = None) -> Any:
        """What the helper answers, which must say something at least every ``seconds`` and may take so much memory."""
        try:
            self._connection.send((what, memory, arguments))
            while True:
                if not self._connection.poll(seconds):
                    self.end()
                    raise GuardedError(
                        f"Looking at this file took longer than {seconds:.0f} s; it was given up.", "media"
                    )
                kind, value = self._connection.recv()
                if kind == "progress":
                    if progress is not None:
                        progress(*value)
                elif kind == "fault":
                    raise RuleError(value, "media")
                elif kind == "damaged":
                    raise DamagedError(value, "media")
                else:
                    return value
        except (EOFError, OSError) as error:
            self.end()
            raise GuardedError("This file crashes the decoder; it cannot be looked at.", "media") from error
        except BaseException:
            if self.alive and what == "analyse":
                self.end()
            raise


_idle: list[_Helper] = []
_lock = threading.Lock()


@contextmanager
def _helper() -> Iterator[_Helper]:
    """A helper that is idle, or a new one; kept for the next file where it is still alive."""
    with _lock:
        helper = _idle.pop() if _idle else None
    if helper is None or not helper.alive:
        helper = _Helper()
    try:
        yield helper
    finally:
        if helper.alive:
            with _lock:
                _idle.append(helper)


def _serve(connection: Connection) -> None:
    """The helper's loop, until whoever asked is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))

    def report_progress(done: int, of: int) -> None:
        connection.send(("progress", (done, of)))

    jobs: dict[str, Callable[..., Any]] = {
        "probe": probe,
        "analyse": lambda path, facts, whole: analyse(path, facts, whole=whole, progress=report_progress),
    }
    own = _data() + 2 * (os.cpu_count() or 1) * _STACK
    while True:
        try:
            what, memory, arguments = connection.recv()
        except EOFError:
            return
        resource.setrlimit(resource.RLIMIT_DATA, (own + memory, resource.RLIM_INFINITY))
        try:
            answer = ("done", jobs[what](*arguments))
        except DamagedError as error:
            answer = ("damaged", str(error))
        except RuleError as error:
            answer = ("fault", str(error))
        except (MemoryError, BlockingIOError):  # the second where no thread can begin for want of a stack
            answer = (
                "fault",
                f"Looking at this file would take more than {memory / 1e9:.1f} GB of memory; it is refused.",
            )
        except Exception as error:
            answer = ("fault", f"Looking at this file ended in an unexpected error: {type(error).__name__}.")
        try:
            connection.send(answer)
        except OSError:
            return


def _data() -> int:
    """Bytes that this process may write to, its stacks among them (proc(5))."""
    return int(Path("/proc/self/statm").read_text().split()[5]) * resource.getpagesize()
