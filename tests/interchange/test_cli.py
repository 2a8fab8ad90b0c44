"""The command line as scripts call it: output, exit status, one sentence on standard error."""

import io
import json
import re
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any, NamedTuple
from unittest.mock import patch

import pytest

from oddmeter.cli import main
from oddmeter.media.files.probe import probe
from tests.media.test_headers import write

VECTORS = Path(__file__).parents[1] / "vectors" / "conform.json"


CONFORM = ["conform", "x.mov", "--timeline", "25", "--intent", "leave", "--out", "y.mov"]


class Done(NamedTuple):
    """What a call left: its exit status, and what it wrote."""

    status: int
    out: str
    err: str


def in_a_process(*arguments: str | Path) -> Done:
    """A call as a shell makes it."""
    command = [sys.executable, "-m", "oddmeter", *map(str, arguments)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    return Done(done.returncode, done.stdout, done.stderr)


def oddmeter(*arguments: str | Path) -> Done:
    """The same within this process, which has everything loaded already."""
    out, err = io.StringIO(), io.StringIO()
    with patch.object(sys, "argv", ["oddmeter", *map(str, arguments)]), redirect_stdout(out), redirect_stderr(err):
        try:
            main()
        except SystemExit as ended:
            status = ended.code
    return Done(int(status or 0), out.getvalue(), err.getvalue())


def answer(*arguments: str | Path) -> Any:
    done = oddmeter(*arguments, "--json")
    assert (done.status, done.err) == (0, ""), done.err
    return json.loads(done.out)


@pytest.mark.parametrize(
    "arguments",
    [["timecode", "--rate", "25", "90"], ["inspect", "none.mov"], ["calc", "--timeline", "fast"]],
)
def test_a_shell_gets_what_is_asked_for_here(arguments: list[str]) -> None:
    assert in_a_process(*arguments) == oddmeter(*arguments)


def test_calc_answers_one_case() -> None:
    case = next(c for c in json.loads(VECTORS.read_text()) if c["name"] == "shot 150, header 25, a third of life")
    got = answer(
        "calc",
        "--timeline",
        "25",
        "--file",
        "25",
        "--frames",
        "1350",
        "--intent",
        "pace",
        "--value",
        "1/3",
        "--shot",
        "150",
    )
    assert got == case["expect"]


def test_calc_answers_a_list_of_cases(tmp_path: Path) -> None:
    cases = json.loads(VECTORS.read_text())
    listed = tmp_path / "cases.json"
    listed.write_text(json.dumps([case["given"] for case in cases]))
    assert answer("calc", "--cases", listed) == [case["expect"] for case in cases]


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--rate", "29.97", "--drop-frame", "1800"], "00:01:00;02"),
        (["--rate", "29.97", "00:01:00;02"], "1800"),
        (["--rate", "120", "10000000"], "23:08:53:040"),
    ],
)
def test_timecode_both_ways(arguments: list[str], said: str) -> None:
    assert oddmeter("timecode", *arguments).out.strip() == said


def test_inspect_reads_files_and_folders(footage: dict[str, Path], tmp_path: Path) -> None:
    bad = tmp_path / "empty.mov"
    bad.touch()
    tape, empty, absent = answer("inspect", footage["VR_choir_tape_50i.mov"], bad, tmp_path / "absent.mov")
    expected = {
        "path": str(footage["VR_choir_tape_50i.mov"]), "frames": 100, "file_rate": "25/1", "timing": "constant",
        "measured_rate": "25/1", "width": 720, "height": 576, "pixel_aspect": "16/15", "scan": "interlaced",
        "field_order": "upper", "timecode": "02:00:00:00",
        "sound": {"rate": 48000, "channels": 2, "seconds": "4/1"}, "trouble": None,
        "shot_rate": {"rate": "25/1", "from": "header", "certain": False}, "pulldown": [], "repeats": None, "cuts": [],
        "blended": False, "looked_at": {"frames": 100, "whole": True},
        "stretches": [{"first_frame": 0, "last_frame": 99, "scan": "interlaced", "field_order": "upper",
                       "pulldown": None, "phase": None, "graphics": None}],
    }  # fmt: skip
    assert {key: tape[key] for key in expected} == expected
    others = {"verdicts", "claims", "slowest_rate", "fastest_rate", "start", "duplicates", "gaps", "clock", "sounds"}
    assert set(tape) - set(expected) == others
    assert empty["trouble"] == "The file is empty." and "no such file" in absent["trouble"]
    folder = answer("inspect", footage["HB_boat_59.mp4"].parent)
    assert [Path(entry["path"]).name for entry in folder] == ["HB_boat_59.mp4", "HB_gulls_30.mp4", "HB_quay_29.mp4"]


