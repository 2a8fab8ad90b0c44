"""Looking in a process of its own: the same pictures, the same sentences, and another one where it was killed."""

import multiprocessing
import tempfile
from collections.abc import Callable, Iterator
from multiprocessing.process import BaseProcess
from pathlib import Path

import pytest

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.media.files.probe import probe
from oddmeter.media.viewing import Viewed
from oddmeter.store.changes import MissingError
from oddmeter.web.looking import Looking, Side, look_for_others, looking_at
from tests.waiting import wait_until


@pytest.fixture
def socket() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        yield f"{folder}/looking"


@pytest.fixture
def begin(tmp_path: Path, socket: str) -> Iterator[Callable[[], BaseProcess]]:
    begun: list[BaseProcess] = []

    def begin() -> BaseProcess:
        process = multiprocessing.get_context("spawn").Process(target=look_for_others, args=(tmp_path, socket))
        process.start()
        begun.append(process)
        return process

    yield begin
    for process in begun:
        process.kill()
        process.join()


def gone(looking: Looking, token: str) -> bool:
    """Whether a looking that answers does not know a side; False while it does not answer."""
    try:
        looking.side(token)
    except MissingError:
        return True
    except RuleError:
        pass
    return False


def test_a_process_of_its_own_shows_the_same_and_may_be_replaced(
    footage: dict[str, Path], tmp_path: Path, socket: str, begin: Callable[[], BaseProcess]
) -> None:
    path = footage["HB_gulls_30.mp4"]
    facts = probe(path)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(25))
    timeline = Timeline(1, TimelineSettings("Main", Rate.of(25)), 1)
    side = Side(Viewed(path, facts, planned, Canvas(facts.width, facts.height, facts.pixel_aspect)), timeline, None)

    elsewhere = looking_at(socket)
    with pytest.raises(RuleError, match="The Bench is restarting"):
        elsewhere.put(side, fill=False)
    first = begin()
    here, other = Looking(tmp_path / "own"), looking_at(socket)
    wait_until(lambda: gone(other, "unknown"))
    token = elsewhere.put(side, fill=True)
    assert token == here.put(side, fill=False)
    assert other.side(token) == side, "what one asked for, all may look at"
    assert other.final(token, 7) == here.final(token, 7)
    assert other.draft(token, 7) == here.draft(token, 7)
    assert other.changes(token, 0, 4) == here.changes(token, 0, 4)
    here.close()
    with pytest.raises(MissingError, match="This side of the Bench"):
        other.draft("unknown", 0)
    first.kill()
    first.join()
    begin()
    wait_until(lambda: gone(other, token))
    assert elsewhere.put(side, fill=False) == token and other.final(token, 7)
