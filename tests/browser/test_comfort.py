"""What everybody needs: contrast, names for all controls, long lists, and no motion where none is wanted."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Running, Show, fill

CONTRAST = """() => {
    const channel = (v) => { v /= 255; return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; };
    const light = ([r, g, b]) => 0.2126 * channel(r) + 0.7152 * channel(g) + 0.0722 * channel(b);
    const parse = (text) => (text.match(/[\\d.]+/g) ?? []).map(Number);
    const ground = (element) => {
        for (let e = element; e; e = e.parentElement) {
            const colour = parse(getComputedStyle(e).backgroundColor);
            if (colour.length === 3 || colour[3] === 1) return colour;
        }
        return [255, 255, 255];
    };
    const low = [];
    for (const element of document.querySelectorAll("body *")) {
        const own = [...element.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
        const style = getComputedStyle(element);
        if (!own || style.visibility === "hidden" || element.closest("[disabled], svg")) continue;
        if (!element.getClientRects().length || element.closest(".sr-only")) continue;
        const [a, b] = [light(parse(style.color)), light(ground(element))].sort((x, y) => y - x);
        const ratio = (a + 0.05) / (b + 0.05);
        if (ratio < 4.5) low.push(`${element.textContent.trim().slice(0, 30)} ${ratio.toFixed(2)}`);
    }
    return low;
}"""

UNNAMED = """() => [...document.querySelectorAll("button, a[href], input, select, [role=grid], [role=progressbar]")]
    .filter((e) => e.getClientRects().length)
    .filter((e) => !(e.getAttribute("aria-label") || e.textContent.trim() || e.labels?.length || e.title))
    .map((e) => e.outerHTML.slice(0, 80))"""


@pytest.mark.parametrize("theme", ["paper", "dim"])
@pytest.mark.parametrize("stop", ["brief", "intake", "plan", "handoff"])
def test_text_has_contrast_and_controls_have_names(page: Page, show: Show, stop: str, theme: str) -> None:
    show.bring_in("The Tide Bell/Visitors' reels")
    show.bring_in("Odd card")
    page.add_init_script(f"localStorage.setItem('odd-meter.theme', '{theme}')")
    show.open(stop)
    expect(page.get_by_role("main")).to_be_visible()
    if stop == "plan":
        page.get_by_role("row", name="VR_lantern_24.mkv").click()
        expect(page.get_by_role("list", name="Alternatives")).to_be_visible()
    elif stop == "handoff":
        page.get_by_role("button", name="All (3)").click()
    assert page.evaluate(CONTRAST) == []
    assert page.evaluate(UNNAMED) == []


def test_nothing_moves_where_less_motion_is_wanted(page: Page, show: Show) -> None:
    page.emulate_media(reduced_motion="reduce")
    show.open("plan")
    moving = page.evaluate(
        """() => [...document.querySelectorAll("*")].filter((e) => {
            const style = getComputedStyle(e);
            return parseFloat(style.transitionDuration) > 0 || style.animationName !== "none";
        }).length"""
    )
    assert moving == 0


def test_a_ledger_of_thousands_draws_only_what_is_seen(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"Card": [(f"clip_{i:04}.mov", "50/1") for i in range(3000)]})
    show.open("plan")
    grid = page.get_by_role("grid", name="Clips")
    expect(grid).to_have_attribute("aria-rowcount", "3002")  # with the heading and the delivery
    assert page.locator("[role=grid] [role=row]").count() < 80
    page.keyboard.press("End")
    last = page.get_by_role("row", name="clip_2999.mov")
    expect(last).to_have_attribute("aria-selected", "true")
    expect(last).to_have_attribute("aria-rowindex", "3002")
    page.keyboard.press("Shift+Home")
    expect(page.get_by_role("toolbar", name="Decide")).to_contain_text("3000 selected")
    page.keyboard.press("Escape")
    page.keyboard.type("clip_15")
    expect(page.get_by_role("row", name="clip_1500.mov")).to_have_attribute("aria-selected", "true")


def test_the_command_field_finds_clips_timelines_and_deeds(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    show.open("brief")
    expect(page.get_by_role("heading", name="Timelines")).to_be_visible()

    def command(words: str) -> None:
        page.keyboard.press("Control+k")
        expect(page.get_by_role("combobox", name="Do or find")).to_be_focused()
        page.keyboard.type(words)

    command("quay")
    expect(page.get_by_role("dialog").get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_have_attribute("aria-selected", "true")
    command("undo brought")
    expect(page.get_by_role("dialog").get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_text("There are no clips to plan yet.")).to_be_visible()
    command("zzz")
    expect(page.get_by_text("Nothing here is called that.")).to_be_visible()


def test_a_page_says_when_the_server_is_gone_and_goes_on_when_it_is_back(
    new_page: Callable[[str], Page], show: Show
) -> None:
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    page = new_page("Ada")
    show.open("plan", page)
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    page.route("**/api/**", lambda route: route.abort())
    page.keyboard.press("1")
    expect(page.get_by_text("Odd Meter does not answer. Is it still running?").first).to_be_visible()
    page.unroute("**/api/**")
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    page.keyboard.press("1")
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("real time")
