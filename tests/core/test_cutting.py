"""Cuts: what an event shows, how edits leave what they should not touch, nests, and other rates."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import ceil, floor

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.cutting.edits import (
    Edge,
    Following,
    closed,
    deleted,
    effect,
    filled,
    in_order,
    moved,
    placed,
    refit,
    respeeded,
    slid,
    slipped,
    split,
    trimmed,
    unlinked,
)
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import Marker, SourceKind, Transition
from oddmeter.core.cutting.rerating import cut_point, rerated
from oddmeter.core.cutting.shown import TimelineResolver, contains, lost_by_flattening, shown_at
from oddmeter.core.cutting.windows import Window, window
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.music import Music
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Between, Fields, Intent, Treatment
from oddmeter.core.maps.frame_map import Weights
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import SourceFrame
from oddmeter.core.numbers.rates import Rate

FILM = Rate.of(25)
SOUND = Track(TrackKind.SOUND, 1)


@dataclass
class Shelf(TimelineResolver):
    """Timelines and clips by their numbers; an event's own wish is all that is decided."""

    cuts: dict[int, EventList]
    materials: dict[int, Material] = field(default_factory=dict)
    treat: Callable[[Treatment], Treatment] = lambda treatment: treatment
    kept: dict[tuple[int, Event], Window | None] = field(default_factory=dict, init=False)

    def event_list(self, timeline_id: int) -> EventList:
        return self.cuts[timeline_id]

    def window(self, timeline_id: int, event: Event) -> Window | None:
        if (timeline_id, event) not in self.kept:
            self.kept[timeline_id, event] = self.worked_out(timeline_id, event)
        return self.kept[timeline_id, event]

    def worked_out(self, timeline_id: int, event: Event) -> Window | None:
        wish = event.decisions.intent or IntentSetting(Intent.SPEED, Fraction(1))
        reverse = bool(event.decisions.reverse)
        treatment = self.treat(Treatment(wish.intent, wish.value, curve=wish.curve, reverse=reverse))
        if event.timeline_id is not None:
            inner = self.cuts[event.timeline_id]
            return window(event, Material(inner.length, inner.rate), treatment, self.cuts[timeline_id].rate)
        assert event.clip_id is not None
        return window(event, self.materials[event.clip_id], treatment, self.cuts[timeline_id].rate)

    def windows(self, timeline_id: int = 0) -> Callable[[Event], Window | None]:
        return lambda event: self.window(timeline_id, event) if event.carries_source else None


def clip_event(number: int, at: int, length: int, source_in: Fraction | int = 0, **more: object) -> Event:
    values: dict[str, object] = {"track": FIRST_PICTURE, "clip_id": 1, "name": f"e{number}"} | more
    return Event(number, kind=SourceKind.CLIP, record_in=at, length=length, source_in=Fraction(source_in), **values)  # type: ignore[arg-type]


def speed(value: Fraction | str | int, *, reverse: bool = False) -> Decisions:
    return Decisions(intent=IntentSetting(Intent.SPEED, Fraction(value)), reverse=reverse or None)


def bent() -> Decisions:
    points = [
        {"frame": 100, "arrives": "1"}, {"frame": 200, "arrives": "1/4", "leaves": "1/4", "holds": 6},
        {"frame": 260, "arrives": "0"}, {"frame": 230, "arrives": "-1/2"}, {"frame": 200, "arrives": "0"},
        {"frame": 320, "arrives": "2"},
    ]  # fmt: skip
    return Decisions(intent=IntentSetting(Intent.CURVE, curve=Curve.parse({"points": points})))


def shelf(*events: Event, rate: Rate = FILM, material: Material | None = None) -> Shelf:
    return Shelf({0: EventList(rate, events)}, {1: material or Material(400, Rate.of(50))})


