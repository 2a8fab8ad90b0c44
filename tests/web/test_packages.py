"""Packages closed in the application: looked at as they were, compared with today, and checked where they lie."""

from shutil import copytree
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
    to_copy = f"/api/shows/{show}/errands/copy"
    assert "not closed yet" in browser.refused("POST", to_copy, {"package": asked["id"], "target": "Shuttle"})[1]
    browser.work()
    (closed,) = browser.get(path)
    assert (closed["state"], closed["done"], closed["fault"]) == ("closed", 2, None)
    folder = config.product("to editor/1")
    assert verified(folder) == []
    payload = folder / "data" if algorithm == "sha256" else folder
    assert {entry.path for entry in read_sheet(payload).files} == {"view/VR_lantern_24.mp4", "edit/VR_lantern_24.mov"}
    files = browser.get(f"{path}/{closed['id']}")["files"]
    assert [(file["changed"], file["frames"]) for file in files] == [(None, row["plan"]["after"]["frames"])] * 2
    assert verifying(browser, show, folder="to editor/1")["faults"] == []
    browser.decide(show, [row], intent={"intent": "speed", "value": "1/2"})
    changed = browser.get(f"{path}/{closed['id']}")["files"]
    assert [file["changed"] for file in changed] == ["decisions changed"] * 2
    (payload / "view" / "VR_lantern_24.mp4").unlink()
    check = verifying(browser, show, folder="to editor/1")
    assert [(fault["file"], fault["kind"]) for fault in check["faults"]] == [("view/VR_lantern_24.mp4", "missing")]


def verifying(browser: Browser, show: int, **asked: object) -> dict[str, Any]:
    """The outcome of verifying a folder, once the worker has done it."""
    begun = browser.send("POST", f"/api/shows/{show}/errands/verify", asked)
    assert (begun["state"], begun["faults"]) == ("waiting", None)
    browser.work()
    done: dict[str, Any] = browser.get(f"/api/shows/{show}/errands")[0]
    assert done["id"] == begun["id"]
    return done


def test_a_package_is_copied_to_a_target_and_verified_there_and_anywhere(
    made: tuple[int, dict[str, Any], list[int]], browser: Browser, config: Config
) -> None:
    show, _, ids = made
    browser.send("POST", f"/api/shows/{show}/packages", {"render_ids": ids, "folder": "to editor"})
    browser.work()
    (closed,) = browser.get(f"/api/shows/{show}/packages")
    shuttle = config.targets["Shuttle"]
    places = browser.get(f"/api/shows/{show}/errands/places")
    assert places["targets"] == ["Shuttle"] and "Footage" in places["roots"]
    to_copy = f"/api/shows/{show}/errands/copy"
    assert "no target “Moon”" in browser.refused("POST", to_copy, {"package": closed["id"], "target": "Moon"})[1]
    browser.send("POST", to_copy, {"package": closed["id"], "target": "Shuttle"})
    browser.work()
    (done,) = browser.get(f"/api/shows/{show}/errands")
    assert (done["state"], done["there"], done["lies_at"]) == ("done", 0, str(shuttle / "to editor"))
    assert verified(shuttle / "to editor") == [] and done["copied"] > 4
    (shuttle / "to editor" / "sheet.csv").write_text("mine")
    browser.send("POST", to_copy, {"package": closed["id"], "target": "Shuttle"})
    browser.work()
    failed = browser.get(f"/api/shows/{show}/errands")[0]
    assert failed["state"] == "failed" and "is there already and is another file" in failed["fault"]
    assert (shuttle / "to editor" / "sheet.csv").read_text() == "mine"

    copytree(shuttle / "to editor", config.roots["Uploads"] / "came back")
    check = verifying(browser, show, root="Uploads", folder="came back", without_hashes=True, sources="Footage")
    assert [(fault["file"], fault["kind"]) for fault in check["faults"]] == [("sheet.csv", "sheet")]
    assert check["folder"] == "Uploads: came back"
    wrong = f"/api/shows/{show}/errands/verify"
    assert "no folder nowhere" in browser.refused("POST", wrong, {"folder": "nowhere"})[1]
    assert browser.refused("POST", wrong, {"folder": "../.."})[0] == 403
    assert "no media root “Nowhere”" in browser.refused("POST", wrong, {"root": "Nowhere", "folder": "x"})[1]
    assert "is not a package" in (verifying(browser, show, folder="view")["fault"] or "")


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
