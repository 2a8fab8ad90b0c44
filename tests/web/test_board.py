"""The board: whatever changes, and in whatever order, what is kept is what would be worked out from nothing."""

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.batches import Mark
from oddmeter.core.claims import Word
from oddmeter.core.decisions import Decisions
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import Question
from oddmeter.core.facts import Facts, Scan
from oddmeter.core.logs import Table, guess_columns
from oddmeter.core.rates import Rate
from oddmeter.core.recipes import Rule
from oddmeter.media.settings import Setting
from oddmeter.store import changes, clips, decisions, evidence, renders, shows
from oddmeter.store.changes import MissingError, change
from oddmeter.store.database import Connection, Database
from oddmeter.store.shows import TimelineSettings
from oddmeter.web.board import Board, Boards
from oddmeter.work.orders import order_of

FACTS = [
    Facts(frames=250, file_rate=Rate.of(25), measured_rate=Rate.of(25).value, scan=Scan.PROGRESSIVE),
    Facts(frames=100, file_rate=Rate.parse("23.976"), measured_rate=Rate.parse("23.976").value),
    Facts(fault="The file is empty."),
]


@pytest.fixture
def filled(database: Database, show_id: int) -> int:
    with change(database, show_id, "brought in", "Ada") as connection:
        shows.add_timeline(connection, show_id, TimelineSettings("Second", Rate.parse("29.97")))
        paths = [f"clip_{i}_150fps.mov" for i in range(4)]
        clips.bring_in(connection, clips.add_delivery(connection, show_id, "Card", "Footage", "card", paths))
        for clip, facts in zip(clips.clips_of_show(connection, show_id), FACTS, strict=False):
            clips.keep_facts(connection, clip.id, facts)
    return show_id


def picture(board: Board) -> Any:
    """Everything that the ledger would show of a board."""
    return {
        timeline.settings.name: [
            (clip_id, row.decided, row.known.revision, row.known.facts, row.known.standing, row.planned, row.marks,
             row.resolved.decisions, {part: (o.level, o.name) for part, o in row.resolved.origins.items()})
            for clip_id, row in board.rows(timeline).items()
        ]
        for timeline in board.show.timelines
    }  # fmt: skip


def work(connection: Connection, show_id: int, step: int, number: int) -> None:  # noqa: PLR0912
    """One of the things that can happen to a show."""
    found = clips.clips_of_show(connection, show_id)
    if not found:
        connection.execute("UPDATE delivery SET removed = false")
        return
    clip = found[number % len(found)]
    known = shows.show(connection, show_id)
    match step:
        case 0:
            decisions.decide_clips(connection, {clip.id: Decisions.of({"intent": f"pace {number + 1}/7"})})
        case 1:
            decisions.decide_show(connection, show_id, Decisions.of({"intent": "real-time"} if number % 2 else {}))
        case 2:
            decisions.decide_delivery(connection, show_id, clip.delivery_id, Decisions.of({"held": "2 frames"}))
        case 3:
            recipe = decisions.add_recipe(connection, show_id, f"R{number}", Decisions.of({"sound": "off"}), Rule())
            decisions.put_recipes(connection, {clip.id: recipe})
        case 4:
            decisions.decide_uses(connection, known.timelines[-1].id, {clip.id: Decisions.of({"reading": "timeline"})})
        case 5:
            evidence.say(connection, [clip.id], Word(Question.SHOT_RATE, f"{50 + number}/1", "Ada"))
        case 6:
            evidence.withdraw(connection, [clip.id], Question.SHOT_RATE)
        case 7:
            clips.keep_facts(connection, clip.id, FACTS[number % len(FACTS)])
        case 8:
            table = Table(("clip", "fps"), ((clip.name, str(100 + number)),), 2)
            evidence.add_log(connection, show_id, f"r{number}.csv", "report", table, guess_columns(table.headings))
        case 9:
            decisions.tag_clips(connection, show_id, [clip.id], f"tag {number % 2}")
        case 10:
            connection.execute("UPDATE delivery SET removed = true")
        case 11:
            timeline = known.timelines[-1]
            faster = TimelineSettings(timeline.settings.name, Rate.of(24 + number))
            shows.set_timeline(connection, timeline.id, faster, timeline.revision)
        case _:
            shows.set_default(connection, show_id, known.timelines[number % len(known.timelines)].id)


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 9), st.booleans()), min_size=1, max_size=8))
def test_a_board_kept_up_to_date_is_one_made_anew(
    database: Database, filled: int, steps: list[tuple[int, int, bool]]
) -> None:
    kept = Boards(database)
    for number, (step, which, looked_at) in enumerate(steps):
        with change(database, filled, f"step {number}", "Ada") as connection:
            work(connection, filled, step, 10 * number + which)
        if looked_at:
            picture(kept.open(filled))
    assert picture(kept.open(filled)) == picture(Boards(database).open(filled))
    while True:
        with database.transaction() as connection:
            undo = changes.standing(connection, filled).undo
        if undo is None or not undo.title.startswith("step"):
            break
        changes.undo(database, filled, undo.id)
    assert picture(kept.open(filled)) == picture(Boards(database).open(filled))


def test_nothing_is_worked_out_twice(database: Database, filled: int) -> None:
    boards = Boards(database)
    board = boards.open(filled)
    timeline = board.timeline()
    rows = board.rows(timeline)
    assert boards.open(filled) is board, "nothing has changed"
    first = next(iter(rows))
    with change(database, filled, "decide", "Ada") as connection:
        decisions.decide_clips(connection, {first: Decisions.of({"intent": "every-frame"})})
    boards.open(filled)
    after = boards.open(filled).rows(timeline)
    assert after[first] is not rows[first] and after[first].known.standing is rows[first].known.standing
    assert all(after[clip] is rows[clip] for clip in rows if clip != first)


def test_a_file_made_is_told_from_what_is_decided_since(database: Database, filled: int) -> None:
    boards = Boards(database)
    board = boards.open(filled)
    timeline = board.timeline()
    row = next(iter(board.rows(timeline).values()))
    assert row.planned is not None
    order = order_of(row.planned, timeline).model_dump(mode="json")
    with database.transaction() as connection:
        made = renders.ask(connection, filled, row.clip.id, Setting.VIEW, "a.mp4", order, 250)
        connection.execute("UPDATE render SET state = 'done' WHERE id = %s", (made,))

    def changed() -> bool:
        return Mark.CHANGED in boards.open(filled).rows(timeline)[row.clip.id].marks

    assert not changed()
    with change(database, filled, "decide", "Ada") as connection:
        decisions.decide_clips(connection, {row.clip.id: Decisions.of({"intent": "pace 1/2"})})
    assert changed()
    with change(database, filled, "decide back", "Ada") as connection:
        decisions.decide_clips(connection, {row.clip.id: Decisions()})
    assert not changed()


def test_what_is_not_there_is_said(database: Database, filled: int) -> None:
    board = Boards(database).open(filled)
    with pytest.raises(MissingError):
        Boards(database).open(999)
    with pytest.raises(MissingError):
        board.timeline(999)
    with pytest.raises(MissingError):
        board.some([999], board.timeline())
    with database.transaction() as connection:
        bare = connection.execute("INSERT INTO show (name) VALUES ('Bare') RETURNING id").fetchone()
    assert bare is not None
    with pytest.raises(RuleError, match="no timeline"):
        Boards(database).open(int(str(bare[0]))).timeline()
