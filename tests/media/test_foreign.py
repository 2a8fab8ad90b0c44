"""Files of others: turned pictures, streams nobody can decode, lists that lead elsewhere, one file for another."""

import shutil
import struct
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.bitstream import BitStreamFilterContext
from av.video.frame import VideoFrame

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.turn import Turn, turn_of
from oddmeter.media.containers.mastering import mastering_in
from oddmeter.media.files.identity import identify, is_as_known
from oddmeter.media.files.matrices import may_be_turned
from oddmeter.media.files.probe import probe
from oddmeter.media.files.samples import planes_of
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.pictures.stills import still
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.encoding import encoding_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, SHIPPED, VIEW
from oddmeter.media.verify import verify
from tests.media.tagged import write_tagged

ONE = 1 << 16
MATRICES = {
    Turn.NONE: (ONE, 0, 0, 0, ONE, 0),
    Turn.QUARTER: (0, ONE, 0, -ONE, 0, 0),
    Turn.HALF: (-ONE, 0, 0, 0, -ONE, 0),
    Turn.THREE_QUARTERS: (0, -ONE, 0, ONE, 0, 0),
    Turn.MIRRORED: (-ONE, 0, 0, 0, ONE, 0),
    Turn.MIRRORED_HALF: (ONE, 0, 0, 0, -ONE, 0),
    Turn.MIRRORED_THREE_QUARTERS: (0, ONE, 0, ONE, 0, 0),
    Turn.MIRRORED_QUARTER: (0, -ONE, 0, -ONE, 0, 0),
}
"""What turns a point as each turn says, by ISO/IEC 14496-12, 6.2.2."""
WIDE, HIGH = 320, 192


def corners(picture: np.ndarray) -> list[int]:
    """The four corners of a picture, clockwise from the upper left, in steps of 80 grey levels."""
    return [round(float(part.mean()) / 80) for part in (
        picture[:16, :16], picture[:16, -16:], picture[-16:, -16:], picture[-16:, :16],
    )]  # fmt: skip


def marked(path: Path, turn: Turn = Turn.NONE, pixel_format: str = "yuv420p", frames: int = 12) -> Path:
    """A clip with four grey corners, 0 to 3 clockwise, that asks to be turned."""
    picture = np.full((HIGH, WIDE, 3), 120, np.uint8)
    for value, (y, x) in enumerate(((0, 0), (0, WIDE - 64), (HIGH - 64, WIDE - 64), (HIGH - 64, 0))):
        picture[y : y + 64, x : x + 64] = 80 * value
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "12"})
        stream.width, stream.height, stream.pix_fmt = WIDE, HIGH, pixel_format
        stream.set_display_matrix((*MATRICES[turn], 0, 0, 1 << 30))
        for number in range(frames):
            moving = picture.copy()
            moving[80:112, 100 + number * 8 : 116 + number * 8] = 255
            frame = VideoFrame.from_ndarray(moving, format="rgb24").reformat(format=pixel_format)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def turned_by_the_matrix(turn: Turn) -> list[int]:
    """Where the four corners lie after each is moved as the matrix says."""
    a, b, _, c, d, _ = MATRICES[turn]
    places = enumerate(((-1, -1), (1, -1), (1, 1), (-1, 1)))
    moved = {((a * x + c * y) > 0, (b * x + d * y) > 0): number for number, (x, y) in places}
    return [moved[place] for place in ((False, False), (True, False), (True, True), (False, True))]


def plan_of(path: Path, out: Path, setting: Setting = VIEW) -> ClipPlan:
    facts = probe(path)
    assert facts.file_rate is not None
    conformed = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.REAL_TIME), Rate.of(25))
    return ClipPlan(path, facts, conformed, setting, out / f"made{setting.suffix}")


