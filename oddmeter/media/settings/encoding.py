"""How a setting is written by the library: its encoders with their options, and the pixel format for each source."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.settings.codecs import PictureCodec, Profile
from oddmeter.media.settings.containers import Container
from oddmeter.media.settings.samples import samples
from oddmeter.media.settings.setting import Place, Setting
from oddmeter.media.settings.sounds import SoundCodec


@dataclass(frozen=True)
class Encoding:
    """A setting with what its codecs and its container are."""

    setting: Setting
    codec: PictureCodec
    into: Container
    sound: SoundCodec

    @property
    def label(self) -> str:
        """What the setting is called where a sentence is about it."""
        return self.setting.label or self.setting.name

    @property
    def lossless(self) -> bool:
        """True where pictures lose nothing when they are written."""
        return self.codec.lossless

    @cached_property
    def profiles(self) -> dict[str, Profile]:
        """The pixel formats that the setting allows, in order of liking, each with the profile that stores it."""
        asked, of = self.setting.picture, dict[str, Profile]()
        usual = self.codec.chosen(asked.profile)
        for profile in (*usual, *(() if asked.profile else self.codec.profiles)):
            for name in profile.pixel_formats:
                kind = samples(name)
                fits = asked.bits in (None, kind.bits) and asked.chroma in ("", kind.word)
                if fits and (profile in usual or asked.bits is not None or asked.chroma):
                    of.setdefault(name, profile)
        return of

    def pixel_format_for(self, source: str, width: int, height: int, *, alpha: bool = False) -> str:
        """The pixel format to encode: the source's own where the setting takes it; else the one that loses least of its
        depth and of its chroma, and among these the smallest. ``alpha`` where the source's may be kept; else it is left
        out.

        Raises ``RuleError`` where the raster is too small for the codec.
        """
        if width < self.codec.smallest[0] or height < self.codec.smallest[1]:
            small = f"{self.codec.smallest[0]} × {self.codec.smallest[1]}"
            raise RuleError(
                f"{self.label} needs a raster of at least {small}; this clip is {width} × {height}.", "raster"
            )
        alpha = alpha and self.setting.picture.alpha and bool(source) and samples(source).alpha
        fit = self._fit(width, height, alpha=alpha)
        if source in fit and alpha == samples(source).alpha:
            return source
        if not source:
            return fit[0]
        wanted = samples(source)
        return min(fit, key=lambda name: samples(name).cost_of(wanted))

    def pixel_format_for_all(self, sources: Sequence[str], width: int, height: int) -> str:
        """The pixel format to encode pictures of several sources: the one that loses least of any of them."""
        if len(set(sources)) <= 1:
            return self.pixel_format_for(next(iter(sources), ""), width, height)
        self.pixel_format_for("", width, height)  # raises where the raster is too small
        wanted = [samples(source) for source in sources]

        def cost(name: str) -> tuple[int, ...]:
            costs = (samples(name).cost_of(source) for source in wanted)
            return tuple(max(parts) for parts in zip(*costs, strict=True))

        return min(self._fit(width, height), key=cost)

    def _fit(self, width: int, height: int, *, alpha: bool = False) -> tuple[str, ...]:
        """The pixel formats that hold such a raster, with ``alpha`` those that hold it, too, where there are any. Where
        the chroma that was asked for cannot hold it, those of the same depth that can."""
        odd = bool(width % 2 or height % 2)
        allowed = list(self.profiles)
        if odd and not any(samples(name).chroma in (0, 3) for name in allowed):
            bits = {samples(name).bits for name in allowed}
            every = [name for profile in self.codec.chosen(self.setting.picture.profile)
                     for name in profile.pixel_formats]  # fmt: skip
            allowed = [name for name in every if samples(name).bits in bits and samples(name).chroma == 3] or allowed
        known = [(name, samples(name)) for name in allowed]
        alpha = alpha and any(kind.alpha for _, kind in known)
        kinds = [(name, kind) for name, kind in known if kind.alpha == alpha] or known
        return tuple(name for name, kind in kinds if not odd or kind.chroma in (0, 3)) or (
            tuple(name for name, _ in kinds)
        )

    def read_as(self, pixel_format: str) -> str:
        """The pixel format that a decoder gives for one that was written."""
        return self.codec.read_as.get(pixel_format, pixel_format)

    @property
    def coarse(self) -> float:
        """Grey levels (of 255) by which a large block of a picture may lie off in the mean, whatever was measured."""
        return max((profile.coarse for profile in self.profiles.values()), default=32.0)

    def options_for(self, pixel_format: str) -> dict[str, str]:
        """The encoder's options for a pixel format, but for those that depend on what is encoded."""
        asked, codec = self.setting.picture, self.codec
        profile = self.profiles.get(pixel_format)
        options = {**codec.options, **(profile.options if profile else {})}
        if codec.scale and asked.bit_rate is None:
            options[codec.scale.option] = str(codec.scale.usual if asked.quality is None else asked.quality)
        if asked.key_frames is not None:
            options["g"] = str(asked.key_frames)
        return options

    def loss_of(self, source: str, bits: int, transfer: str, *, alpha: bool = True) -> str | None:
        """A sentence about what of a source's samples is lost: its depth, its alpha, unless ``alpha`` may be kept
        and the setting can, or what its curve of high dynamic range needs; None where all is."""
        into = samples(self.pixel_format_for(source, *self.codec.smallest, alpha=alpha)) if source else None
        kept = into.bits if into else bits
        losses = [f"its {bits} bits a sample become {kept}"] if bits > kept else []
        if into and samples(source).alpha and not into.alpha:
            losses.append("its alpha is left out")
        if transfer:
            losses += [f"{transfer} in {kept} bits shows steps in what is smooth"] if kept < 10 else []
        sentence = "; ".join(losses)
        return f"{sentence[0].upper()}{sentence[1:]}." if sentence else None

    @property
    def has_sound(self) -> bool:
        """True where sound goes into the file."""
        return self.setting.sound.place is Place.FILE

    def sound_rate(self, timeline: int | None) -> int | None:
        """The samples a second of its sound for a timeline with so many, None for those of the source."""
        beside = self.setting.sound.place is Place.BESIDE
        rates = self.sound.rates or (() if beside else self.into.sound_rates)
        wanted = self.setting.sound.rate or timeline
        return wanted if not rates or wanted in rates else rates[0]

    def sound_bit_rate(self, channels: int) -> int:
        """Bits a second for so many channels; 0 where the codec has none."""
        asked = self.setting.sound.bit_rate
        return channels * (asked * 1000 if asked is not None else self.sound.bit_rate)


@lru_cache(maxsize=256)
def encoding_of(setting: Setting) -> Encoding:
    """How a setting is written."""
    return Encoding(setting, setting.codec, setting.into, setting.sound_codec)
