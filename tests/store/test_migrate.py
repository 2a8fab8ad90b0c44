"""Migrations go forward from every earlier state, with data in it."""

from collections.abc import Callable

import psycopg
import pytest

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store import changes, clips
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate, migrations, queue_migrations

NUMBERS = [number for number, _, _ in migrations()]


@pytest.mark.parametrize("start", NUMBERS)
def test_an_earlier_database_is_brought_up_with_its_data(empty_url: str, start: int) -> None:
    migrate(empty_url, last=start)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute("INSERT INTO show (name) VALUES ('Kept')")
        connection.execute(
            "INSERT INTO timeline (show_id, name, rate, width, height) SELECT id, 'T', '24000/1001', 64, 64 FROM show"
        )
    assert [int(name[:4]) for name in migrate(empty_url)] == [n for n in NUMBERS if n > start]
    assert migrate(empty_url) == []
    with psycopg.connect(empty_url) as connection:
        row = connection.execute("SELECT show.name, rate FROM show JOIN timeline ON show_id = show.id").fetchone()
    assert row == ("Kept", "24000/1001")


def test_what_was_decided_before_there_were_levels_is_kept_and_can_still_be_undone(empty_url: str) -> None:
    migrate(empty_url, last=4)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute(
            b"INSERT INTO show (name) VALUES ('S'); INSERT INTO delivery (show_id, name, root, folder, removed)"
            b" VALUES (1, 'D', 'R', '', false); INSERT INTO clip (delivery_id, path, name) VALUES (1, 'a', 'a');"
            b" INSERT INTO clip_facts (clip_id) VALUES (1); INSERT INTO treatment (id) VALUES (1);"
            b" INSERT INTO change (show_id, title, person) VALUES (1, 'Pace', 'Ada')"
        )
        with connection.transaction():
            connection.execute("SELECT set_config('oddmeter.change', '1', true)")
            connection.execute(
                "UPDATE treatment SET intent = 'pace', value = '1/2', read_rate = '24000/1001', sound = 'off'"
            )
    migrate(empty_url)
    database = Database(empty_url)
    database.open()
    with database.transaction() as connection:
        (clip,) = clips.clips_of_show(connection, 1)
    assert clip.decided.decisions.texts() == {"intent": "pace 1/2", "reading": "24000/1001", "sound": "off"}
    changes.undo(database, 1, 1)
    with database.transaction() as connection:
        assert clips.clips_of_show(connection, 1)[0].decided.decisions.texts() == {}
    database.close()


def test_a_new_table_and_a_new_column_join_undo_by_a_line_each(empty_url: str) -> None:
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute(
            b"CREATE TABLE lamp (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, show_id bigint NOT NULL REFERENCES"
            b" show, colour text NOT NULL, revision integer NOT NULL DEFAULT 1);"
            b" SELECT journal_table('lamp', 200); INSERT INTO show (name) VALUES ('S')"
        )
    database = Database(empty_url)
    database.open()
    with changes.change(database, 1, "lamps lit", "Ada") as connection:
        connection.execute("INSERT INTO lamp (show_id, colour) VALUES (1, 'red'), (1, 'green')")
    with changes.change(database, 1, "a lamp painted", "Ada") as connection:
        connection.execute("UPDATE lamp SET colour = 'blue' WHERE id = 1")
    with psycopg.connect(empty_url, autocommit=True) as bare:
        bare.execute(b"ALTER TABLE lamp ADD COLUMN watts integer NOT NULL DEFAULT 40")
        bare.execute(b"""SELECT journal_column('lamp', 'watts', '40')""")

    def lamps() -> list[tuple[object, ...]]:
        with database.transaction() as connection:
            return connection.execute("SELECT id, colour, watts FROM lamp ORDER BY id").fetchall()

    def step(way: Callable[[Database, int, int], object], change_id: int) -> list[tuple[object, ...]]:
        way(database, 1, change_id)
        return lamps()

    lit, painted = [(1, "red", 40), (2, "green", 40)], [(1, "blue", 40), (2, "green", 40)]
    assert lamps() == painted
    assert step(changes.undo, 2) == lit and step(changes.undo, 1) == []
    assert step(changes.redo, 1) == lit and step(changes.redo, 2) == painted
    database.close()


def test_what_was_done_before_a_table_gained_a_column_can_still_be_undone(empty_url: str) -> None:
    """The journal holds rows as they were: a migration that gives a table a column says what they shall have in it."""
    before: dict[str, set[str]] = {}
    gained = []
    for number, _, sql in migrations():
        migrate(empty_url, last=number)
        now = journaled_columns(empty_url)
        for table in before.keys() & now.keys():
            gained += [(table, column, sql) for column in now[table] - before[table]]
        before = now
    assert {(table, column) for table, column, _ in gained} >= {("timeline", "start_frame"), ("log_report", "folder")}
    assert [
        (table, column) for table, column, sql in gained if f"journal_column('{table}', '{column}'" not in sql
    ] == []


