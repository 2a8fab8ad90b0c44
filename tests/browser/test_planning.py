"""Plan with a whole batch: recipes, reach, a near miss cleared, several timelines, and all of it from the keyboard."""

import json
import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Running, Show, catch, fill

RATES = ["25/1", "24000/1001", "30000/1001", "50/1", "100/1", "120000/1001", "240/1", "24/1"]
HOUSE = {
    "format": "odd-meter-house",
    "version": 1,
    "receiving": "whole-percent",
    "decisions": {"sound": "off"},
    "recipes": [
        {"name": "Fast, half real time", "decisions": {"intent": "pace 1/2"}, "rule": {"shot_ratio": {"least": "3"}}},
        {"name": "Almost right", "decisions": {"intent": "every-frame"},
         "rule": {"file_ratio": {"least": "0.95", "most": "1.05"}}},
        {"name": "The rest", "decisions": {"intent": "real-time"}, "rule": {}},
    ],
}  # fmt: skip


def row(page: Page, name: str) -> Locator:
    return page.get_by_role("grid", name="Clips").get_by_role("row", name=name)


def test_a_mixed_delivery_of_two_hundred_is_decided_by_recipes_in_six_actions(
    page: Page, show: Show, running: Running, tmp_path: Path
) -> None:
    cards = {
        f"Card {card}": [(f"{card}_{i:03}.mov", RATES[(i + 3 * (card == "B")) % 8]) for i in range(100)]
        for card in "AB"
    }
    fill(running, show.id, cards)
    document = tmp_path / "house.json"
    document.write_text(json.dumps(HOUSE))
    show.open("brief")
    page.get_by_label("Rules and recipes file").set_input_files(document)  # 1
    expect(page.get_by_text("House settings and 3 recipes read").first).to_be_visible()
    page.get_by_role("link", name="3 recipes").click()  # 2
    page.get_by_role("button", name="Run on 200 clips…").click()  # 3
    dialog = page.get_by_role("dialog", name="3 recipes run on 200 clips")
    preview = dialog.get_by_role("table", name="Changes by recipes")
    expect(preview.get_by_role("row").filter(has_text="A_004.mov")).to_contain_text("undecided → pace 50 %")
    expect(dialog).to_contain_text("cadence")
    preview.get_by_role("checkbox", name="Take A_004.mov").uncheck()  # 4
    dialog.get_by_role("button", name="Run on 199 clips").click()  # 5
    expect(page.get_by_text("3 recipes run on 199 clips").first).to_be_visible()
    expect(page.get_by_role("group", name="Filters").get_by_role("button", name="Undecided 1")).to_be_visible()
    expect(row(page, "A_000.mov")).to_contain_text("every frame")
    expect(row(page, "A_006.mov")).to_contain_text("pace 50 %")
    expect(row(page, "A_002.mov")).to_contain_text("real time")
    page.get_by_role("button", name="Undo: 3 recipes run on 199 clips").click()  # 6
    expect(page.get_by_role("group", name="Filters").get_by_role("button", name="Undecided 200")).to_be_visible()


def test_a_recipe_is_made_of_plain_choices_with_a_live_count(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"Card": [(f"c_{i}.mov", RATES[i % 8]) for i in range(16)]})
    show.open("plan?side=recipes")
    page.get_by_role("button", name="New recipe…").click()
    dialog = page.get_by_role("dialog", name="New recipe")
    expect(dialog.get_by_text("fits 16 now")).to_be_visible()
    dialog.get_by_label("shot rate from", exact=True).fill("100")
    expect(dialog.get_by_text("fits 6 now")).to_be_visible()
    dialog.get_by_label("shot rate to", exact=True).fill("fast")
    expect(dialog.get_by_text("“fast” is not a rate.")).to_be_visible()
    dialog.get_by_label("shot rate to", exact=True).fill("119.88")
    expect(dialog.get_by_text("fits 4 now")).to_be_visible()
    dialog.get_by_label("Name", exact=True).fill("A tenth of life")
    dialog.get_by_label("wanted").select_option("pace")
    dialog.get_by_label("Value").fill("1/10")
    dialog.get_by_label("in-betweens").select_option("flow")
    dialog.get_by_label("trust").fill("60%")
    dialog.get_by_role("button", name="Make “A tenth of life”").click()
    made = page.get_by_role("listitem", name="Recipe A tenth of life")
    expect(made).to_contain_text("pace 10 %, in-betweens by flow, trust 60 %")
    expect(made).to_contain_text("shot at 100 to 119.88")
    expect(made).to_contain_text("fits 4 first, is on 0")


