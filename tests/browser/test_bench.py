"""Stories of the Bench: a missing frame found, stutter turned into Flow and proven, pulldown taken out, a tape made."""

import base64
import re
from typing import Any

import cv2
import numpy as np
from av.video.frame import VideoFrame
from playwright.sync_api import Page, expect

from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planes_of
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.planes import field_of
from tests.browser.conftest import Running, Show
from tests.waiting import wait_until


def folder_of(running: Running, name: str) -> str:
    found = next(running.footage.rglob(name))
    return str(found.parent.relative_to(running.footage))


def row_of(show: Show, name: str) -> dict[str, Any]:
    ids = show.get("ledger")["ids"]  # type: ignore[call-overload]
    rows = show.page.request.post(f"{show.url}/api/shows/{show.id}/ledger/rows", data={"ids": ids}).json()
    return next(row for row in rows if row["name"] == name)


def bench_of(show: Show, name: str, running: Running, *, brought_in: bool = False) -> None:
    if not brought_in:
        show.bring_in(folder_of(running, name))
    show.open(f"bench/{row_of(show, name)['id']}")
    expect(show.page.get_by_role("heading", name=name)).to_be_visible()
    final(show.page, "A")


def final(page: Page, side: str) -> None:
    """Wait until a side shows its final picture."""
    expect(page.get_by_role("img", name=re.compile(rf"^Side {side}, frame \d+, final"))).to_be_visible()


def code_on_screen(page: Page, side: str) -> int | None:
    """The frame code in the very pixels that are on the screen's canvas."""
    final(page, side)
    canvas = page.get_by_role("img", name=re.compile(f"^Side {side},"))
    address = canvas.evaluate("c => c.toDataURL('image/png')")
    data = np.frombuffer(base64.b64decode(address.partition(",")[2]), np.uint8)
    return read(np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE), np.uint8))


def make_file(page: Page, show: Show, name: str) -> None:
    show.open("handoff")
    page.get_by_label("Folder").fill(f"show {show.id}")  # other stories make files of the same clip
    tick = page.get_by_role("checkbox", name=re.compile(re.escape(name)))
    make = page.get_by_role("button", name="Make 1 file")

    def ready() -> bool:
        """Whether it can be made: what is decided is ticked by itself, a moment after the list is there."""
        if not make.is_visible():
            tick.set_checked(True)
        return make.is_visible()

    wait_until(ready)
    make.click()


def proven(show: Show, name: str) -> dict[str, Any]:
    """The newest render of a clip, once it is done."""

    def newest() -> dict[str, Any]:
        renders: list[dict[str, Any]] = list(show.get("renders"))
        mine = [render for render in renders if render["clip_name"] == name]
        return mine[0] if mine else {"state": "not asked for"}

    wait_until(lambda: newest()["state"] in ("done", "failed"), show.running.work)
    made = newest()
    assert made["state"] == "done", made
    return made


def checks_of(render: dict[str, Any]) -> dict[str, str]:
    return {check["name"]: check["found"] for check in render["checks"]}


def test_the_missing_frame_of_a_29_97_on_23_976_is_found_side_by_side(page: Page, running: Running) -> None:
    show = Show(page, running, "23.976")
    bench_of(show, "HB_quay_29.mp4", running)
    page.get_by_label("Side B: wanted").select_option("every-frame")
    expect(page.get_by_text("240 frames")).to_be_visible()
    page.get_by_role("heading", name="HB_quay_29.mp4").click()
    page.keyboard.press("d")
    expect(page.get_by_label("Side A shows")).to_contain_text("1 frame dropped")
    expect(page.get_by_label("Side A shows")).to_contain_text("source 5")
    expect(page.get_by_label("Side B shows")).to_contain_text("source 4")
    assert (code_on_screen(page, "A"), code_on_screen(page, "B")) == (5, 4), "frame 4 is missing on one side"
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_label("Side A shows")).to_contain_text("source 3")
    assert code_on_screen(page, "A") == code_on_screen(page, "B") == 3
    page.keyboard.press("w")
    page.keyboard.press("w")
    expect(page.get_by_text("black where they agree")).to_be_visible()
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_role("textbox", name="frame")).to_have_value("13")
    page.keyboard.press("u")
    expect(page.get_by_role("region", name="Unique-frame check")).to_contain_text("0 flat")
    page.keyboard.press("l")
    expect(page.get_by_role("status").filter(has_text="shown")).to_contain_text("dropped")
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="Play")).to_be_visible()


