"""Plan over HTTP: levels, reach, recipes, relative changes, the sheet; and that a preview is what making it does."""

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan
from oddmeter.store import clips, facts
from oddmeter.store.changes import change
from oddmeter.store.database import Database
from tests.web.conftest import Browser

RATES = ("24000/1001", "24/1", "25/1", "30000/1001", "50/1", "60000/1001", "100/1", "240/1")
PLANNING = [HealthCheck.function_scoped_fixture]


@pytest.fixture
def batch(browser: Browser, database: Database) -> int:
    """A show with three timelines and sixteen clips of eight rates, in two deliveries; returns its id."""
    show = browser.show()
    for name, rate in (("Broadcast", "29.97"), ("Festival", "23.976")):
        browser.send("POST", f"/api/shows/{show}/timelines", {"name": name, "rate": rate})
    for card in ("Card A", "Card B"):
        with change(database, show, f"{card} brought in", "Ada") as connection:
            names = [f"{card[-1]}{number:02}.mov" for number in range(8)]
            clips.bring_in(connection, clips.add_delivery(connection, show, card, "Footage", card, names))
            for number, clip in enumerate(c for c in clips.clips_of_show(connection, show) if c.name[0] == card[-1]):
                own = Rate.exactly(RATES[number])
                found = Facts(
                    frames=100 + 37 * number, file_rate=own, measured_rate=own.value, stated_rate=own.value,
                    width=64, height=64, scan=Scan.PROGRESSIVE, sounds=(Sound(48_000, 2, 100 / own.value),),
                )  # fmt: skip
                facts.keep_facts(connection, clip.id, found)
    return show


def refs(browser: Browser, show: int, names: str = "") -> list[dict[str, int]]:
    found = browser.get(f"/api/shows/{show}/ledger")
    every = zip(found["ids"], found["names"], found["revisions"], strict=True)
    return [{"id": i, "revision": revision} for i, name, revision in every if name.startswith(names)]


def rows_on(browser: Browser, show: int, timeline: int) -> dict[int, Any]:
    """What each clip comes to on a timeline, by its id."""
    ids = browser.get(f"/api/shows/{show}/ledger")["ids"]
    got = browser.send("POST", f"/api/shows/{show}/ledger/rows", {"ids": ids, "beside": timeline})
    return {row["id"]: row["beside"] for row in got}


def state(browser: Browser, show: int) -> str:
    """All that is decided, as the ledger shows it, without revisions."""
    ids = browser.get(f"/api/shows/{show}/ledger")["ids"]
    rows = browser.send("POST", f"/api/shows/{show}/ledger/rows", {"ids": ids})
    house = browser.get(f"/api/shows/{show}/house")
    return json.dumps([[{k: v for k, v in row.items() if k != "revision"} for row in rows], house], sort_keys=True)


CHANGES = st.one_of(
    st.fixed_dictionaries({"intent": st.sampled_from([
        {"intent": "real-time"}, {"intent": "every-frame"}, {"intent": "leave"}, {"intent": "pace", "value": "40%"},
        {"intent": "speed", "value": "*1/2"}, {"intent": "speed", "value": "+10%"}, {"intent": "fit", "value": "4s"},
        None,
    ])}),
    st.fixed_dictionaries({"set": st.dictionaries(
        st.sampled_from(["reading", "held", "sound", "fields"]), st.none(), min_size=1
    ).map(lambda parts: {part: {"reading": "timeline", "held": "on twos", "sound": "off", "fields": "split"}[part]
                         for part in parts})}),
    st.fixed_dictionaries({"set": st.sampled_from(
        [{"reading": None}, {"reading": "file * 1000/1001"}, {"held": None}]
    )}),
)  # fmt: skip


