"""What every test shares: the demo footage, a PostgreSQL cluster of its own, and fresh databases in it."""

import os
import shutil
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any
from uuid import uuid4

import psycopg
import pytest
from hypothesis import settings
from xdist.remote import Producer  # type: ignore[import-untyped]
from xdist.scheduler import LoadScopeScheduling  # type: ignore[import-untyped]

from oddmeter.config import Config
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.demo.footage import SHOW_FOLDER
from oddmeter.local.cluster import Cluster
from oddmeter.media.settings.setting import Setting
from oddmeter.store import shows
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate
from tests.footage import KEPT, made_footage

settings.register_profile("odd-meter", deadline=None, max_examples=40)
settings.load_profile("odd-meter")

WORKER = os.environ.get("PYTEST_XDIST_WORKER", "alone")


SLOWEST_FIRST = ("browser", "work", "local", "media", "web")


MANY_PROCESSES = ("browser", "work", "local")


@pytest.fixture(scope="module", autouse=True)
def one_core(request: pytest.FixtureRequest) -> Iterator[None]:
    """Of several test processes one keeps to each core, but where it starts many processes of its own: codecs that
    spread small pictures over two cores spend 40 % more on them, while the other core has work of its own."""
    cores = os.sched_getaffinity(0)
    if WORKER[2:] in map(str, range(len(cores))) and request.path.parent.name not in MANY_PROCESSES:
        os.sched_setaffinity(0, {sorted(cores)[int(WORKER[2:])]})
    yield
    os.sched_setaffinity(0, cores)


def pytest_make_parametrize_id(val: object) -> str | None:
    """A setting is called by its name."""
    return val.name if isinstance(val, Setting) else None


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Rooms that wait for processes and browsers come first and those of small modules last, so that no test process
    ends alone."""

    def place(item: pytest.Item) -> int:
        room = item.path.parent.name
        return SLOWEST_FIRST.index(room) if room in SLOWEST_FIRST else len(SLOWEST_FIRST)

    items.sort(key=place)


class _Together(LoadScopeScheduling):  # type: ignore[misc]
    """Hands whole modules to test processes, and the stories that share an application to one of them, so that it is
    started once and looks at each file once."""

    def _split_scope(self, nodeid: str) -> str:
        module = nodeid.split("::", 1)[0]
        shares = module.startswith("tests/browser/") and not module.endswith(("test_from_empty.py", "test_scripts.py"))
        return "stories" if shares else module


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> LoadScopeScheduling:
    return _Together(config, log)


@pytest.fixture(scope="session")
def media_root() -> Path:
    """A media root with all of The Tide Bell."""
    return made_footage()


@pytest.fixture(scope="session")
def footage(media_root: Path) -> dict[str, Path]:
    """The demo's files by name, without proxies, which are called as their originals."""
    found = [path for path in (media_root / SHOW_FOLDER).rglob("*.*") if not path.name.startswith(".")]
    return {path.name: path for path in found if path.parent.name != "Proxy"}


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A cluster for this test process alone, started for this run."""
    own = Cluster(KEPT / f"test-cluster-{WORKER}", durable=False)
    own.start()
    yield own
    own.stop()


@pytest.fixture
def place() -> Iterator[Path]:
    """A folder for clusters of a test's own; what was made in it is deleted with it."""
    folder = KEPT / f"test-place-{uuid4().hex[:6]}"
    folder.mkdir(parents=True)
    yield folder
    for home in folder.iterdir():
        Cluster(home).discard()
    shutil.rmtree(folder)


@pytest.fixture
def empty_url(cluster: Cluster) -> Iterator[str]:
    """The address of a new database without any table."""
    name = f"test_{uuid4().hex[:12]}"
    yield cluster.ensure_database(name)
    _drop(cluster, name)


@pytest.fixture(scope="session")
def migrated(cluster: Cluster) -> "Migrated":
    """This process's database at the newest migration."""
    _drop(cluster, "newest_migration")
    migrate(cluster.ensure_database("newest_migration"))
    return Migrated(cluster, "newest_migration")


class Migrated:
    """A database that is made as empty as it was, again and again: five times as quick as to copy one for each test."""

    def __init__(self, cluster: Cluster, name: str) -> None:
        self.cluster, self.name = cluster, name
        with self._keeper() as connection:
            tables = connection.execute(
                "SELECT oid::regclass::text FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace"
            ).fetchall()
            empty = [
                name
                for (name,) in tables
                if not connection.execute(f"SELECT 1 FROM {name} LIMIT 1".encode()).fetchone()
            ]
        self._empty = ["SET session_replication_role = replica", *(f"DELETE FROM {name}" for name in empty)]

    def emptied(self) -> str:
        """Its address, after everybody was sent out of it and everything deleted; numbers begin at 1 again."""
        if not self.cluster.running:
            self.cluster.start()
        with self._keeper() as connection:
            others = (
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s AND pid <> pg_backend_pid()"
            )
            while connection.execute(others, (self.name,)).fetchall():
                time.sleep(0.01)
            connection.execute("; ".join(self._empty).encode())
            connection.execute("SELECT setval(seqrelid, seqstart, false) FROM pg_sequence")
        return self.cluster.url(self.name)

    def _keeper(self) -> psycopg.Connection[tuple[Any, ...]]:
        return psycopg.connect(self.cluster.keeper_url(self.name), autocommit=True)


@pytest.fixture
def database(migrated: Migrated) -> Iterator[Database]:
    """A database at the newest migration with nothing in it, open."""
    opened = Database(migrated.emptied(), most=6)
    opened.open()
    yield opened
    opened.close()


def _drop(cluster: Cluster, name: str) -> None:
    with psycopg.connect(cluster.keeper_url("postgres"), autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)".encode())


@pytest.fixture
def config(database: Database, tmp_path: Path, media_root: Path) -> Config:
    """The demo footage as media root, and a folder of this test's own for everything else."""
    made = Config.under(tmp_path / "data", database.url, f"Footage={media_root}")
    made.make_folders()
    (tmp_path / "shuttle").mkdir()
    return replace(made, targets={"Shuttle": tmp_path / "shuttle"})


@pytest.fixture
def show_id(database: Database) -> int:
    """A show with one timeline at 25."""
    with database.transaction() as connection:
        return shows.add_show(connection, "Test show", TimelineSettings("Main", Rate.of(25)))
