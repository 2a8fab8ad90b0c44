"""Handoff plans: kept, run again, and what each line says it is made again for; lines that are another than their
output; names that stand in each other's way."""

import re
from pathlib import Path
from typing import Any

import pytest

from tests.web.conftest import Browser

HARBOUR = "The Tide Bell/Harbour, boat and phones"
GULLS, QUAY = "HB_gulls_30.mp4", "HB_quay_29.mp4"
OUTPUTS = [
    {"id": 1, "setting": "view", "folder": "look", "pattern": "{clip}_{version}"},
    {"id": 2, "setting": "edit", "folder": "cut", "pattern": "{clip}_{version}"},
]


@pytest.fixture
def show(browser: Browser) -> int:
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    return show


def kept(browser: Browser, show: int, outputs: list[dict[str, Any]] = OUTPUTS, **document: Any) -> dict[str, Any]:
    body = {"name": "Friday", "document": {"of": "decided", "outputs": outputs, **document}}
    made: dict[str, Any] = browser.send("POST", f"/api/shows/{show}/handoff/plans", body)
    return made


def asked(
    browser: Browser, show: int, plan: int, outputs: list[dict[str, Any]] = OUTPUTS, **also: Any
) -> dict[str, Any]:
    ids = [browser.ledger(show)[name]["id"] for name in (GULLS, QUAY)]
    return {"clip_ids": ids, "outputs": outputs, "plan": plan, **also}


def lines(browser: Browser, show: int, body: dict[str, Any]) -> dict[str, tuple[str, str | None, str]]:
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["files"]
    return {f"{file['output']} {file['name']}": (file["state"], file["why"], file["out_path"]) for file in files}