def test_a_25_on_50_and_a_100_slowed_to_a_tenth_of_life_are_built_and_proven(page: Page, running: Running) -> None:
    """The pictures between are all built; only what comes after the last source frame is held."""
    show = Show(page, running, "50")
    wanted = [
        ("FD1_A01_interview.mov", ("40", "59"), "", "40", "1"),
        ("FD1_B01_bell_swing_100.mov", ("200", "205"), "10%", "30", "4"),
    ]
    for name, (first, last), pace, frames, held in wanted:
        bench_of(show, name, running, brought_in=bool(pace))
        page.get_by_label("in", exact=True).fill(first)
        page.get_by_label("out", exact=True).fill(last)
        page.get_by_label("out", exact=True).press("Enter")
        expect(page.get_by_text(f"Frames {first} to {last} for {name}").first).to_be_visible()
        page.get_by_label("Side B: wanted").select_option("pace" if pace else "real-time")
        if pace:
            page.get_by_label("Side B: how much").fill(pace)
            page.get_by_label("Side B: how much").press("Enter")
        page.get_by_label("Side B: in-betweens").select_option("flow")
        page.get_by_label("Side B: effort").select_option("quick")
        page.get_by_role("heading", name=name).click()
        page.keyboard.press("Home")
        page.keyboard.press("ArrowRight")
        expect(page.get_by_label("Side B shows")).to_contain_text("made")
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text(re.compile(f"flow.* for {name}")).first).to_be_visible()
        make_file(page, show, name)
        checks = checks_of(proven(show, name))
        assert (checks["frames"], checks["pictures"]) == (frames, f"{frames} of {frames}")
        assert checks["repeats"] == held


def test_stutter_becomes_flow_with_trust_set_and_is_rendered_and_proven(page: Page, running: Running) -> None:
    show = Show(page, running)
    bench_of(show, "VR_clock_23.mkv", running)
    page.get_by_label("in", exact=True).fill("40")
    page.get_by_label("out", exact=True).fill("79")
    page.get_by_label("out", exact=True).press("Enter")
    expect(page.get_by_text("Frames 40 to 79 for VR_clock_23.mkv").first).to_be_visible()
    expect(page.get_by_text("40 of 240 source frames")).to_be_visible()
    page.get_by_label("Side B: in-betweens").select_option("flow")
    page.get_by_label("Side B: effort").select_option("quick")
    page.get_by_label("Side B: trust").fill("60%")
    page.get_by_label("Side B: trust").press("Enter")
    page.get_by_role("heading", name="VR_clock_23.mkv").click()
    page.keyboard.press("Home")
    page.keyboard.press("r")
    expect(page.get_by_label("Side A shows")).to_contain_text("repeated")
    expect(page.get_by_label("Side B shows")).to_contain_text("made")
    page.keyboard.press("t")
    expect(page.get_by_role("img", name=re.compile("Side B.*plum shows where frames were mixed"))).to_be_visible()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile("In-betweens by flow.* for VR_clock_23.mkv")).first).to_be_visible()
    expect(page.get_by_label("Side A shows")).to_contain_text("made")
    make_file(page, show, "VR_clock_23.mkv")
    checks = checks_of(proven(show, "VR_clock_23.mkv"))
    assert (checks["frames"], checks["repeats"], checks["pictures"]) == ("42", "0", "42 of 42")
    expect(page.get_by_text("proven").first).to_be_visible()


