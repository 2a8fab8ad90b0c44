"""A story per stop, found by roles and names as a person would."""

import re
from base64 import b64encode
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Running, Show, catch

HARBOUR = "The Tide Bell/Harbour, boat and phones"
VISITORS = "The Tide Bell/Visitors' reels"


def test_brief_settles_the_timeline_and_undo_brings_it_back(page: Page, show: Show) -> None:
    show.open("brief")
    page.get_by_role("button", name="Add a timeline").click()
    page.get_by_label("Timeline name").fill("Broadcast")
    page.get_by_label("Rate", exact=False).first.fill("59.94i")
    page.get_by_label("Scan").select_option("lower")
    page.get_by_label("Drop-frame").check()
    page.get_by_role("button", name="Add “Broadcast” at 59.94i").click()
    row = page.get_by_role("row").filter(has_text="Broadcast")
    expect(row).to_contain_text("29.97")
    expect(row).to_contain_text("drop-frame")
    row.get_by_role("radio", name="Plan for Broadcast").click()
    head = page.get_by_role("banner")
    expect(head).to_contain_text("interlaced, lower first, drop-frame")
    page.reload()
    page.get_by_role("button", name="Undo: Plan for “Broadcast”").click()
    expect(page.get_by_text("Undone: Plan for “Broadcast”")).to_be_visible()
    expect(page.get_by_role("radio", name="Plan for Main")).to_be_checked()
    page.get_by_role("button", name="Redo: Plan for “Broadcast”").click()
    expect(page.get_by_role("radio", name="Plan for Broadcast")).to_be_checked()


def test_a_rate_that_is_none_is_explained_and_nothing_typed_is_lost(page: Page, show: Show) -> None:
    show.open("brief")
    page.get_by_role("button", name="Change Main").click()
    page.get_by_label("Rate", exact=False).first.fill("fast")
    page.get_by_role("button", name="Set “Main” from 25 to fast").click()
    expect(page.get_by_text("“fast” is not a rate.")).to_be_visible()
    expect(page.get_by_label("Rate", exact=False).first).to_have_value("fast")


def test_intake_shows_what_is_wrong_and_goes_on(page: Page, show: Show) -> None:
    show.open("intake")
    page.get_by_role("button", name="Import footage").first.click()
    page.get_by_role("button", name="Odd card").click()
    page.get_by_role("button", name="Import 2 files").click()
    expect(page.get_by_text("The file is empty.")).to_be_visible()
    expect(page.get_by_text("This is not a media file")).to_be_visible()
    expect(page.get_by_role("region", name="Deliveries")).to_contain_text("2 with trouble")
    page.get_by_role("row").filter(has_text="empty.mov").click()
    about = page.get_by_role("region", name="Evidence about empty.mov")
    for look in about.get_by_role("tab").all():
        look.click()
        expect(about.get_by_role("tabpanel")).to_have_text("There are no pictures to look at.")
    page.get_by_role("link", name="Bench").click()
    expect(page.get_by_text("empty.mov: The file is empty.")).to_be_visible()
    page.get_by_role("button", name="The next clip").click()
    expect(page.get_by_role("heading", name="letter.txt")).to_be_visible()
    expect(page.get_by_role("button", name="The next clip")).to_be_disabled()
    page.get_by_role("link", name="Intake").click()
    page.get_by_role("region", name="Deliveries").get_by_role("button", name="Odd card").click()
    page.get_by_role("button", name="Remove from the show; files stay").click()
    expect(page.get_by_text("No footage yet.")).to_be_visible()


def test_files_dropped_into_the_page_come_in(page: Page, show: Show, running: Running) -> None:
    show.open("intake")
    expect(page.get_by_text("Drop files anywhere.")).to_be_visible()
    clip = (running.footage / HARBOUR / "HB_gulls_30.mp4").read_bytes()
    page.evaluate(
        """([name, coded]) => {
            const files = new DataTransfer();
            const bytes = Uint8Array.from(atob(coded), (letter) => letter.charCodeAt(0));
            files.items.add(new File([bytes], name, { type: "video/mp4" }));
            const place = document.querySelector("main > div");
            for (const kind of ["dragover", "drop"])
                place.dispatchEvent(new DragEvent(kind, { dataTransfer: files, bubbles: true, cancelable: true }));
        }""",
        ["gulls.mp4", b64encode(clip).decode()],
    )
    expect(page.get_by_role("row").filter(has_text="gulls.mp4")).to_contain_text("30")