def run(browser: Browser, show: int, body: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = browser.send("POST", f"/api/shows/{show}/renders", body)
    browser.work()
    return made


def test_a_plan_is_kept_changed_by_one_at_a_time_removed_and_brought_back(browser: Browser, show: int) -> None:
    made = kept(browser, show)
    (plan,) = browser.get(f"/api/shows/{show}/handoff/plans")
    assert (plan["id"], plan["name"], plan["document"]["of"]) == (made["id"], "Friday", "decided")
    assert [output["pattern"] for output in plan["document"]["outputs"]] == ["{clip}_{version}"] * 2
    again = browser.refused("POST", f"/api/shows/{show}/handoff/plans", {**plan, "name": "friday"})
    assert again == (409, "There is already a handoff plan “friday”. Choose another name.")
    path = f"/api/shows/{show}/handoff/plans/{plan['id']}"
    browser.send("PUT", path, {**plan, "name": "Monday"})
    status, sentence = browser.refused("PUT", path, {**plan, "name": "Tuesday"})
    assert status == 409 and "first" in sentence
    browser.send("DELETE", path, None)
    assert browser.get(f"/api/shows/{show}/handoff/plans") == []
    browser.undo(show)
    assert [plan["name"] for plan in browser.get(f"/api/shows/{show}/handoff/plans")] == ["Monday"]
    browser.undo(show)
    browser.undo(show)
    assert browser.get(f"/api/shows/{show}/handoff/plans") == []
    assert browser.refused("POST", f"/api/shows/{show}/renders", asked(browser, show, plan["id"]))[0] == 404


def test_run_again_a_plan_makes_only_what_is_new_or_changed_and_says_why(browser: Browser, show: int) -> None:
    rows = browser.ledger(show)
    browser.decide(show, [rows[GULLS], rows[QUAY]], intent={"intent": "every-frame"})
    plan = kept(browser, show)["id"]
    first = run(browser, show, asked(browser, show, plan))
    assert (first["queued"], first["unchanged"], first["refused"]) == (4, 0, [])
    assert {state for state, *_ in lines(browser, show, asked(browser, show, plan)).values()} == {"unchanged"}
    assert run(browser, show, asked(browser, show, plan)) == {"queued": 0, "run": None, "unchanged": 4, "refused": []}

    browser.decide(show, [browser.ledger(show)[GULLS]], intent={"intent": "speed", "value": "50%"})
    browser.config.product("cut/HB_quay_29_v01.mov").unlink()
    outputs = [OUTPUTS[0], {**OUTPUTS[1], "id": 3, "setting": "archive"}, OUTPUTS[1]]
    now = lines(browser, show, asked(browser, show, plan, outputs))
    assert now == {
        f"1 {GULLS}": ("changed", "decisions changed", "look/HB_gulls_30_v02.mp4"),
        f"1 {QUAY}": ("unchanged", None, "look/HB_quay_29_v02.mp4"),
        f"3 {GULLS}": ("new", None, "cut/HB_gulls_30_v01.mkv"),
        f"3 {QUAY}": ("new", None, "cut/HB_quay_29_v01.mkv"),
        f"2 {GULLS}": ("changed", "decisions changed", "cut/HB_gulls_30_v02.mov"),
        f"2 {QUAY}": ("changed", "its file is no longer there", "cut/HB_quay_29_v02.mov"),
    }
    other = [OUTPUTS[0], {**OUTPUTS[1], "setting": "archive"}]
    assert lines(browser, show, asked(browser, show, plan, other))[f"2 {QUAY}"] == (
        "changed", "the setting changed; its file is no longer there", "cut/HB_quay_29_v02.mkv",
    )  # fmt: skip
    second = run(browser, show, asked(browser, show, plan, outputs))
    assert (second["queued"], second["unchanged"]) == (5, 1)
    newest, oldest = browser.get(f"/api/shows/{show}/handoff/runs")
    assert (newest["plan"], newest["files"], newest["proven"], newest["unchanged"]) == ("Friday", 5, 5, 1)
    assert (oldest["files"], oldest["proven"], oldest["refused"]) == (4, 4, 0)
    assert run(browser, show, asked(browser, show, plan, outputs, again=True))["queued"] == 6


def test_another_file_in_the_place_of_a_source_and_another_timeline_are_reasons(browser: Browser, show: int) -> None:
    plan = kept(browser, show)["id"]
    body = asked(browser, show, plan, OUTPUTS[:1])
    assert run(browser, show, body)["queued"] == 2
    (timeline,) = browser.get(f"/api/shows/{show}")["timelines"]
    settings = {"name": "Main", "rate": "25", "width": 1280, "height": 720, "revision": timeline["revision"]}
    browser.send("PUT", f"/api/shows/{show}/timelines/{timeline['id']}", settings)
    assert {why for _, why, _ in lines(browser, show, body).values()} == {
        "the timeline’s rate, raster, scan or sound rate changed"
    }
    browser.undo(show)
    assert {why for _, why, _ in lines(browser, show, body).values()} == {None}
    with browser.database.transaction() as connection:
        connection.execute("UPDATE render SET made_from = 'another', tool = 'Odd Meter 0.0.1'")
    assert {why for _, why, _ in lines(browser, show, body).values()} == {
        "the source, or what is known of it, changed; it was made by another version of Odd Meter"
    }
    with browser.database.transaction() as connection:
        connection.execute("UPDATE render SET made_from = NULL, tool = NULL, order_digest = NULL, setting = 'view'")
    assert {why for _, why, _ in lines(browser, show, body).values()} == {None}, (
        "what was not written down is no reason"
    )


def test_some_lines_have_another_setting_folder_or_name_than_their_output(browser: Browser, show: int) -> None:
    rows = browser.ledger(show)
    gulls, quay = rows[GULLS]["id"], rows[QUAY]["id"]
    changes = [
        {"lines": [gulls, quay], "folder": "both"},
        {"lines": [quay], "setting": "archive", "pattern": "{clip}_kept"},
    ]
    body = {"clip_ids": [gulls, quay], "outputs": [{**OUTPUTS[0], "changes": changes}]}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["files"]
    assert [(file["setting"], file["out_path"]) for file in files] == [
        ("view", "both/HB_gulls_30_v01.mp4"), ("archive", "both/HB_quay_29_kept.mkv"),
    ]  # fmt: skip
    wrong = {**body, "outputs": [{**OUTPUTS[0], "changes": [{"lines": [quay], "setting": "none"}]}]}
    assert "no setting “none”" in browser.refused("POST", f"/api/shows/{show}/handoff/preview", wrong)[1]
    leading_out = {**body, "outputs": [{**OUTPUTS[0], "changes": [{"lines": [quay], "folder": "../x"}]}]}
    assert browser.refused("POST", f"/api/shows/{show}/handoff/preview", leading_out)[0] == 422


def test_names_in_each_others_way_come_with_the_words_that_part_them(browser: Browser, show: int) -> None:
    ids = [browser.ledger(show)[name]["id"] for name in (GULLS, QUAY)]
    body = {"clip_ids": ids, "outputs": [{"pattern": "one"}, {"id": 2, "pattern": "one", "setting": "view"}]}
    told = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)
    ways = [file["ways"] for file in told["files"]]
    assert ways == [[], ["{setting}", "{number}"], [], ["{setting}", "{number}"]], "one of each ending can be made"
    assert (told["totals"]["files"], told["totals"]["refused"]) == (2, 2)
    body["outputs"] = [{"pattern": "one_{number}", "setting": "view"}]
    assert run(browser, show, body)["queued"] == 2
    (first, _) = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["files"]
    assert (first["problem"], first["ways"]) == ("already in the queue or made", ["{version}"])
    long = {**body, "outputs": [{"pattern": "x" * 190, "folder": "y" * 100, "setting": "view"}]}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", long)["files"]
    assert "longer than 240 signs" in files[0]["remark"] and "cut off" not in files[0]["remark"]
    long["outputs"][0]["pattern"] = "x" * 250 + "{number}"
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", long)["files"]
    assert "Its name was longer than 200 bytes and is cut off." in files[0]["remark"]
    assert "gets the same name" in files[1]["problem"], "cut off before what would tell them apart"


