"""A click track through every treatment: each click to the sample, and the sound as long as the picture."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.curves import Curve
from oddmeter.core.decisions.treatment import Intent, SoundChoice, Span, Treatment
from oddmeter.core.maps.timed import TimedMap
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE
from oddmeter.media.sound.along import followed
from oddmeter.media.sound.pitch import resampled, stretched, strokes
from oddmeter.media.verify import verify

RATE, FRAMES = 48_000, 250
CLICKED = (12, 60, 111, 160, 222)
"""Frames of the clip at whose beginning there is a click."""


def struck(spots: list[int], length: int, channels: int = 2) -> np.ndarray:
    """A soft tone with short clicks in it, shape (channels, samples)."""
    tone = 0.04 * np.sin(np.arange(length) * 2 * np.pi * 220 / RATE)
    for spot in spots:
        tone[spot : spot + 12] = 0.9
    return np.stack([tone] * channels).astype(np.float32)


def onset(sound: np.ndarray, near: int) -> int:
    """Where, close to a sample, the click stands out, by its middle against that of a click of the same width."""
    start = max(0, near - 2000)
    window = np.abs(sound[start : near + 2000])
    return start + int(np.argmax(window > window.max() / 2))


@pytest.fixture(scope="module")
def clapped(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Ten seconds at 25 with a click at the beginning of some frames."""
    path = tmp_path_factory.mktemp("sound") / "claps.mkv"
    sound = struck([frame * RATE // 25 for frame in CLICKED], FRAMES * RATE // 25)
    with av.open(str(path), "w", format="matroska") as container:
        video = container.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
        audio = container.add_stream("pcm_s24le", rate=RATE, layout="stereo")
        for number in range(FRAMES):
            picture = np.full((48, 64, 3), number % 200, np.uint8)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(video.encode(frame))
            block = np.ascontiguousarray(sound[:, number * 1920 : (number + 1) * 1920] * (2**31 - 1)).astype(np.int32)
            heard = AudioFrame.from_ndarray(block.T.reshape(1, -1).copy(), format="s32", layout="stereo")
            heard.sample_rate, heard.pts, heard.time_base = RATE, number * 1920, Fraction(1, RATE)
            container.mux(audio.encode(heard))
        container.mux(video.encode(None))
        container.mux(audio.encode(None))
    return path


def heard_in(path: Path) -> np.ndarray:
    with av.open(str(path)) as container:
        resampler = av.AudioResampler(format="fltp", layout="mono")
        return np.concatenate([f.to_ndarray()[0] for d in container.decode(audio=0) for f in resampler.resample(d)])


@pytest.mark.parametrize("sound", [SoundChoice.FOLLOW, SoundChoice.PITCH])
@pytest.mark.parametrize(
    ("timeline", "treatment"),
    [
        ("25", Treatment(Intent.SPEED, Fraction(1))),
        ("25", Treatment(Intent.SPEED, Fraction(2, 5))),
        ("50", Treatment(Intent.SPEED, Fraction(8, 5))),
        ("24", Treatment(Intent.EVERY_FRAME)),
        ("23.976", Treatment(Intent.EVERY_FRAME, read_rate=Rate.parse("23.976"))),
        ("25", Treatment(Intent.SPEED, Fraction(1001, 1000))),
        ("25", Treatment(Intent.SPEED, Fraction(1000, 1001))),
        ("25", Treatment(Intent.FIT, Fraction(317), span=Span(50, 229))),
    ],
    ids=["as it is", "slow", "fast", "24", "re-rated", "pulled up", "pulled down", "fitted, trimmed"],
)
def test_clicks_stay_on_their_frame_to_the_sample(
    timeline: str, treatment: Treatment, sound: SoundChoice, clapped: Path, tmp_path: Path
) -> None:
    treatment = Treatment(
        treatment.intent, treatment.value, treatment.read_rate, span=treatment.span, sound=sound
    )  # fmt: skip
    planned = conform(Material(FRAMES, Rate.of(25)), treatment, Rate.parse(timeline))
    plan = ClipPlan(clapped, probe(clapped), planned, ARCHIVE, tmp_path / "made.mkv", sound_rate=RATE)
    render(plan)
    made = heard_in(plan.out)
    frame_map, rate = planned.frame_map, planned.timeline_rate.value
    assert len(made) == round(frame_map.length / rate * RATE)
    first, stop = planned.span
    clicks = [frame for frame in CLICKED if first <= frame < stop]
    assert len(clicks) >= 3
    for frame in clicks:
        place = round((frame - first) / planned.stride / rate * RATE)
        slack = 2 if sound is SoundChoice.FOLLOW else 1
        assert abs(onset(made, place) - place) <= slack, frame
    proof = verify(plan)
    assert next(check for check in proof.checks if check.name == "sound").passed


def test_sound_runs_backwards_with_its_picture(clapped: Path, tmp_path: Path) -> None:
    treatment = Treatment(Intent.SPEED, Fraction(1), reverse=True)
    planned = conform(Material(FRAMES, Rate.of(25)), treatment, Rate.of(25))
    plan = ClipPlan(clapped, probe(clapped), planned, ARCHIVE, tmp_path / "back.mkv")
    render(plan)
    assert np.allclose(heard_in(plan.out), heard_in(clapped)[::-1], atol=1e-5)


def test_what_follows_the_speed_sounds_higher_and_what_keeps_its_pitch_does_not() -> None:
    tone = struck([], 4 * RATE, 1)

    def pitch(sound: np.ndarray) -> float:
        return float(np.argmax(np.abs(np.fft.rfft(sound[0, RATE // 2 : RATE // 2 + RATE]))))

    assert abs(pitch(resampled(tone, Fraction(5, 4), 4 * RATE * 4 // 5)) - 275) <= 1
    for factor in (Fraction(5, 4), Fraction(2, 5), Fraction(3)):
        wanted = round(4 * RATE / factor)
        kept = stretched(tone, factor, RATE, wanted)
        assert kept.shape[1] == wanted
        if wanted > 2 * RATE:
            assert abs(pitch(kept) - 220) <= 2
        level = np.abs(kept[0][: wanted // 4800 * 4800]).reshape(-1, 4800).max(axis=1)
        assert level[1:-1].min() > 0.03, "no gap in what goes on"


def test_strokes_are_found_where_they_are_and_nowhere_else() -> None:
    assert strokes(struck([4_000, 31_000, 80_001], 2 * RATE), RATE) == [4_000, 31_000, 80_001]
    assert strokes(struck([], 2 * RATE), RATE) == []
    assert strokes(np.zeros((1, 10), np.float32), RATE) == []


BENDS = {
    "slow, then fast": [
        {"frame": 50, "leaves": "1"}, {"frame": 100, "leaves": "1/4"}, {"frame": 130, "leaves": "1/4"},
        {"frame": 200, "leaves": "2", "ease": [1, 1]},
    ],
    "a step and a hold": [{"frame": 70, "arrives": "1", "leaves": "1/2", "holds": 20}, {"frame": 170, "leaves": "3/2"}],
    "on a beat": [{"frame": 50, "leaves": "1/2", "at": 40}, {"frame": 150, "leaves": "1", "at": 200}],
}  # fmt: skip


@pytest.mark.parametrize("name", BENDS)
@pytest.mark.parametrize(("sound", "near"), [(SoundChoice.FOLLOW, 2), (SoundChoice.PITCH, RATE // 200)])
def test_clicks_stay_on_their_frame_along_a_curve(
    clapped: Path, tmp_path: Path, name: str, sound: SoundChoice, near: int
) -> None:
    """In turns too: within two samples where the pitch glides, within 5 ms where it stays."""
    curve = Curve.parse({"points": BENDS[name]})
    facts = probe(clapped)
    material = Material(FRAMES, Rate.of(25))
    planned = conform(material, Treatment(Intent.CURVE, curve=curve, sound=sound), Rate.of(25))
    plan = ClipPlan(clapped, facts, planned, ARCHIVE, tmp_path / "bent.mkv")
    render(plan)
    assert verify(plan).passed
    heard = heard_in(plan.out)
    assert len(heard) == round(planned.frame_map.length * Fraction(RATE, 25)), "sound and picture have one length"
    assert isinstance(planned.frame_map, TimedMap)
    path = planned.frame_map.path
    for frame in CLICKED:
        piece = next(one for one in path.pieces if one.source <= Fraction(frame, 25) < one.at(one.ends))
        place = float(piece.when(Fraction(frame, 25)) * RATE)
        assert abs(_edge(heard, round(place)) - place) <= near, f"{name}: the click of frame {frame}"


def _edge(sound: np.ndarray, near: int) -> int:
    """Where a click begins, however wide its speed made it."""
    start = max(0, near - 600)
    window = np.abs(sound[start : near + 600])
    return start + int(np.argmax(window > window.max() / 2))


@pytest.mark.parametrize("speed", [0.3, 1.0, 2.5, 8.0])
def test_what_follows_is_band_limited_to_the_sixteenth_bit(speed: float) -> None:
    """A sine below the limit of both rates, read at any speed, is that sine at each place."""
    rate, pitch = 48_000, 1_000.0
    sound = np.sin(np.arange(rate) * 2 * np.pi * pitch / rate).astype(np.float32)[None]
    places = np.asarray(5_000.3 + np.arange(4_000) * speed, np.float64)
    wanted = np.sin(places * 2 * np.pi * pitch / rate)
    inside = slice(200, -200)
    off = followed(sound, places)[0][inside] - wanted[inside]
    assert np.abs(off).max() < 2**-11 and np.sqrt((off**2).mean()) < 2**-12
