"""Files made in processes of their own: what ends such a process is said of the file it was at, and harms nothing
else."""

import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, fields
from pathlib import Path

import pytest

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.settings.shipped import VIEW
from oddmeter.work.apart import render_apart, verify_apart
from tests.waiting import wait_until


@dataclass(frozen=True)
class Deadly(ClipPlan):
    """A plan whose file ends the process that makes it, as long as a flag says so."""

    ends_by: int = signal.SIGSEGV
    flag: Path = field(default_factory=Path)
    times: int = 1

    def insist_on_sources(self) -> None:
        done = len(list(self.flag.iterdir()))
        if done < self.times:
            (self.flag / str(done)).touch()
            os.kill(os.getpid(), self.ends_by)
        super().insist_on_sources()


@pytest.fixture
def good(footage: dict[str, Path], tmp_path: Path) -> ClipPlan:
    path = footage["HB_gulls_30.mp4"]
    facts = probe(path)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(25))
    return ClipPlan(path, facts, planned, VIEW, tmp_path / "made" / "gulls.mp4")


@pytest.fixture
def deadly(good: ClipPlan, tmp_path: Path) -> Iterator[Callable[[int, int], Deadly]]:
    def made(ends_by: int, times: int) -> Deadly:
        flag = tmp_path / f"ended by {ends_by}"
        flag.mkdir()
        same = {one.name: getattr(good, one.name) for one in fields(ClipPlan)}
        return Deadly(**same | {"out": good.out.with_name(f"{ends_by}.mp4")}, ends_by=ends_by, flag=flag, times=times)

    yield made


def nothing(*_: object) -> None:
    """Says nothing of progress."""


def test_a_file_is_made_and_proven_apart(good: ClipPlan) -> None:
    told: list[int] = []
    placed: list[bool] = []
    render_apart(good, told.append, lambda: placed.append(good.out.exists()))
    assert placed == [False] and good.out.is_file() and told == sorted(told)
    assert verify_apart(good, nothing).passed


def test_what_crashes_is_said_of_the_file_that_did_it(deadly: Callable[[int, int], Deadly], good: ClipPlan) -> None:
    bad = deadly(signal.SIGSEGV, 1)
    with pytest.raises(RuleError, match=r"making this file crashed \(SIGSEGV\); nothing else was harmed"):
        render_apart(bad, nothing, nothing)
    assert not bad.out.exists()
    render_apart(good, nothing, nothing)
    assert good.out.is_file()


def test_what_was_killed_is_tried_alone_before_it_is_refused(deadly: Callable[[int, int], Deadly]) -> None:
    """What another process took may have been the reason."""
    once, always = deadly(signal.SIGKILL, 1), None
    render_apart(once, nothing, nothing)
    assert once.out.is_file()
    always = Deadly(**{one.name: getattr(once, one.name) for one in fields(Deadly)} | {
        "times": 9, "out": once.out.with_name("always.mp4")})  # fmt: skip
    with pytest.raises(RuleError, match="killed twice, the second time with no other beside it"):
        render_apart(always, nothing, nothing)


def test_whoever_stops_asking_ends_the_process(good: ClipPlan) -> None:
    class StopError(Exception):
        pass

    def stop(_: int) -> None:
        raise StopError

    before = {thread.ident for thread in threading.enumerate()}
    with pytest.raises(StopError):
        render_apart(good, stop, nothing)
    assert not good.out.exists()
    assert {thread.ident for thread in threading.enumerate()} <= before


def _work(plan: ClipPlan) -> None:
    render_apart(plan, lambda _: time.sleep(60), nothing)


def test_the_process_ends_with_the_worker_that_began_it(good: ClipPlan) -> None:
    """Also where that is killed: nothing goes on writing, and nothing is placed."""
    worker = multiprocessing.get_context("spawn").Process(target=_work, args=(good,))
    worker.start()
    wait_until(lambda: any(part.stat().st_size for part in good.out.parent.glob(".*.part")))
    worker.kill()
    worker.join()
    (part,) = good.out.parent.glob(".*.part")

    def writers() -> list[str]:
        found = []
        for process in Path("/proc").glob("[0-9]*"):
            with suppress(OSError):
                found += [one.name for one in (process / "fd").iterdir() if one.readlink() == part]
        return found

    wait_until(lambda: not writers())
    assert not good.out.exists()
