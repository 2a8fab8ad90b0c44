"""Lists of cuts: read as they come, written so that others read them, and held against each other."""

import json
from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import opentimelineio as otio
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, SourceKind, Transition
from oddmeter.core.lists.listing import listed_cut
from oddmeter.core.lists.pulls import Pull, pulls
from oddmeter.core.lists.versions import ChangeKind, compared
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.places import Label
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.interchange.cuts import cut_document, event_document
from oddmeter.interchange.edl.lines import lines_of, tracks_of
from oddmeter.interchange.edl.rates import rate_evidence
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.interchange.formats import read_cut, write_cut
from oddmeter.interchange.otio.reading import read_otio
from oddmeter.interchange.otio.writing import write_otio
from tests.core.test_cutting import Shelf
from tests.core.test_edits_keep import lists
from tests.interchange.test_cli import oddmeter

FILM = Rate.of(25)


def at_25(count: int) -> Label:
    return Label(Fraction(count), FILM)


def ends(pull: Pull) -> tuple[int, int]:
    return int(pull.first.count), int(pull.stop.count)


BELL = """TITLE: THE TIDE BELL\r
FCM: NON-DROP FRAME\r
\r
001  FOUNDRY1 V     C        01:00:00:00 01:00:04:00 01:00:00:00 01:00:04:00\r
* FROM CLIP NAME: FD_POUR\r
002  FOUNDRY1 V     C        01:00:04:00 01:00:04:00 01:00:04:00 01:00:04:00\r
002  HARBOUR2 V     D    025 02:00:00:00 02:00:08:00 01:00:04:00 01:00:08:00\r
M2   HARBOUR2       050.0                02:00:00:00\r
* FROM CLIP NAME: FD_POUR\r
* TO CLIP NAME: HB_GULLS\r
* SOURCE FILE: harbour/HB_gulls.mov\r
003  BL       V     C        00:00:00:00 00:00:01:00 01:00:08:00 01:00:09:00\r
004  HARBOUR2 AA/V  C        02:00:10:00 02:00:12:00   01:00:10:00 01:00:14:00\r
M2   HARBOUR2       -012.5               02:00:10:00\r
nobody reads this\r
005  STILL    V     W001 010 03:00:00:00 03:00:00:01 01:00:14:00 01:00:16:00\r
M2   STILL          000.0                03:00:00:00\r
* LOC: 01:00:15:00 RED     the bell rings\r
"""


def _events(text: str, rate: Rate = FILM) -> list[ListedEvent]:
    return list(read_edl(text, rate).events)


def test_a_list_is_read_with_all_that_it_says() -> None:
    event_list = read_edl(BELL, FILM)
    assert (event_list.name, event_list.rate, event_list.drop_frame, event_list.timecode(0)) == (
        "THE TIDE BELL",
        FILM,
        False,
        "01:00:00:00",
    )
    picture = event_list.on("V")
    assert [one.name or one.kind.value for one in picture] == ["FD_POUR", "HB_GULLS", "black", "clip", "clip"]
    assert [(one.record_in, one.length) for one in picture] == [(0, 100), (100, 100), (200, 25), (250, 100), (350, 50)]
    assert [one.speed for one in picture] == [1, 2, 1, Fraction(1, 2), 0]
    assert picture[1].transition == Transition("dissolve", 25)
    assert picture[1].path == "harbour/HB_gulls.mov"
    assert picture[3].reverse and picture[3].source_in.count == (2 * 3600 + 12) * 25, "it begins where its range ends"
    assert picture[4].freeze and picture[4].transition == Transition("wipe", 10)
    assert [one.track for one in event_list.events if one.record_in == 250] == ["V", "A1", "A2"]
    assert [str(note) for note in event_list.notes] == ["Line 15: It cannot be read: “nobody reads this”."]
    assert [(one.at, one.name, one.colour) for one in event_list.markers] == [(375, "the bell rings", "RED")]


@pytest.mark.parametrize(
    ("channels", "tracks"),
    [("V", ["V"]), ("A", ["A1"]), ("A2", ["A2"]), ("AA", ["A1", "A2"]), ("B", ["V", "A1"]), ("AA/V", ["A1", "A2", "V"]),
     ("A2/V", ["A2", "V"]), ("V2", ["V2"]), ("VA1A2", ["V", "A1", "A2"]), ("NONE", []), ("Q", [])],
)  # fmt: skip
def test_channels_name_tracks(channels: str, tracks: list[str]) -> None:
    assert list(tracks_of(channels)) == tracks


@pytest.mark.parametrize(
    ("source", "record", "motion", "speed", "noted"),
    [
        (100, 100, None, Fraction(1), False),
        (100, 50, "050.0", Fraction(2), False),
        (53, 100, "013.3", Fraction(53, 100), False),  # 13.25 is 13.3 to a decimal
        (53, 100, "013.2", Fraction(53, 100), False),  # and 13.2 where it is cut short
        (100, 100, "050.0", Fraction(2), True),
        (60, 100, None, Fraction(3, 5), True),
        (1, 100, "000.0", Fraction(0), False),
    ],
)
def test_the_speed_is_what_lengths_say_where_motion_agrees(
    source: int, record: int, motion: str | None, speed: Fraction, noted: bool
) -> None:
    text = f"001  R1 V C 01:00:00:00 01:{_code(source)} 02:00:00:00 02:{_code(record)}\n"
    event_list = read_edl(text + (f"M2 R1 {motion} 01:00:00:00\n" if motion else ""), FILM)
    assert event_list.events[0].speed == speed
    assert bool(event_list.notes) is noted


def _code(frames: int) -> str:
    return f"00:{frames // 25:02}:{frames % 25:02}"