@settings(max_examples=15, suppress_health_check=PLANNING)
@given(CHANGES, st.sets(st.integers(0, 15), min_size=1), st.sampled_from(["all", "alone", "elsewhere"]))
def test_a_preview_is_what_making_the_change_does_and_undo_takes_it_back(
    browser: Browser, batch: int, wanted: dict[str, Any], chosen: set[int], where: str
) -> None:
    timelines = [t["id"] for t in browser.get(f"/api/shows/{batch}")["timelines"]]
    scopes: dict[str, dict[str, Any]] = {
        "all": {}, "alone": {"alone": True}, "elsewhere": {"timelines": timelines[1:]},
    }  # fmt: skip
    asked = {"clips": [refs(browser, batch)[i] for i in sorted(chosen)], **wanted, **scopes[where]}
    before, was = {t: rows_on(browser, batch, t) for t in timelines}, state(browser, batch)
    preview = browser.send("POST", f"/api/shows/{batch}/preview", asked)
    assert state(browser, batch) == was, "a preview changes nothing"
    made = browser.send("POST", f"/api/shows/{batch}/treatments", asked)
    assert made["title"] == preview["title"]
    after = {t: rows_on(browser, batch, t) for t in timelines}
    moves = {use["timeline_id"]: {m["id"]: m for m in use["moves"]} for use in preview["uses"]}
    for timeline in timelines:
        promised = moves.get(timeline, {})
        for clip, now in after[timeline].items():
            if clip in promised:
                move = promised[clip]
                assert (move["before"], move["after"]) == (before[timeline][clip]["after"], now["after"])
                assert (move["kind_after"], move["speed_after"]) == (now["kind"], now["speed"]["percent"])
            else:
                assert now == before[timeline][clip], "what the preview does not name does not move"
    if state(browser, batch) == was:
        return
    done = state(browser, batch)
    undo = browser.get(f"/api/shows/{batch}")["undo"]
    browser.send("POST", f"/api/shows/{batch}/undo/{undo['id']}")
    assert state(browser, batch) == was
    browser.send("POST", f"/api/shows/{batch}/redo/{undo['id']}")
    assert state(browser, batch) == done
    browser.send("POST", f"/api/shows/{batch}/undo/{undo['id']}")


def test_each_part_names_who_decided_it_and_can_be_put_back(browser: Browser, batch: int) -> None:
    house = {"intent": {"intent": "real-time"}, "set": {"sound": "pitch"}}
    reached = browser.send("POST", f"/api/shows/{batch}/house/preview", house)
    assert reached["clips"] == 16 and browser.get(f"/api/shows/{batch}/house")["decisions"] == []
    browser.send("PUT", f"/api/shows/{batch}/house", house)
    delivery = browser.get(f"/api/shows/{batch}/house")["deliveries"][1]
    body = {"delivery_id": delivery["id"], "set": {"held": "on twos"}}
    assert browser.send("POST", f"/api/shows/{batch}/house/preview", body)["clips"] == 8
    browser.send("PUT", f"/api/shows/{batch}/house", body)
    recipe = {"name": "Fast", "intent": {"intent": "pace", "value": "1/2"}, "rule": {"shot_rate": {"least": "100"}}}
    browser.send("POST", f"/api/shows/{batch}/recipes", recipe)
    browser.send("POST", f"/api/shows/{batch}/recipes/run", {})
    fast = refs(browser, batch, "B07")
    browser.send("POST", f"/api/shows/{batch}/treatments", {"clips": fast, "set": {"fields": "split"}})
    fast = refs(browser, batch, "B07")
    browser.send("POST", f"/api/shows/{batch}/treatments", {"clips": fast, "set": {"reading": "24"}, "alone": True})

    def parts() -> dict[str, Any]:
        reckoned = browser.send("POST", f"/api/shows/{batch}/reckoning", {"clip_ids": [fast[0]["id"]]})
        return {part["part"]: (part["words"], part["origin"], part["own"]) for part in reckoned["parts"]}

    found = parts()
    assert found["intent"] == ("pace 50 %", "recipe Fast", False)
    assert found["sound"] == ("keeps its pitch", "show", False)
    assert found["held"] == ("on twos", "delivery Card B", False)
    assert found["fields"] == ("split", "clip", True)
    assert found["reading"] == ("at 24", "Main alone", True)
    assert found["between"] == ("pick", "", False)
    back = {"clips": refs(browser, batch, "B07"), "set": {"fields": None, "reading": None}}
    browser.send("POST", f"/api/shows/{batch}/treatments", back)
    assert parts()["fields"] == ("woven", "", False) and parts()["reading"] == ("as the file says", "", False)
    browser.send("POST", f"/api/shows/{batch}/treatments", {"clips": refs(browser, batch, "B07"), "recipe": None})
    assert parts()["intent"] == ("real time", "show", False)


