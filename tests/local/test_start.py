"""./start as a person runs it: one at a time, stopped as a whole, and quick the second time."""

import os
import re
import signal
import subprocess
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from oddmeter.local.cluster import Cluster
from tests.browser.conftest import answers, free_port
from tests.waiting import wait_until

ROOT = Path(__file__).parents[2]
Start = Callable[..., "subprocess.Popen[str]"]


def environment() -> dict[str, str]:
    return {**os.environ, "PYTHONUNBUFFERED": "1"}


@pytest.fixture
def start(place: Path) -> Iterator[Start]:
    running: list[subprocess.Popen[str]] = []

    def begin(*arguments: str) -> "subprocess.Popen[str]":
        command = [str(ROOT / "start"), *arguments]
        process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment(), cwd=place
        )
        running.append(process)
        return process

    yield begin
    for process in running:
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
            process.wait(30)


def said(process: "subprocess.Popen[str]", words: str) -> str:
    """What the process says up to a line with these words."""
    lines: list[str] = []
    assert process.stdout is not None
    for line in process.stdout:
        lines.append(line)
        if re.search(words, line):
            return "".join(lines)
    raise AssertionError(f"ended without saying “{words}”: {''.join(lines)}")


def test_start_runs_once_serves_and_stops_everything(start: Start, place: Path) -> None:
    port = free_port()
    data = place / "data"
    first = start("--empty", "--data", "data", "--port", str(port))
    said(first, f"open at http://127.0.0.1:{port} ")
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5) as page:
        assert b"Odd Meter" in page.read()
    second = start("--empty", "--data", "data", "--port", str(free_port()))
    assert "odd meter" in said(second, "runs already").lower()
    assert second.wait(20) == 1
    other = start("--empty", "--data", "other", "--port", str(port))
    said(other, f"Port {port} is taken by another program; choose one with --port.")
    assert other.wait(20) == 1
    children = subprocess.run(
        ["pgrep", "-f", f"ODDMETER|--port {port}|{data}"], capture_output=True, text=True, check=False
    ).stdout.split()
    assert children, "the database and the web application run as processes of their own"
    first.send_signal(signal.SIGINT)
    assert first.wait(30) == 0
    assert not Cluster(data.resolve()).running()
    again = time.monotonic()
    third = start("--empty", "--data", "data", "--port", str(port))
    said(third, "open at")
    assert time.monotonic() - again < 30, "a later start takes seconds"
    third.send_signal(signal.SIGTERM)
    assert third.wait(30) == 0


def test_what_was_killed_leaves_nothing_in_the_way(start: Start) -> None:
    port = str(free_port())
    first = start("--empty", "--data", "data", "--port", port)
    said(first, "open at")
    first.kill()
    first.wait()
    wait_until(lambda: not answers(f"http://127.0.0.1:{port}/"))
    second = start("--empty", "--data", "data", "--port", port)
    said(second, "open at")


def test_help_needs_no_set_up() -> None:
    done = subprocess.run([str(ROOT / "start"), "--help"], capture_output=True, text=True, check=True)
    for option in ("--port", "--data", "--empty", "--media"):
        assert option in done.stdout


def test_a_wrong_option_is_one_sentence(start: Start) -> None:
    wrong = start("--port", "high")
    assert "--port" in said(wrong, "^oddmeter: ")
    assert wrong.wait(20) == 2


@pytest.mark.parametrize(
    ("missing", "sentence"),
    [
        ("need_node", "Node.js 20 is missing. Install it, with npm, then run this again."),
        ("find_python", "Python 3.11 or newer is missing. Install it: apt-get install python3 python3-venv"),
    ],
)
def test_what_is_missing_is_said_in_one_sentence(missing: str, sentence: str, tmp_path: Path) -> None:
    tools = tmp_path / "bin"
    tools.mkdir()
    for name in ("bash", "dirname", "mkdir", "cat", "id"):
        (tools / name).symlink_to(
            Path("/usr/bin") / name if (Path("/usr/bin") / name).exists() else Path("/bin") / name
        )
    script = f'. "{ROOT}/setup/machine.sh"; {missing}'
    done = subprocess.run(
        [str(tools / "bash"), "-c", script], capture_output=True, text=True, check=False, env={"PATH": str(tools)}
    )
    assert (done.returncode, done.stderr.strip()) == (1, f"odd meter: {sentence}")


def test_lock_files_name_no_registry() -> None:
    for name in ("requirements.lock", "frontend/package-lock.json", "frontend/.npmrc", "requirements.in"):
        text = (ROOT / name).read_text()
        assert not re.search(
            r'"resolved"|index-url|find-links|https?://(?!opencollective|github|www\.)\S*(pypi|npmjs)', text
        ), name
    assert text.strip()
    locked = (ROOT / "requirements.lock").read_text()
    packages = re.findall(r"^[a-z0-9][\w.-]*==", locked, re.MULTILINE)
    assert len(packages) > 30 and locked.count("--hash=sha256:") > len(packages)
