"""How a clip of The Tide Bell is drawn and written as a real, encoded file."""

import multiprocessing
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from multiprocessing import connection
from multiprocessing.context import ForkProcess
from pathlib import Path

import av
import cv2
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.stream import AudioStream
from av.video.frame import VideoFrame

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo import scenes
from oddmeter.demo.carriers import Carrier, each, woven
from oddmeter.demo.framecode import Picture, stamp
from oddmeter.demo.sound import SAMPLE_RATE, harbour_sound

SHOW_FOLDER = "The Tide Bell"
LATER = 10_000
"""Pictures from this number on belong to a take's later scene."""


@dataclass(frozen=True)
class Take:
    """One clip to make: where, what is seen, at which true and written rates, and for how long.

    ``frames`` counts frames of the file. ``shot`` is the truth: pictures a second of the camera, or of the film.
    ``header`` is what the file says. ``channels`` 0 means a camera without sound. ``carrier`` says how pictures lie
    in frames and fields; ``flag`` is the field order that the file is written with, right or wrong. ``code`` gives
    the number that is drawn into a picture. ``times`` gives the time of a frame where they come unevenly.
    ``metadata`` is written into the header. ``cut_short`` is the share of the file that is left, and ``pictures``
    a sequence of files instead of one, without the numbers in ``missing``.
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
    carrier: Carrier = each
    flag: FieldOrder | None = None
    code: Callable[[int], int] = int
    later: scenes.Scene | None = None
    times: Callable[[int], Fraction] | None = None
    metadata: tuple[tuple[str, str], ...] = ()
    cut_short: Fraction | None = None
    missing: tuple[int, ...] = ()

    @property
    def relative_path(self) -> Path:
        """The file's place below the media root; of a sequence, its path with a run of ``#``."""
        return Path(SHOW_FOLDER) / self.delivery / self.name

    @property
    def is_sequence(self) -> bool:
        """True for numbered pictures."""
        return "#" in self.name


_AROUND = ((-1, -1), (0, -1), (1, -1), (-1, 0), (1, 0), (-1, 1), (0, 1), (1, 1))
"""Where the dark edge of burnt-in numbers is drawn. Thicker strokes would not do: they make the letters wider."""


def picture_at(take: Take, number: int) -> Picture:
    """Picture ``number`` as the camera or the film caught it, with its code, number and timecode, shape
    (height, width, 3)."""
    width, height = take.size
    scene, place = (take.later, number - LATER) if take.later and number >= LATER else (take.scene, number)
    picture = scene(float(place / take.shot.value), width, height)
    code = take.code(number)
    stamp(picture, code)
    start = Timecode.parse(take.start, take.header)
    label = f"{code:05}  {Timecode(start.frames + code % LATER, take.header)}"
    scale = height / 720
    (text_width, _), _ = cv2.getTextSize(label, cv2.FONT_HERSHEY_SIMPLEX, scale, 1)
    left, base = width - text_width - height // 30, height - height // 26
    for right, down in (*_AROUND, (0, 0)):
        light = 235.0 if (right, down) == (0, 0) else 0.0
        corner = (left + right, base + down)
        cv2.putText(picture, label, corner, cv2.FONT_HERSHEY_SIMPLEX, scale, (light, light, light), 1, cv2.LINE_AA)
    return picture


def frame_picture(take: Take, number: int) -> Picture:
    """Frame ``number`` of the file."""
    return woven(take.carrier(number), lru_cache(maxsize=4)(lambda n: picture_at(take, n)))


def write_takes(wanted: list[tuple[Take, Path]]) -> None:
    """Write takes, each in a process of its own, two at a time. An interrupt ends them at once; files that are whole by
    then stay. From the main thread alone.

    Raises ``RuleError`` where a take cannot be written.
    """
    at_work: list[ForkProcess] = []
    try:
        for take, path in wanted:
            if len(at_work) == 2:
                _await_one(at_work)
            process = multiprocessing.get_context("fork").Process(target=write_take, args=(take, path), name=take.name)
            with _uninterrupted():
                process.start()
                at_work.append(process)
        while at_work:
            _await_one(at_work)
    finally:
        for process in at_work:
            process.kill()
            process.join()


def _await_one(at_work: list[ForkProcess]) -> None:
    """Wait until one of them is done, and take it out."""
    ended = connection.wait([process.sentinel for process in at_work])
    done = next(process for process in at_work if process.sentinel in ended)
    done.join()
    at_work.remove(done)
    if done.exitcode:
        raise RuleError(f"{done.name} of the demo could not be written; the lines above say why.", "demo")


