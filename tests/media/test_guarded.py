"""Files that crash, hang or swallow memory harm nobody but themselves."""

import multiprocessing
import os
import signal
import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import pytest

from oddmeter.core.evidence.facts import Facts
from oddmeter.media.analysis import guarded
from oddmeter.media.analysis.guarded import GuardedError, analyse_guarded, memory_for, probe_guarded
from oddmeter.media.files.probe import probe


def test_the_guarded_probe_says_what_the_plain_one_does(footage: dict[str, Path], tmp_path: Path) -> None:
    (tmp_path / "empty.mov").touch()
    for path in (footage["HB_gulls_30.mp4"], tmp_path / "empty.mov", tmp_path / "absent.mov"):
        assert probe_guarded(path) == probe(path)


def test_what_takes_too_long_is_given_up_and_the_next_file_is_read(footage: dict[str, Path]) -> None:
    path = footage["HB_gulls_30.mp4"]
    assert "longer than" in (probe_guarded(path, seconds=-1).fault or "")
    assert probe_guarded(path) == probe(path)


def test_a_crash_takes_only_the_helper_with_it(footage: dict[str, Path]) -> None:
    path = footage["FD1_B01_bell_swing_100.mov"]
    facts = probe(path)

    def crash(_done: int, _of: int) -> None:
        for child in multiprocessing.active_children():
            os.kill(child.pid or 0, signal.SIGSEGV)

    with pytest.raises(GuardedError, match="crashes"):
        analyse_guarded(path, facts, progress=crash)
    assert analyse_guarded(path, facts).examined == 500


def test_what_needs_too_much_memory_is_refused_and_the_next_file_is_read(
    footage: dict[str, Path], tmp_path: Path
) -> None:
    path, huge = footage["HB_gulls_30.mp4"], tmp_path / "huge.png"
    huge.write_bytes(absurd_png(15_000))
    assert probe_guarded(huge, memory=200_000_000).fault == (
        "Looking at this file would take more than 0.2 GB of memory; it is refused."
    )
    assert probe_guarded(path) == probe(path)
    assert memory_for(Facts(width=1920, height=1080)) == memory_for(Facts(width=4096, height=2304)) == guarded.ORDINARY
    assert guarded.ORDINARY < memory_for(Facts(width=7680, height=4320)) <= memory_for(Facts(width=2**14, height=2**14))


def test_looking_at_many_files_needs_no_more_than_looking_at_one(
    footage: dict[str, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is reserved for threads and never written to does not count, and no picture begins threads of its own."""
    monkeypatch.setattr(guarded, "ORDINARY", 300_000_000)
    chart = footage["tide_chart_0001.png"].with_name("tide_chart_####.png")
    for _ in range(3):
        assert analyse_guarded(chart, probe(chart)).examined


def test_whoever_stops_it_gets_their_own_error_and_a_fresh_helper(footage: dict[str, Path]) -> None:
    path = footage["FD1_B01_bell_swing_100.mov"]

    def stop(_done: int, _of: int) -> None:
        raise KeyError("enough")

    with pytest.raises(KeyError, match="enough"):
        analyse_guarded(path, probe(path), progress=stop)
    assert analyse_guarded(path, probe(path)).whole


def element(identity: bytes, body: bytes) -> bytes:
    """One EBML element, its length in eight bytes."""
    return identity + b"\x01" + struct.pack(">Q", len(body))[1:] + body


def many_streams(count: int) -> bytes:
    """A Matroska file that claims so many video tracks."""
    head = element(b"\x1a\x45\xdf\xa3", element(b"\x42\x82", b"matroska"))
    picture = element(b"\xe0", element(b"\xb0", b"\x40") + element(b"\xba", b"\x40"))
    tracks = b"".join(
        element(b"\xae", element(b"\xd7", struct.pack(">I", n + 1)) + element(b"\x73\xc5", struct.pack(">I", n + 1))
                + element(b"\x83", b"\x01") + element(b"\x86", b"V_FFV1") + picture)
        for n in range(count)
    )  # fmt: skip
    return head + element(b"\x18\x53\x80\x67", element(b"\x16\x54\xae\x6b", tracks))


def absurd_png(side: int) -> bytes:
    """A PNG whose header claims a raster of ``side`` by ``side``."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    header = struct.pack(">IIBBBBB", side, side, 8, 6, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b"\0" * 1000))
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("streams.mkv", lambda: many_streams(100_000)),
        ("wide.png", lambda: absurd_png(30_000)),
        ("wider.png", lambda: absurd_png(2_000_000_000)),
        ("\x1b[31m\u202egnp.\u0301ü’.mov", lambda: b"\0" * 4096),
        ("zeros.mp4", lambda: b"\0\0\0\x18ftypisom" + b"\0" * 200_000),
        ("atoms.mov", lambda: b"\0\0\0\x08moov" * 50_000),
        ("riff.avi", lambda: b"RIFF\xff\xff\xff\xffAVI LIST\xff\xff\xff\xffhdrl" + b"\xff" * 60_000),
    ],
)
def test_hostile_files_end_in_a_sentence_within_bounds(tmp_path: Path, name: str, data: Callable[[], bytes]) -> None:
    path = tmp_path / name
    path.write_bytes(data())
    facts = probe_guarded(path)
    assert isinstance(facts, Facts) and not facts.usable
    assert facts.fault is None or facts.fault.endswith(".")
    assert facts.fault or facts.file_rate is None or facts.frames == 0
