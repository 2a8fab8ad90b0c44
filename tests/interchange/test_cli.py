"""The command line as scripts call it: output, exit status, one sentence on standard error."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

VECTORS = Path(__file__).parents[1] / "vectors" / "conform.json"


def oddmeter(*arguments: str | Path) -> "subprocess.CompletedProcess[str]":
    command = [sys.executable, "-m", "oddmeter", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False)


def answer(*arguments: str | Path) -> Any:
    done = oddmeter(*arguments, "--json")
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    return json.loads(done.stdout)


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
        (["--rate", "120", "10000000"], "23:08:53:40"),
    ],
)
def test_timecode_both_ways(arguments: list[str], said: str) -> None:
    assert oddmeter("timecode", *arguments).stdout.strip() == said


def test_inspect_reads_files_and_folders(footage: dict[str, Path], tmp_path: Path) -> None:
    bad = tmp_path / "empty.mov"
    bad.touch()
    tape, empty, absent = answer("inspect", footage["VR_choir_tape_50i.mov"], bad, tmp_path / "absent.mov")
    expected = {
        "path": str(footage["VR_choir_tape_50i.mov"]), "frames": 100, "file_rate": "25/1", "timing": "constant",
        "measured_rate": "25/1", "width": 720, "height": 576, "pixel_aspect": "16/15", "scan": "interlaced",
        "field_order": "upper", "timecode": "02:00:00:00",
        "sound": {"rate": 48000, "channels": 2, "seconds": "1508/375"}, "trouble": None,
        "shot_rate": {"rate": "25/1", "from": "header", "certain": False}, "pulldown": [], "repeats": None, "cuts": [],
        "blended": False, "looked_at": {"frames": 100, "whole": True},
        "stretches": [{"first_frame": 0, "last_frame": 99, "scan": "interlaced", "field_order": "upper",
                       "pulldown": None, "phase": None}],
    }  # fmt: skip
    assert {key: tape[key] for key in expected} == expected
    assert set(tape) - set(expected) == {"verdicts", "claims"}
    assert empty["trouble"] == "The file is empty." and "no such file" in absent["trouble"]
    folder = answer("inspect", footage["HB_boat_59.mp4"].parent)
    assert [Path(entry["path"]).name for entry in folder] == ["HB_boat_59.mp4", "HB_gulls_30.mp4", "HB_quay_29.mp4"]


def test_conform_makes_and_proves_a_file(footage: dict[str, Path], tmp_path: Path) -> None:
    out = tmp_path / "made" / "quay.mkv"
    options: list[str | Path] = ["--timeline", "23.976", "--intent", "real-time", "--setting", "archive", "--out", out]
    got = answer("conform", footage["HB_quay_29.mp4"], *options)
    assert got["plan"]["pattern"] == [1, 1, 1, 2] and got["proof"]["passed"] and out.is_file()
    again = oddmeter("conform", footage["HB_quay_29.mp4"], *options)
    assert again.returncode == 1 and again.stderr == "oddmeter: quay.mkv is there already; it was not written over.\n"


@pytest.mark.parametrize(
    ("arguments", "status", "sentence"),
    [
        (["calc", "--timeline", "25"], 2, "calc needs --file, --frames, --intent; or --cases FILE."),
        (["calc", "--timeline", "x", "--file", "25", "--frames", "9", "--intent", "real-time"], 2, "is not a rate"),
        (["calc", "--timeline", "25", "--file", "25", "--frames", "9", "--intent", "sideways"], 2, "sideways"),
        (["calc", "--timeline", "25", "--file", "25", "--frames", "9", "--intent", "pace"], 2, "needs a value"),
        (["calc", "--cases", "/nowhere.json"], 2, "cannot be read"),
        (["timecode", "--rate", "29.97", "00:01:00;00"], 2, "drop-frame skips"),
        (["timecode", "--rate", "25", "--drop-frame", "5"], 2, "does not exist at 25"),
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
    assert done.returncode == status and done.stdout == ""
    assert done.stderr.startswith("oddmeter: ") and sentence in done.stderr and done.stderr.count("\n") == 1
