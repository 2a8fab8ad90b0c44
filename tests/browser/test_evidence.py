"""Stories of Intake: a disagreement settled, a log with a corrected mapping, a film measured by known duration."""

import re

from playwright.sync_api import FilePayload, Locator, Page, expect

from tests.browser.conftest import Show
from tests.waiting import wait_until

TWO = "The Tide Bell/Foundry day 2"
TAPES = "The Tide Bell/Regatta tapes"
ATTIC = "The Tide Bell/Attic reels"


def looked_at(show: Show) -> None:
    """Wait until every clip's pictures were looked at."""

    def looks() -> list[dict[str, str]]:
        return [row["look"] for row in evidence(show)]

    wait_until(lambda: not any(look["state"] in ("waiting", "looking") for look in looks()), looks)


def evidence(show: Show) -> list[dict[str, dict[str, str]]]:
    base = f"{show.url}/api/shows/{show.id}/evidence"
    ids = [line["id"] for line in show.page.request.get(base).json()["clips"]]
    return show.page.request.post(f"{base}/rows", data={"ids": ids}).json()  # type: ignore[no-any-return]


def row(page: Page, name: str) -> Locator:
    return page.get_by_role("grid", name="Evidence").get_by_role("row").filter(has_text=name)


def test_a_disagreement_is_seen_looked_at_and_settled(page: Page, show: Show) -> None:
    show.bring_in(TAPES)
    looked_at(show)
    show.open("intake")
    page.get_by_role("button", name=re.compile("^Field order.*1.*disputed")).click()
    page.get_by_label("Show", exact=True).select_option(label="Disputed here (1)")
    finish = row(page, "RG_finish_59i.mov")
    expect(finish).to_contain_text("≢ disputed")
    expect(page.get_by_role("grid", name="Evidence").get_by_role("row")).to_have_count(2)
    finish.click()
    about = page.get_by_role("region", name="Evidence about RG_finish_59i.mov")
    expect(about).to_contain_text("picture: lower first, but header: upper first")
    about.get_by_role("tab", name="Fields").click()
    for field in ("upper", "lower"):
        picture = about.get_by_alt_text(f"Frame 20, {field} field")
        expect(picture).to_be_visible()
        assert picture.evaluate("image => image.decode().then(() => image.naturalWidth)") == 480
    about.get_by_role("button", name="Overrule…").click()
    about.get_by_label("Field order is").select_option("lower")
    about.get_by_label("Reason").fill("stepped through it")
    about.get_by_role("button", name="Settle").click()
    expect(page.get_by_text("Field order lower first for RG_finish_59i.mov").first).to_be_visible()
    expect(page.get_by_role("grid", name="Evidence")).to_contain_text("No clip fits this filter.")
    page.get_by_label("Show", exact=True).select_option(index=0)
    expect(finish).to_contain_text("● settled")
    expect(finish).to_contain_text("Ada: stepped through it")
    finish.click()
    page.keyboard.press("Delete")
    expect(finish).to_contain_text("≢ disputed")


def test_every_column_of_evidence_is_whole_in_a_small_window(page: Page, show: Show) -> None:
    show.bring_in(TAPES)
    show.open("intake")
    verdict = row(page, "RG_start_50i.mov").get_by_role("gridcell").last
    expect(verdict).to_contain_text("assumed")
    box = verdict.bounding_box()
    assert box and box["x"] + box["width"] < 1280 - 4


def test_everything_is_confirmed_from_the_keyboard(page: Page, show: Show) -> None:
    show.bring_in(TAPES)
    looked_at(show)
    show.open("intake")
    expect(page.get_by_role("grid", name="Evidence")).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.press("+")
    expect(page.get_by_text("All that agrees confirmed for 4 clips").first).to_be_visible()
    expect(row(page, "RG_start_50i.mov")).to_contain_text("● settled")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(row(page, "RG_finish_59i.mov")).to_contain_text("≢ disputed")
    page.keyboard.type("rg_f")
    page.keyboard.press("Enter")
    expect(row(page, "RG_finish_59i.mov")).to_contain_text("● settled")
    page.keyboard.press("Control+z")
    expect(row(page, "RG_finish_59i.mov")).to_contain_text("≢ disputed")


def test_a_log_is_read_with_its_mapping_corrected(page: Page, show: Show) -> None:
    show.bring_in(TWO)
    show.open("intake")
    ladle = row(page, "FD2_A03_ladle_150fps.mov")
    expect(ladle).to_contain_text("≠ 150fps")
    reports = page.get_by_role("region", name="Reports")
    expect(reports).to_contain_text("2 of 2 rows fit a clip")
    expect(reports).to_contain_text("no rate column")
    reports.get_by_role("button", name="camera report day 2.csv").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("speed means").select_option("shot rate")
    dialog.get_by_role("button", name="Read it like this").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("updated. 2 verdicts changed.")).to_be_visible()
    expect(ladle).to_contain_text("100, camera report, row 3")
    expect(row(page, "FD2_A02_drop_800fps.mov").first).to_contain_text("◉ agreed")
    # The pictures, looked at meanwhile, may have changed a verdict as well.
    reports.get_by_role("button", name=re.compile(r"What later evidence changed: \d")).click()
    listed = page.get_by_role("dialog", name="Changes by later evidence")
    expect(listed.get_by_role("row").filter(has_text="FD2_A02_drop_800fps.mov")).to_contain_text("24 → 800")


