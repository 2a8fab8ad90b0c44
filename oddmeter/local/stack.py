"""What ``./start`` runs: the database, the worker and the web application, until it is interrupted.

The parts are forked from one process that imports everything once, while the database starts: each would take one to
three seconds of processor time for that alone.
"""

import ctypes
import fcntl
import multiprocessing
import os
import runpy
import signal
import socket
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from multiprocessing import forkserver
from multiprocessing.context import ForkServerProcess
from multiprocessing.process import BaseProcess
from pathlib import Path

from oddmeter.config import Config, named_folders
from oddmeter.core.numbers.errors import RuleError
from oddmeter.demo.show import demo_root, make_demo
from oddmeter.local.cluster import Cluster
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate

DATABASE = "oddmeter"
DEMO_ROOT = "Demo footage"
"""The media root that the demo's footage lies in."""
PRIVATE = ("media", "demo", "uploads", "bench", "answers")
_IMPORTED = ["oddmeter.cli", "oddmeter.web.serving", "oddmeter.work.worker"]
"""What the process that parts are forked from imports: all that they do."""
_PR_SET_NAME = 15
"""Of prctl(2)."""


@dataclass
class _Part:
    """One process of ours, which runs from then on: what to call it, the arguments of ``oddmeter`` in it, and what it
    inherits."""

    name: str
    arguments: list[str]
    environment: dict[str, str]
    umask: int
    process: ForkServerProcess = field(init=False)

    def __post_init__(self) -> None:
        self.begin()

    def begin(self) -> None:
        """Start it, or start it again."""
        passed = (self.arguments, self.environment, self.umask)
        self.process = multiprocessing.get_context("forkserver").Process(
            target=_run_oddmeter, args=passed, name=self.name
        )
        self.process.start()

    @property
    def status(self) -> int | None:
        """What it ended with, or minus the signal that ended it; None while it runs."""
        return self.process.exitcode

    def end(self) -> None:
        """Stop it, if need be by force."""
        self.process.terminate()
        self.process.join(10)
        self.process.kill()
        self.process.join()


def _get_ready() -> None:
    """Begin the process that parts are forked from. It ends with this one, and not by Ctrl-C."""
    multiprocessing.set_forkserver_preload(_IMPORTED)
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    forkserver.ensure_running()
    signal.signal(signal.SIGINT, before)


def _run_oddmeter(arguments: list[str], environment: dict[str, str], umask: int) -> None:
    """In a forked process: what ``oddmeter`` does with these arguments, in a session of its own, as long as the one
    that asked for it lives."""
    os.setsid()
    os.umask(umask)
    os.environ.update(environment)
    ctypes.CDLL(None).prctl(_PR_SET_NAME, f"meter-{arguments[0]}".encode())  # its command line says another's
    threading.Thread(target=_end_with, args=(multiprocessing.parent_process(),), daemon=True).start()
    sys.argv = ["oddmeter", *arguments]
    runpy.run_module("oddmeter", run_name="__main__")


def _end_with(parent: BaseProcess) -> None:
    """Wait until a process is gone, even where it was killed, and stop this one."""
    parent.join()
    os.kill(os.getpid(), signal.SIGTERM)


def run(data: Path, port: int, *, demo: bool, media: list[str], targets: list[str], web: int) -> int:
    """Start everything, with so many web processes, and keep it running until SIGINT or SIGTERM; returns the exit
    status.

    Raises ``RuleError`` where another ``./start`` runs on the same data, or the port is taken.
    """
    data = data.resolve()
    inherited = os.umask(0o077)
    _keep_private(data, inherited)
    signal.signal(signal.SIGTERM, _interrupt)
    signal.signal(signal.SIGINT, _interrupt)
    with _only_one(data, port), tempfile.TemporaryDirectory(prefix="odd-meter-") as own:
        cluster = Cluster(data)
        parts: list[_Part] = []
        try:
            _get_ready()
            cluster.start()
            config = Config.under(data, cluster.ensure_database(DATABASE), "\n".join(roots_of(data, media, demo=demo)))
            config.make_folders()
            migrate(config.database)
            if demo:
                _say("Making the demo show, The Tide Bell, where it is missing …")
                make_demo_of(config)
            config = replace(
                config, targets=named_folders("\n".join(targets)), looking=f"{own}/looking" if web > 1 else ""
            )
            for name, arguments in _parts(port, web, config.looking):
                umask = inherited if name == "worker" else 0o077
                parts.append(_Part(name, arguments, config.to_environment(), umask))
            _wait_until_open(port, parts[-1])
            _say(f"Odd Meter is open at http://127.0.0.1:{port}   (Ctrl-C stops it)")
            _watch(parts, cluster)
            _say("Stopping …")
        except KeyboardInterrupt:
            _say("Stopping …")
        finally:
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            signal.signal(signal.SIGTERM, signal.SIG_IGN)
            for part in reversed(parts):
                part.end()
            cluster.stop()
    return 0