def test_a_list_is_asked_for_its_rate_with_the_evidence() -> None:
    event = "001  R1 V C 01:00:00:00 01:00:04:00 01:00:00:00 01:00:0{}\n"
    with pytest.raises(RuleError, match=r"does not state its rate.*highest frame number is 12.*fits 23\.976, 24, 25"):
        read_edl(event.format("4:12"))
    assert rate_evidence(lines_of("FCM: DROP FRAME\n" + event.format("4:12"))).only == Rate.parse("29.97")
    assert rate_evidence(lines_of(event.format("4;29"))).only == Rate.parse("29.97")
    told = rate_evidence(lines_of(BELL))
    assert told.only == FILM and "M2" in told.sentence
    assert [str(one) for one in rate_evidence(lines_of(event.format("4:55"))).rates] == ["59.94", "60"]


def test_source_timecode_at_another_rate_is_noticed() -> None:
    event_list = read_edl("001  T50 V C 03:00:00:48 03:00:04:48 01:00:00:00 01:00:04:00\n", FILM)
    assert event_list.events[0].source_in.rate == Rate.of(50)
    assert event_list.events[0].source_in.count == 3 * 3600 * 50 + 48
    assert event_list.events[0].speed == 1
    assert "T50 is not counted at the list's 25" in str(event_list.notes[0])


def test_drop_frame_changes_on_the_way_concern_sources() -> None:
    text = (
        "FCM: DROP FRAME\n001  R1 V C 00:01:00;02 00:01:02;02 01:00:00;00 01:00:02;00\n"
        "FCM: NON-DROP FRAME\n002  R2 V C 00:01:00:00 00:01:02:00 01:00:02;00 01:00:04;00\n"
    )
    one, other = _events(text, Rate.parse("29.97"))
    assert one.source_in.count == other.source_in.count == 1800
    assert (other.record_in, other.length) == (60, 60)


@pytest.mark.parametrize(
    ("text", "rate", "said"),
    [
        ("", "25", "no event"),
        ("TITLE: X\nthis is a letter\n", "25", "no event"),
        ("001 R V C 00:00:00:00 00:00:01:00 01:00:02:00 01:00:01:00\n", "25", "Line 1: .*before its record in"),
        ("\n001 R V C 00:00:00:00 00:00:01:00 01:00:00:27 01:00:01:00\n", "25", "Line 2: .*01:00:00:27"),
        ("001 R V C 00:00:00:00 00:00:01:00 01:00:00;00 01:00:01;00\n", "25", "Line 1: .*drop-frame.*25"),
        ("001 R V C 00:00:00;00 00:00:01;00 01:01:00;00 01:01:01;00\n", "29.97", "Line 1: .*skips"),
        ("001 R V C 00:00:00:00 00:00:00:00 01:00:00:00 01:00:00:00\n", "25", "has zero length"),
    ],
)  # fmt: skip
def test_a_bad_list_says_why_with_its_line(text: str, rate: str, said: str) -> None:
    with pytest.raises(RuleError, match=said):
        read_edl(text, Rate.parse(rate))


@settings(max_examples=150, deadline=None)
@given(st.text(alphabet="0123456789:;. \nVACDBLM2*FRTIEUX-/W", max_size=400))
def test_no_text_breaks_the_reader(text: str) -> None:
    try:
        read_edl(text, FILM)
    except RuleError as error:
        assert str(error)


def test_events_out_of_order_or_over_each_other_are_noted() -> None:
    line = "00{} R{} V C 00:00:00:00 00:00:02:00 01:00:0{}:00 01:00:0{}:00\n"
    event_list = read_edl(line.format(1, 1, 4, 6) + line.format(2, 2, 0, 2) + line.format(3, 3, 1, 3), FILM)
    assert [one.record_in for one in event_list.events] == [0, 25, 100]
    told = " ".join(map(str, event_list.notes))
    assert "Line 2: From here on the events are not in order" in told
    assert "Line 3: On V it begins 25 frames before the event of line 2 is over." in told


names = st.text(alphabet="ABCDEFGHXYZ_0123456789", min_size=1, max_size=8)
speeds = st.sampled_from([Fraction(1), Fraction(2), Fraction(1, 2), Fraction(8, 15), Fraction(24, 25), Fraction(0)])


@st.composite
def cuts(draw: st.DrawFn, *, exact: bool = True) -> ListedTimeline:
    """A cut of whole places; of any fractions where the format is exact."""
    rate = draw(st.sampled_from([Rate.of(24), FILM, Rate.parse("29.97"), Rate.parse("23.976")]))
    at, events = 0, []
    for _ in range(draw(st.integers(1, 6))):
        at += draw(st.sampled_from([0, 0, 7]))
        length = draw(st.integers(2, 200))
        black = draw(st.booleans()) and draw(st.booleans())
        speed = Fraction(1) if black else draw(speeds)
        source_in = (
            Fraction(0)
            if black
            else Fraction(draw(st.integers(100_000, 200_000)), draw(st.sampled_from([1, 3])) if exact else 1)
        )
        reverse = not black and speed > 0 and draw(st.booleans())
        transition = draw(
            st.none() | st.builds(Transition, st.sampled_from(["dissolve", "wipe"]), st.integers(1, length))
        )
        events.append(
            ListedEvent(
                "V", SourceKind.BLACK if black else SourceKind.CLIP, at, length, "" if black else draw(names),
                "" if black else draw(names), source_in=Label(source_in, rate), speed=speed, reverse=reverse,
                transition=transition,
            )
        )  # fmt: skip
        at += length
    return ListedTimeline("Cut", rate, rate == Rate.parse("29.97"), 86400, tuple(events))


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(cuts())
def test_a_cut_written_as_otio_is_the_same_cut_again(event_list: ListedTimeline) -> None:
    again = read_otio(write_otio(event_list))
    events = [one for one in cut_document(again)["events"] if one["kind"] != "gap"]
    assert events == cut_document(event_list)["events"]
    assert (again.rate, again.drop_frame, again.start) == (event_list.rate, event_list.drop_frame, event_list.start)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(cuts(exact=False))
