"""Words, reports and looks as they go in and come out."""

from contextlib import suppress
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.logs import Column, Table
from oddmeter.core.evidence.verdicts import Certainty, Question
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport, Repeats, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.planning.clips import Clip
from oddmeter.store import changes, clips, facts, logs, looks, words
from oddmeter.store.changes import MissingError, change
from oddmeter.store.database import Connection, Database

PLAIN = Facts(frames=100, file_rate=Rate.of(25), measured_rate=Fraction(25), stated_rate=Fraction(25))
SHOT = Question.SHOT_RATE

stretch = st.builds(
    Stretch, st.integers(0, 10**7), st.integers(0, 10**7), st.sampled_from(Scan),
    st.sampled_from([None, *FieldOrder]), st.sampled_from([None, "2:3", "2:2"]),
    st.one_of(st.none(), st.integers(0, 4)),
)  # fmt: skip
repeats = st.builds(
    Repeats, st.integers(1, 999), st.integers(1, 999), st.fractions(Fraction(1, 9), 1, max_denominator=30)
)
reports = st.builds(
    PictureReport, st.integers(0, 10**6), st.booleans(), st.lists(stretch, max_size=4).map(tuple),
    st.one_of(st.none(), repeats), st.lists(st.integers(0, 10**6), max_size=5).map(tuple), st.booleans(),
    st.integers(0, 99), st.lists(st.booleans(), max_size=40).map(tuple),
)  # fmt: skip


@given(reports)
def test_a_report_comes_back_exactly(report: PictureReport) -> None:
    assert looks.report_from(looks.report_document(report)) == report


def deliver(database: Database, show_id: int, *paths: str) -> None:
    with change(database, show_id, "in", "Ada") as connection:
        clips.bring_in(connection, clips.add_delivery(connection, show_id, "Card", "Footage", "", paths))
    for clip in all_clips(database, show_id):
        with database.transaction() as connection:
            facts.keep_facts(connection, clip.id, PLAIN)


def all_clips(database: Database, show_id: int) -> list[Clip]:
    with database.transaction() as connection:
        return clips.clips_of_show(connection, show_id, proxies=True)


def test_a_word_replaces_the_one_before_and_raises_the_clips_revision(database: Database, show_id: int) -> None:
    deliver(database, show_id, "a.mov", "b.mov")
    first = all_clips(database, show_id)
    ids = [clip.id for clip in first]
    for value, person in (("100/1", "Ada"), ("150/1", "Ben")):
        with change(database, show_id, "shot", person) as connection:
            words.say(connection, ids, Word(SHOT, value, person, "because"))
    now = all_clips(database, show_id)
    assert [clip.shot_rate for clip in now] == [Rate.of(150)] * 2
    assert all(a.revision < b.revision for a, b in zip(first, now, strict=True))
    with database.transaction() as connection:
        assert changes.last_person(connection, "clip", ids[0]) == "Ben"
    with change(database, show_id, "withdrawn", "Ada") as connection:
        words.withdraw(connection, ids[:1], SHOT)
    assert [clip.verdicts[SHOT].state for clip in all_clips(database, show_id)] == [
        Certainty.ASSUMED,
        Certainty.SETTLED,
    ]


def test_settled_scan_and_rates_are_those_of_the_facts(database: Database, show_id: int) -> None:
    deliver(database, show_id, "a.mov")
    (clip,) = all_clips(database, show_id)
    said = ((Question.FILE_RATE, "30000/1001"), (Question.SCAN, "interlaced"), (Question.FIELD_ORDER, "lower"))
    with change(database, show_id, "settled", "Ada") as connection:
        for question, value in said:
            words.say(connection, [clip.id], Word(question, value, "Ada"))
    facts = all_clips(database, show_id)[0].facts
    assert facts is not None and facts.file_rate == Rate.parse("29.97")
    assert (facts.scan, facts.field_order) == (Scan.INTERLACED, FieldOrder.LOWER)
    assert all_clips(database, show_id)[0].measured == PLAIN, "what was measured stays as it was"


TABLE = Table(("Clip", "fps"), (("a", "150"), ("nowhere", "99")), 2)
COLUMNS = {Column.CLIP: 0, Column.SHOT_RATE: 1}


