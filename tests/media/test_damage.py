"""Files with bytes changed, left out or put in anywhere: a sentence or a report, never an exception."""

from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oddmeter.core.evidence.claims import claims_of
from oddmeter.core.evidence.verdicts import verdicts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.reports import inspected
from oddmeter.media.analysis.analyse import analyse
from oddmeter.media.files.probe import probe

NAMES = ["HB_gulls_30.mp4", "VR_clock_23.mkv", "FD1_A01_interview.mov"]
HEADS = [b"\0\0\0\x18ftypmp42", b"\x1aE\xdf\xa3", b"RIFF\0\0\0\0AVI ", b"GIF89a", b"\x89PNG\r\n\x1a\n", b""]
Changes = list[tuple[float, bytes]]
places = st.lists(st.tuples(st.floats(0, 1), st.binary(min_size=1, max_size=12)), min_size=1, max_size=8)


@pytest.mark.parametrize("name", NAMES)
@settings(max_examples=14, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(changes=places, kept=st.floats(0.02, 1))
def test_changed_and_cut_bytes(
    name: str, footage: dict[str, Path], changes: list[tuple[float, bytes]], kept: float
) -> None:
    data = bytearray(footage[name].read_bytes())
    for place, piece in changes:
        start = int(place * (len(data) - len(piece)))
        data[start : start + len(piece)] = piece
    with TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_bytes(data[: int(len(data) * kept)])
        facts = probe(path)
        assert facts.fault is None or facts.fault.endswith(".")
        report = None
        if facts.fault is None:
            try:
                report = analyse(path, facts)
            except RuleError as error:
                assert str(error).endswith(".")
            else:
                assert report.examined > 0
                assert all(s.first_frame <= s.last_frame for s in report.stretches)
        told = inspected(path, facts, report, verdicts(claims_of(name, facts, report)))
        assert told["trouble"] or told["file_rate"]


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(head=st.sampled_from(HEADS), rest=st.binary(max_size=3_000))
def test_nonsense_behind_a_known_beginning(head: bytes, rest: bytes) -> None:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "odd.mov"
        path.write_bytes(head + rest)
        facts = probe(path)
    assert not facts.usable or facts.frames > 0
