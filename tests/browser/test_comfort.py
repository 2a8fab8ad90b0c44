"""What everybody needs: long lists, keys that are listed, and no motion where none is wanted."""

from collections.abc import Callable

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Running, Show, catch, fill


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
    expect(page.get_by_role("row", name="clip_1500.mov")).to_be_in_viewport(ratio=1)
    for step in range(1501, 1504):
        page.keyboard.press("ArrowDown")
        expect(page.get_by_role("row", name=f"clip_{step}.mov")).to_be_in_viewport(ratio=1)


def test_the_clip_one_is_at_stays_in_sight(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"Card": [(f"clip_{i:04}.mov", "50/1") for i in range(60)]})
    show.open("intake")

    def row(number: int) -> Locator:
        return page.get_by_role("grid", name="Evidence").get_by_role("row").filter(has_text=f"clip_{number:04}.mov")

    row(17).click()
    expect(page.get_by_role("heading", name="clip_0017.mov")).to_be_visible()
    expect(row(17)).to_be_in_viewport(ratio=1)
    page.keyboard.press("ArrowDown")
    expect(row(18)).to_be_in_viewport(ratio=1)
    page.set_viewport_size({"width": 1280, "height": 700})
    expect(row(18)).to_be_in_viewport(ratio=1)
    for _ in range(22):
        page.keyboard.press("ArrowDown")
    expect(row(40)).to_have_attribute("aria-selected", "true")
    show.open("plan")
    expect(page.get_by_role("row", name="clip_0040.mov")).to_be_in_viewport(ratio=1)
    for _ in range(2):
        page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("toolbar", name="Decide")).to_contain_text("3 selected")
    expect(page.get_by_role("row", name="clip_0042.mov")).to_be_in_viewport(ratio=1)


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
    expect(page.get_by_text("There are no clips yet.")).to_be_visible()
    command("zzz")
    expect(page.get_by_text("No matches.")).to_be_visible()


def test_a_page_says_when_the_server_is_gone_and_goes_on_when_it_is_back(
    new_page: Callable[[str], Page], show: Show
) -> None:
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    page = new_page("Ada")
    show.open("plan", page)
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    catch(page, "**/api/**", lambda route: route.abort())
    page.keyboard.press("1")
    expect(page.get_by_text("Odd Meter does not answer. Is it still running?").first).to_be_visible()
    page.unroute("**/api/**")
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    page.keyboard.press("1")
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("real time")


def test_a_machine_without_a_network_goes_on_working(page: Page, show: Show) -> None:
    """Odd Meter is on the machine itself: that its network is gone, as on a train, is nothing to wait for."""
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    show.open("plan")
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    page.evaluate("window.dispatchEvent(new Event('offline'))")
    page.keyboard.press("1")
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("real time")


def test_a_narrow_window_says_what_is_out_of_sight_and_a_wide_one_uses_its_room(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Harbour, boat and phones")
    page.set_viewport_size({"width": 900, "height": 768})
    show.open("plan")
    grid = page.get_by_role("grid", name="Clips")
    expect(grid.get_by_role("row", name="HB_gulls_30.mp4")).to_contain_text("undecided")
    page.get_by_role("button", name="Frames, Marks →").click()
    expect(grid.get_by_role("columnheader", name="Marks")).to_be_in_viewport(ratio=0.9)
    expect(page.get_by_role("button", name="Marks →")).to_have_count(0)
    page.set_viewport_size({"width": 1920, "height": 1080})
    gulls = grid.get_by_role("row", name="HB_gulls_30.mp4")
    equation = gulls.get_by_text("30 × 1 ÷ 25 = 1.2", exact=True)
    expect(equation).to_be_visible()
    speed, beside = gulls.get_by_text("100 %", exact=True).bounding_box(), equation.bounding_box()
    assert speed and beside and beside["x"] - speed["x"] - speed["width"] >= 12, "they are not read as one number"
    marks = grid.get_by_role("columnheader", name="Marks").bounding_box()
    assert marks and marks["width"] >= 140, "two marks have room"
    page.set_viewport_size({"width": 2560, "height": 1440})
    expect(gulls.get_by_role("slider", name="Picture of HB_gulls_30.mp4")).to_be_visible()
    assert gulls.get_by_role("img", name="odd").bounding_box()["width"] == 240  # type: ignore[index]
