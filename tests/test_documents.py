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


def test_the_core_touches_nothing_outside() -> None:
    """No file, network, clock or framework is imported by the rules of the job, and no float decides a frame: only
    the modules that weigh measured pictures know likelihoods."""
    weighing = {"picture.py", "fields.py", "repeats.py", "blends.py"}
    outside = {
        "os",
        "pathlib",
        "socket",
        "time",
        "datetime",
        "random",
        "subprocess",
        "psycopg",
        "fastapi",
        "pydantic",
        "av",
        "cv2",
    }
    for module in (ROOT / "oddmeter" / "core").glob("*.py"):
        imported = {
            name.split(".")[0] for name in re.findall(r"^(?:from|import) ([\w.]+)", module.read_text(), re.MULTILINE)
        }
        assert not imported & outside, module.name
        floats = re.search(r"\bfloat\(", module.read_text())
        assert not floats or module.name in weighing, f"{module.name} uses a float"
