"""Settings: what can be asked for is written, read and proven, or refused with a sentence before anything is made."""

import json
import shutil
import subprocess
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import cv2
import numpy as np
import pytest

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Span, Treatment
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import TimelineScan
from oddmeter.media.containers.vc3 import state_matrix
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.decode import FrameReader
from oddmeter.media.plans import ClipPlan
from oddmeter.media.proof.numbered import head_of
from oddmeter.media.render import made_files, render
from oddmeter.media.settings.codecs import CODECS
from oddmeter.media.settings.setting import PictureSetting, Setting
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, SHIPPED, VIEW, named, ready_made
from oddmeter.media.verify import verify
from oddmeter.media.writing.holding import troubles

PLAIN = "FD1_A01_interview.mov"


def plan_of(source: Path, folder: Path, setting: Setting, frames: int = 6, rate: str = "25") -> ClipPlan:
    facts = probe(source)
    assert facts.file_rate is not None
    treatment = Treatment(Intent.EVERY_FRAME, span=Span(0, frames - 1))
    made = conform(Material(facts.frames, facts.file_rate), treatment, Rate.parse(rate))
    return ClipPlan(source, facts, made, setting, folder / "made" / f"out{setting.suffix}")


def of(container: str, codec: str, **more: object) -> Setting:
    picture = {"codec": codec, **{key: more.pop(key) for key in list(more) if key in PictureSetting.model_fields}}
    return Setting.parse({"name": "asked", "container": container, "picture": picture, **more})


def every_kind() -> list[Setting]:
    """One setting for each codec, profile and depth, and one for each pair of codec and container."""
    found: dict[object, Setting] = {}
    for setting in ready_made():
        picture = setting.picture
        found.setdefault((picture.codec, picture.profile, picture.bits), setting)
        found.setdefault((picture.codec, setting.container), setting)
    return sorted(set(found.values()), key=lambda setting: setting.name)


@pytest.mark.parametrize("setting", every_kind())
def test_what_is_offered_is_written_read_and_proven(setting: Setting, footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, setting)
    assert list(troubles(plan)) == []
    proof = verify(plan, losses=render(plan))
    assert proof.passed, [check for check in proof.checks if not check.passed]
    made = plan.out if setting.is_numbered else plan.out.parent
    assert not list(made.glob(".*")), "nothing unfinished stays"
    _another_reader_agrees(plan)


FORMATS = {
    "ffv1": "FFV1", "vc3": "VC-3", "rdd36": "ProRes", "h264": "AVC", "hevc": "HEVC", "av1": "AV1",
    "jpeg2000": "JPEG 2000", "png": "PNG", "tiff": "TIFF", "dpx": "DPX",
}  # fmt: skip
"""What MediaInfo calls each codec."""


def _another_reader_agrees(plan: ClipPlan) -> None:
    """MediaInfo, which has nothing of the library that wrote the file, says the same of it."""
    setting, codec = plan.setting, plan.setting.codec
    file = sorted(plan.out.glob(f"*{codec.suffix}"))[0] if setting.is_numbered else plan.out
    if codec.name == "tiff":  # of which MediaInfo says nothing where its index lies at the end
        seen = cv2.imread(str(file), cv2.IMREAD_UNCHANGED)
        assert seen is not None and seen.shape[:2] == (plan.canvas.height, plan.canvas.width)
        assert seen.dtype.itemsize * 8 == setting.picture.bits
        return
    done = subprocess.run(["mediainfo", "--Output=JSON", file], capture_output=True, text=True, check=True)
    tracks = json.loads(done.stdout)["media"]["track"]
    picture = next(track for track in tracks if track["@type"] in ("Video", "Image"))
    assert picture["Format"] == FORMATS[codec.name]
    assert (int(picture["Width"]), int(picture["Height"])) == (plan.canvas.width, plan.canvas.height)
    if "BitDepth" in picture and setting.picture.bits is not None:
        assert int(picture["BitDepth"]) == setting.picture.bits
    # MediaInfo takes JPEG 2000 with chroma halved both ways for 4:4:4.
    if setting.picture.chroma in ("4:2:0", "4:2:2", "4:4:4") and (codec.name, setting.picture.chroma) != (
        "jpeg2000", "4:2:0"
    ):  # fmt: skip
        assert picture["ChromaSubsampling"] == setting.picture.chroma
    if not setting.is_numbered:
        assert (float(picture["FrameRate"]), int(picture["FrameCount"])) == (25.0, plan.length)
        assert sum(track["@type"] == "Audio" for track in tracks) == len(plan.sounds)
        starts = {track.get("TimeCode_FirstFrame") for track in tracks if track["@type"] == "Other"}
        assert starts <= {str(plan.start)} and (starts or setting.container == "matroska")


