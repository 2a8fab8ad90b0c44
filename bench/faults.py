"""Faults of made files: each as a change of the pictures, sounds or streams that are written, named for the table."""

import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.media.files.samples import empty_like, planes_of
from oddmeter.media.plans import FilePlan, Pictures
from oddmeter.media.render import render
from oddmeter.media.sound.track import SoundTrack, framed, in_blocks

AT = 9
"""The frame that faults of one frame are put into."""
Planes = list[npt.NDArray[Any]]
Span = tuple[float, float]
Fault = Callable[[FilePlan, Path], None]
"""Makes the file of a plan with a fault in it, under another name."""


class _Faulty:
    """A plan that writes something else: everything that is not changed is the plan's."""

    def __init__(self, plan: FilePlan, out: Path, **changed: Any) -> None:
        self._plan, self._changed = plan, {"out": out, **changed}

    def __getattr__(self, name: str) -> Any:
        return self._changed[name] if name in self._changed else getattr(self._plan, name)

    @contextmanager
    def pictures(self, pixel_format: str = "", *, ahead: bool = False, proving: bool = False) -> Iterator[Pictures]:
        with self._plan.pictures(pixel_format or self._changed.get("form", "")) as pictures:
            yield _FaultyPictures(pictures, self._changed.get("shown", lambda picture, number: picture(number)))


class _FaultyPictures:
    def __init__(self, pictures: Pictures, shown: Callable[..., VideoFrame]) -> None:
        self._picture, self._shown, self.pixel_format = pictures.picture, shown, pictures.pixel_format

    def picture(self, number: int) -> VideoFrame:
        return self._shown(self._picture, number)


@dataclass(frozen=True)
class _FaultySound(SoundTrack):
    track: SoundTrack
    change: Callable[[npt.NDArray[np.float32], int], npt.NDArray[np.float32]]
    out_layout: str = ""
    out_rate: int = 0

    @property
    def rate(self) -> int:  # type: ignore[override]
        return self.out_rate or self.track.rate

    @property
    def name(self) -> str:  # type: ignore[override]
        return self.track.name

    @property
    def samples(self) -> int:
        return self.track.samples

    @property
    def layout(self) -> tuple[str, int]:
        return (self.out_layout, 1) if self.out_layout else self.track.layout

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        parts = [frame.to_ndarray().reshape(frame.samples, -1).T for frame in self.track.frames("flt")]
        changed = np.ascontiguousarray(self.change(np.concatenate(parts, axis=1), self.rate), np.float32)
        blocks = in_blocks(iter([changed]), changed.shape[1])
        return framed(blocks, "flt", sample_format, self.layout[0], self.rate)


def copied(frame: VideoFrame) -> VideoFrame:
    """A picture of its own."""
    out = empty_like(frame, frame.width, frame.height)
    for made, plane in zip(planes_of(out), planes_of(frame), strict=True):
        made[:] = plane
    return out


def showing(shown: Callable[..., VideoFrame], **changed: Any) -> Fault:
    """Writes other pictures: each by what the plan shows at any number, and its own number."""

    def make(plan: FilePlan, out: Path) -> None:
        render(_Faulty(plan, out, shown=shown, **changed))  # type: ignore[arg-type]

    return make


def _every(change: Callable[[Planes, int], None], *, only: int | None = None) -> Fault:
    """Planes of every picture, or of one, changed in place; with the code values of a grey level of eight bits."""

    def shown(picture: Callable[[int], VideoFrame], number: int) -> VideoFrame:
        frame = picture(number)
        if only is None or number == only:
            frame = copied(frame)
            change(planes_of(frame), 1 << (frame.format.components[0].bits - 8))
        return frame

    return showing(shown)


def _order(order: Callable[[int], int], **changed: Any) -> Fault:
    """Pictures in another order, as far as the plan has them."""

    def make(plan: FilePlan, out: Path) -> None:
        last = plan.length - 1
        showing(lambda picture, number: picture(min(last, max(0, order(number)))), **changed)(plan, out)

    return make


def _mixed(change: Callable[[Planes, Planes], None], other: Callable[[int], int]) -> Fault:
    """One picture with parts of another."""

    def shown(picture: Callable[[int], VideoFrame], number: int) -> VideoFrame:
        if number != AT:
            return picture(number)
        strange = copied(picture(other(number)))
        frame = copied(picture(number))
        change(planes_of(frame), planes_of(strange))
        return frame

    return showing(shown)


