"""Sound kept as it is: the samples of a file, cut or padded to the exact length of the picture."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler

BLOCK = 1024
_USUAL = {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}
Samples = npt.NDArray[Any]


def kept_sound(path: Path, sample_format: str, length: Fraction) -> Iterator[AudioFrame]:
    """The first sound stream of a file as frames of ``BLOCK`` samples in ``sample_format``.

    ``length`` is in seconds from the first picture; there are round(length · rate) samples, with silence where
    the file has none. Frames carry their place in samples as ``pts``.
    """
    with av.open(str(path), metadata_errors="replace") as container:
        stream = container.streams.audio[0]
        rate, layout = stream.rate, named_layout(stream)
        planar = sample_format.endswith("p")
        wide = 1 if planar else stream.channels
        wanted = round(length * rate)
        done = 0
        rest: Samples | None = None
        for samples in _placed(container, stream, sample_format, wide):
            rest = samples if rest is None else np.concatenate([rest, samples], axis=1)
            while rest.shape[1] >= BLOCK * wide and done < wanted:
                take = min(BLOCK, wanted - done)
                yield _frame(rest[:, : take * wide], sample_format, layout, rate, done)
                rest, done = rest[:, take * wide :], done + take
            if done >= wanted:
                return
        if rest is None:
            rest = np.zeros((stream.channels if planar else 1, 0), np.int32 if sample_format == "s32" else np.float32)
        while done < wanted:
            take = min(BLOCK, wanted - done)
            block = rest[:, : take * wide]
            short = take * wide - block.shape[1]
            yield _frame(np.pad(block, ((0, 0), (0, short))), sample_format, layout, rate, done)
            rest, done = rest[:, take * wide :], done + take


def named_layout(stream: av.AudioStream) -> str:
    """The stream's layout of channels; the usual one for their number where the file names none."""
    name = stream.layout.name
    return _USUAL.get(stream.channels, name) if name.endswith("channels") else name


def _placed(
    container: av.container.InputContainer, stream: av.AudioStream, sample_format: str, wide: int
) -> Iterator[Samples]:
    """The decoded samples, moved so that the first one stands at the first picture."""
    resampler = AudioResampler(format=sample_format, layout=named_layout(stream), rate=stream.rate)
    video = container.streams.video[0]
    picture_start = Fraction(video.start_time or 0) * (video.time_base or 1)
    skip: int | None = None
    for decoded in container.decode(stream):
        if skip is None:
            starts = Fraction(decoded.pts or 0) * (decoded.time_base or 1)
            skip = round((picture_start - starts) * stream.rate)
        for frame in resampler.resample(decoded):
            samples: Samples = frame.to_ndarray()
            if skip < 0:
                samples = np.pad(samples, ((0, 0), (-skip * wide, 0)))
                skip = 0
            cut = min(skip, samples.shape[1] // wide)
            skip -= cut
            yield samples[:, cut * wide :]


def _frame(samples: Samples, sample_format: str, layout: str, rate: int, at: int) -> AudioFrame:
    frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), format=sample_format, layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
    return frame
