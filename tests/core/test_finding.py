"""Clips that lists ask for: by path, reel, timecode and name; proxies, doubles, and what is not there."""

from dataclasses import replace
from fractions import Fraction

import pytest

from oddmeter.core.cutting.edits import closed
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList
from oddmeter.core.cutting.listed import ListedEvent, ListedSource, ListedTimeline, SourceKind, Transition
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.lists.finding import Footage, FoundBy, event_of, events_of, found_again, linked
from oddmeter.core.lists.listing import listed_cut
from oddmeter.core.lists.versions import ChangeKind, laid_out, taken_over
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.planning.clips import Clip, Decided, KnownClip, known_of
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from tests.core.test_cutting import Shelf

FILM = Rate.of(25)


def known(
    number: int, path: str, rate: str = "25", frames: int = 500, timecode: str | None = "10:00:00:00",
    reel: str = "", proxy_of: int | None = None,
) -> KnownClip:  # fmt: skip
    facts = Facts(frames=frames, file_rate=Rate.parse(rate), width=1920, height=1080, timecode=timecode)
    entries = (LogEntry("camera report", 2, clip=path, reel=reel),) if reel else ()
    name = path.rpartition("/")[2]
    return known_of(Clip(number, 1, "Root", path, name, facts, None, entries, (), Decided(), 1, 1, proxy_of, 0))


def footage(*clips: KnownClip) -> Footage:
    originals = {one.clip.id: one for one in clips if one.clip.proxy_of is None}
    return Footage(originals, {one.clip.id: one for one in clips if one.clip.proxy_of is not None})


def source(
    name: str = "", reel: str = "", path: str = "", at: int = 900_000, rate: Rate = FILM, drop: bool | None = None
) -> ListedSource:
    return ListedSource(name, reel, path, Label(Fraction(at), rate, drop))


def found(held: Footage, one: ListedSource, length: int = 10) -> tuple[tuple[int, ...], FoundBy]:
    got = held.found(one, (one.source_in, one.source_in.later(Fraction(length))))
    return got.clips, got.by


def test_clips_are_found_by_the_surest_way_that_finds_any() -> None:
    held = footage(
        known(1, "day 1/A001_C001.mov"), known(2, "day 1/A001_C002.mov"), known(3, "b/bell.mov", reel="R 07")
    )
    assert found(held, source(path="/Volumes/x/day 1/A001_C002.mov", name="A001_C001")) == ((2,), FoundBy.PATH)
    assert found(held, source(path="C:\\media\\day 1\\A001_C001.MOV")) == ((1,), FoundBy.PATH)
    assert found(held, source(name="a001_c001")) == ((1,), FoundBy.NAME)
    assert found(held, source(name="A001_C001.mxf")) == ((1,), FoundBy.NAME), "of another ending"
    assert found(held, source(reel="A001C002")) == ((2,), FoundBy.REEL)
    assert found(held, source(reel="r07")) == ((3,), FoundBy.REEL), "a report names the reel"
    assert found(held, source(name="nobody", reel="AX")) == ((), FoundBy.NOTHING)


def test_of_several_that_fit_timecode_decides_where_it_can() -> None:
    one, other = known(1, "a/clip.mov", timecode="10:00:00:00"), known(2, "b/clip.mov", timecode="11:00:00:00")
    held = footage(one, other)
    assert found(held, source(name="clip", at=900_010)) == ((1,), FoundBy.NAME)
    assert found(held, source(name="clip", at=990_010)) == ((2,), FoundBy.NAME)
    assert found(held, source(name="clip", at=5)) == ((1, 2), FoundBy.SEVERAL)
    assert found(held, source(path="x/b/clip.mov", at=5)) == ((2,), FoundBy.PATH), "the folder tells them apart"


@pytest.mark.parametrize(("reverse", "at", "clip"), [(True, 900_500, 1), (False, 900_500, 2), (True, 900_550, 2)])
def test_found_again_an_event_is_sought_where_it_runs(reverse: bool, at: int, clip: int) -> None:
    """Two clips of one name, the second from where the first ends: backwards from there the first is used."""
    held = footage(known(1, "a/clip.mov"), known(2, "b/clip.mov", timecode="10:00:20:00"))
    decisions = Decisions(intent=IntentSetting(Intent.SPEED, Fraction(2)), reverse=reverse or None)
    event = Event(1, FIRST_PICTURE, SourceKind.CLIP, 0, 20, decisions=decisions, listed=source(name="clip", at=at))
    assert [one.clip_id for one in found_again([event], held, FILM)] == [clip]