@pytest.mark.parametrize("name", ["RG_prize_50i.mov", "VR_choir_tape_50i.mov"])
@pytest.mark.parametrize("codec", sorted(CODECS))
def test_fields_are_kept_or_refused(name: str, codec: str, footage: dict[str, Path], tmp_path: Path) -> None:
    setting = next(setting for setting in ready_made() if setting.picture.codec == codec)
    plan = replace(
        plan_of(footage[name], tmp_path, setting, 3), timeline=Canvas(720, 576, Fraction(16, 15), TimelineScan.UPPER)
    )
    if not CODECS[codec].fields:
        with pytest.raises(RuleError, match="holds whole pictures only"):
            render(plan)
        assert not plan.out.exists()
        return
    proof = verify(plan, losses=render(plan))
    assert proof.passed, [check for check in proof.checks if not check.passed]


def test_the_shipped_are_what_they_were_and_every_name_is_its_own() -> None:
    names = [setting.name for setting in (*SHIPPED, *ready_made())]
    assert len(set(names)) == len(names) and names[:3] == ["archive", "edit", "view"]
    assert [setting.suffix for setting in SHIPPED] == [".mkv", ".mov", ".mp4"]
    assert named("archive") is ARCHIVE and named("nothing") is None


@pytest.mark.parametrize("setting", (*SHIPPED, *ready_made()))
def test_a_document_says_the_whole_setting(setting: Setting) -> None:
    assert Setting.parse(json.dumps(setting.document())) == setting