def test_a_file_dropped_where_nothing_takes_it_is_not_opened_instead_of_the_application(page: Page, show: Show) -> None:
    show.open("brief")
    expect(page.get_by_text("House rules", exact=True)).to_be_visible()
    left_to_the_browser = """([kind, file]) => {
        const dataTransfer = new DataTransfer();
        if (file) dataTransfer.items.add(new File(["x"], "x.mov"));
        else dataTransfer.setData("text/plain", "25");
        return document.querySelector("main").dispatchEvent(
            new DragEvent(kind, { dataTransfer, bubbles: true, cancelable: true }));
    }"""
    assert [page.evaluate(left_to_the_browser, [kind, True]) for kind in ("dragover", "drop")] == [False, False]
    assert page.evaluate(left_to_the_browser, ["drop", False]), "words can be dragged into a field as ever"


def test_plan_filters_and_typed_speeds(page: Page, show: Show) -> None:
    show.bring_in(HARBOUR)
    show.bring_in(VISITORS)
    show.open("plan")
    filters = page.get_by_role("group", name="Filters")
    filters.get_by_role("button", name="Interlaced 1").click()
    expect(page.get_by_role("grid").get_by_role("row")).to_have_count(3)
    expect(page).to_have_url(re.compile("show=interlaced"))
    page.reload()
    expect(filters.get_by_role("button", name="Interlaced 1")).to_have_attribute("aria-pressed", "true")
    filters.get_by_role("button", name="All 6").click()
    page.get_by_role("row", name="HB_boat_59.mp4").click()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("4")
    expect(page.get_by_label("Speed", exact=True)).to_be_focused()
    page.keyboard.type("2/5")
    page.keyboard.press("Enter")
    for name in ("HB_boat_59.mp4", "HB_gulls_30.mp4"):
        expect(page.get_by_role("row", name=name)).to_contain_text("speed 40 %")
    expect(page.get_by_role("grid")).to_be_focused()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("row", name="HB_boat_59.mp4")).to_contain_text("undecided")
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_role("row", name="HB_boat_59.mp4")).to_contain_text("speed 40 %")
    page.get_by_role("button", name="Speed…").click()
    page.get_by_label("Speed", exact=True).fill("quick")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“quick” is not a number.")).to_be_visible()


def test_an_alternative_is_taken_in_one_step(page: Page, show: Show) -> None:
    show.bring_in(HARBOUR)
    show.open("plan")
    page.get_by_role("row", name="HB_boat_59.mp4").click()
    alternatives = page.get_by_role("list", name="Alternatives")
    alternatives.get_by_role("button", name=re.compile("half real time")).click()
    row = page.get_by_role("row", name="HB_boat_59.mp4")
    expect(row).to_contain_text("pace 50 %")
    expect(row).to_contain_text("126 → 251")
    expect(alternatives.get_by_role("button", name=re.compile("half real time"))).to_have_attribute(
        "aria-pressed", "true"
    )


def test_a_shot_rate_and_a_read_rate_are_stated(page: Page, show: Show) -> None:
    show.bring_in("The Tide Bell/Foundry day 1")
    show.open("plan")
    page.get_by_role("row", name="FD1_C01_pour_fast.mov").click()
    page.get_by_role("button", name="Shot at…").click()
    page.get_by_label("Shot rate").fill("150")
    page.get_by_role("button", name="Set 1 clip").click()
    page.keyboard.press("1")
    expect(page.get_by_role("row", name="FD1_C01_pour_fast.mov")).to_contain_text("600 %")
    page.get_by_role("button", name="Read at…").click()
    page.get_by_label("Read rate").fill("75")
    page.get_by_role("button", name="Re-rate 1 clip").click()
    panel = page.get_by_role("complementary", name="Arithmetic of the selection")
    expect(panel).to_contain_text("150 ÷ 75 = 2")
    expect(panel).to_contain_text("re-rated and re-speeded")


