"""The demo show: made once, true to what its generator says, small and quick enough to ship."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from oddmeter.core.cutting.events import FIRST_PICTURE
from oddmeter.core.decisions.recipes import Traits, deciding
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.cuts import OLDER, PASSAGE, THEME
from oddmeter.demo.footage import SHOW_FOLDER, Take, write_take, write_takes
from oddmeter.demo.framecode import read
from oddmeter.demo.show import TIMELINES, make_demo
from oddmeter.demo.sound import SAMPLE_RATE, harbour_sound
from oddmeter.demo.takes import RECORDINGS, REPORTS, TAKES, TRAPS, make_footage
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.sound.beats import beats_in
from oddmeter.store import clips, decisions, events, logs, shows
from oddmeter.store.database import Database


def test_it_is_made_once_with_all_that_came_in(database: Database, media_root: Path) -> None:
    assert make_demo(database, "Footage", media_root)
    assert not make_demo(database, "Footage", media_root)
    with database.transaction() as connection:
        (show,) = shows.all_shows(connection)
        deliveries = clips.deliveries(connection, show.id)
        found = clips.clips_of_show(connection, show.id, proxies=True)
        reports = logs.logs_of_show(connection, show.id)
    assert show.default_timeline is not None and show.default_timeline.settings == TIMELINES[0]
    assert [t.settings.rate.spoken for t in show.timelines] == ["25", "29.97", "23.976", "25"]
    assert len(deliveries) == 10 and len(found) == len(TAKES) + len(TRAPS) + len(RECORDINGS) >= 31
    assert sum(clip.proxy_of is not None for clip in found) == 2
    assert {report.name for report in reports} == {report.name for report in REPORTS}
    by_name = {clip.name: clip for clip in found}
    assert by_name["FD1_C01_pour_fast.mov"].shot_rate == Rate.of(150), "the camera report says so"
    assert by_name["AT_S8_18_garden.mov"].shot_rate == Rate.of(18), "so runs its gauge, and so hints its name"


def test_its_recipes_fit_what_they_are_meant_for(database: Database, media_root: Path) -> None:
    make_demo(database, "Footage", media_root)
    with database.transaction() as connection:
        (show,) = shows.all_shows(connection)
        recipes = decisions.house(connection, show.id).recipes
    timeline = TIMELINES[0].rate

    def first(shot: str, file: str, scan: str = "progressive", gauge: str = "") -> str:
        rates = (Rate.parse(shot), Rate.parse(file), timeline)
        clip = Traits("a.mov", "", "Card", *rates, scan=scan, gauge=gauge)
        found = deciding(recipes, clip)
        assert found is not None
        return found.name

    assert first("800", "24") == first("240", "25") == "Very fast, a tenth of real time"
    assert first("150", "25") == first("100", "100") == "High-frame-rate, half real time"
    assert first("16", "25", gauge="8mm") == "Film, as it was shot"
    assert first("29.97", "29.97", "interlaced") == "Tapes, each field a picture"
    assert first("24", "24") == "Almost right: every frame"
    assert first("59.94", "59.94") == "Everything else in real time"


def test_it_holds_the_rates_that_a_house_meets() -> None:
    headers = {take.header.spoken for take in TAKES}
    assert headers >= {"25", "50", "100", "59.94", "119.88", "29.97", "23.976", "30"}
    assert {take.name.rsplit(".", 1)[1] for take in TAKES} == {"mov", "mp4", "mkv"}
    shot_against_header = {(take.shot.spoken, take.header.spoken) for take in (*TAKES, *TRAPS)}
    assert shot_against_header >= {
        ("150", "25"),
        ("240", "25"),
        ("800", "24"),
        ("12", "24"),
        ("16", "25"),
        ("18", "30"),
    }


def test_it_is_small(media_root: Path) -> None:
    make_footage(media_root)
    assert sum(path.stat().st_size for path in (media_root / SHOW_FOLDER).rglob("*") if path.is_file()) < 60_000_000


@pytest.mark.parametrize("take", TAKES, ids=lambda take: take.name)
def test_every_frame_of_it_tells_its_number(take: Take, media_root: Path) -> None:
    with FrameReader(media_root / take.relative_path) as reader:
        for number in range(0, take.frames, 7):
            picture = reader.frame(number).reformat(format="gray").to_ndarray()
            assert read(picture.astype(np.uint8)) == number


def test_the_same_take_gives_the_same_pictures(tmp_path: Path) -> None:
    take = TAKES[0]
    small = Take(take.delivery, take.name, take.scene, take.shot, take.header, 12, take.start)
    pictures = []
    for folder in ("a", "b"):
        write_take(small, tmp_path / folder / "clip.mov")
        with FrameReader(tmp_path / folder / "clip.mov") as reader:
            pictures.append([reader.frame(n).to_ndarray() for n in range(12)])
    assert all(np.array_equal(a, b) for a, b in zip(*pictures, strict=True))
    assert [p.name for p in (tmp_path / "a").iterdir()] == ["clip.mov"]


def test_pictures_of_a_sequence_bear_their_names_once_they_are_whole(tmp_path: Path) -> None:
    chart = replace(TRAPS[-1], frames=4, missing=(2,))
    write_take(chart, tmp_path / chart.name)
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"tide_chart_000{n}.png" for n in (1, 3, 4)]


def test_a_take_that_cannot_be_written_is_named(tmp_path: Path) -> None:
    (tmp_path / "card").write_text("a file where a folder belongs")
    with pytest.raises(RuleError, match=r"FD1_A01_interview\.mov of the demo could not be written"):
        write_takes([(TAKES[0], tmp_path / "card" / "clip.mov")])


def test_clicks_stand_on_whole_seconds(footage: dict[str, Path]) -> None:
    sound = harbour_sound(3, 2)
    assert sound.shape == (2, 3 * SAMPLE_RATE)
    for second in (0, 1, 2):
        loud = np.abs(sound[0, second * SAMPLE_RATE : second * SAMPLE_RATE + 150].astype(int)).mean()
        quiet = np.abs(sound[0, second * SAMPLE_RATE + 400 : second * SAMPLE_RATE + 550].astype(int)).mean()
        assert loud > 1.4 * quiet
    with av.open(str(footage["HB_gulls_30.mp4"])) as container:
        assert container.streams.audio[0].channels == 1


def test_its_cuts_hold_together_and_the_older_one_is_a_list(database: Database, media_root: Path) -> None:
    make_demo(database, "Footage", media_root)
    with database.transaction() as connection:
        (show,) = shows.all_shows(connection)
        cuts = {one.settings.name: events.event_list_of(connection, one) for one in show.timelines}
        names = {clip.name: clip.id for clip in clips.clips_of_show(connection, show.id)}
    film, air, passage = cuts["The film"], cuts["Broadcast"], cuts[PASSAGE]
    (nest,) = [event for event in film.events if event.timeline_id is not None]
    assert nest.length == 2 * passage.length, "slowed to a half, and shown whole"
    assert len([gap for gap in film.gaps() if gap[0] == FIRST_PICTURE]) == 1 and len(air.events) == len(film.events)
    (theme,) = (event for event in film.events if event.name == THEME)
    on_the_cut = (theme.source_in + nest.record_in + 2 * passage.in_time[1].record_in - theme.record_in) / 25
    beats = beats_in(next(media_root.rglob(THEME))).beats
    assert min(abs(beat - on_the_cut) for beat in beats) < Fraction(1, 50), "the passage cuts on a beat"
    for was, now in zip(film.by_track[FIRST_PICTURE], air.by_track[FIRST_PICTURE], strict=True):
        assert abs(now.record_in - was.record_in * air.rate.value / 25) <= Fraction(1, 2)
    takes = {take.name: take for take in TAKES}
    for event in film.events:
        if event.clip_id is not None and event is not theme:
            assert names[event.name] == event.clip_id and event.source_in < takes[event.name].frames
    older = read_edl((media_root / OLDER).read_text(), film.rate)
    assert len(older.events) == 5 and not older.notes and older.timecode(0) == "01:00:00:00"
    assert {event.name for event in older.events} <= {name.rpartition(".")[0] for name in names}