def _sound(change: Callable[[npt.NDArray[np.float32], int], npt.NDArray[np.float32]], **other: Any) -> Fault:
    def make(plan: FilePlan, out: Path) -> None:
        sounds = tuple(_FaultySound(sound, change, **other) for sound in plan.sounds)
        render(_Faulty(plan, out, sounds=sounds))  # type: ignore[arg-type]

    return make


def _changed(**changed: Callable[[FilePlan], Any]) -> Fault:
    def make(plan: FilePlan, out: Path) -> None:
        render(_Faulty(plan, out, **{name: value(plan) for name, value in changed.items()}))  # type: ignore[arg-type]

    return make


def _tagged(**tags: int) -> Fault:
    def shown(picture: Callable[[int], VideoFrame], number: int) -> VideoFrame:
        frame = copied(picture(number))
        for name, value in tags.items():
            setattr(frame, name, value)
        return frame

    return showing(shown)


def _written_anew(kinds: str, late: Fraction = Fraction(0), *, late_kind: str = "", twice: bool = False) -> Fault:
    """The packets of the plan's own file in a file with other streams or times."""

    def make(plan: FilePlan, out: Path) -> None:
        with av.open(str(plan.out)) as source, av.open(str(out), "w") as target:
            own = [stream for stream in source.streams if stream.type in kinds.split()]
            chosen = [*own, *(own[:1] if twice else [])]
            streams = [target.add_stream_from_template(stream) for stream in chosen]
            target.metadata["timecode"] = str(plan.start)
            for packet in source.demux(*own):
                if packet.dts is None or packet.pts is None:
                    continue
                for stream, template in zip(streams, chosen, strict=True):
                    if template.index != packet.stream.index:
                        continue
                    again = av.packet.Packet(bytes(packet))
                    shift = round(late / packet.time_base) if template.type == late_kind else 0
                    again.pts, again.dts, again.duration = packet.pts + shift, packet.dts + shift, packet.duration
                    again.time_base, again.is_keyframe, again.stream = packet.time_base, packet.is_keyframe, stream
                    target.mux(again)

    return make


def _bytes(change: Callable[[bytearray], bytearray]) -> Fault:
    def make(plan: FilePlan, out: Path) -> None:
        shutil.copy(plan.out, out)
        out.write_bytes(change(bytearray(out.read_bytes())))

    return make


def _line(down: Span, across: Span, levels: int) -> Callable[[Planes, int], None]:
    """So many grey levels more between two shares of the height and of the width; one line or column where both are
    the same."""

    def change(planes: Planes, level: int) -> None:
        rows, columns = (_between(span, side) for span, side in zip((down, across), planes[0].shape, strict=True))
        part = planes[0][rows, columns]
        part[:] = np.clip(part.astype(np.int32) + levels * level, 16 * level, 235 * level)

    return change


def _between(span: Span, side: int) -> slice:
    first, last = (round(share * side) for share in span)
    return slice(first, max(first + 1, last))


def _dot(planes: Planes, level: int) -> None:
    planes[0][40:44, 40:44] = np.clip(planes[0][40:44, 40:44].astype(np.int32) + 80 * level, 0, 235 * level)


def _diagonal(planes: Planes, level: int) -> None:
    high, wide = planes[0].shape
    along = np.arange(min(high, wide))
    planes[0][along, along] = 200 * level


def _luma(change: Callable[[npt.NDArray[np.int32], int], npt.NDArray[Any]]) -> Callable[[Planes, int], None]:
    def apply(planes: Planes, level: int) -> None:
        planes[0][:] = np.clip(change(planes[0].astype(np.int32), level), 0, 256 * level - 1)

    return apply


def _chroma(change: Callable[[npt.NDArray[np.int32], int], npt.NDArray[Any]]) -> Callable[[Planes, int], None]:
    def apply(planes: Planes, level: int) -> None:
        for plane in planes[1:]:
            plane[:] = np.clip(change(plane.astype(np.int32), level), 0, 256 * level - 1)

    return apply


def _swapped(planes: Planes, level: int) -> None:
    planes[1][:], planes[2][:] = planes[2].copy(), planes[1].copy()


def _black(planes: Planes, level: int) -> None:
    planes[0][:] = 16 * level
    for plane in planes[1:]:
        plane[:] = 128 * level


def _all(change: Callable[[npt.NDArray[Any]], npt.NDArray[Any]]) -> Callable[[Planes, int], None]:
    def apply(planes: Planes, level: int) -> None:
        for plane in planes:
            plane[:] = change(plane.copy())

    return apply


def _part(rows: Callable[[int], slice], columns: Callable[[int], slice]) -> Callable[[Planes, Planes], None]:
    def change(own: Planes, strange: Planes) -> None:
        for plane, other in zip(own, strange, strict=True):
            where = rows(plane.shape[0]), columns(plane.shape[1])
            plane[where] = other[where]

    return change


