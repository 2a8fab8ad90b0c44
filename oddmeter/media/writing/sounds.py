"""Sound on its way into a file: between the pictures, or beside them as WAV with its place in time (EBU Tech 3285)."""

import struct
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import cast
from xml.sax.saxutils import escape

import av
from av.audio.frame import AudioFrame
from av.audio.layout import AudioLayout
from av.audio.stream import AudioStream
from av.container import OutputContainer

from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.timecode import Timecode
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.encoding import Encoding
from oddmeter.media.sound.track import SoundTrack

_RF64 = b"RF64"


class SoundStream:
    """Writes the sound between the pictures, so that neither waits long for the other."""

    def __init__(self, container: OutputContainer, track: SoundTrack, encoding: Encoding) -> None:
        self._container = container
        layout, channels = track.layout
        codec = encoding.sound
        if channels > codec.most_channels:
            raise RuleError(f"{codec.label} supports up to {codec.most_channels} sound channels.", "sound")
        self._stream = cast(AudioStream, container.add_stream(codec.encoder, rate=track.rate, layout=layout))
        self._stream.codec_context.format = codec.sample_format
        if rate := encoding.sound_bit_rate(channels):
            self._stream.codec_context.bit_rate = rate
        if track.name:
            self._stream.metadata["title"] = track.name
        self._frames: Iterator[AudioFrame] = track.frames(codec.sample_format)
        self._written = Fraction(0)

    def write_until(self, time: Fraction) -> None:
        """Write the sound up to a time in seconds."""
        while self._written < time and (frame := next(self._frames, None)) is not None:
            self._container.mux(self._stream.encode(frame))
            self._written += Fraction(frame.samples, frame.sample_rate)

    def finish(self) -> None:
        """Write all that is left."""
        for frame in self._frames:
            self._container.mux(self._stream.encode(frame))
        self._container.mux(self._stream.encode(None))


def write_wav(path: Path, track: SoundTrack, plan: FilePlan) -> None:
    """Write a stream as a WAV file of its own: its start as samples since midnight in ``bext`` (EBU Tech 3285), the
    names of its channels in ``iXML``; beyond four gigabytes as RF64 (EBU Tech 3306)."""
    options = {"write_bext": "1", "rf64": "auto"}
    with av.open(str(path), "w", format="wav", options=options) as container:
        container.metadata["description"] = plan.out.name
        container.metadata["originator"] = "Odd Meter"
        container.metadata["time_reference"] = str(time_reference(plan.start, track.rate))
        stream = SoundStream(container, track, plan.encoding)
        stream.finish()
    _append(path, b"iXML", _ixml(track, plan).encode())


def time_reference(start: Timecode, rate: int) -> int:
    """Samples since midnight at which a timecode lies, counted in the real time of its rate."""
    return round(start.frames / start.rate.value * rate)


def _ixml(track: SoundTrack, plan: FilePlan) -> str:
    layout, channels = track.layout
    names = [channel.name for channel in AudioLayout(layout).channels]
    title = escape(track.name)
    tracks = "".join(
        f"<TRACK><CHANNEL_INDEX>{number}</CHANNEL_INDEX><INTERLEAVE_INDEX>{number}</INTERLEAVE_INDEX>"
        f"<NAME>{escape(name)}{f' {title}' if title else ''}</NAME></TRACK>"
        for number, name in enumerate(names, 1)
    )
    rate, start = plan.rate.value, plan.start
    reference = time_reference(start, track.rate)
    return (
        '<?xml version="1.0" encoding="UTF-8"?><BWFXML><IXML_VERSION>1.61</IXML_VERSION>'
        f"<SPEED><TIMECODE_RATE>{rate.numerator}/{rate.denominator}</TIMECODE_RATE>"
        f"<TIMECODE_FLAG>{'DF' if start.drop else 'NDF'}</TIMECODE_FLAG>"
        f"<FILE_SAMPLE_RATE>{track.rate}</FILE_SAMPLE_RATE>"
        f"<TIMESTAMP_SAMPLE_RATE>{track.rate}</TIMESTAMP_SAMPLE_RATE>"
        f"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>{reference >> 32}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>"
        f"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>{reference & 0xFFFFFFFF}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO></SPEED>"
        f"<TRACK_LIST><TRACK_COUNT>{channels}</TRACK_COUNT>{tracks}</TRACK_LIST></BWFXML>"
    )


def _append(path: Path, kind: bytes, data: bytes) -> None:
    """Put a chunk at the end of a WAV file, and count it in."""
    with path.open("r+b") as file:
        head = file.read(4)
        file.seek(0, 2)
        if file.tell() % 2:
            file.write(b"\0")
        file.write(struct.pack("<4sI", kind, len(data)) + data + b"\0" * (len(data) % 2))
        size = file.tell() - 8
        if head == _RF64:
            file.seek(20)
            file.write(struct.pack("<Q", size))
        else:
            file.seek(4)
            file.write(struct.pack("<I", size))


def beside(plan: FilePlan, folder: Path) -> list[Path]:
    """The WAV files of a plan's sounds, in a folder: one for each stream."""
    stem = plan.out.name if plan.setting.is_numbered else plan.out.stem
    count = len(plan.sounds)
    return [folder / (f"{stem}.wav" if count == 1 else f"{stem}_{number}.wav") for number in range(1, count + 1)]
