"""Shows, clips and renders as they go in and come out."""

from dataclasses import replace
from fractions import Fraction

import pytest

from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.music import Music
from oddmeter.core.decisions.parts import Base, Held, IntentSetting, Reading
from oddmeter.core.decisions.treatment import Between, Effort, Fields, Intent, SoundChoice, SoundStreams
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts, Sound, Timing
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, Scan, TimelineScan
from oddmeter.core.planning.clips import Clip, Decided, Use
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.store import clips, decisions, facts, renders, shows, words
from oddmeter.store.changes import ConflictError, MissingError, change
from oddmeter.store.database import Database
from oddmeter.store.renders import Asked

ODD_FACTS = Facts(
    frames=1001,
    file_rate=Rate.parse("119.88"),
    timing=Timing.VARIABLE,
    measured_rate=Fraction(10**15 + 7, 10**13),
    width=720,
    height=576,
    pixel_aspect=Fraction(16, 15),
    scan=Scan.INTERLACED,
    field_order=FieldOrder.LOWER,
    timecode="01:00:00;02",
    sounds=(Sound(48_000, 6, Fraction(0)), Sound(48_000, 2, Fraction(5, 2), 1, "guide")),
    codec="h264",
    remarks=("One.", "Two, with “quotes” and ünïcode."),
)


def one_clip(database: Database, show_id: int) -> int:
    with change(database, show_id, "in", "Ada") as connection:
        delivery = clips.add_delivery(connection, show_id, "Card", "Footage", "", ["deep/folder/a clip.mov"])
        clips.bring_in(connection, delivery)
    with database.transaction() as connection:
        return clips.clips_of_show(connection, show_id)[0].id


@pytest.mark.parametrize(
    "found", [ODD_FACTS, Facts(fault="The file is empty."), Facts(frames=1, file_rate=Rate.of(25))]
)
def test_facts_come_back_exactly(database: Database, show_id: int, found: Facts) -> None:
    clip_id = one_clip(database, show_id)
    with database.transaction() as connection:
        assert clips.clips_by_id(connection, [clip_id])[0].facts is None
        assert clips.unprobed(connection) == [clip_id]
        facts.keep_facts(connection, clip_id, found)
        assert clips.clips_by_id(connection, [clip_id])[0].facts == found
        assert clips.unprobed(connection) == []
        (delivery,) = clips.deliveries(connection, show_id)
    assert (delivery.clips, delivery.probed, delivery.troubled) == (1, 1, int(found.trouble is not None))


def test_decisions_come_back_exactly(database: Database, show_id: int) -> None:
    clip_id = one_clip(database, show_id)

    def clip() -> Clip:
        with database.transaction() as connection:
            return clips.clips_by_id(connection, [clip_id])[0]

    fresh = clip()
    assert (fresh.name, fresh.path) == ("a clip.mov", "deep/folder/a clip.mov")
    assert fresh.decided == Decided()
    wanted = Decisions(
        IntentSetting(Intent.PACE, Fraction(1, 3)), Reading(Base.SHOT, Fraction(1000, 1001)), Fields.SPLIT,
        Between.FLOW, Fraction(3, 8), Effort.CAREFUL, 24, Fraction(2, 3), Held(rate=Rate.parse("11.988")),
        SoundChoice.PITCH, SoundStreams((1, 3)), Music("Footage", "Music/tide bell.wav", -12), True,
    )  # fmt: skip
    with database.transaction() as connection:
        timeline = shows.show(connection, show_id).timelines[0].id
    with change(database, show_id, "decide", "Ada") as connection:
        decisions.decide_clips(connection, {clip_id: wanted})
        decisions.decide_uses(connection, [(clip_id, (), [Use(timeline, Decisions.parse({"trust": "1/3"}))])])
        decisions.tag_clips(connection, show_id, [clip_id], "Bell, close")
        decisions.write_note(connection, [clip_id], "Ask the foundry")
        words.say(connection, [clip_id], Word(Question.SHOT_RATE, "150/1", "Ada"))
    decided = clip()
    assert decided.decided.decisions == wanted and decided.decided.use_on(timeline) == replace(
        decided.decided.uses[0], timeline_id=timeline, decisions=Decisions(trust=Fraction(1, 3))
    )
    assert (decided.shot_rate, decided.decided.tags, decided.decided.note) == (
        Rate.of(150),
        frozenset({"Bell, close"}),
        "Ask the foundry",
    )
    assert decided.revision > fresh.revision
    with pytest.raises(MissingError), database.transaction() as connection:
        clips.clips_by_id(connection, [clip_id, 999])


