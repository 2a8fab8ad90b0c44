"""Intake over HTTP: evidence, settling, reports, pictures and film."""

from typing import Any

import cv2
import numpy as np

from oddmeter.demo.framecode import read
from oddmeter.store import looks
from oddmeter.work.tasks import look_closer
from tests.web.conftest import Browser

TWO = "The Tide Bell/Foundry day 2"
TAPES = "The Tide Bell/Regatta tapes"


def rows(browser: Browser, show: int) -> dict[str, Any]:
    lines = browser.get(f"/api/shows/{show}/evidence")["clips"]
    ids = [line["id"] for line in lines]
    found = browser.send("POST", f"/api/shows/{show}/evidence/rows", {"ids": [*ids, 10**6]})
    assert [row["id"] for row in found] == ids, "what is not there is left out"
    for line, row in zip(lines, found, strict=True):
        stands = {verdict["question"]: verdict["state"] for verdict in row["verdicts"]}
        for state in ("disputed", "assumed"):
            assert line[state] == [question for question, found in stands.items() if found == state]
        assert (line["revision"], line["trouble"]) == (row["revision"], bool(row["troubles"]))
        assert line["usable"] is (row["facts"] is not None and not row["facts"]["fault"])
    return {row["path"].removeprefix("The Tide Bell/"): {**line, **row} for line, row in zip(lines, found, strict=True)}


def verdict(row: Any, question: str = "shot_rate") -> Any:
    return next(found for found in row["verdicts"] if found["question"] == question)


def refs(*found: Any) -> list[dict[str, int]]:
    return [{"id": row["id"], "revision": row["revision"]} for row in found]


def look(browser: Browser) -> None:
    with browser.database.transaction() as connection:
        waiting = looks.unlooked(connection)
    for clip_id in waiting:
        look_closer(browser.config, browser.database, clip_id)


