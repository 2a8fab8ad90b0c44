"""Music beside a clip over HTTP: chosen, placed, its beats changed and undone, a moment put on one; and made."""

import io
import shutil
import wave
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from oddmeter.demo.music import beat_times
from oddmeter.demo.takes import RECORDINGS
from tests.waiting import wait_until
from tests.web.conftest import Browser

FOUNDRY, MUSIC = "The Tide Bell/Foundry day 1", "The Tide Bell/Music"
BELL, MOULD = "FD1_B01_bell_swing_100.mov", "FD1_A02_mould_50.mov"
THEME = RECORDINGS[0]
TRUE = [round(second * 25) for second in beat_times(THEME.piece)]


class Tuned:
    """A clip with music, side B kept between edits."""

    def __init__(self, browser: Browser, name: str) -> None:
        self.browser, self.show = browser, browser.show()
        browser.bring_in(self.show, FOUNDRY)
        browser.bring_in(self.show, MUSIC, "Music")
        self.clip = browser.ledger(self.show)[name]["id"]
        self.path = f"/api/shows/{self.show}/bench/{self.clip}"
        self.side: dict[str, Any] = {}

    def edit(self, do: str, **given: object) -> None:
        self.side = self.browser.send("POST", f"{self.path}/music", {"do": do, "side": self.side, **given})["take"]

    def choose(self) -> None:
        (piece,) = [one for one in self.browser.get(f"/api/shows/{self.show}/music") if one["only_sound"]]
        assert piece["name"] == THEME.name
        self.edit("choose", root=piece["root"], path=piece["path"])

    @property
    def music(self) -> Any:
        return self.browser.send("POST", f"{self.path}/beats", self.side)

    @property
    def shown(self) -> Any:
        return self.browser.send("POST", f"{self.path}/side", self.side)

    def beats(self, do: str, **given: object) -> list[int]:
        asked = {"do": do, "side": self.side, **given}
        return list(self.browser.send("POST", f"{self.path}/beats/edit", asked)["beats"])


@pytest.fixture
def tuned(browser: Browser) -> Tuned:
    made = Tuned(browser, BELL)
    made.choose()
    return made


def test_music_is_placed_by_its_start_or_its_first_beat(tuned: Tuned) -> None:
    found = tuned.music
    assert found["tempo"] == "96" and found["start"] == 0 and not found["changed"]
    assert all(min(abs(beat - true) for beat in found["beats"]) <= 1 for true in TRUE[:40])
    assert tuned.shown["words"] == [f"{THEME.name} from frame 0"]
    tuned.edit("start", frame=-20)
    assert tuned.music["beats"] == [beat - 20 for beat in found["beats"]]
    tuned.edit("first-beat", frame=50)
    assert tuned.music["first_beat"] == 50 and tuned.music["start"] == 50 - found["first_beat"]
    with wave.open(str(tuned.browser.config.roots["Footage"] / MUSIC / THEME.name)) as file:
        lasts = file.getnframes() / file.getframerate()
    assert abs(tuned.music["ends"] - (tuned.music["start"] + lasts * 25)) <= 1
    tuned.edit("off")
    assert tuned.shown["words"] == ["No music has been added to this clip yet"] or tuned.shown["words"] == []
    assert tuned.browser.refused("POST", f"{tuned.path}/beats", tuned.side)[1].startswith("No music")