def test_a_re_rate_shows_its_reach_and_is_split_off(page: Page, show: Show, running: Running) -> None:
    timeline = {"name": "Broadcast", "rate": "29.97", "scan": "lower", "drop_frame": True}
    page.request.post(f"{running.url}/api/shows/{show.id}/timelines", data=timeline)
    fill(running, show.id, {"Card": [("lantern.mov", "24/1"), ("quay.mov", "50/1")]})
    show.open("plan")
    row(page, "lantern.mov").click()
    page.get_by_role("combobox", name="Set another timeline beside").select_option(label="beside: Broadcast, 29.97")
    expect(page.get_by_role("columnheader", name="Broadcast")).to_be_visible()
    expect(row(page, "lantern.mov").get_by_role("gridcell").nth(8)).to_contain_text("100 %")
    before = row(page, "lantern.mov").get_by_role("gridcell").nth(8).text_content() or ""
    page.keyboard.press("7")
    row(page, "lantern.mov").click()
    page.keyboard.press("7")
    expect(page.get_by_label("Read rate")).to_be_focused()
    page.keyboard.type("25")
    page.keyboard.press("Enter")
    dialog = page.get_by_role("dialog", name="Read at 25 for lantern.mov: one other use changes")
    uses = dialog.get_by_role("list", name="Uses that move")
    expect(uses.get_by_role("listitem")).to_have_count(2)
    expect(uses.get_by_role("listitem").filter(has_text="Main")).to_contain_text("cadence 1 odd → 1 whole")
    dialog.get_by_role("button", name="Split off for Main alone").click()
    expect(page.get_by_text("Read at 25 for lantern.mov, on Main alone").first).to_be_visible()
    expect(row(page, "lantern.mov").get_by_role("gridcell").nth(3)).to_have_text("25")
    expect(row(page, "lantern.mov").get_by_role("gridcell").nth(8)).to_have_text(before)
    treatment = page.get_by_role("region", name="Treatment")
    expect(treatment).to_contain_text("Main alone")
    treatment.get_by_role("button", name="Put read back").click()
    expect(row(page, "lantern.mov").get_by_role("gridcell").nth(3)).to_have_text("24")


def test_a_near_miss_is_cleared(page: Page, running: Running) -> None:
    show = Show(page, running, "23.976")
    fill(running, show.id, {"Card": [("lantern.mov", "24/1"), ("quay.mov", "24000/1001")]})
    show.open("plan?show=near-miss")
    row(page, "lantern.mov").click()
    page.keyboard.press("1")
    expect(row(page, "lantern.mov")).to_contain_text("real time")
    out = page.get_by_role("region", name="near miss: two clean alternatives")
    expect(out).to_contain_text("× 1000/1001: whole")
    expect(out).to_contain_text("−1.7 cents; left alone it drifts −0.06 s a minute, −3.6 s an hour")
    expect(out).to_contain_text("one every 41.7 s")
    out.get_by_role("button", name="Re-rate to 23.976").click()
    expect(page.get_by_text("No clip fits this filter.")).to_be_visible()
    page.get_by_role("button", name="All 2").click()
    expect(row(page, "lantern.mov").get_by_role("gridcell").nth(3)).to_have_text("23.976")


def test_stacking_is_asked_about_and_mixed_values_are_shown_as_mixed(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"Card": [("a.mov", "30/1"), ("b.mov", "50/1")]})
    show.open("plan")
    row(page, "a.mov").click()
    panel = page.get_by_role("complementary", name="Arithmetic of the selection")
    panel.get_by_label("read", exact=True).fill("25")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(row(page, "a.mov").get_by_role("gridcell").nth(3)).to_have_text("25")
    row(page, "a.mov").click()
    page.keyboard.press("4")
    page.keyboard.type("5/6")
    page.keyboard.press("Enter")
    expect(panel.get_by_text("Read at 25 and slowed to 5/6: pace 69 %, was that meant?")).to_be_visible()
    expect(page.get_by_role("group", name="Filters").get_by_role("button", name="Stacked 1")).to_be_visible()
    page.keyboard.press("Control+a")
    expect(panel.get_by_label("read", exact=True)).to_have_attribute("placeholder", "mixed")
    expect(panel.get_by_role("region", name="Treatment")).to_contain_text("mixed")
    page.keyboard.press("4")
    page.get_by_role("button", name="× ½").click()
    expect(row(page, "a.mov")).to_contain_text("speed ≈ 41.67 %")
    expect(row(page, "b.mov")).to_contain_text("speed 50 %")


