"""Files of whole timelines, held frame by frame against the codes in their pictures, and sample by sample."""

import io
import wave
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from math import floor
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import pytest

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.proof import Proof
from oddmeter.core.conform.speeds import conform
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList, Track, TrackKind
from oddmeter.core.cutting.listed import SourceKind, Transition
from oddmeter.core.cutting.ranges import range_of_event, range_of_timeline, range_of_transition
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.treatment import Between, Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planar, planes_of
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.light import mixed
from oddmeter.media.pictures.planes import field_of
from oddmeter.media.plans import ClipPlan
from oddmeter.media.ranges import TimelinePlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, SHIPPED
from oddmeter.media.sound.hearing import Hearing
from oddmeter.media.soundtracks import Footage, mix_of
from oddmeter.media.verify import verify
from tests.core.test_cutting import Shelf, bent, clip_event, speed

BELL, BOAT, TALK, TAPE = "FD1_B01_bell_swing_100.mov", "HB_boat_59.mp4", "FD1_A01_interview.mov", "RG_start_50i.mov"
CLIPS = {1: BELL, 2: BOAT, 3: TALK, 4: TAPE}
SOUND = Track(TrackKind.SOUND, 1)
FILM = TimelineSettings("The film", Rate.of(25), 640, 360, start=90_000)


def nest(number: int, at: int, length: int, inside: int, decisions: Decisions, **more: object) -> Event:
    event = Event(number, FIRST_PICTURE, SourceKind.TIMELINE, at, length, timeline_id=inside, decisions=decisions)
    return replace(event, **more)  # type: ignore[arg-type]


class Desk:
    """Timelines of the demo's footage, and files made of them."""

    def __init__(self, footage: dict[str, Path], folder: Path, treat: Callable[[Treatment], Treatment]) -> None:
        self.footage = {number: Footage(footage[name], probe(footage[name])) for number, name in CLIPS.items()}
        materials = {}
        for number, one in self.footage.items():
            assert one.facts.file_rate is not None
            materials[number] = Material(one.facts.frames, one.facts.file_rate)
        self.book, self.folder = Shelf({}, materials, treat), folder

    def plan(self, settings: TimelineSettings = FILM, setting: Setting = ARCHIVE) -> TimelinePlan:
        render_range = range_of_timeline(self.book, 0, settings, self.book.cuts[0])
        return self.of(render_range, setting)

    def of(self, render_range: object, setting: Setting = ARCHIVE) -> TimelinePlan:
        out = self.folder / f"made{setting.suffix}"
        used = {one: self.footage[one] for one in render_range.clip_ids}  # type: ignore[attr-defined]
        return TimelinePlan(render_range, used, setting, out)  # type: ignore[arg-type]


@pytest.fixture
def desk(footage: dict[str, Path], tmp_path: Path) -> Desk:
    return Desk(footage, tmp_path, lambda treatment: treatment)


def test_a_timeline_runs_on_through_midnight(desk: Desk) -> None:
    late = replace(FILM, start=24 * 3600 * 25 - 50)
    desk.book.cuts[0] = EventList(late.rate, (clip_event(1, 100, 20),))
    render_range = range_of_timeline(desk.book, 0, late, desk.book.cuts[0])
    assert str(desk.of(replace(render_range, first=100)).start) == "00:00:02:00" == late.timecode(100)


def made_and_proven(plan: TimelinePlan) -> Proof:
    render(plan)
    proof = verify(plan)
    assert proof.passed, [check for check in proof.checks if not check.passed]
    return proof


def codes(path: Path, numbers: range, field: FieldOrder | None = None) -> list[int | None]:
    with FrameReader(path) as made:
        return [code(made.frame(number), field) for number in numbers]


def code(frame: av.VideoFrame, field: FieldOrder | None = None) -> int | None:
    if field is not None:
        return read(np.repeat(planes_of(planar(field_of(frame, field)))[0], 2, axis=0).astype(np.uint8))
    return read(planes_of(planar(frame))[0].astype(np.uint8))


def film(desk: Desk) -> None:
    """A straight event, one on a curve, one backwards, a nest slowed to a fifth, a gap, one that runs out."""
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (
            clip_event(1, 0, 12, 40, decisions=speed("1/4")),
            clip_event(2, 12, 30, 100, decisions=bent()),
            clip_event(3, 42, 10, 200, decisions=speed("1/2", reverse=True)),
            nest(4, 52, 25, 7, speed("1/5"), source_in=Fraction(5)),
            clip_event(5, 80, 10, 494),
        ),
    )
    desk.book.cuts[7] = EventList(
        Rate.of(24), (clip_event(1, 0, 8, 300), clip_event(2, 8, 40, 20, decisions=speed("1/2")))
    )