def test_folders_are_patterns_too(browser: Browser, show: int) -> None:
    ids = [browser.ledger(show)[name]["id"] for name in (GULLS, QUAY)]
    folder = "{delivery}/{reel}/{folders}/{rate} {setting}"
    body = {"clip_ids": ids, "outputs": [{"setting": "view", "folder": folder, "pattern": "{clip}"}]}
    files = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["files"]
    assert files[0]["out_path"] == f"Card/{HARBOUR}/25 view/HB_gulls_30.mp4", "an empty word is no level"
    for wrong in ("{colour}", "{clip", "{delivery}/../.."):
        body["outputs"][0]["folder"] = wrong
        assert browser.refused("POST", f"/api/shows/{show}/handoff/preview", body)[0] == 422


def test_outputs_of_a_plan_have_numbers_of_their_own(browser: Browser, show: int) -> None:
    twice = {"name": "Twice", "document": {"of": "decided", "outputs": [OUTPUTS[0], {**OUTPUTS[1], "id": 1}]}}
    assert browser.refused("POST", f"/api/shows/{show}/handoff/plans", twice)[0] == 422


def test_what_a_handoff_comes_to_is_measured_on_what_was_made_last(browser: Browser, show: int, tmp_path: Path) -> None:
    ids = [browser.ledger(show)[name]["id"] for name in (GULLS, QUAY)]
    body = {"clip_ids": ids, "outputs": [{"setting": "view", "pattern": "{clip}_{version}"}]}
    before = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["totals"]
    assert (before["files"], before["megabytes"], before["time"], before["fits"]) == (2, None, None, True)
    assert before["free_megabytes"] > 1 and {mark["mark"] for mark in before["marks"]} <= {
        "unconfirmed", "odd", "near-miss", "disputed", "stacked", "repeats-inside", "changed",
    }  # fmt: skip
    run(browser, show, body)
    after = browser.send("POST", f"/api/shows/{show}/handoff/preview", body)["totals"]
    made = sum(path.stat().st_size for path in browser.config.made.rglob("*.mp4")) / 1e6
    assert after["megabytes"] == pytest.approx(made, rel=0.3), "the same files again come to what they came to"
    assert after["time"] is not None and after["frames"] == before["frames"]


def test_the_report_of_a_run_shows_what_was_compared_and_the_frames_that_lost_most(browser: Browser, show: int) -> None:
    ids = [browser.ledger(show)[name]["id"] for name in (GULLS, QUAY)]
    outputs = [{"setting": "view", "pattern": "{clip}"}, {"id": 2, "setting": "archive", "pattern": "{clip}"}]
    blocked = browser.config.product("HB_quay_29.mkv")
    blocked.write_text("somebody else's")
    made = run(browser, show, {"clip_ids": ids, "outputs": outputs})
    path = f"/api/shows/{show}/handoff/runs/{made['run']}/report"
    assert browser.refused("GET", f"{path}.html")[0] == 404
    browser.send("POST", path)
    assert browser.get(f"/api/shows/{show}/handoff/runs")[0]["report"] == "waiting"
    browser.work()
    (told,) = browser.get(f"/api/shows/{show}/handoff/runs")
    assert (told["report"], told["reported"], told["report_fault"]) == ("ready", 3, None)
    page = browser.client.get(f"{path}.html")
    assert "img-src data:" in page.headers["content-security-policy"]
    text = page.text
    assert "3 of 3 proven, 1 refused" in text and "a file of that name is there already" in text
    parts = {part.split(":")[0]: part for part in text.split("<h2>")[1:]}
    lossy, exact = parts["HB_gulls_30.mp4"], parts["HB_gulls_30.mkv"]
    assert "all planes, 8 bit, 4:2:0: each frame is as near as it was when written" in lossy
    assert lossy.count("lost most") == 5 and lossy.count("<img") == 2 * lossy.count("<figure")
    decibels = [float(found) for found in re.findall(r"([\d.]+) / [\d.]+ / [\d.]+ dB", lossy)]
    assert len(decibels) >= 5 and all(25 < value < 60 for value in decibels)
    assert "every sample is the same" in exact and exact.count("<figure") == 3
    assert exact.count("every sample the same") == 3 and "lost most" not in exact
    assert blocked.read_text() == "somebody else's"
    browser.config.product("HB_gulls_30.mkv").unlink()
    browser.send("POST", path)
    browser.work()
    assert "The file is not in its place any more." in browser.client.get(f"{path}.html").text
