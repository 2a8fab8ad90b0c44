"""What names hint at, and which clips the rows of reports belong to."""

import pytest

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.hints import hints
from oddmeter.core.evidence.logs import Column, LogEntry, Table, guess_columns, parse_table
from oddmeter.core.evidence.matching import Candidate, match
from oddmeter.core.evidence.proxies import differences, pairs
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.logs import read_log, title_of


@pytest.mark.parametrize(
    ("name", "shot", "file", "scan", "gauge"),
    [
        ("FD_150fps_pour.mov", "150", None, None, None),
        ("clip_23,98 fps.mov", "23.976", None, None, None),
        ("harbour_24p.mov", None, "24", "progressive", None),
        ("tape_50i.mov", None, "25", "interlaced", None),
        ("tape_59i.mov", None, "29.97", "interlaced", None),
        ("mast_1080i50.mxf", None, "25", "interlaced", None),
        ("mast_1080p25.mov", None, "25", "progressive", None),
        ("S8_18_garden.mov", "18", None, None, "super-8"),
        ("super8-24 beach.mp4", "24", None, None, "super-8"),
        ("8mm_16.mov", "16", None, None, "8mm"),
        ("9_5mm.mov", None, None, None, "9.5mm"),
        ("AT_16mm_launch.mov", None, None, None, "16mm"),
        ("a_720p.mov", None, None, None, None),
        ("IMG_2398.mov", None, None, None, None),
        ("REEL8_25.mov", None, None, None, None),
        ("0fps.mov", None, None, None, None),
        ("", None, None, None, None),
    ],
)
def test_names(name: str, shot: str | None, file: str | None, scan: str | None, gauge: str | None) -> None:
    found = hints(name)
    assert (found.shot_rate[0].spoken if found.shot_rate else None) == shot
    assert (found.file_rate[0].spoken if found.file_rate else None) == file
    assert (found.scan[0] if found.scan else None, found.gauge[0] if found.gauge else None) == (scan, gauge)


SUBJECTS = [
    Candidate(1, "FD1_A01_interview.mov", "09:58:10:00", Rate.of(25), 200),
    Candidate(2, "A001C003_0612_R1AB.mov", "10:00:00:00", Rate.of(25), 500),
    Candidate(3, "A001C004_0612_R1AB.mov", "11:00:00:00", Rate.of(25), 500),
    Candidate(4, "B001C009.mov", "11:00:00:00", Rate.of(25), 500),
]


@pytest.mark.parametrize(
    ("entry", "ids"),
    [
        (LogEntry("r", 1, clip="fd1-a01 interview"), [1]),
        (LogEntry("r", 1, clip="FD1_A01_interview.MOV"), [1]),
        (LogEntry("r", 1, clip="A001C003"), [2]),
        (LogEntry("r", 1, clip="A001"), []),
        (LogEntry("r", 1, clip="nowhere", timecode="10:00:00:00"), []),
        (LogEntry("r", 1, timecode="10:00:00:00"), [2]),
        (LogEntry("r", 1, timecode="10:00:12:00"), [2]),
        (LogEntry("r", 1, timecode="11:00:00:00"), []),
        (LogEntry("r", 1, timecode="11:00:00:00", reel="B001"), [4]),
        (LogEntry("r", 1, timecode="99:99"), []),
        (LogEntry("r", 1), []),
    ],
)
def test_rows_find_their_clips(entry: LogEntry, ids: list[int]) -> None:
    found = match([entry], SUBJECTS)
    assert list(found.entries) == ids
    assert found.unmatched == (() if ids else (entry,))


CARDS = [
    Candidate(1, "C0001.mov", "10:00:00:00", Rate.of(50), 500, "Day 1/CAM_A/CLIP"),
    Candidate(2, "C0001.mov", "10:00:04:00", Rate.of(50), 500, "Day 1/CAM_B/CLIP"),
    Candidate(3, "C0001.mov", None, Rate.of(25), 500, "Day 2"),
]