def test_a_cut_written_as_a_list_is_the_same_up_to_what_was_said(event_list: ListedTimeline) -> None:
    written = write_edl(event_list)
    again = read_edl(written.text, event_list.rate)
    zero = event_list.events[0].record_in
    told = {str(note).split(",")[0] for note in written.losses}
    for number, (was, now) in enumerate(zip(event_list.events, again.events, strict=True), 1):
        assert (now.kind, now.name, now.record_in + zero, now.length) == (was.kind, was.name, was.record_in, was.length)
        assert (now.transition, now.reverse) == (was.transition, was.reverse)
        if f"Event {number:03}" not in told:
            same = (now.source_in.count, now.speed) == (was.source_in.count, was.speed)
            assert same or was.source_out(event_list.rate).count.denominator != 1
        off = abs(now.source_in.count - was.source_in.count) + abs(now.speed - was.speed) * was.length
        assert off <= Fraction(was.length, 10 * event_list.rate.nominal) + 1


def test_what_it_costs_that_motion_has_one_decimal_is_said() -> None:
    event = ListedEvent("V", SourceKind.CLIP, 0, 1500, "A", "R", source_in=at_25(1), speed=Fraction(8, 15))
    (loss,) = write_edl(ListedTimeline("Cut", FILM, False, 0, (event,))).losses
    assert "13.3 frames a second of 53.3333 %" in str(loss) and "2 source frames off" in str(loss)


def test_the_peer_reads_what_is_written() -> None:
    pytest.importorskip("otio_cmx3600_adapter")
    event_list = read_edl(BELL.replace("AA/V", "V"), FILM)
    theirs = otio.adapters.read_from_string(write_edl(event_list).text, "cmx_3600", rate=25)
    (track,) = theirs.video_tracks()
    clips = [one for one in track if isinstance(one, otio.schema.Clip)]
    for mine, its in zip(event_list.events, clips, strict=True):
        at = track.range_of_child(its).start_time - track.source_range.start_time
        assert (at.value - event_list.start, its.duration().value) == (mine.record_in, mine.length)
        if mine.kind is SourceKind.CLIP:
            assert its.source_range.start_time.value == mine.used(FILM)[0].count
            scalars = [one.time_scalar for one in its.effects]
            assert scalars == ([] if mine.speed == 1 else [float(-mine.speed if mine.reverse else mine.speed)])
    assert [one.transition_type for one in track if isinstance(one, otio.schema.Transition)] == [
        "SMPTE_Dissolve", "SMPTE_Wipe",
    ]  # fmt: skip


def test_what_the_peer_writes_is_read() -> None:
    timeline = otio.schema.Timeline("Bell")
    track = otio.schema.Track("V", kind="Video")
    timeline.tracks.append(track)
    for start, duration, scalar in ((100, 50, None), (300, 40, 2.0), (0, 25, 0.5)):
        where = otio.opentime.TimeRange(otio.opentime.RationalTime(start, 25), otio.opentime.RationalTime(duration, 25))
        clip = otio.schema.Clip(f"c{start}", source_range=where)
        clip.metadata["cmx_3600"] = {"reel": f"R{start}"}
        if scalar:
            clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=scalar))
        track.append(clip)
    text = otio.adapters.write_to_string(timeline, "cmx_3600", rate=25)
    events = _events(text)
    assert _told(events) == ["0 50 100 1 R100", "50 40 300 2 R300", "90 25 0 1/2 R0"]
    assert _told(read_otio(otio.adapters.write_to_string(timeline, "otio_json")).events) == _told(events)


def _told(events: Iterable[ListedEvent]) -> list[str]:
    return [f"{one.record_in} {one.length} {one.source_in.count} {one.speed} {one.reel}" for one in events]


def test_transitions_nests_and_metadata_of_a_timeline_survive() -> None:
    second = otio.opentime.RationalTime
    inner = otio.schema.Stack("pour, slow", source_range=otio.opentime.TimeRange(second(10, 24), second(48, 24)))
    inner_track = otio.schema.Track("V", kind="Video")
    inner_track.append(otio.schema.Clip("in it", source_range=otio.opentime.TimeRange(second(0, 240), second(96, 24))))
    inner.append(inner_track)
    outgoing = otio.schema.Clip("out", source_range=otio.opentime.TimeRange(second(0, 24), second(48, 24)))
    outgoing.metadata["somebody"] = {"else": [1, 2, {"deep": True}]}
    track = otio.schema.Track("V", kind="Video", children=[outgoing])
    track.append(otio.schema.Transition("", "SMPTE_Dissolve", second(6, 24), second(6, 24)))
    track.append(inner)
    timeline = otio.schema.Timeline("Film", global_start_time=second(86400, 24))
    timeline.tracks.append(track)
    event_list = read_otio(otio.adapters.write_to_string(timeline, "otio_json"))
    one, nest = event_list.events
    assert (one.length, nest.record_in, nest.length) == (42, 42, 54), "what comes in begins with its transition"
    assert (nest.kind, nest.source_in.count, nest.transition) == (
        SourceKind.TIMELINE,
        Fraction(4),
        Transition("dissolve", 12),
    )
    assert nest.inside is not None and nest.inside.events[0].source_in.rate == Rate.of(240)
    (pulled, inside) = pulls(event_list)
    assert (ends(pulled), ends(inside)) == ((0, 42), (40, 580))
    again = json.loads(write_otio(event_list))
    assert again["tracks"]["children"][0]["children"][0]["metadata"]["somebody"] == {"else": [1, 2, {"deep": True}]}
    assert cut_document(read_otio(json.dumps(again))) == cut_document(event_list)


