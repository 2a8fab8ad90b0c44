"""The Bench over HTTP: sides, what they show, their pictures told by frame code, the strip and the check."""

import json
import struct
from typing import Any

import cv2
import numpy as np
import pytest

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.rates import Rate
from oddmeter.demo.framecode import read
from oddmeter.media.shelf import Shelf
from oddmeter.store import facts
from oddmeter.store.database import Database
from tests.web.conftest import Browser

HARBOUR = "The Tide Bell/Harbour, boat and phones"


def code_in(data: bytes) -> int | None:
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    assert picture is not None
    return read(np.asarray(picture, np.uint8))


class Bench:
    """A clip on the Bench of a new show."""

    def __init__(self, browser: Browser, folder: str, clip: str, rate: str) -> None:
        self.browser, self.show = browser, browser.show(rate)
        browser.bring_in(self.show, folder)
        self.clip = browser.ledger(self.show)[clip]["id"]
        self.path = f"/api/shows/{self.show}/bench/{self.clip}"

    def side(self, **asked: object) -> Any:
        return self.browser.send("POST", f"{self.path}/side", asked)

    def picture(self, side: Any, frame: int, **how: str) -> bytes:
        query = "&".join(f"{key}={value}" for key, value in how.items())
        got = self.browser.client.get(f"/api/bench/{side['token']}/frames/{frame}?{query}")
        assert got.status_code == 200 and got.headers["content-type"] == "image/jpeg", got.text
        assert "immutable" in got.headers["cache-control"]
        return got.content

    def shown(self, side: Any, first: int, count: int = 1) -> Any:
        return self.browser.get(f"/api/bench/{side['token']}/shown?first={first}&count={count}")

    def added(self, side: Any) -> dict[str, int]:
        """The whole strip of a side in a hundred columns, added up again."""
        last = side["length"]["frames"] - 1
        got = self.browser.get(f"/api/bench/{side['token']}/strip?first=0&last={last}&columns=100")["strip"]
        assert got["beats"] == [] and len(got["columns"]) == 100
        return {key: sum(one[key] for one in got["columns"]) for key in ("frames", "repeated", "made", "dropped")}

    def spot(self, side: Any, what: str, frame: int, step: int = 1, other: Any = None) -> int | None:
        more = f"&other={other['token']}" if other else ""
        got = self.browser.get(f"/api/bench/{side['token']}/spot?what={what}&frame={frame}&step={step}{more}")
        spot: int | None = got["frame"]
        return spot


@pytest.fixture
def quay(browser: Browser, media_root: Any) -> Bench:
    folder = next(p.parent for p in media_root.rglob("HB_quay_29.mp4"))
    return Bench(browser, str(folder.relative_to(media_root)), "HB_quay_29.mp4", "23.976")


def test_the_missing_frame_is_found_between_two_sides(quay: Bench) -> None:
    planned, every = quay.side(), quay.side(intent={"intent": "every-frame"})
    assert planned["words"] == [] and every["words"] == ["every frame"]
    assert (planned["length"]["frames"], every["length"]["frames"]) == (192, 240)
    assert (planned["dropped"], every["dropped"]) == (48, 0)
    at = quay.spot(planned, "difference", 0, 1, every)
    assert at == 4 == quay.spot(planned, "drop", 0)
    ours, theirs = quay.shown(planned, 4)[0], quay.shown(every, 4)[0]
    assert (ours["source_frame"], ours["skipped"], theirs["source_frame"]) == (5, 1, 4)
    for side, frame, code in ((planned, 4, 5), (every, 4, 4), (planned, 191, 238)):
        assert code_in(quay.picture(side, frame)) == code
        assert code_in(quay.picture(side, frame, size="draft")) == code
    assert quay.spot(planned, "repeat", 0) is None and quay.spot(planned, "period", 0) == 4


def test_a_mix_names_its_frames_weights_and_timecode(quay: Bench) -> None:
    side = quay.side(set={"between": "mix"})
    frame = quay.shown(side, 1)[0]
    assert frame["kind"] == "mixed"
    (moment,) = frame["moments"]
    assert [(part["frames"], part["percent"]) for part in moment["parts"]] == [("1", "75 %"), ("2", "25 %")]
    start = quay.browser.get(quay.path)["timecode"]
    assert moment["parts"][0]["timecode"][:-2] == start[:-2]
    assert code_in(quay.picture(side, 4)) == 5, "a whole position is the frame itself"
    assert code_in(quay.picture(side, 2, size="draft")) in (2, 3)


