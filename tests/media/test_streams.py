"""Clips with several streams of sound: all of them kept, or those that were chosen, each proven by its own pitch."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, SoundStreams, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, SHIPPED
from oddmeter.media.verify import verify

RATE, SECONDS = 48_000, 2
STREAMS = {"boom": (1, 220), "camera": (2, 440), "guide": (1, 880)}
"""Channels and pitch of each stream."""


@pytest.fixture(scope="module")
def crowded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two seconds at 50 with three streams of sound, a tone each."""
    path = tmp_path_factory.mktemp("streams") / "crowded.mkv"
    with av.open(str(path), "w", format="matroska") as container:
        video = container.add_stream("ffv1", rate=50)
        video.width, video.height, video.pix_fmt = 256, 128, "yuv420p"
        heard = []
        for name, (channels, _) in STREAMS.items():
            stream = container.add_stream("pcm_s16le", rate=RATE, layout=("mono", "stereo")[channels - 1])
            stream.metadata["title"] = name
            heard.append(stream)
        for number in range(50 * SECONDS):
            picture = np.full((128, 256, 3), 2 * number, np.uint8)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 50)
            container.mux(video.encode(frame))
            for stream, (channels, pitch) in zip(heard, STREAMS.values(), strict=True):
                at = np.arange(number * RATE // 50, (number + 1) * RATE // 50)
                tone = np.repeat((8000 * np.sin(2 * np.pi * pitch * at / RATE)).astype(np.int16), channels)
                block = AudioFrame.from_ndarray(tone[None], format="s16", layout=stream.layout.name)
                block.sample_rate, block.pts, block.time_base = RATE, int(at[0]), Fraction(1, RATE)
                container.mux(stream.encode(block))
        container.mux(video.encode(None))
        for stream in heard:
            container.mux(stream.encode(None))
    return path


def planned(
    source: Path, folder: Path, setting: Setting, streams: SoundStreams, speed: Fraction = Fraction(1)
) -> ClipPlan:
    facts = probe(source)
    assert facts.file_rate is not None
    treatment = Treatment(Intent.SPEED, speed, streams=streams)
    made = conform(Material(facts.frames, facts.file_rate), treatment, Rate.of(25))
    return ClipPlan(source, facts, made, setting, folder / f"made{setting.suffix}")


def pitch_of(path: Path, number: int) -> int:
    with av.open(str(path)) as container:
        parts = [frame.to_ndarray() for frame in container.decode(audio=number)]
        stream = container.streams.audio[number]
        flat = np.concatenate([p[0] if p.shape[0] > 1 else p[0, :: stream.channels] for p in parts]).astype(float)
    lines = np.abs(np.fft.rfft(flat * np.hanning(len(flat))))
    return round(int(np.argmax(lines)) * RATE / len(flat) / 10) * 10


@pytest.mark.parametrize("setting", SHIPPED)
@pytest.mark.parametrize("numbers", [None, (2,), (1, 3)])
def test_every_stream_that_is_taken_is_made_and_proven(
    setting: Setting, numbers: tuple[int, ...] | None, crowded: Path, tmp_path: Path
) -> None:
    plan = planned(crowded, tmp_path, setting, SoundStreams(numbers))
    render(plan)
    assert verify(plan).passed
    wanted = [list(STREAMS.items())[number - 1] for number in numbers or (1, 2, 3)]
    made = probe(plan.out)
    assert [(one.channels, pitch_of(plan.out, i)) for i, one in enumerate(made.sounds)] == [it for _, it in wanted]
    assert [one.seconds for one in made.sounds] == pytest.approx([SECONDS] * len(wanted), abs=0.05)
    if setting is ARCHIVE:
        assert [one.name for one in made.sounds] == [name for name, _ in wanted]


def test_slowed_sound_keeps_each_stream_as_long_as_the_picture(crowded: Path, tmp_path: Path) -> None:
    plan = planned(crowded, tmp_path, ARCHIVE, SoundStreams(), Fraction(1, 2))
    render(plan)
    assert verify(plan).passed
    assert [pitch_of(plan.out, number) for number in range(3)] == [110, 220, 440]


def test_the_proof_notices_a_stream_that_is_missing(crowded: Path, tmp_path: Path) -> None:
    plan = planned(crowded, tmp_path, ARCHIVE, SoundStreams((1, 3)))
    render(plan)
    proof = verify(replace(plan, conformed=planned(crowded, tmp_path, ARCHIVE, SoundStreams()).conformed))
    assert [(c.planned, c.found) for c in proof.checks if c.name == "sound"] == [("3 streams", "2 streams")]
    assert not proof.passed


def test_a_stream_that_is_not_there_is_refused() -> None:
    with pytest.raises(RuleError, match=r"Sound stream 3 does not exist: the clip has 2 sound streams."):
        SoundStreams((1, 3)).of(2)
    assert SoundStreams((3,)).of(0) == (), "a clip without sound stays one"