def test_conform_makes_and_proves_a_file(footage: dict[str, Path], tmp_path: Path) -> None:
    out = tmp_path / "made" / "quay.mkv"
    options: list[str | Path] = ["--timeline", "23.976", "--intent", "real-time", "--setting", "archive", "--out", out]
    got = answer("conform", footage["HB_quay_29.mp4"], *options)
    assert got["plan"]["pattern"] == [1, 1, 1, 2] and got["proof"]["passed"] and out.is_file()
    again = oddmeter("conform", footage["HB_quay_29.mp4"], *options)
    assert again.status == 1 and again.err == "oddmeter: quay.mkv already exists and was not overwritten.\n"


def test_on_a_terminal_conform_shows_how_far_it_is(footage: dict[str, Path], tmp_path: Path) -> None:
    """And nowhere else: the answer on the other stream is the same, and a pipe gets nothing more."""

    class Terminal(io.StringIO):
        def isatty(self) -> bool:
            return True

    terminal, options = (
        Terminal(),
        ["--timeline", "25", "--intent", "leave", "--span", "0-99", "--setting", "archive", "--json"],
    )
    arguments = ["oddmeter", "conform", str(footage["HB_quay_29.mp4"]), *options, "--out", str(tmp_path / "quay.mkv")]
    out = io.StringIO()
    with (
        patch.object(sys, "argv", arguments), redirect_stdout(out), redirect_stderr(terminal),
        pytest.raises(SystemExit, match=r"^0$"),
    ):  # fmt: skip
        main()
    assert json.loads(out.getvalue())["proof"]["passed"]
    for what in ("Making quay.mkv", "Proving quay.mkv"):
        assert re.search(rf"{what}.* 84/84", terminal.getvalue())


def test_conform_says_what_becomes_of_the_sound(footage: dict[str, Path], tmp_path: Path) -> None:
    options: list[str | Path] = ["--timeline", "25", "--intent", "every-frame", "--sound", "pitch", "--span", "0-39"]
    got = answer("conform", footage["HB_quay_29.mp4"], *options, "--out", tmp_path / "pitch.mp4")
    sound = next(check for check in got["proof"]["checks"] if check["name"] == "sound")
    assert sound["planned"] == f"{got['plan']['timeline_frames'] * 48_000 // 25} samples at 48000"
    assert got["proof"]["passed"]
    options = [
        "--timeline",
        "25",
        "--intent",
        "leave",
        "--sound",
        "off",
        "--span",
        "0-39",
        "--out",
        tmp_path / "left.mp4",
    ]
    got = answer("conform", footage["HB_quay_29.mp4"], *options)
    silent = next(check for check in got["proof"]["checks"] if check["name"] == "sound")
    assert silent["found"] == "none" and got["plan"]["speed"] == "1/1" and got["proof"]["passed"]
    wrong = oddmeter("conform", footage["HB_quay_29.mp4"], *options[:4], "--sound", "loud", "--out", tmp_path / "x.mp4")
    assert wrong.status == 2 and "loud" in wrong.err