@pytest.mark.parametrize("turn", Turn)
def test_pictures_stand_upright_wherever_they_are_seen(turn: Turn, tmp_path: Path) -> None:
    path = marked(tmp_path / "phone.mov", turn)
    facts = probe(path)
    wanted = turned_by_the_matrix(turn)
    assert facts.turn is turn and turn_of((*MATRICES[turn], 0, 0, 1 << 30)) is turn
    assert (facts.width, facts.height) == ((HIGH, WIDE) if turn.swaps else (WIDE, HIGH))
    with FrameAccess(path, facts) as frames:
        assert corners(frames.frame(7).to_ndarray(format="gray")) == wanted
    (tmp_path / "still.jpg").write_bytes(still(path, facts, 3, 240))
    with FrameReader(tmp_path / "still.jpg") as seen:
        assert corners(seen.frame(0).to_ndarray(format="gray")) == wanted
    plan = plan_of(path, tmp_path / "made")
    render(plan)
    made = probe(plan.out)
    assert made.turn is Turn.NONE and (made.width, made.height) == (facts.width, facts.height)
    with FrameReader(plan.out) as shown:
        assert corners(shown.frame(11).to_ndarray(format="gray")) == wanted
    assert verify(plan).passed


@pytest.mark.parametrize("pixel_format", ["yuv422p", "yuv444p10le", "yuv420p10le"])
def test_a_turned_picture_keeps_its_samples(pixel_format: str, tmp_path: Path) -> None:
    """Also where chroma is finer one way than the other, as in 4:2:2; the second turn brings luma back exactly."""
    path = marked(tmp_path / "phone.mov", Turn.QUARTER, pixel_format)
    with av.open(str(path)) as container:
        stored = next(container.decode(video=0)).to_ndarray(format="gray16le")
    with FrameReader(path) as frames:
        seen = frames.frame(0).to_ndarray(format="gray16le")
    assert np.array_equal(np.rot90(stored, -1), seen)
    assert verified(plan_of(path, tmp_path / "made", ARCHIVE))


def verified(plan: ClipPlan) -> bool:
    render(plan)
    return verify(plan).passed


def foreign(path: Path, source: Path, old: bytes, new: bytes) -> Path:
    """A copy with the name of a codec written over."""
    content = source.read_bytes()
    assert old in content
    path.write_bytes(content.replace(old, new))
    return path


def test_sound_that_cannot_be_decoded_is_left_out(footage: dict[str, Path], tmp_path: Path) -> None:
    path = foreign(tmp_path / "odd.mkv", footage["VR_lantern_24.mkv"], b"A_AAC", b"A_ZQZ")
    facts = probe(path)
    assert facts.usable and facts.sound is None
    assert "Its sound stream cannot be decoded and is skipped." in facts.remarks
    assert verified(plan_of(path, tmp_path / "made"))


def test_pictures_that_nobody_can_decode_are_a_sentence(tmp_path: Path) -> None:
    path = foreign(tmp_path / "odd.mov", marked(tmp_path / "phone.mov"), b"avc1", b"zqzq")
    assert probe(path).fault == "Its pictures are stored in a form that cannot be decoded here."


@pytest.mark.parametrize("name", ["list.m3u8", "list.mp4", "list.mov", "list.ffconcat"])
def test_a_list_never_leads_to_another_file(name: str, footage: dict[str, Path], tmp_path: Path) -> None:
    inside = footage["HB_gulls_30.mp4"]
    lists = {
        "playlist": f"#EXTM3U\n#EXT-X-TARGETDURATION:8\n#EXTINF:8,\n{inside}\n#EXT-X-ENDLIST\n",
        "address": f"#EXTM3U\n#EXT-X-TARGETDURATION:8\n#EXTINF:8,\nfile://{inside}\n#EXT-X-ENDLIST\n",
        "cuts": f"ffconcat version 1.0\nfile {inside}\n",
    }
    for content in lists.values():
        (tmp_path / name).write_text(content)
        assert "not a media file" in (probe(tmp_path / name).fault or "")
        with pytest.raises(RuleError):
            FrameReader(tmp_path / name)


