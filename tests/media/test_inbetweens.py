"""In-betweens: even in time, the same however they are made, never worse than a mix, in every layout of planes."""

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise

import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame

from bench.flow import EDGES, believed, by_flow, by_mix, drawn, likeness
from bench.further import FURTHER_KINDS
from bench.scenes import KINDS
from oddmeter.core.decisions.treatment import Effort
from oddmeter.media.files.samples import planes_of
from oddmeter.media.inbetweens.cells import Beyond
from oddmeter.media.inbetweens.flow import Built, between, motion, sizes_of
from oddmeter.media.pictures import sharing
from oddmeter.media.pictures.light import mixed

UNSEEN = 4_711
REACH = 96


def textured(width: int, height: int, form: str, across: float) -> VideoFrame:
    """A picture of rough ground moved sideways by so many samples of luma."""
    dice = np.random.default_rng(3)
    ground = cv2.resize(
        dice.random((height // 4 + 8, width // 4 + 24)), None, fx=4, fy=4, interpolation=cv2.INTER_CUBIC
    )
    frame = VideoFrame(width, height, form)
    most = (1 << frame.format.components[0].bits) - 1
    for plane in planes_of(frame):
        scale = plane.shape[1] / width
        place = np.array([[scale, 0, scale * (across - 40)], [0, plane.shape[0] / height, 0]])
        moved = cv2.warpAffine(ground, place, plane.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        plane[:] = np.clip(moved * 0.6 * most + 0.2 * most, 0, most).astype(plane.dtype)
    return frame


def built(frames: list[VideoFrame], weight: float, effort: Effort, trust: float = 0.5) -> Built:
    """What lies between the second and the third of four."""
    found = [motion(a, b, effort) for a, b in pairwise(map(sizes_of, frames))]
    return between(frames[1], frames[2], found[1], weight, effort, REACH, trust, Beyond(found[0], found[2]))


@cache
def unseen(kind: str, width: int, height: int) -> tuple[list[VideoFrame], list[VideoFrame]]:
    """The frames of a kind of scene that are given, and the true ones between them, drawn once for every effort."""
    return drawn((KINDS | FURTHER_KINDS)[kind](UNSEEN), width, height)


@pytest.mark.parametrize("effort", Effort)
@pytest.mark.parametrize("kind", ["layers", "crowd", "flash", "water", "far movers", "sparks", "grain"])
def test_no_built_frame_is_worse_than_a_mix(kind: str, effort: Effort) -> None:
    size = (640, 360) if kind == "far movers" else (320, 180)  # which are lost in smaller pictures
    given, true = unseen(kind, *size)
    made, mixes = by_flow(given, effort)[0], by_mix(given)
    for number, frame in made.items():
        assert likeness(frame, true[number]) > likeness(mixes[number], true[number]) - 0.1, (kind, number)


@pytest.mark.parametrize("effort", Effort)
def test_a_row_of_moments_moves_evenly_and_hands_over_without_a_jump(effort: Effort) -> None:
    """Rough ground that moves 9.3 samples a frame: off by a tenth of a sample it would differ by a level."""
    frames = [textured(320, 176, "yuv420p", 9.3 * number) for number in range(4)]

    def off(made: VideoFrame, across: float) -> float:
        here, true = (
            planes_of(one)[0][:, 40:280].astype(float) for one in (made, textured(320, 176, "yuv420p", across))
        )
        return float(np.abs(here - true).mean())

    assert off(frames[1], 9.3 + 0.1) > 1
    for moment in (0.001, 0.024, 0.2, 1 / 3, 0.5, 2 / 3, 0.8, 0.976, 0.999):
        made = built(frames, moment, effort)
        assert off(made.frame, 9.3 * (1 + moment)) < 1, moment
        assert made.mixed_part.mean() < 0.05


@pytest.mark.parametrize("effort", Effort)
def test_a_path_that_bends_is_told_by_one_neighbour_where_a_shot_begins_or_ends(effort: Effort) -> None:
    """The picture moves by 3, 5 and 7 samples; half way in time lies a quarter before half way of each."""
    frames = [textured(320, 180, "yuv420p", across) for across in (0, 3, 8, 15)]
    found = [motion(one, two, effort) for one, two in pairwise(map(sizes_of, frames))]

    def like(pair: int, beyond: Beyond, true: float) -> float:
        made = between(frames[pair], frames[pair + 1], found[pair], 0.5, effort, REACH, 0.1, beyond).frame
        return likeness(made, textured(320, 180, "yuv420p", true))

    assert like(0, Beyond(None, found[1]), 1.25) > like(0, Beyond(), 1.25) + 1.5
    assert like(2, Beyond(found[1], None), 11.25) > like(2, Beyond(), 11.25) + 1.5


@pytest.mark.parametrize("effort", Effort)
def test_a_knock_after_the_first_pictures_does_not_bend_what_was_before_it(effort: Effort) -> None:
    """The picture creeps by half a sample, then is knocked aside by nine."""
    frames = [textured(320, 180, "yuv420p", across) for across in (0, 0.5, 9.5)]
    found = [motion(one, two, effort) for one, two in pairwise(map(sizes_of, frames))]
    made = between(frames[0], frames[1], found[0], 0.5, effort, REACH, 0.1, Beyond(None, found[1])).frame
    true = textured(320, 180, "yuv420p", 0.25)
    assert likeness(made, true) > likeness(mixed(frames[0], frames[1], 0.5), true) - 0.1


def test_it_is_the_same_in_any_order_and_by_any_number_of_threads() -> None:
    given, _ = unseen("limbs", 320, 180)
    asked = [(effort, weight) for effort in (Effort.QUICK, Effort.CAREFUL) for weight in (0.2, 0.5, 0.9)]

    def made(one: tuple[Effort, float]) -> bytes:
        frame = built(given[:4], one[1], one[0]).frame
        return b"".join(np.ascontiguousarray(plane).tobytes() for plane in planes_of(frame))

    alone = [made(one) for one in asked]
    with ThreadPoolExecutor(3) as pool:
        together = list(pool.map(made, reversed(asked)))
    assert together[::-1] == alone


@pytest.mark.parametrize("effort", [Effort.QUICK, Effort.CAREFUL])
@pytest.mark.parametrize("form", ["yuv420p", "yuv444p10le"])
def test_halves_that_two_threads_make_are_the_whole(form: str, effort: Effort, monkeypatch: pytest.MonkeyPatch) -> None:
    """With an odd number of lines of cells, and of cells judged by four."""
    given, _ = drawn(KINDS["limbs"](UNSEEN), 198, 270, form)
    whole = built(given[:4], 0.4, effort)
    monkeypatch.setattr(sharing, "_LARGE", 1)
    halves = built(given[:4], 0.4, effort)
    assert all(np.array_equal(a, b) for a, b in zip(planes_of(whole.frame), planes_of(halves.frame), strict=True))
    assert np.array_equal(whole.mixed_part, halves.mixed_part) and 0 < whole.mixed_part.mean() < 0.5


@pytest.mark.parametrize(
    ("form", "width", "height"),
    [
        ("yuv422p10le", 160, 90), ("yuv444p", 101, 61), ("yuv411p", 160, 96), ("yuv410p", 160, 96), ("gbrp", 98, 66),
        ("yuva420p", 96, 64), ("gray", 80, 60), ("gray16le", 80, 60), ("yuv420p12le", 96, 64), ("yuv420p", 33, 35),
    ],
)  # fmt: skip
def test_every_layout_of_planes_moves_as_one(form: str, width: int, height: int) -> None:
    frames = [textured(width, height, form, 3.0 * number) for number in range(4)]
    true = textured(width, height, form, 4.5)
    made = built(frames, 0.5, Effort.NORMAL).frame
    most = (1 << made.format.components[0].bits) - 1
    for plane, wanted in zip(planes_of(made), planes_of(true), strict=True):
        inside = slice(None), slice(plane.shape[1] // 5, -plane.shape[1] // 5)
        off = np.abs(plane[inside].astype(float) - wanted[inside]).mean()
        assert off < 0.02 * most, (form, off)


@pytest.mark.parametrize("size", [(2, 2), (3, 5), (16, 400), (400, 16)])
def test_pictures_of_any_size_are_built(size: tuple[int, int]) -> None:
    frames = [textured(*size, "yuv444p", number) for number in range(4)]
    for effort in Effort:
        assert built(frames, 0.4, effort).frame.width == size[0]


@pytest.mark.parametrize("effort", Effort)
def test_what_changes_evenly_in_its_place_is_half_way(effort: Effort) -> None:
    """A soft shadow on its way over ground that stands: no motion is as near to the truth as what lies half way."""
    given, true = unseen("shadow", 640, 360)
    made, mixes = by_flow(given, effort)[0], by_mix(given)
    for number, frame in made.items():
        assert likeness(frame, true[number]) > likeness(mixes[number], true[number]) + 1.5, number


def test_light_that_changes_as_a_whole_is_no_doubt_about_motion() -> None:
    frames = [textured(320, 176, "yuv420p", 9.3 * number) for number in range(4)]
    for frame, lit in zip(frames, (0.7, 0.8, 0.95, 1.05), strict=True):
        luma = planes_of(frame)[0]
        luma[:] = (luma * lit).astype(np.uint8)
    assert built(frames, 0.5, Effort.QUICK).mixed_part[:, 15:-15].mean() < 0.003


def strokes(t: float, width: int, height: int) -> np.ndarray:
    """Bright strokes that run across rough dark ground, 350 pixels a second."""
    rough = cv2.resize(np.random.default_rng(5).random((48, 96)), (384, 192), interpolation=cv2.INTER_CUBIC)
    picture = np.repeat(np.clip(rough * 60 + 20, 0, 255)[:height, :width, None], 3, axis=2).astype(np.uint8)
    dice = np.random.default_rng(6)
    places = np.cumsum(dice.integers(12, 36, 80)), dice.integers(10, 60, 80), dice.integers(0, 60, 80)
    for x, tall, top in zip(*places, strict=True):
        left = int((x - 400 + 350 * t) * 16)
        cv2.rectangle(picture, (left, (60 + top) * 16), (left + 48, (60 + top + tall) * 16), (230,) * 3, -1, 16, 4)
    return picture


def test_strokes_that_run_past_do_not_seem_to_stand() -> None:
    """Between them the ground stands in both pictures, which a small patch takes for what is to be seen there."""
    given, true = drawn(strokes, 320, 176)
    made, mixes = by_flow(given, Effort.CAREFUL)[0], by_mix(given)
    gains = [likeness(frame, true[number]) - likeness(mixes[number], true[number]) for number, frame in made.items()]
    assert np.mean(gains) > 3.9, gains


def test_trust_says_how_often_it_comes_out_right() -> None:
    """Of the places of unseen scenes that are trusted so far, about as many lie within three grey levels of the
    truth."""
    kinds = ("limbs", "fence", "crossing", "sparks")
    seen = np.sum([believed(*unseen(kind, 320, 180)) for kind in kinds], axis=0)
    for (low, high), (count, near) in zip(pairwise(EDGES), seen, strict=True):
        if count > 500:
            assert low - 0.15 <= near / count <= min(1, high) + 0.15, (low, high, count, near / count)
    assert (seen[:, 0] > 500).sum() >= 5


def test_what_shares_nothing_is_mixed() -> None:
    """Noise that is another in each frame has no motion: most of it is mixed, by the map as by the samples."""
    dice = np.random.default_rng(9)
    frames = []
    for _ in range(4):
        frame = textured(192, 108, "yuv420p", 0)
        planes_of(frame)[0][:] = cv2.resize(dice.integers(30, 220, (27, 48)).astype(np.uint8), (192, 108))
        frames.append(frame)
    made = built(frames, 0.5, Effort.QUICK, trust=0.7)
    assert made.mixed_part.mean() > 0.6


COMPILED = """
import sys
from numba.core.registry import CPUDispatcher
from oddmeter.core.decisions.treatment import Effort
from oddmeter.media.inbetweens.flow import compile_all
from oddmeter.media.pictures.light import mixed
from tests.media.test_inbetweens import built, textured

def kernels():
    rooms = [room for name, room in sys.modules.items() if name.startswith("oddmeter.media.")]
    found = {id(one): one for room in rooms for one in vars(room).values() if isinstance(one, CPUDispatcher)}
    return {f"{one.py_func.__module__}.{one.__name__}": len(one.signatures) for one in found.values()}

compile_all()
before = kernels()
for form, width, height in (("yuv420p", 480, 270), ("yuv422p10le", 66, 50), ("gbrp", 100, 40), ("yuv411p", 64, 140)):
    frames = [textured(width, height, form, 24 * number) for number in range(4)]
    for effort in Effort:
        built(frames, 0.3, effort)
    mixed(frames[0], frames[1], 0.5)
assert len(before) > 15 and sum(before.values()) > 15, before
assert kernels() == before, set(kernels().items()) - set(before.items())
"""


def test_nothing_is_left_to_compile_in_the_middle_of_a_persons_step() -> None:
    done = subprocess.run([sys.executable, "-c", COMPILED], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