def test_a_freeze_and_a_speed_that_nobody_reads_are_told_apart() -> None:
    clip = otio.schema.Clip(
        "c", source_range=otio.opentime.TimeRange(otio.opentime.RationalTime(5, 25), otio.opentime.RationalTime(9, 25))
    )
    clip.effects.append(otio.schema.FreezeFrame())
    clip.effects.append(otio.schema.TimeEffect("wobble", "Wobble"))
    track = otio.schema.Track("V", kind="Video", children=[clip])
    event_list = read_otio(otio.adapters.write_to_string(track, "otio_json"))
    assert event_list.events[0].freeze and "travels along" in str(event_list.notes[0])
    assert "Wobble" in write_otio(event_list)


def test_two_versions_are_held_together_by_source_and_content() -> None:
    def event(name: str, at: int, length: int, source: int, speed: Fraction = Fraction(1)) -> ListedEvent:
        return ListedEvent("V", SourceKind.CLIP, at, length, name, name, source_in=at_25(source), speed=speed)

    old = [
        event("A", 0, 100, 0),
        event("B", 100, 50, 10),
        event("C", 150, 50, 0),
        event("D", 200, 40, 7),
        event("E", 240, 9, 0),
    ]
    new = [
        event("A", 0, 100, 0),
        event("C", 100, 50, 0),
        event("B", 150, 30, 20),
        event("D", 180, 40, 7, Fraction(1, 2)),
        event("F", 220, 5, 0),
    ]
    event_list = ListedTimeline("Cut", FILM, False, 90000, tuple(old))
    found = {one.event.name: one.fate for one in compared(event_list, replace(event_list, events=tuple(new)))}
    assert found == {
        "A": ChangeKind.KEPT, "B": ChangeKind.TRIMMED, "C": ChangeKind.MOVED, "D": ChangeKind.RETIMED,
        "E": ChangeKind.GONE, "F": ChangeKind.NEW,
    }  # fmt: skip
    # A list that begins later by its timecode has its events where they were.
    late = ListedTimeline(
        "Cut", FILM, False, 90100, tuple(replace(one, record_in=one.record_in - 100) for one in old[1:])
    )
    fates = [one.fate for one in compared(event_list, late)]
    assert fates.count(ChangeKind.KEPT) == 4 and fates.count(ChangeKind.GONE) == 1


def test_ranges_are_pulled_once_with_handles() -> None:
    events = [
        ListedEvent("V", SourceKind.CLIP, at, 50, "A", "R", source_in=at_25(source))
        for at, source in ((0, 100), (50, 140), (100, 400))
    ]
    found = pulls(ListedTimeline("Cut", FILM, False, 0, tuple(events)), 8)
    assert [(ends(one), one.events) for one in found] == [((92, 198), 2), ((392, 458), 1)]
    assert str(found[0].first.timecode()) == "00:00:03:17"


def nest(inner: str, outer: str, source_in: int, length: int, speed: Fraction = Fraction(1)) -> ListedTimeline:
    """A timeline with one event of another, which has A for its first and B for its second second of 100 frames."""
    inside, rate = Rate.parse(inner), Rate.parse(outer)
    half = inside.nominal
    leaves = tuple(
        ListedEvent("V", SourceKind.CLIP, at * half, half, name, name, source_in=Label(Fraction(1000), inside))
        for at, name in enumerate("AB")
    )
    event = ListedEvent(
        "V", SourceKind.TIMELINE, 0, length, "inner", source_in=Label(Fraction(source_in), inside), speed=speed,
        inside=ListedTimeline("inner", inside, False, 0, leaves),
    )  # fmt: skip
    return ListedTimeline("outer", rate, False, 0, (event,))


@pytest.mark.parametrize(
    ("inner", "outer", "source_in", "length", "wanted"),
    [
        ("50", "25", 0, 25, {"A": (1000, 1050)}), ("50", "25", 50, 25, {"B": (1000, 1050)}),
        ("25", "50", 10, 50, {"A": (1010, 1025), "B": (1000, 1010)}), ("100", "24", 150, 6, {"B": (1050, 1075)}),
    ],
)  # fmt: skip
def test_of_a_nest_at_another_rate_just_what_is_shown_is_pulled(
    inner: str, outer: str, source_in: int, length: int, wanted: dict[str, tuple[int, int]]
) -> None:
    found = pulls(nest(inner, outer, source_in, length))
    assert {one.name: ends(one) for one in found} == wanted


@pytest.mark.parametrize(("inner", "outer"), [("50", "25"), ("25", "24"), ("23.976", "29.97")])
def test_a_nest_is_written_at_its_own_rate(inner: str, outer: str) -> None:
    """For the library its children last as long as they do, and here it is the same cut again."""
    event_list = nest(inner, outer, 0, 20)
    text = write_otio(event_list)
    (stack,) = otio.adapters.read_from_string(text, "otio_json").tracks[0]
    inside = event_list.events[0].inside
    assert inside is not None
    lasts = [one.duration().to_seconds() for one in stack[0]]
    assert lasts == pytest.approx([float(one.length / inside.rate.value) for one in inside.events])
    again = read_otio(text).events[0].inside
    assert again is not None and again.rate == inside.rate
    assert [(one.record_in, one.length) for one in again.events] == [
        (0, inside.rate.nominal),
        (inside.rate.nominal,) * 2,
    ]


