"""Stories of Assembly: a delivery laid out slowed, cut and nested by keyboard; a list brought in and settled."""

import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from tests.browser.conftest import Running, Show
from tests.waiting import wait_until

FOUNDRY, REELS = "The Tide Bell/Foundry day 1", "The Tide Bell/Visitors' reels"
BELL, TALK = "FD1_B01_bell_swing_100.mov", "FD1_A01_interview.mov"


@pytest.fixture
def show(page: Page, running: Running) -> Show:
    made = Show(page, running)
    made.bring_in(FOUNDRY)
    return made


def test_a_delivery_is_laid_out_slowed_cut_and_nested_by_keyboard(page: Page, show: Show) -> None:
    show.open("plan")
    page.get_by_role("row").filter(has_text=BELL).click()
    page.keyboard.press("Control+a")
    page.request.post(
        f"{show.url}/api/shows/{show.id}/treatments",
        data={"clips": [{"id": one["id"], "revision": one["revision"]} for one in rows(show)],
              "intent": {"intent": "pace", "value": "1/8"}, "set": {"sound": "off"}},
    )  # fmt: skip
    show.open("assembly")
    place = page.get_by_role("button", name="Place 5 clips at the end")
    place.focus()
    told = page.get_by_role("status", name="Preview")
    expect(told).to_contain_text("5 events more")
    page.keyboard.press("Enter")
    events = page.get_by_role("listbox", name="Events of the timeline").get_by_role("option")
    expect(events).to_have_count(5)
    lengths = [event_list["length"] for event_list in cuts(show)["events"]]

    page.keyboard.press("Home")
    expect(events.first).to_have_attribute("aria-selected", "true")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_text("frame 30")).to_be_visible()
    page.keyboard.press("/")
    expect(events).to_have_count(6)
    expect(page.get_by_text("split at 30").first).to_be_visible()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("t")
    expect(page.get_by_text(re.compile("4 events on V1 move")).first).to_be_visible()
    assert [one["record_in"] for one in cuts(show)["events"]][:3] == [0, 30, 40]

    page.keyboard.press("y")
    page.get_by_label("Name").fill("First beat")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Make the timeline and nest it here").click()
    nest = events.filter(has_text="First beat")
    expect(nest).to_be_visible()
    nest.click()
    page.get_by_label("Speed", exact=True).fill("50%")
    expect(told).to_contain_text("from 10 to 20 frames")
    page.get_by_label("Speed", exact=True).press("Enter")
    expect(nest).to_contain_text("50 %")
    page.get_by_role("button", name="What would be lost by flattening?").click()
    expect(page.get_by_text(re.compile(r"\d+ of \d+ frames of FD1_A01"))).to_be_visible()

    page.locator("body").press("Control+z")
    expect(nest).to_contain_text("100 %")
    assert [one["length"] for one in cuts(show)["events"]][2:] == lengths[1:]


@pytest.mark.refused
def test_a_list_comes_in_its_clips_are_settled_and_it_goes_out_again(page: Page, show: Show, tmp_path: Path) -> None:
    path = tmp_path / "reel_3.edl"
    path.write_text(
        "TITLE: REEL 3\n001  AX V C 00:00:00:10 00:00:02:10 01:00:00:00 01:00:02:00\n"
        f"* FROM CLIP NAME: {BELL}\n002  LOST V C 00:00:00:00 00:00:01:00 01:00:02:00 01:00:03:00\n"
        "* FROM CLIP NAME: nobody has this\n"
    )
    show.open("assembly")
    page.get_by_role("button", name="Lists and files").click()
    page.get_by_role("button", name="Import a list …").click()
    page.get_by_label("List", exact=True).set_input_files(path)
    expect(page.get_by_text("An EDL does not state its rate")).to_be_visible()
    page.get_by_role("button", name="It is 25", exact=True).click()
    expect(page.get_by_text("✕ not found 1")).to_be_visible()
    page.get_by_role("button", name="Make a timeline of 2 events").click()
    lost = page.get_by_role("option", name=re.compile("nobody has this"))
    expect(lost).to_contain_text("not found")
    page.get_by_role("button", name=re.compile("not found 1")).click()
    lost.click()
    page.get_by_label("Relink these events to").select_option(label="FD1_B02_sparks_119.mov")
    page.get_by_role("button", name="Relink", exact=True).click()
    expect(page.get_by_role("option", name=re.compile("FD1_B02_sparks_119.mov"))).to_be_visible()
    page.get_by_role("option", name=re.compile(BELL)).click()
    made = page.get_by_role("list", name="Sources of this frame")
    expect(made).to_contain_text("40")
    page.get_by_role("button", name="Lists and files").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Export EDL (CMX 3600) of the sources").click()
    out = read_edl(Path(download.value.path()).read_text(), Rate.of(25))
    assert [one.name for one in out.events] == [BELL, "FD1_B02_sparks_119.mov"]
    assert [(one.record_in, one.length) for one in out.events] == [(0, 50), (50, 25)]


