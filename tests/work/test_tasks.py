"""The tasks by themselves: they can be done again, are cancelled, and never meet at one output."""

import resource
import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from threading import Event

import pytest

from oddmeter.core.conform.proof import Check, Proof
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.planning.clips import Clip
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, VIEW
from oddmeter.media.writing.losses import Losses
from oddmeter.store import clips, looks, renders, words
from oddmeter.work.output_lock import BusyError, LaterError, OutputLock
from oddmeter.work.plans import file_plan
from oddmeter.work.tasks import StoppedError, look_at, look_closer, make, queue
from oddmeter.work.worker import requeue_lost
from tests.waiting import wait_until
from tests.work.conftest import Desk

GULLS = "The Tide Bell/Harbour, boat and phones/HB_gulls_30.mp4"
BELL = "The Tide Bell/Foundry day 1/FD1_B01_bell_swing_100.mov"


def test_a_bad_file_makes_one_clip_bad(desk: Desk) -> None:
    uploads = desk.config.roots["Uploads"]
    (uploads / "empty.mov").touch()
    (uploads / "letter.txt").write_text("Dear harbour master")
    empty, gone, letter = desk.bring_in("empty.mov", "gone.mov", "letter.txt", root="Uploads")
    (good,) = desk.bring_in(GULLS)
    assert empty.facts is not None and empty.facts.fault == "The file is empty."
    assert letter.facts is not None and not letter.facts.usable
    assert gone.facts is not None and gone.facts.fault is not None and "no such file" in gone.facts.fault
    assert good.facts is not None and good.facts.usable and good.facts.frames == 240


def test_what_was_found_comes_back_from_the_database_unchanged(desk: Desk) -> None:
    for path in (
        GULLS,
        BELL,
        "The Tide Bell/Visitors' reels/VR_choir_tape_50i.mov",
        "The Tide Bell/Visitors' reels/VR_clock_23.mkv",
    ):
        (clip,) = desk.bring_in(path)
        assert clip.facts == probe(desk.config.footage("Footage", path))


def test_a_file_is_made_and_proven(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "out/bell", EDIT)
    make(desk.config, desk.database, asked)
    done = desk.render(asked)
    assert done.state == "done" and done.proof is not None and done.proof["passed"]
    assert (done.done_frames, done.total_frames, done.attempts) == (125, 125, 1)
    assert desk.config.product(done.out_path).is_file()
    make(desk.config, desk.database, asked)
    assert desk.render(asked) == done, "a finished render is left alone"


