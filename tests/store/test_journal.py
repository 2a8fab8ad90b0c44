"""Every table that people change is journalled, and every exact column is held to its form."""

from fractions import Fraction

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.store.database import Database

CHANGED_BY_PEOPLE = {
    "show", "timeline", "delivery", "clip", "treatment", "word", "log_report", "recipe", "clip_use", "tag", "clip_tag",
    "music", "marker", "event", "timeline_marker", "output_setting", "handoff_plan", "hook",
}  # fmt: skip
KEPT_BY_MACHINES = {
    "clip_facts", "picture", "render", "render_count", "package", "handoff_run", "handoff_report", "hook_call",
    "errand", "change", "change_row", "migration", "log_mapping", "matching", "verdict_change", "sheet", "journaled",
    "queue_migration",
}  # fmt: skip


def test_each_table_is_either_peoples_or_machines(database: Database) -> None:
    with database.transaction() as connection:
        tables = connection.execute(
            "SELECT relname FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace"
            " AND relname NOT LIKE 'procrastinate%'"
        ).fetchall()
        triggers = connection.execute(
            "SELECT tgrelid::regclass::text, tgname FROM pg_trigger WHERE NOT tgisinternal"
        ).fetchall()
        revised = connection.execute(
            "SELECT attrelid::regclass::text FROM pg_attribute JOIN pg_class ON pg_class.oid = attrelid"
            " WHERE attname = 'revision' AND relkind = 'r'"
        ).fetchall()
    assert {row[0] for row in tables} == CHANGED_BY_PEOPLE | KEPT_BY_MACHINES
    assert {row[0] for row in revised} == CHANGED_BY_PEOPLE
    with database.transaction() as connection:
        assert {
            row[0] for row in connection.execute("SELECT table_name FROM journaled").fetchall()
        } == CHANGED_BY_PEOPLE
    wanted = {"journal_insert", "journal_update", "journal_delete", "next_revision", "tell"}
    for table in CHANGED_BY_PEOPLE:
        assert wanted <= {name for owner, name in triggers if owner == table}, table


def test_no_column_holds_a_float(database: Database) -> None:
    with database.transaction() as connection:
        floats = connection.execute(
            "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = 'public'"
            " AND data_type IN ('real', 'double precision') AND table_name NOT LIKE 'procrastinate%'"
        ).fetchall()
    assert floats == []


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.fractions(min_value=Fraction(1, 10**9), max_value=10**6, max_denominator=10**12))
def test_every_fraction_of_ours_is_accepted_and_valued_alike(database: Database, value: Fraction) -> None:
    with database.transaction() as connection:
        got = connection.execute(
            "SELECT %(t)s::fraction::text, round(fraction_value(%(t)s), 12)", {"t": fraction_text(value)}
        ).fetchone()
    assert got is not None and got[0] == fraction_text(value)
    assert abs(Fraction(str(got[1])) - value) < Fraction(1, 10**9)


@pytest.mark.parametrize(
    "text", ["1", "2/4", "0/1", "1/0", "-1/2", "1.5/2", " 1/2", "1/2 ", "1/02", "", "a/b", "1/2/3"]
)
def test_what_is_no_exact_fraction_is_refused(database: Database, text: str) -> None:
    with pytest.raises(psycopg.errors.CheckViolation), database.transaction() as connection:
        connection.execute("SELECT %s::fraction", (text,))