def made_over(show: Show, *names: str) -> str:
    """Clips placed on the timeline of a show; returns where that is asked for."""
    ids = {one["name"]: one["id"] for one in rows(show)}
    event_list = cuts(show)
    where = f"{show.url}/api/shows/{show.id}/cuts/{event_list['id']}"
    place = {"version": event_list["version"], "edit": "place", "clips": [ids[name] for name in names], "sound": False}
    assert show.page.request.post(f"{where}/edits", data=place).ok
    return where


def test_off_rate_events_are_decided_made_and_handed_on(page: Page, show: Show) -> None:
    made_over(show, BELL, TALK)
    show.open("assembly")
    bell = page.get_by_role("listbox", name="Events of the timeline").get_by_role("option").filter(has_text=BELL)
    bell.click()
    page.get_by_label("Speed", exact=True).fill("every frame")
    page.get_by_label("Speed", exact=True).press("Enter")
    expect(bell).to_contain_text("whole")
    page.get_by_label("Trim tail by").fill("-450")
    page.get_by_label("Trim tail by").press("Enter")
    expect(page.get_by_text(re.compile("Tail of .* 450 frames earlier")).first).to_be_visible()
    bell.click()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+Enter")
    folder = f"story_{show.id}"
    page.get_by_label("Folder").fill(folder)
    page.get_by_label("Handles, frames").fill("4")
    page.get_by_role("button", name="Make 2 files").click()
    expect(page.get_by_text("2 files queued").first).to_be_visible()
    wait_until(lambda: [str(one["state"]) for one in show.get("renders")] == ["done"] * 2, show.running.work)
    page.keyboard.press("Control+Enter")
    page.get_by_label("Folder").fill(folder)
    page.get_by_label("Handles, frames").fill("4")
    expect(page.get_by_text("up to date")).to_have_count(2)
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="Lists and files").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Export EDL (CMX 3600) of the made files").click()
    made = read_edl(Path(download.value.path()).read_text(), Rate.of(25))
    assert {one.speed for one in made.events} == {Fraction(1)}
    assert all(one.path.startswith(folder) for one in made.events)


def test_the_next_version_of_a_cut_is_compared_and_taken_over(page: Page, show: Show, tmp_path: Path) -> None:
    where = made_over(show, BELL, TALK)
    old = read_edl(page.request.get(f"{where}/list?form=edl").text(), Rate.of(25))
    bell, talk = old.events
    second = replace(old, events=(replace(talk, record_in=0), replace(bell, record_in=talk.length, length=30)))
    path = tmp_path / "version_2.edl"
    path.write_text(write_edl(second).text)
    show.open("assembly")
    events = page.get_by_role("listbox", name="Events of the timeline").get_by_role("option")
    expect(events).to_have_count(2)
    page.keyboard.press("r")
    page.get_by_label("List", exact=True).set_input_files(path)
    page.get_by_role("button", name="It is 25", exact=True).click()
    page.get_by_label(re.compile("^a new version of")).click()
    told = page.get_by_role("group", name="Changes between the versions")
    expect(told).to_contain_text("trimmed 1")
    expect(told).to_contain_text("moved 1")
    expect(told).to_contain_text("1 to be made")
    page.get_by_role("button", name="Update").click()
    expect(events.first).to_contain_text(TALK)
    assert [one["name"] for one in cuts(show)["events"]] == [TALK, BELL]


def rows(show: Show) -> list[dict[str, Any]]:
    ids = show.page.request.get(f"{show.url}/api/shows/{show.id}/ledger").json()["ids"]
    asked = show.page.request.post(f"{show.url}/api/shows/{show.id}/ledger/rows", data={"ids": ids})
    return asked.json()  # type: ignore[no-any-return]


def cuts(show: Show) -> dict[str, Any]:
    first = show.get("cuts")[0]["id"]
    return show.page.request.get(f"{show.url}/api/shows/{show.id}/cuts/{first}").json()  # type: ignore[no-any-return]


