"""What the Bench plays is what is made, to the sample; and peaks are those of the samples, however they are had."""

import io
import wave
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
import pytest
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.video.frame import VideoFrame

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import Intent, SoundChoice, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE
from oddmeter.media.sound.hearing import Hearing, Window
from oddmeter.media.sound.reader import SoundReader
from oddmeter.media.sound.track import SoundPlan
from tests.waiting import wait_until

RATE, SECONDS = 48_000, 24
WAVE = [{"frame": 40, "leaves": "1"}, {"frame": 200, "leaves": "1/4"}, {"frame": 400, "leaves": "2"}]
KINDS = {"kept": "pcm_s16le", "packed": "aac"}


def written(path: Path, codec: str) -> Path:
    """A clip of 25 frames a second with a sweep that is silent for some seconds and never twice the same."""
    dice = np.random.default_rng(5)
    time = np.arange(SECONDS * RATE) / RATE
    sound = 0.5 * np.sin(2 * np.pi * (80 + 40 * time) * time) + dice.normal(0, 0.02, len(time))
    sound[10 * RATE : 13 * RATE] = 0
    samples = np.stack([sound, -0.5 * sound]).astype(np.float32)
    with av.open(str(path), "w") as container:
        video = container.add_stream("mpeg4", rate=25)
        video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
        # Noise that a decoder draws by dice, as AAC may ask for, is another each time.
        options = {"aac_pns": "0"} if codec == "aac" else {}
        audio = cast(AudioStream, container.add_stream(codec, rate=RATE, options=options, layout="stereo"))
        for number in range(SECONDS * 25):
            frame = VideoFrame.from_ndarray(np.full((48, 64, 3), number % 250, np.uint8), format="bgr24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(video.encode(frame.reformat(format="yuv420p")))
            block = np.ascontiguousarray(samples[:, number * 1920 : (number + 1) * 1920])
            heard = AudioFrame.from_ndarray(block, "fltp", "stereo")
            if codec != "aac":
                told = (block * 32_767).astype(np.int16).T.reshape(1, -1)
                heard = AudioFrame.from_ndarray(told.copy(), "s16", "stereo")
            heard.sample_rate, heard.pts, heard.time_base = RATE, number * 1920, Fraction(1, RATE)
            container.mux(audio.encode(heard))
        container.mux(video.encode(None))
        container.mux(audio.encode(None))
    return path


@pytest.fixture(scope="module", params=["kept.mkv", "packed.mov"])
def swept(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    name: str = request.param
    return written(tmp_path_factory.mktemp("heard") / name, KINDS[name.split(".", maxsplit=1)[0]])


def planned(source: Path, folder: Path, treatment: Treatment) -> ClipPlan:
    facts = probe(source)
    assert facts.file_rate is not None
    made = conform(Material(facts.frames, facts.file_rate), treatment, Rate.of(25))
    return ClipPlan(source, facts, made, ARCHIVE, folder / "made.mkv")


def heard(hearing: Hearing, plan: SoundPlan, first: int, last: int) -> np.ndarray:
    with wave.open(io.BytesIO(hearing.wav(plan, "x", Fraction(first, 25), Fraction(last, 25)))) as file:
        told = np.frombuffer(file.readframes(file.getnframes()), np.int16).astype(np.float64)
    return told.reshape(-1, 2).T / 32_767


def decoded(path: Path) -> np.ndarray:
    with av.open(str(path)) as container:
        parts = [frame.to_ndarray() for frame in container.decode(audio=0)]
    return np.concatenate(parts, axis=1).reshape(-1, 2).T.astype(np.float64) / 2**31


@pytest.mark.parametrize(
    "treatment",
    [
        Treatment(Intent.SPEED, Fraction(1)),
        Treatment(Intent.SPEED, Fraction(3, 4)),
        Treatment(Intent.SPEED, Fraction(3, 4), reverse=True),
        Treatment(Intent.SPEED, Fraction(3, 4), sound=SoundChoice.PITCH),
        Treatment(Intent.CURVE, curve=Curve.parse({"points": WAVE})),
        Treatment(Intent.CURVE, curve=Curve.parse({"points": WAVE}), sound=SoundChoice.PITCH),
    ],
    ids=["as it is", "slower", "backwards", "own pitch", "curve", "curve, own pitch"],
)
def test_any_stretch_is_heard_as_it_is_made(treatment: Treatment, swept: Path, tmp_path: Path) -> None:
    plan = planned(swept, tmp_path, treatment)
    render(plan)
    (sound,), made = plan.heard, decoded(plan.out)
    hearing = Hearing(tmp_path / "kept")
    end = plan.conformed.frame_map.length
    for first, last in ((end - 30, end), (245, 260), (0, 12)):  # in the middle lies a seam between two parts
        found = heard(hearing, sound, first, last)
        wanted = made[:, round(first * RATE / 25) : round(last * RATE / 25)]
        assert found.shape == wanted.shape
        assert np.abs(found - wanted).max() < 3e-4, (first, last)
    hearing.close()


def test_sound_is_read_from_anywhere_as_from_the_start(swept: Path) -> None:
    reader = SoundReader(swept, 0)
    whole = np.concatenate(list(reader.all()), axis=1)
    assert abs(whole.shape[1] - SECONDS * RATE) <= 2048
    for low, high in ((0, 100), (5 * RATE + 7, 5 * RATE + 5000), (20 * RATE, 23 * RATE), (-50, 60)):
        inside = whole[:, max(0, low) : high]
        assert np.abs(reader.read(low, high)[:, max(0, -low) :] - inside).max() < 1e-4, (low, high)
    assert not reader.read((SECONDS + 5) * RATE, (SECONDS + 6) * RATE).any()
    reader.close()


def looked_at(hearing: Hearing, plan: SoundPlan, first: float, last: float, columns: int) -> Window:
    edges = np.linspace(first, last, columns + 1)
    wait_until(lambda: hearing.window(plan, "x", edges).percent == 100)
    return hearing.window(plan, "x", edges)


def test_peaks_are_those_of_the_samples_at_every_zoom(swept: Path, tmp_path: Path) -> None:
    (sound,) = planned(swept, tmp_path, Treatment(Intent.SPEED, Fraction(1))).heard
    reader = SoundReader(swept, 0)
    whole = np.concatenate(list(reader.all()), axis=1)
    reader.close()
    hearing = Hearing(tmp_path / "kept")
    for first, last, columns in ((0.0, 24.0, 48), (12.0, 14.0, 40), (12.9, 13.1, 400)):
        found = looked_at(hearing, sound, first, last, columns)
        size = (last - first) * RATE / columns
        for column in range(columns):
            low, high = round(first * RATE + column * size), round(first * RATE + (column + 1) * size)
            around = 256 if size > 512 else 2  # blocks that reach over the edge count with both columns
            least, most = whole[:, max(0, low - around) : high + around].min(), whole[:, low:high].max()
            assert found.low[column] >= least * 127 - 1.01
            assert found.high[column] >= most * 127 - 1.01
    quiet = looked_at(hearing, sound, 10.1, 12.9, 20)
    assert max(quiet.high) == 0 == min(quiet.low) or max(quiet.high) <= 1, "silence is drawn as silence"
    hearing.close()
    again = Hearing(tmp_path / "kept")
    edges = np.linspace(0.0, 24.0, 49)
    assert again.window(sound, "x", edges).percent == 100, "peaks are kept"
    again.close()


def test_peaks_follow_the_path_of_time_and_are_silent_where_it_rests(swept: Path, tmp_path: Path) -> None:
    points = [{"frame": 100, "leaves": "1", "holds": 50}, {"frame": 300, "leaves": "1"}]
    curved = planned(swept, tmp_path, Treatment(Intent.CURVE, curve=Curve.parse({"points": points})))
    straight = planned(swept, tmp_path, Treatment(Intent.SPEED, Fraction(1)))
    back = replace(straight.heard[0], backwards=True)
    hearing = Hearing(tmp_path / "kept")
    plain = looked_at(hearing, straight.heard[0], 0.0, 24.0, 240)
    bent = looked_at(hearing, curved.heard[0], 0.0, 26.0, 260)
    assert bent.high[:40] == plain.high[:40] and bent.high[60:260] == plain.high[40:240]
    assert bent.high[41:59] == [0] * 18, "what stands still is silent"
    turned = looked_at(hearing, back, 0.0, 24.0, 240)
    assert np.abs(np.array(turned.high[::-1]) - plain.high).max() <= 8
    hearing.close()
