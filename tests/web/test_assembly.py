"""Assembly over HTTP: clips laid out, cut, nested and rerated on real footage, and lists brought in and out."""

import csv
import io
import json
import re
import wave
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.demo import framecode
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.media.frames.decode import FrameReader
from tests.web.conftest import Browser

FOUNDRY = "The Tide Bell/Foundry day 1"
BELL, SPARKS, POUR = "FD1_B01_bell_swing_100.mov", "FD1_B02_sparks_119.mov", "FD1_C01_pour_fast.mov"


class Cutting:
    """A timeline that is edited, always at the version that was seen last."""

    def __init__(self, browser: Browser, show: int) -> None:
        self.browser, self.show = browser, show
        self.timeline = int(browser.get(f"/api/shows/{show}/cuts")[0]["id"])

    @property
    def path(self) -> str:
        return f"/api/shows/{self.show}/cuts/{self.timeline}"

    @property
    def event_list(self) -> Any:
        return self.browser.get(self.path)

    @property
    def picture(self) -> list[Any]:
        return [event for event in self.event_list["events"] if event["track"] == "V1"]

    def edit(self, edit: str, **given: object) -> Any:
        return self.browser.send(
            "POST", f"{self.path}/edits", {"version": self.event_list["version"], "edit": edit, **given}
        )

    def refused(self, edit: str, **given: object) -> str:
        body = {"version": self.event_list["version"], "edit": edit, **given}
        return self.browser.refused("POST", f"{self.path}/edits", body)[1]

    def places(self) -> list[tuple[int, int]]:
        return [(event["record_in"], event["length"]) for event in self.picture]

    def seen(self, frame: int) -> list[tuple[str, str]]:
        return [(one["frames"], one["percent"]) for one in self.browser.get(f"{self.path}/frames/{frame}")["seen"]]

    def number_in(self, frame: int, size: str = "final") -> int | None:
        """The frame number that can be read in the picture of a timeline frame."""
        url = f"{self.path}/pictures/{frame}?shown={self.event_list['shown']}&size={size}"
        data = self.browser.client.get(url).content
        return framecode.read(np.asarray(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR), np.uint8))


@pytest.fixture
def cutting(browser: Browser) -> Iterator[Cutting]:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    yield Cutting(browser, show)


def test_a_delivery_is_laid_out_and_every_frame_shown_is_the_one_told(cutting: Cutting) -> None:
    browser = cutting.browser
    rows = list(browser.ledger(cutting.show).values())
    browser.decide(cutting.show, rows, intent={"intent": "pace", "value": "1/8"}, set={"sound": "off"})
    lengths = [row["plan"]["after"]["frames"] for row in browser.ledger(cutting.show).values()]
    told = cutting.edit("place", clips=[row["id"] for row in rows], preview=True)
    assert told["length"] == sum(lengths) and not told["made"] and cutting.event_list["length"]["frames"] == 0
    made = cutting.edit("place", clips=[row["id"] for row in rows])
    assert made["made"] and cutting.event_list["length"]["frames"] == sum(lengths)
    assert cutting.places() == [(sum(lengths[:n]), length) for n, length in enumerate(lengths)]
    assert {event["track"] for event in cutting.event_list["events"]} == {"V1"}, "sound is off"
    for event in cutting.picture[:3]:
        for frame in (event["record_in"], event["record_in"] + event["length"] - 1):
            (shown,) = cutting.seen(frame)
            assert cutting.number_in(frame) == int(shown[0]), event["name"]
    assert browser.undo(cutting.show) == f"{len(rows)} clips placed on “Main”"
    assert cutting.event_list["events"] == []


def laid(cutting: Cutting, *names: str) -> dict[str, Any]:
    ledger = cutting.browser.ledger(cutting.show)
    cutting.edit("place", clips=[ledger[name]["id"] for name in names], sound=False)
    return ledger


def test_edits_are_told_before_they_are_made_and_undone_one_by_one(cutting: Cutting) -> None:
    laid(cutting, BELL, SPARKS)
    one, other = cutting.picture
    before, start = cutting.places(), other["record_in"]
    told = cutting.edit("trim tail", events=[one["id"]], by="-20", following="moves", preview=True)
    assert told["words"] == [
        "1 event on V1 moves 20 frames earlier", f"“{BELL}” from {one['length']} to {one['length'] - 20} frames",
        "the timeline ends 20 frames earlier",
    ]  # fmt: skip
    assert cutting.places() == before
    cutting.edit("trim tail", events=[one["id"]], by="-20", following="moves")
    assert cutting.places()[1][0] == start - 20
    next_frame = cutting.seen(10)
    cutting.edit("split", events=[one["id"]], at=10)
    assert cutting.seen(10) == next_frame and len(cutting.picture) == 3
    second = cutting.picture[1]
    cutting.edit("speed", events=[second["id"]], value="50%", following="moves")
    assert cutting.picture[1]["length"] == 2 * second["length"] and cutting.picture[1]["speed"] == "50 %"
    assert "would overlap" in cutting.refused("trim tail", events=[cutting.picture[1]["id"]], by="+5")
    assert "Type a length" in cutting.refused("trim tail", events=[one["id"]], by="")
    cutting.edit("delete", events=[cutting.picture[1]["id"]])
    (gap,) = [mark for event in cutting.picture for mark in event["marks"] if mark["kind"] == "gap"]
    assert gap["words"] == "gap after" and gap["frames"] == str(2 * second["length"])
    cutting.edit("close")
    assert cutting.places()[1][0] == 10
    titles = [cutting.browser.undo(cutting.show) for _ in range(5)]
    assert titles[0] == "Gaps of “Main” closed" and titles[-1] == f"Tail of “{BELL}” 20 frames earlier"
    assert cutting.places() == before