def _stale(own: Planes, strange: Planes) -> None:
    for plane, other in zip(own[1:], strange[1:], strict=True):
        plane[:] = other


def _noise(luma: npt.NDArray[np.int32], level: int) -> npt.NDArray[Any]:
    return luma + np.random.default_rng(5).integers(-level, level + 1, luma.shape)


def _soft(luma: npt.NDArray[np.int32], level: int) -> npt.NDArray[Any]:
    return (2 * luma + np.roll(luma, 1, 1) + np.roll(luma, -1, 1)) // 4


def _later(seconds: float) -> Callable[[npt.NDArray[np.float32], int], npt.NDArray[np.float32]]:
    def change(samples: npt.NDArray[np.float32], rate: int) -> npt.NDArray[np.float32]:
        out, by = np.zeros_like(samples), round(abs(seconds) * rate)
        if seconds > 0:
            out[:, by:] = samples[:, :-by]
        else:
            out[:, :-by] = samples[:, by:]
        return out

    return change


def _muted(channels: slice, first: float, stop: float) -> Any:
    def change(samples: npt.NDArray[np.float32], rate: int) -> npt.NDArray[np.float32]:
        samples[channels, round(first * rate) : round(stop * rate)] = 0
        return samples

    return change


def _paced(samples: npt.NDArray[np.float32], rate: int) -> npt.NDArray[np.float32]:
    count = samples.shape[1]
    places = np.arange(count) * 1.001
    return np.stack([np.interp(places, np.arange(count), channel) for channel in samples]).astype(np.float32)