def nested_place(moment: Fraction) -> int:
    """By hand: seconds of the film since the nest began, a fifth as fast in a timeline at 24 from its frame 5 on; there
    the clip at 100 from 300 on for eight frames, then from 20 on at half speed."""
    inner = 5 + moment / 5 * 24
    return floor(300 + inner / 24 * 100) if inner < 8 else floor(20 + (inner - 8) / 24 * 100 / 2)


@pytest.mark.parametrize("setting", SHIPPED)
def test_every_frame_of_a_timeline_shows_what_was_planned(setting: Setting, desk: Desk) -> None:
    film(desk)
    plan = desk.plan(setting=setting)
    made_and_proven(plan)
    assert (plan.length, str(plan.start)) == (90, "01:00:00:00")
    assert codes(plan.out, range(12)) == [40 + j for j in range(12)], "a quarter of 100 on 25 is every frame"
    assert codes(plan.out, range(42, 52)) == [199 - 2 * j for j in range(10)], (
        "what ends at 200 is run through from 199"
    )
    assert codes(plan.out, range(52, 77)) == [nested_place(Fraction(j, 25)) for j in range(25)]
    assert codes(plan.out, range(80, 90)) == [494, 498, *[499] * 8], "the last good frame is held"
    curved = desk.book.window(0, desk.book.cuts[0].event(2))
    assert curved is not None and codes(plan.out, range(12, 42)) == list(curved.frame_map.picks())
    with FrameReader(plan.out) as made:
        for number in (77, 79):
            luma = planes_of(planar(made.frame(number)))[0]
            assert luma.max() - luma.min() <= 2 and abs(int(luma.mean()) - 16) <= 1, "black, in video range"


@pytest.mark.parametrize("scan", [TimelineScan.UPPER, TimelineScan.LOWER])
def test_on_an_interlaced_timeline_each_field_has_its_own_moment(scan: TimelineScan, desk: Desk) -> None:
    film(desk)
    plan = desk.plan(replace(FILM, scan=scan))
    proof = made_and_proven(plan)
    assert scan.first is not None
    for late, field in ((0, scan.first), (1, scan.first.other)):
        half = Fraction(late, 2)
        assert codes(plan.out, range(52, 77), field) == [nested_place((j + half) / 25) for j in range(25)]
        backwards = [-floor(-(200 - 2 * (j + half))) - 1 for j in range(10)]
        assert codes(plan.out, range(42, 52), field) == backwards
    checks = {check.name: check.found for check in proof.checks}
    assert checks["fields"] == f"{scan.first} first"


def test_a_dissolve_adds_both_pictures_as_light_through_its_frames(desk: Desk) -> None:
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (
            clip_event(1, 0, 10, 0),
            clip_event(2, 10, 20, 0, clip_id=3, transition=Transition("dissolve", 5)),
        ),
    )
    plan = desk.plan()
    made_and_proven(plan)
    with (
        FrameReader(plan.out) as made, FrameReader(desk.footage[1].path) as bell,
        FrameReader(desk.footage[3].path) as talk,
    ):  # fmt: skip
        for j in range(5):
            wanted = mixed(bell.frame(40 + 4 * j), talk.frame(j), (j + 0.5) / 5)
            assert same(made.frame(10 + j), wanted), j
    assert codes(plan.out, range(9, 16, 6)) == [36, 5]


def same(a: av.VideoFrame, b: av.VideoFrame) -> bool:
    return all(np.array_equal(x, y) for x, y in zip(planes_of(planar(a)), planes_of(planar(b)), strict=True))


def test_other_rasters_and_matrices_come_into_the_one_of_the_timeline(desk: Desk) -> None:
    """A tape at 720 × 576 with its own pixel shape beside video at 640 × 360, in high definition."""
    desk.book.cuts[0] = EventList(FILM.rate, (clip_event(1, 0, 6, 10, clip_id=4), clip_event(2, 6, 6, 0, clip_id=2)))
    plan = desk.plan(replace(FILM, width=1280, height=720))
    made_and_proven(plan)
    with FrameReader(plan.out) as made:
        tape, boat = made.frame(2), made.frame(8)
        assert {(int(one.colorspace), int(one.color_range)) for one in (tape, boat)} == {(1, 1)}, "BT.709, video range"
        luma = planes_of(planar(tape))[0]
        assert luma[:, :100].max() <= 17 and luma[:, 1180:].max() <= 17, "4:3 in 16:9, with black beside it"


