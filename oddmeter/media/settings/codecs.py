"""Picture codecs: one entry for each, with its profiles, what its quality is counted in, and the containers that hold
it. Whatever the installed library cannot write is not offered."""

import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

from av.codec import Codec

from oddmeter.media.settings.containers import PICTURES

os.environ.setdefault("SVT_LOG", "1")  # else the AV1 encoder greets on standard error

_EIGHT, _TEN, _TWELVE = "", "10le", "12le"


@dataclass(frozen=True)
class Scale:
    """How the quality of a codec is counted: its option, the numbers for its best and for its least quality, and the
    usual one."""

    option: str
    best: int
    least: int
    usual: int


@dataclass(frozen=True)
class Profile:
    """A profile of a codec: the pixel formats it stores, in order of liking, and the options that ask for it."""

    name: str
    label: str
    pixel_formats: tuple[str, ...]
    options: Mapping[str, str] = field(default_factory=dict, hash=False)
    coarse: float = 32.0
    """Grey levels (of 255) by which a block of a 32nd of the width and height may lie off in the mean."""


@dataclass(frozen=True)
class PictureCodec:
    """How pictures are written. ``usual`` are the profiles that are chosen among where none is named, by the source's
    samples. ``groups`` where pictures refer to each other, so that the distance of key frames is a choice; ``fields``
    where it holds two fields in a frame. ``tags`` are codes that a container is told to use; ``suffix`` is that of a
    numbered picture. ``read_as`` are pixel formats that a decoder gives for others that were written, sample for
    sample."""

    name: str
    label: str
    encoder: str
    containers: tuple[str, ...]
    profiles: tuple[Profile, ...]
    usual: tuple[str, ...] = ("",)
    options: Mapping[str, str] = field(default_factory=dict, hash=False)
    lossless: bool = False
    scale: Scale | None = None
    takes_bit_rate: bool = False
    groups: bool = False
    fields: bool = True
    smallest: tuple[int, int] = (2, 2)
    tags: Mapping[str, str] = field(default_factory=dict, hash=False)
    suffix: str = ""
    read_as: Mapping[str, str] = field(default_factory=dict, hash=False)

    def profile(self, name: str) -> Profile:
        """The profile of that name; raises ``KeyError`` where there is none."""
        return {profile.name: profile for profile in self.profiles}[name]

    def chosen(self, name: str) -> tuple[Profile, ...]:
        """The profile of that name, or the usual ones where none is named."""
        return (self.profile(name),) if name else tuple(self.profile(usual) for usual in self.usual)

    @property
    def is_offered(self) -> bool:
        """True where the installed library writes it."""
        return _written(self.encoder) is not None


@lru_cache(maxsize=64)
def _written(encoder: str) -> Codec | None:
    try:
        return Codec(encoder, "w")
    except ValueError:  # the library's own error for a codec that it does not know
        return None


def _yuv(*depths: str, chroma: tuple[str, ...] = ("420", "422", "444")) -> tuple[str, ...]:
    return tuple(f"yuv{sparse}p{depth}" for depth in depths for sparse in chroma)