def test_a_reading_is_split_off_for_some_timelines_and_leaves_the_others_alone(browser: Browser, batch: int) -> None:
    main, broadcast, festival = (t["id"] for t in browser.get(f"/api/shows/{batch}")["timelines"])
    before = {t: rows_on(browser, batch, t) for t in (main, broadcast, festival)}
    asked = {"clips": refs(browser, batch, "A01"), "set": {"reading": "25"}}
    preview = browser.send("POST", f"/api/shows/{batch}/preview", asked)
    assert preview["elsewhere"] == 2 and {use["timeline"] for use in preview["uses"]} == {
        "Main",
        "Broadcast",
        "Festival",
    }
    browser.send("POST", f"/api/shows/{batch}/treatments", {**asked, "timelines": [main, festival]})
    clip = asked["clips"][0]["id"]  # type: ignore[index]
    assert rows_on(browser, batch, broadcast) == before[broadcast]
    assert rows_on(browser, batch, main)[clip]["kind"] == "whole" and before[main][clip]["kind"] == "odd"
    assert rows_on(browser, batch, festival)[clip]["after"] != before[festival][clip]["after"]


def test_recipes_are_counted_ordered_run_and_followed(browser: Browser, batch: int) -> None:
    url = f"/api/shows/{batch}/recipes"
    assert browser.send("POST", f"{url}/count", {"shot_rate": {"least": "50"}})["fits"] == 8
    browser.send("POST", url, {"name": "All", "rule": {}, "intent": {"intent": "real-time"}})
    browser.send(
        "POST", url, {"name": "Fast", "rule": {"shot_ratio": {"least": "2"}}, "intent": {"intent": "every-frame"}}
    )
    browser.send("POST", url, {"name": "By hand", "set": {"reverse": "yes"}})
    every, fast, by_hand = browser.get(url)
    assert (every["fits"], fast["fits"], by_hand["fits"]) == (16, 0, 0) and by_hand["rule_words"] == "by hand only"
    browser.send("POST", f"{url}/order", {"ids": [fast["id"], every["id"]]})
    assert [r["name"] for r in browser.get(url)] == ["Fast", "All", "By hand"]
    assert [r["fits"] for r in browser.get(url)] == [8, 8, 0]
    preview = browser.send("POST", f"{url}/run/preview", {})
    assert preview["title"] == "2 recipes run on 16 clips"
    some = refs(browser, batch, "A")
    assert browser.send("POST", f"{url}/run", {"clips": some})["title"] == "2 recipes run on 8 clips"
    rows = browser.ledger(batch)
    assert [rows[f"A{i:02}.mov"]["recipe"] for i in range(8)] == ["All"] * 4 + ["Fast"] * 4
    assert all(row["recipe"] is None for name, row in rows.items() if name.startswith("B"))
    fast = browser.get(url)[0]
    changed = {"name": "Fast", "rule": {"shot_ratio": {"least": "2"}}, "intent": {"intent": "pace", "value": "1/4"}}
    reach = browser.send("POST", f"{url}/{fast['id']}/preview", changed)
    assert reach["clips"] == 4
    browser.send("PUT", f"{url}/{fast['id']}", {**changed, "revision": fast["revision"]})
    assert browser.ledger(batch)["A07.mov"]["intent_words"] == "pace 25 %"
    status, sentence = browser.refused("PUT", f"{url}/{fast['id']}", {**changed, "revision": fast["revision"]})
    assert status == 409 and "changed this recipe first" in sentence
    assert browser.refused("POST", url, {"name": "Fast"})[0] == 409
    assert browser.client.delete(f"{url}/{fast['id']}").status_code == 200
    assert browser.ledger(batch)["A07.mov"]["intent"] is None
    assert browser.refused("POST", f"{url}/run", {"clips": refs(browser, batch, "A00")}) == (
        422, "No recipe matches these clips, beyond those already applied.",
    )  # fmt: skip


