"""Each stop's endpoints: bring in, decide, hand over, undo; two people at once."""

import csv
import io
import re
from pathlib import Path

from bench.fuzz import EVERY_KIND
from bench.fuzz import bring_in as bring_in_every_kind
from oddmeter.config import Config
from oddmeter.work.tasks import look_closer
from tests.web.conftest import Browser

FOUNDRY = "The Tide Bell/Foundry day 1"
HARBOUR = "The Tide Bell/Harbour, boat and phones"


def test_a_show_its_timelines_and_their_undo(browser: Browser) -> None:
    show = browser.show("23.98")
    path = f"/api/shows/{show}"
    assert browser.get(path)["timelines"][0]["rate"] == {"spoken": "23.976", "exact": "24000/1001"}
    wanted = {"name": "Broadcast", "rate": "60i", "scan": "lower", "drop_frame": True}
    second = browser.send("POST", f"{path}/timelines", wanted)["timelines"][1]
    assert second["rate"]["exact"] == "30000/1001" and second["drop_frame"]
    assert browser.refused("POST", f"{path}/timelines", wanted) == (409, "There is one of that name already.")
    browser.send("PATCH", path, {"default_timeline_id": second["id"]})
    changed = browser.send("PUT", f"{path}/timelines/{second['id']}", {**wanted, "rate": "25", "revision": 1})
    assert (
        changed["undo"]["title"] == "Timeline “Broadcast” from 29.97 to 25" and changed["undo"]["person"] == "Ada Brook"
    )
    assert not changed["timelines"][1]["drop_frame"], "25 has no drop-frame"
    stale = browser.refused("PUT", f"{path}/timelines/{second['id']}", {**wanted, "revision": 1})
    assert stale[0] == 409 and stale[1].startswith("Ada Brook changed this timeline first.")
    undone = browser.send("POST", f"{path}/undo/{changed['undo']['id']}")
    assert undone["timelines"][1]["rate"]["spoken"] == "29.97" and undone["redo"]["id"] == changed["undo"]["id"]
    assert browser.send("POST", f"{path}/redo/{changed['undo']['id']}")["timelines"][1]["rate"]["spoken"] == "25"
    assert browser.refused("POST", f"{path}/undo/999")[0] == 409


def test_a_folder_is_brought_in_with_all_below_it(browser: Browser, tmp_path: Path) -> None:
    card = browser.config.roots["Uploads"] / "Card" / "Contents"
    card.mkdir(parents=True)
    (card / "clip.mov").write_bytes((browser.config.roots["Footage"] / FOUNDRY / "FD1_A01_interview.mov").read_bytes())
    (card / ".hidden.mov").touch()
    (card / "notes.txt").write_text("take 3 is good")
    (card.parent / "leads out.mov").symlink_to(tmp_path / "elsewhere.mov")
    (card / "uml\udcfcaut.mov").touch()
    show = browser.show()
    body = {"name": "Card 1", "root": "Uploads", "path": "Card"}
    made = browser.send("POST", f"/api/shows/{show}/deliveries", body)
    assert made["clips"] == 2 and made["left_out"] == ["Card/Contents/uml?aut.mov"]
    (waiting,) = browser.get(f"/api/shows/{show}/deliveries")
    assert (waiting["clips"], waiting["probed"]) == (2, 0)
    browser.work()
    (done,) = browser.get(f"/api/shows/{show}/deliveries")
    assert (done["probed"], done["troubled"]) == (2, 1)
    rows = browser.ledger(show)
    assert rows["clip.mov"]["facts"]["frames"] == 200 and rows["clip.mov"]["plan"]["kind"] == "whole"
    assert rows["notes.txt"]["marks"] == ["fault"] and rows["notes.txt"]["plan"] is None
    empty = {"name": "E", "root": "Footage", "path": "The Tide Bell/none"}
    assert browser.refused("POST", f"/api/shows/{show}/deliveries", empty)[0] == 404


