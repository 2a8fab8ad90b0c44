"""Sound codecs: one entry for each, with the containers that hold it."""

from dataclasses import dataclass

WAV = "wav"
"""The container of sound beside a file."""


@dataclass(frozen=True)
class SoundCodec:
    """How sound is written: ``sample_format`` is what its encoder takes, ``bits`` what is exact of each sample, 0 where
    it loses. ``bit_rate`` is the usual one in bits a second for each channel; ``rates`` are the only samples a second
    that it has, none where it has any."""

    name: str
    label: str
    encoder: str
    sample_format: str
    containers: tuple[str, ...]
    bits: int = 0
    bit_rate: int = 0
    rates: tuple[int, ...] = ()
    most_channels: int = 64

    @property
    def exact(self) -> bool:
        """True where every sample stays what it is."""
        return self.bits > 0


_FILM = ("mov", "matroska", "mxf", WAV)
SOUND_CODECS: dict[str, SoundCodec] = {
    codec.name: codec
    for codec in (
        SoundCodec("pcm16", "PCM, 16 bit", "pcm_s16le", "s16", _FILM, bits=16),
        SoundCodec("pcm24", "PCM, 24 bit", "pcm_s24le", "s32", _FILM, bits=24),
        SoundCodec("pcm32", "PCM, 32 bit", "pcm_s32le", "s32", ("mov", "matroska", WAV), bits=24),
        SoundCodec("aac", "AAC", "aac", "fltp", ("mp4", "mov", "matroska"), bit_rate=80_000, most_channels=8),
        SoundCodec(
            "opus", "Opus", "libopus", "flt", ("matroska", "mp4"), bit_rate=64_000, rates=(48_000,), most_channels=8
        ),
        SoundCodec("flac", "FLAC", "flac", "s32", ("matroska", "mp4"), bits=24, most_channels=8),
    )
}
