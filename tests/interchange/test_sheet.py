"""The conform sheet as CSV, JSON and a page: safe to open, escaped, added up, and held against the one before."""

import csv
import io
from dataclasses import asdict, replace
from fractions import Fraction
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.conform.strips import mini_strip, strip_of
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.interchange.paper import safe_cell
from oddmeter.interchange.sheet import (
    ConformSheet,
    SheetRow,
    as_csv,
    as_html,
    as_json,
    compared,
    rows_from,
    totals_of,
)
from oddmeter.interchange.strips import strip_svg

BELL = SheetRow(
    delivery="Foundry", clip="bell.mov", source_frames=500, speed="1/4", intent="every frame", frames_before=125,
    frames_after=500, dropped=0, repeated=0, equation="100 × 1/4 ÷ 25 = 1", cadence="whole", pattern="1",
)  # fmt: skip
TAPE = SheetRow(delivery="Regatta", clip="tape.mov", frames_before=100, frames_after=84, dropped=16, repeated=2)
TIMELINE = {"name": "The film", "rate": "25/1", "drop_frame": False}


@given(st.text(max_size=30))
def test_no_cell_starts_a_formula_and_none_is_lost(text: str) -> None:
    cell = safe_cell(text)
    assert isinstance(cell, str) and cell.removeprefix("'").endswith(text.removeprefix("'"))
    assert cell.lstrip(" ")[:1] not in {"=", "+", "-", "@", "\t", "\r", "\n"}


@given(st.lists(st.builds(SheetRow, clip=st.text(max_size=12), note=st.text(max_size=20)), max_size=4))
def test_csv_comes_back_cell_by_cell(rows: list[SheetRow]) -> None:
    text = as_csv(rows)
    read = list(csv.DictReader(io.StringIO(text, newline="")))
    assert [row["clip"] for row in read] == [str(safe_cell(row.clip)) for row in rows]
    assert [row["note"] for row in read] == [str(safe_cell(row.note)) for row in rows]


def test_what_changed_is_said_field_by_field() -> None:
    slower = replace(BELL, speed="1/8", frames_after=1000, note="Ask")
    now = compared([slower, TAPE, replace(BELL, clip="new.mov")], [BELL, TAPE])
    assert now[0].changed == "speed 1/4 → 1/8; frames after 500 → 1000; note none → Ask"
    assert (now[1].changed, now[2].changed) == ("", "new on this sheet")
    assert compared([replace(BELL, marks="odd")], [BELL])[0].changed == "", "a mark follows from what changed"


def test_totals_are_those_of_each_delivery() -> None:
    found = totals_of([BELL, TAPE, BELL])
    assert [(t.delivery, t.clips, t.frames_before, t.frames_after, t.dropped, t.repeated) for t in found] == [
        ("Foundry", 2, 250, 1000, 0, 0),
        ("Regatta", 1, 100, 84, 16, 2),
    ]
    assert totals_of([]) == ()


def test_rows_kept_by_another_version_are_read() -> None:
    kept = [{**asdict(BELL), "colour": "blue"}, {"clip": "old.mov"}]
    assert rows_from(kept) == (BELL, SheetRow(clip="old.mov"))


def test_the_document_holds_everything() -> None:
    made = as_json(ConformSheet("Tide", TIMELINE, "as it stands", (BELL, TAPE)))
    assert (made["format"], made["show"], made["timeline"]) == ("odd-meter-conform-sheet", "Tide", TIMELINE)
    assert made["clips"] == [asdict(BELL), asdict(TAPE)] and [t["clips"] for t in made["deliveries"]] == [1, 1]


@given(st.text(min_size=1, max_size=20), st.text(max_size=20))
def test_nothing_a_person_wrote_becomes_markup(name: str, note: str) -> None:
    row = replace(BELL, clip=f"<b>{name}", note=f"<script>{note}", delivery="<i>", evidence='"&"')
    page = as_html(ConformSheet("<u>Tide</u>", TIMELINE, "as it stands", (row,)))
    assert "<script" not in page and "<b><b>" not in page and "<i>" not in page and "<u>" not in page
    assert "&lt;script&gt;" in page and "&lt;u&gt;Tide" in page


def test_the_page_says_what_stands_on_it_and_prints() -> None:
    changed = replace(BELL, changed="speed 1/2 → 1/4", receiving_system="25 %", receiving_off=-2, note="Ask")
    page = as_html(ConformSheet("Tide", TIMELINE, "as it stands", (changed, TAPE), ("<svg></svg>", "")))
    for words in (
        "1 clips changed since the last sheet", "100 × 1/4 ÷ 25 = 1", "25 %", "-2 frames there", "125 → 500",
        "changed: speed 1/2 → 1/4", "Ask", "16 dropped, 2 repeated", "The film · 25/1", "@page", "<svg></svg>",
    ):  # fmt: skip
        assert words in page, words


@pytest.mark.parametrize("stride", ["1", "2", "5/2", "1/3", "1001/1000", "24/25", "12"])
def test_a_strip_is_a_drawing_with_a_thread_for_each_beat(stride: str) -> None:
    speed = Treatment(Intent.SPEED, Fraction(stride))
    drawn = mini_strip(conform(Material(3000, Rate.of(25)), speed, Rate.of(25)), TimelineScan.PROGRESSIVE)
    root = ElementTree.fromstring(strip_svg(drawn))
    threads = [line for line in root.findall("line") if line.get("stroke-width") == "0.90"]
    dots = root.findall("circle")
    shown = {unit for beat in drawn.beats for unit in beat.units}
    assert len(threads) == len(drawn.beats) and len(dots) == len(drawn.rail)
    assert sum(dot.get("fill") == "#fff" for dot in dots) == len(dots) - len(shown), "hollow: dropped"
    assert len([path for path in root.findall("path") if path.get("fill") == "#8a5a00"]) == len(drawn.hiccups)
    ends = [float(line.get("x1", "-1")) for line in root.findall("line")] + [float(d.get("cx", "-1")) for d in dots]
    assert all(0 <= x <= 96 for x in ends)


def test_a_strip_of_a_reversed_clip_counts_from_the_last_frame() -> None:
    drawn = []
    for reverse in (False, True):
        made = conform(
            Material(100, Rate.of(25)), Treatment(Intent.SPEED, Fraction(5, 2), reverse=reverse), Rate.of(25)
        )
        drawn.append(strip_of(made, TimelineScan.PROGRESSIVE, 3, 12))
    forwards, back = drawn
    assert [unit.begins for unit in forwards.rail] == [unit.begins for unit in back.rail]
    assert [unit.unit for unit in back.rail] == [99 - unit.unit for unit in forwards.rail]
    shown = [beat.moments[0].first for beat in back.beats]
    assert shown == [99 - beat.moments[0].first for beat in forwards.beats]
