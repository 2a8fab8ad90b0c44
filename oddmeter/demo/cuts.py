"""The cuts of The Tide Bell: the film with a slow passage nested in it, its broadcast version, and an older version of
the film as an edit decision list."""

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from oddmeter.core.cutting.edits import in_order
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import ListedEvent, ListedTimeline, Marker, SourceKind, Transition
from oddmeter.core.cutting.rerating import rerated
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.numbers.places import Label, SourceFrame
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.footage import SHOW_FOLDER
from oddmeter.interchange.edl.writing import write_edl

FILM = Rate.of(25)
PASSAGE = "Pour, slow"
OLDER = f"{SHOW_FOLDER}/Lists/film_version_1.edl"
_SOUND, _MUSIC = Track(TrackKind.SOUND, 1), Track(TrackKind.SOUND, 2)
THEME = "bell_theme_96.wav"
_STROKE = 87
"""The frame at 25 of the theme's sixth beat, on which the passage cuts from the pour to the sparks."""


def film(clips: Mapping[str, int], passage_id: int) -> EventList:
    """The film: talk, the bell dissolving in at a quarter, the harbour, the slow passage, gulls backwards, a gap, and a
    shot that asks for more than there is. Under the passage runs the theme, which strikes where it cuts."""
    talk = _use(clips, "FD1_A01_interview.mov", 20, 120)
    events = [
        replace(talk, group=-1), replace(talk, id=-2, group=-1, track=_SOUND),
        _use(clips, "FD1_B01_bell_swing_100.mov", 60, 150, "speed 1/4", transition=Transition("dissolve", 12)),
        _use(clips, "HB_boat_59.mp4", 30, 75, "speed 1"),
        Event(
            -5, FIRST_PICTURE, SourceKind.TIMELINE, 0, 160, timeline_id=passage_id, name=PASSAGE,
            decisions=Decisions.parse({"intent": "speed 1/2"}), transition=Transition("dissolve", 10),
        ),
        replace(
            _use(clips, "HB_gulls_30.mp4", 200, 100), decisions=Decisions.parse({"intent": "speed 1", "reverse": "yes"})
        ),
        _use(clips, "VR_lantern_24.mkv", 24, 96, "every-frame"),
        _use(clips, "FD1_A02_mould_50.mov", 200, 70, "speed 1"),
    ]  # fmt: skip
    laid = in_order(replace(event, id=-1 - number) for number, event in enumerate(events))
    last, slow = laid[-1].record_in, next(event for event in laid if event.timeline_id == passage_id)
    music = replace(
        _use(clips, THEME, _STROKE - slow.length // 2, slow.length + 50), id=-1 - len(laid), track=_MUSIC,
        record_in=slow.record_in,
    )  # fmt: skip
    return EventList(FILM, (*(event.moved(25) if event.record_in == last else event for event in laid), music))


def passage(clips: Mapping[str, int]) -> EventList:
    """The passage that the film slows: two high-frame-rate shots in real time."""
    pour = _use(clips, "FD1_C01_pour_fast.mov", 90, 40, "speed 6")
    sparks = _use(clips, "FD1_B02_sparks_119.mov", 48, 40, "speed 1", transition=Transition("dissolve", 6))
    return EventList(FILM, in_order([replace(pour, id=-1), replace(sparks, id=-2)]))


def broadcast(the_film: EventList, rate: Rate) -> EventList:
    """The film at the rate of its broadcast version; the theme, which is sound alone, is counted in that, too."""
    there = rerated(the_film, rate, lambda event: None).event_list
    (theme,) = (event for event in there.events if event.track == _MUSIC)
    return there.with_events([replace(theme, source_in=SourceFrame(theme.source_in * rate.value / FILM.value))])


def write_older(root: Path) -> Path:
    """Write the older version of the film below a media root; returns its path."""
    path = root / OLDER
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(write_edl(_older()).text)
    return path


def _older() -> ListedTimeline:
    """A first version: no passage yet, the harbour before the bell, a talk that ran longer."""
    cuts = (
        ("FD1_A01_interview", "09:58:10:00", 10, 140, Fraction(1), None),
        ("HB_boat_59", "14:00:00:00", 30, 75, Fraction(1), None),
        ("FD1_B01_bell_swing_100", "10:21:30:00", 15, 150, Fraction(1, 4), Transition("dissolve", 12)),
        ("FD1_C01_pour_fast", "11:05:00:00", 90, 60, Fraction(2), None),
        ("HB_quay_29", "14:22:00:00", 20, 100, Fraction(1), Transition("dissolve", 10)),
    )
    at, events = 0, []
    for name, timecode, into, length, speed, transition in cuts:
        hours, minutes, seconds, _ = map(int, timecode.split(":"))
        source = (hours * 3600 + minutes * 60 + seconds) * 25 + into
        events.append(
            ListedEvent(
                "V", SourceKind.CLIP, at, length, name, name[:8], source_in=Label(Fraction(source), FILM),
                speed=speed, transition=transition,
            )
        )  # fmt: skip
        at += length
    bell = Marker(290, "the bell at rest", "red")
    return ListedTimeline("THE TIDE BELL, VERSION 1", FILM, False, 90_000, tuple(events), markers=(bell,))


def _use(
    clips: Mapping[str, int],
    name: str,
    source_in: int,
    length: int,
    wish: str = "",
    transition: Transition | None = None,
) -> Event:
    decisions = Decisions.parse({"intent": wish} if wish else {})
    return Event(
        -1, FIRST_PICTURE, SourceKind.CLIP, 0, length, SourceFrame(Fraction(source_in)), clip_id=clips[name],
        decisions=decisions, transition=transition, name=name,
    )  # fmt: skip