@pytest.mark.parametrize(
    ("said", "ids"),
    [
        ({}, [1, 2, 3]),
        ({"folder": "Day 1/CAM_A/REPORTS"}, [1]),
        ({"folder": "Day 1"}, [1, 2]),
        ({"folder": "Day 2"}, [3]),
        ({"folder": "Elsewhere"}, [1, 2, 3]),
        ({"timecode": "10:00:00:00"}, [1]),
        ({"timecode": "10:00:05:00"}, [1, 2]),
        ({"timecode": "10:00:12:00"}, [2]),
        ({"timecode": "23:00:00:00"}, [1, 2, 3]),
        ({"reel": "b"}, [2]),
        ({"reel": "CAM"}, [1, 2]),
        ({"reel": "AM"}, [1, 2, 3]),
        ({"folder": "Day 1", "reel": "Cam A", "timecode": "junk"}, [1]),
    ],
)
def test_of_clips_of_one_name_a_row_means_those_that_it_fits(said: dict[str, str], ids: list[int]) -> None:
    found = match([LogEntry("r", 1, clip="c0001", **said)], CARDS)  # type: ignore[arg-type]
    assert list(found.entries) == ids and not found.unmatched


def test_a_report_is_read_whatever_its_form() -> None:
    head = "The Tide Bell;;;;\nday 1;;;;\n\nClip;Card;Sensor fps;Project rate;Gauge\n"
    text = head + "pour;C;149,85;25;\nbell;B;fast;;S8\n;;;;\n"
    forms = [text, text.replace(";", "\t"), text.replace("\n", "\r\n"), text.replace(";", "|")]
    written = [form.encode(encoding) for form in forms for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252")]
    for data in written:
        table = read_log(data)
        assert table.headings == ("Clip", "Card", "Sensor fps", "Project rate", "Gauge") and table.first_row == 5
        reading = parse_table(table, guess_columns(table.headings), "camera report")
        pour, bell = reading.entries
        assert (pour.where, pour.shot_rate, pour.reel) == ("camera report, row 5", Rate.parse("149.85"), "C")
        assert (bell.gauge, bell.shot_rate) == ("super-8", None)
        assert reading.troubles == ("Row 6: “fast” is not understood as shot rate.",)


def test_a_column_means_what_a_person_says() -> None:
    table = Table(("clip", "speed"), (("pour", "800 fps"), ("bell", "24/1")), 2)
    assert guess_columns(table.headings) == {Column.CLIP: 0}
    read = parse_table(table, {Column.CLIP: 0, Column.SHOT_RATE: 1}, "camera report").entries
    assert [entry.shot_rate for entry in read] == [Rate.of(800), Rate.of(24)]


@pytest.mark.parametrize("data", [b"", b"  \n ", b"one column\nonly", b"a,b\n", b"\x00\x01\x02binary\x00", b'"open'])
def test_what_is_no_report_is_said_to_be_none(data: bytes) -> None:
    with pytest.raises(RuleError):
        read_log(data)
    assert title_of("Scan_report 3.tsv") == "scan report" and title_of("roll 12.csv") == "camera report"


def test_proxies_are_found_by_folder_and_name() -> None:
    paths = [
        "a/bell.mov",
        "a/Proxy/bell.mp4",
        "b/bell.mov",
        "b/Proxies/bell.mov",
        "pour.mxf",
        "pour_proxy.mov",
        "lone_proxy.mov",
    ]
    assert pairs(paths) == {
        "a/Proxy/bell.mp4": "a/bell.mov", "b/Proxies/bell.mov": "b/bell.mov", "pour_proxy.mov": "pour.mxf",
    }  # fmt: skip


def test_a_proxy_that_differs_is_said_to() -> None:
    whole = Facts(100, Rate.of(25), timecode="10:00:00:00")
    assert differences(whole, whole) == []
    told = differences(whole, Facts(99, Rate.parse("24.975"), timecode=None))
    assert [len(told), "99 frames" in told[0], "24.975" in told[1], "no timecode" in told[2]] == [3, True, True, True]
