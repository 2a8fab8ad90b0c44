"""How moments lie in the frames of the demo's traps, told by the numbers drawn into the pictures."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo import carriers
from oddmeter.demo.carriers import Carried, Moment, woven
from oddmeter.demo.footage import Take
from oddmeter.demo.framecode import Picture, read
from oddmeter.demo.takes import REPORTS, TRAPS
from oddmeter.interchange.logs import read_log
from oddmeter.media.frames.decode import FrameReader


def numbers(moment: Moment) -> list[int]:
    return [number for number, _ in moment]


def in_time(first: str, carried: Carried) -> list[Moment]:
    return [carried.upper, carried.lower] if first == FieldOrder.UPPER else [carried.lower, carried.upper]


@given(st.sampled_from([FieldOrder.UPPER, FieldOrder.LOWER]), st.integers(0, 500))
def test_fields_follow_each_other(first: str, frame: int) -> None:
    assert [numbers(m) for m in in_time(first, carriers.in_fields(first)(frame))] == [[2 * frame], [2 * frame + 1]]
    assert [numbers(m) for m in in_time(first, carriers.shifted(first)(frame))] == [[frame], [frame + 1]]


@given(st.sampled_from([FieldOrder.UPPER, FieldOrder.LOWER]), st.sampled_from(["2:3", "2:3:3:2"]), st.integers(0, 4))
def test_pulldown_holds_four_pictures_in_five_frames(first: str, pattern: str, phase: int) -> None:
    carrier = carriers.pulldown(first, pattern, phase)
    fields = [numbers(moment)[0] for frame in range(50) for moment in in_time(first, carrier(frame))]
    held = [fields.count(picture) for picture in range(5, 35)]
    wanted = {"2:3": [2, 3, 2, 3], "2:3:3:2": [2, 3, 3, 2]}[pattern]
    assert fields == sorted(fields)
    assert any(held[at : at + 24] == (wanted * 6)[:24] for at in range(4))


def test_after_the_edit_another_scene_begins_at_its_own_phase() -> None:
    carrier = carriers.pulldown(FieldOrder.UPPER, "2:3", 1, 7, 3)
    assert [numbers(carrier(n).upper)[0] for n in (6, 7, 8)] == [5, 10_002, 10_003]
    assert [numbers(carrier(n).lower)[0] for n in (6, 7, 8)] == [6, 10_003, 10_003]


@given(st.integers(0, 300), st.sampled_from([(50, 60), (60, 50)]))
def test_a_mix_holds_the_two_nearest_moments_by_their_distance(frame: int, rates: tuple[int, int]) -> None:
    source, target = map(Fraction, rates)
    carried = carriers.blended(FieldOrder.UPPER, source, target)(frame)
    for moment, number in ((carried.upper, 2 * frame), (carried.lower, 2 * frame + 1)):
        assert sum(weight for _, weight in moment) == 1
        assert sum(weight * picture for picture, weight in moment) == number * source / target


def test_weaving_takes_each_line_from_its_field() -> None:
    def flat(number: int) -> Picture:
        return np.full((6, 4, 3), number * 10, np.uint8)

    got = woven(Carried(carriers.one(3), carriers.one(5)), flat)
    assert got[0::2].max() == got[0::2].min() == 30 and got[1::2].max() == got[1::2].min() == 50
    half = Fraction(1, 2)
    assert woven(Carried(((2, half), (4, half)), ((2, half), (4, half))), flat).max() == 30


@pytest.mark.parametrize(
    "take", [t for t in TRAPS if not t.cut_short and t.name != "RG_visitors_59i.mov"], ids=lambda take: take.name
)
def test_each_field_of_a_trap_tells_the_picture_it_holds(take: Take, media_root: Path) -> None:
    with FrameReader(media_root / take.relative_path) as reader:
        for number in range(0, take.frames - len(take.missing), 9):
            picture = reader.frame(number).reformat(format="gray").to_ndarray().astype(np.uint8)
            place = sorted({*range(1, take.frames + 1)} - {*take.missing})[number] if take.is_sequence else number
            carried = take.carrier(place)
            for line, moment in enumerate((carried.upper, carried.lower)):
                field = np.repeat(picture[line::2], 2, axis=0)
                assert read(field) == take.code(numbers(moment)[0]), f"frame {number}"


def test_the_reports_are_tables_as_houses_write_them() -> None:
    assert {report.name: len(read_log(report.text.encode()).rows) for report in REPORTS} == {
        "camera report day 1.csv": 6, "camera report day 2.csv": 2, "scan report.tsv": 5,
    }  # fmt: skip