def test_house_rules_and_recipes_go_from_one_show_to_another(browser: Browser, batch: int) -> None:
    browser.send("PUT", f"/api/shows/{batch}/house", {"intent": {"intent": "pace", "value": "2/5"}})
    browser.send("PUT", f"/api/shows/{batch}/receiving", {"receiving": "rate-two"})
    rule = {"shot_rate": {"least": "119.88"}, "name": "*spark*", "confirmed": True}
    browser.send("POST", f"/api/shows/{batch}/recipes", {"name": "Sparks", "rule": rule, "set": {"held": "12"}})
    document = browser.get(f"/api/shows/{batch}/house.json")
    assert document["decisions"] == {"intent": "pace 2/5"} and document["receiving"] == "rate-two"
    other = browser.show(name="Other")
    for _ in range(2):
        browser.send("POST", f"/api/shows/{other}/house.json", document)
        assert browser.get(f"/api/shows/{other}/house.json") == document, "read twice, nothing is doubled"
    schema = browser.get("/api/house.schema.json")
    assert set(schema["required"]) == {"receiving", "decisions", "recipes"}
    for wrong in ({**document, "version": 2}, {**document, "extra": 1}, {**document, "decisions": {"intent": "pace"}}):
        assert browser.refused("POST", f"/api/shows/{other}/house.json", wrong)[0] == 422


def test_treatments_are_copied_whole_or_in_part_and_clips_are_tagged_and_noted(browser: Browser, batch: int) -> None:
    url = f"/api/shows/{batch}/treatments"
    source = refs(browser, batch, "A06")
    decided = {
        "clips": source,
        "intent": {"intent": "pace", "value": "1/4"},
        "set": {"held": "on twos", "sound": "off"},
    }
    browser.send("POST", url, decided)
    copy = {"clip_id": source[0]["id"], "parts": ["held"]}
    browser.send("POST", url, {"clips": refs(browser, batch, "B00"), "copy_from": copy})
    said = browser.send("POST", url, {"clips": refs(browser, batch, "B01"), "copy_from": {"clip_id": source[0]["id"]}})
    assert said["title"] == "As A06.mov for B01.mov"
    rows = browser.ledger(batch)
    assert (rows["B00.mov"]["held"], rows["B00.mov"]["intent"]) == ("on twos", None)
    assert (rows["B01.mov"]["held"], rows["B01.mov"]["intent_words"], rows["B01.mov"]["sound"]) == (
        "on twos", "pace 25 %", "off",
    )  # fmt: skip
    browser.send("POST", url, {"clips": refs(browser, batch, "A0"), "tag": "Bell, close"})
    browser.send("POST", url, {"clips": refs(browser, batch, "A00"), "untag": "Bell, close"})
    browser.send("POST", url, {"clips": refs(browser, batch, "A01"), "note": "Ask the <foundry>"})
    found = browser.get(f"/api/shows/{batch}/ledger?find=bell+close&group=tag")
    assert found["names"] == [f"A0{i}.mov" for i in range(1, 8)] and found["tags"] == ["Bell, close"]
    assert [g["name"] for g in found["groups"]] == ["Bell, close"]
    assert browser.get(f"/api/shows/{batch}/ledger?find=foundry")["names"] == ["A01.mov"]
    page = browser.client.get(f"/api/shows/{batch}/sheet.html").text
    assert "Ask the &lt;foundry&gt;" in page and "<svg" in page and "Card B" in page


def test_the_ledger_is_sorted_grouped_and_filtered(browser: Browser, batch: int) -> None:
    url = f"/api/shows/{batch}/ledger"
    by_file = browser.get(f"{url}?sort=file&down=true&group=none")
    assert by_file["names"][:2] == ["A07.mov", "B07.mov"] and by_file["names"][-1] == "B00.mov"
    kinds = browser.get(f"{url}?group=cadence")
    sizes = {group["name"]: group["count"] for group in kinds["groups"]}
    assert sizes == {"odd": 10, "whole": 2, "even": 4} and kinds["counts"]["odd"] == 10
    odd = browser.get(f"{url}?mark=odd")
    assert len(odd["ids"]) == 10 and odd["total"] == 16
    browser.send(
        "POST", f"/api/shows/{batch}/treatments", {"clips": refs(browser, batch, "A0"), "intent": {"intent": "leave"}}
    )
    assert len(browser.get(f"{url}?mark=decided")["ids"]) == 8
    assert browser.get(f"{url}?group=decision&sort=name&down=true")["groups"][0]["name"] == "undecided"