def test_where_everything_would_lie_is_told_before_it_is_kept(cutting: Cutting) -> None:
    """What the page shows at once of a change of thousands is what it finds when they are kept."""
    laid(cutting, BELL, SPARKS, POUR)
    first, second, third = cutting.picture
    parts = ("record_in", "length", "timecode_in")
    for edit, event, by in (("trim tail", first, "-40"), ("delete", second, "")):
        asked = {"events": [event["id"]], "by": by, "following": "moves"}
        told = cutting.edit(edit, **asked, preview=True, places=True)["places"]
        before = {one["id"]: one for one in cutting.event_list["events"]}
        cutting.edit(edit, **asked)
        after = {one["id"]: one for one in cutting.event_list["events"]}
        assert set(told["gone"]) == before.keys() - after.keys()
        changed = {
            key: one for key, one in after.items()
            if (one["record_in"], one["length"]) != (before[key]["record_in"], before[key]["length"])
        }  # fmt: skip
        assert set(told["events"]) == changed.keys() >= {third["id"]}
        for key, *places in zip(told["events"], *(told[part] for part in parts), strict=True):
            assert places == [changed[key][part] for part in parts]


def test_two_people_do_not_cut_over_each_other(cutting: Cutting) -> None:
    laid(cutting, BELL)
    seen = cutting.event_list["version"]
    (event,) = cutting.picture
    cutting.edit("trim tail", events=[event["id"]], by="-5")
    body = {"version": seen, "edit": "trim tail", "events": [event["id"]], "by": "-5"}
    status, sentence = cutting.browser.refused("POST", f"{cutting.path}/edits", body)
    assert status == 409 and "changed this timeline first" in sentence
    assert cutting.picture[0]["length"] == event["length"] - 5


def test_what_runs_out_is_held_marked_and_seen(cutting: Cutting) -> None:
    laid(cutting, BELL)
    (event,) = cutting.picture
    made = cutting.edit("trim tail", events=[event["id"]], by="+30")
    assert made["runs_out"] == [f"“{BELL}” runs out: 30 frames held"]
    (event,) = cutting.picture
    assert [(mark["words"], mark["frames"], mark["fault"]) for mark in event["marks"]] == [("ends early", "30", True)]
    last = cutting.browser.get(f"{cutting.path}/frames/{event['length'] - 1}")["seen"][0]
    assert last["held"] and last["frames"] == "499" and cutting.number_in(event["length"] - 1) == 499
    rulers = cutting.browser.get(f"{cutting.path}/rulers?first=0&frames=100&pixels=1000")
    (ruler,) = rulers["events"]
    assert ruler["ticks"][1]["at"] - ruler["ticks"][0]["at"] == pytest.approx(ruler["step"] / 4), (
        "four source frames each"
    )
    assert [tick["label"] for tick in rulers["axis"]] == [f"00:00:00:{n:02}" for n in (0, 10, 20)] + [
        "00:00:01:05"
    ] or (rulers["axis"][1]["label"] == "00:00:01:00")


def test_a_dissolve_is_seen_with_both_pictures(cutting: Cutting) -> None:
    laid(cutting, BELL, SPARKS)
    one, other = cutting.picture
    cutting.edit("trim tail", events=[one["id"]], by="-12", following="moves")
    cutting.edit("transition", events=[other["id"]], value="4")
    start = cutting.picture[1]["record_in"]
    assert [percent for _, percent in cutting.seen(start)] == ["87.5 %", "12.5 %"]
    assert cutting.picture[1]["transition"] == "dissolve" and len(cutting.seen(start + 4)) == 1
    assert cutting.number_in(start - 1) is not None


def test_a_nest_slowed_shows_every_frame_and_says_what_flattening_loses(cutting: Cutting) -> None:
    laid(cutting, BELL)
    (event,) = cutting.picture
    made = cutting.browser.send(
        "POST", f"{cutting.path}/nest",
        {"version": cutting.event_list["version"], "events": [event["id"]], "name": "Slow bell"},
    )  # fmt: skip
    (nest,) = cutting.picture
    assert nest["kind"] == "timeline" and nest["length"] == event["length"]
    cutting.edit("speed", events=[nest["id"]], value="1/4", following="moves")
    (nest,) = cutting.picture
    assert nest["length"] == 4 * event["length"]
    for frame in (0, 1, 2, 333):
        assert cutting.seen(frame) == [(str(frame), "100 %")]
    assert cutting.number_in(333) == 333
    (lost,) = cutting.browser.get(f"{cutting.path}/events/{nest['id']}/flattened")
    assert (lost["shown"], lost["lost"]) == (500, 375)
    cutting.edit("flatten", events=[nest["id"]])
    assert cutting.seen(333) == [("332", "100 %")]
    inside = {"version": cutting.browser.get(f"/api/shows/{cutting.show}/cuts/{made['timeline_id']}")["version"]}
    status, sentence = cutting.browser.refused(
        "POST", f"/api/shows/{cutting.show}/cuts/{made['timeline_id']}/edits",
        {**inside, "edit": "place", "inner": cutting.timeline},
    )  # fmt: skip
    assert status == 422 and "inside itself" in sentence


def test_a_cut_at_another_rate_is_a_new_timeline(cutting: Cutting) -> None:
    laid(cutting, BELL, SPARKS, POUR)
    made = cutting.browser.send(
        "POST", f"{cutting.path}/rerate", {"name": "Broadcast", "rate": "29.97", "drop_frame": True}
    )  # fmt: skip
    there = cutting.browser.get(f"/api/shows/{cutting.show}/cuts/{made['timeline_id']}")
    assert there["rate"]["exact"] == "30000/1001" and there["drop_frame"]
    for was, now in zip(cutting.event_list["events"], there["events"], strict=True):
        assert abs(now["record_in"] - was["record_in"] * 30000 / 1001 / 25) <= 0.5
        assert now["source_in"] == was["source_in"]
    assert made["points"] and all(abs(float(point["late"])) <= 0.5 for point in made["points"])


