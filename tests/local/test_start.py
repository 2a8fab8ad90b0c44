"""./start as a person runs it: one at a time, stopped as a whole, and quick the second time."""

import os
import re
import signal
import socket
import subprocess
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.demo.footage import SHOW_FOLDER, is_there
from oddmeter.demo.takes import TAKES, TRAPS
from oddmeter.local.cluster import Cluster
from oddmeter.local.stack import make_demo_of, roots_of
from oddmeter.store import clips, shows
from oddmeter.store.database import Database
from tests.browser.conftest import answers, free_port
from tests.waiting import wait_until

ROOT = Path(__file__).parents[2]
Start = Callable[..., "subprocess.Popen[str]"]


def environment() -> dict[str, str]:
    return {**os.environ, "PYTHONUNBUFFERED": "1"}


@pytest.fixture
def start(place: Path) -> Iterator[Start]:
    running: list[subprocess.Popen[str]] = []

    def begin(*arguments: str, start_new_session: bool = False) -> "subprocess.Popen[str]":
        process = subprocess.Popen(
            [str(ROOT / "start"), *arguments],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment(), cwd=place,
            start_new_session=start_new_session,
        )  # fmt: skip
        running.append(process)
        return process

    yield begin
    for process in running:
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
            process.wait(300)


def said(process: "subprocess.Popen[str]", words: str) -> str:
    """What the process says up to a line with these words."""
    lines: list[str] = []
    assert process.stdout is not None
    for line in process.stdout:
        lines.append(line)
        if re.search(words, line):
            return "".join(lines)
    raise AssertionError(f"ended without saying “{words}”: {''.join(lines)}")


def processes(start: "subprocess.Popen[str]", name: str) -> list[int]:
    """The parts of a start that are called so, which are forked from a process of its own."""

    def children(parents: list[str], *which: str) -> list[str]:
        asked = ["pgrep", "-P", ",".join(parents), *which]
        return subprocess.run(asked, capture_output=True, text=True, check=False).stdout.split()

    between = children([str(start.pid)])
    return [int(pid) for pid in children(between, "-x", name)] if between else []


def test_two_starts_on_one_port_at_once_open_once(start: Start, place: Path) -> None:
    """Neither has looked before the other holds the port."""
    port = free_port()
    two = [start("--empty", "--data", name, "--port", str(port), "--web", "1") for name in ("one", "two")]
    told = [said(process, "open at|already running") for process in two]
    assert sorted("open at" in words for words in told) == [False, True], told
    loser = two[["open at" in words for words in told].index(False)]
    assert loser.wait(300) == 1


def test_start_runs_once_serves_and_stops_everything(start: Start, place: Path) -> None:
    port = free_port()
    data = place / "data"
    first = start("--empty", "--data", "data", "--port", str(port), "--web", "2")
    said(first, f"open at http://127.0.0.1:{port} ")
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=60) as page:
        assert b"Odd Meter" in page.read()
    second = start("--empty", "--data", "data", "--port", str(free_port()))
    assert "odd meter" in said(second, "Odd Meter is already running at").lower()
    assert second.wait(300) == 1
    other = start("--empty", "--data", "other", "--port", str(port))
    said(other, f"Odd Meter is already running at http://127.0.0.1:{port}.")
    assert other.wait(300) == 1
    pid = int((Cluster(data.resolve()).folder / "postmaster.pid").read_text().split()[0])
    os.kill(pid, signal.SIGKILL)
    said(first, "The database ended by itself; starting it again.")
    wait_until(lambda: answers(f"http://127.0.0.1:{port}/api/shows"))
    web = processes(first, "meter-serve")
    assert len(web) == 2
    for part, name in ((web[0], "web application"), (processes(first, "meter-looking")[0], "Bench")):
        os.kill(part, signal.SIGKILL)
        said(first, f"The {name} ended by itself .*; starting it again.")
        assert all(answers(f"http://127.0.0.1:{port}/") for _ in range(20)), "the other web process goes on"
    for entry in data.iterdir():
        if entry.name not in ("made", "postgres"):
            assert entry.stat().st_mode & 0o077 == 0, entry
    assert data.stat().st_mode & 0o066 == 0

    def running() -> list[int]:
        return [pid for name in ("meter-worker", "meter-looking", "meter-serve") for pid in processes(first, name)]

    wait_until(lambda: len(running()) == 4)  # the Bench is being started again
    parts = running()
    first.send_signal(signal.SIGINT)
    assert first.wait(300) == 0
    assert not any(Path(f"/proc/{part}").exists() for part in parts)
    assert not Cluster(data.resolve()).running
    holder = socket.create_server(("127.0.0.1", 0))
    busy = holder.getsockname()[1]
    with holder:
        fourth = start("--empty", "--data", "fourth", "--port", str(busy))
        said(fourth, f"Port {busy} is in use by another program. Choose another with --port.")
        assert fourth.wait(300) == 1
    third = start("--empty", "--data", "data", "--port", str(port), "--web", "1")
    said(third, "open at")
    third.send_signal(signal.SIGTERM)
    assert third.wait(300) == 0


def test_what_was_killed_leaves_nothing_in_the_way(start: Start) -> None:
    port = str(free_port())
    first = start("--empty", "--data", "data", "--port", port, "--web", "2")
    said(first, "open at")
    first.kill()
    first.wait()
    wait_until(lambda: not answers(f"http://127.0.0.1:{port}/"))
    second = start("--empty", "--data", "data", "--port", port)
    said(second, "open at")


