"""Undo and redo restore the exact state; nothing is lost silently between two people."""

import json
import threading
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.store import changes, clips, decisions, shows, words
from oddmeter.store.changes import ConflictError, change
from oddmeter.store.database import Connection, Database

TABLES = (
    "show", "timeline", "delivery", "recipe", "tag", "clip", "treatment", "clip_use", "clip_tag", "word", "log_report",
)  # fmt: skip
PATHS = ["a.mov", "b.mov", "sub/c.mov"]


def state(database: Database) -> str:
    """Everything a person can change, without revisions."""
    out: dict[str, Any] = {}
    with database.transaction() as connection:
        for table in TABLES:
            rows = connection.execute(
                f"SELECT to_jsonb(t) - 'revision' FROM {table} t ORDER BY t.id".encode()
            ).fetchall()
            out[table] = [row[0] for row in rows]
    return json.dumps(out, sort_keys=True)


def deliver(database: Database, show_id: int, name: str = "Card") -> list[int]:
    with change(database, show_id, f"{name} brought in", "Ada") as connection:
        delivery = clips.add_delivery(connection, show_id, name, "Footage", name, PATHS)
        clips.bring_in(connection, delivery)
    with database.transaction() as connection:
        return [clip.id for clip in clips.clips_of_show(connection, show_id) if clip.delivery_id == delivery]


def decide(connection: Connection, ids: list[int], **texts: str) -> None:
    decisions.decide_clips(connection, dict.fromkeys(ids, Decisions.parse(texts)))


def undo_next(database: Database, show_id: int) -> str:
    with database.transaction() as connection:
        newest = changes.undo_state(connection, show_id).undo
    assert newest is not None
    return changes.undo(database, show_id, newest.id).title


def redo_next(database: Database, show_id: int) -> str:
    with database.transaction() as connection:
        next_one = changes.undo_state(connection, show_id).redo
    assert next_one is not None
    return changes.redo(database, show_id, next_one.id).title


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(steps=st.lists(st.integers(0, 12), min_size=1, max_size=9), back=st.integers(1, 9))
def test_any_series_of_changes_is_undone_and_redone_exactly(  # noqa: PLR0912
    database: Database, show_id: int, steps: list[int], back: int
) -> None:
    ids = deliver(database, show_id, f"Card {len(steps)}")
    history = [state(database)]
    for number, step in enumerate(steps):
        with change(database, show_id, f"step {number}", "Ada") as connection:
            match step:
                case 0:
                    decide(connection, ids, intent="real-time")
                case 1:
                    decide(connection, ids[:2], intent="every-frame")
                    decide(connection, ids[1:], reading="24000/1001")
                case 2:
                    decide(connection, ids[:1])
                case 3:
                    words.say(connection, ids, Word(Question.SHOT_RATE, f"{100 + number}/1", "Ada"))
                case 4:
                    timeline = TimelineSettings(f"T{number} {history[0][:0]}{len(history)}", Rate.of(24))
                    shows.set_default(connection, show_id, shows.add_timeline(connection, show_id, timeline))
                case 5:
                    shows.rename(connection, show_id, f"Show {number}")
                case 6:
                    known = clips.clips_by_id(connection, ids[:1], even_removed=True)[0]
                    connection.execute("UPDATE delivery SET removed = NOT removed WHERE id = %s", (known.delivery_id,))
                case 7:
                    decisions.tag_clips(connection, show_id, ids[:2], f"tag {number % 2}")
                case 8:
                    decisions.untag_clips(connection, show_id, ids, f"tag {number % 2}")
                case 9:
                    recipe = decisions.add_recipe(
                        connection, show_id, f"R{number}", Decisions.parse({"held": "2 frames"}), None
                    )
                    decisions.put_recipes(connection, dict.fromkeys(ids, recipe))
                case 10:
                    for made in decisions.house(connection, show_id).recipes:
                        decisions.remove_recipe(connection, show_id, made.id)
                case 11:
                    use = Decisions.parse({"reading": "24/1"} if number % 2 else {})
                    first = shows.show(connection, show_id).timelines[0].id
                    found = clips.clips_by_id(connection, ids, even_removed=True)
                    pairs = [(one, replace(one, decided=one.decided.with_use(first, use))) for one in found]
                    decisions.write(connection, show_id, pairs)
                    decisions.decide_show(connection, show_id, use)
                case _:
                    decide(connection, ids, sound="off")
        if state(database) != history[-1]:
            history.append(state(database))
    reach = min(back, len(history) - 1)
    for earlier in reversed(history[len(history) - 1 - reach : -1]):
        undo_next(database, show_id)
        assert state(database) == earlier
    for later in history[len(history) - reach :]:
        redo_next(database, show_id)
        assert state(database) == later
    while len(history) > 1:
        history.pop()
        undo_next(database, show_id)
    assert state(database) == history[0]