LIST = f"""TITLE: TIDE BELL 3
001  AX V C 00:00:00:10 00:00:02:10 01:00:00:00 01:00:02:00
* FROM CLIP NAME: {BELL}
002  AX V C 00:00:00:00 00:00:04:00 01:00:02:00 01:00:04:00
M2   AX 050.0 00:00:00:00
* FROM CLIP NAME: FD1_B02_sparks_119
003  LOST V C 00:00:00:00 00:00:01:00 01:00:04:00 01:00:05:00
* FROM CLIP NAME: nobody has this
"""


def test_a_list_comes_in_is_settled_and_goes_out_again(cutting: Cutting) -> None:
    browser, path = cutting.browser, f"/api/shows/{cutting.show}/lists"
    asked: dict[str, object] = {"file_name": "reel3.edl", "text": LIST.replace("M2   AX 050.0 00:00:00:00\n", "")}
    told = browser.send("POST", f"{path}/read", asked)
    assert told["rate"] is None and "highest frame number" in " ".join(told["reasons"])
    asked = {"file_name": "reel3.edl", "text": LIST, "rate": "25"}
    told = browser.send("POST", f"{path}/read", asked)
    assert told["found"] == {"name": 2, "nothing": 1} and told["open"][0]["name"] == "nobody has this"
    assert "1920 × 1080" in told["takes"]
    made = browser.send("POST", path, {**asked, "name": "Reel 3", "like": cutting.timeline})
    cutting.timeline = made["timeline_id"]
    event_list = cutting.event_list
    assert event_list["start"] == "01:00:00:00" and event_list["counts"]["missing"] == 1
    bell, sparks, lost = cutting.picture
    assert (bell["source_in"], bell["speed"], sparks["speed"]) == ("40", "100 %", "200 %")
    assert cutting.number_in(0) == 40 and cutting.number_in(5) == 60, "the list counts at 25, the file at 100"
    ledger = browser.ledger(cutting.show)
    browser.send("POST", f"{cutting.path}/link", {"events": [lost["id"]], "clip_id": ledger[POUR]["id"]})
    assert "missing" not in cutting.event_list["counts"] and cutting.picture[2]["name"] == POUR
    out = browser.get(f"{cutting.path}/list?form=edl")
    assert "M2" in out and "* FROM CLIP NAME: FD1_B02_sparks_119.mov" in out
    again = browser.send("POST", f"{path}/read", {"file_name": "out.edl", "text": out, "rate": "25"})
    assert again["found"] == {"path": 3} and again["start"] == "01:00:00:00"
    assert browser.get(f"{cutting.path}/list?form=csv&handles=5").splitlines()[1].startswith(BELL)
    assert browser.undo(cutting.show) == f"{POUR} for 1 event"
    assert cutting.event_list["counts"]["missing"] == 1


def test_a_cut_comes_before_its_footage_and_finds_it_later(browser: Browser) -> None:
    show = browser.show()
    cutting = Cutting(browser, show)
    asked = {"file_name": "reel3.edl", "text": LIST, "rate": "25", "name": "Reel 3", "like": cutting.timeline}
    cutting.timeline = browser.send("POST", f"/api/shows/{show}/lists", asked)["timeline_id"]
    assert cutting.event_list["counts"]["missing"] == 3 and [one["length"] for one in cutting.picture] == [50, 50, 25]
    status, sentence = browser.refused("POST", f"{cutting.path}/find")
    assert status == 422 and "No clip matches any of these events" in sentence
    browser.bring_in(show, FOUNDRY)
    assert browser.send("POST", f"{cutting.path}/find")["title"] == "Clips found for 2 events"
    assert cutting.event_list["counts"]["missing"] == 1 and cutting.picture[0]["source_in"] == "40"
    assert cutting.number_in(0) == 40 and cutting.picture[1]["speed"] == "200 %"


def test_picture_and_sound_are_relinked_together(cutting: Cutting) -> None:
    browser, show = cutting.browser, cutting.show
    text = "001 LOST AA/V C 00:00:01:00 00:00:03:00 10:00:00:00 10:00:02:00\n* FROM CLIP NAME: lost\n"
    asked = {"file_name": "x.edl", "text": text, "rate": "25", "name": "Lost", "like": cutting.timeline}
    cutting.timeline = browser.send("POST", f"/api/shows/{show}/lists", asked)["timeline_id"]
    events, clip = cutting.event_list["events"], browser.ledger(show)[BELL]["id"]
    assert len(events) > 1 and {one["clip_id"] for one in events} == {None}
    browser.send("POST", f"{cutting.path}/link", {"events": [cutting.picture[0]["id"]], "clip_id": clip})
    assert {one["clip_id"] for one in cutting.event_list["events"]} == {clip}


def test_a_list_that_cannot_be_read_loses_nothing(cutting: Cutting) -> None:
    path = f"/api/shows/{cutting.show}/lists"
    for text in ("", "nothing", '{"OTIO_SCHEMA": "Clip.1"}'):
        asked = {"file_name": "x.edl", "text": text, "rate": "25"}
        status, sentence = cutting.browser.refused("POST", f"{path}/read", asked)
        assert status == 422 and sentence
        cutting.browser.refused("POST", path, {**asked, "name": "X", "like": cutting.timeline})
    assert len(cutting.browser.get(f"/api/shows/{cutting.show}/cuts")) == 1


