"""What people ask to change: how it is named, what is relative, what is refused, and which level it lands on."""

from fractions import Fraction
from typing import Any

import pytest

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.changes import Changed
from oddmeter.core.planning.clips import Decided, Use
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.store import clips, decisions, facts, shows
from oddmeter.store.changes import MissingError, change
from oddmeter.store.database import Database
from oddmeter.web.board import Board
from oddmeter.web.boards import Boards
from oddmeter.web.views.asked import PlanChange, asked_of


@pytest.fixture
def board(database: Database, show_id: int) -> Board:
    """Two clips, shot at 100 and at 50 by their headers, on two timelines."""
    with change(database, show_id, "brought in", "Ada") as connection:
        shows.add_timeline(connection, show_id, TimelineSettings("Second", Rate.parse("29.97")))
        clips.bring_in(
            connection, clips.add_delivery(connection, show_id, "Card", "Footage", "card", ["a.mov", "b.mov"])
        )
        for clip, rate in zip(clips.clips_of_show(connection, show_id), (100, 50), strict=True):
            own = Rate.of(rate)
            facts.keep_facts(connection, clip.id, Facts(frames=200, file_rate=own, measured_rate=own.value))
    return Boards(database).open(show_id)


def ask(board: Board, *names: str, **wanted: Any) -> PlanChange:
    refs = [
        {"id": known.clip.id, "revision": known.revision} for known in board.known.values() if known.clip.name in names
    ]
    return PlanChange.model_validate({"clips": refs, **wanted})


def changed(board: Board, asked: PlanChange) -> Changed:
    return asked_of(asked, board, board.timeline(), "Ada")


def texts_on(decided: Decided, timeline: int) -> dict[str, str]:
    use = decided.use_on(timeline)
    return use.decisions.texts() if use else {}


def made(board: Board, asked: PlanChange) -> list[Decided]:
    return [known.decided for known in changed(board, asked).clips]


TITLES: list[tuple[dict[str, Any], str]] = [
        ({"intent": {"intent": "real-time"}}, "Real time for 2 clips"),
        ({"intent": {"intent": "pace", "value": "x0.4"}}, "Pace 40 % for 2 clips"),
        ({"intent": {"intent": "fit", "value": "2s"}}, "Fit 50 frames for 2 clips"),
        ({"intent": {"intent": "speed", "value": "*1/2"}}, "Speed *1/2 for 2 clips"),
        ({"intent": None}, "No decision for 2 clips"),
        ({"set": {"reading": "timeline"}}, "Read at the timeline's rate for 2 clips"),
        ({"set": {"reading": "file * 1000/1001", "sound": "pitch"}},
         "Read at the file's rate × 1000/1001, sound keeps its pitch for 2 clips"),
        ({"set": {"held": "on twos"}, "alone": True}, "On twos for 2 clips, on Main alone"),
        ({"set": {"between": "flow", "trust": "60%"}}, "In-betweens by flow, trust 60 % for 2 clips"),
        ({"set": {"fields": None}}, "Fields inherited for 2 clips"),
        ({"shot_rate": "150"}, "Shot at 150 for 2 clips"),
        ({"shot_rate": None}, "Shot rate as the file says for 2 clips"),
        ({"recipe": None}, "No recipe for 2 clips"),
        ({"tag": " Bell "}, "Tagged “Bell” for 2 clips"),
        ({"untag": "Bell"}, "Tag “Bell” taken off for 2 clips"),
        ({"note": "Ask"}, "Note written for 2 clips"),
        ({"note": ""}, "Note taken away for 2 clips"),
    ]  # fmt: skip


def test_a_change_is_named_as_undo_shall_name_it(board: Board) -> None:
    named = [changed(board, ask(board, "a.mov", "b.mov", **wanted)).title for wanted, _ in TITLES]
    assert named == [title for _, title in TITLES]


@pytest.mark.parametrize(
    ("typed", "speeds"),
    [("*1/2", ("1/8", "1/4")), ("+10%", ("11/40", "11/20")), ("-50%", ("1/8", "1/4")), ("*2", ("1/2", "1"))],
)
def test_relative_speeds_start_from_what_each_clip_has(
    database: Database, board: Board, typed: str, speeds: tuple[str, str]
) -> None:
    with change(database, board.show.id, "every frame", "Ada") as connection:
        every = changed(board, ask(board, "a.mov", "b.mov", intent={"intent": "every-frame"}))
        decisions.write(connection, board.show.id, board.pairs(every.clips))
    now = Boards(database).open(board.show.id)
    found = made(now, ask(now, "a.mov", "b.mov", intent={"intent": "speed", "value": typed}))
    assert [own.decisions.intent for own in found] == [IntentSetting(Intent.SPEED, Fraction(speed)) for speed in speeds]