def test_dropped_files_become_a_delivery(browser: Browser) -> None:
    show = browser.show()
    content = (browser.config.roots["Footage"] / HARBOUR / "HB_gulls_30.mp4").read_bytes()
    files = [
        ("files", ("../../gulls.mp4", content, "video/mp4")),
        ("files", ("gulls.mp4", b"not the same", "video/mp4")),
        ("files", ("=cmd|x.mov", b"", "video/quicktime")),
    ]
    got = browser.client.post(f"/api/shows/{show}/uploads", data={"name": "Dropped/../x"}, files=files)
    assert got.status_code == 201 and got.json()["clips"] == 3
    browser.work()
    rows = browser.ledger(show)
    assert rows["gulls.mp4"]["facts"]["frames"] == 240
    assert set(rows) == {"gulls.mp4", "2 gulls.mp4", "=cmd_x.mov"}
    assert not list(browser.config.data.glob("*.mp4"))


def test_taking_a_delivery_out_and_back(browser: Browser) -> None:
    show = browser.show()
    delivery = browser.bring_in(show, HARBOUR, "Harbour")
    browser.send("DELETE", f"/api/shows/{show}/deliveries/{delivery}")
    assert browser.ledger(show) == {}
    undo = browser.get(f"/api/shows/{show}")["undo"]
    assert undo["title"] == "“Harbour” taken out"
    browser.send("POST", f"/api/shows/{show}/undo/{undo['id']}")
    assert len(browser.ledger(show)) == 3 and all(row["plan"] for row in browser.ledger(show).values())
    brought = browser.get(f"/api/shows/{show}")["undo"]
    browser.send("POST", f"/api/shows/{show}/undo/{brought['id']}")
    assert browser.ledger(show) == {}