def test_files_of_events_are_made_with_handles_and_proven(cutting: Cutting) -> None:
    browser = cutting.browser
    talk = "FD1_A01_interview.mov"
    ledger = browser.ledger(cutting.show)
    cutting.edit("place", clips=[ledger[name]["id"] for name in (talk, BELL, SPARKS)])
    first, bell, sparks = cutting.picture
    cutting.edit("trim head", events=[first["id"]], by="+30", following="moves")
    cutting.edit("trim tail", events=[first["id"]], by="-100", following="moves")
    cutting.edit("trim tail", events=[bell["id"]], by="+10", following="moves")
    cutting.edit("speed", events=[sparks["id"]], value="-50%", following="moves")
    asked = {"folder": "events", "handles": 6, "setting": "archive"}
    told = browser.send("POST", f"{cutting.path}/files/preview", asked)["files"]
    assert [(one["head"], one["tail"], one["problem"]) for one in told] == [(6, 6, None), (0, 0, None), (0, 0, None)]
    assert [one["out_path"] for one in told] == [
        f"events/Main_{n:03}_{name.split('.')[0]}.mkv" for n, name in enumerate((talk, BELL, SPARKS), 1)
    ]
    assert browser.send("POST", f"{cutting.path}/files", asked)["queued"] == 3
    browser.work()
    made = {one["clip_name"]: one for one in browser.get(f"/api/shows/{cutting.show}/renders")}
    for name, one in made.items():
        assert (one["state"], one["fault"]) == ("done", None), (name, one["checks"])
        assert all(check["passed"] for check in one["checks"]), name
    with FrameReader(browser.config.product(told[0]["out_path"])) as frames:
        numbers = [
            framecode.read(np.asarray(frames.frame(n).to_ndarray(format="rgb24"))) for n in range(told[0]["frames"])
        ]
    assert numbers == list(range(24, 24 + told[0]["frames"])), "six frames before the event, and on to six behind it"
    checks = {check["name"]: check["found"] for check in made[talk]["checks"]}
    assert checks["start timecode"] == "09:58:10:24" and checks["sound"].startswith(
        f"{told[0]['frames'] * 1920} samples"
    )
    with FrameReader(browser.config.product(told[2]["out_path"])) as frames:
        back = [_number(frames, n) for n in (0, 1, 2)]
    assert back == [479, 477, 475], "backwards from the last frame, at half of 119.88 on 25"
    sheet = list(csv.DictReader(io.StringIO(browser.client.get(f"{cutting.path}/events.csv").text)))
    pictures = [row for row in sheet if row["track"] == "V1"]
    assert [row["made file"] for row in pictures] == [one["out_path"] for one in told]
    assert all(re.fullmatch(r"(\d+) of \1 checks agree", row["proven"]) for row in pictures)
    assert (pictures[1]["marks"], pictures[2]["exact speed"], pictures[2]["speed"]) == (
        "ends early 10",
        "1/2",
        "−50 %",
    )
    page = browser.client.get(f"{cutting.path}/events.html")
    assert "default-src 'none'" in page.headers["content-security-policy"] and told[1]["out_path"] in page.text
    document = browser.get(f"{cutting.path}/events.json")
    assert [one["made_file"] for one in document["events"] if one["track"] == "V1"] == [one["out_path"] for one in told]
    again = browser.send("POST", f"{cutting.path}/files", {**asked, "changed_only": True})
    assert (again["queued"], again["unchanged"], again["run"]) == (0, 3, None)
    cutting.edit("slip", events=[cutting.picture[0]["id"]], by="+1")
    told = browser.send("POST", f"{cutting.path}/files/preview", {**asked, "changed_only": True})["files"]
    assert [one["state"] for one in told] == ["refused", "unchanged", "unchanged"]
    assert told[0]["problem"] == "its earlier file has that name, and stays: the cut changed"
    next_one = {**asked, "changed_only": True, "pattern": "{timeline}_{event}_{version}"}
    told = browser.send("POST", f"{cutting.path}/files/preview", next_one)
    assert [one["state"] for one in told["files"]] == ["changed", "unchanged", "unchanged"]
    assert told["files"][0]["out_path"] == "events/Main_001_v02.mkv" and told["totals"]["files"] == 1
    out = read_edl(browser.get(f"{cutting.path}/list?form=edl&of=made"), Rate.of(25))
    made_names = [
        "Main_001_FD1_A01_interview.mkv",
        "Main_002_FD1_B01_bell_swing_100.mkv",
        "Main_003_FD1_B02_sparks_119.mkv",
    ]
    assert [one.name for one in out.on("V")] == made_names and {one.speed for one in out.events} == {Fraction(1)}
    assert out.events[0].source_in.count == Timecode.parse("09:58:10:24", Rate.of(25)).frames + 6, "behind the handles"


