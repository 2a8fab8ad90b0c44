"""Settings of a show's own: kept, changed, undone, made with, and several outputs asked for at once."""

from typing import Any

import pytest

from oddmeter.config import Config
from oddmeter.media.files.probe import probe
from tests.web.conftest import Browser

PROXY: dict[str, Any] = {
    "name": "proxy", "container": "mov", "picture": {"codec": "rdd36", "profile": "proxy", "raster": "1/4"},
}  # fmt: skip
CHART: dict[str, Any] = {
    "name": "chart", "container": "pictures", "picture": {"codec": "png"}, "sound": {"place": "none"},
}  # fmt: skip


@pytest.fixture
def show(browser: Browser) -> int:
    made = browser.show()
    browser.bring_in(made, "The Tide Bell/Visitors' reels")
    return made


def own(browser: Browser, show: int) -> dict[str, dict[str, Any]]:
    return {one["name"]: one for one in browser.get(f"/api/shows/{show}/settings")}


def test_a_setting_is_added_changed_and_removed_and_each_is_undone(browser: Browser, show: int) -> None:
    path = f"/api/shows/{show}/settings"
    assert list(own(browser, show)) == ["archive", "edit", "view"]
    browser.send("POST", path, {"document": PROXY})
    made = own(browser, show)["proxy"]
    assert made["words"] == "RDD 36 (SMPTE), proxy, 1/4, MOV, PCM, 24 bit" and made["problem"] is None
    document = made["document"] | {"name": "small"}
    browser.send("PUT", f"{path}/{made['id']}", {"document": document, "revision": made["revision"]})
    assert "small" in own(browser, show) and "proxy" not in own(browser, show)
    late = {"document": document, "revision": made["revision"]}
    assert "Somebody changed this setting first" in browser.refused("PUT", f"{path}/{made['id']}", late)[1]
    browser.send("DELETE", f"{path}/{made['id']}")
    assert list(own(browser, show)) == ["archive", "edit", "view"]
    for names in (["small"], ["proxy"], []):
        browser.undo(show)
        assert list(own(browser, show))[3:] == names


def test_names_are_taken_once_and_never_those_that_every_show_has(browser: Browser, show: int) -> None:
    path = f"/api/shows/{show}/settings"
    browser.send("POST", path, {"document": PROXY})
    again = browser.refused("POST", path, {"document": PROXY | {"name": "Proxy"}})[1]
    assert "There is already a setting “Proxy”" in again
    taken = browser.refused("POST", path, {"document": PROXY | {"name": "Edit"}})[1]
    assert "is a setting that every show has" in taken
    assert (
        "no picture codec"
        in browser.refused("POST", path, {"document": PROXY | {"name": "x", "picture": {"codec": "none"}}})[1]
    )


def test_a_document_is_checked_while_it_is_typed(browser: Browser) -> None:
    assert browser.send("POST", "/api/settings/check", {"document": CHART}) == {
        "words": "PNG, numbered pictures, no sound", "problem": None,
    }  # fmt: skip
    wrong = CHART | {"container": "mov"}
    assert "MOV does not hold PNG" in browser.send("POST", "/api/settings/check", {"document": wrong})["problem"]
    choices = browser.get("/api/settings/choices")
    assert {"vc3", "hevc", "dpx"} <= {codec["name"] for codec in choices["codecs"]}


def test_several_outputs_are_named_together_and_made(browser: Browser, show: int, config: Config) -> None:
    for document in (PROXY, CHART):
        browser.send("POST", f"/api/shows/{show}/settings", {"document": document})
    row = browser.ledger(show)["VR_lantern_24.mkv"]
    outputs = [{"setting": name, "pattern": "{clip}"} for name in ("proxy", "edit", "chart")]
    asked = {"clip_ids": [row["id"]], "outputs": outputs}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert [file["out_path"] for file in files] == ["VR_lantern_24.mov", "VR_lantern_24.mov", "VR_lantern_24"]
    assert [file["problem"] for file in files] == [
        None, "another of these files gets the same name; add {setting} or {number}", None,
    ]  # fmt: skip
    outputs[0]["pattern"] = outputs[1]["pattern"] = "{clip}_{setting}"
    made = browser.send("POST", f"/api/shows/{show}/renders", asked)
    assert (made["queued"], made["refused"]) == (3, [])
    browser.work()
    renders = {render["out_path"]: render for render in browser.get(f"/api/shows/{show}/renders")}
    assert {path: render["state"] for path, render in renders.items()} == {
        "VR_lantern_24_proxy.mov": "done", "VR_lantern_24_edit.mov": "done", "VR_lantern_24": "done",
    }, [render["fault"] for render in renders.values()]  # fmt: skip
    proxy, edit = (probe(config.product(f"VR_lantern_24_{name}.mov")) for name in ("proxy", "edit"))
    assert (proxy.width * 4, proxy.frames, proxy.file_rate) == (edit.width, edit.frames, edit.file_rate)
    sizes = {one["setting"]: one["megabytes_a_minute"] for one in browser.get(f"/api/shows/{show}/handoff")["settings"]}
    seconds = edit.frames / 25
    file = config.product("VR_lantern_24_proxy.mov")
    assert sizes["proxy"] == pytest.approx(file.stat().st_size / seconds * 60 / 1e6) and sizes["archive"] is None
    assert sizes["chart"] is not None and sizes["proxy"] < sizes["edit"]
    pictures = [path for path in config.product("VR_lantern_24").iterdir() if path.suffix == ".png"]
    assert len(pictures) == edit.frames


def test_what_a_setting_cannot_hold_is_said_clip_by_clip_before_anything_is_made(browser: Browser, show: int) -> None:
    tape = {"name": "tape", "container": "mp4", "picture": {"codec": "hevc", "fields": "timeline"},
            "sound": {"codec": "aac"}}  # fmt: skip
    browser.send("POST", f"/api/shows/{show}/settings", {"document": tape})
    ids = [row["id"] for row in browser.ledger(show).values()]
    asked = {"clip_ids": ids, "setting": "tape", "pattern": "{clip}"}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    troubles = {file["name"]: file["problem"] for file in files}
    assert "holds whole pictures only" in troubles["VR_choir_tape_50i.mov"]
    assert troubles["VR_lantern_24.mkv"] is None
    unknown = {"clip_ids": ids, "setting": "nothing"}
    assert "There is no setting “nothing”" in browser.refused("POST", f"/api/shows/{show}/handoff/preview", unknown)[1]


def test_names_say_when_where_and_how_long(browser: Browser, show: int) -> None:
    rows = browser.ledger(show)
    ids = [rows["VR_lantern_24.mkv"]["id"], rows["VR_choir_tape_50i.mov"]["id"]]
    asked = {"clip_ids": ids, "setting": "view", "pattern": "{number}_{timecode}_{in}_{length}_{date}"}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    days = {file["out_path"].rpartition("_")[2] for file in files}
    assert [file["out_path"].split("_")[0] for file in files] == ["001", "002"] and len(days) == 1
    for file in files:
        number, timecode, begins, length, day = file["out_path"].removesuffix(".mp4").split("_")
        assert (len(timecode) in (0, 8), begins, length, len(day)) == (True, "0", str(file["frames"]), 8), number
