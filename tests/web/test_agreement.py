"""Preview, Bench, made file and command line ask one planning room: whatever is known and decided, they agree."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Fields, Intent
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.report import PictureReport, Repeats, Stretch
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.planning.clips import Clip
from oddmeter.core.planning.plans import Outcome, Plan, Refusal
from oddmeter.interchange.asked import asked_for
from oddmeter.store import clips, facts, looks, renders
from oddmeter.store.changes import change
from oddmeter.store.database import Database
from oddmeter.work.orders import Order
from tests.web.conftest import Browser

FOLDER = "The Tide Bell/Harbour, boat and phones"
NAMES = ("HB_boat_59.mp4", "HB_gulls_30.mp4", "HB_quay_29.mp4")
FILM = "29.97"
RATES = st.sampled_from(["24000/1001", "25/1", "30000/1001", "50/1", "60000/1001", "240/1"])


@st.composite
def evidence(draw: st.DrawFn) -> tuple[Facts, PictureReport | None]:
    """A clip as a probe and a look at its pictures could have found it."""
    frames, rate = draw(st.integers(60, 400)), Rate.exactly(draw(RATES))
    capture = draw(st.none() | st.sampled_from([Fraction(120), Fraction(240)]))
    found = Facts(
        frames=frames, file_rate=rate, measured_rate=rate.value, stated_rate=rate.value, width=64, height=48,
        scan=draw(st.sampled_from(Scan)), capture_rate=capture, capture_key="capture_rate" if capture else "",
    )  # fmt: skip
    kind = draw(st.sampled_from(["none", "plain", "pulldown", "repeats"]))
    if kind == "none":
        return found, None
    if kind == "pulldown":
        edit, order = draw(st.integers(20, frames - 20)), draw(st.sampled_from(FieldOrder))
        stretches = (
            Stretch(0, edit - 1, Scan.INTERLACED, order, "2:3", draw(st.integers(0, 4))),
            Stretch(edit, frames - 1, Scan.INTERLACED, order, "2:3", draw(st.integers(0, 4))),
        )
        return found, PictureReport(frames, True, stretches)
    stretch = Stretch(0, frames - 1, Scan.PROGRESSIVE)
    if kind == "plain":
        return found, PictureReport(frames, True, (stretch,), cuts=(30,))
    new = ("11010" * frames)[:frames]
    return found, PictureReport(frames, True, (stretch,), Repeats(frames, new.count("1"), Fraction(3, 5), new))


WISHES = st.sampled_from([
    ("real-time", None), ("every-frame", None), ("pace", "1/2"), ("speed", "40%"), ("fit", "90"), ("leave", None),
    ("curve", "100 → 25 → 200 %"),
])  # fmt: skip
PARTS = st.fixed_dictionaries({}, optional={
    Part.FIELDS: st.sampled_from(["whole", "deinterlace", "split", "original"]),
    Part.BETWEEN: st.sampled_from(["pick", "mix", "flow", "gather"]),
    Part.SHUTTER: st.sampled_from(["180", "360°", "1/4"]),
    Part.HELD: st.sampled_from(["off", "on twos", "12"]),
    Part.SPAN: st.sampled_from(["whole", "10-50", "0-", "45-900", "500-600"]),
    Part.SOUND: st.sampled_from(["off", "pitch"]),
})  # fmt: skip


@pytest.fixture
def harbour(browser: Browser, database: Database) -> int:
    """A show at 29.97 with three clips, whose evidence is put down by the test."""
    show = browser.show(FILM)
    with change(database, show, "brought in", "Ada") as connection:
        paths = [f"{FOLDER}/{name}" for name in NAMES]
        clips.bring_in(connection, clips.add_delivery(connection, show, "Card", "Footage", FOLDER, paths))
    return show


def put_down(database: Database, show: int, found: list[tuple[Facts, PictureReport | None]]) -> list[Clip]:
    with database.transaction() as connection:
        every = clips.clips_of_show(connection, show)
        for clip, (measured, picture) in zip(every, found, strict=True):
            facts.keep_facts(connection, clip.id, measured)
            connection.execute("UPDATE picture SET report = NULL WHERE clip_id = %s", (clip.id,))
            looks.end_look(connection, clip.id, "done", picture)
        connection.execute("DELETE FROM word")
        connection.execute("DELETE FROM render")
        connection.execute("UPDATE treatment SET decisions = '{}'")
        return clips.clips_of_show(connection, show)


def refs(browser: Browser, show: int, names: tuple[str, ...]) -> list[dict[str, int]]:
    got = browser.get(f"/api/shows/{show}/ledger")
    return [
        {"id": i, "revision": revision}
        for i, name, revision in zip(got["ids"], got["names"], got["revisions"], strict=True)
        if name in names
    ]


def by_command_line(clip: Clip, wish: tuple[str, str | None], parts: dict[Part, str], shot: str | None) -> Outcome:
    asked = asked_for(Intent(wish[0]), wish[1], timeline=FILM, shot=shot, parts=parts)
    return asked.outcome(replace(clip, words=(*clip.words, *asked.words)))


def made_of(browser: Browser, database: Database, show: int, clip: Clip, told: Conform | None = None) -> Conform:
    """The plan that a file asked for now is made with, out of the queue. Where original pictures are wanted of a clip
    that nobody has looked at, none is made, and the plan is what was told."""
    asked = browser.send("POST", f"/api/shows/{show}/renders", {"clip_ids": [clip.id], "setting": "archive"})
    if told is not None and told.fields is Fields.ORIGINAL and clip.picture is None:
        assert asked["queued"] == 0 and "have not been analysed" in asked["refused"][0]["problem"]
        return told
    with database.transaction() as connection:
        render = next(one for one in renders.renders_of_show(connection, show) if one.clip_id == clip.id)
        connection.execute("DELETE FROM render")
        connection.execute("DELETE FROM procrastinate_jobs")
    return Order.model_validate(render.plan).conformed()


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(evidence(), min_size=3, max_size=3), WISHES, PARTS, st.none() | st.sampled_from(["23.976", "100"]))
def test_all_who_plan_agree(
    browser: Browser, database: Database, harbour: int, found: list[tuple[Facts, PictureReport | None]],
    wish: tuple[str, str | None], parts: dict[Part, str], shot: str | None,
) -> None:  # fmt: skip
    known = put_down(database, harbour, found)
    clip, other = known[0], known[1]
    treatment: dict[str, Any] = {"intent": {"intent": wish[0], "value": wish[1]}, "set": parts}
    if shot is not None:
        treatment["shot_rate"] = shot
    asked = {"clips": refs(browser, harbour, (clip.name,)), **treatment}
    preview = browser.send("POST", f"/api/shows/{harbour}/preview", asked)
    moved = {move["id"]: move for move in preview["uses"][0]["moves"]}
    side = browser.client.post(f"/api/shows/{harbour}/bench/{clip.id}/side", json=treatment)
    told = by_command_line(clip, wish, parts, shot)
    if isinstance(told, Refusal):
        assert moved[clip.id]["refused"] == told.sentence
        assert side.status_code == 422 and told.sentence in side.json()["detail"]
        assert told.sentence in browser.refused("POST", f"/api/shows/{harbour}/treatments", asked)[1]
        return
    assert side.status_code == 200, side.text
    browser.send("POST", f"/api/shows/{harbour}/treatments", asked)
    row = browser.ledger(harbour)[clip.name]
    made = made_of(browser, database, harbour, clip, told.conformed)
    assert made == told.conformed, "the file and the command line"
    length, speed = made.frame_map.length, made.speed
    assert row["plan"]["after"]["frames"] == length == side.json()["length"]["frames"]
    assert Fraction(row["plan"]["speed"]["exact"]) == speed and side.json()["speed"].startswith(
        row["plan"]["speed"]["percent"]
    )
    assert (row["plan"]["dropped"], row["plan"]["repeated"]) == (side.json()["dropped"], side.json()["repeated"])
    if clip.id in moved:
        shown = (row["plan"]["after"], row["plan"]["speed"]["percent"])
        assert (moved[clip.id]["after"], moved[clip.id]["speed_after"]) == shown
    assert browser.send("POST", f"/api/shows/{harbour}/bench/{clip.id}/side", {})["token"] == side.json()["token"]
    _copied_over(browser, database, harbour, clip, other, {**parts, Part.SPAN: "whole"}, wish)


def _copied_over(
    browser: Browser, database: Database, show: int, source: Clip, to: Clip, parts: dict[Part, str],
    wish: tuple[str, str | None],
) -> None:  # fmt: skip
    """The treatment taken over by another clip: in and out are left to it, and all agree again."""
    asked = {"clips": refs(browser, show, (to.name,)), "copy_from": {"clip_id": source.id}}
    told = by_command_line(to, wish, parts, None)
    preview = browser.send("POST", f"/api/shows/{show}/preview", asked)
    move = next((m for m in preview["uses"][0]["moves"] if m["id"] == to.id), None)
    if isinstance(told, Refusal):
        assert move is not None and move["refused"] == told.sentence
        return
    browser.send("POST", f"/api/shows/{show}/treatments", asked)
    assert made_of(browser, database, show, to, told.conformed) == told.conformed
    if move is not None:
        assert move["after"]["frames"] == told.after


def test_a_phones_capture_rate_counts_everywhere(browser: Browser, database: Database, harbour: int) -> None:
    phone = Facts(
        240, Rate.of(30), width=64, height=48, capture_rate=Fraction(240), capture_key="com.android.capture.fps"
    )
    clip = put_down(database, harbour, [(phone, None)] * 3)[0]
    told = by_command_line(clip, ("real-time", None), {}, None)
    assert isinstance(told, Plan) and told.conformed.speed == 8
    row = browser.ledger(harbour)[clip.name]
    browser.decide(harbour, [row], intent={"intent": "real-time"})
    assert made_of(browser, database, harbour, clip, told.conformed) == told.conformed


def test_a_shot_rate_said_of_pulldown_is_previewed_as_it_is_made(
    browser: Browser, database: Database, harbour: int
) -> None:
    """The word counts pictures; more frames than that pass in a second of life while pulldown is inside."""
    stretch = Stretch(0, 149, Scan.INTERLACED, FieldOrder.LOWER, "2:3", 1)
    tape = Facts(150, Rate.parse(FILM), width=64, height=48, scan=Scan.INTERLACED)
    clip = put_down(database, harbour, [(tape, PictureReport(150, True, (stretch,)))] * 3)[0]
    asked = {"intent": {"intent": "real-time"}, "shot_rate": "23.976"}
    side = browser.send("POST", f"/api/shows/{harbour}/bench/{clip.id}/side", asked)
    preview = browser.send(
        "POST", f"/api/shows/{harbour}/preview", {"clips": refs(browser, harbour, (clip.name,)), **asked}
    )
    assert (side["length"]["frames"], side["speed"]) == (150, "100 %")
    assert preview["uses"][0]["moves"][0]["after"]["frames"] == 150
    browser.decide(harbour, [browser.ledger(harbour)[clip.name]], **asked)
    assert made_of(browser, database, harbour, clip).speed == 1


def test_film_beneath_a_crawl_is_said_and_both_ways_are_offered_with_what_each_costs(
    browser: Browser, database: Database, harbour: int
) -> None:
    plain = Stretch(0, 49, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 0)
    crawl = Stretch(50, 149, Scan.INTERLACED, FieldOrder.UPPER, "2:3", 0, graphics=(7,))
    tape = Facts(150, Rate.parse("29.97"), width=64, height=48, scan=Scan.INTERLACED, field_order=FieldOrder.UPPER)
    clip = put_down(database, harbour, [(tape, PictureReport(150, True, (plain, crawl)))] * 3)[0]
    seen = browser.get(f"/api/shows/{harbour}/clips/{clip.id}/evidence")["picture"]["stretches"]
    assert seen[1]["words"].endswith("; above it, at the bottom, graphics at field rate")
    row = browser.ledger(harbour)[clip.name]
    assert {"pulldown", "graphics"} <= set(row["marks"])
    told = browser.send("POST", f"/api/shows/{harbour}/reckoning", {"clip_ids": [clip.id]})
    film, fields = next(one for one in told["choices"] if "graphics" in one["title"])["ways"]
    assert (film["product"], fields["product"]) == ("23.976 a second", "59.94 a second")
    assert "graphics lose 40 of their 200 fields" in film["sentence"] and not film["now"] and not fields["now"]
    for way, units in ((film, 120), (fields, 300)):
        browser.decide(harbour, [browser.ledger(harbour)[clip.name]], **way["take"])
        made = made_of(browser, database, harbour, clip)
        assert made.frame_map.units == units
        assert made.frame_map.length == way["after"]["frames"]
    told = browser.send("POST", f"/api/shows/{harbour}/reckoning", {"clip_ids": [clip.id]})
    now = {way["route"]: way["now"] for choice in told["choices"] for way in choice["ways"]}
    assert now["every field"] and not now["the film's pictures"]


def test_a_trim_that_leaves_nothing_is_named_wherever_the_clip_is_met(
    browser: Browser, database: Database, harbour: int, tmp_path: Path
) -> None:
    """In and out were right; then the file was looked at again, and holds less."""
    long, short = (Facts(n, Rate.of(25), measured_rate=Fraction(25)) for n in (400, 100))
    clip = put_down(database, harbour, [(long, None)] * 3)[0]
    browser.decide(harbour, [browser.ledger(harbour)[clip.name]], set={"span": "200-300"})
    with database.transaction() as connection:
        facts.keep_facts(connection, clip.id, short)
    why = "There are no frames between the in and out points; the clip has 100."
    row = browser.ledger(harbour)[clip.name]
    assert row["without_plan"] == why and row["marks"] == ["refused"] and row["plan"] is None
    body = {"clip_ids": [clip.id], "setting": "view"}
    (file,) = browser.send("POST", f"/api/shows/{harbour}/handoff/preview", body)["files"]
    assert file["problem"] == why
    for method, path, sent in (("GET", "", None), ("POST", "/side", {})):
        assert why in browser.refused(method, f"/api/shows/{harbour}/bench/{clip.id}{path}", sent)[1]
    sheet = {line["clip"]: line for line in browser.get(f"/api/shows/{harbour}/sheet.json")["clips"]}
    assert why in sheet[clip.name]["marks"]
    found = browser.get(f"/api/shows/{harbour}/ledger?mark=trouble")
    assert found["ids"] == [clip.id] and found["counts"]["refused"] == 1