@contextmanager
def _uninterrupted() -> Iterator[None]:
    """Hear an interrupt at the end alone. A process that is forked meanwhile never hears one: Ctrl-C goes to all of a
    terminal's processes, and the first of them answers it."""
    heard: list[int] = []
    before = {n: signal.signal(n, lambda got, _: heard.append(got)) for n in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
        if heard:
            signal.raise_signal(heard[0])


def write_take(take: Take, path: Path) -> None:
    """Draw and encode one take to ``path``: H.264, with sound beside it where the camera had a microphone; or the
    numbered pictures of a sequence."""
    path.parent.mkdir(parents=True, exist_ok=True)
    if take.is_sequence:
        _write_pictures(take, path)
        return
    unfinished = _unfinished(path)
    container_format = {"mkv": "matroska"}.get(path.suffix[1:], path.suffix[1:])
    options = {"movflags": "use_metadata_tags"} if take.metadata else {}
    with av.open(str(unfinished), "w", format=container_format, options=options) as container:
        container.metadata["timecode"] = take.start
        for key, value in take.metadata:
            container.metadata[key] = value
        video = container.add_stream("libx264", rate=take.header.value)
        video.width, video.height = take.size
        video.pix_fmt = "yuv420p"
        video.codec_context.sample_aspect_ratio = take.pixel_aspect
        clock = Fraction(1, 90_000) if take.times else 1 / take.header.value
        video.codec_context.time_base = clock
        video.metadata["timecode"] = take.start
        parameters = (
            "threads=1:keyint=48" + {FieldOrder.UPPER: ":tff=1", FieldOrder.LOWER: ":bff=1", None: ""}[take.flag]
        )
        video.options = {"preset": "veryfast", "crf": "23", "x264-params": parameters}
        sound = _sound_stream(container.add_stream, take)
        picture = lru_cache(maxsize=6)(lambda n: picture_at(take, n))
        for number in range(take.frames):
            frame = VideoFrame.from_ndarray(woven(take.carrier(number), picture), format="bgr24")
            frame = frame.reformat(format="yuv420p", dst_colorspace="itu709" if take.size[0] != 720 else "itu601")
            frame.pts = round(take.times(number) / clock) if take.times else number
            frame.time_base = clock
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        if sound is not None:
            _write_sound(container.mux, sound, take)
    if take.cut_short is not None:
        with unfinished.open("r+b") as file:
            file.truncate(int(unfinished.stat().st_size * take.cut_short))
    unfinished.rename(path)


def _unfinished(path: Path) -> Path:
    """What a file is called until it is whole: whoever writes it may be stopped at any moment."""
    return path.with_name(f".{path.name}.part")


def _write_pictures(take: Take, path: Path) -> None:
    digits = take.name.count("#")
    for number in range(1, take.frames + 1):
        if number not in take.missing:
            file = path.with_name(path.name.replace("#" * digits, f"{number:0{digits}}"))
            good, data = cv2.imencode(path.suffix, frame_picture(take, number))
            assert good
            unfinished = _unfinished(file)
            unfinished.write_bytes(data.tobytes())
            unfinished.rename(file)


def _sound_stream(add_stream: Callable[..., AudioStream], take: Take) -> AudioStream | None:
    if not take.channels:
        return None
    return add_stream("aac", rate=SAMPLE_RATE, layout="stereo" if take.channels == 2 else "mono")


def _write_sound(mux: Callable[..., None], stream: AudioStream, take: Take) -> None:
    lasts = take.times(take.frames) if take.times else take.frames / take.header.value
    samples = harbour_sound(float(lasts), take.channels)
    for start in range(0, samples.shape[1], 1024):
        block = np.ascontiguousarray(samples[:, start : start + 1024])
        frame = AudioFrame.from_ndarray(block, format="s16p", layout="stereo" if take.channels == 2 else "mono")
        frame.sample_rate, frame.pts = SAMPLE_RATE, start
        frame.time_base = Fraction(1, SAMPLE_RATE)
        mux(stream.encode(frame))
    mux(stream.encode(None))


def is_there(take: Take, path: Path) -> bool:
    """True where a take has been written already."""
    if not take.is_sequence:
        return path.exists()
    last = f"{take.frames:0{take.name.count('#')}}"
    return path.with_name(path.name.replace("#" * len(last), last)).exists()