@pytest.mark.refused
def test_two_people_see_each_others_changes_and_conflicts(page: Page, show: Show, running: Running, new_page) -> None:  # type: ignore[no-untyped-def]
    fill(running, show.id, {"Card": [("a.mov", "30/1"), ("b.mov", "50/1")]})
    other = new_page("Ben")
    show.open("plan")
    show.open("plan", other)
    row(page, "a.mov").click()
    row(other, "a.mov").click()
    page.keyboard.press("1")
    expect(row(other, "a.mov")).to_contain_text("real time")
    expect(other.get_by_role("button", name="Undo: Real time for a.mov")).to_be_visible()
    catch(other, "**/ledger**", lambda route: route.abort())
    page.keyboard.press("2")
    expect(row(page, "a.mov")).to_contain_text("every frame")
    other.keyboard.press("6")
    expect(other.get_by_text("Ada changed a.mov first. Nothing was changed; look again.")).to_be_visible()
    other.unroute("**/ledger**")
    expect(row(other, "a.mov")).to_contain_text("every frame")


SLOW_SHOW = """
    const send = window.fetch;
    window.fetch = async (asked, ...more) => {
        const url = new URL(asked.url ?? asked, location.href);
        if (/^.api.shows.[0-9]+$/.test(url.pathname)) await new Promise((done) => setTimeout(done, 600));
        return send(asked, ...more);
    };
"""


def test_undo_takes_back_what_was_done_last_however_quickly(page: Page, show: Show, running: Running) -> None:
    """Even where the page does not know yet what undo would take back."""
    fill(running, show.id, {"Card": [("a.mov", "50/1"), ("b.mov", "100/1")]})
    page.add_init_script(SLOW_SHOW)
    show.open("plan")
    row(page, "a.mov").click()
    page.keyboard.press("2")
    expect(row(page, "a.mov")).to_contain_text("every frame")
    row(page, "b.mov").click()
    page.keyboard.press("2")
    expect(row(page, "b.mov")).to_contain_text("every frame")
    page.keyboard.press("Control+z")
    expect(row(page, "b.mov")).to_contain_text("undecided")
    expect(row(page, "a.mov")).to_contain_text("every frame")


def test_columns_groups_and_sorting_are_kept_in_this_browser(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"A": [("a.mov", "30/1")], "B": [("b.mov", "50/1"), ("c.mov", "24/1")]})
    show.open("plan")
    page.get_by_role("button", name="Columns").click()
    page.get_by_role("checkbox", name="Between").check()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="File", exact=True).click()
    page.get_by_role("combobox", name="Group").select_option("none")
    names = page.get_by_role("grid", name="Clips").get_by_role("row", name=re.compile("mov"))
    expect(names).to_have_count(3)
    page.reload()
    expect(page.get_by_role("columnheader", name="Between")).to_be_visible()
    expect(page.get_by_role("columnheader", name="File ↓")).to_be_visible()
    expect(names.first).to_contain_text("b.mov")
    page.get_by_role("combobox", name="Group").select_option("delivery")
    page.get_by_role("button", name=re.compile("^B")).click()
    expect(names).to_have_count(1)


def test_from_intake_to_handoff_without_a_mouse(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    show.open("intake")

    def press(*keys: str) -> None:
        for key in keys:
            page.keyboard.press(key)

    def go(words: str) -> None:
        press("Control+k")
        expect(page.get_by_role("combobox", name="Do or find")).to_be_focused()
        page.keyboard.type(words)
        expect(page.get_by_role("dialog").get_by_role("option").first).to_be_visible()
        press("Enter")

    expect(page.get_by_role("grid", name="Evidence")).to_be_focused()
    press("Control+a", "+")
    expect(page.get_by_text(re.compile("All that agrees confirmed for 3 clips")).first).to_be_visible()
    go("plan: ")
    expect(page.get_by_role("grid", name="Clips")).to_be_focused()
    press("Control+a", "1")
    expect(row(page, "HB_quay_29.mp4")).to_contain_text("real time")
    page.keyboard.type("hb_b")
    expect(row(page, "HB_boat_59.mp4")).to_have_attribute("aria-selected", "true")
    press("7")
    page.keyboard.type("50")
    press("Enter")
    expect(row(page, "HB_boat_59.mp4").get_by_role("gridcell").nth(3)).to_have_text("50")
    expect(page.get_by_role("grid", name="Clips")).to_be_focused()
    press("3")
    page.keyboard.type("1/2")
    press("Enter")
    expect(row(page, "HB_boat_59.mp4")).to_contain_text("pace 50 %")
    press("Control+e")
    page.keyboard.type("60i")
    expect(page.get_by_role("region", name="Quick reckoner")).to_contain_text("30000/1001 on 25/1")
    press("Escape")
    page.get_by_role("grid", name="Clips").focus()
    press("Control+a")
    go("handoff: ")
    expect(page.get_by_role("button", name="Make 3 files")).to_be_enabled()
    press("Control+Enter")
    queue = page.get_by_role("region", name="Queue and proof")
    expect(queue.get_by_text("3 of 3 proven")).to_be_visible()
