"""Containers that can be written, by the library's names for them, with what each holds."""

from dataclasses import dataclass

from oddmeter.core.numbers.rates import Rate

PICTURES = "pictures"
"""The container that is a folder of numbered pictures."""
_MXF_RATES = tuple(Rate.parse(text) for text in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60"))


@dataclass(frozen=True)
class Container:
    """``name`` is what settings call it, ``writer`` the library's format. ``timecode_stream`` where a timecode has a
    stream of its own; ``rates`` are the only ones it has, none where it has any; ``sound_rates`` likewise.
    ``index_last`` where its index lies at the end, so that more can be said in it."""

    name: str
    label: str
    suffix: str
    writer: str
    timecode_stream: bool = False
    rates: tuple[Rate, ...] = ()
    sound_rates: tuple[int, ...] = ()
    options: tuple[tuple[str, str], ...] = ()
    names_sounds: bool = False
    index_last: bool = False

    def holds_rate(self, rate: Rate) -> bool:
        """True where files of this rate can be written."""
        return not self.rates or rate in self.rates


CONTAINERS: dict[str, Container] = {
    container.name: container
    for container in (
        Container("matroska", "Matroska", ".mkv", "matroska", names_sounds=True),
        Container("mov", "MOV", ".mov", "mov", timecode_stream=True, index_last=True),
        Container(
            "mp4", "MP4", ".mp4", "mp4", timecode_stream=True, options=(("movflags", "+faststart"),)
        ),
        Container(
            "mxf", "MXF OP1a (SMPTE ST 378)", ".mxf", "mxf", rates=_MXF_RATES,
            sound_rates=(48_000,),
        ),
        Container(PICTURES, "numbered pictures", "", "image2"),
    )
}  # fmt: skip
