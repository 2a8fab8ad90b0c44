"""Every view, in both themes, held against the rules of WCAG by axe-core: nothing serious is found."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Show

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
REELS = "The Tide Bell/Visitors' reels"


def serious(page: Page, within: str = "html", rules: Sequence[str] = ()) -> list[str]:
    """What axe-core finds serious or worse on the page as it stands, each with the element it is about; only what
    breaks ``rules`` where some are named."""
    page.evaluate(AXE.read_text())
    options: dict[str, Any] = {"resultTypes": ["violations"], "preload": False}  # nothing else is asked for
    if rules:
        options["runOnly"] = list(rules)
    run = "([part, options]) => axe.run(part, options).then((result) => result.violations)"
    found: list[dict[str, Any]] = page.evaluate(run, [within, options])
    return [
        f"{one['id']}: {node['target']} {node['html'][:120]}"
        for one in found
        if one["impact"] in ("serious", "critical")
        for node in one["nodes"]
    ]


def brief(page: Page, show: Show) -> None:
    show.open("brief")
    expect(page.get_by_text("House rules", exact=True)).to_be_visible()


def new_show(page: Page, show: Show) -> None:
    page.goto(f"{show.url}/new")
    expect(page.get_by_label("Show name")).to_be_focused()


def intake(page: Page, show: Show) -> None:
    show.open("intake")
    expect(page.get_by_role("row").filter(has_text="VR_lantern_24.mkv")).to_be_visible()


def dossier(page: Page, show: Show) -> None:
    intake(page, show)
    page.get_by_role("row").filter(has_text="VR_lantern_24.mkv").click()
    expect(page.get_by_role("region", name="Evidence about VR_lantern_24.mkv")).to_be_visible()


def bringing_in(page: Page, show: Show) -> None:
    show.open("intake?bring=")
    expect(page.get_by_label("Media root")).to_be_visible()


def plan(page: Page, show: Show) -> None:
    show.open("plan")
    page.get_by_role("row").filter(has_text="VR_lantern_24.mkv").click()
    expect(page.get_by_role("list", name="Alternatives")).to_be_visible()


def asking(page: Page, show: Show) -> None:
    plan(page, show)
    page.keyboard.press("4")
    expect(page.get_by_label("Speed", exact=True)).to_be_focused()


def recipes(page: Page, show: Show) -> None:
    show.open("plan?side=recipes")
    expect(page.get_by_role("button", name="New recipe…")).to_be_visible()


def bench(page: Page, show: Show) -> None:
    show.open("bench")
    expect(page.get_by_role("toolbar", name="Moving")).to_be_visible()
    page.keyboard.press("0")
    expect(page.get_by_role("group", name="Music beside the clip")).to_be_visible()


def handoff(page: Page, show: Show) -> None:
    show.open("handoff")
    page.get_by_role("button", name="All (3)").click()
    expect(page.get_by_text("VR_lantern_24_25.mov")).to_be_visible()


def assembly(page: Page, show: Show) -> None:
    show.open("plan")
    page.get_by_role("row").filter(has_text="VR_lantern_24.mkv").click()
    show.open("assembly")
    page.get_by_role("button", name="Place 1 clip at the end").click()
    page.get_by_role("option", name="VR_lantern_24.mkv").first.click()
    expect(page.get_by_label("Trim tail by")).to_be_visible()


def sheet(page: Page, show: Show) -> None:
    page.goto(f"{show.url}/api/shows/{show.id}/sheet.html")
    expect(page.get_by_role("table").first).to_be_visible()


def keys(page: Page, show: Show) -> None:
    plan(page, show)
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys in this view")).to_be_visible()


def command_field(page: Page, show: Show) -> None:
    plan(page, show)
    page.keyboard.press("Control+k")
    expect(page.get_by_role("combobox", name="Do or find")).to_be_focused()


def reckoner(page: Page, show: Show) -> None:
    plan(page, show)
    page.keyboard.press("Control+e")
    expect(page.get_by_label("Quick reckoner")).to_be_visible()


VIEWS = (
    brief, new_show, intake, dossier, bringing_in, plan, asking, recipes, bench, handoff, assembly, sheet, keys,
    command_field, reckoner,
)  # fmt: skip


DIALOGS = (bringing_in, keys, command_field)
COLOURS = ("color-contrast", "link-in-text-block")
"""The rules that a second theme can break where the first does not: only colours differ."""


@pytest.mark.parametrize("theme", ["paper", "dim"])
def test_nothing_serious_is_in_anybodys_way(page: Page, show: Show, theme: str) -> None:
    show.bring_in(REELS)
    show.bring_in("Odd card")
    page.add_init_script(f"localStorage.setItem('odd-meter.theme', '{theme}')")
    found: dict[str, list[str]] = {}
    for view in VIEWS:
        view(page, show)
        # What is laid over a view is looked at by itself: the view under it has been.
        part = "[role=dialog]" if view in DIALOGS else "html"
        if trouble := serious(page, part, COLOURS if theme == "dim" else ()):
            found[view.__name__] = trouble
    lines = [f"{view}: {one}" for view, trouble in found.items() for one in trouble]
    assert not lines, "\n".join(lines)


def test_what_is_serious_would_be_found(page: Page, show: Show) -> None:
    show.open("brief")
    page.evaluate("() => document.body.append(document.createElement('button'))")
    assert any(one.startswith("button-name") for one in serious(page))