def test_another_file_in_its_place_is_not_made_into_anything(tmp_path: Path) -> None:
    """Same count, rate, raster and length of name: only its content tells."""
    path = marked(tmp_path / "clip.mov")
    plan = plan_of(path, tmp_path / "made")
    shutil.copy(path, tmp_path / "kept.mov")
    marked(path, frames=12, turn=Turn.MIRRORED_HALF)
    with pytest.raises(RuleError, match="has changed since it was looked at"):
        render(plan)
    assert not plan.out.exists()
    shutil.copy(tmp_path / "kept.mov", path)
    render(plan)
    assert verify(plan).passed
    marked(path, turn=Turn.MIRRORED_HALF)
    proof = verify(plan)
    assert not proof.passed
    assert [check.name for check in proof.checks if not check.passed] == ["source"]


def test_what_is_identified_is_the_content(tmp_path: Path) -> None:
    path = tmp_path / "card.mov"
    content = np.random.default_rng(4).bytes(3_000_000)
    path.write_bytes(content)
    known = identify(path)
    path.touch()
    assert is_as_known(path, known) and is_as_known(path, known, quickly=True), "a copy has a time of its own"
    changed = bytearray(content)
    changed[1_200_000:1_300_000] = bytes(100_000)
    path.write_bytes(changed)
    assert not is_as_known(path, known)
    changed = bytearray(content)
    between = (len(content) - 65_536) // 15 + 70_000
    changed[between] ^= 1
    path.write_bytes(changed)
    assert is_as_known(path, known), "one byte between two samples is not seen …"
    path.write_bytes(content)
    whole = identify(path, whole=True)
    path.write_bytes(changed)
    assert not is_as_known(path, whole), "… but where the whole was asked for"
    path.unlink()
    with pytest.raises(RuleError, match="has been moved or deleted"):
        is_as_known(path, whole, quickly=True)
    assert replace(known, changed=5).is_same_as(Identity(known.size, 9, known.samples))


@pytest.mark.parametrize("pixel_format", ["yuv420p10le", "yuv422p10le", "yuv444p10le"])
@pytest.mark.parametrize("setting", [EDIT, ARCHIVE])
def test_ten_bits_and_high_dynamic_range_stay(setting: Setting, pixel_format: str, tmp_path: Path) -> None:
    """Every step of a ramp that eight bits cannot tell apart is still there, and the curve and colours are named."""
    ramp = np.repeat(np.arange(400, 720, dtype=np.uint16)[None, :], 192, axis=0)
    lumas = (np.roll(ramp, 8 * number, axis=1) for number in range(6))
    path = write_tagged(tmp_path / "storm.mkv", lumas, pixel_format=pixel_format)
    facts = probe(path)
    assert (facts.bits, facts.transfer) == (10, "PQ")
    plan = plan_of(path, tmp_path / "made", setting)
    assert verified(plan)
    made = probe(plan.out)
    assert (made.bits, made.transfer) == (10, "PQ")
    with FrameReader(plan.out) as frames:
        frame = frames.frame(2)
        steps = planes_of(frame)[0].mean(axis=0)
        assert (int(frame.color_primaries), int(frame.colorspace)) == (9, 9)
        assert len({round(float(step)) for step in steps}) > 300
    assert frame.format.name == ("yuv422p10le" if setting is EDIT and "444" not in pixel_format else pixel_format)


@pytest.mark.parametrize("setting", SHIPPED)
def test_mastering_and_light_level_data_are_carried_over(setting: Setting, tmp_path: Path) -> None:
    display = "G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50)"
    told = f"log-level=none:hdr-opt=1:repeat-headers=1:master-display={display}:max-cll=640,120"
    lumas, options = range(400, 480, 20), {"x265-params": told}
    path = write_tagged(tmp_path / "lantern.mp4", lumas, codec="libx265", options=options)
    plan = plan_of(path, tmp_path / "made", setting)
    assert verified(plan)
    wanted, found = mastering_in(path), mastering_in(plan.out)
    assert wanted.lightest == found.lightest == (640, 120)
    assert (
        wanted.light == (Fraction(1, 200), Fraction(1000)) and wanted.colours is not None and found.colours is not None
    )
    assert found.light is not None and [float(value) for value in found.light] == pytest.approx([0.005, 1000])
    assert [float(value) for value in found.colours] == pytest.approx([float(value) for value in wanted.colours])
    assert found.colours[0] == pytest.approx(0.68) and found.colours[2] == pytest.approx(0.265)