def test_a_whole_timeline_is_one_file_with_nests_dissolves_and_sound_proven(browser: Browser) -> None:
    talk, small = "FD1_A01_interview.mov", {"name": "Main", "rate": "25", "width": 640, "height": 360}
    show = int(browser.send("POST", "/api/shows", {"name": "Small", "timeline": small})["id"])
    browser.bring_in(show, FOUNDRY)
    cutting = Cutting(browser, show)
    ledger = browser.ledger(cutting.show)
    cutting.edit("place", clips=[ledger[name]["id"] for name in (talk, BELL, SPARKS)])
    first, bell, sparks = cutting.picture
    cutting.edit("trim tail", events=[first["id"]], by="-170", following="moves")
    cutting.edit("trim tail", events=[sparks["id"]], by="-75", following="moves")
    cutting.edit("transition", events=[bell["id"]], value="6", track="dissolve")
    at = first["length"] - 170
    browser.send("POST", f"{cutting.path}/nest", {
        "version": cutting.event_list["version"], "events": [one["id"] for one in cutting.picture[:2]],
        "name": "Inside",
    })  # fmt: skip
    nest = next(one for one in cutting.event_list["events"] if one["kind"] == "timeline" and one["track"] == "V1")
    heard = [one for one in cutting.event_list["events"] if one["track"] == "A1"]
    assert [one["kind"] for one in heard] == ["timeline"], "the nest is heard, too"
    cutting.edit("speed", events=[nest["id"]], value="50%", following="moves")
    whole = {"of": "timeline", "pattern": "{timeline}", "setting": "archive"}
    (told,) = browser.send("POST", f"{cutting.path}/files/preview", whole)["files"]
    assert (told["out_path"], told["problem"], told["frames"]) == (
        "Main.mkv",
        None,
        cutting.event_list["length"]["frames"],
    )
    assert told["frames"] == 2 * (at + bell["length"]) + 26, "picture and sound of the nest move what follows once"
    assert browser.send("POST", f"{cutting.path}/files", whole)["queued"] == 1
    of_nest = {"events": [nest["id"]], "setting": "archive", "handles": 4, "folder": "events"}
    assert browser.send("POST", f"{cutting.path}/files", of_nest)["queued"] == 1
    browser.work()
    made = {one["out_path"]: one for one in browser.get(f"/api/shows/{cutting.show}/renders")}
    for one in made.values():
        assert (one["state"], one["fault"], one["clip_id"]) == ("done", None, None), one["checks"]
        assert all(check["passed"] for check in one["checks"]), one
    checks = {check["name"]: check["found"] for check in made["Main.mkv"]["checks"]}
    assert checks["sound"] == f"{told['frames'] * 1920} samples at 48000" and checks["start timecode"] == "00:00:00:00"
    with FrameReader(browser.config.product("Main.mkv")) as frames:
        numbers = [_number(frames, n) for n in range(2 * at)]
    assert numbers == [n // 2 for n in range(2 * at)], "the talk, half as fast"
    (now,) = browser.send("POST", f"{cutting.path}/files/preview", whole)["files"]
    assert (now["state"], now["made"]) == ("refused", "Main.mkv"), "the same again would take its name"
    (now,) = browser.send("POST", f"{cutting.path}/files/preview", {**whole, "changed_only": True})["files"]
    assert (now["state"], now["made"], now["problem"]) == ("unchanged", "Main.mkv", None)
    cutting.edit("trim tail", events=[cutting.picture[-1]["id"]], by="-1")
    (now,) = browser.send("POST", f"{cutting.path}/files/preview", {**whole, "pattern": "{timeline}_2"})["files"]
    assert (now["state"], now["why"], now["problem"]) == ("changed", "the cut changed", None)
    assert now["frames"] == told["frames"] - 1


def test_a_timeline_that_would_show_nothing_somewhere_is_not_made_without_a_word(cutting: Cutting) -> None:
    browser = cutting.browser
    whole = {"of": "timeline", "pattern": "{timeline}"}
    assert "is empty" in browser.refused("POST", f"{cutting.path}/files/preview", whole)[1]
    laid(cutting, BELL)
    (bell,) = cutting.picture
    cutting.edit("move", events=[bell["id"]], at=10)
    cutting.edit("trim tail", events=[bell["id"]], by="+5")
    (told,) = browser.send("POST", f"{cutting.path}/files/preview", whole)["files"]
    assert told["remark"] == "10 frames of black, where nothing lies; 5 frames held, where clips run out"
    cutting.edit("transition", events=[bell["id"]], value="4", track="wipe 001")
    (told,) = browser.send("POST", f"{cutting.path}/files/preview", whole)["files"]
    assert told["remark"].endswith("1 wipe made as cuts")
    (wipe,) = browser.send("POST", f"{cutting.path}/files/preview", {"of": "transitions"})["files"]
    assert wipe["problem"] == "a wipe 001 is not made, so far" and wipe["frames"] == 4
    cutting.edit("speed", events=[bell["id"]], value="1000000000")
    (told,) = browser.send("POST", f"{cutting.path}/files/preview", whole)["files"]
    assert BELL in told["problem"] and browser.send("POST", f"{cutting.path}/files", whole)["queued"] == 0


def _number(frames: FrameReader, at: int) -> int | None:
    return framecode.read(np.asarray(frames.frame(at).to_ndarray(format="rgb24")))


def test_the_next_version_is_compared_and_taken_over_with_decisions_kept(cutting: Cutting) -> None:
    browser = cutting.browser
    laid(cutting, BELL, SPARKS, POUR)
    bell, sparks, pour = cutting.picture
    cutting.edit("decide", events=[bell["id"]], set={"between": "mix", "held": "on twos"})
    cutting.edit("speed", events=[sparks["id"]], value="50%", following="moves")
    out = browser.get(f"{cutting.path}/list?form=edl")
    same = browser.send("POST", f"{cutting.path}/versions", {"file_name": "v2.edl", "text": out})
    assert same["counts"] == {"kept": 3, "moved": 0, "trimmed": 0, "retimed": 0, "new": 0, "gone": 0}
    assert same["changes"] == [] and same["again"] == 0

    event_list = read_edl(out, Rate.of(25))
    one, other, third = event_list.events
    new = [
        replace(third, record_in=0, length=third.length - 10),
        replace(one, record_in=third.length - 10),
        replace(other, record_in=third.length - 10 + one.length, length=60, speed=Fraction(1, 4)),
        replace(
            third, record_in=third.length + 50 + one.length, length=20, name="FD1_A02_mould_50.mov", reel="X", path=""
        ),
    ]  # fmt: skip
    text = write_edl(replace(event_list, events=tuple(new))).text
    asked = {"file_name": "v3.edl", "text": text}
    told = browser.send("POST", f"{cutting.path}/versions", asked)
    assert told["counts"] == {"kept": 0, "moved": 1, "trimmed": 1, "retimed": 1, "new": 1, "gone": 0}
    assert {one["name"]: one["fate"] for one in told["changes"]} == {
        BELL: "moved", POUR: "trimmed", SPARKS: "retimed", "FD1_A02_mould_50.mov": "new",
    }  # fmt: skip
    assert told["again"] == 3
    title = browser.send("POST", f"{cutting.path}/take-over", asked)["title"]
    assert title == "“v3.edl” taken over: 1 moved, 1 trimmed, 1 retimed, 1 new"
    by_name = {event["name"]: event for event in cutting.picture}
    assert by_name[BELL]["id"] == bell["id"] and by_name[BELL]["decides"] == {"between": "mix", "held": "2 frames"}
    assert by_name[POUR]["length"] == pour["length"] - 10 and by_name[POUR]["record_in"] == 0
    assert by_name[SPARKS]["speed"] == "25 %" and by_name[SPARKS]["id"] == sparks["id"]
    assert len(cutting.picture) == 4
    assert browser.undo(cutting.show) == title and len(cutting.picture) == 3
    status, sentence = browser.refused("POST", f"{cutting.path}/versions", {**asked, "rate": "30"})
    assert status == 422 and "The list is at 30 and this timeline at 25" in sentence


def test_plan_says_how_often_each_clip_is_used(cutting: Cutting) -> None:
    laid(cutting, BELL, BELL, SPARKS)
    (first, *_) = cutting.picture
    cutting.edit("split", events=[first["id"]], at=10)
    ledger = cutting.browser.ledger(cutting.show)
    assert [ledger[name]["uses"] for name in (BELL, SPARKS, POUR)] == [3, 1, 0]
    assert ledger[BELL]["used_in"] == "Main 3" and ledger[POUR]["used_in"] == ""


def test_what_a_change_reaches_is_told_by_event(cutting: Cutting) -> None:
    browser = cutting.browser
    laid(cutting, BELL, BELL, SPARKS)
    (first, *_) = cutting.picture
    row = browser.ledger(cutting.show)[BELL]
    asked = {"clips": [{"id": row["id"], "revision": row["revision"]}], "set": {"reading": "50"}}

    def reached() -> list[int]:
        return [use["events"] for use in browser.send("POST", f"/api/shows/{cutting.show}/preview", asked)["uses"]]

    assert reached() == [2]
    cutting.edit("decide", events=[first["id"]], set={"intent": "speed 1", "reading": "file"})
    assert reached() == [1], "an event with a speed and a reading of its own stays as it is"
    before = [cutting.seen(frame) for frame in range(0, cutting.event_list["length"]["frames"], 9)]
    browser.send("POST", f"/api/shows/{cutting.show}/treatments", {**asked, "keeps_events": True})
    assert browser.ledger(cutting.show)[BELL]["read"]["spoken"] == "50"
    assert [cutting.seen(frame) for frame in range(0, cutting.event_list["length"]["frames"], 9)] == before
    browser.undo(cutting.show)
    row = browser.ledger(cutting.show)[BELL]
    assert row["read"]["spoken"] == "100" and reached() == [1], "one undo takes both back"


def test_every_kind_of_edit_is_made_told_and_taken_back(cutting: Cutting) -> None:
    laid(cutting, BELL, SPARKS, POUR)
    bell, sparks, pour = cutting.picture
    before = cutting.event_list["events"]
    made: list[tuple[str, dict[str, Any], str]] = [
        ("slide", {"events": [sparks["id"]], "by": "-4"}, f"“{SPARKS}” slid 4 frames earlier"),
        ("slip", {"events": [bell["id"]], "by": "+3/2"}, f"“{BELL}” slipped to 1.5 source frames later"),
        ("move", {"events": [pour["id"]], "by": "+1s"}, f"“{POUR}” moved 25 frames later"),
        ("fill", {"events": [sparks["id"]], "value": "speed"}, f"Gap behind “{SPARKS}” filled by its speed"),
        ("refit", {"events": [bell["id"]], "value": "200", "following": "moves"}, f"“{BELL}” fitted to 200 frames"),
        ("transition", {"events": [sparks["id"]], "value": "8"}, f"Dissolve of 8 frames into “{SPARKS}”"),
        ("decide", {"events": [pour["id"]], "set": {"between": "mix"}}, f"“{POUR}” decided: between"),
        ("speed", {"events": [pour["id"]], "value": "every frame", "following": "moves"}, f"“{POUR}” at every frame"),
        ("speed", {"events": [pour["id"]], "value": "", "following": "moves"}, f"“{POUR}” as the clip is"),
        ("trim tail", {"events": [pour["id"]], "by": "-4", "snap": 6, "playhead": pour["record_in"] + 20}, ""),
        ("unlink", {"events": [bell["id"]]}, f"Picture and sound of “{BELL}” unlinked"),
    ]  # fmt: skip
    for edit, given, title in made:
        told = cutting.edit(edit, preview=True, **given)
        done = cutting.edit(edit, **given)
        assert done["title"] == told["title"] and done["words"] == told["words"], edit
        assert not title or told["title"] == title
    assert cutting.places()[0] == (0, 200) and cutting.event_list["events"][1]["transition_length"] == 8
    for _ in range(len(made) - 1):
        cutting.browser.undo(cutting.show)
    after = cutting.event_list["events"]
    assert [{**one, "revision": 0} for one in after] == [{**one, "revision": 0} for one in before]


@pytest.mark.parametrize(
    ("edit", "given", "said"),
    [
        ("trim head", {}, "Select a single event"), ("delete", {}, "Select an event first"),
        ("place", {}, "Select clips to place first"), ("split", {"at": None}, "Move the playhead"),
        ("speed", {"value": "0%"}, "above zero"), ("speed", {"value": "fast"}, "is not a number"),
        ("refit", {"value": "0"}, "at least one frame"), ("fill", {}, "There is no gap after"),
        ("trim tail", {"by": "-999"}, "would be left"), ("move", {"by": "-1"}, "before the timeline does"),
        ("split", {"at": 0}, "between its first and its last frame"),
        ("decide", {"set": {"held": "often"}}, "is not a rate"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_said_and_changes_nothing(
    cutting: Cutting, edit: str, given: dict[str, Any], said: str
) -> None:
    laid(cutting, BELL, SPARKS)
    before = cutting.event_list
    chosen = [] if "elect" in said else [before["events"][0]["id"]]
    assert said in cutting.refused(edit, events=chosen, **given)
    assert cutting.event_list == before


def test_nests_lists_and_other_rates_are_undone_whole(cutting: Cutting) -> None:
    browser, path = cutting.browser, f"/api/shows/{cutting.show}/cuts"
    laid(cutting, BELL, SPARKS)
    before, timelines = cutting.event_list["events"], browser.get(path)
    body = {"version": cutting.event_list["version"], "events": [before[0]["id"]], "name": "Bell"}
    browser.send("POST", f"{cutting.path}/nest", body)
    assert len(browser.get(path)) == 2 and cutting.event_list["events"][0]["kind"] == "timeline"
    assert browser.undo(cutting.show) == "1 event put into the timeline “Bell”"
    assert cutting.event_list["events"] == before and browser.get(path) == timelines
    newest = browser.get(f"/api/shows/{cutting.show}")["redo"]
    browser.send("POST", f"/api/shows/{cutting.show}/redo/{newest['id']}")
    assert len(browser.get(path)) == 2 and cutting.event_list["events"][0]["kind"] == "timeline"
    browser.undo(cutting.show)
    browser.send("POST", f"{cutting.path}/rerate", {"name": "Air", "rate": "29.97"})
    asked = {"file_name": "reel3.edl", "text": LIST, "rate": "25", "name": "Reel 3", "like": cutting.timeline}
    browser.send("POST", f"/api/shows/{cutting.show}/lists", asked)
    assert len(browser.get(path)) == 3
    for _ in range(2):
        browser.undo(cutting.show)
    assert browser.get(path) == timelines


def test_a_timeline_that_is_used_in_another_shows_what_changes_inside(cutting: Cutting) -> None:
    browser = cutting.browser
    laid(cutting, BELL)
    made = browser.send(
        "POST", f"{cutting.path}/nest",
        {"version": cutting.event_list["version"], "events": [cutting.picture[0]["id"]], "name": "Bell"},
    )  # fmt: skip
    outer, inner = cutting.timeline, made["timeline_id"]
    assert cutting.seen(50) == [("200", "100 %")] and cutting.picture[0]["marks"][0]["kind"] == "handles"
    cutting.timeline = inner
    cutting.edit("slip", events=[cutting.picture[0]["id"]], by="+7")
    cutting.edit("trim tail", events=[cutting.picture[0]["id"]], by="-30")
    cutting.timeline = outer
    assert cutting.seen(50) == [("207", "100 %")], "the nest shows what lies in it now"
    (mark, *_) = cutting.picture[0]["marks"]
    assert (mark["kind"], mark["frames"]) == ("overrun", "30"), "and runs out where that is shorter"


def test_a_file_of_sound_is_placed_beside_and_heard_where_it_lies(cutting: Cutting) -> None:
    browser, theme = cutting.browser, "bell_theme_96.wav"
    browser.bring_in(cutting.show, "The Tide Bell/Music", "Music")
    ledger = browser.ledger(cutting.show)
    cutting.edit("place", clips=[ledger[BELL]["id"]])
    assert "separately" in cutting.refused("place", clips=[ledger[BELL]["id"], ledger[theme]["id"]])
    told = cutting.edit("place", clips=[ledger[theme]["id"]], at=10)
    assert told["moves"] == [] and theme in told["title"]
    cutting.edit("place", clips=[ledger[theme]["id"]], at=20)
    tracks = {one["track"]: one for one in cutting.event_list["events"]}
    assert (tracks["A1"]["record_in"], tracks["A2"]["record_in"]) == (10, 20), "each on a track that is free"
    cutting.edit("delete", events=[tracks["A2"]["id"]])
    cutting.edit("trim head", events=[tracks["A1"]["id"]], by="+15")
    (event,) = (one for one in cutting.event_list["events"] if one["track"] == "A1")
    assert (event["record_in"], event["source_in"]) == (25, "15")
    shown = cutting.event_list["shown"]
    made = browser.client.get(f"{cutting.path}/sound?first=20&count=60&shown={shown}").content
    (source,) = Path(browser.config.footage("Footage", "The Tide Bell/Music")).glob(theme)
    heard, played = (_mono(data) for data in (made, source.read_bytes()))
    rate = len(heard) // 60
    assert not heard[: 5 * rate].any()
    wanted = np.interp(np.arange(55 * rate) / 48_000 + 15 / 25, np.arange(len(played)) / 48_000, played)
    assert np.corrcoef(heard[5 * rate :], wanted)[0, 1] > 0.999
    there = browser.send("POST", f"{cutting.path}/rerate", {"name": "Air", "rate": "30"})["timeline_id"]
    (there_event,) = (
        one for one in browser.get(f"/api/shows/{cutting.show}/cuts/{there}")["events"] if one["track"] == "A1"
    )
    assert (there_event["record_in"], there_event["source_in"]) == (30, "18"), "the same second, in frames at 30"


def _mono(data: bytes) -> np.ndarray:
    with wave.open(io.BytesIO(data)) as file:
        samples = np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, file.getnchannels())
    return samples[:, 0].astype(float)


def test_what_is_decided_in_plan_or_inside_a_nest_gives_pictures_another_address(cutting: Cutting) -> None:
    """Addresses that are kept for ever never mean anything else than they did."""
    browser = cutting.browser
    laid(cutting, BELL)
    before = cutting.event_list
    browser.decide(cutting.show, [browser.ledger(cutting.show)[BELL]], set={"intent": "speed 1/2"})
    after = cutting.event_list
    assert after["version"] == before["version"] and after["shown"] != before["shown"]
    old = browser.client.get(f"{cutting.path}/pictures/3?shown={before['shown']}")
    new = browser.client.get(f"{cutting.path}/pictures/3?shown={after['shown']}")
    assert "immutable" in new.headers["cache-control"] and "immutable" not in old.headers.get("cache-control", "")


def test_the_sound_of_a_stretch_is_heard_as_long_as_its_frames(cutting: Cutting) -> None:
    ledger = cutting.browser.ledger(cutting.show)
    cutting.edit("place", clips=[ledger[name]["id"] for name in ("FD1_A01_interview.mov", BELL)])
    shown = cutting.event_list["shown"]
    assert cutting.event_list["sounds"]
    levels = []
    for first in (0, 25, 210):
        found = cutting.browser.client.get(f"{cutting.path}/sound?first={first}&count=25&shown={shown}")
        assert found.headers["content-type"] == "audio/wav"
        with wave.open(io.BytesIO(found.content)) as file:
            assert (file.getframerate(), file.getnchannels(), file.getnframes()) == (48_000, 2, 48_000)
            levels.append(int(np.abs(np.frombuffer(file.readframes(48_000), "<i2").astype(int)).max()))
    assert min(levels[:2]) > 500 and levels[2] == 0, "the bell is silent"


def test_markers_of_a_list_come_in_move_along_and_go_out_again(cutting: Cutting) -> None:
    browser = cutting.browser
    laid(cutting, BELL, SPARKS, POUR)
    first, *_ = cutting.picture
    cutting.edit("mark", at=10, value="the rope")
    cutting.edit("mark", at=first["length"] + 5, value="a spark")
    told = cutting.edit("trim tail", events=[first["id"]], by="-20", following="moves")
    assert "1 marker moves 20 frames earlier" in told["words"]
    there = [(10, "the rope"), (first["length"] - 15, "a spark")]
    assert [(one["frame"], one["name"]) for one in cutting.event_list["markers"]] == there
    cutting.edit("mark", at=10, value="the rope, again")
    browser.undo(cutting.show)
    for form in ("edl", "otio"):
        text = browser.get(f"{cutting.path}/list?form={form}")
        text = text if isinstance(text, str) else json.dumps(text)
        asked = {
            "file_name": f"cut.{form}",
            "text": text,
            "rate": "25",
            "name": f"From {form}",
            "like": cutting.timeline,
        }
        taken = browser.send("POST", f"/api/shows/{cutting.show}/lists", asked)
        again = browser.get(f"/api/shows/{cutting.show}/cuts/{taken['timeline_id']}")
        assert [(one["frame"], one["name"]) for one in again["markers"]] == there, form
    air = browser.send("POST", f"{cutting.path}/rerate", {"name": "Air", "rate": "50"})["timeline_id"]
    markers = browser.get(f"/api/shows/{cutting.show}/cuts/{air}")["markers"]
    assert [one["frame"] for one in markers] == [2 * frame for frame, _ in there]
    cutting.edit("unmark", at=10)
    assert len(cutting.event_list["markers"]) == 1


def test_beats_of_music_are_told_where_they_fall(cutting: Cutting) -> None:
    browser, theme = cutting.browser, "bell_theme_96.wav"
    browser.bring_in(cutting.show, "The Tide Bell/Music", "Music")
    ledger = browser.ledger(cutting.show)
    laid(cutting, BELL)
    cutting.edit("place", clips=[ledger[theme]["id"]], at=30)
    found = browser.get(f"{cutting.path}/beats")
    steps = np.diff(found)
    assert found[0] == 30 + round(0.3478 * 25) and {15, 16} == set(steps.tolist()), "96 a minute at 25"
    (event,) = (one for one in cutting.event_list["events"] if one["track"] == "A1")
    cutting.edit("trim head", events=[event["id"]], by="+20")
    assert browser.get(f"{cutting.path}/beats") == found[1:], "what is trimmed away strikes no more"


def test_a_timeline_is_taken_away_with_its_events_and_comes_back_whole(cutting: Cutting) -> None:
    browser, show = cutting.browser, f"/api/shows/{cutting.show}"
    laid(cutting, BELL, SPARKS)
    cutting.edit("mark", at=7, value="here")
    made = browser.send("POST", f"{cutting.path}/rerate", {"name": "Air", "rate": "50"})["timeline_id"]
    air = f"{show}/cuts/{made}"
    before = browser.get(air)["events"], browser.get(air)["markers"]
    assert "This is the default timeline" in browser.refused("DELETE", f"{show}/timelines/{cutting.timeline}")[1]
    cutting.edit("place", inner=made)
    assert "nested in the timeline “Main”" in browser.refused("DELETE", f"{show}/timelines/{made}")[1]
    browser.undo(cutting.show)
    browser.send("DELETE", f"{show}/timelines/{made}")
    assert [one["id"] for one in browser.get(f"{show}/cuts")] == [cutting.timeline]
    assert browser.refused("GET", air)[0] == 404
    assert browser.undo(cutting.show) == "Timeline “Air” taken away"
    assert (browser.get(air)["events"], browser.get(air)["markers"]) == before
    browser.send("POST", f"{air}/files", {"of": "timeline", "pattern": "air", "setting": "view"})
    assert "files or sheets were made" in browser.refused("DELETE", f"{show}/timelines/{made}")[1].lower()


def test_an_edge_is_trimmed_by_source_frames_too(cutting: Cutting) -> None:
    laid(cutting, BELL)
    (event,) = cutting.picture
    cutting.edit("trim head", events=[event["id"]], by="+40 sf")
    (now,) = cutting.picture
    assert (now["record_in"], now["source_in"], now["length"]) == (10, "40", event["length"] - 10), "100 on 25"
    cutting.edit("trim tail", events=[event["id"]], by="-22 source frames")
    (now,) = cutting.picture
    assert now["length"] == event["length"] - 10 - 6, "five and a half timeline frames are six"
    cutting.edit("speed", events=[event["id"]], value="-1/4")
    (back,) = cutting.picture
    cutting.edit("trim head", events=[event["id"]], by="8 sf")
    (now,) = cutting.picture
    assert Fraction(back["source_in"]) - Fraction(now["source_in"]) == 8 and now["record_in"] == back["record_in"] + 8
    assert "The event does not cover that many source frames there" in cutting.refused(
        "trim head", events=[event["id"]], by="-100000 sf"
    )
