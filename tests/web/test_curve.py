"""Speed along the shot over HTTP: one edit at a time, kept as any other decision, on one clip or many."""

import json
from fractions import Fraction
from typing import Any

from tests.web.conftest import Browser

FOUNDRY = "The Tide Bell/Foundry day 1"
BELL, SPARKS = "FD1_B01_bell_swing_100.mov", "FD1_B02_sparks_119.mov"


class Bent:
    """A clip whose curve is edited, side B kept between edits."""

    def __init__(self, browser: Browser, show: int, name: str) -> None:
        self.browser, self.clip = browser, browser.ledger(show)[name]["id"]
        self.path = f"/api/shows/{show}/bench/{self.clip}"
        self.side: dict[str, Any] = {}

    def edit(self, do: str, **given: object) -> Any:
        made = self.browser.send("POST", f"{self.path}/curve", {"do": do, "side": self.side, **given})
        self.side = made["take"]
        assert set(self.side) == {"intent"}, "nothing else is decided by an edit"
        return made

    def refused(self, do: str, **given: object) -> str:
        return self.browser.refused("POST", f"{self.path}/curve", {"do": do, "side": self.side, **given})[1]

    @property
    def shown(self) -> Any:
        return self.browser.send("POST", f"{self.path}/side", self.side)


