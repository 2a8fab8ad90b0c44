"""Handoff: a setting of the show's own, three outputs at once with a collision settled, kept as a plan and run again
for what changed; a package closed and checked; and the queue taken in hand."""

import re
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import Show

LANTERN = "VR_lantern_24.mkv"


def test_a_plan_of_three_outputs_is_made_packed_checked_and_run_again_for_what_changed(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Visitors' reels")
    show.open("brief")
    expect(page.get_by_role("table", name="Settings")).to_be_visible()
    page.get_by_role("button", name="Add a setting").click()
    page.get_by_label("Name", exact=True).fill("proxy")
    page.get_by_label("Codec").first.select_option("rdd36")
    page.get_by_label("Raster").fill("a quarter")
    expect(page.get_by_text("✕ “a quarter” is not a raster.")).to_be_visible()
    expect(page.get_by_role("button", name="Add the setting")).to_be_disabled()
    page.get_by_label("Raster").fill("1/4")
    page.get_by_label("Profile").select_option("proxy")
    page.get_by_role("button", name="Add the setting").click()
    expect(page.get_by_role("table", name="Settings").get_by_text("RDD 36 (SMPTE), proxy, 1/4, MOV")).to_be_visible()
    make_by_a_plan(page, show)
    pack_and_check(page, show)
    run_again(page, show)


def make_by_a_plan(page: Page, show: Show) -> None:
    show.open("handoff")
    page.get_by_label(f"Make {LANTERN}").check()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_label("Setting of output 2").select_option("proxy")
    page.get_by_label("Folder of output 2").fill("")
    expect(page.get_by_text("✕ another of these files gets the same name; add {setting} or {number}")).to_be_visible()
    expect(page.get_by_role("table", name="Before the start")).to_contain_text("1 file")
    page.get_by_role("button", name="{setting}", exact=True).click()
    expect(page.get_by_label("Name pattern of output 2")).to_have_value("{clip}_{rate}_{setting}")
    page.get_by_label("Name pattern of output 2").fill("{clip}_{rate}")
    page.get_by_label("Folder of output 2").fill("proxies")
    page.get_by_role("button", name="Add an output").click()
    page.get_by_label("Setting of output 3").select_option("view")
    page.get_by_role("button", name="view/VR_lantern_24_25.mp4").click()
    page.get_by_label("Folder of the picked lines").fill("to see")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="to see/VR_lantern_24_25.mp4")).to_be_visible()
    page.get_by_role("button", name="Keep as a plan…").click()
    page.get_by_role("dialog").get_by_role("textbox").fill("Friday")
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Handoff plan")).to_contain_text("Friday")
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("3 of 3 proven")).to_be_visible()


def pack_and_check(page: Page, show: Show) -> None:
    page.get_by_role("button", name="Close a package…").click()
    folder = f"show {show.id} package"
    page.get_by_label("Folder below that for made files").fill(folder)
    page.get_by_label("Hash list").select_option("sha256")
    page.get_by_role("button", name="Close 3 files as a package").click()
    page.get_by_role("button", name=f"Verify {folder}").click()
    expect(page.get_by_text(f"✓ {folder}: everything is what was handed over.")).to_be_visible()
    page.get_by_role("button", name=f"What {folder} holds").click()
    held = page.get_by_role("table", name=f"Files of {folder}")
    expect(held.get_by_text("as today")).to_have_count(3)

    (show.running.made / folder / "data" / "proxies" / "VR_lantern_24_25.mov").unlink()
    page.get_by_role("button", name=f"Verify {folder}").click()
    expect(page.get_by_text("✕ missing: proxies/VR_lantern_24_25.mov")).to_be_visible()


def run_again(page: Page, show: Show) -> None:
    """Next week: the decision on the clip is another one."""
    ledger: dict[str, Any] = page.request.get(f"{show.url}/api/shows/{show.id}/ledger").json()
    at = ledger["names"].index(LANTERN)
    clip = {"id": ledger["ids"][at], "revision": ledger["revisions"][at]}
    said = {"clips": [clip], "intent": {"intent": "every-frame"}}
    assert page.request.post(f"{show.url}/api/shows/{show.id}/treatments", data=said).ok
    show.open("handoff")
    page.get_by_role("combobox", name="Handoff plan").select_option(label="Friday")
    expect(page.get_by_text("its earlier file has that name, and stays: decisions changed")).to_have_count(3)
    page.get_by_role("button", name="{version}").click()
    expect(page.get_by_text("↻ decisions changed")).to_have_count(3)
    expect(page.get_by_role("button", name="to see/VR_lantern_24_25_v02.mp4")).to_be_visible()
    totals = page.get_by_role("table", name="Before the start")
    expect(totals).to_contain_text("3 files (0 new, 3 changed)")
    expect(totals).to_contain_text(re.compile(r"about \d+ (MB|GB)"))
    page.get_by_role("button", name="Keep changes").click()
    page.get_by_role("button", name="Make 3 files").click()
    expect(page.get_by_text("6 of 6 proven")).to_be_visible()
    expect(totals).to_contain_text("3 files would be the same")
    expect(page.get_by_role("button", name="Nothing to make")).to_be_disabled()
    expect(page.get_by_role("list", name="Runs").get_by_role("listitem").first).to_contain_text("✓ 3 files proven")


def test_the_queue_is_taken_in_hand(page: Page, show: Show) -> None:
    page.context.grant_permissions(["notifications"])
    page.add_init_script("window.Notification = class { static permission = 'granted';"
                         " static requestPermission = async () => 'granted';"
                         " constructor(title) { (window.told ??= []).push(title); } }")  # fmt: skip
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    ids = page.request.get(f"{show.url}/api/shows/{show.id}/ledger").json()["ids"]
    outputs = [{"id": n, "setting": "view", "folder": f"hand {show.id}.{n}", "pattern": "{clip}"} for n in (1, 2, 3)]
    body = {"clip_ids": ids, "outputs": outputs}
    page.request.post(f"{show.url}/api/shows/{show.id}/renders", data=body)
    page.request.post(f"{show.url}/api/shows/{show.id}/renders/pause", data={})
    show.open("handoff")
    page.get_by_label("notify me at the end").check()
    rows = page.get_by_role("list", name="Files asked for").get_by_role("listitem")
    expect(rows).to_have_count(9)
    waiting = rows.filter(has_text="paused")
    expect(waiting.first).to_be_visible()
    last = waiting.last.get_by_role("button", name=re.compile("^hand")).first
    name = (last.text_content() or "").strip()
    last.focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(waiting.last).not_to_contain_text(name)
    last_row = waiting.last.get_by_role("button", name=re.compile("^hand")).first
    other = (last_row.text_content() or "").strip()
    waiting.last.drag_to(waiting.first)
    expect(waiting.first).to_contain_text(other)
    waiting.first.get_by_role("button", name=re.compile("^hand")).first.click()
    picked = page.get_by_role("group", name="Picked files")
    picked.get_by_role("button", name="Urgent").click()
    expect(waiting.first).to_contain_text("urgent")
    picked.get_by_role("button", name="None").click()
    page.get_by_role("group", name="The whole queue").get_by_role("button", name=re.compile("^Go on with")).click()
    expect(page.get_by_text("9 of 9 proven")).to_be_visible()
    page.wait_for_function("() => window.told?.length === 1")
