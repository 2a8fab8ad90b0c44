"""The clips of The Tide Bell: what is on each card, and how to write it as a real, encoded file.

``shot`` is the truth: the rate at which the scene was caught. ``header`` is what the file says.
"""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.video.frame import VideoFrame

from oddmeter.core.rates import Rate
from oddmeter.core.timecode import Timecode
from oddmeter.demo import scenes
from oddmeter.demo.framecode import Picture, stamp
from oddmeter.demo.sound import SAMPLE_RATE, harbour_sound

SHOW_FOLDER = "The Tide Bell"


@dataclass(frozen=True)
class Take:
    """One clip to make: where, what is seen, at which true and written rates, and for how long.

    ``frames`` counts source frames. ``channels`` 0 means a camera without sound. ``interlaced`` weaves two
    moments into each frame, upper field first.
    """

    delivery: str
    name: str
    scene: scenes.Scene
    shot: Rate
    header: Rate
    frames: int
    start: str
    channels: int = 0
    size: tuple[int, int] = (640, 360)
    pixel_aspect: Fraction = Fraction(1)
    interlaced: bool = False

    @property
    def relative_path(self) -> Path:
        """The file's place below the media root."""
        return Path(SHOW_FOLDER) / self.delivery / self.name


def _take(
    delivery: str,
    name: str,
    scene: scenes.Scene,
    shot: str,
    frames: int,
    start: str,
    channels: int = 0,
    header: str = "",
) -> Take:
    return Take(delivery, name, scene, Rate.parse(shot), Rate.parse(header or shot), frames, start, channels)


FOUNDRY, HARBOUR, VISITORS = "Foundry day 1", "Harbour, boat and phones", "Visitors' reels"

TAKES: tuple[Take, ...] = (
    _take(FOUNDRY, "FD1_A01_interview.mov", scenes.clock, "25", 200, "09:58:10:00", 2),
    _take(FOUNDRY, "FD1_A02_mould_50.mov", scenes.sparks, "50", 300, "10:02:00:00", 2),
    _take(FOUNDRY, "FD1_B01_bell_swing_100.mov", scenes.bell, "100", 500, "10:21:30:00"),
    _take(FOUNDRY, "FD1_B02_sparks_119.mov", scenes.sparks, "119.88", 480, "10:40:12:00"),
    _take(FOUNDRY, "FD1_C01_pour_fast.mov", scenes.pour, "150", 600, "11:05:00:00", header="25"),
    _take(HARBOUR, "HB_boat_59.mp4", scenes.boat, "59.94", 300, "14:00:00:00", 2),
    _take(HARBOUR, "HB_gulls_30.mp4", scenes.gulls, "30", 240, "14:10:00:00", 1),
    _take(HARBOUR, "HB_quay_29.mp4", scenes.quay, "29.97", 240, "14:22:00:00", 2),
    _take(VISITORS, "VR_lantern_24.mkv", scenes.lantern, "24", 192, "01:00:00:00", 2),
    _take(VISITORS, "VR_clock_23.mkv", scenes.clock, "23.976", 240, "01:00:00:00", 2),
    Take(
        VISITORS,
        "VR_choir_tape_50i.mov",
        scenes.lantern,
        Rate.of(25),
        Rate.of(25),
        100,
        "02:00:00:00",
        2,
        (720, 576),
        Fraction(16, 15),
        True,
    ),
)


def frame_picture(take: Take, number: int) -> Picture:
    """Frame ``number`` of a take as it was caught, with its code, number and timecode, shape (height, width, 3)."""
    width, height = take.size
    moment = Fraction(number) / take.shot.value
    picture = take.scene(float(moment), width, height)
    if take.interlaced:
        later = take.scene(float(moment + 1 / (2 * take.shot.value)), width, height)
        picture[1::2] = later[1::2]
    stamp(picture, number)
    start = Timecode.parse(take.start, take.header)
    label = f"{number:05}  {Timecode(start.frames + number, take.header)}"
    scale = height / 720
    (text_width, _), _ = cv2.getTextSize(label, cv2.FONT_HERSHEY_SIMPLEX, scale, 1)
    corner = (width - text_width - height // 30, height - height // 26)
    cv2.putText(picture, label, corner, cv2.FONT_HERSHEY_SIMPLEX, scale, (0, 0, 0), 3, cv2.LINE_AA)
    cv2.putText(picture, label, corner, cv2.FONT_HERSHEY_SIMPLEX, scale, (235, 235, 235), 1, cv2.LINE_AA)
    return picture


def write_take(take: Take, path: Path) -> None:
    """Draw and encode one take to ``path``: H.264, with sound beside it where the camera had a microphone."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_name(f".{path.name}.part")
    container_format = {"mkv": "matroska"}.get(path.suffix[1:], path.suffix[1:])
    with av.open(str(unfinished), "w", format=container_format) as container:
        container.metadata["timecode"] = take.start
        video = container.add_stream("libx264", rate=take.header.value)
        video.width, video.height = take.size
        video.pix_fmt = "yuv420p"
        video.codec_context.sample_aspect_ratio = take.pixel_aspect
        video.codec_context.time_base = 1 / take.header.value
        video.metadata["timecode"] = take.start
        parameters = "threads=1:keyint=48" + (":tff=1" if take.interlaced else "")
        video.options = {"preset": "veryfast", "crf": "23", "x264-params": parameters}
        sound = _sound_stream(container.add_stream, take)
        for number in range(take.frames):
            frame = VideoFrame.from_ndarray(frame_picture(take, number), format="bgr24")
            frame = frame.reformat(format="yuv420p", dst_colorspace="itu709" if take.size[1] != 576 else "itu601")
            frame.pts, frame.time_base = number, 1 / take.header.value
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        if sound is not None:
            _write_sound(container.mux, sound, take)
    unfinished.rename(path)


def _sound_stream(add_stream: Callable[..., AudioStream], take: Take) -> AudioStream | None:
    if not take.channels:
        return None
    return add_stream("aac", rate=SAMPLE_RATE, layout="stereo" if take.channels == 2 else "mono")


def _write_sound(mux: Callable[..., None], stream: AudioStream, take: Take) -> None:
    samples = harbour_sound(float(take.frames / take.header.value), take.channels)
    for start in range(0, samples.shape[1], 1024):
        block = np.ascontiguousarray(samples[:, start : start + 1024])
        frame = AudioFrame.from_ndarray(block, format="s16p", layout="stereo" if take.channels == 2 else "mono")
        frame.sample_rate, frame.pts = SAMPLE_RATE, start
        frame.time_base = Fraction(1, SAMPLE_RATE)
        mux(stream.encode(frame))
    mux(stream.encode(None))


def make_footage(root: Path, takes: tuple[Take, ...] = TAKES) -> list[Path]:
    """Write every take that is missing below ``root``; returns all their paths. The same pictures each time."""
    wanted = [(take, root / take.relative_path) for take in takes]
    missing = [(take, path) for take, path in wanted if not path.exists()]
    with ProcessPoolExecutor(max_workers=2) as pool:
        for written in [pool.submit(write_take, take, path) for take, path in missing]:
            written.result()
    return [path for _, path in wanted]