@pytest.mark.parametrize(
    ("document", "sentence"),
    [
        ("{", "This is not a setting: it is no JSON."),
        ({"name": "x", "container": "mov"}, "“picture”: field required"),
        ({"name": "x", "container": "avi", "picture": {"codec": "h264"}}, "no container “avi”"),
        ({"name": "x", "container": "mov", "picture": {"codec": "theora"}}, "no picture codec “theora” here"),
        ({"name": "x", "container": "mp4", "picture": {"codec": "vc3"}}, "MP4 does not hold VC-3"),
        ({"name": "x", "container": "mov", "picture": {"codec": "vc3", "bits": 12}}, "not written with 12 bits"),
        ({"name": "x", "container": "mov", "picture": {"codec": "vc3", "profile": "best"}}, "no profile “best”"),
        ({"name": "x", "container": "mov", "picture": {"codec": "rdd36", "chroma": "4:2:0"}}, "does not hold 4:2:0"),
        ({"name": "x", "container": "mp4", "picture": {"codec": "h264", "quality": 70}}, "between 1, best, and 51"),
        (
            {"name": "x", "container": "mp4", "picture": {"codec": "h264", "quality": 20, "bit_rate": 900}},
            "a quality or a bit rate, not both",
        ),
        ({"name": "x", "container": "mov", "picture": {"codec": "vc3", "key_frames": 5}}, "is a key frame"),
        ({"name": "x", "container": "mp4", "picture": {"codec": "hevc", "fields": "upper"}}, "whole pictures only"),
        ({"name": "x", "container": "mp4", "picture": {"codec": "h264", "raster": "wide"}}, "is not a raster"),
        ({"name": "x", "container": "pictures", "picture": {"codec": "png"}}, "Numbered pictures hold no sound"),
        (
            {"name": "x", "container": "mp4", "picture": {"codec": "h264"}, "sound": {"codec": "pcm24"}},
            "MP4 does not hold PCM",
        ),
        (
            {"name": "x", "container": "matroska", "picture": {"codec": "h264"},
             "sound": {"codec": "opus", "rate": 44100}},
            "48000 samples a second",
        ),
        ({"name": "a/b", "container": "mov", "picture": {"codec": "vc3"}}, "“name”"),
        ({"name": "x", "container": "mov", "picture": {"codec": "vc3", "speed": 2}}, "“picture.speed”"),
        (
            {"name": "x", "container": "pictures", "picture": {"codec": "png"}, "sound": {"place": "none"},
             "numbers": {"pattern": "{number}.{name}"}},
            "end with {number}",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_in_a_sentence(document: object, sentence: str) -> None:
    with pytest.raises(RuleError) as error:
        Setting.parse(document)
    assert sentence in str(error.value) and error.value.code == "setting"


def test_quality_bit_rate_and_key_frames_are_as_asked(footage: dict[str, Path], tmp_path: Path) -> None:
    sizes = {}
    for number, asked in enumerate(({"quality": 14}, {"quality": 34}, {"bit_rate": 300, "key_frames": 4})):
        plan = plan_of(footage[PLAIN], tmp_path / str(number), of("matroska", "h264", **asked), 24)
        assert verify(plan, losses=render(plan)).passed
        with av.open(str(plan.out)) as container:
            packets = [packet for packet in container.demux(video=0) if packet.size]
        sizes[number] = sum(packet.size for packet in packets)
        if "key_frames" in asked:
            assert [number for number, packet in enumerate(packets) if packet.is_keyframe] == [0, 4, 8, 12, 16, 20]
    assert sizes[0] > 2 * sizes[1] and sizes[2] < sizes[0]


@pytest.mark.parametrize(
    ("raster", "width", "height"), [("1/2", 320, 180), ("480x270", 480, 270), ("320x320", 320, 320)]
)
def test_a_raster_of_its_own_is_made_and_proven(
    raster: str, width: int, height: int, footage: dict[str, Path], tmp_path: Path
) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mov", "rdd36", raster=raster))
    assert verify(plan, losses=render(plan)).passed
    made = probe(plan.out)
    assert (made.width, made.height, made.pixel_aspect) == (width, height, Fraction(1))


def test_an_odd_raster_takes_all_of_its_chroma(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mp4", "h264", bits=8, chroma="4:2:0", raster="321x181",
                                                sound={"codec": "aac"}))  # fmt: skip
    assert verify(plan, losses=render(plan)).passed
    assert probe(plan.out).pixel_format == "yuv444p"


def test_alpha_is_kept_where_the_setting_can_and_left_out_where_it_is_not_wanted(tmp_path: Path) -> None:
    source = tmp_path / "drawn.mkv"
    with av.open(str(source), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 128, 96, "yuva444p10le"
        for number in range(4):
            frame = av.VideoFrame(128, 96, "yuva444p10le")
            for plane in frame.planes:
                values = np.arange(plane.buffer_size // 2, dtype="<u2") * (number + 1) % 1000
                plane.update(values.tobytes())
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    for setting, kept in (
        (of("mov", "rdd36"), True), (of("matroska", "ffv1"), True), (of("matroska", "ffv1", alpha=False), False),
    ):  # fmt: skip
        plan = plan_of(source, tmp_path / f"{setting.picture.codec}{kept}", setting, 4)
        assert verify(plan, losses=render(plan)).passed
        assert ("a" in probe(plan.out).pixel_format[:4]) is kept


def test_colour_tags_are_put_where_nothing_is_said_and_never_over_what_is(
    footage: dict[str, Path], tmp_path: Path
) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mov", "h264", colour="bt709"))
    assert verify(plan, losses=render(plan)).passed
    with FrameReader(plan.out) as made:
        frame = made.frame(0)
    assert (frame.color_primaries, frame.color_trc, frame.colorspace) == (1, 1, 1)
    again = plan_of(plan.out, tmp_path / "again", of("mov", "h264", colour="bt2020"))
    with pytest.raises(RuleError, match="tagged with another colour standard"):
        render(again)


@pytest.mark.parametrize("codec", ["png", "tiff", "dpx"])
def test_numbered_pictures_are_whole_with_their_rate_and_timecode(
    codec: str, footage: dict[str, Path], tmp_path: Path
) -> None:
    setting = of("pictures", codec, sound={"place": "beside", "codec": "pcm16"},
                 numbers={"pattern": "{name}_{number}", "padding": 7, "timecode": True})  # fmt: skip
    plan = plan_of(footage[PLAIN], tmp_path, setting, rate="23.976")
    assert verify(plan, losses=render(plan)).passed
    first = plan.start.frames
    files = sorted(path.name for path in plan.out.iterdir() if path.suffix == CODECS[codec].suffix)
    assert files == [f"out_{first + number:07d}{CODECS[codec].suffix}" for number in range(6)]
    said = json.loads((plan.out / "sequence.json").read_text())
    assert said["rate"] == "24000/1001" and said["timecode"] == str(plan.start) and said["frames"] == 6
    assert (plan.out / "out.wav").exists()
    if codec == "dpx":
        head = head_of(plan.out / files[2])
        digits = int(str(plan.start).replace(":", "").replace(";", "")) + 2
        assert (head["place"], int(head["timecode"])) == (2, digits)
        assert head["rate"] == pytest.approx(23.976, abs=1e-3)
    (plan.out / files[3]).unlink()
    assert {check.name for check in verify(plan).checks if not check.passed} >= {"frames", "numbers"}


def test_numbers_that_need_more_digits_are_refused_and_nothing_stays(footage: dict[str, Path], tmp_path: Path) -> None:
    setting = of("pictures", "png", sound={"place": "none"}, numbers={"padding": 1, "start": 7})
    plan = plan_of(footage[PLAIN], tmp_path, setting)
    with pytest.raises(RuleError, match="12 has more than 1 digits"):
        render(plan)
    assert not plan.out.parent.exists(), "it is refused before anything is begun"


@pytest.mark.parametrize(
    ("container", "sound"),
    [
        ("matroska", {"codec": "opus"}), ("matroska", {"codec": "flac"}), ("mov", {"codec": "pcm16"}),
        ("mov", {"codec": "pcm24", "rate": 44100}), ("mov", {"channels": "mono"}), ("mov", {"streams": [1]}),
        ("mov", {"place": "none"}), ("mov", {"place": "beside"}), ("mp4", {"codec": "aac", "bit_rate": 48}),
    ],
)  # fmt: skip
def test_sound_is_as_asked_and_proven(
    container: str, sound: dict[str, object], footage: dict[str, Path], tmp_path: Path
) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of(container, "h264", sound=sound), 50)
    proof = verify(plan, losses=render(plan))
    assert proof.passed, [check for check in proof.checks if not check.passed]
    made = probe(plan.out)
    assert len(made.sounds) == (0 if sound.get("place") else 1)
    if "rate" in sound:
        assert made.sounds[0].sample_rate == 44100
    if "channels" in sound:
        assert made.sounds[0].channels == 1


def test_a_sound_beside_says_when_it_begins_and_what_its_channels_are(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mov", "h264", sound={"place": "beside"}), rate="29.97")
    render(plan)
    wav = made_files(plan)[1]
    assert wav.name == "out.wav"
    with av.open(str(wav)) as container:
        reference = int(container.metadata["time_reference"])
    assert reference == round(plan.start.frames * Fraction(1001, 30000) * 48000)
    data = wav.read_bytes()
    assert b"iXML" in data and b"<TIMECODE_RATE>30000/1001</TIMECODE_RATE>" in data
    assert int.from_bytes(data[4:8], "little") == len(data) - 8, "the last chunk is counted in"


def test_a_stream_that_is_not_there_is_refused(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mov", "h264", sound={"streams": [1, 4]}))
    with pytest.raises(RuleError, match="takes sound stream 4"):
        render(plan)


def test_rates_that_a_container_does_not_have_are_refused(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mxf", "vc3"), rate="23")
    with pytest.raises(RuleError, match=r"is written at 23\.976, 24, 25"):
        render(plan)


def test_two_fields_in_one_coded_picture_are_stated_once() -> None:
    """The second half of a picture that is not coded as fields is nobody's header."""
    for coding, changed in ((1, {0x2C}), (3, {0x2C, 500 + 0x2C})):
        data = bytearray(1000)
        data[5] = coding
        packet = av.Packet(bytes(data))
        state_matrix(cast("av.Packet[av.VideoStream]", packet), 6)
        assert {at for at, (a, b) in enumerate(zip(data, bytes(packet), strict=True)) if a != b} == changed


def test_what_is_beside_is_placed_with_its_file_or_not_at_all(footage: dict[str, Path], tmp_path: Path) -> None:
    plan = plan_of(footage[PLAIN], tmp_path, of("mov", "h264", sound={"place": "beside"}))
    plan.out.parent.mkdir(parents=True)

    def somebody_else() -> None:
        made_files(plan)[1].write_text("mine")

    with pytest.raises(RuleError, match="already exists"):
        render(plan, before_placing=somebody_else)
    assert [path.name for path in plan.out.parent.iterdir()] == ["out.wav"]
    assert made_files(plan)[1].read_text() == "mine"


def test_settings_that_ship_are_lossless_or_not_as_they_say() -> None:
    assert [setting.codec.lossless for setting in (ARCHIVE, EDIT, VIEW)] == [True, False, False]


@pytest.mark.parametrize("container", ["mov", "pictures"])
def test_a_target_that_goes_in_the_middle_is_said_and_a_second_try_works(
    container: str, footage: dict[str, Path], tmp_path: Path
) -> None:
    codec, sound = ("png", "none") if container == "pictures" else ("h264", "beside")
    plan = plan_of(footage[PLAIN], tmp_path, of(container, codec, sound={"place": sound}))
    with pytest.raises(RuleError, match="its folder is not there any more"):
        render(plan, before_placing=lambda: shutil.rmtree(plan.out.parent))
    assert not plan.out.parent.exists()
    assert verify(plan, losses=render(plan)).passed