def test_the_demo_has_a_root_of_its_own_and_stays_out_of_others(
    tmp_path: Path, database: Database, media_root: Path
) -> None:
    data, card = tmp_path / "data", tmp_path / "card"
    card.mkdir()

    def started(*media: str) -> Config:
        roots = "\n".join(roots_of(data, list(media), demo=True))
        config = Config.under(data, database.url, roots)
        make_demo_of(config)
        return config

    def places() -> set[str]:
        with database.transaction() as connection:
            (show,) = [show for show in shows.all_shows(connection) if show.name == "The Tide Bell"]
            return {delivery.root for delivery in clips.deliveries(connection, show.id)}

    with database.transaction() as connection:
        show_id = shows.add_show(connection, "The Tide Bell", TimelineSettings("The film", Rate.of(25)))
        delivery = clips.add_delivery(connection, show_id, "Card", "Cards", "The Tide Bell/Card", ["a.mov"])
        clips.bring_in(connection, delivery)
    (data / "demo").mkdir(parents=True)
    (data / "demo" / "The Tide Bell").symlink_to(media_root / "The Tide Bell")
    config = started(f"Cards={card}")
    assert places() == {"Demo footage"}, (
        "clips whose footage is not in a root that was named are found in the demo's own"
    )
    assert list(card.iterdir()) == [], "and nothing is written there"
    assert list(config.roots) == ["Cards", "Demo footage", "Uploads"]
    assert list(started().roots) == ["Footage", "Demo footage", "Uploads"] and places() == {"Demo footage"}
    with pytest.raises(RuleError, match="Name your media root differently"):
        started(f"Demo footage={card}")


def test_an_interrupt_is_answered_while_the_demo_is_made(start: Start, place: Path) -> None:
    """By Ctrl-C, which goes to all of a terminal's group, and by whoever is impatient."""
    first = start("--data", "data", "--port", str(free_port()), start_new_session=True)
    footage = place / "data" / "demo" / SHOW_FOLDER
    wait_until(lambda: any(not path.name.endswith(".part") for path in footage.rglob("*.m*")))
    for signal_number in (signal.SIGINT, signal.SIGTERM):
        os.killpg(first.pid, signal_number)
    told, _ = first.communicate(timeout=300)
    assert first.returncode == 0 and "Stopping …" in told and "Traceback" not in told, told
    written = [take for take in (*TAKES, *TRAPS) if is_there(take, place / "data" / "demo" / take.relative_path)]
    assert 0 < len(written) < len(TAKES), "the rest was not made first"
    wait_until(
        lambda: subprocess.run(["pgrep", "-g", str(first.pid)], check=False, capture_output=True).returncode == 1
    )


def test_help_needs_no_set_up() -> None:
    done = subprocess.run([str(ROOT / "start"), "--help"], capture_output=True, text=True, check=True)
    for option in ("--port", "--data", "--empty", "--media", "--web"):
        assert option in done.stdout


def test_a_wrong_option_is_one_sentence(start: Start) -> None:
    wrong = start("--port", "high")
    assert "--port" in said(wrong, "^oddmeter: ")
    assert wrong.wait(300) == 2


def said_by(script: str, tools: Path, *, without: tuple[str, ...]) -> "subprocess.CompletedProcess[str]":
    """What the set-up's functions say on a machine that lacks some commands."""
    tools.mkdir()
    for folder in (Path("/usr/local/bin"), Path("/usr/bin"), Path("/bin")):
        for tool in folder.iterdir():
            if not tool.name.startswith(without) and not (tools / tool.name).exists():
                (tools / tool.name).symlink_to(tool)
    whole = f'. "{ROOT}/setup/machine.sh"; {script}'
    environment = {name: value for name, value in os.environ.items() if name not in ("PATH", "VIRTUAL_ENV")}
    return subprocess.run(
        [str(tools / "bash"), "-c", whole], capture_output=True, text=True, check=False,
        env={**environment, "PATH": str(tools)},
    )  # fmt: skip


def test_what_is_missing_is_said_in_one_sentence(tmp_path: Path) -> None:
    done = said_by("find_python", tmp_path / "bin", without=("python",))
    sentence = "Python 3.11 or newer is missing. Install it: apt-get install python3 python3-venv"
    assert (done.returncode, done.stderr.strip()) == (1, f"odd meter: {sentence}")


def test_node_is_fetched_where_there_is_none(tmp_path: Path) -> None:
    """Once; from then on it is found in the virtual environment."""
    for name in ("first", "second"):
        done = said_by("need_node; node --version; npm --version", tmp_path / name, without=("node", "npm", "npx"))
        assert done.returncode == 0, done.stderr
        assert re.search(r"v20\.\d+\.\d+\n\d+\.\d+\.\d+\n$", done.stdout), done.stdout
    assert "Setting up" not in done.stdout


def test_what_is_compiled_is_compiled_again_for_another_processor(tmp_path: Path) -> None:
    """Where a copy was moved, or its machine changed: not in the middle of a person's step."""
    kernels = ("inbetweens/flow.py", *(f"pictures/{name}.py" for name in ("adding", "powers", "transfer")))
    for file in ("inbetweens/__pycache__/.keep", *kernels):
        (tmp_path / "oddmeter" / "media" / file).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "oddmeter" / "media" / file).touch()
    (tmp_path / "requirements.lock").touch()
    (tmp_path / ".data").mkdir()
    script = (
        f'. "{ROOT}/setup/machine.sh"; here="{tmp_path}"; python=true; need_kernels; echo once; need_kernels;'
        " grep() { echo 'another processor'; }; echo moved; need_kernels; need_kernels"
    )
    done = subprocess.run(["bash", "-c", script], capture_output=True, text=True, check=True)
    said = "· Compiling what builds in-betweens"
    assert done.stdout.splitlines() == [said, "once", "moved", said], done.stderr


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