def test_a_file_that_a_dead_worker_placed_is_proven_not_made_again(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")
    with desk.database.transaction() as connection:
        plan = file_plan(connection, desk.config, desk.render(asked))
    render(plan)
    made_at = plan.out.stat().st_mtime_ns
    with desk.database.transaction() as connection:
        renders.begin(connection, asked)
    make(desk.config, desk.database, asked)
    assert desk.render(asked).state == "done" and plan.out.stat().st_mtime_ns == made_at


def test_a_file_that_is_not_as_planned_does_not_keep_its_name(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    """The proof is made to find fault once; the second try has a free name again."""
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")
    found = Proof((Check("frames", "125", "124", False),), (124,))
    monkeypatch.setattr("oddmeter.work.tasks.verify", lambda plan, progress, losses: found)
    make(desk.config, desk.database, asked)
    failed = desk.render(asked)
    assert failed.state == "failed" and failed.proof is not None and failed.proof["wrong_frames"] == [124]
    assert failed.fault == "The file was made, but it is not what was planned; it is kept as bell (not as planned).mp4."
    assert [path.name for path in desk.config.made.iterdir()] == ["bell (not as planned).mp4"]
    monkeypatch.undo()
    with desk.database.transaction() as connection:
        renders.retry(connection, asked)
    make(desk.config, desk.database, asked)
    assert desk.render(asked).state == "done" and desk.config.product("bell.mp4").is_file()


def test_a_foreign_file_of_that_name_is_not_touched(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")
    out = desk.config.product("bell.mp4")
    out.write_text("somebody else's")
    make(desk.config, desk.database, asked)
    failed = desk.render(asked)
    assert failed.state == "failed" and failed.fault is not None and "not overwritten" in failed.fault
    assert out.read_text() == "somebody else's"


def test_a_source_that_is_gone_is_said(desk: Desk) -> None:
    uploads = desk.config.roots["Uploads"]
    moved = uploads / "bell.mov"
    moved.write_bytes(desk.config.footage("Footage", BELL).read_bytes())
    (clip,) = desk.bring_in("bell.mov", root="Uploads")
    asked = desk.ask(clip, "bell")
    moved.unlink()
    make(desk.config, desk.database, asked)
    assert desk.render(asked).fault == "bell.mov has been moved or deleted; nothing was made."


def test_cancelling_stops_it_and_leaves_no_half_file(desk: Desk) -> None:
    (clip,) = desk.bring_in(GULLS)
    asked = desk.ask(clip, "slow", ARCHIVE, Fraction(1, 20))
    working = threading.Thread(target=make, args=(desk.config, desk.database, asked))
    working.start()
    wait_until(lambda: desk.render(asked).done_frames > 0)
    with desk.database.transaction() as connection:
        renders.cancel(connection, asked)
    working.join(300)
    assert desk.render(asked).state == "cancelled"
    assert list(desk.config.made.iterdir()) == []
    with desk.database.transaction() as connection:
        renders.retry(connection, asked)
    assert desk.render(asked).state == "waiting"


def test_cancelling_while_it_is_proven_takes_the_file_away(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")

    def cancelled_in_mid_proof(plan: ClipPlan, progress: Callable[[int], None], losses: Losses | None) -> Proof:
        assert plan.out.is_file()
        with desk.database.transaction() as connection:
            renders.cancel(connection, asked)
        while True:
            progress(40)

    monkeypatch.setattr("oddmeter.work.tasks.verify", cancelled_in_mid_proof)
    make(desk.config, desk.database, asked)
    cancelled = desk.render(asked)
    assert (cancelled.state, cancelled.done_frames) == ("cancelled", 40), "counted as far as it was proven"
    assert list(desk.config.made.iterdir()) == []


def test_workers_that_were_killed_do_not_count_against_a_file(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")
    with desk.database.transaction() as connection:
        for _ in range(9):
            renders.begin(connection, asked)
    make(desk.config, desk.database, asked)
    assert desk.render(asked).state == "done"


def test_a_proof_that_breaks_off_leaves_the_file_and_is_done_again(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")

    def broken_off(plan: ClipPlan, progress: Callable[[int], None], losses: Losses | None) -> Proof:
        raise RuleError("The disk was pulled out.", "media")

    monkeypatch.setattr("oddmeter.work.tasks.verify", broken_off)
    make(desk.config, desk.database, asked)
    failed, out = desk.render(asked), desk.config.product("bell.mp4")
    assert failed.state == "failed" and out.is_file()
    assert failed.fault == "bell.mp4 was made and kept, but its proof failed: The disk was pulled out."
    monkeypatch.undo()
    made_at = out.stat().st_mtime_ns
    with desk.database.transaction() as connection:
        renders.retry(connection, asked)
    make(desk.config, desk.database, asked)
    assert desk.render(asked).state == "done" and out.stat().st_mtime_ns == made_at


def test_an_unexpected_error_is_one_clips_trouble(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(path: Path) -> None:
        raise ZeroDivisionError(path)

    monkeypatch.setattr("oddmeter.work.tasks.probe_guarded", breaks)
    (clip,) = desk.bring_in(BELL)
    assert clip.facts is not None and clip.facts.fault is not None and "unexpected error" in clip.facts.fault


def test_one_output_one_worker(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    asked = desk.ask(clip, "bell")
    with OutputLock(desk.database.url, "bell.mp4"), pytest.raises(BusyError):
        make(desk.config, desk.database, asked)
    assert desk.render(asked).state == "waiting"
    assert desk.ask(clip, "bell") == 0, "its file is in the queue"


def test_what_fell_out_of_the_queue_is_put_back_once(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    (fresh,) = desk.bring_in(GULLS, look=False)
    asked = desk.ask(clip, "bell")
    orders = queue(desk.config, desk.database)
    for _ in range(2):
        requeue_lost(orders, desk.database)
    with desk.database.transaction() as connection:
        rows = connection.execute("SELECT task_name, args FROM procrastinate_jobs ORDER BY id").fetchall()
    assert rows == [
        ("probe_clip", {"clip_id": fresh.id}),
        ("look_at_pictures", {"clip_id": clip.id}),
        ("look_at_pictures", {"clip_id": fresh.id}),
        ("make_file", {"render_id": asked}),
    ]


def test_paths_that_lead_out_are_refused(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "secret.mov").write_bytes(b"x")
    (desk.config.roots["Uploads"] / "link.mov").symlink_to(tmp_path / "secret.mov")
    for path in ("link.mov", "../../secret.mov"):
        (clip,) = desk.bring_in(path, root="Uploads")
        assert (
            clip.facts is not None
            and clip.facts.fault is not None
            and "points outside its media root; it cannot be opened" in clip.facts.fault
        )
    with pytest.raises(RuleError, match="points outside its media root; it cannot be opened"):
        desk.config.product("../elsewhere.mov")
    with desk.database.transaction() as connection:
        assert clips.unprobed(connection) == []
    look_at(desk.config, desk.database, 999_999)


def test_pictures_are_looked_at_and_what_that_changes_is_written_down(desk: Desk) -> None:
    (clip,) = desk.bring_in("The Tide Bell/Regatta tapes/RG_finish_59i.mov")
    assert clip.picture is None and clip.verdicts[Question.FIELD_ORDER].value == "upper"
    look_closer(desk.config, desk.database, clip.id)
    (now,) = [c for c in desk.clips() if c.id == clip.id]
    assert now.picture == analyse(desk.config.footage(clip.root, clip.path), probe_of(desk, clip))
    assert now.verdicts[Question.FIELD_ORDER].value == "lower"
    with desk.database.transaction() as connection:
        changed = {c.question: (c.before, c.after) for c in words.changes_of_show(connection, desk.show_id)}
        assert looks.unlooked(connection) == []
    assert changed["field_order"] == ("upper", "lower")


def test_what_somebody_says_while_it_is_looked_at_is_not_laid_to_the_pictures(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    (clip,) = desk.bring_in("The Tide Bell/Regatta tapes/RG_finish_59i.mov")

    def looked_at_meanwhile(path: Path, facts: Facts, **_: object) -> PictureReport:
        with desk.database.transaction() as connection:
            words.say(connection, [clip.id], Word(Question.SHOT_RATE, "100/1", "Ada"))
        return analyse(path, facts)

    monkeypatch.setattr("oddmeter.work.tasks.analyse_guarded", looked_at_meanwhile)
    look_closer(desk.config, desk.database, clip.id)
    with desk.database.transaction() as connection:
        changed = {change.question for change in words.changes_of_show(connection, desk.show_id)}
    assert "field_order" in changed and "shot_rate" not in changed


def test_looking_can_be_stopped_and_is_left_to_the_next_worker(desk: Desk) -> None:
    (clip,) = desk.bring_in(BELL)
    stopping = Event()
    stopping.set()
    with pytest.raises(StoppedError):
        look_closer(desk.config, desk.database, clip.id, stopping)
    with desk.database.transaction() as connection:
        assert looks.unlooked(connection) == [clip.id]
        connection.execute("UPDATE picture SET stop_requested = true")
    look_closer(desk.config, desk.database, clip.id)
    with desk.database.transaction() as connection:
        assert looks.looks_at(connection, [clip.id])[clip.id].state == "stopped"


def test_a_clip_that_was_not_probed_yet_is_looked_at_later(desk: Desk) -> None:
    (clip,) = desk.bring_in(GULLS, look=False)
    with pytest.raises(LaterError):
        look_closer(desk.config, desk.database, clip.id)
    look_closer(desk.config, desk.database, 10_000)


def test_pulldown_and_repeats_do_not_slow_real_time_down(desk: Desk) -> None:
    wedding, evensong = desk.bring_in(
        "The Tide Bell/Attic reels/AT_S8_wedding.mov", "The Tide Bell/Visiting choir/CH_evensong_2997.mov"
    )
    for clip in (wedding, evensong):
        look_closer(desk.config, desk.database, clip.id)
    for clip in desk.clips():
        assert clip.shot_rate is not None and clip.shot_rate.spoken in ("17.982", "23.976")
        assert clip.motion_rate == Rate.parse("29.97"), "their repeated frames are still in the file"


def probe_of(desk: Desk, clip: Clip) -> Facts:
    return probe(desk.config.footage(clip.root, clip.path))


def test_a_target_without_room_or_right_is_said_at_once(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    (clip,) = desk.bring_in(GULLS)
    asked = desk.ask(clip, "full", ARCHIVE)
    ever = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (400_000, ever[1]))
    try:
        make(desk.config, desk.database, asked)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, ever)
    full = desk.render(asked)
    assert (full.state, full.attempts) == ("failed", 1)
    assert full.fault is not None and "there is no room left for it" in full.fault
    assert list(desk.config.made.iterdir()) == []

    closed = desk.ask(clip, "closed/there", VIEW)
    (desk.config.made / "closed").symlink_to("/proc/self")
    monkeypatch.setattr(type(desk.config), "product", lambda self, path: self.made / path)
    make(desk.config, desk.database, closed)
    refused = desk.render(closed)
    assert refused.state == "failed" and refused.fault is not None and "could not be written" in refused.fault
