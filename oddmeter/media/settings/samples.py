"""How pixel formats store samples: their bits, their chroma, and whether they hold alpha."""

from dataclasses import dataclass
from functools import lru_cache

from av.video.format import VideoFormat

_SIDE = 64
"""Of a picture large enough to tell how much smaller its chroma is."""


@dataclass(frozen=True)
class Samples:
    """How a pixel format stores: its bits, its chroma (0 none, 1 a quarter of its samples or fewer, 2 half, 3 all),
    whether it is red, green and blue, and whether it holds alpha."""

    bits: int
    chroma: int
    rgb: bool
    alpha: bool

    def cost_of(self, source: "Samples") -> tuple[int, int, bool, int, int]:
        """What storing a source in this costs, the gravest first: bits, chroma, its kind, and what is stored for
        nothing."""
        bits_lost, chroma_lost = source.bits - self.bits, source.chroma - self.chroma
        spare = max(0, -bits_lost), max(0, -chroma_lost)
        return max(0, bits_lost), max(0, chroma_lost), self.rgb is not source.rgb, *spare

    @property
    def word(self) -> str:
        """The chroma as people say it."""
        return "rgb" if self.rgb else {0: "gray", 1: "4:2:0", 2: "4:2:2", 3: "4:4:4"}[self.chroma]


@lru_cache(maxsize=64)
def samples(name: str) -> Samples:
    """How the pixel format of this name, one of libavutil's, stores."""
    form = VideoFormat(name, _SIDE, _SIDE)
    rgb = form.is_rgb or form.has_palette
    colours = [component for component in form.components if not component.is_alpha]
    chroma = 3 if rgb else 0
    if not rgb and len(colours) > 1:
        sparse = (_SIDE // colours[1].width) * (_SIDE // colours[1].height)
        chroma = {1: 3, 2: 2}.get(sparse, 1)
    alpha = len(colours) < len(form.components)
    return Samples(colours[0].bits, chroma, rgb, alpha)