def test_clips_of_any_depth_and_colour_stand_in_one_file_that_loses_none_of_it(desk: Desk) -> None:
    """Red, green and blue, grey of sixteen bits, ten bits at an odd width, full range; dissolving into each other."""
    kinds = (("bgr0", (64, 48)), ("gray16le", (64, 48)), ("yuv422p10le", (641, 361)), ("yuvj420p", (320, 180)))
    (desk.folder / "clips").mkdir()
    for number, (pixel_format, size) in enumerate(kinds, 10):
        path = drawn(desk.folder / "clips" / f"{pixel_format}.mkv", pixel_format, size)
        desk.footage[number] = Footage(path, probe(path))
        desk.book.materials[number] = Material(10, Rate.of(25))
    desk.book.cuts[0] = EventList(
        FILM.rate,
        tuple(
            clip_event(n, 5 * n, 5, clip_id=10 + n, transition=Transition("dissolve", 3) if n else None)
            for n in range(len(kinds))
        ),
    )
    plan = desk.plan()
    made_and_proven(plan)
    assert probe(plan.out).pixel_format == "yuv444p16le", "what holds the depth of one and the colour of another"
    desk.book.cuts[0] = EventList(FILM.rate, (Event(1, FIRST_PICTURE, SourceKind.BLACK, 0, 4),))
    plan.out.unlink()
    made_and_proven(desk.plan())


def drawn(path: Path, pixel_format: str, size: tuple[int, int]) -> Path:
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mjpeg" if pixel_format == "yuvj420p" else "ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = *size, pixel_format
        for number in range(10):
            picture = np.full((size[1], size[0], 3), 20 * number, np.uint8)
            picture[:, : size[0] // 2, 0] = 200
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(format=pixel_format, threads=1)
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def test_built_moments_are_the_same_in_the_timeline_and_by_themselves(footage: dict[str, Path], tmp_path: Path) -> None:
    desk = Desk(footage, tmp_path, lambda treatment: replace(treatment, between=Between.FLOW))
    desk.book.cuts[0] = EventList(FILM.rate, (clip_event(1, 0, 8, 12, decisions=speed("1/10")),))
    plan = desk.plan()
    assert [plan.shown(number).built for number in range(6)] == [False, True, True, True, True, False], "0.4 a frame"
    made_and_proven(plan)


# sound


def tone(path: Path) -> npt.NDArray[np.float32]:
    """All samples of the first sound of a file, shape (channels, samples)."""
    with av.open(str(path)) as container:
        resampler = av.AudioResampler(format="fltp")
        parts = [made.to_ndarray() for frame in container.decode(audio=0) for made in resampler.resample(frame)]
    return np.concatenate(parts, axis=1)


def test_sounds_are_added_at_unity_to_the_sample(desk: Desk) -> None:
    talk = {"clip_id": 3, "track": SOUND}
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (
            clip_event(1, 0, 40),
            clip_event(2, 5, 20, 30, **talk),
            clip_event(3, 12, 20, 100, **{**talk, "track": Track(TrackKind.SOUND, 2)}),
        ),
    )
    plan = desk.plan()
    made_and_proven(plan)
    source, made = tone(desk.footage[3].path), tone(plan.out)
    wanted = np.zeros((2, 40 * 1920), np.float32)
    wanted[:, 5 * 1920 : 25 * 1920] += source[:, 30 * 1920 : 50 * 1920]
    wanted[:, 12 * 1920 : 32 * 1920] += source[:, 100 * 1920 : 120 * 1920]
    assert made.shape == wanted.shape and np.abs(made - np.clip(wanted, -1, 1)).max() <= 2**-23


def test_a_dissolve_of_sound_goes_over_evenly(desk: Desk) -> None:
    talk = {"clip_id": 3, "track": SOUND}
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (
            clip_event(1, 0, 10, 0, **talk),
            clip_event(2, 10, 20, 100, **talk, transition=Transition("dissolve", 5)),
        ),
    )
    plan = desk.plan()
    made_and_proven(plan)
    source, made = tone(desk.footage[3].path), tone(plan.out)
    up = ((np.arange(5 * 1920) + 0.5) / (5 * 1920)).astype(np.float32)
    wanted = source[:, 10 * 1920 : 15 * 1920] * (1 - up) + source[:, 100 * 1920 : 105 * 1920] * up
    assert np.abs(made[:, 10 * 1920 : 15 * 1920] - wanted).max() <= 2**-22
    assert np.abs(made[:, 15 * 1920 :] - source[:, 105 * 1920 : 120 * 1920]).max() <= 2**-23


