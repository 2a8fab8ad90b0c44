"""What a ledger of many clips is like in the browser: opening, scrolling, finding, changing all.

Run: .venv/bin/python -m bench.ledger_page [CLIPS [DELIVERIES]]
Serves the built page over a database of its own and drives Chromium at 1280 × 800. Scrolling is measured by the
gaps between animation frames while the list moves by 40 rows a second of them, against the gaps of a page at rest.
"""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from bench.ledger import fill
from oddmeter.config import Config
from oddmeter.local.cluster import Cluster
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate
from tests.chromium import launched

PORT = 8497
GAPS = """async ([step, frames]) => {
    const list = document.querySelector("[role=grid]");
    const gaps = [];
    let last = await new Promise(requestAnimationFrame);
    for (let i = 0; i < frames; i++) {
        list.scrollTop += step;
        const now = await new Promise(requestAnimationFrame);
        gaps.push(now - last);
        last = now;
    }
    gaps.sort((a, b) => a - b);
    return [gaps[frames >> 1], gaps[Math.floor(frames * 0.95)], gaps.at(-1)];
}"""


def main() -> None:
    numbers = [int(word) for word in sys.argv[1:] if word.isdecimal()]
    count, deliveries = (numbers + [10_000, 40][len(numbers) :])[:2]
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        cluster = Cluster(Path(folder) / "data")
        cluster.start()
        url = cluster.ensure_database("bench")
        migrate(url)
        config = Config.under(Path(folder) / "data", url)
        config.make_folders()
        database = Database(url)
        database.open()
        show = fill(database, count, deliveries)
        database.close()
        command = [sys.executable, "-m", "oddmeter", "serve", "--port", str(PORT)]
        server = subprocess.Popen(command, env={**os.environ, **config.to_environment()})
        try:
            time.sleep(3 + count / 2000)
            print(f"{count} clips over {deliveries} deliveries")
            with sync_playwright() as playwright:
                browser = launched(playwright)
                measure(
                    browser.new_page(viewport={"width": 1280, "height": 800}), f"http://127.0.0.1:{PORT}", show, count
                )
                browser.close()
        finally:
            server.terminate()
            server.wait()
            cluster.stop()
            cluster.discard()


def measure(page: Page, url: str, show: int, count: int, gaps: int = 120) -> None:
    """Print how long a person waits for a ledger of so many clips, and ``gaps`` between frames at rest, twice that
    while it moves."""
    address = f"{url}/shows/{show}"
    page.goto(f"{address}/brief")
    expect(page.get_by_role("heading", name="Timelines")).to_be_visible()
    grid = page.get_by_role("grid", name="Clips")

    begun = time.perf_counter()
    page.get_by_role("link", name="Plan").click()
    expect(grid.get_by_role("row", name="A00_00000_24fps.mov")).to_contain_text("undecided", timeout=60_000)
    print(f"from Brief to a ledger with its rows           {time.perf_counter() - begun:6.2f} s")

    rest, moving = page.evaluate(GAPS, [0, gaps]), page.evaluate(GAPS, [40, 2 * gaps])
    for name, (median, most, worst) in (("at rest", rest), ("scrolling", moving)):
        print(f"gap between animation frames, {name:10} median {median:5.1f}, 95 % {most:5.1f}, worst {worst:5.1f} ms")

    field, rows = page.get_by_label("Find in the ledger"), grid.get_attribute("aria-rowcount") or ""
    begun = time.perf_counter()
    field.press_sequentially("a07_ 150fps")
    expect(page.get_by_text(f"of {count}")).to_be_visible()
    expect(grid.get_by_role("row", name="A07_00005_150fps.mov")).to_contain_text("undecided")
    print(f"11 letters typed, and what fits is there       {time.perf_counter() - begun:6.2f} s")
    field.fill("")
    expect(grid).to_have_attribute("aria-rowcount", rows)

    grid.focus()
    page.keyboard.press("Control+a")
    expect(page.get_by_role("toolbar", name="Decide")).to_contain_text(f"{count} selected")
    begun = time.perf_counter()
    page.keyboard.press("1")
    expect(grid.get_by_role("row").nth(2)).to_contain_text("real time", timeout=60_000)
    print(f"real time for all, and the rows say so         {time.perf_counter() - begun:6.2f} s")
    begun = time.perf_counter()
    page.keyboard.press("Control+z")
    expect(grid.get_by_role("row").nth(2)).to_contain_text("undecided", timeout=60_000)
    print(f"undone, and the rows say so                    {time.perf_counter() - begun:6.2f} s")


if __name__ == "__main__":
    main()
