"""Frames are reached by number, exactly, wherever a clip is entered; reading ahead changes nothing."""

import random
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import numpy as np
import pytest
from av.video.frame import VideoFrame

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.decode import frames_from, read_ahead
from oddmeter.media.pictures.planes import luma_of
from oddmeter.media.pictures.stills import contact_sheet, still

CLIPS = ["FD1_B02_sparks_119.mov", "HB_boat_59.mp4", "VR_clock_23.mkv", "VR_choir_tape_50i.mov", "PH_pier_walk.mp4"]


def number_in(frame: VideoFrame) -> int | None:
    return read(luma_of(frame))


@pytest.mark.parametrize("name", CLIPS)
def test_every_entry_leads_to_the_very_frame(name: str, footage: dict[str, Path]) -> None:
    facts = probe(footage[name])
    for first in [*range(0, facts.frames, 13), 1, 47, 48, 49, facts.frames - 1]:
        with frames_from(footage[name], facts, first) as frames:
            shown = [number_in(frame) for frame in islice(frames, 3)]
        assert shown == list(range(first, min(first + 3, facts.frames)))


def test_a_clip_that_starts_late_is_entered_rightly(tmp_path: Path, footage: dict[str, Path]) -> None:
    import av  # noqa: PLC0415

    with av.open(str(footage["HB_quay_29.mp4"])) as source, av.open(str(tmp_path / "late.mkv"), "w") as target:
        stream = source.streams.video[0]
        copied = target.add_stream_from_template(stream)
        for packet in source.demux(stream):
            if packet.size:
                packet.pts, packet.dts = (packet.pts or 0) + 500_000, (packet.dts or 0) + 500_000
                packet.stream = copied
                target.mux(packet)
    facts = probe(tmp_path / "late.mkv")
    assert facts.start > 5 and facts.file_rate is not None and facts.file_rate.spoken == "29.97"
    for first in (0, 5, 100, 239):
        with frames_from(tmp_path / "late.mkv", facts, first) as frames:
            assert number_in(next(frames)) == first


def test_there_is_nothing_after_the_end(footage: dict[str, Path]) -> None:
    path, facts = footage["HB_gulls_30.mp4"], probe(footage["HB_gulls_30.mp4"])
    with frames_from(path, facts, 239) as frames:
        assert len(list(frames)) == 1
    for ask in (lambda: still(path, facts, 5_000, 320), lambda: contact_sheet(path, facts, 5_000, 10, 100)):
        with pytest.raises(RuleError, match="does not exist"):
            ask()
    with pytest.raises(RuleError, match="cannot be opened"), frames_from(path.with_name("none.mp4"), facts, 0):
        pass


def test_reading_ahead_gives_the_same_frames_in_order(footage: dict[str, Path]) -> None:
    path, facts = footage["HB_gulls_30.mp4"], probe(footage["HB_gulls_30.mp4"])
    with frames_from(path, facts, 0) as plain, read_ahead(plain) as frames:
        assert [number_in(frame) for frame in frames] == list(range(240))


def test_reading_ahead_ends_when_nobody_reads_on_and_passes_errors_on(footage: dict[str, Path]) -> None:
    path, facts = footage["HB_gulls_30.mp4"], probe(footage["HB_gulls_30.mp4"])
    with frames_from(path, facts, 0) as plain, read_ahead(plain) as frames:
        assert number_in(next(frames)) == 0

    def breaks() -> Iterator[VideoFrame]:
        with frames_from(path, facts, 0) as plain:
            yield next(plain)
        raise RuleError("torn")

    with read_ahead(breaks()) as frames:
        next(frames)
        with pytest.raises(RuleError, match="torn"):
            next(frames)


@pytest.mark.parametrize("field", [FieldOrder.UPPER, FieldOrder.LOWER])
def test_a_field_is_shown_from_its_own_lines(field: FieldOrder, tmp_path: Path) -> None:
    import av  # noqa: PLC0415
    import cv2  # noqa: PLC0415

    picture = np.zeros((96, 96, 3), np.uint8)
    picture[0::2], picture[1::2] = 40, 210
    with av.open(str(tmp_path / "lines.mkv"), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 96, "bgr0"
        container.mux(stream.encode(VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="bgr0")))
        container.mux(stream.encode(None))
    shown = still(tmp_path / "lines.mkv", probe(tmp_path / "lines.mkv"), 0, 96, field)
    grey = cv2.imdecode(np.frombuffer(shown, np.uint8), cv2.IMREAD_GRAYSCALE)
    assert grey is not None
    assert abs(float(grey.mean()) - (40 if field == FieldOrder.UPPER else 210)) < 3 and float(grey.std()) < 3


@pytest.mark.parametrize("ahead", [False, True])
@pytest.mark.parametrize("name", [*CLIPS, "PH_rope_slow.mp4"])
def test_frames_are_reached_in_any_order(name: str, ahead: bool, footage: dict[str, Path]) -> None:
    """Far jumps, steps and back again, whatever was learnt of how far it is from where decoding can begin."""
    facts = probe(footage[name])
    dice = random.Random(7)
    jumps = [dice.randrange(facts.frames) for _ in range(12)]
    asked = [0, *(max(0, min(facts.frames - 1, jump + step)) for jump in jumps for step in (0, 1, -1, -2, 10, 3))]
    with FrameAccess(footage[name], facts, 2, ahead=ahead) as frames:
        assert [number_in(frames.frame(number)) for number in asked] == asked
