"""What the Bench looks with: drafts and finals told by code, kept by content and decision, never stale."""

import os
import shutil
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Between, Effort, Framing, Intent, Span, Treatment
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder, TimelineScan
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.making import MadeFrame, Maker
from oddmeter.media.pictures.planes import converted
from oddmeter.media.pictures.stills import contact_sheet, still
from oddmeter.media.shelf import Shelf
from oddmeter.media.viewing import Viewed, Viewing, content_key, nearest
from tests.waiting import wait_until

SLOW = Treatment(Intent.SPEED, Fraction(2, 5))


def seen(data: bytes) -> np.ndarray:
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    assert picture is not None
    return np.asarray(picture, np.uint8)


def code(data: bytes) -> int | None:
    return read(seen(data))


def subject_of(path: Path, treatment: Treatment = SLOW, canvas: Canvas | None = None) -> Viewed:
    facts = probe(path)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), treatment, Rate.of(25))
    return Viewed(path, facts, planned, canvas or Canvas(facts.width, facts.height, facts.pixel_aspect))


@pytest.fixture
def viewing(tmp_path: Path) -> Viewing:
    return Viewing(tmp_path / "shelf")


def test_a_draft_is_the_nearest_picture_and_a_final_the_frame_itself(
    footage: dict[str, Path], viewing: Viewing
) -> None:
    picked = subject_of(footage["HB_gulls_30.mp4"])
    mixed = subject_of(footage["HB_gulls_30.mp4"], replace(SLOW, between=Between.MIX))
    for number in (0, 1, 2, 3, 57, 101):
        place = picked.planned.frame_map.position(number)
        assert code(viewing.draft(picked, number)) == code(viewing.final(picked, number)) == int(place)
        assert nearest(mixed.planned, number) == round(place) == code(viewing.draft(mixed, number))
    viewing.close()


def test_a_red_picture_is_as_red_at_intake_as_on_the_bench(tmp_path: Path, viewing: Viewing) -> None:
    """High definition without a flag for its colour matrix is BT.709, wherever it is looked at."""
    red = np.zeros((720, 1280, 3), np.uint8)
    red[..., 0] = 255
    with av.open(str(tmp_path / "red.mkv"), "w") as made:
        stream = made.add_stream("ffv1", rate=25, options={"slices": "4"})
        stream.width, stream.height, stream.pix_fmt = 1280, 720, "yuv444p"
        for _ in range(3):
            frame = converted(VideoFrame.from_ndarray(red, format="rgb24"), "yuv444p")
            frame.colorspace = 2  # unspecified
            made.mux(stream.encode(frame))
        made.mux(stream.encode(None))
    subject = subject_of(tmp_path / "red.mkv", Treatment(Intent.REAL_TIME))
    for jpeg in (
        viewing.final(subject, 0), viewing.draft(subject, 0), still(subject.path, subject.facts, 0, 320),
        still(subject.path, subject.facts, 0, 320, FieldOrder.LOWER),
        contact_sheet(subject.path, subject.facts, 0, 1, 96).jpeg,
    ):  # fmt: skip
        shown = seen(jpeg)[20, 20]
        assert np.abs(shown.astype(int) - (0, 0, 255)).max() <= 4, shown
    viewing.close()


def test_finals_come_in_any_order_from_files_and_sequences(
    footage: dict[str, Path], viewing: Viewing, media_root: Path
) -> None:
    pictures = next(media_root.rglob("tide_chart_0001.png")).with_name("tide_chart_####.png")
    facts = replace(probe(pictures), file_rate=Rate.of(25))
    planned = conform(Material(facts.frames, Rate.of(25)), Treatment(Intent.EVERY_FRAME), Rate.of(25))
    chart = Viewed(pictures, facts, planned, Canvas(facts.width, facts.height))
    codes = [code(viewing.final(chart, number)) for number in (58, 0, 36, 37, 5)]
    assert codes == [60, 1, 37, 39, 6], "the missing picture is missing"
    bell = subject_of(footage["FD1_B01_bell_swing_100.mov"], Treatment(Intent.REAL_TIME))
    assert [code(viewing.final(bell, number)) for number in (120, 3, 119, 60)] == [480, 12, 476, 240]
    viewing.close()


