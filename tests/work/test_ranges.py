"""Orders of timelines: what is stored makes the same frames again, whatever was decided or renamed since."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given, settings

from oddmeter.config import Config
from oddmeter.core.conform.material import Material
from oddmeter.core.cutting.events import EventList
from oddmeter.core.cutting.ranges import range_of_event, range_of_timeline
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.media.settings.shipped import ARCHIVE
from oddmeter.work.ranges import OrderedPart, RangeOrder, order_of_range, timeline_plan
from tests.core.test_cutting import Shelf, clip_event
from tests.core.test_finding import known
from tests.core.test_ranges import SETTINGS, books, pictures

NAMES = {0: SETTINGS, 7: TimelineSettings("Inside", Rate.of(24))}


@settings(max_examples=30, deadline=None)
@given(books())
def test_what_is_stored_shows_the_same_frames(book: Shelf) -> None:
    for scan in (TimelineScan.PROGRESSIVE, TimelineScan.UPPER):
        asked = replace(SETTINGS, scan=scan, drop_frame=False, pixel_aspect=Fraction(16, 15))
        render_range = range_of_timeline(book, 0, asked, book.cuts[0])
        order = order_of_range(render_range, NAMES, "The film")
        again = RangeOrder.model_validate_json(order.model_dump_json()).render_range({})
        assert again.settings == asked and (again.first, again.stop) == (render_range.first, render_range.stop)
        for number in range(render_range.length):
            assert pictures(again, number) == pictures(render_range, number)


@settings(max_examples=20, deadline=None)
@given(books())
def test_a_file_stays_what_it_is_called_anew_and_not_when_anything_in_it_changes(book: Shelf) -> None:
    render_range = range_of_timeline(book, 0, SETTINGS, book.cuts[0])
    order = order_of_range(render_range, NAMES, "The film")
    assert order.is_same_as(order_of_range(render_range, NAMES, "The film, again"))
    first = book.cuts[0].in_time[0]
    moved = book.cuts[0].with_events([replace(first, source_in=SourceFrame(first.source_in + 1))])
    assert not order.is_same_as(order_of_range(range_of_timeline(book, 0, SETTINGS, moved), NAMES, "The film"))
    alone = range_of_event(book, 0, SETTINGS, first)
    part = order_of_range(alone, NAMES, "One", OrderedPart(id=first.id))
    assert not order.is_same_as(part) and len(part.plans) <= 1 + len(order.plans)


def test_a_plan_asks_for_every_clip_and_says_which_is_missing(config: Config, tmp_path: Path) -> None:
    book = Shelf({0: EventList(Rate.of(25), (clip_event(1, 0, 10),))}, {1: Material(400, Rate.of(50))})
    order = order_of_range(range_of_timeline(book, 0, SETTINGS, book.cuts[0]), NAMES, "The film")
    with pytest.raises(RuleError, match="A clip has not been analysed"):
        timeline_plan(order, [], config, ARCHIVE, "film.mkv")
    clip = replace(known(1, "bell.mov", "50").clip, measured=None)
    with pytest.raises(RuleError, match=r"bell\.mov has not been analysed"):
        timeline_plan(order, [clip], config, ARCHIVE, "film.mkv")
    looked_at = replace(clip, measured=Facts(400, Rate.of(50), width=64, height=48), root="Footage", path="a/bell.mov")
    plan = timeline_plan(order, [looked_at], config, ARCHIVE, "out/film.mkv")
    assert [one.path for one in plan.sources] == [config.footage("Footage", "a/bell.mov")]
    assert (plan.out, plan.length, str(plan.start)) == (config.product("out/film.mkv"), 10, "01:00:00:00")
