"""Sound on the Bench: seen under the strip, heard with the pictures at any speed either way, frame by frame."""

import re
from typing import Any

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Running, Show
from tests.browser.test_bench import bench_of, checks_of, make_file, proven
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
    const now = window.audio?.currentTime;
    const frame = +document.querySelector("[aria-label=Playhead]").getAttribute("aria-valuenow");
    return { now, frame, heard: window.heard.map(({ samples, ...told }) => told) };
}"""


def heard(page: Page) -> list[dict[str, Any]]:
    """All that was started, without its samples, which are many."""
    return page.evaluate(PLAYING)["heard"]  # type: ignore[no-any-return]


def samples_of(page: Page, started: int) -> list[float]:
    """The samples of what was started as the so-manieth."""
    return page.evaluate("(started) => window.heard[started].samples", started)  # type: ignore[no-any-return]


def test_sound_is_seen_and_heard_with_its_pictures(page: Page, show: Show, running: Running) -> None:
    page.add_init_script(LISTEN)
    bench_of(show, "HB_gulls_30.mp4", running)
    lane = page.get_by_role("img", name="Sound of A: stream 1: follows the speed")
    expect(lane).to_be_visible()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    wait_until(lambda: bool(page.evaluate("window.heard.some((one) => Math.abs(one.offset - 3 / 25) < 1e-6)")))
    ((started, stepped),) = [it for it in enumerate(heard(page)) if abs(it[1]["offset"] - 3 / 25) < 1e-6]
    assert abs(stepped["lasts"] - 1 / 25) < 1e-6 and stepped["rate"] == 1, "that frame's sound, once"
    forwards = samples_of(page, started)

    page.evaluate("window.heard = []")
    page.keyboard.press("l")
    wait_until(
        lambda: bool(page.evaluate("window.heard.length > 0 && window.audio.currentTime > window.heard[0].when + 0.3"))
    )
    told = page.evaluate(PLAYING)
    begun = told["heard"][0]
    heard_by_now = begun["offset"] + told["now"] - begun["when"]
    assert abs(heard_by_now - told["frame"] / 25) < 0.5, told
    page.keyboard.press("p")

    def plays_at(key: str, pace: int) -> None:
        page.evaluate("window.heard = []")
        page.keyboard.press(key)
        wait_until(lambda: any(one["rate"] == pace for one in heard(page)))

    for pace in (2, 4, 8):
        plays_at("l", pace)
    page.keyboard.press("k")
    page.keyboard.press("p")
    page.keyboard.press("Home")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowRight")
    plays_at("j", 1)
    assert samples_of(page, 0) == forwards[::-1], "backwards its samples run backwards"
    page.keyboard.press("k")

    page.keyboard.press("m")
    expect(page.get_by_role("button", name="♪ sound off")).to_be_visible()
    page.evaluate("window.heard = []")
    page.keyboard.press("ArrowRight")
    page.wait_for_timeout(300)
    assert heard(page) == []


def test_a_clip_without_sound_says_so(page: Page, show: Show, running: Running) -> None:
    page.add_init_script(LISTEN)
    bench_of(show, "FD1_B02_sparks_119.mov", running)
    expect(page.get_by_role("img", name="Sound of A: The file has no sound.")).to_be_visible()
    expect(page.get_by_role("button", name="♪ sound off")).to_be_disabled()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("img", name="Side A, frame 1, final")).to_be_visible()
    assert heard(page) == []


def tab_to(page: Page, wanted: Locator) -> None:
    """Go to something with the Tab key alone."""
    for _ in range(150):
        if wanted.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError("the Tab key does not lead there")


def test_life_slow_and_fast_fall_on_three_beats_of_the_music_by_keyboard(
    page: Page, show: Show, running: Running
) -> None:
    show.bring_in("The Tide Bell/Music")
    bench_of(show, "FD1_A02_mould_50.mov", running)
    page.keyboard.press("0")
    panel = page.get_by_role("group", name="Music beside the clip")
    expect(panel.get_by_role("option", name="bell_theme_96.wav")).to_be_attached()
    tab_to(page, panel.get_by_label("Music", exact=True))
    page.keyboard.type("bell")
    expect(panel.get_by_text("96 beats per minute")).to_be_visible()
    first = panel.get_by_role("button", name="First beat here")
    tab_to(page, first)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Beat at frame 0", exact=True)).to_be_visible()

    def on_beat(number: int, leaves: str) -> None:
        """A point of speed on the beat after the next so many, pinned there, left at a speed."""
        at, passed = 0, 0
        while passed < number:
            page.keyboard.press("4")
            at = int(page.get_by_role("slider", name="Playhead").get_attribute("aria-valuenow") or 0)
            passed += at > max(pinned, default=0)
        assert at in beats, (at, beats)
        page.keyboard.press("n")
        mine = page.get_by_role("button", name=re.compile(f"^Point {len(pinned) + 1}: source frame [1-9]"))
        expect(mine).to_be_visible()
        page.keyboard.press("Home")
        for _ in range(len(pinned) + 1):
            page.keyboard.press(".")
        expect(mine).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("y")
        pinned.append(at)
        expect(page.get_by_role("button", name=re.compile(f"^Point {len(pinned)}: .*pinned at {at}$"))).to_be_visible()
        field = page.get_by_role("group", name="Speed along the shot").get_by_label("left at")
        tab_to(page, field)
        page.keyboard.press("Control+a")
        page.keyboard.type(leaves)
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=re.compile(f"^Point {len(pinned)}: .*{leaves[:-1]} %"))).to_be_visible()

    beats = [round(number * 60 / 96 * 25) for number in range(12)]
    beats = sorted({beat + off for beat in beats for off in (-1, 0, 1)})
    pinned: list[int] = []
    on_beat(2, "40%")
    on_beat(2, "150%")
    on_beat(1, "100%")
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile("urve .* for FD1_A02_mould_50.mov")).first).to_be_visible()
    make_file(page, show, "FD1_A02_mould_50.mov")
    made = proven(show, "FD1_A02_mould_50.mov")
    checks = checks_of(made)
    length = int(checks["frames"])
    assert checks["sound 1"] == checks["sound 2"] == f"{length * 1920} samples at 48000"
    assert checks["pictures"] == f"{length} of {length}"