def test_a_stretch_is_slowed_and_nothing_else_changes(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    bell = Bent(browser, show, BELL)
    assert bell.shown["curve"]["has"] is False and bell.shown["length"]["frames"] == 125
    made = bell.edit("stretch", frame=50, last=74, text="1/4")
    assert (made["before"]["frames"], made["after"]["frames"]) == (125, 200), "25 frames become 100"
    assert [(one["frame"], one["arrives"], one["leaves"]) for one in made["curve"]["points"]] == [
        (200, "1", "0.25"), (300, "0.25", "1"),
    ]  # fmt: skip
    window = browser.get(f"/api/bench/{bell.shown['token']}/strip?first=0&last=199")
    strip = window["strip"]
    assert window["numbered"] == list(range(0, 200, 20))
    assert strip["speeds"] == [1, 1, 0.25, 0.25, 1, 1] and strip["speeds_at"] == [0, 50, 50, 150, 150, 200]
    shown = browser.get(f"/api/bench/{bell.shown['token']}/shown?first=49&count=3")
    assert [one["source_frame"] for one in shown] == [196, 200, 201]
    assert bell.edit("fit", frame=50, last=149, text="50")["after"]["frames"] == 150
    assert bell.edit("fit", frame=50, last=99, text="to 110")["after"]["frames"] == 160
    assert bell.refused("fit", frame=50, last=109, text="to 50") == "The range would end before it begins."
    assert bell.edit("fit", frame=50, last=109, text="to 100")["after"]["frames"] == 150
    assert [one["text"] for one in bell.shown["curve"]["even"]][-3:] == ["1", "0.5", "0.25"]


def test_what_is_dragged_or_stepped_goes_by_five_per_cent(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    bell = Bent(browser, show, BELL)
    bell.edit("point", frame=25)
    made = [
        bell.edit("segment", number=0, text="0.4321", drawn=True), bell.edit("faster", number=0),
        bell.edit("slower", number=0), bell.edit("slower", number=0),
    ]  # fmt: skip
    assert [one["curve"]["points"][0]["leaves"] for one in made] == ["0.45", "0.5", "0.45", "0.4"]
    bell.edit("of", text="pace")
    assert bell.edit("segment", number=0, text="2", drawn=True)["curve"]["points"][0]["leaves"] == "2"
    assert "This point of the curve does not exist" in bell.refused("faster", number=4)


def test_points_stay_on_their_picture_and_pins_on_their_frame(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    bell = Bent(browser, show, BELL)
    assert bell.edit("point", frame=25)["after"]["frames"] == 125, "a point alone changes nothing"
    bell.edit("point", frame=75)
    made = bell.edit("segment", number=0, text="40%")
    frames = [one["frame"] for one in made["curve"]["points"]]
    assert frames == [100, 300] and made["moved"] == ["point 2 +75"]
    made = bell.edit("pin", number=1, frame=90)
    assert made["curve"]["points"][1]["comes"] == 90 and [one["frame"] for one in made["curve"]["points"]] == frames
    assert made["curve"]["scaled"] == ["speeds from the in point to point 2 × 5/3"]
    assert "nothing fits" in bell.refused("pin", number=1, frame=0)
    assert "This point of the curve does not exist" in bell.refused("remove", number=9)
    assert "already" in bell.refused("point", frame=90)
    assert bell.refused("of", text="") == "A curve sets speed or pace, not “”."
    assert "never reached backwards" in bell.refused("both", number=0, text="-1")
    for do, given, there in (
        ("ease", {"number": 0, "text": "1", "end": "begin"}, {"ease_begins": "1", "ease_finishes": "0"}),
        ("holds", {"number": 0, "text": "12"}, {"holds": 12}),
        ("move", {"number": 0, "frame": 120}, {"frame": 120}),
        ("carry", {"number": 0, "frame": 20}, {}),
        ("arrives", {"number": 0, "text": "x0.4"}, {"arrives": "0.4"}),
        ("unpin", {"number": 1}, {}),
        ("of", {"text": "pace"}, {}),
    ):
        point = bell.edit(do, **given)["curve"]["points"][0]
        assert {key: point[key] for key in there} == there, do
    assert len(bell.edit("remove", number=1)["curve"]["points"]) == 1


def test_a_curve_is_kept_undone_and_made_like_any_decision(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, FOUNDRY)
    rows = browser.ledger(show)
    wish = {"intent": "curve", "value": "100 → 20 → 100 %"}
    browser.decide(show, list(rows.values()), intent=wish)
    after = browser.ledger(show)
    assert {row["intent_words"] for row in after.values()} == {"curve 100 → 20 → 100 %"}
    assert all(len(row["plan"]["strip"]["columns"]) == 18 and row["plan"]["strip"]["speeds"] for row in after.values())
    bell = Bent(browser, show, BELL)
    assert [one["frame"] for one in bell.shown["curve"]["points"]] == [125, 188, 312, 375]
    asked = {"clip_ids": [bell.clip], "setting": "archive"}
    (file,) = browser.send("POST", f"/api/shows/{show}/handoff/preview", asked)["files"]
    assert file["problem"] is None and file["frames"] == after[BELL]["plan"]["after"]["frames"]
    browser.send("POST", f"/api/shows/{show}/renders", {"clip_ids": [bell.clip], "setting": "archive"})
    browser.work()
    (render,) = browser.get(f"/api/shows/{show}/renders")
    assert render["state"] == "done" and all(check["passed"] for check in render["checks"]), render
    browser.undo(show)
    assert {row["intent"] for row in browser.ledger(show).values()} == {None}
    sheet = browser.client.get(f"/api/shows/{show}/sheet.csv")
    assert sheet.status_code == 200


def test_both_readings_of_a_phone_stand_beside_each_other(browser: Browser) -> None:
    show = browser.show()
    browser.bring_in(show, "The Tide Bell/Phones and drone")
    rope = browser.ledger(show)["PH_rope_slow.mp4"]
    assert rope["plan"]["after"]["frames"] == 176 and "variable" in rope["marks"] and "remark" not in rope["marks"]
    told = browser.send("POST", f"/api/shows/{show}/reckoning", {"clip_ids": [rope["id"]]})
    (readings,) = told["choices"]
    by_times, evenly = readings["ways"]
    assert (by_times["route"], by_times["after"]["frames"], by_times["now"]) == ("by its times", 176, True)
    assert evenly["route"] == "evenly" and evenly["take"]["set"]["reading"]
    side = browser.send("POST", f"/api/shows/{show}/bench/{rope['id']}/side", {"shot_rate": "240"})
    assert side["length"]["frames"] == 44, "420 frames at 240 are 1.75 s: the slow stretch is undone"
    browser.decide(show, [rope], shot_rate="240", intent={"intent": "real-time"})
    settled = browser.ledger(show)["PH_rope_slow.mp4"]
    assert settled["plan"]["after"]["frames"] == 44
    assert Fraction(json.loads(json.dumps(settled["plan"]["pace"]["exact"]))) == 1
