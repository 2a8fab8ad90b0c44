"""A cluster of our own: made once, started on loopback only, kept apart from any other."""

import shutil
from pathlib import Path

import psycopg
import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.local.cluster import Cluster, wait_for
from oddmeter.store.migrate import migrate, migrations


@pytest.fixture
def home(place: Path) -> Path:
    return place / "home"


def test_what_was_stored_is_there_after_a_restart(home: Path) -> None:
    own = Cluster(home)
    own.start()
    try:
        url = own.ensure_database("kept")
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("CREATE TABLE note AS SELECT 'tide' AS word")
            shown = connection.execute("SHOW listen_addresses").fetchone()
            assert shown == ("127.0.0.1",)
        own.start()
        own.stop()
        assert not own.running
        with pytest.raises(RuleError, match="The database does not respond"):
            wait_for(url, seconds=0.1)
        own.start()
        wait_for(own.url("kept"))
        with psycopg.connect(own.ensure_database("kept")) as connection:
            assert connection.execute("SELECT word FROM note").fetchone() == ("tide",)
    finally:
        own.stop()


def test_a_copy_made_while_it_runs_is_a_cluster_of_its_own(home: Path) -> None:
    """The files that say who runs, and where, come along with a copy; it starts its own, and ends no other."""
    own = Cluster(home)
    own.start()
    copy = Cluster(home.with_name("copy"))
    try:
        with psycopg.connect(own.ensure_database("kept"), autocommit=True) as connection:
            connection.execute("CREATE TABLE note AS SELECT 'tide' AS word")
        shutil.copytree(home, copy.home, symlinks=True)
        assert own.running and not copy.running
        copy.stop()
        assert own.running
        with pytest.raises(RuleError, match="Another database"):
            copy.ensure_database("kept")
        copy.start()
        assert copy.running and copy.port != own.port
        with psycopg.connect(copy.ensure_database("kept"), autocommit=True) as connection:
            connection.execute("INSERT INTO note VALUES ('ebb')")
        with psycopg.connect(own.url("kept")) as connection:
            assert connection.execute("SELECT count(*) FROM note").fetchone() == (1,)
        copy.stop()
        assert own.running and not copy.running
    finally:
        copy.stop()
        own.stop()


def test_a_password_is_needed(home: Path) -> None:
    own = Cluster(home)
    own.start()
    try:
        url = own.keeper_url("postgres")
        password = url.split(":")[2].split("@")[0]
        assert len(password) >= 24 and (home / "postgres.secret").stat().st_mode & 0o077 == 0
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(url.replace(password, "guess"))
    finally:
        own.stop()


def test_the_application_may_do_no_more_than_it_needs(home: Path) -> None:
    """Also with a database that an earlier start made under the cluster's own role."""
    own = Cluster(home)
    own.start()
    try:
        with psycopg.connect(own.keeper_url("postgres"), autocommit=True) as connection:
            connection.execute("CREATE DATABASE earlier")
        migrate(own.keeper_url("earlier"), last=3)
        url = own.ensure_database("earlier")
        assert len(migrate(url)) == len(migrations()) - 3
        with psycopg.connect(url, autocommit=True) as connection:
            role = connection.execute(
                "SELECT rolsuper, rolcreatedb, rolcreaterole FROM pg_roles WHERE rolname = current_user"
            ).fetchone()
            assert role == (False, False, False)
            foreign = connection.execute(
                "SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace"
                " AND pg_get_userbyid(relowner) <> current_user"
            ).fetchall()
            assert foreign == []
            for wrong in ("COPY migration TO PROGRAM 'cat'", "SELECT pg_read_file('/etc/passwd')", "CREATE ROLE other"):
                with pytest.raises(psycopg.errors.InsufficientPrivilege):
                    connection.execute(wrong.encode())
    finally:
        own.stop()