def test_an_open_shutter_names_its_ends_and_how_many_it_takes(quay: Bench) -> None:
    side = quay.side(intent={"intent": "speed", "value": "10"}, set={"between": "gather", "shutter": "360"})
    frame = quay.shown(side, 1)[0]
    assert frame["kind"] == "gathered" and frame["skipped"] == 0
    (moment,) = frame["moments"]
    ends = [(part["frames"], part["percent"]) for part in moment["parts"]]
    assert (moment["count"], ends) == (13, [("12", "4 %"), ("24", "8 %")]), "from 12½ to 25"
    refused = {"intent": {"intent": "speed", "value": "9000"}, "set": {"between": "gather", "shutter": "360"}}
    status, sentence = quay.browser.refused("POST", f"{quay.path}/side", refused)
    assert status == 422 and "At this speed Gather would combine" in sentence


def test_side_b_is_kept_in_one_step_and_undone(quay: Bench) -> None:
    asked = {"intent": {"intent": "pace", "value": "50%"}, "set": {"between": "flow", "trust": "70%"}}
    b = quay.side(**asked)
    bench = quay.browser.get(quay.path)
    refs = [{"id": quay.clip, "revision": bench["revision"]}]
    quay.browser.send("POST", f"/api/shows/{quay.show}/treatments", {"clips": refs, **asked})
    assert quay.side()["token"] == b["token"], "what is planned now is what side B was"
    quay.browser.undo(quay.show)
    assert quay.side()["token"] != b["token"]


def test_a_trim_is_in_source_frames_and_everything_follows_it(quay: Bench) -> None:
    row = quay.browser.ledger(quay.show)["HB_quay_29.mp4"]
    made = quay.browser.decide(quay.show, [row], set={"span": "40-139"})
    assert made["title"] == "Frames 40 to 139 for HB_quay_29.mp4"
    bench, side = quay.browser.get(quay.path), quay.side()
    assert (bench["first_frame"], bench["last_frame"], side["length"]["frames"]) == (40, 139, 80)
    assert quay.shown(side, 0)[0]["source_frame"] == 40
    assert code_in(quay.picture(side, 0)) == 40
    row = quay.browser.ledger(quay.show)["HB_quay_29.mp4"]
    status, sentence = quay.browser.refused(
        "POST", f"/api/shows/{quay.show}/treatments",
        {"clips": [{"id": row["id"], "revision": row["revision"]}], "set": {"span": "900-950"}},
    )  # fmt: skip
    assert status == 422 and "There are no frames between the in and out points" in sentence


def test_an_interlaced_timeline_names_and_shows_both_fields(quay: Bench) -> None:
    timeline = quay.browser.get(f"/api/shows/{quay.show}")["timelines"][0]
    settings = {
        "name": "Tape", "rate": "29.97", "width": 720, "height": 480, "pixel_aspect": "8/9", "scan": "lower",
        "drop_frame": True, "sound_rate": 48000, "revision": timeline["revision"],
    }  # fmt: skip
    quay.browser.send("PUT", f"/api/shows/{quay.show}/timelines/{timeline['id']}", settings)
    side = quay.side(intent={"intent": "speed", "value": "200%"}, set={"framing": "inside"})
    assert (side["scan_words"], side["width"], side["height"]) == ("interlaced, lower first", 640, 480)
    frame = quay.shown(side, 5)[0]
    assert [(m["field"], m["parts"][0]["frames"]) for m in frame["moments"]] == [("lower", "10"), ("upper", "11")]
    assert frame["timecode"] == "00:00:00;05"
    lower, upper = (quay.picture(side, 5, part=name) for name in ("lower", "upper"))
    assert lower != upper