def test_a_whole_clip_at_a_glance_looks_as_even_as_it_is(page: Page, running: Running) -> None:
    """A quarter speed mixed on twos: of four frames one is new, one made, and two are repeated, all along."""
    show = Show(page, running)
    bench_of(show, "FD1_C01_pour_fast.mov", running)
    row = row_of(show, "FD1_C01_pour_fast.mov")
    decided = {
        "clips": [{"id": row["id"], "revision": row["revision"]}],
        "intent": {"intent": "speed", "value": "1/4"}, "set": {"between": "mix", "held": "on twos"},
    }  # fmt: skip
    assert show.page.request.post(f"{show.url}/api/shows/{show.id}/treatments", data=decided).ok
    expect(page.get_by_text("2400 frames").first).to_be_visible()
    page.get_by_role("button", name="Fit", exact=True).click()
    bars = """c => {
        const [top, high] = [28, 26].map((y) => Math.round(y * devicePixelRatio));
        const seen = c.getContext("2d").getImageData(4, top, c.width - 8, high), lines = [];
        for (let y = 0; y < high; y++) {
            const line = seen.data.slice(y * seen.width * 4, (y + 1) * seen.width * 4), colours = new Set();
            for (let x = 0; x < line.length; x += 4) colours.add(line.slice(x, x + 3).join());
            lines.push([...colours].join(" and "));
        }
        return lines;
    }"""
    strip = page.get_by_role("slider", name="Playhead")
    wait_until(lambda: len(set(strip.evaluate(bars))) == 3)
    new, made, repeated = dict.fromkeys(lines := strip.evaluate(bars))
    assert [lines.count(one) for one in (new, made, repeated)] == [6, 7, 13]


def test_what_is_typed_and_side_b_are_both_kept_in_one_step(page: Page, running: Running) -> None:
    show = Show(page, running)
    bench_of(show, "VR_clock_23.mkv", running)
    page.get_by_label("Side B: in-betweens").select_option("mix")
    page.get_by_label("out", exact=True).fill("79")
    page.get_by_label("out", exact=True).press("Control+Enter")
    expect(page.get_by_text("80 of 240 source frames")).to_be_visible()
    expect(page.get_by_label("Side A shows")).to_contain_text("source 0")
    expect(page.get_by_role("button", name=re.compile("^Undo: In-betweens by mix"))).to_be_visible()
    plan = row_of(show, "VR_clock_23.mkv")["plan"]
    assert plan["after"]["frames"] == 84, "both hold"
    expect(page.get_by_text("changed VR_clock_23.mkv first")).to_have_count(0)


def test_a_marker_is_put_named_and_found_again(page: Page, running: Running) -> None:
    show = Show(page, running)
    bench_of(show, "VR_clock_23.mkv", running)
    page.keyboard.press("Shift+ArrowRight")
    final(page, "A")
    page.keyboard.press("8")
    page.get_by_label("marker", exact=True).fill("The hand stops")
    page.keyboard.press("Enter")
    named = page.get_by_role("button", name=re.compile("^The hand stops at source frame "))
    expect(named).to_be_visible()
    page.get_by_role("heading", name="VR_clock_23.mkv").click()
    page.keyboard.press("Home")
    page.keyboard.press("2")
    expect(page.get_by_role("textbox", name="frame")).to_have_value("10")
    page.keyboard.press("8")
    expect(named).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(named).to_be_visible()


