"""A few of the clips by which accuracy is measured, so that no change of the rules goes unnoticed."""

import importlib.util
import sys
from pathlib import Path
from types import ModuleType

import pytest

from oddmeter.demo import scenes
from tests.footage import kept

BENCH = Path(__file__).parents[2] / "bench" / "accuracy.py"


def bench() -> ModuleType:
    """The script that measures, loaded by its path."""
    spec = importlib.util.spec_from_file_location("bench_accuracy", BENCH)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


accuracy = bench()


@pytest.fixture(scope="session")
def clips() -> Path:
    """Where the made clips are kept between runs, for as long as what makes them stays as it is."""
    made_by = (BENCH, *sorted(Path(scenes.__file__).parent.glob("*.py")))
    return kept("accuracy", *made_by)


@pytest.mark.parametrize("kind", accuracy.KINDS)
def test_it_is_read_rightly_with_noise_grain_and_compression(kind: str, clips: Path) -> None:
    _, right, line = accuracy.judge(3, kind, str(clips))
    assert right, line


def test_the_measure_can_fail(clips: Path) -> None:
    """What judges is not easily pleased: the report on one kind of clip is wrong for every other kind."""
    kinds = ("upper first", "lower first", "shifted", "2:3", "repeats", "still")
    accuracy.judge(3, "upper first", str(clips))
    report = accuracy.analyse(clips / "upper first 3.mkv", accuracy.probe(clips / "upper first 3.mkv"))
    random = accuracy.random.Random
    made = {kind: accuracy.planned(3, kind, random(f"3 {kind}")) for kind in kinds}
    assert [kind for kind in kinds if accuracy.right(made[kind], report)] == ["upper first"]