@pytest.mark.refused
def test_two_people_see_each_other(show: Show, page: Page, new_page: Callable[[str], Page]) -> None:
    show.bring_in(HARBOUR)
    other = new_page("Ben")
    show.open("plan")
    show.open("plan", other)
    other.get_by_role("row", name="HB_quay_29.mp4").click()
    page.get_by_role("row", name="HB_quay_29.mp4").click()
    other.keyboard.press("2")
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("every frame")
    expect(page.get_by_role("button", name="Undo: Every frame for HB_quay_29.mp4")).to_have_attribute(
        "title", re.compile(r"\(Ben\)")
    )

    def let_ben_be_first(route: Route) -> None:
        other.keyboard.press("1")
        expect(other.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("real time")
        route.continue_()

    catch(page, "**/treatments", let_ben_be_first)
    page.keyboard.press("2")
    expect(page.get_by_text("Ben changed HB_quay_29.mp4 first. Nothing was changed; look again.")).to_be_visible()
    expect(page.get_by_role("row", name="HB_quay_29.mp4")).to_contain_text("real time")


def test_handoff_cancels_and_tries_again(page: Page, show: Show) -> None:
    show.bring_in(HARBOUR)
    show.open("plan")
    page.get_by_role("row", name="HB_gulls_30.mp4").click()
    page.keyboard.press("4")
    page.keyboard.type("1/40")
    page.keyboard.press("Enter")
    expect(page.get_by_role("row", name="HB_gulls_30.mp4")).to_contain_text("speed 2.5 %")
    show.open("handoff")
    page.get_by_label("Folder of output 1").fill(f"show {show.id}")
    page.get_by_role("button", name="Make 1 file").click()
    item = page.get_by_role("listitem").filter(has_text=f"show {show.id}/HB_gulls_30_25.mov").last
    expect(item).to_contain_text("being made")
    item.get_by_role("button", name=re.compile("^Cancel")).click()
    expect(item).to_contain_text("cancelled")
    item.get_by_role("button", name=re.compile("again$")).click()
    expect(item).to_contain_text("being made")
    page.get_by_role("button", name="All (3)").click()
    page.get_by_label("Folder of output 1").fill(f"show {show.id} too")
    page.get_by_role("button", name="Make 3 files").click()
    page.get_by_role("button", name=re.compile(r"^Cancel \d files$")).click()
    expect(page.get_by_text(re.compile(r"^\d files being stopped\.$"))).to_be_visible()
    queue = page.get_by_role("region", name="Queue and proof")
    expect(queue.get_by_text(re.compile("being made|being proven|waiting"))).to_have_count(0)
    for folder in (f"show {show.id}/", f"show {show.id} too/"):
        slow = queue.get_by_role("listitem").filter(has_text=f"{folder}HB_gulls")
        expect(slow).to_contain_text("cancelled")
    expect(page.get_by_role("button", name=re.compile(r"^Try \d files again$"))).to_be_visible()


def test_names_that_clash_are_shown_before_anything_is_made(page: Page, show: Show) -> None:
    show.bring_in(HARBOUR)
    show.open("handoff")
    page.get_by_role("button", name="All (3)").click()
    page.get_by_label("Name pattern").fill("tide")
    expect(page.get_by_text("another of these files gets the same name")).to_have_count(2)
    expect(page.get_by_role("button", name="Make 1 file")).to_be_visible()
    page.get_by_label("Name pattern").fill("{colour}")
    expect(page.get_by_text("“colour” is not a field of a name pattern.")).to_be_visible()
    expect(page.get_by_role("button", name="Nothing to make")).to_be_disabled()


@pytest.mark.parametrize("stop", ["brief", "intake", "plan", "handoff"])
def test_keys_theme_and_width(page: Page, show: Show, stop: str) -> None:
    show.bring_in(HARBOUR)
    show.open(stop)
    expect(page.get_by_role("link", name=stop.capitalize(), exact=True)).to_have_attribute("aria-current", "page")
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys in this view")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Change to the dim theme").click()
    expect(page.locator("html")).to_have_attribute("data-theme", "dim")
    for width in (1024, 1280, 1920, 2560):
        page.set_viewport_size({"width": width, "height": 800})
        sizes = page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
        assert sizes == [width, 800], f"the page itself scrolls at {width}"


@pytest.mark.refused
def test_an_address_with_nothing_behind_it(page: Page, running: Running) -> None:
    page.goto(f"{running.url}/shows/98765/plan")
    expect(page.get_by_text("This show cannot be opened.")).to_be_visible()
    page.goto(f"{running.url}/somewhere/else")
    expect(page.get_by_text("There is nothing at this address.")).to_be_visible()


def test_what_changes_while_rows_are_first_on_their_way_is_seen(page: Page, show: Show) -> None:
    """The answer that was true before the change is held back until the change has been told."""
    show.bring_in(HARBOUR)
    ledger = page.request.get(f"{show.url}/api/shows/{show.id}/ledger").json()
    clip = {"id": ledger["ids"][0], "revision": ledger["revisions"][0]}
    held: list[bool] = []

    def hold(route: Route) -> None:
        if held:
            route.continue_()
            return
        held.append(True)
        old = route.fetch()
        said = {"clips": [clip], "question": "shot_rate", "value": "37", "reason": "told"}
        got = page.request.post(f"{show.url}/api/shows/{show.id}/words", data=said)
        assert got.ok, got.text()
        page.wait_for_timeout(1500)
        route.fulfill(response=old)

    page.route("**/evidence/rows", hold)
    show.open("intake")
    expect(page.get_by_role("gridcell").filter(has_text="37").first).to_be_visible()
    assert held