def test_conform_makes_whatever_the_application_does(footage: dict[str, Path], tmp_path: Path) -> None:
    """In-betweens, range, raster, scan and held rate from the command line, each in the proof."""
    clip = footage["HB_quay_29.mp4"]
    slow = answer(
        "conform", clip, "--timeline", "25", "--intent", "pace", "--value", "50%", "--between", "flow", "--effort",
        "quick", "--reach", "64", "--trust", "70%", "--span", "10-21", "--out", tmp_path / "slow.mp4",
    )  # fmt: skip
    assert slow["proof"]["passed"] and slow["plan"]["timeline_frames"] == 21
    tape = answer(
        "conform", clip, "--timeline", "29.97", "--drop-frame", "--intent", "real-time", "--raster", "720x480@8/9",
        "--fit", "fill", "--scan", "lower", "--held-rate", "on twos", "--sound", "pitch", "--sound-rate", "44100",
        "--span", "0-59", "--setting", "edit", "--out", tmp_path / "tape.mov",
    )  # fmt: skip
    found = {check["name"]: check["found"] for check in tape["proof"]["checks"]}
    assert tape["proof"]["passed"] and found["raster"] == "720 × 480" and found["fields"] == "lower first"
    assert found["repeats"] == "30" and found["sound"].endswith("at 44100")


def test_conform_takes_pulldown_out_by_itself(footage: dict[str, Path], tmp_path: Path) -> None:
    tape = footage["CH_evensong_2997.mov"]
    options = ["--timeline", "23.976", "--intent", "every-frame", "--fields", "original"]
    got = answer("conform", tape, *options, "--out", tmp_path / "film.mkv")
    assert got["proof"]["passed"] and got["plan"]["timeline_frames"] == 120 and got["plan"]["speed"] == "1/1"


@pytest.mark.parametrize(
    ("arguments", "status", "sentence"),
    [
        (["calc", "--timeline", "25"], 2, "calc needs --file, --frames, --intent; or --cases FILE."),
        (["calc", "--timeline", "x", "--file", "25", "--frames", "9", "--intent", "real-time"], 2, "is not a rate"),
        (["calc", "--timeline", "25", "--file", "25", "--frames", "9", "--intent", "sideways"], 2, "sideways"),
        (["calc", "--timeline", "25", "--file", "25", "--frames", "9", "--intent", "pace"], 2, "needs a value"),
        (["calc", "--cases", "/nowhere.json"], 2, "cannot be read"),
        ([*CONFORM, "--raster", "wide"], 2, "1920x1080 or 720x576@16/15"),
        ([*CONFORM, "--scan", "odd"], 2, "--scan takes progressive, upper or lower"),
        ([*CONFORM, "--fit", "fill"], 2, "--fit needs --raster"),
        ([*CONFORM, "--span", "9-3"], 2, "is before the in point"),
        ([*CONFORM, "--between", "blend"], 2, "pick, mix, flow"),
        ([*CONFORM, "--trust", "150%"], 2, "between 0 and 100"),
        (
            ["calc", "--timeline", "25", "--file", "25", "--frames", "9", "--intent", "leave", "--fields", "original"],
            2,
            "conform does that",
        ),
        (["timecode", "--rate", "29.97", "00:01:00;00"], 2, "drop-frame timecode skips this number"),
        (["timecode", "--rate", "25", "--drop-frame", "5"], 2, "not at 25"),
        (["conform", "/nowhere.mov", "--timeline", "25", "--intent", "real-time", "--out", "/tmp/x.mp4"], 2, "no file"),
        (
            ["conform", __file__, "--timeline", "25", "--intent", "real-time", "--out", "/tmp/x.mp4"],
            1,
            "not a media file",
        ),
        (
            ["conform", __file__, "--timeline", "25", "--intent", "real-time", "--setting", "huge", "--out", "x"],
            2,
            "archive, edit, view",
        ),
        (["dance"], 2, "dance"),
        (["worker"], 1, "ODDMETER_DATABASE"),
    ],
    ids=lambda value: " ".join(value[:3]) if isinstance(value, list) else "",
)
def test_a_wrong_call_is_one_clear_sentence(arguments: list[str], status: int, sentence: str) -> None:
    done = oddmeter(*arguments)
    assert done.status == status and done.out == ""
    assert done.err.startswith("oddmeter: ") and sentence in done.err and done.err.count("\n") == 1


