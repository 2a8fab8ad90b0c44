"""House rules in Brief, recipes changed by hand, treatments taken over, tags and notes, the reckoner, and the sheet."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Running, Show, fill

CARD = {"Card": [("a.mov", "100/1"), ("b.mov", "50/1"), ("c.mov", "24/1")]}


def row(page: Page, name: str) -> Locator:
    return page.get_by_role("grid", name="Clips").get_by_role("row", name=name)


def panel(page: Page) -> Locator:
    return page.get_by_role("complementary", name="Arithmetic of the selection")


def test_a_default_shows_what_it_reaches_before_it_is_set(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, CARD)
    show.open("brief")
    page.get_by_role("button", name="Change the default of Card").click()
    dialog = page.get_by_role("dialog", name="Default of Card")
    dialog.get_by_label("wanted").select_option("pace")
    dialog.get_by_label("Value").fill("half")
    dialog.get_by_role("button", name="Preview affected clips").click()
    expect(page.get_by_text("“half” is not a number.")).to_be_visible()
    dialog.get_by_label("Value").fill("1/2")
    dialog.get_by_label("held").fill("on twos")
    dialog.get_by_role("button", name="Preview affected clips").click()
    expect(dialog.get_by_role("list", name="Affected clips")).to_contain_text("3 clips change")
    table = dialog.get_by_role("table", name="Clips that change")
    expect(table.get_by_role("row").filter(has_text="a.mov")).to_contain_text("undecided → pace 50 %")
    dialog.get_by_role("button", name="Set it, 3 uses change").click()
    defaults = page.get_by_role("table", name="Defaults")
    expect(defaults.get_by_role("row").filter(has_text="Card")).to_contain_text("pace 50 %, on twos")
    show.open("plan")
    expect(row(page, "b.mov")).to_contain_text("pace 50 %")
    row(page, "b.mov").click()
    treatment = panel(page).get_by_role("region", name="Treatment")
    expect(treatment).to_contain_text("delivery Card")
    expect(treatment.get_by_role("button", name="Put held back")).to_have_count(0)
    held = treatment.get_by_label("held", exact=True)
    held.fill("12")
    held.press("Enter")
    expect(treatment.get_by_label("held", exact=True)).to_have_value("12 pictures a second")
    treatment.get_by_role("button", name="Put held back").click()
    expect(treatment.get_by_label("held", exact=True)).to_have_value("on twos")


def test_receiving_systems_are_a_house_rule_seen_in_the_ledger(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, {"Card": [("a.mov", "25/1")]})
    show.open("plan")
    row(page, "a.mov").click()
    page.keyboard.press("4")
    page.keyboard.type("8/15")
    page.keyboard.press("Enter")
    rounding = panel(page).get_by_role("region", name="rounding in the receiving system")
    expect(rounding.get_by_role("listitem").filter(has_text="whole per cent")).to_contain_text("53 %")
    rounding.get_by_role("button", name="whole per cent").click()
    expect(page.get_by_text("Receiving systems take whole per cent").first).to_be_visible()
    page.get_by_role("button", name="Columns").click()
    page.get_by_role("checkbox", name="Receiving").check()
    page.keyboard.press("Escape")
    expect(row(page, "a.mov")).to_contain_text(re.compile(r"53 % \+\d"))
    show.open("brief")
    expect(page.get_by_label("Receiving systems accept", exact=True)).to_have_value("whole-percent")


def test_recipes_are_put_on_by_hand_changed_ordered_and_taken_away(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, CARD)
    show.open("plan?side=recipes")
    for name, wanted in (("Slow", "pace"), ("Left", "leave")):
        page.get_by_role("button", name="New recipe…").click()
        dialog = page.get_by_role("dialog", name="New recipe")
        dialog.get_by_label("none; applied by hand only").check()
        dialog.get_by_label("Name", exact=True).fill(name)
        dialog.get_by_label("wanted").select_option(wanted)
        if wanted == "pace":
            dialog.get_by_label("Value").fill("1/4")
        dialog.get_by_role("button", name=f"Make “{name}”").click()
        expect(page.get_by_role("listitem", name=f"Recipe {name}")).to_contain_text("by hand only")
    row(page, "a.mov").click()
    slow = page.get_by_role("listitem", name="Recipe Slow")
    slow.get_by_role("button", name="Apply to 1 selected").click()
    expect(row(page, "a.mov")).to_contain_text("pace 25 %")
    expect(slow).to_contain_text("is on 1")
    page.get_by_role("button", name="Left earlier").click()
    expect(page.get_by_role("listitem", name=re.compile("^Recipe")).first).to_contain_text("Left")
    page.get_by_role("button", name="Change Slow").click()
    dialog = page.get_by_role("dialog", name="Change “Slow”")
    expect(dialog.get_by_text("It is on 1 clip, which follows.")).to_be_visible()
    dialog.get_by_label("Value").fill("1/10")
    dialog.get_by_role("button", name="Set “Slow”").click()
    expect(row(page, "a.mov")).to_contain_text("pace 10 %")
    page.get_by_role("button", name="Take Slow away").click()
    expect(row(page, "a.mov")).to_contain_text("undecided")
    page.get_by_role("button", name="Undo: Recipe “Slow” taken away").click()
    expect(row(page, "a.mov")).to_contain_text("pace 10 %")


def test_a_treatment_is_taken_over_in_part_and_clips_are_tagged_and_noted(
    page: Page, show: Show, running: Running
) -> None:
    fill(running, show.id, CARD)
    show.open("plan")
    row(page, "a.mov").click()
    page.keyboard.press("3")
    page.keyboard.type("1/4")
    page.keyboard.press("Enter")
    expect(row(page, "a.mov")).to_contain_text("pace 25 %")
    panel(page).get_by_label("sound", exact=True).select_option("off")
    page.get_by_role("button", name="Copy treatment").click()
    row(page, "b.mov").click()
    page.get_by_role("button", name="As a.mov…").click()
    page.get_by_label("wanted").last.uncheck()
    page.get_by_role("button", name=re.compile("Take 12 parts over")).click()
    expect(panel(page).get_by_label("sound", exact=True)).to_have_value("off")
    expect(row(page, "b.mov")).to_contain_text("undecided")
    row(page, "c.mov").click(modifiers=["Shift"])
    page.get_by_role("button", name="Tag…").click()
    page.keyboard.type("Bell, close")
    page.keyboard.press("Enter")
    expect(panel(page).get_by_role("region", name="tags and note")).to_contain_text("Bell, close")
    page.get_by_role("button", name="Note…").click()
    page.keyboard.type("Ask the foundry")
    page.keyboard.press("Enter")
    expect(panel(page)).to_contain_text("Ask the foundry")
    page.keyboard.press("/")
    page.keyboard.type("bell foundry")
    expect(page.get_by_role("grid", name="Clips")).to_have_attribute("aria-rowcount", "4")
    page.keyboard.press("Enter")
    expect(page.get_by_role("grid", name="Clips")).to_be_focused()
    panel(page).get_by_role("button", name="Take the tag Bell, close off").click()
    expect(page.get_by_text("No clip fits this filter.")).to_be_visible()


def test_rates_typed_into_the_command_field_are_reckoned_with(page: Page, show: Show) -> None:
    show.open("brief")
    expect(page.get_by_role("heading", name="Timelines")).to_be_visible()
    page.keyboard.press("Control+k")
    page.keyboard.type("150 in 25 on 23.976")
    field = page.get_by_role("dialog")
    expect(field.get_by_role("option").first).to_contain_text("150 in 25 on 23.976")
    answer = field.get_by_role("list", name="Ways to play it").get_by_role("listitem")
    expect(answer.filter(has_text=re.compile("^real time"))).to_contain_text("600 % or read at 150")
    page.keyboard.press("Enter")
    reckoner = page.get_by_role("region", name="Quick reckoner")
    ways = reckoner.get_by_role("list", name="Ways to play it")
    expect(ways.get_by_role("listitem").filter(has_text=re.compile("^real time"))).to_contain_text(
        "600 % or read at 150"
    )
    expect(ways.get_by_role("listitem").filter(has_text="every frame")).to_contain_text("read at 23.976")
    reckoner.get_by_label("A speed").fill("x0.4")
    expect(ways.get_by_role("listitem").first).to_contain_text("40 %")
    reckoner.get_by_label("File", exact=True).fill("fast")
    expect(reckoner).to_contain_text("“fast” is not a rate.")
    reckoner.get_by_label("File", exact=True).press("Escape")
    expect(reckoner).to_have_count(0)


def test_a_sheet_is_taken_printed_and_says_what_changed_since(page: Page, show: Show, running: Running) -> None:
    fill(running, show.id, CARD)
    show.open("handoff")
    page.get_by_role("button", name="Make the sheet").click()
    sheets = page.get_by_role("list", name="Sheets")
    expect(sheets.get_by_role("listitem")).to_have_count(2)
    show.open("plan")
    row(page, "b.mov").click()
    page.keyboard.press("2")
    expect(row(page, "b.mov")).to_contain_text("every frame")
    show.open("handoff")
    with page.context.expect_page() as opened:
        sheets.get_by_role("link", name="Page").first.click()
    sheet = opened.value
    expect(sheet.get_by_role("heading", name="Card")).to_be_visible()
    expect(sheet.get_by_text("1 clips changed since the last sheet")).to_be_visible()
    expect(sheet.get_by_role("row").filter(has_text="b.mov")).to_contain_text("speed 1/1 → 1/2")
    assert sheet.locator("svg").count() == 3
    with page.context.expect_page() as opened:
        sheets.get_by_role("link", name="Page").last.click()
    expect(opened.value.get_by_role("row").filter(has_text="b.mov")).to_contain_text("undecided")
