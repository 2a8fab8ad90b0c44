"""What is decided at every level, as the store keeps it: recipes, uses, tags, notes, and the stamps of what changed."""

from collections.abc import Callable
from dataclasses import replace
from typing import TypeVar

import psycopg
import pytest

from oddmeter.core.conform.rounding import Precision
from oddmeter.core.decisions.levels import Decisions, Level
from oddmeter.core.decisions.recipes import Rule
from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import Clip, Use
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.store import clips, decisions, facts, shows, words
from oddmeter.store.changes import ConflictError, MissingError, change
from oddmeter.store.database import Connection, Database

T = TypeVar("T")
PACE = Decisions.parse({"intent": "pace 1/2", "sound": "off"})
TWOS = Decisions.parse({"held": "2 frames"})


@pytest.fixture
def ids(database: Database, show_id: int) -> list[int]:
    """Three clips of one delivery, and a proxy of the first."""
    with change(database, show_id, "brought in", "Ada") as connection:
        paths = ["a.mov", "b.mov", "c.mov", "Proxy/a.mov"]
        clips.bring_in(connection, clips.add_delivery(connection, show_id, "Card", "Footage", "card", paths))
    with database.transaction() as connection:
        return [clip.id for clip in clips.clips_of_show(connection, show_id)]


def read(database: Database, ask: Callable[[Connection], T]) -> T:
    with database.transaction() as connection:
        return ask(connection)


def test_deliveries_come_in_the_order_in_which_they_were_brought_in(database: Database, show_id: int) -> None:
    """Also where the database puts one into the room that another left."""
    for name in ("Gone", "First"):
        with change(database, show_id, "brought in", "Ada") as connection:
            clips.bring_in(connection, clips.add_delivery(connection, show_id, name, "Footage", name, []))
    with psycopg.connect(database.url, autocommit=True) as connection:
        connection.execute("DELETE FROM delivery WHERE name = 'Gone'")
        connection.execute("VACUUM delivery")
    with change(database, show_id, "brought in", "Ada") as connection:
        clips.bring_in(connection, clips.add_delivery(connection, show_id, "Second", "Footage", "second", []))
    house = read(database, lambda c: decisions.house(c, show_id))
    assert [layer.name for layer in house.deliveries.values()] == ["First", "Second"]


def test_every_level_is_read_back_as_it_was_written(database: Database, show_id: int, ids: list[int]) -> None:
    rule = Rule.parse({"shot_rate": {"least": "119.88"}, "tag": "Bell"})
    with change(database, show_id, "decide", "Ada") as connection:
        delivery = clips.deliveries(connection, show_id)[0].id
        decisions.decide_show(connection, show_id, PACE)
        decisions.decide_delivery(connection, show_id, delivery, TWOS)
        recipe = decisions.add_recipe(connection, show_id, "Bells", PACE.over(TWOS), rule)
        decisions.put_recipes(connection, {ids[0]: recipe})
        decisions.set_receiving(connection, show_id, Precision.RATE_THREE)
    house = read(database, lambda c: decisions.house(c, show_id))
    assert house.default.decisions == PACE and house.default.level is Level.SHOW
    assert house.deliveries[delivery].decisions == TWOS and house.deliveries[delivery].name == "Card"
    assert [(r.name, r.decisions, r.rule) for r in house.recipes] == [("Bells", PACE.over(TWOS), rule)]
    layer = house.recipe(recipe)
    assert layer is not None and (layer.level, layer.name) == (Level.RECIPE, "Bells")
    assert house.recipe(None) is None and house.recipe(recipe + 1) is None
    assert house.receiving is Precision.RATE_THREE
    assert read(database, lambda c: clips.clips_by_id(c, ids))[0].decided.recipe_id == recipe


def test_recipes_keep_their_order_and_a_changed_one_is_not_written_over(
    database: Database, show_id: int, ids: list[int]
) -> None:
    with change(database, show_id, "recipes", "Ada") as connection:
        made = [decisions.add_recipe(connection, show_id, name, Decisions(), None) for name in "ABC"]
    with change(database, show_id, "order", "Ada") as connection:
        decisions.order_recipes(connection, show_id, [made[2], made[0]])
    house = read(database, lambda c: decisions.house(c, show_id))
    assert [recipe.name for recipe in house.recipes] == ["C", "A", "B"], "those not named follow"
    seen = house.revisions[made[0]]
    with change(database, show_id, "set", "Ben") as connection:
        decisions.set_recipe(connection, show_id, made[0], "A", TWOS, Rule(), seen)
    with pytest.raises(ConflictError, match="Ben changed this recipe first"), database.transaction() as connection:
        decisions.set_recipe(connection, show_id, made[0], "A", PACE, None, seen)
    with pytest.raises(psycopg.errors.UniqueViolation), database.transaction() as connection:
        decisions.add_recipe(connection, show_id, "A", PACE, None)
    with change(database, show_id, "put on and take away", "Ada") as connection:
        decisions.put_recipes(connection, dict.fromkeys(ids, made[1]))
        decisions.remove_recipe(connection, show_id, made[1])
    assert all(clip.decided.recipe_id is None for clip in read(database, lambda c: clips.clips_by_id(c, ids)))
    with pytest.raises(MissingError), database.transaction() as connection:
        decisions.remove_recipe(connection, show_id, made[1])


def used(connection: Connection, timeline: int, decided: dict[int, Decisions]) -> list[tuple[Clip, Clip]]:
    """Clips as they stand, and with other decisions for their uses on a timeline."""
    found = clips.clips_by_id(connection, decided)
    return [(clip, replace(clip, decided=clip.decided.with_use(timeline, decided[clip.id]))) for clip in found]