def _parts(port: int, web: int, looking: str) -> Iterator[tuple[str, list[str]]]:
    """The processes to start, each a name and the arguments of ``oddmeter``."""
    yield "worker", ["worker"]
    if web == 1:
        yield "web application", ["serve", "--port", str(port), "--shared"]
        return
    yield "Bench", ["looking", looking]
    for _ in range(web):
        yield "web application", ["serve", "--port", str(port), "--shared"]


@contextmanager
def _only_one(data: Path, port: int) -> Iterator[None]:
    """Hold the data folder and the port for this start; what holds them goes with the process, whatever ends it."""
    with (data / "start.lock").open("a+") as lock, _held(port):
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            raise RuleError(
                f"Odd Meter is already running at {lock.read().strip() or 'its address'}.", "running"
            ) from None
        lock.truncate(0)
        lock.write(f"http://127.0.0.1:{port}")
        lock.flush()
        yield
        lock.truncate(0)


@contextmanager
def _held(port: int) -> Iterator[None]:
    """Hold a port of 127.0.0.1 from the first look on, so that nobody else opens there: not before our web processes
    have, and not beside them. Of two starts one has the name that only one process of a machine can have."""
    with socket.socket(socket.AF_UNIX) as name, socket.socket() as probe, socket.socket() as holder:
        taken = RuleError(f"Port {port} is in use by another program. Choose another with --port.", "port")
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        for option in (socket.SO_REUSEADDR, socket.SO_REUSEPORT):
            holder.setsockopt(socket.SOL_SOCKET, option, 1)
        try:
            name.bind(f"\0odd-meter-port-{port}")
        except OSError:
            raise RuleError(f"Odd Meter is already running at http://127.0.0.1:{port}.", "running") from None
        try:
            probe.bind(("127.0.0.1", port))
            probe.close()
            holder.bind(("127.0.0.1", port))
        except OSError:
            raise taken from None
        yield


def _keep_private(data: Path, inherited: int) -> None:
    """What lies under the data folder is for its owner alone, but for made files, which are by the umask of whoever
    started us. As root the folder itself lets others through, since PostgreSQL runs as another user."""
    data.mkdir(parents=True, exist_ok=True)
    data.chmod(0o711 if os.geteuid() == 0 else 0o700)
    for entry in data.iterdir():
        if entry.is_symlink() or entry.stat().st_uid != os.geteuid():
            continue
        if entry.is_file():
            entry.chmod(0o600)
        elif entry.name in PRIVATE:
            entry.chmod(0o700)
    made = data / "made"
    if not made.exists():
        made.mkdir()
        made.chmod(0o777 & ~inherited)


def roots_of(data: Path, media: list[str], *, demo: bool) -> list[str]:
    """The media roots, each as Name=folder: those that were named, the usual one where it is in use or nothing is
    named, and the demo's own, which nobody can name.

    Raises ``RuleError`` where one is named like the demo's.
    """
    named = {line.partition("=")[0].strip() for line in media}
    if DEMO_ROOT in named:
        raise RuleError(f"“{DEMO_ROOT}” is reserved for the demo. Name your media root differently.", "root")
    out = list(media)
    if "Footage" not in named and (not media or (data / "media").is_dir()):
        out.append(f"Footage={data / 'media'}")
    if demo or (data / "demo").is_dir():
        out.append(f"{DEMO_ROOT}={data / 'demo'}")
    return out


def make_demo_of(config: Config) -> None:
    """Make the demo where it is missing, in its own root; footage that an earlier start made in the usual root is found
    there. Nothing is ever written into a folder that somebody named."""
    database = Database(config.database)
    database.open()
    try:
        own = {name: folder for name, folder in config.roots.items() if folder.parent == config.data}
        root = demo_root(database, config.roots, DEMO_ROOT)
        if root in own:
            make_demo(database, root, own[root])
    finally:
        database.close()


def _watch(parts: list[_Part], cluster: Cluster) -> None:
    """Start again the database, or any part, that ends by itself, until SIGINT or SIGTERM. They are noted, not raised:
    what they interrupt may be a process just begun, or code that swallows it."""
    port = int(cluster.port)
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda got, _: asked.append(got))
    while not asked:
        time.sleep(0.3)
        if not cluster.running:
            _say("The database ended by itself; starting it again.")
            try:
                cluster.start(port)
            except RuleError as error:
                _say(f"{error} Trying again.")
                time.sleep(2)
        for part in parts:
            if part.status is not None:
                _say(f"The {part.name} ended by itself (status {part.status}); starting it again.")
                part.begin()


def _wait_until_open(port: int, web: _Part) -> None:
    for _ in range(300):
        if web.status is not None:
            raise RuleError("The web application ended as it started; the lines above say why.", "web")
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/roots", timeout=2):
                return
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    raise RuleError("The web application does not respond.", "web")


def _interrupt(_: int, __: object) -> None:
    """Stop what is under way, once: who is impatient does not interrupt the stopping."""
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: None)
    raise KeyboardInterrupt


def _say(sentence: str) -> None:
    print(sentence, flush=True)
