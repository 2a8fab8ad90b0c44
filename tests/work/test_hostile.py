"""A batch with hostile files in it goes through a real worker: the good are read, the bad are said to be."""

import os
import subprocess
import sys
from pathlib import Path

from oddmeter.core.evidence.facts import Facts
from oddmeter.work.tasks import queue
from oddmeter.work.worker import requeue_lost
from tests.waiting import wait_until
from tests.work.conftest import Desk


def hostile(folder: Path, good: bytes) -> list[str]:
    folder.mkdir(parents=True, exist_ok=True)
    files = {
        "good.mp4": good,
        "cut.mp4": good[: len(good) // 2],
        "torn.mp4": good[: len(good) // 3] + bytes(4000) + good[len(good) // 3 + 4000 :],
        "zeros.mov": bytes(100_000),
        "line\x1b[2J\u202ebreak.mov": b"\x00\x00\x00\x14ftypqt  " + b"\xff" * 5_000,
        "slash\\name.mkv": b"\x1aE\xdf\xa3" + b"\xff" * 50_000,
        "empty.mxf": b"",
        "list_####.png": b"no picture",
    }
    for name, data in files.items():
        (folder / name).write_bytes(data)
    os.mkfifo(folder / "pipe.mov")
    (folder / "out.mov").symlink_to("/etc/passwd")
    return [*files, "pipe.mov", "out.mov"]


def test_nothing_stops_the_batch(desk: Desk, footage: dict[str, Path]) -> None:
    good = footage["HB_gulls_30.mp4"].read_bytes()
    names = hostile(desk.config.roots["Uploads"] / "card", good)
    fresh = desk.bring_in(*(f"card/{name}" for name in names), root="Uploads", look=False)
    orders = queue(desk.config, desk.database)
    orders.app.open()
    requeue_lost(orders, desk.database)
    command = [sys.executable, "-m", "oddmeter", "worker"]
    worker = subprocess.Popen(command, env={**os.environ, **desk.config.to_environment()})
    try:
        wait_until(
            lambda: not any(clip.facts is None or (clip.facts.usable and not clip.picture) for clip in desk.clips()),
            lambda: [(clip.facts is None, clip.picture is None) for clip in desk.clips()],
        )
        assert worker.poll() is None
    finally:
        worker.terminate()
        worker.wait(300)
        orders.app.close()
    found: dict[str, Facts | None] = {clip.name: clip.facts for clip in desk.clips()}
    assert len(found) == len(fresh) == len(names)
    whole, cut = found["good.mp4"], found["cut.mp4"]
    assert whole is not None and whole.usable and whole.frames == 240
    assert cut is not None and cut.fault is not None
    outside = found["out.mov"]
    assert (
        outside is not None
        and outside.fault is not None
        and "points outside its media root; it cannot be opened" in outside.fault
    )
    for name, facts in found.items():
        assert facts is not None and (facts.usable or (facts.fault or "").endswith(".")), name
