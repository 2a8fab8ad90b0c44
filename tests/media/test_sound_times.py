"""Each block of sound has its place by its own time: holes are silent, overlaps and slow clocks are settled by a rule,
and sound that changes its form, or has many channels, is made."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from bench.carried import moved, remuxed
from bench.jumps import decoded as pictures_in
from bench.sounding import CLICK, FPS, clicks, drifting, heard_clicks, late, left_out, spoilt, written
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.sound_times import SoundRun, SoundTimes
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE, VIEW
from oddmeter.media.sound.blocks import array_of
from oddmeter.media.sound.planned import sounds_of
from oddmeter.media.sound.reader import SoundReader
from oddmeter.media.sound.track import SoundPlan
from oddmeter.media.verify import verify

WRAP = Fraction(1 << 33, 90_000)


def plan_of(path: Path, facts: Facts) -> SoundPlan:
    assert facts.file_rate is not None, facts.fault
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(FPS))
    (plan,) = sounds_of(path, facts.sounds, planned, None)
    return plan


def heard(path: Path) -> tuple[list[float], Facts]:
    """The seconds of clicks in what is made of a clip in real time; what reads it in pieces, in no order, hears the
    same."""
    facts = probe(path)
    plan = plan_of(path, facts)
    samples = np.concatenate([array_of(frame) for frame in plan.frames("flt")], axis=1)
    assert samples.shape[1] == plan.samples
    found = heard_clicks(samples[0], plan.rate)
    if facts.sounds[0].times.rate is None:
        reader, size, jumped = SoundReader(path, 0, plan.times), plan.samples // 7 + 1, np.zeros_like(samples)
        for low in (at * size for at in (3, 0, 5, 1, 4, 6, 2)):
            jumped[:, low : low + size] = reader.read(low, min(low + size, plan.samples))
        reader.close()
        assert heard_clicks(jumped[0], plan.rate) == pytest.approx(found, abs=0.0001)
    return found, facts


def off(found: list[float], factor: float = 1.0) -> float:
    """How many seconds the click is off that is off most."""
    step = float(CLICK) * factor
    return max(abs(at - round(at / step) * step) for at in found)


FORMS = [("aac", "ts"), ("mp2", "mpg"), ("ac3", "mkv"), ("libopus", "mkv"), ("aac", "mp4"), ("flac", "mkv")]


@pytest.mark.parametrize(("codec", "form"), FORMS)
def test_holes_are_silent_and_what_follows_stays_in_its_place(codec: str, form: str, tmp_path: Path) -> None:
    path = written(
        tmp_path / f"holes.{form}", codec, form="dvd" if form == "mpg" else None,
        change=left_out((1.0, 1.5), (2.1, 2.2), (3.0, 3.4)),
    )  # fmt: skip
    found, facts = heard(path)
    assert off(found) < 0.001
    assert 12 <= len(found) <= 13 and not any(1.1 < at < 1.45 or 3.05 < at < 3.3 for at in found)
    (said,) = facts.remarks
    assert (
        said.startswith("Its sound has a gap of 0.")
        and "and 2 more" in said
        and said.endswith("silence is used there.")
    )


@pytest.mark.parametrize(("codec", "form"), FORMS[:4])
def test_a_clock_that_runs_slow_keeps_step(codec: str, form: str, tmp_path: Path) -> None:
    path = written(
        tmp_path / f"slow.{form}", codec, form="dvd" if form == "mpg" else None, change=drifting(Fraction(1011, 1000))
    )
    found, facts = heard(path)
    assert len(found) == 16 and off(found, 1.011) < 0.001
    assert any("runs 1.08" in one and "% slow" in one for one in facts.remarks), facts.remarks


def test_what_begins_first_is_heard_to_its_end(tmp_path: Path) -> None:
    path = written(tmp_path / "over.mkv", "pcm_s16le", change=late(2.0, -0.3), block=48_000)
    found, facts = heard(path)
    assert [round(at, 2) for at in found if at < 2] == [0, 0.25, 0.5, 0.75, 1, 1.25, 1.5, 1.75]
    assert [round(at, 2) for at in found if at >= 2] == [2.2, 2.45, 2.7, 2.95, 3.2, 3.45]
    assert facts.remarks == (
        "Its sound has overlapping timestamps at one place; the earlier block is played to its end.",
    )


@pytest.mark.parametrize(("codec", "form"), [("ac3", "ts"), ("mp2", "mkv"), ("libopus", "mkv"), ("flac", "mkv")])
def test_blocks_that_cannot_be_decoded_are_holes(codec: str, form: str, tmp_path: Path) -> None:
    begins = written(tmp_path / f"begins.{form}", codec, change=spoilt(-1, 0.05))
    found, facts = heard(begins)
    assert off(found) < 0.001 and len(found) >= 15
    assert any("of its sound cannot be decoded; silence is used" in one or "gap" in one for one in facts.remarks)
    found, _ = heard(written(tmp_path / f"later.{form}", codec, change=spoilt(1.05, 1.3)))
    assert off(found) < 0.001 and len(found) == 15


def test_a_file_whose_first_block_of_sound_cannot_be_decoded_is_made_and_proven(tmp_path: Path) -> None:
    path = written(tmp_path / "begins.mkv", "ac3", change=spoilt(-1, 0.01))
    facts = probe(path)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(FPS))
    for setting, name in ((ARCHIVE, "made.mkv"), (VIEW, "made.mp4")):
        plan = ClipPlan(path, facts, planned, setting, tmp_path / "made" / name)
        render(plan)
        assert verify(plan).passed


def shifted(path: Path) -> float:
    """By how many seconds the click that is off most lies beside the picture whose number tells its time."""
    found, _ = heard(path)
    shown, apart = pictures_in(path), []
    for at in found:
        frame = int(at * FPS + 1e-6)
        if frame < len(shown) and (number := shown[frame]) is not None:
            apart.append(number / FPS + at - frame / FPS)
    assert len(apart) > 6
    return off(apart)


def _begun_late(path: Path) -> Path:
    data = path.read_bytes()
    path.write_bytes(data[len(data) // 188 // 3 * 188 :])
    return path


def _twice(path: Path) -> Path:
    path.write_bytes(path.read_bytes() * 2)
    return path


def _moved(by: Fraction) -> Callable[[Path], Path]:
    return lambda path: remuxed(path, path.with_name(f"moved{path.suffix}"), moved(by))


@pytest.mark.parametrize(
    ("name", "codec", "become"),
    [("begun.ts", "mp2", _begun_late), ("twice.ts", "ac3", _twice), ("wraps.ts", "aac", _moved(WRAP - Fraction(3, 2))),
     ("late.mkv", "aac", _moved(Fraction(300))), ("hidden.mp4", "aac", _moved(Fraction(-1)))],
)  # fmt: skip
def test_pictures_and_sound_stay_together(
    name: str, codec: str, become: Callable[[Path], Path], tmp_path: Path
) -> None:
    """Begun in mid-group, two recordings on end, times that wrap or begin late, an edit list that hides the start."""
    path = become(written(tmp_path / name, codec, pictures="libx264" if "mp4" in name else "mpeg2video"))
    assert shifted(path) < 0.001


@pytest.mark.parametrize(("codec", "channels", "then"), [("ac3", 2, (6, 48_000)), ("mp2", 2, (1, 44_100))])
def test_sound_that_changes_its_form_on_the_way_is_heard_through(
    codec: str, channels: int, then: tuple[int, int], tmp_path: Path
) -> None:
    found, facts = heard(written(tmp_path / "changes.ts", codec, channels=channels, then=then))
    assert len(found) >= 15 and off(found) < 0.003
    assert facts.sounds[0].channels == channels


@pytest.mark.parametrize("channels", [3, 8, 9, 12, 16, 24])
def test_many_channels_keep_their_places(channels: int, tmp_path: Path) -> None:
    path = written(tmp_path / "many.mov", "pcm_s24le", channels=channels)
    facts = probe(path)
    plan = plan_of(path, facts)
    made = np.concatenate([array_of(frame) for frame in plan.frames("s32")], axis=1) / float(1 << 31)
    assert made.shape == (channels, 4 * 48_000) and np.abs(made - clicks(channels)).max() < 1e-4
    reader = SoundReader(path, 0, plan.times)
    assert np.abs(reader.read(11_000, 13_000) - clicks(channels)[:, 11_000:13_000]).max() < 1e-4
    reader.close()


def test_seven_one_is_made_in_every_setting(tmp_path: Path) -> None:
    path = written(tmp_path / "surround.mov", "pcm_s24le", channels=8)
    facts = probe(path)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(FPS))
    for setting, name in ((ARCHIVE, "made.mkv"), (VIEW, "made.mp4")):
        plan = ClipPlan(path, facts, planned, setting, tmp_path / "made" / name, sound_rate=44_100)
        render(plan)
        assert verify(plan).passed
        with av.open(str(plan.out)) as container:
            assert container.streams.audio[0].channels == 8


def test_times_tell_holes_and_overlaps() -> None:
    runs = tuple(SoundRun(Fraction(a), Fraction(b)) for a, b in [(0, 2), (3, 5), (4, 6), (8, 9)])
    times = SoundTimes(Fraction(7), runs)
    assert times.holes == ((Fraction(2), Fraction(1)), (Fraction(6), Fraction(2))) and times.overlaps == 1
    assert [times.run_at(Fraction(at)) for at in (-1, 0, 2, 3, 4, 7, 10)] == [0, 0, 0, 1, 2, 2, 3]
    assert [times.free_from(run) for run in range(4)] == [None, 2, 5, 6]
