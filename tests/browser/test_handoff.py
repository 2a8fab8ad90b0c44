"""Handoff: a setting of the show's own, two outputs at once with a collision settled, a package closed and checked."""

from playwright.sync_api import Page, expect

from tests.browser.conftest import Show

LANTERN = "VR_lantern_24.mkv"


def test_two_outputs_are_made_closed_as_a_package_and_checked(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Visitors' reels")
    show.open("brief")
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

    show.open("handoff")
    page.get_by_label(f"Make {LANTERN}").check()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_label("Setting of output 2").select_option("proxy")
    page.get_by_label("Folder of output 2").fill("")
    expect(page.get_by_text("✕ another of these files gets the same name; add {setting}")).to_be_visible()
    page.get_by_label("Folder of output 2").fill("proxies")
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("proven", exact=False).first).to_be_visible()
    expect(page.get_by_text("2 of 2 proven")).to_be_visible()

    page.get_by_role("button", name="Close a package…").click()
    folder = f"show {show.id} package"
    page.get_by_label("Folder below that for made files").fill(folder)
    page.get_by_label("Hash list").select_option("sha256")
    page.get_by_role("button", name="Close 2 files as a package").click()
    page.get_by_role("button", name=f"Verify {folder}").click()
    expect(page.get_by_text("✓ Everything is what was handed over.")).to_be_visible()
    page.get_by_role("button", name=f"What {folder} holds").click()
    held = page.get_by_role("table", name=f"Files of {folder}")
    expect(held.get_by_text("as today")).to_have_count(2)

    (show.running.made / folder / "data" / "proxies" / "VR_lantern_24_25.mov").unlink()
    page.get_by_role("button", name=f"Verify {folder}").click()
    expect(page.get_by_text("✕ missing: proxies/VR_lantern_24_25.mov")).to_be_visible()