def test_what_lies_over_another_moves_nothing_behind_it() -> None:
    events = [
        ListedEvent("V", SourceKind.CLIP, at, length, name, name, source_in=at_25(100), speed=Fraction(2))
        for at, length, name in ((0, 50, "A"), (40, 30, "B"), (45, 3, "C"), (90, 10, "D"))
    ]
    again = read_otio(write_otio(ListedTimeline("cut", FILM, False, 0, tuple(events))))
    clips = [one for one in again.events if one.kind is SourceKind.CLIP]
    told = [(one.name, one.record_in, one.length, int(one.source_in.count)) for one in clips]
    assert told == [("A", 0, 50, 100), ("B", 50, 20, 120), ("D", 90, 10, 100)]


NTSC = Rate.parse("29.97")
MIXED = """TITLE: MIXED
FCM: DROP FRAME
001  FREE V C 00:01:00:00 00:01:02:00 01:00:00;00 01:00:02;00
002  DROP V C 01:00:10;00 01:00:12;00 01:00:02;00 01:00:04;00
003  FREE V C 01:00:10:00 01:00:12:00 01:00:04;00 01:00:06;00
"""


def test_each_source_is_counted_in_its_own_way_in_a_drop_frame_list() -> None:
    event_list = read_edl(MIXED, NTSC)
    assert [(int(one.source_in.count), one.source_in.drop) for one in event_list.events] == [
        (1800, False), (108_000 - 108 + 300, True), (108_300, False),
    ]  # fmt: skip
    again = write_edl(event_list).text
    assert [line[29:52] for line in again.splitlines() if line[:3].isdecimal()] == [
        line.split("C ", 1)[1][:23] for line in MIXED.splitlines()[2:]
    ]
    assert [str(one.first.timecode()) for one in pulls(event_list)] == ["00:01:00:00", "01:00:10:00", "01:00:10;00"]
    assert [one.source_in.drop for one in read_otio(write_otio(event_list)).events] == [False, True, False]


def test_without_semicolons_a_number_that_drop_frame_skips_tells_how_its_reel_is_counted() -> None:
    event_list = read_edl(MIXED.replace(";", ":"), NTSC)
    assert [(one.reel, one.source_in.drop) for one in event_list.events] == [
        ("FREE", False),
        ("DROP", True),
        ("FREE", False),
    ]


def test_the_command_reads_writes_and_compares(tmp_path: Path) -> None:
    path = tmp_path / "bell.edl"
    path.write_bytes(BELL.encode())
    told = json.loads(oddmeter("cut", path, "--rate", "25", "--json").out)
    assert told["events"][1] | {"path": ""} == {
        "track": "V", "kind": "clip", "name": "HB_GULLS", "reel": "HARBOUR2", "path": "", "record_in": 100,
        "length": 100, "source_rate": "25/1", "source_in": "180000/1", "speed": "2/1", "freeze": False,
            "source_drop_frame": None,
        "reverse": False, "transition": {"kind": "dissolve", "length": 25},
    }  # fmt: skip
    assert oddmeter("cut", path, "--to", tmp_path / "bell.otio").status == 0
    assert oddmeter("cut", path, "--to", tmp_path / "bell.otio").status == 1, "nothing is written over"
    versions = json.loads(oddmeter("cut", path, "--against", tmp_path / "bell.otio", "--json").out)
    assert {fate: len(events) for fate, events in versions.items()} == {
        "kept": 7, "moved": 0, "trimmed": 0, "retimed": 0, "new": 0, "gone": 0,
    }  # fmt: skip
    assert oddmeter("cut", path, "--to", tmp_path / "pull.csv", "--handles", "10").status == 0
    assert (tmp_path / "pull.csv").read_text().splitlines()[
        1
    ] == "FD_POUR,FOUNDRY1,,25/1,89990,90109,120,00:59:59:15,01:00:04:10,1"
    (tmp_path / "bad.edl").write_text("001 R V C 00:00:00:00 00:00:01:00 01:00:00:27 01:00:01:00\n")
    done = oddmeter("cut", tmp_path / "bad.edl", "--rate", "25", "--json")
    assert done.status == 1 and "Line 1" in done.err


def test_files_are_known_by_what_is_in_them() -> None:
    assert read_cut(BELL.encode("utf-16"), "x.edl", FILM).name == "THE TIDE BELL"
    event_list = read_edl(BELL, FILM)
    assert read_cut(write_cut(event_list, "x.otio").text.encode(), "x.txt").length == event_list.length
    for name in ("x.xml", "x"):
        with pytest.raises(RuleError, match="has to end in"):
            write_cut(event_list, name)
    for broken in (b"{", b"[1]", b'{"OTIO_SCHEMA": "Clip.1"}', b"{}"):
        with pytest.raises(RuleError):
            read_cut(broken, "x.otio")


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("1 R V C 0:00:00:00 0:00:01:00 1:00:00:00 1:00:01:00", ("V", "R", 25)),
        ("000001   A long reel name  V     C        00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00",
         ("V", "A long reel name", 25)),
        ("001\tR\tA3\tC\t00.00.00.00 00.00.01.00 01.00.00.00 01.00.01.00", ("A3", "R", 25)),
        ("001 R V KB 010 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00", ("V", "R", 25)),
        ("001 R V K O 010 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00", ("V", "R", 25)),
    ],
)  # fmt: skip
def test_lines_are_read_however_they_are_spaced(line: str, told: tuple[str, str, int]) -> None:
    (event,) = _events(line + "\r\n")
    assert (event.track, event.reel, event.length) == told


