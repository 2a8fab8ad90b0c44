"""How long a step on the Bench takes: from asking for a frame of a 1080p long-GOP clip to its picture on screen.

    .venv/bin/python -m bench.looking

A clip of 750 frames at 1920 × 1080 with a key frame every 250 is made, brought in and opened in Debian's Chromium, as a
person would. Measured in the page: the first look; then, once the drafts are filled in, steps to frames far apart, and
steps of one, as fast as they are answered and five a second, until a picture of that frame is drawn (a draft or the
final one), and until the final one is.
"""

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Sequence
from pathlib import Path
from random import Random
from typing import Any

import av
from av.video.frame import VideoFrame
from playwright.sync_api import Page, sync_playwright

from oddmeter.demo.framecode import stamp
from oddmeter.demo.motion import MOTION
from tests.chromium import launched

FRAMES, PORT = 750, 8478
STEP = """([frame, size]) => new Promise((done) => {
  const canvases = () => [...document.querySelectorAll('canvas[data-frame]')];
  const field = [...document.querySelectorAll('label')].find((one) => one.textContent.startsWith('frame'))
    .querySelector('input');
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
  field.focus();
  set.call(field, String(frame));
  field.dispatchEvent(new Event('input', { bubbles: true }));
  requestAnimationFrame(() => {
    const begun = performance.now();
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    const look = () => {
      const there = canvases().every((one) => one.dataset.frame === String(frame)
        && (size === 'any' || one.dataset.size === 'final'));
      if (there) done(performance.now() - begun); else setTimeout(look, 1);
    };
    look();
  });
})"""
"""Types a frame and waits in the page itself, so that nothing of the automation is measured."""


def make_clip(path: Path, frames: int = FRAMES) -> None:
    """A long-GOP clip with its frame codes."""
    path.parent.mkdir(parents=True)
    with av.open(str(path), "w", format="mp4") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        stream.options = {"preset": "veryfast", "crf": "23", "g": "250", "x264-params": "scenecut=0"}
        for number in range(frames):
            picture = MOTION["textured pan"](number / 100, 960, 540).repeat(2, axis=0).repeat(2, axis=1)
            stamp(picture, number)
            frame = VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def ask(url: str, path: str, body: str | None = None) -> Any:
    request = urllib.request.Request(
        f"{url}{path}", body.encode() if body else None, {"Content-Type": "application/json"}
    )
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.load(answer)


def step(page: Page, frame: int, size: str) -> float:
    """Milliseconds from Enter in the frame field until that frame is drawn on both sides."""
    return float(page.evaluate(STEP, [frame, size]))


def step_at_ease(page: Page, frame: int) -> float:
    """As ``step``, a fifth of a second after the last one."""
    page.wait_for_timeout(200)
    return step(page, frame, "final")


def reported(name: str, times: Sequence[float]) -> None:
    print(f"{name:58} median {statistics.median(times):5.0f} ms, worst {max(times):5.0f} ms, of {len(times)}")


def main() -> None:
    data, url = Path(tempfile.mkdtemp()), f"http://127.0.0.1:{PORT}"
    make_clip(data / "media" / "Long" / "long.mp4")
    command = [sys.executable, "-m", "oddmeter", "start", "--empty", "--data", str(data), "--port", str(PORT)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        for _ in range(300):
            try:
                ask(url, "/api/shows")
                break
            except OSError:
                time.sleep(0.2)
        with sync_playwright() as playwright:
            browser = launched(playwright)
            measure(browser.new_page(viewport={"width": 1280, "height": 800}), url)
            browser.close()
    finally:
        process.terminate()
        process.wait(30)
        shutil.rmtree(data, ignore_errors=True)


def measure(page: Page, url: str, frames: int = FRAMES, steps: int = 40) -> None:
    """Print how long steps take in a clip of so many frames, which stands in the folder "Long" of the footage."""
    show = ask(url, "/api/shows", '{"name": "Look", "timeline": {"name": "Main", "rate": "25"}}')["id"]
    ask(url, f"/api/shows/{show}/deliveries", '{"name": "Long", "root": "Footage", "path": "Long"}')
    while not ask(url, f"/api/shows/{show}/ledger")["ids"] or not looked_at(url, show):
        time.sleep(0.5)
    page.goto(f"{url}/shows/{show}/plan")
    page.wait_for_timeout(1500)
    begun = time.monotonic()
    page.get_by_role("link", name="Bench").click()
    page.wait_for_selector("canvas[data-frame]")
    print(f"{'first look at the clip, from Plan':58} {1000 * (time.monotonic() - begun):12.0f} ms")
    page.wait_for_timeout(20 * frames)
    dice, part = Random(4), frames // 8
    far = [dice.randrange(frames) for _ in range(3 * steps // 2)]
    reported("a step to any frame: a picture of it", [step(page, frame, "any") for frame in far])
    far = [dice.randrange(frames) for _ in range(3 * steps // 4)]
    reported("a step to any frame: the final picture", [step(page, frame, "final") for frame in far])
    for way, on in (
        ("forwards", range(3 * part, 3 * part + steps)),
        ("backwards", range(6 * part, 6 * part - steps, -1)),
    ):
        reported(f"a step of one, {way}: the final picture", [step(page, frame, "final") for frame in on])
    for way, on in (
        ("forwards", range(4 * part, 4 * part + steps)),
        ("backwards", range(7 * part, 7 * part - steps, -1)),
    ):
        reported(f"five steps of one a second, {way}: the final", [step_at_ease(page, frame) for frame in on])


def looked_at(url: str, show: int) -> bool:
    ids = [line["id"] for line in ask(url, f"/api/shows/{show}/evidence")["clips"]]
    rows = ask(url, f"/api/shows/{show}/evidence/rows", json.dumps({"ids": ids}))
    return all(row["look"]["state"] == "done" for row in rows)


if __name__ == "__main__":
    main()