def test_undo_is_named_and_reaches_over_a_new_connection(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    with change(database, show_id, "Real time for 3 clips", "Ada") as connection:
        decide(connection, ids, intent="real-time")
    again = Database(database.url)
    again.open()
    assert undo_next(again, show_id) == "Real time for 3 clips"
    assert redo_next(again, show_id) == "Real time for 3 clips"
    again.close()


def test_a_new_change_ends_what_could_be_redone_and_an_empty_one_leaves_no_trace(
    database: Database, show_id: int
) -> None:
    ids = deliver(database, show_id)
    with change(database, show_id, "first", "Ada") as connection:
        decide(connection, ids, intent="real-time")
    undo_next(database, show_id)
    with change(database, show_id, "nothing", "Ada") as connection:
        decide(connection, ids)
    with database.transaction() as connection:
        assert (redo := changes.undo_state(connection, show_id).redo) is not None and redo.title == "first"
    with change(database, show_id, "second", "Ada") as connection:
        decide(connection, ids, sound="off")
    with database.transaction() as connection:
        now = changes.undo_state(connection, show_id)
    assert now.redo is None and now.undo is not None and now.undo.title == "second"


def test_a_change_that_goes_there_and_back_leaves_no_trace(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    with change(database, show_id, "there and back", "Ada") as connection:
        decide(connection, ids, intent="real-time")
        decide(connection, ids)
    with database.transaction() as connection:
        newest = changes.undo_state(connection, show_id).undo
        assert newest is not None and newest.title == "Card brought in"
        assert connection.execute("SELECT count(*) FROM change WHERE title = 'there and back'").fetchone() == (0,)


def test_a_change_that_fails_changes_nothing(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    before = state(database)
    with pytest.raises(RuntimeError), change(database, show_id, "half", "Ada") as connection:
        decide(connection, ids, intent="real-time")
        raise RuntimeError("in the middle")
    assert state(database) == before
    assert undo_next(database, show_id) == "Card brought in"


def test_undoing_what_is_not_the_newest_any_more_is_refused(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    with database.transaction() as connection:
        seen = changes.undo_state(connection, show_id).undo
    with change(database, show_id, "Every frame for 3 clips", "Ben") as connection:
        decide(connection, ids, intent="every-frame")
    before = state(database)
    assert seen is not None
    with pytest.raises(ConflictError, match="Every frame for 3 clips” by Ben"):
        changes.undo(database, show_id, seen.id)
    assert state(database) == before


def test_the_second_of_two_people_is_told_who_was_first(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    with database.transaction() as connection:
        seen = {clip.id: clip.revision for clip in clips.clips_by_id(connection, ids)}
    with change(database, show_id, "first", "Ada") as connection:
        clips.expect_revisions(connection, show_id, seen)
        decide(connection, ids[:2], intent="real-time")
    before = state(database)
    with (
        pytest.raises(ConflictError, match=r"Ada changed a\.mov and 1 more first"),
        change(database, show_id, "second", "Ben") as connection,
    ):
        clips.expect_revisions(connection, show_id, seen)
        decide(connection, ids, intent="every-frame")
    assert state(database) == before


def test_two_people_at_the_same_moment_come_one_after_the_other(database: Database, show_id: int) -> None:
    ids = deliver(database, show_id)
    with database.transaction() as connection:
        seen = {clip.id: clip.revision for clip in clips.clips_by_id(connection, ids)}
    outcomes: list[str] = []

    def keep_off(person: str) -> None:
        try:
            with change(database, show_id, person, person) as connection:
                clips.expect_revisions(connection, show_id, seen)
                decide(connection, ids, sound="off")
            outcomes.append("done")
        except ConflictError:
            outcomes.append("told")

    people = [threading.Thread(target=keep_off, args=(name,)) for name in ("Ada", "Ben", "Cleo")]
    for person in people:
        person.start()
    for person in people:
        person.join()
    assert sorted(outcomes) == ["done", "told", "told"]