def test_inspect_says_what_pictures_and_reports_show(footage: dict[str, Path]) -> None:
    evensong, wedding = answer("inspect", footage["CH_evensong_2997.mov"], footage["AT_S8_wedding.mov"])
    assert evensong["pulldown"] == [
        {"first_frame": 0, "last_frame": 82, "pattern": "2:3", "phase": 1},
        {"first_frame": 83, "last_frame": 149, "pattern": "2:3", "phase": 3},
    ]
    assert evensong["cuts"] == [83] and (evensong["scan"], evensong["field_order"]) == ("interlaced", "lower")
    assert evensong["shot_rate"] == {"rate": "24000/1001", "from": "picture", "certain": False}
    assert wedding["repeats"] == {"unique_frames": 90, "unique_rate": "18000/1001"} and wedding["pulldown"] == []
    day = footage["FD1_A01_interview.mov"].parent
    told = {
        Path(r["path"]).name: r for r in answer("inspect", day, "--log", day / "camera report day 1.csv", "--whole")
    }
    assert len(told) == 5, "a report is no clip"
    pour = told["FD1_C01_pour_fast.mov"]
    assert pour["shot_rate"] == {"rate": "150/1", "from": "log", "certain": True}
    assert "camera report, row 9: 150" in [claim["words"] for claim in pour["claims"]]
    assert pour["looked_at"] == {"frames": 600, "whole": True}
    prize, visitors = answer("inspect", footage["RG_prize_50i.mov"], footage["RG_visitors_59i.mov"])
    assert prize["scan"] == "progressive" and prize["field_order"] is None
    assert [stretch["pattern"] for stretch in prize["pulldown"]] == ["2:2"]
    assert visitors["blended"] and "beyond clean repair" in visitors["trouble"]


def test_a_sequence_is_inspected_and_conformed(footage: dict[str, Path], tmp_path: Path) -> None:
    chart = footage["tide_chart_0001.png"].with_name("tide_chart_####.png")
    (told,) = answer("inspect", chart.parent)
    assert (told["path"], told["frames"], told["file_rate"]) == (str(chart), 59, None)
    assert told["trouble"] == "Number 38 is missing." and told["shot_rate"] is None
    options = ("--timeline", "25", "--intent", "every-frame", "--out", tmp_path / "chart.mp4")
    assert "has no rate of its own" in oddmeter("conform", chart, *options).err
    assert answer("conform", chart, "--file", "25", *options)["proof"]["passed"]


def test_a_log_that_is_none_is_said_to_be(footage: dict[str, Path], tmp_path: Path) -> None:
    clip = footage["HB_gulls_30.mp4"]
    assert oddmeter("inspect", clip, "--log", tmp_path / "none.csv").status == 2
    (tmp_path / "empty.csv").touch()
    done = oddmeter("inspect", clip, "--log", tmp_path / "empty.csv")
    assert done.status == 1 and "The report is empty." in done.err


def test_a_phones_capture_rate_is_conformed_as_the_application_does(tmp_path: Path) -> None:
    """240 pictures taken in a second, written to be played in eight: in real time on 30 they last one second."""
    phone = write(tmp_path / "phone.mov", [n * 3000 for n in range(240)], {"com.android.capture.fps": "240"})
    out = tmp_path / "made" / "one.mp4"
    asked = ("--timeline", "30", "--intent", "real-time", "--setting", "view", "--out", out)
    made = answer("conform", phone, *asked)["plan"]
    assert (made["speed"], made["timeline_frames"], probe(out).frames) == ("8/1", 30, 30)