def test_a_proxy_leads_to_its_original() -> None:
    held = footage(known(1, "a/bell.mov"), known(2, "Proxy/bell_small.mov", proxy_of=1))
    assert found(held, source(name="bell_small")) == ((1,), FoundBy.NAME)
    assert found(held, source(path="Proxy/bell_small.mov")) == ((1,), FoundBy.PATH)


@pytest.mark.parametrize(
    ("rate", "timecode", "listed", "listed_rate", "place"),
    [
        ("25", "10:00:00:00", 900_030, "25", 30),
        ("50", "10:00:00:00", 900_030, "25", 60),  # the list counts 25 of its 50 frames
        ("59.94", "10:00:00:00", 900_030, "25", 72),  # and 25 of 60 by its timecode, whatever the time
        ("29.97", "10:00:00;00", 1_078_920 + 12, "29.97", 12),
        ("25", None, 40, "25", 40),
        ("25", "10:00:00:00", 40, "25", 40),  # counted from the beginning of the file
        ("25", "nonsense", 40, "25", 40),
        ("25", "10:00:00:00", 899_990, "25", -10),  # before the file begins
        ("25", "23:59:59:00", 10, "25", 35),  # the file runs on through midnight
    ],
)
def test_an_in_point_is_a_place_in_the_file(
    rate: str, timecode: str | None, listed: int, listed_rate: str, place: int
) -> None:
    labels = known(1, "a.mov", rate, timecode=timecode).labels
    assert labels is not None and labels.place(Label(Fraction(listed), Rate.parse(listed_rate))) == place


@pytest.mark.parametrize(("file", "drops"), [("01:00:00:00", True), ("01:00:00;00", False)])
def test_a_place_is_found_by_its_numbers_however_list_and_file_count(file: str, drops: bool) -> None:
    """The list says 01:00:10, ten numbers of thirty frames behind the file's first."""
    labels = known(1, "a.mov", "29.97", timecode=file).labels
    at = Timecode.parse(f"01:00:10{';' if drops else ':'}00", Rate.parse("29.97")).frames
    assert labels is not None and labels.place(Label(Fraction(at), Rate.parse("29.97"), drops)) == 300


def wavering(timecode: str | None) -> KnownClip:
    """Two minutes at some 30.02 frames a second, every second frame a little late; the header says 30."""
    rate = Rate.of(3002, 100)
    ticks = [round((n + (n % 2) / 5) * 90_000 / rate.value) for n in range(3602)]
    clock = Clock.of([*ticks, ticks[-1] + 3000], Fraction(1, 90_000))
    facts = Facts(
        frames=3602, file_rate=rate, timing=Timing.VARIABLE, clock=clock, stated_rate=Fraction(30), timecode=timecode
    )
    return known_of(Clip(1, 1, "Root", "a.mov", "a", facts, None, (), (), Decided(), 1, 1, None, 0))


@pytest.mark.parametrize(("start", "asked"), [(None, "00:01:00:00"), ("10:00:00:00", "10:01:00:00")])
def test_a_variable_clip_is_found_by_its_own_times_and_told_by_them(start: str | None, asked: str) -> None:
    """Labels come evenly at the rate that the list counts in, whatever frames do: a minute is a minute."""
    clip = wavering(start)
    assert clip.material is not None and clip.material.clock is not None and clip.facts is not None
    assert clip.facts.label_rate == Rate.of(30)
    at = Timecode.parse(asked, Rate.of(30)).frames
    labels = clip.labels
    assert labels is not None
    place = labels.place(Label(Fraction(at), Rate.of(30)))
    assert place == clip.material.clock.place(Fraction(60)) and 1800 <= place < 1803
    assert labels.place(Label(Fraction(at * 25, 30), Rate.of(25))) == place
    if start is not None:
        assert str(clip.facts.timecode_of(int(place))) in ("10:00:59:29", "10:01:00:00")
    event = Event(1, FIRST_PICTURE, SourceKind.CLIP, 0, 50, place, clip_id=1)
    book = Shelf({0: EventList(Rate.of(25), (event,))}, {1: clip.material})
    timeline = Timeline(0, TimelineSettings("cut", Rate.of(25)), 1)
    (listed,) = listed_cut(book, lambda _: timeline, 0, {1: clip}).events
    assert (listed.source_in.rate, int(listed.source_in.count), int(listed.speed)) == (Rate.of(30), at, 1)


def test_timecode_is_carried_over_by_its_numbers() -> None:
    ntsc = Rate.parse("59.94")
    assert Label(Fraction(50), Rate.of(25)).recounted(ntsc) == Label(Fraction(120), ntsc)
    assert Label(Fraction(7, 3), FILM).recounted(ntsc).recounted(FILM).count == Fraction(7, 3)
    started, unmarked = known(1, "a.mov", "59.94", timecode="00:00:02:00").facts, known(1, "a.mov", timecode=None).facts
    assert started is not None and started.first_timecode is not None and started.first_timecode.frames == 120
    assert unmarked is not None and unmarked.first_timecode is None