_FILM, _ALL = ("mov", "matroska", "mxf"), ("mp4", "mov", "matroska")
CODECS: dict[str, PictureCodec] = {
    codec.name: codec
    for codec in (
        PictureCodec(
            "ffv1", "FFV1 (RFC 9043), lossless", "ffv1", ("matroska", "mxf"),
            (Profile("", "", (
                *("yuv444p", "yuv420p", "yuv422p", "yuv410p", "yuv411p", "gray", "bgr0", "bgra"),
                *("yuv420p10le", "yuv422p10le", "yuv444p10le", "yuv420p12le", "yuv422p12le", "yuv444p12le"),
                *("yuv420p16le", "yuv422p16le", "yuv444p16le", "gbrp10le", "gbrp12le", "gbrp16le", "gray16le"),
                *("yuva420p", "yuva422p", "yuva444p", "yuva422p10le", "yuva444p10le", "yuva444p12le"),
                *("yuva444p16le", "gbrap10le", "gbrap12le", "gbrap16le", "ya8"),
            )),),
            options={"level": "3", "slicecrc": "1", "slices": "4", "g": "1"}, lossless=True,
        ),
        PictureCodec(
            "vc3", "VC-3 (SMPTE ST 2019-1)", "dnxhd", ("mov", "mxf"),
            (
                Profile("lb", "low bandwidth", ("yuv422p",), {"profile": "dnxhr_lb"}),
                Profile("sq", "standard quality", ("yuv422p",), {"profile": "dnxhr_sq"}),
                Profile("hq", "high quality", ("yuv422p",), {"profile": "dnxhr_hq"}),
                Profile("hqx", "high quality, 10 bit", ("yuv422p10le",), {"profile": "dnxhr_hqx"}),
                Profile("444", "4:4:4, 10 bit", ("yuv444p10le", "gbrp10le"), {"profile": "dnxhr_444"}),
            ),
            usual=("hq", "hqx", "444"), smallest=(256, 120),
        ),
        PictureCodec(
            "rdd36", "RDD 36 (SMPTE)", "prores_ks", _FILM,
            (
                Profile("proxy", "proxy", ("yuv422p10le",), {"profile": "0"}, coarse=64.0),
                Profile("light", "light", ("yuv422p10le",), {"profile": "1"}),
                Profile("standard", "standard", ("yuv422p10le",), {"profile": "2"}),
                Profile("high", "high quality", ("yuv422p10le",), {"profile": "3"}),
                Profile("444", "4:4:4", ("yuv444p10le", "yuva444p10le"), {"profile": "4"}),
                Profile("444 high", "4:4:4, high quality", ("yuv444p10le", "yuva444p10le"), {"profile": "5"}),
            ),
            usual=("high", "444"), smallest=(16, 16),
            read_as={"yuv444p10le": "yuv444p12le", "yuva444p10le": "yuva444p12le"},
        ),
        PictureCodec(
            "h264", "H.264", "libx264", (*_ALL, "mxf"),
            (Profile("", "", _yuv(_EIGHT, _TEN)),),
            options={"preset": "veryfast"}, scale=Scale("crf", 1, 51, 20), takes_bit_rate=True, groups=True,
        ),
        PictureCodec(
            "hevc", "HEVC (H.265)", "libx265", _ALL,
            (Profile("", "", _yuv(_TEN, _EIGHT, _TWELVE)),),
            options={"preset": "fast"}, scale=Scale("crf", 1, 51, 22), takes_bit_rate=True, groups=True,
            fields=False, smallest=(16, 16), tags={"mp4": "hvc1", "mov": "hvc1"},
        ),
        PictureCodec(
            "av1", "AV1", "libsvtav1", ("mp4", "matroska"),
            (Profile("", "", _yuv(_TEN, _EIGHT, chroma=("420",))),),
            options={"preset": "8"}, scale=Scale("crf", 1, 63, 30), takes_bit_rate=True, groups=True,
            fields=False, smallest=(64, 64),
        ),
        PictureCodec(
            "jpeg2000", "JPEG 2000 (ISO/IEC 15444-1)", "jpeg2000", _FILM,
            (Profile("", "", (*_yuv(_EIGHT, _TEN, _TWELVE), "rgb24", "gray")),),
            options={"pred": "dwt53"}, lossless=True,
        ),
        PictureCodec(
            "png", "PNG", "png", (PICTURES,),
            (Profile("", "", ("rgb24", "rgba", "rgb48be", "rgba64be", "gray", "gray16be")),),
            lossless=True, fields=False, suffix=".png",
        ),
        PictureCodec(
            "tiff", "TIFF", "tiff", (PICTURES,),
            (Profile("", "", ("rgb24", "rgba", "rgb48le", "rgba64le", "gray", "gray16le")),),
            options={"compression_algo": "deflate"}, lossless=True, fields=False, suffix=".tif",
        ),
        PictureCodec(
            "dpx", "DPX (SMPTE ST 268)", "dpx", (PICTURES,),
            (Profile("", "", ("gbrp10be", "gbrp12be", "rgb24", "rgba", "rgb48be", "gray", "gray16be")),),
            lossless=True, fields=False, suffix=".dpx",
            read_as={"gbrp10be": "gbrp10le", "gbrp12be": "gbrp12le"},
        ),
    )
    if codec.is_offered
}  # fmt: skip
"""Every codec that the installed library writes, by its name in settings."""
