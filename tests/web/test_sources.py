"""Sources: a file that is another by now than the one that was looked at is noticed wherever it is planned with."""

import shutil
from pathlib import Path

from oddmeter.core.evidence.identity import CHANGED
from oddmeter.web.sources import Sources
from oddmeter.work.tasks import make
from tests.web.conftest import Browser

FOUNDRY = "The Tide Bell/Foundry day 1"


def card(browser: Browser, take: str) -> Path:
    folder = browser.config.roots["Uploads"] / "Card"
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copy(browser.config.roots["Footage"] / FOUNDRY / take, folder / "clip.mov")
    return folder


def brought_in(browser: Browser) -> int:
    """A show into which the card came, looked at."""
    show = browser.show()
    browser.send("POST", f"/api/shows/{show}/deliveries", {"name": "Card", "root": "Uploads", "path": "Card"})
    browser.work()
    return show


def test_a_file_in_place_of_another_is_noticed_and_looked_at_again(browser: Browser) -> None:
    card(browser, "FD1_B01_bell_swing_100.mov")
    show = brought_in(browser)
    clip = browser.ledger(show)["clip.mov"]
    browser.decide(show, [clip], intent={"intent": "every-frame"})
    asked = {"clip_ids": [clip["id"]], "setting": "view"}
    assert browser.send("POST", f"/api/shows/{show}/renders", asked)["queued"] == 1

    card(browser, "FD1_B02_sparks_119.mov")
    (waiting,) = browser.get(f"/api/shows/{show}/renders")
    make(browser.config, browser.database, waiting["id"])
    (failed,) = browser.get(f"/api/shows/{show}/renders")
    assert failed["state"] == "failed" and CHANGED in failed["fault"]
    assert "replaced" in browser.ledger(show)["clip.mov"]["marks"]
    (preview,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", {**asked, "pattern": "again"})["files"]
    assert preview["problem"] == CHANGED
    assert browser.refused("POST", f"/api/shows/{show}/bench/{clip['id']}/side", {}) == (422, f"clip.mov: {CHANGED}")
    (line,) = browser.get(f"/api/shows/{show}/evidence")["clips"]
    (row,) = browser.send("POST", f"/api/shows/{show}/evidence/rows", {"ids": [line["id"]]})
    assert line["trouble"]
    assert row["replaced"] and row["troubles"][0] == CHANGED

    browser.send("POST", f"/api/shows/{show}/looks/again", {"clip_ids": [clip["id"]]})
    browser.work()
    now = browser.ledger(show)["clip.mov"]
    assert now["facts"]["file_rate"]["exact"] == "120000/1001" and "replaced" not in now["marks"]
    assert now["intent"] == "every-frame", "what is decided stays"
    (preview,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", {**asked, "pattern": "again"})["files"]
    assert preview["problem"] is None


def test_what_changes_while_people_plan_is_noticed_by_itself(browser: Browser) -> None:
    folder = card(browser, "FD1_B01_bell_swing_100.mov")
    kept = folder.parent / "kept.mov"
    shutil.copy2(folder / "clip.mov", kept)
    show = brought_in(browser)
    sources = Sources(browser.config, browser.database)
    sources.look(show)
    assert "replaced" not in browser.ledger(show)["clip.mov"]["marks"]
    card(browser, "FD1_B02_sparks_119.mov")
    sources.look(show)
    assert "replaced" in browser.ledger(show)["clip.mov"]["marks"]
    shutil.copy(kept, folder / "clip.mov")
    sources.look(show)
    assert "replaced" not in browser.ledger(show)["clip.mov"]["marks"], "the right one is back, whatever its time"
    (folder / "clip.mov").unlink()
    sources.look(show)
    assert "replaced" not in browser.ledger(show)["clip.mov"]["marks"]


def test_every_spelling_of_a_folder_is_one_folder(browser: Browser) -> None:
    card(browser, "FD1_B01_bell_swing_100.mov")
    show = brought_in(browser)
    clip = browser.ledger(show)["clip.mov"]
    asked = {"clip_ids": [clip["id"]], "setting": "view"}
    assert browser.send("POST", f"/api/shows/{show}/renders", {**asked, "folder": "é/y"})["queued"] == 1
    for spelling in ("é/.../y", "é/y", "/é//y/", "é\\y", "é/ y ", "e\u0301/y", "é/./y."):
        again = browser.send("POST", f"/api/shows/{show}/renders", {**asked, "folder": spelling})
        assert (again["queued"], again["refused"][0]["out_path"]) == (0, "é/y/clip_25.mp4"), spelling