def test_what_changed_since_the_last_sheet_stands_on_the_next(browser: Browser, batch: int) -> None:
    first = browser.send("POST", f"/api/shows/{batch}/sheets")
    clean = browser.get(f"/api/shows/{batch}/sheet.json")
    assert first["clips"] == 16 and not any(row["changed"] for row in clean["clips"])
    assert [total["clips"] for total in clean["deliveries"]] == [8, 8]
    browser.send("PUT", f"/api/shows/{batch}/receiving", {"receiving": "whole-percent"})
    asked = {"clips": refs(browser, batch, "A01"), "intent": {"intent": "speed", "value": "8/15"}}
    browser.send("POST", f"/api/shows/{batch}/treatments", asked)
    now = {row["clip"]: row for row in browser.get(f"/api/shows/{batch}/sheet.json")["clips"]}
    assert "speed 1/1 → 8/15" in now["A01.mov"]["changed"] and not now["A02.mov"]["changed"]
    assert now["A01.mov"]["receiving_system"] == "53 %" and now["A01.mov"]["receiving_off"] != 0
    taken = browser.get(f"/api/shows/{batch}/sheet.json?taken={first['id']}")
    assert taken["clips"] == clean["clips"], "a sheet that was taken stays as it was"
    assert browser.refused("GET", f"/api/shows/{batch}/sheet.json?taken=999")[0] == 404


def test_near_misses_rounding_and_both_ways_are_laid_out(browser: Browser, batch: int) -> None:
    festival = browser.get(f"/api/shows/{batch}")["timelines"][2]["id"]
    browser.send("PATCH", f"/api/shows/{batch}", {"default_timeline_id": festival})
    clip = refs(browser, batch, "A01")
    browser.send("POST", f"/api/shows/{batch}/treatments", {"clips": clip, "intent": {"intent": "real-time"}})
    clip = refs(browser, batch, "A01")
    reckoned = browser.send("POST", f"/api/shows/{batch}/reckoning", {"clip_ids": [clip[0]["id"]]})
    (miss,) = reckoned["near_misses"]
    assert (miss["read"]["exact"], miss["factor"], miss["kind"]) == ("24000/1001", "1000/1001", "whole")
    assert miss["hiccup_every"] == "41.7 s" and miss["cents"] == "−1.7 cents" and "−3.6 s an hour" in miss["drift"]
    browser.send("POST", f"/api/shows/{batch}/treatments", {"clips": clip, **miss["take"]})
    cleared = browser.send("POST", f"/api/shows/{batch}/reckoning", {"clip_ids": [clip[0]["id"]]})
    assert cleared["near_misses"] == [] and cleared["equations"][0]["kind"] == "whole"
    (both,) = cleared["choices"]
    rate, speed = both["ways"]
    assert (rate["product"], rate["now"]) == ("23.976 × 1 = 23.976", True) and speed["take"] == {
        "intent": {"intent": "speed", "value": "1000/1001"}, "set": {"reading": "file"},
    }  # fmt: skip
    every = browser.send("POST", f"/api/shows/{batch}/reckoning", {"clip_ids": [r["id"] for r in refs(browser, batch)]})
    percent = next(one for one in every["rounding"] if one["precision"] == "whole-percent")
    assert percent["number"] == "100 %" and every["choices"] == [] and every["sound"] is None
    assert next(part for part in every["parts"] if part["part"] == "reading")["mixed"]


def test_the_reckoner_takes_what_people_type(browser: Browser) -> None:
    got = browser.get("/api/reckoner?timeline=25&file=60i&shot=120&length=12s08f&speed=40%25")
    assert (got["file"]["exact"], got["frames"]) == ("30000/1001", 368)
    ways = {way["label"]: way for way in got["ways"]}
    assert list(ways) == ["speed", "real time", "every frame", "half real time", "as it stands"]
    assert (ways["real time"]["re_speed"], ways["real time"]["re_rate"]) == ("400.4 %", "read at 120")
    assert ways["every frame"]["plan"]["kind"] == "whole" and ways["speed"]["plan"]["speed"]["exact"] == "2/5"
    for wrong in ("timeline=25&file=fast", "timeline=0&file=25", "timeline=25&file=24&length=long"):
        assert browser.refused("GET", f"/api/reckoner?{wrong}")[0] == 422
