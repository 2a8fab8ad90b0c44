"""What the documents say is so: links lead somewhere, commands run, pictures are there."""

import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").glob("*.md"))]


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: path.name)
def test_links_lead_somewhere(document: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", document.read_text()):
        assert (document.parent / target).exists(), target


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: path.name)
def test_files_that_are_named_are_there(document: Path) -> None:
    for name in re.findall(r"`((?:oddmeter|tests|bench|frontend|docs|setup)/[\w./-]+)`", document.read_text()):
        assert (ROOT / name).exists(), name


def test_pictures_are_few_and_linked() -> None:
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text()
    assert 4 <= len(pictures) < 20
    assert [picture.name for picture in pictures if picture.name not in readme] == []


@pytest.mark.parametrize(
    "line", re.findall(r"^    oddmeter (calc .*|timecode .*)$", (ROOT / "README.md").read_text(), re.MULTILINE)
)
def test_commands_of_the_readme_run(line: str) -> None:
    command = [sys.executable, "-m", "oddmeter", *shlex.split(line)]
    assert subprocess.run(command, capture_output=True, check=False).returncode == 0


CODE = sorted((ROOT / "oddmeter").rglob("*.py"))
OUTSIDE = {
    "os", "pathlib", "socket", "time", "datetime", "random", "subprocess", "psycopg", "fastapi", "pydantic", "av",
    "cv2",
}  # fmt: skip


KNOWING_FLOATS = {"conform/sound.py", "evidence/unevenness.py", "maps/moments.py", "maps/paths.py"}


def test_the_core_touches_nothing_outside() -> None:
    """No file, network, clock or framework is imported by the rules of the job, and no float decides a frame: only
    the room that weighs measured pictures knows likelihoods, pitch is printed in cents, times are weighed for how
    uneven they are, and turns of speed are searched with floats where these cannot be wrong, or are only drawn."""
    core = [module for module in CODE if module.is_relative_to(ROOT / "oddmeter" / "core")]
    assert len(core) > 40
    for module in core:
        text = module.read_text()
        imported = {name.split(".")[0] for name in re.findall(r"^(?:from|import) ([\w.]+)", text, re.MULTILINE)}
        assert not imported & OUTSIDE, module.name
        if module.parent.name != "pictures" and f"{module.parent.name}/{module.name}" not in KNOWING_FLOATS:
            assert not re.search(r"\bfloat\b", text), f"{module.name} uses a float"


def test_rooms_and_modules_stay_small() -> None:
    """About a dozen modules to a room, 400 lines to a module, and each room says what it offers."""
    page = [*(ROOT / "frontend" / "src").rglob("*.ts"), *(ROOT / "frontend" / "src").rglob("*.tsx")]
    for module in (*CODE, *(one for one in page if one.name != "schema.d.ts")):
        assert len(module.read_text().splitlines()) <= 400, module
    folders = [module.parent for module in page]
    assert max(map(folders.count, folders)) <= 15
    for room in {module.parent for module in CODE}:
        modules = [one for one in room.glob("*.py") if one.name != "__init__.py"]
        assert len(modules) <= 12, room
        said = re.match(r'"""(.+?)"""', (room / "__init__.py").read_text(), re.DOTALL)
        assert said and len(said[1]) > 20, room


def test_new_things_go_where_the_architecture_says() -> None:
    table = (ROOT / "docs" / "architecture.md").read_text().split("## Where a new thing goes")[1]
    named = re.findall(r"`((?:core|media|web|demo|store|bench|frontend|tests)/[\w./-]*)`", table)
    assert len(named) > 30
    for name in named:
        assert (ROOT / name).exists() or (ROOT / "oddmeter" / name).exists(), name