def listed(name: str, at: int, length: int, into: int, **more: object) -> ListedEvent:
    values: dict[str, object] = {
        "track": "V",
        "name": name,
        "source_in": Label(Fraction(900_000 + into), FILM),
    } | more
    return ListedEvent(kind=SourceKind.CLIP, record_in=at, length=length, **values)  # type: ignore[arg-type]


def test_a_listed_event_keeps_the_list_s_speed_as_its_own_decision() -> None:
    clip = known(1, "bell.mov", "50")
    plain, back, still = (
        event_of(listed("bell", 0, 20, 10, **more), clip, -1)
        for more in ({"speed": Fraction(2)}, {"speed": Fraction(1, 2), "reverse": True}, {"speed": Fraction(0)})
    )
    assert plain.source_in == 20 and plain.decisions.intent is not None and plain.decisions.intent.value == 2
    assert back.decisions.reverse is True
    wish = still.decisions.intent
    assert wish is not None and wish.intent is Intent.CURVE and wish.curve is not None
    assert [(one.frame, one.leaves, one.holds) for one in wish.curve.points] == [(20, Fraction(0), 1)], "it stands"
    black = event_of(ListedEvent("V", SourceKind.BLACK, 0, 10), None, -1)
    assert (black.kind, black.listed, black.decisions) == (SourceKind.BLACK, None, Decisions())


def test_picture_and_sound_of_one_source_are_one_group() -> None:
    event_list = ListedTimeline("Cut", FILM, False, 90_000, (
        listed("bell", 0, 20, 0), listed("bell", 0, 20, 0, track="A1"), listed("bell", 20, 20, 20),
        listed("nobody", 40, 5, 0), ListedEvent("V", SourceKind.GAP, 45, 5),
    ))  # fmt: skip
    events = events_of(event_list, footage(known(1, "bell.mov")))
    groups = [event.group for event, _ in events]
    assert groups[0] == groups[1] is not None and groups[2:] == [None, None]
    assert [by.by for _, by in events] == [FoundBy.NAME] * 3 + [FoundBy.NOTHING]
    (_, by_hand) = events_of(event_list, footage(known(1, "bell.mov")), {3: 1})[3]
    assert by_hand.by is FoundBy.HAND and by_hand.clip_id == 1
    later = linked(events[3][0], known(7, "other.mov"))
    assert (later.clip_id, later.source_in, later.record_in) == (7, Fraction(0), 40)


def test_events_that_lie_over_each_other_go_onto_tracks_of_their_own() -> None:
    event_list = ListedTimeline(
        "Cut", FILM, False, 0, (listed("bell", 0, 20, 0), listed("bell", 10, 20, 0), listed("bell", 15, 5, 0))
    )
    laid = laid_out([event for event, _ in events_of(event_list, footage(known(1, "bell.mov")))])
    assert [event.track.name for event in laid] == ["V1", "V2", "V3"]
    assert EventList(FILM, laid).length == 30


def test_a_version_taken_over_keeps_what_was_decided() -> None:
    held = footage(known(1, "bell.mov"), known(2, "boat.mov", "59.94"))
    first = ListedTimeline("Cut", FILM, False, 90_000, (listed("bell", 0, 50, 10), listed("boat", 50, 50, 5)))
    events = [event for event, _ in events_of(first, held)]
    mine = Decisions.parse({"between": "flow", "intent": "speed 1"})
    ours = EventList(FILM, (replace(events[0], decisions=mine), events[1]))
    second = ListedTimeline("Cut", FILM, False, 90_000, (
        listed("boat", 0, 40, 5, transition=Transition("dissolve", 4)), listed("bell", 40, 50, 10),
        listed("bell", 90, 10, 200),
    ))  # fmt: skip
    taken = taken_over(ours, first, second, events_of(second, held), held.known)
    assert [(one.fate, one.event.name) for one in taken.found] == [
        (ChangeKind.TRIMMED, "boat.mov"), (ChangeKind.MOVED, "bell.mov"), (ChangeKind.NEW, "bell.mov"),
    ]  # fmt: skip
    bell = next(event for event in taken.event_list.events if event.id == events[0].id)
    assert bell.decisions == mine and (bell.record_in, bell.length) == (40, 50)
    assert len(taken.event_list.by_track[FIRST_PICTURE]) == 3 and closed(taken.event_list) == taken.event_list
    with pytest.raises(RuleError, match="at 24 and this timeline at 25"):
        taken_over(ours, first, ListedTimeline("Cut", Rate.of(24), False, 0, ()), (), held.known)