def test_beats_are_moved_added_taken_out_and_tapped_and_undone(tuned: Tuned) -> None:
    found = tuned.music["beats"]
    moved = tuned.beats("move", frame=found[3], to=found[3] + 4)
    assert moved == [*found[:3], found[3] + 4, *found[4:]] and tuned.music["changed"]
    assert tuned.beats("remove", frame=found[3] + 4) == [*found[:3], *found[4:]]
    assert tuned.beats("add", frame=found[3]) == found
    assert len(tuned.beats("halve")) == -(-len(found) // 2) and tuned.music["tempo"] == "48"
    assert len(tuned.beats("double")) in (len(found), len(found) - 1)
    taps = [f"{found[5] + 10 * number + 0.25}" for number in range(4)]
    tapped = tuned.beats("tap", taps=taps)
    assert [one for one in tapped if found[5] <= one <= found[5] + 30] == [found[5] + 10 * n for n in range(4)]
    for _ in range(6):
        assert tuned.browser.undo(tuned.show).startswith(f"Beats of {THEME.name}: ")
    assert tuned.music["beats"] == found and not tuned.music["changed"]
    tuned.beats("halve")
    assert tuned.beats("find") == found and not tuned.music["changed"]


def test_points_snap_and_a_moment_falls_on_a_beat(tuned: Tuned) -> None:
    token = tuned.shown["token"]
    moments = tuned.browser.get(f"/api/bench/{token}/moments")
    turn = next(one for one in moments if one["kind"] == "turn" and one["frame"] > 120)
    beat = next(one for one in tuned.music["beats"] if one > turn["comes"] + 5)

    def bent(do: str, **given: object) -> Any:
        asked = {"do": do, "side": tuned.side, "token": token, **given}
        return tuned.browser.send("POST", f"{tuned.path}/curve", asked)["curve"]["points"]

    (point,) = bent("place", source=turn["frame"], frame=beat)
    assert (point["frame"], point["at"], round(point["comes"])) == (turn["frame"], beat, beat)
    (near,) = bent("point", frame=beat + 2, snap=2)
    (exact,) = bent("point", frame=beat, snap=0)
    (apart,) = bent("point", frame=beat + 2, snap=0)
    assert near["frame"] == exact["frame"] != apart["frame"]


def test_music_that_was_replaced_is_not_made(browser: Browser, tmp_path: Path) -> None:
    own = tmp_path / "own"
    shutil.copytree(browser.config.roots["Footage"] / MUSIC, own / "Music")
    shutil.copytree(browser.config.roots["Footage"] / FOUNDRY, own / "Foundry")
    browser.config.roots["Footage"] = own
    show = browser.show()
    browser.bring_in(show, "Foundry")
    browser.bring_in(show, "Music", "Music")
    row = browser.ledger(show)[BELL]
    browser.decide(show, [row], set={"music": f"0 0 Footage:Music/{THEME.name}"})
    asked = {"clip_ids": [row["id"]], "setting": "view"}

    def made(folder: str) -> Any:
        browser.send("POST", f"/api/shows/{show}/renders", {**asked, "folder": folder})
        browser.work()
        return browser.get(f"/api/shows/{show}/renders")[0]

    assert made("first")["state"] == "done"
    file = own / "Music" / THEME.name
    content = bytearray(file.read_bytes())
    content[len(content) // 2 :] = bytes(len(content) - len(content) // 2)
    file.write_bytes(content)
    again = made("again")
    assert again["state"] == "failed" and f"{THEME.name}: The file has changed since" in again["fault"]
    (still,) = [row for row in browser.ledger(show).values() if row["name"] == BELL]
    assert "replaced" not in still["marks"], "the clip's own file is what it was"


def test_markers_are_put_named_snapped_to_and_undone(tuned: Tuned) -> None:
    browser, token, path = tuned.browser, tuned.shown["token"], f"{tuned.path}/markers"

    def there() -> list[tuple[int, int, str]]:
        return [(one["frame"], one["comes"], one["name"]) for one in browser.get(f"{path}?token={token}")]

    browser.send("POST", path, {"frame": 90, "name": " the rope "})
    browser.send("POST", path, {"frame": 41})
    assert there() == [(41, 11, ""), (90, 23, "the rope")], "100 frames a second on 25: every fourth is shown"
    browser.send("POST", path, {"frame": 41, "name": "first swing"})
    else_where = {*tuned.music["beats"], *(one["comes"] for one in browser.get(f"/api/bench/{token}/moments"))}
    alone = next(frame for frame in range(25, 60) if not else_where & set(range(frame - 3, frame + 4)))
    browser.send("POST", path, {"frame": 4 * alone - 2})
    asked = {"do": "point", "side": tuned.side, "token": token, "frame": alone + 2, "snap": 2}
    (point,) = browser.send("POST", f"{tuned.path}/curve", asked)["curve"]["points"]
    assert round(point["comes"]) == alone, "the nearest thing that it could snap to"
    browser.undo(tuned.show)
    browser.send("POST", path, {"frame": 90, "away": True})
    assert there() == [(41, 11, "first swing")]
    browser.undo(tuned.show)
    browser.undo(tuned.show)
    assert there() == [(41, 11, ""), (90, 23, "the rope")]
    assert "Frame 1048576 lies outside" in browser.refused("POST", path, {"frame": 1 << 20})[1]
    browser.decide(tuned.show, [browser.ledger(tuned.show)[BELL]], set={"span": "60-200"})
    token = tuned.shown["token"]
    assert [one[0] for one in there()] == [90], "those outside of what is used are kept, but not shown"


def test_a_clip_ends_with_its_music_which_is_cut_to_the_sample(browser: Browser, tmp_path: Path) -> None:
    tuned = Tuned(browser, MOULD)
    tuned.choose()
    tuned.edit("first-beat", frame=0)
    tuned.edit("fade", text="10f")
    tuned.edit("end-here", frame=160)
    assert tuned.shown["length"]["frames"] == 160
    assert [one.split(":")[0] for one in tuned.shown["sounds"]] == ["stream 1", THEME.name]
    rows = browser.ledger(tuned.show)
    browser.decide(tuned.show, [rows[MOULD]], **tuned.side)
    asked = {"clip_ids": [tuned.clip], "setting": "archive", "folder": "cut"}
    browser.send("POST", f"/api/shows/{tuned.show}/renders", asked)
    browser.work()
    (render,) = browser.get(f"/api/shows/{tuned.show}/renders")
    checks = {one["name"]: one["found"] for one in render["checks"]}
    assert render["state"] == "done" and checks["sound 2"] == f"{160 * 1920} samples at 48000"
    with av.open(str(browser.config.product(render["out_path"]))) as container:
        cut = np.concatenate([f.to_ndarray() for f in container.decode(audio=1)], axis=1)[0] / 2**31
    with wave.open(str(browser.config.roots["Footage"] / MUSIC / THEME.name)) as file:
        whole = np.frombuffer(file.readframes(file.getnframes()), np.int16) / 32_768
    start = -tuned.music["start"] * 1920
    fades, wanted = 10 * 1920, whole[start : start + len(cut)].copy()
    wanted[-fades:] *= np.arange(fades, 0, -1) / fades
    assert len(cut) == 160 * 1920 and np.abs(cut - wanted).max() < 1e-4

    (row,) = [row for row in browser.get(f"/api/shows/{tuned.show}/sheet.json")["clips"] if row["clip"] == MOULD]
    start = tuned.music["start"]
    assert row["sound"] == f"follows the speed, music {THEME.name} from frame {start}".replace("-", "−")

    heard = browser.client.get(f"/api/bench/{tuned.shown['token']}/sound?first=100&count=60&stream=1")
    assert heard.headers["content-type"] == "audio/wav"
    with wave.open(io.BytesIO(heard.content)) as file:
        played = np.frombuffer(file.readframes(file.getnframes()), np.int16) / 32_767
    assert np.abs(played - wanted[100 * 1920 :]).max() < 1e-3
    asked_peaks = f"/api/bench/{tuned.shown['token']}/peaks?first=0&last=159&columns=80&stream=1"
    wait_until(lambda: bool(browser.get(asked_peaks)["percent"] == 100))
    peaks = browser.get(asked_peaks)
    assert len(peaks["high"]) == 80 and max(peaks["high"]) > 30
    tuned.edit("end-with-music")
    assert tuned.shown["length"]["frames"] == tuned.music["ends"]