def test_a_film_roll_is_measured_by_known_duration(page: Page, show: Show) -> None:
    show.bring_in(ATTIC)
    show.open("intake?find=AT_35mm")
    reel = row(page, "AT_35mm_handcranked.mov")
    expect(reel).to_contain_text("usually 24")
    reel.click()
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="Do or find").fill("known duration")
    page.keyboard.press("Enter")
    about = page.get_by_role("region", name="Evidence about AT_35mm_handcranked.mov")
    expect(about.get_by_role("tab", name="Known duration")).to_have_attribute("aria-selected", "true")
    about.get_by_label("Second number").fill("96")
    expect(about.get_by_alt_text("Second mark, frame 96")).to_be_visible()
    about.get_by_label("Seconds between them").fill("0:08")
    about.get_by_label("Uncertainty ±").fill("0.2")
    page.keyboard.press("Enter")
    expect(about).to_contain_text("96 frames ÷ 8 s = 12")
    about.get_by_role("button", name="Settle shot rate 12").click()
    expect(about).to_contain_text("Settled by Ada: known duration: 96 frames ÷ 8 s = 12")
    about.get_by_role("tab", name="Gauge and roll").click()
    about.get_by_label("The roll").fill("61 m")
    expect(about).to_contain_text("3202 frames")
    about.get_by_role("tab", name="Visual count").click()
    expect(about.get_by_role("img", name="18 frames a second")).to_be_visible()
    about.get_by_role("button", name="16 looks alive").click()
    expect(about).to_contain_text("Settled by Ada: by eye")


def test_what_is_odd_about_times_rhythm_and_proxies_is_shown(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Phones and drone")
    show.bring_in(ATTIC)
    show.bring_in(TWO)
    looked_at(show)
    show.open("intake?ask=file_rate&look=times")
    row(page, "PH_pier_walk.mp4").click()
    about = page.get_by_role("region", name="Evidence about PH_pier_walk.mp4")
    expect(about).to_contain_text("Its frames are unevenly spaced.")
    expect(about.get_by_role("table").get_by_role("row")).not_to_have_count(2)
    expect(row(page, "DR_bay_24p.mp4")).to_contain_text("≠ 24p")
    row(page, "AT_S8_wedding.mov").click()
    about = page.get_by_role("region", name="Evidence about AT_S8_wedding.mov")
    about.get_by_role("tab", name="Rhythm").click()
    expect(about).to_contain_text("90 unique frames of 150, 17.982 a second")
    expect(about.get_by_role("img", name="Frames 0 to 59: 36 new pictures of 60")).to_be_visible()
    proxy = row(page, "FD2_B01_mould_50fps.mov").filter(has=page.get_by_text("proxy", exact=True))
    proxy.click()
    about = page.get_by_role("region", name="Evidence about FD2_B01_mould_50fps.mov")
    expect(about).to_contain_text("The proxy holds 112 frames, the original 120.")


def test_a_sequence_gets_its_rate_and_can_be_planned(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Tide chart")
    show.open("plan")
    expect(page.get_by_role("grid", name="Clips")).to_contain_text("It has no frame rate")
    show.open("intake?ask=file_rate")
    chart = row(page, "tide_chart_####.png")
    expect(chart).to_contain_text("not known")
    chart.click()
    page.keyboard.press("=")
    page.get_by_label("File rate is").fill("25")
    page.keyboard.press("Enter")
    expect(chart).to_contain_text("● settled")
    expect(page.get_by_role("region", name="Evidence about tide_chart_####.png")).to_contain_text(
        "Number 38 is missing."
    )
    show.open("plan")
    expect(page.get_by_role("grid", name="Clips").get_by_role("row", name="tide_chart")).to_contain_text("59")


def test_a_selection_is_settled_together_and_reports_come_from_this_computer(page: Page, show: Show) -> None:
    show.bring_in(ATTIC)
    show.open("intake")
    page.get_by_role("grid", name="Evidence").press("Control+a")
    page.get_by_label("shot rate of all selected").fill("17")
    page.get_by_role("button", name="Settle for 5").click()
    expect(page.get_by_text("Shot rate 17 for 5 clips").first).to_be_visible()
    for name in ("AT_8mm_harvest.mov", "AT_S8_wedding.mov"):
        expect(row(page, name)).to_contain_text("● settled")
    late: FilePayload = {"name": "late.csv", "mimeType": "text/csv", "buffer": b"clip,fps\nAT_8mm_harvest,18\nlost,3\n"}
    page.get_by_label("A camera or scan report").set_input_files(late)
    expect(page.get_by_text("late.csv read. No verdict changed.")).to_be_visible()
    expect(page.get_by_role("region", name="Reports")).to_contain_text("1 of 2 rows fit a clip")
    expect(row(page, "AT_8mm_harvest.mov")).to_contain_text("≠ 18, camera report, row 2")