def test_a_disagreement_is_shown_settled_withdrawn_and_undone(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, TWO)
    ladle = rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"]
    found = verdict(ladle)
    assert (found["value"], found["state"], ladle["disputed"]) == ("25/1", "disputed", ["shot_rate"])
    assert [claim["words"] for claim in found["claims"] if claim["against"]] == ["150fps"]
    asked = {"clips": refs(ladle), "question": "shot_rate", "value": "100", "reason": "the cameraman says so"}
    assert browser.send("POST", f"/api/shows/{show}/words", asked)["title"].startswith("Shot rate 100 for FD2_A03")
    settled = verdict(rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"])
    assert (settled["words"], settled["state"], settled["source"]) == ("100", "settled", "person")
    assert "Ada Brook: the cameraman says so" in settled["why"]
    assert browser.ledger(show)["FD2_A03_ladle_150fps.mov"]["shot"]["spoken"] == "100"
    status, sentence = browser.refused("POST", f"/api/shows/{show}/words", asked)
    assert status == 409 and "Ada Brook changed FD2_A03_ladle_150fps.mov first" in sentence
    now = rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"]
    body = {"clips": refs(now), "question": "shot_rate"}
    browser.send("POST", f"/api/shows/{show}/words/withdraw", body)
    assert verdict(rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"])["state"] == "disputed"
    browser.undo(show)
    assert verdict(rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"])["words"] == "100"


def test_all_that_agrees_is_confirmed_in_one_step(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, TWO)
    before = list(rows(browser, show).values())
    browser.send("POST", f"/api/shows/{show}/words/confirm", {"clips": refs(*before)})
    for row in rows(browser, show).values():
        for found in row["verdicts"]:
            assert found["state"] in ("settled", "disputed", "unknown"), (row["name"], found)
    disputed = {row["name"] for row in rows(browser, show).values() if row["disputed"]}
    assert "FD2_A03_ladle_150fps.mov" in disputed and "FD2_B02_cut_off.mkv" not in disputed
    assert "OK" not in browser.get(f"/api/shows/{show}")["undo"]["title"]
    again = {"clips": refs(*[r for r in rows(browser, show).values() if r["name"] == "FD2_B02_cut_off.mkv"])}
    assert browser.refused("POST", f"/api/shows/{show}/words/confirm", again)[0] == 422


def test_a_mapping_is_corrected_remembered_and_changes_what_nobody_settled(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, TWO)
    (report,) = browser.get(f"/api/shows/{show}/logs")
    assert report["columns"] == {"clip": 0, "file_rate": 2} and report["matched"] == report["rows"] == 2
    drop = rows(browser, show)["Foundry day 2/FD2_A02_drop_800fps.mov"]
    asked = {"clips": refs(drop), "question": "shot_rate", "value": "799"}
    browser.send("POST", f"/api/shows/{show}/words", asked)
    mapping = {"columns": {"clip": 0, "shot_rate": 1, "file_rate": 2}, "title": "camera report"}
    made = browser.send("PUT", f"/api/shows/{show}/logs/{report['id']}", mapping)
    assert made["changed"] == 1
    (change,) = browser.get(f"/api/shows/{show}/verdict-changes")
    assert (change["clip"], change["before"], change["after"]) == ("FD2_A03_ladle_150fps.mov", "25", "100")
    now = rows(browser, show)
    ladle = verdict(now["Foundry day 2/FD2_A03_ladle_150fps.mov"])
    assert ladle["words"] == "100" and "100, camera report, row 3" in [c["words"] for c in ladle["claims"]]
    assert ladle["state"] == "disputed", "the name still says otherwise"
    assert verdict(now["Foundry day 2/FD2_A02_drop_800fps.mov"])["words"] == "799", "a person's word stands"
    data = "clip,speed,base,note\nFD2_B01_mould_50fps,25,25,\nnowhere,1,1,\n"
    sent = browser.client.post(f"/api/shows/{show}/logs", files={"file": ("day 3.csv", data.encode())})
    assert sent.status_code == 201
    later = next(log for log in browser.get(f"/api/shows/{show}/logs") if log["name"] == "day 3.csv")
    assert later["columns"] == mapping["columns"] and later["unmatched"] == ["row 3: nowhere, 1"]
    browser.send("DELETE", f"/api/shows/{show}/logs/{report['id']}")
    assert verdict(rows(browser, show)["Foundry day 2/FD2_A03_ladle_150fps.mov"])["words"] == "25"
    wrong = {"columns": {"clip": 9}, "title": "camera report"}
    assert browser.refused("PUT", f"/api/shows/{show}/logs/{later['id']}", wrong)[0] == 422
    status, sentence = browser.refused(
        "POST", f"/api/shows/{show}/logs/from-root", {"root": "Footage", "path": "none.csv"}
    )
    assert status == 404 and "report" in sentence


def test_pictures_speak_and_a_proxy_that_differs_is_an_error_on_both(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, TWO)
    browser.bring_in(show, TAPES, "Tapes")
    look(browser)
    found = rows(browser, show)
    finish = verdict(found["Regatta tapes/RG_finish_59i.mov"], "field_order")
    assert (finish["words"], finish["state"]) == ("lower first", "disputed")
    assert verdict(found["Regatta tapes/RG_prize_50i.mov"], "scan")["words"] == "progressive"
    assert "beyond clean repair" in " ".join(found["Regatta tapes/RG_visitors_59i.mov"]["troubles"])
    whole = found["Foundry day 2/FD2_B01_mould_50fps.mov"]
    proxy = found["Foundry day 2/Proxy/FD2_B01_mould_50fps.mov"]
    assert proxy["proxy_of"] == "FD2_B01_mould_50fps.mov"
    assert "112 frames, the original 120" in proxy["troubles"][0] and "112 frames" in whole["troubles"][0]
    assert found["Foundry day 2/Proxy/FD2_A02_drop_800fps.mov"]["troubles"] == []
    assert sum(name.startswith("FD2") for name in browser.ledger(show)) == 5, "proxies follow their originals"
    marks = browser.ledger(show)["RG_finish_59i.mov"]["marks"]
    assert "disputed" in marks and "interlaced" in marks and "unconfirmed" in marks
    browser.send("POST", f"/api/shows/{show}/looks", {"clip_ids": [whole["id"]]})
    browser.send("POST", f"/api/shows/{show}/looks/stop", {"clip_ids": [whole["id"]]})
    stopped = rows(browser, show)["Foundry day 2/FD2_B01_mould_50fps.mov"]
    assert stopped["look"]["state"] == "stopped" and verdict(stopped, "scan")["state"] == "agreed"


def picture(data: bytes) -> Any:
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)


def test_single_pictures_fields_and_sheets_are_true_to_the_frame(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Harbour, boat and phones")
    clip = next(row for row in rows(browser, show).values() if row["name"] == "HB_gulls_30.mp4")
    base = f"/api/shows/{show}/clips/{clip['id']}"
    for number in (0, 1, 47, 48, 49, 200, 239):
        got = browser.client.get(f"{base}/frames/{number}.jpg?width=640")
        assert got.headers["content-type"] == "image/jpeg" and read(picture(got.content)) == number
        assert read(picture(browser.client.get(f"{base}/frames/{number}.jpg?width=640&field=lower").content)) == number
    assert browser.refused("GET", f"{base}/frames/240.jpg")[0] == 404
    got = browser.client.get(f"{base}/sheet.jpg?first=100&count=30&width=320")
    import json  # noqa: PLC0415

    assert got.status_code == 200, got.text
    place = json.loads(got.headers["X-Sheet"])
    whole = picture(got.content)
    for index in (0, 11, 12, 29):
        y, x = index // place["columns"] * place["height"], index % place["columns"] * place["width"]
        assert read(whole[y : y + place["height"], x : x + place["width"]]) == 100 + index
    dossier = browser.get(f"{base}/evidence")
    assert dossier["intervals"] == [{"milliseconds": "33.333", "count": 239, "share": 100}]


def test_a_sequence_takes_its_rate_from_a_person(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Tide chart")
    row = browser.ledger(show)["tide_chart_####.png"]
    assert row["plan"] is None and "no frame rate" in row["without_plan"]
    assert row["facts"]["remarks"] == ["Number 38 is missing."]
    asked = {"clips": refs(row), "question": "file_rate", "value": "25"}
    browser.send("POST", f"/api/shows/{show}/words", asked)
    planned = browser.ledger(show)["tide_chart_####.png"]
    assert planned["plan"]["after"]["frames"] == 59 and planned["without_plan"] is None


def test_film_questions(browser: Browser) -> None:
    assert {gauge["id"] for gauge in browser.get("/api/film/gauges")} >= {"8mm", "super-8", "16mm", "35mm"}
    roll = browser.send("POST", "/api/film/roll", {"gauge": "super-8", "length": "50 ft"})
    assert roll["frames"] == 3600 and {r["rate"]: r["running"] for r in roll["runs"]}["18"] == "3 min 20.0 s"
    assert browser.send("POST", "/api/film/roll", {"gauge": "16mm", "length": "61,5 m"})["frames"] == 8070
    found = browser.send("POST", "/api/film/duration", {"first": 0, "last": 143, "seconds": "8", "doubt": "0.1"})
    assert found["usual"] == [18] and found["equation"] == "143 frames ÷ 8 s = 17.875"
    for body in ({"gauge": "super-8", "length": "long"}, {"gauge": "70mm", "length": "1 m"}):
        assert browser.refused("POST", "/api/film/roll", body)[0] == 422
    assert browser.refused("POST", "/api/film/duration", {"first": 5, "last": 5, "seconds": "1"})[0] == 422


def test_nothing_of_another_show_and_nothing_outside_the_roots_is_reached(browser: Browser) -> None:
    mine, other = browser.show(), browser.show(name="Other")
    browser.bring_in(mine, "The Tide Bell/Harbour, boat and phones")
    (clip, *_) = rows(browser, mine).values()
    body = {"clips": refs(clip), "question": "shot_rate", "value": "25"}
    assert browser.refused("POST", f"/api/shows/{other}/words", body)[0] in (404, 422)
    for path in (f"clips/{clip['id']}/frames/0.jpg", f"clips/{clip['id']}/sheet.jpg", f"clips/{clip['id']}/evidence"):
        assert browser.refused("GET", f"/api/shows/{other}/{path}")[0] in (404, 422), path
    for path in ("../../etc/passwd", "/etc/passwd", "The Tide Bell/../../../etc/passwd"):
        status, _ = browser.refused("POST", f"/api/shows/{mine}/logs/from-root", {"root": "Footage", "path": path})
        assert status in (403, 404, 422), path


def test_each_card_has_a_report_of_its_own_and_its_rows_mean_the_clips_beside_it(browser: Browser) -> None:
    """Both cards count their clips from C0001, and both reports have one name."""
    taken = browser.config.roots["Footage"] / "The Tide Bell/Harbour, boat and phones/HB_gulls_30.mp4"
    for camera, rate in (("CAM_A", 150), ("CAM_B", 75)):
        card = browser.config.roots["Uploads"] / "Cards" / camera
        (card / "CLIP").mkdir(parents=True)
        (card / "CLIP" / "C0001.mp4").write_bytes(taken.read_bytes())
        (card / "report.csv").write_text(f"Clip,Sensor fps\nC0001,{rate}\n")
    show = browser.show()
    body = {"name": "Cards", "root": "Uploads", "path": "Cards"}
    assert browser.send("POST", f"/api/shows/{show}/deliveries", body)["reports"] == ["report.csv", "report.csv"]
    browser.work()
    logs = browser.get(f"/api/shows/{show}/logs")
    assert [(log["name"], log["matched"]) for log in logs] == [("report.csv (CAM_A)", 1), ("report.csv (CAM_B)", 1)]
    ids = browser.get(f"/api/shows/{show}/ledger")["ids"]
    rows = browser.send("POST", f"/api/shows/{show}/ledger/rows", {"ids": ids})
    assert [(row["path"].split("/")[1], row["shot"]["spoken"]) for row in rows] == [("CAM_A", "150"), ("CAM_B", "75")]


def test_a_report_may_come_by_itself_from_a_root_and_bad_ones_are_explained(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Attic reels")
    reel = verdict(rows(browser, show)["Attic reels/AT_8mm_harvest.mov"], "gauge")
    assert (reel["words"], reel["state"]) == ("8 mm", "agreed")
    assert verdict(rows(browser, show)["Attic reels/AT_8mm_harvest.mov"])["words"] == "16"
    place = {"root": "Footage", "path": "The Tide Bell/Foundry day 1/camera report day 1.csv"}
    assert browser.send("POST", f"/api/shows/{show}/logs/from-root", place)["changed"] == 0
    (_, foundry) = browser.get(f"/api/shows/{show}/logs")
    assert foundry["matched"] == 0 and len(foundry["unmatched"]) == 6
    for data, words in (
        (b"", "empty"),
        (b"\0\1\2", "not a text"),
        (b"just words\n", "no heading row with at least two columns was found"),
    ):
        got = browser.client.post(f"/api/shows/{show}/logs", files={"file": ("x.csv", data)})
        assert got.status_code == 422 and words in got.json()["detail"]
    folder = browser.config.roots["Uploads"] / "papers"
    folder.mkdir(parents=True)
    (folder / "roll 1.csv").write_text("clip,fps\nAT_8mm_harvest,18\n")
    (folder / "broken.csv").write_text("")
    made = browser.send(
        "POST", f"/api/shows/{show}/deliveries", {"name": "Papers", "root": "Uploads", "path": "papers"}
    )
    assert made == {"id": None, "clips": 0, "reports": ["roll 1.csv"], "left_out": ["papers/broken.csv"]}
    assert verdict(rows(browser, show)["Attic reels/AT_8mm_harvest.mov"])["words"] == "18"


def test_a_selection_is_settled_with_one_answer_and_nonsense_is_refused(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Attic reels")
    found = rows(browser, show)
    both = refs(found["Attic reels/AT_16mm_launch.mov"], found["Attic reels/AT_8mm_harvest.mov"])
    asked = {"clips": both, "question": "shot_rate", "value": "24", "reason": "the lab's note"}
    assert browser.send("POST", f"/api/shows/{show}/words", asked)["title"] == "Shot rate 24 for 2 clips"
    browser.send("POST", f"/api/shows/{show}/words", {"clips": refs(*[
        row for row in rows(browser, show).values() if "handcranked" in row["name"]
    ]), "question": "gauge", "value": "35mm"})  # fmt: skip
    for question, value in (("shot_rate", "brisk"), ("scan", "wobbly"), ("gauge", "70mm"), ("pulldown", "3:2")):
        wrong = {"clips": both, "question": question, "value": value}
        status, sentence = browser.refused("POST", f"/api/shows/{show}/words", wrong)
        assert status == 422 and value in sentence
    nothing = {"clips": refs(*rows(browser, show).values())[:1], "question": "field_order"}
    assert browser.refused("POST", f"/api/shows/{show}/words", nothing)[0] == 422