def test_a_nested_timeline_is_heard_at_the_speed_of_its_event(desk: Desk) -> None:
    """At half speed backwards from its end: the samples of the inner mix, each where it belongs."""
    talk = {"clip_id": 3, "track": SOUND}
    desk.book.cuts[7] = EventList(FILM.rate, (clip_event(1, 0, 20, 10, **talk), clip_event(2, 20, 20, 80, **talk)))
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (nest(1, 4, 40, 7, speed(1, reverse=True), source_in=Fraction(40), track=SOUND),),
    )
    plan = desk.plan()
    made_and_proven(plan)
    source, made = tone(desk.footage[3].path), tone(plan.out)
    inner = np.concatenate([source[:, 10 * 1920 : 30 * 1920], source[:, 80 * 1920 : 100 * 1920]], axis=1)
    assert not made[:, : 4 * 1920].any()
    assert np.abs(made[:, 4 * 1920 :] - inner[:, ::-1]).max() <= 2**-22


# parts of a timeline


def test_an_event_of_a_nest_has_its_handles_and_a_transition_its_frames(desk: Desk) -> None:
    film(desk)
    event_list = desk.book.cuts[0]
    event = event_list.event(4)
    render_range = range_of_event(desk.book, 0, FILM, event, 5, 3)
    plan = desk.of(render_range)
    made_and_proven(plan)
    assert (plan.length, plan.start.frames) == (33, 90_000 + 52 - 5)
    assert codes(plan.out, range(33)) == [nested_place(Fraction(j - 5, 25)) for j in range(33)]
    plan.out.unlink()
    dissolved = event_list.with_events([replace(event, transition=Transition("dissolve", 6))])
    desk.book.cuts[0] = dissolved
    into = desk.of(range_of_transition(desk.book, 0, FILM, dissolved.event(4)))
    made_and_proven(into)
    assert (into.length, into.start.frames) == (6, 90_052)
    with pytest.raises(RuleError, match="This event has no transition"):
        range_of_transition(desk.book, 0, FILM, dissolved.event(5))


def test_a_file_that_is_not_as_planned_is_found_out(desk: Desk) -> None:
    """One frame of another place in one event, one sample of sound: both are named."""
    talk = {"clip_id": 3, "track": SOUND}
    desk.book.cuts[0] = EventList(FILM.rate, (clip_event(1, 0, 30, 40), clip_event(2, 0, 30, 0, **talk)))
    plan = desk.plan()
    render(plan)
    desk.book.cuts[0] = EventList(FILM.rate, (clip_event(1, 0, 30, 42), clip_event(2, 0, 30, Fraction(1, 10), **talk)))
    failed = {check.name for check in verify(desk.plan()).checks if not check.passed}
    assert {"pictures", "sound, each sample"} <= failed and "frames" not in failed


def test_high_range_and_video_are_not_put_into_one_file(desk: Desk) -> None:
    desk.book.cuts[0] = EventList(FILM.rate, (clip_event(1, 0, 5), clip_event(2, 5, 5, 0, clip_id=3)))
    bright = desk.footage[1]
    desk.footage[1] = replace(bright, facts=replace(bright.facts, transfer="HLG"))
    with pytest.raises(RuleError, match="one file cannot contain both"):
        desk.plan()


def test_what_is_heard_while_it_plays_is_what_the_file_holds(desk: Desk) -> None:
    """Nested at another speed, mixed with itself, in pieces that begin anywhere: sixteen bits of the same samples. From
    sound that is kept without loss, since a lossy decoder makes its noise anew wherever it begins."""
    talk = {"clip_id": 3, "track": SOUND}
    source = desk.footage[3]
    planned = conform(desk.book.materials[3], Treatment(Intent.SPEED, Fraction(1)), FILM.rate)
    kept = ClipPlan(source.path, source.facts, planned, ARCHIVE, desk.folder / "kept" / "talk.mkv")
    render(kept)
    desk.footage[3] = Footage(kept.out, probe(kept.out))
    desk.book.cuts[7] = EventList(FILM.rate, (clip_event(1, 0, 60, 10, **talk),))
    desk.book.cuts[0] = EventList(
        FILM.rate,
        (
            nest(1, 4, 75, 7, speed("4/5"), track=SOUND),
            clip_event(2, 10, 60, 100, **{**talk, "track": Track(TrackKind.SOUND, 2)}),
        ),
    )
    plan = desk.plan()
    made_and_proven(plan)
    made, hearing = tone(plan.out), Hearing(desk.folder / "heard")
    try:
        for first, stop in ((0, 30), (30, 50), (50, 79)):
            mix = mix_of(range_of_timeline(desk.book, 0, FILM, desk.book.cuts[0], first, stop), desk.footage, {})
            with wave.open(io.BytesIO(hearing.mixed(mix, {path: str(path) for path in mix.paths}))) as file:
                heard = np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, 2).T / 32_767
            assert heard.shape[1] == (stop - first) * 1920
            assert np.abs(heard - made[:, first * 1920 : stop * 1920]).max() <= 2**-14, (first, stop)
    finally:
        hearing.close()
