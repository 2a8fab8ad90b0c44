"""Whatever is typed, named or written in a report: read rightly, or refused with a sentence."""

import csv
import io
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.decisions.curves import Curve
from oddmeter.core.evidence.hints import hints
from oddmeter.core.evidence.logs import Column, LogEntry, guess_columns, parse_table
from oddmeter.core.evidence.matching import Candidate, match, stem
from oddmeter.core.evidence.proxies import pairs
from oddmeter.core.evidence.verdicts import RATES, Question, parse_value
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.logs import read_log
from oddmeter.media.files.sequence import gathered


@given(st.text(max_size=80))
def test_any_name_gives_hints_that_are_in_it(name: str) -> None:
    found = hints(name)
    for hint in (found.shot_rate, found.file_rate, found.scan, found.gauge):
        assert hint is None or hint[1].strip(" _-") in name


@pytest.mark.parametrize(
    ("typed", "advised"), [("29.97i", "29.97 or 59.94i"), ("25i", "25 or 50i"), ("23.976i", "23.976 or 47.95i")]
)
def test_fields_typed_for_frames_are_asked_about_in_rates_that_are_meant(typed: str, advised: str) -> None:
    with pytest.raises(RuleError, match=f"Type {advised}"):
        Rate.parse(typed)


@given(st.sampled_from(Question), st.text(max_size=30))
def test_any_answer_is_exact_or_refused(question: Question, text: str) -> None:
    try:
        value = parse_value(question, text)
    except RuleError as error:
        assert str(error)
        return
    assert question not in RATES or Rate(Fraction(value)).exact == value


@given(st.binary(max_size=400))
def test_any_bytes_are_a_table_or_refused(data: bytes) -> None:
    try:
        table = read_log(data)
    except RuleError as error:
        assert str(error).endswith(".")
        return
    reading = parse_table(table, guess_columns(table.headings), "camera report")
    assert len(reading.entries) <= len(table.rows)


cells = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12)


@given(
    st.lists(st.tuples(cells, cells, st.integers(1, 999)), min_size=1, max_size=6), st.sampled_from([",", ";", "\t"])
)
def test_what_is_written_as_a_table_comes_back_row_by_row(rows: list[tuple[str, str, int]], delimiter: str) -> None:
    written = io.StringIO()
    writer = csv.writer(written, delimiter=delimiter)
    writer.writerow(["Clip", "Remark", "Camera fps"])
    writer.writerows([(f"c{clip}", f"r{remark}", rate) for clip, remark, rate in rows])
    table = read_log(written.getvalue().encode())
    columns = guess_columns(table.headings)
    assert columns[Column.SHOT_RATE] == 2 and columns[Column.CLIP] == 0
    entries = parse_table(table, columns, "camera report").entries
    assert [entry.shot_rate for entry in entries] == [Rate.of(rate) for _, _, rate in rows]
    assert [entry.clip for entry in entries] == [f"c{clip}".strip() for clip, _, _ in rows]


@given(st.lists(st.from_regex(r"[A-C]0[0-9]_[a-c]{1,3}\.(mov|mxf)", fullmatch=True), unique=True, max_size=12))
def test_every_clip_is_found_under_its_own_name(names: list[str]) -> None:
    subjects = [Candidate(number, name) for number, name in enumerate(names)]
    found = match([LogEntry("r", number, clip=name) for number, name in enumerate(names)], subjects)
    assert found.unmatched == ()
    for subject in subjects:
        assert all(stem(entry.clip) == stem(subject.name) for entry in found.entries[subject.id])


@given(st.lists(st.from_regex(r"([ab]/)?(Proxy/)?[cd]{1,2}(_proxy)?\.mov", fullmatch=True), unique=True, max_size=10))
def test_a_proxy_never_stands_for_a_proxy(paths: list[str]) -> None:
    found = pairs(paths)
    assert set(found) <= set(paths) and set(found.values()) <= set(paths)
    assert not set(found) & set(found.values())


@given(st.lists(st.from_regex(r"([ab]/)?[cd]_[0-9]{1,4}\.(png|dpx|mov)", fullmatch=True), unique=True, max_size=20))
def test_gathering_loses_no_file(paths: list[str]) -> None:
    whole = gathered(paths)
    films = [path for path in paths if path.endswith(".mov")]
    assert set(films) <= set(whole) and len(whole) == len(set(whole))
    for path in paths:
        folder_and_base = path.rsplit("_", 1)[0]
        assert any(entry == path or entry.startswith(f"{folder_and_base}_#") for entry in whole)


@pytest.mark.parametrize(
    "text", ["100 > 25 > 100", "100, 25, 100", "100 25 100", "100% → 25% → 100%", "1/1 > 1/4 > 1/1"]
)
def test_speeds_of_a_curve_are_per_cent_or_fractions(text: str) -> None:
    assert Curve.parse(text) == Curve.parse("100 → 25 → 100 %")


@pytest.mark.parametrize(
    ("text", "asks"),
    [
        ("1 > 0.5", "Did you mean 100 % → 50 %"),
        ("10000 > 2500", "Numbers here are percentages"),
        ("12,5", "12.5, or 12 → 5"),
        ("fast > slow", "“fast” is not a speed"),
    ],
)
def test_what_makes_no_sense_as_a_curve_is_asked(text: str, asks: str) -> None:
    with pytest.raises(RuleError, match=asks.replace(".", r"\.")):
        Curve.parse(text)
