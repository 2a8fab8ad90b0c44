"""Migrations go forward from every earlier state, with data in it."""

import psycopg
import pytest

from oddmeter.core.errors import RuleError
from oddmeter.store import changes, clips
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate, migrations

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


def test_a_database_from_the_future_is_left_alone(empty_url: str) -> None:
    migrate(empty_url)
    with psycopg.connect(empty_url, autocommit=True) as connection:
        connection.execute("INSERT INTO migration (number, name) VALUES (9999, 'later')")
    with pytest.raises(RuleError, match="newer Odd Meter"):
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
        """UPDATE treatment SET decisions = '{"intent": "speed"}'""",
        """UPDATE treatment SET decisions = '{"intent": "real-time 1/2"}'""",
        """UPDATE treatment SET decisions = '{"intent": "pace 0.5"}'""",
        """UPDATE treatment SET decisions = '{"intent": "faster"}'""",
        """UPDATE treatment SET decisions = '{"reading": "23.976"}'""",
        """UPDATE treatment SET decisions = '{"colour": "blue"}'""",
        """UPDATE treatment SET decisions = '["pace 1/2"]'""",
        """UPDATE show SET decisions = '{"held": "2"}'""",
        "UPDATE show SET receiving = 'about right'",
        "UPDATE treatment SET recipe_id = 7",
        "UPDATE show SET default_timeline_id = 999",
        "INSERT INTO word (clip_id, question, value, person) VALUES (1, 'shot_rate', '149.85', 'Ada')",
        "INSERT INTO word (clip_id, question, value, person) VALUES (1, 'colour', 'blue', 'Ada')",
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
