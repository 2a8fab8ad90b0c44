"""Make the pictures of this folder anew, from a fresh demo show, as a person would come to them.

Run: .venv/bin/python -m docs.screenshots.take
"""

import json
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.parse
import urllib.request
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from tests.chromium import launched

HERE = Path(__file__).parent
PORT = 8479
URL = f"http://127.0.0.1:{PORT}"


def page_in(browser: Browser, theme: str) -> Page:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    context.add_init_script(f"localStorage.setItem('odd-meter.theme', '{theme}')")
    return context.new_page()


MUSIC = "-9 25 Demo footage:The Tide Bell/Music/bell_theme_96.wav"
CURVE = [
    {"frame": 44, "leaves": "1"}, {"frame": 80, "arrives": "2/5", "leaves": "2/5", "at": 47},
    {"frame": 112, "arrives": "2/5", "leaves": "3/2", "at": 78}, {"frame": 200, "leaves": "1", "ease": ["1", "1"]},
]  # fmt: skip
"""Life, slow from the fourth beat of the music to the sixth, fast, and life again."""
SEEN = """() => !document.body.innerText.includes("Opening the ") &&
    [...document.images].every((picture) => picture.complete)"""


def shoot(page: Page, name: str) -> None:
    page.wait_for_timeout(900)
    page.wait_for_function(SEEN, timeout=60_000)
    page.screenshot(path=HERE / f"{name}.png")


def decide(page: Page) -> None:
    """All clips by the house recipes, with what that changes shown first."""
    page.goto(f"{URL}/shows/1/plan?side=recipes")
    page.get_by_role("button", name=re.compile("Run on")).click()
    page.get_by_role("table", name="Changes by recipes").wait_for()
    shoot(page, "plan-recipes-paper")
    page.get_by_role("dialog").get_by_role("button", name=re.compile("Run on")).click()
    page.wait_for_timeout(7000)


def wait_until_all_is_seen() -> None:
    """Wait until the worker has looked at the pictures of every clip."""
    evidence = f"{URL}/api/shows/1/evidence"
    while True:
        with urllib.request.urlopen(evidence, timeout=20) as answer:
            ids = [clip["id"] for clip in json.load(answer)["clips"]]
        asked = urllib.request.Request(
            f"{evidence}/rows", json.dumps({"ids": ids}).encode(), {"Content-Type": "application/json"}
        )
        with urllib.request.urlopen(asked, timeout=20) as answer:
            if all(row["look"]["state"] == "done" for row in json.load(answer)):
                return
        time.sleep(1)


def bench(page: Page, clip: str, side: dict[str, object], keys: str, name: str) -> None:
    """A clip on the Bench with a side B of its own, after some keys."""
    with urllib.request.urlopen(f"{URL}/api/shows/1/evidence", timeout=20) as answer:
        clips = {one["name"]: one["id"] for one in json.load(answer)["clips"]}
    page.goto(f"{URL}/shows/1/bench/{clips[clip]}?b={urllib.parse.quote(json.dumps(side))}")
    page.get_by_role("img", name=re.compile("^Side B, frame 0, final")).wait_for()
    for key in keys.split():
        page.keyboard.press(key)
        page.wait_for_timeout(400)
    page.wait_for_timeout(3000)
    shoot(page, name)


def take_bench(dim: Page, paper: Page) -> None:
    flow = {"set": {"between": "flow"}}
    bench(paper, "VR_clock_23.mkv", flow, "Shift+ArrowRight Shift+ArrowRight r", "bench-paper")
    originals = {"set": {"fields": "original"}}
    bench(paper, "CH_evensong_2997.mov", originals, "b c u ArrowRight ArrowRight", "bench-check-paper")
    half = {"intent": {"intent": "pace", "value": "20%"}, "set": {"between": "flow", "trust": "80%"}}
    bench(dim, "FD1_B02_sparks_119.mov", half, "Shift+ArrowRight ArrowRight t ArrowRight b", "bench-trust-dim")
    value = json.dumps({"of": "pace", "points": CURVE})
    curve = {"intent": {"intent": "curve", "value": value}, "set": {"music": MUSIC}}
    bench(paper, "FD1_A02_mould_50.mov", curve, "b Shift+ArrowRight . .", "bench-curve-paper")
    paper.get_by_role("button", name="Fit", exact=True).last.click()
    shoot(paper, "bench-curve-paper")