def test_reports_speak_as_long_as_they_are_in_the_show(database: Database, show_id: int) -> None:
    with change(database, show_id, "read", "Ada") as connection:
        log_id = logs.add_log(connection, show_id, "day.csv", "camera report", TABLE, COLUMNS)
    deliver(database, show_id, "a.mov", "b.mov")
    assert [clip.shot_rate for clip in all_clips(database, show_id)] == [Rate.of(150), Rate.of(25)]
    with database.transaction() as connection:
        found = logs.matched(connection, show_id)
        assert logs.remembered_columns(connection, [" CLIP ", "FPS"]) is None, "only what a person corrected"
    assert found is not None and [entry.clip for entry in found.unmatched] == ["nowhere"]
    with change(database, show_id, "corrected", "Ada") as connection:
        logs.map_log(connection, log_id, {Column.CLIP: 0}, "notes")
    assert all_clips(database, show_id)[0].shot_rate == Rate.of(25)
    with database.transaction() as connection:
        assert logs.remembered_columns(connection, [" CLIP ", "FPS"]) == {Column.CLIP: 0}
        standing = changes.undo_state(connection, show_id).undo
    assert standing is not None
    changes.undo(database, show_id, standing.id)
    assert all_clips(database, show_id)[0].shot_rate == Rate.of(150)
    with change(database, show_id, "out", "Ada") as connection:
        logs.take_log_out(connection, log_id)
        with pytest.raises(MissingError):
            logs.take_log_out(connection, log_id)
    assert all_clips(database, show_id)[0].shot_rate == Rate.of(25)


def test_a_report_that_is_rolled_back_leaves_no_match_behind(database: Database, show_id: int) -> None:
    """Also where the next report is the next to be counted, too."""
    deliver(database, show_id, "a.mov")
    columns = {Column.CLIP: 0, Column.SHOT_RATE: 1}

    def rates() -> list[str]:
        (clip,) = all_clips(database, show_id)
        return [entry.shot_rate.exact for entry in clip.entries if entry.shot_rate]

    def read(rate: str) -> Table:
        return Table(("clip", "fps"), (("a.mov", rate),), 2)

    def add(connection: Connection, rate: str) -> None:
        logs.add_log(connection, show_id, "r.csv", "camera report", read(rate), columns)

    with change(database, show_id, "read", "Ada") as connection:
        add(connection, "50")
    assert rates() == ["50/1"]
    with suppress(InterruptedError), change(database, show_id, "read", "Ada") as connection:
        add(connection, "100")
        assert logs.matched(connection, show_id) is not None
        raise InterruptedError
    with change(database, show_id, "read", "Ada") as connection:
        add(connection, "150")
    assert rates() == ["50/1", "150/1"]


def test_proxies_are_attached_as_they_come_in(database: Database, show_id: int) -> None:
    deliver(database, show_id, "card/a.mov", "card/Proxy/a.mov", "card/b.mov")
    by_path = {clip.path: clip for clip in all_clips(database, show_id)}
    assert by_path["card/Proxy/a.mov"].proxy_of == by_path["card/a.mov"].id
    with database.transaction() as connection:
        assert [c.path for c in clips.clips_of_show(connection, show_id)] == ["card/a.mov", "card/b.mov"]


def test_a_look_goes_through_its_states(database: Database, show_id: int) -> None:
    deliver(database, show_id, "a.mov", "b.mov")
    one, two = (clip.id for clip in all_clips(database, show_id))
    with database.transaction() as connection:
        assert looks.unlooked(connection) == [one, two]
        assert looks.begin_look(connection, one) is False and looks.begin_look(connection, one) is False
        assert not looks.note_look(connection, one, 10, 100)
        looks.stop_look(connection, [one, two])
        assert looks.note_look(connection, one, 20, 100), "asked to stop"
        assert looks.looks_at(connection, [two])[two].state == "stopped", "nobody had begun it"
        looks.end_look(connection, one, "done", PictureReport(100, True))
        assert looks.begin_look(connection, one) is None and looks.unlooked(connection) == []
        looks.ask_look(connection, [one], whole=True)
        look = looks.looks_at(connection, [one])[one]
    assert (look.state, look.whole, look.done_frames) == ("waiting", True, 0)
    assert look.report == PictureReport(100, True), "what is known stays until more is"