def test_what_is_shown_changes_with_the_file_and_with_each_decision(
    footage: dict[str, Path], viewing: Viewing, tmp_path: Path
) -> None:
    path = tmp_path / "clip.mp4"
    shutil.copy(footage["HB_gulls_30.mp4"], path)
    subject = subject_of(path)
    keys = {subject.key}
    for other in (
        replace(SLOW, between=Between.FLOW), replace(SLOW, between=Between.FLOW, trust=Fraction(3, 4)),
        replace(SLOW, between=Between.FLOW, effort=Effort.QUICK), replace(SLOW, span=Span(3, 90)),
        replace(SLOW, held=Fraction(2)), replace(SLOW, framing=Framing.FILL),
    ):  # fmt: skip
        keys.add(subject_of(path, other).key)
    keys |= {
        subject_of(path, SLOW, Canvas(720, 576)).key,
        subject_of(path, SLOW, Canvas(640, 360, scan=TimelineScan.UPPER)).key,
    }
    keys.add(replace(subject, cuts=frozenset({7})).key)
    assert len(keys) == 10
    assert code(viewing.final(subject, 10)) == 4
    shutil.copy(footage["HB_boat_59.mp4"], path)
    os.utime(path, ns=(time.time_ns(), time.time_ns()))
    assert subject.key not in keys
    viewing.close()
    assert viewing.final(subject_of(path), 10) != viewing.final(subject_of(footage["HB_gulls_30.mp4"]), 10)
    path.unlink()
    with pytest.raises(RuleError, match="has been moved or deleted"):
        content_key(path)


