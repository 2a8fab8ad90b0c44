"""The board: whatever changes, and in whatever order, what is kept is what would be worked out from nothing."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.recipes import Rule
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.logs import Table, guess_columns
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan
from oddmeter.core.planning.marks import Mark
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.media.settings.shipped import VIEW
from oddmeter.store import changes, clips, decisions, facts, logs, renders, shows, words
from oddmeter.store.changes import MissingError, change
from oddmeter.store.database import Connection, Database
from oddmeter.store.renders import Asked
from oddmeter.web.board import Board
from oddmeter.web.boards import Boards
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
        for clip, found in zip(clips.clips_of_show(connection, show_id), FACTS, strict=False):
            facts.keep_facts(connection, clip.id, found)
    return show_id


def picture(board: Board) -> Any:
    """Everything that the ledger would show of a board."""
    return {
        timeline.settings.name: [
            (clip_id, row.known.decided, row.known.revision, row.known.facts, row.known.findings,
             row.plan and row.plan.conformed,
             row.refusal and row.refusal.sentence, row.marks,
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
            decisions.decide_clips(connection, {clip.id: Decisions.parse({"intent": f"pace {number + 1}/7"})})
        case 1:
            decisions.decide_show(connection, show_id, Decisions.parse({"intent": "real-time"} if number % 2 else {}))
        case 2:
            decisions.decide_delivery(connection, show_id, clip.delivery_id, Decisions.parse({"held": "2 frames"}))
        case 3:
            recipe = decisions.add_recipe(connection, show_id, f"R{number}", Decisions.parse({"sound": "off"}), Rule())
            decisions.put_recipes(connection, {clip.id: recipe})
        case 4:
            used = clip.decided.with_use(known.timelines[-1].id, Decisions.parse({"reading": "timeline"}))
            decisions.write(connection, show_id, [(clip, replace(clip, decided=used))])
        case 5:
            words.say(connection, [clip.id], Word(Question.SHOT_RATE, f"{50 + number}/1", "Ada"))
        case 6:
            words.withdraw(connection, [clip.id], Question.SHOT_RATE)
        case 7:
            facts.keep_facts(connection, clip.id, FACTS[number % len(FACTS)])
        case 8:
            table = Table(("clip", "fps"), ((clip.name, str(100 + number)),), 2)
            logs.add_log(connection, show_id, f"r{number}.csv", "report", table, guess_columns(table.headings))
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
    database: Database, filled: int, tmp_path: Path, steps: list[tuple[int, int, bool]]
) -> None:
    kept = Boards(database)

    def check() -> None:
        anew = Boards(database).open(filled)
        assert picture(kept.open(filled)) == picture(anew)
        some = list(anew.known)[1:3]
        few = Boards(database).some(filled, [*some, 999])
        assert list(few.known) == some
        whole = picture(anew)
        assert all(row in whole[name] for name, rows in picture(few).items() for row in rows)
        assert as_answered(Boards(database, tmp_path)) == as_answered(Boards(database)), "as after a start"

    def as_answered(boards: Boards) -> bytes:
        return boards.answer(filled, "all", lambda board: repr(said(board)).encode())

    def said(board: Board) -> Any:
        return {
            timeline.settings: [(row.clip.name, row.known.revision, row.marks, row.after) for row in rows.values()]
            for timeline in board.show.timelines
            for rows in [board.rows(timeline)]
        }

    for number, (step, which, looked_at) in enumerate(steps):
        with change(database, filled, f"step {number}", "Ada") as connection:
            work(connection, filled, step, 10 * number + which)
        if looked_at:
            check()
    check()
    while True:
        with database.transaction() as connection:
            undo = changes.undo_state(connection, filled).undo
        if undo is None or not undo.title.startswith("step"):
            break
        changes.undo(database, filled, undo.id)
    check()


def test_an_answer_of_before_a_start_is_taken_until_something_is_written(
    database: Database, filled: int, tmp_path: Path
) -> None:
    made: list[str] = []

    def ask(boards: Boards, name: str) -> bytes:
        def make(board: Board) -> bytes:
            made.append(name)
            return f"{name} of {len(board.known)}".encode()

        return boards.answer(filled, name, make)

    first = Boards(database, tmp_path)
    assert [ask(first, name) for name in ("one", "one", "two")] == [b"one of 4", b"one of 4", b"two of 4"]
    assert made == ["one", "two"], "once for all who ask"
    assert ask(Boards(database, tmp_path), "one") == b"one of 4" and made == ["one", "two"]
    with change(database, filled, "default", "Ada") as connection:
        decisions.decide_show(connection, filled, Decisions.parse({"intent": "real-time"}))
    ask(Boards(database, tmp_path), "one")
    assert made == ["one", "two", "one"]


def test_those_who_ask_at_once_share_the_work_and_see_what_was_written_before(database: Database, filled: int) -> None:
    boards = Boards(database)
    with database.transaction() as connection:
        clip = clips.clips_of_show(connection, filled)[0].id

    def write_and_look(number: int) -> bool:
        for step in range(5):
            note = f"{number} {step}"
            with change(database, filled, note, "Ada") as connection:
                decisions.write_note(connection, [clip], note)
                revision = clips.clips_by_id(connection, [clip])[0].revision
            if boards.open(filled).known[clip].revision < revision:
                return False
        return True

    with ThreadPoolExecutor(6) as people:
        assert all(people.map(write_and_look, range(6)))


def test_nothing_is_worked_out_twice(database: Database, filled: int) -> None:
    boards = Boards(database)
    board = boards.open(filled)
    timeline = board.timeline()
    rows = board.rows(timeline)
    assert boards.open(filled) is board, "nothing has changed"
    first = next(iter(rows))
    with change(database, filled, "decide", "Ada") as connection:
        decisions.decide_clips(connection, {first: Decisions.parse({"intent": "every-frame"})})
    boards.open(filled)
    after = boards.open(filled).rows(timeline)
    assert after[first] is not rows[first] and after[first].known.findings is rows[first].known.findings
    assert all(after[clip] is rows[clip] for clip in rows if clip != first)


def test_a_file_made_is_told_from_what_is_decided_since(database: Database, filled: int) -> None:
    boards = Boards(database)
    board = boards.open(filled)
    timeline = board.timeline()
    row = next(iter(board.rows(timeline).values()))
    assert row.plan is not None
    order = order_of(row.plan).model_dump(mode="json")
    with database.transaction() as connection:
        file = Asked(timeline.id, row.clip.id, VIEW.name, None, "a.mp4", order, 250)
        made = renders.ask(connection, [file])["a.mp4"]
        connection.execute("UPDATE render SET state = 'done' WHERE id = %s", (made,))

    def changed() -> bool:
        return Mark.CHANGED in boards.open(filled).rows(timeline)[row.clip.id].marks

    assert not changed()
    with change(database, filled, "decide", "Ada") as connection:
        decisions.decide_clips(connection, {row.clip.id: Decisions.parse({"intent": "pace 1/2"})})
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
