"""Sound on the Bench: seen under the strip, heard with the pictures at any speed either way, frame by frame."""

from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import Running, Show
from tests.browser.test_bench import bench_of
from tests.waiting import wait_until

LISTEN = """(() => {
    window.heard = [];
    const start = AudioBufferSourceNode.prototype.start;
    AudioBufferSourceNode.prototype.start = function (when, offset, lasts) {
        window.audio = this.context;
        const samples = [...this.buffer.getChannelData(0)];
        const seconds = samples.length / this.buffer.sampleRate;
        const rate = this.playbackRate.value;
        window.heard.push({ when, offset: offset ?? 0, lasts: lasts ?? seconds, rate, samples });
        return start.apply(this, arguments);
    };
})()"""
PLAYING = """() => {
    const now = window.audio.currentTime;
    const frame = +document.querySelector("[aria-label=Playhead]").getAttribute("aria-valuenow");
    return { now, frame, heard: window.heard.map(({ samples, ...told }) => told) };
}"""


def heard(page: Page) -> list[dict[str, Any]]:
    return page.evaluate("window.heard")  # type: ignore[no-any-return]


def test_sound_is_seen_and_heard_with_its_pictures(page: Page, show: Show, running: Running) -> None:
    page.add_init_script(LISTEN)
    bench_of(show, "HB_gulls_30.mp4", running)
    lane = page.get_by_role("img", name="Sound of A: stream 1: follows the speed")
    expect(lane).to_be_visible()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    wait_until(lambda: bool(page.evaluate("window.heard.some((one) => Math.abs(one.offset - 3 / 25) < 1e-6)")))
    (stepped,) = [one for one in heard(page) if abs(one["offset"] - 3 / 25) < 1e-6]
    assert abs(stepped["lasts"] - 1 / 25) < 1e-6 and stepped["rate"] == 1, "that frame's sound, once"

    page.evaluate("window.heard = []")
    page.keyboard.press("l")
    wait_until(
        lambda: bool(page.evaluate("window.heard.length > 0 && window.audio.currentTime > window.heard[0].when + 0.3"))
    )
    for faster, way in (("l", 2), ("l", 4), ("l", 8), ("j", -1)):
        told = page.evaluate(PLAYING)
        assert away(told) < 0.2 * max(1, told["heard"][-1]["rate"]), told
        page.evaluate("window.heard = []")
        page.keyboard.press(faster)
        wait_until(lambda: bool(page.evaluate("window.heard.length > 0")))
        assert {one["rate"] for one in page.evaluate(PLAYING)["heard"]} == {abs(way)}
    forwards = stepped["samples"]
    backwards = [one["samples"] for one in heard(page) if len(one["samples"]) == len(forwards)]
    assert forwards[::-1] in backwards, "backwards its samples run backwards"
    page.keyboard.press("k")

    page.keyboard.press("m")
    expect(page.get_by_role("button", name="no sound is heard")).to_be_visible()
    page.evaluate("window.heard = []")
    page.keyboard.press("ArrowRight")
    page.wait_for_timeout(300)
    assert heard(page) == []


def away(told: dict[str, Any]) -> float:
    """Seconds of the timeline between what is heard by now and the frame that is shown."""
    places = [
        number * 2 + one["offset"] + (told["now"] - one["when"]) * one["rate"]
        for number, one in enumerate(told["heard"])
        if one["when"] <= told["now"]
    ]
    return float(min(abs(place - told["frame"] / 25) for place in places))


def test_a_clip_without_sound_says_so(page: Page, show: Show, running: Running) -> None:
    page.add_init_script(LISTEN)
    bench_of(show, "FD1_B02_sparks_119.mov", running)
    expect(page.get_by_role("img", name="Sound of A: The file has no sound.")).to_be_visible()
    expect(page.get_by_role("button", name="no sound is heard")).to_be_disabled()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("img", name="Side A, frame 1, final")).to_be_visible()
    assert heard(page) == []
