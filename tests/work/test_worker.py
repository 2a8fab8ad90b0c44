"""Real worker processes: killed in mid-render, and with the database restarted under them."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from fractions import Fraction

from oddmeter.demo.framecode import read
from oddmeter.local.cluster import Cluster
from oddmeter.media.containers.settings import Setting
from oddmeter.media.files.decode import FrameReader
from oddmeter.work.tasks import queue
from tests.work.conftest import Desk

GULLS = "The Tide Bell/Harbour, boat and phones/HB_gulls_30.mp4"


@contextmanager
def worker(desk: Desk) -> Iterator["subprocess.Popen[bytes]"]:
    environment = {**os.environ, **desk.config.to_environment()}
    process = subprocess.Popen([sys.executable, "-m", "oddmeter", "worker"], env=environment)
    try:
        yield process
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def wait_until(true: Callable[[], bool], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "waited too long"
        time.sleep(0.1)


def queued(desk: Desk, out: str, speed: Fraction) -> int:
    (clip,) = desk.bring_in(GULLS)
    asked = desk.ask(clip, out, Setting.ARCHIVE, speed)
    with desk.database.transaction() as connection:
        queue(desk.config, desk.database).ask_render(connection, asked, f"{out}.mkv")
    return asked


def check_whole(desk: Desk, asked: int) -> None:
    done = desk.render(asked)
    assert done.state == "done", done
    assert done.proof is not None and done.proof["passed"]
    assert [path.name for path in desk.config.made.iterdir()] == [done.out_path]
    with FrameReader(desk.config.product(done.out_path)) as made:
        last = made.frame(done.total_frames - 1)
        assert read(last.reformat(format="gray").to_ndarray().astype("uint8")) == 239


def test_a_worker_killed_in_mid_render_is_replaced_and_the_file_is_whole(desk: Desk) -> None:
    asked = queued(desk, "killed", Fraction(1, 6))
    with worker(desk) as first:
        wait_until(lambda: desk.render(asked).done_frames > 100)
        first.kill()
        first.wait()
    assert desk.render(asked).state == "rendering"
    left = [path.name for path in desk.config.made.iterdir()]
    assert len(left) == 1 and left[0].startswith(".killed.mkv.") and left[0].endswith(".part")
    with worker(desk):
        wait_until(lambda: desk.render(asked).state == "done")
    assert desk.render(asked).attempts == 2
    check_whole(desk, asked)


def test_a_worker_that_is_stopped_puts_its_render_back_at_once(desk: Desk) -> None:
    asked = queued(desk, "stopped", Fraction(1, 6))
    with worker(desk) as first:
        wait_until(lambda: desk.render(asked).done_frames > 50)
        first.terminate()
        assert first.wait(8) == 0
    assert list(desk.config.made.iterdir()) == []
    assert desk.render(asked).state == "rendering", "it is not given up, only left to the next worker"
    with worker(desk):
        wait_until(lambda: desk.render(asked).state == "done")
    check_whole(desk, asked)


def test_the_database_restarted_in_mid_render_is_survived(desk: Desk, cluster: Cluster) -> None:
    asked = queued(desk, "restarted", Fraction(1, 8))
    port = (cluster.home / "postgres.port").read_text()
    with worker(desk):
        wait_until(lambda: desk.render(asked).done_frames > 100)
        cluster.stop()
        time.sleep(1)
        cluster.start(int(port))
        wait_until(lambda: desk.render(asked).state == "done")
        later = queued(desk, "later", Fraction(1))
        wait_until(lambda: desk.render(later).state == "done")
    assert desk.render(asked).proof is not None
    assert {path.name for path in desk.config.made.iterdir()} == {"restarted.mkv", "later.mkv"}


def test_two_workers_share_a_queue(desk: Desk) -> None:
    asked = [queued(desk, f"shared{i}", Fraction(1)) for i in range(4)]
    with worker(desk), worker(desk):
        wait_until(lambda: all(desk.render(one).state == "done" for one in asked))
    assert [desk.render(one).attempts for one in asked] == [1, 1, 1, 1]