def test_what_a_setting_cannot_hold_is_said() -> None:
    edit, view, archive = (encoding_of(setting) for setting in (EDIT, VIEW, ARCHIVE))
    assert (
        edit.loss_of("yuv422p", 8, "")
        is archive.loss_of("yuv422p12le", 12, "")
        is view.loss_of("yuv420p", 8, "")
        is None
    )
    assert edit.loss_of("yuv422p12le", 12, "") == "Its 12 bits a sample become 10."
    assert view.loss_of("yuv422p10le", 10, "PQ") == (
        "Its 10 bits a sample become 8; PQ in 8 bits shows steps in what is smooth."
    )
    assert edit.loss_of("p010le", 10, "HLG") is None
    chosen = {name: archive.pixel_format_for(name, 64, 64) for name in (
        "yuv422p12le", "yuv440p", "p010le", "rgb24", "rgb48le", "gray10le", "yuv411p", "nv12",
    )}  # fmt: skip
    assert chosen == {
        "yuv422p12le": "yuv422p12le", "yuv440p": "yuv422p", "p010le": "yuv420p10le", "rgb24": "bgr0",
        "rgb48le": "gbrp16le", "gray10le": "yuv420p10le", "yuv411p": "yuv411p", "nv12": "yuv420p",
    }  # fmt: skip


def test_only_what_may_be_turned_is_decoded_to_find_out(tmp_path: Path) -> None:
    """The matrix of a movie and of a track, of both versions of their headers, edited where they lie."""
    path = marked(tmp_path / "plain.mov")
    plain = path.read_bytes()
    assert not may_be_turned(path, "mov")
    unity = struct.pack(">5i", ONE, 0, 0, 0, ONE)
    for kind in (b"mvhd", b"tkhd"):
        at = plain.index(unity, plain.index(kind))
        path.write_bytes(plain[:at] + struct.pack(">5i", 0, ONE, 0, -ONE, 0) + plain[at + 20 :])
        assert may_be_turned(path, "mov") and probe(path).turn is Turn.QUARTER, kind
    for kind, head in ((b"mvhd", 52), (b"tkhd", 56)):  # version 1: times of eight bytes
        for matrix, turned in ((unity, False), (struct.pack(">5i", -ONE, 0, 0, 0, -ONE), True)):
            body = kind + b"\1" + bytes(head - 5) + matrix + bytes(60)
            path.write_bytes(struct.pack(">I4s", len(body) + 12, b"moov") + struct.pack(">I", len(body) + 4) + body)
            assert may_be_turned(path, "mov") is turned, kind


@pytest.mark.parametrize("suffix", ["mov", "mkv", "ts", "h264"])
def test_a_turn_told_among_the_pictures_is_seen_in_every_container(suffix: str, tmp_path: Path) -> None:
    """ITU-T H.264, D.1.27: a message before the first picture, behind the one that the encoder writes."""
    source, path = marked(tmp_path / "plain.mov"), tmp_path / f"told.{suffix}"
    filters = ["h264_metadata=display_orientation=insert:rotate=90"]
    filters = ["h264_mp4toannexb", *filters] if suffix in ("ts", "h264") else filters
    with av.open(str(source)) as reading, av.open(str(path), "w") as writing:
        stream = reading.streams.video[0]
        written = writing.add_stream_from_template(stream)
        told = BitStreamFilterContext(",".join(filters), stream, written)
        for packet in reading.demux(stream):
            for changed in told.filter(packet if packet.size else None):
                changed.stream = written
                writing.mux(changed)
    facts = probe(path)
    assert facts.turn is Turn.THREE_QUARTERS and (facts.width, facts.height) == (HIGH, WIDE)
    with FrameAccess(path, facts) as frames:
        assert corners(frames.frame(7).to_ndarray(format="gray")) == [1, 2, 3, 0]
