"""The settings a file can be made with: one lossless for archives, one for editing, one light for viewing."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

from av.video.format import VideoFormat

from oddmeter.core.numbers.errors import RuleError


class Setting(StrEnum):
    """What the made file is for."""

    ARCHIVE = "archive"
    EDIT = "edit"
    VIEW = "view"


@dataclass(frozen=True)
class Encoding:
    """How a setting is written: container, picture and sound codec, and the pixel formats in order of liking.
    ``sound_bit_rate`` is for each channel, 0 where the codec has none."""

    label: str
    suffix: str
    container: str
    codec: str
    options: dict[str, str] = field(hash=False)
    pixel_formats: tuple[str, ...]
    sound_codec: str
    sound_format: str
    lossless: bool
    profiles: dict[str, str] = field(default_factory=dict, hash=False)
    light: bool = False
    smallest: tuple[int, int] = (2, 2)
    most_channels: int = 64
    names_sounds: bool = False
    sound_bit_rate: int = 0

    def pixel_format_for(self, source: str, width: int, height: int, *, alpha: bool = False) -> str:
        """The pixel format to encode: the source's own where the setting takes it; else the one that loses least of its
        depth and of its chroma, and among these the smallest. A light setting always takes its first one. ``alpha``
        where the source's may be kept; else it is left out.

        Raises ``RuleError`` where the raster is too small for the codec.
        """
        if width < self.smallest[0] or height < self.smallest[1]:
            small = f"{self.smallest[0]} × {self.smallest[1]}"
            raise RuleError(
                f"{self.label} needs a raster of at least {small}; this clip is {width} × {height}.", "raster"
            )
        alpha = alpha and bool(source) and _samples(source).alpha
        if source in self.pixel_formats and alpha == _samples(source).alpha:
            return source
        fit = self._fit(width, height, alpha=alpha)
        if self.light or not source:
            return fit[0]
        wanted = _samples(source)
        return min(fit, key=lambda name: _samples(name).cost_of(wanted))

    def pixel_format_for_all(self, sources: Sequence[str], width: int, height: int) -> str:
        """The pixel format to encode pictures of several sources: the one that loses least of any of them."""
        if len(set(sources)) <= 1:
            return self.pixel_format_for(next(iter(sources), ""), width, height)
        first = self.pixel_format_for("", width, height)  # raises where the raster is too small
        if self.light:
            return first
        wanted = [_samples(source) for source in sources]

        def cost(name: str) -> tuple[int, ...]:
            costs = (_samples(name).cost_of(source) for source in wanted)
            return tuple(max(parts) for parts in zip(*costs, strict=True))

        return min(self._fit(width, height), key=cost)

    def _fit(self, width: int, height: int, *, alpha: bool = False) -> tuple[str, ...]:
        """The pixel formats that hold such a raster, with ``alpha`` those that hold it, too, where there are any."""
        odd = bool(width % 2 or height % 2)
        known = [(name, _samples(name)) for name in self.pixel_formats]
        alpha = alpha and any(samples.alpha for _, samples in known)
        kinds = [(name, samples) for name, samples in known if samples.alpha == alpha]
        return tuple(name for name, samples in kinds if not odd or samples.chroma in (0, 3)) or (
            tuple(name for name, _ in kinds)
        )

    def options_for(self, pixel_format: str) -> dict[str, str]:
        """The codec's options for a pixel format."""
        return self.options | ({"profile": self.profiles[pixel_format]} if pixel_format in self.profiles else {})

    def loss_of(self, source: str, bits: int, transfer: str, *, alpha: bool = True) -> str | None:
        """A sentence about what of a source's samples is lost: its depth, its alpha, unless ``alpha`` may be kept
        and the setting can, or what its curve of high dynamic range needs; None where all is."""
        into = _samples(self.pixel_format_for(source, *self.smallest, alpha=alpha)) if source else None
        kept = into.bits if into else bits
        losses = [f"its {bits} bits a sample become {kept}"] if bits > kept else []
        if into and _samples(source).alpha and not into.alpha:
            losses.append("its alpha is left out")
        if transfer:
            losses += [f"{transfer} in {kept} bits shows steps in what is smooth"] if kept < 10 else []
        sentence = "; ".join(losses)
        return f"{sentence[0].upper()}{sentence[1:]}." if sentence else None


@dataclass(frozen=True)
class _Samples:
    """How a pixel format stores: its bits, its chroma (0 none, 1 a quarter of its samples or fewer, 2 half, 3 all),
    whether it is red, green and blue, and whether it holds alpha."""

    bits: int
    chroma: int
    rgb: bool
    alpha: bool

    def cost_of(self, source: "_Samples") -> tuple[int, int, bool, int, int]:
        """What storing a source in this costs, the gravest first: bits, chroma, its kind, and what is stored for
        nothing."""
        bits_lost, chroma_lost = source.bits - self.bits, source.chroma - self.chroma
        spare = max(0, -bits_lost), max(0, -chroma_lost)
        return max(0, bits_lost), max(0, chroma_lost), self.rgb is not source.rgb, *spare


@lru_cache(maxsize=64)
def _samples(name: str) -> _Samples:
    """How the pixel format of this name, one of libavutil's, stores."""
    form = VideoFormat(name, _SIDE, _SIDE)
    rgb = form.is_rgb or form.has_palette
    colours = [component for component in form.components if not component.is_alpha]
    chroma = 3 if rgb else 0
    if not rgb and len(colours) > 1:
        sparse = (_SIDE // colours[1].width) * (_SIDE // colours[1].height)
        chroma = {1: 3, 2: 2}.get(sparse, 1)
    alpha = len(colours) < len(form.components)
    return _Samples(colours[0].bits, chroma, rgb, alpha)


_SIDE = 64
"""Of a picture large enough to tell how much smaller its chroma is."""


ENCODINGS: dict[Setting, Encoding] = {
    Setting.ARCHIVE: Encoding(
        label="Archive, lossless FFV1 in Matroska",
        suffix=".mkv",
        container="matroska",
        codec="ffv1",
        options={"level": "3", "slicecrc": "1", "slices": "4", "g": "1"},
        pixel_formats=(
            *("yuv444p", "yuv420p", "yuv422p", "yuv410p", "yuv411p", "gray", "bgr0", "bgra"),
            *("yuv420p10le", "yuv422p10le", "yuv444p10le", "yuv420p12le", "yuv422p12le", "yuv444p12le", "yuv420p16le"),
            *("yuv422p16le", "yuv444p16le", "gbrp10le", "gbrp12le", "gbrp16le", "gray16le", "yuva420p", "yuva422p"),
            *("yuva444p", "yuva422p10le", "yuva444p10le", "yuva444p12le", "yuva444p16le"),
            *("gbrap10le", "gbrap12le", "gbrap16le", "ya8"),
        ),
        sound_codec="pcm_s24le",
        sound_format="s32",
        lossless=True,
        names_sounds=True,
    ),
    Setting.EDIT: Encoding(
        label="Edit, VC-3 (SMPTE ST 2019-1) in MOV",
        suffix=".mov",
        container="mov",
        codec="dnxhd",
        options={},
        profiles={
            "yuv422p": "dnxhr_hq",
            "yuv422p10le": "dnxhr_hqx",
            "yuv444p10le": "dnxhr_444",
            "gbrp10le": "dnxhr_444",
        },
        pixel_formats=("yuv422p", "yuv422p10le", "yuv444p10le", "gbrp10le"),
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
        light=True,
        most_channels=8,
        sound_bit_rate=80_000,
    ),
}