def take_assembly(dim: Page, paper: Page) -> None:
    """The film of the demo: a speed being typed, with what it would move; and the slow passage dissolving in."""
    paper.goto(f"{URL}/shows/1/assembly/1")
    paper.get_by_role("option", name=re.compile("FD1_B01_bell")).click()
    paper.get_by_label("Speed", exact=True).fill("1/8")
    paper.get_by_text("the timeline ends 150 frames later").wait_for()
    shoot(paper, "assembly-paper")
    dim.goto(f"{URL}/shows/1/assembly/1")
    dim.get_by_role("listbox").get_by_text("Pour, slow").click()
    for _ in range(4):
        dim.keyboard.press("ArrowRight")
    for _ in range(2):
        dim.keyboard.press("+")
    shoot(dim, "assembly-dim")


def take_intake(page: Page) -> None:
    page.goto(f"{URL}/shows/1/intake")
    shoot(page, "intake-paper")
    page.goto(f"{URL}/shows/1/intake?ask=field_order&look=fields")
    page.get_by_role("grid").get_by_text("RG_finish_59i.mov").click()
    shoot(page, "intake-fields-paper")
    page.goto(f"{URL}/shows/1/intake?look=times&find=rope")
    page.get_by_role("grid").get_by_text("PH_rope_slow.mp4").click()
    page.get_by_role("tab", name="Times").click()
    shoot(page, "intake-times-paper")


def take_handoff(page: Page) -> None:
    """A plan with two outputs of which one is made, and the proof of a file."""
    page.goto(f"{URL}/shows/1/handoff")
    page.get_by_label("Makes files of").select_option("decided")
    page.get_by_label("Name pattern of output 1").fill("{clip}_{rate}_{version}")
    page.get_by_role("button", name="Keep as a plan…").click()
    page.get_by_role("dialog").get_by_role("textbox").fill("Friday to the grade")
    page.keyboard.press("Enter")
    page.get_by_role("button", name=re.compile("Make .* files")).click()
    page.get_by_text(re.compile("^[4-9] of .* proven")).first.wait_for(timeout=120_000)
    proof = page.get_by_role("button", name=re.compile("Proof of FD1_A02"))
    proof.click()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_label("Setting of output 2").select_option("view")
    proof.evaluate("row => row.scrollIntoView()")
    shoot(page, "handoff-paper")


def take_all(browser: Browser) -> None:
    dim = page_in(browser, "dim")
    paper = page_in(browser, "paper")
    take_bench(dim, paper)
    take_assembly(dim, paper)
    dim.goto(f"{URL}/shows/1/plan?beside=2")
    dim.get_by_role("row", name="VR_lantern").click()
    dim.keyboard.press("7")
    dim.keyboard.type("timeline")
    dim.keyboard.press("Enter")
    dim.get_by_role("button", name="Cancel").wait_for()
    shoot(dim, "plan-reach-dim")
    page = page_in(browser, "paper")
    decide(page)
    page.goto(f"{URL}/shows/1/plan")
    page.get_by_role("row", name="FD1_B02").click()
    shoot(page, "plan-paper")
    page.keyboard.press("Control+e")
    page.keyboard.type("60i")
    page.get_by_label("Shot, if other").fill("120")
    shoot(page, "reckoner-paper")
    page.keyboard.press("Escape")
    take_intake(page)
    page.goto(f"{URL}/shows/1/brief")
    shoot(page, "brief-paper")
    take_handoff(page)
    dim.goto(f"{URL}/shows/1/intake?look=measure&find=attic")
    dim.get_by_role("grid").get_by_text("AT_S8_18_garden.mov").click()
    dim.get_by_label("Seconds between them").fill("8")
    dim.get_by_label("Uncertainty ±").fill("0.1")
    dim.get_by_role("button", name="Work out the shot rate").click()
    shoot(dim, "intake-duration-dim")
    dim.goto(f"{URL}/shows/1/handoff")
    dim.get_by_role("combobox", name="Handoff plan").select_option(label="Friday to the grade")
    dim.get_by_text("is there, and would be the same").first.wait_for()
    shoot(dim, "handoff-dim")
    dim.goto(f"{URL}/shows/1/plan")
    dim.get_by_role("row", name="VR_clock").click()
    shoot(dim, "plan-dim")
    dim.goto(f"{URL}/api/shows/1/sheet.html")
    shoot(dim, "sheet")


def main() -> None:
    data = Path(tempfile.mkdtemp(prefix="odd-meter-pictures-"))
    command = [sys.executable, "-m", "oddmeter", "start", "--data", str(data), "--port", str(PORT)]
    started = subprocess.Popen(command)
    try:
        for _ in range(900):
            try:
                urllib.request.urlopen(f"{URL}/api/roots", timeout=1).close()
                break
            except OSError:
                time.sleep(0.1)
        wait_until_all_is_seen()
        with sync_playwright() as playwright:
            browser = launched(playwright)
            take_all(browser)
            browser.close()
    finally:
        started.send_signal(signal.SIGINT)
        started.wait(60)
        shutil.rmtree(data, ignore_errors=True)


if __name__ == "__main__":
    main()