def test_more_sound_names_belong_to_the_event_above() -> None:
    text = "001 R AA C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\nAUD 3 4\nAUD  9\n"
    assert [one.track for one in _events(text)] == ["A1", "A2", "A3", "A4", "A9"]
    none = "001 R NONE C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\nAUD 3\n"
    assert [one.track for one in _events(none)] == ["A3"]


def test_a_list_runs_on_through_midnight() -> None:
    text = (
        "001 R V C 23:59:59:00 00:00:01:00 23:59:50:00 23:59:52:00\n"
        "002 R V C 01:00:00:00 01:00:20:00 23:59:52:00 00:00:12:00\n"
        "003 R V C 02:00:00:00 02:00:01:00 00:00:12:00 00:00:13:00\n"
    )
    event_list = read_edl(text, FILM)
    assert [(one.record_in, one.length) for one in event_list.events] == [(0, 50), (50, 500), (550, 25)]
    assert (event_list.timecode(0), event_list.timecode(550)) == ("23:59:50:00", "00:00:12:00")
    assert event_list.events[0].speed == 1, "its source runs through midnight too"
    marked = read_edl(f"{text}* LOC: 00:00:02:00 RED     past midnight\n", FILM)
    assert [one.at for one in marked.markers] == [300] and marked.timecode(300) == "00:00:02:00"
    again = read_edl(write_edl(marked).text, FILM)
    assert again.events == tuple(replace(one, line=again.events[n].line, number=again.events[n].number,
        comments=again.events[n].comments) for n, one in enumerate(marked.events))  # fmt: skip
    assert again.markers == marked.markers


@given(
    st.sampled_from(["25 24", "30 25", "29.97 25", "24 23.976", "59.94 25", "23.976 29.97"]),
    st.integers(1, 600), st.integers(0, 4000), st.booleans(),
)  # fmt: skip
def test_a_clip_of_another_rate_at_its_own_speed_needs_no_motion(
    rates: str, length: int, first: int, back: bool
) -> None:
    """Its in and out are rounded to full frames of its own; that alone is no speed."""
    source, rate = (Rate.parse(one) for one in rates.split())
    begins = first + (length * source.value / rate.value if back else Fraction(1, 3))
    event = ListedEvent(
        "V", SourceKind.CLIP, 0, length, "a", "A", "", Label(begins, source), reverse=back
    )  # fmt: skip
    written = write_edl(ListedTimeline("cut", rate, False, 0, (event,))).text
    (read,) = read_edl(
        "\n".join(line for line in written.splitlines() if back or not line.startswith("M2")), rate
    ).events
    assert read.speed == 1 and read.reverse is back


def test_without_motion_only_what_rounding_cannot_explain_is_a_speed() -> None:
    lines = "001 A V C 00:00:00:00 00:00:{:02}:{:02} 01:00:00:00 01:00:04:05\n* SOURCE RATE: 25\n"
    assert [_events(lines.format(*out), Rate.of(24))[0].speed for out in ((4, 4), (4, 5), (4, 6), (4, 7))] == [
        Fraction(104, 25) * Fraction(24, 101), 1, 1, Fraction(107, 25) * Fraction(24, 101)
    ]  # fmt: skip


def test_names_and_files_go_to_the_events_they_are_of() -> None:
    text = (
        "001 A V C 00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: one\n* SOURCE FILE: x/one.mov\n"
        "002 A V C 00:00:02:00 00:00:02:00 01:00:02:00 01:00:02:00\n"
        "002 B V D 010 00:00:00:00 00:00:02:00 01:00:02:00 01:00:04:00\n"
        "* FROM CLIP NAME: one\n* TO CLIP NAME: two\n* SOURCE FILE: x/two.mov\n* COMMENT: soft\n"
        "003 C V C 00:00:00:00 00:00:01:00 01:00:04:00 01:00:05:00\n"
        "003 C A C 00:00:00:00 00:00:01:00 01:00:04:00 01:00:05:00\n"
        "* FROM CLIP NAME: three\n"
    )
    told = [(one.track, one.name, one.path.rpartition("/")[2]) for one in _events(text)]
    assert told == [("V", "one", "one.mov"), ("V", "two", "two.mov"), ("V", "three", ""), ("A1", "three", "")]
    assert _events(text)[1].comments == ("COMMENT: soft",)


def test_motion_goes_to_its_reel_in_a_pair() -> None:
    text = (
        "001 A V C 00:00:00:00 00:00:04:00 01:00:00:00 01:00:02:00\n"
        "001 B V D 010 00:00:00:00 00:00:01:00 01:00:02:00 01:00:04:00\n"
        "M2 A 050.0 00:00:00:00\nM2 B 012.5 00:00:00:00\nM2 X 099.0 00:00:00:00\n"
    )
    event_list = read_edl(text, FILM)
    assert [one.speed for one in event_list.events] == [2, Fraction(1, 2)]
    assert [str(note) for note in event_list.notes] == ["Line 5: It cannot be read: “M2 X 099.0 00:00:00:00”."]


def test_a_source_that_runs_down_is_backwards() -> None:
    (event,) = _events("001 R V C 00:00:04:00 00:00:02:00 01:00:00:00 01:00:02:00\nM2 R -025.0 00:00:04:00\n")
    assert event.reverse and event.source_in.count == 100 and event.source_out(FILM).count == 50
    assert [int(place.count) for place in event.used(FILM)] == [50, 100]


