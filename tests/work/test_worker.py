"""Real worker processes: killed in mid-render, and with the database restarted under them."""

import os
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction

from oddmeter.config import Beat
from oddmeter.demo.framecode import read
from oddmeter.local.cluster import Cluster
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.settings.shipped import EDIT
from oddmeter.store.renders import Render
from oddmeter.work.tasks import queue
from tests.waiting import wait_until
from tests.work.conftest import Desk

GULLS = "The Tide Bell/Harbour, boat and phones/HB_gulls_30.mp4"


BEAT = Beat(0.5, 3.0, 0.5)
"""Sooner than usual: who waits for a worker to be taken for dead waits no longer than needed."""


@contextmanager
def worker(desk: Desk) -> Iterator["subprocess.Popen[bytes]"]:
    environment = {**os.environ, **replace(desk.config, beat=BEAT).to_environment()}
    process = subprocess.Popen([sys.executable, "-m", "oddmeter", "worker"], env=environment)
    try:
        yield process
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(300)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def wait_for(desk: Desk, true: Callable[[Render], bool], *asked: int) -> None:
    """Wait until it is true of all these renders, as long as any of them goes forward."""
    wait_until(
        lambda: all(true(desk.render(one)) for one in asked),
        lambda: [(now.state, now.done_frames, now.attempts) for now in map(desk.render, asked)],
    )


def far(render: Render) -> bool:
    return render.done_frames > 100


def done(render: Render) -> bool:
    return render.state == "done"


def queued(desk: Desk, out: str, speed: Fraction) -> int:
    (clip,) = desk.bring_in(GULLS)
    asked = desk.ask(clip, out, EDIT, speed)
    with desk.database.transaction() as connection:
        queue(desk.config, desk.database).ask_renders(connection, {f"{out}.mov": asked})
    return asked


def check_whole(desk: Desk, asked: int) -> None:
    whole = desk.render(asked)
    assert whole.state == "done", whole
    assert whole.proof is not None and whole.proof["passed"]
    assert [path.name for path in desk.config.made.iterdir()] == [whole.out_path]
    with FrameReader(desk.config.product(whole.out_path)) as made:
        last = made.frame(whole.total_frames - 1)
        assert (
            read(last.reformat(format="gray").to_ndarray().astype("uint8"))
            == (whole.total_frames - 1) * 240 // whole.total_frames
        )


def test_a_worker_killed_in_mid_render_is_replaced_and_the_file_is_whole(desk: Desk) -> None:
    asked = queued(desk, "killed", Fraction(1))
    with worker(desk) as first:
        wait_for(desk, far, asked)
        first.kill()
        first.wait()
    assert desk.render(asked).state == "rendering"
    left = [path.name for path in desk.config.made.iterdir()]
    assert len(left) == 1 and left[0].startswith(".killed.mov.") and left[0].endswith(".part")
    with worker(desk):
        wait_for(desk, done, asked)
    assert desk.render(asked).attempts == 2
    check_whole(desk, asked)


def test_a_worker_that_is_stopped_puts_its_render_back_at_once(desk: Desk) -> None:
    asked = queued(desk, "stopped", Fraction(1, 3))
    with worker(desk) as first:
        wait_for(desk, far, asked)
        first.terminate()
        assert first.wait(300) == 0
    assert list(desk.config.made.iterdir()) == []
    assert desk.render(asked).state == "rendering", "it is not given up, only left to the next worker"
    with worker(desk):
        wait_for(desk, done, asked)
    check_whole(desk, asked)


def test_the_database_restarted_in_mid_render_is_survived(desk: Desk, cluster: Cluster) -> None:
    asked = queued(desk, "restarted", Fraction(1))
    port = (cluster.home / "postgres.port").read_text()
    with worker(desk):
        wait_for(desk, far, asked)
        cluster.stop()
        cluster.start(int(port))
        wait_for(desk, done, asked)
        later = queued(desk, "later", Fraction(4))
        wait_for(desk, done, later)
    assert desk.render(asked).proof is not None
    assert {path.name for path in desk.config.made.iterdir()} == {"restarted.mov", "later.mov"}


def test_two_workers_share_a_queue(desk: Desk) -> None:
    asked = [queued(desk, f"shared{i}", Fraction(3)) for i in range(4)]
    with worker(desk), worker(desk):
        wait_for(desk, done, *asked)
    assert [desk.render(one).attempts for one in asked] == [1, 1, 1, 1]
