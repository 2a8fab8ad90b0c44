"""Stories of time inside a shot: speed bent by keyboard, a phone's slow stretch undone, a shape for many clips."""

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Running, Show, catch
from tests.browser.test_bench import bench_of, checks_of, make_file, proven, row_of
from tests.waiting import wait_until


def test_life_slow_life_is_made_by_keyboard_and_proven(page: Page, running: Running) -> None:
    show = Show(page, running)
    bench_of(show, "FD1_A02_mould_50.mov", running)
    heading = page.get_by_role("heading", name="FD1_A02_mould_50.mov")
    expect(page.get_by_label("Side A shows")).to_contain_text("source")
    frame = page.get_by_role("toolbar", name="Moving").get_by_role("textbox", name="frame")

    def go(to: int) -> None:
        frame.fill(str(to))
        frame.press("Enter")
        heading.click()

    go(40)
    page.keyboard.press("a")
    go(79)
    page.keyboard.press("e")
    page.keyboard.press("Alt+ArrowDown")
    lane = page.get_by_role("img", name="Speed along the shot")
    expect(lane).to_be_visible()
    expect(page.get_by_role("group", name="Side B")).to_contain_text("as drawn")
    expect(page.get_by_text(re.compile(r"150 → 190 frames")).first).to_be_visible()
    point = page.get_by_role("button", name=re.compile("^Point 1: source frame 80, 100 % then 50 %"))
    expect(point).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.keyboard.press(".")
    expect(point).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("y")
    expect(page.get_by_role("button", name=re.compile("^Point 1: .*pinned at 40"))).to_be_visible()
    page.keyboard.press("s")
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile("urve 100 → 50 → 100 % for FD1_A02_mould_50.mov")).first).to_be_visible()
    make_file(page, show, "FD1_A02_mould_50.mov")
    checks = checks_of(proven(show, "FD1_A02_mould_50.mov"))
    assert (checks["frames"], checks["sound"]) == ("190", f"{190 * 1920} samples at 48000")
    expect(page.get_by_text("proven").first).to_be_visible()


def test_a_point_is_dragged_and_typed(page: Page, running: Running) -> None:
    show = Show(page, running)
    bench_of(show, "FD1_B01_bell_swing_100.mov", running)
    expect(page.get_by_label("Side A shows")).to_contain_text("source")
    page.get_by_role("button", name="speed along the shot").click()
    page.get_by_role("heading", name="FD1_B01_bell_swing_100.mov").click()
    page.get_by_role("button", name="Fit", exact=True).click()
    page.keyboard.press("Home")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("n")
    point = page.get_by_role("button", name=re.compile("^Point 1: source frame 160, 100 %"))
    point.click()
    left = page.get_by_label("left at")
    left.fill("1/4")
    left.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Point 1: source frame 160, 100 % then 25 %"))).to_be_visible()
    expect(page.get_by_role("group", name="Side B")).to_contain_text("as drawn")
    box = page.get_by_role("button", name=re.compile("^Point 1:")).bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y, steps=4)
    page.mouse.move(x + 120, y, steps=8)
    expect(page.get_by_text(re.compile(r"\d+ → \d+ frames")).first).to_be_visible()
    page.mouse.up()
    moved = page.get_by_role("button", name=re.compile(r"^Point 1: source frame (1[7-9]\d|2\d\d), 100 % then 25 %"))
    expect(moved).to_be_visible()
    left = page.get_by_label("left at")
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    catch(page, "**/curve", hold)
    left.fill("-200%")
    with page.expect_request("**/curve"):
        left.press("Enter")
    page.get_by_role("button", name="Back to one speed").click()
    with page.expect_response("**/curve") as answered:
        held[0].continue_()
    made = answered.value.json()
    said = f"{made['before']['frames']} → {made['after']['frames']} frames"
    expect(page.get_by_text(said).first).to_be_visible()
    expect(page.get_by_role("group", name="Side B")).not_to_contain_text("as drawn")


def test_a_phones_slow_stretch_is_seen_and_undone(page: Page, running: Running) -> None:
    show = Show(page, running)
    show.bring_in("The Tide Bell/Phones and drone")
    show.open("plan")
    page.get_by_role("row", name=re.compile("PH_rope_slow.mp4")).first.click()
    panel = page.get_by_text("two readings: its own times, or evenly")
    expect(panel).to_be_visible()
    page.get_by_role("button", name="Take evenly").click()
    expect(page.get_by_role("button", name="Take evenly")).to_be_disabled()
    page.get_by_role("button", name="Shot at…").click()
    page.get_by_label("Shot rate").fill("240")
    page.get_by_label("Shot rate").press("Enter")
    page.get_by_role("button", name="Read at…").click()
    page.get_by_label("Read rate").fill("shot")
    page.get_by_label("Read rate").press("Enter")
    page.get_by_role("button", name="Real time").first.click()
    wait_until(lambda: row_of(show, "PH_rope_slow.mp4")["plan"]["after"]["frames"] == 44)
    show.open("intake")
    page.get_by_role("row", name=re.compile("PH_rope_slow.mp4")).first.click()
    page.get_by_role("tab", name="Times").click()
    expect(
        page.get_by_role("img", name=re.compile("Frames a second over time: frames 0 to 119 at 240"))
    ).to_be_visible()


def test_one_shape_goes_over_many_clips(page: Page, running: Running) -> None:
    show = Show(page, running)
    show.bring_in("The Tide Bell/Foundry day 1")
    show.open("plan")
    grid = page.get_by_role("grid", name="Clips")
    grid.focus()
    page.keyboard.press("Control+a")
    page.keyboard.press("8")
    field = page.get_by_label("Speed ramp")
    field.fill("100 → 25 → 100 %")
    field.press("Enter")
    expect(grid.get_by_role("row", name=re.compile("FD1_B02_sparks")).first).to_contain_text("100 → 25 → 100 %")