def test_a_dissolve_longer_than_its_event_is_cut_to_it_and_noted() -> None:
    event_list = read_edl("001 R V D 100 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\n", FILM)
    assert event_list.events[0].transition == Transition("dissolve", 25)
    assert "longer than its event" in str(event_list.notes[0])


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(cuts(), st.integers(0, 3))
def test_nests_of_any_depth_are_the_same_cut_again(event_list: ListedTimeline, depth: int) -> None:
    for _ in range(depth):
        nest = ListedEvent(
            "V",
            SourceKind.TIMELINE,
            0,
            event_list.length,
            "nest",
            source_in=Label(Fraction(0), event_list.rate),
            inside=event_list,
        )
        event_list = ListedTimeline("Outer", event_list.rate, event_list.drop_frame, event_list.start, (nest,))
    again = read_otio(write_otio(event_list))
    for _ in range(depth):
        assert again.events[0].kind is SourceKind.TIMELINE and again.events[0].inside is not None
        again, event_list = again.events[0].inside, event_list.events[0].inside or event_list
    events = [one for one in cut_document(again)["events"] if one["kind"] != "gap"]
    assert events == cut_document(event_list)["events"]


@settings(max_examples=60, deadline=None)
@given(cuts(), st.data())
def test_a_cut_beside_itself_is_kept_and_each_event_comes_once(event_list: ListedTimeline, data: st.DataObject) -> None:
    assert {one.fate for one in compared(event_list, event_list)} <= {ChangeKind.KEPT}
    gone = data.draw(st.integers(0, len(event_list.events) - 1))
    shorter = replace(event_list, events=event_list.events[:gone] + event_list.events[gone + 1 :])
    found = compared(event_list, shorter)
    assert sum(one.was is not None for one in found) == len(event_list.events)
    assert sum(one.now is not None for one in found) == len(shorter.events)
    assert sum(one.fate is ChangeKind.GONE for one in found) == 1
    back = compared(shorter, event_list)
    assert sum(one.fate is ChangeKind.NEW for one in back) == 1


@settings(max_examples=60, deadline=None)
@given(cuts(), st.integers(0, 20))
def test_what_is_pulled_holds_all_that_is_shown_and_no_range_twice(event_list: ListedTimeline, handles: int) -> None:
    found = pulls(event_list, handles)
    for event in event_list.events:
        if event.kind is SourceKind.CLIP:
            low, high = event.used(event_list.rate)
            same = [one for one in found if (one.reel, one.name) == (event.reel, event.name)]
            assert any(one.first.count <= low.count and high.count <= one.stop.count for one in same)
    for one, other in pairwise(found):
        if (one.reel, one.name, one.path) == (other.reel, other.name, other.path):
            assert one.stop.count < other.first.count


def _second(value: float, rate: float = 25) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(value, rate)


def _clip(name: str, start: float, length: float, rate: float = 25, **more: object) -> otio.schema.Clip:
    where = otio.opentime.TimeRange(_second(start, rate), _second(length, rate))
    return otio.schema.Clip(name, source_range=where, **more)


def _read(*children: object, **timeline: object) -> ListedTimeline:
    track = otio.schema.Track("V", kind="Video", children=list(children))
    made = otio.schema.Timeline("T", **timeline)
    made.tracks.append(track)
    return read_otio(otio.adapters.write_to_string(made, "otio_json"))


def test_a_clip_without_a_range_is_its_whole_media() -> None:
    reference = otio.schema.ExternalReference(
        "file:///card/bell.mov", otio.opentime.TimeRange(_second(900, 50), _second(100, 50))
    )
    event_list = _read(otio.schema.Clip("bell", media_reference=reference), global_start_time=_second(90_000))
    (bell,) = event_list.events
    assert (bell.length, bell.source_in.rate, bell.path) == (50, Rate.of(50), "file:///card/bell.mov")
    assert bell.source_in.count == 900 and event_list.timecode(0) == "01:00:00:00"


def test_lengths_at_other_rates_are_laid_out_without_drifting() -> None:
    ntsc = 30000 / 1001
    event_list = _read(*(_clip(f"c{n}", 0, 31, ntsc) for n in range(100)), global_start_time=_second(0))
    exact = Fraction(31 * 1001, 30000) * 25
    assert [one.record_in for one in event_list.events] == [round(n * exact) for n in range(100)]
    assert {one.source_in.rate for one in event_list.events} == {Rate.parse("29.97")}


def test_speeds_multiply_and_a_reversed_range_begins_at_its_end() -> None:
    bell = _clip(
        "bell",
        100,
        50,
        effects=[otio.schema.LinearTimeWarp(time_scalar=2), otio.schema.LinearTimeWarp(time_scalar=-0.25)],
    )
    (event,) = _read(bell).events
    assert event.reverse and event.speed == Fraction(1, 2) and event.source_in.count == 125
    assert [label.count for label in (event.source_out(FILM), *event.used(FILM))] == [100, 100, 125]


def test_a_transition_is_laid_before_the_event_that_comes_in() -> None:
    event_list = _read(
        _clip("a", 0, 50), otio.schema.Transition("", "SMPTE_Dissolve", _second(0), _second(8)), _clip("b", 100, 50),
        otio.schema.Transition("", "Soft_Wipe", _second(5), _second(5)), otio.schema.Gap(duration=_second(10)),
        otio.schema.Transition("", "Flash", _second(0), _second(2)),
    )  # fmt: skip
    a, b, gap = event_list.events
    assert (a.length, b.record_in, b.transition) == (50, 50, Transition("dissolve", 8))
    assert (b.length, gap.kind, gap.record_in, gap.transition) == (45, SourceKind.GAP, 95, Transition("wipe", 10))
    assert "leads to nothing" in str(event_list.notes[0])


