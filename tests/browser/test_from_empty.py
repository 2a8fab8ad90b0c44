"""From ./start's empty state to a proven file and its sheet, by keyboard where a person would."""

import csv
import re

from playwright.sync_api import Page, expect

from oddmeter.demo.framecode import read
from oddmeter.media.frames.decode import FrameReader
from tests.browser.conftest import Running


def go(page: Page, words: str) -> None:
    """Ctrl K, some letters, Enter."""
    page.keyboard.press("Control+k")
    expect(page.get_by_role("combobox", name="Do or find")).to_be_focused()
    page.keyboard.type(words)
    expect(page.get_by_role("dialog").get_by_role("option").first).to_be_visible()
    page.keyboard.press("Enter")


def test_a_folder_of_footage_becomes_proven_files(page: Page, empty: Running) -> None:
    page.goto(empty.url)
    expect(page.get_by_role("heading", name="Odd Meter is ready. Name your show.")).to_be_visible()
    expect(page.get_by_label("Show name")).to_be_focused()
    page.keyboard.type("Tide at dawn")
    page.get_by_role("button", name="23.976, film for video").click()
    expect(page.get_by_label("Rate", exact=False).first).to_have_value("23.976")
    page.get_by_role("button", name="Create the show with a 23.976 timeline").click()

    expect(page).to_have_url(re.compile(r"/shows/\d+/intake"))
    expect(page.get_by_text("No footage yet.")).to_be_visible()
    go(page, "import")
    dialog = page.get_by_role("dialog", name="Import footage")
    dialog.get_by_label("Folder", exact=True).fill("The Tide Bell/Harbour, boat and phones")
    page.keyboard.press("Enter")
    expect(dialog.get_by_role("button", name="Import 3 files")).to_be_enabled()
    dialog.get_by_label("Delivery name").fill("Harbour")
    page.keyboard.press("Enter")
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("“Harbour” brought in: 3 clips.")).to_be_visible()
    quay = page.get_by_role("row").filter(has_text="HB_quay_29.mp4")
    expect(quay).to_contain_text("29.97")

    go(page, "plan")
    grid = page.get_by_role("grid", name="Clips")
    expect(grid).to_be_focused()
    expect(grid.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("undecided")
    page.keyboard.press("Control+a")
    page.keyboard.press("1")
    expect(page.get_by_text("Real time for 3 clips").first).to_be_visible()
    page.keyboard.type("hb_g")
    expect(page.get_by_role("row", name="HB_gulls_30.mp4")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("2")
    expect(page.get_by_role("row", name="HB_gulls_30.mp4")).to_contain_text("every frame")
    panel = page.get_by_role("complementary", name="Arithmetic of the selection")
    expect(panel).to_contain_text("23.976 ÷ 30 = 800/1001")
    page.keyboard.press("ArrowDown")
    expect(panel).to_contain_text("29.97 × 1 ÷ 23.976 = 1.25")
    expect(panel).to_contain_text("1 1 1 2")

    hand_over(page)
    check_what_was_made(page, empty)


def hand_over(page: Page) -> None:
    """All clips as lossless archive files, made and proven."""
    page.keyboard.press("Control+a")
    go(page, "handoff")
    page.get_by_label("Setting of output 1").select_option("archive")
    page.get_by_label("Name pattern").fill("{clip}_{rate}")
    expect(page.get_by_role("button", name="Make 3 files")).to_be_enabled()
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Control+Enter")
    queue = page.get_by_role("region", name="Queue and proof")
    expect(queue.get_by_text("3 of 3 proven")).to_be_visible()
    queue.get_by_role("button", name="Proof of HB_quay_29_23.976.mkv").click()
    checks = queue.get_by_role("table", name="Checks of HB_quay_29_23.976.mkv")
    expect(checks.get_by_role("row").filter(has_text="rate")).to_contain_text("24000/1001")
    expect(checks.get_by_text("✓ matches")).to_have_count(checks.get_by_role("row").count() - 1)
    expect(checks.get_by_text("✕ differs")).to_have_count(0)


def check_what_was_made(page: Page, running: Running) -> None:
    """The sheet says it, and the pictures show it."""
    queue = page.get_by_role("region", name="Queue and proof")
    with page.expect_download() as taken:
        queue.get_by_role("link", name="CSV").click()
    rows = list(csv.DictReader(taken.value.path().read_text("utf-8-sig").splitlines()))
    assert [(row["clip"], row["intent"], row["frames after"]) for row in rows] == [
        ("HB_boat_59.mp4", "real time", "120"),
        ("HB_gulls_30.mp4", "every frame", "240"),
        ("HB_quay_29.mp4", "real time", "192"),
    ]
    assert all(row["proof"].startswith("proven") for row in rows)
    with FrameReader(running.made / "HB_quay_29_23.976.mkv") as made:
        shown = [read(made.frame(j).reformat(format="gray").to_ndarray().astype("uint8")) for j in range(192)]
    assert shown == [j * 5 // 4 for j in range(192)]
