"""The settings a file can be made with: one lossless for archives, one for editing, one light for viewing."""

from dataclasses import dataclass, field
from enum import StrEnum

from oddmeter.core.numbers.errors import RuleError


class Setting(StrEnum):
    """What the made file is for."""

    ARCHIVE = "archive"
    EDIT = "edit"
    VIEW = "view"


@dataclass(frozen=True)
class Encoding:
    """How a setting is written: container, picture and sound codec, and the pixel formats in order of liking."""

    label: str
    suffix: str
    container: str
    codec: str
    options: dict[str, str] = field(hash=False)
    pixel_formats: tuple[str, ...]
    sound_codec: str
    sound_format: str
    lossless: bool
    smallest: tuple[int, int] = (2, 2)
    most_channels: int = 64

    def pixel_format_for(self, source: str, width: int, height: int) -> str:
        """The pixel format to encode: the source's own where the setting takes it.

        Raises ``RuleError`` where the raster is too small for the codec.
        """
        if width < self.smallest[0] or height < self.smallest[1]:
            small = f"{self.smallest[0]} × {self.smallest[1]}"
            raise RuleError(f"{self.label} needs at least {small}; this clip is {width} × {height}.", "raster")
        if source in self.pixel_formats:
            return source
        deep = [name for name in self.pixel_formats if name.endswith("le")]
        if deep and ("10" in source or "12" in source or "16" in source):
            return deep[0]
        if (width % 2 or height % 2) and "yuv444p" in self.pixel_formats:
            return "yuv444p"
        return self.pixel_formats[0]


ENCODINGS: dict[Setting, Encoding] = {
    Setting.ARCHIVE: Encoding(
        label="Archive, lossless FFV1 in Matroska",
        suffix=".mkv",
        container="matroska",
        codec="ffv1",
        options={"level": "3", "slicecrc": "1", "slices": "4", "g": "1"},
        pixel_formats=(
            *("yuv444p", "yuv420p", "yuv422p", "yuv410p", "yuv411p", "gray", "bgr0", "bgra"),
            *("yuv420p10le", "yuv422p10le", "yuv444p10le", "yuv444p16le", "gbrp10le", "gbrp16le", "gray16le"),
        ),
        sound_codec="pcm_s24le",
        sound_format="s32",
        lossless=True,
    ),
    Setting.EDIT: Encoding(
        label="Edit, VC-3 (SMPTE ST 2019-1) in MOV",
        suffix=".mov",
        container="mov",
        codec="dnxhd",
        options={"profile": "dnxhr_hq"},
        pixel_formats=("yuv422p",),
        sound_codec="pcm_s24le",
        sound_format="s32",
        lossless=False,
        smallest=(256, 120),
    ),
    Setting.VIEW: Encoding(
        label="View, light H.264 in MP4",
        suffix=".mp4",
        container="mp4",
        codec="libx264",
        options={"preset": "veryfast", "crf": "20", "movflags": "+faststart"},
        pixel_formats=("yuv420p", "yuv444p"),
        sound_codec="aac",
        sound_format="fltp",
        lossless=False,
        most_channels=8,
    ),
}