def _clicked(samples: npt.NDArray[np.float32], rate: int) -> npt.NDArray[np.float32]:
    samples[0, samples.shape[1] // 2] += 0.01
    return samples


def _flipped(data: bytearray) -> bytearray:
    for at in range(len(data) // 2, len(data) // 2 + 400, 40):
        data[at] ^= 0x10
    return data


def _whole(side: int) -> slice:
    return slice(None)


def _lower_half(side: int) -> slice:
    return slice(side // 2, None)


def _canvas(width: int = 0, shape: Fraction | None = None) -> Callable[[FilePlan], Canvas]:
    def changed(plan: FilePlan) -> Canvas:
        own = plan.canvas
        return Canvas(own.width, own.height, shape or own.pixel_aspect, own.scan)

    return changed


def _middle(side: int) -> slice:
    return slice(side // 2, side // 2 + 16)


def _fields_swapped(plane: npt.NDArray[Any]) -> npt.NDArray[Any]:
    return plane.reshape(-1, 2, plane.shape[1])[:, ::-1].reshape(plane.shape)


def _too_many(plan: FilePlan, out: Path) -> None:
    _order(lambda number: number, length=plan.length + 1)(plan, out)


_OTHER = {"archive": "yuv420p", "edit": "yuv422p", "view": "yuv444p"}
_swap = {AT: AT + 1, AT + 1: AT}

FAULTS: dict[str, Fault] = {
    "every picture one frame late": _order(lambda number: number - 1),
    "every picture one frame early": _order(lambda number: number + 1),
    "two frames swapped": _order(lambda number: _swap.get(number, number)),
    "a frame held for two": _order(lambda number: AT if number == AT + 1 else number),
    "a frame from six frames on": _order(lambda number: number + 6 if number == AT else number),
    "one frame of another shot": _every(_all(lambda plane: plane[::-1, ::-1]), only=AT),
    "the last frame missing": _changed(length=lambda plan: plan.length - 1),
    "one frame too many": _too_many,
    "one field from the next frame": _mixed(_part(lambda side: slice(1, None, 2), _whole), lambda n: n + 1),
    "one field swapped with the other": _every(_all(_fields_swapped), only=AT),
    "half a frame torn": _mixed(_part(_lower_half, _whole), lambda n: n + 1),
    "a block of 16 × 16 from three frames before": _mixed(_part(_middle, _middle), lambda n: n - 3),
    "the colour of three frames before": _mixed(_stale, lambda n: n - 3),
    "a thin line across, in all": _every(_line((0.42, 0.42), (0, 1), 40)),
    "a thin line across, in one": _every(_line((0.42, 0.42), (0, 1), 40), only=AT),
    "a thin line down, in all": _every(_line((0, 1), (0.31, 0.31), 40)),
    "a thin line of a sixth of the width, in one": _every(_line((0.42, 0.42), (0.2, 0.35), 60), only=AT),
    "a faint thin line across, in all": _every(_line((0.42, 0.42), (0, 1), 8)),
    "a thin slanting line, in one": _every(_diagonal, only=AT),
    "a dot of 4 × 4, in one": _every(_dot, only=AT),
    "U and V swapped": _every(_swapped),
    "U and V swapped, in one": _every(_swapped, only=AT),
    "all colour gone": _every(_chroma(lambda plane, level: np.full_like(plane, 128 * level))),
    "colour a tenth paler": _every(_chroma(lambda plane, level: 128 * level + (plane - 128 * level) * 9 // 10)),
    "colour one sample to the right": _every(_chroma(lambda plane, level: np.roll(plane, 1, 1))),
    "luma one code value up": _every(_luma(lambda luma, level: luma + 1)),
    "luma three code values up": _every(_luma(lambda luma, level: luma + 3)),
    "luma one grey level up": _every(_luma(lambda luma, level: luma + level)),
    "the two lowest bits cut": _every(_all(lambda plane: plane & ~np.array(3, plane.dtype))),
    "contrast 2 % up": _every(_luma(lambda luma, level: (luma - 128 * level) * 51 // 50 + 128 * level)),
    "video range spread to full": _every(_luma(lambda luma, level: (luma - 16 * level) * 255 // 219)),
    "noise of one grey level": _every(_luma(_noise)),
    "slightly soft": _every(_luma(_soft)),
    "one sample to the right": _every(_all(lambda plane: np.roll(plane, 1, 1))),
    "one line down": _every(_all(lambda plane: np.roll(plane, 1, 0))),
    "mirrored": _every(_all(lambda plane: plane[:, ::-1])),
    "upside down": _every(_all(lambda plane: plane[::-1])),
    "a black frame": _every(_black, only=AT),
    "the first frame black": _every(_black, only=0),
    "colour tags of BT.2020": _tagged(color_primaries=9, color_trc=14, colorspace=9),
    "colour tags of another curve": _tagged(color_primaries=1, color_trc=8, colorspace=1),
    "flagged as full range": _tagged(color_range=2),
    "pixels flagged as 4:3": _changed(canvas=_canvas(shape=Fraction(4, 3))),
    "another start timecode": _changed(start=lambda plan: Timecode(plan.start.frames + 1, plan.rate)),
    "another rate": _changed(rate=lambda plan: Rate.of(24)),
    "other samples, 4:2:0 of 8 bits or 4:4:4": _changed(form=lambda plan: _OTHER[plan.setting]),
    "a second picture stream": _written_anew("video audio", twice=True),
    "sound 0.5 s late by its times": _written_anew("video audio", Fraction(1, 2), late_kind="audio"),
    "sound 20 ms late by its times": _written_anew("video audio", Fraction(1, 50), late_kind="audio"),
    "picture 0.5 s late by its times": _written_anew("video audio", Fraction(1, 2), late_kind="video"),
    "no sound": _written_anew("video"),
    "cut short": _bytes(lambda data: data[: len(data) * 2 // 3]),
    "ten bits turned": _bytes(_flipped),
    "a second sound stream": _changed(sounds=lambda plan: plan.sounds * 2),
    "silent": _sound(lambda samples, rate: samples * 0),
    "channels swapped": _sound(lambda samples, rate: samples[::-1]),
    "mono for stereo": _sound(lambda samples, rate: np.repeat(samples.mean(0, keepdims=True), len(samples), 0)),
    "one channel mute": _sound(_muted(slice(1, 2), 0, 1e6)),
    "one channel mute for 0.2 s": _sound(_muted(slice(1, 2), 0.2, 0.4)),
    "gain − 1 dB": _sound(lambda samples, rate: samples * 10 ** (-1 / 20)),
    "gain − 1 dB in one channel": _sound(lambda samples, rate: samples * np.array([[1], [10 ** (-1 / 20)]])),
    "sound 10 ms late": _sound(_later(0.01)),
    "sound 10 ms early": _sound(_later(-0.01)),
    "sound one frame late": _sound(_later(0.04)),
    "sound 1 ms late": _sound(_later(0.001)),
    "polarity turned": _sound(lambda samples, rate: -samples),
    "sound backwards": _sound(lambda samples, rate: samples[:, ::-1]),
    "sound 0.1 % fast": _sound(_paced),
    "sound 0.2 s short": _sound(lambda samples, rate: samples[:, : -rate // 5]),
    "a click of one sample": _sound(_clicked),
    "one channel only": _sound(lambda samples, rate: samples[:1], out_layout="mono"),
}  # fmt: skip