def test_a_clip_of_a_delivery_taken_out_is_not_there(database: Database, show_id: int) -> None:
    clip_id = one_clip(database, show_id)
    with database.transaction() as connection:
        delivery = clips.deliveries(connection, show_id)[0].id
        revision = clips.clips_by_id(connection, [clip_id])[0].revision
    with change(database, show_id, "out", "Ada") as connection:
        clips.take_out(connection, delivery)
    with database.transaction() as connection:
        assert clips.clips_of_show(connection, show_id) == []
        assert clips.clips_by_id(connection, [clip_id], even_removed=True)[0].id == clip_id
        for use in (lambda: clips.clips_by_id(connection, [clip_id]), lambda: clips.take_out(connection, delivery)):
            with pytest.raises(MissingError):
                use()
        with pytest.raises(MissingError):
            clips.expect_revisions(connection, show_id, {clip_id: revision})


def test_timelines_come_back_exactly_and_tell_of_others(database: Database, show_id: int) -> None:
    wanted = TimelineSettings(
        "Broadcast",
        Rate.parse("29.97"),
        720,
        480,
        Fraction(8, 9),
        TimelineScan.LOWER,
        drop_frame=True,
        sound_rate=44_100,
    )
    with change(database, show_id, "add", "Ada") as connection:
        added = shows.add_timeline(connection, show_id, wanted)
    with database.transaction() as connection:
        timeline = shows.show(connection, show_id).timelines[-1]
    assert timeline.settings == wanted and timeline.revision == 1
    with change(database, show_id, "set", "Ada") as connection:
        shows.set_timeline(connection, added, TimelineSettings("Broadcast", Rate.of(25)), 1)
    with (
        pytest.raises(ConflictError, match="Ada changed this timeline first"),
        change(database, show_id, "set", "Ben") as connection,
    ):
        shows.set_timeline(connection, added, wanted, 1)
    with pytest.raises(MissingError), change(database, 404, "x", "Ada"):
        pass


def test_a_render_goes_through_its_states(database: Database, show_id: int) -> None:
    clip_id = one_clip(database, show_id)
    with database.transaction() as connection:
        file = Asked(show_id, clip_id, "view", None, "a.mp4", {"timeline_name": "Main"}, 100)
        asked = renders.ask(connection, [file])["a.mp4"]
        assert renders.taken(connection, ["a.mp4", "b.mp4"]) == {"a.mp4"}
        assert renders.waiting(connection) == [asked]
        renders.begin(connection, asked)
        assert renders.note_progress(connection, asked, 40) is False
        renders.cancel(connection, asked)
        assert renders.render(connection, asked).state == "rendering", "it stops where it notices"
        assert renders.note_progress(connection, asked, 41) is True
        renders.finish(connection, asked, "cancelled", None, None)
        renders.cancel(connection, asked)
        stopped = renders.render(connection, asked)
        assert stopped.state == "cancelled" and stopped.finished_at is not None
        assert renders.taken(connection, ["a.mp4"]) == set()
        again = renders.ask(connection, [file])["a.mp4"]
    with pytest.raises(RuleError, match="This file has been queued again since"), database.transaction() as connection:
        renders.retry(connection, asked)
    with database.transaction() as connection:
        renders.cancel(connection, again)
        assert renders.render(connection, again).state == "cancelled", "it had not begun"
        renders.retry(connection, again)
        fresh = renders.render(connection, again)
        assert (fresh.state, fresh.cancel_requested, fresh.done_frames) == ("waiting", False, 0)
        assert [render.id for render in renders.renders_of_show(connection, show_id)] == [again, asked]
        with pytest.raises(MissingError):
            renders.render(connection, 404)
