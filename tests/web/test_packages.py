"""Packages closed in the application: looked at as they were, compared with today, and checked where they lie."""

from typing import Any

import pytest

from oddmeter.config import Config
from oddmeter.work.package.sheet import read_sheet
from oddmeter.work.package.verifying import verified
from tests.web.conftest import Browser

LANTERN = "VR_lantern_24.mkv"


@pytest.fixture
def made(browser: Browser) -> tuple[int, dict[str, Any], list[int]]:
    """A show with two finished files of one clip."""
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Visitors' reels")
    row = browser.ledger(show)[LANTERN]
    outputs = [{"setting": setting, "folder": setting, "pattern": "{clip}"} for setting in ("view", "edit")]
    browser.send("POST", f"/api/shows/{show}/renders", {"clip_ids": [row["id"]], "outputs": outputs})
    browser.work()
    renders = browser.get(f"/api/shows/{show}/renders")
    assert {render["state"] for render in renders} == {"done"}
    return show, row, [render["id"] for render in renders]


@pytest.mark.parametrize("algorithm", ["xxh128", "sha256"])
def test_a_package_is_closed_verified_and_compared_with_today(
    algorithm: str, made: tuple[int, dict[str, Any], list[int]], browser: Browser, config: Config
) -> None:
    show, row, ids = made
    path = f"/api/shows/{show}/packages"
    asked = browser.send("POST", path, {"render_ids": ids, "folder": "to editor/1", "algorithm": algorithm})
    assert (asked["state"], asked["files"]) == ("waiting", 2)
    assert "not closed yet" in browser.refused("POST", f"{path}/{asked['id']}/verify")[1]
    browser.work()
    (closed,) = browser.get(path)
    assert (closed["state"], closed["done"], closed["fault"]) == ("closed", 2, None)
    folder = config.product("to editor/1")
    assert verified(folder) == []
    payload = folder / "data" if algorithm == "sha256" else folder
    assert {entry.path for entry in read_sheet(payload).files} == {"view/VR_lantern_24.mp4", "edit/VR_lantern_24.mov"}
    files = browser.get(f"{path}/{closed['id']}")["files"]
    assert [(file["changed"], file["frames"]) for file in files] == [(None, row["plan"]["after"]["frames"])] * 2
    assert browser.send("POST", f"{path}/{closed['id']}/verify") == {"ok": True, "faults": []}
    browser.decide(show, [row], intent={"intent": "speed", "value": "1/2"})
    changed = browser.get(f"{path}/{closed['id']}")["files"]
    assert [file["changed"] for file in changed] == ["decisions changed"] * 2
    (payload / "view" / "VR_lantern_24.mp4").unlink()
    check = browser.send("POST", f"{path}/{closed['id']}/verify")
    assert [(fault["file"], fault["kind"]) for fault in check["faults"]] == [("view/VR_lantern_24.mp4", "missing")]


def test_what_cannot_be_closed_is_said(made: tuple[int, dict[str, Any], list[int]], browser: Browser) -> None:
    show, _, ids = made
    path = f"/api/shows/{show}/packages"
    assert "folder of its own" in browser.refused("POST", path, {"render_ids": ids, "folder": " / "})[1]
    assert "already something in view" in browser.refused("POST", path, {"render_ids": ids, "folder": "view"})[1]
    other = browser.show(name="Other")
    assert browser.refused("POST", f"/api/shows/{other}/packages", {"render_ids": ids, "folder": "x"})[0] == 404
    browser.send("POST", path, {"render_ids": ids, "folder": "once"})
    assert "already a package once" in browser.refused("POST", path, {"render_ids": ids, "folder": "once"})[1]


def test_a_file_that_is_gone_fails_its_package_and_another_can_take_its_folder(
    made: tuple[int, dict[str, Any], list[int]], browser: Browser, config: Config
) -> None:
    show, _, ids = made
    path = f"/api/shows/{show}/packages"
    config.product("view/VR_lantern_24.mp4").unlink()
    browser.send("POST", path, {"render_ids": ids, "folder": "delivery"})
    browser.work()
    (failed,) = browser.get(path)
    assert failed["state"] == "failed" and "VR_lantern_24.mp4 has been moved or deleted" in failed["fault"]
    assert not config.product("delivery").exists()
    kept = [render["id"] for render in browser.get(f"/api/shows/{show}/renders") if render["setting"] == "edit"]
    browser.send("POST", path, {"render_ids": kept, "folder": "delivery"})
    browser.work()
    assert [one["state"] for one in browser.get(path)] == ["closed", "failed"]
