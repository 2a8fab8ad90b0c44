"""The scripts that measure, at a small size: they still run, and print what the documents quote."""

import re
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench import (
    accuracy,
    analysis,
    beats,
    cuts,
    flow,
    handoffs,
    ledger,
    light,
    media,
    memory,
    plan_batch,
    reports,
    stretching,
)
from oddmeter.config import Config
from oddmeter.core.conform.material import Material
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.settings.shipped import EDIT
from oddmeter.store.database import Database
from oddmeter.web.app import create_app


def test_media(media_root: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(media, "best", lambda work, times=1: (work(), 1.0)[1])
    monkeypatch.setattr(media, "SHIPPED", (EDIT,))
    media.measure(media_root, times=1)
    said = capsys.readouterr().out
    assert re.search(r"probing \d+ files: 1\.00 s; .* 1\.00 ×", said)
    assert re.search(r"edit: bare decode and encode .* \(1\.00 of its speed\)", said)


def test_memory(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "WAYS", ("quick",))
    memory.measure(1280, 720)
    (grown,) = re.findall(r"a frame of 1280 × 720, quick: (\d+) MB", capsys.readouterr().out)
    assert 5 < int(grown) < 150


def test_light(capsys: pytest.CaptureFixture[str]) -> None:
    """Besides: the product and plain arithmetic come to the same, of pictures that are not made of noise alone."""
    light.measure([(160, 90, "yuv420p"), (160, 90, "yuv422p10le")], 1)
    found = re.findall(r"by NumPy \d+\.\d × and \d+\.\d ×; at most (\d) code values apart", capsys.readouterr().out)
    assert len(found) == 4 and max(found) <= "1"


def test_ledger(config: Config, capsys: pytest.CaptureFixture[str]) -> None:
    ledger.measure(config, config.database, 60, 3)
    said = capsys.readouterr().out
    for name in ("ledger opened, nothing worked out yet", "change to all made", "undone", "done again"):
        assert re.search(rf"{name} +\d+\.\d+ s", said), name


def test_handoffs(config: Config, database: Database, capsys: pytest.CaptureFixture[str]) -> None:
    with TestClient(create_app(config), base_url="http://127.0.0.1") as client:
        handoffs.measure(client, ledger.fill(database, 24, 2))
    said = capsys.readouterr().out
    assert len(re.findall(r" +\d+\.\d\d s$", said, re.MULTILINE)) == 8


def test_reports() -> None:
    found = reports.measure(20, 20)
    assert len(found) == 2 * 8 and all(value > 0 for value in found.values())


def test_plans() -> None:
    treatment, rate = Treatment(Intent.REAL_TIME), Rate.of(50)
    assert plan_batch.seconds([(Material(100, rate, rate), treatment, Rate.of(25))] * 3) > 0
    asked = plan_batch.ask_of_a_long_curve(1)
    assert len(asked) == 10 and max(asked.values()) > 0


def test_accuracy(tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(accuracy, "KINDS", ("progressive",))
    monkeypatch.setattr(cuts, "LIKENESS", ("unlike",))
    monkeypatch.setattr(cuts, "MOTIONS", {"slow": 1.0})
    monkeypatch.setattr(cuts, "NO_CUT", ("flash",))
    accuracy.measure(range(1), str(tmp_path))
    said = capsys.readouterr().out
    assert "| progressive | 1 | 1 | 100.0 |" in said
    assert "ours: 1 of 1 found (100.0 %), 0 false in 80 frames (0.000 %)" in said


def test_analysis(tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(analysis, "best", lambda work: (work(), 1.0)[1])
    monkeypatch.setattr(analysis, "SIZES", ((320, 180, False), (320, 192, True)))
    analysis.measure(tmp_path, 3, 10, 40)
    said = capsys.readouterr().out
    assert "probing 3 short files: 1.00 of" in said and "analysis of all of them: 1.00 of plain decoding" in said
    assert re.search(r"40 frames whole: \d+\.\d s, memory at most \d+ MB", said)


@pytest.mark.parametrize("kind", [kind for kind in flow.ALL_KINDS if kind != "photographs"])
def test_a_scene_is_the_same_at_a_moment_in_any_size_and_another_a_little_later(kind: str) -> None:
    scene, again = (flow.ALL_KINDS[kind](3) for _ in range(2))
    first, later = scene(0.4, 160, 90), scene(0.42, 160, 90)
    assert first.shape == (90, 160, 3) and first.dtype == np.uint8 and first.std() > 5
    assert np.array_equal(first, again(0.4, 160, 90)) and 0.05 < np.abs(first.astype(int) - later).mean() < 60
    large = cv2.resize(scene(0.4, 320, 180), (160, 90), interpolation=cv2.INTER_AREA)
    assert abs(float(large.mean()) - float(first.mean())) < 25
    assert not np.array_equal(first, flow.ALL_KINDS[kind](4)(0.4, 160, 90))


def test_flow(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(flow, "FRAMES", 4)
    flow.measure(3, 320, 180, ["layers"])
    said = capsys.readouterr().out
    assert len(re.findall(r"^(quick|normal|careful) +luma [+-]\d+\.\d dB", said, re.MULTILINE)) == 3
    shares = [float(one) for one in re.findall(r"trusted from .* (\d+\.\d)% of them", said)]
    assert len(shares) == len(flow.EDGES) - 1 and shares[-1] >= shares[0], "what is trusted further is right more often"


def test_beats() -> None:
    kind, found = beats.judge(("steady", 3))
    assert kind == "steady" and found["ours"][1] > 0


def test_stretching() -> None:
    sound = np.sin(np.arange(stretching.RATE) * 0.06).astype(np.float32)[None]
    for name, way in stretching.ways().items():
        far = stretching.convergence(sound, way(sound, Fraction(4, 5)), Fraction(4, 5))
        assert far < 0.3, name