def test_a_collection_a_track_and_a_clip_outside_of_any() -> None:
    timeline = otio.schema.Timeline("Inside")
    timeline.tracks.append(otio.schema.Track("V", kind="Video", children=[_clip("a", 0, 5)]))
    held = otio.schema.SerializableCollection(children=[_clip("loose", 0, 5), timeline])
    assert read_otio(otio.adapters.write_to_string(held, "otio_json")).name == "Inside"
    alone = otio.schema.Track("A1", kind="Audio", children=[_clip("a", 0, 5)])
    assert read_otio(otio.adapters.write_to_string(alone, "otio_json")).events[0].is_sound
    with pytest.raises(RuleError, match="This OpenTimelineIO file contains no timeline"):
        read_otio(otio.adapters.write_to_string(_clip("loose", 0, 5), "otio_json"))
    with pytest.raises(RuleError, match="has neither a source range nor a length"):
        _read(otio.schema.Clip("nothing known"), global_start_time=_second(0))
    with pytest.raises(RuleError, match="This timeline does not state its rate"):
        read_otio(otio.adapters.write_to_string(otio.schema.Timeline("empty"), "otio_json"))


def test_tracks_have_names_of_their_own_or_get_them() -> None:
    timeline = otio.schema.Timeline("T")
    for name, kind in (("", "Video"), ("", "Video"), ("Dialogue", "Audio"), ("A7", "Audio"), ("A7", "Audio")):
        timeline.tracks.append(otio.schema.Track(name, kind=kind, children=[_clip("a", 0, 5)]))
    event_list = read_otio(otio.adapters.write_to_string(timeline, "otio_json"))
    assert event_list.tracks == ("V", "V2", "A1", "A7", "A3")
    again = read_otio(write_otio(event_list))
    assert again.tracks == event_list.tracks and cut_document(again) == cut_document(event_list)


def test_what_is_under_a_frame_long_is_left_out_with_a_note() -> None:
    event_list = _read(_clip("a", 0, 50), _clip("blink", 0, 1, 1000), _clip("b", 0, 50), global_start_time=_second(0))
    assert [one.name for one in event_list.events] == ["a", "b"] and "shorter than a frame" in str(event_list.notes[0])


def test_the_command_says_what_it_reads_in_lines(tmp_path: Path) -> None:
    path = tmp_path / "bell.edl"
    path.write_bytes(BELL.encode())
    told = oddmeter("cut", path, "--rate", "25").out.splitlines()
    assert told[0] == "THE TIDE BELL: 25, from 01:00:00:00, 400 frames"
    assert told[2].split() == ["V", "01:00:04:00", "100", "200.000", "%", "HB_GULLS"]
    assert told[-1] == "Line 15: It cannot be read: “nobody reads this”."
    pulled = json.loads(oddmeter("cut", path, "--rate", "25", "--pull", "--handles", "5").out)
    assert [(one["reel"], one["frames"]) for one in pulled] == [
        ("FOUNDRY1", 110), ("HARBOUR2", 210), ("HARBOUR2", 60), ("STILL", 11),
    ]  # fmt: skip
    shorter = tmp_path / "v2.edl"
    shorter.write_text("\n".join(BELL.splitlines()[:5]))
    versions = oddmeter("cut", path, "--rate", "25", "--against", shorter).out.splitlines()
    assert versions[0].split() == ["kept", "1"] and "gone         6" in versions


@pytest.mark.parametrize(
    ("arguments", "status", "said"),
    [
        (["none.edl"], 2, "cannot be read"),
        (["bell.edl", "--rate", "fast"], 2, "is not a rate"),
        (["bell.edl", "--to", "out.xml"], 1, "has to end in .edl for EDL"),
        (["plain.edl", "--rate", "24", "--drop-frame"], 1, "drop-frame timecode, which does not exist at 24"),
        (["empty.edl"], 1, "no event"),
        (["drop.edl", "--rate", "25"], 1, "Line 1"),
    ],
)
def test_what_cannot_be_read_ends_with_one_sentence(
    tmp_path: Path, arguments: list[str], status: int, said: str
) -> None:
    (tmp_path / "bell.edl").write_bytes(BELL.encode())
    (tmp_path / "empty.edl").write_text("")
    (tmp_path / "plain.edl").write_text("001 R V C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\n")
    (tmp_path / "drop.edl").write_text("001 R V C 00:00:00;00 00:00:01;00 01:00:00;00 01:00:01;00\n")
    done = oddmeter("cut", tmp_path / arguments[0], *arguments[1:])
    assert (done.status, done.out) == (status, "") and said in done.err and done.err.count("\n") == 1


@pytest.mark.parametrize(
    "text",
    ['{"a":' * 100_000, "[" * 100_000, '{"OTIO_SCHEMA":"Timeline.1","metadata":' + '{"a":' * 2_000, '"\\' * 50_000],
)
def test_a_document_nested_without_end_is_refused_before_the_library_goes_down(text: str) -> None:
    """Its parser calls itself for each bracket, and ended the process."""
    with pytest.raises(RuleError, match=r"nested more than 1000 levels deep|is not an OpenTimelineIO file"):
        read_otio(text)


@settings(max_examples=60, deadline=None)
@given(lists())
def test_events_of_every_kind_written_as_otio_are_the_same_again(book: Shelf) -> None:
    """Straight and curved, backwards, of variable clips, dissolved, grouped, and nested at another rate."""
    rates = {0: FILM, 7: Rate.of(24)}
    told = listed_cut(book, lambda one: Timeline(one, TimelineSettings("cut", rates[one]), 1), 0, {})
    again = read_otio(write_otio(told))

    def said(event_list: ListedTimeline) -> list[object]:
        return [
            (event_document(one), one.curve, one.inside and (one.inside.rate, said(one.inside)))
            for name in event_list.tracks for one in event_list.on(name) if one.kind is not SourceKind.GAP
        ]  # fmt: skip

    assert said(again) == said(told) and again.rate == told.rate