def test_relative_paces_and_lengths(board: Board) -> None:
    (pace,) = made(board, ask(board, "a.mov", intent={"intent": "pace", "value": "*1/3"}))
    assert pace.decisions.intent == IntentSetting(Intent.PACE, Fraction(1, 3))
    (fit,) = made(board, ask(board, "a.mov", intent={"intent": "fit", "value": "+50%"}))
    assert fit.decisions.intent == IntentSetting(Intent.FIT, Fraction(75)), "half as long again as the 50 frames it has"


NOTHING: list[dict[str, Any]] = [
        {}, {"intent": {"intent": "speed", "value": "+10"}}, {"intent": {"intent": "speed", "value": "-100%"}},
        {"intent": {"intent": "pace", "value": "*0"}}, {"intent": {"intent": "pace"}}, {"set": {"sound": "loud"}},
        {"intent": {"intent": "fit", "value": "half"}}, {"shot_rate": "fast"},
    ]  # fmt: skip


def test_what_says_nothing_is_refused(board: Board) -> None:
    for wanted in NOTHING:
        with pytest.raises(RuleError):
            changed(board, ask(board, "a.mov", **wanted))


def test_what_is_not_there_is_said(board: Board) -> None:
    for wanted in ({"recipe": 99}, {"set": {"held": "2 frames"}, "timelines": [99]}, {"copy_from": {"clip_id": 99}}):
        with pytest.raises(RuleError, match="no longer exists"):
            changed(board, ask(board, "a.mov", **wanted))
    gone = PlanChange.model_validate({"clips": [{"id": 99, "revision": 1}], "note": "x"})
    with pytest.raises(MissingError):
        changed(board, gone)


def test_where_a_use_has_its_own_word_that_is_what_is_changed(database: Database, board: Board) -> None:
    main, second = (timeline.id for timeline in board.show.timelines)
    first = next(iter(board.known))
    with change(database, board.show.id, "use", "Ada") as connection:
        decisions.decide_uses(connection, [(first, (), [Use(main, Decisions.parse({"reading": "24/1"}))])])
        decisions.decide_clips(connection, {first: Decisions.parse({"reading": "48/1", "sound": "off"})})
    now = Boards(database).open(board.show.id)
    (own,) = made(now, ask(now, "a.mov", set={"reading": "25", "sound": "pitch"}))
    assert texts_on(own, main) == {"reading": "25/1"}
    assert own.decisions.texts() == {"reading": "48/1", "sound": "pitch"}
    (back,) = made(now, ask(now, "a.mov", set={"reading": None, "sound": None}))
    assert back.uses == () and back.decisions.texts() == {"reading": "48/1"}
    (both,) = made(now, ask(now, "a.mov", set={"held": "on twos"}, timelines=[main, second]))
    assert texts_on(both, main) == {"reading": "24/1", "held": "2 frames"}
    assert texts_on(both, second) == {"held": "2 frames"} and both.decisions == now.known[first].decided.decisions


def test_writing_touches_only_what_differs(database: Database, board: Board) -> None:
    asked = ask(board, "a.mov", "b.mov", intent={"intent": "real-time"})
    with change(database, board.show.id, "once", "Ada") as connection:
        decisions.write(connection, board.show.id, board.pairs(changed(board, asked).clips))
    now = Boards(database).open(board.show.id)
    with change(database, board.show.id, "twice", "Ada") as connection:
        again = changed(now, ask(now, "a.mov", "b.mov", intent={"intent": "real-time"}))
        decisions.write(connection, now.show.id, now.pairs(again.clips))
    with database.transaction() as connection:
        titles = connection.execute("SELECT title FROM change ORDER BY id").fetchall()
        rows = connection.execute("SELECT count(*) FROM change_row WHERE table_name = 'treatment'").fetchone()
    assert [title for (title,) in titles] == ["brought in", "once"] and rows == (2,)