def test_a_draft_lies_in_the_canvas_as_the_final_does(footage: dict[str, Path], viewing: Viewing) -> None:
    for framing, black in ((Framing.INSIDE, True), (Framing.FILL, False), (Framing.STRETCH, False)):
        treatment = replace(SLOW, framing=framing)
        subject = subject_of(footage["HB_gulls_30.mp4"], treatment, Canvas(720, 576, Fraction(16, 15)))
        draft, final = seen(viewing.draft(subject, 20)), seen(viewing.final(subject, 20))
        assert draft.shape[:2] == (480, 640) and final.shape[:2] == (576, 768)
        for picture in (draft, final):
            assert (picture[: picture.shape[0] // 12].mean() < 8) == black, framing
        brought = cv2.resize(final, (640, 480), interpolation=cv2.INTER_AREA)
        assert np.abs(brought.astype(int) - draft).mean() < 6
    viewing.close()


def test_one_field_is_shown_with_its_lines_and_trust_is_laid_over(footage: dict[str, Path], viewing: Viewing) -> None:
    flow = replace(SLOW, between=Between.FLOW, effort=Effort.QUICK, trust=Fraction(1))
    subject = subject_of(footage["HB_gulls_30.mp4"], flow)
    whole, upper, trust = (seen(viewing.final(subject, 1, part)) for part in (None, "upper", "trust"))
    assert whole.shape == upper.shape == trust.shape
    rows = np.abs(upper[0::2].astype(int) - upper[1::2]).mean()
    assert rows < np.abs(whole[0::2].astype(int) - whole[1::2]).mean() + 1
    assert trust[..., 1].mean() < whole[..., 1].mean() - 20, "plum over all of it: everything was mixed"
    plain = subject_of(footage["HB_gulls_30.mp4"])
    assert np.array_equal(seen(viewing.final(plain, 1, "trust")), seen(viewing.final(plain, 1)))
    viewing.close()


def test_drafts_are_filled_in_ahead_and_that_stops_when_it_is_told(footage: dict[str, Path], tmp_path: Path) -> None:
    viewing = Viewing(tmp_path / "shelf")
    subject = subject_of(footage["HB_gulls_30.mp4"], Treatment(Intent.EVERY_FRAME, span=Span(0, 39)))
    viewing.fill(subject)

    def kept() -> int:
        return len(list((tmp_path / "shelf").glob("*/*")))

    wait_until(lambda: kept() >= 40, kept)
    assert [code(viewing.draft(subject, number)) for number in (0, 17, 39)] == [0, 17, 39]
    viewing.fill(subject_of(footage["FD1_C01_pour_fast.mov"]))
    before = set(threading.enumerate())
    viewing.close()
    assert len(before - set(threading.enumerate())) == 1, "what filled in has ended"


def test_the_next_pictures_are_made_before_they_are_asked_for_in_the_way_one_goes(
    footage: dict[str, Path], viewing: Viewing, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[tuple[str, int]] = []
    draw = Maker.made

    def noted(maker: Maker, number: int) -> MadeFrame:
        made.append((maker.planned.treatment.between.value, number))
        return draw(maker, number)

    monkeypatch.setattr(Maker, "made", noted)
    path = footage["HB_gulls_30.mp4"]
    one = subject_of(path, Treatment(Intent.EVERY_FRAME))
    other = subject_of(path, Treatment(Intent.EVERY_FRAME, between=Between.MIX))

    def all_made(way: str, *numbers: int) -> Callable[[], bool]:
        return lambda: sorted(number for between, number in made if between == way) == sorted(numbers)

    assert [code(viewing.final(one, number)) for number in (19, 20)] == [19, 20]
    assert [code(viewing.final(other, number)) for number in (0, 3)] == [0, 3]
    wait_until(all_made("pick", *range(19, 27)), lambda: len(made))
    wait_until(all_made("mix", *range(0, 22, 3)), lambda: len(made))
    assert [code(viewing.final(one, number)) for number in (20, 19)] == [20, 19]
    wait_until(all_made("pick", *range(13, 27)), lambda: len(made))
    assert code(viewing.final(one, 35)) == 35, "a jump goes nowhere by itself"
    viewing.close()
    assert len(made) == 14 + 8 + 1


def test_a_picture_that_is_being_made_is_waited_for_not_made_again(
    footage: dict[str, Path], viewing: Viewing, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[int] = []
    draw = Maker.made
    enough = threading.Barrier(2)

    def slowly(maker: Maker, number: int) -> MadeFrame:
        made.append(number)
        if number == 30:
            enough.wait(300)
        return draw(maker, number)

    monkeypatch.setattr(Maker, "made", slowly)
    subject = subject_of(footage["HB_gulls_30.mp4"], Treatment(Intent.EVERY_FRAME))
    with ThreadPoolExecutor(4) as people:
        looks = [people.submit(viewing.final, subject, 30) for _ in range(4)]
        wait_until(lambda: made == [30])
        enough.wait(300)
        assert {code(look.result()) for look in looks} == {30}
    viewing.close()
    assert made.count(30) == 1


def test_however_many_begin_to_fill_in_at_once_one_of_them_goes_on(footage: dict[str, Path], viewing: Viewing) -> None:
    subject = subject_of(footage["HB_gulls_30.mp4"])
    with ThreadPoolExecutor(8) as people:
        list(people.map(lambda _: viewing.fill(subject), range(40)))
    filling = [thread for thread in threading.enumerate() if thread.name == "bench drafts"]
    viewing.close()
    assert len(filling) == 1


def test_a_shelf_that_cannot_be_written_is_no_reason_to_stop(tmp_path: Path, footage: dict[str, Path]) -> None:
    (tmp_path / "shelf").write_text("in the way")
    viewing = Viewing(tmp_path / "shelf")
    assert code(viewing.final(subject_of(footage["HB_gulls_30.mp4"]), 5)) == 2
    assert Shelf(tmp_path / "shelf").get("ab12") is None
    viewing.close()


def test_frames_are_reached_forwards_backwards_and_far_away(footage: dict[str, Path]) -> None:
    path = footage["FD1_C01_pour_fast.mov"]
    facts: Facts = probe(path)
    with FrameAccess(path, facts) as frames:
        for number in (0, 1, 2, 300, 299, 298, 270, 599, 5, 580, 0):
            picture = frames.frame(number).reformat(format="gray").to_ndarray()
            assert read(np.asarray(picture, np.uint8)) == number
        with pytest.raises(RuleError, match="can be decoded only up to frame"):
            frames.frame(facts.frames + 3)
        assert read(np.asarray(frames.frame(7).reformat(format="gray").to_ndarray(), np.uint8)) == 7