def test_edges_are_dragged_and_what_that_does_is_told_first(page: Page, show: Show) -> None:
    made_over(show, BELL, TALK)
    show.open("assembly")
    score = page.get_by_role("region", name="Timeline", exact=True)
    bar = score.get_by_title(re.compile(f"^{BELL}"))
    box = bar.bounding_box()
    assert box is not None
    told = page.get_by_role("status", name="Preview")
    x, y = box["x"] + box["width"] - 3, box["y"] + 10
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - box["width"] * 0.4, y, steps=5)
    expect(told).to_contain_text("1 event on V1 moves")
    page.mouse.up()
    expect(page.get_by_text(re.compile("Tail of .* frames earlier")).first).to_be_visible()
    wait_until(lambda: cuts(show)["events"][0]["length"] < 125, lambda: cuts(show)["version"])
    shorter = cuts(show)["events"][0]
    assert 65 <= shorter["length"] <= 85 and shorter["speed"] == "100 %"
    box = bar.bounding_box()
    assert box is not None
    page.keyboard.down("Alt")
    page.mouse.move(box["x"] + box["width"] - 3, y)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 1.5, y, steps=5)
    expect(score.get_by_text("fit range,")).to_be_visible()
    page.mouse.up()
    page.keyboard.up("Alt")
    wait_until(lambda: cuts(show)["events"][0]["length"] > shorter["length"], lambda: cuts(show)["version"])
    longer = cuts(show)["events"][0]
    assert longer["source_out"] == shorter["source_out"] and longer["speed"] != "100 %"


def test_a_cut_is_marked_heard_and_made_as_one_file(page: Page, show: Show) -> None:
    """All by keyboard: a marker with a name, found again; playing with sound; the whole as one file, proven."""
    ids = {one["name"]: one["id"] for one in rows(show)}
    at = f"{show.url}/api/shows/{show.id}/cuts"
    (entry,) = page.request.get(at).json()
    version = page.request.get(f"{at}/{entry['id']}").json()["version"]
    page.request.post(f"{at}/{entry['id']}/edits", data={"version": version, "edit": "place", "clips": [ids[TALK]]})
    (talk, _) = page.request.get(f"{at}/{entry['id']}").json()["events"]
    version = page.request.get(f"{at}/{entry['id']}").json()["version"]
    trim = {"version": version, "edit": "trim tail", "events": [talk["id"]], "by": "-160"}
    page.request.post(f"{at}/{entry['id']}/edits", data=trim)
    show.open("assembly")
    expect(page.get_by_role("listbox", name="Events of the timeline").get_by_role("option")).to_have_count(2)
    with page.expect_response(lambda answer: "/sound?" in answer.url) as heard:
        for _ in range(2):
            page.keyboard.press("Shift+ArrowRight")
    assert heard.value.ok and heard.value.headers["content-type"] == "audio/wav", "a frame stepped onto is heard"
    page.set_viewport_size({"width": 1024, "height": 768})
    expect(page.get_by_role("button", name="♪ sound on")).to_be_in_viewport(ratio=1)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.keyboard.press("x")
    name = page.get_by_label("Name of the marker")
    name.fill("she nods")
    name.press("Enter")
    marker = page.get_by_role("button", name=re.compile("Marker she nods at 00:00:00:20"))
    expect(marker).to_be_visible()
    page.locator("body").press("Home")
    expect(name).to_be_hidden()
    page.locator("body").press("n")
    expect(page.get_by_text("frame 20", exact=True)).to_be_visible()
    page.locator("body").press(" ")
    expect(page.get_by_text("frame 39", exact=True)).to_be_visible()
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()

    page.locator("body").press("Control+Enter")
    sheet = page.get_by_role("dialog", name="Files of Main")
    sheet.get_by_label("Made of").select_option("timeline")
    sheet.get_by_label("Setting").select_option("view")
    expect(sheet.get_by_text("40 frames")).to_be_visible()
    sheet.get_by_role("button", name="Make 1 file").click()
    wait_until(lambda: [str(one["state"]) for one in show.get("renders")] == ["done"], show.running.work)
    show.open("handoff")
    queue = page.get_by_role("region", name="Queue and proof")
    expect(queue.get_by_text("1 of 1 proven")).to_be_visible()
    queue.get_by_role("button", name="Proof of Main.mp4").click()
    checks = queue.get_by_role("table", name="Checks of Main.mp4")
    expect(checks.get_by_role("row").filter(has_text="pictures").last).to_contain_text("40 of 40")
    expect(checks.get_by_role("row", name=re.compile("^sound 76800 samples"))).to_be_visible()
