"""What every test shares: the demo footage, made once into a kept folder, and Hypothesis' settings."""

from pathlib import Path

import pytest
from hypothesis import settings

from oddmeter.demo.footage import SHOW_FOLDER, make_footage

settings.register_profile("odd-meter", deadline=None, max_examples=60)
settings.load_profile("odd-meter")

FOOTAGE = Path(__file__).parents[1] / ".data" / "test-media"


@pytest.fixture(scope="session")
def media_root() -> Path:
    """A media root with all of The Tide Bell; kept between runs, since the generator is deterministic."""
    make_footage(FOOTAGE)
    return FOOTAGE


@pytest.fixture(scope="session")
def footage(media_root: Path) -> dict[str, Path]:
    """The demo's files by name."""
    return {path.name: path for path in (media_root / SHOW_FOLDER).rglob("*.*") if not path.name.startswith(".")}