def test_pulldown_with_a_change_of_phase_is_taken_out(page: Page, running: Running) -> None:
    show = Show(page, running, "23.976")
    bench_of(show, "CH_evensong_2997.mov", running)
    wait_until(lambda: "pulldown" in row_of(show, "CH_evensong_2997.mov")["marks"], running.work)
    page.get_by_label("Side B: fields").select_option("original")
    page.get_by_label("Side B: wanted").select_option("every-frame")
    expect(page.get_by_role("group", name="Side B")).to_be_visible()
    expect(page.get_by_text("120 frames").first).to_be_visible()
    page.get_by_role("button", name="Keep B").click()
    expect(page.get_by_text(re.compile("ields original pictures for CH_evensong_2997.mov")).first).to_be_visible()
    make_file(page, show, "CH_evensong_2997.mov")
    render = proven(show, "CH_evensong_2997.mov")
    assert checks_of(render)["fields"] == "whole pictures"
    made = running.made / str(render["out_path"])
    with FrameReader(made) as reader:
        codes = [read(planes_of(reader.frame(n))[0]) for n in range(120)]
    first = [code for code in codes if code is not None and code < 10_000]
    second = [code for code in codes if code is not None and code >= 10_000]
    for run in (first, second):
        assert run == list(range(run[0], run[0] + len(run))), "every picture once, none lost at the change of phase"
    assert len(first) + len(second) >= 118


def test_two_choices_at_once_are_both_kept(page: Page, running: Running) -> None:
    """Made faster than the page draws: none is lost to what it still shows."""
    show = Show(page, running)
    bench_of(show, "VR_clock_23.mkv", running)
    page.evaluate("""() => {
        const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set;
        for (const [name, value] of [["raster", "inside"], ["in-betweens", "mix"], ["wanted", "real-time"]]) {
            const field = document.querySelector(`[aria-label="Side B: ${name}"]`);
            set.call(field, value);
            field.dispatchEvent(new Event("change", { bubbles: true }));
        }
    }""")
    for name, value in (("raster", "inside"), ("in-betweens", "mix"), ("wanted", "real-time")):
        expect(page.get_by_label(f"Side B: {name}")).to_have_value(value)


def test_an_interlaced_drop_frame_version_of_a_25_clip_is_made(page: Page, running: Running) -> None:
    show = Show(page, running)
    timeline = show.page.request.get(f"{show.url}/api/shows/{show.id}").json()["timelines"][0]
    settings = {
        "name": "Broadcast", "rate": "29.97", "width": 720, "height": 480, "pixel_aspect": "8/9", "scan": "lower",
        "drop_frame": True, "revision": timeline["revision"],
    }  # fmt: skip
    put = page.request.put(f"{show.url}/api/shows/{show.id}/timelines/{timeline['id']}", data=settings)
    assert put.ok, put.text()
    bench_of(show, "FD1_A01_interview.mov", running)
    page.get_by_label("Side B: raster").select_option("inside")
    page.get_by_label("Side B: wanted").select_option("real-time")
    page.get_by_role("button", name="Keep B").click()
    expect(page.get_by_text(re.compile("Real time.* for FD1_A01_interview.mov")).first).to_be_visible()
    page.get_by_role("heading", name="FD1_A01_interview.mov").click()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Side A shows")).to_contain_text("upper")
    page.keyboard.press("f")
    expect(page.get_by_label("What is shown of a picture")).to_have_value("upper")
    make_file(page, show, "FD1_A01_interview.mov")
    render = proven(show, "FD1_A01_interview.mov")
    checks = checks_of(render)
    assert checks["fields"] == "lower first" and checks["raster"] == "720 × 480" and ";" in checks["start timecode"]
    made = running.made / str(render["out_path"])
    facts = probe(made)
    assert (facts.scan, facts.field_order, facts.timecode and ";" in facts.timecode) == (Scan.INTERLACED, "lower", True)
    stride = 25 / (30000 / 1001)
    with FrameReader(made) as reader:
        for number in range(60):
            frame = reader.frame(number)
            for late, name in enumerate((FieldOrder.LOWER, FieldOrder.UPPER)):
                assert code_of_field(frame, name) == int(stride * (number + late / 2)), (number, name)


def code_of_field(frame: VideoFrame, name: FieldOrder) -> int | None:
    """The code of a field of the 720 × 480 tape, drawn out to the shape of the clip it was made of."""
    lines = planes_of(field_of(frame, name))[0]
    inside = lines[30:-30]
    return read(np.asarray(cv2.resize(inside, (640, 360), interpolation=cv2.INTER_LINEAR), np.uint8))