def seen(
    book: TimelineResolver, timeline: int = 0, first: int = 0, stop: int | None = None
) -> list[tuple[object, ...]]:
    """What each timeline frame shows, whatever its events are called."""
    stop = book.event_list(timeline).length if stop is None else stop
    return [tuple(part.picture for part in shown_at(book, timeline, frame)) for frame in range(first, stop)]


strides = st.sampled_from(["1", "1/2", "8/15", "2", "24/25", "7/3"])
decided = st.one_of(st.builds(speed, strides, reverse=st.booleans()), st.just(bent()))
materials = st.sampled_from(
    [Material(400, Rate.of(50)), Material(400, Rate.parse("59.94")), Material(400, Rate.of(24)),
     Material(400, Rate.of(50), clock=Clock.of([0, *(10 * i + (i % 3) for i in range(1, 401))], Fraction(1, 500)))]
)  # fmt: skip


all_fields = st.sampled_from([Fields.WHOLE, Fields.DEINTERLACE, Fields.SPLIT])
betweens = st.sampled_from([Between.PICK, Between.MIX, Between.GATHER])


@given(decided, materials, st.integers(0, 399), st.integers(2, 300), st.data())
@settings(max_examples=60, deadline=None)
def test_after_a_split_the_next_frame_is_the_one_that_would_have_come(
    decisions: Decisions, material: Material, source_in: int, length: int, data: st.DataObject
) -> None:
    source_in = min(source_in, 90) if decisions.intent and decisions.intent.curve else source_in
    book = shelf(clip_event(1, 0, length, source_in, decisions=decisions), material=material)
    before = seen(book)
    after = data.draw(st.integers(1, length - 1))
    event_list = split(book.event_list(0), 1, after, book.windows())
    assert [event.length for event in event_list.by_track[FIRST_PICTURE]] == [after, length - after]
    assert seen(Shelf({0: event_list}, book.materials)) == before


@given(decided, materials, st.integers(0, 90), st.integers(20, 200), st.integers(-15, 15))
@settings(max_examples=40, deadline=None)
def test_a_trim_keeps_the_other_edge_and_what_lies_between(
    decisions: Decisions, material: Material, source_in: int, length: int, by: int
) -> None:
    book = shelf(clip_event(1, 20, length, source_in, decisions=decisions), material=material)
    curved = decisions.intent is not None and decisions.intent.curve is not None
    windows = book.windows()
    before = seen(book, first=20)
    for edge in Edge:
        event_list = trimmed(book.event_list(0), 1, edge, by, windows)
        (event,) = event_list.events
        now = seen(Shelf({0: event_list}, book.materials), first=event.record_in)
        shift = by if edge is Edge.HEAD else 0
        assert (event.record_in, event.length) == (20 + shift, length + (by if edge is Edge.TAIL else -by))
        same = range(max(0, shift), min(len(before), shift + len(now)))
        if not (curved and by < 0):
            assert [now[j - shift] for j in same] == [before[j] for j in same]
        back = trimmed(event_list, 1, edge, -by, windows)
        assert seen(Shelf({0: back}, book.materials), first=20) == before


@given(decided, st.integers(20, 90), st.integers(20, 120), st.fractions(-10, 10, max_denominator=8))
@settings(max_examples=60, deadline=None)
def test_slipping_back_and_forth_changes_nothing(
    decisions: Decisions, source_in: int, length: int, by: Fraction
) -> None:
    book = shelf(clip_event(1, 0, length, source_in, decisions=decisions))
    there = slipped(book.event_list(0), [1], by, book.windows())
    assert there.event(1).length == length
    straight = decisions.intent is not None and decisions.intent.curve is None
    if straight:
        book_there = Shelf({0: there}, book.materials)
        one, other = book.window(0, book.event_list(0).event(1)), book_there.window(0, there.event(1))
        assert one is not None and other is not None and other.source_in in (one.source_in + by, 0, 400)
        assert seen(Shelf({0: slipped(there, [1], -by, book.windows())}, book.materials)) == seen(book)


