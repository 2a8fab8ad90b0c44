"""Where things are: roots by name, and no way out of them."""

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.config import UPLOADS, Beat, Config, inside, named_folders
from oddmeter.core.numbers.errors import RuleError


def test_the_environment_is_read_back_as_it_was_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    media = f"Cards={tmp_path / 'cards'}\nScans={tmp_path / 'scans'}"
    own = {"Shuttle": tmp_path / "shuttle", "Far away": tmp_path / "far away"}
    config = replace(Config.under(tmp_path / "data", "postgresql://nowhere", media), beat=Beat(0.25, 2, 1), targets=own)
    for key, value in config.to_environment().items():
        monkeypatch.setenv(key, value)
    assert Config.from_environment() == config
    assert list(config.roots) == ["Cards", "Scans", UPLOADS]
    monkeypatch.delenv("ODDMETER_DATABASE")
    with pytest.raises(RuleError, match="No database is named"):
        Config.from_environment()


def test_a_folder_without_a_name_is_refused() -> None:
    for text in ("/mnt/shuttle", "Shuttle=", "=/mnt/shuttle"):
        with pytest.raises(RuleError, match="names no folder; write Name=folder"):
            named_folders(text)


def test_without_media_there_is_one_root_below_the_data(tmp_path: Path) -> None:
    config = Config.under(tmp_path, "postgresql://nowhere")
    config.make_folders()
    assert config.roots == {"Footage": tmp_path / "media", UPLOADS: tmp_path / "uploads"}
    assert all(folder.is_dir() for folder in (*config.roots.values(), config.made))


@given(st.lists(st.sampled_from(["..", ".", "a", "/", "b c", "ü", "~", "...", "a/../.."]), max_size=7))
def test_no_path_leads_out(parts: list[str]) -> None:
    base = Path("/srv/footage")
    try:
        found = inside(base, "/".join(parts))
    except RuleError:
        return
    assert found == base or base in found.parents


@pytest.mark.parametrize("path", ["../x", "a/../../x", "\0", "/../x"])
def test_what_leads_out_is_refused(path: str, tmp_path: Path) -> None:
    with pytest.raises(RuleError):
        inside(tmp_path, path)


@pytest.mark.parametrize("text", ["", "1", "1 1.9 1", "0 6 2", "1 6 0", "one 6 2", "1 6 2 3", "nan 6 2"])
def test_a_beat_that_cannot_be_is_refused(text: str) -> None:
    with pytest.raises(RuleError, match="ODDMETER_BEAT"):
        Beat.parse(text)