def test_deciding_on_many_and_what_it_gives(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    rows = browser.ledger(show)
    assert all(row["intent"] is None and "undecided" in row["marks"] for row in rows.values())
    said = browser.decide(show, list(rows.values()), intent={"intent": "every-frame"})
    assert said["title"] == "Every frame for 5 clips"
    rows = browser.ledger(show)
    bell, pour = rows["FD1_B01_bell_swing_100.mov"], rows["FD1_C01_pour_fast.mov"]
    assert bell["plan"]["speed"] == {"number": "0.25", "percent": "25 %", "exact": "1/4"}
    assert (bell["plan"]["before"]["frames"], bell["plan"]["after"]["frames"]) == (125, 500)
    browser.decide(show, [pour], shot_rate="150")
    browser.decide(show, [browser.ledger(show)[pour["name"]]], intent={"intent": "real-time"})
    pour = browser.ledger(show)[pour["name"]]
    assert (
        pour["shot_state"] == "settled"
        and pour["plan"]["speed"]["percent"] == "600 %"
        and pour["plan"]["after"]["frames"] == 100
    )
    browser.decide(show, [pour], intent={"intent": "pace", "value": "33.333%"}, set={"reading": "75"})
    pour = browser.ledger(show)[pour["name"]]
    assert pour["rerated"] and pour["read"]["spoken"] == "75" and pour["plan"]["speed"]["percent"] == "≈ 66.67 %"
    browser.decide(show, [pour], intent=None, set={"reading": None}, shot_rate=None)
    pour = browser.ledger(show)[pour["name"]]
    assert pour["intent"] is None and not pour["rerated"] and pour["shot_state"] == "agreed"
    refs = [{"id": pour["id"], "revision": pour["revision"]}]
    for wrong in (
        {"intent": {"intent": "speed", "value": "0"}},
        {"intent": {"intent": "pace"}},
        {"set": {"reading": "fast"}},
        {},
    ):
        status, _ = browser.refused("POST", f"/api/shows/{show}/treatments", {"clips": refs, **wrong})
        assert status == 422, wrong


def test_a_near_miss_is_named_with_its_hiccups(browser: Browser) -> None:
    show = browser.show("23.976")
    browser.bring_in(show, "The Tide Bell/Visitors' reels")
    row = browser.ledger(show)["VR_lantern_24.mkv"]
    assert "near-miss" in row["marks"] and row["plan"]["hiccup_every"] == "41.7 s"
    reckoned = browser.send("POST", f"/api/shows/{show}/reckoning", {"clip_ids": [row["id"]]})
    (equation,) = reckoned["equations"]
    assert equation["kind"] == "near" and equation["hiccups"] == []
    numbers = {line["name"]: f"{line['numbers']} = {line['result']}" for line in equation["lines"]}
    assert numbers["stride"] == "24 × 1 ÷ 23.976 = 1.001"


def test_the_arithmetic_of_a_mixed_selection(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    rows = browser.ledger(show)
    browser.decide(show, list(rows.values()), intent={"intent": "real-time"})
    reckoned = browser.send("POST", f"/api/shows/{show}/reckoning", {"clip_ids": [r["id"] for r in rows.values()]})
    rows = browser.ledger(show)
    assert reckoned["after"]["frames"] == sum(row["plan"]["after"]["frames"] for row in rows.values())
    assert [equation["clips"] for equation in reckoned["equations"]] == [1, 1, 1]
    every = next(way for way in reckoned["alternatives"] if way["label"] == "every frame")
    assert every["after"]["frames"] == 300 + 240 + 240 and every["kinds"] == ["3 whole"] and not every["chosen"]
    real = next(way for way in reckoned["alternatives"] if way["label"] == "real time")
    assert real["chosen"] and real["speed"] == "100 %"


def test_decisions_that_only_together_are_absurd_are_refused_and_the_ledger_stays(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    (row, *_) = browser.ledger(show).values()
    browser.decide(show, [row], intent={"intent": "speed", "value": "400000"})
    (row, *_) = browser.ledger(show).values()
    refs = [{"id": row["id"], "revision": row["revision"]}]
    status, sentence = browser.refused(
        "POST", f"/api/shows/{show}/treatments", {"clips": refs, "set": {"reading": "1000000"}}
    )
    assert status == 422 and "This speed is out of range" in sentence
    (timeline,) = browser.get(f"/api/shows/{show}")["timelines"]
    slow = {"name": "Main", "rate": "0.1", "revision": timeline["revision"]}
    browser.send("PUT", f"/api/shows/{show}/timelines/{timeline['id']}", slow)
    (row, *others) = browser.ledger(show).values()
    assert row["plan"] is None and row["marks"] == ["refused"] and all(other["plan"] for other in others)
    asked = {"clip_ids": [row["id"]], "setting": "view"}
    (file,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert "This speed is out of range" in file["problem"]
    assert browser.client.get(f"/api/shows/{show}/sheet.csv").status_code == 200


def test_a_clip_of_another_show_is_not_handed_over(browser: Browser) -> None:
    mine, other = browser.show(name="Mine"), browser.show(name="Other")
    browser.bring_in(other, HARBOUR)
    foreign = [row["id"] for row in browser.ledger(other).values()]
    asked = {"clip_ids": foreign, "setting": "view"}
    for path in ("handoff/preview", "renders"):
        assert browser.refused("POST", f"/api/shows/{mine}/{path}", asked) == (
            404,
            "A clip no longer exists.",
        )


def test_original_pictures_are_not_taken_out_before_anyone_looked_for_them(browser: Browser) -> None:
    show = browser.show("23.976")
    browser.bring_in(show, "The Tide Bell/Visiting choir")
    rows = browser.ledger(show)
    browser.decide(show, list(rows.values()), set={"fields": "original"}, intent={"intent": "every-frame"})
    row = rows["CH_evensong_2997.mov"]
    asked = {"clip_ids": [row["id"]], "setting": "view"}
    (file,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert "pictures have not been analysed yet" in file["problem"]
    assert browser.send("POST", f"/api/shows/{show}/renders", asked)["queued"] == 0
    look_closer(browser.config, browser.database, row["id"])
    (file,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert (file["problem"], file["frames"]) == (None, 120)


def test_two_browsers_and_one_clip(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    seen = list(browser.ledger(show).values())
    browser.decide(show, seen[:1], intent={"intent": "real-time"})
    refs = [{"id": row["id"], "revision": row["revision"]} for row in seen]
    body = {"clips": refs, "intent": {"intent": "every-frame"}}
    status, sentence = browser.refused("POST", f"/api/shows/{show}/treatments", body)
    assert status == 409 and sentence.startswith("Ada Brook changed HB_boat_59.mp4 first.")
    assert [row["intent"] for row in browser.ledger(show).values()] == ["real-time", None, None]


def test_clips_of_one_name_are_told_apart_everywhere_and_in_the_names_of_files(browser: Browser) -> None:
    """As every card of a camera has them: C0001 of camera A, and C0001 of camera B."""
    taken = browser.config.roots["Footage"] / HARBOUR
    for camera, name in (("CAM_A", "HB_boat_59.mp4"), ("CAM_B", "HB_gulls_30.mp4")):
        card = browser.config.roots["Uploads"] / "Cards" / camera / "CLIP"
        card.mkdir(parents=True)
        (card / "C0001.mp4").write_bytes((taken / name).read_bytes())
    (card / "C0002.mp4").write_bytes((taken / "HB_quay_29.mp4").read_bytes())
    show = browser.show()
    browser.send("POST", f"/api/shows/{show}/deliveries", {"name": "Cards", "root": "Uploads", "path": "Cards"})
    browser.work()
    ledger = browser.get(f"/api/shows/{show}/ledger")
    told = ["C0001.mp4 (CAM_A)", "C0001.mp4 (CAM_B)", "C0002.mp4"]
    assert ledger["names"] == told
    assert [line["name"] for line in browser.get(f"/api/shows/{show}/evidence")["clips"]] == told
    assert [browser.get(f"/api/shows/{show}/bench/{clip}")["name"] for clip in ledger["ids"]] == told

    asked = {"clip_ids": ledger["ids"], "setting": "view", "pattern": "{clip}_{rate}"}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    same = "another of these files gets the same name; add {folder} or {number}"
    assert [(file["name"], file["problem"]) for file in files] == list(zip(told, (None, same, None), strict=True))
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", {**asked, "pattern": "{clip}_{folder}"})["files"]
    assert [file["out_path"] for file in files] == ["C0001_CAM_A.mp4", "C0001_CAM_B.mp4", "C0002_CLIP.mp4"]
    assert not any(file["problem"] for file in files)

    rows = browser.send("POST", f"/api/shows/{show}/ledger/rows", {"ids": ledger["ids"]})
    browser.send("POST", f"/api/shows/{show}/sheets", {})
    browser.decide(show, rows[:1], intent={"intent": "pace", "value": "1/2"})
    sheet = csv.DictReader(io.StringIO(browser.get(f"/api/shows/{show}/sheet.csv")))
    assert {line["folder"]: bool(line["changed"]) for line in sheet if line["clip"] == "C0001.mp4"} == {
        "Cards/CAM_A/CLIP": True, "Cards/CAM_B/CLIP": False,
    }  # fmt: skip
    page = browser.get(f"/api/shows/{show}/sheet.html")
    assert all(f"<b>C0001.mp4</b> <small>{camera}</small>" in page for camera in ("CAM_A", "CAM_B"))


def test_handoff_from_names_to_the_sheet(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, HARBOUR, "=Harbour")
    rows = browser.ledger(show)
    browser.decide(show, list(rows.values()), intent={"intent": "real-time"})
    ids = [row["id"] for row in rows.values()]
    asked = {"clip_ids": ids, "setting": "view", "folder": "day 1", "pattern": "{clip}_{rate}_{speed}"}
    preview = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert [file["out_path"] for file in preview] == [
        f"day 1/{name}_25_100pc.mp4" for name in ("HB_boat_59", "HB_gulls_30", "HB_quay_29")
    ]
    assert not any(file["problem"] for file in preview)
    same = browser.send("POST", f"/api/shows/{show}/handoff/preview", {**asked, "pattern": "one"})["files"]
    assert [file["problem"] for file in same] == [
        None,
        *["another of these files gets the same name; add {number}"] * 2,
    ]
    for wrong in ({"pattern": "{colour}"}, {"pattern": "{clip"}, {"pattern": " "}, {"folder": "../up"}):
        assert browser.refused("POST", f"/api/shows/{show}/handoff/preview", {**asked, **wrong})[0] == 422
    made = browser.send("POST", f"/api/shows/{show}/renders", {**asked, "clip_ids": ids[:2]})
    assert (made["queued"], made["refused"]) == (2, [])
    again = browser.send("POST", f"/api/shows/{show}/renders", asked)
    assert (
        again["queued"] == 1 and [file["problem"] for file in again["refused"]] == ["already in the queue or made"] * 2
    )
    cancelled, *others = browser.get(f"/api/shows/{show}/renders")
    browser.send("POST", f"/api/renders/{cancelled['id']}/cancel")
    browser.work()
    states = [render["state"] for render in browser.get(f"/api/shows/{show}/renders")]
    assert states == ["done", "done", "cancelled"], "the newest first"
    assert browser.refused("POST", f"/api/renders/{others[0]['id']}/retry")[0] == 422
    browser.send("POST", f"/api/renders/{cancelled['id']}/retry")
    browser.work()
    renders = browser.get(f"/api/shows/{show}/renders")
    assert all(render["state"] == "done" and all(c["passed"] for c in render["checks"]) for render in renders)
    assert browser.client.get(f"/made/{renders[0]['out_path']}").content[4:8] == b"ftyp"

    text = browser.client.get(f"/api/shows/{show}/sheet.csv").content.decode("utf-8-sig")
    sheet = list(csv.DictReader(io.StringIO(text)))
    assert [row["clip"] for row in sheet] == list(rows)
    boat = sheet[0]
    assert boat["delivery"] == "'=Harbour", "no cell may start a formula"
    assert (boat["file rate"], boat["speed"], boat["equation"]) == ("60000/1001", "1/1", "59.94 × 1 ÷ 25 = 2400/1001")
    assert (boat["frames before"], boat["frames after"], boat["made file"]) == (
        "126",
        "126",
        "day 1/HB_boat_59_25_100pc.mp4",
    )
    assert re.fullmatch(r"proven: (\d+) of \1 checks agree", boat["proof"])
    document = browser.get(f"/api/shows/{show}/sheet.json")
    assert document["timeline"]["rate"] == "25/1" and document["clips"][0]["dropped"] == int(boat["dropped"])


def test_sound_at_another_speed_is_marked_and_made(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    rows = browser.ledger(show)
    browser.decide(show, list(rows.values()), intent={"intent": "every-frame"})
    asked = {"clip_ids": [rows["HB_boat_59.mp4"]["id"]], "setting": "view"}
    (file,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert file["problem"] is None
    assert file["remark"] == "It stays 640 × 360; the timeline is 1920 × 1080.", "said before it is made"
    assert "sound-changed" in browser.ledger(show)["HB_boat_59.mp4"]["marks"]


def test_the_sheet_of_a_show_with_every_treatment(browser: Browser, config: Config) -> None:
    """Each form of it, taken and compared, with every intent and in-between there is."""
    config.roots["Footage"] = config.data / "own"
    config.make_folders()
    bring_in_every_kind(browser.client, config, browser.database)
    for form in ("html", "csv", "json"):
        assert browser.client.get(f"/api/shows/1/sheet.{form}").status_code == 200, form
    lines = list(csv.DictReader(io.StringIO(browser.get("/api/shows/1/sheet.csv"))))
    assert len(lines) == 1 + len(EVERY_KIND)
    browser.send("POST", "/api/shows/1/sheets", {})
    page = browser.get("/api/shows/1/sheet.html")
    assert page.count("<svg") == len(lines) and page.count("<polyline") == 2, "curves are drawn as lines of speed"