@given(
    materials,
    strides,
    st.integers(0, 300),
    st.integers(1, 300),
    st.sampled_from(list(Fields)[:3]),
    st.sampled_from([Between.PICK, Between.MIX]),
)
@settings(max_examples=50, deadline=None)
def test_an_event_of_a_whole_clip_is_what_the_clip_is(
    material: Material, stride: str, first: int, length: int, fields: Fields, between: Between
) -> None:
    treatment = Treatment(Intent.SPEED, Fraction(stride), fields=fields, between=between)
    whole = conform(material, treatment, FILM)
    assume(whole.frame_map.length > 1)
    event = clip_event(1, 0, whole.frame_map.length)
    found = window(event, material, treatment, FILM)
    for frame in (0, 1, whole.frame_map.length // 2, whole.frame_map.length - 1):
        assert found.frame_map.shown(frame, between=between).moments == whole.shown(frame).moments
    assert found.overrun == 0
    # What lies behind the last frame is passed over by a whole clip, and left by an event.
    assert replace(found.frame_map.tally(between=between), dropped=0) == replace(whole.tally(), dropped=0)


def test_beyond_its_source_an_event_holds_the_last_good_frame_and_says_so() -> None:
    book = shelf(
        clip_event(1, 0, 110, 300, decisions=speed(1)), clip_event(2, 110, 60, 10, decisions=speed(1, reverse=True))
    )
    one, other = (book.window(0, event) for event in book.event_list(0).events)
    assert one is not None and other is not None
    assert (one.overrun, one.handles) == (60, (300, 0)), "a hundred frames at 50 last for fifty"
    assert (other.overrun, other.handles) == (55, (0, 390)), "backwards it runs out at the first frame"
    pictures = [shown_at(book, 0, frame)[0].weights.first for frame in range(170)]
    assert pictures[48:110] == [396, 398, *[399] * 60]
    assert pictures[110:] == [9, 7, 5, 3, 1, *[0] * 55]
    early = window(clip_event(1, 0, 10, -4), Material(400, Rate.of(50)), Treatment(Intent.SPEED, Fraction(1)), FILM)
    assert (early.underrun, early.frame_map.pick(0), early.frame_map.pick(3)) == (2, 0, 2)


def nested(level_speeds: list[str], leaf_rate: int = 240, rate: Rate = FILM) -> Shelf:
    """A clip inside timelines, each at a speed of its own."""
    clip = clip_event(1, 0, 100, 0, decisions=speed(1))
    cuts = {len(level_speeds): EventList(rate, (clip,))}
    for level in reversed(range(len(level_speeds))):
        inner = cuts[level + 1]
        length = max(1, -(-inner.length // Fraction(level_speeds[level])))
        nest = Event(
            1,
            FIRST_PICTURE,
            SourceKind.TIMELINE,
            0,
            length,
            timeline_id=level + 1,
            decisions=speed(level_speeds[level]),
        )
        cuts[level] = EventList(rate, (nest,))
    return Shelf(cuts, {1: Material(960, Rate.of(leaf_rate))})


@given(st.lists(strides, min_size=1, max_size=4), st.sampled_from([24, 48, 240]))
@settings(max_examples=40, deadline=None)
def test_maps_through_nests_are_the_composition_by_hand(speeds: list[str], leaf_rate: int) -> None:
    book = nested(speeds, leaf_rate)
    product = Fraction(1)
    for one in speeds:
        product *= Fraction(one)
    for frame in range(0, book.event_list(0).length, 3):
        place = Fraction(frame, 25) * product * leaf_rate
        (part,) = shown_at(book, 0, frame)
        if place < 100 * Fraction(leaf_rate, 25):
            assert (part.place, part.weights.first) == (place, min(959, place.__floor__()))
            assert len(part.chain) == len(speeds) + 1


def test_a_fast_clip_in_a_slowed_timeline_shows_all_its_frames_unless_flattened() -> None:
    film = Rate.of(24)
    inner = EventList(film, (clip_event(1, 0, 24, 0, decisions=speed(1)),))
    nest = Event(1, FIRST_PICTURE, SourceKind.TIMELINE, 0, 240, timeline_id=1, decisions=speed("1/10"))
    book = Shelf({0: EventList(film, (nest,)), 1: inner}, {1: Material(240, Rate.of(240))})
    assert [part.weights.first for frame in range(240) for part in shown_at(book, 0, frame)] == list(range(240))
    (lost,) = lost_by_flattening(book, 0, nest)
    assert (lost.shown, lost.lost) == (240, 216)
    flat = Shelf({0: EventList(film, (replace(nest, flattened=True),)), 1: inner}, book.materials)
    assert {part.weights.first for frame in range(240) for part in shown_at(flat, 0, frame)} == set(range(0, 240, 10))


def gathering(shutter: Fraction) -> Callable[[Treatment], Treatment]:
    return lambda treatment: replace(treatment, between=Between.GATHER, shutter=shutter)


@given(st.lists(strides, min_size=1, max_size=3), st.sampled_from([Fraction(1), Fraction(1, 2), Fraction(1, 5)]))
@settings(max_examples=40, deadline=None)
def test_a_shutter_is_open_over_what_the_outer_timeline_runs_through(speeds: list[str], shutter: Fraction) -> None:
    """Through nests, too: a share of a frame of the timeline that is shown, never beyond the event that is open."""
    book = replace(nested(speeds), treat=gathering(shutter))
    stride = Fraction(240, 25)
    for one in speeds:
        stride *= Fraction(one)
    for frame in range(0, book.event_list(0).length, 3):
        opens, end = stride * frame, 100 * Fraction(240, 25)
        closes = min(opens + stride * shutter, end)
        (part,) = shown_at(book, 0, frame)
        if opens >= end or (closes == end and stride >= 2):
            continue
        if stride < 2:
            assert part.weights == Weights.alone(floor(opens))
        else:
            shares = {
                i: min(Fraction(i + 1), closes) - max(Fraction(i), opens) for i in range(floor(opens), ceil(closes))
            }
            assert dict(part.weights.parts) == {i: share / (closes - opens) for i, share in shares.items()}


def test_a_shutter_sees_nothing_beyond_a_cut_and_flattened_only_a_frame_of_the_inner_timeline() -> None:
    inner = EventList(FILM, (clip_event(1, 0, 3, 0), clip_event(2, 3, 9, 600)))
    nest = Event(1, FIRST_PICTURE, SourceKind.TIMELINE, 0, 6, timeline_id=1, decisions=speed(2))
    material = {1: Material(960, Rate.of(100))}
    book = Shelf({0: EventList(FILM, (nest,)), 1: inner}, material, gathering(Fraction(1)))
    (last,) = shown_at(book, 0, 1)
    assert dict(last.weights.parts) == {8 + i: Fraction(1, 4) for i in range(4)}, "not 600 and on, nor 12"
    flat = replace(book, cuts={0: EventList(FILM, (replace(nest, flattened=True),)), 1: inner})
    (part,) = shown_at(flat, 0, 2)
    assert dict(part.weights.parts) == {604 + i: Fraction(1, 4) for i in range(4)}, "one frame of the inner timeline"


@given(st.data())
def test_a_moment_by_itself_shows_what_it_showed(data: st.DataObject) -> None:
    """A still of any moment of an event takes the same units by the same shares, as the event's picture does."""
    between, shutter = data.draw(betweens), data.draw(st.sampled_from([Fraction(1), Fraction(1, 2), Fraction(1, 7)]))
    clock = (
        Clock.of([0, 30, 90, 100, *range(130, 130 + 40 * 397, 40)], Fraction(1, 1000))
        if data.draw(st.booleans())
        else None
    )
    book = shelf(
        clip_event(1, 0, 60, data.draw(st.integers(0, 60)), decisions=data.draw(st.sampled_from([
            speed(4), speed("9/4"), speed("1/3"), speed(6, reverse=True), bent(),
        ]))),
        material=Material(400, Rate.of(25), clock=clock),
    )  # fmt: skip
    book.treat = lambda treatment: replace(treatment, between=between, shutter=shutter)
    found = book.window(0, book.event_list(0).events[0])
    assert found is not None
    frame = data.draw(st.integers(0, 59))
    (part,) = shown_at(book, 0, frame)
    assert found.still(part.weights).shown(0).moments == (part.weights,)
    assert found.frame_map.shown(frame, between=between).moments == (part.weights,)


def test_a_timeline_run_backwards_shows_the_same_frames_from_the_end() -> None:
    inner = EventList(
        FILM, (clip_event(1, 0, 30, 10, decisions=speed("1/2")), clip_event(2, 30, 20, 200, decisions=speed(2)))
    )
    there = Event(1, FIRST_PICTURE, SourceKind.TIMELINE, 0, 50, timeline_id=1)
    back = replace(there, source_in=SourceFrame(Fraction(50)), decisions=speed(1, reverse=True))
    pictures = [
        [part.weights.first for frame in range(50) for part in shown_at(book, 0, frame)]
        for book in (
            Shelf({0: EventList(FILM, (one,)), 1: inner}, {1: Material(400, Rate.of(25))}) for one in (there, back)
        )
    ]
    # A moment shows what its frame's time on screen is run through from the other end.
    assert pictures[1][0] == 239 and pictures[1][-1] == 10
    assert len(set(pictures[1]) - set(pictures[0])) <= 20
    assert sorted(pictures[1][20:], reverse=True) == pictures[1][20:]


def test_a_timeline_is_never_inside_itself() -> None:
    book = nested(["1", "1/2"])
    assert contains(book, 0, 2) and contains(book, 1, 1) and not contains(book, 2, 0)
    inside = Event(9, FIRST_PICTURE, SourceKind.TIMELINE, 200, 10, timeline_id=0)
    endless = Shelf({**book.cuts, 2: book.event_list(2).with_events([inside])}, book.materials)
    with pytest.raises(RuleError, match="nested more than 64 levels deep"):
        shown_at(Shelf({0: EventList(FILM, (replace(inside, record_in=0, timeline_id=0),))}), 0, 0)
    assert contains(endless, 2, 0)


def test_a_dissolve_mixes_what_goes_on_underneath() -> None:
    one, other = clip_event(1, 0, 50, 0), clip_event(2, 50, 50, 200, transition=Transition("dissolve", 4))
    book = shelf(one, other)
    shares = [[(part.weights.first, part.share) for part in shown_at(book, 0, frame)] for frame in range(49, 55)]
    assert shares == [
        [(98, 1)], [(100, Fraction(7, 8)), (200, Fraction(1, 8))], [(102, Fraction(5, 8)), (202, Fraction(3, 8))],
        [(104, Fraction(3, 8)), (204, Fraction(5, 8))], [(106, Fraction(1, 8)), (206, Fraction(7, 8))], [(208, 1)],
    ]  # fmt: skip


def three(*lengths: int) -> EventList:
    laid = in_order([clip_event(n, 0, length, 10 * n) for n, length in enumerate(lengths, 1)])
    return EventList(FILM, laid)


def test_what_follows_moves_along_on_every_track_or_keeps_its_place() -> None:
    event_list = three(50, 40, 30).with_events([clip_event(9, 95, 20, track=SOUND)])
    windows = Shelf({0: event_list}, {1: Material(400, Rate.of(50))}).windows()
    for following, begins in ((Following.MOVES, [0, 50, 100, 105]), (Following.STAYS, [0, 50, 90, 95])):
        if following is Following.STAYS:
            with pytest.raises(RuleError, match="On V1, “e3” would overlap “e2” by 10 frames"):
                trimmed(event_list, 2, Edge.TAIL, 10, windows, following)
            longer = trimmed(event_list, 2, Edge.TAIL, -10, windows, following)
        else:
            longer = trimmed(event_list, 2, Edge.TAIL, 10, windows, following)
        assert [longer.event(n).record_in for n in (1, 2, 3, 9)] == begins
    gone = deleted(event_list, [2], Following.MOVES)
    assert [(event.id, event.record_in) for event in gone.events] == [(1, 0), (3, 50), (9, 55)]
    assert [(event.id, event.record_in) for event in deleted(event_list, [2]).events] == [(1, 0), (3, 90), (9, 95)]
    told = effect(event_list, gone, windows)
    assert [(track.name, by, count) for track, by, count in told.moves] == [("V1", -40, 1), ("A1", -40, 1)]
    assert (told.added, told.gone) == (0, 1)
    head = trimmed(event_list, 2, Edge.HEAD, 5, windows, Following.MOVES)
    assert [head.event(n).record_in for n in (1, 2, 3, 9)] == [0, 50, 85, 90] and head.event(2).source_in == 30
    across = event_list.with_events([clip_event(8, 40, 30, track=Track(TrackKind.SOUND, 2))])
    with pytest.raises(RuleError, match="A2 spans this point"):
        placed(across, [clip_event(5, 0, 10)], 50, Following.MOVES)


def test_a_slide_takes_from_one_neighbour_what_it_gives_the_other() -> None:
    event_list = three(50, 40, 30)
    book = Shelf({0: event_list}, {1: Material(400, Rate.of(50))})
    after = slid(event_list, 2, 7, book.windows())
    assert [(event.record_in, event.length) for event in after.by_track[FIRST_PICTURE]] == [(0, 57), (57, 40), (97, 23)]
    assert after.event(2).source_in == 20 and after.event(3).source_in == 30 + 14
    there = seen(Shelf({0: after}, book.materials))
    assert there[57:97] == seen(book)[50:90] and there[97:] == seen(book)[97:]
    assert slid(after, 2, -7, book.windows()) == event_list
    with pytest.raises(RuleError, match="Nothing of “e3” would be left"):
        slid(event_list, 2, 30, book.windows())


def test_picture_and_sound_of_a_clip_stay_together_unless_unlinked() -> None:
    pair = [clip_event(1, 0, 50, group=7), clip_event(2, 0, 50, group=7, track=SOUND), clip_event(3, 50, 20)]
    event_list = EventList(FILM, (*in_order(pair[:2]), pair[2]))
    windows = Shelf({0: event_list}, {1: Material(400, Rate.of(50))}).windows()
    parts = split(event_list, 1, 20, windows)
    assert sorted((event.record_in, event.length, event.track.name) for event in parts.events) == [
        (0, 20, "A1"), (0, 20, "V1"), (20, 30, "A1"), (20, 30, "V1"), (50, 20, "V1"),
    ]  # fmt: skip
    groups = {event.group for event in parts.events if event.record_in == 20}
    assert len(groups) == 1 and groups != {7}
    assert [event.length for event in trimmed(event_list, 2, Edge.TAIL, -5, windows).events] == [45, 45, 20]
    alone = trimmed(unlinked(event_list, [1]), 2, Edge.TAIL, -5, windows)
    assert [event.length for event in alone.events] == [50, 45, 20]


def test_what_is_placed_later_is_no_part_of_what_was_placed_before() -> None:
    """Each pair of picture and sound is a group of its own, also beside events that are kept already."""
    kept = EventList(FILM, (clip_event(105, 0, 10, group=105), clip_event(106, 0, 10, group=105, track=SOUND)))
    pair = (clip_event(-1, 0, 10, group=-1), clip_event(-2, 0, 10, group=-1, track=SOUND))
    event_list = placed(placed(kept, pair, 10), pair, 20)
    together = [{one.record_in for one in event_list.together([event])} for event in event_list.in_time]
    assert together == [{0}, {0}, {10}, {10}, {20}, {20}]
    assert all(one.id < 0 for one in event_list.events if one.record_in >= 10), "new ones are known by ids below 0"


@pytest.mark.parametrize("parted", [False, True])
def test_picture_and_sound_slowed_together_move_what_follows_once(parted: bool) -> None:
    """Two pairs, their sound beside or parted from them, and what lies behind: no gap, nothing over anything."""
    places = ((1, 0, FIRST_PICTURE), (2, 0, SOUND), (3, 10, FIRST_PICTURE), (4, 10, SOUND), (5, 20, FIRST_PICTURE))
    events = [clip_event(n, at, 10, group=None if parted else at + 1, track=track) for n, at, track in places]
    event_list = replace(EventList(FILM, tuple(events)), markers=(Marker(3, "in it"), Marker(20, "behind")))
    windows = shelf(*events).windows()
    halved = lambda event: replace(event, decisions=speed("1/2"))  # noqa: E731
    made = respeeded(event_list, [1, 2, 3, 4], halved, windows, Following.MOVES)
    assert [(one.record_in, one.length) for one in made.by_track[FIRST_PICTURE]] == [(0, 20), (20, 20), (40, 10)]
    assert [(one.record_in, one.length) for one in made.by_track[SOUND]] == [(0, 20), (20, 20)]
    assert [one.at for one in made.markers] == [3, 40]
    back = respeeded(made, [1, 2, 3, 4], lambda event: replace(event, decisions=speed(1)), windows, Following.MOVES)
    assert [(one.record_in, one.length) for one in back.in_time] == [
        (one.record_in, one.length) for one in event_list.in_time
    ]


def test_thousands_are_slowed_at_once() -> None:
    events = tuple(clip_event(n, n * 4, 4) for n in range(1, 3001))
    event_list, windows = EventList(FILM, events), shelf(*events).windows()
    made = respeeded(
        event_list, range(1, 3001), lambda one: replace(one, decisions=speed("1/3")), windows, Following.MOVES
    )
    assert [one.record_in for one in made.in_time] == [4 + 12 * n for n in range(3000)] and not made.gaps()[1:]


def test_a_length_follows_from_speed_and_a_speed_from_length() -> None:
    event_list = three(50, 40, 30)
    book = Shelf({0: event_list}, {1: Material(400, Rate.of(50))})
    windows = book.windows()
    slower = refit(event_list, 2, 60, windows, Following.MOVES)
    one, was = book.window(0, slower.event(2)), book.window(0, event_list.event(2))
    assert one is not None and was is not None and (one.source_in, one.source_out) == (was.source_in, was.source_out)
    assert one.conformed.speed == Fraction(2, 3) and slower.event(3).record_in == 110
    half = respeeded(event_list, [1, 2], lambda event: replace(event, decisions=speed("1/2")), windows, Following.MOVES)
    begins = [event.record_in for event in half.by_track[FIRST_PICTURE]]
    assert begins == [0, 100, 180] and half.event(2).length == 80
    same = respeeded(event_list, [1, 2], lambda event: replace(event, decisions=speed("1/2")), windows)
    assert [event.length for event in same.events] == [50, 40, 30]


def test_gaps_are_filled_exactly_or_closed() -> None:
    event_list = moved(three(50, 40, 30), [3], 12)
    windows = Shelf({0: event_list}, {1: Material(400, Rate.of(50))}).windows()
    assert event_list.gaps() == ((FIRST_PICTURE, 90, 102),)
    for by_speed in (False, True):
        full = filled(event_list, 2, windows, by_speed=by_speed)
        assert full.gaps() == () and full.event(2).length == 52
    assert closed(event_list) == three(50, 40, 30)
    with pytest.raises(RuleError, match="There is no gap after"):
        filled(event_list, 1, windows, by_speed=False)


def test_a_delivery_slowed_to_an_eighth_ends_where_its_last_frame_is() -> None:
    treatment = Treatment(Intent.PACE, Fraction(1, 8))
    clips = [Material(240 + 7 * n, Rate.of(240)) for n in range(20)]
    lengths = [conform(one, treatment, FILM).frame_map.length for one in clips]
    laid = in_order([clip_event(n, 0, length) for n, length in enumerate(lengths)])
    assert EventList(FILM, laid).length == sum(lengths)
    last = window(laid[-1], clips[-1], treatment, FILM)
    assert last.frame_map.pick(laid[-1].length - 1) == 240 + 7 * 19 - 1 and last.overrun == 0


@given(
    st.lists(st.integers(2, 400), min_size=1, max_size=30), st.sampled_from(["23.976", "24", "29.97", "50", "59.94"])
)
@settings(max_examples=60, deadline=None)
def test_at_another_rate_nothing_drifts(lengths: list[int], rate: str) -> None:
    event_list, to = three(*lengths), Rate.parse(rate)
    book = Shelf({0: event_list}, {1: Material(4000, Rate.of(50))})
    there = rerated(event_list, to, book.windows())
    assert there.worst <= Fraction(1, 2)
    for was, now in zip(event_list.events, there.event_list.events, strict=True):
        assert abs(now.record_in - was.record_in * to.value / 25) <= Fraction(1, 2)
        assert now.source_in == was.source_in
    assert there.event_list.gaps() == event_list.gaps()
    if to.value >= 25:
        back = rerated(there.event_list, FILM, book.windows()).event_list
        assert back == event_list


def test_speeds_that_followed_from_a_rate_are_held_at_another() -> None:
    every = Decisions(intent=IntentSetting(Intent.EVERY_FRAME))
    event_list = EventList(FILM, (clip_event(1, 0, 100, decisions=every), clip_event(2, 100, 50, decisions=bent())))
    book = Shelf({0: event_list}, {1: Material(400, Rate.of(50))})
    there = rerated(event_list, Rate.of(50), book.windows()).event_list
    assert there.event(1).decisions.intent == IntentSetting(Intent.SPEED, Fraction(1, 2))
    other = Shelf({0: there}, book.materials)
    assert [part.place for part in shown_at(other, 0, 180)] == [part.place for part in shown_at(book, 0, 90)]
    assert [part.place for part in shown_at(other, 0, 260)] == [part.place for part in shown_at(book, 0, 130)]
    assert cut_point(5, Rate.of(50), FILM).now == 2 and cut_point(7, Rate.of(50), FILM).now == 4, "halves to even"
    with pytest.raises(RuleError, match="would be shorter than one frame at"):
        rerated(EventList(Rate.of(100), (clip_event(1, 0, 1),)), FILM, book.windows())


def test_music_begins_and_fades_at_the_same_time_at_another_rate() -> None:
    music = Music("Footage", "Music/tide.wav", -50, 25)
    book = shelf(clip_event(1, 0, 50, decisions=replace(speed(1), music=music)))
    book.treat = lambda treatment: replace(treatment, music=music)
    (event,) = rerated(book.event_list(0), Rate.of(50), book.windows()).event_list.events
    assert event.decisions.music == replace(music, start=-100, fade=50)


def test_events_know_what_is_beside_them() -> None:
    event_list = three(50, 40, 30)
    assert event_list.before(event_list.event(2)) == event_list.event(1) and event_list.after(
        event_list.event(2)
    ) == event_list.event(3)
    assert event_list.before(event_list.event(1)) is None and event_list.after(event_list.event(3)) is None
    assert event_list.at(FIRST_PICTURE, Fraction(50)) == event_list.event(2)
    assert event_list.at(FIRST_PICTURE, Fraction(50), backwards=True) == event_list.event(1)
    assert event_list.at(SOUND, Fraction(0)) is None
    with pytest.raises(RuleError, match="would overlap"):
        event_list.with_events([clip_event(9, 45, 10)])
    with pytest.raises(RuleError, match="This event no longer exists"):
        event_list.event(77)