def journaled_columns(url: str) -> dict[str, set[str]]:
    with psycopg.connect(url) as connection:
        if connection.execute("SELECT to_regclass('journaled')").fetchone() == (None,):
            return {}
        rows = connection.execute(
            "SELECT table_name, array_agg(attname::text) FROM journaled"
            " JOIN pg_attribute ON attrelid = table_name::regclass"
            " WHERE attnum > 0 AND NOT attisdropped GROUP BY table_name"
        ).fetchall()
    return {str(table): set(columns) for table, columns in rows}


def test_made_files_find_their_timeline(empty_url: str) -> None:
    migrate(empty_url, last=6)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute(
            b"INSERT INTO show (name) VALUES ('S'), ('Other');"
            b" INSERT INTO timeline (show_id, name, rate, width, height)"
            b" VALUES (1, 'Film', '25/1', 64, 64), (2, 'Film', '24/1', 64, 64), (2, 'Tape', '25/1', 64, 64);"
            b" INSERT INTO delivery (show_id, name, root, folder) VALUES (2, 'D', 'R', '');"
            b" INSERT INTO clip (delivery_id, path, name) VALUES (1, 'a', 'a');"
            b" INSERT INTO render (show_id, clip_id, setting, out_path, plan, total_frames) VALUES"
            b" (2, 1, 'view', 'a', '{\"timeline_name\": \"Film\"}', 5),"
            b" (2, 1, 'view', 'b', '{\"timeline_name\": \"Gone\"}', 5)"
        )
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        found = connection.execute("SELECT out_path, timeline_id FROM render ORDER BY id").fetchall()
        assert found == [("a", 2), ("b", None)]


def test_the_queue_is_brought_up_by_its_librarys_own_migrations(empty_url: str) -> None:
    """Also one that was laid down before their names were written down; each is applied once."""
    shipped = queue_migrations()
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        names = {name for (name,) in connection.execute("SELECT name FROM queue_migration").fetchall()}
        assert names == set(shipped) and len(shipped) > 3
        connection.execute("DROP TABLE queue_migration")
    later = {**shipped, "99.00.00_01_later.sql": "ALTER TABLE procrastinate_jobs ADD COLUMN bells integer"}
    for _ in range(2):
        migrate(empty_url, queue=later)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute("SELECT bells FROM procrastinate_jobs")
        names = {name for (name,) in connection.execute("SELECT name FROM queue_migration").fetchall()}
    assert names == set(later)


def test_a_database_from_the_future_is_left_alone(empty_url: str) -> None:
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute("INSERT INTO migration (number, name) VALUES (9999, 'later')")
    with pytest.raises(RuleError, match="This database was made by a newer version of Odd Meter"):
        migrate(empty_url)


@pytest.mark.parametrize(
    "statement",
    [
        "INSERT INTO timeline (show_id, name, rate, width, height) VALUES (1, 'a', '23.976', 64, 64)",
        "INSERT INTO timeline (show_id, name, rate, width, height) VALUES (1, 'a', '50/2', 64, 64)",
        "INSERT INTO timeline (show_id, name, rate, width, height) VALUES (1, 'a', '0/1', 64, 64)",
        "INSERT INTO timeline (show_id, name, rate, width, height) VALUES (1, 'a', '-25/1', 64, 64)",
        "INSERT INTO timeline (show_id, name, rate, width, height) VALUES (1, 'a', '1000001/1', 64, 64)",
        "INSERT INTO timeline (show_id, name, rate, width, height, drop_frame) VALUES (1, 'a', '25/1', 64, 64, true)",
        """UPDATE treatment SET decisions = '{"intent": 0.5}'""",
        """UPDATE treatment SET decisions = '{"intent": ""}'""",
        """UPDATE treatment SET decisions = '{"intent": null}'""",
        """UPDATE treatment SET decisions = '{"In tent": "fast"}'""",
        """UPDATE treatment SET decisions = '["pace 1/2"]'""",
        """UPDATE show SET decisions = '{"held": ["2"]}'""",
        "UPDATE show SET receiving = 'about right'",
        "UPDATE treatment SET recipe_id = 7",
        "UPDATE show SET default_timeline_id = 999",
        "INSERT INTO word (clip_id, question, value, person) VALUES (1, 'shot_rate', '149.85', 'Ada')",
        "INSERT INTO word (clip_id, question, value, person) VALUES (1, 'What colour?', 'blue', 'Ada')",
    ],
)
def test_the_database_itself_refuses_what_is_not_exact(empty_url: str, statement: str) -> None:
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute(
            b"INSERT INTO show (name) VALUES ('S'); INSERT INTO delivery (show_id, name, root, folder)"
            b" VALUES (1, 'D', 'R', ''); INSERT INTO clip (delivery_id, path, name) VALUES (1, 'a', 'a');"
            b" INSERT INTO treatment (id) VALUES (1)"
        )
        with pytest.raises(psycopg.errors.IntegrityError):
            connection.execute(statement.encode())