def test_a_use_without_decisions_is_no_use(database: Database, show_id: int, ids: list[int]) -> None:
    timeline = read(database, lambda c: shows.show(c, show_id)).timelines[0].id
    with change(database, show_id, "uses", "Ada") as connection:
        decisions.write(connection, show_id, used(connection, timeline, {ids[0]: PACE, ids[1]: TWOS}))
    first = read(database, lambda c: clips.clips_by_id(c, ids))[1].decided.use_on(timeline)
    with change(database, show_id, "uses again", "Ada") as connection:
        again = {ids[0]: Decisions(), ids[1]: PACE, ids[2]: Decisions()}
        decisions.write(connection, show_id, used(connection, timeline, again))
    uses = [clip.decided.uses for clip in read(database, lambda c: clips.clips_by_id(c, ids))]
    assert first is not None and uses == [(), (Use(timeline, PACE, first.id),), ()], "it keeps its identity"
    assert read(database, lambda c: c.execute("SELECT count(*) FROM clip_use").fetchone()) == (1,)


def test_a_tag_lasts_as_long_as_a_clip_carries_it(database: Database, show_id: int, ids: list[int]) -> None:
    with change(database, show_id, "tag", "Ada") as connection:
        decisions.tag_clips(connection, show_id, ids, "Bell")
        decisions.tag_clips(connection, show_id, ids[:1], "Bell")
        decisions.tag_clips(connection, show_id, ids[:1], "Close")
    assert sorted(read(database, lambda c: decisions.house(c, show_id)).tags.values()) == ["Bell", "Close"]
    with change(database, show_id, "untag", "Ada") as connection:
        decisions.untag_clips(connection, show_id, ids[:2], "Bell")
        decisions.untag_clips(connection, show_id, ids, "Close")
    assert list(read(database, lambda c: decisions.house(c, show_id)).tags.values()) == ["Bell"]
    tags = [clip.decided.tags for clip in read(database, lambda c: clips.clips_by_id(c, ids))]
    assert tags == [frozenset(), frozenset(), frozenset({"Bell"})]


def test_what_is_not_there_is_said_to_be_missing(database: Database, show_id: int) -> None:
    for wrong in (
        lambda c: decisions.house(c, 999),
        lambda c: decisions.decide_delivery(c, show_id, 999, PACE),
    ):
        with pytest.raises(MissingError), database.transaction() as connection:
            wrong(connection)
    with pytest.raises(RuleError):
        Decisions.parse({"intent": "faster"})


def test_stamps_change_with_what_they_stand_for_and_with_nothing_else(
    database: Database, show_id: int, ids: list[int]
) -> None:
    first = ids[0]
    timeline = read(database, lambda c: shows.show(c, show_id)).timelines[0].id

    def changed(work: Callable[[Connection], object]) -> tuple[set[int], set[int]]:
        """The clips of which what is known, and what is decided, has other stamps after the work."""
        before = read(database, lambda c: clips.stamps(c, show_id))
        with change(database, show_id, "something", "Ada") as connection:
            work(connection)
        after = read(database, lambda c: clips.stamps(c, show_id))
        return (
            {clip for clip in after.known if after.known[clip] != before.known[clip]},
            {clip for clip in after.decided if after.decided[clip] != before.decided[clip]},
        )

    at_first = read(database, lambda c: clips.stamps(c, show_id))
    assert set(at_first.known) - set(at_first.proxies) == set(ids) and set(at_first.proxies.values()) <= set(ids)
    assert changed(lambda c: None) == (set(), set())
    assert changed(lambda c: decisions.decide_clips(c, {first: PACE})) == (set(), {first})
    assert changed(lambda c: decisions.write_note(c, [first], "Ask")) == (set(), {first})
    assert changed(lambda c: decisions.tag_clips(c, show_id, [first], "Bell")) == (set(), {first})
    assert changed(lambda c: decisions.write(c, show_id, used(c, timeline, {first: TWOS}))) == (set(), {first})
    assert changed(lambda c: decisions.decide_show(c, show_id, PACE)) == (set(), set())
    word = Word(Question.SHOT_RATE, "150/1", "Ada")
    assert changed(lambda c: words.say(c, [first], word)) == ({first}, {first})
    assert changed(lambda c: words.withdraw(c, [first], Question.SHOT_RATE)) == ({first}, {first})
    found = Facts(frames=10, file_rate=Rate.of(25))
    assert changed(lambda c: facts.keep_facts(c, first, found)) == ({first}, set())


def test_what_is_decided_can_be_read_by_itself(database: Database, show_id: int, ids: list[int]) -> None:
    with change(database, show_id, "decide", "Ada") as connection:
        second = shows.add_timeline(connection, show_id, TimelineSettings("Second", Rate.of(24)))
        decisions.decide_clips(connection, {ids[0]: PACE, ids[1]: TWOS})
        decisions.write(connection, show_id, used(connection, second, {ids[1]: PACE}))
        decisions.tag_clips(connection, show_id, ids[1:], "Bell")
        decisions.write_note(connection, ids[2:], "Ask")
    whole = {clip.id: (clip.decided, clip.revision) for clip in read(database, lambda c: clips.clips_by_id(c, ids))}
    assert read(database, lambda c: clips.decided(c, ids)) == whole
    assert read(database, lambda c: clips.decided(c, [])) == {}