def test_frames_for_playing_come_many_at_once(quay: Bench) -> None:
    side = quay.side()
    got = quay.browser.client.get(f"/api/bench/{side['token']}/run?first=188&count=25").content
    codes = []
    while got:
        (length,) = struct.unpack("<I", got[:4])
        codes.append(code_in(got[4 : 4 + length]))
        got = got[4 + length :]
    assert codes == [j * 5 // 4 for j in range(188, 192)]


def test_the_strip_adds_up_where_frames_cannot_be_told_apart(quay: Bench) -> None:
    side = quay.side()
    near = quay.browser.get(f"/api/bench/{side['token']}/strip?first=0&last=19")
    threads = [beat["threads"] for beat in near["strip"]["beats"]]
    assert [[thread["unit"] for thread in one] for one in threads] == [[j * 5 // 4] for j in range(20)]
    assert near["strip"]["units"] == list(range(25)) and near["strip"]["places"][5] == 4
    assert near["period"] == 4 and near["strip"]["columns"] == []
    slow = quay.side(intent={"intent": "speed", "value": "10%"})
    length = slow["length"]["frames"]
    assert quay.added(slow) == {"frames": length, "repeated": slow["repeated"], "made": 0, "dropped": 0}
    fast = quay.side(intent={"intent": "speed", "value": "4"})
    assert fast["dropped"] == 192


def test_the_strip_counts_as_made_only_what_is_made(database: Database, quay: Bench) -> None:
    """Picked frames are never made; where pictures are held, each mix is made once and then held."""
    rate = Rate.of(60)
    with database.transaction() as connection:
        facts.keep_facts(connection, quay.clip, Facts(2500, rate, measured_rate=rate.value, width=64, height=48))
    timeline = quay.browser.get(f"/api/shows/{quay.show}")["timelines"][0]
    settings = {"name": "Main", "rate": "24", "revision": timeline["revision"]}
    quay.browser.send("PUT", f"/api/shows/{quay.show}/timelines/{timeline['id']}", settings)
    picked = quay.side()
    assert quay.added(picked) == {"frames": 1000, "repeated": 0, "made": 0, "dropped": 1500}
    assert (picked["made"], picked["dropped"]) == (0, 1500)
    mixed = quay.side(set={"between": "mix"})
    assert quay.added(mixed)["made"] == mixed["made"] == 500
    twos = quay.side(intent={"intent": "speed", "value": "5/6"}, set={"between": "mix", "held": "on twos"})
    assert twos["length"]["frames"] == 1200
    assert quay.added(twos) == {"frames": 1200, "repeated": 600, "made": twos["made"], "dropped": twos["dropped"]}
    frames = [frame for first in range(0, 1200, 120) for frame in quay.shown(twos, first, 120)]
    assert twos["made"] == sum(frame["kind"] == "mixed" for frame in frames) == 500


def test_the_check_tells_repeats_from_new_frames(quay: Bench) -> None:
    slow = quay.side(intent={"intent": "speed", "value": "1/2"})
    got = quay.browser.get(f"/api/bench/{slow['token']}/changes?first=10&count=30")
    kinds = [frame["kind"] for frame in quay.shown(slow, 10, 30)]
    assert [change == 0 for change in got["changes"]] == [kind == "repeated" for kind in kinds]


def test_what_cannot_be_shown_is_said(browser: Browser, quay: Bench) -> None:
    status, sentence = browser.refused("GET", "/api/bench/none/frames/0")
    assert status == 404 and "Bench" in sentence
    side = quay.side()
    status, sentence = browser.refused("GET", f"/api/bench/{side['token']}/frames/5000")
    assert status == 422 and "lies outside" in sentence
    status, _ = browser.refused("GET", f"/api/shows/{quay.show}/bench/987654")
    assert status == 404
    status, sentence = browser.refused("POST", f"{quay.path}/side", {"set": {"trust": "150%"}})
    assert status == 422 and "Trust is between 0 and 100 %" in sentence
    assert json.dumps(side)


def test_the_shelf_keeps_no_more_than_it_may(tmp_path: Any) -> None:
    shelf = Shelf(tmp_path, most=10_000)
    for number in range(30):
        shelf.put(f"{number:02}key", bytes(1000))
    shelf.prune()
    kept = [number for number in range(30) if shelf.get(f"{number:02}key")]
    assert kept == list(range(20, 30)), "the oldest go first"
